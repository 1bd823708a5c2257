//! `<bed-row bde="<- bed">`: a prop that the component does not declare.

use super::{Finding, did_you_mean, listed};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownProp {
    pub(crate) component: String,
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    pub(crate) known: Vec<String>,
}

impl Finding for UnknownProp {
    const CODE: &'static str = "unknown-prop";
    const ABOUT: &'static str = "A prop that the component does not declare";

    fn message(&self) -> String {
        format!("`<{}>` takes no prop `{}`", self.component, self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![match (&self.nearest, self.known.is_empty()) {
            (Some(_), _) => return Vec::new(),
            (None, true) => format!("it takes none: declare it there with `takes {}: …`", self.name),
            (None, false) => format!(
                "its props are {}; declare another there with `takes {}: …`",
                listed(&self.known),
                self.name
            ),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&self.nearest, at)
    }
}

#[cfg(test)]
super::examples! { UnknownProp:
    "<bed-note crpo='chard' crop='a'></bed-note>" => "crpo",
    "<bed-note crop='chard' litres='2'></bed-note>" => "litres",
}
