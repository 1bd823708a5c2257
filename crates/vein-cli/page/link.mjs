// Links this tab to its page on the server: events go there, patches come back, and so does whatever was saved. It comes back by
// itself when the server was gone, with what its page held.

import { Applier } from './applier.mjs';
import { Looked } from './looked.mjs';
import { Over } from './over.mjs';

// How long to wait before it is tried again to reach the server, in milliseconds.
const SOON = 100;
const LATE = 1000;

const root = document.querySelector('body > #view');
const token = document.querySelector('meta[name="vein-token"]').content;
const over = new Over(say, token);
const surface = new Applier(root, (event) => say({ event }));
const looked = new Looked(root, surface, say);

let socket = null;
let wait = SOON;
// What the page held last, for a server that knows nothing of it.
let kept = null;
// Whether patches of a page are shown by now.
let shows = false;
// What the next batch of patches is for.
let next = null;
// The host module, and the address that it was read from.
let host = {};
// The one that has had its turn.
let introduced = host;
let hostAddress = null;
// What is asked of the host and not done: by its number, what ends it.
const asked = new Map();
// What was to be said is said once those before it are done.
let turn = Promise.resolve();

// What this tab is called, and how much it has said.
let tab = 0;
let said = 0;
// The number of what the host module was told last.
let hostHeard = 0;
// What the host module wants to know of the page: by number and path, and by event.
const watching = new Map();
const listening = new Map();

function say(what) {
  if (socket?.readyState !== WebSocket.OPEN) return;
  said++;
  socket.send(JSON.stringify(what));
}

/** An answer that the page waits for in the middle of something; it comes before all else, and does not count. */
function sayNow(what) {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(what));
}

function connect() {
  socket = new WebSocket(`ws://${location.host}/vein/link`);
  socket.binaryType = 'arraybuffer';
  next = null;
  socket.addEventListener('message', ({ data }) => {
    const own = socket;
    turn = turn.then(() => (own === socket ? heard(data) : undefined)).catch(failed);
  });
  socket.addEventListener('close', gone);
}

/** What the page held, for a server that knows nothing of it; nothing where that is more than it listens to, in bytes. */
function carried() {
  if (kept === null || new Blob([JSON.stringify(kept)]).size < MOST_HELD) return kept;
  console.warn(`Vein: what the page held is more than ${MOST_HELD} bytes: the page begins anew`);
  return null;
}

const MOST_HELD = 7000000;

/** The server is gone, or sleeps: what stands here stays, and it is tried again. */
function gone() {
  socket = null;
  for (const end of asked.values()) end();
  asked.clear();
  surface.hold();
  looked.watch({ points: false, records: false });
  over.past(null);
  over.away(true);
  delete document.documentElement.dataset.linked;
  setTimeout(connect, wait);
  wait = Math.min(wait * 2, LATE);
}

function failed(error) {
  reportError(error);
  over.broken(`This page could not be brought up to date (${error.message}). Reload it.`);
  // What does not fit is not gone on with.
  kept = null;
  socket?.close();
}

async function heard(data) {
  if (typeof data === 'string') await hear(JSON.parse(data));
  else patched(data);
}

async function hear(message) {
  const [[kind, told]] = Object.entries(message);
  switch (kind) {
    case 'begin':
      tab = told.tab;
      said = 0;
      hostHeard = 0;
      await read(told.host);
      begin((module) => say({ hello: { kept: carried(), styles: styled(), host: module } }));
      break;
    case 'first':
    case 'again':
    case 'renew':
      next = { kind, ...told };
      break;
    case 'hold':
      surface.hold(() => say('held'));
      break;
    case 'release': surface.release(); break;
    case 'styles': restyle(told); break;
    case 'files': await reread(); break;
    case 'host':
      await read(told);
      if (shows) forget();
      begin((module) => say({ host: module }));
      break;
    case 'show':
      say({ shown: told });
      break;
    case 'kept': kept = told; break;
    case 'trouble': over.trouble(told); break;
    case 'notes': over.notes(told); break;
    case 'watch': looked.watch(told); break;
    case 'marks': looked.marks(told); break;
    case 'past': over.past(told); break;
    case 'ask': ask(...told); break;
    case 'drop':
      asked.get(told)?.();
      asked.delete(told);
      break;
    case 'watched':
      if (isNews(told)) watching.get(told[0])?.changed(told[1]);
      break;
    case 'given':
      if (isNews(told)) for (const given of listening.get(told[0]) ?? []) given(told[1]);
      break;
    default: throw new Error(`the server says "${kind}", which this page does not know`);
  }
}

/** A batch of patches: of a page that is first shown here, or goes on in another's place, or of a pulse. */
function patched(batch) {
  const of = next;
  next = null;
  if (of === null) {
    surface.apply(batch);
    looked.changed();
    return;
  }
  if (of.title !== undefined) document.title = of.title;
  if (of.kind === 'renew') surface.renew(batch, counted(of.mates), of.others, of.held);
  else if (shows) surface.comeBack(batch);
  else surface.takeOver(batch);
  shows = true;
  wait = SOON;
  surface.release();
  looked.changed();
  over.away(false);
  document.documentElement.dataset.linked = '';
}

/** Numbers that count up, from where they begin and how many there are; -1 stands for none. */
function counted(runs) {
  return runs.flatMap(([first, count]) => Array.from({ length: count }, (_, at) => (first < 0 ? -1 : first + at)));
}

// The styles of the page: its link to them, until there are others.
let sheet = null;

/** Which styles stand here, if they are those that came with the page. */
function styled() {
  const link = document.querySelector('head > link[rel="stylesheet"]');
  return sheet === null && link ? Number(new URL(link.href).search.slice(1)) : null;
}

/** Shows other styles in the place of those that stand here, at once; what they name is found where it was. */
function restyle(text) {
  const baseURL = new URL('/assets/styles.css', location.href).href;
  const next = new CSSStyleSheet({ baseURL });
  next.replaceSync(text);
  const others = document.adoptedStyleSheets.filter((known) => known !== sheet);
  document.adoptedStyleSheets = [...others, next];
  sheet = next;
  document.querySelector('head > link[rel="stylesheet"]')?.remove();
}

/** The project's own files are others: whatever shows them asks for them again. */
async function reread() {
  for (const name of ['src', 'srcset', 'poster', 'data', 'href']) {
    for (const element of root.querySelectorAll(`[${name}]`)) {
      // Where a link leads is asked for when somebody follows it.
      if (name === 'href' && element.namespaceURI !== 'http://www.w3.org/2000/svg') continue;
      const address = element.getAttribute(name);
      // What a browser remembers of an address is another from then on.
      await fetch(address.split(' ')[0], { cache: 'reload' }).catch(() => {});
      element.removeAttribute(name);
      element.setAttribute(name, address);
    }
  }
  if (sheet !== null) restyle(await (await fetch('/assets/styles.css')).text());
  else document.querySelector('head > link[rel="stylesheet"]').href += '&';
}

/** Reads the host module. One that cannot be read answers nothing, and the page says why. */
async function read(address) {
  if (address === hostAddress) return;
  try {
    host = address === null ? {} : await import(address);
    over.host(null);
  } catch (error) {
    host = {};
    reportError(error);
    over.host(`The host module cannot be used: ${error.message}`);
  }
  hostAddress = address;
}

function answers() {
  return Object.keys(host).filter((name) => name !== 'default' && typeof host[name] === 'function');
}

/**
 * Introduces the host module. It has its turn before the page is opened, and may open it itself; one that comes later finds the page
 * there. Nobody waits for it: what it waits for may be what the page shows next.
 */
function begin(introduce) {
  const first = !shows && typeof host.default === 'function';
  const fresh = host !== introduced;
  introduced = host;
  introduce({ answers: answers(), opens: first });
  if (first) run(host, opening());
  else if (fresh && shows) run(host, () => page);
  else watchAgain();
}

/** Gives a host module its turn. */
async function run(module, open) {
  try {
    await module.default?.({ open });
    open();
  } catch (error) {
    reportError(error);
    over.host(`The host module failed while it began: ${reason(error)}`);
  }
}

/** What opens the page, once. */
function opening() {
  let opened = false;
  return (props = {}) => {
    if (!opened) drive({ open: plain(props) });
    opened = true;
    return page;
  };
}

/** What the host module watched on the page before goes on, on a server that knows nothing of it. */
function watchAgain() {
  const before = Array.from(watching.values());
  watching.clear();
  try {
    for (const one of before) {
      const [id, value] = drive({ watch: one.path });
      one.id = id;
      watching.set(id, one);
      one.changed(value);
    }
    for (const event of listening.keys()) drive({ on: event });
  } catch (error) {
    // A page that cannot be opened has nothing to watch, and says why by itself.
    reportError(error);
  }
}

/** Whether the host module was not told of something, which may come by the link and with what it waited for. */
function isNews([, , number]) {
  const news = number > hostHeard;
  hostHeard = Math.max(hostHeard, number);
  return news;
}

function forget() {
  for (const id of watching.keys()) drive({ unwatch: id });
  watching.clear();
  listening.clear();
}

/** What cannot be done, which changes nothing. */
class Refused extends Error {}

/** Has the page do something, and waits for what comes of it: whoever drives a page finds it done. */
function drive(what) {
  const request = new XMLHttpRequest();
  request.open('POST', '/vein/host', false);
  request.setRequestHeader('content-type', 'application/json');
  try {
    request.send(JSON.stringify({ tab, token, after: said, heard: hostHeard, what }));
  } catch {
    throw new Refused('the server is gone');
  }
  if (request.status !== 200) throw new Refused(request.responseText || 'the server is gone');
  const [[kind, came]] = Object.entries(JSON.parse(request.responseText));
  if (kind === 'ask') {
    // The page has to know something of the host in the middle of that.
    const [id, name, args] = came;
    let answer;
    try {
      answer = { now: [id, plain(host[name](...args))] };
    } catch (failed) {
      answer = { cannot: [id, reason(failed)] };
    }
    return drive(answer);
  }
  const [result, told] = came;
  for (const one of told) hear(one).catch(failed);
  if (kind === 'error') throw new Refused(result);
  return result;
}

/** The page, as the host module has it in hand. */
const page = {
  set(path, value) { drive({ set: [path, plain(value, path)] }); },
  get: (path) => drive({ get: path }),
  call(handler, ...args) { drive({ call: [handler, args.map((arg) => plain(arg, handler))] }); },
  watch(path, changed) {
    const [id, value] = drive({ watch: path });
    const one = { id, path, changed };
    watching.set(id, one);
    changed(value);
    return () => {
      if (watching.delete(one.id)) drive({ unwatch: one.id });
    };
  },
  on(event, given) {
    drive({ on: event });
    listening.set(event, [...(listening.get(event) ?? []), given]);
    return () => listening.set(event, listening.get(event).filter((known) => known !== given));
  },
  close: () => drive('close'),
};

/** A value as JSON can say it. */
function plain(value, path = 'it') {
  if (value === undefined) return null;
  if (value instanceof Date) return value.getTime();
  if (typeof value === 'function' || typeof value === 'symbol' || typeof value === 'bigint') {
    throw new Refused(`\`${path}\`: a ${typeof value} is no value`);
  }
  if (Array.isArray(value)) return value.map((item, at) => plain(item, `${path}[${at}]`));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([name, inner]) => [name, plain(inner, `${path}.${name}`)]));
}

const reason = (error) => String(error?.message ?? error);

async function ask(id, name, args, how) {
  const control = new AbortController();
  try {
    if (how === 'now') {
      sayNow({ now: [id, plain(host[name](...args))] });
      return;
    }
    asked.set(id, () => control.abort());
    const given = host[name](...args, { signal: control.signal });
    if (how === 'later') {
      const answer = plain(await given);
      if (!control.signal.aborted) say({ answer: [id, answer] });
    } else {
      for await (const item of given) {
        if (control.signal.aborted) return;
        say({ answer: [id, plain(item)] });
      }
      if (!control.signal.aborted) say({ end: id });
    }
  } catch (error) {
    if (how === 'now') sayNow({ cannot: [id, reason(error)] });
    else if (!control.signal.aborted) say({ failed: [id, reason(error)] });
  } finally {
    if (how !== 'again' || control.signal.aborted) asked.delete(id);
  }
}

// A machine that woke up finds its connection gone later than a person finds the page.
document.addEventListener('visibilitychange', () => {
  if (document.visibilityState === 'visible' && socket === null) wait = SOON;
});

connect();
