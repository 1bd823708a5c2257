// Applies batches of patches to the document and tells of the events that its listeners hear.
// The format is specified in docs/patches.md. Nothing here parses HTML or runs text as code.

const VERSION = 2;
const HEADER = 12;
const NAMESPACES = [
  'http://www.w3.org/1999/xhtml',
  'http://www.w3.org/2000/svg',
  'http://www.w3.org/1998/Math/MathML',
];
const PROPERTIES = ['value', 'checked', 'selected', 'muted', 'open', 'chosen'];
const FIELDS = [
  'value', 'checked', 'open', 'chosen', 'key', 'code', 'altKey', 'ctrlKey', 'metaKey', 'shiftKey', 'repeat',
  'button', 'clientX', 'clientY', 'offsetX', 'offsetY', 'deltaX', 'deltaY',
];

/** Reads the operations of a batch. Throws before anything was done if they are malformed. */
class Reader {
  #ops;
  #at = 0;
  #strings;
  #cut = 0;

  constructor(buffer) {
    const view = new DataView(buffer);
    const whole = buffer.byteLength >= HEADER && view.getUint16(0) === 0x5650;
    if (!whole) throw new Error('not a batch of patches');
    if (view.getUint8(2) !== VERSION) throw new Error(`a batch of version ${view.getUint8(2)}`);
    const strings = view.getUint32(4, true);
    const ops = view.getUint32(8, true);
    if (view.getUint8(3) !== 0 || HEADER + strings + ops !== buffer.byteLength) this.fail();
    // All strings are decoded at once and cut by their lengths.
    const decoder = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });
    this.#strings = decoder.decode(new Uint8Array(buffer, HEADER, strings));
    this.#ops = new Uint8Array(buffer, HEADER + strings, ops);
  }

  fail() {
    throw new Error(`a malformed batch, at byte ${this.#at} of its operations`);
  }

  get done() {
    const done = this.#at === this.#ops.length;
    if (done && this.#cut !== this.#strings.length) this.fail();
    return done;
  }

  byte(below = 256) {
    const byte = this.#ops[this.#at++];
    if (byte === undefined || byte >= below) this.fail();
    return byte;
  }

  number() {
    let n = 0;
    for (let scale = 1; scale <= 2 ** 28; scale *= 128) {
      const byte = this.byte();
      n += (byte & 127) * scale;
      if (byte < 128) return n < 2 ** 32 ? n : this.fail();
    }
    return this.fail();
  }

  string() {
    const end = this.#cut + this.number();
    if (end > this.#strings.length) this.fail();
    const text = this.#strings.slice(this.#cut, end);
    this.#cut = end;
    return text;
  }

  many(read) {
    const items = [];
    for (let left = this.number(); left > 0; left--) items.push(read());
    return items;
  }
}

function readTemplateNode(reader) {
  switch (reader.byte()) {
    case 1: {
      const namespace = NAMESPACES[reader.byte(NAMESPACES.length)];
      const marked = reader.byte(2) === 1;
      const name = reader.string();
      const attributes = reader.many(() => [reader.string(), reader.string()]);
      return { open: true, namespace, marked, name, attributes };
    }
    case 2: {
      const marked = reader.byte(2) === 1;
      return { text: reader.string(), marked };
    }
    case 3: return { text: '', marked: true };
    case 4: return { close: true };
    default: return reader.fail();
  }
}

function readListener(reader) {
  const mark = reader.number();
  const number = reader.number();
  const event = reader.string();
  const flags = reader.byte(64);
  const key = flags & 16 ? reader.string() : null;
  const fields = reader.many(() => FIELDS[reader.byte(FIELDS.length)]);
  return {
    mark, number, event, key, fields,
    prevent: Boolean(flags & 1),
    stop: Boolean(flags & 2),
    once: Boolean(flags & 4),
    own: Boolean(flags & 8),
    bubbles: Boolean(flags & 32),
  };
}

function readTemplate(reader) {
  const nodes = reader.many(() => readTemplateNode(reader));
  const listeners = reader.many(() => readListener(reader));
  let depth = 0;
  for (const node of nodes) {
    depth += node.open ? 1 : node.close ? -1 : 0;
    if (depth < 0) reader.fail();
  }
  const marks = nodes.filter((node) => node.marked);
  if (depth !== 0 || listeners.some(({ mark }) => !marks[mark]?.open)) reader.fail();
  return { nodes, listeners, marks: marks.length };
}

/** One patch as a list: what to do, and to what. */
function readPatch(reader) {
  const code = reader.byte();
  switch (code) {
    case 1: return [code, reader.number(), readTemplate(reader)];
    case 2: return [code, reader.number(), reader.number(), reader.number(), reader.number()];
    case 3: return [code, reader.number(), reader.string()];
    case 4: return [code, reader.number(), reader.string(), reader.string()];
    case 5: return [code, reader.number(), reader.string()];
    case 6: {
      const node = reader.number();
      const property = PROPERTIES[reader.byte(PROPERTIES.length)];
      if (property !== 'value' && property !== 'chosen') reader.fail();
      return [code, node, property, reader.string()];
    }
    case 7: {
      const node = reader.number();
      const property = PROPERTIES[reader.byte(PROPERTIES.length)];
      if (property === 'value' || property === 'chosen') reader.fail();
      return [code, node, property, reader.byte(2) === 1];
    }
    case 8: return [code, reader.number()];
    case 9: return [code, reader.number(), reader.number(), reader.number()];
    default: return reader.fail();
  }
}

/** A place in the document that shows a view. */
export class Surface {
  #root;
  #nodes = new Map();
  #templates = new Map();
  #listeners = new WeakMap();
  #numbers = new WeakMap();
  #spent = new WeakMap();
  #heard = new Set();
  #selects = new Map();
  #composing = null;
  #postponed = null;
  #tell;

  /**
   * @param {Element} root what holds the view; what stands there is taken away by the first batch
   * @param {(told: object) => void} tell hears of each event, as docs/patches.md describes it
   */
  constructor(root, tell) {
    this.#root = root;
    this.#tell = tell;
    this.#nodes.set(0, root);
    root.addEventListener('compositionstart', (event) => {
      this.#composing = event.target;
    }, true);
    root.addEventListener('compositionend', (event) => this.#composed(event), true);
    root.addEventListener('input', (event) => this.#chosenByHand(event.target), true);
  }

  /** An input method is done: what was typed is told, or what came meanwhile is shown. */
  #composed(event) {
    this.#composing = null;
    const text = this.#postponed;
    this.#postponed = null;
    if (text !== null) event.target.value = text;
    else event.target.dispatchEvent(new InputEvent('input', { bubbles: true }));
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
    const reader = new Reader(buffer);
    const patches = [];
    while (!reader.done) patches.push(readPatch(reader));
    if (this.#templates.size === 0) this.#root.replaceChildren();
    for (const patch of patches) this.#applyOne(patch);
    for (const [select, show] of this.#selects) show(select);
  }

  #applyOne([code, first, second, third, fourth]) {
    switch (code) {
      case 1: this.#learn(first, second); return;
      case 2: {
        const template = this.#templates.get(first);
        if (!template) throw new Error(`a patch names template ${first}, which is unknown`);
        this.#clone(template, this.#node(second), this.#before(third), fourth);
        return;
      }
    }
    const node = this.#node(first);
    switch (code) {
      case 3: node.nodeValue = second; break;
      case 4: setAttribute(node, second, third); break;
      case 5: node.removeAttribute(second); break;
      case 6: this.#setText(node, second, third); break;
      case 7: if (node[second] !== third) node[second] = third; break;
      case 8:
        node.remove();
        this.#forget(node);
        break;
      case 9: this.#move(node, this.#node(second), this.#before(third)); break;
    }
  }

  #node(number) {
    const node = this.#nodes.get(number);
    if (!node) throw new Error(`a patch names node ${number}, which is not there`);
    return node;
  }

  #before(number) {
    return number === 0 ? null : this.#node(number);
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
    } else if (node.value !== text) {
      // A control that already shows the value keeps its caret.
      node.value = text;
    }
  }

  /** Moves a node; where the browser can, with all that it keeps, such as focus and scroll. */
  #move(node, parent, before) {
    const focused = node.contains(document.activeElement) ? document.activeElement : null;
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

  /** Forgets the numbers of everything in a node that was taken away. */
  #forget(node) {
    const number = this.#numbers.get(node);
    if (number !== undefined) this.#nodes.delete(number);
    this.#selects.delete(node);
    for (const child of node.childNodes) this.#forget(child);
  }

  #learn(number, template) {
    this.#templates.set(number, template);
    for (const { event, bubbles } of template.listeners) {
      if (this.#heard.has(event)) continue;
      this.#heard.add(event);
      // One listener for all: what does not bubble is heard on its way in.
      this.#root.addEventListener(event, (e) => this.#hear(e, bubbles), { capture: !bubbles });
    }
  }

  #clone(template, parent, before, first) {
    const fragment = document.createDocumentFragment();
    let open = fragment;
    let mark = 0;
    for (const described of template.nodes) {
      if (described.close) {
        open = open.parentNode;
        continue;
      }
      let node;
      if (described.open) {
        node = document.createElementNS(described.namespace, described.name);
        for (const [name, value] of described.attributes) setAttribute(node, name, value);
      } else {
        node = document.createTextNode(described.text);
      }
      open.append(node);
      if (described.marked) {
        const here = template.listeners.filter((listener) => listener.mark === mark);
        if (here.length > 0) this.#listeners.set(node, here);
        if (this.#nodes.has(first + mark)) {
          throw new Error(`a patch gives out number ${first + mark} a second time`);
        }
        this.#numbers.set(node, first + mark);
        this.#nodes.set(first + mark, node);
        mark++;
      }
      if (described.open) open = node;
    }
    parent.insertBefore(fragment, before);
  }

  /** Finds the listeners that an event reaches, from its target outwards, and tells of them. */
  #hear(event, bubbles) {
    // While an input method is at work, what is typed is not yet said.
    if (event.type === 'input' && event.isComposing) return;
    const reached = [];
    const fields = {};
    let stopped = !bubbles;
    for (let at = event.target; at && at !== this.#root; at = at.parentNode) {
      for (const listener of this.#listeners.get(at) ?? []) {
        if (listener.event !== event.type || (listener.own && at !== event.target)) continue;
        if (listener.key !== null && listener.key !== event.key) continue;
        if (listener.once && !this.#spend(at, listener.number)) continue;
        if (listener.prevent) event.preventDefault();
        if (listener.stop) {
          event.stopPropagation();
          stopped = true;
        }
        reached.push([this.#numbers.get(at), listener.number]);
        for (const field of listener.fields) fields[field] = fieldOf(event, field);
      }
      if (stopped) break;
    }
    if (reached.length > 0) this.#tell({ event: event.type, reached, fields });
  }

  /** Whether a listener that is to happen once happens now. */
  #spend(node, number) {
    const spent = this.#spent.get(node) ?? new Set();
    this.#spent.set(node, spent);
    return !spent.has(number) && Boolean(spent.add(number));
  }
}

function fieldOf(event, field) {
  if (field === 'value') return String(event.target.value ?? '');
  if (field === 'checked' || field === 'open') return Boolean(event.target[field]);
  if (field === 'chosen') {
    return JSON.stringify(Array.from(event.target.selectedOptions ?? [], (o) => o.value));
  }
  return event[field];
}

/** Declarations go through the object model, which a strict content security policy allows. */
function setAttribute(node, name, value) {
  if (name === 'style' && node.style) node.style.cssText = value;
  else node.setAttribute(name, value);
}

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
