// What a component shows: markup that is copied, parts that are compared before the document is touched, listeners.

/** Scopes that have something to look at before the pulse ends, with what they had marked before. */
export const marked = new Map();

/** The same scopes by how deep they stand: what stands around is looked at first. */
export const pending = [];

/** Marks readers of a scope, by their bits, and those inside of it that read the same. */
export function mark(scope, bits) {
  if (!marked.has(scope)) {
    marked.set(scope, scope.d$);
    (pending[scope.depth$] ??= []).push(scope);
  }
  scope.d$ |= bits;
  if (bits & scope.constructor.within) scope.forward$(bits);
}

/** What has no fields, also none that every record has. */
export const NOTHING = Object.freeze({ __proto__: null });

/** Marks readers of a prop that was written to: where it is bound both ways, those of what it is bound to. */
export function tell(scope, prop, bits) {
  const ways = scope.bound$[prop];
  if (ways === undefined) mark(scope, bits);
  else scope.held$.scope[ways[1]]();
}

/** What is done to the document once everything is worked out: a function and what it takes, one after the other. */
export const later = [];

/** Keeps what a part shows, and has it brought to the document if that is another. */
export function keep(scope, name, value, set) {
  const old = scope[name];
  if (value === old) return;
  undo.push(scope, name, old);
  scope[name] = value;
  later.push(bringPart, scope, set);
}

export const bringPart = (scope, set) => scope[set]();

/** Whether a scope still stands in the view. */
export function stands(scope) {
  for (let at = scope; at !== null; at = at.held$ === null ? null : at.held$.scope) if (!at.alive$) return false;
  return true;
}

/** A place where the same stands for as long as what is around it. */
export class Place {
  constructor(scope, number) {
    this.scope = scope;
    this.number = number;
    this.shown = null;
  }
  put(made) {
    const [into, before] = placeOf(this.scope, this.number);
    into.insertBefore(made.made$, before);
    made.made$ = null;
    this.shown = made;
  }
  given(name) {
    if (this.shown !== null) mark(this.shown, this.shown.constructor.props[name] ?? 0);
  }
  first() {
    return this.shown === null ? null : firstIn(this.shown);
  }
  nodes(into) {
    if (this.shown !== null) nodesOf(this.shown, into);
  }
  beyond() {
    return placeOf(this.scope, this.number);
  }
}

/** A place where something else may come to stand. */
export class Changing extends Place {
  held = null;
  waits = false;
  turn(next) {
    undo.push(this, 'held', this.held);
    if (this.held !== null) {
      undo.push(this.held, 'alive$', true);
      this.held.alive$ = false;
    }
    this.held = next;
    if (this.waits) return;
    undo.push(this, 'waits', false);
    this.waits = true;
    later.push(bringBranch, this, null);
  }
  tell() {
    if (this.held !== null) mark(this.held, this.held.constructor.outer);
  }
}

/** A place where one of several blocks stands, or none. */
export class Branch extends Changing {
  chosen = -1;
  begin(kinds, choice) {
    this.kinds = kinds;
    this.held = this.make(choice);
    bringBranch(this);
  }
  make(choice) {
    const kind = this.kinds[choice];
    this.chosen = kind === undefined ? -1 : choice;
    return kind === undefined ? null : new kind(this);
  }
  choose(choice) {
    if (choice === this.chosen || (this.chosen < 0 && this.kinds[choice] === undefined)) return;
    undo.push(this, 'chosen', this.chosen);
    this.turn(this.make(choice));
  }
}

/** A place where a component stands, with what was put into its slots. */
export class Child extends Place {
  contents = new Set();
  begin(kind) {
    this.put(new kind(this, {}));
  }
  tell() {
    for (const content of this.contents) {
      if (stands(content)) mark(content, content.constructor.outer);
      else later.push(leave, this.contents, content);
    }
  }
}

export const leave = (contents, content) => contents.delete(content);

/** A place where stands what was put into a component, or else something of its own. */
export class Slot extends Place {
  begin(name, fallback) {
    let component = this.scope;
    while (component.up$ !== null) component = component.up$;
    const around = component.held$;
    const kind = around?.scope.constructor.spots[around.number].contents[name]?.();
    if (kind !== undefined) {
      const made = new kind(this, { up: around.scope });
      around.contents.add(made);
      this.put(made);
    } else if (fallback !== null) this.put(new fallback(this, {}));
  }
  tell() {
    if (this.shown !== null) mark(this.shown, this.shown.constructor.outer);
  }
}

/** A place where an element stands whose name is worked out. */
export class Renamed extends Changing {
  begin(kind, tag) {
    this.kind = kind;
    this.tag = tag;
    this.held = new kind(this, { tag });
    this.put(this.held);
  }
  choose(tag) {
    if (tag === this.tag) return;
    undo.push(this, 'tag', this.tag);
    this.tag = tag;
    this.turn(new this.kind(this, { tag }));
  }
}

/** Gives the first element of some markup another name. */
export function rename(top, tag) {
  const old = top.firstChild;
  const made = document.createElement(tag);
  for (const { name, value } of old.attributes) made.setAttribute(name, value);
  made.append(...old.childNodes);
  top.replaceChild(made, old);
}

/** The names that an element may take whose name is worked out. */
export const RENAMED = new Set('a abbr address article aside b blockquote button cite code dd del details dfn div dl dt em fieldset figcaption figure footer form h1 h2 h3 h4 h5 h6 header hgroup i ins kbd label legend li main mark menu nav ol output p pre q s samp search section small span strong sub summary sup table tbody td tfoot th thead time tr u ul var'.split(' '));

/** The name that an element takes: one that is known and harmless, else `div`. */
export function tagOf(value) {
  const name = plain(value);
  return RENAMED.has(name) ? name : 'div';
}

/** A place where a block stands for each item of a list. */
export class Rows {
  constructor(scope, number, kind, list, by, bit) {
    this.scope = scope;
    this.number = number;
    this.kind = kind;
    this.list = list;
    this.by = by;
    this.bit = bit;
    this.held = this.shown = this.seen = [];
    this.stale = this.waits = false;
  }
  begin() {
    this.seen = this.list();
    this.held = this.seen.map((item, at) => this.make(item, at, this.key(item, at)));
    bringRows(this);
  }
  key(item, at) {
    return this.by === null ? at : this.by(item);
  }
  make(item, at, key) {
    const row = new this.kind(this, { item, at });
    row.key$ = key;
    return row;
  }
  tell() {
    if (!this.stale) undo.push(this, 'stale', false);
    this.stale = true;
    for (const row of this.held) mark(row, row.constructor.outer);
  }
  match() {
    const list = this.list();
    undo.push(this, 'stale', this.stale, this, 'held', this.held, this, 'seen', this.seen);
    this.stale = false;
    this.seen = list;
    const left = new Map();
    for (const row of this.held) {
      if (left.has(row.key$)) left.get(row.key$).push(row);
      else left.set(row.key$, [row]);
    }
    // Items of one identity have its rows in turn.
    this.held = list.map((item, at) => {
      const key = this.key(item, at);
      const row = left.get(key)?.shift();
      if (row === undefined) return this.make(item, at, key);
      undo.push(row, 'item$', row.item$, row, 'at$', row.at$);
      row.item$ = item;
      row.at$ = at;
      mark(row, row.constructor.outer);
      return row;
    });
    for (const rows of left.values()) {
      for (const row of rows) {
        undo.push(row, 'alive$', true);
        row.alive$ = false;
      }
    }
    if (this.waits) return;
    undo.push(this, 'waits', false);
    this.waits = true;
    later.push(bringRows, this, null);
  }
  first() {
    for (const row of this.shown) {
      const first = firstIn(row);
      if (first !== null) return first;
    }
    return null;
  }
  nodes(into) {
    for (const row of this.shown) nodesOf(row, into);
  }
  beyond(row) {
    for (let at = this.shown.indexOf(row) + 1; at < this.shown.length; at++) {
      const first = firstIn(this.shown[at]);
      if (first !== null) return [first.parentNode, first];
    }
    return placeOf(this.scope, this.number);
  }
}

/** Where the item of a row stands in its list by now; beyond it once it has gone. */
export function whereOf(row) {
  const rows = row.held$;
  const list = rows.list();
  if (!rows.stale) return row.alive$ ? row.at$ : -1;
  if (rows.by === null) return row.at$ < list.length ? row.at$ : -1;
  const isOwn = (item) => Object.is(rows.by(item), row.key$);
  // In a list that was changed in place a row goes along with its item; of a new list, and of what came in place of what
  // there was, the rows of an identity have one in turn.
  const there = new Set(list === rows.seen ? list : []);
  if (there.has(row.item$) && typeof row.item$ === 'object') {
    const at = list[row.at$] === row.item$ ? row.at$ : list.indexOf(row.item$);
    return isOwn(list[at]) ? at : -1;
  }
  const taken = new Set();
  let turn = 0;
  let before = true;
  for (const other of rows.held) {
    if (other === row) before = false;
    else if (typeof other.item$ === 'object' && there.has(other.item$)) taken.add(other.item$);
    else if (before && Object.is(other.key$, row.key$)) turn++;
  }
  return list.findIndex((item) => isOwn(item) && !taken.has(item) && turn-- === 0);
}

/** The item of a row, where it still has one. */
export function standing(row) {
  const at = whereOf(row);
  return at < 0 ? undefined : row.held$.list()[at];
}

/** The item of a row; once that has gone, what it was. */
export function itemOf(row) {
  const at = whereOf(row);
  return at < 0 ? row.item$ : row.held$.list()[at];
}

export function positionOf(row) {
  const at = whereOf(row);
  return at < 0 ? row.at$ : at;
}

/** Has the document show the rows of a list in their order, in the fewest moves. */
export function bringRows(rows) {
  const [old, next] = [rows.shown, rows.held];
  rows.waits = false;
  if (old === next) return;
  const stays = new Set(next);
  for (const row of old) if (!stays.has(row)) takeOut(row);
  const was = new Map(old.map((row, at) => [row, at]));
  const inOrder = longestRun(next.map((row) => was.get(row) ?? -1));
  rows.shown = [];
  let [into, before] = placeOf(rows.scope, rows.number);
  for (let at = next.length - 1; at >= 0; at--) {
    const row = next[at];
    if (row.made$ !== null) {
      into.insertBefore(row.made$, before);
      row.made$ = null;
    } else if (!inOrder.has(at)) {
      const nodes = [];
      nodesOf(row, nodes);
      for (const node of nodes) into.insertBefore(node, before);
    }
    before = firstIn(row) ?? before;
  }
  rows.shown = next;
}

/** The positions of a longest run of numbers that grow, of those that are none below zero. */
export function longestRun(numbers) {
  const [ends, back] = [[], []];
  for (let at = 0; at < numbers.length; at++) {
    if (numbers[at] < 0) continue;
    let [low, high] = [0, ends.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (numbers[ends[middle]] < numbers[at]) low = middle + 1;
      else high = middle;
    }
    back[at] = low > 0 ? ends[low - 1] : -1;
    ends[low] = at;
  }
  const run = new Set();
  for (let at = ends.length > 0 ? ends.at(-1) : -1; at >= 0; at = back[at]) run.add(at);
  return run;
}

/** Hands an event of a component on to whoever hears it around. */
export function hand(held, event, args) {
  for (const way of held.scope.constructor.spots[held.number].hears[event]) {
    call(event, (given) => held.scope[way](given), args);
  }
}

/** Has the document show what a place has come to hold. */
export function bringBranch(branch) {
  branch.waits = false;
  if (branch.shown === branch.held) return;
  if (branch.shown !== null) takeOut(branch.shown);
  branch.shown = branch.held;
  if (branch.held === null) return;
  const [into, before] = placeOf(branch.scope, branch.number);
  into.insertBefore(branch.held.made$, before);
  branch.held.made$ = null;
}

/** Takes all nodes of a scope out of the document. */
export function takeOut(scope) {
  const nodes = [];
  nodesOf(scope, nodes);
  for (const node of nodes) node.remove();
}

/** The nodes at the top of a scope, in the order of the document. */
export function nodesOf(scope, into) {
  for (const at of scope.constructor.tops) {
    if (!Array.isArray(at)) into.push(scope.top$[at]);
    else scope.spots$[at[0]].nodes(into);
  }
}

/** The first node that stands in a scope, in the order of the document. */
export function firstIn(scope) {
  for (const at of scope.constructor.tops) {
    if (!Array.isArray(at)) return scope.top$[at];
    const first = scope.spots$[at[0]].first();
    if (first !== null) return first;
  }
  return null;
}

/** What the nodes of a place go into, and before which node. */
export function placeOf(scope, number) {
  const { spots } = scope.constructor;
  let { next } = spots[number];
  let before = null;
  while (before === null && next !== null) {
    before = typeof next === 'string' ? scope[next] : scope.spots$[next].first();
    next = typeof next === 'string' ? null : spots[next].next;
  }
  const { parent } = spots[number];
  if (parent !== null) return [scope[parent], before];
  if (scope.made$ !== null) return [scope.made$, before];
  if (before !== null) return [before.parentNode, before];
  return scope.held$ === null ? [scope.into$, null] : scope.held$.beyond(scope);
}

/** Puts a component into an element. */
export function standIn(element, scope) {
  element.append(scope.made$);
  scope.made$ = null;
  scope.into$ = element;
}

/** Markup that is parsed once. */
export function template(html, around, seams) {
  const made = document.createElement('template');
  made.innerHTML = around === null ? html : `<${around}>${html}</${around}>`;
  const top = document.createDocumentFragment();
  top.append(...(around === null ? made.content : made.content.firstChild).childNodes);
  if (seams) {
    const comments = document.createNodeIterator(top, NodeFilter.SHOW_COMMENT);
    for (let at; (at = comments.nextNode()); ) at.remove();
  }
  return top;
}

/** What text shows of a value. */
export const text = (value) => (value === null ? '' : `${value}`).replaceAll('\0', '\ufffd').toWellFormed();

/** What an attribute shows of a value: `null` where it is absent. */
export const presence = (value) => (value === null || value === false ? null : value === true ? '' : text(value));

export const words = (value) => (value === null ? null : text(value));

/** Items of a list that are there, apart by a space, also those of lists in it. */
export function tokens(value) {
  if (value === null || value === false) return null;
  if (!Array.isArray(value)) return text(value);
  const all = value.flat(Infinity).filter(Boolean).flatMap((item) => text(item).split(/[\t\n\f\r ]+/));
  return all.filter((token) => token !== '').join(' ') || null;
}

export function setAttribute(node, name, value) {
  if (value === null) node.removeAttribute(name);
  else node.setAttribute(name, value);
}

/** Runs something as one pulse, and brings the view to what has come of it. */
export function turnOver(run) {
  try {
    pulse(() => {
      run();
      for (let depth = 0; depth < pending.length; depth++) {
        for (const scope of pending[depth] ?? []) if (stands(scope)) scope.show$();
      }
    });
  } catch (fault) {
    for (const [scope, before] of marked) scope.d$ = before;
    marked.clear();
    later.length = pending.length = 0;
    throw fault;
  }
  marked.clear();
  pending.length = 0;
  for (let at = 0; at < later.length; at += 3) later[at](later[at + 1], later[at + 2]);
  later.length = 0;
}

/** A field of an event; of what its target holds by now, or what stands for nothing. */
export function fieldOf(event, name, empty) {
  const { target } = event;
  if (name === 'value') return typeof target.value === 'string' ? target.value : target.getAttribute('value') ?? '';
  if (name === 'checked' || name === 'open') return Boolean(target[name] ?? target.hasAttribute(name));
  if (name === 'chosen') return JSON.stringify([...(target.selectedOptions ?? [])].map((option) => option.value));
  return event[name] ?? empty;
}

/** The listeners that an event reaches inside a root, each with its scope: from the target outwards. */
export function reached(root, event) {
  const way = [];
  for (let at = event.target; at !== null; at = at === root ? null : at.parentNode) way.push(at);
  let scope = null;
  // Whose an element is stands on the outermost of its own.
  const scopes = way.toReversed().map((node) => (scope = node.scope$ ?? scope)).reverse();
  const found = [];
  for (const [at, node] of way.entries()) {
    let stops = !event.bubbles;
    for (const listener of scopes[at]?.constructor.listeners ?? []) {
      if (listener.kind !== event.type || scopes[at][listener.node] !== node) continue;
      if ((listener.own && at > 0) || (listener.key !== null && listener.key !== event.key)) continue;
      if (listener.once !== null && scopes[at][listener.once]) continue;
      found.push([scopes[at], listener]);
      if (listener.prevent) event.preventDefault();
      if (listener.stop) event.stopPropagation();
      stops ||= listener.stop;
    }
    if (stops) break;
  }
  return found;
}

/** Hears what happens inside a root: who listens on the way out is run in one pulse. */
export function hear(root, kind, failed) {
  const heard = (event) => {
    const found = reached(root, event);
    if (found.length === 0) return;
    try {
      turnOver(() => {
        for (const [scope, listener] of found) {
          if (listener.once !== null) {
            undo.push(scope, listener.once, false);
            scope[listener.once] = true;
          }
          listener.run(scope, event);
        }
      });
    } catch (fault) {
      failed(fault);
    }
  };
  // What does not go outwards is heard on its way in.
  root.addEventListener(kind, (event) => event.bubbles || heard(event), true);
  root.addEventListener(kind, (event) => event.bubbles && heard(event));
}
