// A component on a page, as whoever opens it has it in hand.

/** What cannot be done, which changes nothing. */
export class Refused extends Error {}

/** The clock of the document, in milliseconds. */
export const CLOCK = {
  now: () => performance.now(),
  at(due, run) {
    const timer = setTimeout(run, Math.max(0, due - performance.now()));
    return () => clearTimeout(timer);
  },
  /** Whether what is due may go on without anything else being listened to. */
  patience() {
    const end = performance.now() + 50;
    return () => performance.now() < end;
  },
};

/** What is told of a pulse that was taken back. */
export const toldFault = (fault) => {
  if (fault instanceof Fault) console.error(`Vein: ${fault.message}; everything was taken back`, fault);
  else reportError(fault);
};

/** Pages whose timers run with a clock. */
export const clocked = new Set();

/** What was due before now comes before what is done now. */
export function catchUp() {
  for (const page of clocked) if (page.timers.size > 0) page.advance(page.now(), page.clock.patience?.());
}

/**
 * Has the timers of a page run with a clock, and its questions answered by its host. A clock may say what time of day it is when a page
 * is opened, as `day` in milliseconds since 1970, and what chance begins with, as `seed`.
 */
export function begins(page, clock, asks) {
  const start = clock.now();
  Object.assign(page, { clock, began: start, now: () => clock.now() - start, schedule, asks, drops, day: clock.day, chance: clock.seed });
  clocked.add(page);
  turn.catchUp = catchUp;
}

/** Has a page wake when something is due next. */
export function schedule() {
  const due = Math.min(...Array.from(this.timers, (timer) => timer.due));
  if (due === this.due) return;
  this.cancel?.();
  this.due = due;
  this.cancel = Number.isFinite(due) ? this.clock.at(due + this.began, () => {
    this.due = undefined;
    this.advance(this.now(), this.clock.patience?.());
    this.schedule();
  }) : undefined;
}

/** Has whoever works on a question know that nobody waits for it any more. */
export function drops(question) {
  question.dropped = true;
  question.abort?.abort();
}

/** Has the host answer a question: with a value, a promise, or an iterable of what comes. */
export async function askAnswer(question) {
  const beside = {
    // Most hosts do not ask for it.
    get signal() {
      question.abort ??= new AbortController();
      if (question.dropped) question.abort.abort();
      return question.abort.signal;
    },
  };
  try {
    const answer = this.host[question.name];
    const said = typeof answer === 'function' ? answer.call(this.host, ...question.args, beside) : answer;
    if (!question.streams) {
      this.answer(question, await said);
    } else {
      for await (const value of said) {
        if (question.dropped) break;
        this.answer(question, value);
      }
      this.questions.delete(question);
    }
  } catch (error) {
    this.fail(question, error?.message ?? String(error));
  }
}

/** Props as a component takes them; throws where they are none of it. */
export function fitProps({ name, props }, given) {
  const known = Object.keys(props);
  for (const prop of Object.keys(given)) {
    if (!known.includes(prop)) throw new Refused(`\`${name}\` takes no prop \`${prop}\`; ${listed(known)}`);
  }
  const missing = known.filter((prop) => props[prop].needed && given[prop] === undefined);
  if (missing.length > 0) {
    const each = missing.map((prop) => `\`${prop}: ${typeName(props[prop].type)}\``);
    throw new Refused(`\`${name}\` needs ${each.join(', ')}, which the data does not give`);
  }
  const there = known.filter((prop) => given[prop] !== undefined);
  return Object.fromEntries(there.map((prop) => [prop, refusing(() => fitTo(props[prop].type, given[prop], prop))]));
}

/** The key that JSON says between the brackets of a path. */
export function keyIn(quoted, unknown) {
  try {
    return JSON.parse(quoted).toWellFormed();
  } catch {
    throw unknown([]);
  }
}

export const listed = (names) => (names.length === 0 ? 'there are none' : `there are: ${names.join(', ')}`);

/** Runs something; whatever it fails with is what the host is refused. */
export function refusing(run) {
  try {
    return run();
  } catch (error) {
    throw error instanceof Misfit || error instanceof Fault ? new Refused(error.message) : error;
  }
}

/** Reads something between two pulses. */
export function between(read) {
  turn.steps = turn.bytes = 0;
  try {
    return read();
  } catch (fault) {
    takeBack();
    throw fault;
  } finally {
    undo.length = makings.length = later.length = 0;
    unmark(false);
  }
}

/** A page whose timers run with the document's clock. */
export function clockedPage() {
  const page = new Page({}, toldFault);
  begins(page, CLOCK);
  return page;
}

/** Shows a component that nobody drives, in place of what was written beforehand: its props are known to fit. */
export function show(face, into, given) {
  const page = face.page();
  const values = face.data?.(given) ?? given;
  turnOver(() => {
    for (const [number, kind] of face.kinds) page.stores.set(number, new kind(null, {}, page));
    page.root = new face.kind(null, values, page);
  });
  const taken = takeIn(into, page);
  face.listens(into, toldFault);
  turn.shown?.();
  taken.heard();
  page.schedule?.();
}

/** Data that fits, where dictionaries are more than JSON tells. */
export const withTypes = (given, types) => ({ ...given, ...Object.fromEntries(Object.entries(types).filter(([name]) => name in given).map(([name, type]) => [name, fitTo(type, given[name], name)])) });

/** A component on a page. */
export class Opened {
  #face;
  #listens = new AbortController();
  #watchers = new Set();
  #hears = new Map();
  #closed = false;
  constructor(face, { into, props = {}, host = {}, takeOver = false, clock = CLOCK, asks = askAnswer, failed = toldFault }) {
    if (!into) throw new Refused(`\`${face.name}\` is told no element to show it in: give it one as \`into\``);
    const asked = face.asked.filter((name) => !(name in host));
    if (asked.length > 0) {
      const each = asked.map((name) => `\`${name}\``).join(', ');
      throw new Refused(`\`${face.name}\` asks what nobody answers: ${each}; answer each by its name before the page is opened`);
    }
    this.#face = face;
    const page = new Page(host, failed);
    begins(page, clock, asks);
    this.page = page;
    const values = fitProps(face, props);
    try {
      refusing(() => turnOver(() => {
        for (const [number, kind] of face.kinds) page.stores.set(number, new kind(null, {}, page));
        page.root = new face.kind(null, values, page);
      }));
    } catch (error) {
      clocked.delete(page);
      throw error;
    }
    page.root.given$ = (event, args) => this.#given(event, args);
    if (takeOver) this.taken = takeIn(into, page);
    else {
      into.replaceChildren();
      standIn(into, page.root);
    }
    face.listens(into, failed, this.#listens.signal);
    turn.shown?.();
    this.taken?.heard();
    page.schedule();
  }
  /** Writes a value to a prop or to state, by a path such as `threshold` or `beds[3].moisture`. */
  set(path, value) {
    const { scope, cell, name, around, key, type, through } = this.#resolve(path);
    if (!cell.written) throw new Refused(`\`${name}\` is derived and cannot be written: write what it is derived from`);
    this.#do(() => {
      const fitted = fitTo(type, value, path);
      turnOver(() => {
        if (around === null) scope.put$(name, fitted);
        else if (Array.isArray(around) ? put(around, key, fitted) : putEntry(around, key, fitted)) {
          for (const item of through) touch(item);
          scope.told$(name);
        }
      });
    });
  }
  /** The value at a path. */
  get(path) {
    const { scope, cell, around, key } = this.#resolve(path);
    if (around !== null && !(key in around)) throw new Refused(`there is nothing at \`${path}\`; ${listed([])}`);
    return copy(around === null ? between(() => scope[cell.property]) : around[key]);
  }
  /** Calls a handler of the component, `pour`, or of a store, `tank.draw`. */
  call(name, ...args) {
    const [first, second] = name.split('.');
    const store = second === undefined ? undefined : this.#face.stores[first];
    const { handlers } = store ?? this.#face;
    const handler = handlers[store ? second : name];
    if (handler === undefined) {
      const all = Object.entries(this.#face.stores).flatMap(([of, { handlers }]) => Object.keys(handlers).map((own) => `${of}.${own}`));
      throw new Refused(`there is no handler \`${name}\`; ${listed([...Object.keys(this.#face.handlers), ...all])}`);
    }
    if (handler.params.length !== args.length) {
      const params = handler.params.map(([param, type]) => `${param}: ${typeName(type)}`);
      throw new Refused(`\`${name}(${params.join(', ')})\` was called with ${args.length} arguments`);
    }
    this.#do(() => {
      const fitted = handler.params.map(([param, type], at) => fitTo(type, args[at], `${name}(${param})`));
      const scope = store ? this.page.stores.get(store.number) : this.page.root;
      turnOver(() => call(handler.name, scope, handler.method, ...fitted));
    });
  }
  /** Calls a function with the value at a path, now and whenever it has become another. Gives what ends that. */
  watch(path, changed) {
    const watcher = { path, changed, value: this.get(path) };
    this.#watchers.add(watcher);
    watching.add(this);
    turn.notice = noticeAll;
    changed(copy(watcher.value));
    return () => this.#watchers.delete(watcher);
  }
  /** Tells those who watch what has become another. */
  notice() {
    for (const watcher of this.#watchers) {
      let value = null;
      try {
        value = this.get(watcher.path);
      } catch { /* what it stood in has gone */ }
      if (same(value, watcher.value)) continue;
      watcher.value = value;
      watcher.changed(copy(value));
    }
  }
  /** Calls a function with the payload of each event of a name that the component gives. Gives what ends that. */
  on(event, given) {
    const here = this.#hears.get(event) ?? new Set();
    this.#hears.set(event, here);
    here.add(given);
    return () => here.delete(given);
  }
  /** Removes the component with everything that it subscribed to, and gives what is left of it: nothing. */
  close() {
    if (this.#closed) return null;
    const { page } = this;
    const end = () => {
      release(page.root);
      for (const store of [...page.stores.values()].reverse()) release(store);
    };
    try {
      turnOver(end);
    } catch (fault) {
      toldFault(fault);
      // Whatever went wrong in what runs at the end: it is the end.
      turnOver(() => {
        end();
        turn.silence?.();
      });
    }
    takeOut(page.root);
    this.#listens.abort();
    this.#closed = true;
    this.#watchers.clear();
    watching.delete(this);
    page.cancel?.();
    clocked.delete(page);
    return { timers: page.timers.size, questions: page.questions.size };
  }
  #given(event, args) {
    const payload = Object.fromEntries(this.#face.events[event].map((name, at) => [name, args[at]]));
    for (const given of this.#hears.get(event) ?? []) given(copy(payload));
  }
  #do(run) {
    if (this.#closed) throw new Refused('this page is closed');
    catchUp();
    refusing(run);
  }
  /** Where a path leads: whose cell, and inside of that an object and a key. */
  #resolve(path) {
    if (this.#closed) throw new Refused('this page is closed');
    const face = this.#face;
    const unknown = (known) => new Refused(`there is nothing at \`${path}\`; ${listed(known)}`);
    const split = (way) => /^([^.[]*)(.*)$/s.exec(way).slice(1);
    const find = (cells, way) => (Object.hasOwn(cells, way) ? [way, ''] : split(way));
    let [of, scope] = [face, this.page.root];
    let [name, rest] = find(face.cells, path);
    if (!Object.hasOwn(face.cells, name) && Object.hasOwn(face.stores, name)) {
      of = face.stores[name];
      scope = this.page.stores.get(of.number);
      [name, rest] = find(of.cells, rest.slice(1));
    }
    const nameable = (all) => Object.keys(all).filter((known) => !/[ .]/.test(known));
    if (!Object.hasOwn(of.cells, name)) throw unknown([...nameable(of.cells), ...(of === face ? Object.keys(face.stores) : [])]);
    const cell = of.cells[name];
    let [type, around, key] = [cell.type, null, null];
    const through = [];
    while (rest !== '') {
      if (type.maybe) type = type.maybe;
      const [, field, index, quoted, more] = /^(?:\.([^.[]+)|\[(\d+)\]|\[("(?:[^"\\]|\\.)*")\])(.*)$/s.exec(rest) ?? [];
      const there = around === null ? between(() => scope[cell.property]) : around[key];
      if (type.dictionary && index === undefined && (field ?? quoted) !== undefined) {
        [type, key] = [type.dictionary, field ?? keyIn(quoted, unknown)];
      } else if (field !== undefined) {
        const found = type.fields?.find(([known]) => known === field);
        if (found === undefined) throw unknown(type.fields?.map(([known]) => known) ?? []);
        [type, key] = [found[1], field];
      } else if (index !== undefined) {
        if (!type.list) throw unknown([]);
        if (there !== null && +index >= there.length) throw unknown([`${there.length} items`]);
        [type, key] = [type.list, +index];
      } else throw unknown([]);
      if (there === null || there === undefined) throw unknown([]);
      [around, rest] = [there, more];
      through.push(there);
    }
    return { scope, cell, name, around, key, type, through };
  }
}

/** Those who are told of what has become another. */
export const watching = new Set();

export function noticeAll() {
  for (const opened of watching) opened.notice();
}
