//! What was seen, written into a scenario's text. What holds stays as it was written, with its
//! layout and its comments.

use super::judge::{Finding, Pairing};
use super::play::{Played, PlayedStep};
use super::seen::SeenPart;
use super::{Scenario, Step};
use toml_edit::{Array, DocumentMut, InlineTable, Item, TableLike, Value as Toml};
use vein_plan::{Shown, Value};
use vein_runtime::Effect;

/// The text of a scenario with what was seen in the place of what did not hold: changes, events that
/// were given, questions that were stated. What must be seen and state are the author's: they stay.
///
/// # Errors
/// A text that cannot be read.
pub fn accept(text: &str, scenario: &Scenario, played: &Played) -> Result<String, String> {
    let mut document: DocumentMut =
        text.parse().map_err(|error: toml_edit::TomlError| error.message().to_owned())?;
    for step in &played.steps {
        let Some(written) = step.number.checked_sub(1).and_then(|at| scenario.steps.get(at)) else {
            continue;
        };
        if let Some(table) = step_table(&mut document, step.number - 1) {
            accept_step(table, written, step);
        }
    }
    Ok(document.to_string())
}

fn step_table(document: &mut DocumentMut, at: usize) -> Option<&mut dyn TableLike> {
    match document.get_mut("step")? {
        Item::Table(table) if at == 0 => Some(table as &mut dyn TableLike),
        Item::ArrayOfTables(tables) => tables.get_mut(at).map(|table| table as &mut dyn TableLike),
        Item::Value(Toml::Array(array)) => {
            array.get_mut(at)?.as_inline_table_mut().map(|table| table as &mut dyn TableLike)
        }
        _ => None,
    }
}

fn accept_step(table: &mut dyn TableLike, written: &Step, step: &PlayedStep) {
    if step.pairings.iter().any(|pairing| pairing.finding != Finding::Agrees) {
        accept_changes(table, step);
    }
    let wrong = |code: &str| step.mistakes.iter().any(|mistake| mistake.code == code);
    if wrong("given") {
        let given = step.seen.entries.iter().flat_map(|entry| &entry.pulse.given);
        let mut array = Array::new();
        for given in given {
            let mut event = InlineTable::new();
            event.insert("event", given.name.to_string().into());
            for (name, value) in given.payload.iter().filter(|(_, value)| !value.is_null()) {
                event.insert(&**name, toml_of(value));
            }
            array.push(event);
        }
        replace(table, "gives", array);
    }
    if wrong("asked") && written.stated.asks.is_some() {
        let asked = step.seen.entries.iter().flat_map(|entry| &entry.pulse.questions);
        let array: Array = asked.map(super::play::shown_question).collect();
        replace(table, "asks", array);
    }
}

/// Puts an array in the place of what stood there, with the comments around that.
fn replace(table: &mut dyn TableLike, key: &str, array: Array) {
    if array.is_empty() {
        table.remove(key);
        return;
    }
    let decor = table.get(key).and_then(Item::as_value).map(|value| value.decor().clone());
    let mut value = Toml::Array(array);
    if let Some(decor) = decor {
        *value.decor_mut() = decor;
    }
    table.insert(key, Item::Value(value));
}

fn accept_changes(table: &mut dyn TableLike, step: &PlayedStep) {
    let (stated, new): (Vec<&Pairing>, Vec<&Pairing>) =
        step.pairings.iter().partition(|pairing| pairing.stated.is_some());
    if table.get("changes").is_none_or(|item| item.as_array().is_none()) {
        table.insert("changes", Item::Value(Toml::Array(Array::new())));
    }
    let Some(array) = table.get_mut("changes").and_then(Item::as_array_mut) else { return };
    // From the end, so that positions stay what they are.
    for (at, pairing) in stated.iter().enumerate().rev() {
        match &pairing.finding {
            Finding::Agrees => {}
            Finding::Otherwise(_) if pairing.seen.len() == 1 => {
                let change = change_of(&step.seen.parts[pairing.seen[0]]);
                let decor = array.get(at).map(|value| value.decor().clone());
                if let Some(old) = array.get_mut(at) {
                    *old = Toml::InlineTable(change);
                    decor.into_iter().for_each(|decor| *old.decor_mut() = decor);
                }
            }
            Finding::Otherwise(_) => {
                let parts = pairing.seen.iter().map(|part| &step.seen.parts[*part]);
                let new: Vec<Toml> = parts.map(|part| Toml::InlineTable(change_of(part))).collect();
                remove(array, at);
                new.into_iter()
                    .rev()
                    .for_each(|value| array.insert_formatted(at, on_a_line(value)));
            }
            Finding::NotSeen | Finding::NoSuchPart | Finding::NotStated => remove(array, at),
        }
    }
    for pairing in new {
        for part in &pairing.seen {
            let change = Toml::InlineTable(change_of(&step.seen.parts[*part]));
            array.push_formatted(on_a_line(change));
        }
    }
    let lines = array.iter().any(|value| {
        value.decor().prefix().and_then(|prefix| prefix.as_str()).is_some_and(|p| p.contains('\n'))
    });
    if lines {
        let kept = array.trailing().as_str().unwrap_or("").to_owned();
        if !kept.contains('\n') {
            array.set_trailing(format!("{}\n", kept.trim_end()));
        }
        array.set_trailing_comma(true);
    }
}

/// Takes an entry out. A comment above it goes to what comes after it.
fn remove(array: &mut Array, at: usize) {
    let removed = array.remove(at);
    let prefix = removed.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or("");
    let comments: Vec<&str> =
        prefix.lines().map(str::trim).filter(|line| line.starts_with('#')).collect();
    if comments.is_empty() {
        return;
    }
    let comments = comments.join("\n  ");
    match array.get_mut(at) {
        Some(next) => {
            let prefix = next.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or("");
            let prefix = format!("\n  {comments}{prefix}");
            next.decor_mut().set_prefix(prefix);
        }
        None => {
            let trailing = array.trailing().as_str().unwrap_or("").to_owned();
            array.set_trailing(format!("\n  {comments}{trailing}"));
        }
    }
}

fn on_a_line(mut value: Toml) -> Toml {
    value.decor_mut().set_prefix("\n  ");
    value.decor_mut().set_suffix("");
    value
}

/// A change as it is written in a scenario.
fn change_of(part: &SeenPart) -> InlineTable {
    let mut table = InlineTable::new();
    table.insert("part", part.address.as_str().into());
    match &part.effect {
        Effect::Value { from, to } => {
            table.insert("from", shown(from));
            table.insert("to", shown(to));
        }
        Effect::Branch { from, to } => {
            let side = |side: &Option<vein_plan::Name>| match side {
                Some(name) => Toml::from(&**name),
                None => Toml::from(false),
            };
            table.insert("from", side(from));
            table.insert("to", side(to));
        }
        Effect::List { added, removed, moved } => {
            for (key, count) in [("added", added), ("removed", removed), ("moved", moved)] {
                if *count > 0 {
                    table.insert(key, (*count as i64).into());
                }
            }
        }
    }
    table
}

fn shown(shown: &Shown) -> Toml {
    match shown {
        Shown::Absent => false.into(),
        Shown::Flag(on) => (*on).into(),
        Shown::Text(text) => text.as_str().into(),
    }
}

/// A value as TOML; `null`, which TOML does not have, as `{ json = "null" }`.
pub(super) fn toml_of(value: &Value) -> Toml {
    match value {
        Value::Null => {
            let mut table = InlineTable::new();
            table.insert("json", "null".into());
            table.into()
        }
        Value::Boolean(on) => (*on).into(),
        Value::Number(n) if n.fract() == 0.0 && n.abs() < 9e15 => (*n as i64).into(),
        Value::Number(n) => (*n).into(),
        Value::String(text) => text.to_utf8().as_ref().into(),
        Value::List(items) => items.iter().map(toml_of).collect::<Array>().into(),
        Value::Record(record) => {
            let mut table = InlineTable::new();
            for (name, value) in record.iter() {
                table.insert(&**name, toml_of(value));
            }
            table.into()
        }
    }
}
