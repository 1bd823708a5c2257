// Writes what the values of CSS properties may be made of, from the grammars that W3C extracts from its
// specifications (@webref/css): `cargo xtask tables` runs it. For each property: its flags, then the words that may
// stand in its value outside functions. Flags: `n` numbers, `l` lengths or other dimensions or percentages, `c`
// colours, `i` words of one's own, so that none can be wrong; `-` none of these.

import { readFileSync, writeFileSync } from 'node:fs';

const { properties, types, functions, atrules, selectors } = JSON.parse(
  readFileSync(new URL(import.meta.resolve('@webref/css/css.json'))),
);
const named = (all) => new Map(all.map((one) => [one.name.replace(/^<|>$/g, ''), one.syntax]));
const [property, type] = [named(properties), named([...types, ...functions])];

// What grammars say in prose.
const NUMBERS = new Set(['number', 'integer', 'zero', 'number-token', 'quirky-length', 'unicode-range-token']);
const LENGTHS = new Set([
  'length', 'percentage', 'length-percentage', 'angle', 'angle-percentage', 'time', 'time-percentage', 'frequency',
  'resolution', 'flex', 'dimension', 'quirky-length', 'decibel', 'semitones',
]);
const WORDS = new Set([
  'custom-ident', 'dashed-ident', 'ident', 'ident-token', 'identifier', 'id', 'family-name', 'custom-property-name',
  'any-value', 'declaration-value', 'whole-value', 'extension-name', 'animation-action', 'target-name', 'string-token',
  'timeline-range-name', 'font-feature-value-type', 'voice-family-name', 'keyframes-name', 'counter-style-name',
]);
// Types without a grammar of their own, by their prose.
const PROSE = {
  'generic-family': 'serif | sans-serif | cursive | fantasy | monospace | system-ui | math | fangsong | ui-serif | '
    + 'ui-sans-serif | ui-monospace | ui-rounded | emoji | kai | khmer-mul | nastaliq',
  'border-style': "<line-style>", 'border-width': '<line-width>', 'margin-width': '<length> | <percentage> | auto',
  'padding-width': '<length> | <percentage>', 'quirky-color': '<color>', 'hex-color': '',
  bottom: '<length> | auto', left: '<length> | auto', right: '<length> | auto', top: '<length> | auto',
  age: 'child | young | old', gender: 'male | female | neutral', level: '<integer>',
  'size-keyword': 'small | medium | large',
};
// What browsers read, and the grammars do not have (any more): Chromium is asked for these by the tests.
const ALSO = JSON.parse(readFileSync(new URL('css-also.json', import.meta.url)));

/** Takes functions out of a grammar: what stands in them is theirs. */
function withoutFunctions(syntax) {
  let out = '';
  for (let at = 0; at < syntax.length;) {
    const call = /^-?[a-z][\w-]*\(/i.exec(syntax.slice(at));
    const before = syntax[at - 1];
    if (!call || /[\w<'-]/.test(before ?? ' ')) {
      out += syntax[at++];
      continue;
    }
    at += call[0].length;
    for (let depth = 1; depth > 0 && at < syntax.length; at++) {
      depth += syntax[at] === '(' ? 1 : syntax[at] === ')' ? -1 : 0;
    }
    out += ' ';
  }
  return out;
}

function collect(syntax, found, seen) {
  const rest = withoutFunctions(syntax.replace(/'[^a-z'<>]{1,2}'/g, ' ')).replace(/<'?([^<>']+?)'?(?:\s*\[[^\]]*\])?>/g, (whole, name) => {
    const key = whole.startsWith("<'") ? `'${name}'` : name;
    if (seen.has(key) || name.endsWith('()')) return ' ';
    seen.add(key);
    if (whole.startsWith("<'")) collect(property.get(name) ?? '', found, seen);
    else if (name === 'color') found.colours = true;
    else {
      if (NUMBERS.has(name)) found.numbers = true;
      if (LENGTHS.has(name)) found.lengths = true;
      if (WORDS.has(name)) found.words = true;
      const inner = PROSE[name] ?? type.get(name);
      if (inner !== undefined) collect(inner, found, seen);
      else if (!NUMBERS.has(name) && !LENGTHS.has(name) && !WORDS.has(name) && !found.unknown.includes(name)) found.unknown.push(name);
    }
    return ' ';
  });
  for (const [word] of rest.matchAll(/(?<![\w-])[a-z][a-z0-9-]*/gi)) found.keywords.add(word.toLowerCase());
}

const known = readFileSync(new URL('../crates/vein-check/data/properties.txt', import.meta.url), 'utf8')
  .split('\n').filter((line) => !line.startsWith('#')).flatMap((line) => line.split(/\s+/)).filter(Boolean);
const lines = [];
const unknown = new Set();
for (const name of known.sort()) {
  const found = { numbers: false, lengths: false, colours: false, words: false, keywords: new Set(), unknown: [] };
  const syntax = property.get(name);
  if (syntax === undefined) found.words = found.numbers = true;
  else collect(syntax, found, new Set([`'${name}'`]));
  found.unknown.forEach((one) => unknown.add(one));
  for (const word of ALSO[name]?.words ?? []) found.keywords.add(word);
  found.numbers ||= Boolean(ALSO[name]?.flags?.includes('n'));
  found.colours ||= Boolean(ALSO[name]?.flags?.includes('c'));
  const flags = [['n', found.numbers], ['l', found.lengths], ['c', found.colours], ['i', found.words]];
  const said = flags.filter(([, holds]) => holds).map(([flag]) => flag).join('') || '-';
  const words = found.words ? [] : [...found.keywords].sort();
  lines.push(`${name} ${said}${words.length > 0 ? ` ${words.join(' ')}` : ''}`);
}
const system = new Set();
collect('<system-color> | currentcolor | transparent', { keywords: system, unknown: [] }, new Set());
const list = (name, words) => lines.push(`${name} - ${[...new Set(words)].sort().join(' ')}`);
list('@colours', system);
const media = atrules.find(({ name }) => name === '@media');
list('@media', media.descriptors.map(({ name }) => name));
list('@rules', atrules.map(({ name }) => name.slice(1)));
list('@pseudo', selectors.map(({ name }) => name).filter((name) => name.startsWith(':'))
  .map((name) => name.replace(/^:+/, '').replace('()', '')));
writeFileSync(new URL('../crates/vein-check/data/values.txt', import.meta.url), `# What values of CSS are made of, by property, from W3C's grammars: written by \`cargo xtask tables\`.
# Flags: n numbers, l lengths and other dimensions, c colours, i words of one's own; then words.
${lines.join('\n')}
`);
console.log(`${known.length} properties; without a grammar: ${[...unknown].join(' ')}`);
