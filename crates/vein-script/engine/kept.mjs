// Lists that are derived from others, kept up in proportion to what has changed: what is worked out for an item is worked out
// again where the item is another, or was written inside.

/** Of how many items at most is looked at what was written to them, rather than at all. */
export const FEW = 64;

/** What was written inside of the items of a list since it was worked out last: `null` where that is not known, or much. Whoever
 * is still marked from an earlier pulse has not looked at all that was written then. */
export function writtenSince(scope, bit, old) {
  const from = old.turn === turn.count ? old.since : scope.was$ & bit || scope.late$ ? -1 : 0;
  if (from < 0 || touched.length - from > FEW) return null;
  return [...new Set(touched.slice(from))];
}

/** What has become of a list: how many items at its beginning and at its end are the same; nothing where it cannot be
 * told, or where what is given beside it is another. */
export function changeOf(scope, bit, old, list, given) {
  if (old === undefined || !given.every((value, at) => Object.is(value, old.given[at]))) return null;
  const inside = writtenSince(scope, bit, old);
  if (inside === null) return null;
  const { list: was } = old;
  const most = Math.min(was.length, list.length);
  let first = 0;
  while (first < most && Object.is(was[first], list[first])) first++;
  let last = 0;
  while (last < most - first && Object.is(was[was.length - 1 - last], list[list.length - 1 - last])) last++;
  const gone = was.length - first - last;
  const came = list.length - first - last;
  return gone + came > FEW ? null : { first, last, gone, came, inside };
}

/** Notes what a list was and what has come of it. */
export function keepUp(scope, name, list, given, more) {
  undo.push(scope, name, scope[name]);
  scope[name] = { list: list.slice(), given, turn: turn.count, since: touched.length, ...more };
}

/** Calls a function with each position of an item. */
export function eachPlace(list, item, place) {
  for (let at = list.indexOf(item); at >= 0; at = list.indexOf(item, at + 1)) place(at);
}

/** How many of some flags are set between two positions. */
export function counted(flags, from, to) {
  let count = 0;
  for (let at = from; at < to; at++) count += flags[at];
  return count;
}

/** The items of a list that a test lets through. */
export function filterKept(scope, name, bit, list, test, given) {
  if (list === null) return null;
  const old = scope[name];
  const change = changeOf(scope, bit, old, list, given);
  const flags = new Uint8Array(list.length);
  let out = [];
  if (change === null) {
    for (let at = 0; at < list.length; at++) if (test(list[at])) out.push(list[flags[at] = 1, at]);
  } else {
    const { first, last, gone, came, inside } = change;
    flags.set(old.flags.subarray(0, first));
    flags.set(old.flags.subarray(old.flags.length - last), list.length - last);
    const added = [];
    for (let at = first; at < first + came; at++) if (test(list[at])) added.push(list[flags[at] = 1, at]);
    out = old.out.slice();
    out.splice(counted(flags, 0, first), counted(old.flags, first, first + gone), ...added);
    for (const item of inside) {
      eachPlace(list, item, (at) => {
        const now = test(item) ? 1 : 0;
        if (now === flags[at]) return;
        out.splice(counted(flags, 0, at), 1 - now, ...(now === 1 ? [item] : []));
        flags[at] = now;
      });
    }
  }
  keepUp(scope, name, list, given, { flags, out });
  return out;
}

/** What a function makes of each item of a list. */
export function mapKept(scope, name, bit, list, make, given) {
  if (list === null) return null;
  const old = scope[name];
  const change = changeOf(scope, bit, old, list, given);
  let out;
  if (change === null) out = list.map((item) => make(item));
  else {
    const { first, gone, came, inside } = change;
    out = old.out.slice();
    out.splice(first, gone, ...list.slice(first, first + came).map((item) => make(item)));
    for (const item of inside) eachPlace(list, item, (at) => { out[at] = make(item); });
  }
  keepUp(scope, name, list, given, { out });
  return out;
}

/** A list in an order. Where one is put among those that stay it has to stand in order with both of its neighbours: an order that
 * contradicts itself is worked out as a whole. */
export function sortKept(scope, name, bit, list, compare, given) {
  if (list === null) return null;
  const old = scope[name];
  const change = changeOf(scope, bit, old, list, given);
  const out = (change === null ? null : sortedAgain(old, list, compare, change)) ?? sorted(list, compare);
  keepUp(scope, name, list, given, { out, steady: change === null ? undefined : old.steady });
  return out;
}

/** Whether each item of a list stands in order with the one after it. */
export function isInOrder(list, compare) {
  for (let at = 1; at < list.length; at++) if (!(compare(list[at - 1], list[at]) <= 0)) return false;
  return true;
}

/** The order of a list of which few items have come, gone or been written to; nothing where that takes looking at all. */
export function sortedAgain(old, list, compare, { first, gone, came, inside }) {
  old.steady ??= isInOrder(old.out.filter((item) => !inside.includes(item)), compare);
  if (!old.steady) return null;
  const [leaves, comes] = [old.list.slice(first, first + gone), list.slice(first, first + came)];
  for (const item of inside) {
    eachPlace(old.list, item, (at) => (at < first || at >= first + gone) && leaves.push(item));
    eachPlace(list, item, (at) => (at < first || at >= first + came) && comes.push(item));
  }
  if (leaves.length + comes.length > FEW) return null;
  const out = old.out.slice();
  for (const item of leaves) {
    const at = out.indexOf(item);
    if (at < 0) return null;
    out.splice(at, 1);
  }
  for (const item of comes) {
    let [low, high] = [0, out.length];
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
    out.splice(low, 0, item);
  }
  return out;
}
