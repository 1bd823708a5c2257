//! Values that are derived from a list, kept up with what becomes of the list.
//!
//! Of each such value is kept how it came about, stage by stage: which items a filter let through, which position an
//! item has in an order. What was written since is told by the wakes that its reader was given. It becomes edits of the
//! list, each stage makes of them edits of its own, and what comes out is done to the kept value in place, logged and told
//! as a write to state is. So who reads the value sees no more than what is another in it.
//!
//! Whoever was written to in any other way, has been told too little, or has too much to do, is worked out anew.

use super::stages::{Edit, StageState, Upkeep};
use super::tracing::{Items, Tracing};
use super::{Graph, ListSeen, ReaderKey, Sight, What};
use crate::change::Undo;
use crate::lineage::{Asked, Descent, ItemFunction, Lineage, Outcome, Stage};
use crate::sabotage::Sabotage;
use crate::scope::{Mark, Piece, ScopeId, Slot};
use crate::wakes::{KnownReads, Prepared};
use smallvec::SmallVec;
use std::cmp::Ordering;
use std::sync::Arc;
use vein_plan::code::{CellId, ExprId};
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::members::Member;
use vein_plan::value::VALUE_BYTES;
use vein_plan::{Read, Step, Text, Value};

/// How many edits of a list are followed at most, whatever its length: beyond that and a sixteenth of it, it is
/// worked out anew.
const FEW: usize = 32;

/// What has become of a value.
enum Became {
    Another(Value),
    Edited(Vec<Edit>),
}

/// The functions of a lineage at work: what they read beside items is read once.
pub(super) struct Working<'a> {
    graph: &'a mut Graph,
    prepared: &'a Prepared,
    plan: u32,
    scope: ScopeId,
    known: SmallVec<[(CellId, Value); 4]>,
    locals: Vec<(Value, ())>,
}

/// What functions read beside their items.
struct Beside<'a> {
    sight: Sight<'a>,
    known: &'a mut SmallVec<[(CellId, Value); 4]>,
}

impl Cells for Beside<'_> {
    fn cell(&mut self, cell: CellId) -> Value {
        if let Some((_, value)) = self.known.iter().find(|(known, _)| *known == cell) {
            return value.clone();
        }
        let value = self.sight.cell(cell);
        self.known.push((cell, value.clone()));
        value
    }

    fn ask(&mut self, asked: u32, args: &[Value]) -> Value {
        self.sight.ask(asked, args)
    }

    fn local(&mut self, member: Member, args: &[Value]) -> Text {
        self.sight.local(member, args)
    }

    fn compare(&self, a: &Text, b: &Text) -> Ordering {
        self.sight.compare(a, b)
    }

    fn calls_too_deep(&mut self, function: u32) {
        self.sight.calls_too_deep(function);
    }

    fn spend(&mut self, steps: u64, bytes: u64) -> bool {
        self.sight.spend(steps, bytes)
    }

    fn bytes_left(&self) -> u64 {
        self.sight.bytes_left()
    }
}

impl<'a> Working<'a> {
    fn new(graph: &'a mut Graph, prepared: &'a Prepared, scope: ScopeId) -> Working<'a> {
        let plan = graph.scope(scope).plan;
        Working { graph, prepared, plan, scope, known: SmallVec::new(), locals: Vec::new() }
    }

    /// From which list and how a value comes about now.
    fn lineage(&mut self, descent: &Descent) -> Option<Arc<Lineage>> {
        match descent {
            Descent::One(lineage) => Some(lineage.clone()),
            Descent::Either(choice) => {
                let then = self.evaluate(choice.test, None).truthy();
                if then { choice.then.clone() } else { choice.otherwise.clone() }
            }
        }
    }

    /// The items of the list that a value comes from.
    fn items(&mut self, lineage: &Lineage) -> Option<Arc<Vec<Value>>> {
        match self.graph.cell(self.prepared, self.scope, lineage.source).at(&lineage.path) {
            Some(Value::List(items)) => Some(items.clone()),
            _ => None,
        }
    }

    fn evaluate(&mut self, expr: ExprId, item: Option<(u32, Value)>) -> Value {
        if !self.graph.spend(1, VALUE_BYTES) {
            return Value::Null;
        }
        let plan = self.prepared.plan(self.plan);
        let sight = Sight { graph: self.graph, prepared: self.prepared, scope: self.scope };
        let cells = &mut Beside { sight, known: &mut self.known };
        let (names, locals) = (&self.prepared.program.names, &mut self.locals);
        let mut run = Evaluation::new(plan, names, cells, locals);
        if let Some((local, item)) = item {
            run.bind(local, (item, ()));
        }
        run.follow(expr).0
    }

    pub(super) fn made(&mut self, made: &ItemFunction, item: &Value) -> Value {
        self.evaluate(made.body, made.param.map(|param| (param, item.clone())))
    }

    pub(super) fn holds(&mut self, made: &ItemFunction, item: &Value) -> bool {
        self.made(made, item).truthy()
    }
}

impl Graph {
    /// In which scope a derived value is worked out, and how it can be kept up.
    fn descent<'p>(
        &self,
        prepared: &'p Prepared,
        key: ReaderKey,
    ) -> Option<(ScopeId, &'p Descent)> {
        let (scope, known) = self.known(prepared, key);
        Some((scope, known.descent.as_ref()?))
    }

    /// Whether a derived value can be kept up.
    pub(super) fn is_kept_up(&self, key: ReaderKey) -> bool {
        self.known(&self.prepared, key).1.descent.is_some()
    }

    fn upkeep(&self, (scope, reader): ReaderKey) -> Option<&Upkeep> {
        match self.scope(scope).cells.get(reader as usize) {
            Some(Slot::Derived { upkeep, .. }) => upkeep.as_deref(),
            _ => None,
        }
    }

    /// Forgets how a value came about, and gives what was known of that.
    pub(super) fn take_upkeep(&mut self, (scope, reader): ReaderKey) -> Option<Box<Upkeep>> {
        match self.scope_mut(scope).cells.get_mut(reader as usize)? {
            Slot::Derived { upkeep, .. } => upkeep.take(),
            _ => None,
        }
    }

    fn put_upkeep(&mut self, (scope, reader): ReaderKey, kept: Box<Upkeep>) {
        if let Some(Slot::Derived { upkeep, .. }) =
            self.scope_mut(scope).cells.get_mut(reader as usize)
        {
            *upkeep = Some(kept);
        }
    }

    /// Has what was kept up before a pulse that was taken back be so again: what comes next is told as if that pulse had
    /// never been.
    pub(crate) fn keep_up_again(&mut self) {
        let prepared = self.prepared.clone();
        let purse = self.purse.set_aside();
        for key in std::mem::take(&mut self.unkept) {
            let is_there = self.scopes.get(key.0 as usize).is_some_and(|scope| scope.alive);
            if !is_there || self.mark_of(key) != Mark::Fresh {
                continue;
            }
            let Some((scope, descent)) = self.descent(&prepared, key) else { continue };
            let mut run = Working::new(self, &prepared, scope);
            let Some(lineage) = run.lineage(descent) else { continue };
            let Some(items) = run.items(&lineage) else { continue };
            let Some((upkeep, _)) = Upkeep::new(&lineage, &items, &mut run) else { continue };
            self.put_upkeep(key, Box::new(upkeep));
        }
        self.purse = purse;
    }

    /// Whether the list that a value is kept up with was written to, in whatever way.
    pub(super) fn source_is_another(&self, key: ReaderKey) -> bool {
        let Some(upkeep) = self.upkeep(key) else { return false };
        let touched = self.scope(key.0).readers[key.1 as usize].touched;
        touched > 0
            && self.touched[touched as usize - 1]
                .wakes
                .iter()
                .any(|wake| wake.cell == upkeep.lineage.source)
    }

    /// Brings a derived value up to date by what has become of the list that it is derived from. `false` where it has to be
    /// worked out as any other.
    pub(super) fn keep_up(
        &mut self,
        prepared: &Prepared,
        key: ReaderKey,
        (scope, descent): (ScopeId, &Descent),
    ) -> bool {
        let upkeep = self.take_upkeep(key);
        if self.is_broken(Sabotage::StaleDerived) || self.is_broken(Sabotage::EvaluateAll) {
            return false;
        }
        let touched = self.touch(key);
        let entry = &mut self.touched[touched];
        entry.evaluated = true;
        let was_kept = entry.kept_to.is_some();
        let state = self.scope(key.0).readers[key.1 as usize];
        // Those who are told of nothing have to look at all.
        let is_told = self.scope(key.0).alive && self.scope(scope).alive && self.telling == 0;
        let follows = is_told && state.mark == Mark::Stale && (was_kept || !state.carried);
        let mut run = Working::new(self, prepared, scope);
        let Some(lineage) = run.lineage(descent) else { return false };
        let Some(items) = run.items(&lineage) else { return false };
        // Without items nothing is read beside them any more.
        let upkeep = upkeep.filter(|upkeep| {
            follows && !items.is_empty() && Arc::ptr_eq(&upkeep.lineage, &lineage)
        });
        if upkeep.is_some() {
            run.settle_beside(key, &lineage);
        }
        let kept_to = run.graph.log.len() as u32;
        let followed = upkeep.and_then(|upkeep| run.followed(touched, upkeep, &items));
        let goes_on = followed.is_some();
        let (upkeep, outcome) = match followed {
            Some((upkeep, edits)) => {
                let value = upkeep.simple(&items);
                (upkeep, value.map_or(Became::Edited(edits), Became::Another))
            }
            None => match Upkeep::new(&lineage, &items, &mut run) {
                Some((upkeep, value)) => (Box::new(upkeep), Became::Another(value)),
                None => return false,
            },
        };
        let looked_at: SmallVec<[CellId; 4]> = run.known.iter().map(|(cell, _)| *cell).collect();
        drop((items, run));
        if self.fault.is_some() {
            return false;
        }
        let test = match descent {
            Descent::One(_) => &[],
            Descent::Either(choice) => choice.reads.as_slice(),
        };
        self.note_reads(
            prepared,
            key,
            touched,
            lineage.reads.iter().chain(test),
            &looked_at,
            goes_on,
        );
        self.put_upkeep(key, upkeep);
        self.touched[touched].kept_to = Some(kept_to);
        self.kept_up.0 += usize::from(goes_on);
        self.kept_up.1 += usize::from(!goes_on);
        self.computed += 1;
        let because: SmallVec<[u32; 2]> = SmallVec::from_slice(self.because(key));
        self.freshen(key);
        let here = self.scope(key.0);
        let cell = prepared.block(here.plan, here.block).cells[key.1 as usize];
        let at = (key.0, cell, key.1);
        match outcome {
            Became::Another(value) => {
                self.store(prepared, at, Vec::new(), value, because);
            }
            Became::Edited(edits) => self.edit_as_one(at, edits, &because),
        }
        self.tell_shifted();
        true
    }

    /// Notes what a value was found to read: its list, and what else was looked at, now or, where it `goes_on`, since it was last
    /// worked out as a whole.
    fn note_reads<'a>(
        &mut self,
        prepared: &Prepared,
        key: ReaderKey,
        touched: usize,
        reads: impl Iterator<Item = &'a Read>,
        looked_at: &[CellId],
        goes_on: bool,
    ) {
        if matches!(self.reads(prepared, key).1, KnownReads::Fixed(_)) {
            return;
        }
        let traces = &mut self.scopes[key.0 as usize].traces;
        let before = traces.get(&key.1).map_or(&[][..], |trace| trace);
        // Most of the time all is known that was looked at.
        let is_known = |cell: &CellId| before.iter().any(|read| read.cell == *cell);
        if goes_on && looked_at.iter().all(is_known) {
            return;
        }
        let mut now: Vec<Read> = Vec::new();
        for (at, read) in reads.enumerate() {
            let is_read =
                at == 0 || looked_at.contains(&read.cell) || (goes_on && before.contains(read));
            if is_read && !now.contains(read) {
                now.push(read.clone());
            }
        }
        let old = traces.insert(key.1, now.into());
        let entry = &mut self.touched[touched];
        if entry.trace.is_none() {
            entry.trace = Some(old);
        }
    }

    /// Does several edits to a derived list, which is another one each time: of those rows that are alike the first has the
    /// first item, whatever was done in between.
    fn edit_as_one(
        &mut self,
        at: (ScopeId, CellId, u32),
        edits: Vec<Edit>,
        because: &SmallVec<[u32; 2]>,
    ) {
        let around = self.editing.replace((at.0, at.1));
        let edited = std::mem::take(&mut self.edited);
        self.edit(at, edits, because);
        self.editing = around;
        self.telling += 1;
        for (scope, spot) in std::mem::replace(&mut self.edited, edited) {
            self.take_turns(scope, spot);
        }
        self.telling -= 1;
    }

    /// Does to the list that is kept of a derived value what has become of it, and tells whoever reads it.
    fn edit(&mut self, of: (ScopeId, CellId, u32), edits: Vec<Edit>, because: &SmallVec<[u32; 2]>) {
        let (home, cell, at) = of;
        let lost = self.is_broken(Sabotage::LoseEdits);
        let misplaced = self.is_broken(Sabotage::MisplaceEdits);
        for edit in &edits {
            if let Edit::Insert(_, item) | Edit::Set(_, item, _) = edit
                && self.is_too_deep(&[Step::Index(0)], std::slice::from_ref(item), (home, cell))
            {
                return;
            }
        }
        let mut edits = edits.into_iter().peekable();
        while let Some(edit) = edits.next() {
            let Slot::Derived { value: Value::List(items), .. } =
                &mut self.scopes[home as usize].cells[at as usize]
            else {
                return;
            };
            let items = Arc::make_mut(items);
            let (first, mut gone, mut came) = match edit {
                Edit::Set(at, item, _) => {
                    let Some(place) = items.get_mut(at as usize) else { continue };
                    if place.same(&item) {
                        *place = item;
                        continue;
                    }
                    let old = std::mem::replace(place, item.clone());
                    let (path, undo) = (vec![Step::Index(at)], Undo::Set(old.clone()));
                    self.tell((home, cell), path, undo, What::Replaced(&old, &item), because);
                    continue;
                }
                Edit::Remove(_) | Edit::Insert(..) if lost => continue,
                Edit::Remove(at) => (at, 1, Vec::new()),
                Edit::Insert(at, item) => (at.saturating_sub(u32::from(misplaced)), 0, vec![item]),
            };
            // Those beside each other go and come at once.
            let mut first = first as usize;
            while let Some(next) = edits.peek() {
                match next {
                    Edit::Remove(at) if came.is_empty() && *at as usize + 1 == first => {
                        (first, gone) = (first - 1, gone + 1);
                    }
                    Edit::Remove(at) if came.is_empty() && *at as usize == first => gone += 1,
                    Edit::Insert(at, _) if *at as usize == first + came.len() => {}
                    _ => break,
                }
                if let Some(Edit::Insert(_, item)) = edits.next() {
                    came.push(item);
                }
            }
            let is_same = gone == came.len()
                && items[first..first + gone].iter().zip(&came).all(|(old, new)| old.same(new));
            if is_same {
                continue;
            }
            let inserted = came.len();
            let removed: Vec<Value> = items.splice(first..first + gone, came).collect();
            let undo = Undo::Splice { at: first, removed: removed.clone(), inserted };
            let seen = ListSeen::Splice { at: first, removed, inserted };
            self.tell((home, cell), Vec::new(), undo, What::Listed(&seen), because);
        }
    }

    fn tell(
        &mut self,
        (home, cell): (ScopeId, CellId),
        path: Vec<Step>,
        undo: Undo,
        what: What<'_>,
        because: &SmallVec<[u32; 2]>,
    ) {
        let because = because.clone();
        let prepared = self.prepared.clone();
        self.logged(&prepared, (home, cell), path, undo, because, what);
    }

    /// Where in the list that a derived value is kept up with something stands that stands in the value.
    pub(super) fn place_in_source(
        &self,
        key: ReaderKey,
        path: &[Step],
    ) -> Option<(CellId, Vec<Step>)> {
        let upkeep = self.upkeep(key)?;
        let (way, rest) = match (&upkeep.lineage.outcome, path) {
            (Outcome::List, [Step::Index(position), rest @ ..]) => (upkeep.place(*position)?, rest),
            (Outcome::Holds(Asked::First, _), rest) => {
                let found = upkeep.outcome.bits.select(0)?;
                (SmallVec::from_iter([Step::Index(found)]), rest)
            }
            _ => return None,
        };
        let source = upkeep.lineage.path.iter().cloned();
        Some((upkeep.lineage.source, source.chain(way).chain(rest.iter().cloned()).collect()))
    }
}

impl Working<'_> {
    /// Brings up to date what functions have read beside their items: what has become of that is told by it.
    fn settle_beside(&mut self, key: ReaderKey, lineage: &Lineage) {
        let was_read = |cell: CellId| {
            let trace = self.graph.scope(key.0).traces.get(&key.1);
            trace.is_none_or(|trace| trace.iter().any(|read| read.cell == cell))
        };
        let cells: SmallVec<[CellId; 4]> =
            lineage.beside().iter().map(|read| read.cell).filter(|cell| was_read(*cell)).collect();
        for cell in cells {
            drop(self.graph.cell(self.prepared, self.scope, cell));
        }
    }

    /// Follows what has become of the list since. Nothing where that is too much.
    fn followed(
        &mut self,
        touched: usize,
        upkeep: Box<Upkeep>,
        items: &[Value],
    ) -> Option<(Box<Upkeep>, Vec<Edit>)> {
        let mut upkeep = upkeep;
        let lineage = upkeep.lineage.clone();
        let mut beside = false;
        let edits = self.edits_since(touched, &mut upkeep, items, &mut beside)?;
        let mut out = upkeep.follow(
            edits,
            usize::from(matches!(upkeep.stages.first(), Some(StageState::Flat(_)))),
            self,
        )?;
        if beside {
            if !lineage.first_only {
                return None;
            }
            // All that the filter looks at may come to something else.
            let (Some(Stage::Filter(made)), Some(StageState::Filter(bits))) =
                (lineage.stages.first(), upkeep.stages.first_mut())
            else {
                return None;
            };
            let most = FEW + items.len() / 16;
            let (mut edits, mut before) = (Vec::new(), 0);
            for (at, item) in (0..).zip(items) {
                let is = self.holds(made, item);
                match (bits.get(at), is) {
                    (false, true) => edits.push(Edit::Insert(before, item.clone())),
                    (true, false) => edits.push(Edit::Remove(before)),
                    _ => {}
                }
                if edits.len() > most {
                    return None;
                }
                bits.set(at, is);
                before += u32::from(is);
            }
            out.extend(upkeep.follow(edits, 1, self)?);
        }
        Some((upkeep, out))
    }

    /// What has become of the list, unless that is more than is followed; `beside` says whether something else was written that
    /// functions read.
    fn edits_since(
        &self,
        touched: usize,
        upkeep: &mut Upkeep,
        items: &[Value],
        beside: &mut bool,
    ) -> Option<Vec<Edit>> {
        let lineage = upkeep.lineage.clone();
        let entry = &self.graph.touched[touched];
        let len = upkeep.len_at_first();
        let start = Piece::Kept { start: 0, len };
        let pieces = if len > 0 { vec![start] } else { Vec::new() };
        let mut tracing =
            Tracing { pieces, inside: SmallVec::new(), most: FEW + len as usize / 16 };
        let mut last = None;
        let misses = self.graph.is_broken(Sabotage::MissInside);
        for wake in &entry.wakes {
            if Some(wake.write) < entry.kept_to {
                continue;
            }
            if wake.cell != lineage.source {
                *beside |= lineage.beside().iter().any(|read| read.cell == wake.cell);
                continue;
            }
            if wake.whole.is_some() {
                return None;
            }
            if last.replace(wake.write) == Some(wake.write) {
                continue;
            }
            let change = &self.graph.log[wake.write as usize];
            let path = change.path.get(wake.strip as usize..)?;
            if !path.iter().zip(&lineage.path).all(|(step, own)| step == own) {
                continue;
            }
            let rest = path.get(lineage.path.len()..)?;
            match (lineage.stages.first(), upkeep.stages.first_mut()) {
                (Some(Stage::Flat(inner)), Some(StageState::Flat(lens))) => {
                    let [Step::Index(outer), way @ ..] = rest else { return None };
                    let outer = *outer as usize;
                    if !way.iter().zip(inner).all(|(step, own)| step == own) {
                        continue;
                    }
                    let way = way.get(inner.len()..)?;
                    let before: u32 = lens.get(..outer)?.iter().sum();
                    let own = lens.get_mut(outer)?;
                    match (way, &change.undo) {
                        ([Step::Index(at), way @ ..], _) => tracing.write(before + at, way)?,
                        ([], Undo::Splice { at, removed, inserted }) => {
                            let (gone, came) = (removed.len() as u32, *inserted as u32);
                            *own = (*own + came).checked_sub(gone)?;
                            tracing.splice(before + *at as u32, gone, came)?;
                        }
                        _ => return None,
                    }
                }
                _ => match (rest, &change.undo) {
                    ([Step::Index(_), _, ..], _) if misses => {}
                    ([Step::Index(at), way @ ..], _) => tracing.write(*at, way)?,
                    ([], Undo::Splice { at, removed, inserted }) => {
                        tracing.splice(*at as u32, removed.len() as u32, *inserted as u32)?;
                    }
                    _ => return None,
                },
            }
        }
        let flat = match (lineage.stages.first(), upkeep.stages.first()) {
            (Some(Stage::Flat(path)), Some(StageState::Flat(lens))) => {
                Some((path.as_slice(), lens.as_slice()))
            }
            _ => None,
        };
        let now: u32 = match flat {
            Some((path, lens)) => {
                let inner = items.iter().map(|item| item.at(path).map(Value::list_len));
                let is_so = inner.eq(lens.iter().map(|len| Some(*len as usize)));
                if !is_so {
                    return None;
                }
                lens.iter().sum()
            }
            None => items.len() as u32,
        };
        if tracing.pieces.iter().map(|piece| piece.len()).sum::<u32>() != now {
            return None;
        }
        tracing.edits(len, &Items { items, flat })
    }
}
