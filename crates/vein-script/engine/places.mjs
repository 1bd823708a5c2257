// What comes and goes: alternatives, rows, components, what stands in slots.

/** A place where the same stands for as long as what is around it. */
export class Place {
  constructor(scope, number) {
    this.scope = scope;
    this.number = number;
    this.shown = null;
  }
  /** Puts what is new into what is around it. */
  bring() {
    if (this.shown === null) return;
    const place = placeOf(this.scope, this.number);
    place[0].insertBefore(this.shown.made$, place[1]);
    this.shown.made$ = null;
  }
  /** What stands there by now, though the view may not show it yet. */
  inside(into) {
    if (this.shown !== null) into.push(this.shown);
  }
  /** Notes that what is given to what stands there is another, or that a field of it was written. */
  given(name, field) {
    if (this.shown === null) return;
    const { props, inside } = this.shown.constructor;
    const bits = bitsOf(props[name] ?? 0, inside[name], field);
    if (bits !== 0) mark(this.shown, bits);
  }
  first() {
    return this.shown === null ? null : firstIn(this.shown);
  }
  nodes(into) {
    if (this.shown !== null) nodesOf(this.shown, into);
  }
  beyond() {
    return placeOf(this.scope, this.number);
  }
}

/** A place where something else may come to stand. */
export class Changing extends Place {
  held = null;
  waits = false;
  bring() {
    this.shown = this.held;
    super.bring();
  }
  inside(into) {
    if (this.held !== null) into.push(this.held);
  }
  turn(next) {
    undo.push(this, 'held', this.held);
    this.held = next;
    if (this.waits) return;
    undo.push(this, 'waits', false);
    this.waits = true;
    later.push(bringBranch, this, null);
  }
  tell(cell) {
    if (this.held !== null) tellOf(this.held, cell);
  }
  pend() {
    if (this.held !== null) pend(this.held);
  }
}

/** A place where one of several blocks stands, or none. */
export class Branch extends Changing {
  chosen = -1;
  begin(kinds, choice) {
    this.kinds = kinds;
    this.held = this.make(choice);
  }
  make(choice) {
    const kind = this.kinds[choice];
    this.chosen = kind === undefined ? -1 : choice;
    return kind === undefined ? null : new kind(this);
  }
  choose(choice) {
    if (choice === this.chosen || (this.chosen < 0 && this.kinds[choice] === undefined)) return;
    undo.push(this, 'chosen', this.chosen);
    if (this.held !== null) release(this.held);
    this.turn(this.make(choice));
    if (this.held !== null) newly(this.held);
  }
}

/** A place where a component stands, with what was put into its slots. */
export class Child extends Place {
  contents = new Set();
  begin(kind, isRefused) {
    if (!isRefused?.(this.scope)) this.shown = new kind(this, {});
  }
  bring() {
    const { scope, shown } = this;
    if (scope.made$ !== FIXED) super.bring();
    else if (shown === null) scope.made$ = document.createDocumentFragment();
    else {
      scope.made$ = shown.made$;
      shown.made$ = null;
    }
  }
  tell(cell) {
    for (const content of this.contents) tellOf(content, cell);
  }
  pend() {
    if (this.shown !== null) pend(this.shown);
    for (const content of this.contents) pend(content);
  }
}

/** How many components may stand inside each other. */
export const DEEPEST_COMPONENTS = 100;

/** How many blocks may. */
export const DEEPEST_BLOCKS = 500;

/** Whether so much stands around something that no other component may stand in it. */
export function isTooDeep(scope) {
  let [components, blocks] = [0, 0];
  for (let at = scope; at !== undefined; at = at.held$?.scope) {
    blocks++;
    if (at.up$ === null) components++;
  }
  return components > DEEPEST_COMPONENTS || blocks > DEEPEST_BLOCKS;
}

/** Marks those readers of a scope that read a cell of what is around it. */
export function tellOf(scope, cell) {
  mark(scope, scope.constructor.outer[cell] ?? 0);
}

/** Has a scope look at what it asks for itself, and those inside of it. */
export function pend(scope) {
  mark(scope, 0);
  for (const at of scope.constructor.asking) scope.spots$[at].pend();
}

/** Notes that something has gone with all that stands in it, and whatever has to know. */
export function release(scope) {
  undo.push(scope, 'alive$', true);
  scope.alive$ = false;
  turn.gone++;
  if (scope.constructor.ends) (turn.end ?? endSlots)(scope);
}

/** Notes what stands in slots of something that goes: it is not told any more of what changes where it was written. */
export function endSlots(gone) {
  const open = [gone];
  while (open.length > 0) {
    const scope = open.pop();
    for (const place of scope.spots$) {
      if (place.among) afterwards.push(leave, place.among, place.shown);
      place.inside(open);
    }
  }
}

/** Notes that something is new in a pulse: if that is taken back it has never been. */
export function newly(scope) {
  undo.push(scope, 'alive$', false);
  turn.came++;
  return scope;
}

export const leave = (contents, content) => contents.delete(content);

/** A place where stands what was put into a component, or else something of its own. */
export class Slot extends Place {
  among = null;
  begin(name, fallback) {
    let component = this.scope;
    while (component.up$ !== null) component = component.up$;
    const around = component.held$;
    const kind = around?.scope.constructor.spots[around.number].contents[name]?.();
    if (kind !== undefined) {
      this.shown = new kind(this, around.scope);
      this.among = around.contents;
      around.contents.add(this.shown);
      undo.push(around.contents, leave, this.shown);
    } else if (fallback !== null) this.shown = new fallback(this);
  }
  tell(cell) {
    if (this.shown !== null && this.among === null) tellOf(this.shown, cell);
  }
  pend() {
    if (this.shown !== null) pend(this.shown);
  }
}

/** A place where an element stands whose name is worked out. */
export class Renamed extends Changing {
  begin(kind, tag) {
    this.kind = kind;
    this.tag = tag;
    this.held = new kind(this, undefined, tag);
  }
  choose(tag) {
    if (tag === this.tag) return;
    undo.push(this, 'tag', this.tag);
    this.tag = tag;
    release(this.held);
    this.turn(newly(new this.kind(this, undefined, tag)));
  }
}

/** Gives the first element of some markup another name. */
export function rename(top, tag) {
  const old = top.firstChild;
  const made = document.createElement(tag);
  for (const { name, value } of old.attributes) setAttribute(made, name, value);
  made.append(...old.childNodes);
  top.replaceChild(made, old);
}

/** The names that an element may take whose name is worked out. */
export const RENAMED = new Set('a abbr address article aside b blockquote button cite code dd del details dfn div dl dt em fieldset figcaption figure footer form h1 h2 h3 h4 h5 h6 header hgroup i ins kbd label legend li main mark menu nav ol output p pre q s samp search section small span strong sub summary sup table tbody td tfoot th thead time tr u ul var'.split(' '));

/** The name that an element takes: one that is known and harmless, else `div`. */
export function tagOf(value) {
  const name = plain(value);
  return RENAMED.has(name) ? name : 'div';
}

/** A place where a block stands for each item of a list. */
export class Rows extends Place {
  constructor(scope, number, kind, derived, list, by) {
    super(scope, number);
    this.derived = derived;
    this.kind = kind;
    this.list = list;
    this.by = by;
    this.held = this.shown = this.seen = [];
    this.stale = this.waits = false;
    /** What tells them apart, and whether no two are the same in that; up to which edit of which pulse they were matched. */
    this.keys = null;
    this.distinct = false;
    this.turn = this.edits = -1;
    /** Whether rows know where they stand; of others that is looked up. */
    this.numbers = by === null || kind.moved > 0;
    /** How many rows at the beginning and at the end stand in the document as they are now. */
    this.same = [0, 0];
    this.quick = null;
    /** How many times something was written around them that they may read. */
    this.changes = 0;
    /** Rows in which nothing is worked out but what they show are marked as one. */
    this.isOne = kind.within === 0 && kind.prototype.settle$ === Scope.prototype.settle$;
    this.held$ = this;
    this.alive$ = true;
    this.depth$ = scope.depth$;
    this.serial$ = this.was$ = -1;
    this.d$ = 0;
  }
  pull$() {}
  pullLate$() {}
  settle$() {}
  /** Has all rows show what was marked in all of them: those that are marked by themselves do so in their turn, which comes
   * after this one. */
  parts$() {
    const bits = this.d$;
    this.d$ = 0;
    for (const row of this.held) {
      row.d$ |= bits;
      if (row.was$ < 0) row.parts$();
    }
  }
  begin() {
    this.seen = this.list();
    const keys = this.seen.map((item, at) => this.key(item, at));
    this.held = this.seen.map((item, at) => this.make(item, at, keys[at]));
    if (this.by !== null) this.told(keys);
  }
  bring() {
    bringRows(this);
  }
  inside(into) {
    for (const row of this.held) into.push(row);
  }
  key(item, at) {
    return this.by === null ? at : this.by(item);
  }
  make(item, at, key) {
    const kept = this.kind.bare ? bareRow(this, item) : undefined;
    if (kept !== undefined) return comeAgain(kept, at, key);
    const row = new this.kind(this, undefined, item, at);
    row.key$ = key;
    if (this.kind.bare) row.left$ = -1;
    hang(item, row);
    return row;
  }
  /** Has a row go. */
  leave(row) {
    release(row);
    if (this.kind.bare) row.left$ = this.changes;
  }
  tell(cell) {
    this.changes++;
    const bits = this.kind.outer[cell] ?? 0;
    if (!this.isOne) for (const row of this.held) mark(row, bits);
    else if (bits !== 0) mark(this, bits);
    // What is asked for only where it is shown may turn out to be another when others have been shown: who shows it is marked.
    if (turn.shows) for (const row of this.held) if (row.was$ >= 0) row.d$ |= bits;
  }
  /** Notes that other items may be there. What follows by itself is told at once, since it is looked at in order. */
  turned() {
    if (!this.stale) undo.push(this, 'stale', false);
    this.stale = true;
    if (turn.follow !== undefined) for (const row of this.held) tellItem(row);
  }
  pend() {
    for (const row of this.held) pend(row);
  }
  /** Whether what tells an item apart is another by now. */
  isTold(item) {
    return rowsOf(item).some((row) => row.held$ === this && !equalKeys(row.key$, this.by(item)));
  }
  match() {
    const list = this.list();
    const old = this.held;
    const was = this.seen;
    const from = this.turn === turn.count ? this.edits : 0;
    undo.push(this, 'turn', -1, this, 'stale', this.stale);
    this.stale = false;
    this.turn = turn.count;
    this.edits = edits.length;
    // Most rows are where they were, and an item in which nothing was written is the one that it was.
    const looks = this.by === null || touched.length > FEW || touched.some(this.isTold, this);
    const own = looks ? null : editsSince(was, list, from);
    if (own !== null && own.length === 0 && was === list) return;
    undo.push(this, numbered, null, this, 'held', old, this, 'seen', was);
    this.seen = list;
    if (own !== null && own.length === 0) return;
    const fits = looks
      ? (row, item, at) => equalKeys(row.key$, this.key(item, at))
      : (row, item) => row.item$ === item || equalKeys(row.key$, this.by(item));
    // Those of an identity have one in turn, where there are more.
    const next = own === null || !this.distinct ? null : this.editedOnce(old, list, own) ?? this.edited(old, list, own);
    if (next !== null) {
      this.held = next;
      return;
    }
    if (!this.numbers) numberAll(old);
    const start = sameStart(old, list);
    let first = looks ? 0 : start;
    if (looks) while (first < start && fits(old[first], list[first], first)) first++;
    if (first === list.length && first === old.length) return;
    if (list.length === 0) this.held = this.none(old);
    else this.held = this.merged(old, list, first, looks) ?? this.follow(old, list, first, fits) ?? this.turns(old, list, first);
    if (this.by !== null) this.told(this.held.map((row) => row.key$));
    this.waitFor(first, 0);
  }
  /** Notes what tells the rows apart. */
  told(keys) {
    undo.push(this, 'keys', this.keys, this, 'distinct', this.distinct);
    this.keys = keys;
    this.distinct = !hasTwins(keys);
  }
  /** Has the document brought to what the rows are by now, of which so many are as they were at the beginning and at the end. */
  waitFor(first, last) {
    this.quick = null;
    this.same = this.waits ? [Math.min(first, this.same[0]), Math.min(last, this.same[1])] : [first, last];
    if (this.waits) return;
    undo.push(this, 'waits', false);
    this.waits = true;
    later.push(bringRows, this, null);
  }
  /** No rows where there were some. */
  none(old) {
    if (this.kind.ends) old.forEach(release);
    else {
      undo.push(this, standAgain, old);
      for (const row of old) row.alive$ = false;
      if (this.kind.bare) for (const row of old) row.left$ = this.changes;
      turn.gone++;
    }
    return [];
  }
  /** Who stands where after one has come, gone, or gone from one place to another; nothing where it is not that. */
  editedOnce(old, list, own) {
    const { at, gone, came } = own[0];
    const goes = gone.length === 1 && came.length === 0;
    const comes = gone.length === 0 && came.length === 1;
    const moves = goes && own.length === 2 && own[1].gone.length === 0 && own[1].came.length === 1 && own[1].came[0] === gone[0];
    const leaves = goes && !moves;
    if ((own.length > 1 && !moves) || !(goes || comes) || old.length + came.length - (leaves ? 1 : 0) !== list.length) return null;
    const to = moves ? own[1].at : at;
    if (moves && to === at) return old;
    const key = goes ? this.keys[at] : this.by(came[0]);
    if (comes && (key !== key || this.keys.includes(key))) return null;
    const rows = old.slice();
    const row = goes ? old[at] : newly(this.make(list[at], at, key));
    if (goes) {
      rows.splice(at, 1);
      undo.push(this.keys, { at, count: 0 }, this.keys.splice(at, 1));
    }
    if (leaves) {
      row.at$ = at;
      this.leave(row);
    } else {
      rows.splice(to, 0, row);
      this.keys.splice(to, 0, key);
      undo.push(this.keys, { at: to, count: 1 }, NONE);
    }
    const first = Math.min(at, to);
    if (this.numbers) for (let place = first; place < rows.length; place++) this.stand(rows[place], list[place], place);
    else if (moves) this.stand(row, list[to], to);
    const quick = leaves ? { gone: [row], came: [] } : { gone: NONE, came: [{ at: to, row }] };
    const alone = !this.waits;
    this.waitFor(first, rows.length - 1 - Math.max(at, to));
    this.quick = alone ? quick : null;
    return rows;
  }
  /** Who stands where after some edits of the list, where each identity is that of one row; nothing where it is not. */
  edited(old, list, own) {
    const rows = old.slice();
    const keys = this.keys.slice();
    const gone = [];
    let first = rows.length;
    let last = first;
    for (const { at, gone: { length }, came } of own) {
      // Where one has come, its row is found once all have.
      for (const row of rows.splice(at, length, ...came.map(() => null))) if (row !== null) gone.push(row);
      keys.splice(at, length, ...came.map(this.by));
      first = Math.min(first, at);
      last = Math.min(last, rows.length - at - came.length);
    }
    if (rows.length !== list.length) return null;
    const came = [];
    for (let at = first; at < rows.length - last; at++) if (rows[at] === null) came.push({ at, row: undefined });
    const goes = gone.map((row) => row.key$);
    const comes = came.map(({ at }) => keys[at]);
    if (hasTwins(comes) || comes.some((key) => key !== key || (!goes.includes(key) && this.keys.includes(key)))) return null;
    const again = [];
    for (const one of came) {
      const at = goes.indexOf(keys[one.at]);
      if (at >= 0) {
        [one.row] = gone.splice(at, 1);
        goes.splice(at, 1);
        again.push(one.row);
      }
      rows[one.at] = one.row ?? newly(this.make(list[one.at], one.at, keys[one.at]));
    }
    undo.push(this, 'keys', this.keys);
    this.keys = keys;
    if (this.numbers) for (let at = first; at < rows.length; at++) this.stand(rows[at], list[at], at);
    else for (const { at } of came) this.stand(rows[at], list[at], at);
    for (const row of gone) {
      row.at$ = placeOfRow(row, old);
      this.leave(row);
    }
    // Where at most one has moved, it is known what the document has to be told.
    const few = again.length === 0 || (again.length === 1 && isMoved(again[0], old, rows, gone, came));
    const quick = !this.waits && few ? { gone, came } : null;
    this.waitFor(first, last);
    this.quick = quick;
    return rows;
  }
  /** Who stands where where some have come and gone, and nobody else has moved; nothing where it is not as simple. */
  merged(old, list, first, looks) {
    if (!this.distinct || looks) return null;
    const rows = old.slice(0, first);
    const gone = [];
    const came = [];
    let place = first;
    for (let at = first; at < list.length; at++) {
      const row = Hung.rowsOf(list[at]);
      if (row?.held$ === this && row.alive$ && row.item$ === list[at]) {
        while (place < old.length && old[place] !== row) gone.push(old[place++]);
        if (place++ === old.length) return null;
        rows.push(row);
      } else if (row === undefined || (row.held$ === this && !row.alive$)) {
        came.push(at);
        rows.push(null);
      } else return null;
    }
    while (place < old.length) gone.push(old[place++]);
    // Whoever comes must be nobody else.
    const comes = came.map((at) => this.by(list[at]));
    const there = new Set(came.length > 0 ? this.keys : NONE);
    if (hasTwins(comes) || comes.some((key) => there.has(key))) return null;
    came.forEach((at, nth) => {
      rows[at] = newly(this.make(list[at], at, comes[nth]));
    });
    if (this.numbers) for (let at = first; at < rows.length; at++) this.stand(rows[at], list[at], at);
    for (const row of gone) this.leave(row);
    return rows;
  }
  /** Who stands where where few have come, gone and moved, found from both ends; nothing where it is not as simple. */
  follow(old, list, first, isFor) {
    if (this.by !== null && !this.distinct) return null;
    const fits = (row, at) => isFor(row, list[at], at);
    let [i, j, p, q] = [first, old.length - 1, first, list.length - 1];
    const next = old.slice(0, first);
    next.length = list.length;
    while (i <= j && p <= q) {
      if (fits(old[i], p)) next[p++] = old[i++];
      else if (fits(old[j], q)) next[q--] = old[j--];
      else if (fits(old[j], p)) next[p++] = old[j--];
      else if (fits(old[i], q)) next[q--] = old[i++];
      else return null;
    }
    if (q - p > 3) return null;
    // Whoever comes must be nobody else.
    const keys = [];
    for (let at = p; at <= q; at++) {
      const key = this.key(list[at], at);
      if (keys.some((other) => equalKeys(other, key)) || old.some((row) => equalKeys(row.key$, key))) return null;
      keys.push(key);
    }
    for (let at = p; at <= q; at++) next[at] = newly(this.make(list[at], at, keys[at - p]));
    for (let at = first; at < next.length; at++) this.stand(next[at], list[at], at);
    for (; i <= j; i++) this.leave(old[i]);
    return next;
  }
  /** Has a row stand for an item at a position. */
  stand(row, item, at) {
    if (row.item$ !== item) {
      undo.push(row, 'item$', row.item$);
      row.item$ = item;
      hang(item, row);
      tellItem(row);
    } else if (row.at$ !== at && row.constructor.moved > 0) mark(row, row.constructor.moved);
    row.at$ = at;
  }
  /** Who stands where in general: items of one identity have its rows in turn. */
  turns(old, list, first) {
    const left = new Map();
    for (let at = first; at < old.length; at++) {
      const row = old[at];
      const rows = left.get(row.key$);
      if (rows === undefined) left.set(row.key$, row);
      else if (Array.isArray(rows)) rows.push(row);
      else left.set(row.key$, [rows, row]);
    }
    const next = (key) => {
      const rows = left.get(key);
      if (!Array.isArray(rows)) {
        left.delete(key);
        return rows;
      }
      if (rows.length === 1) left.delete(key);
      return rows.shift();
    };
    const held = old.slice(0, first);
    for (let at = first; at < list.length; at++) {
      const item = list[at];
      const key = this.key(item, at);
      const row = left.size === 0 ? undefined : next(key);
      if (row === undefined) {
        held.push(newly(this.make(item, at, key)));
        continue;
      }
      this.stand(row, item, at);
      held.push(row);
    }
    if (left.size > 0) {
      const gone = new Set([...left.values()].flat());
      for (let at = first; at < old.length; at++) if (gone.has(old[at])) this.leave(old[at]);
    }
    return held;
  }
  first() {
    for (const row of this.shown) {
      const first = firstIn(row);
      if (first !== null) return first;
    }
    return null;
  }
  nodes(into) {
    for (const row of this.shown) nodesOf(row, into);
  }
  beyond(row) {
    for (let at = this.shown.indexOf(row) + 1; at < this.shown.length; at++) {
      const first = firstIn(this.shown[at]);
      if (first !== null) return [first.parentNode, first];
    }
    return placeOf(this.scope, this.number);
  }
}

/** How many rows at the beginning stand for the items that are there by now. */
export function sameStart(rows, list) {
  const most = Math.min(rows.length, list.length);
  let first = 0;
  while (first < most && rows[first].item$ === list[first]) first++;
  return first;
}

/** Rows stand again. */
export function standAgain(_, rows) {
  for (const row of rows) row.alive$ = true;
}

/** Rows know where they stand. */
export const numbered = (rows) => numberAll(rows.held);

export function numberAll(rows) {
  for (let at = 0; at < rows.length; at++) rows[at].at$ = at;
}

/** Where a row stands among others; one that is only being made is told. */
export function placeOfRow(row, rows) {
  const at = rows[row.at$] === row ? row.at$ : rows.indexOf(row);
  return at < 0 ? row.at$ : at;
}

/** Whether two identities are one. */
export const equalKeys = (a, b) => a === b || (a !== a && b !== b);

/** Whether some of a list are equal. */
export function hasTwins(list) {
  if (list.length > 4) return new Set(list).size !== list.length;
  return list.some((one, at) => list.includes(one, at + 1));
}

/** What makes of an object that object itself, so that a class can put fields of its own into it. */
export class Itself {
  constructor(item) {
    return item;
  }
}

/** A list that is kept up: whoever wrote it down works it out anew. */
export class Made extends Itself {
  #made = true;
  static is(list) {
    return #made in list;
  }
}

/** The rows that show an object, or what is in it: one, or a list of them. */
export class Hung extends Itself {
  // A field that nobody else sees: it is neither copied nor told with what the object has of its own.
  #rows;
  constructor(item, rows) {
    super(item);
    this.#rows = rows;
  }
  static rowsOf(item) {
    return item !== null && typeof item === 'object' && #rows in item ? item.#rows : undefined;
  }
  /** Notes the first; whether there was none. */
  static first(item, row) {
    if (#rows in item) return false;
    new Hung(item, row);
    return true;
  }
  static hang(item, rows) {
    item.#rows = rows;
  }
}

/** The rows that have shown an object since there were such. */
export function rowsOf(item) {
  const rows = Hung.rowsOf(item);
  return rows === undefined ? FIXED : Array.isArray(rows) ? rows : [rows];
}

/** Notes that a row shows an object; those that do not any more are forgotten. */
export function hang(item, row) {
  if (item === null || typeof item !== 'object' || Hung.first(item, row)) return;
  const known = Hung.rowsOf(item);
  undo.push(row, hangAgain, [item, known]);
  const there = [known].flat().filter((other) => other !== row && other.item$ === item && stands(other));
  Hung.hang(item, there.length === 0 ? row : [...there, row]);
}

export const hangAgain = (_, [item, known]) => Hung.hang(item, known);

/** A row that stood for an item and has gone since, if nothing has to stay behind for it to come again. */
export function bareRow(rows, item) {
  return rowsOf(item).find((row) => row.held$ === rows && !row.alive$ && row.item$ === item && row.top$.parentNode === null);
}

/** Has a row that had gone stand for its item again. */
export function comeAgain(row, at, key) {
  undo.push(row, notAgain, null);
  const isSame = row.left$ === row.held$.changes && (row.at$ === at || row.constructor.moved === 0) && isShown(row);
  row.alive$ = true;
  row.at$ = at;
  row.key$ = key;
  const from = later.length;
  bringAgain(row, !isSame);
  // It is not in the document yet.
  doAll(later, from);
  row.made$ = row.top$;
  return row;
}

/** Whether all that was marked in something has come to be shown. */
export const isShown = (scope) => scope.d$ === 0 && scope.spots$.every(({ held }) => held === null || isShown(held));

/** What did not come out well does not come again. */
export const notAgain = (row) => {
  row.item$ = undefined;
};

/** Has all of something show what it would if it were new: what people do to it, and what may have changed. */
export function bringAgain(scope, changed) {
  if (scope.late$) scope.late$ = false;
  if (scope.serial$ !== undefined) scope.serial$ = turn.serial++;
  if (changed) {
    scope.d$ = -1;
    scope.settle$();
  }
  for (const { held } of scope.spots$) if (held !== null && held.made$ === null) bringAgain(held, changed);
  scope.again$();
  if (changed) scope.parts$();
}

/** Marks those readers of a row that read its item. */
export const tellItem = (row) => mark(row, row.constructor.item);

/** Who reads a field of something that was written, of those who read it at all. */
export const bitsOf = (all, fields, field) => (field === undefined || fields === undefined ? all : fields[field] ?? fields['']);

/** Tells the rows that show an object that something in it was written: in a field of it, where one is said. */
export function touch(item, field) {
  if (item === null || typeof item !== 'object') return;
  touched.push(item);
  for (const row of rowsOf(item)) {
    if (row.item$ !== item) continue;
    const { item: all, fields, hands } = row.constructor;
    // Whoever has gone may come again.
    if (!stands(row)) row.d$ |= all;
    else {
      const bits = bitsOf(all, fields, field);
      if (bits !== 0) mark(row, bits);
      if (field !== undefined && fields !== undefined) for (const [at, prop] of hands) row.spots$?.[at]?.given(prop, field);
    }
  }
}

/** The same for several, one after the other, and again: in the fields that are said of each. */
export function touchAll(items, fields) {
  items.forEach((item, at) => touch(item, fields[at % fields.length]));
}

/** The item that a row stands for by now. */
export function itemNow(row) {
  row.held$.list();
  return isStale(row) ? standing(row) : row.item$;
}

/** Notes that a row has an item by now, before something is written: what that is it has seen. */
export function stillThere(row) {
  row.stood$ = undo.length;
  row.turn$ = turn.count;
}

/** Whether other items may have come to stand in the rows around something since they were matched. */
export function isStale(row) {
  for (let at = row; at.up$ !== null; at = at.up$) if (at.held$.stale) return true;
  return false;
}

/** Where the item of a row stands in its list by now; beyond it once it has gone. */
export function whereOf(row) {
  const rows = row.held$;
  const list = rows.list();
  if (!isStale(row)) return row.alive$ ? placeOfRow(row, rows.held) : -1;
  if (rows.by === null) return row.at$ < list.length ? row.at$ : -1;
  const isOwn = (item) => Object.is(rows.by(item), row.key$);
  // In a list that was changed in place a row goes along with its item; of a new list, and of what came in place of what
  // there was, the rows of an identity have one in turn.
  const there = new Set(list === rows.seen && !Made.is(list) ? list : []);
  if (there.has(row.item$) && typeof row.item$ === 'object') {
    const at = list[row.at$] === row.item$ ? row.at$ : list.indexOf(row.item$);
    return isOwn(list[at]) ? at : -1;
  }
  const taken = new Set();
  let nth = 0;
  let before = true;
  for (const other of rows.held) {
    if (other === row) before = false;
    else if (typeof other.item$ === 'object' && there.has(other.item$)) taken.add(other.item$);
    else if (before && Object.is(other.key$, row.key$)) nth++;
  }
  return list.findIndex((item) => isOwn(item) && !taken.has(item) && nth-- === 0);
}

/** The item of a row, where it still has one; what is written to is called something where its list may be gone. */
export function standing(row, called) {
  if (called !== undefined) row.held$.scope[`stands${row.held$.number}$`](called);
  row.held$.list();
  if (!isStale(row)) {
    if (!row.alive$) return undefined;
    stillThere(row);
    return row.item$;
  }
  const at = whereOf(row);
  if (at < 0) return undefined;
  stillThere(row);
  return row.held$.list()[at];
}

/** The list that a list hands on, and where its items stand there. */
export const ofHome = namesOf('home');

/** The list of state that the item of a row stands in, and its position there. */
export function homeOf(row, called) {
  if (called !== undefined) row.held$.scope[`stands${row.held$.number}$`](called);
  const at = whereOf(row);
  if (at < 0) return null;
  stillThere(row);
  const { scope, number, list } = row.held$;
  const way = scope[ofHome(number)];
  if (way === undefined) return [list(), at];
  const [home, positions] = way.call(scope);
  return positions[at] === undefined ? null : [home, positions[at]];
}

/** The item of a row; once that has gone, what it was. */
export function itemOf(row) {
  row.held$.list();
  if (!isStale(row) && row.alive$) return row.item$;
  const at = whereOf(row);
  if (at < 0) return asItWas(row);
  stillThere(row);
  return row.held$.list()[at];
}

/** Whether what is given to a component, or handed to what stands in a slot, is worked out from something else. */
export function isMade(scope, name) {
  if (scope.held$ === null) return false;
  const { scope: giver, number } = scope.held$;
  const says = giver.constructor.spots[number].made?.[name];
  return says !== undefined && giver[says]();
}

/** What the item of a row was that has gone: of a list that is derived, when it was last seen there; of any other, once
 * it was written to in a way that tells it apart from itself. */
export function asItWas(row) {
  const { item$: item, key$: key, held$: { by, derived: says } } = row;
  const derived = typeof says === 'function' ? says() : says;
  if (item === null || typeof item !== 'object') return item;
  const isOwn = () => !derived && (by === null || Object.is(by(item), key));
  if (isOwn()) return item;
  const inside = new Set();
  const gather = (value) => {
    if (value === null || typeof value !== 'object' || inside.has(value)) return;
    inside.add(value);
    Object.values(value).forEach(gather);
  };
  const again = [];
  let was = item;
  const seen = derived && row.turn$ === turn.count ? row.stood$ : 0;
  for (let at = undo.length - 3; at >= seen && was === item; at -= 3) {
    const [place, name, old] = [undo[at], undo[at + 1], undo[at + 2]];
    inside.clear();
    gather(item);
    if (!inside.has(place)) continue;
    const after = derived ? null : copy(item);
    again.push([place, Array.isArray(place) ? place.slice() : place[name], name]);
    takeBackOne(place, name, old);
    if (isOwn()) was = after;
  }
  if (derived) was = copy(item);
  for (const [place, value, name] of again.reverse()) {
    if (Array.isArray(place)) place.splice(0, place.length, ...value);
    else place[name] = value;
  }
  return was;
}

export function positionOf(row) {
  const at = whereOf(row);
  if (at >= 0) return at;
  return row.alive$ ? lastPlaceOf(row) : row.at$;
}

/** Where a row stood when it went from its list in the middle of the pulse under way. */
export function lastPlaceOf(row) {
  const rows = row.held$;
  let place = placeOfRow(row, rows.held);
  for (let at = rows.turn === turn.count ? rows.edits : 0; at < edits.length; at++) {
    const { list, at: first, gone, came } = edits[at];
    if (list !== rows.seen) continue;
    if (gone === null || (place >= first && place < first + gone.length)) break;
    if (place >= first) place += came.length - gone.length;
  }
  return place;
}

/** Whether some rows are all that their parent has in it. */
export function isAllInside(rows, first, end) {
  if (end - first < 2) return false;
  const [leads, nodes] = [firstIn(rows[first]), []];
  if (leads === null || leads.previousSibling !== null) return false;
  for (let at = end - 1; at >= first && nodes.length === 0; at--) nodesOf(rows[at], nodes);
  return nodes.at(-1).nextSibling === null;
}

/** Takes out who is gone from a part of some rows, and says who of those that come need not move. */
export function staying(old, next, first, end, last) {
  if (end - first === last - first && end - first > 8) {
    // One has gone from one end to the other.
    const goes = (from, to) => {
      for (let at = first; at < end - 1; at++) if (old[at + from] !== next[at + to]) return false;
      return true;
    };
    if (old[end - 1] === next[first] && goes(0, 1)) return (at) => at > 0;
    if (old[first] === next[last - 1] && goes(1, 0)) return (at) => at < last - first - 1;
  }
  const gone = [];
  const there = [];
  for (let at = first; at < end; at++) (old[at].alive$ ? there : gone).push(old[at]);
  let count = 0;
  for (let at = first; at < last && count >= 0; at++) {
    if (next[at].made$ === null) count = next[at] === there[count] ? count + 1 : -1;
  }
  if (count === there.length) {
    if (count === 0 && isAllInside(old, first, end)) firstIn(old[first]).parentNode.replaceChildren();
    else for (const row of gone) takeOut(row);
    return () => true;
  }
  const was = new Map();
  if (last > first) for (let at = first; at < end; at++) was.set(old[at], at);
  const places = next.slice(first, last).map((row) => was.get(row) ?? -1);
  const still = new Set(places);
  if (!places.some((at) => at >= 0) && isAllInside(old, first, end)) firstIn(old[first]).parentNode.replaceChildren();
  else for (let at = first; at < end; at++) if (!still.has(at)) takeOut(old[at]);
  const run = longestRun(places);
  return (at) => run.has(at);
}

/** Whether a row that came again stands before another than it did, of those that stayed. */
export function isMoved(row, old, rows, gone, came) {
  const after = (list, passes) => {
    let at = list.indexOf(row) + 1;
    while (at < list.length && passes(list[at], at)) at++;
    return list[at];
  };
  return after(old, (other) => gone.includes(other)) !== after(rows, (_, at) => came.some((other) => other.at === at));
}

/** Has the document show few that have come and gone. */
export function bringFew(rows, { gone, came }) {
  for (const row of gone) takeOut(row);
  const { held: next } = rows;
  rows.shown = [];
  for (const { at } of came.reverse()) {
    let into = null;
    let before = null;
    for (let after = at + 1; before === null && after < next.length; after++) before = firstIn(next[after]);
    if (before === null) [into, before] = placeOf(rows.scope, rows.number);
    putIntoPlace(next[at], into ?? before.parentNode, before);
  }
  rows.shown = next;
}

/** Has a row stand somewhere in the document. */
export function putIntoPlace(row, into, before) {
  if (row.made$ !== null) {
    into.insertBefore(row.made$, before);
    row.made$ = null;
    return;
  }
  const nodes = [];
  nodesOf(row, nodes);
  for (const node of nodes) into.insertBefore(node, before);
}

/** Has the document show rows where there were none. */
export function bringFirst(rows, next) {
  const [into, before] = placeOf(rows.scope, rows.number);
  rows.shown = next;
  for (let at = 0; at < next.length; at++) {
    into.insertBefore(next[at].made$, before);
    next[at].made$ = null;
  }
}

/** Has the document show the rows of a list in their order, in the fewest moves. */
export function bringRows(rows) {
  const old = rows.shown;
  const next = rows.held;
  rows.waits = false;
  if (old === next) return;
  if (old.length === 0) return bringFirst(rows, next);
  if (rows.quick !== null) return bringFew(rows, rows.quick);
  // What is the same at both ends stays.
  let first = rows.same[0];
  while (first < old.length && old[first] === next[first]) first++;
  let end = old.length - rows.same[1];
  let last = next.length - rows.same[1];
  for (; end > first && last > first && old[end - 1] === next[last - 1]; end--) last--;
  const stays = staying(old, next, first, end, last);
  rows.shown = [];
  let [into, before] = placeOf(rows.scope, rows.number);
  for (let at = last; at < next.length; at++) {
    const node = firstIn(next[at]);
    if (node === null) continue;
    before = node;
    break;
  }
  for (let at = last - 1; at >= first; at--) {
    const row = next[at];
    if (row.made$ !== null || !stays(at - first)) putIntoPlace(row, into, before);
    before = firstIn(row) ?? before;
  }
  rows.shown = next;
}

/** The positions of a longest run of numbers that grow, of those that are none below zero. */
export function longestRun(numbers) {
  const ends = [];
  const back = [];
  for (let at = 0; at < numbers.length; at++) {
    if (numbers[at] < 0) continue;
    let low = 0;
    let high = ends.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (numbers[ends[middle]] < numbers[at]) low = middle + 1;
      else high = middle;
    }
    back[at] = low > 0 ? ends[low - 1] : -1;
    ends[low] = at;
  }
  const run = new Set();
  for (let at = ends.length > 0 ? ends.at(-1) : -1; at >= 0; at = back[at]) run.add(at);
  return run;
}

/** Hands an event of a component on to whoever hears it around. */
export function hand(held, event, args) {
  for (const way of held.scope.constructor.spots[held.number].hears[event]) {
    call(event, held.scope, way, args);
  }
}

/** Has the document show what a place has come to hold. */
export function bringBranch(branch) {
  branch.waits = false;
  if (branch.shown === branch.held) return;
  if (branch.shown !== null) takeOut(branch.shown);
  branch.shown = branch.held;
  if (branch.held === null) return;
  const place = placeOf(branch.scope, branch.number);
  place[0].insertBefore(branch.held.made$, place[1]);
  branch.held.made$ = null;
}

/** Takes all nodes of a scope out of the document. */
export function takeOut(scope) {
  const nodes = [];
  nodesOf(scope, nodes);
  for (const node of nodes) node.remove();
}

/** The nodes at the top of a scope, in the order of the document. */
export function nodesOf(scope, into) {
  const { top$: top } = scope;
  if (!Array.isArray(top)) {
    into.push(top);
    return;
  }
  for (const at of scope.constructor.tops) {
    if (!Array.isArray(at)) into.push(top[at]);
    else scope.spots$[at[0]].nodes(into);
  }
}

/** The first node that stands in a scope, in the order of the document. */
export function firstIn(scope) {
  const { top$: top } = scope;
  if (!Array.isArray(top)) return top;
  for (const at of scope.constructor.tops) {
    if (!Array.isArray(at)) return top[at];
    const first = scope.spots$[at[0]].first();
    if (first !== null) return first;
  }
  return null;
}

/** What the nodes of a place go into, and before which node. */
export function placeOf(scope, number) {
  const { spots } = scope.constructor;
  let { next } = spots[number];
  let before = null;
  while (before === null && next !== null) {
    before = typeof next === 'string' ? scope[next] : scope.spots$[next].first();
    next = typeof next === 'string' ? null : spots[next].next;
  }
  const { parent } = spots[number];
  if (parent !== null) return [scope[parent], before];
  if (scope.made$ !== null) return [scope.made$, before];
  if (before !== null) return [before.parentNode, before];
  return scope.held$ === null ? [scope.into$, null] : scope.held$.beyond(scope);
}

/** Puts a component into an element. */
export function standIn(element, scope) {
  element.append(scope.made$);
  scope.made$ = null;
  scope.into$ = element;
}
