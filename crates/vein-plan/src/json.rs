//! JSON as ECMA-262 reads and writes it: strings may hold halves of surrogate pairs.

use crate::convert::Misfit;
use crate::number;
use crate::text::Text;
use crate::value::{Name, Value};
use serde::de::{Deserializer, MapAccess, Visitor};
use serde_json::value::RawValue;

/// How deep lists and records may stand in each other.
const DEEPEST: usize = 128;

/// Why a text was not read as JSON.
#[derive(Debug)]
pub enum Unreadable {
    /// It is not JSON (RFC 8259); the error says where.
    NotJson(serde_json::Error),
    /// It is, but a value in it cannot be held: its path and why.
    Value(Misfit),
}

impl std::fmt::Display for Unreadable {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Unreadable::NotJson(error) => write!(f, "{error}"),
            Unreadable::Value(misfit) => write!(f, "{misfit}"),
        }
    }
}

impl std::error::Error for Unreadable {}

/// Reads a text as `JSON.parse` does. Of two fields with one name the later counts.
///
/// ```
/// use vein_plan::json::{parse, stringify};
/// let half = parse(r#"{ "crop": "\ud83d" }"#)?;
/// assert_eq!(stringify(&half).to_string(), r#"{"crop":"\ud83d"}"#);
/// # Ok::<(), vein_plan::json::Unreadable>(())
/// ```
///
/// # Errors
/// A text that is not JSON; a number beyond the largest double, where ECMAScript would say
/// infinity; names that hold half a character; more than 128 lists and records in each other.
pub fn parse(text: &str) -> Result<Value, Unreadable> {
    let raw: &RawValue = serde_json::from_str(text).map_err(Unreadable::NotJson)?;
    let mut path = String::new();
    read(raw.get(), &mut path, 0).map_err(|problem| {
        let path = if path.is_empty() { "the data".into() } else { path };
        Unreadable::Value(Misfit { path, problem })
    })
}

/// Reads a value whose form is known to be right; on failure `path` leads to the place.
fn read(text: &str, path: &mut String, depth: usize) -> Result<Value, String> {
    let first = text.as_bytes().first();
    if matches!(first, Some(b'[' | b'{')) && depth == DEEPEST {
        return Err(format!("more than {DEEPEST} lists and records in each other"));
    }
    let plainly = |error: serde_json::Error| error.to_string();
    match first {
        Some(b'n') => Ok(Value::Null),
        Some(b't') => Ok(true.into()),
        Some(b'f') => Ok(false.into()),
        Some(b'"') => {
            let mut reader = serde_json::Deserializer::from_str(text);
            reader.deserialize_bytes(Units).map(Value::String).map_err(plainly)
        }
        Some(b'[') => {
            let items: Vec<&RawValue> = serde_json::from_str(text).map_err(plainly)?;
            let items = items.into_iter().enumerate();
            let items = items
                .map(|(i, raw)| step(path, |path| path.push_str(&format!("[{i}]")), raw, depth));
            Ok(Value::list(items.collect::<Result<_, _>>()?))
        }
        Some(b'{') => {
            let mut reader = serde_json::Deserializer::from_str(text);
            let fields = reader
                .deserialize_map(Fields)
                .map_err(|_| "the name of a field holds half of a surrogate pair".to_owned())?;
            let fields = fields.into_iter().map(|(name, raw)| {
                let dot = |path: &mut String| {
                    path.push_str(if path.is_empty() { "" } else { "." });
                    path.push_str(&name);
                };
                let value = step(path, dot, raw, depth)?;
                Ok((Name::from(name), value))
            });
            Ok(Value::record(fields.collect::<Result<Vec<_>, String>>()?))
        }
        _ => match text.parse() {
            Ok(n) if f64::is_finite(n) => Ok(Value::Number(n)),
            _ => Err(format!("the number {text} is too large")),
        },
    }
}

/// Reads what is one step further in.
fn step(
    path: &mut String,
    take: impl FnOnce(&mut String),
    raw: &RawValue,
    depth: usize,
) -> Result<Value, String> {
    let len = path.len();
    take(path);
    let value = read(raw.get(), path, depth + 1)?;
    path.truncate(len);
    Ok(value)
}

/// A string as serde_json gives it in bytes: UTF-8, in which halves of pairs stand as if they
/// were characters (WTF-8).
struct Units;

impl Visitor<'_> for Units {
    type Value = Text;

    fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("a string")
    }

    fn visit_bytes<E>(self, bytes: &[u8]) -> Result<Text, E> {
        if let Ok(text) = std::str::from_utf8(bytes) {
            return Ok(text.into());
        }
        let mut units = Vec::new();
        let mut rest = bytes;
        while let [first, after @ ..] = rest {
            // The first byte says how many follow, each with six bits.
            let (bits, more) = match first {
                0..=0x7f => (u32::from(*first), 0),
                0xc0..=0xdf => (u32::from(first & 0x1f), 1),
                0xe0..=0xef => (u32::from(first & 0x0f), 2),
                _ => (u32::from(first & 0x07), 3),
            };
            let (tail, after) = after.split_at(more.min(after.len()));
            let code = tail.iter().fold(bits, |code, byte| code << 6 | u32::from(byte & 0x3f));
            match char::from_u32(code) {
                Some(c) => units.extend_from_slice(c.encode_utf16(&mut [0; 2])),
                None => units.push(code as u16),
            }
            rest = after;
        }
        Ok(Text::from_units(units))
    }
}

/// The fields of an object, still to be read.
struct Fields;

impl<'de> Visitor<'de> for Fields {
    type Value = Vec<(String, &'de RawValue)>;

    fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
        let mut fields = Vec::new();
        while let Some(field) = map.next_entry()? {
            fields.push(field);
        }
        Ok(fields)
    }
}

/// The text that `JSON.stringify(value)` gives.
pub fn stringify(value: &Value) -> Text {
    let mut out = String::new();
    write(value, &mut out);
    out.into()
}

fn write(value: &Value, out: &mut String) {
    match value {
        Value::Null => out.push_str("null"),
        Value::Boolean(b) => out.push_str(if *b { "true" } else { "false" }),
        Value::Number(n) if n.is_finite() => out.push_str(&number::shown(*n)),
        Value::Number(_) => out.push_str("null"),
        Value::String(s) => quote(s, out),
        Value::List(items) => {
            out.push('[');
            for (i, item) in items.iter().enumerate() {
                if i > 0 {
                    out.push(',');
                }
                write(item, out);
            }
            out.push(']');
        }
        Value::Record(record) => {
            out.push('{');
            for (i, (name, value)) in record.iter().enumerate() {
                if i > 0 {
                    out.push(',');
                }
                quote(&Text::from(&**name), out);
                out.push(':');
                write(value, out);
            }
            out.push('}');
        }
    }
}

/// `QuoteJSONString`: well-formed output even for lone surrogates.
fn quote(s: &Text, out: &mut String) {
    out.push('"');
    for c in char::decode_utf16(s.units()) {
        match c {
            Ok('"') => out.push_str("\\\""),
            Ok('\\') => out.push_str("\\\\"),
            Ok('\u{8}') => out.push_str("\\b"),
            Ok('\t') => out.push_str("\\t"),
            Ok('\n') => out.push_str("\\n"),
            Ok('\u{c}') => out.push_str("\\f"),
            Ok('\r') => out.push_str("\\r"),
            Ok(c) if c < ' ' => out.push_str(&format!("\\u{:04x}", c as u32)),
            Ok(c) => out.push(c),
            Err(lone) => out.push_str(&format!("\\u{:04x}", lone.unpaired_surrogate())),
        }
    }
    out.push('"');
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn writes_what_the_standard_writes() {
        let value = Value::record([
            ("a".into(), Value::list(vec![Value::Number(-0.0), Value::Number(f64::NAN)])),
            ("b\n".into(), Value::String(Text::from("😀\u{1}\"").slice(0, 1))),
        ]);
        assert_eq!(stringify(&value).to_string(), r#"{"a":[0,null],"b\n":"\ud83d"}"#);
    }
}
