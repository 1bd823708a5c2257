// What is heard of what happens in the document.

/** A field of an event; of what its target holds by now, or what stands for nothing. */
export function fieldOf(event, name, nothing) {
  const { target } = event;
  if (name === 'value') return typeof target.value === 'string' ? target.value : target.getAttribute('value') ?? '';
  if (name === 'checked' || name === 'open') return Boolean(target[name] ?? target.hasAttribute(name));
  if (name === 'chosen') return JSON.stringify(Array.from(target.selectedOptions ?? [], (option) => option.value));
  return event[name] ?? nothing;
}

/** A measure of the element that an event is about; a form's controls may have such a name. */
export function measureOf({ target }, name) {
  return Number.isFinite(target[name]) ? target[name] : 0;
}

/** The listeners that an event reaches inside a root, each after its scope and before what it looks at of the event: from the
 * target outwards. */
export function reached(root, event) {
  const found = [];
  const { type, target, bubbles } = event;
  for (let at = target; at !== null; ) {
    // Whose an element is stands on the outermost of its own.
    let last = at;
    while (last !== root && last !== null && last.scope$ === undefined) last = last.parentNode;
    const scope = last?.scope$;
    if (scope === undefined) break;
    for (let node = at; ; node = node.parentNode) {
      const first = scope.hears$(type, node);
      if (first >= 0 && addReached(found, scope, first, event, node === target)) return found;
      if (node === last || !bubbles) break;
    }
    at = last === root || !bubbles ? null : last.parentNode;
  }
  return found;
}

/** Notes the listeners of one element that an event reaches, from one on; whether it goes no further. */
export function addReached(found, scope, first, event, isTarget) {
  const { listeners } = scope.constructor;
  let stops = false;
  for (let listener = listeners[first]; listener !== undefined; listener = listeners[listener.next]) {
    if (listener.own && !isTarget) continue;
    if ((listener.key !== undefined && listener.key !== event.key) || (listener.once !== undefined && scope[listener.once])) continue;
    found.push(scope, listener, listener.looks?.(event));
    if (listener.prevent) event.preventDefault();
    if (listener.stop) {
      event.stopPropagation();
      stops = true;
    }
  }
  return stops;
}

/** Runs listeners that an event has reached, each after its scope and before what it looks at of the event; and what follows
 * of itself in the document, which may give what is to be done after them. */
export function runAll({ found, follows }) {
  for (let at = 0; at < found.length; at += 3) found[at + 1].holds?.(found[at], found[at + 2]);
  const after = follows?.();
  for (let at = 0; at < found.length; at += 3) {
    const scope = found[at];
    const { once, run } = found[at + 1];
    if (once !== undefined) {
      if (scope[once]) continue;
      undo.push(scope, once, false);
      scope[once] = true;
    }
    run(scope, found[at + 2]);
  }
  after?.();
}

/** Has an event come to those whom it has reached: to some now, to others once it has not come again for a while. */
export function deliver(found, follows) {
  turn.catchUp?.();
  const late = [];
  for (let at = found.length - 3; at >= 0; at -= 3) {
    if (found[at + 1].settle !== undefined) late.unshift(found.splice(at, 3));
  }
  try {
    if (found.length > 0 || follows !== undefined) turnOver(runAll, { found, follows });
  } catch (fault) {
    for (const [scope, listener, event] of late) listener.refuses?.(scope, event);
    throw fault;
  }
  for (const [scope, listener, event] of late) if (stands(scope)) listener.settle(scope, listener, event);
}

/** Hears what happens inside a root: who listens on the way out is run in one pulse. */
export function hear(root, kind, failed, signal) {
  const heard = (event) => {
    // While an input method is at work, what is typed is not yet said.
    if (kind === 'input' && event.isComposing) return;
    const found = reached(root, event);
    if (found.length === 0) return;
    turn.heard?.(event, found, []);
    try {
      deliver(found);
    } catch (fault) {
      failed(fault);
    }
  };
  // What does not go outwards is heard on its way in.
  root.addEventListener(kind, (event) => event.bubbles || heard(event), { capture: true, signal });
  root.addEventListener(kind, (event) => event.bubbles && heard(event), { signal });
}
