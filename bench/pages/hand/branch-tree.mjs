// The tree by hand: branches are cloned from one template, and keep what they show.

import { grow } from './data.js';
import { on, pattern } from './pieces.mjs';

const model = pattern('<li><button> </button><span> </span></li>');
const view = document.getElementById('view');

let root = null;
let round = 0;

function branchFor(data) {
  const element = model.cloneNode(true);
  const button = element.firstChild;
  const sign = button.firstChild;
  const name = button.nextSibling.firstChild;
  const branch = { data, element, sign, name, list: null, inside: [] };
  name.nodeValue = data.name;
  sign.nodeValue = data.open ? '−' : '+';
  if (data.open) fill(branch);
  element.branch = branch;
  return branch;
}

function fill(branch) {
  branch.list = document.createElement('ul');
  branch.inside = branch.data.inside.map(branchFor);
  for (const inner of branch.inside) branch.list.appendChild(inner.element);
  branch.element.appendChild(branch.list);
}

function toggle(branch) {
  branch.data.open = !branch.data.open;
  branch.sign.nodeValue = branch.data.open ? '−' : '+';
  if (branch.data.open) {
    fill(branch);
  } else {
    branch.list.remove();
    branch.list = null;
    branch.inside = [];
  }
}

function fell() {
  root?.list.remove();
  root = null;
}

on('grow', () => {
  fell();
  const branch = branchFor(grow(10, 3));
  const list = document.createElement('ul');
  list.appendChild(branch.element);
  view.appendChild(list);
  root = { branch, list };
});
on('fell', fell);
on('fold', () => toggle(root.branch.inside[4]));
on('rename', () => {
  round++;
  const leaf = root.branch.inside[4].inside[5].inside[6];
  leaf.data.name = `branch in round ${round}`;
  leaf.name.nodeValue = leaf.data.name;
});
on('move', () => {
  const { data, list, inside } = root.branch.inside[4];
  data.inside.unshift(data.inside.pop());
  const last = inside.pop();
  list.insertBefore(last.element, list.firstChild);
  inside.unshift(last);
});
view.addEventListener('click', ({ target }) => {
  const branch = target.localName === 'button' && target.closest('li')?.branch;
  if (branch) toggle(branch);
});

globalThis.page = {};
globalThis.ready = performance.now();
