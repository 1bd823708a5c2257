// The data of both sides, and what the benchmark sets off.
export { harvest, thicket } from './data.js';

export default function begin(vein) {
  globalThis.page = vein.open();
  globalThis.ready = performance.now();
}
