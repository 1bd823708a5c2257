// The number by hand.

const button = document.querySelector('button');
const text = button.firstChild;
let count = 0;
button.addEventListener('click', () => {
  count++;
  text.nodeValue = count;
});

globalThis.page = {};
globalThis.ready = performance.now();
