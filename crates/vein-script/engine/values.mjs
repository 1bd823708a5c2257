// Values: how they are compared, and members where ECMAScript's own would throw, or know nothing of records that are
// values. Each function stands by itself and is put only where it is used.

/** The longest text, in UTF-16 units. */
export const LONGEST = 16777216;

/** How deep what `reduce` gathers may nest. */
export const DEEPEST = 256;

/** A text that is not longer than texts are. */
export const cut = (text) => (text.length > LONG ? weighed(text) : text);

/** From how long on it counts what a text takes. */
export const LONG = 1000;

/** The same for a long text, which uses up what it takes. */
export function weighed(text) {
  weigh(Math.min(text.length, LONGEST));
  return text.length > LONGEST ? text.slice(0, LONGEST) : text;
}

/** Whether two values are alike member by member, where the simple ones are compared by `is`; `ordered` says that
 * the order of fields counts. */
export function alike(a, b, is, ordered) {
  if (a === null || b === null || typeof a !== 'object' || typeof b !== 'object') return is(a, b);
  if (Array.isArray(a)) {
    return Array.isArray(b) && a.length === b.length && a.every((item, at) => alike(item, b[at], is, ordered));
  }
  if (Array.isArray(b)) return false;
  const [names, others] = [Object.keys(a), Object.keys(b)];
  return names.length === others.length && names.every((name, at) => (
    (ordered ? name === others[at] : Object.hasOwn(b, name)) && alike(a[name], b[name], is, ordered)
  ));
}

/** `===`, where lists and records are equal when their members are. */
export const equal = (a, b) => alike(a, b, (a, b) => a === b);

/** Whether nobody could tell the two apart: `Object.is`, member by member, and fields in one order. */
export function same(a, b) {
  if (a === b || typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return Object.is(a, b);
  if (!Array.isArray(a)) return alike(a, b, Object.is, true);
  if (!Array.isArray(b) || a.length !== b.length) return false;
  for (let at = 0; at < a.length; at++) if (!same(a[at], b[at])) return false;
  return true;
}

/** `SameValueZero`, member by member. */
export const sameOrZero = (a, b) => alike(a, b, (a, b) => a === b || (a !== a && b !== b));

/** A whole number between zero and the most. */
export const wholePart = (n, most) => (n > 0 ? Math.min(Math.trunc(n), most) : 0);

/** A position as `slice` takes it, within a length. */
export const relative = (n, length) => wholePart(Math.trunc(n) < 0 ? length + Math.trunc(n) : n, length);

export const keysOf = (dictionary) => (dictionary === null ? null : sized(Object.keys(dictionary)));

export const valuesOf = (dictionary) => (dictionary === null ? null : sized(Object.values(dictionary)));

export const entriesOf = (dictionary) => (dictionary === null ? null : sized(Object.entries(dictionary)));

export const hasKey = (dictionary, key) => (dictionary === null ? null : key in dictionary);

/** Regular expressions by what they were written as. */
export const patterns = new Map();

/** One of them: all are of Unicode's characters. */
export function patternOf(source, flags) {
  const key = `${flags}/${source}`;
  if (!patterns.has(key)) patterns.set(key, new RegExp(source, flags.includes('u') ? flags : `${flags}u`));
  const pattern = patterns.get(key);
  pattern.lastIndex = 0;
  return pattern;
}

export const testBy = (text, source, flags) => (text === null ? null : patternOf(source, flags).test(text.toWellFormed()));

export const searchBy = (text, source, flags) => (text === null ? null : text.toWellFormed().search(patternOf(source, flags)));

/** What was found and its groups, of which some may be missing. */
export const firstBy = (text, source, flags) => foundBy(text?.toWellFormed().match(patternOf(source, flags)));

export const allBy = (text, source, flags) => foundBy(text?.toWellFormed().match(patternOf(source, `${flags}g`)));

export const foundBy = (found) => (found ? sized(Array.from(found, (one) => one ?? null)) : null);

export const replaceBy = (text, source, flags, by) =>
  text === null ? null : cut(text.toWellFormed().replace(patternOf(source, flags), by.toWellFormed()));

export const replaceAllBy = (text, source, flags, by) => replaceBy(text, source, `${flags}g`, by);

export const splitBy = (text, source, flags, most) => foundBy(text?.toWellFormed().split(patternOf(source, flags), most));

/** `Object.groupBy` */
export function groupsOf(list, keyOf) {
  if (list === null) return null;
  const groups = Object.create(null);
  for (let at = 0; at < list.length; at++) (groups[`${keyOf(list[at], at)}`.toWellFormed()] ??= []).push(list[at]);
  return groups;
}

export const includes = (list, sought, from = 0) =>
  list === null ? null : list.slice(relative(from, list.length)).some((item) => sameOrZero(item, sought));

export function indexOf(list, sought, from = 0) {
  if (list === null) return null;
  for (let at = relative(from, list.length); at < list.length; at++) if (equal(list[at], sought)) return at;
  return -1;
}

export function lastIndexOf(list, sought, from = Infinity) {
  if (list === null) return null;
  const last = Math.trunc(from) || 0;
  for (let at = last < 0 ? list.length + last : Math.min(last, list.length - 1); at >= 0; at--) {
    if (equal(list[at], sought)) return at;
  }
  return -1;
}

export const repeated = (text, times) =>
  text === null ? null : text.repeat(wholePart(times, Math.floor(LONGEST / Math.max(text.length, 1))));

export const paddedBefore = (text, length, filler) =>
  text === null ? null : text.padStart(wholePart(length, LONGEST), filler);

export const paddedBehind = (text, length, filler) =>
  text === null ? null : text.padEnd(wholePart(length, LONGEST), filler);

/** `replaceAll`, which stops where texts end. */
export function replaced(text, pattern, by) {
  if (text === null) return null;
  const least = text.length * (Math.max(by.length, 1) + 1);
  if (least <= LONGEST && !by.includes('$')) return text.replaceAll(pattern, by);
  let [out, from, search] = ['', 0, 0];
  while (search <= text.length && out.length <= LONGEST) {
    const at = text.indexOf(pattern, search);
    if (at < 0) break;
    // What stands for parts of the text is the standard's own affair.
    const standsFor = (piece) => ({
      '$$': '$', '$&': pattern, '$`': text.slice(0, at), "$'": text.slice(at + pattern.length),
    })[piece];
    out += text.slice(from, at) + cut(by.replace(/\$[$&`']/g, standsFor));
    from = at + pattern.length;
    search = from + (pattern === '' ? 1 : 0);
  }
  return cut(out + text.slice(from));
}

export const fixed = (n, digits) => (n === null ? null : n.toFixed(wholePart(digits, 100)));

export function inRadix(n, radix) {
  if (n === null) return null;
  const base = Math.trunc(radix);
  return n.toString(base >= 2 && base <= 36 ? base : 10);
}

/** `join`, which stops where texts end. */
export function joined(list, separator = ',') {
  if (list === null) return null;
  try {
    return cut(list.join(separator));
  } catch {
    let out = '';
    for (let at = 0; at < list.length && out.length < LONGEST; at++) {
      out = cut(out + (at > 0 ? separator : '') + cut(`${list[at] ?? ''}`));
    }
    return out;
  }
}

/** `with`, which leaves a list as it is where there is no such position. */
export function withItem(list, n, item) {
  if (list === null) return null;
  const at = Math.trunc(n) || 0;
  const made = list.slice();
  const position = at < 0 ? at + list.length : at;
  if (position >= 0 && position < list.length) made[position] = item;
  return made;
}

/** The order of values that nobody compares: that of their texts. */
export function textOrder(a, b) {
  const [one, other] = [`${a}`, `${b}`];
  return one < other ? -1 : one > other ? 1 : 0;
}

/** `toSorted`: stable, and in some order where the comparison contradicts itself, the same as anywhere. */
export function sorted(list, compare) {
  if (list === null) return null;
  if (compare === undefined) return list.toSorted();
  let [order, spare] = [list.slice(), list.slice()];
  for (let width = 1; width < order.length; width *= 2) {
    for (let start = 0; start < order.length; start += 2 * width) {
      const middle = Math.min(start + width, order.length);
      const end = Math.min(start + 2 * width, order.length);
      let left = start;
      let right = middle;
      for (let at = start; at < end; at++) {
        const second = right < end && (left >= middle || compare(order[left], order[right]) > 0);
        spare[at] = second ? order[right++] : order[left++];
      }
    }
    [order, spare] = [spare, order];
  }
  return order;
}

/** Whether there are more than so many lists and records around each other in a value. */
export function isDeeper(value, depth) {
  if (value === null || typeof value !== 'object') return false;
  if (depth === 0) return true;
  const inside = Array.isArray(value) ? value : Object.values(value);
  for (let at = 0; at < inside.length; at++) if (isDeeper(inside[at], depth - 1)) return true;
  return false;
}

/** `reduce`; what nests without end is cut. */
export function reduced(list, gather, start) {
  if (list === null) return null;
  let so = start;
  for (let at = 0; at < list.length; at++) {
    so = gather(so, list[at], at);
    if (at % 64 === 63 && isDeeper(so, DEEPEST)) break;
  }
  return so;
}

/** `JSON.stringify` of what has nothing in it that JSON does not have. */
export const json = (value) => JSON.stringify(value);
