//! The link to one tab: what it says and what it is told travels here, its page works on a thread of its own.

use super::line::{Heard, Line, Out, ToTab};
use super::message::Said;
use super::tab::Tab;
use super::{Site, locked};
use crate::http::Own;
use anstream::eprintln;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::http::HeaderMap;
use axum::response::Response;
use futures_util::{SinkExt, StreamExt};
use std::sync::Arc;
use std::sync::mpsc::channel;
use tokio::sync::mpsc::unbounded_channel;

/// Nothing that a tab says is longer than this: what its page held, say.
const LONGEST_MESSAGE: usize = 1 << 26;

/// Opens a page for a tab, if the tab is one of ours.
pub(super) async fn connect(
    State(site): State<Arc<Site>>,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Response {
    if let Some(refusal) = Own(site.port).refusal(&headers) {
        return refusal;
    }
    upgrade.max_message_size(LONGEST_MESSAGE).on_upgrade(move |socket| async move {
        if let Err(error) = run(site, socket).await {
            eprintln!("a tab was let go: {error}");
        }
    })
}

/// A tab in the table of those that are open, as long as it is.
struct Entered {
    site: Arc<Site>,
    number: u64,
}

impl Drop for Entered {
    fn drop(&mut self) {
        locked(&self.site.tabs).remove(&self.number);
        self.site.opened.send_modify(|count| *count += 1);
    }
}

async fn run(site: Arc<Site>, socket: WebSocket) -> anyhow::Result<()> {
    let (mut to_socket, mut from_socket) = socket.split();
    let (say, said) = unbounded_channel();
    let (tell, mut told) = unbounded_channel();
    let (answer, answers) = channel();
    let tab = Tab::new(site.clone(), ToTab::new(tell), answers);
    let number = tab.number();
    let line = Line { say: say.clone(), answer: answer.clone(), at_once: tab.at_once() };
    locked(&site.tabs).insert(number, line);
    site.opened.send_modify(|count| *count += 1);
    let _entered = Entered { site, number };
    // It ends when nobody says anything any more.
    let thread = std::thread::Builder::new().name("tab".into());
    thread.spawn(move || tab.run(said))?;
    // Each goes on while the other waits: a tab that waits for its page reads nothing until it has said all.
    let telling = async {
        while let Some(out) = told.recv().await {
            let message = match out {
                Out::Text(text) => Message::Text(text.into()),
                Out::Patches(patches) => Message::Binary(patches.into()),
            };
            if to_socket.send(message).await.is_err() {
                break;
            }
        }
        anyhow::Ok(())
    };
    let hearing = async {
        while let Some(Ok(message)) = from_socket.next().await {
            match message {
                Message::Text(text) => match serde_json::from_str(&text)? {
                    Said::Now(id, value) => drop(answer.send((id, Ok(value)))),
                    Said::Cannot(id, reason) => drop(answer.send((id, Err(reason)))),
                    other => drop(say.send(Heard::Said(other))),
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
    }
}
