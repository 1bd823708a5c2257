//! What a part shows: the last step from a value to the view.

use crate::program::{Form, PartKind};
use crate::value::Value;

/// What stands in one part of the view.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Shown {
    /// An attribute that is not there.
    Absent,
    /// The data of a text node, the value of an attribute or of a string property.
    Text(String),
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
            let mut out = String::new();
            value.push_shown(&mut out);
            // HTML has no way to write U+0000: a parser puts U+FFFD in its place.
            if out.contains('\0') { out.replace('\0', "\u{fffd}") } else { out }
        };
        match self {
            PartKind::Text | PartKind::Attribute(_, Form::Text) => Shown::Text(text()),
            PartKind::Property(crate::Property::Value) => Shown::Text(text()),
            PartKind::Property(_) => Shown::Flag(value.truthy()),
            PartKind::Attribute(_, form) => match (form, value) {
                (_, Value::Null) => Shown::Absent,
                (Form::Presence | Form::Url, Value::Boolean(false)) => Shown::Absent,
                (Form::Presence | Form::Url, Value::Boolean(true)) => Shown::Text(String::new()),
                (Form::Url, _) => {
                    let url = text();
                    Shown::Text(if is_safe_url(&url) { url } else { HARMLESS_URL.into() })
                }
                _ => Shown::Text(text()),
            },
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
    use super::is_safe_url;

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
