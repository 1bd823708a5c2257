//! `<div click="-> …">`: a click that no keyboard reaches.

use super::Finding;
use crate::report::Severity;

pub(crate) struct NotReachable {
    pub(crate) element: String,
    pub(crate) event: String,
}

impl Finding for NotReachable {
    const CODE: &'static str = "not-reachable";
    const ABOUT: &'static str = "An event of a pointer on what no keyboard reaches";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        format!("no keyboard reaches `{}` of a `<{}>`", self.event, self.element)
    }

    fn advice(&self) -> Vec<String> {
        vec!["use a `<button>`; or give it a `role`, `tabindex=\"0\"` and a `keydown`, too".into()]
    }
}
