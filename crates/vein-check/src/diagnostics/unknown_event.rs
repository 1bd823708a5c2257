//! `clik="-> …"`, or `give watr()`.

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownEvent {
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    /// Whether it was to be given, not heard.
    pub(crate) given: bool,
}

impl Finding for UnknownEvent {
    const CODE: &'static str = "unknown-event";
    const ABOUT: &'static str = "An event that elements do not have, or that the component does not declare";

    fn message(&self) -> String {
        match self.given {
            true => format!("this component gives no event `{}`", self.name),
            false => format!("elements have no event `{}`", self.name),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match (&self.nearest, self.given) {
            (Some(_), _) => return Vec::new(),
            (None, true) => format!("declare it: `gives {}(…)`", self.name),
            (None, false) => {
                "write the event's type as the DOM names it: `click`, `input`, `submit`, `keydown`"
                    .into()
            }
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&self.nearest, at)
    }
}

#[cfg(test)]
super::examples! { UnknownEvent:
    "holds a = 1\n<p clik='-> a = 2'>{a}</p>" => "clik",
    "<p click='-> give watr()'>a</p>" => "watr",
}
