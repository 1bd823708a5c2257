//! The ledger: each pulse with its causes, its effects and the verdict on it.

use crate::verdict::Verdict;
use serde_json::{Value as Json, json};
use vein_plan::text::visible;
use vein_plan::to_json;
use vein_runtime::{Difference, Effect, Layer, Pulse};
use vein_view::Patch;

/// A pulse and, where it was proven, the verdict.
#[derive(Clone, Debug)]
pub struct Entry {
    /// What happened.
    pub pulse: Pulse,
    /// Whether it was exact; `None` where proof is off, and for the opening of a page.
    pub verdict: Option<Verdict>,
}

/// A pulse that was not exact, or was taken back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotExact {
    /// The entry of the ledger, with what is wrong below it.
    pub explanation: String,
}

impl std::fmt::Display for NotExact {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.explanation)
    }
}

impl std::error::Error for NotExact {}

impl Entry {
    /// The addresses of the parts that changed, in document order.
    pub fn changed(&self) -> Vec<String> {
        let component = &self.pulse.component;
        self.pulse.parts.iter().map(|part| format!("{component} › {}", part.address)).collect()
    }

    /// Passes if the pulse changed exactly the right parts.
    ///
    /// # Errors
    /// The ledger's entry with everything that is not exact; also when the pulse was taken
    /// back, or was not proven.
    pub fn assert_exact(&self) -> Result<(), NotExact> {
        let problems = match (&self.pulse.fault, &self.verdict) {
            (Some(fault), _) => vec![format!("the pulse was taken back: {fault}")],
            (None, None) => vec!["the pulse was not proven: proof is off on this page".into()],
            (None, Some(verdict)) => verdict.problems(),
        };
        if problems.is_empty() {
            return Ok(());
        }
        Err(NotExact { explanation: format!("{self}\n{}", problems.join("\n")) })
    }

    /// The entry as text without what other pulses and other parts of the page have a say in: its
    /// number, and how many parts there are. It is the same as long as the pulse does the same.
    ///
    /// Such texts are for snapshots, compared by whatever tool there is.
    pub fn snapshot(&self) -> String {
        let text = self.to_string();
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        if let (Some(first), Some((_, cause))) = (lines.first_mut(), text.split_once(" · ")) {
            *first = cause.lines().next().unwrap_or_default().to_owned();
        }
        if let (Some(verdict), Some(last)) = (&self.verdict, lines.last_mut()) {
            *last = last.replace(&format!(" of {} parts", verdict.parts), " parts");
        }
        lines.join("\n")
    }

    /// The entry as JSON.
    pub fn json(&self) -> Json {
        let pulse = &self.pulse;
        let values = pulse.values.iter().map(|change| {
            let layer = match change.layer {
                Layer::State => "state",
                Layer::Derived => "derived",
            };
            let mut entry = json!({
                "layer": layer,
                "path": self.full(&change.path),
                "because": self.paths(&change.because),
            });
            match &change.difference {
                Difference::Value { from, to } => {
                    entry["from"] = to_json(from);
                    entry["to"] = to_json(to);
                }
                Difference::Entry { from, to } => {
                    let key = json!({ "was": from.is_some(), "is": to.is_some() });
                    entry["key"] = key;
                    entry["from"] = from.as_ref().map_or(Json::Null, to_json);
                    entry["to"] = to.as_ref().map_or(Json::Null, to_json);
                }
                Difference::Items { at, removed, inserted } => {
                    entry["items"] = json!({ "at": at, "removed": removed, "inserted": inserted });
                }
                Difference::Order { moved } => entry["order"] = json!({ "moved": moved }),
            }
            entry
        });
        let parts = pulse.parts.iter().map(|part| {
            let mut entry = json!({
                "part": self.address(&part.address),
                "because": self.paths(&part.because),
            });
            match &part.effect {
                Effect::Value { from, to } => {
                    entry["from"] = shown(from);
                    entry["to"] = shown(to);
                }
                Effect::Branch { from, to } => {
                    entry["from"] = json!(from.as_deref());
                    entry["to"] = json!(to.as_deref());
                }
                Effect::List { added, removed, moved } => {
                    entry["rows"] = json!({ "added": added, "removed": removed, "moved": moved });
                }
            }
            entry
        });
        let given = pulse.given.iter().map(|given| {
            let payload: serde_json::Map<String, Json> =
                given.payload.iter().map(|(n, value)| (n.to_string(), to_json(value))).collect();
            json!({ "event": &*given.name, "payload": payload })
        });
        let asked = pulse.questions.iter().map(|question| {
            let args: Vec<Json> = question.args.iter().map(to_json).collect();
            json!({ "function": &*question.function, "args": args })
        });
        let verdict = self.verdict.as_ref().map(|verdict| {
            json!({
                "exact": verdict.is_exact(),
                "parts": verdict.parts,
                "changed": verdict.changed,
                "missed": verdict.missed,
                "needless": verdict.needless,
                "moves": verdict.moves,
                "idle": verdict.idle,
                "unrecorded": verdict.unrecorded,
            })
        });
        json!({
            "pulse": pulse.number,
            "component": &*pulse.component,
            "cause": pulse.cause.to_string(),
            "values": values.collect::<Vec<_>>(),
            "parts": parts.collect::<Vec<_>>(),
            "given": given.collect::<Vec<_>>(),
            "asked": asked.collect::<Vec<_>>(),
            "let_go": pulse.dropped.iter().map(|one| &*one.function).collect::<Vec<_>>(),
            "patches": pulse.patches.iter().map(|patch| kind(&patch)).collect::<Vec<_>>(),
            "problems": pulse.problems.iter().map(ToString::to_string).collect::<Vec<_>>(),
            "fault": pulse.fault.as_ref().map(ToString::to_string),
            "verdict": verdict,
        })
    }

    fn full(&self, path: &str) -> String {
        format!("{}.{path}", self.pulse.component)
    }

    fn address(&self, address: &str) -> String {
        format!("{} › {address}", self.pulse.component)
    }

    fn paths(&self, because: &[usize]) -> Vec<String> {
        because.iter().filter_map(|i| self.pulse.values.get(*i)).map(|c| c.path.clone()).collect()
    }

    /// The lines of the entry: what kind (`state`, `derived`, `view`, `given`, `asked`, `let go`), where, what, and why.
    pub fn lines(&self) -> Vec<[String; 4]> {
        let mut lines = Vec::new();
        let because = |because: &[usize]| match self.paths(because).as_slice() {
            [] => String::new(),
            paths => format!("because {}", paths.join(", ")),
        };
        for (layer, label) in [(Layer::State, "state"), (Layer::Derived, "derived")] {
            for change in self.pulse.values.iter().filter(|change| change.layer == layer) {
                let path =
                    if change.inside { change.path.clone() } else { self.full(&change.path) };
                lines.push([
                    label.into(),
                    path,
                    difference(&change.difference),
                    because(&change.because),
                ]);
            }
        }
        for part in &self.pulse.parts {
            let inside = part.address.contains(" › ");
            let address = if inside { part.address.clone() } else { self.address(&part.address) };
            lines.push([
                "view".into(),
                address,
                match (&part.effect, part.effect.sides()) {
                    (Effect::List { .. }, (_, said)) => said,
                    (_, (from, to)) => format!("{} → {}", clipped(&from), clipped(&to)),
                },
                because(&part.because),
            ]);
        }
        for given in &self.pulse.given {
            let payload: Vec<String> =
                given.payload.iter().map(|(name, value)| format!("{name}: {value}")).collect();
            let call = format!("{}({})", given.name, payload.join(", "));
            lines.push(["given".into(), call, String::new(), String::new()]);
        }
        for question in &self.pulse.questions {
            let args: Vec<String> = question.args.iter().map(ToString::to_string).collect();
            let call = format!("{}({})", question.function, clipped(&args.join(", ")));
            lines.push(["asked".into(), call, String::new(), String::new()]);
        }
        for dropped in &self.pulse.dropped {
            let function = dropped.function.to_string();
            lines.push(["let go".into(), function, String::new(), String::new()]);
        }
        lines
    }
}

/// What a patch does, in a word.
fn kind(patch: &Patch<'_>) -> &'static str {
    match patch {
        Patch::Template { .. } => "template",
        Patch::Clone { .. } => "clone",
        Patch::Remove { .. } => "remove",
        Patch::Move { .. } => "move",
        Patch::Text { .. } => "text",
        Patch::SetAttribute { .. } | Patch::RemoveAttribute { .. } => "attribute",
        Patch::SetProperty { .. } | Patch::SetFlag { .. } => "property",
        Patch::Done { .. } => "listener",
    }
}

/// A column is no wider, whatever stands in it.
const WIDEST: usize = 160;

/// What is shown on one side of an arrow, cut in the middle when it is long.
fn clipped(shown: &impl std::fmt::Display) -> String {
    const MOST: usize = 40;
    let full = shown.to_string();
    let len = full.chars().count();
    if len <= MOST {
        return full;
    }
    let head: String = full.chars().take(MOST / 2).collect();
    let tail: String = full.chars().skip(len - MOST / 2 + 1).collect();
    format!("{head}…{tail}")
}

fn difference(difference: &Difference) -> String {
    match difference {
        Difference::Value { from, to } => format!("{} → {}", clipped(from), clipped(to)),
        other => other.to_string(),
    }
}

fn shown(shown: &vein_plan::Shown) -> Json {
    match shown {
        vein_plan::Shown::Absent => Json::Null,
        vein_plan::Shown::Text(text) => Json::from(text.as_str()),
        vein_plan::Shown::Flag(on) => Json::from(*on),
    }
}

/// The entry as text: cause, then effect, then verdict.
impl std::fmt::Display for Entry {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "pulse {} · {}", self.pulse.number, self.pulse.cause)?;
        let lines = self.lines();
        let width = |column: usize| {
            let widths = lines.iter().filter(|line| !line[column + 1].is_empty());
            widths.map(|line| line[column].chars().count()).max().unwrap_or(0).min(WIDEST)
        };
        let widths = [width(1), width(2)];
        let mut last = "";
        for [label, place, what, why] in &lines {
            let shown = if label == last { "" } else { label.as_str() };
            last = label;
            let line = format!(
                "  {shown:<8} {place:<first$}  {what:<second$}  {why}",
                first = widths[0],
                second = widths[1]
            );
            write!(f, "\n{}", visible(line.trim_end()))?;
        }
        if lines.is_empty() && self.pulse.fault.is_none() {
            f.write_str("\n  nothing changed")?;
        }
        for problem in &self.pulse.problems {
            write!(f, "\n  warning  {problem}")?;
        }
        if let Some(fault) = &self.pulse.fault {
            write!(f, "\n  failed   {fault}; everything was taken back")?;
        }
        if let Some(verdict) = &self.verdict {
            let label = if verdict.is_exact() { "exact" } else { "INEXACT" };
            write!(f, "\n  {label:<8} {verdict}")?;
        }
        Ok(())
    }
}
