//! An element without its end tag.

use super::Finding;
use vein_syntax::Span;

pub(crate) struct UnclosedElement {
    pub(crate) name: String,
    pub(crate) instead: Option<(String, Span)>,
}

impl Finding for UnclosedElement {
    const CODE: &'static str = "unclosed-element";
    const ABOUT: &'static str = "An element without its end tag";

    fn message(&self) -> String {
        format!("`<{}>` is never closed", self.name)
    }

    fn label(&self) -> String {
        "opened here".into()
    }

    fn related(&self) -> Vec<(Span, String)> {
        let ends = |(name, span): &(String, Span)| {
            (*span, format!("`</{name}>` comes before `</{}>`", self.name))
        };
        self.instead.iter().map(ends).collect()
    }

    fn advice(&self) -> Vec<String> {
        vec![format!("add `</{}>` where it ends", self.name)]
    }
}

#[cfg(test)]
super::examples! { UnclosedElement: "<div><p>a</div>" => "<p", "<div><p>a</p>" => "<div" }
