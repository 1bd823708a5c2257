//! `<bed-rwo>`: an element with a hyphen that no file defines.

use super::{Finding, did_you_mean_element};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownComponent {
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    /// The name in the end tag, which has to change too.
    pub(crate) end_name: Option<Span>,
}

impl Finding for UnknownComponent {
    const CODE: &'static str = "unknown-component";
    const ABOUT: &'static str = "An element with a hyphen in its name that no file defines";

    fn message(&self) -> String {
        format!("there is no component `<{}>`", self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![match &self.nearest {
            Some(_) => return Vec::new(),
            None => format!("a file `{}.vein` in the project's folder would define it", self.name),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean_element(&self.nearest, at, self.end_name)
    }
}

#[cfg(test)]
super::examples! { UnknownComponent: "<div><bed-row></bed-row></div>" => "bed-row" }
