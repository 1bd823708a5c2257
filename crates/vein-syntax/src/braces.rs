//! Finds the `}` that closes an interpolation, without reading what is between.

/// The offset of the `}` that closes the `{` just before `from`. Braces inside strings,
/// template literals and comments do not count. `None` where an end tag or the end of the
/// text comes first.
pub fn closing_brace(text: &str, from: usize) -> Option<usize> {
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
            b'<' if bytes.get(at + 1) == Some(&b'/') => return None,
            _ => {}
        }
        at += 1;
    }
    None
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
    use super::closing_brace;

    #[test]
    fn braces_in_strings_and_templates_do_not_count() {
        for inner in ["a", "{a: {}}", "'}'", r#""\"}" + '\'}'"#, "`}${ {a:`}`}.a }}`", "a /* } */"]
        {
            let text = format!("{inner}}} more }}");
            assert_eq!(closing_brace(&text, 0), Some(inner.len()), "{inner}");
        }
        assert_eq!(closing_brace("a </p> }", 0), None);
        assert_eq!(closing_brace("`", 0), None);
    }
}
