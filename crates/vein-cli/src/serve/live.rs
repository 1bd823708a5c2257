//! The link to one tab: what it says and what it is told travels here, its page works on a thread of its own.

use super::line::{Heard, Line, Link, MOST_UNHEARD, MOST_UNREAD, Out, ToTab};
use super::message::Said;
use super::tab::Tab;
use super::{Site, locked};
use crate::http::Own;
use crate::output::beside;
use anyhow::bail;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use futures_util::{SinkExt, StreamExt};
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::sync::mpsc::channel;
use tokio::sync::Semaphore;
use tokio::sync::mpsc::unbounded_channel;

/// Nothing that a tab says is longer than this, in bytes: what its page held, say.
const LONGEST_MESSAGE: usize = 8 << 20;

/// So many tabs may be open, each with a page on a thread of its own.
const MOST_TABS: usize = 512;

/// Opens a page for a tab, if the tab is one of ours.
pub(super) async fn connect(
    State(site): State<Arc<Site>>,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Response {
    if let Some(refusal) = Own(site.port).refusal(&headers) {
        return refusal;
    }
    if locked(&site.tabs).len() >= MOST_TABS {
        let said = format!("{MOST_TABS} tabs are open: close one");
        return (StatusCode::SERVICE_UNAVAILABLE, said).into_response();
    }
    let upgrade = upgrade.max_message_size(LONGEST_MESSAGE).max_frame_size(LONGEST_MESSAGE);
    upgrade.on_upgrade(move |socket| async move {
        if let Err(error) = run(site, socket).await {
            beside::error(format!("a tab was let go: {error}"));
        }
    })
}

/// What a page works on, in bytes: as much as a program's first thread has.
const STACK: usize = 8 << 20;

/// What is said takes so many bytes at least while it waits.
const LEAST_SAID: u32 = 256;

/// A tab in the table of those that are open, as long as it is.
struct Entered {
    site: Arc<Site>,
    number: u64,
}

impl Drop for Entered {
    fn drop(&mut self) {
        if let Some(line) = locked(&self.site.tabs).remove(&self.number) {
            line.gone.store(true, Ordering::Relaxed);
        }
        self.site.opened.send_modify(|count| *count += 1);
    }
}

async fn run(site: Arc<Site>, socket: WebSocket) -> anyhow::Result<()> {
    let (mut to_socket, mut from_socket) = socket.split();
    let (say, said) = unbounded_channel();
    let (link, mut told) = Link::new();
    let (answer, answers) = channel();
    let tab = Tab::new(site.clone(), ToTab::new(link.clone()), answers);
    let room = Arc::new(Semaphore::new(MOST_UNHEARD));
    let number = tab.number();
    let (at_once, gone) = (tab.at_once(), tab.gone());
    let line = Line { say: say.clone(), answer: answer.clone(), at_once, gone };
    locked(&site.tabs).insert(number, line);
    site.opened.send_modify(|count| *count += 1);
    let _entered = Entered { site, number };
    // It ends when nobody says anything any more.
    let thread = std::thread::Builder::new().name("tab".into()).stack_size(STACK);
    thread.spawn(move || tab.run(said))?;
    // Each goes on while the other waits: a tab that waits for its page reads nothing until it has said all.
    let telling = async {
        while let Some(out) = told.recv().await {
            let len = out.len();
            let message = match out {
                Out::Text(text) => Message::Text(text.into()),
                Out::Patches(patches) => Message::Binary(patches.into()),
            };
            if to_socket.send(message).await.is_err() {
                break;
            }
            link.was_read(len);
        }
        anyhow::Ok(())
    };
    let hearing = async {
        while let Some(Ok(message)) = from_socket.next().await {
            match message {
                Message::Text(text) => match serde_json::from_str(&text)? {
                    Said::Now(id, value) => drop(answer.send((id, Ok(value)))),
                    Said::Cannot(id, reason) => drop(answer.send((id, Err(reason)))),
                    other => {
                        let len = u32::try_from(text.len()).unwrap_or(u32::MAX).max(LEAST_SAID);
                        let Ok(taken) = room.clone().try_acquire_many_owned(len) else {
                            bail!("it says more than its page can follow");
                        };
                        let _ = say.send(Heard::Said(other, taken));
                    }
                },
                Message::Close(_) => break,
                _ => {}
            }
        }
        anyhow::Ok(())
    };
    tokio::select! {
        done = telling => done,
        done = hearing => done,
        () = link.is_full() => bail!("it does not read what it is told: {MOST_UNREAD} bytes wait"),
    }
}
