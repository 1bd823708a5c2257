//! What is served over HTTP: the page, its scripts and styles.

use super::{Site, live};
use crate::APPLIER;
use axum::Router;
use axum::extract::{Path, Request, State};
use axum::http::{HeaderMap, HeaderName, HeaderValue, StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use std::sync::Arc;

const PAGE: &str = include_str!("../../page/page.html");
const LINK: &str = include_str!("../../page/link.mjs");
pub(crate) const FRAME: &str = include_str!("../../page/frame.css");

/// Nothing but what this server sends may run, be shown or be connected to.
pub(crate) const POLICY: &str = "default-src 'self'; base-uri 'none'; object-src 'none'; \
                      frame-ancestors 'none'; form-action 'self'";

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

/// Has small messages go at once, rather than wait for more to go with them.
pub(crate) fn at_once(connection: &mut tokio::net::TcpStream) {
    // Without it everything works, only later.
    let _ = connection.set_nodelay(true);
}

/// A server on loopback, by its port.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Own(pub(crate) u16);

/// Refuses requests that were not meant for this server (a foreign name that resolves to
/// loopback), and sends the policy with every answer that has none of its own.
pub(crate) async fn guard(State(own): State<Own>, request: Request, next: Next) -> Response {
    let host = request.headers().get(header::HOST).and_then(|host| host.to_str().ok());
    let mut response = if host.is_some_and(|host| own.is_host(host)) {
        next.run(request).await
    } else {
        (StatusCode::FORBIDDEN, "This server answers to 127.0.0.1 and localhost only.")
            .into_response()
    };
    let headers = response.headers_mut();
    let policy = headers.entry(header::CONTENT_SECURITY_POLICY);
    policy.or_insert(HeaderValue::from_static(POLICY));
    for (name, value) in [
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "no-referrer"),
        (header::CACHE_CONTROL, "no-store"),
        (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
    ] {
        headers.insert(name, HeaderValue::from_static(value));
    }
    response
}

impl Own {
    fn is_host(self, host: &str) -> bool {
        ["127.0.0.1", "localhost"].iter().any(|name| host == format!("{name}:{}", self.0))
    }

    /// Whether a connection was opened by a page of this server.
    pub(crate) fn is_origin(self, headers: &HeaderMap) -> bool {
        let origin = headers.get(header::ORIGIN).and_then(|origin| origin.to_str().ok());
        origin
            .and_then(|origin| origin.strip_prefix("http://"))
            .is_some_and(|host| self.is_host(host))
    }
}

/// The page around a view: in a language, for a component, with its style sheets' links.
pub(crate) fn framed(locale: &str, component: &str, styles: &str, view: &str) -> String {
    let frame = PAGE.replace("<!--locale-->", locale);
    // A component's name is letters, digits, hyphens, dots and underscores only.
    let frame = frame.replace("<!--component-->", component).replace("<!--styles-->", styles);
    // The view last: whatever it shows is not looked through again.
    frame.replace("<!--view-->", view)
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

pub(crate) fn script(text: String) -> Response {
    ([(header::CONTENT_TYPE, "text/javascript; charset=utf-8")], text).into_response()
}

pub(crate) fn style(text: String) -> Response {
    ([(header::CONTENT_TYPE, "text/css; charset=utf-8")], text).into_response()
}
