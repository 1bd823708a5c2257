// Measures the same page by hand, in Vein, and by hand again, in frames of one document: they share a
// thread and a heap, and take turns in an order that changes.

const turn = () => new Promise((done) => { setTimeout(done, 0); });
const nextFrame = () => new Promise((done) => { requestAnimationFrame(done); });
const channel = new MessageChannel();

/** A number that comes out the same on every side. */
const spread = (at, below) => (at * 7919 + 17) % below;

const click = (side, selector) => side.document.querySelector(selector).click();
const rows = (side) => side.document.querySelector('tbody').children;
const filled = (count) => (side) => {
  click(side, '#clear');
  for (let made = 0; made < count; made += 1000) click(side, made === 0 && count === 10000 ? '#create-10000' : '#append-1000');
};
function refilled(side) {
  if (rows(side).length !== 1000) filled(1000)(side);
}
function filledBig(side) {
  if (rows(side).length === 10000) return;
  click(side, '#clear');
  click(side, '#create-10000');
  side.page.set('tenth', Array.from({ length: 1000 }, (_, at) => at * 10));
}

/** What is measured: what is there before, what is done, how often in a sample. */
export const MEASURES = [
  { name: 'create 1,000 rows', page: 'crop-table', before: (side) => click(side, '#clear'), act: (side) => click(side, '#create-1000'), rounds: 30 },
  { name: 'create 10,000 rows', page: 'crop-table', before: (side) => click(side, '#clear'), act: (side) => click(side, '#create-10000'), rounds: 10 },
  { name: 'append 1,000 rows to 1,000', page: 'crop-table', before: filled(1000), act: (side) => click(side, '#append-1000'), rounds: 24 },
  { name: 'update every tenth of 10,000', page: 'crop-table', before: filledBig, act: (side) => click(side, '#water'), rounds: 40, often: 5 },
  { name: 'select one of 1,000', page: 'crop-table', before: refilled, act: (side, at) => rows(side)[spread(at, 1000)].children[0].firstChild.click(), rounds: 40, often: 200 },
  { name: 'swap two of 1,000', page: 'crop-table', before: refilled, act: (side) => click(side, '#swap'), rounds: 40, often: 50 },
  { name: 'remove one of 1,000', page: 'crop-table', before: filled(1000), act: (side, at) => rows(side)[spread(at, 900)].children[3].firstChild.click(), rounds: 24, often: 90 },
  { name: 'clear 1,000 rows', page: 'crop-table', before: filled(1000), act: (side) => click(side, '#clear'), rounds: 24 },
  { name: 'clear 10,000 rows', page: 'crop-table', before: filled(10000), act: (side) => click(side, '#clear'), rounds: 10 },
  {
    name: 'type in a field that ten parts show', page: 'name-form', before() {}, rounds: 40, often: 200,
    act(side, at) {
      const field = side.document.getElementById('name');
      field.value = `Crop ${spread(at, 9973)}`;
      field.dispatchEvent(new side.InputEvent('input', { bubbles: true }));
    },
  },
  { name: 'plant a tree of 1,111 branches', page: 'bench-tree', before: (side) => click(side, '#fell'), act: (side) => click(side, '#plant'), rounds: 24 },
  { name: 'close and open a branch of 111', page: 'bench-tree', before: planted, act: (side) => click(side, '#toggle'), rounds: 24, often: 4 },
  { name: 'rename a leaf', page: 'bench-tree', before: planted, act: (side) => click(side, '#rename'), rounds: 40, often: 100 },
];

function planted(side) {
  if (side.document.querySelectorAll('li').length !== 1111) click(side, '#plant');
}

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
        if (name.startsWith('data-') || name === 'value') element.removeAttribute(name);
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
  const { page, before, act, rounds, often = 1 } = MEASURES[at];
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
        took = scriptTime(() => { for (let i = 0; i < often; i++) act(inside, base + i); }) / often;
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
globalThis.names = MEASURES.map(({ name }) => name);
