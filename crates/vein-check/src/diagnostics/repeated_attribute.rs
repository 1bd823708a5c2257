//! The same attribute twice on one element.

use super::Finding;
use vein_syntax::Span;

pub(crate) struct RepeatedAttribute {
    pub(crate) name: String,
    pub(crate) first: Span,
}

impl Finding for RepeatedAttribute {
    const CODE: &'static str = "repeated-attribute";
    const ABOUT: &'static str = "The same attribute twice on one element";

    fn message(&self) -> String {
        format!("the attribute `{}` stands here twice", self.name)
    }

    fn related(&self) -> Vec<(Span, String)> {
        vec![(self.first, "first here".into())]
    }

    fn advice(&self) -> Vec<String> {
        vec!["a browser would ignore the second: keep one of them".into()]
    }
}

#[cfg(test)]
super::examples! { RepeatedAttribute: "<p id='a' id='b'></p>" => "id" }
