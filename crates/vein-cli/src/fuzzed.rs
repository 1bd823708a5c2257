//! What is fuzzed of the command line: settings, and what tabs say to `vein serve`.

use crate::settings::{Unusable, Written};
use std::path::Path;

pub use crate::serve::messages;

/// Reads a text as a `vein.toml`.
pub fn settings(text: &str) {
    let written = match Written::read(Path::new("vein.toml"), text) {
        Ok(_) => return,
        Err(Unusable(report)) => report,
    };
    assert!(!written.diagnostics.is_empty());
    assert!(written.text(false).len() < 200_000);
}
