//! Strings as ECMAScript has them: sequences of UTF-16 code units.
//!
//! Almost every string is well formed and is kept as UTF-8; a short one, as most are, where the value is. One that holds
//! a lone surrogate (`'😀'.slice(0, 1)`) is kept as its code units. The form is canonical, so
//! equal strings are equal in memory.

use crate::standard::LONGEST_TEXT;
use compact_str::CompactString;
use std::borrow::Cow;
use std::cmp::Ordering;
use std::sync::Arc;

/// An immutable string of UTF-16 code units, cheap to clone.
///
/// ```
/// use vein_plan::Text;
/// let face = Text::from("a😀");
/// assert_eq!(face.len(), 3);
/// assert_eq!(face.slice(0, 1).to_string(), "a");
/// assert_eq!(face.slice(1, 2).to_string(), "\u{fffd}"); // half a pair cannot be shown
/// ```
#[derive(Clone, PartialEq, Eq, Hash)]
pub struct Text(Repr);

#[derive(Clone, PartialEq, Eq, Hash)]
enum Repr {
    /// At most [`SHORT`] bytes.
    Short(CompactString),
    /// More than that.
    Utf8(Arc<str>),
    /// Only when at least one surrogate stands alone.
    Utf16(Arc<[u16]>),
}

/// How many bytes stand in a [`CompactString`] itself.
const SHORT: usize = size_of::<CompactString>();

impl Text {
    fn new(s: &str, long: impl FnOnce() -> Arc<str>) -> Text {
        if s.len() <= SHORT { Text(Repr::Short(s.into())) } else { Text(Repr::Utf8(long())) }
    }
}

impl From<&str> for Text {
    fn from(s: &str) -> Self {
        Text::new(s, || s.into())
    }
}

impl From<String> for Text {
    fn from(s: String) -> Self {
        Text::new(&s, || s.as_str().into())
    }
}

impl From<Arc<str>> for Text {
    fn from(s: Arc<str>) -> Self {
        Text::new(&s, || s.clone())
    }
}

impl std::fmt::Display for Text {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.to_utf8())
    }
}

impl std::fmt::Debug for Text {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:?}", self.to_utf8())
    }
}

impl Text {
    /// Builds a string from UTF-16 code units, lone surrogates included.
    pub fn from_units(units: Vec<u16>) -> Text {
        match String::from_utf16(&units) {
            Ok(s) => s.into(),
            Err(_) => Text(Repr::Utf16(units.into())),
        }
    }

    /// The code units in order.
    pub fn units(&self) -> Vec<u16> {
        match &self.0 {
            Repr::Utf16(units) => units.to_vec(),
            _ => self.to_utf8().encode_utf16().collect(),
        }
    }

    /// Length in UTF-16 code units, as `String.prototype.length`.
    pub fn len(&self) -> usize {
        match &self.0 {
            Repr::Utf16(units) => units.len(),
            _ => {
                let s = self.to_utf8();
                if s.is_ascii() { s.len() } else { s.encode_utf16().count() }
            }
        }
    }

    /// How many bytes it takes beside the value itself.
    pub fn bytes(&self) -> u64 {
        match &self.0 {
            Repr::Short(_) => 0,
            Repr::Utf8(s) => s.len() as u64,
            Repr::Utf16(units) => 2 * units.len() as u64,
        }
    }

    /// Whether there is no code unit.
    pub fn is_empty(&self) -> bool {
        matches!(&self.0, Repr::Short(s) if s.is_empty())
    }

    /// The string as UTF-8, when it is well formed.
    pub fn as_str(&self) -> Option<&str> {
        match &self.0 {
            Repr::Short(s) => Some(s),
            Repr::Utf8(s) => Some(s),
            Repr::Utf16(_) => None,
        }
    }

    /// The string as UTF-8; a lone surrogate becomes U+FFFD, as in a `USVString` of Web IDL.
    pub fn to_utf8(&self) -> Cow<'_, str> {
        match &self.0 {
            Repr::Short(s) => Cow::Borrowed(s),
            Repr::Utf8(s) => Cow::Borrowed(s),
            Repr::Utf16(units) => Cow::Owned(String::from_utf16_lossy(units)),
        }
    }

    /// The units from `start` up to `end`; both are clamped to the length.
    pub fn slice(&self, start: usize, end: usize) -> Text {
        if let Some(s) = self.as_str().filter(|s| s.is_ascii()) {
            let end = end.min(s.len());
            return Text::from(&s[start.min(end)..end]);
        }
        let units = self.units();
        let end = end.min(units.len());
        Text::from_units(units[start.min(end)..end].to_vec())
    }

    /// One string after the other; halves of a surrogate pair that meet become one character. What goes beyond
    /// [`LONGEST_TEXT`] is cut.
    pub fn concat<'a>(pieces: impl IntoIterator<Item = &'a Text>) -> Text {
        let pieces: Vec<&Text> = pieces.into_iter().collect();
        // No text has more units than bytes.
        let bytes = |text: &&Text| text.as_str().map_or_else(|| text.len(), str::len);
        if pieces.iter().map(bytes).sum::<usize>() > LONGEST_TEXT {
            let units = pieces.iter().flat_map(|text| text.units());
            return Text::from_units(units.take(LONGEST_TEXT).collect());
        }
        if let Some(strs) = pieces.iter().map(|t| t.as_str()).collect::<Option<Vec<_>>>() {
            return strs.concat().into();
        }
        Text::from_units(pieces.iter().flat_map(|t| t.units()).collect())
    }

    /// Order by code units, as `<` compares strings (ECMA-262, IsLessThan).
    pub fn compare(&self, other: &Text) -> Ordering {
        match (self.as_str(), other.as_str()) {
            (Some(a), Some(b)) if a.is_ascii() || b.is_ascii() => a.cmp(b),
            (Some(a), Some(b)) => a.encode_utf16().cmp(b.encode_utf16()),
            _ => self.units().cmp(&other.units()),
        }
    }

    /// Where `needle` first stands at or after unit `from`.
    pub fn find(&self, needle: &Text, from: usize) -> Option<usize> {
        if from == 0 && needle.is_empty() {
            return Some(0);
        }
        if let (Some(s), Some(n)) = (self.as_str().filter(|s| s.is_ascii()), needle.as_str()) {
            let from = from.min(s.len());
            return s[from..].find(n).map(|at| at + from);
        }
        Needle::new(needle.units()).first_in(&self.units(), from)
    }
}

/// What a message shows of something that may be long: so many characters, and that there were more.
pub(crate) fn short(text: &str, most: usize) -> Cow<'_, str> {
    match text.char_indices().nth(most) {
        Some((end, _)) => format!("{}…", &text[..end]).into(),
        None => text.into(),
    }
}

/// A text as one line of a terminal shows it: characters that would steer the terminal, end the line or turn the direction of
/// what follows stand as their pictures or numbers.
///
/// ```
/// use vein_plan::text::visible;
/// assert_eq!(visible("kale"), "kale");
/// assert_eq!(visible("\u{1b}[31mkale\n\u{9b}2J\u{202e}"), "␛[31mkale␊\\u{9b}2J\\u{202e}");
/// ```
pub fn visible(text: &str) -> Cow<'_, str> {
    let steers = |c: char| {
        c.is_control()
            || matches!(c, '\u{2028}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}')
    };
    if !text.contains(steers) {
        return Cow::Borrowed(text);
    }
    let mut shown = String::with_capacity(text.len() + 16);
    for c in text.chars() {
        match c {
            // The pictures of the first characters stand in their order.
            '\0'..' ' => shown.extend(char::from_u32(0x2400 + c as u32)),
            '\u{7f}' => shown.push('\u{2421}'),
            c if steers(c) => shown.extend(c.escape_unicode()),
            c => shown.push(c),
        }
    }
    Cow::Owned(shown)
}

/// Units that are sought, in a time that grows with what is gone over and no faster (Knuth, Morris and Pratt).
pub(crate) struct Needle {
    units: Vec<u16>,
    /// How much of the beginning stands again at the end of each beginning.
    again: Vec<usize>,
}

impl Needle {
    pub(crate) fn new(units: Vec<u16>) -> Needle {
        let mut needle = Needle { again: vec![0; units.len()], units };
        for at in 1..needle.units.len() {
            needle.again[at] = needle.longer(needle.again[at - 1], needle.units[at]);
        }
        needle
    }

    pub(crate) fn len(&self) -> usize {
        self.units.len()
    }

    /// Where it first stands, at `from` or behind.
    pub(crate) fn first_in(&self, units: &[u16], from: usize) -> Option<usize> {
        let from = from.min(units.len());
        Some(from + self.before(units[from..].iter())?)
    }

    /// How many units come before it.
    fn before<'u>(&self, units: impl Iterator<Item = &'u u16>) -> Option<usize> {
        let mut len = 0;
        if self.units.is_empty() {
            return Some(0);
        }
        for (at, unit) in units.enumerate() {
            len = self.longer(len, *unit);
            if len == self.units.len() {
                return Some(at + 1 - len);
            }
        }
        None
    }

    /// How much of it stands at the end of something, with one unit more.
    fn longer(&self, mut len: usize, unit: u16) -> usize {
        while len > 0 && self.units[len] != unit {
            len = self.again[len - 1];
        }
        len + usize::from(self.units[len] == unit)
    }
}

/// Where some units last stand in others, at `last` or before.
pub(crate) fn last_in(units: &[u16], sought: Vec<u16>, last: usize) -> Option<usize> {
    let last = last.min(units.len().checked_sub(sought.len())?);
    let within = &units[..last + sought.len()];
    let turned = Needle::new(sought.into_iter().rev().collect());
    Some(last - turned.before(within.iter().rev())?)
}

/// White space and line terminators that `trim` takes off (ECMA-262, TrimString).
pub(crate) fn is_space(c: char) -> bool {
    c == '\u{feff}' || (c.is_whitespace() && c != '\u{85}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_sought_is_found_where_it_stands() {
        // All texts of two letters up to some length, in all others.
        let all = |most: u32| {
            (0..=most).flat_map(|len| {
                (0..1_u16 << len)
                    .map(move |bits| (0..len).map(|at| bits >> at & 1).collect::<Vec<u16>>())
            })
        };
        for units in all(9) {
            for sought in all(4) {
                let stands = |at: &usize| units[*at..].starts_with(&sought);
                let needle = Needle::new(sought.clone());
                for from in 0..=units.len() + 1 {
                    let first = (from.min(units.len())..=units.len()).find(stands);
                    assert_eq!(
                        needle.first_in(&units, from),
                        first,
                        "{sought:?} in {units:?} from {from}"
                    );
                    let last = (0..=from.min(units.len())).rev().find(stands);
                    assert_eq!(
                        last_in(&units, sought.clone(), from),
                        last,
                        "{sought:?} in {units:?} to {from}"
                    );
                }
            }
        }
    }

    #[test]
    fn halves_of_a_pair_join_again() {
        let face = Text::from("😀");
        let (high, low) = (face.slice(0, 1), face.slice(1, 2));
        assert!(high.as_str().is_none());
        assert_eq!(Text::concat([&high, &low]), face);
        assert_eq!(Text::concat([&low, &high]).len(), 2);
    }

    /// Whatever way a string came about, it is kept in one form, and a value is no larger for it.
    #[test]
    fn short_and_long_strings_are_equal_in_memory() {
        for len in [0, 1, SHORT - 1, SHORT, SHORT + 1, 100] {
            let (whole, half) = ("b".repeat(len), "b".repeat(len / 2));
            let made = Text::concat([&half.as_str().into(), &"b".repeat(len - len / 2).into()]);
            let ways =
                [whole.as_str().into(), whole.clone().into(), Arc::<str>::from(&*whole).into()];
            for text in ways.into_iter().chain([made]) {
                assert_eq!(text, Text::from(&*whole));
                assert_eq!(matches!(text.0, Repr::Short(_)), len <= SHORT);
                assert_eq!((text.len(), text.is_empty()), (len, len == 0));
                assert_eq!(text.compare(&"a".into()).is_gt(), len > 0);
            }
        }
        assert_eq!(size_of::<crate::Value>(), SHORT);
    }

    #[test]
    fn order_is_by_code_unit_not_by_code_point() {
        // U+1F600 is D83D DE00 in UTF-16, which sorts before U+FF5E.
        assert_eq!(Text::from("😀").compare(&"～".into()), Ordering::Less);
        assert_eq!(Text::from("a").compare(&"b".into()), Ordering::Less);
    }
}
