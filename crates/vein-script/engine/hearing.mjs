// What is heard of what happens in the document.

/** A field of an event; of what its target holds by now, or what stands for nothing. */
export function fieldOf(event, name, empty) {
  const { target } = event;
  if (name === 'value') return typeof target.value === 'string' ? target.value : target.getAttribute('value') ?? '';
  if (name === 'checked' || name === 'open') return Boolean(target[name] ?? target.hasAttribute(name));
  if (name === 'chosen') return JSON.stringify(Array.from(target.selectedOptions ?? [], (option) => option.value));
  return event[name] ?? empty;
}

/** The listeners that an event reaches inside a root, each with its scope and what it looks at of the event: from the target
 * outwards. */
export function reached(root, event) {
  const found = [];
  const { type, target, bubbles } = event;
  let stops = false;
  for (let at = target; at !== null && !stops; ) {
    // Whose an element is stands on the outermost of its own.
    const own = [];
    for (; at !== root && at.scope$ === undefined; at = at.parentNode) own.push(at);
    const scope = at.scope$;
    if (scope === undefined) break;
    own.push(at);
    for (const [place, listener] of heardOn(scope, type, own)) {
      const node = own[place];
      if (stops && node !== stops) break;
      if ((listener.own && node !== target) || (!bubbles && node !== target)) continue;
      if ((listener.key !== undefined && listener.key !== event.key) || (listener.once !== undefined && scope[listener.once])) continue;
      found.push([scope, listener, listener.looks?.(event)]);
      if (listener.prevent) event.preventDefault();
      if (listener.stop) {
        event.stopPropagation();
        stops = node;
      }
    }
    at = at === root || !bubbles ? null : at.parentNode;
  }
  return found;
}

/** The listeners of a scope for a kind of event on some of its elements, by their places among these. */
export function heardOn(scope, kind, nodes) {
  const all = [];
  for (const listener of scope.constructor.listeners) {
    if (listener.kind !== kind) continue;
    const place = nodes.indexOf(scope[listener.node]);
    if (place >= 0) all.push([place, listener]);
  }
  return all.length > 1 ? all.sort(([a], [b]) => a - b) : all;
}

/** Runs listeners that an event has reached, each with its scope and what it looks at of the event, in one pulse; and
 * then what follows of itself in the document. */
export function runListeners(now, follows) {
  turnOver(() => {
    for (const [scope, listener, event] of now) listener.holds?.(scope, event);
    const after = follows?.();
    for (const [scope, listener, event] of now) {
      const { once } = listener;
      if (once !== undefined) {
        if (scope[once]) continue;
        undo.push(scope, once, false);
        scope[once] = true;
      }
      listener.run(scope, event);
    }
    after?.();
  });
}

/** Whether a listener has to wait until its event has not come again for a while. */
export const isLate = ([, { settle }]) => settle !== undefined;

/** Has an event come to those whom it has reached: to some now, to others once it has not come again for a while. */
export function deliver(found, follows) {
  turn.catchUp?.();
  if (!found.some(isLate)) {
    runListeners(found, follows);
    return;
  }
  const late = found.filter(isLate);
  const now = found.filter((one) => !isLate(one));
  try {
    if (now.length > 0 || follows !== undefined) runListeners(now, follows);
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
