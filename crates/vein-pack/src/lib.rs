//! What is built, compressed as servers send it.
//!
//! A crate of its own, since its work is a thousand times that of what calls it: every profile optimises
//! this one.
//!
//! ```
//! let script = "const beds = [];\n".repeat(100);
//! assert!(vein_pack::gzip(script.as_bytes()).len() < 100);
//! assert!(vein_pack::brotli_size(script.as_bytes()) < 60);
//! ```

use std::io::Write;

/// Bytes in the gzip format (RFC 1952), as small as it gets; the same for the same.
pub fn gzip(bytes: &[u8]) -> Vec<u8> {
    // Deflated, no flags, no time, as small as possible, from a system that does not matter.
    let mut out = vec![0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 2, 255];
    out.extend(miniz_oxide::deflate::compress_to_vec(bytes, 9));
    out.extend(crc32(bytes).to_le_bytes());
    // The length is written modulo 2³².
    out.extend((bytes.len() as u32).to_le_bytes());
    out
}

/// How many bytes Brotli (RFC 7932) makes of some, as small as it gets.
pub fn brotli_size(bytes: &[u8]) -> usize {
    let mut brotli = brotli::CompressorWriter::new(Vec::new(), 1 << 16, 11, 22);
    // A list of bytes takes all that is written into it.
    let _ = brotli.write_all(bytes);
    brotli.into_inner().len()
}

/// The checksum of RFC 1952, section 8.
fn crc32(bytes: &[u8]) -> u32 {
    let step = |crc: u32, _| (crc >> 1) ^ (0xedb8_8320 & (crc & 1).wrapping_neg());
    !bytes.iter().fold(!0, |crc, byte| (0..8).fold(crc ^ u32::from(*byte), step))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_checksum_is_that_of_the_standard() {
        assert_eq!(crc32(b"123456789"), 0xcbf4_3926);
        assert_eq!(crc32(b""), 0);
    }

    #[test]
    fn what_was_packed_is_whole_again() {
        for length in [0, 1, 1000, 100_000] {
            let bytes: Vec<u8> = (0..length).map(|i: u32| ((i * i) >> 7) as u8).collect();
            let packed = gzip(&bytes);
            let inside = &packed[10..packed.len() - 8];
            assert_eq!(miniz_oxide::inflate::decompress_to_vec(inside).expect("deflated"), bytes);
            let (crc, size) = packed[packed.len() - 8..].split_at(4);
            assert_eq!(crc, crc32(&bytes).to_le_bytes());
            assert_eq!(size, length.to_le_bytes());
        }
    }
}
