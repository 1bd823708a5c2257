//! The binary form of a program: a label, a version, a checksum and the tables.
//!
//! | bytes | meaning |
//! |---|---|
//! | 4 | `VEIN` in ASCII |
//! | 2 | version, little endian |
//! | 4 | CRC-32 of what follows, little endian |
//! | rest | the program's tables, as the module `stored` writes them |

use crate::bytes::Bytes;
use crate::program::Program;
use crate::stored::Stored;
use crate::verify::{Flaw, verify};

const LABEL: &[u8; 4] = b"VEIN";
/// The version that this crate writes, and the only one that it reads.
pub const VERSION: u16 = 9;
const HEADER: usize = 10;

/// Why bytes were refused as a program.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LoadError {
    /// They do not begin with the label of a plan.
    NotAPlan,
    /// They were written by a version that this one does not read.
    Version(u16),
    /// The checksum does not hold: they were cut or changed on the way.
    Damaged,
    /// The checksum holds, but the tables contradict themselves.
    Flawed(Flaw),
}

impl std::fmt::Display for LoadError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            LoadError::NotAPlan => f.write_str("these bytes are not a compiled plan"),
            LoadError::Version(found) => write!(
                f,
                "the plan has version {found}, this program reads version {VERSION}: compile it again"
            ),
            LoadError::Damaged => f.write_str("the plan was damaged or cut: compile it again"),
            LoadError::Flawed(flaw) => write!(f, "the plan contradicts itself: {flaw}"),
        }
    }
}

impl std::error::Error for LoadError {}

/// The checksum CRC-32 (RFC 1952, section 8), bit by bit: plans are small, and a table is not.
fn crc32(bytes: &[u8]) -> u32 {
    let bit = |sum: u32, _| if sum & 1 == 1 { sum >> 1 ^ 0xedb8_8320 } else { sum >> 1 };
    !bytes.iter().fold(!0, |sum, byte| (0..8).fold(sum ^ u32::from(*byte), bit))
}

impl Program {
    /// Writes the program in its binary form.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = LABEL.to_vec();
        out.extend_from_slice(&VERSION.to_le_bytes());
        let mut body = Vec::new();
        self.write(&mut body);
        out.extend_from_slice(&crc32(&body).to_le_bytes());
        out.extend_from_slice(&body);
        out
    }

    /// Reads a program and checks it, so that running it cannot go out of any table.
    ///
    /// # Errors
    /// Bytes that are not a plan, of another version, damaged, or contradicting themselves.
    ///
    /// ```
    /// use vein_plan::{LoadError, Program};
    /// let bytes = Program::default().to_bytes();
    /// assert_eq!(Program::from_bytes(&bytes), Ok(Program::default()));
    /// assert_eq!(Program::from_bytes(&bytes[..bytes.len() - 1]), Err(LoadError::Damaged));
    /// ```
    pub fn from_bytes(bytes: &[u8]) -> Result<Program, LoadError> {
        let (header, body) = bytes.split_at_checked(HEADER).ok_or(LoadError::NotAPlan)?;
        if &header[..4] != LABEL {
            return Err(LoadError::NotAPlan);
        }
        let version = u16::from_le_bytes([header[4], header[5]]);
        if version != VERSION {
            return Err(LoadError::Version(version));
        }
        let sum = u32::from_le_bytes([header[6], header[7], header[8], header[9]]);
        if crc32(body) != sum {
            return Err(LoadError::Damaged);
        }
        let mut body = Bytes(body);
        let program = Program::read(&mut body).filter(|_| body.0.is_empty());
        let program = program.ok_or(LoadError::Damaged)?;
        verify(&program).map_err(LoadError::Flawed)?;
        Ok(program)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_checksum_is_the_standards() {
        // The check value that catalogues give for this sum.
        assert_eq!(crc32(b"123456789"), 0xcbf4_3926);
        let bytes: Vec<u8> = (0..=255).cycle().step_by(7).take(1000).collect();
        assert_eq!(crc32(&bytes), crc32fast::hash(&bytes));
    }
}
