// A tab in which scenarios are played: what happens in it is told to the run that drives it, which
// asks in return what was applied, what the document's own observer saw and what stands there.

import { Applier } from './applier.mjs';

const view = document.querySelector('body > #view');
const socket = new WebSocket(`ws://${location.host}/vein/link`);
socket.binaryType = 'arraybuffer';
const say = (told) => socket.send(JSON.stringify(told));
let surface = null;

let applied = 0;
let failure = null;
let wake = () => {};
const records = [];
const observer = new MutationObserver((all) => records.push(...all));
observer.observe(view, {
  subtree: true, childList: true, characterData: true, attributes: true, characterDataOldValue: true,
});

socket.addEventListener('message', async ({ data }) => {
  if (typeof data === 'string') {
    const { ask, arguments: given, number } = JSON.parse(data);
    let answer = null;
    try {
      answer = await answers[ask](...given);
    } catch (error) {
      failure ??= error.message;
    }
    say({ reply: number, answer });
    return;
  }
  try {
    surface ??= new Applier(view, say);
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

// What controls hold; where a view was written beforehand, it says so with attributes.
const HELD = ['value', 'checked', 'selected', 'muted', 'open'];
/** The elements that were written beforehand. */
let before = new Set();

function dumped(node) {
  if (node.nodeType === Node.TEXT_NODE) return node.nodeValue;
  const all = Array.from(node.attributes, ({ name, value }) => [name, value]).sort();
  const isWritten = ([name]) => before.has(node) && HELD.includes(name);
  const [attributes, written] = [all.filter((pair) => !isWritten(pair)), all.filter(isWritten)];
  const held = {};
  for (const name of HELD) {
    if (name in node) held[name] = node[name];
  }
  if (node.selectedOptions) held.chosen = Array.from(node.selectedOptions, (option) => option.value);
  return { name: node.localName, attributes, written, held, children: Array.from(node.childNodes, dumped) };
}

/** A clock that stands still until it is told the time. */
const clock = {
  time: 0,
  waiting: new Set(),
  now() { return this.time; },
  at(time, run) {
    const entry = { time, run };
    this.waiting.add(entry);
    return () => this.waiting.delete(entry);
  },
  go(time) {
    this.time = Math.max(time, this.time);
    for (const entry of this.waiting) {
      if (entry.time <= this.time && this.waiting.delete(entry)) entry.run();
    }
  },
};

/** A host that says at once what is scripted, and leaves everything else to the run. */
function scripted(answers, later) {
  const same = (a, b) => JSON.stringify(a) === JSON.stringify(b);
  const never = new Promise(() => {});
  const open = Object.assign(never, { async* [Symbol.asyncIterator]() { await never; } });
  const host = Object.fromEntries(later.map((name) => [name, () => open]));
  for (const { name } of answers.filter(({ name }) => !later.includes(name))) {
    host[name] = (...args) => {
      const found = answers.find((a) => a.name === name && (a.of === null || same(a.of, args.slice(0, a.of.length))));
      if (!found) throw new Error('the scenario does not say what it answers for these');
      if ('failure' in found) throw new Error(found.failure);
      return found.value;
    };
  }
  return host;
}

/** What is not as it was of what a page took over; only texts that a parser has joined may be parted. */
function disturbed(records) {
  const isText = (node) => node.nodeType === Node.TEXT_NODE;
  return records.filter(({ type, addedNodes, removedNodes, target, oldValue }) => (
    type === 'attributes' || removedNodes.length > 0 || !Array.from(addedNodes).every(isText)
      || (type === 'characterData' && !oldValue.startsWith(target.data))
  )).map(({ type, target, attributeName }) => `${attributeName ?? type} of ${target.nodeName.toLowerCase()}`);
}

let page = null;
/** What the compiled page has asked, in order, and what has come of it since it was last asked itself. */
let questions = [];
let [asked, given, faults] = [[], [], []];
let inside = null;

const turn = () => new Promise((done) => setTimeout(done, 0));

/** The component of a name whose first node that something refers to stands at the end of a way; or the only one of it. */
function scopeAt(path, name) {
  const node = path.reduce((at, step) => at?.childNodes[step], view);
  const found = inside.called(page, name);
  return (found.find(({ first }) => first === node) ?? (found.length === 1 ? found[0] : undefined)).scope;
}

const commands = {
  set: (path, value) => page.set(path, value),
  call: (handler, ...args) => page.call(handler, ...args),
  answer: (number, value) => page.page.answer(questions[number - 1], value),
  fail: (number, reason) => page.page.fail(questions[number - 1], reason),
  give([path, name], event, args) {
    inside.give(path === null ? page.page.root : scopeAt(path, name), event, args);
  },
  /** What no host can do: a write to a component inside the page's own. */
  setInside: ([path, name], way, value) => inside.write(scopeAt(path, name), way, value),
  close: () => page.close(),
};

const answers = {
  /** Opens a component in place of its HTML, compiled as `vein build` ships it. */
  async open({ component, props, answered, later, html, date, seed }) {
    Object.assign(clock, { day: date, seed });
    ({ inside } = await import(`/built/${component}.mjs`));
    const { FACE, Opened } = inside;
    view.innerHTML = html;
    before = new Set(view.querySelectorAll('*'));
    observer.takeRecords();
    records.length = 0;
    inside.hearing((event, fields, reached, back) => say({
      event: event.type,
      fields,
      reached: reached.map(([node, number]) => [pathTo(node), number]),
      restored: back.map(([node, ...held]) => [pathTo(node), ...held]),
    }));
    page = new Opened(FACE, {
      into: view, props, host: scripted(answered, later), takeOver: true, clock,
      asks(question) {
        questions.push(question);
        asked.push(`${question.name} ${JSON.stringify(question.args)}`);
      },
      failed: (fault) => faults.push(fault.message),
    });
    inside.giving(page, (event, args) => given.push(`${event} ${JSON.stringify(args)}`));
    const found = disturbed(observer.takeRecords());
    const { built, set } = page.taken;
    if (found.length + built + set > 0) {
      failure ??= `what was written beforehand was not taken over as it is: ${built} nodes built, ${set} texts or attributes set; seen: ${found.join(', ') || 'nothing'}`;
    }
    records.length = 0;
    return null;
  },

  /** Does something to the page at some time. */
  async do([time, command, ...all]) {
    try {
      clock.go(time);
      if (command !== 'wait') return commands[command](...all) ?? null;
    } catch (error) {
      faults.push(error.message);
    }
    return null;
  },

  /** What stands at some paths. */
  async values(paths) {
    return paths.map((path) => page.get(path));
  },

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
    const chosen = control?.selectedOptions && Array.from(control.selectedOptions, (option) => option.value);
    return { value: control?.value, checked: control?.checked, chosen };
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
        // Nodes may be taken away together; what is compiled is put there together, too.
        for (const _ of removedNodes) seen.push(['removed', null]);
        for (const _ of page === null ? [...addedNodes].slice(0, 1) : addedNodes) seen.push(['added', null]);
      }
    }
    const view = Array.from(document.querySelector('body > #view').childNodes, dumped);
    const told = { failure, seen, view, focus: pathTo(document.activeElement), asked, given, faults };
    [asked, given, faults] = [[], [], []];
    return told;
  },
};

socket.addEventListener('open', () => say({ linked: true }));
