//! `catch` after statements that cannot fail.

use super::Finding;
use crate::report::Severity;

pub(crate) struct NothingToCatch;

impl Finding for NothingToCatch {
    const CODE: &'static str = "nothing-to-catch";
    const SEVERITY: Severity = Severity::Warning;
    const ABOUT: &'static str = "A `catch` after statements that ask the host nothing, so that nothing can be caught";

    fn message(&self) -> String {
        "nothing in this `try` can fail so that it is caught".into()
    }

    fn advice(&self) -> Vec<String> {
        vec![
            "only what the host is asked fails in this way, `await fetch(1)` or `soil(code)`; a pulse that goes wrong otherwise is \
             taken back as a whole"
                .into(),
        ]
    }
}

#[cfg(test)]
super::examples! { NothingToCatch:
    "holds a = 1\n<p click='-> try { a = 2 } catch { a = 3 }'>{a}</p>" => "try { a = 2 } catch { a = 3 }",
}
