// Lists that are derived from others, kept up in proportion to what has changed: what is worked out for an item is worked out
// again where the item is another, or was written inside. What has become of a list is told by the edits of it, and by what
// a list that is kept up says of the one that it was.

/** Of how many items at most is looked at what has become of them, rather than at all. */
export const FEW = 64;

/** How many items of a list may have come and gone for the same. */
export const mostEdits = ({ length }) => Math.max(FEW, length >> 5);

/** Whether a reader of a scope has looked at all that was written before this pulse. */
export const isUpToDate = (scope, bit, old) => old.turn === turn.count || !(scope.was$ & bit || scope.late$);

/** The edits that make a list of what it was after so many of this pulse; nothing where they are not known, or many. */
export function editsSince(was, list, from) {
  if (was !== list) {
    const all = [];
    let there = list;
    for (let at = makings.length - 1; at >= 0 && there !== was; at--) {
      if (makings[at].list !== there) continue;
      all.unshift(...makings[at].edits);
      there = makings[at].was;
    }
    return there === was ? all : null;
  }
  if (edits.length === from) return NONE;
  const own = [];
  const most = mostEdits(list);
  let count = 0;
  for (let at = from; at < edits.length; at++) {
    const edit = edits[at];
    if (edit.list !== list) continue;
    if (edit.gone === null || (count += edit.gone.length + edit.came.length) > most) return null;
    own.push(edit);
  }
  return own;
}

/** What has become of a list since something was worked out from it: its edits, and the items in which something was written,
 * or nothing for those where any may be another. Nothing at all where that is not known. */
export function changeOf(scope, bit, old, list, given) {
  if (old === undefined || !isUpToDate(scope, bit, old)) return null;
  const here = old.turn === turn.count;
  const own = editsSince(old.list, list, here ? old.edits : 0);
  if (own === null) return null;
  const from = here ? old.touched : 0;
  for (let at = 0; at < given.length; at++) if (!Object.is(given[at], old.given[at])) return { edits: own, inside: null };
  const count = touched.length - from;
  const inside = count === 0 ? NONE : count === 1 ? [touched[from]] : count > FEW ? null : [...new Set(touched.slice(from))];
  return { edits: own, inside };
}

export const NONE = Object.freeze([]);

/** What something was worked out from, and up to what of which pulse. */
export class Basis {
  out = null;
  constructor(list, given, once) {
    this.list = list;
    this.given = given;
    /** Whether it is known that no two places of the list have one item. */
    this.once = once === true;
    this.turn = turn.count;
    this.touched = touched.length;
    this.edits = edits.length;
  }
}

/** Notes what something was worked out from, and what has come of it. */
export function keepUp(scope, name, basis) {
  undo.push(scope, name, scope[name]);
  scope[name] = basis;
}

/** A list that is made of another by some edits: that itself where nothing has come or gone. */
export class Making {
  own = [];
  constructor(was) {
    this.was = this.out = was;
  }
  edit(at, gone, came) {
    if (gone + came.length === 0) return;
    if (this.own.length === 0) this.out = this.was.slice();
    this.own.push({ at, gone: this.out.splice(at, gone, ...came), came });
  }
  made() {
    if (this.own.length === 0) return this.was;
    makings.push({ list: this.out, was: this.was, edits: this.own });
    return new Made(this.out);
  }
}

/** The position of an item after another of its own, or below zero for the first; `once` says that there is no more than one. */
export const nextPlace = (list, item, after, once) => (once && after >= 0 ? -1 : list.indexOf(item, after + 1));

/** Where what stands between two positions of a list stands among those of it that are flagged, of which so many have to go. */
export function placeAmong(out, { list, once }, flags, at, end, goes) {
  const next = flags.indexOf(1, end);
  if (next < 0) return out.length - goes;
  const place = out.indexOf(list[next]);
  return place >= 0 && (once || out.indexOf(list[next], place + 1) < 0) ? place - goes : counted(flags, 0, at);
}

/** How many of some flags are set between two positions. */
export function counted(flags, from, to) {
  let count = 0;
  for (let at = from; at < to; at++) count += flags[at];
  return count;
}

/** The items of a list that a test lets through. */
export function filterKept(scope, name, bit, list, test, given, once) {
  if (list === null) return null;
  const old = scope[name];
  const change = changeOf(scope, bit, old, list, given);
  const basis = new Basis(list, given, once);
  if (change === null) filterAll(basis, test);
  else filterAgain(basis, old, test, change);
  keepUp(scope, name, basis);
  return basis.out;
}

/** Looks at all items. */
export function filterAll(basis, test) {
  const { list } = basis;
  const flags = [];
  const out = [];
  for (const item of list) {
    const passes = test(item) ? 1 : 0;
    flags.push(passes);
    if (passes === 1) out.push(item);
  }
  basis.flags = flags;
  basis.out = new Made(out);
}

/** Where a test comes to something else than some flags say. A function of its own: a browser's compiler takes it up sooner. */
export function otherwise(list, flags, test) {
  const found = [];
  for (let at = 0; at < list.length; at++) if (test(list[at]) !== (flags[at] === 1)) found.push(at);
  return found;
}

/** Looks at those that have come and that were written to, or at all where any may be let through by now that was not. */
export function filterAgain(basis, old, test, change) {
  const { list, once } = basis;
  let { flags } = old;
  const making = new Making(old.out);
  for (const { at, gone, came } of change.edits) {
    const through = came.map((item) => (test(item) ? 1 : 0));
    const goes = counted(flags, at, at + gone.length);
    const comes = came.filter((_, i) => through[i] === 1);
    undo.push(flags, { at, count: came.length }, flags.splice(at, gone.length, ...through));
    if (goes + comes.length === 0) continue;
    // The list is as it is after all edits.
    const alone = change.edits.length === 1;
    const place = alone ? placeAmong(making.out, basis, flags, at, at + came.length, goes) : counted(flags, 0, at);
    making.edit(place, goes, comes);
  }
  if (change.inside === null) {
    const others = otherwise(list, flags, test);
    if (others.length > mostEdits(list)) {
      flags = flags.slice();
      for (const at of others) flags[at] = 1 - flags[at];
      basis.flags = flags;
      basis.out = new Made(list.filter((_, at) => flags[at] === 1));
      return;
    }
    let place = 0;
    let from = 0;
    for (const at of others) {
      place += counted(flags, from, at);
      const was = flags[at];
      making.edit(place, was, was === 1 ? NONE : [list[at]]);
      undo.push(flags, at, was);
      flags[at] = 1 - was;
      from = at;
    }
  }
  for (const item of change.inside ?? NONE) {
    for (let at = nextPlace(list, item, -1, once); at >= 0; at = nextPlace(list, item, at, once)) {
      const now = test(item) ? 1 : 0;
      if (now === flags[at]) continue;
      making.edit(placeAmong(making.out, basis, flags, at, at + 1, 1 - now), 1 - now, now === 1 ? [item] : NONE);
      undo.push(flags, at, 1 - now);
      flags[at] = now;
    }
  }
  basis.flags = flags;
  basis.out = making.made();
}

/** What a function makes of each item of a list. */
export function mapKept(scope, name, bit, list, make, given, once) {
  if (list === null) return null;
  const old = scope[name];
  const change = changeOf(scope, bit, old, list, given);
  const basis = new Basis(list, given, once);
  if (change === null || change.inside === null) basis.out = new Made(list.map((item) => make(item)));
  else {
    const making = new Making(old.out);
    for (const { at, gone, came } of change.edits) making.edit(at, gone.length, came.map((item) => make(item)));
    for (const item of change.inside) {
      for (let at = nextPlace(list, item, -1, once); at >= 0; at = nextPlace(list, item, at, once)) making.edit(at, 1, [make(item)]);
    }
    basis.out = making.made();
  }
  keepUp(scope, name, basis);
  return basis.out;
}

/** A list in an order. Where one is put among those that stay it has to stand in order with both of its neighbours: an order that
 * contradicts itself is worked out as a whole. */
export function sortKept(scope, name, bit, list, compare, given, once) {
  if (list === null) return null;
  const old = scope[name];
  const change = changeOf(scope, bit, old, list, given);
  const again = change === null || change.inside === null ? null : sortedAgain(old, list, compare, change, once);
  const basis = new Basis(list, given, once);
  basis.out = again ?? new Made(sorted(list, compare));
  basis.steady = again !== null || isInOrder(basis.out, compare);
  keepUp(scope, name, basis);
  return basis.out;
}

/** Whether each item of a list stands in order with the one after it. */
export function isInOrder(list, compare) {
  for (let at = 1; at < list.length; at++) if (!(compare(list[at - 1], list[at]) <= 0)) return false;
  return true;
}

/** Whether an item stands once in a list, in order between two that are as they were. */
export function staysBetween(list, item, compare, inside, once) {
  const at = list.indexOf(item);
  if (at < 0 || (!once && list.indexOf(item, at + 1) >= 0)) return at < 0;
  const before = list[at - 1];
  const after = list[at + 1];
  return (at === 0 || (!inside.includes(before) && compare(before, item) < 0))
    && (at === list.length - 1 || (!inside.includes(after) && compare(item, after) < 0));
}

/** The order of a list of which few items have come, gone or been written to; nothing where that takes looking at all. */
export function sortedAgain(old, list, compare, change, once) {
  const { inside } = change;
  if (!old.steady) return null;
  const leaves = [];
  const comes = [];
  for (const { gone, came } of change.edits) {
    for (const item of gone) {
      const at = comes.indexOf(item);
      if (at < 0) leaves.push(item);
      else comes.splice(at, 1);
    }
    comes.push(...came);
  }
  const making = new Making(old.out);
  // What was written to is looked for where it was, and stays where it still belongs there.
  for (const item of inside) {
    if (comes.includes(item) || staysBetween(old.out, item, compare, inside, once)) continue;
    const left = !leaves.includes(item);
    for (let at = nextPlace(list, item, -1, once); at >= 0; at = nextPlace(list, item, at, once)) comes.push(item);
    if (left) for (let at = nextPlace(old.out, item, -1, once); at >= 0; at = nextPlace(old.out, item, at, once)) leaves.push(item);
  }
  if (leaves.length + comes.length > mostEdits(list)) return null;
  for (const item of leaves) {
    const at = making.out.indexOf(item);
    if (at < 0) return null;
    making.edit(at, 1, []);
  }
  for (const item of comes) {
    const { out } = making;
    let low = 0;
    let high = out.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (compare(out[middle], item) > 0) high = middle;
      else low = middle + 1;
    }
    // Of those that are equal, who stands first in the list does so here.
    for (let ties = 0; low > 0 && compare(out[low - 1], item) === 0; low--) {
      if (list.indexOf(out[low - 1]) < list.indexOf(item)) break;
      if (++ties > FEW) return null;
    }
    if (low > 0 && !(compare(out[low - 1], item) <= 0)) return null;
    if (low < out.length && !(compare(item, out[low]) <= 0)) return null;
    making.edit(low, 0, [item]);
  }
  return making.out.length === list.length ? making.made() : null;
}

/** A sum over the items of a list, each part by itself. As long as all are whole numbers that add up without rounding, what has
 * come and gone is added and taken away; otherwise the parts are added up in their order, as they would be without this. */
export function sumKept(scope, name, bit, list, part, start, given, once) {
  const old = scope[name];
  const change = old === undefined || !Object.is(start, old.start) ? null : changeOf(scope, bit, old, list, given);
  const basis = new Basis(list, given, once);
  basis.start = start;
  if (change === null || change.inside === null) sumAll(basis, part);
  else sumAgain(basis, old, part, change);
  keepUp(scope, name, basis);
  return basis.total;
}

export function sumAll(basis, part) {
  const { list, start } = basis;
  const parts = list.map((item) => part(item));
  basis.parts = parts;
  basis.total = start;
  basis.size = Math.abs(start);
  basis.exact = Number.isSafeInteger(start) && !Object.is(start, -0);
  for (const value of parts) account(basis, value, 1);
}

export function sumAgain(basis, old, part, change) {
  const { list, once } = basis;
  const { parts } = old;
  basis.parts = parts;
  basis.total = old.total;
  basis.size = old.size;
  basis.exact = old.exact;
  for (const { at, gone, came } of change.edits) {
    const values = came.map((item) => part(item));
    const removed = parts.splice(at, gone.length, ...values);
    undo.push(parts, { at, count: values.length }, removed);
    for (const value of removed) account(basis, value, -1);
    for (const value of values) account(basis, value, 1);
  }
  for (const item of change.inside) {
    for (let at = nextPlace(list, item, -1, once); at >= 0; at = nextPlace(list, item, at, once)) {
      const was = parts[at];
      const now = part(item);
      if (Object.is(was, now)) continue;
      undo.push(parts, at, was);
      parts[at] = now;
      account(basis, was, -1);
      account(basis, now, 1);
    }
  }
  if (!basis.exact) {
    basis.total = basis.start;
    for (const value of parts) basis.total += value;
  }
}

/** Adds a part to a sum, or takes it away. What was rounded on the way cannot be taken away again. */
export function account(basis, value, sign) {
  basis.total += sign * value;
  basis.size += sign * Math.abs(value);
  basis.exact &&= Number.isSafeInteger(value) && basis.size <= Number.MAX_SAFE_INTEGER;
}
