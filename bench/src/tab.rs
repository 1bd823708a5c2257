//! Chromium, and what is measured in it.

use crate::figures::{Memory, Sides, What};
use anyhow::{Context, Result, bail};
use serde_json::{Value as Json, json};
use std::time::{Duration, Instant};
use vein_cli::trial::Driven;

/// Nothing that is measured once takes longer.
const PATIENCE: Duration = Duration::from_secs(240);

/// Fine clocks come with isolation; garbage is collected when it is asked for, and so is memory
/// measured.
const ARGUMENTS: [&str; 2] =
    ["--js-flags=--expose-gc", "--enable-blink-features=ForceEagerMeasureMemory"];

pub(crate) struct Tab {
    driven: Driven,
    address: String,
}

impl Tab {
    pub(crate) async fn start(address: String) -> Result<Tab> {
        let driven = vein_cli::trial::chromium(&ARGUMENTS).await?;
        Ok(Tab { driven, address })
    }

    async fn goto(&self, path: &str) -> Result<()> {
        self.driven.client.goto(&format!("{}/{path}", self.address)).await
    }

    /// Opens a page of another server.
    pub(crate) async fn open(&self, address: &str) -> Result<()> {
        self.driven.client.goto(address).await
    }

    pub(crate) async fn run(&self, script: &str, given: Vec<Json>) -> Result<Json> {
        self.driven.client.execute(script, given).await
    }

    /// Runs a script until it gives something.
    pub(crate) async fn until(&self, script: &str) -> Result<Json> {
        let begin = Instant::now();
        loop {
            let given = self.run(script, Vec::new()).await?;
            if !given.is_null() {
                return Ok(given);
            }
            if begin.elapsed() > PATIENCE {
                bail!("waited in vain for `{script}`");
            }
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    }

    /// What can be measured.
    pub(crate) async fn measures(&self) -> Result<Vec<What>> {
        self.goto("harness.html").await?;
        let measures = self.until("return globalThis.measures ?? null").await?;
        Ok(serde_json::from_value(measures)?)
    }

    pub(crate) async fn measure(&self, number: usize, kind: &str, share: f64) -> Result<Sides> {
        self.run("begin(...arguments)", vec![json!(number), json!(kind), json!(share)]).await?;
        let result = self.until("return globalThis.result").await?;
        if let Some(error) = result["error"].as_str() {
            bail!("{error}");
        }
        Ok(serde_json::from_value(result["samples"].clone())?)
    }

    /// How long it takes until a page is ready, in a document of its own.
    async fn load(&self, path: &str) -> Result<f64> {
        self.goto("harness.html").await?;
        self.goto(path).await?;
        let ready = self.until("return globalThis.ready ?? null").await?;
        ready.as_f64().context("the page says when it was ready")
    }

    /// The same for a page by hand, in Vein and by hand again, in turns.
    pub(crate) async fn loads(&self, page: &str, rounds: usize) -> Result<Sides> {
        let mut sides = Sides::default();
        let (hand, vein) = (format!("hand/{page}.html"), format!("vein/{page}/index.html"));
        for round in 0..rounds + 2 {
            let mut order = [(&hand, 0), (&vein, 1), (&hand, 2)];
            order.rotate_left(round % 3);
            for (path, side) in order {
                let took = self.load(path).await?;
                // The first rounds warm up.
                if round >= 2 {
                    [&mut sides.hand, &mut sides.vein, &mut sides.again][side].push(took);
                }
            }
        }
        Ok(sides)
    }

    pub(crate) async fn memory(&self, path: &str, share: f64) -> Result<Memory> {
        self.goto("harness.html").await?;
        self.goto(path).await?;
        self.until("return globalThis.ready ?? null").await?;
        let click = |id: &str| format!("document.getElementById('{id}').click()");
        // What is made once, such as prepared templates, is there before.
        self.run(&format!("{}; {}", click("sow-600"), click("uproot")), Vec::new()).await?;
        let empty = self.taken().await?;
        self.run(&click("sow-6000"), Vec::new()).await?;
        let with_rows = self.taken().await?;
        self.run(&click("uproot"), Vec::new()).await?;
        let (mut after, mut done) = (vec![(0, self.taken().await?)], 0);
        let last = ((1000.0 * share) as usize).max(20);
        for rounds in [last / 10, last / 2, last] {
            let more = format!(
                "for (let i = {done}; i < {rounds}; i++) {{ {}; {}; }}",
                click("sow-600"),
                click("uproot")
            );
            self.run(&more, Vec::new()).await?;
            done = rounds;
            after.push((rounds, self.taken().await?));
        }
        Ok(Memory { empty, with_rows, after })
    }

    /// What the page takes of memory: script and document.
    async fn taken(&self) -> Result<f64> {
        let measure = "
            globalThis.taken = null;
            (async () => {
              for (let i = 0; i < 3; i++) { gc(); await new Promise((done) => { setTimeout(done, 50); }); }
              const { bytes } = await performance.measureUserAgentSpecificMemory();
              globalThis.taken = bytes;
            })();";
        self.run(measure, Vec::new()).await?;
        self.until("return globalThis.taken").await?.as_f64().context("a number of bytes")
    }

    pub(crate) async fn close(self) {
        // Whether the session is ended well or with the browser is the same.
        let _ = self.driven.client.clone().close().await;
    }
}
