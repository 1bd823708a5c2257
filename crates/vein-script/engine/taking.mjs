// Taking over what was written beforehand: nodes that are as they have to be stay, what differs is set right.

/** Has a component stand in the nodes that an element has already. */
export function takeIn(into, page) {
  const taken = { instead: new Map(), kept: 0, built: 0, set: 0, used: [] };
  const made = document.createDocumentFragment();
  made.append(page.root.made$);
  adopt(into, made, taken);
  const open = [page.root];
  while (open.length > 0) {
    const scope = open.pop();
    standInstead(scope, taken.instead);
    for (const place of scope.spots$ ?? []) {
      if (place.nodesShown) place.nodesShown = place.nodesShown.map((node) => taken.instead.get(node) ?? node);
      place.inside(open);
    }
  }
  page.root.made$ = null;
  page.root.into$ = into;
  // What a person did before anybody listened is heard now.
  taken.heard = () => {
    for (const control of taken.used) {
      for (const type of ['input', 'change']) control.dispatchEvent(new InputEvent(type, { bubbles: true }));
    }
  };
  return taken;
}

/** Has a scope know the nodes that stand in place of its own. */
export function standInstead(scope, instead) {
  for (const name of Object.keys(scope)) {
    if (/^n\d+\$$/.test(name)) scope[name] = instead.get(scope[name]) ?? scope[name];
  }
  const now = (node) => instead.get(node) ?? node;
  scope.top$ = Array.isArray(scope.top$) ? scope.top$.map(now) : now(scope.top$);
  for (const node of [scope.top$].flat()) node.scope$ = scope;
}

/** Brings the children of a node to what was made. */
export function adopt(node, made, taken) {
  let next = node.firstChild;
  for (const child of [...made.childNodes]) {
    const isThere = next !== null && isAlike(next, child);
    const here = isThere ? next : child;
    if (!isThere) node.insertBefore(child, next);
    // A parser makes one text of neighbours, and none of an empty one.
    if (isThere && child.nodeType === Node.TEXT_NODE && here.length > child.length && here.data.startsWith(child.data)) {
      here.splitText(child.length);
    }
    next = here.nextSibling;
    if (!isThere) {
      // An empty text cannot be written.
      if (child.data !== '') taken.built++;
      continue;
    }
    taken.instead.set(child, here);
    if (child.nodeType === Node.TEXT_NODE) {
      if (here.data !== child.data) {
        here.data = child.data;
        taken.set++;
      }
      continue;
    }
    taken.kept++;
    taken.set += setRight(here, child);
    // The text in a text area is what it began with; what it holds is its property.
    if (child.localName !== 'textarea') adopt(here, child, taken);
    turn.takeHeld?.(here, child, taken);
  }
  while (next !== null) {
    const gone = next;
    next = next.nextSibling;
    gone.remove();
    taken.set++;
  }
}

export const isAlike = (node, made) => (made.nodeType === Node.TEXT_NODE
  ? node.nodeType === Node.TEXT_NODE && made.data !== ''
  : node.localName === made.localName && node.namespaceURI === made.namespaceURI);

/** What a control holds is written as attributes, too. */
export const HELD = ['value', 'checked', 'selected', 'muted', 'open', 'chosen'];

/** Sets the attributes of an element right; gives how many were not. */
export function setRight(node, made) {
  let set = 0;
  for (const { name, value } of made.attributes) {
    if (name === 'style' ? made.style?.cssText === node.style?.cssText : node.getAttribute(name) === value) continue;
    setAttribute(node, name, value);
    set++;
  }
  for (const { name } of [...node.attributes]) {
    if (made.hasAttribute(name) || HELD.includes(name)) continue;
    node.removeAttribute(name);
    set++;
  }
  return set;
}

/** Has a control hold what it was made to hold, unless somebody has used it. */
export function takeHeld(node, made, taken) {
  if (made.began$ === undefined) return;
  node.began$ = made.began$;
  const shows = selects.get(made);
  if (shows !== undefined) selects.delete(made);
  if (isUsed(node)) {
    taken.used.push(node);
    if (shows !== undefined) showLater(shows.scope, node, null);
    return;
  }
  for (const [property, { scope, at, value }] of Object.entries(made.began$)) setHeld(scope, at, node, property, value);
}

/** Whether a person has changed what a control held at first. */
export function isUsed(control) {
  if (control.options) {
    const options = Array.from(control.options);
    return options.some((option) => option.selected !== option.defaultSelected) && options.some((option) => option.defaultSelected);
  }
  return control.type === 'checkbox' || control.type === 'radio'
    ? control.checked !== control.defaultChecked
    : control.defaultValue !== undefined && control.value !== control.defaultValue;
}
