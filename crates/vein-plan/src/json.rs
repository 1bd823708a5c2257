//! JSON as ECMA-262 reads and writes it: strings may hold halves of surrogate pairs.

use crate::convert::Misfit;
use crate::number;
use crate::program::Location;
use crate::text::{Text, short};
use crate::value::{Name, Value};

/// How deep lists and records may stand in each other.
const DEEPEST: usize = 128;

/// Why a text was not read as JSON.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unreadable {
    /// It is not JSON (RFC 8259).
    NotJson(NotJson),
    /// It is, but a value in it cannot be held: its path and why.
    Value(Misfit),
}

/// Where a text leaves the grammar of JSON, and how.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotJson {
    /// What is wrong.
    pub problem: &'static str,
    /// The place.
    pub location: Location,
}

impl std::fmt::Display for NotJson {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Location { line, column } = self.location;
        write!(f, "{}, at line {line}, column {column}", self.problem)
    }
}

impl std::error::Error for NotJson {}

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
    let mut grammar = Scanner { text, at: 0 };
    grammar.check().map_err(|problem| {
        let before = &text[..grammar.at];
        let line = before.matches('\n').count() as u32 + 1;
        let column = before.chars().rev().take_while(|c| *c != '\n').count() as u32 + 1;
        Unreadable::NotJson(NotJson { problem, location: Location { line, column } })
    })?;
    Scanner { text, at: 0 }.value(0).map_err(|misfit| {
        let path = match misfit.path.strip_prefix('.').unwrap_or(&misfit.path) {
            "" => "the data".to_owned(),
            path => path.to_owned(),
        };
        Unreadable::Value(Misfit { path, ..misfit })
    })
}

const ENDS: &str = "the text ends too early";

struct Scanner<'a> {
    text: &'a str,
    at: usize,
}

impl<'a> Scanner<'a> {
    fn peek(&self) -> Option<u8> {
        self.text.as_bytes().get(self.at).copied()
    }

    /// Goes on over white space; gives what comes then.
    fn next(&mut self) -> Option<u8> {
        while matches!(self.peek(), Some(b' ' | b'\t' | b'\n' | b'\r')) {
            self.at += 1;
        }
        self.peek()
    }

    /// Goes over a whole text by the grammar. What is open stands in a list, so that a text of any
    /// depth can be gone over.
    fn check(&mut self) -> Result<(), &'static str> {
        let mut open = Vec::new();
        loop {
            match self.next().ok_or(ENDS)? {
                bracket @ (b'[' | b'{') => {
                    self.at += 1;
                    // `]` and `}` stand two after what they close.
                    let close = bracket + 2;
                    open.push(close);
                    if self.next() != Some(close) {
                        if close == b'}' {
                            self.check_name()?;
                        }
                        continue;
                    }
                }
                b'"' => self.check_string()?,
                b'-' | b'0'..=b'9' => self.check_number()?,
                _ => self.check_word()?,
            }
            // A value is over, and maybe what it stands in.
            loop {
                match (self.next(), open.last().copied()) {
                    (None, None) => return Ok(()),
                    (None, Some(_)) => return Err(ENDS),
                    (Some(_), None) => return Err("expected nothing more"),
                    (Some(b','), Some(close)) => {
                        self.at += 1;
                        if close == b'}' {
                            self.check_name()?;
                        }
                        break;
                    }
                    (Some(byte), Some(close)) if byte == close => {
                        self.at += 1;
                        open.pop();
                    }
                    (Some(_), Some(b']')) => return Err("expected `,` or `]`"),
                    (Some(_), Some(_)) => return Err("expected `,` or `}`"),
                }
            }
        }
    }

    fn check_name(&mut self) -> Result<(), &'static str> {
        match self.next().ok_or(ENDS)? {
            b'"' => self.check_string()?,
            _ => return Err("expected a name in double quotes"),
        }
        match self.next().ok_or(ENDS)? {
            b':' => self.at += 1,
            _ => return Err("expected `:`"),
        }
        Ok(())
    }

    fn check_string(&mut self) -> Result<(), &'static str> {
        self.at += 1;
        loop {
            match self.peek().ok_or(ENDS)? {
                b'"' => break,
                0..0x20 => return Err("write this character as an escape"),
                b'\\' => {
                    self.at += 1;
                    match self.peek().ok_or(ENDS)? {
                        b'"' | b'\\' | b'/' | b'b' | b'f' | b'n' | b'r' | b't' => {}
                        b'u' => {
                            for _ in 0..4 {
                                self.at += 1;
                                if !self.peek().ok_or(ENDS)?.is_ascii_hexdigit() {
                                    return Err("expected four hexadecimal digits");
                                }
                            }
                        }
                        _ => return Err("there is no such escape"),
                    }
                }
                _ => {}
            }
            self.at += 1;
        }
        self.at += 1;
        Ok(())
    }

    fn check_number(&mut self) -> Result<(), &'static str> {
        if self.peek() == Some(b'-') {
            self.at += 1;
        }
        if self.peek() == Some(b'0') {
            self.at += 1;
        } else {
            self.check_digits()?;
        }
        if matches!(self.peek(), Some(b'0'..=b'9')) {
            return Err("a number does not begin with a zero");
        }
        if self.peek() == Some(b'.') {
            self.at += 1;
            self.check_digits()?;
        }
        if let Some(b'e' | b'E') = self.peek() {
            self.at += 1;
            if let Some(b'+' | b'-') = self.peek() {
                self.at += 1;
            }
            self.check_digits()?;
        }
        Ok(())
    }

    fn check_digits(&mut self) -> Result<(), &'static str> {
        let from = self.at;
        while matches!(self.peek(), Some(b'0'..=b'9')) {
            self.at += 1;
        }
        if self.at > from { Ok(()) } else { Err("expected a digit") }
    }

    fn check_word(&mut self) -> Result<(), &'static str> {
        let rest = &self.text[self.at..];
        let word = ["null", "true", "false"].into_iter().find(|word| rest.starts_with(word));
        self.at += word.ok_or("expected a value")?.len();
        Ok(())
    }

    /// Reads a value whose form is right.
    fn value(&mut self, depth: usize) -> Result<Value, Misfit> {
        let first = self.next();
        if matches!(first, Some(b'[' | b'{')) && depth == DEEPEST {
            let problem = format!("more than {DEEPEST} lists and records in each other");
            return Err(Misfit::here(problem));
        }
        match first {
            Some(b'"') => Ok(Value::String(self.string())),
            Some(b'[') => {
                let mut items = Vec::new();
                while !self.ends(b']') {
                    let step = |misfit: Misfit| misfit.inside(format_args!("[{}]", items.len()));
                    let item = self.value(depth + 1).map_err(step)?;
                    items.push(item);
                }
                Ok(Value::list(items))
            }
            Some(b'{') => {
                let mut fields = Vec::new();
                while !self.ends(b'}') {
                    let name = self.string();
                    let Some(name) = name.as_str() else {
                        let problem = "the name of a field holds half of a surrogate pair";
                        return Err(Misfit::here(problem.to_owned()));
                    };
                    // Over the colon.
                    self.next();
                    self.at += 1;
                    let step = |misfit: Misfit| misfit.inside(format_args!(".{name}"));
                    fields.push((Name::from(name), self.value(depth + 1).map_err(step)?));
                }
                Ok(Value::record(fields))
            }
            _ => self.plain(),
        }
    }

    /// Whether a list or record is over; else goes to its next item, over a bracket or comma.
    fn ends(&mut self, close: u8) -> bool {
        if self.next() != Some(close) {
            self.at += 1;
        }
        let ends = self.next() == Some(close);
        self.at += usize::from(ends);
        ends
    }

    /// A number or a word.
    fn plain(&mut self) -> Result<Value, Misfit> {
        let rest = &self.text[self.at..];
        let ends = |c: char| !c.is_ascii_alphanumeric() && !matches!(c, '.' | '+' | '-');
        let text = &rest[..rest.find(ends).unwrap_or(rest.len())];
        self.at += text.len();
        match text {
            "null" => Ok(Value::Null),
            "true" => Ok(true.into()),
            "false" => Ok(false.into()),
            number => match number.parse() {
                Ok(n) if f64::is_finite(n) => Ok(Value::Number(n)),
                _ => Err(Misfit::here(format!("the number {} is too large", short(number, 24)))),
            },
        }
    }

    fn string(&mut self) -> Text {
        self.next();
        self.at += 1;
        let mut units: Vec<u16> = Vec::new();
        loop {
            let rest = &self.text[self.at..];
            let plain = &rest[..rest.find(['"', '\\']).unwrap_or(rest.len())];
            self.at += plain.len() + 1;
            let ends = rest.as_bytes().get(plain.len()) != Some(&b'\\');
            if ends && units.is_empty() {
                return plain.into();
            }
            units.extend(plain.encode_utf16());
            if ends {
                return Text::from_units(units);
            }
            let escape = self.peek();
            self.at += 1;
            units.push(match escape {
                Some(b'u') => {
                    let digits = self.text.get(self.at..self.at + 4).unwrap_or("");
                    self.at += 4;
                    u16::from_str_radix(digits, 16).unwrap_or(0)
                }
                Some(b'b') => 0x08,
                Some(b'f') => 0x0c,
                Some(b'n') => 0x0a,
                Some(b'r') => 0x0d,
                Some(b't') => 0x09,
                other => other.unwrap_or(0).into(),
            });
        }
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
