//! Scenarios on a page that has its own engine, as `vein build` ships it: what is done here is done
//! there, too, and every batch and value has to be the same.

use super::{InBrowser, compare};
use anyhow::{Result, bail};
use serde::Deserialize;
use serde_json::{Value as Json, json};
use std::collections::VecDeque;
use vein::program::{Answers, CellKind};
use vein::scenario::{Doing, Scripted};
use vein::{Batch, Patch, Pulse, Session, Ui, to_json};

/// What the page's engine does beside the one here.
pub(super) struct There {
    /// The functions that are not answered at once.
    later: Vec<String>,
    locale: (String, String),
    /// What is to be done there, too.
    doing: Option<Json>,
    /// The batches that came there, and have not been looked for here.
    pulses: VecDeque<Vec<u8>>,
    closed: bool,
}

/// A batch of the page's engine.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Pulsed {
    batch: Vec<u8>,
}

impl There {
    pub(super) fn new(ui: &Ui, (locale, zone): (&str, &str)) -> There {
        let asked = ui.program().plans.iter().flat_map(|plan| &plan.asked);
        let later = asked.filter(|asked| asked.answers != Answers::AtOnce);
        There {
            later: later.map(|asked| asked.name.to_string()).collect(),
            locale: (locale.to_owned(), zone.to_owned()),
            doing: None,
            pulses: VecDeque::new(),
            closed: false,
        }
    }

    pub(super) fn pulsed(&mut self, pulsed: Pulsed) {
        self.pulses.push_back(pulsed.batch);
    }

    pub(super) fn foresee(&mut self, doing: Doing<'_>) {
        self.doing = Some(match doing {
            Doing::Open(component, data, answered) => json!({
                "component": component,
                "props": if data.is_null() { json!({}) } else { to_json(data) },
                "answered": answered.iter().map(scripted).collect::<Vec<_>>(),
                "later": self.later,
                "locale": self.locale.0,
                "zone": self.locale.1,
            }),
            Doing::Set(path, value) => json!(["set", path, to_json(value)]),
            Doing::Call(handler, args) => {
                let args = args.iter().map(to_json);
                Json::from_iter([json!("call"), json!(handler)].into_iter().chain(args))
            }
            Doing::Give(owner, event, payload) => json!(["give", owner, event, to_json(payload)]),
            Doing::Answer(question, Ok(value)) => json!(["answer", question.0, to_json(value)]),
            Doing::Answer(question, Err(reason)) => json!(["fail", question.0, reason]),
            Doing::Wait => json!(["wait"]),
            Doing::Close => {
                self.closed = true;
                json!(["close"])
            }
        });
    }
}

fn scripted(scripted: &Scripted) -> Json {
    let of = scripted.of.as_ref().map(|of| of.iter().map(to_json).collect::<Vec<_>>());
    match &scripted.answer {
        Ok(value) => json!({ "name": scripted.function.value, "of": of, "value": to_json(value) }),
        Err(why) => json!({ "name": scripted.function.value, "of": of, "failure": why }),
    }
}

/// The first patch that is another there.
fn first_difference(there: &[u8], here: &Batch) -> String {
    let there = match Batch::from_bytes(there) {
        Ok(there) => there,
        Err(error) => return error.to_string(),
    };
    let (there, here): (Vec<_>, Vec<_>) = (there.iter().collect(), here.iter().collect());
    let at = there.iter().zip(&here).take_while(|(there, here)| there == here).count();
    let said = |patch: Option<&Patch<'_>>| patch.map_or("nothing".into(), |p| format!("{p:?}"));
    format!("patch {at} is {} there and {} here", said(there.get(at)), said(here.get(at)))
}

impl InBrowser<'_> {
    /// Does there what was done here, unless it was done already, and holds the batches against each other.
    pub(super) fn same_there(&mut self, session: &Session, entry: &Pulse) -> Result<()> {
        let Some(there) = &mut self.there else { return Ok(()) };
        let opens = entry.pulse.number == 0;
        if there.pulses.is_empty() {
            match there.doing.take() {
                Some(Json::Object(mut opening)) if opens => {
                    opening.insert("html".into(), json!(session.tree().html()));
                    self.ask("open", json!([opening]))?;
                }
                Some(Json::Array(mut doing)) => {
                    doing.insert(0, json!(session.runtime().now()));
                    let answer = self.ask("do", json!([doing]))?;
                    let left = answer.as_object().into_iter().flatten();
                    let left: Vec<String> = left
                        .filter(|(_, count)| **count != json!(0.0) && **count != json!(0))
                        .map(|(what, count)| format!("{count} {what}"))
                        .collect();
                    if !left.is_empty() {
                        bail!("the engine in the browser left behind {}", left.join(", "));
                    }
                }
                // What a person does sets it off there by itself.
                _ => drop(self.ask("applied", json!([self.batches]))?),
            }
        }
        let there = self.there.as_mut().and_then(|there| there.pulses.pop_front());
        // What is taken over is seen by the page; everything else the observer has to see.
        if !opens {
            self.expected.extend(compare::expected(session, entry));
        }
        match there {
            Some(bytes) if bytes == entry.pulse.patches.to_bytes() => Ok(()),
            Some(bytes) => bail!(
                "pulse {}: the patches of the engine in the browser are not those of the one here: {}",
                entry.pulse.number,
                first_difference(&bytes, &entry.pulse.patches)
            ),
            None => bail!("pulse {}: the engine in the browser had none", entry.pulse.number),
        }
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
                .then(|| format!("`{path}` is {there} in the browser's engine and {here} here"))
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
