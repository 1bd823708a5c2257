//! Expressions and their results. The results were written down from an ECMAScript engine;
//! `undefined` is `null` here. Everything runs through text, check, plan and evaluator.

use vein::{Ui, Value};

const GOLDEN: &str = include_str!("golden.txt");

/// A value as the table writes it.
fn written(value: &Value) -> String {
    match value {
        Value::Number(n) if *n == 0.0 && n.is_sign_negative() => "-0".into(),
        Value::Number(_) | Value::Boolean(_) | Value::Null => value.to_text().to_string(),
        Value::String(s) => serde_json::Value::from(s.to_string()).to_string(),
        Value::List(items) => {
            format!("[{}]", items.iter().map(written).collect::<Vec<_>>().join(", "))
        }
        Value::Record(record) => {
            let fields = record.iter().map(|(name, value)| format!("{name}: {}", written(value)));
            format!("{{ {} }}", fields.collect::<Vec<_>>().join(", "))
        }
    }
}

#[test]
fn expressions_have_the_results_of_ecmascript() {
    let mut wrong = Vec::new();
    for line in GOLDEN.lines() {
        let (expression, expected) = line.split_once("   ⇒   ").expect("an arrow in each line");
        let text = format!("derives result = {expression}\n<p>{{JSON.stringify(result)}}</p>");
        let ui = match Ui::from_sources([("golden-row.vein", text)]) {
            Ok(ui) => ui,
            Err(error) => {
                wrong.push(format!("{expression}\n{error}"));
                continue;
            }
        };
        let mut page = ui.open("golden-row", ()).expect("no props");
        let found = written(&page.session_mut().value("result").expect("a derived value"));
        if found != expected {
            wrong.push(format!("{expression}: expected {expected}, found {found}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(GOLDEN.lines().count() > 150);
}
