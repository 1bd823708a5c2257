//! `.bed { … }` where nothing can have the class `bed`.

use super::Finding;
use crate::report::Severity;

pub(crate) struct UnmetClass {
    pub(crate) class: String,
}

impl Finding for UnmetClass {
    const CODE: &'static str = "unmet-class";
    const ABOUT: &'static str = "A rule for a class that nothing in the component can have";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        format!("nothing here can have the class `{}`", self.class)
    }

    fn advice(&self) -> Vec<String> {
        vec!["give it to an element or to a component, or remove the rule".into()]
    }
}
