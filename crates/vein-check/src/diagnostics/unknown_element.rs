//! `<buton>`: an element that HTML does not have.

use super::{Finding, did_you_mean_element};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownElement {
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    /// The name in the end tag, which has to change too.
    pub(crate) end_name: Option<Span>,
}

impl Finding for UnknownElement {
    const CODE: &'static str = "unknown-element";
    const ABOUT: &'static str = "An element that HTML does not have";

    fn message(&self) -> String {
        format!("HTML has no element `<{}>`", self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![match &self.nearest {
            Some(_) => return Vec::new(),
            None => "a component's name has a hyphen in it".into(),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean_element(&self.nearest, at, self.end_name)
    }
}

#[cfg(test)]
super::examples! { UnknownElement: "<buton>a</buton>" => "buton" }
