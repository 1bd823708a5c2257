//! What is used of WebDriver (W3C, <https://www.w3.org/TR/webdriver2/>): commands to a browser's driver,
//! as JSON over HTTP on loopback.

use anyhow::{Context, Result, bail};
use http_body_util::{BodyExt, Full};
use hyper::body::Bytes;
use hyper::client::conn::http1;
use hyper::{Method, Request, header};
use hyper_util::rt::TokioIo;
use serde_json::{Value as Json, json};
use std::net::Ipv4Addr;
use tokio::net::TcpStream;

/// The name under which a reference to an element stands in JSON ("web element identifier").
const ELEMENT: &str = "element-6066-11e4-a52e-4f735466cecf";

/// A session of a browser.
#[derive(Clone, Debug)]
pub struct Client {
    port: u16,
    session: String,
}

impl Client {
    /// Begins a session with the driver that listens on a port of loopback.
    pub(super) async fn begin(port: u16, capabilities: Json) -> Result<Client> {
        let wanted = json!({ "capabilities": { "alwaysMatch": capabilities } });
        let begun = ask(port, Method::POST, "/session", Some(&wanted)).await?;
        let id = begun["sessionId"].as_str().context("the driver names no session")?;
        Ok(Client { port, session: id.to_owned() })
    }

    /// Goes to an address, and waits until its document is loaded.
    ///
    /// # Errors
    /// An address that cannot be had; here and below also what the driver says cannot be done, and a
    /// driver that is gone.
    pub async fn goto(&self, address: &str) -> Result<()> {
        self.tell("url", json!({ "url": address })).await.map(drop)
    }

    /// Runs a script as the body of a function; gives what it returns, or what its promise comes to.
    ///
    /// # Errors
    /// What the script throws.
    pub async fn execute(&self, script: &str, arguments: Vec<Json>) -> Result<Json> {
        self.tell("execute/sync", json!({ "script": script, "args": arguments })).await
    }

    /// Runs a script until it calls its last argument; gives what that was called with.
    ///
    /// # Errors
    /// What the script throws, or a time that is too long.
    pub async fn execute_async(&self, script: &str, arguments: Vec<Json>) -> Result<Json> {
        self.tell("execute/async", json!({ "script": script, "args": arguments })).await
    }

    /// The first element that a CSS selector finds.
    ///
    /// # Errors
    /// No such element.
    pub async fn find(&self, selector: &str) -> Result<Element> {
        let found = self.tell("element", json!({ "using": "css selector", "value": selector }));
        let found = found.await?;
        let id = found[ELEMENT].as_str().context("the driver names no element")?;
        Ok(Element { client: self.clone(), id: id.to_owned() })
    }

    /// Has one input device do something, then lets go of all that is pressed.
    pub(super) async fn perform(&self, device: Json) -> Result<()> {
        self.tell("actions", json!({ "actions": [device] })).await?;
        self.command(Method::DELETE, "actions", None).await.map(drop)
    }

    /// Has the browser do something that WebDriver has no command for, by the protocol of its developer tools.
    ///
    /// # Errors
    /// What it cannot do.
    pub async fn devtools(&self, command: &str, parameters: Json) -> Result<Json> {
        self.tell("goog/cdp/execute", json!({ "cmd": command, "params": parameters })).await
    }

    /// Opens another tab, and gives its handle; the one before stays the one that is driven.
    ///
    /// # Errors
    /// No tab that can be had.
    pub async fn open_tab(&self) -> Result<String> {
        let opened = self.tell("window/new", json!({ "type": "tab" })).await?;
        Ok(opened["handle"].as_str().context("the driver names no tab")?.to_owned())
    }

    /// The handle of the tab that is driven.
    ///
    /// # Errors
    /// A tab that is gone.
    pub async fn tab(&self) -> Result<String> {
        let tab = self.command(Method::GET, "window", None).await?;
        Ok(tab.as_str().context("the driver names no tab")?.to_owned())
    }

    /// Drives another tab from now on.
    ///
    /// # Errors
    /// A tab that is gone.
    pub async fn go_to_tab(&self, handle: &str) -> Result<()> {
        self.tell("window", json!({ "handle": handle })).await.map(drop)
    }

    /// Closes the tab that is driven.
    ///
    /// # Errors
    /// A tab that is gone.
    pub async fn close_tab(&self) -> Result<()> {
        self.command(Method::DELETE, "window", None).await.map(drop)
    }

    /// Ends the session, and its browser with it.
    ///
    /// # Errors
    /// A session that is gone already.
    pub async fn close(self) -> Result<()> {
        self.command(Method::DELETE, "", None).await.map(drop)
    }

    async fn tell(&self, command: &str, parameters: Json) -> Result<Json> {
        self.command(Method::POST, command, Some(&parameters)).await
    }

    async fn command(&self, method: Method, command: &str, said: Option<&Json>) -> Result<Json> {
        let path = format!("/session/{}/{command}", self.session);
        ask(self.port, method, path.trim_end_matches('/'), said).await
    }
}

/// An element of the document that was there when it was found.
#[derive(Clone, Debug)]
pub struct Element {
    client: Client,
    id: String,
}

impl Element {
    /// Clicks in its middle, as a person does with a mouse.
    ///
    /// # Errors
    /// An element that is gone, or that cannot be clicked where it is.
    pub async fn click(&self) -> Result<()> {
        self.tell("click", json!({})).await
    }

    /// Types keys into it; U+E000 to U+F8FF stand for those that write nothing ("keyboard actions").
    ///
    /// # Errors
    /// An element that nothing can be typed into.
    pub async fn send_keys(&self, keys: &str) -> Result<()> {
        self.tell("value", json!({ "text": keys })).await
    }

    /// Its text as it is shown.
    ///
    /// # Errors
    /// An element that is gone.
    pub async fn text(&self) -> Result<String> {
        let command = format!("element/{}/text", self.id);
        let text = self.client.command(Method::GET, &command, None).await?;
        Ok(text.as_str().context("the driver gives no text")?.to_owned())
    }

    /// How a script or an action is told which element is meant.
    pub(super) fn reference(&self) -> Json {
        json!({ ELEMENT: self.id })
    }

    async fn tell(&self, command: &str, parameters: Json) -> Result<()> {
        self.client.tell(&format!("element/{}/{command}", self.id), parameters).await.map(drop)
    }
}

/// Sends a command, and gives the value of its answer.
async fn ask(port: u16, method: Method, path: &str, said: Option<&Json>) -> Result<Json> {
    let stream = TcpStream::connect((Ipv4Addr::LOCALHOST, port)).await;
    let stream = stream.context("the browser's driver is gone")?;
    stream.set_nodelay(true)?;
    let (mut sender, connection) = http1::handshake(TokioIo::new(stream)).await?;
    let connection = tokio::spawn(connection);
    let body = said.map(Json::to_string).unwrap_or_default();
    let request = Request::builder()
        .method(method)
        .uri(path)
        .header(header::HOST, format!("127.0.0.1:{port}"))
        .header(header::CONTENT_TYPE, "application/json; charset=utf-8")
        .body(Full::new(Bytes::from(body)))?;
    let answer = sender.send_request(request).await.context("the browser's driver is gone")?;
    let status = answer.status();
    let text = answer.into_body().collect().await?.to_bytes();
    connection.abort();
    let mut answer: Json = serde_json::from_slice(&text)
        .with_context(|| format!("the browser's driver says no JSON ({status})"))?;
    let value = answer["value"].take();
    if !status.is_success() {
        let text = |name: &str| value[name].as_str().unwrap_or_default();
        // What follows the first line is where in the driver it happened.
        let message = text("message").lines().next().unwrap_or_default();
        bail!("{}: {message}", text("error"));
    }
    Ok(value)
}
