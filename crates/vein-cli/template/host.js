// What the components ask, on the pages that `vein build` makes.

/**
 * When the shed is open. Answered later: it could be fetched from somewhere.
 * @type {import('./host.d.ts').Host['opening_hours']}
 */
export async function opening_hours() {
  return 'Saturdays from ten to two';
}
