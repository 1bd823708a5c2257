//! A value over time: what it was after each of many changes, kept as what each of them changed.

use crate::value::{Name, Record, Step, Value};
use std::collections::VecDeque;
use std::sync::Arc;

/// What a value was after each change, within a bound on memory: the oldest is dropped first.
///
/// ```
/// use vein_plan::{Value, timeline::Timeline};
/// let mut timeline = Timeline::new(1 << 20);
/// for n in 0..100 {
///     timeline.push(Value::list(vec![Value::from("a bed"), Value::Number(f64::from(n))]));
/// }
/// let then = timeline.at(42).expect("it is kept");
/// assert!(then.same(&Value::list(vec![Value::from("a bed"), Value::Number(42.0)])));
/// assert_eq!(timeline.range(), 0..100);
/// ```
#[derive(Clone, Debug)]
pub struct Timeline {
    /// The first is whole.
    moments: VecDeque<Moment>,
    /// The number of the first that is kept.
    first: u64,
    /// The last.
    last: Value,
    /// How much edits have taken since the last one that is whole.
    edited: usize,
    weight: usize,
    most: usize,
}

#[derive(Clone, Debug)]
struct Moment {
    what: What,
    weight: usize,
}

#[derive(Clone, Debug)]
enum What {
    Whole(Value),
    /// What was done to the one before.
    Edits(Vec<Edit>),
}

/// One change in a value.
#[derive(Clone, Debug)]
struct Edit {
    /// The way to it.
    path: Vec<Step>,
    change: Change,
}

#[derive(Clone, Debug)]
enum Change {
    /// Another value stands there.
    Put(Value),
    /// A key comes to a dictionary.
    Add(Value),
    /// A key goes from one.
    Take,
    /// In a list, so many items from a position on made room for others.
    Splice { at: usize, remove: usize, insert: Vec<Value> },
}

impl Timeline {
    /// An empty one, that takes so many bytes at most, as far as that can be told. One value is always kept.
    pub fn new(most: usize) -> Timeline {
        let (moments, last) = (VecDeque::new(), Value::Null);
        Timeline { moments, first: 0, last, edited: 0, weight: 0, most }
    }

    /// What is kept, by numbers: the first that was pushed is 0.
    pub fn range(&self) -> std::ops::Range<u64> {
        self.first..self.first + self.moments.len() as u64
    }

    /// How many bytes it takes, about.
    pub fn weight(&self) -> usize {
        self.weight
    }

    /// Adds what the value has become.
    pub fn push(&mut self, value: Value) {
        let mut edits = Vec::new();
        if !self.moments.is_empty() {
            compare(&self.last, &value, &mut Vec::new(), &mut edits);
        }
        let took: usize = edits.iter().map(Edit::weight).sum();
        let whole = weight(&value);
        // Whoever asks for one has no more to do than to read another whole one.
        let moment = match self.moments.is_empty() || self.edited + took > whole {
            true => {
                self.edited = 0;
                Moment { what: What::Whole(value.clone()), weight: whole }
            }
            false => {
                self.edited += took;
                Moment { what: What::Edits(edits), weight: took }
            }
        };
        self.weight += moment.weight + size_of::<Moment>();
        self.moments.push_back(moment);
        self.last = value;
        while self.weight > self.most && self.moments.len() > 1 {
            self.drop_first();
        }
    }

    /// What the value was then; `None` where that is not kept.
    pub fn at(&self, number: u64) -> Option<Value> {
        let at = usize::try_from(number.checked_sub(self.first)?).ok()?;
        let last = self.moments.len().checked_sub(1)?;
        if at == last {
            return Some(self.last.clone());
        }
        let whole = (0..=at.min(last)).rev().find_map(|at| match &self.moments[at].what {
            What::Whole(value) => Some((at, value.clone())),
            What::Edits(_) => None,
        });
        let (from, mut value) = whole.filter(|_| at < self.moments.len())?;
        for moment in self.moments.range(from + 1..=at) {
            if let What::Edits(edits) = &moment.what {
                edits.iter().for_each(|edit| edit.apply(&mut value));
            }
        }
        Some(value)
    }

    /// Forgets what came after one of them.
    pub fn truncate(&mut self, number: u64) {
        let Some(value) = self.at(number) else { return };
        let keep = (number - self.first + 1) as usize;
        let gone = self.moments.drain(keep..).map(|moment| moment.weight + size_of::<Moment>());
        self.weight -= gone.sum::<usize>();
        let edits = self.moments.iter().rev().take_while(|one| matches!(one.what, What::Edits(_)));
        self.edited = edits.map(|moment| moment.weight).sum();
        self.last = value;
    }

    fn drop_first(&mut self) {
        let Some(Moment { what: What::Whole(mut value), weight: took }) = self.moments.pop_front()
        else {
            return;
        };
        self.first += 1;
        self.weight -= took + size_of::<Moment>();
        let Some(next) = self.moments.front_mut() else { return };
        if let What::Edits(edits) = &next.what {
            edits.iter().for_each(|edit| edit.apply(&mut value));
            let whole = weight(&value);
            self.weight = self.weight - next.weight + whole;
            self.edited = self.edited.saturating_sub(next.weight);
            *next = Moment { what: What::Whole(value), weight: whole };
        }
    }
}

impl Edit {
    fn weight(&self) -> usize {
        let inside = match &self.change {
            Change::Put(value) => weight(value),
            Change::Add(value) => weight(value),
            Change::Take => 0,
            Change::Splice { insert, .. } => insert.iter().map(weight).sum(),
        };
        size_of::<Edit>() + self.path.len() * size_of::<Step>() + inside
    }

    fn apply(&self, to: &mut Value) {
        if let (Change::Add(_) | Change::Take, [around @ .., Step::Field(key)]) =
            (&self.change, self.path.as_slice())
        {
            if let Some(Value::Record(record)) = to.at_mut(around) {
                match &self.change {
                    Change::Add(value) => Arc::make_mut(record).add(key.clone(), value.clone()),
                    _ => drop(Arc::make_mut(record).take(key)),
                }
            }
            return;
        }
        let Some(place) = to.at_mut(&self.path) else { return };
        match (&self.change, place) {
            (Change::Put(value), place) => *place = value.clone(),
            (Change::Splice { at, remove, insert }, Value::List(items)) => {
                Arc::make_mut(items).splice(*at..at + remove, insert.iter().cloned());
            }
            _ => {}
        }
    }
}

/// How many bytes a value takes, about, were nothing of it shared.
fn weight(value: &Value) -> usize {
    let (mut sum, mut open) = (0, vec![value]);
    while let Some(value) = open.pop() {
        sum += size_of::<Value>();
        match value {
            Value::String(text) => sum += text.len(),
            Value::List(items) => open.extend(items.iter()),
            Value::Record(record) => open.extend(record.iter().map(|(_, value)| value)),
            _ => {}
        }
    }
    sum
}

/// Whether two values cannot be told apart by anybody, to the order of their fields.
fn identical(a: &Value, b: &Value) -> bool {
    match (a, b) {
        (Value::List(a), Value::List(b)) => {
            Arc::ptr_eq(a, b)
                || a.len() == b.len() && a.iter().zip(b.iter()).all(|(a, b)| identical(a, b))
        }
        (Value::Record(a), Value::Record(b)) => {
            let same = |((n, a), (m, b)): ((&crate::Name, &Value), (&crate::Name, &Value))| {
                n == m && identical(a, b)
            };
            let alike = a.is_dictionary() == b.is_dictionary() && a.len() == b.len();
            Arc::ptr_eq(a, b) || alike && a.iter().zip(b.iter()).all(same)
        }
        (Value::Number(a), Value::Number(b)) => a.to_bits() == b.to_bits(),
        (a, b) => a.same(b),
    }
}

/// What leads from one value to another.
fn compare(before: &Value, after: &Value, path: &mut Vec<Step>, edits: &mut Vec<Edit>) {
    if identical(before, after) {
        return;
    }
    match (before, after) {
        (Value::List(a), Value::List(b)) => {
            let first = a.iter().zip(b.iter()).take_while(|(a, b)| identical(a, b)).count();
            let (a_left, b_left) = (&a[first..], &b[first..]);
            let last = a_left.iter().rev().zip(b_left.iter().rev());
            let last = last.take_while(|(a, b)| identical(a, b)).count();
            let (a_left, b_left) = (&a_left[..a_left.len() - last], &b_left[..b_left.len() - last]);
            if a_left.len() == b_left.len() {
                for (at, (a, b)) in a_left.iter().zip(b_left).enumerate() {
                    path.push(Step::Index((first + at) as u32));
                    compare(a, b, path, edits);
                    path.pop();
                }
            } else {
                let (at, remove, insert) = (first, a_left.len(), b_left.to_vec());
                let change = Change::Splice { at, remove, insert };
                edits.push(Edit { path: path.clone(), change });
            }
        }
        (Value::Record(a), Value::Record(b))
            if a.is_dictionary() == b.is_dictionary()
                && a.len() == b.len()
                && a.iter().map(|f| f.0).eq(b.iter().map(|f| f.0)) =>
        {
            for ((name, a), (_, b)) in a.iter().zip(b.iter()) {
                path.push(Step::Field(name.clone()));
                compare(a, b, path, edits);
                path.pop();
            }
        }
        (Value::Record(a), Value::Record(b)) if a.is_dictionary() && b.is_dictionary() => {
            match entries_edits(a, b, path) {
                Some(more) => edits.extend(more),
                None => edits.push(Edit { path: path.clone(), change: Change::Put(after.clone()) }),
            }
        }
        _ => edits.push(Edit { path: path.clone(), change: Change::Put(after.clone()) }),
    }
}

/// From how many keys on that go from a dictionary at once it is noted as a whole.
const MANY_GONE: usize = 32;

/// What leads from one dictionary to another: what goes, what comes, and what is another inside. `None` where that comes to
/// another order, or is much.
fn entries_edits(a: &Record, b: &Record, path: &mut Vec<Step>) -> Option<Vec<Edit>> {
    let gone: Vec<&Name> =
        a.iter().map(|(key, _)| key).filter(|key| b.get(key).is_none()).take(MANY_GONE).collect();
    if gone.len() == MANY_GONE {
        return None;
    }
    let (mut edits, mut made) = (Vec::new(), a.clone());
    let edit = |key: &Name, change| {
        let path = path.iter().cloned().chain([Step::Field(key.clone())]).collect();
        Edit { path, change }
    };
    for key in gone {
        made.take(key);
        edits.push(edit(key, Change::Take));
    }
    for (key, value) in b.iter().filter(|(key, _)| a.get(key).is_none()) {
        made.add(key.clone(), Value::Null);
        edits.push(edit(key, Change::Add(value.clone())));
    }
    if !made.has_names_of(b) {
        return None;
    }
    for (key, value) in b.iter() {
        if let Some(before) = a.get(key) {
            path.push(Step::Field(key.clone()));
            compare(before, value, path, &mut edits);
            path.pop();
        }
    }
    Some(edits)
}
