//! Values compared, read, changed and shown.

use serde_json::{Value as Json, json};
use std::sync::Arc;
use vein_plan::{Extent, Name, Record, Step, Value};

fn value(json: Json) -> Value {
    Value::from(&json)
}

fn nan() -> Value {
    Value::Number(f64::NAN)
}

#[test]
fn equality_has_three_kinds() {
    let list = |item: f64| Value::list(vec![item.into()]);
    // Two values; whether they are the same, strictly equal, the same but for the sign of zero.
    let rows = [
        (value(json!(null)), value(json!(null)), [true, true, true]),
        (value(json!(null)), value(json!(0)), [false, false, false]),
        (value(json!(true)), value(json!(true)), [true, true, true]),
        (value(json!(true)), value(json!(false)), [false, false, false]),
        (value(json!("a")), value(json!("a")), [true, true, true]),
        (value(json!("1")), value(json!(1)), [false, false, false]),
        (value(json!(1)), value(json!(1)), [true, true, true]),
        (value(json!(1)), value(json!(2)), [false, false, false]),
        (0.0.into(), (-0.0).into(), [false, true, true]),
        (nan(), nan(), [true, false, true]),
        (nan(), 1.0.into(), [false, false, false]),
        (1.0.into(), nan(), [false, false, false]),
        (list(0.0), list(-0.0), [false, true, true]),
        (list(f64::NAN), list(f64::NAN), [true, false, true]),
        (value(json!([1, 2])), value(json!([1])), [false, false, false]),
        (value(json!([1])), value(json!([1, 2])), [false, false, false]),
        (value(json!([])), value(json!({})), [false, false, false]),
        (value(json!({ "a": 1 })), value(json!({ "a": 1 })), [true, true, true]),
        (value(json!({ "a": 1 })), value(json!({ "a": 2 })), [false, false, false]),
        (value(json!({ "a": 1 })), value(json!({ "b": 1 })), [false, false, false]),
        (value(json!({ "a": 1 })), value(json!({ "a": 1, "b": 1 })), [false, false, false]),
        (value(json!({ "a": 1, "b": 1 })), value(json!({ "a": 1 })), [false, false, false]),
    ];
    for (a, b, [same, strict, or_zero]) in rows {
        assert_eq!(a.same(&b), same, "{a} and {b}");
        assert_eq!(a.strictly_equals(&b), strict, "{a} === {b}");
        assert_eq!(a.same_or_zero(&b), or_zero, "{b} in [{a}]");
    }
}

#[test]
fn a_reader_sees_what_it_looked_at() {
    let (two, other, three) = (json!([1, 2]), json!([3, 4]), json!([1, 2, 3]));
    let list = |json: &Json| Some(Value::from(json));
    let null = Some(Value::Null);
    // What stood there, what stands there; who of whole, length, presence and position sees it.
    for (before, after, seen) in [
        (list(&two), list(&two), [false, false, false, false]),
        (list(&two), list(&other), [true, false, false, false]),
        (list(&two), list(&three), [true, true, false, false]),
        (list(&json!([])), null.clone(), [true, true, true, false]),
        (null.clone(), list(&json!([])), [true, true, true, false]),
        (null.clone(), None, [false, false, false, true]),
        (None, null.clone(), [false, false, false, true]),
        (None, list(&two), [true, true, true, true]),
        (None, None, [false, false, false, false]),
    ] {
        let extents = [Extent::Whole, Extent::Length, Extent::Presence, Extent::Position];
        let found = extents.map(|extent| extent.differs(before.as_ref(), after.as_ref()));
        assert_eq!(found, seen, "{before:?} {after:?}");
    }
}

#[test]
fn values_become_texts_numbers_and_flags_as_in_ecmascript() {
    for (of, text, number, truthy) in [
        (json!(null), "null", 0.0, false),
        (json!(true), "true", 1.0, true),
        (json!(false), "false", 0.0, false),
        (json!(0), "0", 0.0, false),
        (json!(-2.5), "-2.5", -2.5, true),
        (json!(""), "", 0.0, false),
        (json!("7"), "7", 7.0, true),
        (json!([]), "", 0.0, true),
        (json!([7]), "7", 7.0, true),
        (json!([1, null, [2, 3]]), "1,,2,3", f64::NAN, true),
        (json!({}), "[object Object]", f64::NAN, true),
    ] {
        let value = value(of);
        assert_eq!(value.to_text().to_string(), text);
        assert!(value.to_number() == number || value.to_number().is_nan() && number.is_nan());
        assert_eq!(value.truthy(), truthy, "{text}");
        assert_eq!(value.to_shown(), if value.is_null() { "" } else { text });
        assert_eq!(value.to_text_or_empty().to_string(), if value.is_null() { "" } else { text });
    }
}

#[test]
fn a_ledger_shows_values_in_short() {
    for (of, shown) in [
        (json!("a\"b"), r#""a\"b""#),
        (json!([]), "[]"),
        (json!([1]), "[1]"),
        (json!([1, "a", null]), r#"[1, "a", null]"#),
        (json!([1, 2, 3, 4]), "[… 4 items]"),
        (json!([[1]]), "[… 1 item]"),
        (json!([1, [2]]), "[… 2 items]"),
        (json!([{}]), "[… 1 item]"),
        (json!({}), "{ }"),
        (json!({ "a": 1, "b": [2] }), "{ a: 1, b: [2] }"),
        (json!(1.5), "1.5"),
        (json!(true), "true"),
    ] {
        assert_eq!(value(of).to_string(), shown);
    }
    assert_eq!(Step::Field("a".into()).to_string() + &Step::Index(3).to_string(), ".a[3]");
}

#[test]
fn nesting_is_counted() {
    for (of, deep) in [
        (json!(1), 0),
        (json!([]), 1),
        (json!({}), 1),
        (json!([1, [2, { "a": [] }], []]), 4),
        (json!({ "a": { "b": 1 }, "c": 1 }), 2),
    ] {
        let value = value(of);
        assert!(!value.is_deeper_than(deep), "{value}");
        assert!(deep == 0 || value.is_deeper_than(deep - 1), "{value}");
    }
}

#[test]
fn records_have_names_in_order() {
    let field = |name: &str, n: f64| (Name::from(name), Value::from(n));
    let mut record = Record::new([field("a", 1.0), field("b", 2.0), field("a", 3.0)]);
    assert_eq!((record.len(), record.is_empty()), (2, false));
    assert_eq!((Record::new([]).len(), Record::new([]).is_empty()), (0, true));
    let shown: Vec<String> = record.iter().map(|(name, value)| format!("{name} {value}")).collect();
    assert_eq!(shown, ["a 3", "b 2"]);
    *record.get_mut("b").expect("a field") = 4.0.into();
    assert!(record.get("b").expect("a field").same(&4.0.into()));
    assert!(record.get("c").is_none() && record.get_mut("").is_none());
    // A name is found by where it is stored, or else by what it says; the beginning of one is another.
    let long: Name = "levels".into();
    let short = &long[..5];
    let record = Record::new([(long.clone(), 1.0.into()), ("level".into(), 2.0.into())]);
    assert!(record.get(short).expect("a field").same(&2.0.into()));
    assert!(record.get(&long).expect("a field").same(&1.0.into()));
    // Of too few values the rest is `null`; what is too much goes.
    let names: Arc<[Name]> = Arc::from(["a".into(), "b".into()]);
    let few = Record::with_names(names.clone(), vec![1.0.into()]);
    assert_eq!(few.len(), 2);
    assert!(few.get("b").expect("a field").is_null());
    assert_eq!(Record::with_names(names, vec![Value::Null; 3]).len(), 2);
}

#[test]
fn places_are_found_and_changed_without_anybody_else_seeing() {
    let path = [Step::Index(1), Step::Field("a".into())];
    let mut list = value(json!([1, { "a": 2 }]));
    let other = list.clone();
    assert!(list.at(&path).expect("a place").same(&2.0.into()));
    *list.at_mut(&path).expect("a place") = 3.0.into();
    assert!(list.same(&value(json!([1, { "a": 3 }]))));
    assert!(other.same(&value(json!([1, { "a": 2 }]))));
    assert_eq!((list.list_len(), value(json!({ "a": 1 })).list_len()), (2, 0));
    for wrong in
        [&[Step::Index(2)][..], &[Step::Field("a".into())], &[Step::Index(0), Step::Index(0)]]
    {
        assert!(list.at(wrong).is_none() && list.clone().at_mut(wrong).is_none());
    }
}
