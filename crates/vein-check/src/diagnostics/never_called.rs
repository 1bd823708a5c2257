//! A handler that nothing calls.

use super::Finding;
use crate::report::Severity;

pub(crate) struct NeverCalled {
    pub(crate) name: String,
}

impl Finding for NeverCalled {
    const CODE: &'static str = "never-called";
    const ABOUT: &'static str = "A handler that nothing calls";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        format!("nothing calls `{}`", self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![format!("bind it, such as `click=\"-> {}()\"`, or remove it", self.name)]
    }
}

#[cfg(test)]
super::examples! { NeverCalled: "holds a = 1\ndoes b() { a = 2 }\n<p>{a}</p>" => "b" }
