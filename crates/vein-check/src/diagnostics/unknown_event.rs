//! `clik="-> …"`, or `give watr()`.

use super::{Finding, did_you_mean, listed};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownEvent {
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    /// Whether it was to be given, not heard.
    pub(crate) given: bool,
    /// The component that it was to be heard from, and the events that it gives.
    pub(crate) component: Option<String>,
    pub(crate) known: Vec<String>,
}

impl Finding for UnknownEvent {
    const CODE: &'static str = "unknown-event";
    const ABOUT: &'static str = "An event that elements do not have, or that the component does not declare";

    fn message(&self) -> String {
        if let Some(component) = &self.component {
            return format!("`<{component}>` gives no event `{}`", self.name);
        }
        match self.given {
            true => format!("this component gives no event `{}`", self.name),
            false => format!("elements have no event `{}`", self.name),
        }
    }

    fn advice(&self) -> Vec<String> {
        if let (Some(component), None) = (&self.component, &self.nearest) {
            return vec![match self.known.is_empty() {
                true => format!("it gives none: declare it there with `gives {}(…)`", self.name),
                false => format!("the events of `<{component}>` are {}", listed(&self.known)),
            }];
        }
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
