//! Character references, as the HTML standard's tokenizer reads them.

use crate::span::{Span, SpanMap};
use std::collections::HashMap;
use std::sync::OnceLock;

/// Names without the `&`, with the semicolon where it belongs to the name.
fn named() -> &'static HashMap<&'static str, &'static str> {
    static TABLE: OnceLock<HashMap<&'static str, &'static str>> = OnceLock::new();
    TABLE
        .get_or_init(|| entities::ENTITIES.iter().map(|e| (&e.entity[1..], e.characters)).collect())
}

/// Longest name in the standard's table, `CounterClockwiseContourIntegral;`.
const LONGEST_NAME: usize = 32;

/// A text with its character references decoded, and the way back.
pub struct Decoded {
    /// The text.
    pub text: String,
    /// Where each part of it came from.
    pub map: SpanMap,
}

/// Decodes the references in `raw`, which stands at `offset` in its source.
pub fn decode(raw: &str, offset: usize, in_attribute: bool) -> Decoded {
    if !raw.contains('&') {
        return Decoded { text: raw.to_owned(), map: SpanMap::verbatim(offset) };
    }
    let mut out = Decoded { text: String::with_capacity(raw.len()), map: SpanMap::default() };
    let mut at = 0;
    while at < raw.len() {
        let next = raw[at..].find('&').map_or(raw.len(), |found| at + found);
        if next > at || at == 0 {
            let source = Span::new(offset + at, offset + next);
            out.map.push(out.text.len(), source, true);
            out.text.push_str(&raw[at..next]);
        }
        if next == raw.len() {
            break;
        }
        let (taken, len) = match reference(&raw[next..], in_attribute) {
            Some((decoded, len)) => (decoded, len),
            None => ("&".into(), 1),
        };
        let source = Span::new(offset + next, offset + next + len);
        out.map.push(out.text.len(), source, false);
        out.text.push_str(&taken);
        at = next + len;
    }
    out
}

/// The reference at the start of `text`, and how many bytes it takes.
fn reference(text: &str, in_attribute: bool) -> Option<(String, usize)> {
    if let Some(digits) = text.strip_prefix("&#") {
        return numeric(digits).map(|(c, len)| (c.to_string(), len + 2));
    }
    let name = &text[1..];
    let most = name.bytes().take(LONGEST_NAME).take_while(u8::is_ascii_alphanumeric).count();
    if name[most..].starts_with(';')
        && let Some(found) = named().get(&name[..=most])
    {
        return Some(((*found).to_owned(), most + 2));
    }
    // Old names that also stand without a semicolon, the longest that fits.
    let (len, found) =
        (1..=most).rev().find_map(|len| named().get(&name[..len]).map(|f| (len, *f)))?;
    let next = name[len..].chars().next();
    let part_of_a_query =
        in_attribute && next.is_some_and(|c| c == '=' || c.is_ascii_alphanumeric());
    (!part_of_a_query).then(|| (found.to_owned(), len + 1))
}

fn numeric(digits: &str) -> Option<(char, usize)> {
    let (body, radix, prefix) = match digits.strip_prefix(['x', 'X']) {
        Some(hex) => (hex, 16, 1),
        None => (digits, 10, 0),
    };
    let len = body.chars().take_while(|c| c.is_digit(radix)).count();
    if len == 0 {
        return None;
    }
    let code = body[..len].chars().fold(0u32, |code, c| {
        code.saturating_mul(radix).saturating_add(c.to_digit(radix).unwrap_or(0))
    });
    let semicolon = usize::from(body[len..].starts_with(';'));
    Some((code_point(code), prefix + len + semicolon))
}

/// The standard's replacements: Windows-1252 for C1 controls, U+FFFD for what is no character.
fn code_point(code: u32) -> char {
    const C1: [u16; 32] = [
        0x20ac, 0x81, 0x201a, 0x192, 0x201e, 0x2026, 0x2020, 0x2021, 0x2c6, 0x2030, 0x160, 0x2039,
        0x152, 0x8d, 0x17d, 0x8f, 0x90, 0x2018, 0x2019, 0x201c, 0x201d, 0x2022, 0x2013, 0x2014,
        0x2dc, 0x2122, 0x161, 0x203a, 0x153, 0x9d, 0x17e, 0x178,
    ];
    let code = match code {
        0 => 0xfffd,
        0x80..=0x9f => u32::from(C1[code as usize - 0x80]),
        other => other,
    };
    char::from_u32(code).unwrap_or('\u{fffd}')
}

#[cfg(test)]
mod tests {
    use super::*;

    fn text(raw: &str) -> String {
        decode(raw, 0, false).text
    }

    #[test]
    fn references_are_read_as_the_standard_says() {
        for (raw, decoded) in [
            ("a &lt; b &amp;&amp; c", "a < b && c"),
            ("&notit; &notin;", "¬it; ∉"),
            ("&#x41;&#65;&#0;&#x80;&#xD800;&#99999999;", "AA\u{fffd}€\u{fffd}\u{fffd}"),
            ("& &; &unknown; &#; &#x;", "& &; &unknown; &#; &#x;"),
            ("&NotEqualTilde;", "\u{2242}\u{338}"),
        ] {
            assert_eq!(text(raw), decoded);
        }
        assert_eq!(decode("?a=1&copy=2&copy;", 0, true).text, "?a=1&copy=2©");
    }

    #[test]
    fn the_way_back_goes_around_references() {
        let decoded = decode("a &lt; b", 10, true);
        assert_eq!(decoded.text, "a < b");
        assert_eq!(decoded.map.span(4, 5), Span::new(17, 18));
        assert_eq!(decoded.map.span(2, 3), Span::new(12, 16));
        assert_eq!(decoded.map.span(0, 5), Span::new(10, 18));
    }
}
