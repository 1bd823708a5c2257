//! Values that are derived from a list, kept up with what becomes of the list.
//!
//! Of each such value is kept how it came about, stage by stage: which items a filter let through, which position an
//! item has in an order. What was written since is told by the wakes that its reader was given. It becomes edits of the
//! list, each stage makes of them edits of its own, and what comes out is done to the kept value in place, logged and told
//! as a write to state is. So who reads the value sees no more than what is another in it.
//!
//! Whoever was written to in any other way, has been told too little, or has too much to do, is worked out anew.

use super::{At, Graph, ListSeen, ReaderKey, Sight, What};
use crate::change::{Change, Undo};
use crate::moves::staying;
use crate::pipes::{By, Key, Made, Outcome, Pipe, Stage, Way};
use crate::rows::{push_piece, split};
use crate::sabotage::Sabotage;
use crate::scope::{Mark, Piece, ScopeId, Slot};
use crate::wakes::{KnownReads, Prepared};
use smallvec::SmallVec;
use std::cmp::Ordering;
use std::sync::Arc;
use vein_plan::code::{CellId, ExprId};
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::members::Member;
use vein_plan::{Read, Step, Text, Value};

/// How many edits of a list are followed at most, whatever its length: beyond that and a sixteenth of it, it is
/// worked out anew.
const FEW: usize = 32;

/// Up to here whole numbers are added without rounding.
const MOST_EXACT: f64 = 9_007_199_254_740_992.0;

/// How a value came about.
#[derive(Clone, Debug)]
pub(crate) struct Upkeep {
    pipe: Arc<Pipe>,
    stages: Vec<Kept>,
    outcome: Sum,
}

/// What is kept of a stage.
#[derive(Clone, Debug)]
enum Kept {
    /// How long each inner list is.
    Flat(Vec<u32>),
    /// Which items come through.
    Filter(Bits),
    Map,
    /// The position of each item in the list before, and what it is put in order by.
    Sorted(Vec<u32>, Vec<Keys>),
    /// How many items there are.
    Reversed(u32),
}

/// What is kept of what comes of the last list.
#[derive(Clone, Debug, Default)]
struct Sum {
    len: u32,
    /// Of which items something holds.
    bits: Bits,
    /// What each item adds; of those that are whole, all of that, and all of it without signs; how many are not.
    parts: Vec<f64>,
    total: f64,
    size: f64,
    broken: u32,
}

type Keys = SmallVec<[SortKey; 1]>;

/// What an item is put in order by.
#[derive(Clone, Debug)]
enum SortKey {
    Number(f64),
    Text(Text),
}

/// What becomes of a list, one after the other.
#[derive(Debug)]
enum Edit {
    Remove(u32),
    Insert(u32, Value),
    /// Something was written in an item, at this way inside of it or anywhere.
    Set(u32, Value, Option<SmallVec<[Step; 2]>>),
}

/// What has become of the list that a value is derived from.
enum Since {
    Edits(Vec<Edit>),
    /// More than is followed.
    Anything,
}

/// Bits in a row, which can be counted, put in and taken out.
#[derive(Clone, Debug, Default)]
struct Bits {
    words: Vec<u64>,
    len: u32,
    ones: u32,
}

impl Bits {
    fn get(&self, at: u32) -> bool {
        self.words.get(at as usize / 64).is_some_and(|word| word >> (at % 64) & 1 == 1)
    }

    fn set(&mut self, at: u32, on: bool) {
        let (was, bit) = (self.get(at), 1u64 << (at % 64));
        if was == on {
            return;
        }
        self.words[at as usize / 64] ^= bit;
        self.ones = if on { self.ones + 1 } else { self.ones - 1 };
    }

    fn push(&mut self, on: bool) {
        if self.len.is_multiple_of(64) {
            self.words.push(0);
        }
        self.len += 1;
        self.set(self.len - 1, on);
    }

    /// How many are set before a position.
    fn rank(&self, at: u32) -> u32 {
        let (whole, rest) = (at as usize / 64, at % 64);
        let before: u32 =
            self.words[..whole.min(self.words.len())].iter().map(|w| w.count_ones()).sum();
        let last = self.words.get(whole).map_or(0, |word| (word & ((1 << rest) - 1)).count_ones());
        before + last
    }

    /// The position of the one that so many stand before.
    fn select(&self, mut rank: u32) -> Option<u32> {
        for (at, word) in self.words.iter().enumerate() {
            let ones = word.count_ones();
            if rank < ones {
                let mut word = *word;
                (0..rank).for_each(|_| word &= word - 1);
                return Some(at as u32 * 64 + word.trailing_zeros());
            }
            rank -= ones;
        }
        None
    }

    fn insert(&mut self, at: u32, on: bool) {
        self.push(false);
        let (first, rest) = (at as usize / 64, at % 64);
        let mut carry = 0;
        for (i, word) in self.words.iter_mut().enumerate().skip(first) {
            let low = if i == first { (1u64 << rest) - 1 } else { 0 };
            let kept = *word & low;
            let moved = *word & !low;
            let over = moved >> 63;
            *word = kept | (moved << 1) | if i == first { 0 } else { carry };
            carry = over;
        }
        self.set(at, on);
    }

    fn remove(&mut self, at: u32) {
        self.set(at, false);
        let (first, rest) = (at as usize / 64, at % 64);
        let words = self.words.len();
        for i in first..words {
            let low = if i == first { (1u64 << rest) - 1 } else { 0 };
            let kept = self.words[i] & low;
            let moved = (self.words[i] & !low) >> 1 & !low;
            let next = self.words.get(i + 1).map_or(0, |next| next & 1);
            self.words[i] = kept | moved | next << 63;
        }
        self.len -= 1;
        if self.len.is_multiple_of(64) {
            self.words.pop();
        }
    }
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
fn keys_of(keys: &[Key], item: &Value) -> Option<Keys> {
    let one = |key: &Key| match (key.by, item.at(&key.path)?) {
        (By::Text, value) => Some(SortKey::Text(value.to_text())),
        (_, Value::Number(n)) if !n.is_nan() => Some(SortKey::Number(*n)),
        (By::Itself, Value::String(text)) => Some(SortKey::Text(text.clone())),
        _ => None,
    };
    keys.iter().map(one).collect()
}

fn compare(keys: &[Key], a: &Keys, b: &Keys) -> Option<Ordering> {
    for (key, (a, b)) in keys.iter().zip(a.iter().zip(b)) {
        let order = a.compare(b)?;
        if order.is_ne() {
            return Some(if key.descending { order.reverse() } else { order });
        }
    }
    Some(Ordering::Equal)
}

/// The functions of a pipe at work: what they read beside items is read once.
struct Working<'a> {
    graph: &'a mut Graph,
    prepared: Arc<Prepared>,
    plan: u32,
    scope: ScopeId,
    known: SmallVec<[(CellId, Value); 4]>,
    locals: Vec<(Value, ())>,
}

/// What functions read beside their items.
struct Beside<'a> {
    sight: Sight<'a>,
    known: &'a mut SmallVec<[(CellId, Value); 4]>,
}

impl Cells for Beside<'_> {
    fn cell(&mut self, cell: CellId) -> Value {
        if let Some((_, value)) = self.known.iter().find(|(known, _)| *known == cell) {
            return value.clone();
        }
        let value = self.sight.cell(cell);
        self.known.push((cell, value.clone()));
        value
    }

    fn ask(&mut self, asked: u32, args: &[Value]) -> Value {
        self.sight.ask(asked, args)
    }

    fn local(&mut self, member: Member, args: &[Value]) -> Text {
        self.sight.local(member, args)
    }
}

impl<'a> Working<'a> {
    fn new(graph: &'a mut Graph, scope: ScopeId) -> Working<'a> {
        let (prepared, plan) = (graph.prepared.clone(), graph.scope(scope).plan);
        Working { graph, prepared, plan, scope, known: SmallVec::new(), locals: Vec::new() }
    }

    /// From which list and how the value of an expression comes about now, and what was read to know that.
    fn pipe(&mut self, expr: ExprId) -> Option<(Arc<Pipe>, Vec<Read>)> {
        match self.graph.way_of(self.scope, expr)?.clone() {
            Way::One(pipe) => Some((pipe, Vec::new())),
            Way::Either(choice) => {
                let then = self.evaluate(choice.test, None).truthy();
                let chosen = if then { &choice.then } else { &choice.otherwise };
                Some((chosen.clone()?, choice.reads.clone()))
            }
        }
    }

    /// The items of the list that a value comes from.
    fn items(&mut self, pipe: &Pipe) -> Option<Arc<Vec<Value>>> {
        match self.graph.cell(self.scope, pipe.source).at(&pipe.path) {
            Some(Value::List(items)) => Some(items.clone()),
            _ => None,
        }
    }

    fn evaluate(&mut self, expr: ExprId, item: Option<(u32, Value)>) -> Value {
        let exprs = &self.prepared.plan(self.plan).exprs;
        let sight = Sight { graph: self.graph, scope: self.scope };
        let cells = &mut Beside { sight, known: &mut self.known };
        let (names, locals) = (&self.prepared.program.names, &mut self.locals);
        let mut run = Evaluation { exprs, names, cells, locals, log: Vec::new() };
        if let Some((local, item)) = item {
            run.bind(local, (item, ()));
        }
        run.follow(expr).0
    }

    fn made(&mut self, made: &Made, item: &Value) -> Value {
        self.evaluate(made.body, made.param.map(|param| (param, item.clone())))
    }

    fn holds(&mut self, made: &Made, item: &Value) -> bool {
        self.made(made, item).truthy()
    }
}

impl Upkeep {
    /// How a value comes about, and the value. Nothing where it cannot be kept up.
    fn new(pipe: &Arc<Pipe>, items: &[Value], run: &mut Working<'_>) -> Option<(Upkeep, Value)> {
        let mut list: Vec<Value> = Vec::new();
        let mut stages = Vec::with_capacity(pipe.stages.len());
        for (at, stage) in pipe.stages.iter().enumerate() {
            let before: &[Value] = if at == 0 { items } else { &list };
            let (kept, after) = match stage {
                Stage::Flat(path) => {
                    let (mut lens, mut all) = (Vec::new(), Vec::new());
                    for item in before {
                        let Some(Value::List(inner)) = item.at(path) else { return None };
                        lens.push(inner.len() as u32);
                        all.extend(inner.iter().cloned());
                    }
                    (Kept::Flat(lens), all)
                }
                Stage::Filter(made) => {
                    let bits = bits(before, made, run);
                    let through = before.iter().enumerate().filter(|(at, _)| bits.get(*at as u32));
                    let through = through.map(|(_, item)| item.clone()).collect();
                    (Kept::Filter(bits), through)
                }
                Stage::Map(made) => {
                    (Kept::Map, before.iter().map(|item| run.made(made, item)).collect())
                }
                Stage::Sorted(keys) => {
                    let mut places: Vec<(u32, Keys)> = Vec::with_capacity(before.len());
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
                    (Kept::Sorted(order, keys), after)
                }
                Stage::Reversed => {
                    let len = before.len() as u32;
                    (Kept::Reversed(len), before.iter().rev().cloned().collect())
                }
            };
            stages.push(kept);
            list = after;
        }
        let last: &[Value] = if pipe.stages.is_empty() { items } else { &list };
        let mut outcome = Sum { len: last.len() as u32, ..Sum::default() };
        match &pipe.outcome {
            Outcome::List | Outcome::Length => {}
            Outcome::Some(made) | Outcome::Every(made) => outcome.bits = bits(last, made, run),
            Outcome::Sum { part, .. } => {
                for item in last {
                    let part = number(&run.made(part, item))?;
                    outcome.parts.push(part);
                    outcome.account(part, 1.0);
                }
            }
        }
        let value = match pipe.outcome {
            Outcome::List if pipe.stages.is_empty() => Value::list(items.to_vec()),
            Outcome::List => Value::list(list),
            _ => Value::Null,
        };
        let upkeep = Upkeep { pipe: pipe.clone(), stages, outcome };
        let value = upkeep.simple().unwrap_or(value);
        Some((upkeep, value))
    }

    /// The value, where it is no list.
    fn simple(&self) -> Option<Value> {
        let Sum { len, bits, .. } = &self.outcome;
        match &self.pipe.outcome {
            Outcome::List => None,
            Outcome::Length => Some(f64::from(*len).into()),
            Outcome::Some(_) => Some((bits.ones > 0).into()),
            Outcome::Every(_) => Some((bits.ones == bits.len).into()),
            Outcome::Sum { start, .. } => Some(self.outcome.sum(*start).into()),
        }
    }

    /// The items of the list that it begins with.
    fn len_at_first(&self) -> u32 {
        match self.stages.first() {
            Some(Kept::Flat(lens)) => lens.iter().sum(),
            Some(Kept::Filter(bits)) => bits.len,
            Some(Kept::Sorted(order, _)) => order.len() as u32,
            Some(Kept::Reversed(len)) => *len,
            Some(Kept::Map) | None => self.outcome.len,
        }
    }

    /// What some edits of the list come to. Nothing where they cannot be followed.
    fn follow(
        &mut self,
        edits: Vec<Edit>,
        from: usize,
        run: &mut Working<'_>,
    ) -> Option<Vec<Edit>> {
        let pipe = self.pipe.clone();
        let mut edits = edits;
        for (stage, kept) in pipe.stages.iter().zip(&mut self.stages).skip(from) {
            edits = match (stage, kept) {
                (Stage::Filter(made), Kept::Filter(bits)) => filtered(bits, made, edits, run),
                (Stage::Map(made), Kept::Map) => mapped(made, edits, run),
                (Stage::Sorted(by), Kept::Sorted(order, keys)) => ordered(by, order, keys, edits)?,
                (Stage::Reversed, Kept::Reversed(len)) => reversed(len, edits),
                _ => edits,
            };
        }
        for edit in &edits {
            self.outcome.take(&pipe.outcome, edit, run)?;
        }
        Some(edits)
    }

    /// Where an item of the list stands in the one that it is derived from: the way on from that.
    fn place(&self, position: u32) -> Option<SmallVec<[Step; 2]>> {
        let mut at = position;
        let mut way = SmallVec::new();
        for (stage, kept) in self.pipe.stages.iter().zip(&self.stages).rev() {
            at = match kept {
                Kept::Map => return None,
                Kept::Filter(bits) => bits.select(at)?,
                Kept::Sorted(order, _) => *order.get(at as usize)?,
                Kept::Reversed(len) => len.checked_sub(at + 1)?,
                Kept::Flat(lens) => {
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

impl Sum {
    fn account(&mut self, part: f64, sign: f64) {
        self.broken =
            if is_whole(part) { self.broken } else { self.broken.wrapping_add_signed(sign as i32) };
        if is_whole(part) {
            self.total += sign * part;
            self.size += sign * part.abs();
        }
    }

    /// The sum: of whole numbers that add up without rounding it is known, others are added in their order.
    fn sum(&self, start: f64) -> f64 {
        let is_exact = self.broken == 0 && is_whole(start) && self.size + start.abs() <= MOST_EXACT;
        if is_exact {
            start + self.total
        } else {
            self.parts.iter().fold(start, |sum, part| sum + part)
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
            Outcome::Some(made) | Outcome::Every(made) => match edit {
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
                    self.account(part, -1.0);
                }
                Edit::Insert(at, item) => {
                    let part = number(&run.made(part, item))?;
                    self.parts.insert(*at as usize, part);
                    self.account(part, 1.0);
                }
                Edit::Set(at, item, way) => {
                    if part.meets(way.as_deref()) {
                        let part = number(&run.made(part, item))?;
                        let was = std::mem::replace(&mut self.parts[*at as usize], part);
                        self.account(was, -1.0);
                        self.account(part, 1.0);
                    }
                }
            },
        }
        Some(())
    }
}

/// Whether a number is whole, so that it can be added and taken away again.
fn is_whole(n: f64) -> bool {
    n.fract() == 0.0 && n.abs() <= MOST_EXACT && (n != 0.0 || n.is_sign_positive())
}

fn number(value: &Value) -> Option<f64> {
    match value {
        Value::Number(n) => Some(*n),
        _ => None,
    }
}

fn bits(items: &[Value], made: &Made, run: &mut Working<'_>) -> Bits {
    let mut bits = Bits::default();
    for item in items {
        let holds = run.holds(made, item);
        bits.push(holds);
    }
    bits
}

fn filtered(bits: &mut Bits, made: &Made, edits: Vec<Edit>, run: &mut Working<'_>) -> Vec<Edit> {
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

fn mapped(made: &Made, edits: Vec<Edit>, run: &mut Working<'_>) -> Vec<Edit> {
    let edit = |edit| match edit {
        Edit::Remove(at) => Some(Edit::Remove(at)),
        Edit::Insert(at, item) => Some(Edit::Insert(at, run.made(made, &item))),
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
    by: &[Key],
    order: &mut Vec<u32>,
    keys: &mut Vec<Keys>,
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
    by: &[Key],
    order: &mut Vec<u32>,
    keys: &mut Vec<Keys>,
    at: u32,
    own: Keys,
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

/// The items of the list that a value is derived from, or those of the lists in them.
struct Items<'a> {
    items: &'a [Value],
    flat: Option<(&'a [Step], &'a [u32])>,
}

impl Items<'_> {
    fn get(&self, at: u32) -> Option<Value> {
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
struct Tracing {
    pieces: Vec<Piece>,
    inside: SmallVec<[(u32, Option<SmallVec<[Step; 2]>>); 4]>,
    most: usize,
}

impl Tracing {
    /// Notes a write in an item.
    fn write(&mut self, at: u32, way: &[Step]) -> Option<()> {
        match self.inside.iter_mut().find(|(known, _)| *known == at) {
            Some((_, known)) => *known = None,
            None => {
                self.inside.push((at, (!way.is_empty()).then(|| way.iter().cloned().collect())))
            }
        }
        (self.inside.len() <= self.most).then_some(())
    }

    /// Notes that items went and came.
    fn splice(&mut self, at: u32, gone: u32, came: u32) -> Option<()> {
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
    fn edits(self, len: u32, items: &Items<'_>) -> Option<Vec<Edit>> {
        let mut pieces = Vec::new();
        self.pieces.iter().for_each(|piece| push_piece(&mut pieces, *piece));
        let runs: Vec<(u32, u32)> = pieces
            .iter()
            .filter_map(|piece| match piece {
                Piece::Kept { start, len } => Some((*start, *len)),
                Piece::Fresh { .. } => None,
            })
            .collect();
        let mut stays = staying(&runs).into_iter();
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

impl Graph {
    /// How a derived value can be kept up.
    fn way_of(&self, scope: ScopeId, expr: ExprId) -> Option<&Way> {
        self.prepared.plans[self.scope(scope).plan as usize].ways.get(&expr)
    }

    fn upkeep(&self, (scope, reader): ReaderKey) -> Option<&Upkeep> {
        match self.scope(scope).cells.get(reader as usize) {
            Some(Slot::Derived { upkeep, .. }) => upkeep.as_deref(),
            _ => None,
        }
    }

    /// Forgets how a value came about; whether that was known.
    pub(super) fn forget_upkeep(&mut self, (scope, reader): ReaderKey) -> bool {
        match self.scope_mut(scope).cells.get_mut(reader as usize) {
            Some(Slot::Derived { upkeep, .. }) => upkeep.take().is_some(),
            _ => false,
        }
    }

    /// Has what was kept up before a pulse that was taken back be so again: what comes next is told as if that pulse had
    /// never been.
    pub(crate) fn keep_up_again(&mut self) {
        for key in std::mem::take(&mut self.unkept) {
            let is_there = self.scopes.get(key.0 as usize).is_some_and(|scope| scope.alive);
            if !is_there || self.mark_of(key) != Mark::Fresh {
                continue;
            }
            let Some(Slot::Derived { scope, expr, .. }) =
                self.scope(key.0).cells.get(key.1 as usize)
            else {
                continue;
            };
            let (scope, expr) = (*scope, *expr);
            let mut run = Working::new(self, scope);
            let Some((pipe, _)) = run.pipe(expr) else { continue };
            let Some(items) = run.items(&pipe) else { continue };
            let Some((upkeep, _)) = Upkeep::new(&pipe, &items, &mut run) else { continue };
            if let Some(Slot::Derived { upkeep: own, .. }) =
                self.scope_mut(key.0).cells.get_mut(key.1 as usize)
            {
                *own = Some(Box::new(upkeep));
            }
        }
    }

    /// Whether the list that a value is kept up with was written to, in whatever way.
    pub(super) fn source_is_another(&self, key: ReaderKey) -> bool {
        let Some(upkeep) = self.upkeep(key) else { return false };
        let touched = self.scope(key.0).readers[key.1 as usize].touched;
        touched > 0
            && self.touched[touched as usize - 1]
                .wakes
                .iter()
                .any(|wake| wake.cell == upkeep.pipe.source)
    }

    /// Brings a derived value up to date by what has become of the list that it is derived from. `false` where it has to be
    /// worked out as any other.
    pub(super) fn keep_up(&mut self, key: ReaderKey) -> bool {
        let Some(Slot::Derived { scope, expr, .. }) = self.scope(key.0).cells.get(key.1 as usize)
        else {
            return false;
        };
        let (scope, expr) = (*scope, *expr);
        if self.is_broken(Sabotage::StaleDerived) || self.is_broken(Sabotage::EvaluateAll) {
            return false;
        }
        if self.way_of(scope, expr).is_none() {
            return false;
        }
        let touched = self.touch(key);
        self.touched[touched].evaluated = true;
        let state = self.scope(key.0).readers[key.1 as usize];
        let entry = &self.touched[touched];
        // Those who are told of nothing have to look at all.
        let is_told = self.scope(key.0).alive && self.scope(scope).alive && self.telling == 0;
        let follows =
            is_told && state.mark == Mark::Stale && (entry.kept_to.is_some() || !state.carried);
        let upkeep = match self.scope_mut(key.0).cells.get_mut(key.1 as usize) {
            Some(Slot::Derived { upkeep, .. }) => upkeep.take(),
            _ => None,
        };
        let mut run = Working::new(self, scope);
        let Some((pipe, mut reads)) = run.pipe(expr) else { return false };
        let Some(items) = run.items(&pipe) else { return false };
        let upkeep = upkeep.filter(|upkeep| follows && Arc::ptr_eq(&upkeep.pipe, &pipe));
        let kept_to = run.graph.log.len() as u32;
        let (upkeep, outcome) =
            match upkeep.and_then(|upkeep| run.followed(touched, upkeep, &items)) {
                Some((upkeep, edits)) => (upkeep, Ok(edits)),
                None => match Upkeep::new(&pipe, &items, &mut run) {
                    Some((upkeep, value)) => (Box::new(upkeep), Err(value)),
                    None => return false,
                },
            };
        let simple = upkeep.simple();
        let read: SmallVec<[CellId; 4]> = run.known.iter().map(|(cell, _)| *cell).collect();
        drop((items, run));
        if self.fault.is_some() {
            return false;
        }
        reads.insert(
            0,
            Read { cell: pipe.source, path: pipe.path.clone(), extent: vein_plan::Extent::Whole },
        );
        reads.extend(pipe.beside.iter().cloned());
        self.note_reads(key, touched, reads, &read);
        if let Some(Slot::Derived { upkeep: own, .. }) =
            self.scope_mut(key.0).cells.get_mut(key.1 as usize)
        {
            *own = Some(upkeep);
        }
        self.touched[touched].kept_to = Some(kept_to);
        match &outcome {
            Ok(_) => self.kept_up.0 += 1,
            Err(_) => self.kept_up.1 += 1,
        }
        self.computed += 1;
        let because: SmallVec<[u32; 2]> = self.because(key).iter().copied().collect();
        self.freshen(key);
        let here = self.scope(key.0);
        let cell = self.prepared.block(here.plan, here.block).cells[key.1 as usize];
        let at = (key.0, cell, key.1);
        match (simple, outcome) {
            (Some(value), _) | (None, Err(value)) => {
                self.store(at, Vec::new(), value, because);
            }
            (None, Ok(edits)) => {
                let around = self.editing.replace((key.0, cell));
                let edited = std::mem::take(&mut self.edited);
                self.edit(at, edits, &because);
                self.editing = around;
                // A list that is derived is another one each time: of those that are alike the first has the first row.
                self.telling += 1;
                for (scope, spot) in std::mem::replace(&mut self.edited, edited) {
                    self.take_turns(scope, spot);
                }
                self.telling -= 1;
            }
        }
        self.tell_shifted();
        true
    }

    /// Notes what a value was found to read: its list, and what else was looked at, now or since it was last worked out as
    /// a whole.
    fn note_reads(
        &mut self,
        key: ReaderKey,
        touched: usize,
        reads: Vec<Read>,
        looked_at: &[CellId],
    ) {
        if matches!(&*self.reads(key).1, KnownReads::Fixed(_)) {
            return;
        }
        let traces = &mut self.scopes[key.0 as usize].traces;
        let before = traces.get(&key.1);
        let was_read = |read: &Read| before.is_some_and(|before| before.contains(read));
        let is_read = |(at, read): (usize, Read)| {
            (at == 0 || looked_at.contains(&read.cell) || was_read(&read)).then_some(read)
        };
        let mut now: Vec<Read> = Vec::new();
        for read in reads.into_iter().enumerate().filter_map(is_read) {
            if !now.contains(&read) {
                now.push(read);
            }
        }
        if before.is_some_and(|before| **before == *now) {
            return;
        }
        let old = traces.insert(key.1, now.into());
        let entry = &mut self.touched[touched];
        if entry.trace.is_none() {
            entry.trace = Some(old);
        }
    }

    /// Does to the list that is kept of a derived value what has become of it, and tells whoever reads it.
    fn edit(&mut self, of: (ScopeId, CellId, u32), edits: Vec<Edit>, because: &SmallVec<[u32; 2]>) {
        let (home, cell, at) = of;
        let lost = self.is_broken(Sabotage::LoseEdits);
        let misplaced = self.is_broken(Sabotage::MisplaceEdits);
        let mut edits = edits.into_iter().peekable();
        while let Some(edit) = edits.next() {
            let Slot::Derived { value: Value::List(items), .. } =
                &mut self.scopes[home as usize].cells[at as usize]
            else {
                return;
            };
            let items = Arc::make_mut(items);
            let (first, mut gone, mut came) = match edit {
                Edit::Set(at, item, _) => {
                    let Some(place) = items.get_mut(at as usize) else { continue };
                    if place.same(&item) {
                        *place = item;
                        continue;
                    }
                    let old = std::mem::replace(place, item.clone());
                    let (path, undo) = (vec![Step::Index(at)], Undo::Set(old.clone()));
                    self.tell((home, cell), path, undo, What::Replaced(&old, &item), because);
                    continue;
                }
                Edit::Remove(_) | Edit::Insert(..) if lost => continue,
                Edit::Remove(at) => (at, 1, Vec::new()),
                Edit::Insert(at, item) => (at.saturating_sub(u32::from(misplaced)), 0, vec![item]),
            };
            // Those beside each other go and come at once.
            let mut first = first as usize;
            while let Some(next) = edits.peek() {
                match next {
                    Edit::Remove(at) if came.is_empty() && *at as usize + 1 == first => {
                        (first, gone) = (first - 1, gone + 1);
                    }
                    Edit::Remove(at) if came.is_empty() && *at as usize == first => gone += 1,
                    Edit::Insert(at, _) if *at as usize == first + came.len() => {}
                    _ => break,
                }
                if let Some(Edit::Insert(_, item)) = edits.next() {
                    came.push(item);
                }
            }
            let is_same = gone == came.len()
                && items[first..first + gone].iter().zip(&came).all(|(old, new)| old.same(new));
            if is_same {
                continue;
            }
            let inserted = came.len();
            let removed: Vec<Value> = items.splice(first..first + gone, came).collect();
            let undo = Undo::Splice { at: first, removed: removed.clone(), inserted };
            let seen = ListSeen::Splice { at: first, removed, inserted };
            self.tell((home, cell), Vec::new(), undo, What::Listed(&seen), because);
        }
    }

    fn tell(
        &mut self,
        (home, cell): (ScopeId, CellId),
        path: Vec<Step>,
        undo: Undo,
        what: What<'_>,
        because: &SmallVec<[u32; 2]>,
    ) {
        let because = because.clone();
        self.log.push(Change { scope: home, cell, path: path.clone(), undo, because });
        let prepared = self.prepared.clone();
        self.telling += 1;
        self.notify(&prepared, home, cell, At { path: &path, what, strip: Some(0) });
        self.match_rekeyed();
        self.telling -= 1;
    }

    /// The way from the list that a derived value is kept up with to one of its items.
    pub(super) fn place_in_source(
        &self,
        key: ReaderKey,
        position: u32,
    ) -> Option<(CellId, Vec<Step>)> {
        let upkeep = self.upkeep(key)?;
        if !matches!(upkeep.pipe.outcome, Outcome::List) {
            return None;
        }
        let way = upkeep.place(position)?;
        Some((upkeep.pipe.source, upkeep.pipe.path.iter().cloned().chain(way).collect()))
    }
}

impl Working<'_> {
    /// Follows what has become of the list since. Nothing where that is too much.
    fn followed(
        &mut self,
        touched: usize,
        upkeep: Box<Upkeep>,
        items: &[Value],
    ) -> Option<(Box<Upkeep>, Vec<Edit>)> {
        let mut upkeep = upkeep;
        let pipe = upkeep.pipe.clone();
        let mut beside = false;
        let Since::Edits(edits) = self.since(touched, &mut upkeep, items, &mut beside) else {
            return None;
        };
        let mut out = upkeep.follow(
            edits,
            usize::from(matches!(upkeep.stages.first(), Some(Kept::Flat(_)))),
            self,
        )?;
        if beside {
            if !pipe.first_only {
                return None;
            }
            // All that the filter looks at may come to something else.
            let (Some(Stage::Filter(made)), Some(Kept::Filter(bits))) =
                (pipe.stages.first(), upkeep.stages.first_mut())
            else {
                return None;
            };
            let most = FEW + items.len() / 16;
            let (mut edits, mut before) = (Vec::new(), 0);
            for (at, item) in (0..).zip(items) {
                let is = self.holds(made, item);
                match (bits.get(at), is) {
                    (false, true) => edits.push(Edit::Insert(before, item.clone())),
                    (true, false) => edits.push(Edit::Remove(before)),
                    _ => {}
                }
                if edits.len() > most {
                    return None;
                }
                bits.set(at, is);
                before += u32::from(is);
            }
            out.extend(upkeep.follow(edits, 1, self)?);
        }
        Some((upkeep, out))
    }

    /// What has become of the list; `beside` says whether something else was written that functions read.
    fn since(
        &self,
        touched: usize,
        upkeep: &mut Upkeep,
        items: &[Value],
        beside: &mut bool,
    ) -> Since {
        let edits = self.edits_since(touched, upkeep, items, beside);
        edits.map_or(Since::Anything, Since::Edits)
    }

    fn edits_since(
        &self,
        touched: usize,
        upkeep: &mut Upkeep,
        items: &[Value],
        beside: &mut bool,
    ) -> Option<Vec<Edit>> {
        let pipe = upkeep.pipe.clone();
        let entry = &self.graph.touched[touched];
        let len = upkeep.len_at_first();
        let start = Piece::Kept { start: 0, len };
        let pieces = if len > 0 { vec![start] } else { Vec::new() };
        let mut tracing =
            Tracing { pieces, inside: SmallVec::new(), most: FEW + len as usize / 16 };
        let mut last = None;
        let misses = self.graph.is_broken(Sabotage::MissInside);
        for wake in &entry.wakes {
            if Some(wake.write) < entry.kept_to {
                continue;
            }
            if wake.cell != pipe.source {
                *beside |= pipe.reads_beside(wake.cell);
                continue;
            }
            if wake.whole.is_some() {
                return None;
            }
            if last.replace(wake.write) == Some(wake.write) {
                continue;
            }
            let change = &self.graph.log[wake.write as usize];
            let path = change.path.get(wake.strip as usize..)?;
            if !path.iter().zip(&pipe.path).all(|(step, own)| step == own) {
                continue;
            }
            let rest = path.get(pipe.path.len()..)?;
            match (pipe.stages.first(), upkeep.stages.first_mut()) {
                (Some(Stage::Flat(inner)), Some(Kept::Flat(lens))) => {
                    let [Step::Index(outer), way @ ..] = rest else { return None };
                    let outer = *outer as usize;
                    if !way.iter().zip(inner).all(|(step, own)| step == own) {
                        continue;
                    }
                    let way = way.get(inner.len()..)?;
                    let before: u32 = lens.get(..outer)?.iter().sum();
                    let own = lens.get_mut(outer)?;
                    match (way, &change.undo) {
                        ([Step::Index(at), way @ ..], _) => tracing.write(before + at, way)?,
                        ([], Undo::Splice { at, removed, inserted }) => {
                            let (gone, came) = (removed.len() as u32, *inserted as u32);
                            *own = (*own + came).checked_sub(gone)?;
                            tracing.splice(before + *at as u32, gone, came)?;
                        }
                        _ => return None,
                    }
                }
                _ => match (rest, &change.undo) {
                    ([Step::Index(_), _, ..], _) if misses => {}
                    ([Step::Index(at), way @ ..], _) => tracing.write(*at, way)?,
                    ([], Undo::Splice { at, removed, inserted }) => {
                        tracing.splice(*at as u32, removed.len() as u32, *inserted as u32)?;
                    }
                    _ => return None,
                },
            }
        }
        let flat = match (pipe.stages.first(), upkeep.stages.first()) {
            (Some(Stage::Flat(path)), Some(Kept::Flat(lens))) => {
                Some((path.as_slice(), lens.as_slice()))
            }
            _ => None,
        };
        let now: u32 = match flat {
            Some((path, lens)) => {
                let inner = items.iter().map(|item| item.at(path).map(Value::list_len));
                let is_so = inner.eq(lens.iter().map(|len| Some(*len as usize)));
                if !is_so {
                    return None;
                }
                lens.iter().sum()
            }
            None => items.len() as u32,
        };
        if tracing.pieces.iter().map(|piece| piece.len()).sum::<u32>() != now {
            return None;
        }
        tracing.edits(len, &Items { items, flat })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bits_are_counted_put_in_and_taken_out() {
        let mut seed = 7u64;
        let mut random = move |below: usize| {
            seed ^= seed << 13;
            seed ^= seed >> 7;
            seed ^= seed << 17;
            (seed % below as u64) as usize
        };
        let (mut bits, mut plain) = (Bits::default(), Vec::<bool>::new());
        for round in 0..20_000 {
            let on = random(2) == 0;
            match random(if round % 4_000 < 2_000 { 3 } else { 5 }) {
                0 | 1 => {
                    let at = random(plain.len() + 1);
                    bits.insert(at as u32, on);
                    plain.insert(at, on);
                }
                2 if !plain.is_empty() => {
                    let at = random(plain.len());
                    bits.set(at as u32, on);
                    plain[at] = on;
                }
                _ if !plain.is_empty() => {
                    let at = random(plain.len());
                    bits.remove(at as u32);
                    plain.remove(at);
                }
                _ => {}
            }
            let at = random(plain.len() + 1);
            let before = plain[..at].iter().filter(|on| **on).count();
            assert_eq!(bits.rank(at as u32) as usize, before);
            assert_eq!(bits.len as usize, plain.len());
            assert_eq!(bits.ones as usize, plain.iter().filter(|on| **on).count());
            let found = bits.select(before as u32);
            let next = (at..plain.len()).find(|at| plain[*at]);
            assert_eq!(found, next.map(|at| at as u32));
            assert_eq!(bits.words.len(), plain.len().div_ceil(64));
        }
    }
}
