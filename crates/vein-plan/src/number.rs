//! Numbers as ECMAScript prints and reads them.

use crate::text::{Text, is_space};
use compact_str::{CompactString, ToCompactString};

/// `Number::toString` with radix ten (ECMA-262).
///
/// ```
/// use vein_plan::number::to_text;
/// assert_eq!(to_text(0.1 + 0.2).to_string(), "0.30000000000000004");
/// assert_eq!(to_text(1e21).to_string(), "1e+21");
/// assert_eq!(to_text(-0.0).to_string(), "0");
/// ```
pub fn to_text(n: f64) -> Text {
    Text::from(&*shown(n))
}

/// What [`to_text`] gives, for showing: it takes no allocation, and little time for integers.
pub(crate) fn shown(n: f64) -> CompactString {
    if n.trunc() == n && n.abs() < 1e15 {
        return (n as i64).to_compact_string();
    }
    if !n.is_finite() {
        return if n.is_nan() {
            "NaN"
        } else if n > 0.0 {
            "Infinity"
        } else {
            "-Infinity"
        }
        .into();
    }
    // Rust writes the shortest digits that mean this double, of several the closest, as the standard
    // asks: `-d.ddde-7`. Where the point goes is the standard's own affair.
    let written = format!("{n:e}");
    let (digits, exponent) = written.split_once('e').unwrap_or((&written, "0"));
    let (sign, digits) = match digits.strip_prefix('-') {
        Some(digits) => ("-", digits),
        None => ("", digits),
    };
    // The point stands before this digit.
    let point = exponent.parse().unwrap_or(0) + 1;
    let digits = evened(digits.replace('.', ""), point, n.abs());
    let (len, mut out) = (digits.len() as i32, CompactString::from(sign));
    match point {
        _ if len <= point && point <= 21 => {
            out.push_str(&digits);
            (len..point).for_each(|_| out.push('0'));
        }
        1..=21 => {
            let (whole, fraction) = digits.split_at(point as usize);
            [whole, ".", fraction].into_iter().for_each(|piece| out.push_str(piece));
        }
        -5..=0 => {
            out.push_str("0.");
            (point..0).for_each(|_| out.push('0'));
            out.push_str(&digits);
        }
        _ => {
            let (first, rest) = digits.split_at(1);
            out.push_str(first);
            if !rest.is_empty() {
                out.push('.');
                out.push_str(rest);
            }
            out.push_str(if point > 0 { "e+" } else { "e-" });
            out.push_str(&(point - 1).abs().to_compact_string());
        }
    }
    out
}

/// Of two shortest rows of digits that are equally close to a number, the standard means the even one.
fn evened(digits: String, point: i32, n: f64) -> String {
    let Some(head) = digits.strip_suffix(['1', '3', '5', '7', '9']) else { return digits };
    let (mantissa, exponent) = parts_of(n);
    // The number lies in the middle between two such rows where it is an odd number of halves of
    // what its last digit counts, which is ten to the minus `places`. Where that is more than one, there are
    // fewer halves than doubles: no other row means this one.
    let places = digits.len() as i32 - point;
    let halves = mantissa.trailing_zeros() as i32 + exponent + 1 + places;
    if halves != 0 {
        return digits;
    }
    let last = digits.as_bytes()[head.len()];
    let means = |last: &u8| format!("{head}{}e{}", *last as char, -places).parse() == Ok(n);
    match [last - 1, last + 1].iter().find(|last| means(last)) {
        Some(even) => format!("{head}{}", *even as char),
        None => digits,
    }
}

/// A number that is not negative as a whole number times a power of two.
fn parts_of(n: f64) -> (u64, i32) {
    let bits = n.to_bits();
    match (bits & ((1 << 52) - 1), (bits >> 52) as i32) {
        (fraction, 0) => (fraction, -1074),
        (fraction, exponent) => (fraction | 1 << 52, exponent - 1075),
    }
}

/// `Number.prototype.toFixed`; `digits` outside 0 to 100 is clamped.
pub fn to_fixed(n: f64, digits: f64) -> Text {
    let digits = clamp_index(digits, 100);
    if !n.is_finite() || n.abs() >= 1e21 {
        return to_text(n);
    }
    // The double times a power of ten is rounded to the nearest whole number, of two to the greater.
    let (mantissa, exponent) = parts_of(n.abs());
    let mut whole = Whole(vec![mantissa as u32, (mantissa >> 32) as u32]);
    (0..digits).for_each(|_| whole.multiply_add(10, 0));
    for _ in 0..exponent {
        whole.multiply_add(2, 0);
    }
    if exponent < 0 {
        whole.halve_times(exponent.unsigned_abs());
    }
    let mut out = whole.into_decimal();
    if out.len() <= digits {
        out.insert_str(0, &"0".repeat(digits + 1 - out.len()));
    }
    if digits > 0 {
        out.insert(out.len() - digits, '.');
    }
    if n < 0.0 {
        out.insert(0, '-');
    }
    out.into()
}

/// A whole number of any size, its lowest 32 bits first.
struct Whole(Vec<u32>);

impl Whole {
    fn multiply_add(&mut self, factor: u32, more: u32) {
        let mut carry = u64::from(more);
        for word in &mut self.0 {
            carry += u64::from(*word) * u64::from(factor);
            *word = carry as u32;
            carry >>= 32;
        }
        if carry > 0 {
            self.0.push(carry as u32);
        }
    }

    /// Halves it so many times, to the nearest whole number, and of two to the greater.
    fn halve_times(&mut self, times: u32) {
        let (words, bits) = ((times - 1) as usize / 32, (times - 1) % 32);
        self.0.drain(..words.min(self.0.len()));
        // All but the last at once; the last says which way to round.
        let mut above = 0;
        for word in self.0.iter_mut().rev() {
            let whole = (u64::from(above) << 32 | u64::from(*word)) >> bits;
            (above, *word) = (*word, whole as u32);
        }
        let up = self.0.first().is_some_and(|lowest| lowest & 1 == 1);
        let mut above = 0;
        for word in self.0.iter_mut().rev() {
            (above, *word) = (*word & 1, above << 31 | *word >> 1);
        }
        self.multiply_add(1, u32::from(up));
    }

    fn into_decimal(mut self) -> String {
        let mut digits = Vec::new();
        while self.0.iter().any(|word| *word != 0) {
            let mut rest = 0;
            for word in self.0.iter_mut().rev() {
                let whole = rest << 32 | u64::from(*word);
                (*word, rest) = ((whole / 10) as u32, whole % 10);
            }
            digits.push(b'0' + rest as u8);
        }
        digits.into_iter().rev().map(char::from).collect()
    }
}

/// `ToIntegerOrInfinity`, then clamped to `0..=most`.
pub(crate) fn clamp_index(n: f64, most: usize) -> usize {
    // What is no number or below zero becomes zero.
    (n as usize).min(most)
}

/// `ToUint32`.
pub(crate) fn to_uint32(n: f64) -> u32 {
    // What is not finite leaves no rest, which becomes zero.
    n.trunc().rem_euclid(4294967296.0) as u32
}

/// A relative index as `slice` and `at` take it: negative counts from the end.
pub(crate) fn relative_index(n: f64, len: usize) -> usize {
    let n = n.trunc();
    if n < 0.0 { clamp_index(len as f64 + n, len) } else { clamp_index(n, len) }
}

/// `Number(text)`: `StringToNumber` of ECMA-262.
///
/// ```
/// use vein_plan::{number::from_text, Text};
/// assert_eq!(from_text(&Text::from(" 0x1f ")), 31.0);
/// assert!(from_text(&Text::from("12 l")).is_nan());
/// ```
pub fn from_text(text: &Text) -> f64 {
    let Some(s) = text.as_str() else { return f64::NAN };
    let s = s.trim_matches(is_space);
    if s.is_empty() {
        return 0.0;
    }
    for (prefixes, radix) in [(["0x", "0X"], 16), (["0o", "0O"], 8), (["0b", "0B"], 2)] {
        if let Some(digits) = prefixes.iter().find_map(|p| s.strip_prefix(p)) {
            return parse_integer(digits, radix);
        }
    }
    let unsigned = s.strip_prefix(['+', '-']).unwrap_or(s);
    if unsigned == "Infinity" {
        return if s.starts_with('-') { f64::NEG_INFINITY } else { f64::INFINITY };
    }
    // Rust's grammar also takes "inf", "nan" and their like; ECMAScript's does not.
    if unsigned.bytes().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b'e' | b'E' | b'+' | b'-'))
    {
        s.parse().unwrap_or(f64::NAN)
    } else {
        f64::NAN
    }
}

/// `parseFloat`: the number that a text begins with (ECMA-262).
///
/// ```
/// use vein_plan::{number::parse_float, Text};
/// assert_eq!(parse_float(&Text::from(" 2.5 litres")), 2.5);
/// assert!(parse_float(&Text::from("litres")).is_nan());
/// ```
pub fn parse_float(text: &Text) -> f64 {
    let text = text.to_utf8();
    let s = text.trim_start_matches(is_space);
    let unsigned = s.strip_prefix(['+', '-']).unwrap_or(s);
    if unsigned.starts_with("Infinity") {
        return if s.starts_with('-') { f64::NEG_INFINITY } else { f64::INFINITY };
    }
    let digits = |from: usize| {
        let rest = &unsigned.as_bytes()[from..];
        rest.iter().take_while(|byte| byte.is_ascii_digit()).count()
    };
    let mut end = digits(0);
    let mut any = end;
    if unsigned[end..].starts_with('.') {
        let fraction = digits(end + 1);
        any += fraction;
        end += 1 + fraction;
    }
    if any == 0 {
        return f64::NAN;
    }
    if unsigned[end..].starts_with(['e', 'E']) {
        let sign = usize::from(unsigned[end + 1..].starts_with(['+', '-']));
        let exponent = digits(end + 1 + sign);
        if exponent > 0 {
            end += 1 + sign + exponent;
        }
    }
    s[..s.len() - unsigned.len() + end].parse().unwrap_or(f64::NAN)
}

/// `parseInt`: the whole number that a text begins with, in some radix; 0 stands for ten, or sixteen after `0x` (ECMA-262).
///
/// ```
/// use vein_plan::{number::parse_int, Text};
/// assert_eq!(parse_int(&Text::from("12 beds"), 0.0), 12.0);
/// assert_eq!(parse_int(&Text::from("0x1f"), 0.0), 31.0);
/// assert!(parse_int(&Text::from("2"), 2.0).is_nan());
/// ```
pub fn parse_int(text: &Text, radix: f64) -> f64 {
    let text = text.to_utf8();
    let s = text.trim_start_matches(is_space);
    let unsigned = s.strip_prefix(['+', '-']).unwrap_or(s);
    let radix = to_uint32(radix);
    let prefixed = unsigned.strip_prefix("0x").or(unsigned.strip_prefix("0X"));
    let (radix, rest) = match (radix, prefixed) {
        (0 | 16, Some(rest)) => (16, rest),
        (0, None) => (10, unsigned),
        (2..=36, _) => (radix, unsigned),
        _ => return f64::NAN,
    };
    let digits = &rest[..rest.find(|c: char| !c.is_digit(radix)).unwrap_or(rest.len())];
    let n = match radix {
        _ if digits.is_empty() => return f64::NAN,
        10 => digits.parse().unwrap_or(f64::NAN),
        _ if radix.is_power_of_two() => parse_integer(digits, radix),
        _ => in_parts(digits, radix),
    };
    if s.starts_with('-') { -n } else { n }
}

/// Digits in parts that 32 bits hold: where the standard leaves open how what a double cannot hold is rounded, so do browsers.
fn in_parts(digits: &str, radix: u32) -> f64 {
    let (mut n, mut digits) = (0.0, digits.chars().filter_map(|c| c.to_digit(radix)).peekable());
    while digits.peek().is_some() {
        let (mut part, mut multiplier) = (0u32, 1u32);
        while let Some(digit) = digits.peek() {
            let next = multiplier * radix;
            if next > u32::MAX / 36 {
                break;
            }
            part = part * radix + digit;
            multiplier = next;
            digits.next();
        }
        n = n * f64::from(multiplier) + f64::from(part);
    }
    n
}

/// Digits of a radix that is a power of two, rounded to nearest even as the standard asks.
pub fn parse_integer(digits: &str, radix: u32) -> f64 {
    if digits.is_empty() || !digits.chars().all(|c| c.is_digit(radix)) {
        return f64::NAN;
    }
    let bits_per_digit = radix.trailing_zeros();
    let (mut head, mut dropped_bits, mut sticky) = (0u128, 0u32, false);
    for c in digits.chars() {
        let digit = u128::from(c.to_digit(radix).unwrap_or(0));
        if head >> 100 == 0 {
            head = (head << bits_per_digit) | digit;
        } else {
            dropped_bits = dropped_bits.saturating_add(bits_per_digit);
            sticky |= digit != 0;
        }
    }
    // More than 53 bits are kept, so one sticky bit decides every tie rightly.
    ((head | u128::from(sticky)) as f64) * 2f64.powi(dropped_bits.min(5000) as i32)
}

/// `Number.prototype.toString(radix)`; a radix outside 2 to 36 counts as ten.
pub fn to_radix(n: f64, radix: f64) -> Text {
    let radix = radix.trunc();
    if !n.is_finite() || radix == 10.0 || !(2.0..=36.0).contains(&radix) {
        return to_text(n);
    }
    let digit = |d: f64| char::from_digit(d as u32, 36).unwrap_or('0');
    let (mut integer, mut fraction) = (n.abs().trunc(), n.abs().fract());
    // The shortest digits that still tell this double from its neighbours.
    let next = f64::from_bits(n.abs().to_bits() + 1);
    let mut delta = (0.5 * (next - n.abs())).max(f64::from_bits(1));
    let mut fraction_digits: Vec<f64> = Vec::new();
    while fraction >= delta {
        fraction *= radix;
        delta *= radix;
        let d = fraction.trunc();
        fraction -= d;
        fraction_digits.push(d);
        if (fraction > 0.5 || (fraction == 0.5 && d % 2.0 == 1.0)) && fraction + delta > 1.0 {
            round_up(&mut fraction_digits, &mut integer, radix);
            break;
        }
    }
    let mut out: Vec<char> = Vec::new();
    // Far above 2^53 the low digits carry no information. The standard leaves them to us; engines make them zero.
    while integer / radix >= 9007199254740992.0 {
        integer /= radix;
        out.push('0');
    }
    loop {
        let rest = integer % radix;
        out.push(digit(rest));
        integer = (integer - rest) / radix;
        if integer <= 0.0 {
            break;
        }
    }
    if n < 0.0 {
        out.push('-');
    }
    out.reverse();
    if !fraction_digits.is_empty() {
        out.push('.');
        out.extend(fraction_digits.into_iter().map(digit));
    }
    out.into_iter().collect::<String>().into()
}

fn round_up(digits: &mut Vec<f64>, integer: &mut f64, radix: f64) {
    while let Some(last) = digits.pop() {
        if last + 1.0 < radix {
            digits.push(last + 1.0);
            return;
        }
    }
    *integer += 1.0;
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn prints_as_the_standard_says() {
        for (n, text) in [
            (0.1 + 0.2, "0.30000000000000004"),
            (1e21, "1e+21"),
            (1e-7, "1e-7"),
            (123456789012345680000.0, "123456789012345680000"),
            (f64::NAN, "NaN"),
            (f64::NEG_INFINITY, "-Infinity"),
            (5e-324, "5e-324"),
            (0.0, "0"),
            (-0.0, "0"),
            (-42.0, "-42"),
            (999999999999999.0, "999999999999999"),
            (-1e15, "-1000000000000000"),
            (1e15 + 0.5, "1000000000000000.5"),
        ] {
            assert_eq!(to_text(n).to_string(), text);
            assert_eq!(shown(n), text, "what the view shows");
        }
    }

    #[test]
    fn reads_as_the_standard_says() {
        for (s, n) in [
            ("", 0.0),
            (" \u{feff}42\n", 42.0),
            ("1e3", 1000.0),
            (".5", 0.5),
            ("5.", 5.0),
            ("-Infinity", f64::NEG_INFINITY),
            ("0b101", 5.0),
            ("0x20000000000001", 9007199254740992.0),
            ("0x20000000000003", 9007199254740996.0),
        ] {
            assert_eq!(from_text(&s.into()), n, "{s:?}");
        }
        for s in ["inf", "nan", "1_000", "-0x1", "1 2", "e5", ".", "0x"] {
            assert!(from_text(&s.into()).is_nan(), "{s:?}");
        }
    }

    #[test]
    fn fixed_and_radix() {
        assert_eq!(to_fixed(1.005, 2.0).to_string(), "1.00");
        assert_eq!(to_fixed(2.5, 0.0).to_string(), "3");
        assert_eq!(to_fixed(-1.5, 0.0).to_string(), "-2");
        assert_eq!(to_fixed(1e21, 2.0).to_string(), "1e+21");
        assert_eq!(to_radix(255.0, 16.0).to_string(), "ff");
        assert_eq!(to_radix(-0.5, 2.0).to_string(), "-0.1");
        assert_eq!(to_radix(0.1, 2.0).to_string().len(), 57);
        assert_eq!(to_radix(0.1, 3.0).to_string(), "0.0022002200220022002200220022002201");
        assert_eq!(to_radix(9007199254740992.0, 36.0).to_string(), "2gosa7pa2gw");
    }
}
