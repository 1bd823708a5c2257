// The shared value by hand: each place that shows it is kept.

import { plots } from './data.js';
import { on, pattern } from './pieces.mjs';

const model = pattern('<li> </li>');
const list = document.querySelector('ul');
let season = 'autumn';

const rows = plots(600).map(({ name }) => {
  const element = model.cloneNode(true);
  const text = element.firstChild;
  text.nodeValue = `${name} in ${season}`;
  list.appendChild(element);
  return { name, text };
});
on('turn', () => {
  season = season === 'autumn' ? 'winter' : 'autumn';
  for (const { name, text } of rows) text.nodeValue = `${name} in ${season}`;
});

globalThis.page = {};
globalThis.ready = performance.now();
