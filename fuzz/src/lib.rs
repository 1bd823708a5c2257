//! What is fuzzed, without the fuzzer: what it has found is tried with the other tests.
//!
//! Each takes any bytes, and panics where something is wrong.

mod css;
mod html;
mod mutate;
#[path = "../../xtask/src/random.rs"]
mod random;
mod run;

pub use css::styles;
pub use html::markup;
pub use mutate::mutated;
pub use run::run;

use std::borrow::Cow;
use vein_check::{Source, check};
use vein_plan::{Misfit, json};
use vein_proof::Scenario;
use vein_view::{Batch, Tree};

/// All of them, by name.
pub const TARGETS: [(&str, fn(&[u8])); 9] = [
    ("batch", batch),
    ("json", json),
    ("markup", markup),
    ("messages", messages),
    ("parse", parse),
    ("run", run),
    ("scenario", scenario),
    ("settings", settings),
    ("styles", styles),
];

pub(crate) fn text(bytes: &[u8]) -> Cow<'_, str> {
    String::from_utf8_lossy(bytes)
}

/// Any bytes are refused as a batch, or are one that can be read, and applied as far as it fits.
pub fn batch(bytes: &[u8]) {
    let mut sealed = bytes.to_vec();
    Batch::seal(&mut sealed);
    if let Ok(batch) = Batch::from_bytes(&sealed) {
        assert_eq!(batch.iter().count(), batch.len());
        let mut tree = Tree::default();
        // Patches before one that does not fit stay: the tree is a tree all the same.
        let _ = tree.apply(&batch);
        let _ = tree.html();
    }
}

/// Any text is JSON or not, as another reader says, and what was read is written and read again as itself.
pub fn json(bytes: &[u8]) {
    let text = text(bytes);
    let other: Result<Box<serde_json::value::RawValue>, _> = serde_json::from_str(&text);
    let read = json::parse(&text);
    let is_json = !matches!(read, Err(json::Unreadable::NotJson(_)));
    // It holds other things to be too deep, and halves of pairs to be wrong in names alone.
    let is_deep = text.bytes().filter(|byte| matches!(byte, b'[' | b'{')).count() > 100;
    if !is_deep {
        assert_eq!(is_json, other.is_ok(), "{read:?}, {other:?}");
    }
    match read {
        // Zero has lost its sign by then, as in ECMAScript.
        Ok(value) => {
            let written = json::stringify(&value).to_string();
            let again = json::parse(&written).expect("what was written can be read");
            assert_eq!(json::stringify(&again).to_string(), written);
        }
        Err(json::Unreadable::Value(misfit)) => told(&misfit),
        Err(json::Unreadable::NotJson(error)) => {
            let lines = text.split('\n').count() as u32;
            assert!((1..=lines).contains(&error.location.line), "{error}");
            let line = text.split('\n').nth(error.location.line as usize - 1).unwrap_or("");
            assert!(error.location.column as usize <= line.chars().count() + 1, "{error}");
        }
    }
}

fn told(misfit: &Misfit) {
    assert!(misfit.to_string().len() < 2000, "{misfit}");
}

/// A tab may say anything: its page goes on, and what the tab is told makes what the page shows.
pub fn messages(bytes: &[u8]) {
    vein_cli::fuzzed::messages(&text(bytes));
}

/// Any text parses and is checked without a panic; every place that is named lies in it.
pub fn parse(bytes: &[u8]) {
    let text = text(bytes).into_owned();
    for error in vein_syntax::parse(&text).errors {
        assert!(text.get(error.span.range()).is_some());
    }
    let checked = check(vec![Source { path: "fuzz-bed.vein".into(), text: text.clone() }]);
    let report = checked.report;
    let _ = report.to_string();
    // What can be mended surely is no longer wrong in the same place, and mends to an end.
    for (_, mended, _) in report.fixed() {
        let _ = check(vec![Source { path: "fuzz-bed.vein".into(), text: mended }]);
    }
}

/// Any text is read as a scenario, or refused with places that lie in it.
pub fn scenario(bytes: &[u8]) {
    let text = text(bytes);
    for mistake in Scenario::read(&text).err().into_iter().flatten() {
        let place = &mistake.place;
        assert!(place.start <= place.end && text.get(place.clone()).is_some(), "{mistake:?}");
    }
}

/// Any text is read as a `vein.toml`, or refused in words.
pub fn settings(bytes: &[u8]) {
    vein_cli::fuzzed::settings(&text(bytes));
}
