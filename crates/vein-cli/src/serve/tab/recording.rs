//! What is done on a tab's page, as scenarios.

use super::Tab;
use crate::serve::asked::Recorder;
use crate::serve::locked;
use crate::serve::message::{Did, Place};
use crate::serve::reading::Served;
use anyhow::{Context, Result, bail, ensure};
use serde_json::{Value as Json, json};
use std::io::Write;
use std::path::Path;
use std::sync::{Arc, Mutex};
use vein::scenario::record::Detail;
use vein::scenario::{InMemory, Recording, record};
use vein::{Act, NodeId, Page, Played, Pulse, ScenarioFile, Value};

/// Of what is wrong with a recording, so much is said.
const MOST_SAID: usize = 8;

/// What the host was asked at once: the function, the arguments, and the answer or why there was none.
pub(super) type AtOnceLog = Arc<Mutex<Vec<(String, Vec<Value>, Result<Value, String>)>>>;

/// What is recorded, and what was.
#[derive(Default)]
pub(super) struct Recorded {
    on: Option<Recording>,
    /// Whether one begins as soon as the page has begun anew.
    pub(super) begins: bool,
    /// What the page shows.
    shown: String,
    pub(super) at_once: AtOnceLog,
    /// What no scenario can do, as far as it was done.
    unable: Vec<String>,
    drafts: Vec<Draft>,
}

/// A recording that has ended.
struct Draft {
    number: u64,
    text: String,
    steps: usize,
    /// What is wrong with it, if it does not come to the same again.
    said: Vec<String>,
    /// Where it was written.
    saved: String,
}

impl Recorded {
    pub(super) fn is_on(&self) -> bool {
        self.on.is_some() || self.begins
    }

    pub(super) fn happened_by_itself(&mut self) {
        if let Some(recording) = &mut self.on {
            recording.happened_by_itself();
        }
    }

    /// The page is another in the middle of a recording.
    pub(super) fn renewed(&mut self) {
        let what =
            "the components were edited while it was recorded: it is played on what they are now";
        if self.on.is_some() && !self.unable.iter().any(|known| known == what) {
            self.unable.push(what.to_owned());
        }
    }

    /// The page has begun anew, for a recording.
    pub(super) fn begun(&mut self, page: &mut Page, component: &str) {
        if std::mem::take(&mut self.begins) {
            let recording = Recording::new(component);
            let began = page.date() - page.now();
            let runtime = page.session_mut().runtime();
            self.on = Some(match runtime.program().asks_for_moments() {
                true => recording.at(began, runtime.seed()),
                false => recording,
            });
            self.shown = record::shown(page.tree());
            self.unable.clear();
        }
    }

    /// A pulse has happened.
    pub(super) fn note(&mut self, page: &mut Page, pulse: &Pulse) {
        let answered = page.take_answered();
        let missed = |problem: &vein::Problem| matches!(problem, vein::Problem::Missed { .. });
        let what = "a timer could not keep up: in a scenario it runs once for each of its periods";
        if pulse.pulse.problems.iter().any(missed) && !self.unable.iter().any(|known| known == what)
        {
            self.unable.push(what.to_owned());
        }
        let Some(recording) = &mut self.on else { return };
        if let (vein::Cause::Answered { .. }, Some((question, answer))) =
            (&pulse.pulse.cause, answered)
        {
            let asked = (&*question.function, question.args.as_slice(), question.streams);
            let shown = std::mem::take(&mut self.shown);
            recording.answer(asked, &answer, moment(page), shown);
        }
        self.shown = record::shown(page.tree());
    }

    pub(super) fn set(&mut self, page: &Page, path: &str, value: &Value) {
        if let Some(recording) = &mut self.on {
            recording.set(path, value, moment(page), self.shown.clone());
        }
    }

    pub(super) fn call(&mut self, page: &Page, handler: &str, args: &[Value]) {
        if let Some(recording) = &mut self.on {
            recording.call(handler, args, moment(page), self.shown.clone());
        }
    }

    /// A person is about to do something, as the tab tells.
    pub(super) fn did(&mut self, page: &Page, did: &Did) {
        let Some(recording) = &mut self.on else { return };
        let (tree, shown, at) = (page.tree(), self.shown.clone(), moment(page));
        let mut nameless = Vec::new();
        let mut selector = |place: &Place| {
            let id = place.node(page)?;
            let found = tree.selector_of(id);
            if found.is_none() {
                nameless
                    .push(format!("no selector finds a `{}`: give it an `id`", tree.described(id)));
            }
            found
        };
        let mut person = |place: &Place, act: Act| {
            if let Some(selector) = selector(place) {
                recording.person(act, &selector, at, shown.clone());
            }
        };
        match did {
            Did::Click(place) => person(place, Act::Click),
            Did::Double(place) => person(place, Act::DoubleClick),
            Did::Press(place, key) => person(place, Act::Press(key.clone())),
            Did::Chose(place, options) => person(place, Act::Choose(options.clone())),
            Did::Focus(place) => person(place, Act::Focus),
            Did::Blur(place) => person(place, Act::Blur),
            Did::Typed(place, was, text, keys) => {
                if let Some(selector) = selector(place) {
                    recording.typed(&selector, (was, text), keys, at, shown);
                }
            }
            Did::Cannot(what) => {
                nameless.push(what.clone());
            }
        }
        let unable = &mut self.unable;
        nameless.into_iter().for_each(|what| {
            if !unable.contains(&what) {
                unable.push(what);
            }
        });
    }

    /// What a workbench is told.
    pub(super) fn told(&self) -> Json {
        let steps: Vec<String> = self.on.iter().flat_map(Recording::shown).collect();
        let drafts: Vec<Json> = self
            .drafts
            .iter()
            .rev()
            .map(|Draft { number, text, steps, said, saved }| {
                json!({ "number": number, "text": text, "steps": steps, "said": said, "saved": saved })
            })
            .collect();
        json!({ "on": self.is_on(), "steps": steps, "drafts": drafts })
    }

    /// Ends a recording, and holds it against what was seen.
    fn end(&mut self, page: &Page, served: &Served, data: &Value) {
        let Some(mut recording) = self.on.take() else { return };
        for (function, args, answer) in locked(&self.at_once).drain(..) {
            recording.answered_at_once(&function, &args, &answer);
        }
        for (function, answer) in served.at_once() {
            recording.answered_at_once(&function, &[], &Ok(answer));
        }
        let file = served.data.as_deref().filter(|_| data.same(&served.props));
        let data_said = match (file, data) {
            (Some(path), _) => Some(record::quoted(&format!("../{}", name_of(path)))),
            (None, Value::Null) => None,
            (None, data) => Some(record::written(data)),
        };
        // As a person would write it; to the millisecond, where that comes to something else.
        let mut best: Option<(String, Vec<String>)> = None;
        for detail in [Detail::Joined, Detail::Waits, Detail::Keys] {
            let shown = record::shown(page.tree());
            let draft = recording.draft(data_said.as_deref(), detail, page.now(), shown);
            let mut said = Vec::new();
            let text = accepted(&draft, served, &mut said).unwrap_or_else(|why| {
                said.push(format!("{why:#}"));
                draft.text
            });
            let holds = said.is_empty();
            // Where none holds, what is wrong with the most exact one is told.
            best = Some((text, said));
            if holds {
                break;
            }
        }
        let (text, found) = best.unwrap_or_default();
        let mut said = self.unable.clone();
        said.extend(found);
        said.truncate(MOST_SAID);
        let number = self.drafts.last().map_or(1, |last| last.number + 1);
        let (steps, saved) = (recording.len(), String::new());
        self.drafts.push(Draft { number, text, steps, said, saved });
    }

    /// Writes a recording into the project: by a name, below a folder.
    fn save(&mut self, number: u64, name: &str, folder: &Path, data: Option<&Path>) -> Result<()> {
        let draft = self.drafts.iter_mut().find(|draft| draft.number == number);
        let draft = draft.context("there is no such recording")?;
        ensure!(folder.is_absolute(), "there is no project to write into");
        let word = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { ' ' };
        let words: String = name.chars().map(word).collect();
        let stem = words.split_whitespace().collect::<Vec<_>>().join("-");
        ensure!(!stem.is_empty(), "give it a name that says what it is about");
        let own = folder.join("scenarios");
        let own = if own.is_dir() { own } else { folder.to_owned() };
        let path = own.join(format!("{stem}{}", vein::SCENARIO_ENDING));
        let mut text = format!("title = {}\n{}", record::quoted(name.trim()), draft.text);
        if let Some(data) = data {
            // The path goes from where the scenario stands.
            let data = data.canonicalize().context("the data is not there any more")?;
            let inner = data
                .strip_prefix(&own)
                .map(Path::to_owned)
                .or_else(|_| data.strip_prefix(folder).map(|inner| Path::new("..").join(inner)));
            let inner = inner.unwrap_or(data.clone()).to_string_lossy().replace('\\', "/");
            let stood = format!("data = {}", record::quoted(&format!("../{}", name_of(&data))));
            text = text.replacen(&stood, &format!("data = {}", record::quoted(&inner)), 1);
        }
        let shown = path.strip_prefix(folder).unwrap_or(&path).display().to_string();
        let mut file = std::fs::File::create_new(&path).map_err(|error| match error.kind() {
            std::io::ErrorKind::AlreadyExists => {
                anyhow::anyhow!("`{shown}` is there already: give it another name")
            }
            _ => anyhow::Error::new(error).context(format!("`{shown}` cannot be written")),
        })?;
        file.write_all(text.as_bytes()).with_context(|| format!("`{shown}` cannot be written"))?;
        draft.saved = shown;
        Ok(())
    }
}

fn name_of(path: &Path) -> String {
    path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default()
}

/// The page's clock, and whether anything is due by itself.
fn moment(page: &Page) -> record::Moment {
    (page.now(), page.next_due().is_some())
}

/// A recording with all that each of its steps changes, once it was played; says what of it does not come to the same again.
fn accepted(draft: &record::Draft, served: &Served, said: &mut Vec<String>) -> Result<String> {
    let locale = (served.answers.locale.as_str(), served.answers.zone.as_str());
    let data = |_: &str| match &served.data {
        Some(path) => vein::read_text(path),
        None => Err(std::io::ErrorKind::NotFound.into()),
    };
    let play = |text: &str| -> Result<(ScenarioFile, Played)> {
        let file = ScenarioFile::from_text_with("recorded.scenario.toml", text, &data)?;
        let mut player = file.player(&served.ui, locale, &mut InMemory)?;
        player.take_pictures(true);
        let played = player.finish(&mut InMemory);
        Ok((file, played))
    };
    let (file, played) = play(&draft.text)?;
    for (number, shown) in &draft.seen {
        let Some(step) = played.steps.iter().find(|step| step.number == *number) else { continue };
        let same = step.views.as_ref().is_some_and(|views| record::shown(&views.1) == *shown);
        if !same {
            let action = &step.action;
            said.push(format!(
                "after step {number} ({action}) the page shows something else than it did"
            ));
            break;
        }
    }
    let text = file.accepted(&played).map_err(anyhow::Error::msg)?;
    let (_, again) = play(&text)?;
    said.extend(again.mistakes().map(|mistake| mistake.message.clone()));
    if again.left_out > 0 {
        said.push(format!("{} steps after that cannot be done", again.left_out));
    }
    Ok(text)
}

impl Place {
    /// The element that it means on a page.
    fn node(&self, page: &Page) -> Option<NodeId> {
        let tree = page.tree();
        let Place(number, path) = self;
        let start = if *number == 0 { tree.root() } else { tree.numbered(*number)? };
        path.iter().try_fold(start, |id, at| {
            let children = tree.children(id).iter();
            children.filter(|id| tree.name(**id).is_some()).nth(*at).copied()
        })
    }

    /// The component that stands there, by its address.
    pub(super) fn component(&self, page: &mut Page) -> Option<String> {
        let id = self.node(page)?;
        let runtime = page.session_mut().runtime();
        let standing = runtime.standing_components().into_iter();
        let tops: Vec<_> = standing.map(|one| (runtime.nodes_of(one.scope), one.address)).collect();
        let tree = page.tree();
        let of = |node: &u32| tree.numbered(*node);
        let tops = tops.iter().flat_map(|(nodes, address)| {
            nodes.iter().filter_map(of).map(move |node| (node, address))
        });
        let tops: Vec<(NodeId, &String)> = tops.collect();
        let around = std::iter::successors(Some(id), |id| tree.parent(*id));
        // Of components that share a node, the inner one comes last.
        let found = around.into_iter().find_map(|id| tops.iter().rev().find(|top| top.0 == id));
        found.map(|(_, address)| (*address).clone())
    }
}

impl Tab {
    /// Begins a recording, cuts it, or ends it.
    pub(super) fn record(&mut self, what: Recorder) -> Result<()> {
        let served = self.state.served.clone().context("nothing is served")?;
        let data = self.host.data(&served);
        if self.past.is_some() {
            bail!("the page is shown as it was: go back to now first");
        }
        let (Some(watch), Some(page)) = (&mut self.watch, &mut self.page) else {
            bail!("the page is not shown")
        };
        if what != Recorder::Begin {
            watch.recorded.end(page, &served, &data);
        }
        watch.stale = true;
        if what == Recorder::End {
            watch.recorded.begins = false;
            self.tell_watch();
            return Ok(());
        }
        watch.recorded.begins = true;
        locked(&watch.recorded.at_once).clear();
        self.tell_watch();
        self.afresh = true;
        self.marks.code = u64::MAX;
        self.catch_up();
        Ok(())
    }

    /// Writes what was recorded into the project.
    pub(super) fn save(&mut self, number: u64, name: &str) -> Result<()> {
        let served = self.state.served.clone().context("nothing is served")?;
        let folder = self.site.folder.clone();
        let watch = self.watch.as_mut().context("nothing was recorded")?;
        watch.stale = true;
        watch.recorded.save(number, name, &folder, served.data.as_deref())
    }
}
