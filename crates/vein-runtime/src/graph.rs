//! Which readers have to look again: marks, and bringing derived values up to date.
//!
//! A write marks those that read what it changed as *stale*, and those that read derived values
//! above them as *perhaps*. Nothing is computed until it is read. A reader that is only
//! perhaps stale first has what it read brought up to date; if that comes out equal, the wave
//! ends there.

use crate::change::{Change, Seen, SeenUndo, Undo, changed_since};
use crate::scope::{Held, Mark, NONE, ReaderState, Scope, ScopeId, Slot};
use crate::wakes::{Entry, KnownReads, Node, Prepared, Reader, Wakes};
use smallvec::SmallVec;
use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::sync::Arc;
use vein_plan::code::{CellId, ExprId};
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::track::{Origin, Tracked};
use vein_plan::{Extent, Read, ReadStep, SpotKind, Step, Value};
use vein_view::NodeNumber;

/// A reader anywhere on the page.
pub(crate) type ReaderKey = (ScopeId, Reader);

/// What happened to a reader in this pulse.
#[derive(Debug)]
pub(crate) struct Touched {
    key: ReaderKey,
    before: Mark,
    evaluated: bool,
    /// The writes that it saw.
    wakes: SmallVec<[Wake; 1]>,
    /// The writes that made it stale, as positions in the log.
    because: SmallVec<[u32; 2]>,
    /// What it had read before it was evaluated again.
    trace: Option<Box<[Read]>>,
}

/// A write as a reader saw it.
#[derive(Debug)]
struct Wake {
    /// Its position in the log.
    write: u32,
    /// The cell that the reader reads.
    cell: CellId,
    /// How many steps of the write's path lead to that cell.
    strip: u32,
    /// For a write above that cell: all that the cell was.
    whole: Option<Value>,
}

/// A change at or in a cell, on its way to those that depend on it.
#[derive(Clone, Copy)]
struct At<'a> {
    /// The way to it from the cell.
    path: &'a [Step],
    what: What<'a>,
    /// How many steps of the write's path lead to the cell; `None` when it was made above it.
    strip: Option<u32>,
}

/// A change.
#[derive(Clone, Copy)]
enum What<'a> {
    Replaced(&'a Value, &'a Value),
    Listed(&'a ListSeen),
}

/// A change of a list in place, after it was made.
#[derive(Debug)]
pub(crate) enum ListSeen {
    Splice { at: usize, removed: Vec<Value>, inserted: usize },
    Permute(Vec<u32>),
}

/// A change of a list in place.
pub(crate) enum ListEdit {
    Splice {
        at: usize,
        remove: usize,
        insert: Vec<Value>,
    },
    /// The item that comes to stand at `i` stood at `order[i]`.
    Permute(Vec<u32>),
}

/// The state of a page and who depends on it.
#[derive(Debug)]
pub(crate) struct Graph {
    pub(crate) prepared: Arc<Prepared>,
    pub(crate) scopes: Vec<Scope>,
    /// Scopes that are free, and those that were let go in this pulse.
    pub(crate) free: Vec<ScopeId>,
    pub(crate) dead: Vec<ScopeId>,
    /// The scope of each numbered node.
    pub(crate) owners: Vec<ScopeId>,
    /// Runs of numbers that are free, by their length.
    pub(crate) free_numbers: rustc_hash::FxHashMap<u32, Vec<NodeNumber>>,
    pub(crate) log: Vec<Change>,
    touched: Vec<Touched>,
    /// Spots that have to be looked at before the pulse ends, outer ones first.
    pub(crate) spots: BinaryHeap<Reverse<(u32, ScopeId, Reader)>>,
    /// Parts that have to be looked at after them.
    pub(crate) parts: Vec<ReaderKey>,
    pub(crate) computed: usize,
    /// Rows whose identity was written.
    rekeyed: Vec<ScopeId>,
    /// Whether lists have been told of changes that the view does not show yet.
    pub(crate) unsettled: Vec<(ScopeId, u32)>,
}

/// The state as an expression of a scope sees it.
pub(crate) struct Sight<'a> {
    pub(crate) graph: &'a mut Graph,
    pub(crate) scope: ScopeId,
}

impl Cells for Sight<'_> {
    fn cell(&mut self, cell: CellId) -> Value {
        self.graph.cell(self.scope, cell)
    }
}

impl Graph {
    pub(crate) fn new(prepared: Arc<Prepared>) -> Graph {
        Graph {
            prepared,
            scopes: Vec::new(),
            free: Vec::new(),
            dead: Vec::new(),
            owners: vec![NONE],
            free_numbers: Default::default(),
            log: Vec::new(),
            touched: Vec::new(),
            spots: BinaryHeap::new(),
            parts: Vec::new(),
            computed: 0,
            rekeyed: Vec::new(),
            unsettled: Vec::new(),
        }
    }

    /// Begins a pulse, or a read by the host between two.
    pub(crate) fn begin(&mut self) {
        self.log.clear();
        self.spots.clear();
        self.parts.clear();
        self.computed = 0;
    }

    /// Ends a pulse that went well. Derived values that nobody asked for stay as they are
    /// until somebody does.
    pub(crate) fn end(&mut self) {
        for touched in std::mem::take(&mut self.touched) {
            let state = self.state(touched.key);
            state.touched = 0;
            state.carried = state.mark == Mark::Stale;
        }
        self.unsettled.clear();
    }

    /// Takes back everything since the pulse began. The view has not been changed yet.
    pub(crate) fn roll_back(&mut self) {
        while let Some(change) = self.log.pop() {
            let (scope, at) = self.home(change.scope, change.cell);
            let slot = &mut self.scopes[scope as usize].cells[at as usize];
            let (Slot::Own(value) | Slot::Derived { value, .. }) = slot else { continue };
            change.undo.undo(&change.path, value);
        }
        for touched in std::mem::take(&mut self.touched) {
            let (scope, reader) = touched.key;
            if let Some(trace) = touched.trace {
                self.scopes[scope as usize].traces.insert(reader, trace);
            }
            let state = self.state(touched.key);
            *state = ReaderState {
                mark: touched.before,
                carried: touched.before == Mark::Stale,
                touched: 0,
            };
        }
        for (scope, spot) in std::mem::take(&mut self.unsettled) {
            self.forget_pieces(scope, spot);
        }
        self.spots.clear();
        self.parts.clear();
    }

    pub(crate) fn scope(&self, id: ScopeId) -> &Scope {
        &self.scopes[id as usize]
    }

    pub(crate) fn scope_mut(&mut self, id: ScopeId) -> &mut Scope {
        &mut self.scopes[id as usize]
    }

    fn state(&mut self, (scope, reader): ReaderKey) -> &mut ReaderState {
        &mut self.scopes[scope as usize].readers[reader as usize]
    }

    fn mark_of(&self, (scope, reader): ReaderKey) -> Mark {
        self.scopes[scope as usize].readers[reader as usize].mark
    }

    /// The scope that a cell lives in, seen from another, and its place there.
    pub(crate) fn home(&self, mut scope: ScopeId, cell: CellId) -> (ScopeId, u32) {
        let plan = self.scope(scope).plan;
        let home = self.prepared.plans[plan as usize].homes[cell as usize];
        while self.scope(scope).block != home.block {
            scope = self.scope(scope).parent;
        }
        (scope, home.at)
    }

    /// The value of a cell as a scope sees it, brought up to date.
    pub(crate) fn cell(&mut self, scope: ScopeId, cell: CellId) -> Value {
        let (home, at) = self.home(scope, cell);
        let (scope, cell, path) = match &self.scope(home).cells[at as usize] {
            Slot::Own(value) => return value.clone(),
            Slot::Derived { .. } => {
                self.refresh((home, at));
                return match &self.scope(home).cells[at as usize] {
                    Slot::Derived { value, .. } => value.clone(),
                    _ => Value::Null,
                };
            }
            Slot::Alias { scope, cell, path } => (*scope, *cell, path.clone()),
            Slot::Item => return self.item(home),
            Slot::Position => {
                return Value::Number(f64::from(self.row_position(home).unwrap_or(0)));
            }
        };
        let value = self.cell(scope, cell);
        if path.is_empty() { value } else { value.at(&path).cloned().unwrap_or_default() }
    }

    /// The item of a row.
    fn item(&mut self, row: ScopeId) -> Value {
        if let Some(gone) = &self.scope(row).gone {
            return gone.clone();
        }
        let (holder, spot) = self.scope(row).holder;
        let list = self.list_of(holder, spot);
        let Some(position) = self.row_position(row) else { return Value::Null };
        list.child(&Step::Index(position)).cloned().unwrap_or_default()
    }

    /// The list that a spot repeats for.
    pub(crate) fn list_of(&mut self, scope: ScopeId, spot: u32) -> Value {
        let prepared = self.prepared.clone();
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        let SpotKind::List { cell, .. } =
            &prepared.plan(plan).blocks[block as usize].spots[spot as usize].kind
        else {
            return Value::Null;
        };
        let path = &prepared.block(plan, block).lists[spot as usize];
        let value = self.cell(scope, *cell);
        if path.is_empty() { value } else { value.at(path).cloned().unwrap_or_default() }
    }

    /// The state that a path of a cell stands in, through props, loops and derived lists that
    /// hand items on. `None` for what was made by an expression.
    pub(crate) fn resolve(
        &mut self,
        scope: ScopeId,
        cell: CellId,
        path: Vec<Step>,
    ) -> Option<(ScopeId, CellId, Vec<Step>)> {
        let (home, at) = self.home(scope, cell);
        let prepared = self.prepared.clone();
        match &self.scope(home).cells[at as usize] {
            Slot::Own(_) => Some((home, cell, path)),
            Slot::Alias { scope, cell, path: way } => {
                let (scope, cell) = (*scope, *cell);
                let path = way.iter().cloned().chain(path).collect();
                self.resolve(scope, cell, path)
            }
            Slot::Position => None,
            Slot::Item => {
                if self.scope(home).gone.is_some() {
                    return None;
                }
                let (holder, spot) = self.scope(home).holder;
                let (plan, block) = (self.scope(holder).plan, self.scope(holder).block);
                let spots = &prepared.plan(plan).blocks[block as usize].spots;
                let SpotKind::List { cell, .. } = &spots[spot as usize].kind else { return None };
                let position = self.row_position(home)?;
                let way = prepared.block(plan, block).lists[spot as usize].clone();
                let step = Step::Index(position);
                let path = way.iter().cloned().chain([step]).chain(path).collect();
                self.resolve(holder, *cell, path)
            }
            Slot::Derived { scope, expr, .. } => {
                let (scope, expr) = (*scope, *expr);
                self.refresh((home, at));
                let (origin, _) = self.followed(scope, expr, |run| run.follow(expr).1);
                let mut origin = origin;
                let mut steps = path.into_iter();
                while let Tracked::Gathered(_) = origin {
                    match steps.next()? {
                        Step::Index(i) => origin = origin.item(i as usize),
                        Step::Field(_) => return None,
                    }
                }
                let Tracked::At(place) = origin else { return None };
                let path = place.1.iter().cloned().chain(steps).collect();
                self.resolve(scope, place.0, path)
            }
        }
    }

    // ---- writes -------------------------------------------------------------------------

    /// Replaces the value at a path. `false` if there is no such place.
    pub(crate) fn set(
        &mut self,
        scope: ScopeId,
        cell: CellId,
        path: Vec<Step>,
        value: Value,
    ) -> bool {
        let Some((home, cell, path)) = self.resolve(scope, cell, path) else { return false };
        let (_, at) = self.home(home, cell);
        self.store((home, cell, at), path, value, SmallVec::new())
    }

    fn store(
        &mut self,
        (home, cell, at): (ScopeId, CellId, u32),
        path: Vec<Step>,
        value: Value,
        because: SmallVec<[u32; 2]>,
    ) -> bool {
        let slot = &mut self.scopes[home as usize].cells[at as usize];
        let (Slot::Own(root) | Slot::Derived { value: root, .. }) = slot else { return false };
        match root.at(&path) {
            None => return false,
            Some(old) if old.same(&value) => return true,
            Some(_) => {}
        }
        let Some(place) = root.at_mut(&path) else { return false };
        let old = std::mem::replace(place, value.clone());
        let undo = Undo::Set(old.clone());
        self.log.push(Change { scope: home, cell, path: path.clone(), undo, because });
        let prepared = self.prepared.clone();
        let what = What::Replaced(&old, &value);
        self.notify(&prepared, home, cell, At { path: &path, what, strip: Some(0) });
        // Rows are matched anew only when everybody has seen the write itself.
        for row in std::mem::take(&mut self.rekeyed) {
            self.key_changed(row);
        }
        true
    }

    /// Changes the list at a path in place. `false` if there is none.
    pub(crate) fn change_list(
        &mut self,
        scope: ScopeId,
        cell: CellId,
        path: Vec<Step>,
        change: ListEdit,
    ) -> bool {
        let Some((home, cell, path)) = self.resolve(scope, cell, path) else { return false };
        let (_, at) = self.home(home, cell);
        let Slot::Own(root) = &mut self.scopes[home as usize].cells[at as usize] else {
            return false;
        };
        let Some(Value::List(items)) = root.at(&path) else { return false };
        let nothing = match &change {
            ListEdit::Splice { at, remove, insert } => {
                let removed = &items[*at..at + remove];
                removed.len() == insert.len() && removed.iter().zip(insert).all(|(a, b)| a.same(b))
            }
            // Items that are alike may change places without anybody seeing it.
            ListEdit::Permute(order) => {
                let mut pairs = items.iter().zip(order);
                pairs.all(|(item, from)| items.get(*from as usize).is_some_and(|o| o.same(item)))
            }
        };
        if nothing {
            return true;
        }
        let Some(Value::List(items)) = root.at_mut(&path) else { return false };
        let items = Arc::make_mut(items);
        let (undo, seen) = match change {
            ListEdit::Splice { at, remove, insert } => {
                let inserted = insert.len();
                let removed: Vec<Value> = items.splice(at..at + remove, insert).collect();
                let undo = Undo::Splice { at, removed: removed.clone(), inserted };
                (undo, ListSeen::Splice { at, removed, inserted })
            }
            ListEdit::Permute(order) => {
                let mut old: Vec<Value> = std::mem::take(items);
                *items = order.iter().map(|i| std::mem::take(&mut old[*i as usize])).collect();
                (Undo::Permute(order.clone()), ListSeen::Permute(order))
            }
        };
        let because = SmallVec::new();
        self.log.push(Change { scope: home, cell, path: path.clone(), undo, because });
        let prepared = self.prepared.clone();
        let what = What::Listed(&seen);
        self.notify(&prepared, home, cell, At { path: &path, what, strip: Some(0) });
        // Rows are matched anew only when everybody has seen the write itself.
        for row in std::mem::take(&mut self.rekeyed) {
            self.key_changed(row);
        }
        true
    }

    // ---- who sees a change --------------------------------------------------------------

    /// Tells everything that depends on a cell, in the scope that it lives in and in those
    /// inside it.
    fn notify(&mut self, prepared: &Prepared, scope: ScopeId, cell: CellId, at: At<'_>) {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        let ready = prepared.block(plan, block);
        if let Some(wakes) = ready.wakes.get(&cell) {
            self.descend(prepared, scope, cell, wakes, at);
        }
        let Some(spots) = ready.inner.get(&cell) else { return };
        for spot in spots {
            for inner in self.scopes_in(scope, *spot) {
                self.notify(prepared, inner, cell, at);
            }
        }
    }

    /// The scopes that see this one's cells and stand in a spot of it, or were written there.
    pub(crate) fn scopes_in(&self, scope: ScopeId, spot: u32) -> SmallVec<[ScopeId; 4]> {
        match &self.scope(scope).held[spot as usize] {
            Held::Nothing | Held::Markup { .. } => SmallVec::new(),
            Held::Branch { scope: inner, .. } | Held::Renamed { scope: inner, .. } => {
                SmallVec::from_iter((*inner != NONE).then_some(*inner))
            }
            Held::Slot { scope: inner, .. } => {
                let own = *inner != NONE && self.scope(*inner).parent == scope;
                SmallVec::from_iter(own.then_some(*inner))
            }
            Held::List(rows) => SmallVec::from_slice(&rows.rows),
            Held::Component { contents, .. } => SmallVec::from_slice(contents),
        }
    }

    /// Goes along the path of a change; readers of all of anything on the way see it.
    fn descend(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        wakes: &Wakes,
        at: At<'_>,
    ) {
        let names = &prepared.program.names;
        let mut node = wakes.root();
        for (taken, step) in at.path.iter().enumerate() {
            let rest = &at.path[taken..];
            for entry in &node.entries {
                self.entry_above(prepared, scope, cell, *entry, At { path: rest, ..at }, taken);
            }
            match wakes.child(node, step, names) {
                Some(child) => node = child,
                None => return,
            }
        }
        let taken = at.path.len();
        match at.what {
            What::Replaced(old, new) => {
                self.compare(prepared, scope, cell, wakes, node, (Some(old), Some(new)), at, taken);
            }
            What::Listed(seen) => self.listed(prepared, scope, cell, wakes, node, seen, at),
        }
    }

    /// What depends on something around the place of a change.
    fn entry_above(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        entry: Entry,
        at: At<'_>,
        taken: usize,
    ) {
        let inner = At { strip: at.strip.map(|strip| strip + taken as u32), ..at };
        match entry {
            Entry::Reader(reader, Extent::Whole) => self.wake((scope, reader), cell, at.strip, at),
            Entry::Reader(..) => {}
            Entry::Key => self.rekeyed.push(scope),
            Entry::Given(spot, which, extent) => {
                if let Some((to, to_cell)) = self.receiver(scope, spot, which) {
                    match self.receives(to, to_cell) {
                        true => self.notify(prepared, to, to_cell, inner),
                        false if extent == Extent::Whole => {
                            self.wake_cell(to, to_cell, cell, at.strip, at);
                        }
                        false => {}
                    }
                }
            }
            Entry::List(spot) => {
                let [Step::Index(position), rest @ ..] = at.path else { return };
                let row = self.row_at(scope, spot, *position);
                let item = self.item_cell(prepared, scope, spot);
                if rest.is_empty()
                    && let What::Replaced(old, new) = at.what
                    && self.item_replaced(scope, spot, *position, old, new)
                {
                    return;
                }
                if row.is_none() {
                    // What tells an item without a row apart may have been written.
                    self.match_rows(scope, spot);
                }
                if let (Some(row), Some(item)) = (row, item) {
                    let strip = inner.strip.map(|strip| strip + 1);
                    self.notify(prepared, row, item, At { path: rest, what: at.what, strip });
                }
            }
        }
    }

    fn item_cell(&self, prepared: &Prepared, scope: ScopeId, spot: u32) -> Option<CellId> {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        match &prepared.plan(plan).blocks[block as usize].spots[spot as usize].kind {
            SpotKind::List { block, .. } => prepared.block(plan, *block).item,
            _ => None,
        }
    }

    /// What depends on the place of a change or on something inside it.
    #[allow(clippy::too_many_arguments, reason = "one step of a walk over two trees at once")]
    fn compare(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        wakes: &Wakes,
        node: &Node,
        (old, new): (Option<&Value>, Option<&Value>),
        at: At<'_>,
        taken: usize,
    ) {
        let differs = |extent: Extent| extent.differs(old, new);
        for entry in &node.entries {
            match *entry {
                Entry::Reader(reader, extent) if differs(extent) => {
                    self.wake((scope, reader), cell, at.strip, at);
                }
                Entry::Reader(..) => {}
                Entry::Key if differs(Extent::Whole) => self.rekeyed.push(scope),
                Entry::Key => {}
                Entry::Given(spot, which, extent) if differs(extent) => {
                    let Some((to, to_cell)) = self.receiver(scope, spot, which) else { continue };
                    if !self.receives(to, to_cell) {
                        self.wake_cell(to, to_cell, cell, at.strip, at);
                        continue;
                    }
                    let null = Value::Null;
                    let (old, new) = (old.unwrap_or(&null), new.unwrap_or(&null));
                    let what = What::Replaced(old, new);
                    // Just here, or somewhere above what was given.
                    let strip = at.strip.filter(|_| taken == at.path.len());
                    let strip = strip.map(|strip| strip + taken as u32);
                    self.notify(prepared, to, to_cell, At { path: &[], what, strip });
                }
                Entry::Given(..) => {}
                Entry::List(spot) => self.list_replaced(prepared, scope, spot, old, new),
            }
        }
        for (step, child) in wakes.children(node) {
            let (before, after) = match step {
                ReadStep::Field(name) => {
                    let step = Step::Field(prepared.program.names[name as usize].clone());
                    (old.and_then(|v| v.child(&step)), new.and_then(|v| v.child(&step)))
                }
                // Which positions are read is found out when the reader looks at what it read.
                ReadStep::AnyItem => {
                    if differs(Extent::Whole) {
                        self.wake_all(scope, cell, wakes, child, at);
                    }
                    continue;
                }
            };
            let inside = (before, after);
            self.compare(prepared, scope, cell, wakes, child, inside, at, taken + 1);
        }
    }

    /// What depends on a list that was changed in place.
    #[allow(clippy::too_many_arguments, reason = "one step of a walk over two trees at once")]
    fn listed(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        wakes: &Wakes,
        node: &Node,
        seen: &ListSeen,
        at: At<'_>,
    ) {
        let other_length = match seen {
            ListSeen::Splice { removed, inserted, .. } => removed.len() != *inserted,
            ListSeen::Permute(_) => false,
        };
        for entry in &node.entries {
            match *entry {
                Entry::Reader(reader, extent) => {
                    let sees = match extent {
                        Extent::Whole => true,
                        Extent::Length => other_length,
                        Extent::Presence | Extent::Position => false,
                    };
                    if sees {
                        self.wake((scope, reader), cell, at.strip, at);
                    }
                }
                Entry::Key => {}
                Entry::Given(spot, which, extent) => {
                    let Some((to, to_cell)) = self.receiver(scope, spot, which) else { continue };
                    if self.receives(to, to_cell) {
                        let taken = at.path.len() as u32;
                        let strip = at.strip.map(|strip| strip + taken);
                        self.notify(prepared, to, to_cell, At { path: &[], strip, ..at });
                    } else if extent == Extent::Whole || (extent == Extent::Length && other_length)
                    {
                        self.wake_cell(to, to_cell, cell, at.strip, at);
                    }
                }
                Entry::List(spot) => self.list_changed(prepared, scope, spot, seen),
            }
        }
        for (step, child) in wakes.children(node) {
            if step == ReadStep::AnyItem {
                self.wake_all(scope, cell, wakes, child, at);
            }
        }
    }

    /// Wakes every reader below a node.
    fn wake_all(&mut self, scope: ScopeId, cell: CellId, wakes: &Wakes, node: &Node, at: At<'_>) {
        for entry in &node.entries {
            match *entry {
                Entry::Reader(reader, _) => self.wake((scope, reader), cell, at.strip, at),
                Entry::Given(spot, which, _) => {
                    if let Some((to, to_cell)) = self.receiver(scope, spot, which) {
                        self.wake_cell(to, to_cell, cell, at.strip, at);
                    }
                }
                Entry::List(_) | Entry::Key => {}
            }
        }
        for (_, child) in wakes.children(node) {
            self.wake_all(scope, cell, wakes, child, at);
        }
    }

    /// Tells a row's readers that its item is another, or stands at another position.
    pub(crate) fn tell_row(&mut self, row: ScopeId, cell: CellId, old: &Value, new: &Value) {
        if old.same(new) {
            return;
        }
        let prepared = self.prepared.clone();
        let what = What::Replaced(old, new);
        self.notify(&prepared, row, cell, At { path: &[], what, strip: None });
    }

    /// Who receives what is given through a spot, and as which cell.
    fn receiver(&self, scope: ScopeId, spot: u32, which: u32) -> Option<(ScopeId, CellId)> {
        match &self.scope(scope).held[spot as usize] {
            Held::Component { instance, .. } => {
                let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
                let spots = &self.prepared.plan(plan).blocks[block as usize].spots;
                let SpotKind::Component(used) = &spots[spot as usize].kind else { return None };
                Some((*instance, used.props.get(which as usize)?.0))
            }
            Held::Slot { scope: inner, cells } => {
                let cell = cells.get(which as usize).copied().flatten()?;
                (*inner != NONE).then_some((*inner, cell))
            }
            _ => None,
        }
    }

    /// Whether what is given is seen where the giver has it.
    fn receives(&self, to: ScopeId, cell: CellId) -> bool {
        let (home, at) = self.home(to, cell);
        matches!(self.scope(home).cells[at as usize], Slot::Alias { .. })
    }

    /// Wakes what is worked out in the giver's scope for a cell elsewhere.
    fn wake_cell(
        &mut self,
        to: ScopeId,
        to_cell: CellId,
        read: CellId,
        strip: Option<u32>,
        at: At<'_>,
    ) {
        let (home, place) = self.home(to, to_cell);
        if matches!(self.scope(home).cells[place as usize], Slot::Derived { .. }) {
            self.wake((home, place), read, strip, at);
        }
    }

    pub(crate) fn touch(&mut self, key: ReaderKey) -> usize {
        let state = &mut self.scopes[key.0 as usize].readers[key.1 as usize];
        if state.touched == 0 {
            self.touched.push(Touched {
                key,
                before: state.mark,
                evaluated: false,
                wakes: SmallVec::new(),
                because: SmallVec::new(),
                trace: None,
            });
            state.touched = self.touched.len() as u32;
        }
        state.touched as usize - 1
    }

    /// Marks a reader that sees the write that was logged last.
    fn wake(&mut self, key: ReaderKey, cell: CellId, strip: Option<u32>, at: At<'_>) {
        let write = (self.log.len() as u32).saturating_sub(1);
        let touched = self.touch(key);
        let entry = &mut self.touched[touched];
        if entry.because.last() != Some(&write) {
            entry.because.push(write);
        }
        let whole = match (strip, at.what) {
            (None, What::Replaced(old, _)) => Some(old.clone()),
            _ => None,
        };
        // One write may be seen in several places.
        let known = entry.wakes.last().is_some_and(|wake| {
            wake.write == write && wake.cell == cell && wake.whole.is_none() && whole.is_none()
        });
        if !known {
            entry.wakes.push(Wake { write, cell, strip: strip.unwrap_or(0), whole });
        }
        let state = self.state(key);
        let before = state.mark;
        if before != Mark::New {
            state.mark = Mark::Stale;
        }
        if before == Mark::Fresh {
            self.announce(key);
        }
    }

    /// Marks a spot that has to be looked at.
    pub(crate) fn wake_spot(&mut self, scope: ScopeId, spot: u32) {
        let ready = self.prepared.block(self.scope(scope).plan, self.scope(scope).block);
        let key = (scope, ready.reader_of_spot(spot));
        let write = (self.log.len() as u32).saturating_sub(1);
        let touched = self.touch(key);
        let entry = &mut self.touched[touched];
        if entry.because.last() != Some(&write) {
            entry.because.push(write);
        }
        let state = self.state(key);
        let before = state.mark;
        if before != Mark::New {
            state.mark = Mark::Stale;
        }
        if before == Mark::Fresh {
            self.wait_for(key);
        }
    }

    /// Notes a spot or a part that has to be looked at before the pulse ends.
    fn wait_for(&mut self, key: ReaderKey) {
        let scope = self.scope(key.0);
        let ready = self.prepared.block(scope.plan, scope.block);
        if key.1 < ready.reader_of_part(0) {
            self.spots.push(Reverse((scope.depth, key.0, key.1)));
        } else {
            self.parts.push(key);
        }
    }

    /// Tells those that read a derived value that it is perhaps not up to date; notes a spot or
    /// a part as waiting.
    fn announce(&mut self, key: ReaderKey) {
        let here = self.scope(key.0);
        let cells = self.prepared.block(here.plan, here.block).cells.len();
        if key.1 as usize >= cells {
            return self.wait_for(key);
        }
        let prepared = self.prepared.clone();
        let mut open = vec![key];
        while let Some(key) = open.pop() {
            let scope = self.scope(key.0);
            let ready = prepared.block(scope.plan, scope.block);
            match ready.cells.get(key.1 as usize) {
                None => self.wait_for(key),
                Some(cell) => {
                    let mut above = Vec::new();
                    self.dependents(&prepared, key.0, *cell, &mut above);
                    for key in above {
                        if self.mark_of(key) == Mark::Fresh {
                            self.touch(key);
                            self.state(key).mark = Mark::Perhaps;
                            open.push(key);
                        }
                    }
                }
            }
        }
    }

    /// Every reader of a cell or of something in it.
    fn dependents(
        &self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        out: &mut Vec<ReaderKey>,
    ) {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        let ready = prepared.block(plan, block);
        for entry in ready.wakes.get(&cell).into_iter().flat_map(|wakes| wakes.all()) {
            match *entry {
                Entry::Reader(reader, _) => out.push((scope, reader)),
                Entry::Key => {}
                Entry::List(spot) => {
                    out.push((scope, ready.reader_of_spot(spot)));
                    let Some(item) = self.item_cell(prepared, scope, spot) else { continue };
                    for row in self.scopes_in(scope, spot) {
                        self.dependents(prepared, row, item, out);
                    }
                }
                Entry::Given(spot, which, _) => {
                    let Some((to, to_cell)) = self.receiver(scope, spot, which) else { continue };
                    let (home, at) = self.home(to, to_cell);
                    match &self.scope(home).cells[at as usize] {
                        Slot::Derived { .. } => out.push((home, at)),
                        Slot::Alias { .. } => self.dependents(prepared, home, to_cell, out),
                        _ => {}
                    }
                }
            }
        }
        for spot in ready.inner.get(&cell).into_iter().flatten() {
            for inner in self.scopes_in(scope, *spot) {
                self.dependents(prepared, inner, cell, out);
            }
        }
    }

    // ---- bringing readers up to date ----------------------------------------------------

    pub(crate) fn because(&self, key: ReaderKey) -> &[u32] {
        match self.scope(key.0).readers[key.1 as usize].touched {
            0 => &[],
            touched => &self.touched[touched as usize - 1].because,
        }
    }

    /// What a reader reads, and in which scope.
    fn reads(&self, (scope, reader): ReaderKey) -> (ScopeId, Arc<KnownReads>) {
        let here = self.scope(scope);
        if let Some(Slot::Derived { scope, reads, .. }) = here.cells.get(reader as usize) {
            return (*scope, reads.clone());
        }
        let ready = self.prepared.block(here.plan, here.block);
        (scope, ready.reads[reader as usize].clone())
    }

    /// Whether what is kept of a reader was worked out before the pulse began.
    fn is_kept_from_start(&self, (scope, reader): ReaderKey) -> bool {
        let state = &self.scope(scope).readers[reader as usize];
        let evaluated = state.touched > 0 && self.touched[state.touched as usize - 1].evaluated;
        state.mark != Mark::New && !state.carried && !evaluated
    }

    /// Whether the reader would read something else now than when it was last evaluated.
    fn has_to_run(&mut self, key: ReaderKey) -> bool {
        if !self.is_kept_from_start(key) {
            return true;
        }
        let (scope, known) = self.reads(key);
        match &*known {
            KnownReads::Fixed(reads) => {
                let seen = self.scope(key.0).readers[key.1 as usize].touched;
                // Marked by one write, it has certainly changed; by several, they may cancel out.
                if seen == 0 || self.touched[seen as usize - 1].wakes.len() < 2 {
                    return true;
                }
                reads.iter().any(|read| self.has_changed(key, scope, read))
            }
            KnownReads::Followed => {
                let Some(trace) = self.scope_mut(key.0).traces.remove(&key.1) else { return true };
                let changed = trace.iter().any(|read| self.has_changed(key, scope, read));
                self.scope_mut(key.0).traces.insert(key.1, trace);
                changed
            }
        }
    }

    /// Whether a read of a reader would give something else now than before the pulse.
    fn has_changed(&mut self, key: ReaderKey, scope: ScopeId, read: &Read) -> bool {
        let touched = self.scope(key.0).readers[key.1 as usize].touched;
        if touched == 0 {
            return false;
        }
        let relevant = |wake: &&Wake| wake.cell == read.cell;
        if !self.touched[touched as usize - 1].wakes.iter().any(|wake| relevant(&wake)) {
            return false;
        }
        let now = self.cell(scope, read.cell);
        let wakes = &self.touched[touched as usize - 1].wakes;
        let seen: SmallVec<[Seen<'_>; 4]> = wakes
            .iter()
            .filter(relevant)
            .map(|wake| match &wake.whole {
                Some(whole) => Seen { path: &[], undo: SeenUndo::Whole(whole) },
                None => {
                    let change = &self.log[wake.write as usize];
                    let path = change.path.get(wake.strip as usize..).unwrap_or(&[]);
                    Seen { path, undo: SeenUndo::Logged(&change.undo) }
                }
            })
            .collect();
        changed_since(&seen, read, &now)
    }

    /// The derived value that a cell's value comes from, if it does.
    fn upstream(&self, scope: ScopeId, cell: CellId) -> Option<ReaderKey> {
        let (mut scope, mut cell) = (scope, cell);
        loop {
            let (home, at) = self.home(scope, cell);
            match &self.scope(home).cells[at as usize] {
                Slot::Own(_) | Slot::Position => return None,
                Slot::Derived { .. } => return Some((home, at)),
                Slot::Alias { scope: from, cell: given, .. } => (scope, cell) = (*from, *given),
                Slot::Item => {
                    let (holder, spot) = self.scope(home).holder;
                    let (plan, block) = (self.scope(holder).plan, self.scope(holder).block);
                    let spots = &self.prepared.plan(plan).blocks[block as usize].spots;
                    let SpotKind::List { cell: list, .. } = &spots[spot as usize].kind else {
                        return None;
                    };
                    (scope, cell) = (holder, *list);
                }
            }
        }
    }

    /// The derived value behind a reader's read, by position.
    fn read_at(&self, key: ReaderKey, at: usize) -> Option<Option<ReaderKey>> {
        let (scope, known) = self.reads(key);
        let cell = match &*known {
            KnownReads::Fixed(reads) => reads.get(at)?.cell,
            KnownReads::Followed => self.scope(key.0).traces.get(&key.1)?.get(at)?.cell,
        };
        Some(self.upstream(scope, cell))
    }

    /// For a reader whose reads are followed: the next read, from a position on, of a derived
    /// value that is not up to date and will surely be read again, because nothing read before
    /// it has changed.
    fn next_to_settle(&mut self, key: ReaderKey, from: usize) -> Option<usize> {
        if !self.is_kept_from_start(key) {
            return None;
        }
        let mut next = from;
        loop {
            match self.read_at(key, next)? {
                Some(up) if self.mark_of(up) != Mark::Fresh => break,
                _ => next += 1,
            }
        }
        let (scope, _) = self.reads(key);
        let trace = self.scope_mut(key.0).traces.remove(&key.1)?;
        let before = &trace[from.saturating_sub(1)..next];
        let changed = before.iter().any(|read| self.has_changed(key, scope, read));
        self.scope_mut(key.0).traces.insert(key.1, trace);
        (!changed).then_some(next)
    }

    /// Brings a reader's derived values up to date and says whether it has to be evaluated
    /// itself. Works with a stack of its own, so that long chains do not fill the machine's.
    pub(crate) fn settle_reads(&mut self, target: ReaderKey) -> bool {
        let mut open: SmallVec<[(ReaderKey, usize); 4]> = SmallVec::new();
        open.push((target, 0));
        loop {
            let Some((key, at)) = open.last().copied() else { return false };
            let fixed = matches!(&*self.reads(key).1, KnownReads::Fixed(_));
            // Reads under a condition may not happen again once something was written.
            let next = match self.mark_of(key) {
                Mark::Perhaps => Some(at),
                Mark::Stale | Mark::New if fixed => Some(at),
                Mark::Stale => self.next_to_settle(key, at),
                _ => None,
            };
            if let Some((next, up)) = next.and_then(|at| Some((at, self.read_at(key, at)?))) {
                if let Some(last) = open.last_mut() {
                    last.1 = next + 1;
                }
                if let Some(up) = up.filter(|up| self.mark_of(*up) != Mark::Fresh) {
                    open.push((up, 0));
                }
                continue;
            }
            open.pop();
            let run = match self.mark_of(key) {
                Mark::Fresh | Mark::Perhaps => false,
                Mark::Stale | Mark::New => self.has_to_run(key),
            };
            if open.is_empty() {
                if !run {
                    self.freshen(key);
                }
                return run;
            }
            if run {
                self.compute(key);
            } else {
                self.freshen(key);
            }
        }
    }

    /// Notes that a reader is up to date.
    pub(crate) fn freshen(&mut self, key: ReaderKey) {
        self.touch(key);
        let state = self.state(key);
        state.mark = Mark::Fresh;
        state.carried = false;
    }

    /// Brings a derived value up to date.
    fn refresh(&mut self, key: ReaderKey) {
        if self.mark_of(key) != Mark::Fresh && self.settle_reads(key) {
            self.compute(key);
        }
    }

    fn compute(&mut self, key: ReaderKey) {
        let here = self.scope(key.0);
        let Some(Slot::Derived { expr, .. }) = here.cells.get(key.1 as usize) else { return };
        let expr = *expr;
        let cell = self.prepared.block(here.plan, here.block).cells[key.1 as usize];
        let value = self.evaluate(key, expr);
        self.computed += 1;
        let because = self.because(key).iter().copied().collect();
        self.freshen(key);
        self.store((key.0, cell, key.1), Vec::new(), value, because);
    }

    /// Evaluates an expression of a scope that will not be evaluated again.
    pub(crate) fn evaluate_once(&mut self, scope: ScopeId, expr: ExprId) -> Value {
        let prepared = self.prepared.clone();
        let exprs = &prepared.plan(self.scope(scope).plan).exprs;
        let mut locals: Vec<(Value, ())> = Vec::new();
        let cells = &mut Sight { graph: self, scope };
        let names = &prepared.program.names;
        Evaluation { exprs, names, cells, locals: &mut locals, log: Vec::new() }.value(expr)
    }

    /// Evaluates the expression of a reader that is new. Nothing is noted for taking it back: what
    /// is new goes with its scope.
    pub(crate) fn evaluate_first(&mut self, key: ReaderKey, expr: ExprId) -> Value {
        let ready = self.prepared.block(self.scope(key.0).plan, self.scope(key.0).block);
        let fixed = matches!(&*ready.reads[key.1 as usize], KnownReads::Fixed(_));
        if !fixed {
            let value = self.evaluate(key, expr);
            self.freshen(key);
            return value;
        }
        let value = self.evaluate_once(key.0, expr);
        self.state(key).mark = Mark::Fresh;
        value
    }

    /// Runs an evaluation that follows what is read.
    fn followed<T>(
        &mut self,
        scope: ScopeId,
        _expr: ExprId,
        run: impl FnOnce(&mut Evaluation<'_, Sight<'_>, Tracked>) -> T,
    ) -> (T, Vec<Read>) {
        let prepared = self.prepared.clone();
        let exprs = &prepared.plan(self.scope(scope).plan).exprs;
        let mut locals: Vec<(Value, Tracked)> = Vec::new();
        let cells = &mut Sight { graph: self, scope };
        let names = &prepared.program.names;
        let mut evaluation =
            Evaluation { exprs, names, cells, locals: &mut locals, log: Vec::new() };
        let result = run(&mut evaluation);
        (result, evaluation.log)
    }

    /// Evaluates a reader's expression, noting what it reads where that differs from run to run.
    pub(crate) fn evaluate(&mut self, key: ReaderKey, expr: ExprId) -> Value {
        let touched = self.touch(key);
        self.touched[touched].evaluated = true;
        let (scope, known) = self.reads(key);
        if matches!(&*known, KnownReads::Fixed(_)) {
            return self.evaluate_once(scope, expr);
        }
        let (value, mut reads) = self.followed(scope, expr, |run| run.value(expr));
        let mut seen = rustc_hash::FxHashSet::default();
        reads.retain(|read| seen.insert(read.clone()));
        let old = self.scope_mut(key.0).traces.insert(key.1, reads.into());
        let entry = &mut self.touched[touched];
        if entry.trace.is_none() {
            entry.trace = old;
        }
        value
    }

    /// How many reads are followed at present, for counting what is left over.
    pub(crate) fn followed_reads(&self) -> usize {
        let traces = self.scopes.iter().flat_map(|scope| scope.traces.values());
        traces.map(|trace| trace.len()).sum()
    }
}
