//! Rows of lists: which row belongs to which item while a pulse changes the list.
//!
//! A list is told of each change as it happens and keeps, as a few pieces, what it has become.
//! Rows are matched with items by identity at once, so that each row always knows its item;
//! nodes are made, moved and taken away later, when all changes are in.

use crate::graph::{Graph, ListSeen, Told};
use crate::scope::{Gone, Held, Key, Piece, Rows, ScopeId, Slot};
use crate::spending::Aside;
use crate::wakes::Prepared;
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use std::collections::VecDeque;
use std::sync::Arc;
use vein_plan::code::{CellId, ExprId};
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::value::VALUE_BYTES;
use vein_plan::{SpotKind, Step, Value};

/// An item by itself, for working out what tells it apart.
struct ItemAlone<'a> {
    cell: CellId,
    item: &'a Value,
    aside: &'a Aside,
}

impl Cells for ItemAlone<'_> {
    fn cell(&mut self, cell: CellId) -> Value {
        if cell == self.cell { self.item.clone() } else { Value::Null }
    }

    fn see<T>(&mut self, cell: CellId, look: impl FnOnce(&Value) -> T) -> T {
        look(if cell == self.cell { self.item } else { &Value::Null })
    }

    fn spend(&mut self, steps: u64, bytes: u64) -> bool {
        // What is made of an item is let go at once.
        self.aside.spend(steps + bytes / VALUE_BYTES)
    }

    fn calls_too_deep(&mut self, _: u32) {
        self.aside.end();
    }

    /// What tells items apart comes from the items alone.
    fn ask(&mut self, _: u32, _: &[Value]) -> Value {
        Value::Null
    }
}

/// How the items of a list are told apart.
#[derive(Clone)]
pub(crate) struct Identity {
    pub(crate) by: ExprId,
    pub(crate) item: CellId,
    pub(crate) plan: u32,
    aside: Arc<Aside>,
}

impl Identity {
    pub(crate) fn key(&self, prepared: &Prepared, item: &Value) -> Key {
        let plan = prepared.plan(self.plan);
        let mut locals: Vec<(Value, ())> = Vec::new();
        let cells = &mut ItemAlone { cell: self.item, item, aside: &self.aside };
        let names = &prepared.program.names;
        let mut run = Evaluation::new(plan, names, cells, &mut locals);
        Key::of(&run.value(self.by))
    }
}

impl Graph {
    /// How a list tells its items apart; `None` where position is identity.
    pub(crate) fn identity(&self, scope: ScopeId, spot: u32) -> Option<Identity> {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        let spots = &self.prepared.plan(plan).blocks[block as usize].spots;
        let SpotKind::List { by, block, .. } = &spots[spot as usize].kind else { return None };
        let (by, _) = by.as_ref()?;
        let item = self.prepared.block(plan, *block).item?;
        Some(Identity { by: *by, item, plan, aside: self.purse.aside.clone() })
    }

    pub(crate) fn rows(&self, scope: ScopeId, spot: u32) -> Option<&Rows> {
        match &self.scope(scope).held[spot as usize] {
            Held::List(rows) => Some(rows),
            _ => None,
        }
    }

    pub(crate) fn rows_mut(&mut self, scope: ScopeId, spot: u32) -> Option<&mut Rows> {
        match &mut self.scope_mut(scope).held[spot as usize] {
            Held::List(rows) => Some(rows),
            _ => None,
        }
    }

    /// Forgets what a list was to become.
    pub(crate) fn forget_pieces(&mut self, scope: ScopeId, spot: u32) {
        let Some(rows) = self.rows_mut(scope, spot) else { return };
        rows.pieces = None;
        rows.gone.clear();
        for row in rows.rows.clone() {
            self.scope_mut(row).gone = None;
        }
    }

    /// The position of a row among the rows of the view.
    pub(crate) fn row_in_view(&mut self, row: ScopeId) -> Option<u32> {
        let (holder, spot) = self.scope(row).holder;
        let hint = self.scope(row).position as usize;
        let rows = &self.rows(holder, spot)?.rows;
        // After a change somewhere before it, a row stands near to where it was.
        let near = (0..rows.len().max(hint + 1)).find_map(|away| {
            let after = rows.get(hint + away) == Some(&row);
            let before = away <= hint && rows.get(hint - away) == Some(&row);
            if after { Some(hint + away) } else { before.then(|| hint - away) }
        });
        let found = near? as u32;
        self.scope_mut(row).position = found;
        Some(found)
    }

    /// The position of a row's item in the list.
    pub(crate) fn row_position(&mut self, row: ScopeId) -> Option<u32> {
        let in_view = self.row_in_view(row)?;
        let (holder, spot) = self.scope(row).holder;
        let Some(pieces) = &self.rows(holder, spot)?.pieces else { return Some(in_view) };
        let mut at = 0;
        for piece in pieces {
            if let Piece::Kept { start, len } = piece
                && (*start..start + len).contains(&in_view)
            {
                return Some(at + in_view - start);
            }
            at += piece.len();
        }
        None
    }

    /// The list that a row stands in and the position of its item there; `None` once that is gone. Rows of a list that
    /// is derived learn when it is worked out what they stand for, and whether they still do.
    pub(crate) fn standing(&mut self, prepared: &Prepared, row: ScopeId) -> Option<(Value, u32)> {
        let (holder, spot) = self.scope(row).holder;
        let list = self.list_of(prepared, holder, spot);
        if self.scope(holder).alive {
            return self.row_position(row).map(|position| (list, position));
        }
        // Nobody tells a list that goes with its scope what it becomes: the row looks for its item.
        let Value::List(items) = &list else { return None };
        let near = self.row_position(row).filter(|at| (*at as usize) < items.len());
        let Some(identity) = self.identity(holder, spot) else {
            return near.map(|position| (list, position));
        };
        let key = &self.scope(row).key;
        let is_own = |at: &u32| identity.key(prepared, &items[*at as usize]) == *key;
        let position =
            near.filter(is_own).or_else(|| (0..items.len() as u32).find(|at| is_own(at)))?;
        Some((list, position))
    }

    /// Has the rows of a list whose scope goes keep what they stand for, as far as it is worked out.
    pub(crate) fn keep_items(&mut self, scope: ScopeId, spot: u32) {
        let Some(Rows { rows, .. }) = self.rows(scope, spot) else { return };
        let rows = rows.clone();
        let list = self.list_as_kept(scope, spot);
        for row in rows {
            if self.scope(row).gone.is_none()
                && let Some(position) = self.row_position(row)
            {
                let item = list.child(&Step::Index(position)).cloned().unwrap_or_default();
                self.scope_mut(row).gone = Some(item);
            }
        }
    }

    /// Has the rows of a scope that stays after all stand for what is in their lists.
    pub(crate) fn forget_items(&mut self, scope: ScopeId) {
        for spot in 0..self.scope(scope).held.len() as u32 {
            let rows = self.rows(scope, spot).map_or_else(Vec::new, |rows| rows.rows.clone());
            rows.into_iter().for_each(|row| self.scope_mut(row).gone = None);
        }
    }

    fn list_as_kept(&mut self, scope: ScopeId, spot: u32) -> Value {
        let prepared = self.prepared.clone();
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        let spots = &prepared.plan(plan).blocks[block as usize].spots;
        let SpotKind::List { cell, .. } = &spots[spot as usize].kind else { return Value::Null };
        let value = self.as_kept(scope, *cell);
        value.at(&prepared.block(plan, block).lists[spot as usize]).cloned().unwrap_or_default()
    }

    /// The value of a cell as it was worked out last, which rows were matched with.
    fn as_kept(&mut self, scope: ScopeId, cell: CellId) -> Value {
        let (home, at) = self.home(scope, cell);
        match &self.scope(home).cells[at as usize] {
            Slot::Own(value) | Slot::Derived { value, .. } => value.clone(),
            Slot::Alias { scope, cell, path } => {
                let (scope, cell, path) = (*scope, *cell, path.clone());
                self.as_kept(scope, cell).at(&path).cloned().unwrap_or_default()
            }
            Slot::Item => {
                if let Some(gone) = &self.scope(home).gone {
                    return gone.clone();
                }
                let (holder, spot) = self.scope(home).holder;
                let Some(position) = self.row_position(home) else { return Value::Null };
                let list = self.list_as_kept(holder, spot);
                list.child(&Step::Index(position)).cloned().unwrap_or_default()
            }
            Slot::Position => Value::from(f64::from(self.row_position(home).unwrap_or(0))),
        }
    }

    /// The row of the item at a position, if it has one.
    pub(crate) fn row_at(&self, scope: ScopeId, spot: u32, position: u32) -> Option<ScopeId> {
        let rows = self.rows(scope, spot)?;
        let Some(pieces) = &rows.pieces else { return rows.rows.get(position as usize).copied() };
        let mut at = 0;
        for piece in pieces {
            if position < at + piece.len() {
                return match piece {
                    Piece::Kept { start, .. } => {
                        rows.rows.get((start + position - at) as usize).copied()
                    }
                    Piece::Fresh { .. } => None,
                };
            }
            at += piece.len();
        }
        None
    }

    /// The pieces of a list that has changed; from now on the spot waits to be looked at.
    fn begin_pieces(&mut self, scope: ScopeId, spot: u32) {
        let Some(rows) = self.rows_mut(scope, spot) else { return };
        if rows.pieces.is_none() {
            let len = rows.rows.len() as u32;
            rows.pieces = Some(if len > 0 { vec![Piece::Kept { start: 0, len }] } else { vec![] });
            self.unsettled.push((scope, spot));
        }
        self.shifted = true;
        if self.editing.is_some() && !self.edited.contains(&(scope, spot)) {
            self.edited.push((scope, spot));
        }
        self.wake_spot(scope, spot);
    }

    /// Has derived values, and what runs by itself, know where rows stand whose lists have changed: what is read after
    /// a write is what follows from it, though the rows themselves are told only once the list is at rest.
    #[inline]
    pub(crate) fn tell_shifted(&mut self) {
        if std::mem::take(&mut self.shifted) {
            self.tell_early();
        }
    }

    fn tell_early(&mut self) {
        let prepared = self.prepared.clone();
        for at in 0..self.unsettled.len() {
            let (scope, spot) = self.unsettled[at];
            let (_, Some(cell)) = self.row_cells(&prepared, scope, spot) else { continue };
            let Some(Rows { rows, pieces: Some(pieces), .. }) = self.rows(scope, spot) else {
                continue;
            };
            let mut moved: Vec<(ScopeId, u32, u32)> = Vec::new();
            let mut is = 0;
            for piece in pieces {
                // Most of the time most rows stand where they stood.
                if let Piece::Kept { start, len } = piece
                    && (*start != is || !self.early.is_empty())
                {
                    let kept = (*start..).zip(&rows[*start as usize..(start + len) as usize]);
                    moved.extend(kept.map(|(was, row)| (*row, was, is + was - start)));
                }
                is += piece.len();
            }
            for (row, was, is) in moved {
                let known = self.early.get(&row).copied().unwrap_or(was);
                if known != is {
                    self.early.insert(row, is);
                    self.tell_position(row, cell, (known, is), Told::Early);
                }
            }
        }
    }

    /// Takes the rows at some positions out of the pieces and puts items without rows there.
    /// `old` are the items as they were.
    fn replace_pieces(
        &mut self,
        scope: ScopeId,
        spot: u32,
        at: usize,
        old: &[Value],
        inserted: usize,
    ) {
        let Some(rows) = self.rows_mut(scope, spot) else { return };
        let Some(pieces) = &mut rows.pieces else { return };
        let first = split(pieces, at as u32);
        let last = split(pieces, (at + old.len()) as u32);
        let taken: Vec<Piece> = pieces.drain(first..last).collect();
        if inserted > 0 {
            pieces.insert(first, Piece::Fresh { len: inserted as u32 });
        }
        let mut items = old.iter();
        let mut leaving: Vec<(u32, ScopeId, Value)> = Vec::new();
        for piece in taken {
            for i in 0..piece.len() {
                let item = items.next().cloned().unwrap_or_default();
                if let Piece::Kept { start, .. } = piece {
                    leaving.push((start + i, rows.rows[(start + i) as usize], item));
                }
            }
        }
        for (at, row, item) in leaving {
            let key = self.scope(row).key.clone();
            self.scope_mut(row).gone = Some(item.clone());
            if let Some(rows) = self.rows_mut(scope, spot) {
                rows.gone.entry(key).or_default().push((at, item));
            }
        }
    }

    /// Gives items without rows the rows that are left over from items of the same identity.
    pub(crate) fn match_rows(&mut self, scope: ScopeId, spot: u32) {
        let Some(identity) = self.identity(scope, spot) else { return };
        let prepared = self.prepared.clone();
        let list = self.current_list(scope, spot);
        let Value::List(items) = &list else { return };
        let Some(rows) = self.rows_mut(scope, spot) else { return };
        if rows.gone.is_empty() {
            return;
        }
        let Some(pieces) = rows.pieces.take() else { return };
        let mut matched: Vec<(ScopeId, Value, Value)> = Vec::new();
        let mut result: Vec<Piece> = Vec::with_capacity(pieces.len());
        let mut at = 0usize;
        for piece in pieces {
            let Piece::Fresh { len } = piece else {
                push_piece(&mut result, piece);
                at += piece.len() as usize;
                continue;
            };
            for _ in 0..len {
                let item = items.get(at).cloned().unwrap_or_default();
                at += 1;
                let key = identity.key(&prepared, &item);
                match take_gone(&mut rows.gone, &key) {
                    Some((start, old)) => {
                        matched.push((rows.rows[start as usize], old, item));
                        push_piece(&mut result, Piece::Kept { start, len: 1 });
                    }
                    None => push_piece(&mut result, Piece::Fresh { len: 1 }),
                }
            }
        }
        rows.pieces = Some(result);
        self.shifted = true;
        for (row, old, new) in matched {
            self.scope_mut(row).gone = None;
            self.tell_row(row, identity.item, &old, &new);
        }
    }

    /// The list of a spot as it is kept, without working anything out.
    fn current_list(&mut self, scope: ScopeId, spot: u32) -> Value {
        let prepared = self.prepared.clone();
        self.list_of(&prepared, scope, spot)
    }

    /// A list was replaced by another.
    pub(crate) fn list_replaced(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        spot: u32,
        old: Option<&Value>,
        new: Option<&Value>,
    ) {
        let items = |value: Option<&Value>| match value {
            Some(Value::List(items)) => items.clone(),
            _ => Arc::new(Vec::new()),
        };
        let (old, new) = (items(old), items(new));
        if Arc::ptr_eq(&old, &new) || (old.is_empty() && new.is_empty()) {
            return;
        }
        self.begin_pieces(scope, spot);
        if self.identity(scope, spot).is_none() {
            return self.positions_changed(prepared, scope, spot, &old, &new);
        }
        self.replace_pieces(scope, spot, 0, &old, new.len());
        self.match_rows(scope, spot);
    }

    /// A list was changed in place.
    pub(crate) fn list_changed(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        spot: u32,
        seen: &ListSeen,
    ) {
        self.begin_pieces(scope, spot);
        if self.identity(scope, spot).is_none() {
            // A row that goes with its list may not know any more what it stood for, and shows nothing more.
            if !self.scope(scope).alive {
                return;
            }
            let Value::List(new) = self.current_list(scope, spot) else { return };
            let mut old = (*new).clone();
            match seen {
                ListSeen::Splice { at, removed, inserted } => {
                    old.splice(*at..at + inserted, removed.iter().cloned());
                }
                ListSeen::Permute(order) => {
                    for (to, from) in order.iter().enumerate() {
                        old[*from as usize] = new[to].clone();
                    }
                }
            }
            return self.positions_changed(prepared, scope, spot, &old, &new);
        }
        match seen {
            ListSeen::Splice { at, removed, inserted } => {
                self.replace_pieces(scope, spot, *at, removed, *inserted);
                self.match_rows(scope, spot);
            }
            ListSeen::Permute(order) => {
                let Some(rows) = self.rows_mut(scope, spot) else { return };
                let Some(pieces) = rows.pieces.take() else { return };
                let mut each: Vec<Piece> = Vec::with_capacity(order.len());
                for piece in pieces {
                    each.extend((0..piece.len()).map(|i| match piece {
                        Piece::Kept { start, .. } => Piece::Kept { start: start + i, len: 1 },
                        Piece::Fresh { .. } => Piece::Fresh { len: 1 },
                    }));
                }
                let mut result = Vec::new();
                for from in order {
                    if let Some(piece) = each.get(*from as usize) {
                        push_piece(&mut result, *piece);
                    }
                }
                rows.pieces = Some(result);
            }
        }
    }

    /// One item was replaced. `true` when that was all there is to tell; `false` when the row
    /// stays the item's row and its readers have to be told.
    pub(crate) fn item_replaced(
        &mut self,
        scope: ScopeId,
        spot: u32,
        position: u32,
        old: &Value,
        new: &Value,
    ) -> bool {
        let Some(identity) = self.identity(scope, spot) else { return false };
        let prepared = self.prepared.clone();
        let row = self.row_at(scope, spot, position);
        if row.is_some_and(|row| self.scope(row).key == identity.key(&prepared, new)) {
            return false;
        }
        self.begin_pieces(scope, spot);
        self.replace_pieces(scope, spot, position as usize, std::slice::from_ref(old), 1);
        self.match_rows(scope, spot);
        true
    }

    /// Matches rows whose items are told apart by something else now. Only when everybody has seen
    /// what led to that.
    pub(crate) fn match_rekeyed(&mut self) {
        while let Some(row) = self.rekeyed.pop() {
            self.key_changed(row);
        }
    }

    /// What tells a row's item apart was written.
    fn key_changed(&mut self, row: ScopeId) {
        if self.scope(row).gone.is_some() {
            return;
        }
        let (holder, spot) = self.scope(row).holder;
        let (Some(position), Some(identity)) =
            (self.row_position(row), self.identity(holder, spot))
        else {
            return;
        };
        let list = self.current_list(holder, spot);
        let Some(item) = list.child(&Step::Index(position)).cloned() else { return };
        drop(list);
        // It may have got the item of another identity only to get one of its own again.
        let prepared = self.prepared.clone();
        if identity.key(&prepared, &item) == self.scope(row).key {
            return;
        }
        self.begin_pieces(holder, spot);
        self.replace_pieces(holder, spot, position as usize, &[item], 1);
        self.match_rows(holder, spot);
    }

    /// Gives the items of one identity the rows of that identity in turn: the first item the first
    /// row, the second the second; what is left over is made, or goes. So which row belongs to which
    /// item follows from the list before and after, whatever was done to it in between.
    pub(crate) fn take_turns(&mut self, scope: ScopeId, spot: u32) {
        // Without rows from before, or without a change, there are no turns to take.
        if self.rows(scope, spot).is_none_or(|rows| rows.rows.is_empty() || rows.pieces.is_none()) {
            return;
        }
        let Some(identity) = self.identity(scope, spot) else { return };
        let prepared = self.prepared.clone();
        let list = self.list_of(&prepared, scope, spot);
        let (Value::List(items), Some(rows)) = (&list, self.rows(scope, spot)) else { return };
        let Some(pieces) = &rows.pieces else { return };
        // Where no two are alike, which is nearly always, only items without rows are looked at.
        let is_there = |position: u32| {
            let key = items.get(position as usize).map(|item| identity.key(&prepared, item));
            key.is_some_and(|key| rows.keys.contains_key(&key))
        };
        let alike = rows.keys.len() < rows.rows.len() || fresh_positions(pieces).any(is_there);
        if !alike || self.is_broken(crate::Sabotage::NoTurns) {
            return;
        }
        let before = rows_of_items(pieces);
        let rows = rows.rows.clone();
        let mut turns: FxHashMap<Key, VecDeque<u32>> = FxHashMap::default();
        for (at, row) in rows.iter().enumerate() {
            turns.entry(self.scope(*row).key.clone()).or_default().push_back(at as u32);
        }
        let turn = |(item, row): (&Value, &Option<u32>)| {
            let key = match row {
                Some(row) => self.scope(rows[*row as usize]).key.clone(),
                None => identity.key(&prepared, item),
            };
            turns.get_mut(&key).and_then(VecDeque::pop_front)
        };
        let after: Vec<Option<u32>> = items.iter().zip(&before).map(turn).collect();
        if after == before {
            return;
        }
        let mut pieces = Vec::new();
        for row in &after {
            let piece = row.map_or(Piece::Fresh { len: 1 }, |start| Piece::Kept { start, len: 1 });
            push_piece(&mut pieces, piece);
        }
        if let Some(rows) = self.rows_mut(scope, spot) {
            rows.pieces = Some(pieces);
        }
        self.shifted = true;
        let (before, after) =
            (items_of_rows(&before, rows.len()), items_of_rows(&after, rows.len()));
        let mut told = Vec::new();
        for (row, places) in rows.iter().zip(before.into_iter().zip(after)) {
            let item = |at: usize| items[at].clone();
            match places {
                (was, Some(is)) if was != Some(is) => {
                    let gone = self.scope_mut(*row).gone.take();
                    let old = was.map(item).or(gone).unwrap_or_default();
                    told.push((*row, old, item(is)));
                }
                (Some(was), None) => self.scope_mut(*row).gone = Some(item(was)),
                _ => {}
            }
        }
        // Who is left over may be another by now.
        let mut gone = Gone::default();
        for (at, row) in (0..).zip(&rows) {
            let row = self.scope(*row);
            if let Some(item) = &row.gone {
                gone.entry(row.key.clone()).or_default().push((at, item.clone()));
            }
        }
        if let Some(rows) = self.rows_mut(scope, spot) {
            rows.gone = gone;
        }
        for (row, old, new) in told {
            self.tell_row(row, identity.item, &old, &new);
        }
        self.match_rekeyed();
    }

    fn positions_changed(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        spot: u32,
        old: &[Value],
        new: &[Value],
    ) {
        let (plan, block) = (self.scope(scope).plan, self.scope(scope).block);
        let spots = &prepared.plan(plan).blocks[block as usize].spots;
        let SpotKind::List { block, .. } = &spots[spot as usize].kind else { return };
        let item = prepared.block(plan, *block).item;
        let Some(rows) = self.rows_mut(scope, spot) else { return };
        let had = rows.rows.len();
        let mut pieces = Vec::new();
        let kept = had.min(new.len());
        if kept > 0 {
            pieces.push(Piece::Kept { start: 0, len: kept as u32 });
        }
        if new.len() > kept {
            pieces.push(Piece::Fresh { len: (new.len() - kept) as u32 });
        }
        rows.pieces = Some(pieces);
        let there: Vec<ScopeId> = rows.rows.clone();
        let null = Value::Null;
        for (at, row) in there.into_iter().enumerate() {
            let before = old.get(at);
            match new.get(at) {
                Some(after) => {
                    let returned = self.scope_mut(row).gone.take();
                    let before = returned.as_ref().or(before).unwrap_or(&null).clone();
                    if let Some(item) = item {
                        self.tell_row(row, item, &before, after);
                    }
                }
                None if self.scope(row).gone.is_none() => {
                    self.scope_mut(row).gone = Some(before.unwrap_or(&null).clone());
                }
                None => {}
            }
        }
    }
}

/// Cuts the pieces at a position; gives where the second part begins.
pub(crate) fn split(pieces: &mut Vec<Piece>, position: u32) -> usize {
    let mut at = 0;
    for i in 0..pieces.len() {
        if position == at {
            return i;
        }
        let len = pieces[i].len();
        if position < at + len {
            let (head, tail) = (position - at, at + len - position);
            let (first, second) = match pieces[i] {
                Piece::Kept { start, .. } => (
                    Piece::Kept { start, len: head },
                    Piece::Kept { start: start + head, len: tail },
                ),
                Piece::Fresh { .. } => (Piece::Fresh { len: head }, Piece::Fresh { len: tail }),
            };
            pieces[i] = first;
            pieces.insert(i + 1, second);
            return i + 1;
        }
        at += len;
    }
    pieces.len()
}

/// Adds a piece, as part of the last one where it continues it.
pub(crate) fn push_piece(pieces: &mut Vec<Piece>, piece: Piece) {
    match (pieces.last_mut(), piece) {
        (Some(Piece::Fresh { len }), Piece::Fresh { len: more }) => *len += more,
        (Some(Piece::Kept { start, len }), Piece::Kept { start: next, len: more })
            if *start + *len == next =>
        {
            *len += more;
        }
        _ => pieces.push(piece),
    }
}

/// The positions of items without rows.
pub(crate) fn fresh_positions(pieces: &[Piece]) -> impl Iterator<Item = u32> {
    let mut at = 0;
    pieces.iter().flat_map(move |piece| {
        let positions = at..at + piece.len();
        at = positions.end;
        if matches!(piece, Piece::Kept { .. }) { 0..0 } else { positions }
    })
}

/// The runs of rows that stay rows, in their new order: where each began and how long it is.
pub(crate) fn kept_runs(pieces: &[Piece]) -> Vec<(u32, u32)> {
    let kept = pieces.iter().filter_map(|piece| match piece {
        Piece::Kept { start, len } => Some((*start, *len)),
        Piece::Fresh { .. } => None,
    });
    kept.collect()
}

/// Which row, by its old position, each item has.
fn rows_of_items(pieces: &[Piece]) -> Vec<Option<u32>> {
    let each = pieces.iter().flat_map(|piece| {
        (0..piece.len()).map(move |i| match piece {
            Piece::Kept { start, .. } => Some(start + i),
            Piece::Fresh { .. } => None,
        })
    });
    each.collect()
}

/// Which item, by its position, each of so many rows has.
fn items_of_rows(rows_of_items: &[Option<u32>], rows: usize) -> Vec<Option<usize>> {
    let mut items = vec![None; rows];
    for (at, row) in rows_of_items.iter().enumerate() {
        if let Some(row) = row {
            items[*row as usize] = Some(at);
        }
    }
    items
}

fn take_gone(gone: &mut Gone, key: &Key) -> Option<(u32, Value)> {
    let rows: &mut SmallVec<[(u32, Value); 1]> = gone.get_mut(key)?;
    // The first of those that are alike stays the first.
    let first = rows.iter().enumerate().min_by_key(|(_, (at, _))| *at).map(|(i, _)| i)?;
    let found = rows.remove(first);
    if rows.is_empty() {
        gone.remove(key);
    }
    Some(found)
}
