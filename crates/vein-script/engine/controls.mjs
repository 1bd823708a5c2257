// Controls: what they hold beside their attributes, what a person does to them, forms that are reset.

/** Selects that show a value whenever their options may have changed, with what brings it about. */
export const selects = new Map();

/** What is set when an input method is done. */
export const composing = { node: null, text: null };

/** What a part shows. */
export const ofV = namesOf('v');

/** Has a part show something. */
export const ofSet = namesOf('set');

/** Writes back what a control has come to hold. */
export const ofK = namesOf('k');

/** What a control is bound to, and what it shows of that. */
export const ofY = namesOf('y');

/** What a text in it means. */
export const ofM = namesOf('m');

/** What it was bound to when it was looked at last. */
export const ofX = namesOf('x');

/** Whether it holds what means no value. */
export const ofI = namesOf('i');

/** Whether that is shown. */
export const ofJ = namesOf('j');

/** What it was made to show. */
export const ofWas = namesOf('was');

/** Sets what a control holds, without disturbing who is using it. */
export function setHeld(scope, at, node, property, value) {
  began(scope, at, node, property, value);
  if (property === 'chosen') showLater(scope, node, () => showChosen(node, new Set(JSON.parse(value))));
  else if (property === 'value' && node.localName === 'select') {
    showLater(scope, node, () => {
      if (node.value !== value) node.value = value;
    });
  } else if (composing.node === node && property === 'value') composing.text = value;
  else if (property === 'value' ? String(node.value) !== value : node[property] !== value) node[property] = value;
}

/** Has a select show something once its options are there, until a person chooses. */
export function showLater(scope, node, shows) {
  if (!selects.has(node)) node.addEventListener('input', () => selects.get(node) && (selects.get(node).shows = null));
  selects.set(node, { scope, shows });
  turn.shown = showSelects;
}

export function showSelects() {
  for (const [node, { scope, shows }] of selects) {
    if (stands(scope)) shows?.();
    else selects.delete(node);
  }
}

export function showChosen(select, values) {
  for (const option of select.options) {
    const picked = values.has(option.value);
    if (option.selected !== picked) option.selected = picked;
  }
}

/** What a `select multiple` shows of a list. */
export const chosen = (value) => JSON.stringify((Array.isArray(value) ? value : []).map((item) => `${item}`.toWellFormed()));

/** Notes what a control held when it was added: what it holds when the pulse is over that made it. */
export function began(scope, at, node, property, value) {
  const known = (node.began$ ??= {});
  const since = turn.busy ? turn.count : turn.count - 1;
  if (known[property] === undefined || known[property].since === since) known[property] = { scope, at, value, since };
}

// ---- what text means

export const asText = (text) => text;

export const asTextOrNull = (text) => (text === '' ? null : text);

export function asNumber(text) {
  const number = trimmed(text) === '' ? NaN : Number(text);
  return Number.isFinite(number) ? number : undefined;
}

export const asNumberOrNull = (text) => (trimmed(text) === '' ? null : asNumber(text));

export const asWord = (words) => (text) => (words.includes(text) ? text : undefined);

export const asWordOrNull = (words) => (text) => (text === '' ? null : words.includes(text) ? text : undefined);

export const asMany = (each) => (text) => {
  const all = JSON.parse(text).map((item) => each(item));
  return all.includes(undefined) ? undefined : all;
};

/** Puts a value into a list or takes it out, once. */
export function member(list, value, on) {
  const at = list.findIndex((item) => sameOrZero(item, value));
  if (on) return at < 0 && push(list, [value]);
  return at >= 0 && splice(list, at, 1, []);
}

// ---- both ways

/** Notes that something was entered, which goes out of the control again if that is taken back. */
export function entered(scope, at, held) {
  turn.failed.push(() => putBack(scope, at, held));
}

/** Gives a control back what it showed before. */
export function putBack(scope, at, held, was = scope[ofV(at)]) {
  if (was !== held) scope[ofSet(at)](was);
}

/** Writes what a control has come to hold to where it is bound. */
export function commitControl(scope, at, held) {
  hold(scope, at, held, scope[ofK(at)](held));
}

/** Notes what a control has come to hold by itself, so that it is not written to it again. */
export function hold(scope, at, held, accepted) {
  const kept = ofV(at);
  undo.push(scope, kept, scope[kept]);
  scope[kept] = held;
  setInvalid(scope, at, !accepted);
  if (accepted) turn.checks.push(() => checkControl(scope, at, held));
}

/** Writes to a control whose own value did not come out as the state's. */
export function checkControl(scope, at, held) {
  if (!stands(scope) || scope[ofV(at)] !== held) return;
  const { 0: value, 1: to } = scope[ofY(at)]();
  if (to !== held && !isMeant(scope, at, held, value)) bringControl(scope, at, to);
}

/** Whether what a control holds means a value. */
export function isMeant(scope, at, held, value) {
  const meant = typeof held === 'string' ? scope[ofM(at)]?.(held) : undefined;
  return meant !== undefined && same(meant, value);
}

export function bringControl(scope, at, to) {
  keep(scope, ofV(at), to, ofSet(at));
}

/** Keeps what a control shows, unless it holds another spelling of that. */
export function keepControl(scope, at) {
  const shown = scope[ofV(at)];
  const seen = scope[ofX(at)];
  const { 0: value, 1: to } = scope[ofY(at)]();
  // What nobody has written anything else to leaves alone what was entered, whatever that is.
  if (seen !== undefined && same(value, seen)) return;
  undo.push(scope, ofX(at), seen);
  scope[ofX(at)] = copy(value);
  if (to !== shown && (scope[ofI(at)] || !isMeant(scope, at, shown, value))) {
    bringControl(scope, at, to);
    afterwards.push(forgetEntered, scope, at);
  } else if (to !== shown) return;
  setInvalid(scope, at, false);
}

/** What was entered into a control that was written to is not there any more. */
export function forgetEntered(scope, at) {
  for (const [listener, timer] of scope.wards$?.settling ?? []) {
    if (listener.part !== at) continue;
    pageOf(scope).timers.delete(timer);
    scope.wards$.settling.delete(listener);
  }
}

/** Marks a control that holds what means no value, or takes the mark away. */
export function setInvalid(scope, at, on) {
  const kept = ofI(at);
  if ((scope[kept] ?? false) === on) return;
  undo.push(scope, kept, scope[kept]);
  scope[kept] = on;
  later.push(bringInvalid, scope, at);
}

export function bringInvalid(scope, at) {
  const kept = scope[ofI(at)] ?? false;
  const shown = ofJ(at);
  if ((scope[shown] ?? false) === kept) return;
  scope[shown] = kept;
  setAttribute(scope[scope.constructor.controls[at]], 'aria-invalid', kept ? 'true' : null);
}

/** Has a control that comes again hold what a new one would. */
export function showAgain(scope, at) {
  const { 0: value, 1: to } = scope[ofY(at)]();
  // Where it holds what it was made to hold, that is what it is made to hold now.
  if (to === scope[ofV(at)] && to === scope[ofWas(at)] && (to !== '' || value === '') && !scope[ofI(at)]) return;
  scope[ofWas(at)] = to;
  const node = scope[scope.constructor.controls[at]];
  // What means nothing reads as if nothing had been entered.
  if (to === '') node.value = '';
  scope[ofX(at)] = copy(value);
  scope[ofV(at)] = to;
  scope[ofI(at)] = false;
  bringInvalid(scope, at);
  node.began$ = undefined;
  scope[ofSet(at)](to);
}

// ---- forms that are reset

/** What a control holds. */
export const heldBy = (node, property) =>
  (property === 'chosen' ? chosenOf(node) : property === 'value' ? String(node.value) : node[property]);

/** The values of the options that are chosen, as JSON. */
export const chosenOf = (select) => JSON.stringify(Array.from(select.selectedOptions ?? [], (option) => option.value));

/** Has the controls of a form go back to what they held when they were added, or to their markup. Gives those that are
 * bound: whose part they are, what they held and what they hold. */
export function goBackAll(form) {
  const restored = [];
  for (const control of form.elements) {
    const known = [...(control.options ?? []), control].filter((node) => node.began$);
    const all = known.flatMap((node) => Object.keys(node.began$).map((property) => [node, property]));
    const before = all.map(([node, property]) => heldBy(node, property));
    goBack(control);
    if (selects.has(control)) selects.get(control).shows = null;
    all.forEach(([node, property], at) => {
      // It was given that, whether it could take it or not.
      const { scope, at: part, value: held } = node.began$[property];
      restored.push({ scope, at: part, property, was: before[at], held });
    });
  }
  return restored;
}

export function goBack(control) {
  const first = control.began$ ?? {};
  const set = (node, property, value) => {
    if (node[property] !== value) node[property] = value;
  };
  if (control.options) {
    for (const option of control.options) {
      set(option, 'selected', option.began$?.selected?.value ?? option.defaultSelected);
    }
    if (first.chosen !== undefined) showChosen(control, new Set(JSON.parse(first.chosen.value)));
    if (first.value !== undefined) set(control, 'value', first.value.value);
  } else if (control.type === 'file') {
    control.value = '';
  } else if (control.localName === 'input' || control.localName === 'textarea') {
    const ticked = control.type === 'checkbox' || control.type === 'radio';
    if (ticked) set(control, 'checked', first.checked?.value ?? control.defaultChecked);
    else set(control, 'value', first.value?.value ?? control.defaultValue);
  } else if (control.localName.includes('-')) {
    control.formResetCallback?.();
  }
}

/** What controls have gone back to comes to state; those that are bound one way come to show what state says. */
export function restore(restored) {
  for (const { scope, at, was, held } of restored) {
    const isBound = scope[ofK(at)] !== undefined;
    turn.failed.push(() => putBack(scope, at, held, isBound ? was : undefined));
  }
  return () => {
    for (const { scope, at, held } of restored) {
      const isBound = scope[ofK(at)] !== undefined;
      hold(scope, at, held, isBound ? scope[ofK(at)](held) : true);
      if (isBound) afterwards.push(forgetEntered, scope, at);
    }
  };
}

/** Hears forms that are reset, and what an input method does. */
export function hearControls(root, failed, signal) {
  root.addEventListener('compositionstart', ({ target }) => {
    composing.node = target;
  }, { capture: true, signal });
  root.addEventListener('compositionend', ({ target }) => {
    const { text } = composing;
    composing.node = composing.text = null;
    if (text !== null) target.value = text;
    else target.dispatchEvent(new InputEvent('input', { bubbles: true }));
  }, { capture: true, signal });
  root.addEventListener('reset', (event) => {
    const found = reached(root, event);
    const restored = event.defaultPrevented ? [] : goBackAll(event.target);
    // A browser would go back to the markup, and would put other texts into an output.
    event.preventDefault();
    if (found.length + restored.length === 0) return;
    turn.heard?.(event, found, restored);
    try {
      deliver(found, () => restore(restored));
    } catch (fault) {
      failed(fault);
    }
  }, { signal });
}
