//! `<label>Crop</label>`: a label of no control.

use super::Finding;
use crate::report::Severity;

pub(crate) struct NoControl;

impl Finding for NoControl {
    const CODE: &'static str = "no-control";
    const ABOUT: &'static str = "A label that belongs to no control";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        "the label belongs to no control".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["put the control into it, or name it by its `id`: `<label for=\"crop\">`".into()]
    }
}
