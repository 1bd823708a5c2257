// State: written so that it can be taken back. A pulse is all or nothing.

/** What is thrown when a pulse has to be taken back. */
export class Fault extends Error {}

/** That the host could not answer a statement, which one may catch. `late` says that it is about an answer that was waited for. */
export class Unanswered extends Fault {
  constructor(name, why, late = false) {
    super(`the host could not answer \`${name}\`: ${why}`);
    this.why = why;
    this.late = late;
  }
}

/** What takes writes back: a place, a key and what stood there, one after the other. */
export const undo = [];

/** The objects in which something was written in the pulse under way, in order. */
export const touched = [];

/** What has come to lists and gone from them where they stand, in order; where one was put into another order, neither is said. */
export const edits = [];

/** What stands for a key where all of a list was changed. */
export const ALL = Symbol('all');

/** The lists that were made of earlier ones in the pulse under way, and by which edits. */
export const makings = [];

/** What each pulse may use up: steps, which are statements and calls of functions within functions; bytes of long texts and of
 * lists that others are put into; nodes, of which each scope counts for eight. */
export const budget = { steps: 10000000, bytes: 536870912, nodes: 4000000 };

export const DEEPEST_CALLS = 64;

/** How many levels of expressions the calls of functions come to at most that call themselves. */
export const DEEPEST_LEVELS = 500;

/**
 * The pulse under way: what it has used up and how many calls are open; what is done before the view is
 * brought to it and once it is, if it goes well, or if it is taken back; what it gave to the host; how much was added to
 * views so far; and how much has gone from them in the pulse.
 */
export const turn = { count: 0, busy: false, shows: false, steps: 0, bytes: 0, nodes: 0, calls: 0, levels: 0, checks: [], failed: [], given: [], serial: 0, gone: 0, came: 0, deepest: -1, marks: 0 };

/** What the compiler calls one of several by its number: each name is made once. */
export function namesOf(kind) {
  const names = [];
  return (at) => (names[at] ??= `${kind}${at}$`);
}

/** Counts statements that are about to run, and functions within functions. */
export function spend(count) {
  turn.steps += count;
  if (turn.steps > budget.steps) runOut('steps', 'steps');
}

/** Begins a call of a function that may call itself: how many levels of expressions it adds to those under way. */
export function descend(levels, name) {
  spend(1);
  turn.levels += levels;
  if (turn.levels > DEEPEST_LEVELS) {
    turn.levels = 0;
    throw new Fault(`calls of \`${name}\` stand too deep inside each other: have it come to an end, or go over a list`);
  }
}

/** Ends one. */
export function ascend(levels) {
  turn.levels -= levels;
}

/** How deep calls stand where something may fail. */
export const trying = () => ({ calls: turn.calls, levels: turn.levels });

/** Whether nothing catches an error; otherwise calls stand again as they did where it is caught. */
export function isFatal(error, { calls, levels }) {
  if (!(error instanceof Unanswered)) return true;
  turn.calls = calls;
  turn.levels = levels;
  return false;
}

/** Why the host has failed. */
export function reasonOf(error, at) {
  if (isFatal(error, at)) throw error;
  return error.why;
}

/** Runs statements of which some wait; what the host fails with goes on elsewhere, while what runs is still theirs. */
export function guarded(run, isTheirs, fails) {
  const at = trying();
  try {
    return run();
  } catch (error) {
    if (!isTheirs() || isFatal(error, at)) throw error;
    return fails(error);
  }
}

/** Counts bytes of what was put together. */
export function weigh(bytes) {
  turn.bytes += bytes;
  if (turn.bytes > budget.bytes) runOut('bytes', 'bytes of values');
}

/** Fails where a pulse uses up more than it may. */
export function runOut(name, what) {
  throw new Fault(`the pulse came to more than ${budget[name].toLocaleString('en')} ${what} (\`budget.${name}\`): have it do less, or allow it more`);
}

/** A list of nothings that is so long. */
export function ofLength(length) {
  const count = Math.min(Math.max(Math.trunc(length) || 0, 0), 4294967295);
  weigh(count * 24);
  return new Array(count).fill(null);
}

/** A list that others were put into. */
export function sized(list) {
  weigh(list.length * 24);
  return list;
}

/** Empties a list that is filled again soon, from some place on: a short one keeps what it stands in. */
export function empty(list, from = 0) {
  if (list.length > from + 100) list.length = from;
  while (list.length > from) list.pop();
}

/** Runs something, with what it takes, as one pulse: all of it, or nothing. */
export function pulse(run, what, more) {
  turn.busy = true;
  turn.shows = false;
  turn.steps = turn.bytes = turn.nodes = turn.calls = turn.levels = turn.gone = turn.came = 0;
  try {
    run(what, more);
  } catch (fault) {
    takeBack();
    throw fault;
  } finally {
    turn.busy = false;
    empty(undo);
    empty(touched);
    empty(edits);
    empty(makings);
    turn.count++;
  }
}

/** Takes back everything since the pulse began, the last first. In place of a key there may be what takes it back. */
export function takeBack() {
  for (let at = undo.length - 3; at >= 0; at -= 3) takeBackOne(undo[at], undo[at + 1], undo[at + 2]);
}

export function takeBackOne(place, key, old) {
  if (key === ALL) place.splice(0, place.length, ...old);
  else if (typeof key === 'function') key(place, old);
  else if (typeof key === 'object') place.splice(key.at, key.count, ...old);
  else place[key] = old;
}

/** Calls a handler of a scope, within what is under way. */
export function call(name, scope, method, ...args) {
  if (turn.calls >= DEEPEST_CALLS) {
    throw new Fault(`\`${name}\` was called while ${DEEPEST_CALLS} other calls were under way: the handlers call each other in a circle`);
  }
  turn.calls++;
  scope[method](...args);
  turn.calls--;
}

/** Fails where there is nothing to write to. */
export function nowhere(way) {
  throw new Fault(`there is nothing at \`${way}\` to write to: check the position first`);
}

/** Writes to a place: an object, and the name of its property. */
export const putIn = ([around, key], value) => put(around, key, value);

/** The same for what goes so much further into a place that stands somewhere inside of something. */
export const notTooDeepIn = (value, [,, deep, name], further) => notTooDeep(value, DEEPEST - deep - further, name);

/** What stands in a place: an object, and the name of its property. */
export const valueAt = ([around, key]) => around[key];

/** A value that does not nest deeper than values may. */
export function notTooDeep(value, most, name) {
  if (isDeeper(value, most)) {
    throw new Fault(`what goes to \`${name}\` is nested deeper than ${DEEPEST}: keep it in a list, and say of each which belongs to which`);
  }
  return value;
}

/** A value that nobody else holds. */
export function copy(value) {
  if (value === null || typeof value !== 'object') return value;
  if (Array.isArray(value)) return value.map(copy);
  const isDictionary = Object.getPrototypeOf(value) === null;
  const made = isDictionary ? Object.create(null) : {};
  for (const name of Object.keys(value)) {
    if (name === '__proto__' && !isDictionary) Object.defineProperty(made, name, { value: copy(value[name]), writable: true, enumerable: true, configurable: true });
    else made[name] = copy(value[name]);
  }
  return made;
}

/** Writes to a field; tells whether that is another value. */
export function put(place, key, value) {
  const old = place[key];
  if (same(old, value)) return false;
  undo.push(place, key, old);
  place[key] = value;
  if (Array.isArray(place)) edits.push({ list: place, at: +key, gone: [old], came: [value] });
  return true;
}

/** Writes to a position of a list that is there. */
export function putAt(list, at, value, way) {
  if (!(at >= 0 && at < list.length && Number.isInteger(at))) nowhere(way());
  return put(list, at, value);
}

/** Writes to a key of a dictionary, which may be new; tells whether that is another value. */
export function putEntry(dictionary, key, value) {
  if (key in dictionary) return put(dictionary, key, value);
  undo.push(dictionary, takeAgain, key);
  dictionary[key] = value;
  return true;
}

export const takeAgain = (dictionary, key) => delete dictionary[key];

/** For dictionaries, the pulse in which something was first taken out of them last. */
export const takenIn = new WeakMap();

/** Takes an entry out of a dictionary; tells whether there was one. */
export function takeEntry(dictionary, key) {
  if (!(key in dictionary)) return false;
  if (takenIn.get(dictionary) !== turn.count) {
    takenIn.set(dictionary, turn.count);
    undo.push(dictionary, inOrderAgain, Object.keys(dictionary));
  }
  undo.push(dictionary, key, dictionary[key]);
  delete dictionary[key];
  return true;
}

/** Puts the keys of a dictionary back into the order that they had. */
export function inOrderAgain(dictionary, keys) {
  for (const key of keys) {
    const value = dictionary[key];
    delete dictionary[key];
    dictionary[key] = value;
  }
}

/** Takes items out of a list and puts others in, as `splice` does. */
export function splice(list, start, count, items) {
  const at = relative(start, list.length);
  const gone = wholePart(count, list.length - at);
  if (gone === items.length && items.every((item, i) => same(item, list[at + i]))) return false;
  const removed = list.splice(at, gone, ...items);
  undo.push(list, { at, count: items.length }, removed);
  edits.push({ list, at, gone: removed, came: items });
  return true;
}

export const push = (list, items) => splice(list, list.length, 0, items);

export const pop = (list) => splice(list, list.length - 1, 1, []);

/** Puts the items of a list into another order. */
export function reorder(list, order) {
  const old = list.slice();
  const next = order(old);
  if (next.every((item, at) => same(item, old[at]))) return false;
  for (let at = 0; at < next.length; at++) list[at] = next[at];
  undo.push(list, ALL, old);
  edits.push({ list, at: 0, gone: null, came: null });
  return true;
}
