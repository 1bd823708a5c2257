// The data of both sides, and what the benchmark sets off.
export { sow, grow, plots, forecast } from './data.js';

export default function begin(vein) {
  globalThis.page = vein.open();
  globalThis.ready = performance.now();
}
