//! A `<` in text.

use super::{Finding, surely};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct StrayAngle;

impl Finding for StrayAngle {
    const CODE: &'static str = "stray-angle";
    const ABOUT: &'static str = "A `<` in text that begins no tag";

    fn message(&self) -> String {
        "this `<` begins no tag".into()
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        surely(at, "&lt;")
    }
}

#[cfg(test)]
super::examples! { StrayAngle: "<p>1 < 2</p>" => "<" }
