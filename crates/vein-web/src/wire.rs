//! Values on their way between the page and the engine.
//!
//! A value is a byte that says what it is, and what follows it. Counts and lengths are unsigned
//! LEB128, as in the patch protocol.
//!
//! | byte | value | followed by |
//! |---|---|---|
//! | 0, 1, 2 | `null`, `false`, `true` | nothing |
//! | 3 | number | its eight bytes, little endian (IEEE 754) |
//! | 4 | string | its length in bytes, its text in UTF-8 |
//! | 5 | list | how many, then the items |
//! | 6 | record | how many, then each name (length, UTF-8) with its value |
//! | 7 | string that holds half a character | its length in UTF-16 units, the units, little endian |

use std::sync::Arc;
use vein_plan::bytes::{Bytes, write_number, write_text, write_units};
use vein_plan::{Name, Record, Text, Value};

const NULL: u8 = 0;
const FALSE: u8 = 1;
const TRUE: u8 = 2;
const NUMBER: u8 = 3;
const STRING: u8 = 4;
const LIST: u8 = 5;
const RECORD: u8 = 6;
const UNITS: u8 = 7;

/// How deep lists and records may stand in each other, as in JSON from elsewhere.
const DEEPEST: usize = 128;

/// Adds a value.
pub fn write(value: &Value, out: &mut Vec<u8>) {
    match value {
        Value::Null => out.push(NULL),
        Value::Boolean(on) => out.push(if *on { TRUE } else { FALSE }),
        Value::Number(number) => {
            out.push(NUMBER);
            out.extend_from_slice(&number.to_le_bytes());
        }
        Value::String(text) => match text.as_str() {
            Some(text) => {
                out.push(STRING);
                write_text(text, out);
            }
            None => {
                out.push(UNITS);
                write_units(&text.units(), out);
            }
        },
        Value::List(items) => {
            out.push(LIST);
            write_number(items.len() as u32, out);
            items.iter().for_each(|item| write(item, out));
        }
        Value::Record(record) => {
            out.push(RECORD);
            write_number(record.len() as u32, out);
            for (name, value) in record.iter() {
                write_text(name, out);
                write(value, out);
            }
        }
    }
}

/// Reads a value that takes up all of some bytes; `None` where they are not one. Fields that are called as
/// one of `names` get that very name, so that whoever looks for it need not compare letters.
///
/// ```
/// use vein_plan::Value;
/// use vein_web::wire::{read, write};
/// let mut bytes = Vec::new();
/// write(&Value::from(57.5), &mut bytes);
/// assert!(matches!(read(&bytes, &[]), Some(Value::Number(litres)) if litres == 57.5));
/// assert!(read(&bytes[1..], &[]).is_none());
/// ```
pub fn read(bytes: &[u8], names: &[Name]) -> Option<Value> {
    let mut reader = Reader { bytes: Bytes(bytes), known: names, names: Vec::new() };
    let value = reader.value(DEEPEST)?;
    reader.bytes.0.is_empty().then_some(value)
}

struct Reader<'a> {
    bytes: Bytes<'a>,
    known: &'a [Name],
    /// The names of the records that were read last: a list's items share theirs.
    names: Vec<Arc<[Name]>>,
}

impl Reader<'_> {
    fn value(&mut self, deep: usize) -> Option<Value> {
        Some(match self.bytes.byte()? {
            NULL => Value::Null,
            FALSE => Value::Boolean(false),
            TRUE => Value::Boolean(true),
            NUMBER => Value::Number(self.bytes.double()?),
            STRING => Value::String(Text::from(self.bytes.text()?)),
            UNITS => Value::String(Text::from_units(self.bytes.units()?)),
            LIST => {
                let (count, deep) = (self.bytes.number()? as usize, deep.checked_sub(1)?);
                // A count that was made up sets nothing aside: each item takes a byte at least.
                let mut items = Vec::with_capacity(count.min(self.bytes.0.len()));
                for _ in 0..count {
                    items.push(self.value(deep)?);
                }
                Value::list(items)
            }
            RECORD => self.record(deep.checked_sub(1)?)?,
            _ => return None,
        })
    }

    fn record(&mut self, deep: usize) -> Option<Value> {
        let count = self.bytes.number()? as usize;
        let most = count.min(self.bytes.0.len());
        let (mut names, mut values) = (Vec::with_capacity(most), Vec::with_capacity(most));
        for _ in 0..count {
            names.push(self.bytes.text()?);
            values.push(self.value(deep)?);
        }
        // The items of a list are called alike, so the names of the record before often do.
        let level = DEEPEST - deep;
        self.names.resize_with(self.names.len().max(level + 1), || Arc::from([]));
        let known = self.names[level].clone();
        if known.len() == count && known.iter().zip(&names).all(|(known, name)| **known == **name) {
            return Some(Value::Record(Arc::new(Record::with_names(known, values))));
        }
        let own = |name: &str| self.known.iter().find(|known| ***known == *name).cloned();
        let names = names.into_iter().map(|name| own(name).unwrap_or_else(|| name.into()));
        let record = Record::new(names.zip(values));
        if record.len() == count {
            self.names[level] = record.iter().map(|(name, _)| name.clone()).collect();
        }
        Some(Value::Record(Arc::new(record)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn beds() -> Value {
        let bed = |crop: &str, litres: f64| {
            Value::record([
                ("crop".into(), Value::from(crop)),
                ("litres".into(), Value::from(litres)),
                ("note".into(), Value::Null),
            ])
        };
        let half = Value::String(Text::from("😀").slice(0, 1));
        let odd = Value::record([("crop".into(), half), ("dry".into(), Value::from(true))]);
        Value::list(vec![bed("Ruby", -0.0), bed("Fern \u{1f33f}", f64::NAN), odd, bed("", 1e300)])
    }

    fn written(value: &Value) -> Vec<u8> {
        let mut out = Vec::new();
        write(value, &mut out);
        out
    }

    #[test]
    fn what_is_written_is_read() {
        let (value, back) = (beds(), read(&written(&beds()), &[]).expect("whole"));
        assert_eq!(format!("{value:?}"), format!("{back:?}"));
    }

    #[test]
    fn cut_or_damaged_bytes_are_refused_and_nothing_panics() {
        let bytes = written(&beds());
        for end in 0..bytes.len() {
            assert!(read(&bytes[..end], &[]).is_none(), "cut at {end}");
        }
        for at in 0..bytes.len() {
            for bit in 0..8 {
                let mut damaged = bytes.clone();
                damaged[at] ^= 1 << bit;
                let _ = read(&damaged, &[]);
            }
        }
        assert!(read(&[LIST, 0xff, 0xff, 0xff, 0x7f], &[]).is_none(), "a count that was made up");
    }

    #[test]
    fn what_stands_too_deep_is_refused() {
        let nested = |deep: usize| {
            let mut bytes = [LIST, 1].repeat(deep);
            bytes.push(NULL);
            bytes
        };
        assert!(read(&nested(DEEPEST), &[]).is_some());
        assert!(read(&nested(DEEPEST + 1), &[]).is_none());
    }
}
