//! Which readers have to look again: marks, and bringing derived values up to date.
//!
//! A write marks those that read what it changed as *stale*, and those that read derived values
//! above them as *perhaps*. Nothing is computed until it is read. A reader that is only
//! perhaps stale first has what it read brought up to date; if that comes out equal, the wave
//! ends there.

use crate::change::{Change, Undo, changed_since_start};
use crate::wakes::{Entry, ReaderId, Wakes};
use smallvec::SmallVec;
use std::sync::Arc;
use vein_plan::code::{CellId, ExprId};
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::track::Tracked;
use vein_plan::{CellKind, Plan, Program, Read, ReadStep, Reads, Step, Value};

/// Whether a reader is up to date.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Mark {
    /// Up to date.
    Fresh,
    /// Something that it read is perhaps not up to date.
    Perhaps,
    /// Something that it read was written.
    Stale,
    /// It was never evaluated.
    New,
}

#[derive(Debug)]
struct Reader {
    mark: Mark,
    /// By how many writes of this pulse it was marked stale.
    writes: u32,
    /// Whether it was stale before this pulse began.
    carried: bool,
    /// The pulse in which it was last evaluated.
    evaluated: u64,
    /// The pulse in which it was first marked, and its mark before.
    touched: (u64, Mark),
    /// The writes that made it stale, as positions in the log.
    because: SmallVec<[u32; 2]>,
    /// What it read when it was last evaluated, where that differs from run to run.
    trace: Vec<(Read, Entry)>,
}

/// The parts of a plan that all its instances share, ready for running.
#[derive(Debug)]
pub(crate) struct Prepared {
    pub(crate) program: Arc<Program>,
    pub(crate) plan: usize,
    /// Who reads what on every run.
    fixed: Wakes,
    /// For each reader with fixed reads, those reads.
    reads: Vec<Option<Vec<Read>>>,
}

impl Prepared {
    pub(crate) fn new(program: Arc<Program>, number: usize) -> Prepared {
        let plan = &program.plans[number];
        let cells = plan.cells.iter().map(|cell| match &cell.kind {
            CellKind::Derived(_, reads) => Some(reads),
            _ => None,
        });
        let parts = plan.parts.iter().map(|part| Some(&part.reads));
        let mut fixed = Wakes::default();
        let mut reads = Vec::new();
        for (reader, found) in cells.chain(parts).enumerate() {
            let known = match found {
                Some(Reads::Fixed(paths)) => Some(concrete(&program, paths)),
                _ => None,
            };
            for read in known.iter().flatten() {
                fixed.enter(reader as ReaderId, read.cell, &read.path, read.extent);
            }
            reads.push(known);
        }
        Prepared { plan: number, fixed, reads, program }
    }

    pub(crate) fn plan(&self) -> &Plan {
        &self.program.plans[self.plan]
    }
}

/// Fixed reads never go through items of lists.
fn concrete(program: &Program, paths: &[vein_plan::PlanRead]) -> Vec<Read> {
    let step = |step: &ReadStep| match step {
        ReadStep::Field(name) => Some(Step::Field(program.names[*name as usize].clone())),
        ReadStep::AnyItem => None,
    };
    let read = |read: &vein_plan::PlanRead| Read {
        cell: read.cell,
        path: read.path.iter().map_while(step).collect(),
        extent: read.extent,
    };
    paths.iter().map(read).collect()
}

/// The state of an instance and who depends on it.
#[derive(Debug)]
pub(crate) struct Graph {
    pub(crate) prepared: Arc<Prepared>,
    pub(crate) values: Vec<Value>,
    pub(crate) log: Vec<Change>,
    readers: Vec<Reader>,
    followed: Wakes,
    /// Counts pulses, and reads between them.
    pulse: u64,
    /// Readers that were marked in this pulse.
    touched: Vec<ReaderId>,
    /// Parts that have to be looked at before the pulse ends.
    pub(crate) waiting: Vec<ReaderId>,
    /// Traces that were replaced in this pulse.
    retraced: Vec<(ReaderId, Vec<Read>)>,
    pub(crate) computed: usize,
    woken: Vec<ReaderId>,
}

impl Graph {
    pub(crate) fn new(prepared: Arc<Prepared>) -> Graph {
        let plan = prepared.plan();
        let count = plan.cells.len() + plan.parts.len();
        let reader = |_| Reader {
            mark: Mark::New,
            writes: 0,
            carried: false,
            evaluated: u64::MAX,
            touched: (u64::MAX, Mark::New),
            because: SmallVec::new(),
            trace: Vec::new(),
        };
        Graph {
            values: vec![Value::Null; plan.cells.len()],
            log: Vec::new(),
            readers: (0..count).map(reader).collect(),
            followed: Wakes::default(),
            pulse: 0,
            touched: Vec::new(),
            waiting: Vec::new(),
            retraced: Vec::new(),
            computed: 0,
            woken: Vec::new(),
            prepared,
        }
    }

    /// Begins a pulse, or a read by the host between two.
    pub(crate) fn begin(&mut self) {
        self.pulse += 1;
        self.log.clear();
        self.retraced.clear();
        self.waiting.clear();
        self.computed = 0;
    }

    /// Ends a pulse that went well. Derived values that nobody asked for stay as they are
    /// until somebody does.
    pub(crate) fn end(&mut self) {
        for reader in std::mem::take(&mut self.touched) {
            let reader = &mut self.readers[reader as usize];
            reader.writes = 0;
            reader.because.clear();
            reader.carried = reader.mark == Mark::Stale;
        }
    }

    /// Takes back everything since the pulse began.
    pub(crate) fn roll_back(&mut self) {
        while let Some(change) = self.log.pop() {
            let cell = change.cell as usize;
            change.undo(&mut self.values[cell]);
        }
        while let Some((reader, trace)) = self.retraced.pop() {
            self.set_trace(reader, trace);
        }
        for reader in std::mem::take(&mut self.touched) {
            let reader = &mut self.readers[reader as usize];
            reader.mark = reader.touched.1;
            reader.carried = reader.mark == Mark::Stale;
            reader.writes = 0;
            reader.because.clear();
        }
        self.waiting.clear();
    }

    /// How many reads are followed at present, for counting what is left over.
    pub(crate) fn followed_reads(&self) -> usize {
        self.followed.len()
    }

    fn first_part(&self) -> usize {
        self.prepared.plan().cells.len()
    }

    pub(crate) fn reader_of_part(&self, part: usize) -> ReaderId {
        (self.first_part() + part) as ReaderId
    }

    pub(crate) fn part_of_reader(&self, reader: ReaderId) -> usize {
        reader as usize - self.first_part()
    }

    fn is_derived(&self, cell: CellId) -> bool {
        matches!(self.prepared.plan().cells[cell as usize].kind, CellKind::Derived(..))
    }

    pub(crate) fn because(&self, reader: ReaderId) -> &[u32] {
        &self.readers[reader as usize].because
    }

    fn touch(&mut self, id: ReaderId) -> &mut Reader {
        let pulse = self.pulse;
        let reader = &mut self.readers[id as usize];
        if reader.touched.0 != pulse {
            reader.touched = (pulse, reader.mark);
            self.touched.push(id);
        }
        reader
    }

    /// Marks the readers in `woken`, which see the write that was logged last.
    fn mark_woken(&mut self) {
        let write = self.log.len() as u32 - 1;
        let woken = std::mem::take(&mut self.woken);
        for id in &woken {
            let reader = self.touch(*id);
            // One write may be seen in several places.
            if reader.because.last() != Some(&write) {
                reader.because.push(write);
                reader.writes += 1;
            }
            let before = reader.mark;
            if before != Mark::New {
                reader.mark = Mark::Stale;
            }
            if before == Mark::Fresh {
                self.announce(*id);
            }
        }
        self.woken = woken;
        self.woken.clear();
    }

    /// Tells those that read a derived value that it is perhaps not up to date; notes a part
    /// as waiting.
    fn announce(&mut self, reader: ReaderId) {
        let mut open = vec![reader];
        while let Some(id) = open.pop() {
            if id as usize >= self.first_part() {
                self.waiting.push(id);
                continue;
            }
            let mut above = Vec::new();
            self.prepared.fixed.readers_of(id as CellId, &mut above);
            self.followed.readers_of(id as CellId, &mut above);
            for id in above {
                let reader = self.touch(id);
                if reader.mark == Mark::Fresh {
                    reader.mark = Mark::Perhaps;
                    open.push(id);
                }
            }
        }
    }

    /// Logs a write that was made to a value, and marks who sees it.
    fn logged(&mut self, change: Change, woken: Vec<ReaderId>) {
        self.log.push(change);
        self.woken = woken;
        self.mark_woken();
    }

    /// Replaces the value at a path. `false` if there is no such place.
    pub(crate) fn set(
        &mut self,
        cell: CellId,
        path: Vec<Step>,
        value: Value,
        because: SmallVec<[u32; 2]>,
    ) -> bool {
        let root = &mut self.values[cell as usize];
        match root.at(&path) {
            None => return false,
            Some(old) if old.same(&value) => return true,
            Some(_) => {}
        }
        let Some(place) = root.at_mut(&path) else { return false };
        let old = std::mem::replace(place, value);
        let mut woken = std::mem::take(&mut self.woken);
        if let Some(new) = self.values[cell as usize].at(&path) {
            self.prepared.fixed.replaced(cell, &path, &old, new, &mut woken);
            self.followed.replaced(cell, &path, &old, new, &mut woken);
        }
        self.logged(Change { cell, path, undo: Undo::Set(old), because }, woken);
        true
    }

    /// Changes the list at a path in place. `false` if there is none.
    pub(crate) fn change_list(&mut self, cell: CellId, path: Vec<Step>, change: ListEdit) -> bool {
        use crate::wakes::ListChange;
        let Some(Value::List(items)) = self.values[cell as usize].at(&path) else {
            return false;
        };
        let seen = match &change {
            ListEdit::Splice { at, remove, insert } => {
                let removed = &items[*at..at + remove];
                let same = removed.len() == insert.len()
                    && removed.iter().zip(insert).all(|(a, b)| a.same(b));
                if same {
                    return true;
                }
                ListChange::Splice { at: *at, removed: *remove, inserted: insert }
            }
            ListEdit::Permute(order) => {
                if order.iter().enumerate().all(|(i, from)| i == *from as usize) {
                    return true;
                }
                ListChange::Permute(order)
            }
        };
        let mut woken = std::mem::take(&mut self.woken);
        self.prepared.fixed.list_changed(cell, &path, items, &seen, &mut woken);
        self.followed.list_changed(cell, &path, items, &seen, &mut woken);
        let Some(Value::List(items)) = self.values[cell as usize].at_mut(&path) else {
            return false;
        };
        let items = Arc::make_mut(items);
        let undo = match change {
            ListEdit::Splice { at, remove, insert } => {
                let inserted = insert.len();
                let removed: Vec<Value> = items.splice(at..at + remove, insert).collect();
                Undo::Splice { at, removed, inserted }
            }
            ListEdit::Permute(order) => {
                let mut old: Vec<Value> = std::mem::take(items);
                *items =
                    order.iter().map(|from| std::mem::take(&mut old[*from as usize])).collect();
                Undo::Permute(order)
            }
        };
        self.logged(Change { cell, path, undo, because: SmallVec::new() }, woken);
        true
    }

    /// Whether the reader would read something else now than when it was last evaluated.
    fn has_to_run(&self, id: ReaderId) -> bool {
        let reader = &self.readers[id as usize];
        // Marked by one write, it has certainly changed; by several, they may cancel out.
        if !self.is_kept_from_start(id) || reader.writes < 2 {
            return true;
        }
        match &self.prepared.reads[id as usize] {
            Some(reads) => reads.iter().any(|read| self.has_changed(read)),
            None => reader.trace.iter().any(|(read, _)| self.has_changed(read)),
        }
    }

    /// Whether what is kept of a reader was worked out before the pulse began.
    fn is_kept_from_start(&self, id: ReaderId) -> bool {
        let reader = &self.readers[id as usize];
        reader.mark != Mark::New && !reader.carried && reader.evaluated != self.pulse
    }

    fn has_changed(&self, read: &Read) -> bool {
        changed_since_start(&self.log, read, &self.values[read.cell as usize])
    }

    fn is_fresh(&self, cell: CellId) -> bool {
        !self.is_derived(cell) || self.readers[cell as usize].mark == Mark::Fresh
    }

    /// For a reader whose reads are followed: the next derived value, from a position on,
    /// that is not up to date and will surely be read again, because nothing read before it
    /// has changed.
    fn next_to_settle(&self, id: ReaderId, from: usize) -> Option<usize> {
        let trace = &self.readers[id as usize].trace;
        if !self.is_kept_from_start(id) {
            return None;
        }
        let next = from + trace.get(from..)?.iter().position(|(r, _)| !self.is_fresh(r.cell))?;
        let before = from.saturating_sub(1)..next;
        (!trace[before].iter().any(|(read, _)| self.has_changed(read))).then_some(next)
    }

    /// The cells that a reader read, by position.
    fn cell_read(&self, id: ReaderId, at: usize) -> Option<CellId> {
        match &self.prepared.reads[id as usize] {
            Some(reads) => reads.get(at).map(|read| read.cell),
            None => self.readers[id as usize].trace.get(at).map(|(read, _)| read.cell),
        }
    }

    /// Brings a reader's derived values up to date and says whether it has to be evaluated
    /// itself. Works with a stack of its own, so that long chains do not fill the machine's.
    pub(crate) fn settle_reads(&mut self, target: ReaderId) -> bool {
        let mut open: Vec<(ReaderId, usize)> = vec![(target, 0)];
        loop {
            let Some((id, at)) = open.last().copied() else { return false };
            let reader = &self.readers[id as usize];
            let fixed = self.prepared.reads[id as usize].is_some();
            // Reads under a condition may not happen again once something was written.
            let next = match reader.mark {
                Mark::Perhaps => Some(at),
                Mark::Stale | Mark::New if fixed => Some(at),
                Mark::Stale => self.next_to_settle(id, at),
                _ => None,
            };
            if let Some((next, cell)) = next.and_then(|at| Some((at, self.cell_read(id, at)?))) {
                if let Some(last) = open.last_mut() {
                    last.1 = next + 1;
                }
                if !self.is_fresh(cell) {
                    open.push((ReaderId::from(cell), 0));
                }
                continue;
            }
            open.pop();
            let run = match self.readers[id as usize].mark {
                Mark::Fresh => false,
                Mark::Perhaps => false,
                Mark::Stale | Mark::New => self.has_to_run(id),
            };
            if id == target && open.is_empty() {
                if !run {
                    self.freshen(id);
                }
                return run;
            }
            if run {
                self.compute(id as CellId);
            } else {
                self.freshen(id);
            }
        }
    }

    fn freshen(&mut self, id: ReaderId) {
        let reader = self.touch(id);
        reader.mark = Mark::Fresh;
        reader.carried = false;
    }

    /// Brings a derived value up to date.
    fn refresh(&mut self, cell: CellId) {
        let id = ReaderId::from(cell);
        if self.readers[id as usize].mark != Mark::Fresh && self.settle_reads(id) {
            self.compute(cell);
        }
    }

    fn compute(&mut self, cell: CellId) {
        let prepared = self.prepared.clone();
        let CellKind::Derived(expr, _) = prepared.plan().cells[cell as usize].kind else {
            return;
        };
        let id = ReaderId::from(cell);
        let value = self.evaluate(id, expr);
        self.computed += 1;
        let because = self.readers[id as usize].because.clone();
        self.freshen(id);
        self.set(cell, Vec::new(), value, because);
    }

    /// Evaluates an expression that will not be evaluated again.
    pub(crate) fn evaluate_once(&mut self, expr: ExprId) -> Value {
        let prepared = self.prepared.clone();
        let (exprs, names) = (&prepared.plan().exprs, &prepared.program.names);
        let mut locals: Vec<(Value, ())> = Vec::new();
        let (cells, locals) = (self, &mut locals);
        Evaluation { exprs, names, cells, locals, log: Vec::new() }.value(expr)
    }

    /// Evaluates a reader's expression, noting what it reads where that differs from run to run.
    pub(crate) fn evaluate(&mut self, id: ReaderId, expr: ExprId) -> Value {
        self.readers[id as usize].evaluated = self.pulse;
        let prepared = self.prepared.clone();
        let (exprs, names) = (&prepared.plan().exprs, &prepared.program.names);
        if prepared.reads[id as usize].is_some() {
            return self.evaluate_once(expr);
        }
        let mut locals: Vec<(Value, Tracked)> = Vec::new();
        let (cells, locals) = (&mut *self, &mut locals);
        let mut run = Evaluation { exprs, names, cells, locals, log: Vec::new() };
        let value = run.value(expr);
        let mut reads = run.log;
        let mut seen = rustc_hash::FxHashSet::default();
        reads.retain(|read| seen.insert(read.clone()));
        let old = self.set_trace(id, reads);
        self.retraced.push((id, old));
        value
    }

    /// Enters what a reader has read now and gives what it had read before.
    fn set_trace(&mut self, id: ReaderId, reads: Vec<Read>) -> Vec<Read> {
        let old = std::mem::take(&mut self.readers[id as usize].trace);
        let same = old.len() == reads.len() && old.iter().zip(&reads).all(|((a, _), b)| a == b);
        if same {
            self.readers[id as usize].trace = old;
            return reads;
        }
        let mut before = Vec::with_capacity(old.len());
        for (read, entry) in old {
            self.followed.leave(id, entry);
            before.push(read);
        }
        let trace = reads.into_iter().map(|read| {
            let entry = self.followed.enter(id, read.cell, &read.path, read.extent);
            (read, entry)
        });
        self.readers[id as usize].trace = trace.collect();
        before
    }

    /// Notes that a part now shows what it should.
    pub(crate) fn part_is_fresh(&mut self, id: ReaderId) {
        self.freshen(id);
    }
}

impl Cells for Graph {
    fn cell(&mut self, cell: CellId) -> Value {
        if self.is_derived(cell) {
            self.refresh(cell);
        }
        self.values[cell as usize].clone()
    }
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
