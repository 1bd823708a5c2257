//! What a part shows: the last step from a value to the view.

use crate::program::{Form, PartKind};
use crate::value::Value;
use compact_str::CompactString;

/// What stands in one part of the view.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Shown {
    /// An attribute that is not there.
    Absent,
    /// The data of a text node, the value of an attribute or of a string property.
    Text(CompactString),
    /// The value of a boolean property.
    Flag(bool),
}

/// What stands in place of a URL whose scheme could run something.
pub const HARMLESS_URL: &str = "about:blank";

impl std::fmt::Display for Shown {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Shown::Absent => f.write_str("absent"),
            Shown::Text(s) => write!(f, "{s:?}"),
            Shown::Flag(b) => write!(f, "{b}"),
        }
    }
}

impl PartKind {
    /// What a value shows in a part of this kind.
    ///
    /// ```
    /// use vein_plan::{Form, PartKind, Shown, Value};
    /// let disabled = PartKind::Attribute("disabled".into(), Form::Presence);
    /// assert_eq!(disabled.shown(&Value::from(true)), Shown::Text("".into()));
    /// assert_eq!(disabled.shown(&Value::from(false)), Shown::Absent);
    /// ```
    pub fn shown(&self, value: &Value) -> Shown {
        let text = || {
            let out = value.to_shown();
            // HTML has no way to write U+0000: a parser puts U+FFFD in its place.
            if out.contains('\0') { out.replace('\0', "\u{fffd}").into() } else { out }
        };
        match self {
            PartKind::Text | PartKind::Attribute(_, Form::Text) => Shown::Text(text()),
            PartKind::Property(crate::Property::Value) => Shown::Text(text()),
            PartKind::Property(crate::Property::Chosen) => {
                let values = match value {
                    Value::List(items) => {
                        items.iter().map(|i| Value::from(&*i.to_text().to_utf8())).collect()
                    }
                    _ => Vec::new(),
                };
                Shown::Text(crate::json::stringify(&Value::list(values)).to_utf8().into())
            }
            PartKind::Property(_) => Shown::Flag(value.truthy()),
            PartKind::Attribute(_, form) => match (form, value) {
                (_, Value::Null) => Shown::Absent,
                (Form::Presence | Form::Url, Value::Boolean(false)) => Shown::Absent,
                (Form::Presence | Form::Url, Value::Boolean(true)) => {
                    Shown::Text(CompactString::default())
                }
                (Form::Tokens | Form::Declarations, Value::Boolean(false)) => Shown::Absent,
                (Form::Tokens, Value::List(_)) => tokens(value),
                (Form::Declarations, Value::List(_) | Value::Record(_)) => declarations(value),
                (Form::Url, _) => {
                    let url = text();
                    Shown::Text(if is_safe_url(&url) { url } else { HARMLESS_URL.into() })
                }
                _ => Shown::Text(text()),
            },
        }
    }
}

impl crate::Property {
    /// What a surface says of it, if that is of its type: text, or whether it is on.
    ///
    /// ```
    /// use vein_plan::{Property, Shown, Value};
    /// assert_eq!(Property::Checked.read(&Value::from(true)), Some(Shown::Flag(true)));
    /// assert_eq!(Property::Value.read(&Value::from(true)), None);
    /// ```
    pub fn read(self, told: &Value) -> Option<Shown> {
        match (self, told) {
            (crate::Property::Value | crate::Property::Chosen, Value::String(_)) => {
                Some(Shown::Text(told.to_shown()))
            }
            (crate::Property::Value | crate::Property::Chosen, _) => None,
            (_, Value::Boolean(on)) => Some(Shown::Flag(*on)),
            _ => None,
        }
    }
}

/// Calls `each` with what stands in a list, in order, and in the lists in it.
fn flattened(value: &Value, mut each: impl FnMut(&Value)) {
    let mut open = vec![std::slice::from_ref(value).iter()];
    while let Some(items) = open.last_mut() {
        match items.next() {
            Some(Value::List(inner)) => open.push(inner.iter()),
            Some(item) => each(item),
            None => {
                open.pop();
            }
        }
    }
}

/// The items of a list that are there, apart by a space.
fn tokens(list: &Value) -> Shown {
    let mut out = String::new();
    flattened(list, |item| {
        if !item.truthy() {
            return;
        }
        for token in item.to_shown().split_ascii_whitespace() {
            if !out.is_empty() {
                out.push(' ');
            }
            out.push_str(token);
        }
    });
    if out.is_empty() { Shown::Absent } else { Shown::Text(out.replace('\0', "\u{fffd}").into()) }
}

/// The fields of a record as declarations of CSS; of a list, one after the other, so that what stands
/// last holds. A name may be written as ECMAScript does, `borderColor`. A value that could end its
/// declaration and begin another is left out; text is taken as it is.
fn declarations(value: &Value) -> Shown {
    let mut out = String::new();
    flattened(value, |item| match item {
        Value::Record(record) => fields(record, &mut out),
        item if item.truthy() => {
            let text = item.to_shown();
            let text = text.trim().trim_end_matches(';');
            if !text.is_empty() {
                declare(&mut out, &[text]);
            }
        }
        _ => {}
    });
    if out.is_empty() { Shown::Absent } else { Shown::Text(out.replace('\0', "\u{fffd}").into()) }
}

fn declare(out: &mut String, pieces: &[&str]) {
    if !out.is_empty() {
        out.push(' ');
    }
    pieces.iter().for_each(|piece| out.push_str(piece));
    out.push(';');
}

fn fields(record: &crate::Record, out: &mut String) {
    for (name, value) in record.iter() {
        if matches!(value, Value::Null | Value::Boolean(_)) {
            continue;
        }
        let text = value.to_shown();
        if text.is_empty() || !is_one_css_value(&text) {
            continue;
        }
        let mut property = String::new();
        if name.starts_with("--") {
            property.push_str(name);
        } else {
            for c in name.chars() {
                if c.is_ascii_uppercase() {
                    property.push('-');
                }
                property.push(c.to_ascii_lowercase());
            }
        }
        declare(out, &[&property, ": ", &text]);
    }
}

/// Where a text of CSS stands after a character.
#[derive(Default)]
struct Css {
    brackets: Vec<char>,
    quote: Option<char>,
}

impl Css {
    /// Goes on by a character. `false` where what follows could mean anything.
    fn next(&mut self, c: char) -> bool {
        match (self.quote, c) {
            (_, '\\' | '\0') | (Some(_), '\n' | '\r' | '\u{c}') => return false,
            (Some(open), c) if c == open => self.quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => self.quote = Some(c),
            (None, '(') => self.brackets.push(')'),
            (None, '[') => self.brackets.push(']'),
            (None, ')' | ']') => return self.brackets.pop() == Some(c),
            _ => {}
        }
        true
    }

    fn is_inside(&self) -> bool {
        self.quote.is_some() || !self.brackets.is_empty()
    }
}

/// Whether a text stays inside one declaration of CSS, whatever a parser makes of it, and fetches nothing.
fn is_one_css_value(text: &str) -> bool {
    let text = text.trim_end();
    let important = text.strip_suffix("!important").unwrap_or(text);
    let mut at = Css::default();
    let inside = important.chars().all(|c| {
        let ends = at.quote.is_none() && matches!(c, ';' | '{' | '}' | '!' | '<' | '>' | '@');
        !ends && at.next(c)
    });
    let lower = text.to_ascii_lowercase();
    let never = ["url(", "image(", "image-set(", "src(", "expression(", "/*", "*/"];
    inside && !at.is_inside() && !never.iter().any(|never| lower.contains(never))
}

/// What of a text from data may stand in the middle of a declaration that somebody has written: all
/// of it or nothing. A quote could end one that was begun there.
pub(crate) fn piece_of_css(text: &str) -> &str {
    if is_one_css_value(text) && !text.contains(['"', '\'']) { text } else { "" }
}

/// A text from data with those of its declarations that stay one each and fetch nothing.
pub(crate) fn clean_declarations(text: &str) -> String {
    let mut at = Css::default();
    let mut understood = true;
    let all: Vec<&str> = text
        .split(|c| {
            understood = understood && at.next(c);
            c == ';' && understood && !at.is_inside()
        })
        .collect();
    let harmless = |declaration: &&str| match declaration.split_once(':') {
        Some((name, value)) => {
            let name = name.trim();
            let known = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_');
            !name.is_empty() && name.chars().all(known) && is_one_css_value(value)
        }
        None => declaration.trim().is_empty(),
    };
    let kept: Vec<&str> = all.iter().copied().filter(harmless).collect();
    if kept.len() == all.len() { text.to_owned() } else { kept.join(";").trim().to_owned() }
}

/// The name that an element may take whose name is worked out while running: one that is known
/// and harmless, else `div`.
pub fn renamed(value: &Value) -> &'static str {
    let name = value.to_shown();
    RENAMED.iter().find(|known| **known == name).copied().unwrap_or("div")
}

/// The names that an element may take whose name is worked out while running.
pub const RENAMED: &[&str] = &[
    "a",
    "abbr",
    "address",
    "article",
    "aside",
    "b",
    "blockquote",
    "button",
    "cite",
    "code",
    "dd",
    "del",
    "details",
    "dfn",
    "div",
    "dl",
    "dt",
    "em",
    "fieldset",
    "figcaption",
    "figure",
    "footer",
    "form",
    "h1",
    "h2",
    "h3",
    "h4",
    "h5",
    "h6",
    "header",
    "hgroup",
    "i",
    "ins",
    "kbd",
    "label",
    "legend",
    "li",
    "main",
    "mark",
    "menu",
    "nav",
    "ol",
    "output",
    "p",
    "pre",
    "q",
    "s",
    "samp",
    "search",
    "section",
    "small",
    "span",
    "strong",
    "sub",
    "summary",
    "sup",
    "table",
    "tbody",
    "td",
    "tfoot",
    "th",
    "thead",
    "time",
    "tr",
    "u",
    "ul",
    "var",
];

impl crate::Conversion {
    /// What a control's text becomes, or `None` when it means no value of the type.
    ///
    /// ```
    /// use vein_plan::{Conversion, Value};
    /// assert!(Conversion::Number.value("2.50").unwrap().same(&Value::Number(2.5)));
    /// assert!(Conversion::Number.value("two").is_none());
    /// assert!(Conversion::NumberOrNull.value("").unwrap().is_null());
    /// ```
    pub fn value(&self, text: &str) -> Option<Value> {
        use crate::Conversion as To;
        let empty = text.trim().is_empty();
        match self {
            To::Text => Some(text.into()),
            To::TextOrNull => Some(if text.is_empty() { Value::Null } else { text.into() }),
            To::NumberOrNull if empty => Some(Value::Null),
            To::Number | To::NumberOrNull if empty => None,
            To::Number | To::NumberOrNull => {
                let n = crate::number::from_text(&text.into());
                n.is_finite().then_some(Value::Number(n))
            }
            To::WordOrNull(_) if text.is_empty() => Some(Value::Null),
            To::Word(words) | To::WordOrNull(words) => {
                words.iter().any(|word| **word == *text).then(|| text.into())
            }
            To::Many(each) => {
                let Value::List(chosen) = crate::json::parse(text).ok()? else { return None };
                let values = chosen.iter().map(|chosen| match chosen {
                    Value::String(text) => each.value(&text.to_utf8()),
                    _ => None,
                });
                Some(Value::list(values.collect::<Option<_>>()?))
            }
            To::Flag | To::Picked(_) | To::Member(_) => None,
        }
    }
}

/// Whether following a URL cannot run anything: it is relative, or its scheme is one of
/// http, https, mailto and tel, or it is a `data:` picture other than SVG.
///
/// The scheme is found as the URL standard's parser finds it: leading controls and spaces
/// are dropped, tabs and newlines are dropped anywhere.
pub fn is_safe_url(url: &str) -> bool {
    let cleaned: String = url
        .trim_start_matches(|c: char| c <= ' ')
        .chars()
        .filter(|c| !matches!(c, '\t' | '\n' | '\r'))
        .collect();
    let Some((scheme, rest)) = cleaned.split_once(':') else { return true };
    let is_scheme = scheme.starts_with(|c: char| c.is_ascii_alphabetic())
        && scheme.chars().all(|c| c.is_ascii_alphanumeric() || "+-.".contains(c));
    if !is_scheme {
        return true;
    }
    match scheme.to_ascii_lowercase().as_str() {
        "http" | "https" | "mailto" | "tel" => true,
        "data" => {
            let kind = rest.to_ascii_lowercase();
            ["image/png", "image/jpeg", "image/gif", "image/webp", "image/avif"]
                .iter()
                .any(|safe| kind.strip_prefix(safe).is_some_and(|r| r.starts_with([';', ','])))
        }
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::{clean_declarations, is_safe_url, piece_of_css};

    #[test]
    fn declarations_from_data_stay_what_they_are_or_go() {
        for same in [
            "",
            "color: red",
            " color: red ; margin: 0 2px;",
            "color: red;\n  margin: 0\n  2px;\n",
            "--a-b: 1px; width: calc(1px * (2 + 3)) !important",
            "font-family: 'a;b', serif",
            "grid-area: [a] 1",
        ] {
            assert_eq!(clean_declarations(same), same);
        }
        for (text, left) in [
            ("color: red; background: url(//a.example/x)", "color: red"),
            ("background: image-set('a' 1x); color: red", "color: red"),
            ("color: red; } body { color: blue", "color: red"),
            ("color: red /*; margin: 0", "margin: 0"),
            ("margin: 0; color: 'red; padding: 0", "margin: 0"),
            ("margin: 0; color: rgb(1; padding: 0", "margin: 0"),
            ("margin: 0; color: re\\3b d; padding: 0", "margin: 0"),
            ("margin: 0) ; padding: 0", ""),
            ("margin: 0; content: 'a\nb'; padding: 0", "margin: 0"),
            ("no colon; color: red", "color: red"),
            ("a b: c; color: red", "color: red"),
        ] {
            assert_eq!(clean_declarations(text), left, "{text}");
        }
    }

    #[test]
    fn a_piece_of_a_declaration_cannot_end_it() {
        for same in ["red", "1px solid", "rgb(1 2 3)", "red !important", ""] {
            assert_eq!(piece_of_css(same), same);
        }
        for bad in ["red; x: y", "\"; x: y; \"", "url(x)", "a)", "}", "*/", "/*", "\\", "'a'"] {
            assert_eq!(piece_of_css(bad), "", "{bad}");
        }
    }

    #[test]
    fn schemes_that_run_something_are_found_in_every_spelling() {
        for safe in [
            "/a",
            "a:b/../c".get(2..).unwrap_or(""),
            "?q=javascript:1",
            "./x:y",
            "#x",
            "https://example.org",
            "MAILTO:a@example.org",
            "tel:1",
            "data:image/png;base64,AA==",
            "1a:b",
            "a b:c",
            "java script:1",
        ] {
            assert!(is_safe_url(safe), "{safe}");
        }
        for bad in [
            "javascript:1",
            " \u{1}JaVaScRiPt:1",
            "java\nscript:1",
            "\tjavascript\t:1",
            "data:text/html,x",
            "data:image/svg+xml,x",
            "vbscript:1",
            "blob:x",
            "file:///x",
        ] {
            assert!(!is_safe_url(bad), "{bad:?}");
        }
    }
}
