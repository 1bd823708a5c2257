// Applies batches of patches to the document and tells of the events that its listeners hear.
// The format is specified in docs/patches.md. Nothing here parses HTML or runs text as code.

const VERSION = 4;
const HEADER = 16;
const NAMESPACES = [
  'http://www.w3.org/1999/xhtml',
  'http://www.w3.org/2000/svg',
  'http://www.w3.org/1998/Math/MathML',
];
const PROPERTIES = ['value', 'checked', 'selected', 'muted', 'open', 'chosen'];
const TEXTS = ['value', 'chosen'];
const FIELDS = [
  'value', 'checked', 'open', 'chosen', 'key', 'code', 'altKey', 'ctrlKey', 'metaKey', 'shiftKey', 'repeat',
  'button', 'clientX', 'clientY', 'offsetX', 'offsetY', 'deltaX', 'deltaY',
  'scrollTop', 'scrollLeft', 'scrollWidth', 'scrollHeight', 'clientWidth', 'clientHeight',
  'offsetWidth', 'offsetHeight', 'naturalWidth', 'naturalHeight',
];
// What nodes of a view carry: one that is listened on its number and its listeners, the root of a clone
// the first number in it.
const NUMBER = Symbol('number');
const LISTENERS = Symbol('listeners');
const FIRST = Symbol('first');
// What a control held when it was added, by property.
const BEGAN = Symbol('began');

const TEXT = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

/**
 * Reads a batch as a whole, before anything of it is done: its operations as numbers, one after the
 * other, the text that they cut their strings from, and its templates. Throws if it is none, not of this
 * version, or damaged.
 */
function open(batch) {
  const bytes = batch instanceof Uint8Array ? batch : new Uint8Array(batch);
  const word = (at) => (bytes[at] | (bytes[at + 1] << 8) | (bytes[at + 2] << 16) | (bytes[at + 3] << 24)) >>> 0;
  if (bytes.length < HEADER || bytes[0] !== 0x56 || bytes[1] !== 0x50) throw new Error('not a batch of patches');
  if (bytes[2] !== VERSION) throw new Error(`a batch of version ${bytes[2]}`);
  const strings = word(4);
  if (bytes[3] !== 0 || HEADER + strings + word(8) !== bytes.length) malformed(0);
  if (adler32(bytes, HEADER) !== word(12)) throw new Error('a damaged batch');
  // All strings are decoded at once and cut by their lengths.
  const text = strings === 0 ? '' : TEXT.decode(bytes.subarray(HEADER, HEADER + strings));
  return new Reader(bytes.subarray(HEADER + strings), text).whole();
}

/** The checksum Adler-32 (RFC 1950, section 8.2). */
function adler32(bytes, from) {
  let a = 1;
  let b = 0;
  for (let at = from; at < bytes.length;) {
    // So many bytes keep the sums below 2^31.
    const end = Math.min(at + 3800, bytes.length);
    while (at < end) {
      a += bytes[at++];
      b += a;
    }
    a %= 65521;
    b %= 65521;
  }
  return b * 65536 + a;
}

function malformed(at) {
  throw new Error(`a malformed batch, at byte ${at} of its operations`);
}

class Reader {
  constructor(bytes, text) {
    this.bytes = bytes;
    this.text = text;
    this.at = 0;
    this.cut = 0;
  }

  byte(below) {
    const value = this.at < this.bytes.length ? this.bytes[this.at++] : below;
    return value < below ? value : malformed(this.at);
  }

  number() {
    let value = this.byte(256);
    if (value < 128) return value;
    value -= 128;
    for (let scale = 128; scale <= 2 ** 28; scale *= 128) {
      const more = this.byte(256);
      value += (more & 127) * scale;
      if (more < 128) return value < 2 ** 32 ? value : malformed(this.at);
    }
    return malformed(this.at);
  }

  /** The end of the string that begins where the last one ended. */
  end() {
    this.cut += this.number();
    return this.cut > this.text.length ? malformed(this.at) : this.cut;
  }

  string() {
    return this.text.slice(this.cut, this.end());
  }

  many(item) {
    const items = [];
    for (let left = this.number(); left > 0; left--) items.push(item());
    return items;
  }

  templateNode() {
    switch (this.byte(5)) {
      case 1: {
        const namespace = NAMESPACES[this.byte(NAMESPACES.length)];
        const marked = this.byte(2) === 1;
        const name = this.string();
        const attributes = this.many(() => [this.string(), this.string()]);
        return { open: true, namespace, marked, name, attributes };
      }
      case 2: {
        const marked = this.byte(2) === 1;
        return { text: this.string(), marked };
      }
      case 3: return { text: '', marked: true };
      case 4: return { close: true };
      default: return malformed(this.at);
    }
  }

  listener() {
    const mark = this.number();
    const number = this.number();
    const event = this.string();
    const flags = this.byte(32);
    const key = flags & 8 ? this.string() : null;
    const fields = this.many(() => FIELDS[this.byte(FIELDS.length)]);
    return {
      mark, number, event, key, fields,
      prevent: Boolean(flags & 1),
      stop: Boolean(flags & 2),
      own: Boolean(flags & 4),
      bubbles: Boolean(flags & 16),
    };
  }

  template() {
    const nodes = this.many(() => this.templateNode());
    const listeners = this.many(() => this.listener());
    let depth = 0;
    for (const node of nodes) {
      depth += node.open ? 1 : node.close ? -1 : 0;
      if (depth < 0) malformed(this.at);
    }
    const marks = nodes.filter((node) => node.marked);
    if (depth !== 0 || listeners.some(({ mark }) => !marks[mark]?.open)) malformed(this.at);
    return { nodes, listeners, marks: marks.length };
  }

  /** A property, which has to hold text or not. */
  property(texts) {
    const property = this.byte(PROPERTIES.length);
    return TEXTS.includes(PROPERTIES[property]) === texts ? property : malformed(this.at);
  }

  whole() {
    const steps = [];
    const templates = [];
    while (this.at < this.bytes.length) {
      const operation = this.bytes[this.at++];
      steps.push(operation);
      switch (operation) {
        case 1:
          steps.push(this.number());
          templates.push(this.template());
          break;
        case 2: steps.push(this.number(), this.number(), this.number(), this.number()); break;
        case 3: steps.push(this.number(), this.cut, this.end()); break;
        case 4: steps.push(this.number(), this.cut, this.end(), this.end()); break;
        case 5: steps.push(this.number(), this.cut, this.end()); break;
        case 6: steps.push(this.number(), this.property(true), this.cut, this.end()); break;
        case 7: steps.push(this.number(), this.property(false), this.byte(2)); break;
        case 8: steps.push(this.number()); break;
        case 9: steps.push(this.number(), this.number(), this.number()); break;
        case 10: steps.push(this.number(), this.number()); break;
        default: malformed(this.at);
      }
    }
    if (this.cut !== this.text.length) malformed(this.at);
    return { steps, text: this.text, templates };
  }
}

/** Has each operation of a batch done, in its order. */
function perform({ steps, text, templates }, to) {
  let learnt = 0;
  for (let at = 0; at < steps.length;) {
    const operation = steps[at++];
    const node = steps[at++];
    switch (operation) {
      case 1: to.learn(node, templates[learnt++]); break;
      case 2: to.clone(node, steps[at++], steps[at++], steps[at++]); break;
      case 3: to.text(node, text.slice(steps[at++], steps[at++])); break;
      case 4: {
        const [from, middle, end] = [steps[at++], steps[at++], steps[at++]];
        to.attribute(node, text.slice(from, middle), text.slice(middle, end));
        break;
      }
      case 5: to.absent(node, text.slice(steps[at++], steps[at++])); break;
      case 6: to.property(node, PROPERTIES[steps[at++]], text.slice(steps[at++], steps[at++])); break;
      case 7: to.property(node, PROPERTIES[steps[at++]], steps[at++] === 1); break;
      case 8: to.remove(node); break;
      case 9: to.move(node, steps[at++], steps[at++]); break;
      case 10: to.done(node, steps[at++]); break;
    }
  }
}

/** A template's nodes, made once to be cloned, and the way to those that are marked. */
function prepared({ nodes, listeners, marks }) {
  const content = document.createDocumentFragment();
  const places = [];
  const roots = [];
  let open = content;
  for (const described of nodes) {
    if (described.close) {
      open = open.parentNode;
      continue;
    }
    const node = described.open
      ? document.createElementNS(described.namespace, described.name)
      : document.createTextNode(described.text);
    for (const [name, value] of described.attributes ?? []) setAttribute(node, name, value);
    open.append(node);
    if (open === content) roots.push([places.length, 0]);
    if (described.marked) {
      roots.at(-1)[1]++;
      places.push(node);
    }
    if (described.open) open = node;
  }
  const ways = places.map((node, mark) => wayTo(node, places.slice(0, mark), content));
  const heard = Array.from({ length: marks }, (_, mark) => {
    const here = listeners.filter((listener) => listener.mark === mark);
    return here.length > 0 ? here : null;
  });
  return { content, ways, roots, heard, single: roots.length === 1 ? content.firstChild : null };
}

/** The way to a node from one that was found before: which, and how often to go in (0) and on (1). */
function wayTo(node, found, content) {
  const steps = [];
  for (let at = node; ;) {
    const from = found.indexOf(at);
    if (from >= 0) return [from, ...steps];
    if (at.previousSibling) {
      steps.unshift(1);
      at = at.previousSibling;
    } else if (at.parentNode === content) {
      return [-1, ...steps];
    } else {
      steps.unshift(0);
      at = at.parentNode;
    }
  }
}

/** A place in the document that shows a view. */
export class Applier {
  #root;
  #nodes = [];
  // By the first number in a clone's root, how many there are; and by number, what holds clones.
  #marks = [];
  #holds = [];
  #templates = new Map();
  #applied = 0;
  #heard = new Set();
  #selects = new Map();
  #composing = null;
  #postponed = null;
  #removed = [];
  #tell;
  // While nobody is told of events: those that have happened, and who is to know once an input method is done.
  #waiting = null;
  #whenHeld = null;

  /**
   * @param {Element | ShadowRoot} root what holds the view; what stands there is taken away by the first batch
   * @param {(told: object) => void} tell hears of each event, as docs/patches.md describes it
   */
  constructor(root, tell) {
    this.#root = root;
    this.#tell = tell;
    this.#nodes[0] = root;
    root.addEventListener('compositionstart', (event) => {
      this.#composing = event.target;
    }, true);
    root.addEventListener('compositionend', (event) => this.#composed(event), true);
    root.addEventListener('input', (event) => this.#chosenByHand(event.target), true);
    this.#heard.add('reset');
    root.addEventListener('reset', (event) => this.#hear(event, true));
  }

  /** An input method is done: what was typed is told, or what came meanwhile is shown. */
  #composed(event) {
    this.#composing = null;
    const text = this.#postponed;
    this.#postponed = null;
    if (text !== null) event.target.value = text;
    else event.target.dispatchEvent(new InputEvent('input', { bubbles: true }));
    this.#sayHeld();
  }

  /**
   * From now on events wait: the view is about to be another, in which they may mean something else. `held` is called once that is
   * so, after an input method that is at work is done.
   */
  hold(held = () => {}) {
    this.#whenHeld = held;
    if (this.#composing === null) this.#sayHeld();
  }

  #sayHeld() {
    const held = this.#whenHeld;
    this.#whenHeld = null;
    if (held === null) return;
    this.#waiting ??= [];
    held();
  }

  /** Tells of the events that have waited, as they reach what stands there now. */
  release() {
    const waiting = this.#waiting ?? [];
    this.#waiting = null;
    for (const event of waiting) this.#hear(event, event.bubbles);
  }

  /** What a person chooses stands until a patch says otherwise. */
  #chosenByHand(target) {
    if (this.#selects.has(target)) this.#selects.set(target, () => {});
  }

  /**
   * Applies a batch. A malformed one is refused before anything is done; one that does not fit the
   * document throws where it does not, and whoever sent it has to send the view anew.
   */
  apply(buffer) {
    const batch = open(buffer);
    if (this.#templates.size === 0) this.#root.replaceChildren();
    this.#begin(batch);
    perform(batch, this);
    this.#takeAway();
    for (const [select, show] of this.#selects) show(select);
  }

  learn(number, template) {
    const { listeners } = template;
    this.#templates.set(number, prepared(template));
    for (const { event, bubbles } of listeners) {
      if (this.#heard.has(event)) continue;
      this.#heard.add(event);
      // One listener for all: what does not bubble is heard on its way in.
      this.#root.addEventListener(event, (e) => this.#hear(e, bubbles), { capture: !bubbles });
    }
  }

  #template(number) {
    const template = this.#templates.get(number);
    if (!template) throw new Error(`a patch names template ${number}, which is unknown`);
    return template;
  }

  clone(number, parent, before, first) {
    const { content, ways, roots, heard, single } = this.#template(number);
    const into = this.#node(parent);
    const next = before === 0 ? null : this.#node(before);
    const nodes = this.#nodes;
    const clone = (single ?? content).cloneNode(true);
    const begin = single ? clone : clone.firstChild;
    for (let mark = 0; mark < ways.length; mark++) {
      const way = ways[mark];
      let node = way[0] < 0 ? begin : nodes[first + way[0]];
      for (let step = 1; step < way.length; step++) {
        node = way[step] === 1 ? node.nextSibling : node.firstChild;
      }
      this.#give(node, first + mark, heard[mark]);
    }
    let root = begin;
    for (const [from, marks] of roots) {
      this.#carry(root, first + from, marks);
      root = root.nextSibling;
    }
    this.#holds[parent] = true;
    this.#insert(into, clone, next);
  }

  /** Notes at the root of a clone which numbers stand in it. */
  #carry(root, first, marks) {
    if (marks === 0) return;
    root[FIRST] = first;
    this.#marks[first] = marks;
  }

  /** What was removed before is gone before something comes. */
  #insert(into, node, next) {
    this.#takeAway();
    into.insertBefore(node, next);
  }

  /** Gives a node its number. */
  #give(node, number, listeners) {
    if (this.#nodes[number]) throw new Error(`a patch gives out number ${number} a second time`);
    this.#nodes[number] = node;
    this.#holds[number] = false;
    if (listeners) {
      node[NUMBER] = number;
      node[LISTENERS] = listeners;
    }
  }

  text(number, text) {
    this.#node(number).nodeValue = text;
  }

  attribute(number, name, value) {
    setAttribute(this.#node(number), name, value);
  }

  absent(number, name) {
    this.#node(number).removeAttribute(name);
  }

  property(number, property, value) {
    this.#hold(this.#node(number), property, value);
  }

  /** Nodes that are removed one after the other are taken away together. */
  remove(number) {
    const node = this.#node(number);
    this.#forget(node);
    this.#removed.push(node);
  }

  move(number, parent, before) {
    const node = this.#node(number);
    this.#takeAway();
    this.#holds[parent] = true;
    this.#move(node, this.#node(parent), before === 0 ? null : this.#node(before));
  }

  /** A listener has happened for the last time. */
  done(number, listener) {
    const node = this.#node(number);
    node[LISTENERS] = node[LISTENERS]?.filter((known) => known.number !== listener);
  }

  #takeAway() {
    const removed = this.#removed;
    if (removed.length === 0) return;
    const parent = removed[0].parentNode;
    const all = removed.length > 1 && removed.length === parent?.childNodes.length
      && removed.every((node) => node.parentNode === parent);
    if (all) parent.replaceChildren();
    else for (const node of removed) node.remove();
    this.#removed = [];
  }

  #node(number) {
    const node = this.#nodes[number];
    if (!node) throw new Error(`a patch names node ${number}, which is not there`);
    return node;
  }

  /** The node of a number, if it stands here. */
  nodeOf(number) {
    return this.#nodes[number];
  }

  /** Where an element stands: the number of the nearest node around it that has one, and the way from there, by places among elements. */
  placeOf(element) {
    const way = [];
    for (let at = element; ; at = at.parentElement) {
      const number = this.#nodes.indexOf(at);
      if (number >= 0) return [number, way];
      way.unshift(Array.prototype.indexOf.call(at.parentElement.children, at));
    }
  }

  /** Whether somebody listens to a kind of event at an element. */
  hears(element, type) {
    return (element[LISTENERS] ?? []).some((listener) => listener.event === type);
  }

  /** Sets what a control holds, without disturbing who is using it. */
  #setText(node, property, text) {
    if (property === 'chosen') {
      this.#selects.set(node, (select) => showChosen(select, new Set(JSON.parse(text))));
    } else if (node instanceof HTMLSelectElement) {
      this.#selects.set(node, (select) => {
        if (select.value !== text) select.value = text;
      });
    } else if (this.#composing === node) {
      // An input method is at work: the control gets its value when that is done.
      this.#postponed = text;
    } else if (String(node.value) !== text) {
      // A control that already shows the value keeps its caret; a meter's is a number.
      node.value = text;
    }
  }

  /** Moves a node; where the browser can, with all that it keeps, such as focus and scroll. */
  #move(node, parent, before) {
    const active = this.#root.getRootNode().activeElement;
    const focused = node.contains(active) ? active : null;
    // Keeping the focus must not scroll to it.
    const scrolled = focused ? scrolledAround(parent) : [];
    if (parent.moveBefore && node.isConnected && parent.isConnected) {
      parent.moveBefore(node, before);
    } else {
      parent.insertBefore(node, before);
      focused?.focus({ preventScroll: true });
    }
    for (const [element, top, left] of scrolled) element.scrollTo(left, top);
  }

  /** Forgets the numbers of everything in a clone that is taken away, and in those that stand in it. */
  #forget(root) {
    const first = root[FIRST];
    if (first === undefined) return;
    const nodes = this.#nodes;
    for (let number = first; number < first + this.#marks[first]; number++) {
      const node = nodes[number];
      if (this.#selects.size > 0) this.#selects.delete(node);
      if (this.#holds[number]) {
        for (let child = node.firstChild; child; child = child.nextSibling) this.#forget(child);
      }
      nodes[number] = undefined;
    }
  }

  /** Finds the listeners that an event reaches, from its target outwards, and tells of them. */
  #hear(event, bubbles) {
    // While an input method is at work, what is typed is not yet said.
    if (event.type === 'input' && event.isComposing) return;
    if (this.#waiting && event.type === 'reset') event.preventDefault();
    const reached = [];
    const fields = {};
    let stopped = !bubbles;
    for (let at = event.target; at && at !== this.#root; at = at.parentNode) {
      for (const listener of at[LISTENERS] ?? []) {
        if (listener.event !== event.type || (listener.own && at !== event.target)) continue;
        if (listener.key !== null && listener.key !== event.key) continue;
        if (listener.prevent) event.preventDefault();
        if (listener.stop) {
          event.stopPropagation();
          stopped = true;
        }
        reached.push([at[NUMBER], listener.number]);
        for (const field of listener.fields) fields[field] = fieldOf(event, field);
      }
      if (stopped) break;
    }
    if (this.#waiting) {
      if (reached.length > 0 || event.type === 'reset') this.#waiting.push(event);
      return;
    }
    const told = { event: event.type, seen: this.#applied, reached, fields };
    if (event.isTrusted) told.on = this.#used(event) ?? reached[0]?.[0];
    if (event.type === 'reset') {
      told.restored = event.defaultPrevented ? [] : this.#reset(event.target);
      // A browser would go back to the markup, and would put other texts into an output.
      event.preventDefault();
    }
    if (reached.length > 0 || told.restored?.length > 0) this.#tell(told);
  }

  /** The number of the control that a person used. */
  #used(event) {
    const control = (event.submitter ?? event.target).closest?.('button, input, select, textarea');
    const number = control ? control[NUMBER] ?? this.#nodes.indexOf(control) : -1;
    return number < 0 ? undefined : number;
  }

  /**
   * Has the controls of a form go back to what they held when they were added, or to their markup. Gives
   * what patches have set of them: number, property, what it was and what it is.
   */
  #reset(form) {
    const set = [];
    for (const control of form.elements) {
      const known = [...(control.options ?? []), control].filter((node) => node[BEGAN]);
      const all = known.flatMap((node) => Object.keys(node[BEGAN]).map((property) => [node, property]));
      const before = all.map(([node, property]) => held(node, property));
      goBack(control);
      if (this.#selects.has(control)) this.#selects.set(control, () => {});
      all.forEach(([node, property], at) => {
        // It was given that, whether it could take it or not.
        set.push([node[NUMBER] ?? this.#nodes.indexOf(node), property, before[at], node[BEGAN][property]]);
      });
    }
    return set;
  }

  /** Counts the batches that do something, for those who are told of events. */
  #begin({ steps }) {
    if (steps.length > 0) this.#applied++;
  }

  /**
   * Takes over what stands in the place already, written beforehand: nodes that are what the first batch
   * asks for are kept as they are, what differs is set right. Gives how many elements were kept and
   * built, and how many texts and attributes were set.
   */
  takeOver(buffer) {
    const batch = open(buffer);
    const sketch = new Sketch(this);
    this.#begin(batch);
    perform(batch, sketch);
    const counts = { kept: 0, built: 0, set: 0 };
    const used = [];
    this.#adopt(this.#root, sketch.nodes[0], {
      counts,
      written: true,
      mate: (child, next) => (next !== null && child.is(next) ? next : null),
      stays: () => true,
      isWritten: () => true,
      hold: (node, child, stands) => {
        if (stands && child.held.size > 0 && isUsed(node)) used.push(node);
        else for (const [property, value] of child.held) this.#hold(node, property, value);
      },
    });
    for (const [select, show] of this.#selects) show(select);
    // What a person did before anybody listened is heard now.
    for (const control of used) {
      for (const type of ['input', 'change']) {
        control.dispatchEvent(new InputEvent(type, { bubbles: true }));
      }
    }
    return counts;
  }

  /**
   * Shows another view in the place of this one. Of its nodes in document order, `mates` says which of those that stand here each of
   * them stays, by its place in document order, or -1; `others` those whose text or attributes are others now, by their places, and
   * `held` which properties of which are, as pairs of a node's place and a property. What stays keeps its focus, its caret, how far
   * it is scrolled, and what is being entered.
   */
  renew(buffer, mates, others, held) {
    const batch = open(buffer);
    const standing = inOrder(this.#root);
    const [sketch, selects] = this.#begun(batch);
    const described = inOrder(sketch, (node) => (node.name === 'textarea' ? [] : node.children));
    const known = new Map();
    described.forEach((child, at) => {
      const node = standing[mates[at]];
      if (node !== undefined && child.canBe(node)) known.set(child, node);
    });
    const written = new Set(others.map((at) => described[at]));
    const entered = new Map();
    for (const [at, property] of held) {
      const child = described[at];
      entered.set(child, [...(entered.get(child) ?? []), property]);
    }
    const isOther = (child, property) => entered.get(child)?.includes(property);
    this.#settle(sketch, selects, known, isOther, (child) => written.has(child));
  }

  /** Shows the view of a page that has gone on elsewhere, where the one before was nearly the same. */
  comeBack(buffer) {
    const batch = open(buffer);
    const [sketch, selects] = this.#begun(batch);
    const known = new Map();
    const pair = (described, node) => {
      let next = node.firstChild;
      for (const child of described.children) {
        if (next === null || !child.canBe(next)) continue;
        known.set(child, next);
        if (child.name !== 'textarea') pair(child, next);
        next = next.nextSibling;
      }
    };
    pair(sketch, this.#root);
    // What was entered meanwhile stands, and is told next.
    const entered = new Set((this.#waiting ?? []).map((event) => event.target));
    const isOther = (child, property, node) => !entered.has(node)
      && String(held(node, property)) !== String(child.held.get(property));
    this.#settle(sketch, selects, known, isOther);
  }

  /** A sketch of another view, once all that is known of the one before is forgotten. */
  #begun(batch) {
    for (const node of inOrder(this.#root)) {
      delete node[NUMBER];
      delete node[LISTENERS];
      delete node[FIRST];
    }
    const selects = this.#selects;
    this.#nodes = [this.#root];
    [this.#marks, this.#holds] = [[], []];
    [this.#templates, this.#selects] = [new Map(), new Map()];
    this.#applied = 0;
    const sketch = new Sketch(this);
    this.#begin(batch);
    perform(batch, sketch);
    return [sketch.nodes[0], selects];
  }

  #settle(sketch, selects, known, isOther, isWritten = () => true) {
    const stay = new Set(known.values());
    this.#adopt(this.#root, sketch, {
      counts: { kept: 0, built: 0, set: 0 },
      mate: (child) => known.get(child) ?? null,
      stays: (node) => stay.has(node),
      isWritten,
      hold: (node, child, stands) => {
        for (const [property, value] of child.held) {
          if (!stands || isOther(child, property, node)) this.#hold(node, property, value);
          else if (selects.has(node)) this.#selects.set(node, selects.get(node));
        }
      },
    });
    for (const [select, show] of this.#selects) show(select);
  }

  #adopt(node, sketch, how) {
    let next = node.firstChild;
    for (const child of sketch.children) {
      const mate = how.mate(child, next);
      // What goes is gone before something is moved over it.
      while (mate !== null && next !== null && next !== mate && !how.stays(next)) {
        const gone = next;
        next = next.nextSibling;
        gone.remove();
      }
      const stands = mate !== null;
      const here = mate ?? child.build();
      if (!stands) node.insertBefore(here, next);
      else if (mate !== next) this.#move(mate, node, next);
      // A parser makes one text of neighbours, and none of an empty one.
      if (stands && child.text !== undefined && how.written && here.length > child.text.length
          && here.data.startsWith(child.text)) {
        here.splitText(child.text.length);
      }
      next = here.nextSibling;
      if (stands && !how.isWritten(child)) {
        how.counts.kept++;
      } else if (child.text !== undefined) {
        if (here.data !== child.text) {
          here.data = child.text;
          how.counts.set++;
        }
      } else {
        how.counts[stands ? 'kept' : 'built']++;
        how.counts.set += stands ? child.setAttributes(here) : 0;
      }
      if (child.number !== undefined) this.#give(here, child.number, child.listeners);
      if (child.carries) {
        this.#carry(here, ...child.carries);
        this.#holds[sketch.number] = true;
      }
      // In what was written beforehand, the text in a text area is what it holds.
      const holdsText = stands && how.written && here.localName === 'textarea';
      if (child.text === undefined && !holdsText) this.#adopt(here, child, how);
      for (const [property, value] of child.held) began(here, property, value);
      how.hold(here, child, stands);
    }
    while (next) {
      const gone = next;
      next = next.nextSibling;
      gone.remove();
      how.counts.set++;
    }
  }

  #hold(node, property, value) {
    began(node, property, value);
    if (typeof value === 'string') this.#setText(node, property, value);
    else if (node[property] !== value) node[property] = value;
  }
}

/** Nodes in document order, without the first; what is in a text area does not count. */
function inOrder(root, inside = (node) => (node.localName === 'textarea' ? [] : Array.from(node.childNodes))) {
  const [found, open] = [[], inside(root).slice().reverse()];
  while (open.length > 0) {
    const node = open.pop();
    found.push(node);
    const children = inside(node);
    for (let at = children.length; at-- > 0;) open.push(children[at]);
  }
  return found;
}

/** Notes what a control held when it was added. */
function began(node, property, value) {
  const known = node[BEGAN] ??= {};
  if (!(property in known)) known[property] = value;
}

/** What a control holds. */
function held(node, property) {
  return property === 'chosen' ? chosenOf(node) : property === 'value' ? String(node.value) : node[property];
}

/** A control of a form that is reset goes back to what it held when it was added, or what its markup says. */
function goBack(control) {
  const first = control[BEGAN] ?? {};
  const set = (node, property, value) => {
    if (node[property] !== value) node[property] = value;
  };
  if (control.options) {
    for (const option of control.options) {
      set(option, 'selected', option[BEGAN]?.selected ?? option.defaultSelected);
    }
    if (first.chosen !== undefined) showChosen(control, new Set(JSON.parse(first.chosen)));
    if (first.value !== undefined) set(control, 'value', first.value);
  } else if (control.type === 'file') {
    control.value = '';
  } else if (control.localName === 'input' || control.localName === 'textarea') {
    const ticked = control.type === 'checkbox' || control.type === 'radio';
    if (ticked) set(control, 'checked', first.checked ?? control.defaultChecked);
    else set(control, 'value', first.value ?? control.defaultValue);
  } else if (control.localName.includes('-')) {
    control.formResetCallback?.();
  }
}

/** Whether a person has changed what a control held at first. */
function isUsed(control) {
  if (control.options) {
    return Array.from(control.options).some((option) => option.selected !== option.defaultSelected)
      && Array.from(control.options).some((option) => option.defaultSelected);
  }
  return control.type === 'checkbox' || control.type === 'radio'
    ? control.checked !== control.defaultChecked
    : control.defaultValue !== undefined && control.value !== control.defaultValue;
}

/** A view as the first batch describes it, before there are nodes for it. */
class Sketch {
  nodes = [{ number: 0, children: [] }];
  #surface;
  #templates = new Map();

  constructor(surface) {
    this.#surface = surface;
  }

  learn(number, template) {
    this.#templates.set(number, template);
    this.#surface.learn(number, template);
  }

  #node(number) {
    const node = this.nodes[number];
    if (!node) throw new Error(`a patch names node ${number}, which is not there`);
    return node;
  }

  clone(number, parent, before, first) {
    const template = this.#templates.get(number);
    if (!template) throw new Error(`a patch names template ${number}, which is unknown`);
    const roots = [];
    const open = [];
    let mark = 0;
    for (const described of template.nodes) {
      if (described.close) {
        open.pop();
        continue;
      }
      const node = new Sketched(described);
      if (open.length > 0) {
        open.at(-1).children.push(node);
      } else {
        node.carries = [first + mark, 0];
        roots.push(node);
      }
      if (described.marked) {
        roots.at(-1).carries[1]++;
        const here = template.listeners.filter((listener) => listener.mark === mark);
        node.number = first + mark++;
        node.listeners = here.length > 0 ? here : null;
        this.nodes[node.number] = node;
      }
      if (described.open) open.push(node);
    }
    for (const root of roots) this.#insert(root, parent, before);
  }

  #insert(node, parent, before) {
    const into = this.#node(parent);
    const at = before === 0 ? into.children.length : into.children.indexOf(this.#node(before));
    into.children.splice(at, 0, node);
    node.parent = into;
  }

  text(number, text) { this.#node(number).text = text; }

  attribute(number, name, value) { this.#node(number).own().set(name, value); }

  absent(number, name) { this.#node(number).own().delete(name); }

  property(number, property, value) { this.#node(number).hold(property, value); }

  remove(number) {
    const node = this.#node(number);
    node.parent.children.splice(node.parent.children.indexOf(node), 1);
  }

  done(number, listener) {
    const node = this.#node(number);
    node.listeners = node.listeners?.filter((known) => known.number !== listener);
  }

  move(number, parent, before) {
    this.remove(number);
    this.#insert(this.#node(number), parent, before);
  }
}

const NONE = new Map();

/** A node of a sketch. */
class Sketched {
  children = [];
  // Most hold nothing, and have the attributes of their template.
  held = NONE;
  #own = null;

  constructor({ namespace, name, text, attributes }) {
    this.namespace = namespace;
    this.name = name;
    this.text = text;
    this.given = attributes;
  }

  get attributes() {
    return this.#own ?? this.own();
  }

  own() {
    this.#own ??= new Map(this.given);
    return this.#own;
  }

  hold(property, value) {
    if (this.held === NONE) this.held = new Map();
    this.held.set(property, value);
  }

  /** Whether a node is what is described, but for attributes and texts. */
  canBe(node) {
    return this.text !== undefined
      ? node.nodeType === Node.TEXT_NODE
      : node.localName === this.name && node.namespaceURI === this.namespace;
  }

  /** The same of a node that a parser made, which makes no empty texts. */
  is(node) {
    return this.text !== '' && this.canBe(node);
  }

  build() {
    if (this.text !== undefined) return document.createTextNode(this.text);
    const node = document.createElementNS(this.namespace, this.name);
    this.setAttributes(node);
    return node;
  }

  /** Sets the attributes right; gives how many were not. What a control holds is written as attributes, too. */
  setAttributes(node) {
    let set = 0;
    for (const [name, value] of this.attributes) {
      if (node.getAttribute(name) === value) continue;
      if (name === 'style' && sameStyle(node, value)) continue;
      setAttribute(node, name, value);
      set++;
    }
    for (const { name } of Array.from(node.attributes)) {
      if (this.attributes.has(name) || PROPERTIES.includes(name)) continue;
      node.removeAttribute(name);
      set++;
    }
    return set;
  }
}

function sameStyle(node, value) {
  const other = node.cloneNode(false);
  other.style.cssText = value;
  return other.style.cssText === node.style.cssText;
}

/** The values of the options that are chosen, as JSON. */
function chosenOf(select) {
  return JSON.stringify(Array.from(select.selectedOptions ?? [], (option) => option.value));
}

function fieldOf(event, field) {
  if (field === 'value') return String(event.target.value ?? '');
  if (field === 'checked' || field === 'open') return Boolean(event.target[field]);
  if (field === 'chosen') return chosenOf(event.target);
  if (/(Top|Left|Width|Height)$/.test(field)) return Number.isFinite(event.target[field]) ? event.target[field] : 0;
  return event[field];
}

/** Declarations go through the object model, which a strict content security policy allows. */
function setAttribute(node, name, value) {
  const namespace = PREFIXED[name.split(':', 1)[0]];
  if (name === 'style' && node.style) node.style.cssText = value;
  else if (namespace && name.includes(':')) node.setAttributeNS(namespace, name, value);
  else node.setAttribute(name, value);
}

/** Where attributes stand that have a prefix, as a parser of HTML adjusts them. */
const PREFIXED = { xlink: 'http://www.w3.org/1999/xlink', xml: 'http://www.w3.org/XML/1998/namespace' };

/** The elements around a node that are scrolled, with how far. */
function scrolledAround(node) {
  const found = [];
  for (let at = node; at instanceof Element; at = at.parentNode) {
    if (at.scrollTop || at.scrollLeft) found.push([at, at.scrollTop, at.scrollLeft]);
  }
  return found;
}

function showChosen(select, values) {
  for (const option of select.options) {
    const chosen = values.has(option.value);
    if (option.selected !== chosen) option.selected = chosen;
  }
}
