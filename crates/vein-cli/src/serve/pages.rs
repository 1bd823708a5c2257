//! What is served over HTTP: the page, its scripts and styles.

use super::{Site, live};
use crate::http::{Own, framed, guard, script, style};
use crate::page::{APPLIER, FRAME};
use axum::Router;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::middleware;
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use std::sync::Arc;

const LINK: &str = include_str!("../../page/link.mjs");

pub(super) fn router(site: Arc<Site>) -> Router {
    Router::new()
        .route("/", get(page))
        .route("/vein/applier.mjs", get(|| async { script(APPLIER.to_owned()) }))
        .route("/vein/link.mjs", get(|| async { script(LINK.to_owned()) }))
        .route("/vein/frame.css", get(|| async { style(FRAME.to_owned()) }))
        .route("/style/{number}", get(project_style))
        .route("/component/{name}", get(component_style))
        .route("/favicon.ico", get(|| async { StatusCode::NO_CONTENT }))
        .route("/live", get(live::connect))
        .layer(middleware::from_fn_with_state(Own(site.port), guard))
        .with_state(site)
}

/// The page, with the view as it is first, so that nothing is blank until the link is up.
async fn page(State(site): State<Arc<Site>>) -> Response {
    let view = match site.open() {
        Ok(page) => page.html(),
        Err(error) => {
            return (StatusCode::INTERNAL_SERVER_ERROR, error.to_string()).into_response();
        }
    };
    let link = |href: String| format!("<link rel=\"stylesheet\" href=\"{href}\">\n");
    // One for each component that has styles, however many there are of it on the page.
    let own = site.ui.styles().map(|(name, _)| link(format!("/component/{name}.css")));
    let project = (0..site.styles.len()).map(|number| link(format!("/style/{number}")));
    let styles: String = project.chain(own).collect();
    let html = framed(&site.answers.locale, &site.component, &styles, &view);
    ([(header::CONTENT_TYPE, "text/html; charset=utf-8")], html).into_response()
}

async fn project_style(State(site): State<Arc<Site>>, Path(number): Path<usize>) -> Response {
    match site.styles.get(number) {
        Some(text) => style(text.clone()),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}

async fn component_style(State(site): State<Arc<Site>>, Path(file): Path<String>) -> Response {
    let name = file.strip_suffix(".css").unwrap_or("");
    match site.ui.styles().find(|(component, _)| *component == name) {
        Some((_, text)) => style(text.to_owned()),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}
