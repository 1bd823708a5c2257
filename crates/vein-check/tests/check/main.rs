//! The checker from outside: what it accepts, what it infers, what it reports and mends.

mod accepted;
mod broken;
mod inferred;
mod reached;
mod reported;

use vein_check::{Checked, Source, check};

/// Checks one component.
pub fn checked(text: &str) -> Checked {
    check(vec![Source { path: "test-bed.vein".into(), text: text.into() }])
}

/// The codes of what was found.
pub fn codes(checked: &Checked) -> Vec<&str> {
    checked.report.diagnostics.iter().map(|d| d.code).collect()
}
