//! What pages on loopback have in common, whoever serves them: who may ask, and under which policy.

use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderName, HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

#[cfg(feature = "browser")]
const PAGE: &str = include_str!("../page/page.html");

/// Nothing but what this server sends may run, be shown or be connected to.
pub(crate) const POLICY: &str = "default-src 'self'; img-src 'self' data:; base-uri 'none'; object-src 'none'; \
                      frame-ancestors 'none'; form-action 'self'";

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
        ["127.0.0.1", "localhost"].into_iter().any(|name| match host.strip_prefix(name) {
            // Browsers leave away the port that the scheme has by itself.
            Some("") => self.0 == 80,
            Some(port) => port == format!(":{}", self.0),
            None => false,
        })
    }

    /// What a connection is told that no page of this server has opened.
    pub(crate) fn refusal(self, headers: &HeaderMap) -> Option<Response> {
        let said = "Only pages of this server may connect.";
        (!self.is_origin(headers)).then(|| (StatusCode::FORBIDDEN, said).into_response())
    }

    /// Whether a connection was opened by a page of this server.
    pub(crate) fn is_origin(self, headers: &HeaderMap) -> bool {
        let origin = headers.get(header::ORIGIN).and_then(|origin| origin.to_str().ok());
        origin
            .and_then(|origin| origin.strip_prefix("http://"))
            .is_some_and(|host| self.is_host(host))
    }
}

#[cfg(feature = "browser")]
/// The page around a view: in a language, for a component, with its style sheets' links.
pub(crate) fn framed(locale: &str, component: &str, styles: &str, view: &str) -> String {
    let frame = PAGE.replace("<!--locale-->", locale);
    // A component's name is letters, digits, hyphens, dots and underscores only.
    let frame = frame.replace("<!--component-->", component).replace("<!--styles-->", styles);
    // The view last: whatever it shows is not looked through again.
    frame.replace("<!--view-->", view)
}

pub(crate) fn script(text: String) -> Response {
    ([(header::CONTENT_TYPE, "text/javascript; charset=utf-8")], text).into_response()
}

pub(crate) fn style(text: String) -> Response {
    ([(header::CONTENT_TYPE, "text/css; charset=utf-8")], text).into_response()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_server_answers_to_its_own_names() {
        for (port, host, is_own) in [
            (4180, "127.0.0.1:4180", true),
            (4180, "localhost:4180", true),
            (4180, "127.0.0.1", false),
            (4180, "localhost:80", false),
            (80, "127.0.0.1", true),
            (80, "localhost:80", true),
            (80, "localhost.example.org", false),
            (80, "127.0.0.1.example.org:80", false),
            (80, "[::1]", false),
        ] {
            assert_eq!(Own(port).is_host(host), is_own, "{host} at {port}");
            let mut headers = HeaderMap::new();
            let origin = HeaderValue::from_str(&format!("http://{host}")).expect("a header");
            headers.insert(header::ORIGIN, origin);
            assert_eq!(Own(port).is_origin(&headers), is_own, "from {host} at {port}");
        }
    }
}
