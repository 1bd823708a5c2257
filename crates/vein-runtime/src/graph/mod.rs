//! Which readers have to look again: marks, and bringing derived values up to date.
//!
//! A write marks those that read what it changed as *stale*, and those that read derived values
//! above them as *perhaps*. Nothing is computed until it is read. A reader that is only
//! perhaps stale first has what it read brought up to date; if that comes out equal, the wave
//! ends there.

mod settling;
mod sight;
mod stages;
mod tracing;
mod upkeep;
mod waking;

use crate::answers::{Formatting, Functions};
use crate::carry::Carrying;
use crate::chance::Chance;
use crate::change::{Change, Undo};
use crate::fault::Fault;
use crate::sabotage::Sabotage;
use crate::scope::{Held, Mark, NONE, Rank, ReaderState, Scope, ScopeId, Slot};
use crate::spending::Purse;
use crate::wakes::{Prepared, Reader};
use rustc_hash::{FxHashMap, FxHashSet};
pub(crate) use sight::Sight;
use smallvec::SmallVec;
pub(crate) use stages::Upkeep;
use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::sync::Arc;
use vein_plan::code::{CellId, ExprId};
use vein_plan::track::{Noted, Origin, Tracked};
use vein_plan::value::{DEEPEST_VALUE, Record};
use vein_plan::{Budget, Name, Read, SpotKind, Step, Value};
use vein_view::NodeNumber;

/// A reader anywhere on the page.
pub(crate) type ReaderKey = (ScopeId, Reader);

/// For how many readers and reads there is room between two pulses.
pub(crate) const SPARE: usize = 16;

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
    /// What it had read before it was evaluated again, if it had been evaluated.
    trace: Option<Option<Arc<[Read]>>>,
    /// Up to where in the log it has been kept up with its list.
    kept_to: Option<u32>,
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
    /// A key of a dictionary has come, or gone.
    Keyed(Option<&'a Value>, Option<&'a Value>),
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

/// Which readers are told of something.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Told {
    /// All.
    All,
    /// Those that may read positions before rows are told of theirs: derived values, and what runs by itself.
    Early,
    /// The others.
    Late,
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
    /// For each number of a node, which batch of patches gave it out last.
    pub(crate) given_out: Vec<u32>,
    /// How many batches with patches in them there were.
    pub(crate) batches: u32,
    /// Rows whose lists have changed and who were not told yet: the positions that early readers know of.
    pub(crate) early: FxHashMap<ScopeId, u32>,
    /// Whether lists have changed since early readers were told.
    pub(crate) shifted: bool,
    pub(crate) tells: Told,
    /// Where reads of derived values are held against working them out anew: what was read wrongly.
    pub(crate) misread: Option<Vec<String>>,
    /// Whether nothing that is kept counts, so that a value is worked out from state alone.
    anew: bool,
    /// How many times a value was kept up with its list, and how many times one was worked out that can be.
    pub(crate) kept_up: (usize, usize),
    /// Lists that became perhaps another in this pulse, whose rows are told only once they are up to date.
    pending: FxHashSet<(ScopeId, u32)>,
    /// Derived values in rows of those of whom only some were told that depend on them.
    half_told: Vec<ReaderKey>,
    /// Where reads are noted while an expression is evaluated: empty in between.
    noted: Vec<Noted>,
    /// Derived values that were kept up when the pulse began that was taken back.
    unkept: Vec<ReaderKey>,
    /// The derived list that is being edited: until that is done it is not what its expression gives.
    pub(crate) editing: Option<(ScopeId, CellId)>,
    /// The lists in the view that were changed by that.
    pub(crate) edited: Vec<(ScopeId, u32)>,
    /// How many writes are being told at present, one because of the other.
    telling: u32,
    /// Listeners that were to happen once and did in this pulse.
    pub(crate) spent: Vec<(ScopeId, u32)>,
    /// While a page is opened in the place of another: what that held.
    pub(crate) carrying: Option<Box<Carrying>>,
    /// Runs of numbers that are free, by their length.
    pub(crate) free_numbers: FxHashMap<u32, Vec<NodeNumber>>,
    pub(crate) log: Vec<Change>,
    touched: Vec<Touched>,
    /// How many scopes were added to the page so far.
    pub(crate) next_serial: u64,
    /// Spots that have to be looked at before the pulse ends, outer ones first.
    pub(crate) spots: BinaryHeap<Reverse<(Rank, Reader)>>,
    /// Parts that have to be looked at after them.
    pub(crate) parts: Vec<ReaderKey>,
    /// What is asked or runs by itself, and may have to.
    pub(crate) effects: Vec<ReaderKey>,
    pub(crate) computed: usize,
    /// The scope of each store of the page, by its plan.
    pub(crate) stores: FxHashMap<u32, ScopeId>,
    /// Who uses a store, by the plans of both.
    pub(crate) users: FxHashMap<(u32, u32), Vec<ScopeId>>,
    pub(crate) functions: Functions,
    pub(crate) formats: Formatting,
    /// What went wrong in an evaluation.
    pub(crate) fault: Option<Fault>,
    /// The time of day at which the pulse runs, in whole milliseconds since 1970.
    pub(crate) date: f64,
    pub(crate) chance: Chance,
    /// The same when the pulse began.
    chance_before: Chance,
    /// Whether it is a statement that works something out, and whether the host has failed while it was something else: then
    /// no statement catches that.
    pub(crate) acting: bool,
    pub(crate) within_derived: bool,
    /// What the pulse may use up, and has.
    pub(crate) purse: Purse,
    /// The writes that led to the statements that run now.
    pub(crate) causes: SmallVec<[u32; 2]>,
    /// How many writes to state there were, and at how many of them scopes that are going away were
    /// last told: nobody tells these of a write.
    writes: u64,
    dead_told: u64,
    /// Rows whose identity was written.
    pub(crate) rekeyed: Vec<ScopeId>,
    /// Whether lists have been told of changes that the view does not show yet.
    pub(crate) unsettled: Vec<(ScopeId, u32)>,
    /// In which way it is broken on purpose.
    pub(crate) sabotage: Option<Sabotage>,
}

impl Graph {
    pub(crate) fn new(prepared: Arc<Prepared>) -> Graph {
        Graph {
            prepared,
            scopes: Vec::new(),
            free: Vec::new(),
            dead: Vec::new(),
            owners: vec![NONE],
            given_out: vec![0],
            batches: 0,
            early: FxHashMap::default(),
            shifted: false,
            tells: Told::All,
            misread: None,
            anew: false,
            kept_up: (0, 0),
            pending: FxHashSet::default(),
            half_told: Vec::new(),
            noted: Vec::new(),
            unkept: Vec::new(),
            editing: None,
            edited: Vec::new(),
            telling: 0,
            spent: Vec::new(),
            carrying: None,
            free_numbers: Default::default(),
            log: Vec::new(),
            touched: Vec::new(),
            spots: BinaryHeap::new(),
            next_serial: 0,
            parts: Vec::new(),
            effects: Vec::new(),
            computed: 0,
            stores: FxHashMap::default(),
            users: FxHashMap::default(),
            sabotage: None,
            functions: Functions::default(),
            formats: Formatting::default(),
            fault: None,
            acting: false,
            within_derived: false,
            date: 0.0,
            chance: Chance::default(),
            chance_before: Chance::default(),
            purse: Purse::new(Budget::default()),
            causes: SmallVec::new(),
            writes: 0,
            dead_told: 0,
            rekeyed: Vec::new(),
            unsettled: Vec::new(),
        }
    }

    /// Begins a pulse, or a read by the host between two.
    pub(crate) fn begin(&mut self) {
        debug_assert!(self.spots.is_empty() && self.parts.is_empty() && self.effects.is_empty());
        self.log.clear();
        self.computed = 0;
        self.fault = None;
        self.within_derived = false;
        self.purse.fill();
        self.chance_before = self.chance;
        self.causes.clear();
    }

    /// Ends a pulse that went well. Derived values that nobody asked for stay as they are
    /// until somebody does.
    pub(crate) fn end(&mut self) {
        self.settle_half_told();
        let mut all = std::mem::take(&mut self.touched);
        for touched in all.drain(..) {
            let state = self.state(touched.key);
            state.touched = 0;
            state.carried = state.mark == Mark::Stale;
        }
        // What the next pulse needs, most of the time.
        all.shrink_to(SPARE);
        self.touched = all;
        self.unsettled.clear();
        self.pending.clear();
        self.spent.clear();
        self.early.clear();
        self.shifted = false;
    }

    /// Whether a listener is to be heard: one that is to happen once does so now, or has already.
    pub(crate) fn may_happen(&mut self, scope: ScopeId, listener: u32, once: bool) -> bool {
        if !once {
            return true;
        }
        let spent = &mut self.scope_mut(scope).wards.get_or_insert_default().spent;
        let first = !spent.contains(&listener);
        if first {
            spent.push(listener);
            self.spent.push((scope, listener));
        }
        first
    }

    /// Takes back everything since the pulse began. The view has not been changed yet.
    pub(crate) fn roll_back(&mut self) {
        self.chance = self.chance_before;
        for (scope, listener) in std::mem::take(&mut self.spent) {
            if let Some(wards) = &mut self.scope_mut(scope).wards {
                wards.spent.retain(|spent| *spent != listener);
            }
        }
        while let Some(change) = self.log.pop() {
            if self.log.is_empty() && self.is_broken(Sabotage::HalfRollBack) {
                continue;
            }
            let (scope, at) = self.home(change.scope, change.cell);
            let slot = &mut self.scopes[scope as usize].cells[at as usize];
            let (Slot::Own(value) | Slot::Derived { value, .. }) = slot else { continue };
            change.undo.undo(&change.path, value);
        }
        for touched in std::mem::take(&mut self.touched) {
            let (scope, reader) = touched.key;
            if self.take_upkeep(touched.key).is_some() && touched.before == Mark::Fresh {
                self.unkept.push(touched.key);
            }
            let traces = &mut self.scopes[scope as usize].traces;
            match touched.trace {
                Some(Some(trace)) => {
                    traces.insert(reader, trace);
                }
                Some(None) => {
                    traces.remove(&reader);
                }
                None => {}
            }
            let state = self.state(touched.key);
            *state = ReaderState {
                mark: touched.before,
                carried: touched.before == Mark::Stale,
                // Who was told of it before that pulse is not known any more.
                half_told: touched.before == Mark::Perhaps,
                touched: 0,
            };
        }
        for (scope, spot) in std::mem::take(&mut self.unsettled) {
            self.forget_pieces(scope, spot);
        }
        self.pending.clear();
        self.half_told.clear();
        self.spots.clear();
        self.parts.clear();
        self.effects.clear();
    }

    #[inline]
    pub(crate) fn scope(&self, id: ScopeId) -> &Scope {
        &self.scopes[id as usize]
    }

    /// Where a scope stands among others that are looked at.
    pub(crate) fn rank(&self, id: ScopeId) -> Rank {
        let scope = self.scope(id);
        (scope.depth, scope.serial, id)
    }

    pub(crate) fn scope_mut(&mut self, id: ScopeId) -> &mut Scope {
        &mut self.scopes[id as usize]
    }

    fn state(&mut self, (scope, reader): ReaderKey) -> &mut ReaderState {
        &mut self.scopes[scope as usize].readers[reader as usize]
    }

    /// Whether a reader is up to date, as far as it was told.
    pub(crate) fn stored_mark(&self, (scope, reader): ReaderKey) -> Mark {
        self.scopes[scope as usize].readers[reader as usize].mark
    }

    /// Whether a reader is up to date.
    #[inline]
    pub(crate) fn mark_of(&self, key: ReaderKey) -> Mark {
        match self.stored_mark(key) {
            Mark::Fresh if !self.pending.is_empty() && self.is_in_pending(key.0) => Mark::Perhaps,
            mark => mark,
        }
    }

    /// The scope that a cell lives in, seen from another, and its place there.
    #[inline]
    pub(crate) fn home(&self, mut scope: ScopeId, cell: CellId) -> (ScopeId, u32) {
        let plan = self.scope(scope).plan;
        let home = self.prepared.plans[plan as usize].homes[cell as usize];
        while self.scope(scope).block != home.block {
            scope = self.scope(scope).parent;
        }
        (scope, home.at)
    }

    /// The value of a cell as a scope sees it, brought up to date.
    pub(crate) fn cell(&mut self, prepared: &Prepared, scope: ScopeId, cell: CellId) -> Value {
        match self.in_place(prepared, scope, cell) {
            Some(value) => value.clone(),
            None => self.cell_anywhere(prepared, scope, cell),
        }
    }

    /// The value of a cell where it stands. Nothing where something has to be brought up to date before, or looked for.
    fn in_place(&self, prepared: &Prepared, scope: ScopeId, cell: CellId) -> Option<&Value> {
        let (home, at) = self.home(scope, cell);
        let here = self.scope(home);
        match &here.cells[at as usize] {
            Slot::Own(value) => Some(value),
            Slot::Derived { value, .. } => {
                let is_kept = !self.anew && !self.shifted && self.misread.is_none() && here.alive;
                (is_kept && self.mark_of((home, at)) == Mark::Fresh).then_some(value)
            }
            Slot::Alias { scope, cell, path } => {
                let value = self.in_place(prepared, *scope, *cell)?;
                if path.is_empty() { Some(value) } else { value.at(path) }
            }
            Slot::Item => {
                let (holder, spot) = here.holder;
                let around = self.scope(holder);
                let Held::List(rows) = &around.held[spot as usize] else { return None };
                let stands = rows.rows.get(here.position as usize) == Some(&home);
                if !stands || rows.pieces.is_some() || !around.alive {
                    return None;
                }
                let list = self.in_place(prepared, holder, self.list_cell((holder, spot))?)?;
                let way = &prepared.block(around.plan, around.block).lists[spot as usize];
                match list.at(way)? {
                    Value::List(items) => items.get(here.position as usize),
                    _ => None,
                }
            }
            Slot::Position => None,
        }
    }

    /// The value of a cell, wherever it comes from.
    fn cell_anywhere(&mut self, prepared: &Prepared, scope: ScopeId, cell: CellId) -> Value {
        let (home, at) = self.home(scope, cell);
        let (scope, cell, path) = match &self.scope(home).cells[at as usize] {
            Slot::Own(value) => return value.clone(),
            Slot::Derived { scope, expr, .. } => {
                let (scope, expr) = (*scope, *expr);
                if self.anew {
                    return self.evaluate_once(prepared, scope, expr);
                }
                if !self.scope(home).alive {
                    self.tell_dead();
                }
                self.tell_shifted();
                self.refresh(prepared, (home, at));
                self.hold_against(prepared, (home, at, cell), (scope, expr));
                return match &self.scope(home).cells[at as usize] {
                    Slot::Derived { value, .. } => value.clone(),
                    _ => Value::Null,
                };
            }
            Slot::Alias { scope, cell, path } => (*scope, *cell, path.clone()),
            Slot::Item => return self.item(prepared, home),
            Slot::Position => {
                let position = self.standing(prepared, home).map(|(_, position)| position);
                // One that has gone reads as where it was.
                let was = || self.early.get(&home).copied().unwrap_or(self.scope(home).position);
                return Value::Number(f64::from(position.unwrap_or_else(was)));
            }
        };
        let value = self.cell(prepared, scope, cell);
        if path.is_empty() { value } else { value.at(&path).cloned().unwrap_or_default() }
    }

    /// Notes a derived value that was read and is not what its expression gives now, where that is asked for.
    fn hold_against(
        &mut self,
        prepared: &Prepared,
        (home, at, cell): (ScopeId, u32, CellId),
        work: (ScopeId, ExprId),
    ) {
        // What is read after something has failed, or in a pulse that has run out, goes nowhere.
        let goes_nowhere = self.fault.is_some() || self.is_out();
        if self.misread.is_none() || self.editing == Some((home, cell)) || goes_nowhere {
            return;
        }
        let Slot::Derived { value, .. } = &self.scope(home).cells[at as usize] else { return };
        let read = value.clone();
        if let Some(is) = self.anew(prepared, work).filter(|is| !is.same(&read)) {
            let name = &prepared.plan(self.scope(home).plan).cells[cell as usize].name;
            let told = format!("{} was read as {read} and is {is}", self.address(home, name));
            self.misread.get_or_insert_default().push(told);
        }
    }

    /// What an expression gives, worked out from state alone. Nothing if it fails.
    fn anew(&mut self, prepared: &Prepared, (scope, expr): (ScopeId, ExprId)) -> Option<Value> {
        let (fault, purse) = (self.fault.take(), self.purse.set_aside());
        let within = self.within_derived;
        self.anew = true;
        let is = self.evaluate_once(prepared, scope, expr);
        (self.anew, self.purse) = (false, purse);
        self.within_derived = within;
        // What cannot be worked out fails the pulse in any case.
        let failed = std::mem::replace(&mut self.fault, fault).is_some();
        (!failed).then_some(is)
    }

    /// What counts as up to date in a scope and is not, or would not be told: whatever it reads has to be up to date too.
    pub(crate) fn outdated_in(&mut self, home: ScopeId) -> Vec<String> {
        let prepared = self.prepared.clone();
        let mut outdated = Vec::new();
        for reader in 0..self.scope(home).readers.len() as u32 {
            let key = (home, reader);
            if self.mark_of(key) != Mark::Fresh {
                continue;
            }
            let here = self.scope(home);
            let cell = prepared.block(here.plan, here.block).cells.get(reader as usize);
            let name = match cell {
                Some(cell) => prepared.plan(here.plan).cells[*cell as usize].name.to_string(),
                None => format!("reader {reader}"),
            };
            let name = self.address(home, &name);
            let mut ups = (0..).map_while(|at| self.read_at(&prepared, key, at)).flatten();
            if let Some(up) = ups.find(|up| self.mark_of(*up) != Mark::Fresh) {
                outdated.push(format!("{name} reads {up:?}, which is not up to date"));
            }
            let Some(Slot::Derived { scope, expr, value, .. }) =
                self.scope(home).cells.get(reader as usize)
            else {
                continue;
            };
            let (work, kept) = ((*scope, *expr), value.clone());
            if let Some(is) = self.anew(&prepared, work).filter(|is| !is.same(&kept)) {
                outdated.push(format!("{name} is kept as {kept} and is {is}"));
            }
        }
        outdated
    }

    /// Marks what is derived in scopes that are going away, where something was written since it
    /// was last worked out.
    fn tell_dead(&mut self) {
        if std::mem::replace(&mut self.dead_told, self.writes) == self.writes {
            return;
        }
        for at in 0..self.dead.len() {
            let scope = self.dead[at];
            for reader in 0..self.scope(scope).cells.len() as u32 {
                let derived =
                    matches!(self.scope(scope).cells[reader as usize], Slot::Derived { .. });
                if derived && self.mark_of((scope, reader)) != Mark::New {
                    self.touch((scope, reader));
                    let state = self.state((scope, reader));
                    (state.mark, state.carried) = (Mark::Stale, true);
                }
            }
        }
    }

    /// The item of a row.
    fn item(&mut self, prepared: &Prepared, row: ScopeId) -> Value {
        if let Some((list, position)) = self.standing(prepared, row) {
            return list.child(&Step::Index(position)).cloned().unwrap_or_default();
        }
        self.scope(row).gone.clone().unwrap_or_default()
    }

    /// The list that a spot repeats for.
    pub(crate) fn list_of(&mut self, prepared: &Prepared, scope: ScopeId, spot: u32) -> Value {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        let SpotKind::List { cell, .. } =
            &prepared.plan(plan).blocks[block as usize].spots[spot as usize].kind
        else {
            return Value::Null;
        };
        let path = &prepared.block(plan, block).lists[spot as usize];
        let value = self.cell(prepared, scope, *cell);
        if path.is_empty() { value } else { value.at(path).cloned().unwrap_or_default() }
    }

    /// The state that a path of a cell stands in, through props, loops and derived lists that
    /// hand items on. `None` for what was made by an expression.
    pub(crate) fn resolve(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        path: Vec<Step>,
    ) -> Option<(ScopeId, CellId, Vec<Step>)> {
        let (home, at) = self.home(scope, cell);
        match &self.scope(home).cells[at as usize] {
            Slot::Own(_) => Some((home, cell, path)),
            Slot::Alias { scope, cell, path: way } => {
                let (scope, cell) = (*scope, *cell);
                let path = way.iter().cloned().chain(path).collect();
                self.resolve(prepared, scope, cell, path)
            }
            Slot::Position => None,
            Slot::Item => {
                let (_, position) = self.standing(prepared, home)?;
                let (holder, spot) = self.scope(home).holder;
                let (plan, block) = (self.scope(holder).plan, self.scope(holder).block);
                let spots = &prepared.plan(plan).blocks[block as usize].spots;
                let SpotKind::List { cell, .. } = &spots[spot as usize].kind else { return None };
                let way = prepared.block(plan, block).lists[spot as usize].clone();
                let step = Step::Index(position);
                let path = way.iter().cloned().chain([step]).chain(path).collect();
                self.resolve(prepared, holder, *cell, path)
            }
            Slot::Derived { scope, expr, .. } => {
                let (scope, expr) = (*scope, *expr);
                // What is kept of it knows where its items stand, once it is up to date.
                if self.is_kept_up((home, at)) {
                    drop(self.cell(prepared, home, cell));
                    if let Some((source, path)) = self.place_in_source((home, at), &path) {
                        return self.resolve(prepared, scope, source, path);
                    }
                }
                let (origin, _) = self.followed(prepared, scope, |run| run.follow(expr).1);
                let mut origin = origin;
                let mut steps = path.into_iter();
                while let Tracked::Gathered(_) = origin {
                    match steps.next()? {
                        Step::Index(i) => origin = origin.item(i as usize),
                        Step::Field(_) => return None,
                    }
                }
                let (cell, way) = origin.place(&prepared.program.names)?;
                self.resolve(prepared, scope, cell, way.into_iter().chain(steps).collect())
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
        let prepared = self.prepared.clone();
        let resolved = self.resolve(&prepared, scope, cell, path);
        let Some((home, cell, path)) = resolved else { return false };
        let (_, at) = self.home(home, cell);
        self.writes += 1;
        let because = self.causes.clone();
        self.store(&prepared, (home, cell, at), path, value, because)
    }

    fn store(
        &mut self,
        prepared: &Prepared,
        (home, cell, at): (ScopeId, CellId, u32),
        path: Vec<Step>,
        value: Value,
        because: SmallVec<[u32; 2]>,
    ) -> bool {
        if self.is_too_deep(&path, std::slice::from_ref(&value), (home, cell)) {
            return true;
        }
        if matches!(self.scope(home).cells[at as usize], Slot::Own(_)) && !self.spend_kept(&value) {
            return true;
        }
        let slot = &mut self.scopes[home as usize].cells[at as usize];
        let (Slot::Own(root) | Slot::Derived { value: root, .. }) = slot else { return false };
        match root.at(&path) {
            Some(old) if old.same(&value) => return true,
            Some(_) => {}
            None => {
                let Some(record) = dictionary_around(root, &path) else { return false };
                record.add(key_of(&path), value.clone());
                let what = What::Keyed(None, Some(&value));
                self.logged(prepared, (home, cell), path, Undo::Add, because, what);
                return true;
            }
        }
        let Some(place) = root.at_mut(&path) else { return false };
        let old = std::mem::replace(place, value.clone());
        let what = What::Replaced(&old, &value);
        self.logged(prepared, (home, cell), path, Undo::Set(old.clone()), because, what);
        true
    }

    /// Notes a write that was done, and tells of it.
    fn logged(
        &mut self,
        prepared: &Prepared,
        (home, cell): (ScopeId, CellId),
        path: Vec<Step>,
        undo: Undo,
        because: SmallVec<[u32; 2]>,
        what: What<'_>,
    ) {
        self.spend_write(&path);
        self.log.push(Change { scope: home, cell, path: path.clone(), undo, because });
        self.telling += 1;
        self.notify(prepared, home, cell, At { path: &path, what, strip: Some(0) });
        self.match_rekeyed();
        self.telling -= 1;
    }

    /// Takes the entry at a path out of its dictionary, where there is one. `false` if there is no dictionary.
    pub(crate) fn delete(&mut self, scope: ScopeId, cell: CellId, path: Vec<Step>) -> bool {
        let prepared = self.prepared.clone();
        let resolved = self.resolve(&prepared, scope, cell, path);
        let Some((home, cell, path)) = resolved else { return false };
        let (_, at) = self.home(home, cell);
        let Slot::Own(root) = &mut self.scopes[home as usize].cells[at as usize] else {
            return false;
        };
        if root.at(&path).is_none() {
            return dictionary_around(root, &path).is_some();
        }
        let Some(record) = dictionary_around(root, &path) else { return false };
        let Some((at, removed)) = record.take(&key_of(&path)) else { return true };
        self.writes += 1;
        let because = self.causes.clone();
        let undo = Undo::Take { at, removed: removed.clone() };
        let what = What::Keyed(Some(&removed), None);
        self.logged(&prepared, (home, cell), path, undo, because, what);
        true
    }

    /// Whether values at a path would be nested too deeply, which takes the pulse back. Only shapes that
    /// have themselves inside can nest without end.
    pub(super) fn is_too_deep(
        &mut self,
        path: &[Step],
        values: &[Value],
        of: (ScopeId, CellId),
    ) -> bool {
        let most = DEEPEST_VALUE.saturating_sub(path.len());
        let deep = self.prepared.nests && values.iter().any(|value| value.is_deeper_than(most));
        if deep && self.fault.is_none() {
            let plan = self.prepared.plan(self.scope(of.0).plan);
            let path = plan.cells[of.1 as usize].name.to_string();
            self.fault = Some(Fault::TooDeep { path });
        }
        deep
    }

    /// Changes the list at a path in place. `false` if there is none.
    pub(crate) fn change_list(
        &mut self,
        scope: ScopeId,
        cell: CellId,
        path: Vec<Step>,
        change: ListEdit,
    ) -> bool {
        let prepared = self.prepared.clone();
        let resolved = self.resolve(&prepared, scope, cell, path);
        let Some((home, cell, path)) = resolved else { return false };
        let (_, at) = self.home(home, cell);
        if let ListEdit::Splice { insert, .. } = &change
            && (self.is_too_deep(&path, insert, (home, cell))
                || !insert.iter().all(|value| self.spend_kept(value)))
        {
            return true;
        }
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
        let because = self.causes.clone();
        self.writes += 1;
        self.logged(&prepared, (home, cell), path, undo, because, What::Listed(&seen));
        true
    }
}

/// The dictionary that a path leads into with its last step, to be changed in place.
fn dictionary_around<'a>(root: &'a mut Value, path: &[Step]) -> Option<&'a mut Record> {
    let [around @ .., Step::Field(_)] = path else { return None };
    match root.at(around)? {
        Value::Record(record) if record.is_dictionary() => {}
        _ => return None,
    }
    match root.at_mut(around)? {
        Value::Record(record) => Some(Arc::make_mut(record)),
        _ => None,
    }
}

/// The key that a path ends with.
fn key_of(path: &[Step]) -> Name {
    match path.last() {
        Some(Step::Field(key)) => key.clone(),
        _ => Name::from(""),
    }
}
