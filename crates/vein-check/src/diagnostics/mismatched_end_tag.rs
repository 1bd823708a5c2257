//! `<p>…</q>`: an end tag of another name than the start tag.

use super::{Finding, surely};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct MismatchedEndTag {
    pub(crate) found: String,
    pub(crate) expected: String,
    pub(crate) opened: Span,
}

impl Finding for MismatchedEndTag {
    const CODE: &'static str = "mismatched-end-tag";
    const ABOUT: &'static str = "An end tag whose name is not that of the open element";

    fn message(&self) -> String {
        format!("`</{}>` does not end `<{}>`", self.found, self.expected)
    }

    fn label(&self) -> String {
        format!("expected `</{}>`", self.expected)
    }

    fn related(&self) -> Vec<(Span, String)> {
        vec![(self.opened, "opened here".into())]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        surely(at, self.expected.as_str())
    }
}

#[cfg(test)]
super::examples! { MismatchedEndTag: "<div><p>a</q></div>" => "q" }
