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

/** A place where one of several blocks stands, or none. */
export class Branch {
  constructor(scope, number, kinds) {
    this.scope = scope;
    this.number = number;
    this.kinds = kinds;
    this.chosen = -1;
    this.held = null;
    this.shown = null;
    this.waits = false;
  }
  begin(choice) {
    this.make(choice);
    bringBranch(this);
  }
  make(choice) {
    const kind = this.kinds[choice];
    this.chosen = kind === undefined ? -1 : choice;
    this.held = kind === undefined ? null : new kind(this);
  }
  choose(choice) {
    if (choice === this.chosen || (this.chosen < 0 && this.kinds[choice] === undefined)) return;
    undo.push(this, 'chosen', this.chosen, this, 'held', this.held);
    if (this.held !== null) {
      undo.push(this.held, 'alive$', true);
      this.held.alive$ = false;
    }
    this.make(choice);
    if (this.waits) return;
    undo.push(this, 'waits', false);
    this.waits = true;
    later.push(bringBranch, this, null);
  }
  tell() {
    if (this.held !== null) mark(this.held, this.held.constructor.outer);
  }
}

/** A place where a component stands. */
export class Child {
  constructor(scope, number) {
    this.scope = scope;
    this.number = number;
    this.shown = null;
  }
  begin(kind) {
    const made = new kind(this, {});
    const [into, before] = placeOf(this.scope, this.number);
    into.insertBefore(made.made$, before);
    made.made$ = null;
    this.shown = made;
  }
  given(name) {
    if (this.shown !== null) mark(this.shown, this.shown.constructor.props[name]);
  }
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
  for (const at of scope.constructor.tops) {
    if (!Array.isArray(at)) scope.top$[at].remove();
    else if (scope.spots$[at[0]].shown !== null) takeOut(scope.spots$[at[0]].shown);
  }
}

/** The first node that stands in a scope, in the order of the document. */
export function firstIn(scope) {
  for (const at of scope.constructor.tops) {
    if (!Array.isArray(at)) return scope.top$[at];
    const first = firstOf(scope.spots$[at[0]]);
    if (first !== null) return first;
  }
  return null;
}

export const firstOf = (spot) => (spot.shown === null ? null : firstIn(spot.shown));

/** What the nodes of a place go into, and before which node. */
export function placeOf(scope, number) {
  const { spots } = scope.constructor;
  let { next } = spots[number];
  let before = null;
  while (before === null && next !== null) {
    before = typeof next === 'string' ? scope[next] : firstOf(scope.spots$[next]);
    next = typeof next === 'string' ? null : spots[next].next;
  }
  const { parent } = spots[number];
  if (parent !== null) return [scope[parent], before];
  if (scope.made$ !== null) return [scope.made$, before];
  if (before !== null) return [before.parentNode, before];
  return scope.held$ === null ? [scope.into$, null] : placeOf(scope.held$.scope, scope.held$.number);
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

/** Hears what happens inside a root: who listens on the way out is run in one pulse. */
export function hear(root, kind, failed) {
  root.addEventListener(kind, (event) => {
    const way = [];
    for (let at = event.target; at !== null; at = at === root ? null : at.parentNode) way.push(at);
    const heard = [];
    let scope = null;
    for (const node of way.toReversed()) {
      scope = node.scope$ ?? scope;
      for (const listener of scope?.constructor.listeners ?? []) {
        if (listener.kind === kind && scope[listener.node] === node) heard.push([scope, listener]);
      }
    }
    if (heard.length === 0) return;
    try {
      turnOver(() => {
        for (const [scope, listener] of heard.toReversed()) listener.run(scope, event);
      });
    } catch (fault) {
      failed(fault);
    }
  });
}
