//! Files that are read: those that hold something, and no others.

use std::io::{Error, ErrorKind, Result};
use std::path::Path;

/// Reads a file whole. What is called like one and is none, as a pipe or a device, would have whoever reads it wait for good.
///
/// # Errors
/// What is no file, or cannot be read.
///
/// ```
/// # #[cfg(unix)]
/// assert!(vein::read_file("/dev/zero".as_ref()).is_err());
/// ```
pub fn read_file(path: &Path) -> Result<Vec<u8>> {
    let known = std::fs::metadata(path)?;
    if !known.is_file() {
        let what = if known.is_dir() { "a folder" } else { "a pipe or a device" };
        return Err(Error::new(ErrorKind::InvalidInput, format!("it is {what}, and no file")));
    }
    std::fs::read(path)
}

/// As [`read_file`], of text in UTF-8, without the byte order mark that some programs begin it with (RFC 3629, section 6).
///
/// # Errors
/// What is no file, cannot be read, or is no text.
pub fn read_text(path: &Path) -> Result<String> {
    let text = String::from_utf8(read_file(path)?)
        .map_err(|_| Error::new(ErrorKind::InvalidData, "it is not text in UTF-8"))?;
    Ok(match text.strip_prefix('\u{feff}') {
        Some(text) => text.to_owned(),
        None => text,
    })
}
