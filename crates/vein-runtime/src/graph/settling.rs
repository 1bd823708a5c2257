//! Bringing readers up to date.

use super::{Graph, ReaderKey, SPARE, Sight, Wake};
use crate::change::{Seen, SeenUndo, changed_since};
use crate::sabotage::Sabotage;
use crate::scope::{Mark, ScopeId, Slot};
use crate::wakes::{Known, KnownReads, Prepared};
use smallvec::SmallVec;
use vein_plan::code::{CellId, ExprId};
use vein_plan::eval::Evaluation;
use vein_plan::track::{Noted, Tracked};
use vein_plan::{Read, SpotKind, Value};

impl Graph {
    pub(crate) fn because(&self, key: ReaderKey) -> &[u32] {
        match self.scope(key.0).readers[key.1 as usize].touched {
            0 => &[],
            touched => &self.touched[touched as usize - 1].because,
        }
    }

    /// What is known of a reader, and the scope in which it is evaluated.
    #[inline]
    pub(super) fn known<'p>(
        &self,
        prepared: &'p Prepared,
        (scope, reader): ReaderKey,
    ) -> (ScopeId, &'p Known) {
        let here = self.scope(scope);
        if let Some(Slot::Derived { scope, known, .. }) = here.cells.get(reader as usize) {
            return (*scope, prepared.known(self.scope(*scope).plan, *known));
        }
        let ready = prepared.block(here.plan, here.block);
        (scope, prepared.known(here.plan, ready.known[reader as usize]))
    }

    /// What a reader reads, and in which scope.
    pub(super) fn reads<'p>(
        &self,
        prepared: &'p Prepared,
        key: ReaderKey,
    ) -> (ScopeId, &'p KnownReads) {
        let (scope, known) = self.known(prepared, key);
        (scope, &known.reads)
    }

    /// Whether what is kept of a reader was worked out before the pulse began.
    fn is_kept_from_start(&self, (scope, reader): ReaderKey) -> bool {
        let state = &self.scope(scope).readers[reader as usize];
        let evaluated = state.touched > 0 && self.touched[state.touched as usize - 1].evaluated;
        state.mark != Mark::New && !state.carried && !evaluated
    }

    /// Whether the reader would read something else now than when it was last evaluated.
    fn has_to_run(
        &mut self,
        prepared: &Prepared,
        key: ReaderKey,
        (scope, known): (ScopeId, &KnownReads),
    ) -> bool {
        if !self.is_kept_from_start(key)
            || self.source_is_another(key)
            || self.is_broken(Sabotage::EvaluateAll)
        {
            return true;
        }
        match known {
            KnownReads::Fixed(reads) => {
                let seen = self.scope(key.0).readers[key.1 as usize].touched;
                // Marked by one write, it has certainly changed; by several, they may cancel out.
                if seen == 0 || self.touched[seen as usize - 1].wakes.len() < 2 {
                    return true;
                }
                reads.iter().any(|read| self.has_changed(prepared, key, scope, read))
            }
            KnownReads::Followed => {
                let trace = self.scope(key.0).traces.get(&key.1).cloned();
                trace.is_none_or(|trace| {
                    trace.iter().any(|read| self.has_changed(prepared, key, scope, read))
                })
            }
        }
    }

    /// Whether a read of a reader would give something else now than before the pulse.
    fn has_changed(
        &mut self,
        prepared: &Prepared,
        key: ReaderKey,
        scope: ScopeId,
        read: &Read,
    ) -> bool {
        let touched = self.scope(key.0).readers[key.1 as usize].touched;
        if touched == 0 {
            return false;
        }
        let relevant = |wake: &&Wake| wake.cell == read.cell;
        if !self.touched[touched as usize - 1].wakes.iter().any(|wake| relevant(&wake)) {
            return false;
        }
        let now = self.cell(prepared, scope, read.cell);
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
    pub(super) fn upstream(&self, scope: ScopeId, cell: CellId) -> Option<ReaderKey> {
        let (mut scope, mut cell) = (scope, cell);
        loop {
            let (home, at) = self.home(scope, cell);
            match &self.scope(home).cells[at as usize] {
                Slot::Own(_) => return None,
                Slot::Derived { .. } => return Some((home, at)),
                Slot::Alias { scope: from, cell: given, .. } => (scope, cell) = (*from, *given),
                Slot::Item | Slot::Position => {
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
    pub(super) fn read_at(
        &self,
        prepared: &Prepared,
        key: ReaderKey,
        at: usize,
    ) -> Option<Option<ReaderKey>> {
        let (scope, known) = self.reads(prepared, key);
        let cell = match known {
            KnownReads::Fixed(reads) => reads.get(at)?.cell,
            KnownReads::Followed => self.scope(key.0).traces.get(&key.1)?.get(at)?.cell,
        };
        Some(self.upstream(scope, cell))
    }

    /// The first of some reads, from a position on, of a derived value that is not up to date.
    fn first_to_settle(
        &self,
        scope: ScopeId,
        reads: &[Read],
        from: usize,
    ) -> Option<(usize, ReaderKey)> {
        (from..).zip(reads.get(from..)?).find_map(|(at, read)| {
            let up = self.upstream(scope, read.cell)?;
            (self.mark_of(up) != Mark::Fresh).then_some((at, up))
        })
    }

    /// For a reader whose reads are followed: the next read, from a position on, of a derived
    /// value that is not up to date and will surely be read again, because nothing read before
    /// it has changed.
    fn next_to_settle(
        &mut self,
        prepared: &Prepared,
        key: ReaderKey,
        from: usize,
    ) -> Option<(usize, ReaderKey)> {
        if !self.is_kept_from_start(key) || (from > 0 && self.source_is_another(key)) {
            return None;
        }
        let (scope, _) = self.reads(prepared, key);
        let trace = self.scope(key.0).traces.get(&key.1)?;
        let found = self.first_to_settle(scope, trace, from)?;
        let trace = trace.clone();
        let before = &trace[from.saturating_sub(1)..found.0];
        let changed = before.iter().any(|read| self.has_changed(prepared, key, scope, read));
        (!changed).then_some(found)
    }

    /// Brings a reader's derived values up to date and says whether it has to be evaluated
    /// itself. Works with a stack of its own, so that long chains do not fill the machine's.
    pub(crate) fn settle_reads(&mut self, prepared: &Prepared, target: ReaderKey) -> bool {
        let mut open: SmallVec<[(ReaderKey, usize); 4]> = SmallVec::new();
        open.push((target, 0));
        loop {
            let Some((key, at)) = open.last().copied() else { return false };
            let (scope, reads) = self.reads(prepared, key);
            // Reads under a condition may not happen again once something was written.
            let next = match (self.mark_of(key), reads) {
                (Mark::Fresh, _) | (Mark::New, KnownReads::Followed) => None,
                (_, KnownReads::Fixed(reads)) => self.first_to_settle(scope, reads, at),
                (Mark::Perhaps, KnownReads::Followed) => {
                    let trace = self.scope(key.0).traces.get(&key.1);
                    trace.and_then(|trace| self.first_to_settle(scope, trace, at))
                }
                (Mark::Stale, KnownReads::Followed) => self.next_to_settle(prepared, key, at),
            };
            if let Some((next, up)) = next {
                if let Some(last) = open.last_mut() {
                    last.1 = next + 1;
                }
                open.push((up, 0));
                continue;
            }
            open.pop();
            let run = match self.mark_of(key) {
                Mark::Fresh | Mark::Perhaps => false,
                Mark::Stale | Mark::New => self.has_to_run(prepared, key, (scope, reads)),
            };
            if open.is_empty() {
                if !run {
                    self.freshen(key);
                }
                return run;
            }
            if run {
                self.compute(prepared, key);
            } else {
                self.freshen(key);
            }
        }
    }

    /// Notes that a watch has seen what changed so far: it runs again for what comes now.
    pub(crate) fn has_looked(&mut self, key: ReaderKey) {
        let touched = self.touch(key);
        let entry = &mut self.touched[touched];
        entry.wakes.clear();
        entry.because.clear();
        self.freshen(key);
    }

    /// Notes that a reader is up to date.
    pub(crate) fn freshen(&mut self, key: ReaderKey) {
        // One that nobody asked for since an earlier pulse has been told of nothing in this one, and is as it was if
        // the pulse is taken back.
        if self.mark_of(key) == Mark::Perhaps {
            self.touch(key);
        }
        let state = self.state(key);
        (state.mark, state.half_told) = (Mark::Fresh, false);
    }

    /// Finds up to date what was told in rows that it is perhaps another, and nobody looked at: the lists are up to date by
    /// now, and told whom something has become of.
    pub(super) fn settle_half_told(&mut self) {
        let mut open = std::mem::take(&mut self.half_told);
        if open.is_empty() {
            return;
        }
        let prepared = self.prepared.clone();
        loop {
            let before = open.len();
            open.retain(|key| {
                let scope = self.scope(key.0);
                let is_open = scope.alive
                    && scope.readers[key.1 as usize].half_told
                    && scope.readers[key.1 as usize].mark == Mark::Perhaps;
                let mut ups = (0..).map_while(|at| self.read_at(&prepared, *key, at)).flatten();
                if is_open && ups.all(|up| self.stored_mark(up) == Mark::Fresh) {
                    self.freshen(*key);
                    return false;
                }
                is_open
            });
            if open.is_empty() || open.len() == before {
                return;
            }
        }
    }

    /// Brings a derived value up to date. Where something has failed it waits for whoever reads it next: the host is not
    /// asked any more, and what was handed out instead would stay.
    pub(super) fn refresh(&mut self, prepared: &Prepared, key: ReaderKey) {
        if self.fault.is_none()
            && self.mark_of(key) != Mark::Fresh
            && self.settle_reads(prepared, key)
        {
            self.compute(prepared, key);
        }
    }

    fn compute(&mut self, prepared: &Prepared, key: ReaderKey) {
        let (work, known) = self.known(prepared, key);
        if let Some(descent) = &known.descent {
            let around = self.begin_reading(prepared, key);
            let is_done = self.keep_up(prepared, key, (work, descent));
            self.purse.begin(around);
            if is_done {
                return;
            }
        }
        let here = self.scope(key.0);
        let Some(Slot::Derived { expr, .. }) = here.cells.get(key.1 as usize) else { return };
        let expr = *expr;
        let cell = prepared.block(here.plan, here.block).cells[key.1 as usize];
        let mut value = self.evaluate(prepared, key, expr);
        if self.is_broken(Sabotage::StaleDerived)
            && let Some(Slot::Derived { value: old, .. }) =
                self.scope(key.0).cells.get(key.1 as usize)
        {
            value = old.clone();
        }
        self.computed += 1;
        let because = SmallVec::from_slice(self.because(key));
        self.freshen(key);
        self.store(prepared, (key.0, cell, key.1), Vec::new(), value, because);
        self.tell_shifted();
    }

    /// Evaluates an expression of a scope that will not be evaluated again.
    pub(crate) fn evaluate_once(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        expr: ExprId,
    ) -> Value {
        let plan = prepared.plan(self.scope(scope).plan);
        let mut locals: Vec<(Value, ())> = Vec::new();
        let acting = std::mem::replace(&mut self.acting, false);
        let cells = &mut Sight { graph: self, prepared, scope };
        let names = &prepared.program.names;
        let value = Evaluation::new(plan, names, cells, &mut locals).value(expr);
        self.acting = acting;
        value
    }

    /// Evaluates the expression of a reader that is new. Nothing is noted for taking it back: what
    /// is new goes with its scope.
    pub(crate) fn evaluate_first(
        &mut self,
        prepared: &Prepared,
        key: ReaderKey,
        expr: ExprId,
    ) -> Value {
        if matches!(self.reads(prepared, key).1, KnownReads::Followed) {
            let value = self.evaluate(prepared, key, expr);
            self.freshen(key);
            return value;
        }
        let around = self.begin_reading(prepared, key);
        let value = self.evaluate_once(prepared, key.0, expr);
        self.purse.begin(around);
        self.state(key).mark = Mark::Fresh;
        value
    }

    /// Runs an evaluation that follows what is read.
    pub(super) fn followed<T>(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        run: impl FnOnce(&mut Evaluation<'_, Sight<'_>, Tracked>) -> T,
    ) -> (T, Vec<Noted>) {
        let plan = prepared.plan(self.scope(scope).plan);
        let mut locals: Vec<(Value, Tracked)> = Vec::new();
        let log = std::mem::take(&mut self.noted);
        let acting = std::mem::replace(&mut self.acting, false);
        let cells = &mut Sight { graph: self, prepared, scope };
        let names = &prepared.program.names;
        let mut evaluation = Evaluation::new(plan, names, cells, &mut locals);
        evaluation.log = log;
        let result = run(&mut evaluation);
        let log = evaluation.log;
        self.acting = acting;
        (result, log)
    }

    /// Evaluates a reader's expression, noting what it reads where that differs from run to run.
    pub(crate) fn evaluate(&mut self, prepared: &Prepared, key: ReaderKey, expr: ExprId) -> Value {
        let touched = self.touch(key);
        self.touched[touched].evaluated = true;
        let around = self.begin_reading(prepared, key);
        let (scope, known) = self.reads(prepared, key);
        if matches!(known, KnownReads::Fixed(_)) {
            let value = self.evaluate_once(prepared, scope, expr);
            self.purse.begin(around);
            return value;
        }
        let (value, mut noted) = self.followed(prepared, scope, |run| run.value(expr));
        self.purse.begin(around);
        once_each(&mut noted);
        let names = &prepared.program.names;
        let traces = &mut self.scopes[key.0 as usize].traces;
        let is_known = traces.get(&key.1).is_some_and(|trace| {
            trace.len() == noted.len()
                && noted.iter().zip(trace.iter()).all(|(noted, read)| noted.is(read, names))
        });
        if !is_known {
            let trace = noted.iter().map(|noted| noted.read(names)).collect();
            let old = traces.insert(key.1, trace);
            self.touched[touched].trace.get_or_insert(old);
        }
        noted.clear();
        noted.shrink_to(SPARE);
        self.noted = noted;
        value
    }

    /// Evaluates the expression of a reader whose reads differ from run to run, in the middle of statements: from now on what
    /// it has read now is followed. Nothing where it always reads the same.
    pub(crate) fn evaluate_now(
        &mut self,
        prepared: &Prepared,
        key: ReaderKey,
        expr: ExprId,
    ) -> Option<Value> {
        if matches!(self.reads(prepared, key).1, KnownReads::Fixed(_)) {
            return None;
        }
        self.settle_reads(prepared, key);
        Some(self.evaluate(prepared, key, expr))
    }

    /// How many reads are followed at present, for counting what is left over.
    pub(crate) fn followed_reads(&self) -> usize {
        let traces = self.scopes.iter().flat_map(|scope| scope.traces.values());
        traces.map(|trace| trace.len()).sum()
    }
}

/// Keeps each read once, in the order of the first ones.
fn once_each(reads: &mut Vec<Noted>) {
    if reads.len() < 2 {
        return;
    }
    let is_first: SmallVec<[bool; 8]> = if reads.len() <= 8 {
        let before = |at: usize| !reads[..at].contains(&reads[at]);
        (0..reads.len()).map(before).collect()
    } else {
        let mut seen = rustc_hash::FxHashSet::default();
        reads.iter().map(|read| seen.insert(read)).collect()
    };
    let mut is_first = is_first.into_iter();
    reads.retain(|_| is_first.next() == Some(true));
}
