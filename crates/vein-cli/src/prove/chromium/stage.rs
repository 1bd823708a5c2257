//! The page on which scenarios are played, served on loopback to the browser alone.

use crate::http::{Own, POLICY, at_once, framed, guard, script, style};
use crate::page::{APPLIER, FRAME};
use anyhow::{Context, Result};
use axum::Router;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::middleware;
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::serve::ListenerExt;
use futures_util::{SinkExt, StreamExt};
use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::net::TcpListener;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};

const LINK: &str = include_str!("../../../page/proving.mjs");

/// What the tab has said, and where what it is told goes.
pub(super) struct Stage {
    pub(super) port: u16,
    pub(super) said: UnboundedReceiver<String>,
    tab: Arc<Mutex<Option<UnboundedSender<Message>>>>,
    applier: Arc<Mutex<String>>,
    scripts: Arc<Mutex<HashMap<String, String>>>,
}

struct Shared {
    own: Own,
    html: String,
    css: String,
    applier: Arc<Mutex<String>>,
    scripts: Arc<Mutex<HashMap<String, String>>>,
    said: UnboundedSender<String>,
    tab: Arc<Mutex<Option<UnboundedSender<Message>>>>,
}

impl Stage {
    /// Serves an empty page with some styles, in a language.
    pub(super) async fn open(locale: &str, css: String) -> Result<Stage> {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).await;
        let listener = listener.context("no port on loopback can be had")?;
        let port = listener.local_addr().context("the port is not known")?.port();
        let (send, said) = unbounded_channel();
        let tab = Arc::new(Mutex::new(None));
        let applier = Arc::new(Mutex::new(APPLIER.to_owned()));
        let styles = "<link rel=\"stylesheet\" href=\"/styles.css\">\n";
        let html = framed(locale, "vein prove", styles, "");
        let scripts = Arc::new(Mutex::new(HashMap::new()));
        let (own, tab_too, applier_too) = (Own(port), tab.clone(), applier.clone());
        let shared = Shared {
            own,
            html,
            css,
            applier: applier_too,
            scripts: scripts.clone(),
            said: send,
            tab: tab_too,
        };
        let router = Router::new()
            .route("/", get(page))
            .route("/vein/applier.mjs", get(applier_of))
            .route("/vein/link.mjs", get(|| async { script(LINK.to_owned()) }))
            .route("/vein/frame.css", get(|| async { style(FRAME.to_owned()) }))
            .route("/styles.css", get(styles_of))
            .route("/built/{name}", get(script_of))
            .route("/favicon.ico", get(|| async { StatusCode::NO_CONTENT }))
            .route("/vein/link", get(connect))
            .layer(middleware::from_fn_with_state(Own(port), guard))
            .with_state(Arc::new(shared));
        let listener = listener.tap_io(at_once);
        tokio::spawn(async move { axum::serve(listener, router).await });
        Ok(Stage { port, said, tab, applier, scripts })
    }

    /// Serves another text for the browser's side of the patch protocol from now on.
    pub(super) fn use_applier(&mut self, text: String) {
        *locked(&self.applier) = text;
    }

    /// Serves a component that was compiled.
    pub(super) fn use_script(&self, component: &str, text: String) {
        locked(&self.scripts).insert(format!("{component}.mjs"), text);
    }

    /// Hands a batch of patches to the tab.
    pub(super) fn tell(&self, patches: Vec<u8>) -> bool {
        self.send(Message::Binary(patches.into()))
    }

    /// Asks the tab something; the answer comes among what it says.
    pub(super) fn ask(&self, question: String) -> bool {
        self.send(Message::Text(question.into()))
    }

    fn send(&self, message: Message) -> bool {
        let tab = locked(&self.tab);
        tab.as_ref().is_some_and(|tab| tab.send(message).is_ok())
    }

    /// Lets go of the tab that was there.
    pub(super) fn leave(&mut self) {
        *locked(&self.tab) = None;
        while self.said.try_recv().is_ok() {}
    }
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

async fn page(State(shared): State<Arc<Shared>>) -> Response {
    // A page that is compiled begins with what was written for it.
    let policy = format!("{POLICY}; script-src 'self'; style-src 'self' 'unsafe-inline'");
    let headers = [
        (header::CONTENT_TYPE, "text/html; charset=utf-8"),
        (header::CONTENT_SECURITY_POLICY, &*policy),
    ];
    (headers, shared.html.clone()).into_response()
}

async fn applier_of(State(shared): State<Arc<Shared>>) -> Response {
    script(locked(&shared.applier).clone())
}

/// A component as `vein build` compiles it.
async fn script_of(Path(name): Path<String>, State(shared): State<Arc<Shared>>) -> Response {
    match locked(&shared.scripts).get(&name) {
        Some(text) => script(text.clone()),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}

async fn styles_of(State(shared): State<Arc<Shared>>) -> Response {
    style(shared.css.clone())
}

async fn connect(
    State(shared): State<Arc<Shared>>,
    headers: HeaderMap,
    upgrade: WebSocketUpgrade,
) -> Response {
    if let Some(refusal) = shared.own.refusal(&headers) {
        return refusal;
    }
    upgrade.on_upgrade(move |socket| talk(shared, socket))
}

async fn talk(shared: Arc<Shared>, socket: WebSocket) {
    let (mut out, mut heard) = socket.split();
    let (send, mut told) = unbounded_channel();
    *locked(&shared.tab) = Some(send);
    loop {
        tokio::select! {
            message = told.recv() => {
                let Some(message) = message else { return };
                if out.send(message).await.is_err() {
                    return;
                }
            }
            message = heard.next() => match message {
                Some(Ok(Message::Text(text))) => {
                    if shared.said.send(text.to_string()).is_err() {
                        return;
                    }
                }
                Some(Ok(_)) => {}
                Some(Err(_)) | None => return,
            },
        }
    }
}
