// The tree by hand: branches are cloned from one template, and keep what they show.

import { thicket } from './data.js';

const template = document.createElement('template');
template.innerHTML = '<li><button> </button><span> </span></li>';
const pattern = template.content.firstChild;
const view = document.getElementById('view');

let root = null;
let round = 0;

function branchFor(data) {
  const element = pattern.cloneNode(true);
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

function plant() {
  fell();
  const branch = branchFor(thicket(10, 3));
  const list = document.createElement('ul');
  list.appendChild(branch.element);
  view.appendChild(list);
  root = { branch, list };
}

const on = (id, run) => document.getElementById(id).addEventListener('click', run);
on('plant', plant);
on('fell', fell);
on('toggle', () => toggle(root.branch.inside[4]));
on('rename', () => {
  round++;
  const leaf = root.branch.inside[4].inside[5].inside[6];
  leaf.data.name = `branch in round ${round}`;
  leaf.name.nodeValue = leaf.data.name;
});
view.addEventListener('click', (event) => {
  const branch = event.target.localName === 'button' && event.target.closest('li')?.branch;
  if (branch) toggle(branch);
});

globalThis.page = {};
globalThis.ready = performance.now();
