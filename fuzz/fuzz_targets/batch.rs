//! Any bytes are refused as a batch, or are one that can be read, and applied as far as it fits.
//! `cargo +nightly fuzz run batch`

#![no_main]

use libfuzzer_sys::fuzz_target;
use vein_view::{Batch, Tree};

fuzz_target!(|bytes: &[u8]| {
    let mut sealed = bytes.to_vec();
    Batch::seal(&mut sealed);
    if let Ok(batch) = Batch::from_bytes(&sealed) {
        assert_eq!(batch.iter().count(), batch.len());
        let mut tree = Tree::default();
        // Patches before one that does not fit stay: the tree is a tree all the same.
        let _ = tree.apply(&batch);
        let _ = tree.html();
    }
});
