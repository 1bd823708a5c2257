// Beds of which some are shown, by hand: rows are kept while they are hidden, sums are carried on.

import { sow } from './data.js';
import { entered, on, pattern } from './pieces.mjs';

const model = pattern('<li><button> </button><span> </span><input aria-label="Note"><button>Water</button></li>');
const list = document.querySelector('ol');
const summary = document.querySelector('#view > p').firstChild;

let rows = [];
/** Those that are shown, in their order. */
let shown = [];
let ranked = false;
let next = 1;
let edge = 0;
let threshold = 40;
let search = '';
let [litres, urgent] = [0, 0];

const isShown = (bed) => bed.moisture < threshold && bed.crop.includes(search);
const byMoisture = (a, b) => a.bed.moisture - b.bed.moisture || a.bed.id - b.bed.id;

/** The row's element, made when it is shown for the first time. */
function elementOf(row) {
  if (row.element !== null) return row.element;
  const element = model.cloneNode(true);
  const crop = element.firstChild;
  const text = crop.nextSibling;
  crop.firstChild.nodeValue = row.bed.crop;
  row.text = text.firstChild;
  row.field = text.nextSibling;
  row.field.value = row.bed.note;
  row.element = element;
  element.row = row;
  showText(row);
  if (row.bed.marked) open(row);
  return element;
}

function showText(row) {
  row.text.nodeValue = `${row.bed.litres} l at ${row.bed.moisture} %`;
}

function open(row) {
  row.more = document.createElement('p');
  row.more.textContent = `Bed ${row.bed.id}: ${row.bed.note}`;
  row.element.appendChild(row.more);
}

function summarise() {
  summary.nodeValue = `${shown.length} beds, ${litres} l${urgent > 0 ? ', urgent' : ''}`;
}

function count(row, by) {
  litres += by * row.bed.litres;
  if (row.bed.moisture < 1) urgent += by;
}

/** Where a row that is shown stands among those, or would stand. */
function place(row) {
  const order = ranked ? byMoisture : (a, b) => a.at - b.at;
  let low = 0;
  let high = shown.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (order(shown[middle], row) < 0) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Rows know where they stand among all. */
function number(from = 0) {
  for (let at = from; at < rows.length; at++) rows[at].at = at;
}

function show(row) {
  const at = place(row);
  list.insertBefore(elementOf(row), shown[at]?.element ?? null);
  shown.splice(at, 0, row);
  row.shown = true;
  count(row, 1);
}

function hide(row) {
  shown.splice(place(row), 1);
  row.element.remove();
  row.shown = false;
  count(row, -1);
}

/** Works out again who is shown; those that stay do not move. */
function refilter() {
  const now = [];
  for (const row of rows) {
    const is = isShown(row.bed);
    if (is) now.push(row);
    if (is === row.shown) continue;
    if (row.shown) row.element.remove();
    count(row, is ? 1 : -1);
  }
  if (ranked) now.sort(byMoisture);
  let before = null;
  for (let at = now.length - 1; at >= 0; at--) {
    const row = now[at];
    if (!row.shown) list.insertBefore(elementOf(row), before);
    before = row.element;
  }
  for (const row of shown) row.shown = false;
  for (const row of now) row.shown = true;
  shown = now;
  summarise();
}

function anew(many) {
  list.textContent = '';
  rows = sow(many, 1).map((bed, at) => ({ bed, at, element: null, text: null, field: null, more: null, shown: false }));
  next = many + 1;
  shown = [];
  litres = urgent = 0;
  refilter();
}

function cross() {
  const row = rows[edge];
  if (row.shown) hide(row);
  row.bed.moisture += row.bed.moisture < threshold ? 50 : -50;
  if (row.element !== null) showText(row);
  if (isShown(row.bed)) show(row);
  summarise();
}

function one() {
  const at = Math.floor(rows.length / 2);
  const bed = { id: next, crop: 'Sea kale', litres: 3, moisture: 20, marked: false, note: '' };
  next += 1;
  const row = { bed, at, element: null, text: null, field: null, more: null, shown: false };
  rows.splice(at, 0, row);
  number(at);
  if (isShown(bed)) show(row);
  summarise();
}

function front() {
  const last = rows.pop();
  if (last === undefined) return;
  if (last.shown && !ranked) {
    shown.pop();
    shown.unshift(last);
    list.insertBefore(last.element, list.firstChild);
  }
  rows.unshift(last);
  number();
}

function harvest() {
  for (const row of rows.splice(200, 50)) if (row.shown) hide(row);
  number(200);
  summarise();
}

export function begin(inOrder) {
  ranked = inOrder;
  on('small', () => anew(1000));
  on('large', () => anew(10000));
  on('cross', cross);
  on('one', one);
  on('front', front);
  on('harvest', harvest);
  entered('threshold', (text) => {
    threshold = Number(text);
    refilter();
  });
  entered('search', (text) => {
    search = text;
    refilter();
  });
  list.addEventListener('click', ({ target }) => {
    const row = target.closest('li')?.row;
    if (!row || target.localName !== 'button') return;
    if (target === row.element.firstChild) {
      row.bed.marked = !row.bed.marked;
      if (row.bed.marked) open(row);
      else row.more.remove();
    } else {
      row.bed.litres += 1;
      litres += 1;
      showText(row);
      summarise();
    }
  });
  list.addEventListener('input', ({ target }) => {
    const { row } = target.closest('li');
    row.bed.note = target.value;
    if (row.bed.marked) row.more.firstChild.nodeValue = `Bed ${row.bed.id}: ${row.bed.note}`;
  });
  globalThis.page = { set: (_, position) => { edge = position; } };
  globalThis.ready = performance.now();
}
