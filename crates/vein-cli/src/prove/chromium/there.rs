//! Scenarios on a page that is compiled, as `vein build` ships it: what is done here is done there, too, and the document,
//! what its observer saw, values, questions, events and faults have to be the same.

use super::{InBrowser, compare};
use crate::script::Scripts;
use anyhow::{Result, bail};
use serde_json::{Value as Json, json};
use std::collections::BTreeMap;
use vein::program::{Answers, CellKind};
use vein::scenario::{Doing, Scripted};
use vein::{Budget, Pulse, Session, Ui, to_json};
use vein_script::Driven;

/// What is done inside of a compiled page.
const INSIDE: &str = include_str!("../../../page/inside.mjs");
/// How that comes to the component.
const COMPONENT: &str = "import { FACE, Opened, put, turn, turnOver } from './component.mjs';";

/// What the compiled page does beside the engine here.
pub(super) struct There {
    /// The functions that are not answered at once.
    later: Vec<String>,
    locale: (String, String),
    budget: Budget,
    /// What is to be done there, too.
    doing: Option<Json>,
    /// Of each template that was sent: how many nodes stand at its top, and how many are marked.
    known: BTreeMap<u32, (usize, u32)>,
    /// What was asked, given and taken back here since the page was asked last.
    expected: [Vec<String>; 3],
    /// The components inside the page's own, by their addresses: the way to the first node of each that something refers to,
    /// and its name.
    components: BTreeMap<String, (Vec<usize>, String)>,
    closed: bool,
}

impl There {
    pub(super) fn new(ui: &Ui, (locale, zone): (&str, &str)) -> There {
        let asked = ui.program().plans.iter().flat_map(|plan| &plan.asked);
        let later = asked.filter(|asked| asked.answers != Answers::AtOnce);
        There {
            later: later.map(|asked| asked.name.to_string()).collect(),
            locale: (locale.to_owned(), zone.to_owned()),
            budget: ui.budget(),
            doing: None,
            known: BTreeMap::new(),
            expected: Default::default(),
            components: BTreeMap::new(),
            closed: false,
        }
    }

    pub(super) fn foresee(&mut self, doing: Doing<'_>) {
        self.doing = Some(match doing {
            Doing::Open(component, data, scenario) => json!({
                "component": component,
                "props": if data.is_null() { json!({}) } else { to_json(data) },
                "answered": scenario.answers.iter().map(scripted).collect::<Vec<_>>(),
                "later": self.later,
                "date": scenario.date.unwrap_or(0.0),
                "seed": scenario.seed.unwrap_or(0),
            }),
            Doing::Set(path, value) => match self.inside(path) {
                Some((of, way)) => json!(["setInside", of, way, to_json(value)]),
                None => json!(["set", path, to_json(value)]),
            },
            Doing::Call(handler, args) => {
                let args = args.iter().map(to_json);
                Json::from_iter([json!("call"), json!(handler)].into_iter().chain(args))
            }
            Doing::Give(owner, event, payload) => {
                let of = self.components.get(owner);
                let (path, name) = of.map_or((Json::Null, ""), |(path, name)| (json!(path), name));
                json!(["give", [path, name], event, to_json(payload)])
            }
            Doing::Answer(question, Ok(value)) => json!(["answer", question.0, to_json(value)]),
            Doing::Answer(question, Err(reason)) => json!(["fail", question.0, reason]),
            Doing::Wait => json!(["wait"]),
            Doing::Close => {
                self.closed = true;
                json!(["close"])
            }
        });
    }

    /// The component inside the page's own that a path begins with, and the way from there.
    fn inside<'p>(&self, path: &'p str) -> Option<(&(Vec<usize>, String), &'p str)> {
        let found = self.components.iter().filter_map(|(address, of)| {
            Some((address.len(), of, path.strip_prefix(&**address)?.strip_prefix('.')?))
        });
        found.max_by_key(|(length, ..)| *length).map(|(_, of, way)| (of, way))
    }

    /// Notes what a pulse here asked, gave and had taken back.
    fn expect(&mut self, entry: &Pulse) {
        let pulse = &entry.pulse;
        let [asked, given, faults] = &mut self.expected;
        asked.extend(pulse.questions.iter().map(|question| {
            let args = question.args.iter().map(to_json);
            format!("{} {}", question.function, Json::from_iter(args))
        }));
        given.extend(pulse.given.iter().map(|given| {
            let payload = given.payload.iter().map(|(_, value)| to_json(value));
            format!("{} {}", given.name, Json::from_iter(payload))
        }));
        faults.extend(pulse.fault.iter().map(|fault| fault_told(&fault.to_string())));
    }

    /// What of that was something else there.
    pub(super) fn differ(&mut self, seen: &Json) -> Vec<String> {
        let mut found = Vec::new();
        for (what, expected) in ["asked", "given", "faults"].iter().zip(&mut self.expected) {
            let expected = std::mem::take(expected);
            let said = seen[what].as_array().into_iter().flatten();
            let mut said: Vec<String> =
                said.filter_map(|said| said.as_str().map(fault_told)).collect();
            // Numbers may be written in two ways.
            let plain = |all: &mut Vec<String>| {
                all.iter_mut().for_each(|one| *one = one.replace(".0,", ",").replace(".0]", "]"));
            };
            let mut ours = expected;
            plain(&mut ours);
            plain(&mut said);
            if ours != said {
                found.push(format!("{what} in the browser: {said:?}, and here: {ours:?}"));
            }
        }
        found
    }
}

/// Puts the payload of an event that is given into the order of its declaration.
fn in_order(session: &Session, doing: &mut [Json]) {
    let runtime = session.runtime();
    let (name, event) = (doing[1][1].as_str().unwrap_or(""), doing[2].as_str().unwrap_or(""));
    let plans = &runtime.program().plans;
    let plan = plans.iter().find(|plan| &*plan.name == name).unwrap_or_else(|| runtime.plan());
    let declared = plan.events.iter().find(|known| &*known.name == event);
    let names = declared.into_iter().flat_map(|event| &event.payload);
    let args: Vec<Json> = names.map(|(name, _)| doing[3][&**name].clone()).collect();
    doing[3] = Json::from(args);
}

/// Splits the way from a component into a cell of it and steps from there.
fn by_steps(session: &Session, doing: &mut [Json]) {
    let (name, way) = (doing[1][1].as_str().unwrap_or(""), doing[2].as_str().unwrap_or(""));
    let plans = &session.runtime().program().plans;
    let cells = plans.iter().filter(|plan| &*plan.name == name).flat_map(|plan| &plan.cells);
    // Beside what is loaded stand its status and reason, by names of their own.
    let steps: Vec<&str> = match cells.into_iter().any(|cell| &*cell.name == way) {
        true => vec![way],
        false => way.split(['.', '[', ']']).filter(|step| !step.is_empty()).collect(),
    };
    doing[2] = json!(steps);
}

/// A fault as it is compared: where something runs in a circle, pages name it by components and not by addresses.
fn fault_told(fault: &str) -> String {
    fault.split_once(" to no end: ").map_or(fault, |(before, _)| before).to_owned()
}

fn scripted(scripted: &Scripted) -> Json {
    let of = scripted.of.as_ref().map(|of| of.iter().map(to_json).collect::<Vec<_>>());
    match &scripted.answer {
        Ok(value) => json!({ "name": scripted.function.value, "of": of, "value": to_json(value) }),
        Err(why) => json!({ "name": scripted.function.value, "of": of, "failure": why }),
    }
}

impl InBrowser<'_> {
    /// Does there what was done here, unless a person has, and notes what has to come of it.
    pub(super) fn done_there(&mut self, session: &Session, entry: &Pulse) -> Result<()> {
        let Some(there) = &mut self.there else { return Ok(()) };
        let opens = entry.pulse.number == 0;
        let expected = compare::expected_whole(session, entry, &mut there.known);
        there.expect(entry);
        match there.doing.take() {
            Some(Json::Object(mut opening)) if opens => {
                let component = opening["component"].as_str().unwrap_or_default().to_owned();
                let (locale, zone) = there.locale.clone();
                let program = session.runtime().program();
                let main = (Driven::Inside, &*format!("{INSIDE}takeIn"));
                let scripts = Scripts::of(program, &component, (&locale, &zone), main)?;
                let scripts = scripts.with_budget(there.budget);
                let whole = scripts.whole() + &INSIDE.replace(COMPONENT, "");
                let script = scripts.sent(&whole, "main.mjs").text;
                self.chromium.stage.use_script(&component, script);
                opening.insert("html".into(), json!(session.tree().html()));
                self.ask("open", json!([opening]))?;
                // What is taken over is seen by the page.
                self.note_components(session);
                return Ok(());
            }
            Some(Json::Array(mut doing)) => {
                if doing[0] == "give" {
                    in_order(session, &mut doing);
                } else if doing[0] == "setInside" {
                    by_steps(session, &mut doing);
                }
                doing.insert(0, json!(session.runtime().now()));
                let answer = self.ask("do", json!([doing]))?;
                let left = answer.as_object().into_iter().flatten();
                let left: Vec<String> = left
                    .filter(|(_, count)| count.as_f64() != Some(0.0))
                    .map(|(what, count)| format!("{count} {what}"))
                    .collect();
                if !left.is_empty() {
                    bail!("the page in the browser left behind {}", left.join(", "));
                }
            }
            _ => {}
        }
        self.expected.extend(expected);
        self.note_components(session);
        Ok(())
    }

    /// Notes where the components stand by now.
    fn note_components(&mut self, session: &Session) {
        let Some(there) = &mut self.there else { return };
        let (runtime, tree) = (session.runtime(), session.tree());
        let found = runtime.components().into_iter().filter_map(|(address, scope)| {
            let kept = runtime.kept(scope);
            let path = compare::path_to(tree, tree.numbered(kept.first)?);
            Some((address, (path, runtime.program().plans[kept.plan].name.to_string())))
        });
        there.components = found.collect();
    }

    /// The values that are not the same there.
    pub(super) fn values_differ(&mut self, session: &mut Session) -> Vec<String> {
        if self.there.as_ref().is_none_or(|there| there.closed) {
            return Vec::new();
        }
        let program = session.runtime().program().clone();
        let root = session.runtime().plan_number();
        let mut paths = Vec::new();
        for number in program.with_all_inside(root) {
            let plan = &program.plans[number];
            let prefix = match &plan.store {
                Some(store) => format!("{store}."),
                None if number == root => String::new(),
                None => continue,
            };
            let cells =
                plan.cells.iter().filter(|cell| cell.block == 0 && !cell.name.contains(' '));
            let own = cells.filter(|cell| !matches!(cell.kind, CellKind::Store(..)));
            paths.extend(own.map(|cell| format!("{prefix}{}", cell.name)));
        }
        // What nobody reads is not worked out for this alone: pulses would tell of it afterwards.
        paths.retain(|path| session.runtime().is_worked_out(path));
        let here: Vec<Json> = paths
            .iter()
            .map(|path| session.get(path).map_or(Json::Null, |v| to_json(&v)))
            .collect();
        let there = match self.ask("values", json!([paths])) {
            Ok(there) => there,
            Err(error) => return vec![format!("{error:#}")],
        };
        let differs = |((path, here), there): ((&String, &Json), &Json)| {
            let same = here == there || here.as_f64().is_some() && here.as_f64() == there.as_f64();
            (!same && !same_json(here, there))
                .then(|| format!("`{path}` is {there} in the browser and {here} here"))
        };
        let empty = Vec::new();
        let there = there.as_array().unwrap_or(&empty);
        paths.iter().zip(&here).zip(there).filter_map(differs).collect()
    }
}

/// Whether two values are the same, however their numbers are written.
fn same_json(here: &Json, there: &Json) -> bool {
    match (here, there) {
        (Json::Number(a), Json::Number(b)) => a.as_f64() == b.as_f64(),
        (Json::Array(a), Json::Array(b)) => {
            a.len() == b.len() && a.iter().zip(b).all(|(a, b)| same_json(a, b))
        }
        (Json::Object(a), Json::Object(b)) => {
            let same = |(name, value)| b.get(name).is_some_and(|other| same_json(value, other));
            a.len() == b.len() && a.iter().all(same)
        }
        (a, b) => a == b,
    }
}
