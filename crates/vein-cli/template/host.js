// What the components ask.

/**
 * When the shed is open. Answered later: it could be fetched from somewhere.
 * @type {import('./host.d.ts').Host['opening_hours']}
 */
export async function opening_hours() {
  return 'Saturdays from ten to two';
}
