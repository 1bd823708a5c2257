// Data from outside, held against the type that was declared for it. A type is the name of a simple one, a list of words,
// or a record with `list`, `maybe`, or `fields` and perhaps a `name`.

/** Why data does not fit its type. */
export class Misfit extends Error {}

/** What a type is called where it was declared. */
export function typeName(type) {
  const inside = (inner) => {
    const name = typeName(inner);
    return name.includes(' | ') && !name.startsWith('{') ? `(${name})` : name;
  };
  if (typeof type === 'string') return type;
  if (Array.isArray(type)) return type.map((word) => `'${word}'`).join(' | ');
  if (type.list) return `${inside(type.list)}[]`;
  if (type.maybe) return `${inside(type.maybe)}?`;
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
export function fitTo(type, given, path) {
  const data = given === undefined ? null : given instanceof Date ? given.getTime() : given;
  const wrong = () => {
    throw new Misfit(`${path}: expected ${typeName(type)}, found ${described(data)}`);
  };
  if (type === 'null') return data === null ? null : wrong();
  if (typeof type === 'string') return typeof data === type ? data : wrong();
  if (Array.isArray(type)) return type.includes(data) ? data : wrong();
  if (type.maybe) return data === null ? null : fitTo(type.maybe, data, path);
  if (type.list) {
    return Array.isArray(data) ? Array.from(data, (item, at) => fitTo(type.list, item, `${path}[${at}]`)) : wrong();
  }
  if (data === null || typeof data !== 'object' || Array.isArray(data)) return wrong();
  const known = type.fields.map(([name]) => name);
  const extra = Object.keys(data).find((name) => !known.includes(name));
  if (extra !== undefined) {
    throw new Misfit(`${path}.${extra}: ${typeName(type)} has no field \`${extra}\`; its fields are ${known.join(', ')}`);
  }
  const made = {};
  for (const [name, of] of type.fields) {
    const there = Object.hasOwn(data, name) && data[name] !== undefined;
    if (!there && !of.maybe) throw new Misfit(`${path}.${name}: missing; expected ${typeName(of)}`);
    const value = there ? fitTo(of, data[name], `${path}.${name}`) : null;
    if (name === '__proto__') Object.defineProperty(made, name, { value, writable: true, enumerable: true, configurable: true });
    else made[name] = value;
  }
  return made;
}
