//! What is served over HTTP: the page, its scripts and styles, the host module, the project's own files.

use super::reading::Served;
use super::{Site, driven, live, workbench};
use crate::http::{Own, guard, script, style};
use crate::page::{APPLIER, FRAME};
use axum::Router;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::middleware;
use axum::response::{IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use std::path::{Component, PathBuf};
use std::sync::Arc;

const PAGE: &str = include_str!("../../page/served.html");
const LINK: &str = include_str!("../../page/link.mjs");
const LOOKED: &str = include_str!("../../page/looked.mjs");
const OVER: &str = include_str!("../../page/over.mjs");
const OVER_STYLES: &str = include_str!("../../page/over.css");

pub(super) fn router(site: Arc<Site>) -> Router {
    Router::new()
        .route("/", get(page))
        .route("/index.html", get(page))
        .route("/vein/applier.mjs", get(|| async { script(APPLIER.to_owned()) }))
        .route("/vein/link.mjs", get(|| async { script(LINK.to_owned()) }))
        .route("/vein/over.mjs", get(|| async { script(OVER.to_owned()) }))
        .route("/vein/over.css", get(|| async { style(OVER_STYLES.to_owned()) }))
        .route("/vein/who", get(who))
        .route("/assets/styles.css", get(styles))
        .route("/assets/host-{mark}/{*path}", get(host))
        .route("/favicon.ico", get(|| async { StatusCode::NO_CONTENT }))
        .route("/vein/link", get(live::connect))
        .route("/vein/host", post(driven::ask))
        .route("/vein", get(|| async { Redirect::permanent("/vein/") }))
        .route("/vein/", get(workbench::page))
        .route("/vein/workbench.mjs", get(workbench::main))
        .route("/vein/workbench-host.mjs", get(workbench::host))
        .route("/vein/workbench.css", get(workbench::styles))
        .route("/vein/look", get(workbench::connect))
        .route("/vein/looked.mjs", get(|| async { script(LOOKED.to_owned()) }))
        .fallback(file)
        .layer(middleware::from_fn_with_state(Own(site.port), guard))
        .with_state(site)
}

impl Site {
    /// What is served by now, if anything can be.
    pub(super) fn served(&self) -> Option<Arc<Served>> {
        self.now.borrow().served.clone()
    }
}

/// The page, with the view as it is first, so that nothing is blank until the link is up.
async fn page(State(site): State<Arc<Site>>) -> Response {
    let served = site.served();
    let served = served.as_deref();
    // What keeps it from being opened is told by the tab.
    let first = served.and_then(|served| served.first().ok());
    let escape = |text: &str| text.replace('&', "&amp;").replace('<', "&lt;");
    let html = PAGE
        .replace("<!--locale-->", served.map_or("en", |served| &served.answers.locale))
        .replace("<!--token-->", &site.token)
        .replace("<!--mark-->", &served.map_or(0, |served| served.marks.styles).to_string());
    let title = served.map_or("vein serve".to_owned(), |served| escape(&served.title));
    let html = html.replace("<!--title-->", &title);
    // The view last: whatever it shows is not looked through again.
    let html = html.replace("<!--view-->", first.map_or("", |first| &first.html));
    let mut response = ([(header::CONTENT_TYPE, "text/html; charset=utf-8")], html).into_response();
    if let Some(policy) = first.map(|first| &first.policy) {
        // A page of its own: nobody may put it into another.
        let whole = format!("{policy}; frame-ancestors 'none'");
        let policy = if policy.is_empty() { "frame-ancestors 'none'" } else { &whole };
        if let Ok(policy) = policy.parse() {
            response.headers_mut().insert(header::CONTENT_SECURITY_POLICY, policy);
        }
    }
    response
}

/// Whose server this is, for one that finds the port taken.
async fn who(State(site): State<Arc<Site>>) -> String {
    format!("vein serve `{}`", site.folder.display())
}

async fn styles(State(site): State<Arc<Site>>) -> Response {
    style(site.served().map_or(FRAME.to_owned(), |served| sheet(&served)))
}

/// All styles of a page: those of what stands around the view, then the project's and its components'.
pub(super) fn sheet(served: &Served) -> String {
    format!("{FRAME}\n{}", served.styles)
}

/// The host module, or something that it imports. Each time that it is another it has another address, since a browser runs a module
/// of one address once.
async fn host(State(site): State<Arc<Site>>, Path((_, path)): Path<(String, String)>) -> Response {
    let served = site.served();
    let files = served.iter().flat_map(|served| &served.host);
    match files.into_iter().find(|(known, _)| known.to_string_lossy().replace('\\', "/") == path) {
        Some((path, content)) => typed(path, content.clone()),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}

/// A file of the project's own.
async fn file(State(site): State<Arc<Site>>, uri: axum::http::Uri) -> Response {
    let none = || StatusCode::NOT_FOUND.into_response();
    let served = site.served();
    let Some(root) = served.as_ref().and_then(|served| served.files.clone()) else {
        return none();
    };
    let Some(inner) = decoded(uri.path()) else { return none() };
    let inner = PathBuf::from(inner.trim_start_matches('/'));
    let plain = |part: Component<'_>| matches!(part, Component::Normal(_));
    if inner.as_os_str().is_empty() || !inner.components().all(plain) {
        return none();
    }
    let path = root.join(&inner);
    // What a link leads to has to stand in the folder, too.
    let stands = || Some(path.canonicalize().ok()?.starts_with(root.canonicalize().ok()?));
    match vein::read_file(&path) {
        Ok(content) if stands() == Some(true) => typed(&path, content),
        _ => none(),
    }
}

/// A path of a URL with what is written by numbers (RFC 3986, section 2.1).
fn decoded(path: &str) -> Option<String> {
    let (mut out, mut rest) = (Vec::new(), path.as_bytes());
    while let [first, more @ ..] = rest {
        match (first, more) {
            (b'%', [a, b, more @ ..]) => {
                let digit = |byte: &u8| (*byte as char).to_digit(16);
                let byte = digit(a)? * 16 + digit(b)?;
                if byte == 0 {
                    return None;
                }
                out.push(byte as u8);
                rest = more;
            }
            (b'%' | b'\\', _) => return None,
            (byte, more) => {
                out.push(*byte);
                rest = more;
            }
        }
    }
    String::from_utf8(out).ok()
}

/// A file by its type, as its ending says it (IANA's registry of media types).
fn typed(path: &std::path::Path, content: Vec<u8>) -> Response {
    let ending = path.extension().map(|ending| ending.to_string_lossy().to_lowercase());
    let kind = match ending.as_deref().unwrap_or("") {
        "js" | "mjs" => "text/javascript; charset=utf-8",
        "css" => "text/css; charset=utf-8",
        "html" | "htm" => "text/html; charset=utf-8",
        "json" | "map" => "application/json",
        "svg" => "image/svg+xml",
        "png" => "image/png",
        "jpg" | "jpeg" => "image/jpeg",
        "gif" => "image/gif",
        "webp" => "image/webp",
        "avif" => "image/avif",
        "ico" => "image/vnd.microsoft.icon",
        "woff" => "font/woff",
        "woff2" => "font/woff2",
        "ttf" => "font/ttf",
        "otf" => "font/otf",
        "mp3" => "audio/mpeg",
        "ogg" => "audio/ogg",
        "wav" => "audio/wav",
        "mp4" => "video/mp4",
        "webm" => "video/webm",
        "pdf" => "application/pdf",
        "wasm" => "application/wasm",
        "webmanifest" => "application/manifest+json",
        "xml" => "text/xml",
        "txt" | "md" | "vtt" => "text/plain; charset=utf-8",
        _ => "application/octet-stream",
    };
    ([(header::CONTENT_TYPE, kind)], content).into_response()
}
