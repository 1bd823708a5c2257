//! The rows of a list: taken away, moved and made, as few as can be.

use super::{Plot, Target, View};
use crate::moves::staying;
use crate::pulse::{Effect, Problem};
use crate::scope::{Key, NONE, Piece, Rows, ScopeId};
use rustc_hash::FxHashMap;
use vein_plan::{BlockId, SpotKind, Value};
use vein_view::Patch;

impl View {
    /// Makes the rows of a list what its items are: takes away, moves and makes as few as can be.
    pub(super) fn reconcile(
        &mut self,
        id: ScopeId,
        spot: u32,
        target: Option<Target>,
    ) -> Option<Effect> {
        let identity = self.graph.identity(id, spot);
        let prepared = self.graph.prepared.clone();
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let spots = &prepared.plan(plan).blocks[block as usize].spots;
        let SpotKind::List { block: row_block, .. } = &spots[spot as usize].kind else {
            return None;
        };
        let rows = self.graph.rows_mut(id, spot)?;
        let pieces = rows.pieces.take()?;
        rows.gone.clear();
        let old = std::mem::take(&mut rows.rows);
        let runs: Vec<(u32, u32)> = pieces
            .iter()
            .filter_map(|piece| match piece {
                Piece::Kept { start, len } => Some((*start, *len)),
                Piece::Fresh { .. } => None,
            })
            .collect();
        let kept: u32 = runs.iter().map(|(_, len)| len).sum();
        let stays = staying(&runs);
        // Rows that are left over.
        let mut removed = 0;
        if kept < old.len() as u32 {
            let mut sorted = runs.clone();
            sorted.sort_unstable();
            sorted.push((old.len() as u32, 0));
            let mut next = 0;
            for (start, len) in sorted {
                for row in &old[next as usize..start as usize] {
                    removed += 1;
                    let key = self.graph.scope(*row).key.clone();
                    self.uncount(id, spot, identity.is_some(), &key);
                    self.remove(*row);
                }
                next = start + len;
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
        drop(old);
        let end = match target {
            Some(target) => target,
            None => self.target(id, spot),
        };
        // From the end to the start: before which staying node each piece goes.
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
        self.plant_rows(&pieces, &mut order, (id, spot), *row_block, identity);
        if let Some(rows) = self.graph.rows_mut(id, spot) {
            rows.rows = order;
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
                        self.own_cells(row, &mut FxHashMap::default());
                        self.show(row, target);
                        self.count(id, spot, identity.is_some(), position);
                    }
                }
            }
            at += piece.len();
        }
        self.tell_positions(id, spot, *row_block, plan);
        (added + removed + moved > 0).then_some(Effect::List { added, removed, moved })
    }

    /// Makes scopes for items without rows; they can look at their items only when they stand at
    /// their places.
    fn plant_rows(
        &mut self,
        pieces: &[Piece],
        order: &mut [ScopeId],
        holder: (ScopeId, u32),
        block: BlockId,
        identity: Option<crate::rows::Identity>,
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
        let prepared = self.graph.prepared.clone();
        let list = self.graph.list_of(holder.0, holder.1);
        let scope = self.graph.scope(holder.0);
        let (plan, parent, instance) = (scope.plan, holder.0, scope.instance);
        let mut at = 0;
        for piece in pieces {
            let positions = at..at + piece.len();
            at = positions.end;
            if matches!(piece, Piece::Kept { .. }) {
                continue;
            }
            for position in positions {
                let row = self.new_scope(Plot { plan, block, parent, instance, holder });
                let item = list.child(&vein_plan::Step::Index(position));
                let scope = self.graph.scope_mut(row);
                scope.position = position;
                if let (Some(identity), Some(item)) = (identity, item) {
                    scope.key = identity.key(&prepared, item);
                }
                order[position as usize] = row;
            }
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
        for (at, row) in rows.clone().into_iter().enumerate() {
            let was = self.graph.scope(row).position;
            if was != at as u32 {
                self.graph.scope_mut(row).position = at as u32;
                let (old, new) = (Value::from(f64::from(was)), Value::from(at as f64));
                self.graph.tell_row(row, cell, &old, &new);
            }
        }
    }
}
