//! Any text is read as a scenario, or refused with places that lie in it.
//! `cargo +nightly fuzz run scenario`

#![no_main]

use libfuzzer_sys::fuzz_target;
use vein_proof::Scenario;

fuzz_target!(|bytes: &[u8]| {
    let text = String::from_utf8_lossy(bytes).into_owned();
    for mistake in Scenario::read(&text).err().into_iter().flatten() {
        assert!(mistake.place.start <= mistake.place.end && mistake.place.end <= text.len());
    }
});
