//! JSON is read and written as ECMAScript does, with halves of surrogate pairs.

use proptest::prelude::*;
use vein_plan::json::{Unreadable, parse, stringify};
use vein_plan::{Text, Value, to_json};

fn texts() -> impl Strategy<Value = Text> {
    let units = prop_oneof![
        3 => 0x20u16..0x7f,
        1 => 0u16..0x20,
        1 => any::<u16>(),
        1 => 0xd7f0u16..0xe010,
    ];
    prop::collection::vec(units, 0..8).prop_map(Text::from_units)
}

fn values() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![
        Just(Value::Null),
        any::<bool>().prop_map(Value::from),
        (-1e9..1e9f64).prop_map(Value::from),
        any::<i32>().prop_map(|n| Value::from(f64::from(n))),
        prop::num::f64::NORMAL.prop_map(Value::from),
        texts().prop_map(Value::from),
    ];
    leaf.prop_recursive(4, 40, 5, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..5).prop_map(Value::list),
            prop::collection::vec(("[a-z\"\\\\ é😀]{0,4}", inner), 0..5).prop_map(|fields| {
                Value::record(fields.into_iter().map(|(name, value)| (name.into(), value)))
            }),
        ]
    })
}

proptest! {
    #[test]
    fn what_is_written_is_read_as_it_was(value in values()) {
        let text = stringify(&value).to_string();
        let read = parse(&text).expect("what was written is JSON");
        // JSON writes -0 as 0.
        prop_assert!(read.strictly_equals(&value), "{text}");
    }

    #[test]
    fn what_any_reader_of_json_reads_comes_out_alike(value in values()) {
        let text = serde_json::to_string_pretty(&to_json(&value)).expect("a tree of JSON");
        let theirs: serde_json::Value = serde_json::from_str(&text).expect("JSON");
        prop_assert!(parse(&text).expect("JSON").same(&Value::from(theirs)), "{text}");
    }

    #[test]
    fn no_text_is_too_strange_to_be_refused(text in "[\\[\\]{}\",:\\\\u0-9a-fnr.eE+ -]{0,24}") {
        let theirs = serde_json::from_str::<serde::de::IgnoredAny>(&text);
        match parse(&text) {
            Ok(_) | Err(Unreadable::Value(_)) => prop_assert!(theirs.is_ok(), "{text}"),
            Err(Unreadable::NotJson(_)) => prop_assert!(theirs.is_err(), "{text}"),
        }
    }
}

#[test]
fn halves_of_characters_are_kept() {
    for (json, units) in [
        (r#""\ud83d""#, &[0xd83d][..]),
        (r#""\ude00\ud83d""#, &[0xde00, 0xd83d]),
        (r#""\ud83d\ude00""#, &[0xd83d, 0xde00]),
        (r#""a\udfffé😀""#, &[0x61, 0xdfff, 0xe9, 0xd83d, 0xde00]),
        (r#""\ud83dx\n""#, &[0xd83d, 0x78, 0x0a]),
        (r#""\ud83d\ud83d\ude00""#, &[0xd83d, 0xd83d, 0xde00]),
    ] {
        match parse(json) {
            Ok(Value::String(text)) => assert_eq!(text.units(), units, "{json}"),
            other => panic!("{json}: {other:?}"),
        }
    }
}

#[test]
fn of_two_fields_with_one_name_the_later_counts() {
    let value = parse(r#"{"a": 1, "b": 2, "a": 3}"#).expect("JSON");
    assert_eq!(stringify(&value).to_string(), r#"{"a":3,"b":2}"#);
}

#[test]
fn what_cannot_be_held_is_told_with_its_place() {
    let deep = format!("{}{}", "[".repeat(129), "]".repeat(129));
    let very_deep = format!("{}{}", "[".repeat(100_000), "]".repeat(100_000));
    let way = "[0]".repeat(128);
    for (text, error) in [
        (
            r#"{"beds": [{"litres": 1}, {"litres": 1e999}]}"#,
            "beds[1].litres: the number 1e999 is too large",
        ),
        ("-1e400", "the data: the number -1e400 is too large"),
        (r#"{"tank": {"\ud83d": 1}}"#, "tank: the name of a field holds half of a surrogate pair"),
        (&deep, &*format!("{way}: more than 128 lists and records in each other")),
        (&very_deep, &*format!("{way}: more than 128 lists and records in each other")),
    ] {
        match parse(text) {
            Err(Unreadable::Value(misfit)) => assert_eq!(misfit.to_string(), error),
            other => panic!("{error}: {other:?}"),
        }
    }
    let allowed = format!("{}{}", "[".repeat(128), "]".repeat(128));
    assert!(parse(&allowed).is_ok());
}

#[test]
fn what_is_not_json_is_told_with_line_and_column() {
    for (text, error) in [
        ("", "the text ends too early, at line 1, column 1"),
        ("[1, {\n \"é\": ", "the text ends too early, at line 2, column 7"),
        ("{\n  'a': 1\n}", "expected a name in double quotes, at line 2, column 3"),
        ("{\"a\" 1}", "expected `:`, at line 1, column 6"),
        ("[1, 2,]", "expected a value, at line 1, column 7"),
        ("[1 2]", "expected `,` or `]`, at line 1, column 4"),
        ("{\"a\": 1]", "expected `,` or `}`, at line 1, column 8"),
        ("[1] 2", "expected nothing more, at line 1, column 5"),
        ("NaN", "expected a value, at line 1, column 1"),
        ("\"\\x41\"", "there is no such escape, at line 1, column 3"),
        ("\"\\u41\"", "expected four hexadecimal digits, at line 1, column 6"),
        ("\"a\tb\"", "write this character as an escape, at line 1, column 3"),
        ("01", "a number does not begin with a zero, at line 1, column 2"),
        ("-", "expected a digit, at line 1, column 2"),
        ("1.e3", "expected a digit, at line 1, column 3"),
    ] {
        match parse(text) {
            Err(error_found @ Unreadable::NotJson(_)) => {
                assert_eq!(error_found.to_string(), error, "{text}");
            }
            other => panic!("{text}: {other:?}"),
        }
    }
}
