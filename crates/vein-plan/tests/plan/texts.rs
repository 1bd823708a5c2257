//! Texts that would grow without end.

use vein_plan::members::Member;
use vein_plan::standard::{LONGEST_TEXT, call};
use vein_plan::{Text, Value};

#[test]
fn no_text_grows_beyond_the_longest() {
    let half = |character: &str| Text::from(character.repeat(LONGEST_TEXT / 2 + 1));
    let long = Text::concat([&half("a"), &half("b")]);
    assert_eq!(long.len(), LONGEST_TEXT);
    assert!(long.slice(LONGEST_TEXT - 2, LONGEST_TEXT).to_string() == "bb");
    // More bytes than units: nothing is cut.
    let wide = Text::concat([&Text::from("ä".repeat(LONGEST_TEXT / 2)), &Text::from("x")]);
    assert_eq!(wide.len(), LONGEST_TEXT / 2 + 1);
    let by = |text: &str| Value::from(text);
    let replaced = call(Member::ReplaceAll, &Value::String(half("a")), &[by("a"), by("$&$&$&")]);
    assert_eq!(replaced.to_text().len(), LONGEST_TEXT);
}
