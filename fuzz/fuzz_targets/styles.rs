//! Any style sheet reaches only its component's elements, and stays in its element.
//! `cargo xtask fuzz styles`

#![no_main]

use libfuzzer_sys::{fuzz_mutator, fuzz_target, fuzzer_mutate};

fuzz_target!(|bytes: &[u8]| vein_fuzz::styles(bytes));

fuzz_mutator!(|data: &mut [u8], size: usize, most: usize, seed: u32| {
    match seed % 3 {
        0 => fuzzer_mutate(data, size, most),
        _ => vein_fuzz::mutated(data, size, most, seed),
    }
});
