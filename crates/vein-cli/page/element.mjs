// A component as a custom element (HTML standard, "custom elements"), with everything that it needs in
// this file.

import { FACE, Opened } from './component.mjs';
import { ELEMENT } from './built.mjs';
import * as own from './host.js';

/** What the component asks, by name; a page may say more, or other, before elements come into it. */
export const host = { ...own };

const sheet = new CSSStyleSheet();
sheet.replaceSync(ELEMENT.css);
const props = new Map(ELEMENT.props.map((prop) => [prop.name, prop]));
const byAttribute = new Map(ELEMENT.props.map((prop) => [prop.attribute, prop]));
const required = ELEMENT.props.filter((prop) => prop.required).map((prop) => prop.name);

/** The value that an attribute's text means; throws where it means none of the prop's type. */
function meant(prop, text) {
  switch (prop.kind) {
    case 'boolean': return text !== 'false';
    case 'string': return text;
    case 'number': {
      const number = text.trim() === '' ? NaN : Number(text);
      if (Number.isNaN(number)) throw new TypeError('it is no number');
      return number;
    }
    case 'words':
      if (!prop.words.includes(text)) throw new TypeError(`it is none of ${prop.words.join(', ')}`);
      return text;
    default: return JSON.parse(text);
  }
}

/** How an attribute says a value; `null` where it is absent. */
function said(prop, value) {
  if (value === null || value === undefined) return null;
  if (prop.kind === 'boolean') return value ? '' : (prop.value === true ? 'false' : null);
  return prop.kind === 'json' ? JSON.stringify(value) : String(value);
}

/** The component as an element. */
export class Element extends HTMLElement {
  static observedAttributes = [...byAttribute.keys()];

  #values = new Map();
  #page = null;
  #writing = false;
  #waits = false;
  // Whether all attributes that it came with were heard of, and it is in a document.
  #placed = false;

  constructor() {
    super();
    const root = this.attachShadow({ mode: 'open' });
    root.adoptedStyleSheets = [sheet];
  }

  /** The component's page, as long as the element is in a document; see docs/browser.md. */
  get page() {
    return this.#page;
  }

  connectedCallback() {
    // What was set before the element was known stands in the way of the properties.
    for (const { name } of ELEMENT.props) {
      if (!Object.hasOwn(this, name)) continue;
      const value = this[name];
      delete this[name];
      this[name] = value;
    }
    this.#placed = true;
    this.#open();
  }

  disconnectedCallback() {
    // Whoever is moved comes back at once, as it is.
    queueMicrotask(() => {
      if (this.isConnected) return;
      this.#placed = false;
      this.#close();
    });
  }

  connectedMoveCallback() {}

  attributeChangedCallback(attribute, _, text) {
    if (this.#writing) return;
    const prop = byAttribute.get(attribute);
    let value = undefined;
    try {
      if (text !== null) value = meant(prop, text);
    } catch (error) {
      console.warn(`<${this.localName} ${attribute}="${text}"> means nothing (${error.message}): \`${prop.name}\` is as if it were not given`);
    }
    this.#take(prop, value);
  }

  static {
    for (const { name } of ELEMENT.props) {
      Object.defineProperty(this.prototype, name, {
        configurable: true,
        enumerable: true,
        get() { return this.#value(name); },
        set(value) { this.#take(props.get(name), value); },
      });
    }
  }

  /** What a prop is now. */
  #value(name) {
    if (this.#page) return this.#page.get(name);
    return this.#values.has(name) ? this.#values.get(name) : props.get(name).value;
  }

  /** Gives a prop a value, or its default for `undefined`. */
  #take(prop, value) {
    const next = value === undefined ? prop.value : value;
    if (this.#page && next !== undefined) this.#page.set(prop.name, next);
    if (value === undefined) this.#values.delete(prop.name);
    else this.#values.set(prop.name, value);
    this.#reflect(prop, next);
    if (this.#page && prop.required && value === undefined) this.#close();
    if (this.#placed) this.#open();
  }

  /** An attribute that is there says what the property is. */
  #reflect(prop, value) {
    const text = said(prop, value);
    const now = this.getAttribute(prop.attribute);
    let agrees = now === text;
    try {
      agrees ||= now !== null && said(prop, meant(prop, now)) === text && text !== null;
    } catch { /* it means nothing */ }
    if (agrees || (!prop.reflects && now === null)) return;
    this.#writing = true;
    if (!prop.reflects || text === null) this.removeAttribute(prop.attribute);
    else this.setAttribute(prop.attribute, text);
    this.#writing = false;
  }

  #open() {
    if (this.#page) return;
    const lacks = required.filter((name) => !this.#values.has(name));
    if (lacks.length > 0) {
      this.#wait(lacks);
      return;
    }
    try {
      this.#page = new Opened(FACE, { into: this.shadowRoot, props: Object.fromEntries(this.#values), host });
    } catch (error) {
      reportError(new Error(`<${this.localName}> cannot be shown: ${error.message}`, { cause: error }));
      return;
    }
    for (const name of ELEMENT.events) {
      this.#page.on(name, (detail) => {
        this.dispatchEvent(new CustomEvent(name, { detail, bubbles: true, composed: true }));
      });
    }
    for (const prop of ELEMENT.props) {
      this.#page.watch(prop.name, (value) => {
        if (this.#values.has(prop.name) || value !== prop.value) this.#values.set(prop.name, value);
        if (prop.reflects || this.hasAttribute(prop.attribute)) this.#reflect(prop, value);
      });
    }
  }

  /** What is still to come may come in the same turn; if it does not, that is said. */
  #wait(lacks) {
    if (this.#waits) return;
    this.#waits = true;
    setTimeout(() => {
      this.#waits = false;
      if (!this.#page && this.isConnected) {
        console.warn(`<${this.localName}> shows nothing until it is given ${lacks.join(', ')}`);
      }
    });
  }

  #close() {
    const page = this.#page;
    this.#page = null;
    page?.close();
    this.shadowRoot.replaceChildren();
  }
}

// `?as=other-name` on the file's address gives the element another name, so that two versions can
// stand in one document.
const tag = new URL(import.meta.url).searchParams.get('as') ?? ELEMENT.tag;
if (customElements.get(tag)) {
  console.warn(`there is an element <${tag}> already, and it stays; add \`?as=another-name\` to the file's address`);
} else {
  customElements.define(tag, Element);
}
