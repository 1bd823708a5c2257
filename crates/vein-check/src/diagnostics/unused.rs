//! A component that nothing shows.

use super::Finding;
use crate::report::Severity;

pub(crate) struct Unused {
    pub(crate) name: String,
}

impl Finding for Unused {
    const CODE: &'static str = "unused";
    const ABOUT: &'static str = "A component or store that no page leads to";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        format!("no page leads to `{}`", self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec!["show it somewhere, write a scenario of it, or remove its file".into()]
    }
}
