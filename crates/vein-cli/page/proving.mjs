// A tab in which scenarios are played: what happens in it is told to the run that drives it, which
// asks in return what was applied, what the document's own observer saw and what stands there.

import { Surface } from './applier.mjs';

const view = document.getElementById('view');
const socket = new WebSocket(`ws://${location.host}/live`);
socket.binaryType = 'arraybuffer';
const say = (told) => socket.send(JSON.stringify(told));
const surface = new Surface(view, say);

let applied = 0;
let failure = null;
let wake = () => {};
const records = [];
const observer = new MutationObserver((all) => records.push(...all));
observer.observe(view, { subtree: true, childList: true, characterData: true, attributes: true });

socket.addEventListener('message', async ({ data }) => {
  if (typeof data === 'string') {
    const { ask, arguments: given, number } = JSON.parse(data);
    const answer = await answers[ask](...given);
    say({ reply: number, answer });
    return;
  }
  try {
    surface.apply(data);
  } catch (error) {
    failure ??= error.message;
  }
  applied++;
  wake();
});

/** The way to a node of the view, by the positions of the nodes around it; null outside. */
function pathTo(node) {
  const path = [];
  for (let at = node; at !== view; at = at.parentNode) {
    if (!at?.parentNode) return null;
    path.unshift(Array.prototype.indexOf.call(at.parentNode.childNodes, at));
  }
  return path;
}

function dumped(node) {
  if (node.nodeType === Node.TEXT_NODE) return node.nodeValue;
  const attributes = Array.from(node.attributes, ({ name, value }) => [name, value]).sort();
  const held = {};
  for (const name of ['value', 'checked', 'selected', 'muted', 'open']) {
    if (name in node) held[name] = node[name];
  }
  if (node.selectedOptions) held.chosen = Array.from(node.selectedOptions, (option) => option.value);
  return { name: node.localName, attributes, held, children: Array.from(node.childNodes, dumped) };
}

const turn = () => new Promise((done) => setTimeout(done, 0));

const answers = {
  /** Answered behind everything that an action has set off: where the focus is. */
  async settled() {
    await turn();
    await turn();
    return pathTo(document.activeElement);
  },

  /** Waits until so many batches were applied, and tells what the control at some place holds then. */
  async applied(batches, path = []) {
    while (applied < batches) {
      await new Promise((done) => { wake = done; });
    }
    const control = path.reduce((node, at) => node?.childNodes[at], view);
    return { value: control?.value, checked: control?.checked };
  },

  /** What has become of the view once so many batches were applied. */
  async seen(batches) {
    await answers.applied(batches);
    records.push(...observer.takeRecords());
    const seen = [];
    for (const { type, target, attributeName, addedNodes, removedNodes } of records.splice(0)) {
      if (type === 'characterData') seen.push(['text', pathTo(target)]);
      else if (type === 'attributes') seen.push([attributeName, pathTo(target)]);
      else {
        if (removedNodes.length > 0) seen.push(['removed', null]);
        if (addedNodes.length > 0) seen.push(['added', null]);
      }
    }
    const view = Array.from(document.getElementById('view').childNodes, dumped);
    return { failure, seen, view, focus: pathTo(document.activeElement) };
  },
};

socket.addEventListener('open', () => say({ linked: true }));
