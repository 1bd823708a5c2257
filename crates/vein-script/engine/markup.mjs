// Markup from data, cleaned as the engine outside a browser cleans it: crates/vein-view/src/clean.rs. The
// browser's parser reads it in a document that shows nothing and runs nothing.

/** What stays, by the sanitiser that is used outside: whoever makes the page puts it in. */
export const RULES = {};

/** The namespaces of elements. */
export const HTML = 'http://www.w3.org/1999/xhtml';

export const SVG = 'http://www.w3.org/2000/svg';

export const MATHML = 'http://www.w3.org/1998/Math/MathML';

/** Addresses of other schemes could run something. What is no address at all goes, too. */
export function isHarmlessUrl(url) {
  try {
    return RULES.schemes.includes(new URL(url).protocol.slice(0, -1));
  } catch {
    // Without a scheme it is relative to the page.
    return !/^[\0- ]*[a-z][a-z0-9+.-]*:/i.test(url.replace(/[\t\n\r]/g, ''));
  }
}

/** Whether an element can stand where it does: what changes the language in between is a trick. */
export function fitsInside(parent, element) {
  const [around, own] = [parent.namespaceURI, element.namespaceURI];
  if (around === HTML && own === SVG) return element.localName === 'svg';
  if (around === HTML && own === MATHML) return element.localName === 'math';
  if (around !== own) return false;
  return own !== HTML || !RULES.gone.includes(element.localName);
}

export function attributesThatStay(element, name) {
  const own = RULES.tags[name];
  const kept = [];
  for (const { name: attribute, value } of element.attributes) {
    if (!own.includes(attribute) && !RULES.all.includes(attribute)) continue;
    if ((attribute === 'href' || attribute === 'src') && !isHarmlessUrl(value)) continue;
    kept.push([attribute, value]);
  }
  if (name === 'a') kept.push(['rel', 'noopener noreferrer']);
  return kept;
}

/** Puts what may stay of an element's content into another. */
export function keepClean(from, into) {
  const left = [...from.childNodes].reverse().map((node) => [node, into]);
  while (left.length > 0) {
    const [node, parent] = left.pop();
    if (node.nodeType === Node.TEXT_NODE) parent.append(node.data);
    if (node.nodeType !== Node.ELEMENT_NODE) continue;
    const name = node.localName;
    if (name === 'script' || name === 'style' || !fitsInside(parent, node)) continue;
    let inside = parent;
    if (Object.hasOwn(RULES.tags, name) && node.namespaceURI === HTML) {
      inside = parent.ownerDocument.createElement(name);
      for (const [attribute, value] of attributesThatStay(node, name)) inside.setAttribute(attribute, value);
      parent.append(inside);
    }
    for (const child of [...node.childNodes].reverse()) left.push([child, inside]);
  }
}

export function parsedMarkup(markup) {
  const place = document.implementation.createHTMLDocument('').createElement('div');
  // What stands in there is read in two ways, by whether a document runs scripts.
  // By the standard a `<` before NUL begins nothing, and NUL is no text; browsers show something in its place.
  place.innerHTML = markup.replace(/<(\/?)noscript/gi, '<$1x-noscript').replace(/<\0/g, '&lt;');
  return place;
}

/** The nodes of an element in order: texts, elements as lists of name and attributes, and `null` for each end. */
export function flatNodes(root) {
  const out = [];
  const left = [...root.childNodes].reverse();
  let depth = 0;
  while (left.length > 0) {
    const node = left.pop();
    if (node === null) {
      depth--;
      out.push(null);
    } else if (node.nodeType === Node.TEXT_NODE) {
      out.push(node.data);
    } else if (node.nodeType === Node.ELEMENT_NODE && node.namespaceURI === HTML) {
      out.push([node.localName, ...[...node.attributes].flatMap(({ name, value }) => [name, value])]);
      if (depth < RULES.deepest) {
        depth++;
        left.push(null);
      } else {
        out.push(null);
      }
      left.push(...[...node.childNodes].reverse());
    }
  }
  return out;
}

/** What may be shown of markup. What is huge, or cannot be read here, is shown as the text that it is. */
export function cleanMarkup(markup) {
  const bounded = new TextEncoder().encode(markup).length <= RULES.bytes && markup.split('<').length - 1 <= RULES.openings;
  if (markup === '') return [];
  try {
    if (bounded) {
      const kept = document.implementation.createHTMLDocument('').createElement('div');
      keepClean(parsedMarkup(markup), kept);
      return flatNodes(parsedMarkup(kept.innerHTML));
    }
  } catch {
    // A page may forbid to read markup from texts.
  }
  return [markup.replaceAll('\0', '\ufffd')];
}

/** A place where markup from data stands. */
export class Markup extends Place {
  held = [];
  shown = [];
  nodesShown = [];
  waits = false;
  begin(value) {
    this.held = cleanMarkup(plain(value));
  }
  bring() {
    bringMarkup(this);
  }
  inside() {}
  pend() {}
  choose(value) {
    const cleaned = cleanMarkup(plain(value));
    if (same(cleaned, this.held)) return;
    undo.push(this, 'held', this.held);
    this.held = cleaned;
    if (this.waits) return;
    undo.push(this, 'waits', false);
    this.waits = true;
    later.push(bringMarkup, this, null);
  }
  first() {
    return this.nodesShown[0] ?? null;
  }
  nodes(into) {
    into.push(...this.nodesShown);
  }
}

/** Has the document show markup that was cleaned. */
export function bringMarkup(place) {
  place.waits = false;
  if (same(place.shown, place.held)) return;
  place.shown = place.held;
  for (const node of place.nodesShown) node.remove();
  const made = document.createDocumentFragment();
  let at = made;
  for (const node of place.held) {
    if (node === null) at = at.parentNode;
    else if (typeof node === 'string') at.append(node);
    else {
      const [name, ...attributes] = node;
      const element = document.createElement(name);
      for (let i = 0; i < attributes.length; i += 2) element.setAttribute(attributes[i], attributes[i + 1]);
      at.append(element);
      at = element;
    }
  }
  place.nodesShown = [...made.childNodes];
  const [into, before] = placeOf(place.scope, place.number);
  into.insertBefore(made, before);
}
