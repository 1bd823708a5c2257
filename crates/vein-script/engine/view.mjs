// What a component shows: markup that is copied, parts that are compared before the document is touched, and a pulse from
// its cause to the view.

/** Scopes that have something to look at before the pulse ends, by how deep they stand: what stands around is looked at first.
 * Each knows what it had marked before. */
export const pending = [];

/** Marks readers of a scope, by their bits, and those inside of it that read the same. */
export function mark(scope, bits) {
  turn.marks++;
  if (scope.was$ < 0) {
    scope.was$ = scope.d$;
    const depth = scope.depth$;
    while (pending.length <= depth) pending.push([]);
    pending[depth].push(scope);
    if (depth > turn.deepest) turn.deepest = depth;
  }
  scope.d$ |= bits;
  if (bits & scope.constructor.within) scope.forward$(bits);
}

/** Has no scope have anything to look at any more; where that has failed, what was marked before is marked again. */
export function unmark(failed) {
  for (let depth = 0; depth <= turn.deepest; depth++) {
    const scopes = pending[depth];
    for (let at = 0; at < scopes.length; at++) {
      if (failed) scopes[at].d$ = scopes[at].was$;
      scopes[at].was$ = -1;
    }
    empty(scopes);
  }
  turn.deepest = -1;
}

/** What has no fields, also none that every record has. */
export const NOTHING = Object.freeze({ __proto__: null });

/** What stands in a view, or beside it: a component, or a block of one. What the class of it does not say is as it stands here. */
export class Scope {
  /** The bits of readers that stand inside of it or elsewhere, and have to be told. */
  static within = 0;
  /** Who reads each cell of what is around it, and its own item. */
  static outer = NOTHING;
  static item = 0;
  /** Who reads each field of its item, those that read it as a whole among them; by `''`, these alone; nothing where all do. What
   * hands it on as it is, in which spot and as which prop, is told by itself. */
  static fields = undefined;
  static hands = [];
  /** Who reads where its item stands. */
  static moved = 0;
  static asking = [];
  static controls = NOTHING;
  /** Whether something in it has to know when it goes. */
  static ends = false;
  /** Who reads each prop, and each field of it, as above. */
  static props = NOTHING;
  static inside = NOTHING;
  static spots = [];
  static tops = [0];
  /** Whether nothing in it holds anything of its own, so that it can come again where it was. */
  static bare = false;
  static effects = 0;
  static sources = [];
  static hooks = [];
  constructor(held, up) {
    turn.nodes += 8;
    if (turn.nodes > budget.nodes) runOut('nodes', 'nodes, rows and components');
    this.held$ = held;
    this.depth$ = held === null ? 0 : held.scope.depth$ + 1;
    this.d$ = 0;
    this.was$ = -1;
    this.alive$ = true;
    this.up$ = up;
  }
  /** The number of the first that listens to a kind of event on an element. */
  hears$() {
    return -1;
  }
  pull$() {}
  pullLate$() {}
  settle$() {}
  again$() {}
  parts$() {
    this.d$ = 0;
  }
}

/** What stands in a scope where nothing comes and goes. */
export const FIXED = Object.freeze([]);

/** A component, or a store. */
export class Component extends Scope {
  constructor(held, page) {
    super(held, null);
    const given = held?.scope.constructor.spots[held.number];
    this.ways$ = given?.gives ?? NOTHING;
    this.bound$ = given?.bound ?? NOTHING;
    if (held === null) this.page$ = page;
  }
}

/** A block of one: what comes and goes as a whole; of a loop it has an item and where that stands. */
export class Block extends Scope {
  constructor(held, up = held.scope, item, at) {
    super(held, up);
    this.item$ = item;
    this.at$ = at;
  }
}

/** A name that no other component on the page has: with the way to where it stands, mixed to 53 bits. The page's own keeps the
 * name as it is. */
export function ownId(scope, name) {
  let way = '';
  for (let at = scope; at.held$ !== null; at = at.held$.scope) {
    const place = at.held$;
    way += `/${place.number}${place.key === undefined ? '' : `.${place.key(at.item$, at.at$)}`}`;
  }
  if (way === '') return name;
  way = way.toWellFormed();
  let [low, high] = [0x811c9dc5, 0x9747b28c];
  for (let at = 0; at < way.length; at++) {
    low = Math.imul(low ^ way.charCodeAt(at), 0x1000193);
    high = Math.imul(high ^ way.charCodeAt(at), 0x85ebca6b);
  }
  const spread = (n) => {
    const mixed = Math.imul(n ^ (n >>> 16), 0x7feb352d);
    return (mixed ^ (mixed >>> 15)) >>> 0;
  };
  return `${name}-${((spread(high) & 0x1fffff) * 4294967296 + spread(low)).toString(36)}`;
}

/** Has a scope stand in its node, or in those of a fragment. */
export function standOn(scope, top) {
  scope.top$ = scope.made$ = top;
  top.scope$ = scope;
}

export function standOnAll(scope, top) {
  scope.top$ = [];
  for (let node = top.firstChild; node !== null; node = node.nextSibling) {
    scope.top$.push(node);
    node.scope$ = scope;
  }
  scope.made$ = top;
}

/** The same for one that has no nodes of its own. */
export function standOnNothing(scope) {
  scope.top$ = FIXED;
  scope.made$ = document.createDocumentFragment();
}

/** The same for one in which nothing stands but one component: what that is made of is what it is made of. */
export function standOnOne(scope) {
  scope.top$ = scope.made$ = FIXED;
}

/** Marks readers of a prop that was written to, in a field or as a whole: where it is bound both ways, those of what it is bound
 * to. */
export function tell(scope, prop, bits, entire, field) {
  const ways = scope.bound$[prop];
  if (ways === undefined) mark(scope, bits);
  else scope.held$.scope[ways[1]](entire, field);
}

/** What is done to the document once everything is worked out: a function and what it takes, one after the other. */
export const later = [];

/** What else is done then, in the same form. */
export const afterwards = [];

/** Does what was put off, in order, from some place on. */
export function doAll(all, from = 0) {
  for (let at = from; at < all.length; at += 3) all[at](all[at + 1], all[at + 2]);
  empty(all, from);
}

/** Keeps what a part shows, and has it brought to the document if that is another. */
export function keep(scope, name, value, set) {
  const old = scope[name];
  if (value === old) return;
  undo.push(scope, name, old);
  scope[name] = value;
  // What is shown for the first time is not in the document yet.
  if (old === undefined) scope[set]();
  else later.push(bringPart, scope, set);
}

export const bringPart = (scope, set) => scope[set]();

/** Whether what was marked in the pulse under way still stands in the view. */
export const stillStands = (scope) => turn.gone === 0 || stands(scope);

/** Whether a scope still stands in the view. */
export function stands(scope) {
  for (let at = scope; at !== null; at = at.held$ === null ? null : at.held$.scope) if (!at.alive$) return false;
  return true;
}

/** Markup that is parsed once. */
export function template(html, around, seams) {
  const made = document.createElement('template');
  made.innerHTML = around === null ? html : `<${around}>${html}</${around}>`;
  const top = document.createDocumentFragment();
  top.append(...(around === null ? made.content : made.content.firstChild).childNodes);
  for (const node of top.querySelectorAll('[style]')) setStyle(node, node.getAttribute('style'));
  if (seams) {
    const comments = document.createNodeIterator(top, NodeFilter.SHOW_COMMENT);
    for (let at; (at = comments.nextNode()); ) at.remove();
  }
  return top;
}

/** What text shows of a value. */
export function textOf(value) {
  const all = value === null ? '' : `${value}`;
  return ODD.test(all) ? all.replaceAll('\0', '\ufffd').toWellFormed() : all;
}

/** What a document shows something else for. */
export const ODD = /[\0\ud800-\udfff]/;

/** What an attribute shows of a value: `null` where it is absent. */
export const presence = (value) => (value === null || value === false ? null : value === true ? '' : textOf(value));

export const wordsOf = (value) => (value === null ? null : textOf(value));

/** Items of a list that are there, apart by a space, also those of lists in it. */
export function tokens(value) {
  if (value === null || value === false) return null;
  if (!Array.isArray(value)) return textOf(value);
  const all = value.flat(Infinity).filter(Boolean).flatMap((item) => textOf(item).split(/[\t\n\f\r ]+/));
  return all.filter((token) => token !== '').join(' ') || null;
}

export function setAttribute(node, name, value) {
  if (value === null) node.removeAttribute(name);
  else if (name === 'style') setStyle(node, value);
  else node.setAttribute(name, value);
}

/** Sets declarations as a policy that allows none in attributes lets them be set. */
export function setStyle(node, value) {
  if (node.style) node.style.cssText = value;
  else node.setAttribute('style', value);
}

/** Works out what stands where, what is around first: whoever stands inside is marked by then. */
export function settlePlaces() {
  for (let depth = 0; depth <= turn.deepest; depth++) {
    const scopes = pending[depth];
    for (let at = 0; at < scopes.length; at++) if (stillStands(scopes[at])) scopes[at].settle$();
  }
}

/** Works out what is shown by parts. */
export function showParts() {
  turn.shows = true;
  for (let depth = 0; depth <= turn.deepest; depth++) showAll(pending[depth]);
  turn.shows = false;
}

/** The same for those of one depth, a function of its own for the same reason as `otherwise`: 600 that are marked take a tenth less. */
export function showAll(scopes) {
  for (let at = 0; at < scopes.length; at++) if (stillStands(scopes[at])) scopes[at].parts$();
}

/** Runs something, with what it takes, and works out all that comes of it. */
export function bringAbout(run, what) {
  turn.begin?.();
  run(what);
  (turn.follow ?? settlePlaces)();
  showParts();
  for (let at = 0; at < turn.checks.length; at++) turn.checks[at]();
}

/** Runs something, with what it takes, as one pulse, and brings the view to what has come of it. */
export function turnOver(run, what) {
  if (turn.busy) throw new Fault('a pulse is under way: a function that is asked cannot change the page that asks it');
  try {
    pulse(bringAbout, run, what);
  } catch (fault) {
    unmark(true);
    later.length = afterwards.length = turn.checks.length = turn.given.length = 0;
    for (const undone of turn.failed.splice(0)) undone();
    turn.shown?.();
    throw fault;
  }
  unmark(false);
  empty(turn.checks);
  empty(turn.failed);
  turn.sort?.();
  doAll(later);
  doAll(afterwards);
  turn.shown?.();
  const given = turn.given.length > 0 ? turn.given.splice(0) : null;
  turn.commit?.();
  if (given !== null) for (const [scope, event, args] of given) scope.given$?.(event, args);
  turn.notice?.();
}
