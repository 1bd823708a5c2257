// Hands on what Rust answers: `wasm-bindgen` makes the module of it.

import start, { acidity, degrees, soil_name as named } from './pkg/rust_host.js';

await start();

const pause = (milliseconds) => new Promise((done) => { setTimeout(done, milliseconds); });

/** Answered at once. */
export const soil_name = (code) => named(code);

/** Answered later. */
export async function measure(depth) {
  await pause(300);
  return acidity(depth);
}

/** Answered again and again, five times a second. */
export async function* warmth(depth, { signal }) {
  for (let reading = 0; !signal.aborted; reading++) {
    yield degrees(reading);
    await pause(200);
  }
}
