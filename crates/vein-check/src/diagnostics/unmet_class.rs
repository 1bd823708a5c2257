//! `.bed { … }` where no element can have the class `bed`.

use super::Finding;
use crate::report::Severity;

pub(crate) struct UnmetClass {
    pub(crate) class: String,
    /// A component that it is given to.
    pub(crate) component: Option<String>,
}

impl Finding for UnmetClass {
    const CODE: &'static str = "unmet-class";
    const ABOUT: &'static str = "A rule for a class that no element of the component can have";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        format!("no element here can have the class `{}`", self.class)
    }

    fn advice(&self) -> Vec<String> {
        vec![match &self.component {
            Some(component) => format!(
                "it is given to `<{component}>`, whose root is that component's own: style it there, or in a CSS \
                 file of the project"
            ),
            None => "give it to an element, or remove the rule".into(),
        }]
    }
}
