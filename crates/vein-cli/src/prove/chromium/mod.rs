//! Scenarios with real clicks and keys: the engine is here, the view is in Chromium.

mod compare;
pub(crate) mod driver;
mod stage;
mod there;
pub(crate) mod webdriver;

use super::StepTime;
use crate::told::Told;
use anyhow::{Context, Result, bail};
use compare::{Expected, node_at, path_to};
use driver::Driven;
use serde::Deserialize;
use serde_json::{Value as Json, json};
use stage::Stage;
use std::time::{Duration, Instant};
use there::There;
use tokio::runtime::Runtime;
use vein::scenario::{Doing, Hands};
use vein::{Act, NodeId, Played, Property, Pulse, ScenarioFile, Session, Typing, Ui};
use webdriver::{Client, Element};

/// What the browser does not answer by then has gone wrong.
const PATIENCE: Duration = Duration::from_secs(10);

/// What a tab says once its link is up.
const LINKED: &str = "{\"linked\":true}";

/// Where the engine is whose patches the browser shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum WhereEngine {
    /// Here, as with `vein serve`.
    Here,
    /// In the page, compiled, as `vein build` makes it.
    There,
}

/// A browser with a page on which scenarios are played, one after the other.
pub(crate) struct Chromium {
    runtime: Runtime,
    driven: Option<Driven>,
    stage: Stage,
}

impl Chromium {
    /// Finds and starts Chromium, with the styles of a project.
    pub(crate) fn start(ui: &Ui, locale: &str, styles: &[String]) -> Result<Chromium> {
        let runtime =
            tokio::runtime::Builder::new_multi_thread().worker_threads(1).enable_all().build()?;
        let own = ui.styles().map(|(_, css)| css.to_owned());
        let css: Vec<String> = styles.iter().cloned().chain(own).collect();
        let (stage, driven) = runtime.block_on(async {
            let stage = Stage::open(locale, css.join("\n")).await?;
            Ok::<_, anyhow::Error>((stage, driver::start(&[]).await?))
        })?;
        Ok(Chromium { runtime, driven: Some(driven), stage })
    }

    /// Has the tabs from now on get another text for the browser's side of the patch protocol.
    pub(crate) fn use_applier(&mut self, applier: String) {
        self.stage.use_applier(applier);
    }

    /// Plays a scenario here, and holds every pulse against those of the same scenario in memory.
    pub(crate) fn play(
        &mut self,
        file: &ScenarioFile,
        ui: &Ui,
        locale: (&str, &str),
        in_memory: &Played,
        engine: WhereEngine,
    ) -> Result<(Played, Vec<StepTime>)> {
        self.fresh_tab()?;
        let mut hands = InBrowser {
            chromium: self,
            batches: 0,
            asked: 0,
            told: Vec::new(),
            expected: Vec::new(),
            own: Duration::ZERO,
            there: match engine {
                WhereEngine::Here => None,
                WhereEngine::There => Some(There::new(ui, locale)),
            },
        };
        let mut player = file.player(ui, locale, &mut hands)?;
        let (mut played, mut took) = (Played::default(), Vec::new());
        loop {
            hands.own = Duration::ZERO;
            let begun = Instant::now();
            let Some(step) = player.step(&mut hands) else { break };
            took.push(StepTime { all: begun.elapsed(), own: hands.own });
            played.steps.push(step);
        }
        played.left_out = player.left_out();
        drop(player);
        for (here, there) in played.steps.iter_mut().zip(&in_memory.steps) {
            let difference = same_ledger(&here.seen.entries, &there.seen.entries);
            here.mistakes.extend(difference.map(|said| vein::Mistake {
                code: "not-the-same",
                place: here.place.clone(),
                message: said,
                label: String::new(),
                advice: Vec::new(),
                instead: None,
            }));
        }
        Ok((played, took))
    }

    fn fresh_tab(&mut self) -> Result<()> {
        let Chromium { runtime, driven, stage } = self;
        let client = &driven.as_ref().context("the browser is gone")?.client;
        stage.leave();
        runtime.block_on(async {
            client.goto(&format!("http://127.0.0.1:{}/", stage.port)).await?;
            // The tab that was there before may have said something more.
            loop {
                let said = tokio::time::timeout(PATIENCE, stage.said.recv()).await;
                let said = said.context("the page in the browser does not answer")?;
                if said.context("the page is gone")? == LINKED {
                    break;
                }
            }
            Ok(())
        })
    }

    /// Ends the browser.
    pub(crate) fn close(mut self) {
        if let Some(driven) = self.driven.take() {
            let _ = self.runtime.block_on(driven.client.clone().close());
        }
    }
}

/// The first difference between the pulses here and those in memory.
fn same_ledger(here: &[Pulse], there: &[Pulse]) -> Option<String> {
    let differs = |(here, there): (&Pulse, &Pulse)| {
        let (ours, theirs) = (here.json(), there.json());
        let all = ours.as_object().into_iter().flatten();
        let other = all.into_iter().find(|(key, value)| theirs[key.as_str()] != **value);
        other.map(|(key, value)| {
            format!(
                "pulse {} is not the same in the browser: `{key}` is {value} there and {} in memory",
                here.pulse.number,
                theirs[key.as_str()]
            )
        })
    };
    here.iter().zip(there).find_map(differs).or_else(|| {
        (here.len() != there.len())
            .then(|| format!("{} pulses in the browser, {} in memory", here.len(), there.len()))
    })
}

/// What the page answers.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Reply {
    reply: u32,
    #[serde(default)]
    answer: Json,
}

/// A person at the browser.
struct InBrowser<'c> {
    chromium: &'c mut Chromium,
    /// How many batches the tab was sent.
    batches: u32,
    asked: u32,
    /// Events that it has told of.
    told: Vec<String>,
    /// What the document's observer has to see of what it was sent since it was asked last.
    expected: Vec<Expected>,
    /// How long the browser took for what a person did.
    own: Duration,
    /// The page's own engine, where it has one.
    there: Option<There>,
}

impl Hands for InBrowser<'_> {
    fn foresee(&mut self, doing: Doing<'_>) {
        if let Some(there) = &mut self.there {
            there.foresee(doing);
        }
    }

    fn act(
        &mut self,
        session: &mut Session,
        target: NodeId,
        act: &Act,
    ) -> Result<Vec<Pulse>, String> {
        if let Some(why) = vein::why_not(session.tree(), target, act) {
            return Err(why);
        }
        let serial = session.tree().serial(target);
        if self.there.is_some() {
            let now = json!([[session.runtime().now(), "wait"]]);
            self.ask("do", now).map_err(|error| format!("{error:#}"))?;
        }
        let mut entries = Vec::new();
        for act in one_by_one(session.tree(), target, act) {
            // What a key has set off may have taken the control away.
            let said = |error: anyhow::Error| format!("{error:#}");
            if !session.tree().is_node(target, serial) {
                break;
            }
            for told in self.acted(session, target, &act).map_err(said)? {
                let entry = told.delivered(session);
                self.show(session, &entry)?;
                entries.push(entry);
            }
            let place = json!([self.batches, path_to(session.tree(), target)]);
            let held = self.ask("applied", place).map_err(said)?;
            take_over(session, target, &held);
        }
        Ok(entries)
    }

    fn show(&mut self, session: &Session, entry: &Pulse) -> Result<(), String> {
        if self.there.is_some() {
            return self.done_there(session, entry).map_err(|error| format!("{error:#}"));
        }
        if entry.pulse.patches.is_empty() {
            return Ok(());
        }
        self.batches += 1;
        self.expected.extend(compare::expected(session, entry));
        match self.chromium.stage.tell(entry.pulse.patches.to_bytes()) {
            true => Ok(()),
            false => Err("the page in the browser is gone".into()),
        }
    }

    fn compare(&mut self, session: &mut Session) -> Vec<String> {
        let expected = std::mem::take(&mut self.expected);
        let mut found = match self.ask("seen", json!([self.batches])) {
            Ok(seen) => {
                let mut found = compare::differences(session, expected, &seen);
                found.extend(self.there.as_mut().into_iter().flat_map(|there| there.differ(&seen)));
                found
            }
            Err(error) => vec![format!("{error:#}")],
        };
        found.extend(self.values_differ(session));
        found
    }
}

impl InBrowser<'_> {
    /// Asks the page something, and gives its answer; events that it tells of meanwhile are kept.
    fn ask(&mut self, question: &str, arguments: Json) -> Result<Json> {
        self.asked += 1;
        let number = self.asked;
        let Chromium { runtime, stage, .. } = &mut *self.chromium;
        let asked = json!({ "ask": question, "arguments": arguments, "number": number });
        if !stage.ask(asked.to_string()) {
            bail!("the page in the browser is gone");
        }
        let told = &mut self.told;
        runtime.block_on(async {
            loop {
                let text = tokio::time::timeout(PATIENCE, stage.said.recv()).await;
                let text = text.context("the page in the browser does not answer")?;
                let text = text.context("the page in the browser is gone")?;
                match serde_json::from_str::<Reply>(&text) {
                    Ok(reply) if reply.reply == number => return Ok(reply.answer),
                    Ok(_) => {}
                    Err(_) => told.push(text),
                }
            }
        })
    }

    /// Does it in the browser, and gives what the page tells of it.
    fn acted(&mut self, session: &mut Session, target: NodeId, act: &Act) -> Result<Vec<Told>> {
        let tree = session.tree();
        let selector = selector_of(tree, target);
        let option: Vec<String> = match act {
            Act::Choose(options) => {
                let found =
                    options.iter().filter_map(|option| vein::option_of(tree, target, option));
                found.map(|option| selector_of(tree, option)).collect()
            }
            _ => Vec::new(),
        };
        let typing = tree.typing(target);
        let Chromium { runtime, driven, .. } = &mut *self.chromium;
        let client = &driven.as_ref().context("the browser is gone")?.client;
        let own = runtime.block_on(async {
            let element = client.find(&selector).await?;
            let on_it = async |script: &str, more: Json| {
                client.execute(script, vec![element.reference(), more]).await
            };
            let begun = Instant::now();
            match act {
                Act::Click | Act::Tick(_) => element.click().await?,
                Act::DoubleClick => double_click(client, &element).await?,
                Act::Type { text, .. } if typing == Some(Typing::Whole) => {
                    on_it(WHOLE, json!(text)).await?;
                }
                Act::Paste(text) => drop(on_it(PASTE, json!(text)).await?),
                Act::Type { text, append } => {
                    on_it(READY_TO_TYPE, json!(!append)).await?;
                    if !text.is_empty() {
                        element.send_keys(text).await?;
                    } else if on_it("return arguments[0].value !== ''", Json::Null).await?
                        == json!(true)
                    {
                        press(client, "Delete").await?;
                    }
                }
                // What drops down is no part of the page: no click reaches it.
                Act::Choose(_) => drop(on_it(CHOOSE, json!(option)).await?),
                Act::Press(key) => {
                    on_it("arguments[0].focus()", Json::Null).await?;
                    press(client, key).await?;
                }
                Act::Focus => drop(on_it("arguments[0].focus()", Json::Null).await?),
                Act::Blur => drop(on_it("arguments[0].blur()", Json::Null).await?),
                Act::Submit => drop(on_it("arguments[0].requestSubmit()", Json::Null).await?),
            }
            let own = begun.elapsed();
            Ok::<_, anyhow::Error>(own)
        })?;
        self.own += own;
        let focus = self.ask("settled", json!([]))?;
        let said = std::mem::take(&mut self.told);
        let path: Option<Vec<usize>> = serde_json::from_value(focus).unwrap_or_default();
        let focused = path.filter(|path| !path.is_empty());
        let focused = focused.and_then(|path| node_at(session.tree(), &path));
        session.tree_mut().set_focused(focused);
        said.iter().map(|text| Ok(serde_json::from_str(text)?)).collect()
    }
}

/// What a person has done to a control that is not bound, the tree knows from the document alone.
fn take_over(session: &mut Session, target: NodeId, held: &Json) {
    let tree = session.tree_mut();
    if let Some(value) = held["value"].as_str()
        && tree.typing(target).is_some()
        && tree.value(target).as_deref() != Some(value)
    {
        tree.type_value(target, value);
    }
    if let (Some("select"), Some(chosen)) = (tree.name(target), held["chosen"].as_array()) {
        let chosen: Vec<&str> = chosen.iter().filter_map(Json::as_str).collect();
        if tree.attribute(target, "multiple").is_some() {
            tree.choose(target, &chosen);
        } else if tree.value(target).as_deref() != chosen.first().copied() {
            tree.type_value(target, chosen.first().copied().unwrap_or_default());
        }
    }
    let ticks = matches!(tree.control_type(target).as_str(), "checkbox" | "radio");
    if let Some(on) = held["checked"].as_bool()
        && ticks
        && tree.flag(target, Property::Checked) != on
    {
        tree.set_flag(target, Property::Checked, on);
    }
}

/// What is typed key by key is so many acts: what a key sets off is shown before the next.
fn one_by_one(tree: &vein::Tree, target: NodeId, act: &Act) -> Vec<Act> {
    match act {
        Act::Type { text, append }
            if tree.typing(target) != Some(Typing::Whole) && text.chars().count() > 1 =>
        {
            let keys = text.chars().enumerate();
            keys.map(|(at, key)| Act::Type { text: key.into(), append: *append || at > 0 })
                .collect()
        }
        act => vec![act.clone()],
    }
}

/// Selects what stands in a field, or puts the caret after it.
const READY_TO_TYPE: &str = "
  const [field, all] = arguments;
  field.focus();
  if (all) field.select();
  else getSelection().modify('move', 'forward', 'documentboundary');";

/// Pastes a text into a field, as the clipboard does: what is selected gives way to it.
pub const PASTE: &str = "
  const [field, text] = arguments;
  field.focus();
  const clipboardData = new DataTransfer();
  clipboardData.setData('text/plain', text);
  const paste = new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true, composed: true });
  const entered = { inputType: 'insertFromPaste', data: text, bubbles: true, cancelable: true };
  if (field.dispatchEvent(paste) && field.dispatchEvent(new InputEvent('beforeinput', entered))) {
    document.execCommand('insertText', false, text);
  }";

/// Sets what is not typed key by key.
const WHOLE: &str = "
  const [control, text] = arguments;
  control.focus();
  control.value = text;
  control.dispatchEvent(new InputEvent('input', { bubbles: true }));
  control.dispatchEvent(new Event('change', { bubbles: true }));";

/// Chooses options, as what drops down does when one is taken there.
const CHOOSE: &str = "
  const [select, selectors] = arguments;
  select.focus();
  const chosen = selectors.map((selector) => document.querySelector(selector));
  const before = Array.from(select.selectedOptions);
  for (const option of select.options) option.selected = chosen.includes(option);
  if (!select.multiple && before[0] === chosen[0]) return;
  select.dispatchEvent(new InputEvent('input', { bubbles: true }));
  select.dispatchEvent(new Event('change', { bubbles: true }));";

/// A selector that finds an element by its place alone.
fn selector_of(tree: &vein::Tree, id: NodeId) -> String {
    let path = path_to(tree, id);
    let mut selector = "#view".to_owned();
    for depth in 0..path.len() {
        let (parent, at) = (node_at(tree, &path[..depth]), path[depth]);
        let siblings = parent.map_or(&[][..], |parent| tree.children(parent));
        let before =
            siblings[..=at].iter().filter(|sibling| tree.name(**sibling).is_some()).count();
        selector.push_str(&format!(" > :nth-child({before})"));
    }
    selector
}

async fn double_click(client: &Client, element: &Element) -> Result<()> {
    let over = json!({
        "type": "pointerMove", "origin": element.reference(), "x": 0, "y": 0, "duration": 0,
    });
    let down = json!({ "type": "pointerDown", "button": 0 });
    let up = json!({ "type": "pointerUp", "button": 0 });
    let mouse = json!({
        "type": "pointer", "id": "mouse", "parameters": { "pointerType": "mouse" },
        "actions": [over, down, up, down, up],
    });
    client.perform(mouse).await
}

/// Presses a key on what has the focus.
async fn press(client: &Client, pressed: &str) -> Result<()> {
    press_all(client, &[pressed]).await
}

/// Presses keys on what has the focus, one after the other, each with its modifiers, such as `Control+a`.
///
/// # Errors
/// A browser that is gone.
pub async fn press_all(client: &Client, pressed: &[&str]) -> Result<()> {
    let mut actions: Vec<Json> = Vec::new();
    for pressed in pressed {
        let (modifiers, key) = vein::modifiers_of(pressed);
        let keys: Vec<char> =
            modifiers.iter().filter_map(|name| key_of(name)).chain(key_of(key)).collect();
        let told = |kind: &str, key: &char| json!({ "type": kind, "value": key });
        actions.extend(keys.iter().map(|key| told("keyDown", key)));
        actions.extend(keys.iter().rev().map(|key| told("keyUp", key)));
    }
    client.perform(json!({ "type": "key", "id": "keys", "actions": actions })).await
}

/// A key as WebDriver names it (W3C, "keyboard actions").
fn key_of(name: &str) -> Option<char> {
    let special = [
        ("Backspace", '\u{e003}'),
        ("Tab", '\u{e004}'),
        ("Enter", '\u{e007}'),
        ("Shift", '\u{e008}'),
        ("Control", '\u{e009}'),
        ("Alt", '\u{e00a}'),
        ("Escape", '\u{e00c}'),
        ("PageUp", '\u{e00e}'),
        ("PageDown", '\u{e00f}'),
        ("End", '\u{e010}'),
        ("Home", '\u{e011}'),
        ("ArrowLeft", '\u{e012}'),
        ("ArrowUp", '\u{e013}'),
        ("ArrowRight", '\u{e014}'),
        ("ArrowDown", '\u{e015}'),
        ("Delete", '\u{e017}'),
        ("Meta", '\u{e03d}'),
    ];
    let found = special.iter().find(|(known, _)| *known == name).map(|(_, key)| *key);
    found.or_else(|| name.chars().next().filter(|_| name.chars().count() == 1))
}
