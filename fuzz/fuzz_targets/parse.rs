//! Any text parses and is checked without a panic; every place that is named lies in it.
//! `cargo +nightly fuzz run parse`

#![no_main]

use libfuzzer_sys::fuzz_target;
use vein_check::{Source, check};

fuzz_target!(|bytes: &[u8]| {
    let text = String::from_utf8_lossy(bytes).into_owned();
    for error in vein_syntax::parse(&text).errors {
        assert!(text.get(error.span.range()).is_some());
    }
    let checked = check(vec![Source { path: "fuzz-bed.vein".into(), text }]);
    let _ = checked.report.to_string();
});
