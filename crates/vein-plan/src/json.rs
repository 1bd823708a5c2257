//! `JSON.stringify`, as ECMA-262 writes it.

use crate::number;
use crate::text::Text;
use crate::value::Value;

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
