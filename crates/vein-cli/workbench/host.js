// Links the workbench to the server. What its components await and follow is asked of the tab that they name.

const token = document.querySelector('meta[name="vein-token"]').content;
// Who waits, by the number of a question.
const waiting = new Map();
let last = 0;
let socket = null;
let opened = null;

function connected() {
  opened ??= new Promise((done) => {
    socket = new WebSocket(`ws://${location.host}/vein/look`);
    socket.addEventListener('open', () => {
      say({ token });
      document.querySelector('body > #link').hidden = true;
      done();
    });
    socket.addEventListener('message', ({ data }) => {
      const [[kind, [id, what]]] = Object.entries(JSON.parse(data));
      const one = waiting.get(id);
      if (kind === 'answer') one?.got(what);
      else one?.failed(new Error(what));
    });
    socket.addEventListener('close', () => {
      opened = null;
      document.querySelector('body > #link').hidden = false;
      document.querySelector('body > #link').textContent = 'The server is gone. The workbench comes back by itself when it does.';
      for (const one of waiting.values()) one.failed(new Error('the server is gone'));
      setTimeout(again, 500);
    });
  });
  return opened;
}

/** Begins anew with a server that is another. */
async function again() {
  try {
    await fetch('/vein/who');
    location.reload();
  } catch {
    setTimeout(again, 500);
  }
}

function say(what) {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(what));
}

const query = (name, args) => (args.length === 0 ? name : { [name]: args.length === 1 ? args[0] : args });

/** What is asked of a tab once. */
const asked = (name) => async (tab, ...rest) => {
  // Last comes what tells that nobody waits any more.
  const args = rest.slice(0, -1);
  await connected();
  const id = ++last;
  try {
    return await new Promise((got, failed) => {
      waiting.set(id, { got, failed });
      say({ ask: [id, tab, query(name, args)] });
    });
  } finally {
    waiting.delete(id);
  }
};

/** Something that a tab does, and what keeps it from that. */
const done = (name) => async (...args) => {
  try {
    return await asked(name)(...args);
  } catch (error) {
    return error.message;
  }
};

/** What is asked again and again: what comes while the last is still being shown stands for all before it. */
async function* followed(ask, signal) {
  await connected();
  const id = ++last;
  const come = [];
  let wake = null;
  const take = (what) => {
    come.push(what);
    wake?.();
  };
  waiting.set(id, { got: (value) => take({ value }), failed: (error) => take({ error }) });
  signal.addEventListener('abort', () => take({ end: true }));
  say(ask(id));
  try {
    while (!signal.aborted) {
      if (come.length === 0) await new Promise((goes) => { wake = goes; });
      const { value, error, end } = come.shift();
      if (end) return;
      if (error) throw error;
      yield value;
      say({ got: id });
    }
  } finally {
    waiting.delete(id);
    say({ drop: id });
  }
}

const followsOf = (name) => (tab, ...rest) => {
  const [{ signal }, ...args] = rest.reverse();
  return followed((id) => ({ follow: [id, tab, query(name, args.reverse())] }), signal);
};

export const tabs = ({ signal }) => followed((id) => ({ tabs: id }), signal);
export const tree = followsOf('tree');
export const state_of = followsOf('state');
export const ledger_of = followsOf('ledger');
export const time_of = followsOf('time');
export const recording_of = followsOf('recording');
export const covered_in = followsOf('covered');
export const pointed_at = followsOf('pointed');
export const entry_of = asked('entry');
export const ways_of = asked('ways');
export const reach_of = asked('reach');
export const mark = done('mark');
export const put = done('put');
export const go = done('go');
export const prove = done('prove');
export const point = done('point');
export const record = done('record');
export const save = done('save');
export const open_file = done('open');
