//! Values: what state holds and what expressions give.

use crate::number;
use crate::text::Text;
use compact_str::CompactString;
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
    /// An object with a fixed set of fields.
    Record(Arc<Record>),
}

/// An object: field names and, in the same order, their values.
#[derive(Clone, Debug)]
pub struct Record {
    names: Arc<[Name]>,
    values: Vec<Value>,
}

/// How deep values may be nested: lists in records in lists. State that would be is not written.
pub const DEEPEST_VALUE: usize = 256;

impl Value {
    /// Whether there are more than so many lists and records around each other in it.
    ///
    /// ```
    /// use vein_plan::Value;
    /// let nested = Value::list(vec![Value::list(Vec::new())]);
    /// assert!(nested.is_deeper_than(1) && !nested.is_deeper_than(2));
    /// ```
    pub fn is_deeper_than(&self, depth: usize) -> bool {
        fn inner(value: &Value) -> Option<&[Value]> {
            match value {
                Value::List(items) => Some(items),
                Value::Record(record) => Some(&record.values),
                _ => None,
            }
        }
        // Nothing is set aside for what does not nest, which is most of what is written.
        let mut open = Vec::new();
        open.extend(inner(self).map(|inside| (inside, 1)));
        while let Some((inside, around)) = open.pop() {
            if around > depth {
                return true;
            }
            open.extend(inside.iter().filter_map(inner).map(|inside| (inside, around + 1)));
        }
        false
    }
}

impl Record {
    /// A record from pairs; of two fields with one name the later wins, in the earlier's place.
    pub fn new(fields: impl IntoIterator<Item = (Name, Value)>) -> Record {
        let (mut names, mut values) = (Vec::<Name>::new(), Vec::new());
        for (name, value) in fields {
            match names.iter().position(|n| *n == name) {
                Some(at) => values[at] = value,
                None => {
                    names.push(name);
                    values.push(value);
                }
            }
        }
        Record { names: names.into(), values }
    }

    /// A record whose names are shared with others of its kind; missing values are `null`.
    pub fn with_names(names: Arc<[Name]>, mut values: Vec<Value>) -> Record {
        values.resize(names.len(), Value::Null);
        Record { names, values }
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

    fn position(&self, name: &str) -> Option<usize> {
        self.names
            .iter()
            .position(|n| std::ptr::eq(n.as_ptr(), name.as_ptr()) && n.len() == name.len())
            .or_else(|| self.names.iter().position(|n| &**n == name))
    }
}

impl Value {
    /// A list value.
    pub fn list(items: Vec<Value>) -> Value {
        Value::List(Arc::new(items))
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
        match (self, other) {
            (Value::Number(a), Value::Number(b)) => {
                a.to_bits() == b.to_bits() || (a.is_nan() && b.is_nan())
            }
            (Value::Record(a), Value::Record(b)) => {
                let named_alike = || Arc::ptr_eq(&a.names, &b.names) || a.names == b.names;
                let alike = || a.values.iter().zip(&b.values).all(|(a, b)| a.same(b));
                Arc::ptr_eq(a, b) || (named_alike() && alike())
            }
            (a, b) => a.matches(b, Value::same, true),
        }
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
        match (self, other) {
            (Value::Number(a), Value::Number(b)) => a == b,
            (a, b) => a.matches(b, Value::strictly_equals, false),
        }
    }

    /// `SameValueZero`, by which `includes` searches.
    pub fn same_or_zero(&self, other: &Value) -> bool {
        match (self, other) {
            (Value::Number(a), Value::Number(b)) => a == b || (a.is_nan() && b.is_nan()),
            (a, b) => a.matches(b, Value::same_or_zero, true),
        }
    }

    /// Member by member; where everything equals itself, what is stored once is not looked into.
    fn matches(&self, other: &Value, equal: fn(&Value, &Value) -> bool, reflexive: bool) -> bool {
        match (self, other) {
            (Value::Null, Value::Null) => true,
            (Value::Boolean(a), Value::Boolean(b)) => a == b,
            (Value::Number(_), Value::Number(_)) => equal(self, other),
            (Value::String(a), Value::String(b)) => a == b,
            (Value::List(a), Value::List(b)) => {
                (reflexive && Arc::ptr_eq(a, b))
                    || (a.len() == b.len() && a.iter().zip(b.iter()).all(|(a, b)| equal(a, b)))
            }
            (Value::Record(a), Value::Record(b)) => {
                (reflexive && Arc::ptr_eq(a, b))
                    || (a.values.len() == b.values.len()
                        && a.iter().all(|(name, v)| b.get(name).is_some_and(|w| equal(v, w))))
            }
            _ => false,
        }
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
    fn is_simple(&self) -> bool {
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
    /// A field of a record.
    Field(Name),
    /// A position in a list.
    Index(u32),
}

impl std::fmt::Display for Step {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Step::Field(name) => write!(f, ".{name}"),
            Step::Index(i) => write!(f, "[{i}]"),
        }
    }
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
            Value::Record(record) => {
                f.write_str("{")?;
                for (i, (name, value)) in record.iter().enumerate() {
                    write!(f, "{}{name}: {value}", if i > 0 { ", " } else { " " })?;
                }
                f.write_str(" }")
            }
            other => write!(f, "{}", other.to_text()),
        }
    }
}
