//! `holds dry = bed.moisture < 30`: state that is set once from a prop and never again.

use super::Finding;
use crate::report::{Fix, Severity};
use vein_syntax::Span;

pub(crate) struct HeldFromProp {
    pub(crate) name: String,
    pub(crate) prop: String,
    pub(crate) verb: Span,
}

impl Finding for HeldFromProp {
    const CODE: &'static str = "held-from-prop";
    const ABOUT: &'static str =
        "State that starts from a prop and is never assigned, so that it stays at its first value";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        format!("`{}` does not follow the prop `{}`", self.name, self.prop)
    }

    fn label(&self) -> String {
        "set once, when the component is added, and never assigned".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["to follow the prop, declare it with `derives`".into()]
    }

    fn fix(&self, _at: Span) -> Option<Fix> {
        super::replace(self.verb, "derives")
    }
}

#[cfg(test)]
super::examples! { HeldFromProp: "takes a: number\nholds b = a + 1\n<p>{b}</p>" => "b" }
