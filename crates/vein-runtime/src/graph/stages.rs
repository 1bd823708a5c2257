//! What is kept of how a value came about of its list, stage by stage, and what edits of the list come to in it.

use super::upkeep::Working;
use crate::bits::Bits;
use crate::lineage::{Asked, By, ItemFunction, Lineage, Outcome, SortBy, Stage};
use smallvec::SmallVec;
use std::cmp::Ordering;
use std::sync::Arc;
use vein_plan::{Step, Text, Value};

/// Below this whole numbers are added without rounding.
const MOST_EXACT: f64 = 9_007_199_254_740_992.0;

/// How a value came about.
#[derive(Clone, Debug)]
pub(crate) struct Upkeep {
    pub(super) lineage: Arc<Lineage>,
    pub(super) stages: Vec<StageState>,
    pub(super) outcome: Tally,
}

/// What is kept of a stage.
#[derive(Clone, Debug)]
pub(super) enum StageState {
    /// How long each inner list is.
    Flat(Vec<u32>),
    /// Which items come through.
    Filter(Bits),
    /// How many items there are.
    Map(u32),
    /// The position of each item in the list before, and what it is put in order by.
    Sorted(Vec<u32>, Vec<SortKeys>),
    /// How many items there are.
    Reversed(u32),
}

/// What is kept of what comes of the last list.
#[derive(Clone, Debug, Default)]
pub(super) struct Tally {
    len: u32,
    /// Of which items something holds.
    pub(super) bits: Bits,
    /// What each item adds; of those that are whole, all of that, and all of it without signs; how many are not. No number of
    /// items makes that too large for 128 bits.
    parts: Vec<f64>,
    total: i128,
    size: i128,
    broken: i128,
}

pub(super) type SortKeys = SmallVec<[SortKey; 1]>;

/// What an item is put in order by.
#[derive(Clone, Debug)]
pub(super) enum SortKey {
    Number(f64),
    Text(Text),
}

/// Where inside of an item something was written; nothing where that may be anywhere.
pub(super) type Inside = Option<SmallVec<[Step; 2]>>;

/// What becomes of a list, one after the other.
#[derive(Debug)]
pub(super) enum Edit {
    Remove(u32),
    Insert(u32, Value),
    /// Something was written in an item, at this way inside of it or anywhere.
    Set(u32, Value, Inside),
}

impl SortKey {
    fn compare(&self, other: &SortKey) -> Option<Ordering> {
        match (self, other) {
            (SortKey::Number(a), SortKey::Number(b)) => a.partial_cmp(b),
            (SortKey::Text(a), SortKey::Text(b)) => Some(a.compare(b)),
            _ => None,
        }
    }
}

/// What an item is put in order by; nothing where its order could contradict itself.
fn keys_of(keys: &[SortBy], item: &Value) -> Option<SortKeys> {
    let one = |key: &SortBy| match (key.by, item.at(&key.path)?) {
        (By::Text, value) => Some(SortKey::Text(value.to_text())),
        (_, Value::Number(n)) if !n.is_nan() => Some(SortKey::Number(*n)),
        (By::Itself, Value::String(text)) => Some(SortKey::Text(text.clone())),
        _ => None,
    };
    keys.iter().map(one).collect()
}

fn compare(keys: &[SortBy], a: &SortKeys, b: &SortKeys) -> Option<Ordering> {
    for (key, (a, b)) in keys.iter().zip(a.iter().zip(b)) {
        let order = a.compare(b)?;
        if order.is_ne() {
            return Some(if key.descending { order.reverse() } else { order });
        }
    }
    Some(Ordering::Equal)
}

impl Upkeep {
    /// How a value comes about, and the value. Nothing where it cannot be kept up.
    pub(super) fn new(
        lineage: &Arc<Lineage>,
        items: &[Value],
        run: &mut Working<'_>,
    ) -> Option<(Upkeep, Value)> {
        let mut list: Vec<Value> = Vec::new();
        let mut stages = Vec::with_capacity(lineage.stages.len());
        for (at, stage) in lineage.stages.iter().enumerate() {
            let before: &[Value] = if at == 0 { items } else { &list };
            let (kept, after) = match stage {
                Stage::Flat(path) => {
                    let (mut lens, mut all) = (Vec::new(), Vec::new());
                    for item in before {
                        let Some(Value::List(inner)) = item.at(path) else { return None };
                        lens.push(inner.len() as u32);
                        all.extend(inner.iter().cloned());
                    }
                    (StageState::Flat(lens), all)
                }
                Stage::Filter(made) => {
                    let bits = bits(before, made, run);
                    let through = before.iter().enumerate().filter(|(at, _)| bits.get(*at as u32));
                    let through = through.map(|(_, item)| item.clone()).collect();
                    (StageState::Filter(bits), through)
                }
                Stage::Map(made) => (
                    StageState::Map(before.len() as u32),
                    before.iter().map(|item| run.made(made, item)).collect(),
                ),
                Stage::Sorted(keys) => {
                    let mut places: Vec<(u32, SortKeys)> = Vec::with_capacity(before.len());
                    for (at, item) in before.iter().enumerate() {
                        places.push((at as u32, keys_of(keys, item)?));
                    }
                    let mut steady = true;
                    places.sort_by(|(_, a), (_, b)| {
                        compare(keys, a, b).unwrap_or_else(|| {
                            steady = false;
                            Ordering::Equal
                        })
                    });
                    if !steady {
                        return None;
                    }
                    let after = places.iter().map(|(at, _)| before[*at as usize].clone()).collect();
                    let (order, keys) = places.into_iter().unzip();
                    (StageState::Sorted(order, keys), after)
                }
                Stage::Reversed => {
                    let len = before.len() as u32;
                    (StageState::Reversed(len), before.iter().rev().cloned().collect())
                }
            };
            stages.push(kept);
            list = after;
        }
        let last: &[Value] = if lineage.stages.is_empty() { items } else { &list };
        let mut outcome = Tally { len: last.len() as u32, ..Tally::default() };
        match &lineage.outcome {
            Outcome::List | Outcome::Length => {}
            Outcome::Holds(_, made) => outcome.bits = bits(last, made, run),
            Outcome::Sum { part, .. } => {
                for item in last {
                    let part = number(&run.made(part, item))?;
                    outcome.parts.push(part);
                    outcome.account(part, 1);
                }
            }
        }
        let value = match lineage.outcome {
            Outcome::List if lineage.stages.is_empty() => Value::list(items.to_vec()),
            Outcome::List => Value::list(list),
            _ => Value::Null,
        };
        let upkeep = Upkeep { lineage: lineage.clone(), stages, outcome };
        let value = upkeep.simple(items).unwrap_or(value);
        Some((upkeep, value))
    }

    /// The value, where it is no list.
    pub(super) fn simple(&self, items: &[Value]) -> Option<Value> {
        let Tally { len, bits, .. } = &self.outcome;
        match &self.lineage.outcome {
            Outcome::List => None,
            Outcome::Length => Some(f64::from(*len).into()),
            Outcome::Holds(asked, _) => Some(match asked {
                Asked::Some => (bits.ones > 0).into(),
                Asked::Every => (bits.ones == bits.len).into(),
                Asked::First => {
                    let found = bits.select(0).and_then(|at| items.get(at as usize));
                    found.cloned().unwrap_or_default()
                }
                Asked::FirstAt => bits.select(0).map_or(-1.0, f64::from).into(),
            }),
            Outcome::Sum { start, .. } => Some(self.outcome.sum(*start).into()),
        }
    }

    /// The items of the list that it begins with.
    pub(super) fn len_at_first(&self) -> u32 {
        match self.stages.first() {
            Some(StageState::Flat(lens)) => lens.iter().sum(),
            Some(StageState::Filter(bits)) => bits.len,
            Some(StageState::Sorted(order, _)) => order.len() as u32,
            Some(StageState::Reversed(len) | StageState::Map(len)) => *len,
            None => self.outcome.len,
        }
    }

    /// What some edits of the list come to. Nothing where they cannot be followed.
    pub(super) fn follow(
        &mut self,
        edits: Vec<Edit>,
        from: usize,
        run: &mut Working<'_>,
    ) -> Option<Vec<Edit>> {
        let lineage = self.lineage.clone();
        let mut edits = edits;
        for (stage, kept) in lineage.stages.iter().zip(&mut self.stages).skip(from) {
            edits = match (stage, kept) {
                (Stage::Filter(made), StageState::Filter(bits)) => filtered(bits, made, edits, run),
                (Stage::Map(made), StageState::Map(len)) => mapped(len, made, edits, run),
                (Stage::Sorted(by), StageState::Sorted(order, keys)) => {
                    ordered(by, order, keys, edits)?
                }
                (Stage::Reversed, StageState::Reversed(len)) => reversed(len, edits),
                _ => edits,
            };
        }
        for edit in &edits {
            self.outcome.take(&lineage.outcome, edit, run)?;
        }
        Some(edits)
    }

    /// Where an item of the list stands in the one that it is derived from: the way on from that.
    pub(super) fn place(&self, position: u32) -> Option<SmallVec<[Step; 2]>> {
        let mut at = position;
        let mut way = SmallVec::new();
        for (stage, kept) in self.lineage.stages.iter().zip(&self.stages).rev() {
            at = match kept {
                StageState::Map(_) => return None,
                StageState::Filter(bits) => bits.select(at)?,
                StageState::Sorted(order, _) => *order.get(at as usize)?,
                StageState::Reversed(len) => len.checked_sub(at + 1)?,
                StageState::Flat(lens) => {
                    let Stage::Flat(path) = stage else { return None };
                    let mut outer = 0;
                    while at >= *lens.get(outer)? {
                        at -= lens[outer];
                        outer += 1;
                    }
                    way.push(Step::Index(outer as u32));
                    way.extend(path.iter().cloned());
                    at
                }
            };
        }
        way.push(Step::Index(at));
        Some(way)
    }
}

impl Tally {
    fn account(&mut self, part: f64, sign: i128) {
        match whole(part) {
            Some(part) => {
                self.total += sign * part;
                self.size += sign * part.abs();
            }
            None => self.broken += sign,
        }
    }

    /// The sum: of whole numbers that add up without rounding it is known, others are added in their order.
    fn sum(&self, start: f64) -> f64 {
        match whole(start) {
            Some(start) if self.broken == 0 && self.size + start.abs() < MOST_EXACT as i128 => {
                (start + self.total) as f64
            }
            _ => self.parts.iter().fold(start, |sum, part| sum + part),
        }
    }

    fn take(&mut self, outcome: &Outcome, edit: &Edit, run: &mut Working<'_>) -> Option<()> {
        match edit {
            Edit::Remove(_) => self.len -= 1,
            Edit::Insert(..) => self.len += 1,
            Edit::Set(..) => {}
        }
        match outcome {
            Outcome::List | Outcome::Length => {}
            Outcome::Holds(_, made) => match edit {
                Edit::Remove(at) => self.bits.remove(*at),
                Edit::Insert(at, item) => self.bits.insert(*at, run.holds(made, item)),
                Edit::Set(at, item, way) => {
                    if made.meets(way.as_deref()) {
                        self.bits.set(*at, run.holds(made, item));
                    }
                }
            },
            Outcome::Sum { part, .. } => match edit {
                Edit::Remove(at) => {
                    let part = self.parts.remove(*at as usize);
                    self.account(part, -1);
                }
                Edit::Insert(at, item) => {
                    let part = number(&run.made(part, item))?;
                    self.parts.insert(*at as usize, part);
                    self.account(part, 1);
                }
                Edit::Set(at, item, way) => {
                    if part.meets(way.as_deref()) {
                        let part = number(&run.made(part, item))?;
                        let was = std::mem::replace(&mut self.parts[*at as usize], part);
                        self.account(was, -1);
                        self.account(part, 1);
                    }
                }
            },
        }
        Some(())
    }
}

/// A number that is whole, so that it can be added and taken away again.
fn whole(n: f64) -> Option<i128> {
    let is_whole = n.fract() == 0.0 && n.abs() < MOST_EXACT && (n != 0.0 || n.is_sign_positive());
    is_whole.then_some(n as i128)
}

fn number(value: &Value) -> Option<f64> {
    match value {
        Value::Number(n) => Some(*n),
        _ => None,
    }
}

fn bits(items: &[Value], made: &ItemFunction, run: &mut Working<'_>) -> Bits {
    let mut bits = Bits::default();
    for item in items {
        let holds = run.holds(made, item);
        bits.push(holds);
    }
    bits
}

fn filtered(
    bits: &mut Bits,
    made: &ItemFunction,
    edits: Vec<Edit>,
    run: &mut Working<'_>,
) -> Vec<Edit> {
    let mut out = Vec::with_capacity(edits.len());
    for edit in edits {
        match edit {
            Edit::Remove(at) => {
                if bits.get(at) {
                    out.push(Edit::Remove(bits.rank(at)));
                }
                bits.remove(at);
            }
            Edit::Insert(at, item) => {
                let passes = run.holds(made, &item);
                bits.insert(at, passes);
                if passes {
                    out.push(Edit::Insert(bits.rank(at), item));
                }
            }
            Edit::Set(at, item, way) => {
                let was = bits.get(at);
                let is = if made.meets(way.as_deref()) { run.holds(made, &item) } else { was };
                bits.set(at, is);
                match (was, is) {
                    (true, true) => out.push(Edit::Set(bits.rank(at), item, way)),
                    (true, false) => out.push(Edit::Remove(bits.rank(at))),
                    (false, true) => out.push(Edit::Insert(bits.rank(at), item)),
                    (false, false) => {}
                }
            }
        }
    }
    out
}

fn mapped(
    len: &mut u32,
    made: &ItemFunction,
    edits: Vec<Edit>,
    run: &mut Working<'_>,
) -> Vec<Edit> {
    let edit = |edit| match edit {
        Edit::Remove(at) => {
            *len -= 1;
            Some(Edit::Remove(at))
        }
        Edit::Insert(at, item) => {
            *len += 1;
            Some(Edit::Insert(at, run.made(made, &item)))
        }
        Edit::Set(_, _, way) if !made.meets(way.as_deref()) => None,
        Edit::Set(at, item, _) => Some(Edit::Set(at, run.made(made, &item), None)),
    };
    edits.into_iter().filter_map(edit).collect()
}

fn reversed(len: &mut u32, edits: Vec<Edit>) -> Vec<Edit> {
    let edit = |edit| match edit {
        Edit::Remove(at) => {
            *len -= 1;
            Edit::Remove(*len - at)
        }
        Edit::Insert(at, item) => {
            *len += 1;
            Edit::Insert(*len - 1 - at, item)
        }
        Edit::Set(at, item, way) => Edit::Set(*len - 1 - at, item, way),
    };
    edits.into_iter().map(edit).collect()
}

fn ordered(
    by: &[SortBy],
    order: &mut Vec<u32>,
    keys: &mut Vec<SortKeys>,
    edits: Vec<Edit>,
) -> Option<Vec<Edit>> {
    let mut out = Vec::with_capacity(edits.len());
    for edit in edits {
        match edit {
            Edit::Remove(at) => {
                let place = order.iter().position(|other| *other == at)?;
                order.remove(place);
                keys.remove(place);
                order.iter_mut().for_each(|other| *other -= u32::from(*other > at));
                out.push(Edit::Remove(place as u32));
            }
            Edit::Insert(at, item) => {
                order.iter_mut().for_each(|other| *other += u32::from(*other >= at));
                let own = keys_of(by, &item)?;
                let place = put_in_order(by, order, keys, at, own)?;
                out.push(Edit::Insert(place, item));
            }
            Edit::Set(at, item, way) => {
                let place = order.iter().position(|other| *other == at)?;
                if !by.iter().any(|key| key.meets(way.as_deref())) {
                    out.push(Edit::Set(place as u32, item, way));
                    continue;
                }
                order.remove(place);
                keys.remove(place);
                let own = keys_of(by, &item)?;
                let to = put_in_order(by, order, keys, at, own)?;
                if to == place as u32 {
                    out.push(Edit::Set(to, item, way));
                } else {
                    out.push(Edit::Remove(place as u32));
                    out.push(Edit::Insert(to, item));
                }
            }
        }
    }
    Some(out)
}

/// Puts an item where it belongs: of those that are equal, the first of the list is the first here.
fn put_in_order(
    by: &[SortBy],
    order: &mut Vec<u32>,
    keys: &mut Vec<SortKeys>,
    at: u32,
    own: SortKeys,
) -> Option<u32> {
    let (mut low, mut high) = (0, order.len());
    while low < high {
        let middle = usize::midpoint(low, high);
        let other = compare(by, &keys[middle], &own)?.then(order[middle].cmp(&at));
        if other.is_lt() { low = middle + 1 } else { high = middle }
    }
    order.insert(low, at);
    keys.insert(low, own);
    Some(low as u32)
}
