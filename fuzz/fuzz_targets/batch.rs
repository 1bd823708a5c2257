//! Any bytes are refused as a batch, or are one that can be read, applied or refused whole.
//! `cargo +nightly fuzz run batch`

#![no_main]

use libfuzzer_sys::fuzz_target;
use vein_view::{Batch, Tree};

fuzz_target!(|bytes: &[u8]| {
    if let Ok(batch) = Batch::from_bytes(bytes) {
        assert_eq!(batch.iter().count(), batch.len());
        let mut tree = Tree::default();
        if tree.apply(&batch).is_err() {
            assert!(tree.is_empty());
        }
    }
});
