//! The workbench: a page beside the one that is served, made of components as any other, and its link.

use super::asked::{FromBench, Looked, answer};
use super::line::Heard;
use super::{Site, locked};
use crate::http::{Own, script, style};
use crate::output::beside;
use crate::page::FRAME;
use crate::script::Scripts;
use anyhow::{Context, Result};
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use futures_util::{SinkExt, StreamExt};
use serde_json::json;
use std::collections::{BTreeSet, HashMap};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, OnceLock};
use tokio::sync::mpsc::unbounded_channel;
use vein::{Ui, Value};
use vein_script::Driven;

const PAGE: &str = include_str!("../../page/workbench.html");
const MAIN: &str = include_str!("../../page/main.mjs");
const HOST: &str = include_str!("../../workbench/host.js");
const STYLES: &str = include_str!("../../workbench/workbench.css");
const COMPONENT: &str = "work-bench";

macro_rules! components {
    ($($path:literal,)+) => {
        [$(($path, include_str!(concat!("../../workbench/", $path))),)+]
    };
}

/// What it is made of.
const COMPONENTS: [(&str, &str); 9] = components![
    "work-bench.vein",
    "component-tree.vein",
    "state-view.vein",
    "field-row.vein",
    "ledger-view.vein",
    "reach-view.vein",
    "record-view.vein",
    "covered-view.vein",
    "time-line.vein",
];

/// As a built page would be.
struct Built {
    view: String,
    script: String,
    styles: String,
}

/// Compiles it, once somebody wants to see it.
fn built() -> Result<&'static Built> {
    static BUILT: OnceLock<Built> = OnceLock::new();
    if let Some(built) = BUILT.get() {
        return Ok(built);
    }
    let ui = Ui::from_sources(COMPONENTS)?;
    let view = ui.page(COMPONENT).manual_answers().proven(false).open_value(Value::Null)?.html();
    let program = ui.program();
    let main = MAIN.replace("./host.js", "./workbench-host.mjs");
    let scripts =
        Scripts::of(program, COMPONENT, ("en", "UTC"), (Driven::ByHost, &format!("{main}takeIn")))?;
    let component = "import { FACE, Opened } from './component.mjs';";
    let whole = main.replace(component, &scripts.whole());
    let script = scripts.sent(&whole, "workbench.mjs").text;
    let number = program.find(COMPONENT).context("the workbench is there")?;
    let inside = program.with_all_inside(number).into_iter();
    let own: Vec<String> = inside.map(|plan| program.plans[plan].style.to_string()).collect();
    let styles = format!("{FRAME}\n{STYLES}\n{}", own.join("\n"));
    Ok(BUILT.get_or_init(|| Built { view, script, styles }))
}

/// A file of it, or why there is none.
fn file(made: impl Fn(&Built) -> Response) -> Response {
    match built() {
        Ok(built) => made(built),
        Err(error) => {
            beside::error(format!("error: the workbench cannot be shown: {error:#}"));
            StatusCode::INTERNAL_SERVER_ERROR.into_response()
        }
    }
}

pub(super) async fn page(State(site): State<Arc<Site>>) -> Response {
    file(|built| {
        let html = PAGE.replace("<!--token-->", &site.token).replace("<!--view-->", &built.view);
        ([(header::CONTENT_TYPE, "text/html; charset=utf-8")], html).into_response()
    })
}

pub(super) async fn main() -> Response {
    file(|built| script(built.script.clone()))
}

pub(super) async fn host() -> Response {
    script(HOST.to_owned())
}

pub(super) async fn styles() -> Response {
    file(|built| style(built.styles.clone()))
}

/// Nothing that a workbench says is longer than this, in bytes: a value that somebody has written.
const LONGEST_MESSAGE: usize = 4 << 20;

/// Opens the link of a workbench, if it is one of ours.
pub(super) async fn connect(
    State(site): State<Arc<Site>>,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Response {
    if let Some(refusal) = Own(site.port).refusal(&headers) {
        return refusal;
    }
    let upgrade = upgrade.max_message_size(LONGEST_MESSAGE).max_frame_size(LONGEST_MESSAGE);
    upgrade.on_upgrade(move |socket| async move {
        if let Err(error) = run(site, socket).await {
            beside::error(format!("a workbench was let go: {error}"));
        }
    })
}

/// Tells the tabs that nobody looks any more.
struct Looking {
    site: Arc<Site>,
    who: u64,
}

impl Drop for Looking {
    fn drop(&mut self) {
        for line in locked(&self.site.tabs).values() {
            let _ = line.say.send(Heard::LookedAway(self.who));
        }
    }
}

async fn run(site: Arc<Site>, socket: WebSocket) -> Result<()> {
    static NUMBER: AtomicU64 = AtomicU64::new(1);
    let who = NUMBER.fetch_add(1, Ordering::Relaxed);
    let (mut to_socket, mut from_socket) = socket.split();
    let token = match from_socket.next().await {
        Some(Ok(Message::Text(text))) => serde_json::from_str(&text)?,
        _ => return Ok(()),
    };
    if !matches!(token, FromBench::Token(token) if token == site.token) {
        return Ok(());
    }
    let _looking = Looking { site: site.clone(), who };
    let (tell, mut told) = unbounded_channel::<String>();
    let mut opened = site.opened.subscribe();
    // Which tab each open question went to, and who wants to know which there are.
    let (mut asked, mut tabs): (HashMap<u64, u64>, Option<u64>) = (HashMap::new(), None);
    loop {
        tokio::select! {
            text = told.recv() => {
                let Some(text) = text else { return Ok(()) };
                to_socket.send(Message::Text(text.into())).await?;
            }
            changed = opened.changed() => {
                changed?;
                if let Some(id) = tabs {
                    tell.send(answer(id, &Ok(there(&site))))?;
                }
                let open: BTreeSet<u64> = locked(&site.tabs).keys().copied().collect();
                asked.retain(|id, tab| {
                    let stays = open.contains(tab);
                    if !stays {
                        let _ = tell.send(answer(*id, &Err("the page was closed".to_owned())));
                    }
                    stays
                });
            }
            message = from_socket.next() => match message {
                Some(Ok(Message::Text(text))) => {
                    let line = |tab: &u64| locked(&site.tabs).get(tab).map(|line| line.say.clone());
                    let mut want = |id: u64, tab: u64, query, follows| {
                        let looked = Looked { who, id, query, follows, to: tell.clone() };
                        match line(&tab) {
                            Some(say) if say.send(Heard::Looked(looked)).is_ok() => {
                                if follows {
                                    asked.insert(id, tab);
                                }
                            }
                            _ => drop(tell.send(answer(id, &Err("the page was closed".to_owned())))),
                        }
                    };
                    match serde_json::from_str(&text)? {
                        FromBench::Ask(id, tab, query) => want(id, tab, query, false),
                        FromBench::Follow(id, tab, query) => want(id, tab, query, true),
                        FromBench::Tabs(id) => {
                            tabs = Some(id);
                            tell.send(answer(id, &Ok(there(&site))))?;
                        }
                        FromBench::Drop(id) => {
                            if let Some(say) = asked.remove(&id).and_then(|tab| line(&tab)) {
                                let _ = say.send(Heard::LookedEnough(who, id));
                            }
                        }
                        FromBench::Got(id) => {
                            if let Some(say) = asked.get(&id).and_then(line) {
                                let _ = say.send(Heard::LookedOn(who, id));
                            }
                        }
                        FromBench::Token(_) => {}
                    }
                }
                Some(Ok(Message::Close(_)) | Err(_)) | None => return Ok(()),
                Some(Ok(_)) => {}
            }
        }
    }
}

/// The tabs that are there.
fn there(site: &Site) -> serde_json::Value {
    let title = site.served().map_or(String::new(), |served| served.title.clone());
    let open: BTreeSet<u64> = locked(&site.tabs).keys().copied().collect();
    open.into_iter().map(|id| json!({ "id": id, "title": format!("{title}, tab {id}") })).collect()
}
