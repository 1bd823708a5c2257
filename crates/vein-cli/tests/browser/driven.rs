//! What the tests do with a browser.

use crate::running::{PATIENCE, Server};
use serde_json::Value as Json;
use std::time::Instant;
use vein_cli::trial::{Client, Driven};

/// A session of Chromium, as `vein prove --browser` starts it. One test after the other has it.
pub struct Browser {
    pub client: Client,
    _driven: Driven,
}

impl Browser {
    pub async fn start() -> Browser {
        let driven = vein_cli::trial::chromium(&[]).await;
        let driven = driven.expect("Chromium starts: `cargo xtask test` installs it");
        Browser { client: driven.client.clone(), _driven: driven }
    }

    /// Opens a served page and waits until its link is up.
    pub async fn open(&self, server: &Server) {
        self.client.goto(&format!("http://127.0.0.1:{}/", server.port)).await.expect("a page");
        self.until("return 'linked' in document.documentElement.dataset", "the link").await;
    }

    pub async fn run(&self, script: &str) -> Json {
        self.client.execute(script, Vec::new()).await.expect("a script that runs")
    }

    /// What the body of a function gives, in a page's own words.
    pub async fn function(&self, body: &str) -> Json {
        let args = vec![Json::from(body)];
        // As one text: Chromium's driver takes long over values with much in them.
        let script = "return Promise.resolve(new Function(arguments[0])()).then((all) => JSON.stringify(all ?? null))";
        let given = self.client.execute(script, args).await;
        let given = given.unwrap_or_else(|error| panic!("{error}\n{body}"));
        serde_json::from_str(given.as_str().expect("a text")).expect("it is JSON")
    }

    pub async fn until(&self, script: &str, what: &str) {
        let start = Instant::now();
        while self.run(script).await != Json::Bool(true) {
            assert!(start.elapsed() < PATIENCE, "waited in vain for {what}");
            tokio::time::sleep(std::time::Duration::from_millis(10)).await;
        }
    }

    pub async fn click(&self, selector: &str) {
        let element = self.client.find(selector).await.expect("an element");
        element.click().await.expect("a click");
    }

    pub async fn text(&self, selector: &str) -> String {
        let element = self.client.find(selector).await.expect("an element");
        element.text().await.expect("its text")
    }

    /// Leaves the page, so that the next test finds nothing of this one. Every test has servers, and
    /// with them origins, of its own.
    pub async fn leave(&self) {
        self.client.goto("about:blank").await.expect("an empty page");
    }

    pub async fn close(self) {
        let _ = self.client.close().await;
    }
}
