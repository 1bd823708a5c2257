//! `<p/>`: in HTML the slash closes nothing.

use super::{Finding, surely};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct SelfClosed {
    pub(crate) name: String,
}

impl Finding for SelfClosed {
    const CODE: &'static str = "self-closed";
    const ABOUT: &'static str = "`<p/>` of an element that needs an end tag";

    fn message(&self) -> String {
        format!("`<{}/>` is not closed: in HTML the slash does nothing", self.name)
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        surely(Span { start: at.end - 2, end: at.end }, format!("></{}>", self.name))
    }
}

#[cfg(test)]
super::examples! { SelfClosed: "<p/>" => "<p/>" }
