//! What the binary forms of plans, of batches of patches and of values have in common.
//!
//! A number is unsigned, in groups of seven bits, the lowest first; the top bit of a byte says that
//! another follows (LEB128). Text is its length in bytes and its UTF-8. Code units are their number
//! and two bytes each, little endian. A double is its eight bytes, little endian.

/// Bytes that are still to be read. Every reading gives `None` where they are not what is asked for.
///
/// ```
/// use vein_plan::bytes::{Bytes, write_number, write_text};
/// let mut out = Vec::new();
/// write_number(300, &mut out);
/// write_text("bed", &mut out);
/// let mut bytes = Bytes(&out);
/// assert_eq!((bytes.number(), bytes.text()), (Some(300), Some("bed")));
/// assert_eq!(bytes.byte(), None);
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Bytes<'a>(pub &'a [u8]);

impl<'a> Bytes<'a> {
    /// The next bytes, so many.
    pub fn take(&mut self, count: usize) -> Option<&'a [u8]> {
        let (head, rest) = self.0.split_at_checked(count)?;
        self.0 = rest;
        Some(head)
    }

    /// The next byte.
    pub fn byte(&mut self) -> Option<u8> {
        self.take(1).map(|bytes| bytes[0])
    }

    /// A byte that says no (0) or yes (1).
    pub fn flag(&mut self) -> Option<bool> {
        match self.byte()? {
            0 => Some(false),
            1 => Some(true),
            _ => None,
        }
    }

    /// A number below 2^32.
    pub fn number(&mut self) -> Option<u32> {
        let mut number = 0u64;
        for shift in (0..35).step_by(7) {
            let byte = self.byte()?;
            number |= u64::from(byte & 0x7f) << shift;
            if byte & 0x80 == 0 {
                return number.try_into().ok();
            }
        }
        None
    }

    /// A double.
    pub fn double(&mut self) -> Option<f64> {
        self.take(8)?.try_into().ok().map(f64::from_le_bytes)
    }

    /// Text.
    pub fn text(&mut self) -> Option<&'a str> {
        let len = self.number()?;
        std::str::from_utf8(self.take(len as usize)?).ok()
    }

    /// Code units.
    pub fn units(&mut self) -> Option<Vec<u16>> {
        let len = (self.number()? as usize).checked_mul(2)?;
        let (pairs, _) = self.take(len)?.as_chunks::<2>();
        Some(pairs.iter().map(|pair| u16::from_le_bytes(*pair)).collect())
    }
}

/// Adds a number.
pub fn write_number(mut number: u32, out: &mut Vec<u8>) {
    while number >= 0x80 {
        out.push(number as u8 | 0x80);
        number >>= 7;
    }
    out.push(number as u8);
}

/// Adds text.
pub fn write_text(text: &str, out: &mut Vec<u8>) {
    write_number(text.len() as u32, out);
    out.extend_from_slice(text.as_bytes());
}

/// Adds code units.
pub fn write_units(units: &[u16], out: &mut Vec<u8>) {
    write_number(units.len() as u32, out);
    out.extend(units.iter().flat_map(|unit| unit.to_le_bytes()));
}
