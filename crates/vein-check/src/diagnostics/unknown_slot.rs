//! `slot="action"` for a slot that the component does not have.

use super::{Finding, did_you_mean, listed};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownSlot {
    pub(crate) component: String,
    pub(crate) name: String,
    /// What the slot was to hand back.
    pub(crate) value: Option<String>,
    pub(crate) nearest: Option<String>,
    pub(crate) known: Vec<String>,
}

impl Finding for UnknownSlot {
    const CODE: &'static str = "unknown-slot";
    const ABOUT: &'static str = "Content for a slot that the component does not have, or a value that the slot does not hand back";

    fn message(&self) -> String {
        let component = &self.component;
        match (&self.value, self.name.as_str()) {
            (Some(value), "") => format!("the slot of `<{component}>` hands back no `{value}`"),
            (Some(value), name) => {
                format!("the slot `{name}` of `<{component}>` hands back no `{value}`")
            }
            (None, "") => format!("`<{component}>` has no slot for what stands inside it"),
            (None, name) => format!("`<{component}>` has no slot `{name}`"),
        }
    }

    fn advice(&self) -> Vec<String> {
        if self.nearest.is_some() {
            return Vec::new();
        }
        let known: Vec<&String> = self.known.iter().filter(|name| !name.is_empty()).collect();
        vec![match (&self.value, known.is_empty()) {
            (Some(value), true) => format!("hand it back there: `<slot {value}=\"<- …\">`"),
            (Some(_), false) => format!("it hands back {}", listed(&known)),
            (None, true) if self.name.is_empty() => "add `<slot></slot>` to its markup".into(),
            (None, true) => format!("add `<slot name=\"{}\"></slot>` to its markup", self.name),
            (None, false) => format!("its slots are {}", listed(&known)),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&self.nearest, at)
    }
}

#[cfg(test)]
super::examples! { UnknownSlot:
    "<bed-frame><p slot='acts'>a</p></bed-frame>" => "acts",
    "<bed-note crop='a'>b</bed-note>" => "bed-note",
    "<bed-frame><p slot='actions' with='rwo'>{rwo}</p></bed-frame>" => "rwo",
}
