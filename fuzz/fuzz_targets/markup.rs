//! Any markup is cleaned of what could run, also once it was written as HTML and parsed again.
//! `cargo xtask fuzz markup`

#![no_main]

use libfuzzer_sys::{fuzz_mutator, fuzz_target, fuzzer_mutate};

fuzz_target!(|bytes: &[u8]| vein_fuzz::markup(bytes));

fuzz_mutator!(|data: &mut [u8], size: usize, most: usize, seed: u32| {
    match seed % 3 {
        0 => fuzzer_mutate(data, size, most),
        _ => vein_fuzz::mutated(data, size, most, seed),
    }
});
