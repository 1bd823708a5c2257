//! What is done on a page, noted as it happens, as a scenario.

use super::accept::toml_of;
use super::date;
use super::{Action, At};
use crate::person::Act;
use vein_plan::{Name, Value};
use vein_view::Tree;

/// What has been done on a page since it was opened.
///
/// Whoever drives the page notes each action before it is done, with the page's clock, whether anything is due by itself, and what the
/// page shows; [`Recording::draft`] writes it as a person would.
///
/// ```
/// use vein_proof::{Act, scenario::{Recording, record::Detail}};
/// let mut recording = Recording::new("a-tap");
/// recording.person(Act::Click, "button", (0.0, false), "<p></p>".into());
/// recording.typed("input", ("", "k"), &["k"], (0.0, false), "<p>1</p>".into());
/// recording.typed("input", ("", "ke"), &["e"], (40.0, false), "<p>1</p>".into());
/// let draft = recording.draft(None, Detail::Joined, 90.0, "<p>ke</p>".into());
/// assert!(draft.text.ends_with("[[step]]\nclick = \"button\"\n\n[[step]]\ntype = \"ke\"\non = \"input\"\n"));
/// assert_eq!(draft.seen[2], (2, "<p>ke</p>".to_owned()));
/// ```
#[derive(Clone, Debug)]
pub struct Recording {
    component: String,
    /// The time of day when the page was opened, and what chance began with, where anything asks for these.
    moment: Option<(f64, u32)>,
    /// What the host has answered at once, each question once.
    at_once: Vec<AtOnce>,
    steps: Vec<Recorded>,
    /// Whether the last step is still being typed.
    typing: bool,
    /// Whether anything has happened by itself since the last step.
    by_itself: bool,
}

/// The page's clock in milliseconds, and whether anything is due by itself.
pub type Moment = (f64, bool);

/// What the host was asked at once: the function, the arguments, and the answer or why there was none.
type AtOnce = (Name, Vec<Value>, Result<Value, String>);

#[derive(Clone, Debug)]
struct Recorded {
    action: Action,
    /// Of an answer, whether it is an item of a stream.
    streams: bool,
    /// What a field held before it was typed into, and the keys; nothing for something that no key has done.
    was: String,
    keys: Vec<String>,
    at: f64,
    /// Whether time matters until then, and whether something has happened by itself.
    timed: bool,
    by_itself: bool,
    /// What the page showed before.
    before: String,
}

/// How much of what was done is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Detail {
    /// As a person would: what is typed is one step, and a wait of less than 100 ms in which nothing happens is added to the next.
    Joined,
    /// All waits.
    Waits,
    /// All waits, and each key.
    Keys,
}

/// A shorter wait in which nothing happens is added to the next one, in milliseconds.
const SHORT: f64 = 100.0;

/// A recording, written as a scenario that states nothing yet.
#[derive(Clone, Debug)]
pub struct Draft {
    /// The scenario's text.
    pub text: String,
    /// What the page showed after some of its steps, by their numbers; after its opening is 0.
    pub seen: Vec<(usize, String)>,
}

impl Recording {
    /// Nothing was done yet with a component that was just opened.
    pub fn new(component: &str) -> Recording {
        let (at_once, steps) = (Vec::new(), Vec::new());
        let (component, moment) = (component.to_owned(), None);
        Recording { component, moment, at_once, steps, typing: false, by_itself: false }
    }

    /// Says at what time of day the page was opened, in milliseconds since 1970, and what chance began with there: for a program
    /// that [asks for these](vein_plan::Program::asks_for_moments).
    pub fn at(self, date: f64, seed: u32) -> Recording {
        Recording { moment: Some((date, seed)), ..self }
    }

    /// How many steps there are.
    pub fn len(&self) -> usize {
        self.steps.len()
    }

    /// Whether nothing was done.
    pub fn is_empty(&self) -> bool {
        self.steps.is_empty()
    }

    /// What was done, in words.
    pub fn shown(&self) -> impl Iterator<Item = String> {
        self.steps.iter().map(|step| step.action.shown())
    }

    /// The host has answered something at once, or could not.
    pub fn answered_at_once(
        &mut self,
        function: &str,
        args: &[Value],
        answer: &Result<Value, String>,
    ) {
        let same = |known: &AtOnce| {
            &*known.0 == function
                && known.1.len() == args.len()
                && known.1.iter().zip(args).all(|(a, b)| a.same(b))
        };
        if !self.at_once.iter().any(same) {
            self.at_once.push((function.into(), args.to_vec(), answer.clone()));
        }
    }

    /// Something has happened on the page that nobody has done: a timer, say.
    pub fn happened_by_itself(&mut self) {
        self.typing = false;
        self.by_itself = true;
    }

    /// A person does something with the element of a selector.
    pub fn person(&mut self, act: Act, selector: &str, moment: Moment, before: String) {
        let twice = matches!(
            &self.steps[..],
            [.., a, b] if act == Act::DoubleClick && a.is_click(selector) && b.is_click(selector)
        );
        if twice {
            // Both of its clicks were told of before.
            self.steps.pop();
            if let Some(first) = self.steps.last_mut() {
                first.action = Action::Person(act, Some(at(selector.to_owned())));
            }
            return;
        }
        self.add(Action::Person(act, Some(at(selector.to_owned()))), false, moment, before);
    }

    /// A person types into a field, which held `was` when that began and holds `text` now, by some more keys; an empty one stands for
    /// what no key does, such as pasting.
    pub fn typed<S: AsRef<str>>(
        &mut self,
        field: &str,
        (was, text): (&str, &str),
        keys: &[S],
        moment: Moment,
        before: String,
    ) {
        let keys = keys.iter().map(|key| key.as_ref().to_owned());
        if self.typing
            && let Some(last) = self.steps.last_mut()
            && let Action::Person(Act::Type { text: typed, .. }, Some(on)) = &mut last.action
            && on.value == field
        {
            text.clone_into(typed);
            last.keys.extend(keys);
            last.timed |= moment.1 && moment.0 > last.at;
            last.at = moment.0;
            return;
        }
        let act = Act::Type { text: text.to_owned(), append: false };
        self.add(Action::Person(act, Some(at(field.to_owned()))), false, moment, before);
        self.typing = true;
        if let Some(last) = self.steps.last_mut() {
            was.clone_into(&mut last.was);
            last.keys.extend(keys);
        }
    }

    /// The host writes to a path.
    pub fn set(&mut self, path: &str, value: &Value, moment: Moment, before: String) {
        let action = Action::Set(at(path.to_owned()), at(value.clone()));
        self.add(action, false, moment, before);
    }

    /// The host calls a handler.
    pub fn call(&mut self, handler: &str, args: &[Value], moment: Moment, before: String) {
        let action = Action::Call(at(handler.to_owned()), args.to_vec());
        self.add(action, false, moment, before);
    }

    /// The host answers a question, or gives an item of a stream.
    pub fn answer(
        &mut self,
        (function, args, streams): (&str, &[Value], bool),
        answer: &Result<Value, String>,
        moment: Moment,
        before: String,
    ) {
        let action = Action::Answer(at(function.to_owned()), Some(args.to_vec()), answer.clone());
        self.add(action, streams, moment, before);
    }

    fn add(&mut self, action: Action, streams: bool, (at, due): Moment, before: String) {
        self.typing = false;
        let by_itself = std::mem::take(&mut self.by_itself);
        let timed = due || by_itself;
        let (was, keys) = (String::new(), Vec::new());
        self.steps.push(Recorded { action, streams, was, keys, at, timed, by_itself, before });
    }

    /// Writes it. `data` is what the scenario says of that, `"../shed.json"` or `{ litres = 3 }`; the page's clock and what it shows
    /// are those of now.
    pub fn draft(&self, data: Option<&str>, detail: Detail, now: f64, shown: String) -> Draft {
        let least = if detail == Detail::Joined { SHORT } else { 0.0 };
        let mut text = format!("component = {}\n", quoted(&self.component));
        if let Some(data) = data {
            text.push_str(&format!("data = {data}\n"));
        }
        if let Some((date, seed)) = self.moment {
            text.push_str(&format!("date = {}\nseed = {seed}\n", date::written(date)));
        }
        for (function, args, answer) in &self.at_once {
            let of = list(args);
            text.push_str(&format!("\n[[answers.{function}]]\n"));
            if !args.is_empty() {
                text.push_str(&format!("args = {of}\n"));
            }
            text.push_str(&match answer {
                Ok(value) => format!("value = {}\n", toml_of(value)),
                Err(reason) => format!("fails = {}\n", quoted(reason)),
            });
        }
        let (mut seen, mut number, mut last) = (Vec::new(), 0, 0.0);
        let mut wait = |text: &mut String, number: &mut usize, (timed, by_itself), at: f64| {
            // Where something asks what time it is, every moment counts.
            let (waited, timed) = (at - last, timed || self.moment.is_some());
            if waited > 0.0 && (by_itself || timed && waited >= least) {
                text.push_str(&format!("\n[[step]]\nwait = {waited}\n"));
                *number += 1;
            } else if timed {
                return;
            }
            last = at;
        };
        for step in &self.steps {
            wait(&mut text, &mut number, (step.timed, step.by_itself), step.at);
            seen.push((number, step.before.clone()));
            for written in step.written(detail) {
                text.push_str("\n[[step]]\n");
                text.push_str(&written);
                number += 1;
            }
        }
        // What was still to come by itself when the recording ended need not.
        wait(&mut text, &mut number, (self.by_itself, self.by_itself), now);
        seen.push((number, shown));
        Draft { text, seen }
    }
}

impl Recorded {
    fn is_click(&self, selector: &str) -> bool {
        matches!(&self.action, Action::Person(Act::Click, Some(on)) if on.value == selector)
    }

    /// The lines of each step that it is written as.
    fn written(&self, detail: Detail) -> Vec<String> {
        let Action::Person(Act::Type { text, .. }, Some(on)) = &self.action else {
            return vec![self.one()];
        };
        let by_keys = !self.keys.is_empty() && self.keys.iter().all(|key| !key.is_empty());
        let moves = |key: &String| key.chars().count() > 1 && key != "Backspace" && key != "Delete";
        let on = quoted(&on.value);
        if by_keys && (detail == Detail::Keys || self.keys.iter().all(moves)) {
            let press = |key: &String| format!("press = {}\non = {on}\n", quoted(key));
            return self.keys.iter().map(press).collect();
        }
        if *text == self.was && self.keys.is_empty() {
            return vec![format!("focus = {on}\n")];
        }
        vec![self.one()]
    }

    /// The lines of it as one step.
    fn one(&self) -> String {
        match &self.action {
            Action::Person(act, on) => {
                let on = on.as_ref().map_or(String::new(), |on| quoted(&on.value));
                let line = |key: &str, what: &str| format!("{key} = {}\non = {on}\n", quoted(what));
                match act {
                    Act::Type { text, .. } => match text.strip_prefix(&*self.was) {
                        Some(rest) if !self.was.is_empty() && !rest.is_empty() => {
                            line("type", rest) + "append = true\n"
                        }
                        _ => line("type", text),
                    },
                    Act::Paste(text) => line("paste", text),
                    Act::Choose(options) => match options.as_slice() {
                        [one] => line("choose", one),
                        all => {
                            let all: Vec<String> = all.iter().map(|one| quoted(one)).collect();
                            format!("choose = [{}]\non = {on}\n", all.join(", "))
                        }
                    },
                    Act::Press(key) => line("press", key),
                    act => format!("{} = {on}\n", act.name().replace(' ', "_")),
                }
            }
            Action::Set(path, value) => {
                format!("set = {}\nto = {}\n", quoted(&path.value), toml_of(&value.value))
            }
            Action::Call(name, args) if args.is_empty() => {
                format!("call = {}\n", quoted(&name.value))
            }
            Action::Call(name, args) => {
                format!("call = {}\nargs = {}\n", quoted(&name.value), list(args))
            }
            Action::Answer(function, of, answer) => {
                let of = match of.as_deref() {
                    None | Some([]) => String::new(),
                    Some(of) => format!("args = {}\n", list(of)),
                };
                let function = quoted(&function.value);
                match answer {
                    Ok(value) => {
                        let verb = if self.streams { "push" } else { "answer" };
                        format!("{verb} = {function}\n{of}with = {}\n", toml_of(value))
                    }
                    Err(reason) => format!("fail = {function}\n{of}reason = {}\n", quoted(reason)),
                }
            }
            Action::Give(..) | Action::Wait(_) | Action::Drop => String::new(),
        }
    }
}

/// What a tree shows, without what people have put into its controls.
pub fn shown(tree: &Tree) -> String {
    let (mut out, mut open) = (String::new(), vec![(tree.root(), false)]);
    while let Some((id, done)) = open.pop() {
        if done {
            out.push_str("</>");
            continue;
        }
        if let Some(text) = tree.text(id) {
            out.push_str(text);
            continue;
        }
        out.push_str(&format!("<{}", tree.name(id).unwrap_or_default()));
        let mut attributes: Vec<(&str, &str)> = tree.attributes(id).collect();
        attributes.sort_unstable();
        attributes.iter().for_each(|(name, value)| out.push_str(&format!(" {name}={value:?}")));
        out.push('>');
        open.push((id, true));
        open.extend(tree.children(id).iter().rev().map(|id| (*id, false)));
    }
    out
}

/// A value as a scenario writes it.
pub fn written(value: &Value) -> String {
    toml_of(value).to_string()
}

fn at<T>(value: T) -> At<T> {
    At { value, place: 0..0 }
}

/// A text as a scenario writes it.
pub fn quoted(text: &str) -> String {
    toml_edit::Value::from(text).to_string()
}

fn list(values: &[Value]) -> String {
    values.iter().map(toml_of).collect::<toml_edit::Array>().to_string()
}
