//! The rows of a list: taken away, moved and made, as few as can be.

use super::{Plot, Target, View, Was};
use crate::graph::Told;
use crate::moves::staying;
use crate::pulse::{Effect, Problem};
use crate::rows::{fresh_positions, kept_runs, push_piece};
use crate::scope::{Key, NONE, Piece, Rows, ScopeId};
use crate::wakes::Prepared;
use rustc_hash::FxHashMap;
use std::collections::VecDeque;
use vein_plan::{BlockId, SpotKind};
use vein_view::Patch;

impl View {
    /// Works out which rows a list has come to have: takes away, keeps and makes as few as can be.
    pub(super) fn reconcile(&mut self, id: ScopeId, spot: u32) {
        let identity = self.graph.identity(id, spot);
        let prepared = self.graph.prepared.clone();
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let spots = &prepared.plan(plan).blocks[block as usize].spots;
        let SpotKind::List { block: row_block, .. } = &spots[spot as usize].kind else { return };
        self.graph.take_turns(id, spot);
        let Some(Rows { pieces: Some(pieces), .. }) = self.graph.rows(id, spot) else { return };
        let fresh = fresh_positions(pieces).count() as u64;
        if !self.affords(&prepared, (plan, *row_block), fresh, (id, spot)) {
            return;
        }
        let Some(rows) = self.graph.rows_mut(id, spot) else { return };
        let Some(pieces) = rows.pieces.take() else { return };
        rows.gone.clear();
        let old = std::mem::take(&mut rows.rows);
        for (start, end) in left_over(&pieces, old.len() as u32) {
            for row in &old[start as usize..end as usize] {
                let key = self.graph.scope(*row).key.clone();
                self.uncount(id, spot, identity.is_some(), &key);
                self.release(*row);
            }
        }
        // The new order, with a place held free for each row that is to be made.
        let total: u32 = pieces.iter().map(|piece| piece.len()).sum();
        let mut order: Vec<ScopeId> = Vec::with_capacity(total as usize);
        for piece in &pieces {
            match piece {
                Piece::Kept { start, len } => {
                    order.extend_from_slice(&old[*start as usize..(start + len) as usize]);
                }
                Piece::Fresh { len } => order.resize(order.len() + *len as usize, NONE),
            }
        }
        self.plant_rows(&prepared, &pieces, &mut order, (id, spot), *row_block, identity.as_ref());
        if let Some(rows) = self.graph.rows_mut(id, spot) {
            rows.rows = order;
        }
        for position in fresh_positions(&pieces) {
            let row = self.graph.rows(id, spot).map(|rows| rows.rows[position as usize]);
            let Some(row) = row else { continue };
            self.own_cells(&prepared, row, Vec::new());
            self.grow_if_lively(&prepared, row);
            self.count(id, spot, identity.is_some(), position);
        }
        self.tell_positions(id, spot, *row_block, plan);
        self.note_lives(id, spot, &pieces);
        let scope = self.graph.scope(id);
        if scope.standing {
            let key = (scope.depth, id, spot);
            match self.was.get_mut(&key) {
                Some(Was::Rows { pieces: first, .. }) => *first = composed(first, &pieces),
                _ => {
                    self.was.insert(key, Was::Rows { rows: old, pieces });
                }
            }
        }
    }

    /// A row whose item left the list earlier in the pulse, and whose end was told, begins anew.
    fn note_lives(&mut self, id: ScopeId, spot: u32, pieces: &[Piece]) {
        let (Some(Was::Rows { rows: was, .. }), Some(Rows { rows, .. })) =
            (self.was_in(id, spot), self.graph.rows(id, spot))
        else {
            return;
        };
        let scope = |row: &ScopeId| self.graph.scope(*row);
        if was.iter().all(|row| scope(row).alive) {
            return;
        }
        let mut lives: FxHashMap<&Key, VecDeque<(bool, u32)>> = FxHashMap::default();
        for row in was.iter().map(scope) {
            lives.entry(&row.key).or_default().push_back((row.alive, row.life));
        }
        // In turn, as rows of one identity are given to their items.
        let in_turn = rows.iter().map(|row| lives.get_mut(&scope(row).key)?.pop_front());
        let before: Vec<Option<(bool, u32)>> = in_turn.collect();
        let began: Vec<(ScopeId, u32)> = fresh_positions(pieces)
            .filter_map(|position| match before[position as usize] {
                Some((false, life)) => Some((rows[position as usize], life + 1)),
                _ => None,
            })
            .collect();
        for (row, life) in began {
            self.graph.scope_mut(row).life = life;
        }
    }

    /// Brings the rows in the view to what the list has become of them.
    pub(super) fn show_rows(
        &mut self,
        id: ScopeId,
        spot: u32,
        old: &[ScopeId],
        pieces: &[Piece],
    ) -> Option<Effect> {
        let prepared = self.graph.prepared.clone();
        let runs = kept_runs(pieces);
        let mut stays = staying(&runs);
        if self.graph.is_broken(crate::Sabotage::MoveAll) && stays.contains(&false) {
            stays.fill(false);
        }
        let mut removed = 0;
        for (start, end) in left_over(pieces, old.len() as u32) {
            for row in &old[start as usize..end as usize] {
                removed += 1;
                self.take_nodes(*row);
            }
        }
        let end = self.target(id, spot);
        // From the end to the start: before which staying node each piece goes.
        let order = &self.graph.rows(id, spot)?.rows;
        let total = order.len() as u32;
        let mut befores = vec![end.before; pieces.len()];
        let (mut before, mut at, mut run) = (end.before, total, runs.len());
        for (i, piece) in pieces.iter().enumerate().rev() {
            at -= piece.len();
            befores[i] = before;
            if matches!(piece, Piece::Kept { .. }) {
                run -= 1;
                if stays[run] {
                    let rows = &order[at as usize..(at + piece.len()) as usize];
                    before = rows.iter().find_map(|row| self.first_node(*row)).unwrap_or(before);
                }
            }
        }
        let (mut at, mut run, mut moved, mut added) = (0, 0, 0, 0);
        for (piece, before) in pieces.iter().zip(befores) {
            let target = Target { parent: end.parent, before };
            let stays = match piece {
                Piece::Kept { .. } => {
                    run += 1;
                    stays[run - 1]
                }
                Piece::Fresh { .. } => false,
            };
            for position in at..at + piece.len() {
                if stays {
                    break;
                }
                let row = self.graph.rows(id, spot).map(|rows| rows.rows[position as usize])?;
                match piece {
                    Piece::Kept { .. } => {
                        moved += 1;
                        self.move_nodes(row, target);
                    }
                    Piece::Fresh { .. } => {
                        added += 1;
                        self.show(&prepared, row, target);
                    }
                }
            }
            at += piece.len();
        }
        (added + removed + moved > 0).then_some(Effect::List { added, removed, moved })
    }

    /// Makes scopes for items without rows; they can look at their items only when they stand at
    /// their places.
    fn plant_rows(
        &mut self,
        prepared: &Prepared,
        pieces: &[Piece],
        order: &mut [ScopeId],
        holder: (ScopeId, u32),
        block: BlockId,
        identity: Option<&crate::rows::Identity>,
    ) {
        let fresh = |piece: &Piece| match piece {
            Piece::Fresh { len } => *len as usize,
            Piece::Kept { .. } => 0,
        };
        let fresh: usize = pieces.iter().map(fresh).sum();
        if fresh == 0 {
            return;
        }
        if let (Some(_), Some(rows)) = (identity, self.graph.rows_mut(holder.0, holder.1)) {
            rows.keys.reserve(fresh);
        }
        let list = self.graph.list_of(prepared, holder.0, holder.1);
        let scope = self.graph.scope(holder.0);
        let (plan, parent, instance) = (scope.plan, holder.0, scope.instance);
        for position in fresh_positions(pieces) {
            let row = self.new_scope(prepared, Plot { plan, block, parent, instance, holder });
            let item = list.child(&vein_plan::Step::Index(position));
            let scope = self.graph.scope_mut(row);
            scope.position = position;
            if let (Some(identity), Some(item)) = (identity, item) {
                scope.key = identity.key(prepared, item);
            }
            order[position as usize] = row;
        }
    }

    fn move_nodes(&mut self, row: ScopeId, target: Target) {
        let mut nodes = Vec::new();
        self.top_nodes(row, &mut nodes);
        let Target { parent, before } = target;
        for node in nodes {
            self.making.patches.push(&Patch::Move { node, parent, before });
        }
    }

    fn uncount(&mut self, id: ScopeId, spot: u32, by: bool, key: &Key) {
        if !by {
            return;
        }
        let Some(rows) = self.graph.rows_mut(id, spot) else { return };
        if let Some(count) = rows.keys.get_mut(key) {
            *count -= 1;
            if *count == 0 {
                rows.keys.remove(key);
            }
        }
    }

    /// Counts a new row; reports an identity that another row has too.
    fn count(&mut self, id: ScopeId, spot: u32, by: bool, position: u32) {
        if !by {
            return;
        }
        let row = self.graph.rows(id, spot).map(|rows| rows.rows[position as usize]);
        let Some(key) = row.map(|row| self.graph.scope(row).key.clone()) else { return };
        let Some(rows) = self.graph.rows_mut(id, spot) else { return };
        let count = rows.keys.entry(key.clone()).or_insert(0);
        *count += 1;
        if *count < 2 {
            return;
        }
        let rows = rows.rows.clone();
        let same = |row: &ScopeId| self.graph.scope(*row).key == key;
        let other = rows.iter().enumerate().find(|(at, row)| *at as u32 != position && same(row));
        if let Some((other, _)) = other {
            let (first, second) = (position.min(other as u32), position.max(other as u32));
            let list = self.graph.address_of_spot(id, spot);
            let key = key.to_string();
            self.making.problems.push(Problem::SameIdentity { list, key, first, second });
        }
    }

    /// Tells rows that stand at other positions now, where anything shows positions.
    fn tell_positions(&mut self, id: ScopeId, spot: u32, block: BlockId, plan: u32) {
        let Some(cell) = self.graph.prepared.block(plan, block).position else { return };
        let Some(Rows { rows, .. }) = self.graph.rows(id, spot) else { return };
        for (at, row) in (0..).zip(rows.clone()) {
            let was = std::mem::replace(&mut self.graph.scope_mut(row).position, at);
            match self.graph.early.remove(&row) {
                Some(known) => {
                    self.graph.tell_position(row, cell, (known, at), Told::Early);
                    self.graph.tell_position(row, cell, (was, at), Told::Late);
                }
                None => self.graph.tell_position(row, cell, (was, at), Told::All),
            }
        }
    }
}

/// The old positions, from and up to, that no piece keeps.
fn left_over(pieces: &[Piece], old: u32) -> Vec<(u32, u32)> {
    let mut kept = kept_runs(pieces);
    if kept.iter().map(|(_, len)| len).sum::<u32>() == old {
        return Vec::new();
    }
    kept.sort_unstable();
    kept.push((old, 0));
    let (mut next, mut left) = (0, Vec::new());
    for (start, len) in kept {
        left.extend((next < start).then_some((next, start)));
        next = start + len;
    }
    left
}

/// What two changes of a list, one after the other, made of it.
fn composed(first: &[Piece], second: &[Piece]) -> Vec<Piece> {
    let mut result = Vec::new();
    for piece in second {
        let Piece::Kept { start, len } = *piece else {
            push_piece(&mut result, *piece);
            continue;
        };
        let (mut at, end) = (0, start + len);
        for piece in first {
            let (from, to) = (start.max(at), end.min(at + piece.len()));
            if from < to {
                push_piece(
                    &mut result,
                    match piece {
                        Piece::Kept { start, .. } => {
                            Piece::Kept { start: start + from - at, len: to - from }
                        }
                        Piece::Fresh { .. } => Piece::Fresh { len: to - from },
                    },
                );
            }
            at += piece.len();
        }
    }
    result
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn changes_of_a_list_are_composed() {
        let kept = |start, len| Piece::Kept { start, len };
        let fresh = |len| Piece::Fresh { len };
        // a b c d → c d x a b → x d c y
        let first = [kept(2, 2), fresh(1), kept(0, 2)];
        let second = [kept(2, 1), kept(1, 1), kept(0, 1), fresh(1)];
        let all = [fresh(1), kept(3, 1), kept(2, 1), fresh(1)];
        assert_eq!(composed(&first, &second), all);
        assert_eq!(left_over(&all, 4), [(0, 2)]);
        assert_eq!(composed(&first, &[kept(0, 5)]), first);
    }
}
