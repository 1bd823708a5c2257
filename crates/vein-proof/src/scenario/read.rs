//! Scenarios from TOML, with the place of everything that was written.

use super::date;
use super::{
    Action, At, Data, Mistake, Must, Place, Scenario, Scripted, Sight, Stated, StatedChange, Step,
    Which,
};
use crate::person::Act;
use toml_edit::{Document, Item, Key, TableLike};
use vein_plan::{Name, Value, json};

/// The first character, for what has no other place.
fn beginning(text: &str) -> Place {
    0..text.chars().next().map_or(0, char::len_utf8)
}

/// Reads a scenario, or finds all that is wrong with it.
pub(super) fn scenario(text: &str) -> Result<Scenario, Vec<Mistake>> {
    let document = Document::parse(text).map_err(|error| {
        let place = error.span().unwrap_or(beginning(text));
        let said = error.message().lines().next().unwrap_or("this is not TOML").to_owned();
        if text.get(place.start..).is_some_and(|rest| rest.starts_with("null")) {
            let said = "TOML has no `null`";
            let advice = "write it as JSON: `{ json = \"null\" }`";
            return vec![
                Mistake::new("not-toml", &(place.start..place.start + 4), said).advice(advice),
            ];
        }
        vec![
            Mistake::new("not-toml", &place, format!("the scenario cannot be read: {said}"))
                .advice(
                    "scenarios are TOML: https://toml.io; docs/scenarios.md tells what they hold",
                ),
        ]
    })?;
    let mut reader = Reader { mistakes: Vec::new() };
    let scenario = reader.scenario(document.as_table(), beginning(text));
    match reader.mistakes.is_empty() {
        true => Ok(scenario),
        false => {
            reader.mistakes.sort_by_key(|mistake| mistake.place.start);
            Err(reader.mistakes)
        }
    }
}

const TOP: &[&str] = &[
    "title",
    "component",
    "data",
    "locale",
    "zone",
    "date",
    "seed",
    "answers",
    "see",
    "asks",
    "state",
    "step",
];
const ANSWER: &[&str] = &["args", "after", "value", "fails"];
/// Keys that were called something else.
const OLD: &[(&str, &str)] = &[("emit", "give"), ("of", "args")];
/// What a step can do; one of them in each step.
const ACTIONS: &[&str] = &[
    "click",
    "double_click",
    "type",
    "paste",
    "choose",
    "tick",
    "untick",
    "press",
    "focus",
    "blur",
    "submit",
    "set",
    "call",
    "give",
    "answer",
    "fail",
    "push",
    "wait",
    "drop",
];
const BESIDE: &[&str] = &[
    "on", "append", "to", "with", "by", "args", "reason", "note", "changes", "gives", "asks",
    "state", "see", "fails",
];
const CHANGE: &[&str] = &["part", "at", "what", "from", "to", "added", "removed", "moved", "count"];
const SIGHT: &[&str] = &[
    "at",
    "text",
    "includes",
    "count",
    "html",
    "focus",
    "visible",
    "holds",
    "ticked",
    "disabled",
    "attributes",
];

/// What can be written, by where: in the file, in an answer, in a step, in a change, in what must be
/// seen.
pub fn keys() -> [(&'static str, Vec<&'static str>); 5] {
    [
        ("scenario", TOP.to_vec()),
        ("answer", ANSWER.to_vec()),
        ("step", [ACTIONS, BESIDE].concat()),
        ("change", CHANGE.to_vec()),
        ("sight", SIGHT.to_vec()),
    ]
}

/// The longest that a scenario waits, in milliseconds: some thirty years.
const LONGEST_WAIT: f64 = 1e12;

struct Reader {
    mistakes: Vec<Mistake>,
}

/// Where an item was written.
fn place(item: &Item) -> Place {
    item.span().unwrap_or(0..0)
}

fn key_place(key: &Key) -> Place {
    key.span().unwrap_or(0..0)
}

/// What a kind of value is called.
fn kind(item: &Item) -> &'static str {
    match item.type_name() {
        "inline table" => "a table",
        "string" => "a text",
        "integer" | "float" => "a number",
        "boolean" => "`true` or `false`",
        "array" => "a list",
        "array of tables" => "a list of tables",
        "datetime" => "a date",
        "table" => "a table",
        _ => "nothing",
    }
}

impl Reader {
    fn wrong(&mut self, mistake: Mistake) {
        self.mistakes.push(mistake);
    }

    fn expected(&mut self, item: &Item, key: &str, wanted: &str) {
        let found = kind(item);
        self.wrong(
            Mistake::new(
                "wrong-value",
                &place(item),
                format!("`{key}` takes {wanted}, not {found}"),
            )
            .label(format!("this is {found}")),
        );
    }

    /// Reports keys that mean nothing here; `false` where there are some.
    fn keys(&mut self, table: &dyn TableLike, of: &str, known: &[&[&str]]) -> bool {
        let before = self.mistakes.len();
        for (name, _) in table.iter() {
            if known.iter().any(|known| known.contains(&name)) {
                continue;
            }
            let at = table.key(name).map_or(0..0, key_place);
            let all = known.iter().flat_map(|known| known.iter().copied());
            let mut mistake = Mistake::new("unknown-key", &at, format!("{of} has no key `{name}`"));
            // What keys were called before says what they are called.
            let before =
                OLD.iter().find(|(old, new)| *old == name && all.clone().any(|key| key == *new));
            mistake.instead = match before {
                Some((_, new)) => Some((*new).into()),
                None => vein_plan::nearest(name, all.clone()).map(Box::from),
            };
            if mistake.instead.is_none() {
                let all: Vec<String> = all.map(|name| format!("`{name}`")).collect();
                mistake = mistake.advice(format!("there are: {}", all.join(", ")));
            }
            self.wrong(mistake);
        }
        self.mistakes.len() == before
    }

    fn text(&mut self, table: &dyn TableLike, key: &str) -> Option<At<String>> {
        let item = table.get(key)?;
        match item.as_str() {
            Some(text) => Some(At { value: text.to_owned(), place: place(item) }),
            None => {
                self.expected(item, key, "a text");
                None
            }
        }
    }

    fn number(&mut self, table: &dyn TableLike, key: &str) -> Option<f64> {
        let item = table.get(key)?;
        let number = item.as_float().or(item.as_integer().map(|n| n as f64));
        let Some(given) = number else {
            self.expected(item, key, "a number of milliseconds, from zero up");
            return None;
        };
        if !(0.0..=LONGEST_WAIT).contains(&given) {
            let at = place(item);
            let said = format!("`{key}` takes milliseconds from zero up to {LONGEST_WAIT}");
            self.wrong(Mistake::new("wrong-value", &at, said));
            return None;
        }
        number
    }

    fn date(&mut self, table: &dyn TableLike) -> Option<f64> {
        let item = table.get("date")?;
        let moment = item.as_datetime().and_then(date::moment);
        if moment.is_none() {
            let wanted =
                "a moment with its offset and without quotes, such as 2026-05-04T09:00:00Z";
            self.expected(item, "date", wanted);
        }
        moment
    }

    fn seed(&mut self, table: &dyn TableLike) -> Option<u32> {
        let item = table.get("seed")?;
        let seed = item.as_integer().and_then(|n| u32::try_from(n).ok());
        if seed.is_none() {
            self.expected(item, "seed", &format!("a whole number from zero to {}", u32::MAX));
        }
        seed
    }

    fn count(&mut self, table: &dyn TableLike, key: &str) -> Option<usize> {
        let item = table.get(key)?;
        match item.as_integer().and_then(|n| usize::try_from(n).ok()) {
            Some(count) => Some(count),
            None => {
                self.expected(item, key, "a whole number from zero up");
                None
            }
        }
    }

    fn flag(&mut self, table: &dyn TableLike, key: &str) -> Option<bool> {
        let item = table.get(key)?;
        if item.as_bool().is_none() {
            self.expected(item, key, "`true` or `false`");
        }
        item.as_bool()
    }

    /// The tables of a list, however it is written; a single one may stand alone.
    fn tables<'t>(&mut self, item: &'t Item, key: &str) -> Vec<(&'t dyn TableLike, Place)> {
        if let Some(tables) = item.as_array_of_tables() {
            return tables.iter().map(|t| (t as _, t.span().unwrap_or(0..0))).collect();
        }
        if let Some(table) = item.as_table_like() {
            return vec![(table, place(item))];
        }
        let Some(array) = item.as_array() else {
            self.expected(item, key, "a list of tables");
            return Vec::new();
        };
        let mut tables: Vec<(&dyn TableLike, Place)> = Vec::new();
        for value in array {
            let at = value.span().unwrap_or(0..0);
            match value.as_inline_table() {
                Some(table) => tables.push((table as _, at)),
                None => {
                    let said = format!("each of `{key}` is a table, `{{ … }}`");
                    self.wrong(Mistake::new("wrong-value", &at, said));
                }
            }
        }
        tables
    }

    /// A value of the language. A table with nothing but `json` holds one as JSON text.
    fn value(&mut self, item: &Item) -> Value {
        if let Some(table) = item.as_table_like() {
            return self.record(table);
        }
        if let Some(tables) = item.as_array_of_tables() {
            return Value::list(tables.iter().map(|table| self.record(table)).collect());
        }
        match item.as_value() {
            Some(value) => self.plain(value),
            None => Value::Null,
        }
    }

    fn record(&mut self, table: &dyn TableLike) -> Value {
        if let (1, Some(item)) = (table.len(), table.get("json"))
            && let Some(text) = item.as_str()
        {
            return match json::parse(text) {
                Ok(value) => value,
                Err(error) => {
                    let said = format!("this is no JSON: {error}");
                    self.wrong(Mistake::new("wrong-value", &place(item), said));
                    Value::Null
                }
            };
        }
        let fields: Vec<(Name, Value)> =
            table.iter().map(|(name, item)| (Name::from(name), self.value(item))).collect();
        Value::record(fields)
    }

    fn plain(&mut self, value: &toml_edit::Value) -> Value {
        use toml_edit::Value as Toml;
        match value {
            Toml::String(text) => text.value().as_str().into(),
            Toml::Integer(number) => Value::Number(*number.value() as f64),
            Toml::Float(number) => Value::Number(*number.value()),
            Toml::Boolean(on) => Value::Boolean(*on.value()),
            // Dates are texts in the language.
            Toml::Datetime(date) => date.value().to_string().as_str().into(),
            Toml::Array(items) => Value::list(items.iter().map(|item| self.plain(item)).collect()),
            Toml::InlineTable(table) => self.record(table),
        }
    }

    /// Arguments: a list, or one that stands alone.
    fn arguments(&mut self, table: &dyn TableLike, key: &str) -> Option<Vec<Value>> {
        match self.value(table.get(key)?) {
            Value::List(items) => Some(items.to_vec()),
            one => Some(vec![one]),
        }
    }

    fn scenario(&mut self, table: &dyn TableLike, beginning: Place) -> Scenario {
        self.keys(table, "a scenario", &[TOP]);
        let component = self.text(table, "component");
        if component.is_none() && table.get("component").is_none() {
            let said = "the scenario does not say which component it is about";
            self.wrong(
                Mistake::new("no-component", &beginning, said)
                    .advice("begin it with `component = \"its-name\"`"),
            );
        }
        let data = match table.get("data") {
            None => Data::Nothing,
            Some(item) => match item.as_str() {
                Some(path) => Data::File(At { value: path.to_owned(), place: place(item) }),
                None if item.is_table_like() => {
                    let value = self.value(item);
                    // Of a table, its head is enough.
                    let place = table.key("data").map_or(0..0, key_place);
                    Data::Inline(At { value, place })
                }
                None => {
                    self.expected(item, "data", "a table, or the path of a JSON file");
                    Data::Nothing
                }
            },
        };
        let answers = self.answers(table);
        let opened = self.stated(table);
        let steps = match table.get("step") {
            Some(item) => {
                let tables = self.tables(item, "step");
                tables.into_iter().filter_map(|(table, at)| self.step(table, at)).collect()
            }
            None => Vec::new(),
        };
        Scenario {
            title: self.text(table, "title").map(|title| title.value),
            component: component.unwrap_or(At { value: String::new(), place: 0..0 }),
            data,
            locale: self.text(table, "locale").map(|locale| locale.value),
            zone: self.text(table, "zone").map(|zone| zone.value),
            date: self.date(table),
            seed: self.seed(table),
            answers,
            opened,
            steps,
        }
    }

    fn answers(&mut self, table: &dyn TableLike) -> Vec<Scripted> {
        let Some(item) = table.get("answers") else { return Vec::new() };
        let Some(functions) = item.as_table_like() else {
            self.expected(
                item,
                "answers",
                "a table: the name of each function, and what it answers",
            );
            return Vec::new();
        };
        let mut answers = Vec::new();
        for (name, item) in functions.iter() {
            let at = functions.key(name).map_or(0..0, key_place);
            for (table, place) in self.tables(item, name) {
                self.keys(table, "an answer", &[ANSWER]);
                let value = table.get("value").map(|item| self.value(item));
                let fails = self.text(table, "fails");
                let answer = match (value, fails) {
                    (Some(value), None) => Ok(value),
                    (None, Some(reason)) => Err(reason.value),
                    (both, _) => {
                        let said = match both {
                            Some(_) => "an answer has a `value` or `fails`, not both",
                            None => "an answer has a `value`, or says why it `fails`",
                        };
                        self.wrong(Mistake::new("wrong-value", &place, said));
                        continue;
                    }
                };
                let of = self.arguments(table, "args");
                let after = self.number(table, "after").unwrap_or(0.0);
                let function = At { value: name.to_owned(), place: at.clone() };
                let place = table.get("value").and_then(Item::span).unwrap_or(place);
                answers.push(Scripted { function, of, after, answer, place });
            }
        }
        answers
    }

    fn step(&mut self, table: &dyn TableLike, at: Place) -> Option<Step> {
        let known = self.keys(table, "a step", &[ACTIONS, BESIDE]);
        let done: Vec<&str> =
            ACTIONS.iter().copied().filter(|action| table.contains_key(action)).collect();
        let action = match done.as_slice() {
            [action] => *action,
            // What is misspelt explains it.
            [] if !known => return None,
            [] => {
                let known: Vec<String> =
                    ACTIONS.iter().map(|action| format!("`{action}`")).collect();
                self.wrong(
                    Mistake::new("no-action", &head(&at), "the step does nothing")
                        .advice(format!("say what is done: one of {}", known.join(", "))),
                );
                return None;
            }
            [first, second, ..] => {
                let place = table.key(second).map_or(at, key_place);
                let said = format!("a step does one thing: `{first}` or `{second}`");
                self.wrong(
                    Mistake::new("two-actions", &place, said).advice("make two steps of it"),
                );
                return None;
            }
        };
        let place = match (table.key(action).map(key_place), table.get(action).map(place)) {
            (Some(key), Some(value)) => key.start..value.end,
            _ => at,
        };
        self.beside(table, action);
        let action = self.action(table, action);
        let note = self.text(table, "note").map(|note| note.value);
        let stated = self.stated(table);
        Some(Step { action: action?, place, note, stated })
    }

    /// Reports what stands beside a action and belongs to another.
    fn beside(&mut self, table: &dyn TableLike, action: &str) {
        let of_action: &[&str] = match action {
            "type" => &["on", "append"],
            "choose" | "paste" | "press" => &["on"],
            "set" => &["to"],
            "call" => &["args"],
            "give" => &["args", "by"],
            "answer" | "push" => &["with", "args"],
            "fail" => &["reason", "args"],
            _ => &[],
        };
        for key in ["on", "append", "to", "with", "by", "args", "reason"] {
            if table.contains_key(key) && !of_action.contains(&key) {
                let place = table.key(key).map_or(0..0, key_place);
                let mut mistake =
                    Mistake::new("unknown-key", &place, format!("`{action}` has no `{key}`"));
                if key == "with" && of_action.contains(&"args") {
                    mistake.instead = Some("args".into());
                }
                if key == "on" {
                    mistake = mistake.advice(format!(
                        "the element stands in `{action}` itself: `{action} = \"…\"`"
                    ));
                }
                self.wrong(mistake);
            }
        }
    }

    /// What stands in a key that has to be there.
    fn needed(
        &mut self,
        table: &dyn TableLike,
        action: &str,
        key: &str,
        what: &str,
    ) -> Option<Value> {
        match table.get(key) {
            Some(item) => Some(self.value(item)),
            None => {
                let place = table.key(action).map_or(0..0, key_place);
                let said = format!("`{action}` does not say {what}");
                self.wrong(
                    Mistake::new("missing-key", &place, said)
                        .advice(format!("add `{key} = …` to the step")),
                );
                None
            }
        }
    }

    fn action(&mut self, table: &dyn TableLike, action: &str) -> Option<Action> {
        let element = |act: Act, on: At<String>| Action::Person(act, Some(on));
        let simple = match action {
            "click" => Some(Act::Click),
            "double_click" => Some(Act::DoubleClick),
            "tick" => Some(Act::Tick(true)),
            "untick" => Some(Act::Tick(false)),
            "focus" => Some(Act::Focus),
            "blur" => Some(Act::Blur),
            "submit" => Some(Act::Submit),
            _ => None,
        };
        if let Some(act) = simple {
            return Some(element(act, self.text(table, action)?));
        }
        match action {
            "type" => {
                let text = self.text(table, action);
                let append = self.flag(table, "append").unwrap_or(false);
                self.needed(table, action, "on", "what is typed into")?;
                let on = self.text(table, "on")?;
                Some(element(Act::Type { text: text?.value, append }, on))
            }
            "paste" => {
                let text = self.text(table, action);
                self.needed(table, action, "on", "where it is pasted")?;
                let on = self.text(table, "on")?;
                Some(element(Act::Paste(text?.value), on))
            }
            "choose" => {
                self.needed(table, action, "on", "in which `select`")?;
                let on = self.text(table, "on")?;
                let chosen = self.arguments(table, action)?;
                let options = chosen.iter().map(|value| value.to_shown().to_string()).collect();
                Some(element(Act::Choose(options), on))
            }
            "press" => {
                let key = self.text(table, action)?.value;
                let on = table.get("on").map(|_| self.text(table, "on"));
                match on {
                    Some(on) => Some(element(Act::Press(key), on?)),
                    None => Some(Action::Person(Act::Press(key), None)),
                }
            }
            "set" => {
                let value = self.needed(table, action, "to", "to what");
                let place = table.get("to").map_or(0..0, place);
                Some(Action::Set(self.text(table, action)?, At { value: value?, place }))
            }
            "call" => {
                let with = self.arguments(table, "args").unwrap_or_default();
                Some(Action::Call(self.text(table, action)?, with))
            }
            "give" => {
                let with = table.get("args").map_or(Value::Null, |item| self.value(item));
                let by = match table.get("by") {
                    Some(_) => Some(self.text(table, "by")?),
                    None => None,
                };
                Some(Action::Give(self.text(table, action)?, by, with))
            }
            "answer" | "push" => {
                let value = self.needed(table, action, "with", "what the answer is");
                let of = self.arguments(table, "args");
                Some(Action::Answer(self.text(table, action)?, of, Ok(value?)))
            }
            "fail" => {
                let reason = self.text(table, "reason").map(|reason| reason.value);
                let of = self.arguments(table, "args");
                let reason = reason.unwrap_or_else(|| "there is no answer".into());
                Some(Action::Answer(self.text(table, action)?, of, Err(reason)))
            }
            "wait" => self.number(table, action).map(Action::Wait),
            "drop" => match self.flag(table, action)? {
                true => Some(Action::Drop),
                false => {
                    let item = table.get(action)?;
                    self.expected(item, action, "`true`: after it there is no page");
                    None
                }
            },
            _ => None,
        }
    }

    fn stated(&mut self, table: &dyn TableLike) -> Stated {
        let mut stated = Stated::default();
        if let Some(item) = table.get("changes") {
            stated.changes_at = Some(place(item));
            match item.as_array() {
                Some(array) => {
                    stated.changes = array.iter().filter_map(|value| self.change(value)).collect();
                }
                None => self.expected(item, "changes", "a list of parts"),
            }
        }
        if let Some(item) = table.get("gives") {
            for (table, place) in self.tables(item, "gives") {
                let mut fields: Vec<(Name, Value)> = Vec::new();
                let mut event = None;
                for (name, item) in table.iter() {
                    match name {
                        "event" => event = self.text(table, "event"),
                        name => fields.push((Name::from(name), self.value(item))),
                    }
                }
                match event {
                    Some(event) => {
                        stated.gives.push(At { value: (event.value, Value::record(fields)), place })
                    }
                    None => self.wrong(
                        Mistake::new(
                            "missing-key",
                            &place,
                            "this does not say which event is given",
                        )
                        .advice("add `event = \"its-name\"`; the payload stands beside it"),
                    ),
                }
            }
        }
        if let Some(item) = table.get("asks") {
            match item.as_array() {
                Some(array) => {
                    let asked = array.iter().filter_map(|value| {
                        if value.as_str().is_none() {
                            let at = value.span().unwrap_or(0..0);
                            let said = "each question is a text, such as \"fetch_forecast(2)\"";
                            self.wrong(Mistake::new("wrong-value", &at, said));
                        }
                        value.as_str().map(str::to_owned)
                    });
                    stated.asks = Some(At { value: asked.collect(), place: place(item) });
                }
                None => self.expected(item, "asks", "a list of questions"),
            }
        }
        if let Some(item) = table.get("state") {
            match item.as_table_like() {
                Some(paths) => {
                    for (path, item) in paths.iter() {
                        let at = paths.key(path).map_or(0..0, key_place);
                        let value = At { value: self.value(item), place: place(item) };
                        stated.state.push((At { value: path.to_owned(), place: at }, value));
                    }
                }
                None => self.expected(item, "state", "a table: each path, and what stands there"),
            }
        }
        if let Some(item) = table.get("see") {
            let tables = self.tables(item, "see");
            stated.see = tables.into_iter().filter_map(|(t, at)| self.sight(t, at)).collect();
        }
        if table.contains_key("fails") {
            stated.fails = self.text(table, "fails");
        }
        stated
    }

    fn change(&mut self, value: &toml_edit::Value) -> Option<StatedChange> {
        let at = value.span().unwrap_or(0..0);
        let bare = |part: Which| StatedChange {
            place: at.clone(),
            named: at.clone(),
            part,
            from: None,
            to: None,
            rows: [None; 3],
            count: None,
        };
        if let Some(address) = value.as_str() {
            return Some(bare(Which::Address(normal(address))));
        }
        let Some(table) = value.as_inline_table() else {
            let said = "a change is an address, or a table with `part`, or with `at` and `what`";
            self.wrong(Mistake::new("wrong-value", &at, said));
            return None;
        };
        if !self.keys(table, "a change", &[CHANGE]) {
            return None;
        }
        let (part, selector, what) =
            (self.text(table, "part"), self.text(table, "at"), self.text(table, "what"));
        let (part, named) = match (part, selector, what) {
            (Some(part), None, None) => (Which::Address(normal(&part.value)), part.place),
            (None, Some(selector), Some(what)) => {
                let named = selector.place;
                (Which::Element { selector: selector.value, what: what.value }, named)
            }
            _ => {
                let said =
                    "a change names a `part`, or an element `at` a selector and `what` of it";
                self.wrong(Mistake::new("wrong-value", &at, said));
                return None;
            }
        };
        Some(StatedChange {
            from: table.get("from").map(|value| self.plain(value)),
            to: table.get("to").map(|value| self.plain(value)),
            rows: ["added", "removed", "moved"].map(|key| self.count(table, key)),
            count: self.count(table, "count"),
            named,
            ..bare(part)
        })
    }

    fn sight(&mut self, table: &dyn TableLike, place: Place) -> Option<At<Sight>> {
        self.keys(table, "what must be seen", &[SIGHT]);
        let Some(at) = self.text(table, "at") else {
            if !table.contains_key("at") {
                self.wrong(
                    Mistake::new("missing-key", &place, "this does not say where to look")
                        .advice("add `at = \"a CSS selector\"`"),
                );
            }
            return None;
        };
        let mut must = Vec::new();
        let texts: [(&str, Makes<String>); 4] = [
            ("text", Must::Text),
            ("includes", Must::Includes),
            ("html", Must::Html),
            ("holds", Must::Holds),
        ];
        for (key, make) in texts {
            // What a control for numbers holds may be written as a number.
            match table.get(key) {
                Some(item) if item.is_integer() || item.is_float() => {
                    must.push(make(self.value(item).to_shown().to_string()));
                }
                _ => must.extend(self.text(table, key).map(|text| make(text.value))),
            }
        }
        must.extend(self.count(table, "count").map(Must::Count));
        let flags: [(&str, Makes<bool>); 4] = [
            ("focus", Must::Focus),
            ("visible", Must::Visible),
            ("ticked", Must::Ticked),
            ("disabled", Must::Disabled),
        ];
        for (key, make) in flags {
            must.extend(self.flag(table, key).map(make));
        }
        if let Some(item) = table.get("attributes") {
            match item.as_table_like() {
                Some(attributes) => must.extend(
                    attributes
                        .iter()
                        .map(|(name, item)| Must::Attribute(name.into(), self.value(item))),
                ),
                None => self.expected(item, "attributes", "a table: names and values"),
            }
        }
        if must.is_empty() {
            must.push(Must::Visible(true));
        }
        Some(At { value: Sight { at, must }, place })
    }
}

/// Makes a statement from what was written.
type Makes<T> = fn(T) -> Must;

/// An address as the ledger writes it: `>` may stand for `›`.
pub(super) fn normal(address: &str) -> String {
    address.replace(" > ", " › ").trim().to_owned()
}

/// The first few characters of a place.
fn head(at: &Place) -> Place {
    at.start..at.end.min(at.start + 8)
}
