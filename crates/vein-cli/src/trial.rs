//! What tests and benchmarks use: Chromium, a server of files, and ways to break things on purpose.

pub use crate::prove::chromium::driver::{Driven, start as chromium};
pub use crate::prove::chromium::webdriver::{Client, Element};
pub use crate::prove::chromium::{PASTE, press_all};

use crate::prove::chromium::{Chromium, WhereEngine};
use axum::Router;
use axum::extract::State;
use axum::http::{HeaderName, HeaderValue, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use std::net::Ipv4Addr;
use std::path::PathBuf;
use std::sync::Arc;
use tokio::net::TcpListener;
use vein::{Played, ScenarioFile, Ui};

/// What looks at a served page as a workbench does, from the page itself: `look` asks something of it once, `follow` again and again,
/// and forgets what it is told.
pub const LOOK: &str = "
    const token = document.querySelector('meta[name=vein-token]').content;
    const socket = new WebSocket(`ws://${location.host}/vein/look`);
    const waiting = new Map();
    let last = 0;
    let tab = 0;
    const say = (what) => socket.send(JSON.stringify(what));
    socket.onmessage = ({ data }) => {
      const [[kind, [id, what]]] = Object.entries(JSON.parse(data));
      if (kind === 'answer') waiting.get(id)?.[0](what);
      else waiting.get(id)?.[1](new Error(what));
    };
    const ask = (what) => new Promise((done, failed) => {
      waiting.set(++last, [done, failed]);
      say(what(last));
    });
    window.look = (query) => ask((id) => ({ ask: [id, tab, query] }));
    window.follow = (query) => {
      const id = ++last;
      waiting.set(id, [() => say({ got: id }), () => {}]);
      say({ follow: [id, tab, query] });
    };
    return new Promise((done) => {
      socket.onopen = async () => {
        say({ token });
        const tabs = await ask((id) => ({ tabs: id }));
        tab = tabs.at(-1).id;
        await window.look('time');
        done(true);
      };
    });";

/// Plays a scenario in one Chromium after the other text for the browser's side of the patch protocol.
///
/// # Errors
/// A browser that cannot be had, or a scenario that cannot be opened.
pub fn with_appliers(
    ui: &Ui,
    file: &ScenarioFile,
    appliers: impl Iterator<Item = String>,
) -> Result<Vec<Played>, String> {
    let said = |error: anyhow::Error| format!("{error:#}");
    let in_memory = file.play(ui).map_err(|error| error.to_string())?;
    let mut chromium = Chromium::start(ui, "en", &[]).map_err(said)?;
    let mut all = Vec::new();
    for applier in appliers {
        chromium.use_applier(applier);
        let played = chromium.play(file, ui, ("en", "UTC"), &in_memory, WhereEngine::Here);
        all.push(played.map_err(said)?.0);
    }
    chromium.close();
    Ok(all)
}

/// Headers that are sent with every file.
pub type Headers = &'static [(&'static str, &'static str)];

/// Serves a folder on a free port of loopback as a plain server of files does, as long as the runtime
/// is there; gives the address.
///
/// # Errors
/// No port that can be had.
pub async fn serve_files(folder: PathBuf, headers: Headers) -> std::io::Result<String> {
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).await?;
    let address = format!("http://{}", listener.local_addr()?);
    let router = Router::new().fallback(file).with_state(Arc::new((folder, headers)));
    tokio::spawn(async move { axum::serve(listener, router).await });
    Ok(address)
}

async fn file(State(served): State<Arc<(PathBuf, Headers)>>, uri: Uri) -> Response {
    let (folder, headers) = &*served;
    let mut path = uri.path().trim_start_matches('/').to_owned();
    if path.is_empty() || path.ends_with('/') {
        path += "index.html";
    }
    let inside = !path.split('/').any(|piece| piece == "..");
    let Some(content) = inside.then(|| std::fs::read(folder.join(&path)).ok()).flatten() else {
        return StatusCode::NOT_FOUND.into_response();
    };
    let kind = match path.rsplit('.').next().unwrap_or("") {
        "html" => "text/html; charset=utf-8",
        "js" | "mjs" => "text/javascript; charset=utf-8",
        "css" => "text/css; charset=utf-8",
        "wasm" => "application/wasm",
        _ => "application/octet-stream",
    };
    let mut response = ([(header::CONTENT_TYPE, kind)], content).into_response();
    for (name, value) in *headers {
        let (name, value) = (HeaderName::from_static(name), HeaderValue::from_static(value));
        response.headers_mut().insert(name, value);
    }
    response
}
