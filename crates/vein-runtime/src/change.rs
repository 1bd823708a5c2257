//! The log of a pulse: every write with what takes it back, and what stood where before.

use crate::scope::ScopeId;
use smallvec::SmallVec;
use vein_plan::code::CellId;
use vein_plan::{Extent, Read, Step, Value};

/// What a write did, with what it takes to undo it.
#[derive(Clone, Debug)]
pub(crate) enum Undo {
    /// The value that stood there.
    Set(Value),
    /// Items that were taken out at a position, and how many were put in.
    Splice { at: usize, removed: Vec<Value>, inserted: usize },
    /// Which item went where: the item now at `i` stood at `order[i]`.
    Permute(Vec<u32>),
    /// A key came to a dictionary: the path is its.
    Add,
    /// A key went from a dictionary, with its place among the others and what stood there: the path is its.
    Take { at: usize, removed: Value },
}

/// One write of a pulse, to state or to the kept value of a derived one.
#[derive(Clone, Debug)]
pub(crate) struct Change {
    /// The scope that the cell lives in.
    pub(crate) scope: ScopeId,
    pub(crate) cell: CellId,
    pub(crate) path: Vec<Step>,
    pub(crate) undo: Undo,
    /// The writes that led to this one, for derived values.
    pub(crate) because: SmallVec<[u32; 2]>,
}

impl Undo {
    /// Whether a key has come or gone.
    pub(crate) fn is_of_keys(&self) -> bool {
        matches!(self, Undo::Add | Undo::Take { .. })
    }

    /// Takes a write at a path of a value back.
    pub(crate) fn undo(self, path: &[Step], value: &mut Value) {
        if let (true, [around @ .., Step::Field(key)]) = (self.is_of_keys(), path) {
            if let Some(Value::Record(record)) = value.at_mut(around) {
                let record = std::sync::Arc::make_mut(record);
                match self {
                    Undo::Take { at, removed } => record.put(at, key.clone(), removed),
                    _ => drop(record.take(key)),
                }
            }
            return;
        }
        let Some(value) = value.at_mut(path) else { return };
        match (self, value) {
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

/// A write as those see it that read a cell which it reached.
pub(crate) struct Seen<'a> {
    /// The way to it from the cell that was read.
    pub(crate) path: &'a [Step],
    pub(crate) undo: SeenUndo<'a>,
}

/// What stood there before.
#[derive(Clone, Copy)]
pub(crate) enum SeenUndo<'a> {
    Logged(&'a Undo),
    /// All of the cell's value.
    Whole(&'a Value),
}

/// Whether a read of a cell would give something else now than before these writes.
///
/// The place that was read is followed forward through the writes: a write above it holds
/// what stood there, a write to a list around it may have moved it.
pub(crate) fn changed_since(writes: &[Seen<'_>], read: &Read, now: &Value) -> bool {
    let mut path: Vec<Step> = read.path.clone();
    let (mut touched_inside, mut other_keys) = (false, false);
    // By how much a list has become longer, where all that was done to it was done in place.
    let mut longer = Some(0isize);
    let current = || now.at(&read.path);
    for write in writes {
        if path.len() < write.path.len() {
            let inside = write.path.starts_with(&path);
            touched_inside |= inside;
            other_keys |= inside
                && write.path.len() == path.len() + 1
                && matches!(write.undo, SeenUndo::Logged(undo) if undo.is_of_keys());
            continue;
        }
        let Some(rest) = path.strip_prefix(write.path) else { continue };
        let old = match write.undo {
            SeenUndo::Whole(old) => Some(Some(old)),
            SeenUndo::Logged(Undo::Set(old) | Undo::Take { removed: old, .. }) => Some(Some(old)),
            SeenUndo::Logged(Undo::Add) => Some(None),
            SeenUndo::Logged(Undo::Splice { .. } | Undo::Permute(_)) => None,
        };
        if let Some(old) = old {
            if touched_inside {
                (longer, other_keys) = (None, true);
                break;
            }
            return read.extent.differs(old.and_then(|old| old.at(rest)), current());
        }
        let SeenUndo::Logged(undo) = write.undo else { continue };
        match (undo, rest) {
            (Undo::Splice { removed, inserted, .. }, []) => {
                longer = longer.map(|more| more + *inserted as isize - removed.len() as isize);
                touched_inside = true;
            }
            (_, []) => touched_inside = true,
            (Undo::Splice { at, removed, inserted }, [Step::Index(i), inner @ ..]) => {
                let i = *i as usize;
                if i >= at + removed.len() {
                    let moved = i - removed.len() + inserted;
                    path[write.path.len()] = Step::Index(moved as u32);
                } else if i >= *at {
                    if touched_inside {
                        break;
                    }
                    return read.extent.differs(removed[i - at].at(inner), current());
                }
            }
            (Undo::Permute(order), [Step::Index(i), ..]) => {
                if let Some(moved) = order.iter().position(|from| from == i) {
                    path[write.path.len()] = Step::Index(moved as u32);
                }
            }
            _ => {}
        }
    }
    if !touched_inside {
        return read.extent.differs(now.at(&path), current());
    }
    // A list that was changed in place is one, then and now; one in another may have changed places with that.
    let is_inner = read.path.iter().any(|step| matches!(step, Step::Index(_)));
    if let (Some(longer), false) = (longer, is_inner) {
        match read.extent {
            Extent::Length => return longer != 0,
            Extent::Presence | Extent::Position => return false,
            Extent::Keys if !other_keys => return false,
            Extent::Keys | Extent::Whole => {}
        }
    }
    // Something inside was written too: only the whole as it was can tell.
    let before = value_before(writes, now);
    read.extent.differs(before.at(&read.path), current())
}

/// The value of a cell before these writes.
fn value_before(writes: &[Seen<'_>], now: &Value) -> Value {
    let mut value = now.clone();
    for write in writes.iter().rev() {
        match write.undo {
            SeenUndo::Whole(old) => value = old.clone(),
            SeenUndo::Logged(undo) => undo.clone().undo(write.path, &mut value),
        }
    }
    value
}

#[cfg(test)]
mod tests {
    use super::*;
    use vein_plan::Name;

    fn list(items: &[f64]) -> Value {
        Value::list(items.iter().map(|n| Value::Number(*n)).collect())
    }

    fn read(path: &[u32], extent: Extent) -> Read {
        Read { cell: 0, path: path.iter().map(|i| Step::Index(*i)).collect(), extent }
    }

    fn seen<'a>(path: &'a [Step], undo: &'a Undo) -> Seen<'a> {
        Seen { path, undo: SeenUndo::Logged(undo) }
    }

    #[test]
    fn positions_are_followed_through_writes() {
        // [1, 2, 3] → remove the first → [2, 3] → put 1 back in front → [1, 2, 3]
        let undos = [
            Undo::Splice { at: 0, removed: vec![1.0.into()], inserted: 0 },
            Undo::Splice { at: 0, removed: vec![], inserted: 1 },
        ];
        let log: Vec<Seen<'_>> = undos.iter().map(|undo| seen(&[], undo)).collect();
        let now = list(&[1.0, 2.0, 3.0]);
        for i in 0..3 {
            assert!(!changed_since(&log, &read(&[i], Extent::Whole), &now), "item {i}");
        }
        assert!(!changed_since(&log, &read(&[], Extent::Length), &now));
        assert!(!changed_since(&log, &read(&[], Extent::Whole), &now));
        // [1, 2] → reversed → [2, 1] → second set to 9 → [2, 9]
        let (order, set) = (Undo::Permute(vec![1, 0]), Undo::Set(1.0.into()));
        let at = [Step::Index(1)];
        let log = [seen(&[], &order), seen(&at, &set)];
        let now = list(&[2.0, 9.0]);
        assert!(changed_since(&log, &read(&[0], Extent::Whole), &now));
        assert!(changed_since(&log, &read(&[1], Extent::Whole), &now));
        assert!(!changed_since(&log, &read(&[], Extent::Length), &now));
        assert!(value_before(&log, &now).same(&list(&[1.0, 2.0])));
        // What stood around the cell was replaced first, then something in it was set.
        let whole = list(&[1.0, 2.0]);
        let log = [Seen { path: &[], undo: SeenUndo::Whole(&whole) }, seen(&at, &set)];
        assert!(!changed_since(&log, &read(&[0], Extent::Whole), &list(&[1.0, 7.0])));
        assert!(changed_since(&log, &read(&[1], Extent::Whole), &list(&[1.0, 7.0])));
    }

    /// Numbers that only seem random.
    struct Numbers(u64);

    impl Numbers {
        fn below(&mut self, n: usize) -> usize {
            self.0 ^= self.0 << 13;
            self.0 ^= self.0 >> 7;
            self.0 ^= self.0 << 17;
            (self.0 % n as u64) as usize
        }

        fn inner(&mut self) -> Value {
            let items: Vec<f64> = (0..self.below(3)).map(|_| self.below(2) as f64).collect();
            list(&items)
        }

        fn outer(&mut self) -> Value {
            Value::list((0..self.below(4)).map(|_| self.inner()).collect())
        }

        /// Changes a list in a list somewhere, and says where and how that is undone.
        fn write(&mut self, value: &mut Value) -> (Vec<Step>, Undo) {
            let outer = value.list_len();
            let path = match self.below(3) {
                0 if outer > 0 => vec![Step::Index(self.below(outer) as u32)],
                _ => Vec::new(),
            };
            let is_inner = !path.is_empty();
            let new = |this: &mut Self| match is_inner {
                true => Value::Number(this.below(2) as f64),
                false => this.inner(),
            };
            let place = value.at_mut(&path).expect("a list");
            let len = place.list_len();
            match self.below(4) {
                0 => {
                    let whole = if is_inner { self.inner() } else { self.outer() };
                    (path, Undo::Set(std::mem::replace(place, whole)))
                }
                1 if len > 0 => {
                    let at = self.below(len);
                    let Value::List(items) = place else { panic!("a list") };
                    let items = std::sync::Arc::make_mut(items);
                    let old = std::mem::replace(&mut items[at], new(self));
                    ([path, vec![Step::Index(at as u32)]].concat(), Undo::Set(old))
                }
                2 => {
                    let at = self.below(len + 1);
                    let gone = self.below(len - at + 1);
                    let inserted: Vec<Value> = (0..self.below(3)).map(|_| new(self)).collect();
                    let Value::List(items) = place else { panic!("a list") };
                    let (items, count) = (std::sync::Arc::make_mut(items), inserted.len());
                    let removed = items.splice(at..at + gone, inserted).collect();
                    (path, Undo::Splice { at, removed, inserted: count })
                }
                _ => {
                    let mut order: Vec<u32> = (0..len as u32).collect();
                    (1..len).for_each(|at| order.swap(at, self.below(at + 1)));
                    let Value::List(items) = place else { panic!("a list") };
                    let old = items.clone();
                    let moved = order.iter().map(|from| old[*from as usize].clone()).collect();
                    *items = std::sync::Arc::new(moved);
                    (path, Undo::Permute(order))
                }
            }
        }
    }

    impl Numbers {
        fn entry(&mut self) -> Value {
            match self.below(3) {
                0 => Value::Null,
                1 => 1.0.into(),
                _ => self.dictionary(),
            }
        }

        fn dictionary(&mut self) -> Value {
            let entries: Vec<(Name, Value)> =
                (0..self.below(4)).map(|_| (self.key(), self.entry())).collect();
            Value::dictionary(entries)
        }

        fn key(&mut self) -> Name {
            ["tea", "2", "10", "mint"][self.below(4)].into()
        }

        /// Changes a dictionary in a dictionary somewhere, and says where and how that is undone.
        fn write_entry(&mut self, value: &mut Value) -> (Vec<Step>, Undo) {
            let key = self.key();
            let mut path = Vec::new();
            let is_inner = matches!(value.at(&[Step::Field(key.clone())]), Some(Value::Record(_)));
            if is_inner && self.below(2) == 0 {
                path.push(Step::Field(key));
            }
            if self.below(8) == 0 {
                let whole = self.dictionary();
                let place = value.at_mut(&path).expect("a dictionary");
                return (path, Undo::Set(std::mem::replace(place, whole)));
            }
            let (key, new) = (self.key(), self.entry());
            let Some(Value::Record(record)) = value.at_mut(&path) else { panic!("a dictionary") };
            let record = std::sync::Arc::make_mut(record);
            path.push(Step::Field(key.clone()));
            let goes = self.below(3) == 0;
            let undo = match (record.get_mut(&key), goes) {
                (None, _) => {
                    record.add(key, new);
                    Undo::Add
                }
                (Some(place), false) => Undo::Set(std::mem::replace(place, new)),
                (Some(_), true) => {
                    let (at, removed) = record.take(&key).expect("it is there");
                    Undo::Take { at, removed }
                }
            };
            (path, undo)
        }
    }

    #[test]
    fn a_log_of_keys_tells_what_comparing_would() {
        let (mut numbers, mut others) = (Numbers(9), 0);
        for _ in 0..20_000 {
            let before = numbers.dictionary();
            let mut now = before.clone();
            let count = 1 + numbers.below(5);
            let writes: Vec<(Vec<Step>, Undo)> =
                (0..count).map(|_| numbers.write_entry(&mut now)).collect();
            let log: Vec<Seen<'_>> = writes.iter().map(|(path, undo)| seen(path, undo)).collect();
            assert!(value_before(&log, &now).same(&before), "{writes:?} leads to {now:?}");
            let inner = ["tea", "2", "mint"];
            let two = inner.iter().flat_map(|a| inner.iter().map(move |b| vec![*a, *b]));
            for path in [Vec::new()].into_iter().chain(inner.map(|key| vec![key])).chain(two) {
                let path: Vec<Step> = path.into_iter().map(|key| Step::Field(key.into())).collect();
                for extent in [Extent::Whole, Extent::Keys, Extent::Presence, Extent::Position] {
                    let read = Read { cell: 0, path: path.clone(), extent };
                    let differs = extent.differs(before.at(&path), now.at(&path));
                    let said = changed_since(&log, &read, &now);
                    assert_eq!(said, differs, "{path:?} {extent:?}\n{before:?}\n{writes:?}");
                    others += usize::from(differs);
                }
            }
        }
        assert!(others > 100_000, "{others}");
    }

    #[test]
    fn a_log_tells_what_comparing_would() {
        let (mut numbers, mut others) = (Numbers(7), 0);
        for _ in 0..20_000 {
            let before = numbers.outer();
            let mut now = before.clone();
            let count = 1 + numbers.below(5);
            let writes: Vec<(Vec<Step>, Undo)> =
                (0..count).map(|_| numbers.write(&mut now)).collect();
            let log: Vec<Seen<'_>> = writes
                .iter()
                .map(|(path, undo)| match undo {
                    Undo::Set(old) if path.is_empty() && numbers.below(2) == 0 => {
                        Seen { path, undo: SeenUndo::Whole(old) }
                    }
                    undo => seen(path, undo),
                })
                .collect();
            let inside = (0..3).flat_map(|i| [vec![i], vec![i, 0], vec![i, 1]]);
            for path in std::iter::once(Vec::new()).chain(inside) {
                for extent in [Extent::Whole, Extent::Length, Extent::Presence, Extent::Position] {
                    let read = read(&path, extent);
                    let differs = extent.differs(before.at(&read.path), now.at(&read.path));
                    let said = changed_since(&log, &read, &now);
                    assert_eq!(said, differs, "{path:?} {extent:?}\n{before:?}\n{writes:?}");
                    others += usize::from(differs);
                }
            }
        }
        assert!(others > 100_000, "{others}");
    }
}
