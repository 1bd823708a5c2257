//! What a tab's host module does with its page: it is there when the module gets it back, as on a built page. So it comes by requests of
//! their own, which the tab waits for.

use super::line::{Heard, Line, Reply};
use super::message::{Asked, Doing};
use super::{Site, locked};
use crate::http::Own;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use std::sync::Arc;
use tokio::sync::oneshot;

/// Has a tab's page do something, if the tab is one of ours, and gives what came of it: a value, why it cannot be, or what the host
/// has to answer first.
pub(super) async fn ask(
    State(site): State<Arc<Site>>,
    headers: HeaderMap,
    body: String,
) -> Response {
    let no = |text: &'static str| (StatusCode::FORBIDDEN, text).into_response();
    let asked = match serde_json::from_str::<Asked>(&body) {
        Ok(asked) if Own(site.port).is_origin(&headers) && asked.token == site.token => asked,
        Err(error) if Own(site.port).is_origin(&headers) => {
            return (StatusCode::BAD_REQUEST, error.to_string()).into_response();
        }
        _ => return no("Only pages of this server may ask."),
    };
    let Some(line) = locked(&site.tabs).get(&asked.tab).cloned() else {
        return no("There is no such tab.");
    };
    let (reply, came) = oneshot::channel();
    let Line { say, answer, at_once, .. } = line;
    let passed_on = match asked.what {
        Doing::Now(id, value) => {
            at_once.wait_on(reply);
            answer.send((id, Ok(value))).is_ok()
        }
        Doing::Cannot(id, reason) => {
            at_once.wait_on(reply);
            answer.send((id, Err(reason))).is_ok()
        }
        other => say
            .send(Heard::Asked { after: asked.after, heard: asked.heard, what: other, reply })
            .is_ok(),
    };
    let came = match came.await {
        Ok(came) if passed_on => came,
        _ => Reply::Error("the page is closed".to_owned(), Vec::new()),
    };
    match serde_json::to_string(&came) {
        Ok(came) => ([(header::CONTENT_TYPE, "application/json")], came).into_response(),
        Err(error) => (StatusCode::INTERNAL_SERVER_ERROR, error.to_string()).into_response(),
    }
}
