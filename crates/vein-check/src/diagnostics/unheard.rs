//! An event that no parent hears.

use super::Finding;
use crate::report::Severity;

pub(crate) struct Unheard {
    pub(crate) component: String,
    pub(crate) event: String,
}

impl Finding for Unheard {
    const CODE: &'static str = "unheard";
    const ABOUT: &'static str = "An event of a component that nobody hears";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        format!("nobody hears `{}` of `<{}>`", self.event, self.component)
    }

    fn advice(&self) -> Vec<String> {
        let Unheard { component, event } = self;
        vec![format!("hear it where the component is shown, `<{component} {event}=\"-> …\">`, or remove it")]
    }
}
