// The table by hand: one template that is cloned, text nodes that are kept, one listener for all rows.

import { harvest } from './data.js';

const template = document.createElement('template');
template.innerHTML = '<tr><td> </td><td><a href="#crop"> </a></td><td> </td><td><button>remove</button></td></tr>';
const pattern = template.content.firstChild;
const body = document.querySelector('tbody');

let rows = [];
let next = 1;
let picked = null;
let tenth = [];

function rowFor(crop) {
  const element = pattern.cloneNode(true);
  const id = element.firstChild;
  const name = id.nextSibling;
  const litres = name.nextSibling;
  const row = { crop, element, litres: litres.firstChild };
  id.firstChild.nodeValue = crop.id;
  name.firstChild.firstChild.nodeValue = crop.name;
  row.litres.nodeValue = `${crop.litres} l`;
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
  const last = rows.length - 2;
  if (last < 1) return;
  const [a, b] = [rows[1], rows[last]];
  rows[1] = b;
  rows[last] = a;
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
  if (event.target.localName === 'a') {
    event.preventDefault();
    pick(row);
  } else if (event.target.localName === 'button') {
    remove(row);
  }
});

globalThis.page = { set: (_, positions) => { tenth = positions; } };
globalThis.ready = performance.now();
