//! The log of a pulse: every write with what takes it back, and what stood where before.

use smallvec::SmallVec;
use vein_plan::code::CellId;
use vein_plan::{Read, Step, Value};

/// What a write did, with what it takes to undo it.
#[derive(Clone, Debug)]
pub(crate) enum Undo {
    /// The value that stood there.
    Set(Value),
    /// Items that were taken out at a position, and how many were put in.
    Splice { at: usize, removed: Vec<Value>, inserted: usize },
    /// Which item went where: the item now at `i` stood at `order[i]`.
    Permute(Vec<u32>),
}

/// One write of a pulse, to state or to the kept value of a derived one.
#[derive(Clone, Debug)]
pub(crate) struct Change {
    pub(crate) cell: CellId,
    pub(crate) path: Vec<Step>,
    pub(crate) undo: Undo,
    /// The writes that led to this one, for derived values.
    pub(crate) because: SmallVec<[u32; 2]>,
}

impl Change {
    /// Takes the write back.
    pub(crate) fn undo(self, cell: &mut Value) {
        let Some(value) = cell.at_mut(&self.path) else { return };
        match (self.undo, value) {
            (Undo::Set(old), value) => *value = old,
            (Undo::Splice { at, removed, inserted }, Value::List(items)) => {
                let items = std::sync::Arc::make_mut(items);
                items.splice(at..at + inserted, removed);
            }
            (Undo::Permute(order), Value::List(items)) => {
                let items = std::sync::Arc::make_mut(items);
                let mut back = vec![Value::Null; items.len()];
                for (item, from) in items.drain(..).zip(order) {
                    back[from as usize] = item;
                }
                *items = back;
            }
            _ => {}
        }
    }
}

/// Whether a read would give something else now than when the pulse began.
///
/// The place that was read is followed forward through the writes: a write above it holds
/// what stood there, a write to a list around it may have moved it.
pub(crate) fn changed_since_start(log: &[Change], read: &Read, now: &Value) -> bool {
    let mut path: Vec<Step> = read.path.clone();
    let mut touched_inside = false;
    let current = || now.at(&read.path);
    for change in log.iter().filter(|change| change.cell == read.cell) {
        if path.len() < change.path.len() {
            touched_inside |= change.path.starts_with(&path);
            continue;
        }
        let Some(rest) = path.strip_prefix(change.path.as_slice()) else { continue };
        match (&change.undo, rest) {
            (Undo::Set(old), rest) => {
                if touched_inside {
                    break;
                }
                return read.extent.differs(old.at(rest), current());
            }
            (_, []) => touched_inside = true,
            (Undo::Splice { at, removed, inserted }, [Step::Index(i), inner @ ..]) => {
                let i = *i as usize;
                if i >= at + removed.len() {
                    let moved = i - removed.len() + inserted;
                    path[change.path.len()] = Step::Index(moved as u32);
                } else if i >= *at {
                    if touched_inside {
                        break;
                    }
                    return read.extent.differs(removed[i - at].at(inner), current());
                }
            }
            (Undo::Permute(order), [Step::Index(i), ..]) => {
                if let Some(moved) = order.iter().position(|from| from == i) {
                    path[change.path.len()] = Step::Index(moved as u32);
                }
            }
            _ => {}
        }
    }
    if !touched_inside {
        return read.extent.differs(now.at(&path), current());
    }
    // Something inside was written too: only the whole as it was can tell.
    let before = value_at_start(log, read.cell, now);
    read.extent.differs(before.at(&read.path), current())
}

/// The value of a cell when the pulse began.
fn value_at_start(log: &[Change], cell: CellId, now: &Value) -> Value {
    let mut value = now.clone();
    for change in log.iter().rev().filter(|change| change.cell == cell) {
        change.clone().undo(&mut value);
    }
    value
}

#[cfg(test)]
mod tests {
    use super::*;
    use vein_plan::Extent;

    fn list(items: &[f64]) -> Value {
        Value::list(items.iter().map(|n| Value::Number(*n)).collect())
    }

    fn change(path: &[u32], undo: Undo) -> Change {
        let path = path.iter().map(|i| Step::Index(*i)).collect();
        Change { cell: 0, path, undo, because: SmallVec::new() }
    }

    fn read(path: &[u32], extent: Extent) -> Read {
        Read { cell: 0, path: path.iter().map(|i| Step::Index(*i)).collect(), extent }
    }

    #[test]
    fn positions_are_followed_through_writes() {
        // [1, 2, 3] → remove the first → [2, 3] → put 1 back in front → [1, 2, 3]
        let log = [
            change(&[], Undo::Splice { at: 0, removed: vec![1.0.into()], inserted: 0 }),
            change(&[], Undo::Splice { at: 0, removed: vec![], inserted: 1 }),
        ];
        let now = list(&[1.0, 2.0, 3.0]);
        for i in 0..3 {
            assert!(!changed_since_start(&log, &read(&[i], Extent::Whole), &now), "item {i}");
        }
        assert!(!changed_since_start(&log, &read(&[], Extent::Length), &now));
        assert!(!changed_since_start(&log, &read(&[], Extent::Whole), &now));
        // [1, 2] → reversed → [2, 1] → second set to 9 → [2, 9]
        let log = [change(&[], Undo::Permute(vec![1, 0])), change(&[1], Undo::Set(1.0.into()))];
        let now = list(&[2.0, 9.0]);
        assert!(changed_since_start(&log, &read(&[0], Extent::Whole), &now));
        assert!(changed_since_start(&log, &read(&[1], Extent::Whole), &now));
        assert!(!changed_since_start(&log, &read(&[], Extent::Length), &now));
        assert!(value_at_start(&log, 0, &now).same(&list(&[1.0, 2.0])));
    }
}
