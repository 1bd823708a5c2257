//! Numbers' texts against other ways to the same digits, over doubles of every size.

use proptest::prelude::*;
use vein_plan::Text;
use vein_plan::number::{from_text, to_fixed, to_text};

fn doubles() -> impl Strategy<Value = f64> {
    prop_oneof![
        any::<u64>().prop_map(f64::from_bits),
        (-1e6..1e6),
        // Halves and their like, which lie between two texts.
        (-100_000i64..100_000, 0i32..12).prop_map(|(n, by)| n as f64 / 2f64.powi(by)),
        // What people write.
        (-1_000_000i64..1_000_000, 0i32..8).prop_map(|(n, by)| n as f64 / 10f64.powi(by)),
        (1u64..10, -325i32..309).prop_map(|(n, by)| n as f64 * 10f64.powi(by)),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(20_000))]

    #[test]
    fn texts_are_those_of_the_standard(n in doubles()) {
        let text = to_text(n).to_string();
        let mut other = ryu_js::Buffer::new();
        prop_assert_eq!(&text, other.format(n));
        let back = from_text(&Text::from(&*text));
        prop_assert!(back == n || back.is_nan() && n.is_nan(), "{} is read as {}", text, back);
    }

    #[test]
    fn fixed_texts_are_those_of_the_standard(n in doubles(), digits in 0u8..=100) {
        // What is larger is written as it is without digits.
        let n = if n.abs() < 1e21 { n } else { -0.5 };
        let text = to_fixed(n, f64::from(digits)).to_string();
        prop_assert_eq!(text, rounded(n, usize::from(digits)));
    }
}

/// A number's digits, all of them, rounded as at school.
fn rounded(n: f64, digits: usize) -> String {
    let all = format!("{:.1100}", n.abs());
    let (whole, fraction) = all.split_once('.').expect("a point");
    let mut kept: Vec<u8> = whole.bytes().chain(fraction.bytes().take(digits)).collect();
    if fraction.as_bytes()[digits] >= b'5' {
        let nines = kept.iter().rev().take_while(|digit| **digit == b'9').count();
        let at = kept.len() - nines;
        kept[at..].fill(b'0');
        match at.checked_sub(1) {
            Some(before) => kept[before] += 1,
            None => kept.insert(0, b'1'),
        }
    }
    if digits > 0 {
        kept.insert(kept.len() - digits, b'.');
    }
    let sign = if n < 0.0 { "-" } else { "" };
    format!("{sign}{}", String::from_utf8(kept).expect("digits"))
}

#[test]
fn of_two_that_are_equally_close_the_even_one_is_meant() {
    for (n, text) in [
        (112_158_092_194_521.0 + 0.625, "112158092194521.62"),
        (-112_158_092_194_521.0 - 0.625, "-112158092194521.62"),
        (5e-324, "5e-324"),
        (2f64.powi(-44), "5.684341886080802e-14"),
        (9_007_199_254_740_993.0, "9007199254740992"),
    ] {
        assert_eq!(to_text(n).to_string(), text);
    }
}
