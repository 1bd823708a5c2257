//! Values: what state holds and what expressions give.

use crate::number;
use crate::text::Text;
use compact_str::CompactString;
use indexmap::IndexSet;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// The name of a field, prop, event or part.
pub type Name = Arc<str>;

/// A value of the language. Lists and records are values: to clone is to share storage
/// until one side is changed.
#[derive(Clone, Debug, Default)]
pub enum Value {
    /// `null`; `undefined` does not exist.
    #[default]
    Null,
    /// `true` or `false`.
    Boolean(bool),
    /// An IEEE 754 double.
    Number(f64),
    /// A string of UTF-16 code units.
    String(Text),
    /// An array.
    List(Arc<Vec<Value>>),
    /// An object: a record with a fixed set of fields, or a dictionary.
    Record(Arc<Record>),
}

/// An object: field names and, in the same order, their values. Of a record the names are known beforehand, of a
/// dictionary they are data.
#[derive(Clone, Debug)]
pub struct Record {
    names: Names,
    values: Vec<Value>,
}

/// The names of an object's fields.
#[derive(Clone, Debug)]
enum Names {
    /// Shared with others of its kind.
    Shared(Arc<[Name]>),
    /// The keys of a dictionary.
    Keys(Box<IndexSet<Name>>),
}

impl Names {
    fn iter(&self) -> NamesIter<'_> {
        match self {
            Names::Shared(names) => NamesIter::Shared(names.iter()),
            Names::Keys(keys) => NamesIter::Keys(keys.iter()),
        }
    }
}

/// The names of an object's fields in order.
enum NamesIter<'a> {
    Shared(std::slice::Iter<'a, Name>),
    Keys(indexmap::set::Iter<'a, Name>),
}

impl<'a> Iterator for NamesIter<'a> {
    type Item = &'a Name;

    fn next(&mut self) -> Option<&'a Name> {
        match self {
            NamesIter::Shared(names) => names.next(),
            NamesIter::Keys(keys) => keys.next(),
        }
    }
}

/// How deep values may be nested: lists in records in lists. State that would be is not written.
pub const DEEPEST_VALUE: usize = 256;

/// How many bytes a value takes where it stands, without what it leads to.
pub const VALUE_BYTES: u64 = size_of::<Value>() as u64;

impl Value {
    /// Whether its list or record is stored once for several places.
    fn is_shared(&self) -> bool {
        match self {
            Value::List(items) => Arc::strong_count(items) > 1,
            Value::Record(record) => Arc::strong_count(record) > 1,
            _ => false,
        }
    }

    /// What stands in a list or record.
    fn inside(&self) -> Option<&[Value]> {
        match self {
            Value::List(items) => Some(items),
            Value::Record(record) => Some(&record.values),
            _ => None,
        }
    }

    /// How many bytes it takes with everything in it, where nothing is stored once for several places. Stops
    /// counting beyond `most`, so that what holds itself again and again is not gone over.
    ///
    /// ```
    /// use vein_plan::Value;
    /// let row = Value::list(vec![1.0.into(); 100]);
    /// let rows = Value::list(vec![row.clone(); 100]);
    /// assert!(rows.bytes(u64::MAX) > 100 * row.bytes(u64::MAX));
    /// assert!(rows.bytes(1_000) < 100 * row.bytes(u64::MAX));
    /// ```
    pub fn bytes(&self, most: u64) -> u64 {
        let own = |value: &Value| match value {
            Value::String(text) => VALUE_BYTES + text.bytes(),
            _ => VALUE_BYTES,
        };
        let mut bytes = own(self);
        let mut open: Vec<std::slice::Iter<'_, Value>> = Vec::new();
        open.extend(self.inside().map(<[Value]>::iter));
        while let Some(last) = open.last_mut() {
            if bytes > most {
                break;
            }
            let Some(value) = last.next() else {
                open.pop();
                continue;
            };
            bytes = bytes.saturating_add(own(value));
            open.extend(value.inside().map(<[Value]>::iter));
        }
        bytes
    }

    /// Whether there are more than so many lists and records around each other in it.
    ///
    /// ```
    /// use vein_plan::Value;
    /// let nested = Value::list(vec![Value::list(Vec::new())]);
    /// assert!(nested.is_deeper_than(1) && !nested.is_deeper_than(2));
    /// ```
    pub fn is_deeper_than(&self, depth: usize) -> bool {
        // Nothing is set aside for what does not nest, which is most of what is written.
        let mut open = Vec::new();
        open.extend(self.inside().map(|inside| (inside, 1)));
        // What is stored once for several places is gone over once, as deep as it was found at the deepest.
        let mut known: HashMap<*const Value, usize> = HashMap::new();
        while let Some((inside, around)) = open.pop() {
            if around > depth {
                return true;
            }
            for value in inside {
                let Some(inner) = value.inside() else { continue };
                if value.is_shared() && !inner.is_empty() {
                    let deepest = known.entry(inner.as_ptr()).or_insert(0);
                    if *deepest > around {
                        continue;
                    }
                    *deepest = around + 1;
                }
                open.push((inner, around + 1));
            }
        }
        false
    }
}

/// From how many fields on a record that is made finds them by a table.
const MANY_FIELDS: usize = 32;

impl Record {
    /// A record from pairs; of two fields with one name the later wins, in the earlier's place.
    pub fn new(fields: impl IntoIterator<Item = (Name, Value)>) -> Record {
        let (mut names, mut values) = (Vec::<Name>::new(), Vec::new());
        // Where there are many, as in data from outside, they are found by a table.
        let mut places: HashMap<Name, usize> = HashMap::new();
        for (name, value) in fields {
            let known = match names.len() {
                0..MANY_FIELDS => names.iter().position(|n| *n == name),
                MANY_FIELDS => {
                    places.extend(names.iter().cloned().zip(0..));
                    places.get(&name).copied()
                }
                _ => places.get(&name).copied(),
            };
            match known {
                Some(at) => values[at] = value,
                None => {
                    if names.len() >= MANY_FIELDS {
                        places.insert(name.clone(), names.len());
                    }
                    names.push(name);
                    values.push(value);
                }
            }
        }
        Record { names: Names::Shared(names.into()), values }
    }

    /// A dictionary from pairs; of two with one key the later wins, in the earlier's place. As in ECMAScript, keys that are
    /// positions come first, the least before the others, then all others as they were added.
    ///
    /// ```
    /// use vein_plan::value::{Record, Value};
    /// let litres = Record::dictionary(["tea", "10", "2", "tea"].map(|key| (key.into(), Value::from(1.0))));
    /// assert_eq!(litres.iter().map(|(key, _)| &**key).collect::<Vec<_>>(), ["2", "10", "tea"]);
    /// ```
    pub fn dictionary(entries: impl IntoIterator<Item = (Name, Value)>) -> Record {
        let (mut keys, mut values) = (IndexSet::new(), Vec::new());
        for (key, value) in entries {
            match keys.insert_full(key) {
                (_, true) => values.push(value),
                (at, false) => values[at] = value,
            }
        }
        let position = |key: &Name| key_position(key).map_or(u64::MAX, u64::from);
        if keys.iter().any(|key| position(key) != u64::MAX) {
            let mut order: Vec<usize> = (0..values.len()).collect();
            order.sort_by_key(|at| position(&keys[*at]));
            values = order.iter().map(|at| std::mem::take(&mut values[*at])).collect();
            keys = order.iter().map(|at| keys[*at].clone()).collect();
        }
        Record { names: Names::Keys(Box::new(keys)), values }
    }

    /// A record whose names are shared with others of its kind; missing values are `null`.
    pub fn with_names(names: Arc<[Name]>, mut values: Vec<Value>) -> Record {
        values.resize(names.len(), Value::Null);
        Record { names: Names::Shared(names), values }
    }

    /// How many fields it has.
    pub fn len(&self) -> usize {
        self.values.len()
    }

    /// Whether it has no fields.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// The value of a field.
    pub fn get(&self, name: &str) -> Option<&Value> {
        self.position(name).map(|at| &self.values[at])
    }

    /// The value of a field, to be changed in place.
    pub fn get_mut(&mut self, name: &str) -> Option<&mut Value> {
        self.position(name).map(|at| &mut self.values[at])
    }

    /// Names and values in order.
    pub fn iter(&self) -> impl Iterator<Item = (&Name, &Value)> {
        self.names.iter().zip(&self.values)
    }

    /// Whether its names are data: whether it is a dictionary.
    pub fn is_dictionary(&self) -> bool {
        matches!(self.names, Names::Keys(_))
    }

    /// Whether it has the same names as another in the same order.
    pub(crate) fn has_names_of(&self, other: &Record) -> bool {
        match (&self.names, &other.names) {
            (Names::Shared(a), Names::Shared(b)) if Arc::ptr_eq(a, b) => true,
            (a, b) => self.len() == other.len() && a.iter().eq(b.iter()),
        }
    }

    /// Adds an entry to a dictionary that has none of that key, where ECMAScript has it: at the end, or, if the key is a
    /// position, before what is greater.
    pub fn add(&mut self, key: Name, value: Value) {
        let at = match key_position(&key) {
            None => self.len(),
            Some(position) => {
                let mut names = (0, self.len());
                while names.0 < names.1 {
                    let middle = names.0.midpoint(names.1);
                    let before = self.name(middle).and_then(|name| key_position(name));
                    match before.is_some_and(|before| before < position) {
                        true => names.0 = middle + 1,
                        false => names.1 = middle,
                    }
                }
                names.0
            }
        };
        self.put(at, key, value);
    }

    /// Puts an entry at a place among the others, as it was before it was taken out.
    pub fn put(&mut self, at: usize, key: Name, value: Value) {
        self.keys().shift_insert(at, key);
        self.values.insert(at, value);
    }

    /// Takes an entry out of a dictionary, with its place among the others.
    pub fn take(&mut self, key: &str) -> Option<(usize, Value)> {
        let (at, _) = self.keys().shift_remove_full(key)?;
        Some((at, self.values.remove(at)))
    }

    fn keys(&mut self) -> &mut IndexSet<Name> {
        if let Names::Shared(names) = &self.names {
            self.names = Names::Keys(Box::new(names.iter().cloned().collect()));
        }
        match &mut self.names {
            Names::Keys(keys) => keys,
            Names::Shared(_) => unreachable!("they have just become keys"),
        }
    }

    fn name(&self, at: usize) -> Option<&Name> {
        match &self.names {
            Names::Shared(names) => names.get(at),
            Names::Keys(keys) => keys.get_index(at),
        }
    }

    fn position(&self, name: &str) -> Option<usize> {
        let names = match &self.names {
            Names::Shared(names) => names,
            Names::Keys(keys) => return keys.get_index_of(name),
        };
        names
            .iter()
            .position(|n| std::ptr::eq(n.as_ptr(), name.as_ptr()) && n.len() == name.len())
            .or_else(|| names.iter().position(|n| &**n == name))
    }
}

/// The position that a key is, if it is one as ECMAScript writes it (ECMA-262, array index): such keys come first.
pub fn key_position(key: &str) -> Option<u32> {
    let canonical = match key.as_bytes() {
        [b'0'] => true,
        [b'1'..=b'9', rest @ ..] => rest.len() < 10 && rest.iter().all(u8::is_ascii_digit),
        _ => false,
    };
    let position = canonical.then(|| key.parse().ok()).flatten()?;
    (position != u32::MAX).then_some(position)
}

impl Value {
    /// A list value.
    pub fn list(items: Vec<Value>) -> Value {
        Value::List(Arc::new(items))
    }

    /// A dictionary value: see [`Record::dictionary`].
    pub fn dictionary(entries: impl IntoIterator<Item = (Name, Value)>) -> Value {
        Value::Record(Arc::new(Record::dictionary(entries)))
    }

    /// What finds an entry of a dictionary: ECMAScript's `ToPropertyKey`, where halves of surrogate pairs count as U+FFFD.
    pub fn to_key(&self) -> Name {
        match self {
            Value::String(text) => text.to_utf8().as_ref().into(),
            other => other.to_text().to_utf8().as_ref().into(),
        }
    }

    /// A record value.
    pub fn record(fields: impl IntoIterator<Item = (Name, Value)>) -> Value {
        Value::Record(Arc::new(Record::new(fields)))
    }

    /// Whether this is `null`.
    pub fn is_null(&self) -> bool {
        matches!(self, Value::Null)
    }

    /// ECMAScript's `ToBoolean`.
    pub fn truthy(&self) -> bool {
        match self {
            Value::Null => false,
            Value::Boolean(b) => *b,
            Value::Number(n) => *n != 0.0 && !n.is_nan(),
            Value::String(s) => !s.is_empty(),
            Value::List(_) | Value::Record(_) => true,
        }
    }

    /// ECMAScript's `ToNumber`.
    pub fn to_number(&self) -> f64 {
        match self {
            Value::Null => 0.0,
            Value::Boolean(b) => f64::from(u8::from(*b)),
            Value::Number(n) => *n,
            Value::String(s) => number::from_text(s),
            Value::List(_) | Value::Record(_) => number::from_text(&self.to_text()),
        }
    }

    /// ECMAScript's `ToString`.
    pub fn to_text(&self) -> Text {
        match self {
            Value::Null => "null".into(),
            Value::Boolean(true) => "true".into(),
            Value::Boolean(false) => "false".into(),
            Value::Number(n) => number::to_text(*n),
            Value::String(s) => s.clone(),
            Value::List(items) => {
                let comma = Text::from(",");
                let shown: Vec<Text> = items.iter().map(Value::to_text_or_empty).collect();
                let mut pieces = Vec::new();
                for (i, piece) in shown.iter().enumerate() {
                    if i > 0 {
                        pieces.push(&comma);
                    }
                    pieces.push(piece);
                }
                Text::concat(pieces)
            }
            Value::Record(_) => "[object Object]".into(),
        }
    }

    /// As [`Value::to_text`], but `null` is the empty string: what `join` and markup show.
    pub fn to_text_or_empty(&self) -> Text {
        if self.is_null() { Text::from("") } else { self.to_text() }
    }

    /// What markup shows for this value: `null` shows nothing.
    pub fn to_shown(&self) -> CompactString {
        match self {
            Value::Null => CompactString::default(),
            Value::Number(n) => number::shown(*n),
            Value::String(s) => s.to_utf8().into(),
            other => other.to_text().to_utf8().into(),
        }
    }

    /// Whether nobody could tell the two apart: `Object.is`, field by field, and fields in one order, which
    /// `JSON.stringify` shows. This is how the engine decides that something changed.
    ///
    /// ```
    /// use vein_plan::Value;
    /// let record = |names: [&str; 2]| Value::record(names.map(|name| (name.into(), Value::from(1.0))));
    /// let (a, b) = (record(["id", "litres"]), record(["litres", "id"]));
    /// assert!(a.strictly_equals(&b) && !a.same(&b));
    /// ```
    pub fn same(&self, other: &Value) -> bool {
        Comparison::of(Equality::Same).holds(self, other)
    }

    /// ECMAScript's `===`, where lists and records are equal when their members are: one with `NaN` in it does not
    /// even equal itself.
    ///
    /// ```
    /// use vein_plan::Value;
    /// let list = Value::list(vec![Value::from(f64::NAN)]);
    /// assert!(!list.strictly_equals(&list) && list.same(&list));
    /// ```
    pub fn strictly_equals(&self, other: &Value) -> bool {
        Comparison::of(Equality::Strict).holds(self, other)
    }

    /// `SameValueZero`, by which `includes` searches.
    pub fn same_or_zero(&self, other: &Value) -> bool {
        Comparison::of(Equality::SameOrZero).holds(self, other)
    }

    /// The value one step inside, where there is one.
    pub fn child(&self, step: &Step) -> Option<&Value> {
        match (self, step) {
            (Value::List(items), Step::Index(i)) => items.get(*i as usize),
            (Value::Record(record), Step::Field(name)) => record.get(name),
            _ => None,
        }
    }

    /// The value at the end of a path, where there is one.
    pub fn at<'a>(&'a self, path: &[Step]) -> Option<&'a Value> {
        path.iter().try_fold(self, |value, step| value.child(step))
    }

    /// The value at the end of a path, to be changed in place. Storage shared with others
    /// is copied along the path first, so nobody else sees the change.
    pub fn at_mut<'a>(&'a mut self, path: &[Step]) -> Option<&'a mut Value> {
        path.iter().try_fold(self, |value, step| match (value, step) {
            (Value::List(items), Step::Index(i)) => Arc::make_mut(items).get_mut(*i as usize),
            (Value::Record(record), Step::Field(name)) => Arc::make_mut(record).get_mut(name),
            _ => None,
        })
    }

    /// Whether it is neither a list nor a record.
    pub(crate) fn is_simple(&self) -> bool {
        !matches!(self, Value::List(_) | Value::Record(_))
    }

    /// Length of a list; zero for anything else.
    pub fn list_len(&self) -> usize {
        match self {
            Value::List(items) => items.len(),
            _ => 0,
        }
    }
}

/// When two values count as equal.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Equality {
    /// `Object.is`, with fields in one order.
    Same,
    /// `===`.
    Strict,
    /// `SameValueZero`.
    SameOrZero,
}

/// Two values that are compared. What is stored once for several places is compared once, or what holds itself again and
/// again would never be done.
struct Comparison {
    equality: Equality,
    /// How many lists and records were looked into: most comparisons are over before it is worth knowing which.
    looked_into: u32,
    /// Pairs that are equal, or are being compared further out.
    equal: Option<HashSet<(usize, usize)>>,
}

/// How many lists and records are compared before it is noted which were.
const FEW_PAIRS: u32 = 64;

impl Comparison {
    fn of(equality: Equality) -> Comparison {
        Comparison { equality, looked_into: 0, equal: None }
    }

    #[inline]
    fn holds(&mut self, a: &Value, b: &Value) -> bool {
        match (a, b) {
            (Value::Null, Value::Null) => true,
            (Value::Boolean(a), Value::Boolean(b)) => a == b,
            (Value::Number(a), Value::Number(b)) => match self.equality {
                Equality::Strict => a == b,
                Equality::SameOrZero => a == b || (a.is_nan() && b.is_nan()),
                Equality::Same => a.to_bits() == b.to_bits() || (a.is_nan() && b.is_nan()),
            },
            (Value::String(a), Value::String(b)) => a == b,
            (Value::List(a), Value::List(b)) => {
                a.len() == b.len()
                    && self
                        .inside(a, b, |this| a.iter().zip(b.iter()).all(|(a, b)| this.holds(a, b)))
            }
            (Value::Record(a), Value::Record(b)) => self.inside(a, b, |this| this.records(a, b)),
            _ => false,
        }
    }

    fn records(&mut self, a: &Record, b: &Record) -> bool {
        if a.has_names_of(b) {
            return a.values.iter().zip(&b.values).all(|(a, b)| self.holds(a, b));
        }
        self.equality != Equality::Same
            && a.values.len() == b.values.len()
            && a.iter().all(|(name, v)| b.get(name).is_some_and(|w| self.holds(v, w)))
    }

    /// Compares what two lists or records hold. Where everything equals itself, what is stored once is not looked into.
    fn inside<T>(
        &mut self,
        a: &Arc<T>,
        b: &Arc<T>,
        compare: impl FnOnce(&mut Self) -> bool,
    ) -> bool {
        if Arc::ptr_eq(a, b) && self.equality != Equality::Strict {
            return true;
        }
        self.looked_into = self.looked_into.saturating_add(1);
        let may_come_again = Arc::strong_count(a) > 1 && Arc::strong_count(b) > 1;
        if self.looked_into > FEW_PAIRS && may_come_again {
            // Two that were found to differ have ended the comparison: whatever is noted is equal.
            let equal = self.equal.get_or_insert_default();
            if !equal.insert((Arc::as_ptr(a) as usize, Arc::as_ptr(b) as usize)) {
                return true;
            }
        }
        compare(self)
    }
}

impl From<f64> for Value {
    fn from(n: f64) -> Self {
        Value::Number(n)
    }
}

impl From<bool> for Value {
    fn from(b: bool) -> Self {
        Value::Boolean(b)
    }
}

impl From<String> for Value {
    fn from(s: String) -> Self {
        Value::String(s.into())
    }
}

impl From<&str> for Value {
    fn from(s: &str) -> Self {
        Value::String(s.into())
    }
}

impl From<Text> for Value {
    fn from(s: Text) -> Self {
        Value::String(s)
    }
}

/// One step of a path into a value.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Step {
    /// A field of a record, or an entry of a dictionary.
    Field(Name),
    /// A position in a list.
    Index(u32),
}

impl std::fmt::Display for Step {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Step::Field(name) if is_plain_name(name) => write!(f, ".{name}"),
            Step::Field(key) => write!(f, "[{}]", quoted_key(key)),
            Step::Index(i) => write!(f, "[{i}]"),
        }
    }
}

/// A key as JSON writes it, which is how paths name entries.
pub fn quoted_key(key: &str) -> String {
    serde_json::Value::from(key).to_string()
}

/// Whether a name can be written after a dot.
fn is_plain_name(name: &str) -> bool {
    let plain = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
    name.chars().all(plain) && name.chars().next().is_some_and(|first| !first.is_numeric())
}

/// A value as a ledger shows it: strings quoted, lists and records in short.
impl std::fmt::Display for Value {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Value::String(s) => write!(f, "{:?}", s.to_utf8()),
            Value::List(items) if items.len() == 1 && !items[0].is_simple() => {
                f.write_str("[… 1 item]")
            }
            Value::List(items) if items.len() > 3 || items.iter().any(|i| !i.is_simple()) => {
                write!(f, "[… {} items]", items.len())
            }
            Value::List(items) => {
                f.write_str("[")?;
                for (i, item) in items.iter().enumerate() {
                    write!(f, "{}{item}", if i > 0 { ", " } else { "" })?;
                }
                f.write_str("]")
            }
            Value::Record(record) if record.is_dictionary() && record.len() > 3 => {
                write!(f, "{{… {} entries}}", record.len())
            }
            Value::Record(record) if record.is_dictionary() && record.is_empty() => {
                f.write_str("{}")
            }
            Value::Record(record) => {
                f.write_str("{")?;
                for (i, (name, value)) in record.iter().enumerate() {
                    f.write_str(if i > 0 { ", " } else { " " })?;
                    match is_plain_name(name) {
                        true => write!(f, "{name}: {value}")?,
                        false => write!(f, "{:?}: {value}", &**name)?,
                    }
                }
                f.write_str(" }")
            }
            other => write!(f, "{}", other.to_text()),
        }
    }
}
