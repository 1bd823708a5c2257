// The form of many fields by hand: one listener for all, what each changes is kept beside it.

import { plots } from './data.js';
import { pattern } from './pieces.mjs';

const model = pattern('<p><label> <input></label><small>0 letters</small></p>');
const form = document.querySelector('form');
const output = document.createElement('output');
output.textContent = '0 of 40 filled';
const total = output.firstChild;
let filled = 0;

for (const plot of plots(40)) {
  const element = model.cloneNode(true);
  element.firstChild.firstChild.nodeValue = `${plot.name} `;
  element.firstChild.lastChild.plot = plot;
  plot.letters = element.lastChild.firstChild;
  form.append(element);
}
form.append(output);
form.addEventListener('input', ({ target }) => {
  const { plot, value } = target;
  filled += (value !== '') - (plot.crop !== '');
  plot.crop = value;
  plot.letters.nodeValue = `${value.length} letters`;
  total.nodeValue = `${filled} of 40 filled`;
});

globalThis.page = {};
globalThis.ready = performance.now();
