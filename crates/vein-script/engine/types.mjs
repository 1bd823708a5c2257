// Data from outside, held against the type that was declared for it. A type is the name of a simple one, a list of words,
// or a record with `list`, `maybe`, `dictionary`, `entry`, or `fields` and perhaps a `name`.

/** Why data does not fit its type. */
export class Misfit extends Error {}

/** What a type is called where it was declared. */
export function typeName(type) {
  const inside = (inner) => {
    const name = typeName(inner);
    return Array.isArray(inner) && inner.length > 1 ? `(${name})` : name;
  };
  if (typeof type === 'string') return type;
  if (Array.isArray(type)) return type.map((word) => `'${word}'`).join(' | ');
  if (type.list) return `${inside(type.list)}[]`;
  if (type.maybe) return `${inside(type.maybe)}?`;
  if (type.dictionary) return `${inside(type.dictionary)}{}`;
  if (type.entry) return `[string, ${typeName(type.entry)}]`;
  return type.name ?? `{ ${type.fields.map(([name, of]) => `${name}: ${typeName(of)}`).join(', ')} }`;
}

export function described(data) {
  if (data === null) return 'null';
  if (Array.isArray(data)) return 'a list';
  switch (typeof data) {
    case 'boolean': return `the boolean ${data}`;
    case 'number': return `the number ${data}`;
    case 'string': return data.length <= 40 ? `the string ${JSON.stringify(data)}` : 'a string';
    case 'object': return 'a record';
    default: return `a ${typeof data}`;
  }
}

/** Data as a value of a type that nobody else holds. What may be missing may be left out, what no type names may not be there. */
export const fitTo = (type, data, path) => fit(type, data, [path]);

/** The same, with the way there: what it began with, then fields and positions. */
export function fit(type, given, way) {
  const data = given === undefined ? null : given instanceof Date ? given.getTime() : given;
  if (typeof type === 'string') return typeof data === type || (data === null && type === 'null') ? data : wrong(type, data, way);
  if (Array.isArray(type)) return type.includes(data) ? data : wrong(type, data, way);
  if (type.maybe) return data === null ? null : fit(type.maybe, data, way);
  if (type.list) return Array.isArray(data) ? fitList(type.list, data, way) : wrong(type, data, way);
  if (type.entry) return fitEntry(type, data, way);
  return data !== null && typeof data === 'object' && !Array.isArray(data) ? (type.dictionary ? fitDictionary : fitRecord)(type, data, way) : wrong(type, data, way);
}

export function fitDictionary({ dictionary }, data, way) {
  const made = Object.create(null);
  for (const key of Object.keys(data)) {
    way.push(key);
    made[key.toWellFormed()] = fit(dictionary, data[key], way);
    way.pop();
  }
  return made;
}

export function fitEntry(type, data, way) {
  if (!Array.isArray(data) || data.length !== 2 || typeof data[0] !== 'string') return wrong(type, data, way);
  way.push(1);
  const made = [data[0], fit(type.entry, data[1], way)];
  way.pop();
  return made;
}

export function wrong(type, data, way) {
  throw new Misfit(`${named(way)}: expected ${typeName(type)}, found ${described(data)}`);
}

/** A way as it would be written. */
export const named = ([first, ...steps]) => first + steps.map((step) => (typeof step === 'number' ? `[${step}]` : isPlain(step) ? `.${step}` : `[${JSON.stringify(step)}]`)).join('');

/** Whether a name can be written after a dot. */
export const isPlain = (name) => /^[\p{Alphabetic}_$][\p{Alphabetic}\p{N}_$]*$/u.test(name);

export function fitList(type, data, way) {
  const made = [];
  for (let at = 0; at < data.length; at++) {
    way.push(at);
    made.push(fit(type, data[at], way));
    way.pop();
  }
  return made;
}

export function fitRecord(type, data, way) {
  const { fields } = type;
  const names = Object.keys(data);
  const isKnown = isLaidOut(fields, names);
  if (!isKnown) checkFields(type, names, way);
  // All records of a type are laid out alike, from the beginning.
  const made = { ...(type.blank ??= blankOf(fields)) };
  for (let at = 0; at < fields.length; at++) {
    const name = fields[at][0];
    const of = fields[at][1];
    const value = isKnown || Object.hasOwn(data, name) ? data[name] : undefined;
    // A record of a type that has a field of this name has it from the beginning.
    if (typeof of === 'string' && typeof value === of) {
      made[name] = value;
      continue;
    }
    way.push(name);
    if (value === undefined && !of.maybe) throw new Misfit(`${named(way)}: missing; expected ${typeName(of)}`);
    made[name] = value === undefined ? null : fit(of, value, way);
    way.pop();
  }
  return made;
}

/** Whether data has just some fields, in their order. */
export function isLaidOut(fields, names) {
  if (fields.length !== names.length) return false;
  for (let at = 0; at < names.length; at++) if (fields[at][0] !== names[at]) return false;
  return true;
}

/** Has data have no field that its type does not have. */
export function checkFields(type, names, way) {
  const all = type.fields.map(([known]) => known);
  const unknown = names.find((name) => !all.includes(name));
  if (unknown === undefined) return;
  throw new Misfit(`${named(way)}.${unknown}: ${typeName(type)} has no field \`${unknown}\`; its fields are ${all.join(', ')}`);
}

/** A record of some fields with nothing in them. */
export const blankOf = (fields) => Object.fromEntries(fields.map(([name]) => [name, null]));
