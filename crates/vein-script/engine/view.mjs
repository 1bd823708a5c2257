// What a component shows: markup that is copied, parts that are compared before the document is touched, listeners.

/** Scopes that have something to look at before the pulse ends, with what they had marked before. */
export const marked = new Map();

/** Marks readers of a scope, by their bits. */
export function mark(scope, bits) {
  if (!marked.has(scope)) marked.set(scope, scope.d$);
  scope.d$ |= bits;
}

/** Markup that is parsed once. */
export function template(html, around, seams) {
  const made = document.createElement('template');
  made.innerHTML = around === null ? html : `<${around}>${html}</${around}>`;
  const top = document.createDocumentFragment();
  top.append(...(around === null ? made.content : made.content.firstChild).childNodes);
  if (seams) {
    const comments = document.createNodeIterator(top, NodeFilter.SHOW_COMMENT);
    for (let at; (at = comments.nextNode()); ) at.remove();
  }
  return top;
}

/** What text shows of a value. */
export const text = (value) => (value === null ? '' : `${value}`).replaceAll('\0', '\ufffd').toWellFormed();

/** What an attribute shows of a value: `null` where it is absent. */
export const presence = (value) => (value === null || value === false ? null : value === true ? '' : text(value));

export const words = (value) => (value === null ? null : text(value));

/** Items of a list that are there, apart by a space, also those of lists in it. */
export function tokens(value) {
  if (value === null || value === false) return null;
  if (!Array.isArray(value)) return text(value);
  const all = value.flat(Infinity).filter(Boolean).flatMap((item) => text(item).split(/[\t\n\f\r ]+/));
  return all.filter((token) => token !== '').join(' ') || null;
}

export function setAttribute(node, name, value) {
  if (value === null) node.removeAttribute(name);
  else node.setAttribute(name, value);
}

/** Runs something as one pulse, and brings the view to what has come of it. */
export function turnOver(run) {
  try {
    pulse(() => {
      run();
      for (const scope of marked.keys()) scope.show$();
    });
    marked.clear();
  } catch (fault) {
    for (const [scope, before] of marked) scope.d$ = before;
    marked.clear();
    throw fault;
  }
}

/** Hears what happens inside a root: who listens on the way out is run in one pulse. */
export function hear(root, kind, failed) {
  root.addEventListener(kind, (event) => {
    const way = [];
    for (let at = event.target; at !== null; at = at === root ? null : at.parentNode) way.push(at);
    const heard = [];
    let scope = null;
    for (const node of way.toReversed()) {
      scope = node.scope$ ?? scope;
      for (const listener of scope?.constructor.listeners ?? []) {
        if (listener.kind === kind && scope[listener.node] === node) heard.push([scope, listener]);
      }
    }
    if (heard.length === 0) return;
    try {
      turnOver(() => {
        for (const [scope, listener] of heard.toReversed()) listener.run(scope, event);
      });
    } catch (fault) {
      failed(fault);
    }
  });
}
