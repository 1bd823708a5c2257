//! Who sees a change: from what was written down to the readers.

use super::{At, Graph, ListSeen, ReaderKey, Told, Touched, Wake, What};
use crate::sabotage::Sabotage;
use crate::scope::{Held, Mark, NONE, ScopeId, Slot};
use crate::wakes::{Entry, KnownReads, Node, Prepared, Wakes};
use smallvec::SmallVec;
use std::cell::OnceCell;
use std::cmp::Reverse;
use vein_plan::code::CellId;
use vein_plan::{Extent, Read, ReadStep, SpotKind, Step, Value};

/// Whether what is read at one path can be touched by a write at another: not if they part at a name. What stands at a
/// position may have stood at another.
fn may_meet(read: &[Step], written: &[Step]) -> bool {
    let parts = |(a, b): (&Step, &Step)| match (a, b) {
        (Step::Field(a), Step::Field(b)) => a != b,
        _ => false,
    };
    !read.iter().zip(written).any(parts)
}

impl Graph {
    /// Tells everything that depends on a cell, in the scope that it lives in and in those
    /// inside it.
    pub(super) fn notify(&mut self, prepared: &Prepared, scope: ScopeId, cell: CellId, at: At<'_>) {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        if let Some(seen) = prepared.block(plan, block).seen(cell) {
            self.descend(prepared, scope, cell, &seen.wakes, at);
            for spot in &seen.inner {
                for inner in self.scopes_in(scope, *spot) {
                    self.notify(prepared, inner, cell, at);
                }
            }
        }
        for (user, own) in prepared.users(plan, cell) {
            let Some(users) = self.users.get_mut(&(plan, *user)) else { continue };
            let users = std::mem::take(users);
            for user in &users {
                self.notify(prepared, *user, *own, at);
            }
            self.users.insert((plan, *user), users);
        }
    }

    /// Notes a component as a user of the stores that it uses: it is told of what changes there.
    pub(crate) fn enter_stores(&mut self, scope: ScopeId) {
        let plan = self.scope(scope).plan;
        let prepared = self.prepared.clone();
        for store in &prepared.plans[plan as usize].stores {
            let users = self.users.entry((*store, plan)).or_default();
            users.push(scope);
            let at = users.len() as u32 - 1;
            self.scope_mut(scope).used_at.push(at);
        }
    }

    /// Takes a component out of the users of its stores.
    pub(crate) fn leave_stores(&mut self, scope: ScopeId) {
        if self.is_broken(Sabotage::KeepSubscriptions) {
            return;
        }
        let plan = self.scope(scope).plan;
        let prepared = self.prepared.clone();
        let places = std::mem::take(&mut self.scope_mut(scope).used_at);
        let stores = &prepared.plans[plan as usize].stores;
        for (which, (store, at)) in stores.iter().zip(places).enumerate() {
            let Some(users) = self.users.get_mut(&(*store, plan)) else { continue };
            users.swap_remove(at as usize);
            if let Some(moved) = users.get(at as usize).copied() {
                self.scope_mut(moved).used_at[which] = at;
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
        self.descend_from(prepared, scope, cell, wakes, (wakes.root(), 0), at);
    }

    fn descend_from(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        wakes: &Wakes,
        (mut node, from): (&Node, usize),
        at: At<'_>,
    ) {
        let names = &prepared.program.names;
        for (taken, step) in at.path.iter().enumerate().skip(from) {
            let rest = &at.path[taken..];
            for entry in &node.entries {
                self.entry_above(prepared, scope, cell, *entry, At { path: rest, ..at }, taken);
            }
            let mut further = wakes.child(node, step, names);
            let Some(next) = further.next() else { return };
            for other in further {
                self.descend_from(prepared, scope, cell, wakes, (other, taken + 1), at);
            }
            node = next;
        }
        let taken = at.path.len();
        let values = match at.what {
            What::Replaced(old, new) => (Some(old), Some(new)),
            What::Keyed(old, new) => (old, new),
            What::Listed(seen) => {
                self.listed(prepared, scope, cell, wakes, node, seen, at);
                return;
            }
        };
        self.compare(prepared, scope, cell, wakes, node, values, at, taken);
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
        // Whoever reads which keys there are sees one that comes or goes.
        let sees = |extent| match extent {
            Extent::Whole => true,
            Extent::Keys => matches!((at.what, at.path), (What::Keyed(..), [_])),
            Extent::Length | Extent::Presence | Extent::Position => false,
        };
        match entry {
            Entry::Reader(reader, extent) if sees(extent) => {
                self.wake(prepared, (scope, reader), cell, at.strip, at)
            }
            Entry::Reader(..) => {}
            Entry::Key => self.rekeyed.push(scope),
            Entry::Given(spot, which, extent) => {
                if let Some((to, to_cell)) = self.receiver(scope, spot, which) {
                    match self.receives(to, to_cell) {
                        true => self.notify(prepared, to, to_cell, inner),
                        false if sees(extent) => {
                            self.wake_cell(prepared, to, to_cell, cell, at.strip, at);
                        }
                        false => {}
                    }
                }
            }
            Entry::List(spot) => {
                let [Step::Index(position), rest @ ..] = at.path else { return };
                let row = self.row_at(scope, spot, *position);
                let (item, _) = self.row_cells(prepared, scope, spot);
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

    /// The cells of a loop's item, and of its position where something reads it.
    pub(crate) fn row_cells(
        &self,
        prepared: &Prepared,
        scope: ScopeId,
        spot: u32,
    ) -> (Option<CellId>, Option<CellId>) {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        match &prepared.plan(plan).blocks[block as usize].spots[spot as usize].kind {
            SpotKind::List { block, .. } => {
                let row = prepared.block(plan, *block);
                (row.item, row.position)
            }
            _ => (None, None),
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
        let whole = OnceCell::new();
        // What many read as a whole is compared once.
        let differs = |extent: Extent| match extent {
            Extent::Whole => *whole.get_or_init(|| extent.differs(old, new)),
            extent => extent.differs(old, new),
        };
        for entry in &node.entries {
            match *entry {
                Entry::Reader(reader, extent) if differs(extent) => {
                    self.wake(prepared, (scope, reader), cell, at.strip, at);
                }
                Entry::Reader(..) => {}
                Entry::Key if differs(Extent::Whole) => self.rekeyed.push(scope),
                Entry::Key => {}
                Entry::Given(spot, which, extent) if differs(extent) => {
                    let Some((to, to_cell)) = self.receiver(scope, spot, which) else { continue };
                    if !self.receives(to, to_cell) {
                        self.wake_cell(prepared, to, to_cell, cell, at.strip, at);
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
                        self.wake_all(prepared, scope, cell, wakes, child, at);
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
                        Extent::Presence | Extent::Position | Extent::Keys => false,
                    };
                    if sees {
                        self.wake(prepared, (scope, reader), cell, at.strip, at);
                    }
                }
                Entry::Key => self.rekeyed.push(scope),
                Entry::Given(spot, which, extent) => {
                    let Some((to, to_cell)) = self.receiver(scope, spot, which) else { continue };
                    if self.receives(to, to_cell) {
                        let taken = at.path.len() as u32;
                        let strip = at.strip.map(|strip| strip + taken);
                        self.notify(prepared, to, to_cell, At { path: &[], strip, ..at });
                    } else if extent == Extent::Whole || (extent == Extent::Length && other_length)
                    {
                        self.wake_cell(prepared, to, to_cell, cell, at.strip, at);
                    }
                }
                Entry::List(spot) => self.list_changed(prepared, scope, spot, seen),
            }
        }
        for (step, child) in wakes.children(node) {
            if step == ReadStep::AnyItem {
                self.wake_all(prepared, scope, cell, wakes, child, at);
            }
        }
    }

    /// Wakes every reader below a node.
    fn wake_all(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        wakes: &Wakes,
        node: &Node,
        at: At<'_>,
    ) {
        for entry in &node.entries {
            match *entry {
                Entry::Reader(reader, _) => {
                    self.wake(prepared, (scope, reader), cell, at.strip, at)
                }
                Entry::Given(spot, which, _) => {
                    if let Some((to, to_cell)) = self.receiver(scope, spot, which) {
                        self.wake_cell(prepared, to, to_cell, cell, at.strip, at);
                    }
                }
                Entry::Key => self.rekeyed.push(scope),
                Entry::List(_) => {}
            }
        }
        for (_, child) in wakes.children(node) {
            self.wake_all(prepared, scope, cell, wakes, child, at);
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

    /// Tells some of a row's readers that it stands at another position. Spots are looked at, and parts shown, once
    /// rows are told; derived values and what runs by itself may have asked before.
    pub(crate) fn tell_position(
        &mut self,
        row: ScopeId,
        cell: CellId,
        (was, is): (u32, u32),
        tells: Told,
    ) {
        self.tells = tells;
        self.tell_row(row, cell, &f64::from(was).into(), &f64::from(is).into());
        self.tells = Told::All;
    }

    /// Whether a reader is among those who are told at present.
    fn is_told(&self, (scope, reader): ReaderKey) -> bool {
        if self.tells == Told::All {
            return true;
        }
        let ready = self.prepared.block(self.scope(scope).plan, self.scope(scope).block);
        let early = reader < ready.reader_of_spot(0) || reader >= ready.reader_of_effect(0);
        early == (self.tells == Told::Early)
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
        prepared: &Prepared,
        to: ScopeId,
        to_cell: CellId,
        read: CellId,
        strip: Option<u32>,
        at: At<'_>,
    ) {
        let (home, place) = self.home(to, to_cell);
        if matches!(self.scope(home).cells[place as usize], Slot::Derived { .. }) {
            self.wake(prepared, (home, place), read, strip, at);
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
                kept_to: None,
            });
            state.touched = self.touched.len() as u32;
        }
        state.touched as usize - 1
    }

    /// Marks a reader that sees the write that was logged last.
    fn wake(
        &mut self,
        prepared: &Prepared,
        key: ReaderKey,
        cell: CellId,
        strip: Option<u32>,
        at: At<'_>,
    ) {
        if !self.depends_on(prepared, key, cell, strip) || !self.is_told(key) {
            return;
        }
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
        self.make_stale(prepared, key);
    }

    /// Whether a reader that is up to date would see the write that was logged last, `strip` steps of whose path lead to the
    /// cell. What it can read at all is more than what it did read: were it marked for that, it could become stale after
    /// those that read it were brought up to date, and each write to a dictionary would reach all who read some key of it.
    fn depends_on(
        &self,
        prepared: &Prepared,
        key: ReaderKey,
        cell: CellId,
        strip: Option<u32>,
    ) -> bool {
        if self.stored_mark(key) != Mark::Fresh {
            return true;
        }
        match self.reads(prepared, key).1 {
            KnownReads::Fixed(_) => true,
            KnownReads::Followed => {
                let path = strip.zip(self.log.last());
                let path = path.and_then(|(strip, write)| write.path.get(strip as usize..));
                let meets = |read: &Read| {
                    read.cell == cell && path.is_none_or(|path| may_meet(&read.path, path))
                };
                let trace = self.scope(key.0).traces.get(&key.1);
                trace.is_none_or(|trace| trace.iter().any(meets))
            }
        }
    }

    fn make_stale(&mut self, prepared: &Prepared, key: ReaderKey) {
        let state = self.state(key);
        let before = state.mark;
        if before != Mark::New {
            state.mark = Mark::Stale;
        }
        let half_told = std::mem::take(&mut self.state(key).half_told);
        if before == Mark::Fresh || (before == Mark::Perhaps && half_told) {
            self.announce(prepared, key);
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
        let prepared = self.prepared.clone();
        self.make_stale(&prepared, key);
    }

    /// Notes a spot or a part that has to be looked at before the pulse ends.
    fn wait_for(&mut self, key: ReaderKey) {
        let scope = self.scope(key.0);
        let ready = self.prepared.block(scope.plan, scope.block);
        if key.1 < ready.reader_of_part(0) {
            self.spots.push(Reverse((self.rank(key.0), key.1)));
        } else if key.1 < ready.reader_of_effect(0) {
            self.parts.push(key);
        } else {
            self.effects.push(key);
        }
    }

    /// Tells those that read a derived value that it is perhaps not up to date; notes a spot or
    /// a part as waiting.
    fn announce(&mut self, prepared: &Prepared, key: ReaderKey) {
        let here = self.scope(key.0);
        let ready = prepared.block(here.plan, here.block);
        let Some(cell) = ready.cells.get(key.1 as usize) else { return self.wait_for(key) };
        if ready.seen(*cell).is_none() && prepared.users(here.plan, *cell).next().is_none() {
            return;
        }
        // In rows of lists that are derived, only what leads to what runs by itself is told.
        let mut open: SmallVec<[(ReaderKey, bool); 4]> = SmallVec::new();
        open.push((key, false));
        let mut above = Dependents::default();
        while let Some((key, loud)) = open.pop() {
            let scope = self.scope(key.0);
            let ready = prepared.block(scope.plan, scope.block);
            match ready.cells.get(key.1 as usize) {
                None => self.wait_for(key),
                Some(cell) => {
                    self.dependents(prepared, key.0, *cell, loud, &mut above);
                    for (key, loud) in above.readers.drain(..) {
                        if self.stored_mark(key) == Mark::Fresh {
                            self.touch(key);
                            let state = self.state(key);
                            (state.mark, state.half_told) = (Mark::Perhaps, loud);
                            self.half_told.extend(loud.then_some(key));
                            open.push((key, loud));
                        } else if !loud && std::mem::take(&mut self.state(key).half_told) {
                            open.push((key, false));
                        }
                    }
                }
            }
        }
        self.pending.extend(above.lists);
    }

    /// Whether something stands in a row of a list that is perhaps not up to date, and is told of that only when the list is.
    pub(super) fn is_in_pending(&self, scope: ScopeId) -> bool {
        let mut scope = scope;
        loop {
            let place = self.scope(scope).holder;
            if place.0 == NONE {
                return false;
            }
            if self.pending.contains(&place)
                && let Some(list) = self.list_cell(place)
                && let Some(up) = self.upstream(place.0, list)
                && self.stored_mark(up) != Mark::Fresh
            {
                return true;
            }
            scope = place.0;
        }
    }

    /// The cell that a spot's list stands in.
    pub(super) fn list_cell(&self, (scope, spot): (ScopeId, u32)) -> Option<CellId> {
        let here = self.scope(scope);
        let block = &self.prepared.plan(here.plan).blocks[here.block as usize];
        match &block.spots[spot as usize].kind {
            SpotKind::List { cell, .. } => Some(*cell),
            _ => None,
        }
    }

    /// Every reader of a cell or of something in it. Of rows only those are named that lead to what runs by itself: others are
    /// told of what has become of their items once the list is up to date. `loud`: only those are named at all.
    fn dependents(
        &self,
        prepared: &Prepared,
        scope: ScopeId,
        cell: CellId,
        loud: bool,
        out: &mut Dependents,
    ) {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        let ready = prepared.block(plan, block);
        let seen = ready.seen(cell);
        if loud && !seen.is_some_and(|seen| seen.is_loud) {
            return;
        }
        for entry in seen.into_iter().flat_map(|seen| seen.wakes.all()) {
            match *entry {
                Entry::Reader(reader, _) => {
                    let leads = || match ready.cells.get(reader as usize) {
                        Some(cell) => ready.is_loud(*cell),
                        None => reader >= ready.reader_of_effect(0),
                    };
                    if (!loud || leads()) && self.depends_on(prepared, (scope, reader), cell, None)
                    {
                        out.readers.push(((scope, reader), loud));
                    }
                }
                Entry::Key => {}
                Entry::List(spot) => {
                    if !loud {
                        out.readers.push(((scope, ready.reader_of_spot(spot)), false));
                        out.lists.push((scope, spot));
                    }
                    let (item, position) = self.row_cells(prepared, scope, spot);
                    let SpotKind::List { block, .. } =
                        &prepared.plan(plan).blocks[block as usize].spots[spot as usize].kind
                    else {
                        continue;
                    };
                    let row = prepared.block(plan, *block);
                    let cells: SmallVec<[CellId; 2]> = item
                        .into_iter()
                        .chain(position)
                        .filter(|cell| row.is_loud(*cell))
                        .collect();
                    if cells.is_empty() {
                        continue;
                    }
                    for row in self.scopes_in(scope, spot) {
                        for cell in &cells {
                            self.dependents(prepared, row, *cell, true, out);
                        }
                    }
                }
                Entry::Given(spot, which, _) => {
                    let Some((to, to_cell)) = self.receiver(scope, spot, which) else { continue };
                    let (home, at) = self.home(to, to_cell);
                    match &self.scope(home).cells[at as usize] {
                        Slot::Derived { .. } => {
                            let here = self.scope(home);
                            let leads = || prepared.block(here.plan, here.block).is_loud(to_cell);
                            if (!loud || leads())
                                && self.depends_on(prepared, (home, at), cell, None)
                            {
                                out.readers.push(((home, at), loud));
                            }
                        }
                        Slot::Alias { .. } => self.dependents(prepared, home, to_cell, loud, out),
                        _ => {}
                    }
                }
            }
        }
        for spot in seen.into_iter().flat_map(|seen| &seen.inner) {
            for inner in self.scopes_in(scope, *spot) {
                self.dependents(prepared, inner, cell, loud, out);
            }
        }
        for (user, own) in prepared.users(plan, cell) {
            for user in self.users.get(&(plan, *user)).into_iter().flatten() {
                self.dependents(prepared, *user, *own, loud, out);
            }
        }
    }
}

/// Who depends on a cell.
#[derive(Default)]
struct Dependents {
    /// Readers, and whether they stand in rows that are told later.
    readers: SmallVec<[(ReaderKey, bool); 4]>,
    /// The lists whose rows those are.
    lists: Vec<(ScopeId, u32)>,
}
