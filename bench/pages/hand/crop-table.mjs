// The table by hand: one template that is cloned, text nodes that are kept, one listener for all rows.

import { harvest } from './data.js';

const template = document.createElement('template');
template.innerHTML = '<tr><td><button> </button></td><td> </td><td> </td><td><button>remove</button></td></tr>';
const pattern = template.content.firstChild;
const body = document.querySelector('tbody');

let rows = [];
let next = 1;
let picked = null;
let tenth = [];

function rowFor(crop) {
  const element = pattern.cloneNode(true);
  const name = element.firstChild;
  const litres = name.nextSibling;
  const id = litres.nextSibling;
  const row = { crop, element, litres: litres.firstChild };
  name.firstChild.firstChild.nodeValue = crop.name;
  row.litres.nodeValue = `${crop.litres} l`;
  id.firstChild.nodeValue = `bed ${crop.id}`;
  if (crop.picked) element.className = 'picked';
  element.row = row;
  return row;
}

function add(crops) {
  for (const crop of crops) {
    const row = rowFor(crop);
    rows.push(row);
    body.appendChild(row.element);
  }
}

function clear() {
  body.textContent = '';
  rows = [];
  picked = null;
}

function create(count) {
  clear();
  add(harvest(count, next));
  next += count;
}

function append(count) {
  add(harvest(count, next));
  next += count;
}

function water() {
  for (const at of tenth) {
    const row = rows[at];
    row.crop.litres += 1;
    row.litres.nodeValue = `${row.crop.litres} l`;
  }
}

function swap() {
  const quarter = Math.floor(rows.length / 4);
  const [a, b] = [rows[quarter], rows[quarter * 3]];
  if (!a || a === b) return;
  rows[quarter] = b;
  rows[quarter * 3] = a;
  const after = b.element.nextSibling;
  body.insertBefore(b.element, a.element);
  body.insertBefore(a.element, after);
}

function pick(row) {
  if (picked !== null) {
    picked.crop.picked = false;
    picked.element.removeAttribute('class');
  }
  row.crop.picked = true;
  row.element.className = 'picked';
  picked = row;
}

function remove(row) {
  rows.splice(rows.indexOf(row), 1);
  row.element.remove();
  if (picked === row) picked = null;
}

const on = (id, run) => document.getElementById(id).addEventListener('click', run);
on('create-1000', () => create(1000));
on('create-10000', () => create(10000));
on('append-1000', () => append(1000));
on('water', water);
on('swap', swap);
on('clear', clear);
body.addEventListener('click', (event) => {
  const row = event.target.closest('tr')?.row;
  if (!row) return;
  if (event.target.localName !== 'button') return;
  if (event.target.parentNode === row.element.firstChild) pick(row);
  else remove(row);
});

globalThis.page = { set: (_, positions) => { tenth = positions; } };
globalThis.ready = performance.now();
