//! What has become of a list since it was looked at last, found from the writes that were done to it.

use super::stages::{Edit, Inside};
use crate::moves::staying;
use crate::rows::{kept_runs, push_piece, split};
use crate::scope::Piece;
use smallvec::SmallVec;
use vein_plan::{Step, Value};

/// The items of the list that a value is derived from, or those of the lists in them.
pub(super) struct Items<'a> {
    pub(super) items: &'a [Value],
    pub(super) flat: Option<(&'a [Step], &'a [u32])>,
}

impl Items<'_> {
    pub(super) fn get(&self, at: u32) -> Option<Value> {
        let Some((path, lens)) = self.flat else { return self.items.get(at as usize).cloned() };
        let mut at = at;
        for (item, len) in self.items.iter().zip(lens) {
            if at < *len {
                return item.at(path)?.child(&Step::Index(at)).cloned();
            }
            at -= len;
        }
        None
    }
}

/// What has become of a list, while its writes are gone through.
pub(super) struct Tracing {
    pub(super) pieces: Vec<Piece>,
    pub(super) inside: SmallVec<[(u32, Inside); 4]>,
    pub(super) most: usize,
}

impl Tracing {
    /// Notes a write in an item.
    pub(super) fn write(&mut self, at: u32, way: &[Step]) -> Option<()> {
        match self.inside.iter_mut().find(|(known, _)| *known == at) {
            Some((_, known)) => *known = None,
            None => {
                self.inside.push((at, (!way.is_empty()).then(|| way.iter().cloned().collect())))
            }
        }
        (self.inside.len() <= self.most).then_some(())
    }

    /// Notes that items went and came.
    pub(super) fn splice(&mut self, at: u32, gone: u32, came: u32) -> Option<()> {
        let len: u32 = self.pieces.iter().map(|piece| piece.len()).sum();
        if at + gone > len {
            return None;
        }
        let first = split(&mut self.pieces, at);
        let last = split(&mut self.pieces, at + gone);
        self.pieces.drain(first..last);
        if came > 0 {
            self.pieces.insert(first, Piece::Fresh { len: came });
        }
        self.inside.retain(|(own, _)| !(at..at + gone).contains(own));
        for (own, _) in &mut self.inside {
            if *own >= at + gone {
                *own = *own - gone + came;
            }
        }
        Some(())
    }

    /// What it takes to come from the list as it was to what it is.
    pub(super) fn edits(self, len: u32, items: &Items<'_>) -> Option<Vec<Edit>> {
        let mut pieces = Vec::new();
        self.pieces.iter().for_each(|piece| push_piece(&mut pieces, *piece));
        let mut stays = staying(&kept_runs(&pieces)).into_iter();
        let (mut edits, mut fresh) = (Vec::new(), Vec::new());
        let mut kept: Vec<(u32, u32)> = Vec::new();
        let mut at = 0;
        for piece in &pieces {
            match piece {
                Piece::Kept { start, len } if stays.next() == Some(true) => {
                    kept.push((*start, *len))
                }
                piece => fresh.push(at..at + piece.len()),
            }
            at += piece.len();
        }
        // What is gone, from the end to the start.
        let mut end = len;
        for (start, len) in kept.into_iter().rev().chain([(0, 0)]) {
            let gone = (start + len)..end;
            if gone.len() > self.most {
                return None;
            }
            edits.extend(gone.rev().map(Edit::Remove));
            end = start;
        }
        if edits.len() + fresh.iter().map(ExactSizeIterator::len).sum::<usize>() > self.most {
            return None;
        }
        let is_fresh = |at: &u32| fresh.iter().any(|fresh| fresh.contains(at));
        let inside: Vec<_> = self.inside.into_iter().filter(|(at, _)| !is_fresh(at)).collect();
        for at in fresh.into_iter().flatten() {
            edits.push(Edit::Insert(at, items.get(at)?));
        }
        for (at, way) in inside {
            edits.push(Edit::Set(at, items.get(at)?, way));
        }
        Some(edits)
    }
}
