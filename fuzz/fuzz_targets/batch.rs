//! Any bytes are refused as a batch, or are one that can be read, and applied as far as it fits.
//! `cargo xtask fuzz batch`

#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| vein_fuzz::batch(bytes));
