//! Results that were written down: those of ECMAScript's `Intl` from an ECMAScript engine, and, for every
//! locale, calendar and numbering system, those of ICU4X with all the data that it has.

use serde_json::Value as Json;
use std::cmp::Ordering;
use vein_locale::Locale;
use vein_plan::members::{Receiver, find};
use vein_plan::{Formats, Text, Value};

const ECMASCRIPT: &str = include_str!("golden.txt");
const ALL_LOCALES: &str = include_str!("locales.txt");

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

fn wrong(golden: &str) -> Vec<String> {
    let mut wrong = Vec::new();
    for line in golden.lines() {
        let cells: Vec<&str> = line.split('\t').collect();
        let [tag, name, args, wanted] = cells[..] else { panic!("{line}") };
        let member = find(Receiver::Local, name).unwrap_or_else(|| panic!("{name}")).member;
        let args: Vec<Json> = serde_json::from_str(args).expect("arguments");
        let args: Vec<Value> = args.iter().map(|arg| argument(arg, name)).collect();
        let locale = Locale::new(tag, "Europe/Berlin").expect("a locale");
        let shown = locale.format(member, &args).to_string();
        if shown != wanted {
            wrong.push(format!("{tag} {name} {args:?}: {shown:?}, not {wanted:?}"));
        }
    }
    wrong
}

#[test]
fn what_people_read_is_what_an_ecmascript_engine_says() {
    let wrong = wrong(ECMASCRIPT);
    assert!(wrong.is_empty(), "{}:\n{}", wrong.len(), wrong.join("\n"));
}

#[test]
fn no_locale_lost_anything_with_the_data_that_was_left_out() {
    let wrong = wrong(ALL_LOCALES);
    assert!(wrong.is_empty(), "{}:\n{}", wrong.len(), wrong.join("\n"));
}

#[test]
fn texts_stand_in_the_order_of_their_language() {
    let sorted = |tag: &str, texts: &[&str]| {
        let locale = Locale::new(tag, "UTC").expect("a locale");
        let mut texts: Vec<Text> = texts.iter().map(|text| Text::from(*text)).collect();
        texts.sort_by(|a, b| locale.compare(a, b));
        texts.iter().map(Text::to_string).collect::<Vec<_>>().join(" ")
    };
    let crops = ["Zwiebel", "apfel", "Ähre", "Apfel", "ananas"];
    assert_eq!(sorted("de", &crops), "Ähre ananas apfel Apfel Zwiebel");
    assert_eq!(sorted("sv", &crops), "ananas apfel Apfel Zwiebel Ähre");
    assert_eq!(sorted("da", &["a", "A", "aa", "z"]), "A a z aa");
    assert_eq!(sorted("cs", &["d", "ch", "h", "i", "c"]), "c d h ch i");
    assert_eq!(sorted("de", &["bed 10", "bed 9"]), "bed 10 bed 9");
    assert_eq!(sorted("de-u-kn", &["bed 10", "bed 9"]), "bed 9 bed 10");
    assert_eq!(sorted("ja", &["カ", "が", "あ"]), "あ カ が");
    // Nobody knows the language: the order that no language is known for.
    assert_eq!(sorted("xx", &crops), sorted("en", &crops));

    let locale = Locale::new("en", "UTC").expect("a locale");
    let [half, shown] = [Text::from_units(vec![0xd83d]), Text::from("\u{fffd}")];
    assert_eq!(locale.compare(&half, &shown), Ordering::Equal);
    assert_eq!(locale.compare(&Text::from("a\u{308}"), &Text::from("ä")), Ordering::Equal);
}
