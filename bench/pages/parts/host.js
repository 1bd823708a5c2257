// The data of both sides, and what the benchmark sets off.
export { harvest, thicket } from './data.js';

export default function begin(vein) {
  globalThis.page = vein.open();
  globalThis.ready = performance.now();
}

// The engine's own memory, which the browser leaves out of what it says of a page.
for (const name of ['instantiate', 'instantiateStreaming']) {
  const plain = WebAssembly[name].bind(WebAssembly);
  WebAssembly[name] = async (...given) => {
    const made = await plain(...given);
    globalThis.engineMemory = (made.instance ?? made).exports.memory;
    return made;
  };
}
