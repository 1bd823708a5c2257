// The engine in this page: pages of components, opened from plans, with the module that runs them.
// docs/browser.md says what may be used from outside.

import { Surface } from './applier.mjs';
import { Wire } from './wire.mjs';
import { clean } from './clean.mjs';
import { format } from './format.mjs';

// What a page can be told to do, by the numbers that the module knows them by.
const COMMANDS = [
  'load', 'open', 'event', 'set', 'call', 'get', 'answer', 'fail', 'finish', 'advance', 'watch',
  'unwatch', 'close', 'left', 'give',
];
const NUMBERS = Object.fromEntries(COMMANDS.map((name, number) => [name, number]));
// A timer of a browser takes no longer wait than this; it is set again then.
const LONGEST_WAIT = 2 ** 31 - 1;

/** The time and the timers of this page. */
const CLOCK = {
  now: () => performance.now(),
  at(time, run) {
    const wait = Math.min(Math.max(time - performance.now(), 0), LONGEST_WAIT);
    const timer = setTimeout(run, Math.ceil(wait));
    return () => clearTimeout(timer);
  },
};

/** Something that a page was asked to do and cannot do; nothing was changed. */
export class Refused extends Error {
  name = 'Refused';
}

/** A module with its plans. */
export class Engine {
  #exports;
  #bytes8 = new Uint8Array(0);
  #floats = new Float64Array(0);
  #pages = new Map();
  #busy = 0;
  #later = [];
  #stopped = null;
  #opening = null;

  /**
   * Loads the engine and its plans.
   * @param {Promise<Response> | Response | BufferSource | WebAssembly.Module} module
   * @param {Promise<Response> | Response | BufferSource} plans
   */
  static async load(module, plans) {
    const engine = new Engine();
    const imports = { './surroundings.mjs': engine.surroundings() };
    const [instance, bytes] = await Promise.all([instantiated(await module, imports), read(await plans)]);
    engine.#start(instance.exports, bytes);
    return engine;
  }

  /**
   * Uses a module that is started elsewhere, such as one of a host in Rust.
   * @param {(surroundings: object) => void} surround is told what the module calls
   * @param {Promise<object>} exports what the module exports, once it is started
   */
  static async around(surround, exports, plans) {
    const engine = new Engine();
    surround(engine.surroundings());
    engine.#start(await exports, await read(await plans));
    return engine;
  }

  #start(exports, plans) {
    this.#exports = exports;
    this.run(0, 'load', new Uint8Array(plans), 0);
  }

  /** What the module calls. */
  surroundings() {
    const text = (at, length) => new TextDecoder().decode(this.#bytes(at, length));
    const given = (at, length) => Wire.read(this.#bytes(at, length));
    const answer = (value) => {
      const bytes = Wire.write(value);
      const place = this.#exports.vein_answer(bytes.length);
      this.#memory.set(bytes, place);
    };
    return {
      ask: (page, name, nameLength, args, argsLength) => {
        try {
          const host = (this.#pages.get(page) ?? this.#opening)?.host ?? {};
          answer([asked(host, text(name, nameLength), given(args, argsLength))]);
        } catch (error) {
          answer([null, error?.message ?? String(error)]);
        }
      },
      format: (page, name, nameLength, args, argsLength) => {
        const { locale } = this.#pages.get(page) ?? this.#opening ?? {};
        const [what, values] = [text(name, nameLength), given(args, argsLength)];
        answer(what === 'clean' ? clean(values[0]) : format(what, values, locale ?? {}));
      },
      changed: (page) => {
        this.#pages.get(page)?.fetch();
      },
    };
  }

  /** The module's memory; it moves when it grows. */
  get #memory() {
    const { buffer } = this.#exports.memory;
    if (this.#bytes8.buffer !== buffer) {
      this.#bytes8 = new Uint8Array(buffer);
      this.#floats = new Float64Array(buffer);
    }
    return this.#bytes8;
  }

  #bytes(at, length) {
    return this.#memory.subarray(at, at + length);
  }

  /**
   * Opens a component.
   * @param {string} component its name
   * @param {object} options `into`: the element that shows it; `props`; `host`: what it asks, by name;
   *   `takeOver`: whether what stands in the element was written for it; `locale` and `zone`; `clock`
   */
  open(component, { into, props = {}, host = {}, takeOver = false, locale, zone, clock = CLOCK, seen } = {}) {
    if (!into) throw new Refused(`open('${component}') is told no element to show it in: give it one as \`into\``);
    const page = new Page(this, { into, host, locale: { locale, zone }, clock, seen });
    this.#opening = page;
    try {
      page.begin(component, props, takeOver, (number) => this.#pages.set(number, page));
    } finally {
      this.#opening = null;
    }
    return page;
  }

  /**
   * Has the module do something, and gives what came of it: patches, what is told, when to call again.
   * The patches lie in the module's memory until it is told something else.
   */
  run(page, command, given, now) {
    if (this.#stopped) throw new Refused(`the engine has stopped: ${this.#stopped.message}`);
    const bytes = given instanceof Uint8Array ? given : Wire.write(given);
    return this.#guarded(() => {
      const inbox = this.#exports.vein_inbox(bytes.length);
      this.#memory.set(bytes, inbox);
      return this.#outcome(this.#exports.vein_do(page, NUMBERS[command], now));
    });
  }

  /** What the module did to a page by itself; `null` at last. */
  fetched(page) {
    return this.#guarded(() => this.#outcome(this.#exports.vein_fetch(page)));
  }

  /** Lets what is answered in the module begin. */
  begin() {
    this.#guarded(() => this.#exports.vein_begin());
  }

  /** A module that fails has come to its end; the view stays as it is, and it is said once. */
  #guarded(run) {
    try {
      return run();
    } catch (error) {
      if (error instanceof Refused) throw error;
      this.#stopped = error;
      for (const page of this.#pages.values()) page.halt();
      const stopped = new Error(`Vein's engine has stopped (${error.message}). What is shown stays as it is; reload the page.`, { cause: error });
      reportError(stopped);
      document.dispatchEvent(new CustomEvent('vein-stopped', { detail: stopped }));
      throw new Refused(stopped.message);
    }
  }

  #outcome(at) {
    if (at === 0) {
      throw new Refused('a pulse is under way: a function that is asked cannot change the page that asks it');
    }
    const bytes = this.#memory;
    const numbers = this.#floats;
    const place = at / 8;
    const outcome = { patches: null, told: null, due: numbers[place + 4] };
    const part = (number) => {
      const begin = numbers[place + number];
      const length = numbers[place + number + 1];
      return length > 0 ? bytes.subarray(begin, begin + length) : null;
    };
    outcome.patches = part(0);
    const told = part(2);
    if (told) outcome.told = Wire.read(told);
    if (outcome.told?.error !== undefined) throw new Refused(outcome.told.error);
    return outcome;
  }

  /** Runs something that sets off pulses; what comes up meanwhile waits for its end. */
  inTurn(run) {
    this.#busy++;
    try {
      return run();
    } finally {
      this.#busy--;
      while (this.#busy === 0 && this.#later.length > 0) this.inTurn(this.#later.shift());
    }
  }

  /** Runs something now, or when what is under way is done. */
  soon(run) {
    if (this.#busy > 0) this.#later.push(run);
    else this.inTurn(run);
  }

  /** Whether the module has come to its end. */
  get stopped() {
    return this.#stopped !== null;
  }

  forget(number) {
    this.#pages.delete(number);
  }
}

/** A component on a page. */
export class Page {
  #engine;
  #number = null;
  #clock;
  #seen;
  #surface;
  #due = Infinity;
  #cancel = null;
  #listeners = new Map();
  #watchers = new Map();
  #asked = new Map();

  constructor(engine, { into, host, locale, clock, seen }) {
    this.#engine = engine;
    this.host = host;
    this.locale = locale;
    this.#clock = clock;
    this.#seen = seen;
    this.#surface = new Surface(into, (told) => this.#engine.soon(() => this.#hear(told)));
  }

  /** For the engine: opens it. */
  begin(component, props, takeOver, opened) {
    const answered = Object.keys(this.host).filter((name) => name !== 'default');
    this.#engine.inTurn(() => {
      const outcome = this.#engine.run(0, 'open', [component, props, answered], this.#clock.now());
      this.#number = outcome.told.page;
      opened(this.#number);
      if (takeOver && outcome.patches) this.taken = this.#surface.takeOver(outcome.patches);
      this.#follow(outcome, takeOver);
    });
  }

  /** Writes a value to a prop or to state, by a path such as `threshold` or `beds[3].moisture`. */
  set(path, value) {
    this.#do('set', [path, value]);
  }

  /** The value at a path. */
  get(path) {
    return this.#do('get', [path]).told.value;
  }

  /** Calls a handler of the component, `pour`, or of a store, `tank.draw`. */
  call(handler, ...args) {
    this.#do('call', [handler, args]);
  }

  /** Has the component, or one inside it by its address, give one of its events. */
  give(owner, event, payload) {
    this.#do('give', [owner, event, payload]);
  }

  /** Calls a function with the value at a path, now and whenever it has become another. Gives what ends that. */
  watch(path, changed) {
    const { told } = this.#do('watch', [path]);
    this.#watchers.set(told.watch, changed);
    changed(told.value);
    return () => {
      if (this.#watchers.delete(told.watch) && this.#number !== null) this.#do('unwatch', [told.watch]);
    };
  }

  /** Calls a function with the payload of each event of a name that the component gives. Gives what ends that. */
  on(event, given) {
    const here = this.#listeners.get(event) ?? new Set();
    this.#listeners.set(event, here);
    here.add(given);
    return () => here.delete(given);
  }

  /** Answers a question by its number; for hosts that answer by hand. */
  answer(id, value) {
    this.#settle(id, 'answer', value);
  }

  /** Says why there is no answer. */
  fail(id, reason) {
    this.#settle(id, 'fail', reason);
  }

  /** Ends a stream that has no more to say. */
  finish(id) {
    this.#settle(id, 'finish', null);
  }

  /** What there is of everything that comes and goes. */
  left() {
    return this.#do('left', []).told.left;
  }

  /** Removes the component with everything that it subscribed to, and gives what is left of it: nothing. */
  close() {
    if (this.#number === null) return null;
    const { told } = this.#do('close', []);
    this.halt();
    this.#engine.forget(this.#number);
    this.#number = null;
    return told.left;
  }

  /** For the engine: nothing more comes. */
  halt() {
    this.#cancel?.();
    this.#cancel = null;
    this.#due = Infinity;
    for (const asked of this.#asked.values()) asked.abort();
    this.#asked.clear();
  }

  /** For the engine: what the module has done by itself. */
  fetch() {
    this.#engine.soon(() => {
      for (;;) {
        const outcome = this.#number === null ? null : this.#engine.fetched(this.#number);
        if (!outcome?.patches && !outcome?.told) return;
        this.#follow(outcome);
      }
    });
  }

  #do(command, given) {
    if (this.#number === null) throw new Refused('this page is closed');
    return this.#engine.inTurn(() => {
      this.#catchUp();
      const outcome = this.#engine.run(this.#number, command, given, this.#clock.now());
      this.#follow(outcome);
      if (outcome.told?.fault && command !== 'event') throw new Refused(outcome.told.fault);
      return outcome;
    });
  }

  #hear({ event, seen, reached, fields, restored }) {
    // A page whose engine has stopped stays as it is; that was said.
    if (this.#number === null || this.#engine.stopped) return;
    try {
      this.#seen?.told?.({ event, seen, reached, fields, restored });
      this.#do('event', [event, reached.flat(), fields, seen, restored?.flat() ?? null]);
    } catch (error) {
      if (!this.#engine.stopped) reportError(error);
    }
  }

  #settle(id, command, value) {
    this.#engine.soon(() => {
      if (this.#number === null || this.#engine.stopped) return;
      try {
        this.#do(command, [id, value]);
      } catch (error) {
        if (!this.#engine.stopped) reportError(error);
      }
    });
  }

  /** What was due before now comes before what is done now. */
  #catchUp() {
    while (this.#due < Infinity && this.#due <= this.#clock.now()) {
      this.#follow(this.#engine.run(this.#number, 'advance', [], this.#clock.now()));
    }
  }

  /** Shows and passes on what came of a command. */
  #follow({ patches, told, due }, taken = false) {
    if (due !== this.#due) {
      this.#due = due;
      this.#cancel?.();
      this.#cancel = due < Infinity ? this.#clock.at(due, () => this.#wake()) : null;
    }
    if (patches) {
      this.#seen?.patches?.(patches.slice().buffer);
      if (!taken) this.#surface.apply(patches);
    }
    if (!told) return;
    for (const problem of told.problems ?? []) console.warn(`Vein: ${problem}`);
    if (told.fault) console.error(`Vein: ${told.fault}; everything was taken back`);
    this.#seen?.pulse?.(told);
    for (const id of told.dropped ?? []) {
      this.#asked.get(id)?.abort();
      this.#asked.delete(id);
    }
    for (const question of told.asked ?? []) this.#ask(question);
    for (const [number, value] of told.watched ?? []) {
      const changed = this.#watchers.get(number);
      if (changed) this.#engine.soon(() => changed(value));
    }
    for (const [name, payload] of told.given ?? []) {
      for (const given of this.#listeners.get(name) ?? []) this.#engine.soon(() => given(payload));
    }
    this.#engine.begin();
  }

  #wake() {
    this.#engine.soon(() => {
      if (this.#number === null) return;
      this.#cancel = null;
      const due = this.#due;
      this.#catchUp();
      // Timers of a browser may come a little early.
      if (this.#due === due && due < Infinity) {
        this.#cancel = this.#clock.at(due, () => this.#wake());
      }
    });
  }

  /** Has the host answer a question: with a value, a promise, or an iterable of what comes. */
  async #ask({ id, name, streams, args }) {
    const asked = new AbortController();
    this.#asked.set(id, asked);
    const { signal } = asked;
    try {
      const answer = answerOf(this.host, name, [...args, { signal }]);
      if (!streams) {
        const value = await answer;
        if (!signal.aborted) this.answer(id, value);
      } else {
        for await (const value of answer) {
          if (signal.aborted) break;
          this.answer(id, value);
        }
        if (!signal.aborted) this.finish(id);
      }
    } catch (error) {
      if (!signal.aborted) this.fail(id, error?.message ?? String(error));
    } finally {
      if (this.#asked.get(id) === asked) this.#asked.delete(id);
    }
  }
}

/** What a host says to a question: it may hold functions, or what they would give. */
function answerOf(host, name, args) {
  const answer = host[name];
  return typeof answer === 'function' ? answer(...args) : answer;
}

function asked(host, name, args) {
  const value = answerOf(host, name, args);
  if (typeof value?.then === 'function') {
    throw new Error('it is asked at once and gives a promise: declare it with `awaits`');
  }
  return value;
}

async function read(source) {
  if (!(source instanceof Response)) return source;
  if (!source.ok) throw new Error(`${source.url} cannot be had (${source.status})`);
  return source.arrayBuffer();
}

async function instantiated(source, imports) {
  if (source instanceof WebAssembly.Module) return WebAssembly.instantiate(source, imports);
  // Not every file server says what it serves.
  const streams = source instanceof Response && source.ok
    && source.headers.get('content-type') === 'application/wasm';
  const { instance } = streams
    ? await WebAssembly.instantiateStreaming(source, imports)
    : await WebAssembly.instantiate(await read(source), imports);
  return instance;
}
