//! `a="1"b="2"`.

use super::{Finding, surely};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct MissingSpace;

impl Finding for MissingSpace {
    const CODE: &'static str = "missing-space";
    const ABOUT: &'static str = "Two attributes without white space between them";

    fn message(&self) -> String {
        "white space is missing between two attributes".into()
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        surely(at, " ")
    }
}

#[cfg(test)]
super::examples! { MissingSpace: "<p id='a'title='b'></p>" => "" }
