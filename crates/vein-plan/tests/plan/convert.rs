//! Data from the host is held against its type, and comes back as it was.

use serde_json::{Value as Json, json};
use std::sync::Arc;
use vein_plan::{Program, Shape, Type, Value, to_json};

/// `{ crop: string, tone: 'dry' | 'moist', note: string?, beds: Bed[] }`
fn program() -> Program {
    let words = vec!["dry".into(), "moist".into()];
    Program {
        names: ["crop", "tone", "note", "beds"].map(Into::into).into(),
        types: vec![
            Type::String,
            Type::Literals(words),
            Type::Optional(0),
            Type::Shape(0),
            Type::List(3),
            Type::Boolean,
            Type::Number,
            Type::List(1),
            Type::Record(vec![(0, 6)]),
            Type::Dictionary(7),
            Type::Entry(6),
        ],
        shapes: vec![Shape { name: "Bed".into(), fields: vec![(0, 0), (1, 1), (2, 2), (3, 4)] }],
        plans: vec![],
    }
}

fn read(ty: u32, json: &Json) -> Result<Json, String> {
    let value = program().fit(ty, &json.into(), "data");
    value.map(|value| to_json(&value)).map_err(|misfit| misfit.to_string())
}

#[test]
fn data_that_fits_comes_back_in_the_order_of_its_type() {
    let bed = json!({ "beds": [], "tone": "dry", "crop": "leek" });
    let full = json!({ "crop": "leek", "tone": "dry", "note": null, "beds": [] });
    assert_eq!(read(3, &bed), Ok(full.clone()));
    assert_eq!(read(3, &bed).expect("it fits").to_string(), full.to_string());
    for (ty, data) in [
        (2, json!(null)),
        (2, json!("a")),
        (4, json!([full])),
        (5, json!(true)),
        (6, json!(1.5)),
        (6, json!(-3)),
        (7, json!(["dry", "moist"])),
        (8, json!({ "crop": 2 })),
        (9, json!({})),
        (9, json!({ "oat milk": ["dry"], "": [] })),
        (10, json!(["tea", 2])),
    ] {
        assert_eq!(read(ty, &data), Ok(data));
    }
}

#[test]
fn keys_stand_in_the_order_of_ecmascript() {
    let data = json!({ "tea": [], "10": [], "01": [], "2": [], "-1": [], "4294967295": [], "4294967294": [] });
    let fitted = read(9, &data).expect("it fits").to_string();
    let keys: Vec<&str> = fitted.split('"').skip(1).step_by(2).collect();
    assert_eq!(keys, ["2", "10", "4294967294", "tea", "01", "-1", "4294967295"]);
}

#[test]
fn data_with_the_names_of_the_program_is_taken_as_it_is() {
    let program = program();
    let bed = |names: &[vein_plan::Name]| {
        let values = [Value::from("leek"), Value::from("dry"), Value::Null, Value::list(vec![])];
        Value::record(names.iter().cloned().zip(values))
    };
    let items = |value: &Value| match value {
        Value::List(items) => items.clone(),
        other => panic!("{other:?} is no list"),
    };
    let others: Vec<vein_plan::Name> = program.names.iter().map(|name| (**name).into()).collect();
    for (names, kept) in [(&program.names, true), (&others, false)] {
        let data = Value::list(vec![bed(names)]);
        let fitted = program.fit(4, &data, "data").expect("it fits");
        assert_eq!(to_json(&fitted), to_json(&data));
        assert_eq!(Arc::ptr_eq(&items(&fitted), &items(&data)), kept);
    }
}

#[test]
fn misfits_say_where_and_what() {
    let inner = json!({ "crop": "a", "tone": "dry", "beds": [{ "crop": 1 }] });
    for (ty, data, problem) in [
        (0, json!(1), "data: expected string, found the number 1"),
        (0, json!(null), "data: expected string, found null"),
        (1, json!("wet"), "data: expected 'dry' | 'moist', found the string \"wet\""),
        (3, json!([]), "data: expected Bed, found a list"),
        (3, json!({ "tone": "dry", "beds": [] }), "data.crop: missing; expected string"),
        (3, inner, "data.beds[0].crop: expected string, found the number 1"),
        (3, json!({ "colour": 1 }), "data.colour: Bed has no field `colour`"),
        (5, json!("true"), "data: expected boolean, found the string \"true\""),
        (6, json!({}), "data: expected number, found a record"),
        (7, json!(["dry", 2]), "data[1]: expected 'dry' | 'moist', found the number 2"),
        (9, json!({ "a b": ["wet"] }), "data[\"a b\"][0]: expected 'dry' | 'moist', found"),
        (9, json!({ "tea": 1 }), "data.tea: expected ('dry' | 'moist')[], found the number 1"),
        (9, json!([]), "data: expected ('dry' | 'moist')[]{}, found a list"),
        (10, json!(["tea"]), "data: expected [string, number], found a list"),
        (10, json!(["tea", "2"]), "data[1]: expected number, found the string"),
        (8, json!({ "crop": false }), "data.crop: expected number, found the boolean false"),
    ] {
        let found = read(ty, &data).expect_err(problem);
        assert!(found.starts_with(problem), "{found}");
    }
}

#[test]
fn types_are_named_as_they_are_written() {
    let program = program();
    let names: Vec<String> = (0..11).map(|ty| program.type_name(ty)).collect();
    assert_eq!(
        names,
        [
            "string",
            "'dry' | 'moist'",
            "string?",
            "Bed",
            "Bed[]",
            "boolean",
            "number",
            "('dry' | 'moist')[]",
            "{ crop: number }",
            "('dry' | 'moist')[]{}",
            "[string, number]",
        ]
    );
}
