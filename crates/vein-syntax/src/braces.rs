//! Finds the `}` that closes an interpolation, without reading what is between.

/// The offset of the `}` that closes the `{` just before `from`. Braces inside strings,
/// template literals and comments do not count. `None` where an end tag or the end of the
/// text comes first.
pub fn closing_brace(text: &str, from: usize) -> Option<usize> {
    closing(text, from, false)
}

/// The start tag inside an interpolation that holds markup, and the `}` that closes it beyond that.
pub fn markup_inside(text: &str, from: usize) -> Option<(usize, usize)> {
    let end_tag = text[from..].find("</").map(|i| from + i)?;
    let starts =
        |at: &usize| text[at + 1..].starts_with(|c: char| c.is_ascii_alphabetic()) && *at < end_tag;
    let tag = text[from..].match_indices('<').map(|(i, _)| from + i).find(starts)?;
    Some((tag, closing(text, from, true)?))
}

fn closing(text: &str, from: usize, through_tags: bool) -> Option<usize> {
    let bytes = text.as_bytes();
    let mut at = from;
    // What encloses the place: an open brace, or the `${` of a template literal.
    let mut open: Vec<u8> = Vec::new();
    while at < bytes.len() {
        match bytes[at] {
            b'{' => open.push(b'{'),
            b'}' => match open.pop() {
                None => return Some(at),
                Some(b'`') => at = template_text(bytes, at + 1, &mut open)?,
                Some(_) => {}
            },
            b'"' | b'\'' => at = end_of_string(bytes, at),
            b'`' => at = template_text(bytes, at + 1, &mut open)?,
            b'/' if bytes.get(at + 1) == Some(&b'*') => {
                at += 3 + text.get(at + 2..)?.find("*/")?;
            }
            b'/' if begins_pattern(&text[from..at]) => {
                at += crate::token::end_of_pattern(&text[at..]).map_or(0, |len| len - 1);
            }
            b'<' if bytes.get(at + 1) == Some(&b'/') && !through_tags => return None,
            _ => {}
        }
        at += 1;
    }
    None
}

/// Whether a `/` behind some code begins a regular expression: behind a value it divides.
fn begins_pattern(before: &str) -> bool {
    match before.trim_end().chars().next_back() {
        None => true,
        Some('<') => !before.ends_with('<'),
        Some(last) => "({[,;:?=&|!<>+-*%".contains(last),
    }
}

/// The closing quote, or the last byte before the line's end where it is missing.
fn end_of_string(bytes: &[u8], open: usize) -> usize {
    let mut at = open + 1;
    while at < bytes.len() {
        match bytes[at] {
            b'\\' => at += 1,
            b'\n' => return at - 1,
            b if b == bytes[open] => return at,
            _ => {}
        }
        at += 1;
    }
    bytes.len()
}

/// The last byte of a template's text: its closing backtick, or the `{` of the next `${`.
fn template_text(bytes: &[u8], from: usize, open: &mut Vec<u8>) -> Option<usize> {
    let mut at = from;
    while at < bytes.len() {
        match bytes[at] {
            b'\\' => at += 1,
            b'`' => return Some(at),
            b'$' if bytes.get(at + 1) == Some(&b'{') => {
                open.push(b'`');
                return Some(at + 1);
            }
            _ => {}
        }
        at += 1;
    }
    None
}

#[cfg(test)]
mod tests {
    use super::{closing_brace, markup_inside};

    #[test]
    fn markup_is_told_from_a_brace_that_is_missing() {
        let text = "{x ? <b>{y}</b> : ''} <p>{n}</p>";
        assert_eq!(markup_inside(text, 1), Some((5, 20)));
        assert_eq!(markup_inside("{n</p> <p>{m}</p>", 1), None);
        assert_eq!(markup_inside("{n <b>a</b> {m}", 1), None);
    }

    #[test]
    fn braces_in_strings_and_templates_do_not_count() {
        for inner in [
            "a",
            "{a: {}}",
            "'}'",
            r#""\"}" + '\'}'"#,
            "`}${ {a:`}`}.a }}`",
            "a /* } */",
            "/[/}]}/.test(a)",
            "a / b / c",
            r"!/\/}/.test(a)",
        ] {
            let text = format!("{inner}}} more }}");
            assert_eq!(closing_brace(&text, 0), Some(inner.len()), "{inner}");
        }
        assert_eq!(closing_brace("a </p> }", 0), None);
        assert_eq!(closing_brace("`", 0), None);
    }
}
