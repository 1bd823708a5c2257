// What lives beside the view: what runs by itself, what is asked of the host, what waits for its clock, stores.

/** What a source is asked with. */
export const ofA = namesOf('a');

/** What a watch has seen. */
export const ofZ = namesOf('z');

/** What it would see now, or how often something runs. */
export const ofE = namesOf('e');

/** Runs a hook. */
export const ofU = namesOf('u');

/** What the pulse under way has set off of that. */
export const life = { born: [], ended: [], asked: [], timers: [], waiting: [], ran: [], asks: 0, marks: -1, rounds: 0, generations: 0, added: 0 };

/** How many times in a pulse something may run by itself because of what ran by itself. */
export const MOST_ROUNDS = 100;

/** How many times in a pulse components may be added because others were, and how many may be after that. */
export const FREE_GENERATIONS = 2;

export const MOST_ADDED = 1000;

/** Has pulses of this page follow what runs by itself. */
export function live() {
  Object.assign(turn, { sort: newFirst, begin: forgetLife, follow: followLife, commit: commitLife, end: endOf, silence: silenceLife });
}

/** Begins anew to note what a pulse sets off. */
export function forgetLife() {
  empty(life.born);
  empty(life.ended);
  empty(life.asked);
  empty(life.timers);
  empty(life.waiting);
  empty(life.ran);
  life.rounds = life.generations = life.added = 0;
  life.marks = -1;
}

/** Has the document take what is inside of something new before that comes, so that it is whole by then; and elsewhere what
 * is around before what is inside, so that nothing comes only to be moved. Nothing is done to what goes. */
export function newFirst() {
  if (turn.gone + turn.came === 0 && isByDepth()) return;
  const [inNew, inOld] = [[], []];
  for (let at = 0; at < later.length; at += 3) {
    const of = later[at + 1];
    const scope = of instanceof Place ? of.scope : of;
    if (stillStands(scope)) ((isNew(scope) ? inNew : inOld)[scope.depth$] ??= []).push(later[at], of, later[at + 2]);
  }
  later.length = 0;
  for (const all of [...inNew.reverse(), ...inOld]) for (const one of all ?? []) later.push(one);
}

/** Whether what is done to the document is done to what is around before what is inside as it is. */
export function isByDepth() {
  let last = -1;
  for (let at = 1; at < later.length; at += 3) {
    const depth = later[at].depth$ ?? later[at].scope.depth$;
    if (depth < last) return false;
    last = depth;
  }
  return true;
}

/** Whether something stands in what is not in the document yet. */
export function isNew(scope) {
  for (let at = scope; at !== null; at = at.held$ === null ? null : at.held$.scope) if (at.made$) return true;
  return false;
}

/** Has nothing run that would because something has gone. */
export function silenceLife() {
  life.ended.length = 0;
}

/** The page that a scope stands on. */
export function pageOf(scope) {
  while (scope.held$ !== null) scope = scope.held$.scope;
  return scope.page$;
}

/** In the order in which things are looked at: outer ones first, of one depth as they were added. */
export const byRank = (a, b) => a.depth$ - b.depth$ || a.serial$ - b.serial$;

/** Notes what has to be told when something goes with all that stands in it: inner ones before outer ones. */
export function endOf(gone) {
  const [open, all] = [[gone], []];
  while (open.length > 0) {
    const scope = open.pop();
    all.push(scope);
    for (const place of scope.spots$ ?? []) place.inside(open);
  }
  for (const scope of all) {
    undo.push(scope, 'late$', false);
    scope.late$ = true;
    afterwards.push(endWards, scope, null);
  }
  const told = all.filter(({ begun$, constructor }) => begun$ && constructor.hooks.some(({ when }) => when === 'removed'));
  life.ended.push(...told.reverse());
}

/** Works out all that follows by itself. */
export function followLife() {
  for (;;) {
    while (runEffects());
    for (let depth = 0; depth <= turn.deepest; depth++) if (pending[depth].length > 1) pending[depth].sort(byRank);
    settlePlaces();
    if (life.ended.length + life.born.length === 0) {
      if (!runEffects()) return;
      continue;
    }
    const [ended, born] = [life.ended.splice(0), life.born.splice(0)];
    if (born.length > 0) life.generations++;
    if (life.generations > FREE_GENERATIONS) life.added += born.length;
    let ran = false;
    for (const scope of ended) ran = runHooks(scope, 'removed') || ran;
    for (const scope of born) {
      if (!stands(scope)) continue;
      beginLife(scope);
      ran = runHooks(scope, 'added') || ran;
    }
    nextRound(ran);
  }
}

/** Looks at what is asked or runs by itself, where something was marked: whether anything came of it. */
export function runEffects() {
  // Where nothing was marked since, all would be as it was.
  if (life.marks === turn.marks) return false;
  pullAll('pull$');
  const scopes = [];
  for (let depth = 0; depth <= turn.deepest; depth++) {
    for (const scope of pending[depth]) if (scope.constructor.effects > 0 && scope.begun$ && stillStands(scope)) scopes.push(scope);
  }
  if (scopes.length > 1) scopes.sort(byRank);
  const woken = [];
  for (const scope of scopes) {
    for (let at = 0; at < scope.constructor.effects; at++) if (scope.wakes$(at)) woken.push({ scope, at });
  }
  if (woken.length === 0) {
    life.marks = turn.marks;
    return false;
  }
  // What another has done to lists before is seen now, and not once this one has looked.
  pullAll('pullLate$');
  const asked = life.asks;
  let ran = false;
  for (const { scope, at } of woken) if (stillStands(scope)) ran = lookAt(scope, at) || ran;
  nextRound(ran);
  return ran || life.asks > asked;
}

/** Brings what is marked up to date, what is around first. */
export function pullAll(pull) {
  for (let depth = 0; depth <= turn.deepest; depth++) {
    for (const scope of pending[depth]) if (stillStands(scope)) scope[pull]();
  }
}

/** Whether what is asked or runs by itself would see something else now. */
export function differs(scope, at) {
  const { sources, hooks } = scope.constructor;
  if (at < sources.length) return !same(lastAsked(scope, at), scope[ofA(at)]());
  const hook = at - sources.length;
  return hooks[hook].when === 'every' || !same(scope[ofZ(hook)], scope[ofE(hook)]());
}

/** Looks at one of these; whether statements ran. */
export function lookAt(scope, at) {
  const { sources, hooks } = scope.constructor;
  const isSource = at < sources.length;
  const hook = at - sources.length;
  // What comes of working out what it reads it has seen.
  const now = isSource ? scope[ofA(at)]() : scope[ofE(hook)]();
  scope.looks$(at);
  if (isSource) {
    if (!same(lastAsked(scope, at), now)) askFor(scope, at, now);
    return false;
  }
  if (hooks[hook].when === 'every') {
    setTimer(scope, hook, now);
    return false;
  }
  const seen = ofZ(hook);
  if (same(scope[seen], now)) return false;
  undo.push(scope, seen, scope[seen]);
  scope[seen] = now;
  runHook(scope, hook);
  return true;
}

/** Begins what a new component asks, watches and does every so often. */
export function beginLife(scope) {
  const { sources, hooks } = scope.constructor;
  scope.begun$ = true;
  pullAll('pullLate$');
  // What was written before it began it has not seen change.
  for (let at = 0; at < scope.constructor.effects; at++) scope.looks$(at);
  for (let at = 0; at < sources.length; at++) askFor(scope, at, scope[ofA(at)]());
  for (const [at, { when }] of hooks.entries()) {
    if (when === 'change') scope[ofZ(at)] = scope[ofE(at)]();
    if (when === 'every') setTimer(scope, at, scope[ofE(at)]());
  }
}

export function runHooks(scope, when) {
  let ran = false;
  for (const [at, hook] of scope.constructor.hooks.entries()) {
    if (hook.when !== when) continue;
    runHook(scope, at);
    ran = true;
  }
  return ran;
}

export function runHook(scope, at) {
  life.ran.push([scope, at]);
  scope[ofU(at)]();
}

/** What comes to no end is stopped, with the circle spelled out. */
export function nextRound(ran) {
  if (ran) life.rounds++;
  if (life.rounds <= MOST_ROUNDS && life.added <= MOST_ADDED) return;
  if (life.ran.length === 0) throw new Fault('components are added without end');
  const last = life.ran.length - 1;
  const isLast = ([scope, at]) => scope.constructor === life.ran[last][0].constructor && at === life.ran[last][1];
  const circle = life.ran.slice(life.ran.slice(0, last).findLastIndex(isLast) + 1);
  const names = circle.map(([{ constructor }, at]) => `\`${constructor.called} › ${constructor.hooks[at].address}\``);
  throw new Fault(`what runs by itself came to no end: ${names.join(' → ')} → ${names[0]} again; let it write only what is not so yet`);
}

// ---- stores

export const storeOf = (scope, number) => pageOf(scope).stores.get(number);

/** A store that a component uses: it is told of what changes there. */
export function useStore(scope, number) {
  const store = storeOf(scope, number);
  store.users$.add(scope);
  undo.push(store.users$, leave, scope);
  return store;
}

/** Marks who reads a value of a store, in components. */
export function tellUsers(store, name) {
  for (const user of store.users$) mark(user, user.constructor.uses[store.constructor.number][name] ?? 0);
}

/** Has those who use a store look at what they read there. */
export function pendUsers(store) {
  for (const user of store.users$) pend(user);
}

// ---- questions

/** Has a source of a component asked, with some arguments, once the pulse has gone well. */
export function askFor(scope, source, args) {
  const known = askedNow(scope, source);
  if (known !== undefined) known.args = args;
  else {
    const asked = { scope, source, args, pulse: turn.count };
    (scope.asked$ ??= [])[source] = asked;
    life.asked.push(asked);
  }
  life.asks++;
  scope.put$(scope.constructor.sources[source].status, 'waiting');
}

export function lastAsked(scope, source) {
  return (askedNow(scope, source) ?? scope.wards$?.sources[source])?.args;
}

/** What a source is asked with in the pulse under way. */
export function askedNow(scope, source) {
  const asked = scope.asked$?.[source];
  return asked?.pulse === turn.count ? asked : undefined;
}

/** Has statements wait for an answer. */
export function waitFor(scope, name, type, args, resume, fails) {
  life.waiting.push({ scope, name, type, args, resume, fails, source: null, streams: false });
  return true;
}

/** Of how many answers that are lists or records the last are kept. */
export const MOST_LARGE = 16;

/** What a function gives that the host answers at once. Whoever shows it asks again only for other arguments; statements ask
 * whenever they run, and keep nothing. */
export function askHost(scope, name, type, args, acts) {
  const page = pageOf(scope);
  if (acts) return answered(page, name, type, args, true);
  const odd = (_, value) => (typeof value === 'number' && !Number.isFinite(value) ? [`${value}`] : value);
  const key = `${name} ${JSON.stringify(args, odd)}`;
  if (page.known.has(key)) return page.known.get(key);
  const answer = answered(page, name, type, args);
  if (page.known.size >= 10000) page.known.clear();
  if (answer !== null && typeof answer === 'object' && page.large.push(key) > MOST_LARGE) page.known.delete(page.large.shift());
  page.known.set(key, answer);
  return answer;
}

/** Goes on with statements that waited. What they do at the end stays where nothing catches that there was no answer. */
export function goOn(run, answer) {
  try {
    run(answer);
  } catch (error) {
    if (!error.late) throw error;
    console.warn(`${error.message}, and nothing caught that`);
  }
}

/** What the host answers now, as the type has it. */
export function answered(page, name, type, args, acts = false) {
  try {
    return fitTo(type, answerOf(page.host, name, args), name);
  } catch (error) {
    const failed = new Unanswered(name, `${error?.message ?? error}`);
    throw acts ? failed : new Fault(failed.message);
  }
}

/** What a host says: it may hold functions, or what they would give. */
export function answerOf(host, name, args) {
  const answer = host[name];
  const value = typeof answer === 'function' ? answer.apply(host, args) : answer;
  if (typeof value?.then === 'function') throw new Error('it is asked at once and gives a promise: declare it with `awaits`');
  return value;
}

// ---- what waits

/** What waits for the clock and the host on behalf of a scope. */
export const wardsOf = (scope) => (scope.wards$ ??= { sources: [], timers: [], waiting: new Set(), settling: new Map() });

export function setTimer(scope, hook, period) {
  const runs = typeof period === 'number' && Number.isFinite(period) ? Math.max(period, 1) : null;
  const known = life.timers.find((timer) => timer.scope === scope && timer.hook === hook);
  if (known) known.period = runs;
  else life.timers.push({ scope, hook, period: runs });
}

/** Ends what waits on behalf of something that has gone. */
export function endWards(scope) {
  for (const place of scope.spots$ ?? []) place.among?.delete(place.shown);
  for (const number of Object.keys(scope.constructor.uses ?? {})) storeOf(scope, +number).users$.delete(scope);
  if (scope.wards$ === undefined) return;
  const page = pageOf(scope);
  const { sources, timers, waiting, settling } = scope.wards$;
  for (const timer of [...timers, ...settling.values()]) if (timer) page.timers.delete(timer);
  for (const question of [...sources, ...waiting]) if (question) page.drop(question);
  scope.wards$ = undefined;
}

/** Ends a pulse that went well: what waits for the clock and the host is as it says. */
export function commitLife() {
  if (life.timers.length + life.asked.length + life.waiting.length === 0) return;
  const order = (a, b) => byRank(a.scope, b.scope);
  const questions = [];
  for (const { scope, hook, period } of life.timers.splice(0).sort((a, b) => order(a, b) || a.hook - b.hook)) {
    if (!stands(scope)) continue;
    const { timers } = wardsOf(scope);
    if ((timers[hook]?.period ?? null) === period) continue;
    const page = pageOf(scope);
    if (timers[hook]) page.timers.delete(timers[hook]);
    timers[hook] = period === null ? null : page.after(period, { scope, hook, period, run: tickTimer });
  }
  for (const { scope, source, args } of life.asked.splice(0).sort((a, b) => order(a, b) || a.source - b.source)) {
    if (!stands(scope)) continue;
    const { name, type, streams } = scope.constructor.sources[source];
    const { sources } = wardsOf(scope);
    const page = pageOf(scope);
    if (sources[source]) page.drop(sources[source]);
    questions.push(sources[source] = page.put({ scope, name, type, args, streams, source }));
  }
  for (const question of life.waiting.splice(0)) {
    if (!stands(question.scope)) continue;
    questions.push(pageOf(question.scope).put(question));
    wardsOf(question.scope).waiting.add(question);
  }
  // Whom is asked may do something at once.
  for (const question of questions) pageOf(question.scope).asks?.(question);
}

/** Runs what is due every so often. */
export function tickTimer(timer) {
  const { scope, hook, period } = timer;
  wardsOf(scope).timers[hook] = pageOf(scope).at(timer.due + period, { scope, hook, period, run: tickTimer });
  turnOver(() => scope[ofU(hook)]());
}

/** Has an event wait until it has not come again for a while. */
export function waitForQuiet(scope, listener, event) {
  const { settling } = wardsOf(scope);
  const page = pageOf(scope);
  if (settling.has(listener)) page.timers.delete(settling.get(listener));
  settling.set(listener, page.after(listener.after, { scope, listener, event, run: quiet }));
}

/** Runs what waited for quiet. */
export function quiet({ scope, listener, event }) {
  wardsOf(scope).settling.delete(listener);
  turnOver(runAll, { found: [scope, listener, event] });
}

/** The time of day, in whole milliseconds since 1970. */
export function dateOf(scope) {
  const page = pageOf(scope);
  if (page.day === undefined) return Date.now();
  return Math.floor(page.day + (page.runs ? page.time : page.now?.() ?? page.time));
}

/** A number from 0 up to 1: a counter of 32 bits, mixed, which a pulse that is taken back sets back. */
export function chanceOf(scope) {
  const page = pageOf(scope);
  page.chance ??= Math.trunc(Math.random() * 4294967296);
  undo.push(page, 'chance', page.chance);
  const word = () => {
    page.chance = (page.chance + 0x6d2b79f5) | 0;
    let mixed = Math.imul(page.chance ^ (page.chance >>> 15), page.chance | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return (mixed ^ (mixed >>> 14)) >>> 0;
  };
  const high = word() >>> 5;
  return (high * 67108864 + (word() >>> 6)) / 9007199254740992;
}

/** Where a component is at work, with whatever waits for it. */
export class Page {
  timers = new Set();
  questions = new Set();
  known = new Map();
  large = [];
  stores = new Map();
  time = 0;
  order = 0;
  constructor(host, failed) {
    this.host = host;
    this.failed = failed;
  }
  /** Has something run after so many milliseconds. */
  after(period, timer) {
    // Where nothing was due before, the time was not asked for.
    if (this.timers.size === 0 && this.now !== undefined) this.time = Math.max(this.now(), this.time);
    return this.at(this.time + period, timer);
  }
  at(due, timer) {
    timer.due = Math.max(due, 0);
    timer.order = this.order++;
    this.timers.add(timer);
    this.schedule?.();
    return timer;
  }
  /**
   * Runs what is due until a time, in its order. Where `goesOn` says after a pulse that it has taken long enough, the periods of timers
   * that have gone by are left out, but for the last of each, and what is still due waits.
   */
  advance(until, goesOn = null) {
    for (;;) {
      let next = null;
      for (const timer of this.timers) {
        if (next === null || timer.due < next.due || (timer.due === next.due && timer.order < next.order)) next = timer;
      }
      if (next === null || next.due > until) break;
      this.timers.delete(next);
      this.time = Math.max(next.due, this.time);
      this.runs = true;
      try {
        next.run(next);
      } catch (fault) {
        this.failed(fault);
      }
      this.runs = false;
      if (goesOn !== null && !goesOn()) {
        for (const timer of this.timers) {
          if (timer.period > 0) timer.due += Math.max(Math.floor((until - timer.due) / timer.period), 0) * timer.period;
        }
        return;
      }
    }
    this.time = Math.max(until, this.time);
  }
  /** Asks the host something. */
  put(question) {
    this.questions.add(question);
    return question;
  }
  /** Nobody waits for an answer any more. */
  drop(question) {
    if (this.questions.delete(question)) this.drops?.(question);
  }
  /** Answers a question. Nothing happens where nobody waits for it any more. */
  answer(question, answer) {
    if (!this.questions.has(question)) return;
    let value;
    try {
      value = fitTo(question.type, answer, question.name);
    } catch (error) {
      console.warn(`the answer of \`${question.name}\` does not fit: ${error.message}`);
      this.fail(question, error.message);
      return;
    }
    this.#settle(question, false, () => {
      if (question.source === null) goOn(question.resume, value);
      else fillSource(question, value);
    });
  }
  /** Says why there is no answer. */
  fail(question, reason) {
    if (!this.questions.has(question)) return;
    this.#settle(question, true, () => {
      if (question.source !== null) failSource(question, reason);
      else {
        const failed = new Unanswered(question.name, reason, true);
        if (question.fails === undefined) throw failed;
        goOn(question.fails, failed);
      }
    });
  }
  /** A stream goes on until it fails. A pulse that was taken back leaves a question open, but for one that failed. */
  #settle(question, fails, run) {
    let spent = fails || !question.streams;
    try {
      turnOver(run);
    } catch (fault) {
      spent = fails;
      this.failed(fault);
    }
    if (!spent) return;
    this.questions.delete(question);
    question.scope.wards$?.waiting.delete(question);
  }
}

export function fillSource({ scope, source }, answer) {
  const { value, status, reason } = scope.constructor.sources[source];
  scope.put$(value, answer);
  scope.put$(status, 'ready');
  scope.put$(reason, '');
}

export function failSource({ scope, source }, why) {
  const { status, reason } = scope.constructor.sources[source];
  scope.put$(status, 'failed');
  scope.put$(reason, why);
}
