//! `<img src="bed.png">`: a picture without a text.

use super::Finding;
use crate::report::Severity;

pub(crate) struct NoAlternative;

impl Finding for NoAlternative {
    const CODE: &'static str = "no-alternative";
    const ABOUT: &'static str = "A picture without a text for those who do not see it";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        "the picture has no text for those who do not see it".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["say what it shows: `alt=\"a bed of chard\"`, or `alt=\"\"` if it only adorns".into()]
    }
}
