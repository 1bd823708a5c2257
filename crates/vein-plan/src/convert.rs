//! Data from and for the host, held against a declared type.

use crate::program::{Program, Type, TypeId};
use crate::text::short;
use crate::value::{Name, Record, Step, Value};
use serde_json::Value as Json;
use std::sync::Arc;

/// Why data does not fit the type that was declared for it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Misfit {
    /// The way to the place, such as `beds[3].moisture`.
    pub path: String,
    /// What is wrong there.
    pub problem: String,
}

/// A name in a message has so many characters at most.
const LONGEST_STEP: usize = 80;

impl std::fmt::Display for Misfit {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}: {}", self.path, self.problem)
    }
}

impl std::error::Error for Misfit {}

impl Misfit {
    /// What is wrong with a value, wherever it stands: the way to it is told step by step, from the
    /// inside outwards, and costs nothing as long as everything fits.
    pub(crate) fn here(problem: String) -> Misfit {
        Misfit { path: String::new(), problem }
    }

    /// The same, seen from one step further out. Of a name that is long its beginning is told.
    pub(crate) fn inside(mut self, step: impl std::fmt::Display) -> Misfit {
        self.path.insert_str(0, &short(&step.to_string(), LONGEST_STEP));
        self
    }
}

impl Program {
    /// As [`Program::fit`], for a value of the language: one that fits as it is stays as it is, to the order of its fields.
    ///
    /// # Errors
    /// What does not fit, and where.
    pub fn fit_held(&self, ty: TypeId, held: &Value, path: &str) -> Result<Value, Misfit> {
        let fitted = self.fit(ty, held, path)?;
        Ok(if same_but_for_order(&fitted, held) { held.clone() } else { fitted })
    }

    /// Turns data into a value of a type. Nullable fields may be left out; fields that the
    /// type does not name are refused, since nothing could ever show them.
    ///
    /// # Errors
    /// The first place where the data does not fit, with the way to it from `path`.
    pub fn fit(&self, ty: TypeId, data: &Value, path: &str) -> Result<Value, Misfit> {
        if self.fits_as_it_is(ty, data) {
            return Ok(data.clone());
        }
        self.made_to_fit(ty, data).map_err(|misfit| misfit.inside(path))
    }

    /// Whether data is of a type, down to the program's own names of its fields in their order: then
    /// nothing has to be built.
    fn fits_as_it_is(&self, ty: TypeId, data: &Value) -> bool {
        let all = |fields: &[(u32, TypeId)], record: &Record| {
            record.len() == fields.len()
                && record.iter().zip(fields).all(|((name, value), (known, ty))| {
                    Arc::ptr_eq(name, &self.names[*known as usize])
                        && self.fits_as_it_is(*ty, value)
                })
        };
        match (&self.types[ty as usize], data) {
            (Type::Null | Type::Optional(_), Value::Null)
            | (Type::String, Value::String(_))
            | (Type::Number, Value::Number(_))
            | (Type::Boolean, Value::Boolean(_)) => true,
            (Type::Literals(words), Value::String(text)) => {
                words.iter().any(|word| **word == text.to_utf8())
            }
            (Type::Optional(inner), data) => self.fits_as_it_is(*inner, data),
            (Type::List(item), Value::List(items)) => {
                items.iter().all(|data| self.fits_as_it_is(*item, data))
            }
            (Type::Record(fields), Value::Record(record)) => all(fields, record),
            (Type::Shape(shape), Value::Record(record)) => {
                all(&self.shapes[*shape as usize].fields, record)
            }
            (Type::Dictionary(value), Value::Record(record)) => {
                record.is_dictionary()
                    && record.iter().all(|(_, data)| self.fits_as_it_is(*value, data))
            }
            (Type::Entry(value), Value::List(entry)) => match entry.as_slice() {
                [Value::String(_), data] => self.fits_as_it_is(*value, data),
                _ => false,
            },
            _ => false,
        }
    }

    fn made_to_fit(&self, ty: TypeId, data: &Value) -> Result<Value, Misfit> {
        let wrong = || {
            let (expected, found) = (self.type_name(ty), describe(data));
            Err(Misfit::here(format!("expected {expected}, found {found}")))
        };
        match (&self.types[ty as usize], data) {
            (Type::Null | Type::Optional(_), Value::Null)
            | (Type::String, Value::String(_))
            | (Type::Number, Value::Number(_))
            | (Type::Boolean, Value::Boolean(_)) => Ok(data.clone()),
            (Type::Literals(words), Value::String(text))
                if words.iter().any(|word| **word == text.to_utf8()) =>
            {
                Ok(data.clone())
            }
            (Type::Optional(inner), data) => self.made_to_fit(*inner, data),
            (Type::List(item), Value::List(items)) => {
                let items = items.iter().enumerate().map(|(at, data)| {
                    let step = |misfit: Misfit| misfit.inside(format_args!("[{at}]"));
                    self.made_to_fit(*item, data).map_err(step)
                });
                Ok(Value::list(items.collect::<Result<_, _>>()?))
            }
            (Type::Record(fields), Value::Record(data)) => self.record(fields, data, ty),
            (Type::Shape(shape), Value::Record(data)) => {
                self.record(&self.shapes[*shape as usize].fields, data, ty)
            }
            (Type::Dictionary(value), Value::Record(data)) => {
                let entries = data.iter().map(|(key, data)| {
                    let step = |misfit: Misfit| misfit.inside(Step::Field(key.clone()));
                    Ok((key.clone(), self.made_to_fit(*value, data).map_err(step)?))
                });
                Ok(Value::dictionary(entries.collect::<Result<Vec<_>, Misfit>>()?))
            }
            (Type::Entry(value), Value::List(entry)) => match entry.as_slice() {
                [key @ Value::String(_), data] => {
                    let step = |misfit: Misfit| misfit.inside("[1]");
                    let data = self.made_to_fit(*value, data).map_err(step)?;
                    Ok(Value::list(vec![key.clone(), data]))
                }
                _ => wrong(),
            },
            _ => wrong(),
        }
    }

    fn record(&self, fields: &[(u32, TypeId)], data: &Record, ty: TypeId) -> Result<Value, Misfit> {
        let names: Arc<[Name]> =
            fields.iter().map(|(name, _)| self.names[*name as usize].clone()).collect();
        let extra = data.iter().find(|(key, _)| !names.contains(key));
        if let Some((extra, _)) = extra {
            let problem = format!(
                "{} has no field `{}`; its fields are {}",
                self.type_name(ty),
                short(extra, LONGEST_STEP),
                names.join(", ")
            );
            return Err(Misfit::here(problem).inside(format_args!(".{extra}")));
        }
        let values = fields.iter().zip(names.iter()).map(|((_, ty), name)| {
            let fitted = match data.get(name) {
                Some(data) => self.made_to_fit(*ty, data),
                None if matches!(self.types[*ty as usize], Type::Optional(_)) => Ok(Value::Null),
                None => Err(Misfit::here(format!("missing; expected {}", self.type_name(*ty)))),
            };
            fitted.map_err(|misfit| misfit.inside(format_args!(".{name}")))
        });
        let values = values.collect::<Result<_, _>>()?;
        Ok(Value::Record(Arc::new(Record::with_names(names, values))))
    }
}

fn describe(data: &Value) -> String {
    match data {
        Value::Null => "null".into(),
        Value::Boolean(b) => format!("the boolean {b}"),
        Value::Number(_) => format!("the number {data}"),
        Value::String(text) if text.len() <= 40 => format!("the string {data}"),
        Value::String(_) => "a string".into(),
        Value::List(_) => "a list".into(),
        Value::Record(_) => "a record".into(),
    }
}

impl From<Json> for Value {
    fn from(json: Json) -> Self {
        match json {
            Json::Null => Value::Null,
            Json::Bool(b) => b.into(),
            // Without the feature for numbers of any precision each has a double.
            Json::Number(n) => n.as_f64().unwrap_or(f64::NAN).into(),
            Json::String(s) => Value::String(s.into()),
            Json::Array(items) => Value::list(items.into_iter().map(Value::from).collect()),
            Json::Object(map) => {
                Value::record(map.into_iter().map(|(name, json)| (name.into(), json.into())))
            }
        }
    }
}

impl From<&Json> for Value {
    fn from(json: &Json) -> Self {
        json.clone().into()
    }
}

/// A value as JSON: what `JSON.stringify` would write, as a tree. Numbers that JSON cannot
/// hold become `null`.
pub fn to_json(value: &Value) -> Json {
    match value {
        Value::Null => Json::Null,
        Value::Boolean(b) => Json::Bool(*b),
        Value::Number(n) if n.fract() == 0.0 && n.abs() < 9_007_199_254_740_992.0 => {
            Json::from(*n as i64)
        }
        Value::Number(n) => Json::from(*n),
        Value::String(s) => Json::String(s.to_string()),
        Value::List(items) => Json::Array(items.iter().map(to_json).collect()),
        Value::Record(record) => Json::Object(
            record.iter().map(|(name, value)| (name.to_string(), to_json(value))).collect(),
        ),
    }
}

/// Whether two values hold the same, in whatever order their records have it.
fn same_but_for_order(a: &Value, b: &Value) -> bool {
    match (a, b) {
        (Value::List(a), Value::List(b)) => {
            a.len() == b.len() && a.iter().zip(b.iter()).all(|(a, b)| same_but_for_order(a, b))
        }
        (Value::Record(a), Value::Record(b)) => {
            let same =
                |(name, a): (&Name, &Value)| b.get(name).is_some_and(|b| same_but_for_order(a, b));
            a.len() == b.len() && a.iter().all(same)
        }
        (a, b) => a.same(b),
    }
}
