//! What a value shows in each kind of part, and what a control's text becomes.

use serde_json::{Value as Json, json};
use vein_plan::{Conversion, Form, PartKind, Property, Shown, Value, to_json};

const ABSENT: &str = "(absent)";

/// A value with what it shows as an attribute of some form.
fn holds(form: Form, rows: &[(Json, &str)]) {
    let kind = PartKind::Attribute("a".into(), form);
    for (value, wanted) in rows {
        let wanted = match *wanted {
            ABSENT => Shown::Absent,
            text => Shown::Text(text.into()),
        };
        assert_eq!(kind.shown(&Value::from(value)), wanted, "{form:?} of {value}");
    }
}

#[test]
fn attributes_show_values_as_their_form_says() {
    holds(
        Form::Text,
        &[
            (json!(null), ""),
            (json!(true), "true"),
            (json!(false), "false"),
            (json!(1.5), "1.5"),
            (json!("a b"), "a b"),
            (json!("a\0b\0"), "a\u{fffd}b\u{fffd}"),
            (json!(""), ""),
        ],
    );
    holds(
        Form::Presence,
        &[
            (json!(null), ABSENT),
            (json!(false), ABSENT),
            (json!(true), ""),
            (json!(0), "0"),
            (json!(""), ""),
            (json!("x\0"), "x\u{fffd}"),
        ],
    );
    holds(
        Form::Words,
        &[(json!(null), ABSENT), (json!(false), "false"), (json!(true), "true"), (json!(2), "2")],
    );
    holds(
        Form::Url,
        &[
            (json!(null), ABSENT),
            (json!(false), ABSENT),
            (json!(true), ""),
            (json!("/beds?q=1"), "/beds?q=1"),
            (json!("https://example.org/\0"), "https://example.org/\u{fffd}"),
            (json!("javascript:alert(1)"), "about:blank"),
            (json!("java\tscript:alert(1)"), "about:blank"),
            (json!("data:image/svg+xml,x"), "about:blank"),
            (json!("data:image/png,x"), "data:image/png,x"),
            (json!("data:image/pngx,x"), "about:blank"),
        ],
    );
    holds(
        Form::Tokens,
        &[
            (json!(null), ABSENT),
            (json!(false), ABSENT),
            (json!(true), "true"),
            (json!("a  b"), "a  b"),
            (json!([]), ABSENT),
            (json!(["", null, false]), ABSENT),
            (json!([" "]), ABSENT),
            (json!(["a", "", "b"]), "a b"),
            (json!([" a\tb ", ["c", [false, "d"]], 0, 1]), "a b c d 1"),
            (json!(["a\0"]), "a\u{fffd}"),
        ],
    );
}

#[test]
fn styles_are_put_together_from_texts_records_and_lists() {
    holds(
        Form::Declarations,
        &[
            (json!(null), ABSENT),
            (json!(false), ABSENT),
            (json!("color: red"), "color: red"),
            (json!([]), ABSENT),
            (json!({}), ABSENT),
            (json!(["", null, false, " ; "]), ABSENT),
            (json!(["color: red"]), "color: red;"),
            (json!([" color: red; ", "margin: 0;;"]), "color: red; margin: 0;"),
            (json!({ "color": "red", "margin": 0 }), "color: red; margin: 0;"),
            (json!({ "borderColor": "red", "--Own": "1px" }), "border-color: red; --Own: 1px;"),
            (json!({ "color": null, "margin": true, "top": false, "left": "" }), ABSENT),
            (
                json!([{ "color": "red" }, ["top: 0", { "left": 1 }]]),
                "color: red; top: 0; left: 1;",
            ),
            (json!({ "content": "'\0'" }), ABSENT),
            (json!(["content: '\0'"]), "content: '\u{fffd}';"),
            // One value stays inside one declaration, and fetches nothing.
            (json!({ "color": "red; margin: 0" }), ABSENT),
            (json!({ "color": "red !important" }), "color: red !important;"),
            (json!({ "color": "red !important " }), "color: red !important ;"),
            (json!({ "color": "red ! important" }), ABSENT),
            (json!({ "color": "a{b" }), ABSENT),
            (json!({ "color": "a}b" }), ABSENT),
            (json!({ "color": "a<b" }), ABSENT),
            (json!({ "color": "a>b" }), ABSENT),
            (json!({ "color": "@b" }), ABSENT),
            (json!({ "content": "';{}!<>@'" }), "content: ';{}!<>@';"),
            (json!({ "content": "\"it's\"" }), "content: \"it's\";"),
            (json!({ "content": "'a\nb'" }), ABSENT),
            (json!({ "content": "'a\rb'" }), ABSENT),
            (json!({ "content": "'a\u{c}b'" }), ABSENT),
            (json!({ "content": "'a" }), ABSENT),
            (json!({ "content": "\\27" }), ABSENT),
            (json!({ "width": "calc(1px * (2 + 3))" }), "width: calc(1px * (2 + 3));"),
            (json!({ "width": "calc(1px" }), ABSENT),
            (json!({ "width": "calc 1px)" }), ABSENT),
            (json!({ "width": "(1px]" }), ABSENT),
            (json!({ "gridArea": "[a] 1 [b]" }), "grid-area: [a] 1 [b];"),
            (json!({ "gridArea": "[a) 1" }), ABSENT),
            (json!({ "background": "URL(x)" }), ABSENT),
            (json!({ "background": "image-set('a' 1x)" }), ABSENT),
            (json!({ "color": "red /*" }), ABSENT),
            (json!({ "color": "*/ red" }), ABSENT),
        ],
    );
}

#[test]
fn texts_and_properties_show_values_as_the_standard_keeps_them() {
    let shown = |kind: PartKind, value: Json| kind.shown(&Value::from(&value));
    let text = |text: &str| Shown::Text(text.into());
    assert_eq!(shown(PartKind::Text, json!(null)), text(""));
    assert_eq!(shown(PartKind::Text, json!("a\0")), text("a\u{fffd}"));
    let property = |property, value| shown(PartKind::Property(property), value);
    assert_eq!(property(Property::Value, json!(null)), text(""));
    assert_eq!(property(Property::Value, json!(2.5)), text("2.5"));
    assert_eq!(property(Property::Checked, json!("")), Shown::Flag(false));
    assert_eq!(property(Property::Open, json!("no")), Shown::Flag(true));
    assert_eq!(property(Property::Chosen, json!(["a", 2])), text(r#"["a","2"]"#));
    assert_eq!(property(Property::Chosen, json!(null)), text("[]"));
    assert_eq!(text("a").to_string(), "\"a\"");
    assert_eq!(Shown::Flag(true).to_string(), "true");
    assert_eq!(Shown::Absent.to_string(), "absent");
    // What a surface says of a property has its type.
    let read = |property: Property, told: Json| property.read(&Value::from(&told));
    assert_eq!(read(Property::Value, json!("a")), Some(text("a")));
    assert_eq!(read(Property::Chosen, json!("[]")), Some(text("[]")));
    assert_eq!(read(Property::Chosen, json!(1)), None);
    assert_eq!(read(Property::Value, json!(true)), None);
    assert_eq!(read(Property::Open, json!(true)), Some(Shown::Flag(true)));
    assert_eq!(read(Property::Open, json!("true")), None);
    for property in Property::ALL {
        assert_eq!(Property::named(property.name()), Some(property));
        assert_eq!(property.is_text(), property.read(&Value::from("x")).is_some());
    }
    assert_eq!(Property::named("title"), None);
}

#[test]
fn the_text_of_a_control_becomes_a_value_of_the_type() {
    use Conversion as To;
    let words = || vec!["dry".into(), "moist".into()];
    let rows: Vec<(Conversion, &str, Option<Json>)> = vec![
        (To::Text, " a ", Some(json!(" a "))),
        (To::Text, "", Some(json!(""))),
        (To::TextOrNull, "", Some(json!(null))),
        (To::TextOrNull, " ", Some(json!(" "))),
        (To::Number, "2.50", Some(json!(2.5))),
        (To::Number, " 7 ", Some(json!(7))),
        (To::Number, "", None),
        (To::Number, " ", None),
        (To::Number, "two", None),
        (To::Number, "Infinity", None),
        (To::NumberOrNull, "", Some(json!(null))),
        (To::NumberOrNull, "  ", Some(json!(null))),
        (To::NumberOrNull, "-1", Some(json!(-1))),
        (To::NumberOrNull, "x", None),
        (To::Word(words()), "dry", Some(json!("dry"))),
        (To::Word(words()), "", None),
        (To::Word(words()), "wet", None),
        (To::WordOrNull(words()), "", Some(json!(null))),
        (To::WordOrNull(words()), "moist", Some(json!("moist"))),
        (To::WordOrNull(words()), " ", None),
        (To::Many(Box::new(To::Number)), r#"["1","2"]"#, Some(json!([1, 2]))),
        (To::Many(Box::new(To::Number)), "[]", Some(json!([]))),
        (To::Many(Box::new(To::Number)), r#"["1","x"]"#, None),
        (To::Many(Box::new(To::Number)), "[1]", None),
        (To::Many(Box::new(To::Text)), r#""a""#, None),
        (To::Many(Box::new(To::Text)), "[", None),
        (To::Flag, "true", None),
        (To::Picked(0), "true", None),
        (To::Member(0), "true", None),
    ];
    for (conversion, text, wanted) in rows {
        // Numbers are written in one way only.
        let found = conversion.value(text).map(|value| to_json(&value).to_string());
        let wanted = wanted.map(|wanted| to_json(&Value::from(&wanted)).to_string());
        assert_eq!(found, wanted, "{conversion:?} of {text:?}");
    }
}

#[test]
fn an_element_takes_a_name_that_is_known() {
    for (value, name) in [
        (json!("h3"), "h3"),
        (json!("var"), "var"),
        (json!("script"), "div"),
        (json!("H3"), "div"),
        (json!(null), "div"),
        (json!(""), "div"),
    ] {
        assert_eq!(vein_plan::shown::renamed(&Value::from(&value)), name);
    }
}
