// Beds by hand: one template that is cloned, text nodes that are kept, one listener for all rows.

import { sow } from './data.js';
import { entered, longestRun, on, pattern } from './pieces.mjs';

const model = pattern('<li><button aria-pressed="false"> </button><span> </span><span> </span><button>Harvest</button><button>Water</button></li>');
const list = document.querySelector('ol');

let rows = [];
let next = 1;
let threshold = 13;
let search = '';

const tone = (bed) => (bed.moisture < threshold ? 'dry' : 'moist');

function rowFor(bed) {
  const element = model.cloneNode(true);
  const mark = element.firstChild;
  const litres = mark.nextSibling;
  const moisture = litres.nextSibling;
  const row = { bed, element, mark, litres: litres.firstChild, moisture: moisture.firstChild, tone: tone(bed) };
  mark.firstChild.nodeValue = bed.crop;
  row.litres.nodeValue = `${bed.litres} l`;
  row.moisture.nodeValue = `${bed.moisture} %`;
  element.className = row.tone;
  if (!bed.crop.includes(search)) element.hidden = true;
  element.row = row;
  return row;
}

function add(beds) {
  for (const bed of beds) {
    const row = rowFor(bed);
    rows.push(row);
    list.appendChild(row.element);
  }
}

function uproot() {
  list.textContent = '';
  rows = [];
}

function showTone(row) {
  const now = tone(row.bed);
  if (now === row.tone) return;
  row.tone = now;
  row.element.className = now;
}

function showMoisture(row) {
  row.moisture.nodeValue = `${row.bed.moisture} %`;
  showTone(row);
}

function showLitres(row) {
  row.litres.nodeValue = `${row.bed.litres} l`;
}

const anew = (count) => {
  uproot();
  add(sow(count, next));
  next += count;
};

function water() {
  for (const row of rows) {
    if (row.bed.moisture >= threshold) continue;
    row.bed.moisture += 80;
    row.bed.litres += 1;
    showMoisture(row);
    showLitres(row);
  }
}

function dry() {
  for (const row of rows) {
    if (row.bed.moisture < 80) continue;
    row.bed.moisture -= 80;
    showMoisture(row);
  }
}

/** Brings the rows into another order, in the fewest moves. */
function order(sorted) {
  const was = new Map(rows.map((row, at) => [row, at]));
  const stays = longestRun(sorted.map((row) => was.get(row)));
  let before = null;
  for (let at = sorted.length - 1; at >= 0; at--) {
    const { element } = sorted[at];
    if (!stays.has(at)) list.insertBefore(element, before);
    before = element;
  }
  rows = sorted;
}

on('sow-600', () => anew(600));
on('sow-6000', () => anew(6000));
on('sow-60000', () => anew(60000));
on('more', () => {
  add(sow(600, next));
  next += 600;
});
on('uproot', uproot);
on('water', water);
on('dry', dry);
on('rank', () => order(rows.toSorted((a, b) => a.bed.moisture - b.bed.moisture)));
on('number', () => order(rows.toSorted((a, b) => a.bed.id - b.bed.id)));
on('turn', () => order(rows.toReversed()));
on('one', () => {
  const at = Math.floor(rows.length / 2);
  const row = rowFor({ id: next, crop: 'Sea kale', litres: 3, moisture: 20, marked: false, note: '' });
  next += 1;
  list.insertBefore(row.element, rows[at]?.element ?? null);
  rows.splice(at, 0, row);
});
on('front', () => {
  const last = rows.pop();
  if (last === undefined) return;
  list.insertBefore(last.element, rows[0]?.element ?? null);
  rows.unshift(last);
});
on('harvest', () => {
  for (const row of rows.splice(200, 50)) row.element.remove();
});
entered('threshold', (text) => {
  threshold = Number(text);
  for (const row of rows) showTone(row);
});
entered('search', (text) => {
  search = text;
  for (const row of rows) {
    const hidden = !row.bed.crop.includes(search);
    if (row.element.hidden !== hidden) row.element.hidden = hidden;
  }
});
list.addEventListener('click', ({ target }) => {
  const row = target.closest('li')?.row;
  if (!row || target.localName !== 'button') return;
  if (target === row.mark) {
    row.bed.marked = !row.bed.marked;
    target.setAttribute('aria-pressed', row.bed.marked);
  } else if (target === row.element.lastChild) {
    row.bed.litres += 1;
    showLitres(row);
  } else {
    rows.splice(rows.indexOf(row), 1);
    row.element.remove();
  }
});

globalThis.page = {};
globalThis.ready = performance.now();
