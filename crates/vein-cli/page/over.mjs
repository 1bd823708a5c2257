// What stands over a served page: mistakes, with what mends them, and in a corner what else should be known.

const make = (name, properties = {}, ...inside) => {
  const element = Object.assign(document.createElement(name), properties);
  element.append(...inside);
  return element;
};

export class Over {
  #say;
  #token;
  #place;
  #mistakes;
  #notes;
  #bar;
  #trouble = [];
  #host = null;
  #noted = [];
  #open = false;
  // Whether mistakes are folded, so that what stands below can be seen.
  #folded = false;
  #past = null;

  constructor(say, token) {
    this.#say = say;
    this.#token = token;
    this.#bar = document.querySelector('body > #link');
    this.#mistakes = make('section', { id: 'mistakes', hidden: true });
    this.#mistakes.setAttribute('role', 'alert');
    this.#notes = make('aside', { id: 'notes', hidden: true });
    this.#place = make('div', { id: 'vein-over' });
    const shadow = this.#place.attachShadow({ mode: 'open' });
    shadow.append(make('link', { rel: 'stylesheet', href: '/vein/over.css' }), this.#mistakes, this.#notes);
    document.body.append(this.#place);
    shadow.addEventListener('keydown', (event) => {
      if (event.key === 'Escape' && this.#open) this.#unfold(false);
    });
  }

  /** What keeps the files from being shown. */
  trouble(all) {
    this.#trouble = all;
    this.#show();
  }

  /** Why the host module cannot be used. */
  host(text) {
    this.#host = text;
    this.#show();
  }

  #show() {
    const all = this.#host === null ? this.#trouble : [{ text: this.#host }, ...this.#trouble];
    this.#mistakes.hidden = all.length === 0;
    if (all.length === 0) {
      this.#mistakes.replaceChildren();
      return;
    }
    const head = all.length === 1 ? 'A mistake' : `${all.length} mistakes`;
    const each = all.map(({ text, fix, afresh }) => {
      const [first, ...lines] = text.split('\n');
      const said = make('pre', {}, make('strong', { textContent: first }), ...lines.map((line) => `\n${line}`));
      const item = make('li', {}, said);
      if (fix) {
        // Which it is counts among those of the files, which come first there.
        const which = this.#trouble.findIndex((known) => known.text === text);
        const click = () => this.#say({ mend: [which, this.#token] });
        item.append(this.#button(`Mend it: ${fix}`, click));
      }
      if (afresh) item.append(this.#button('Begin anew, without what the page held', () => this.#say('afresh')));
      return item;
    });
    const goes = all.length === 1 ? 'This goes when it is mended.' : 'They go when they are mended.';
    const fold = this.#button(this.#folded ? 'Show' : 'See the page', () => {
      this.#folded = !this.#folded;
      this.#show();
      this.#mistakes.querySelector('button').focus();
    });
    fold.setAttribute('aria-expanded', String(!this.#folded));
    const top = make('header', {}, make('h1', { textContent: head }), make('p', { textContent: goes }), fold);
    this.#mistakes.replaceChildren(top, make('ol', { hidden: this.#folded }, ...each));
  }

  #button(text, click) {
    const button = make('button', { type: 'button', textContent: text });
    button.addEventListener('click', click);
    return button;
  }

  /** What should be known and keeps nobody from anything: each with how often it was told. */
  notes(all) {
    this.#noted = all;
    this.#notes.hidden = all.length === 0;
    const count = all.length === 1 ? '1 note' : `${all.length} notes`;
    const items = all.map(([text, times]) => {
      const often = times > 1 ? [make('span', { textContent: `${times} times` })] : [];
      return make('li', {}, make('pre', { textContent: text }), ...often);
    });
    const button = this.#button(count, () => this.#unfold(!this.#open));
    button.setAttribute('aria-expanded', String(this.#open));
    button.setAttribute('aria-controls', 'list');
    this.#notes.replaceChildren(make('ol', { id: 'list', hidden: !this.#open }, ...items), button);
  }

  #unfold(open) {
    this.#open = open;
    const had = this.#place.shadowRoot.activeElement !== null;
    this.notes(this.#noted);
    if (had) this.#notes.querySelector('button').focus();
  }

  /** The server is gone, or back. */
  away(gone) {
    this.#bar.textContent = gone ? 'The server is gone. This page comes back by itself, as it is, when the server does.' : '';
    this.#bar.hidden = !gone;
  }

  /** The page is shown as it was after a pulse; `null` when it is shown as it is. */
  past(moment) {
    this.#past ??= this.#place.shadowRoot.appendChild(make('p', { id: 'past' }));
    this.#past.hidden = moment === null;
    this.#past.textContent = `As it was after pulse ${moment}. Whatever is done goes on from here.`;
  }

  /** The page cannot go on. */
  broken(text) {
    this.#trouble = [{ text }];
    this.#show();
  }
}
