//! Source maps (ECMA-426): which place of a component each place of a script was made from.

use crate::short::Place;
use std::fmt::Write as _;

/// A file that a script was made from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Source {
    /// The component's number in its program.
    pub plan: u32,
    /// What it is called.
    pub path: String,
    /// Its text.
    pub text: String,
}

/// The source map of a script, with the texts of those files that something in it was made from.
///
/// ```
/// use vein_script::map::{Source, source_map};
/// use vein_script::short::shortened;
/// let (text, places) = shortened("/*@0:1:5*/a();", |_| false);
/// let source = Source { plan: 0, path: "bed-card.vein".into(), text: "<p>{a}</p>\n".into() };
/// let map = source_map("main.mjs", &places, &[source]);
/// assert!(map.contains(r#""mappings":"AAAI""#));
/// ```
pub fn source_map(file: &str, places: &[Place], sources: &[Source]) -> String {
    let named: Vec<&Source> = sources
        .iter()
        .filter(|source| places.iter().any(|place| place.plan == source.plan))
        .collect();
    let lines: Vec<Vec<&str>> = named.iter().map(|source| source.text.lines().collect()).collect();
    let mut mappings = String::new();
    let (mut line, mut column, mut last) = (0, 0, [0; 3]);
    let mut first = true;
    for place in places {
        let Some(source) = named.iter().position(|source| source.plan == place.plan) else {
            continue;
        };
        let (from_line, from_column) =
            (place.from_line.saturating_sub(1), place.from_column.saturating_sub(1));
        let before =
            lines[source].get(from_line as usize).unwrap_or(&"").chars().take(from_column as usize);
        let now = [
            source as i64,
            i64::from(from_line),
            before.map(char::len_utf16).sum::<usize>() as i64,
        ];
        while line < place.line {
            mappings.push(';');
            (line, column, first) = (line + 1, 0, true);
        }
        if !std::mem::take(&mut first) {
            mappings.push(',');
        }
        number(i64::from(place.column) - column, &mut mappings);
        column = i64::from(place.column);
        for (now, last) in now.iter().zip(&last) {
            number(now - last, &mut mappings);
        }
        last = now;
    }
    let quoted = |text: &str| vein_plan::json::stringify(&vein_plan::Value::from(text)).to_string();
    let list = |texts: Vec<String>| format!("[{}]", texts.join(","));
    let paths = named.iter().map(|source| quoted(&source.path)).collect();
    let texts = named.iter().map(|source| quoted(&source.text)).collect();
    let mut map = String::from("{\"version\":3");
    let (paths, texts): (String, String) = (list(paths), list(texts));
    write!(
        map,
        ",\"file\":{},\"sources\":{paths},\"sourcesContent\":{texts},\"names\":[],\"mappings\":\"{mappings}\"}}",
        quoted(file)
    )
    .expect("memory takes it");
    map
}

/// A number in base 64, its sign in the lowest bit, five bits a digit, the lowest first (ECMA-426, "Base64 VLQ").
fn number(number: i64, out: &mut String) {
    const DIGITS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    let mut rest = (number.unsigned_abs() << 1) | u64::from(number < 0);
    loop {
        let more = if rest >= 32 { 32 } else { 0 };
        out.push(char::from(DIGITS[((rest % 32) | more) as usize]));
        rest /= 32;
        if rest == 0 {
            return;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::number;

    #[test]
    fn numbers_are_written_as_the_standard_has_them() {
        for (given, wanted) in
            [(0, "A"), (1, "C"), (-1, "D"), (15, "e"), (16, "gB"), (-16, "hB"), (1000, "w+B")]
        {
            let mut out = String::new();
            number(given, &mut out);
            assert_eq!(out, wanted, "{given}");
        }
    }
}
