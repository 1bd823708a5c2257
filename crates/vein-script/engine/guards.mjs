// What stands between data and a page: addresses that could run something, styles that could end their declaration.

/** What an attribute with an address shows of a value. */
export function safeUrl(value) {
  const shown = presence(value);
  return shown === null || isSafeUrl(shown) ? shown : 'about:blank';
}

/** Whether following an address cannot run anything. */
export function isSafeUrl(url) {
  const [, scheme, rest] = /^([^:]*):(.*)$/s.exec(url.replace(/^[\0- ]+/, '').replace(/[\t\n\r]/g, '')) ?? [];
  if (scheme === undefined || !/^[a-z][a-z0-9+\-.]*$/i.test(scheme)) return true;
  return /^(https?|mailto|tel)$/i.test(scheme)
    || (/^data$/i.test(scheme) && /^image\/(png|jpeg|gif|webp|avif)[;,]/i.test(rest));
}

/** A value as it is shown, before anything is replaced in it. */
export const plain = (value) => (value === null ? '' : `${value}`.toWellFormed());

/** What `style` shows of a value. */
export function declarations(value) {
  if (value === null || value === false) return null;
  if (typeof value !== 'object') return textOf(value);
  const all = [value].flat(Infinity).flatMap((item) => {
    if (item !== null && typeof item === 'object') return declared(item);
    const piece = item ? trimmed(plain(item)).replace(/;+$/, '') : '';
    return piece === '' ? [] : [piece];
  });
  return all.length === 0 ? null : all.map((piece) => `${piece};`).join(' ').replaceAll('\0', '\ufffd');
}

/** The fields of a record as declarations; a value that could end its own is left out. */
export function declared(record) {
  return Object.entries(record).flatMap(([name, value]) => {
    if (value === null || typeof value === 'boolean') return [];
    const shown = plain(value);
    if (shown === '' || !isOneCssValue(shown)) return [];
    const property = name.startsWith('--') ? name : name.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`);
    return [`${property}: ${shown}`];
  });
}

/** A text without white space at its end, as Unicode has that. */
export const trimmedEnd = (text) => text.replace(/[\t-\r \x85\xa0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000]+$/, '');

/** A text without white space around it. */
export const trimmed = (text) => trimmedEnd(text.replace(/^[\t-\r \x85\xa0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000]+/, ''));

/** Where a text of CSS stands, character by character. */
export class Css {
  open = [];
  quote = null;
  /** Goes on by a character: `false` where what follows could mean anything. */
  next(c) {
    if (c === '\\' || c === '\0') return false;
    if (this.quote !== null) {
      if (c === '\n' || c === '\r' || c === '\f') return false;
      if (c === this.quote) this.quote = null;
    } else if (c === '"' || c === "'") this.quote = c;
    else if (c === '(') this.open.push(')');
    else if (c === '[') this.open.push(']');
    else if (c === ')' || c === ']') return this.open.pop() === c;
    return true;
  }
  get isInside() {
    return this.quote !== null || this.open.length > 0;
  }
}

/** Whether a text stays inside one declaration of CSS, whatever a parser makes of it, and fetches nothing. */
export function isOneCssValue(text) {
  const entire = trimmedEnd(text);
  const at = new Css();
  for (const c of entire.endsWith('!important') ? entire.slice(0, -10) : entire) {
    if ((at.quote === null && ';{}!<>@'.includes(c)) || !at.next(c)) return false;
  }
  return !at.isInside && !/url\(|image\(|image-set\(|src\(|expression\(|\/\*|\*\//i.test(entire);
}

/** What of a text may stand in the middle of a declaration that somebody has written: all of it or nothing. */
export function pieceOfCss(value) {
  const shown = plain(value);
  return isOneCssValue(shown) && !/["']/.test(shown) ? shown : '';
}

/** A text with those of its declarations that stay one each and fetch nothing. */
export function cleanDeclarations(value) {
  if (typeof value !== 'string') return value;
  const entire = value.toWellFormed();
  const [at, all] = [new Css(), ['']];
  let understood = true;
  for (const c of entire) {
    understood = understood && at.next(c);
    if (c === ';' && understood && !at.isInside) all.push('');
    else all[all.length - 1] += c;
  }
  const kept = all.filter((declaration) => {
    const colon = declaration.indexOf(':');
    if (colon < 0) return trimmed(declaration) === '';
    const name = trimmed(declaration.slice(0, colon));
    return /^[a-z0-9_-]+$/i.test(name) && isOneCssValue(declaration.slice(colon + 1));
  });
  return kept.length === all.length ? entire : trimmed(kept.join(';'));
}
