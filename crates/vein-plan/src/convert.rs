//! Data from and for the host: JSON held against a declared type.

use crate::program::{Program, Type, TypeId};
use crate::text::Text;
use crate::value::{Name, Record, Value};
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

impl std::fmt::Display for Misfit {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}: {}", self.path, self.problem)
    }
}

impl std::error::Error for Misfit {}

impl Program {
    /// Turns JSON into a value of a type. Nullable fields may be left out; fields that the
    /// type does not name are refused, since nothing could ever show them.
    ///
    /// # Errors
    /// The first place where the data does not fit, with the way to it from `path`.
    pub fn value_from_json(&self, ty: TypeId, json: &Json, path: &str) -> Result<Value, Misfit> {
        let wrong = || {
            Err(Misfit {
                path: path.into(),
                problem: format!("expected {}, found {}", self.type_name(ty), describe(json)),
            })
        };
        match (&self.types[ty as usize], json) {
            (Type::Null | Type::Optional(_), Json::Null) => Ok(Value::Null),
            (Type::String, Json::String(s)) => Ok(Value::String(Text::from(s.as_str()))),
            (Type::Literals(words), Json::String(s)) if words.iter().any(|w| **w == **s) => {
                Ok(Value::String(Text::from(s.as_str())))
            }
            (Type::Number, Json::Number(n)) => n.as_f64().map_or_else(wrong, |n| Ok(n.into())),
            (Type::Boolean, Json::Bool(b)) => Ok(Value::Boolean(*b)),
            (Type::Optional(inner), json) => self.value_from_json(*inner, json, path),
            (Type::List(item), Json::Array(items)) => {
                let items = items
                    .iter()
                    .enumerate()
                    .map(|(i, json)| self.value_from_json(*item, json, &format!("{path}[{i}]")));
                Ok(Value::list(items.collect::<Result<_, _>>()?))
            }
            (Type::Record(fields), Json::Object(map)) => self.record(fields, map, ty, path),
            (Type::Shape(shape), Json::Object(map)) => {
                self.record(&self.shapes[*shape as usize].fields, map, ty, path)
            }
            _ => wrong(),
        }
    }

    fn record(
        &self,
        fields: &[(u32, TypeId)],
        map: &serde_json::Map<String, Json>,
        ty: TypeId,
        path: &str,
    ) -> Result<Value, Misfit> {
        let names: Arc<[Name]> =
            fields.iter().map(|(name, _)| self.names[*name as usize].clone()).collect();
        if let Some(extra) = map.keys().find(|key| !names.iter().any(|name| **name == ***key)) {
            return Err(Misfit {
                path: format!("{path}.{extra}"),
                problem: format!(
                    "{} has no field `{extra}`; its fields are {}",
                    self.type_name(ty),
                    names.join(", ")
                ),
            });
        }
        let values = fields.iter().zip(names.iter()).map(|((_, ty), name)| {
            let path = format!("{path}.{name}");
            match map.get(&**name) {
                Some(json) => self.value_from_json(*ty, json, &path),
                None if matches!(self.types[*ty as usize], Type::Optional(_)) => Ok(Value::Null),
                None => Err(Misfit {
                    path,
                    problem: format!("missing; expected {}", self.type_name(*ty)),
                }),
            }
        });
        let values = values.collect::<Result<_, _>>()?;
        Ok(Value::Record(Arc::new(Record::with_names(names, values))))
    }
}

fn describe(json: &Json) -> String {
    match json {
        Json::Null => "null".into(),
        Json::Bool(b) => format!("the boolean {b}"),
        Json::Number(n) => format!("the number {n}"),
        Json::String(s) if s.chars().count() <= 40 => format!("the string {s:?}"),
        Json::String(_) => "a string".into(),
        Json::Array(_) => "a list".into(),
        Json::Object(_) => "a record".into(),
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
