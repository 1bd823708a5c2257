//! The results of ECMAScript's `Intl`, written down from an ECMAScript engine.

use serde_json::Value as Json;
use vein_locale::Locale;
use vein_plan::members::{Receiver, find};
use vein_plan::{Formats, Value};

const GOLDEN: &str = include_str!("golden.txt");

fn argument(json: &Json, member: &str) -> Value {
    match json {
        // Numbers are written as ECMAScript writes them, also those that JSON has not.
        Json::String(text) if member != "list" => match text.parse::<f64>() {
            Ok(number) => Value::from(number),
            Err(_) if text == "Infinity" => Value::from(f64::INFINITY),
            Err(_) => Value::from(text.as_str()),
        },
        other => Value::from(other.clone()),
    }
}

#[test]
fn what_people_read_is_what_an_ecmascript_engine_says() {
    let (mut rows, mut wrong) = (0, Vec::new());
    for line in GOLDEN.lines() {
        let cells: Vec<&str> = line.split('\t').collect();
        let [tag, name, args, wanted] = cells[..] else { panic!("{line}") };
        let member = find(Receiver::Local, name).unwrap_or_else(|| panic!("{name}")).member;
        let args: Vec<Json> = serde_json::from_str(args).expect("arguments");
        let args: Vec<Value> = args.iter().map(|arg| argument(arg, name)).collect();
        let locale = Locale::new(tag, "Europe/Berlin").expect("a locale");
        let shown = locale.format(member, &args).to_string();
        rows += 1;
        if shown != wanted {
            wrong.push(format!("{tag} {name} {args:?}: {shown:?}, not {wanted:?}"));
        }
    }
    assert!(wrong.is_empty(), "{} of {rows}:\n{}", wrong.len(), wrong.join("\n"));
}
