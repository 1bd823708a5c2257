// Measures the same page by hand, in Vein, and by hand again, in frames of one document: they share a
// thread and a heap, and take turns in an order that changes.

import { sow } from './hand/data.js';

const turn = () => new Promise((done) => { setTimeout(done, 0); });
const nextFrame = () => new Promise((done) => { requestAnimationFrame(done); });
const channel = new MessageChannel();

/** A number that comes out the same on every side. */
const spread = (at, below) => (at * 7919 + 17) % below;

const click = (side, selector) => side.document.querySelector(selector).click();
const rows = (side) => side.document.querySelector('ol').children;

function enter(side, field, value) {
  field.value = value;
  field.dispatchEvent(new side.InputEvent('input', { bubbles: true }));
}

const typed = (id, ...values) => (side, at) => enter(side, side.document.getElementById(id), values[at % values.length]);

/** Has so many beds there, sown with a button, unless they are there still as nothing but the same measure left them. */
const sown = (id, count) => (side) => {
  if (side.sown === id && rows(side).length === count) return;
  click(side, id);
  side.sown = id;
};
const sownAnew = (id) => (side) => {
  click(side, id);
  side.sown = null;
};

/** What is done to beds that are shown as they stand in state. */
const BEDS = [
  { name: 'sow 600', before: (side) => click(side, '#uproot'), act: (side) => click(side, '#sow-600'), rounds: 30 },
  { name: 'sow 6,000', before: (side) => click(side, '#uproot'), act: (side) => click(side, '#sow-6000'), rounds: 10 },
  { name: 'sow 600 below 600', before: sownAnew('#sow-600'), act: (side) => click(side, '#more'), rounds: 24 },
  { name: 'water the dry ones of 6,000', before: wet, act: (side) => click(side, '#water'), rounds: 24 },
  { name: 'move the threshold by one', before: sown('#sow-600', 600), act: typed('threshold', '14', '13'), rounds: 40, often: 20 },
  { name: 'search, one key', before: sown('#sow-600', 600), act: typed('search', 'k', ''), rounds: 40, often: 20 },
  { name: 'driest first', before: ordered, act: (side) => click(side, '#rank'), rounds: 24 },
  { name: 'turn the order round', before: sown('#sow-600', 600), act: (side) => click(side, '#turn'), rounds: 24, often: 2 },
  { name: 'sow one in the middle', before: sownAnew('#sow-600'), act: (side) => click(side, '#one'), rounds: 30, often: 50 },
  { name: 'last to the front', before: sown('#sow-600', 600), act: (side) => click(side, '#front'), rounds: 40, often: 50 },
  { name: 'harvest 50 in a row', before: sownAnew('#sow-600'), act: (side) => click(side, '#harvest'), rounds: 30, often: 4 },
  { name: 'harvest one', before: sownAnew('#sow-600'), act: (side, at) => rows(side)[spread(at, 500)].children[3].click(), rounds: 30, often: 90 },
  { name: 'mark one', before: sown('#sow-600', 600), act: (side, at) => rows(side)[spread(at, 600)].firstChild.click(), rounds: 40, often: 200 },
  { name: 'water one of 600', before: sown('#sow-600', 600), act: waterOne(600), rounds: 40, often: 200 },
  { name: 'water one of 6,000', before: sown('#sow-6000', 6000), act: waterOne(6000), rounds: 30, often: 200 },
  { name: 'water one of 60,000', before: sown('#sow-60000', 60000), act: waterOne(60000), rounds: 16, often: 200, frames: false },
  { name: 'uproot 600', before: sownAnew('#sow-600'), act: (side) => click(side, '#uproot'), rounds: 24 },
  { name: 'uproot 6,000', before: sownAnew('#sow-6000'), act: (side) => click(side, '#uproot'), rounds: 10 },
].map((measure) => ({ group: 'beds', page: 'many-beds', aim: 1.1, ...measure }));

function waterOne(count) {
  return (side, at) => rows(side)[spread(at, count)].lastChild.click();
}

function wet(side) {
  sown('#sow-6000', 6000)(side);
  click(side, '#dry');
}

function ordered(side) {
  sown('#sow-600', 600)(side);
  click(side, '#number');
}

/** What is done to beds that are shown through lists that are derived, half of them at first. */
function derived(page, title, id, count, size, less) {
  const half = count / 2;
  const there = (side) => {
    if (side.sown === id) return;
    click(side, id);
    // One in the middle that is shown: it goes over the edge and comes back.
    side.page.set('edge', EDGES[count]);
    side.sown = id;
  };
  const anew = (side) => {
    side.sown = null;
    there(side);
    side.sown = null;
  };
  const row = (side, at) => rows(side)[spread(at, half - 10)];
  const narrow = (side) => {
    there(side);
    enter(side, side.document.getElementById('search'), 'k');
  };
  const wide = (side) => {
    there(side);
    enter(side, side.document.getElementById('search'), '');
  };
  const one = { aim: 1.25 };
  return [
    { ...one, name: 'open and close a row', before: there, act: (side, at) => row(side, at >> 1).firstChild.click(), rounds: 30, often: 100 },
    { ...one, name: 'type in a row', before: there, act: (side, at) => enter(side, row(side, at).children[2], `note ${at}`), rounds: 30, often: 100 },
    { ...one, name: 'water one', before: there, act: (side, at) => row(side, at).children[3].click(), rounds: 30, often: 100 },
    { ...one, name: 'one over the edge', before: there, act: (side) => click(side, '#cross'), rounds: 30, often: 40 },
    { ...one, name: 'sow one', before: anew, act: (side) => click(side, '#one'), rounds: 24, often: 20 },
    { ...one, name: 'last to the front', before: there, act: (side) => click(side, '#front'), rounds: 30, often: 40 },
    { name: 'harvest 50', aim: 1.1, before: anew, act: (side) => click(side, '#harvest'), rounds: 20 },
    { name: 'a key that narrows', aim: 1.1, before: wide, act: typed('search', 'k'), rounds: 20 },
    { name: 'a key that brings back', aim: 2, before: narrow, act: typed('search', ''), rounds: 20 },
    { name: 'move the threshold', aim: 1.1, before: there, act: typed('threshold', '41', '40'), rounds: 24, often: 4 },
  ].map((measure) => ({
    group: `${title}, ${size} rows`, page, frames: !less, ...measure, rounds: Math.ceil(measure.rounds / (less ? 2 : 1)), often: Math.ceil((measure.often ?? 1) / (less ? 4 : 1)),
  }));
}

/** Positions of beds with few moisture, in the middle. */
const EDGES = Object.fromEntries([1000, 10000].map((count) => [count, sow(count, 1).findIndex(({ moisture }, at) => at >= count / 2 && moisture < 30)]));

function grown(side) {
  if (side.document.querySelectorAll('li').length !== 1111) click(side, '#grow');
}

const OTHERS = [
  { group: 'form', name: 'type where ten parts show it', page: 'name-form', act: (side, at) => enter(side, side.document.getElementById('name'), `Crop ${spread(at, 9973)}`), rounds: 40, often: 200 },
  { group: 'form', name: 'type in one field of 40', page: 'plot-form', act: (side, at) => enter(side, side.document.querySelectorAll('input')[spread(at, 40)], `crop ${at}`), rounds: 40, often: 200 },
  { group: 'tree', name: 'grow 1,111 branches', page: 'branch-tree', before: (side) => click(side, '#fell'), act: (side) => click(side, '#grow'), rounds: 24 },
  { group: 'tree', name: 'fold and open 111', page: 'branch-tree', before: grown, act: (side) => click(side, '#fold'), rounds: 24, often: 4 },
  { group: 'tree', name: 'rename a leaf', page: 'branch-tree', before: grown, act: (side) => click(side, '#rename'), rounds: 40, often: 100 },
  { group: 'tree', name: 'move a branch', page: 'branch-tree', before: grown, act: (side) => click(side, '#move'), rounds: 30, often: 20 },
  { group: 'shared', name: 'one value that 600 rows show', page: 'season-rows', act: (side) => click(side, '#turn'), rounds: 30, often: 4 },
  { group: 'shared', name: 'an event climbs four levels', page: 'four-levels', act: (side) => click(side, '#draw'), rounds: 40, often: 200 },
  { group: 'late', name: '100 answers in one turn', page: 'late-rows', before: (side) => click(side, '#next'), act: (side) => side.answer(), rounds: 30, late: true },
].map((measure) => ({ before() {}, aim: 1.1, ...measure }));

/** What is measured: what is there before, what is done, how often in a sample. */
export const MEASURES = [
  ...BEDS,
  ...derived('dry-beds', 'through a filter', '#small', 1000, '500'),
  ...derived('dry-beds', 'through a filter', '#large', 10000, '5,000', true),
  ...derived('ranked-beds', 'through a filter and an order', '#small', 1000, '500'),
  ...derived('ranked-beds', 'through a filter and an order', '#large', 10000, '5,000', true),
  ...OTHERS,
];

const SIDES = ['hand', 'vein', 'again'];
let frames = null;

/** Opens a page on all sides. */
async function open(page) {
  if (frames?.page === page) return;
  document.body.replaceChildren();
  frames = { page };
  for (const side of SIDES) {
    const frame = document.createElement('iframe');
    frame.src = side === 'vein' ? `/vein/${page}/index.html` : `/hand/${page}.html?${side}`;
    document.body.append(frame);
    while (!frame.contentWindow?.page) await turn();
    frames[side] = frame;
  }
}

/** Whether the three sides show the same. */
function differs() {
  const shown = (side) => {
    const view = frames[side].contentDocument.getElementById('view').cloneNode(true);
    for (const element of view.querySelectorAll('*')) {
      for (const { name } of Array.from(element.attributes)) {
        if (name.startsWith('data-') || name === 'value' || (name === 'class' && element.className === '')) element.removeAttribute(name);
      }
    }
    return view.innerHTML;
  };
  const [hand, vein] = [shown('hand'), shown('vein')];
  if (hand === vein) return null;
  const at = Array.from(hand).findIndex((c, at) => c !== vein[at]);
  return `by hand: …${hand.slice(at - 60, at + 60)}…, in Vein: …${vein.slice(at - 60, at + 60)}…`;
}

function show(shown) {
  for (const side of SIDES) frames[side].classList.toggle('away', side !== shown);
}

/** The time that something takes by itself, in milliseconds. */
function scriptTime(act) {
  const begin = performance.now();
  act();
  return performance.now() - begin;
}

/** The time until everything has come of something that comes in the same turn. */
function turnTime(act) {
  return new Promise((done) => {
    const begin = performance.now();
    channel.port1.onmessage = () => done(performance.now() - begin);
    act();
    channel.port2.postMessage(null);
  });
}

/** The time from the beginning of something until its frame is laid out and painted. */
async function frameTime(act) {
  await nextFrame();
  return new Promise((done) => {
    requestAnimationFrame(() => {
      const begin = performance.now();
      channel.port1.onmessage = () => done(performance.now() - begin);
      act();
      channel.port2.postMessage(null);
    });
  });
}

const ORDERS = [[0, 1, 2], [2, 1, 0], [1, 0, 2], [2, 0, 1], [0, 2, 1], [1, 2, 0]];

/** Measures one thing on all sides: script time with the view hidden, or frame time with it shown. */
async function measure(at, kind, share) {
  const { page, before, act, rounds, often = 1, late = false } = MEASURES[at];
  await open(page);
  const samples = { hand: [], vein: [], again: [] };
  const hidden = kind === 'script';
  for (const side of SIDES) frames[side].contentDocument.getElementById('view').hidden = hidden;
  // The first rounds warm up, and are not counted.
  const warm = 4;
  const count = Math.max(6, Math.ceil(rounds * share * (hidden ? 1 : 0.4)));
  let step = 0;
  for (let round = -warm; round < count; round++) {
    for (const number of ORDERS[(round + 60) % ORDERS.length]) {
      const side = SIDES[number];
      const inside = frames[side].contentWindow;
      before(inside);
      show(hidden ? null : side);
      globalThis.gc?.();
      const base = step;
      let took;
      if (hidden) {
        await turn();
        const all = () => { for (let i = 0; i < often; i++) act(inside, base + i); };
        took = (late ? await turnTime(all) : scriptTime(all)) / often;
      } else {
        took = await frameTime(() => act(inside, base));
      }
      if (round >= 0) samples[side].push(took);
    }
    step += often;
    if (round === -warm) {
      const found = differs();
      if (found) throw new Error(`the sides differ: ${found}`);
    }
  }
  return samples;
}

globalThis.begin = (...given) => {
  globalThis.result = null;
  measure(...given).then(
    (samples) => { globalThis.result = { samples }; },
    (error) => { globalThis.result = { error: String(error?.stack ?? error) }; },
  );
};
globalThis.measures = MEASURES.map(({ group, name, aim, frames = true }) => ({ group, name, aim, frames }));
