//! What a workbench costs the page that it looks at, what it remembers, and how long it takes to go back.

use crate::saving::serve;
use crate::tab::Tab;
use anyhow::{Context, Result};
use std::path::Path;
use tempfile::TempDir;
use vein_cli::trial::LOOK;

/// Rows of five parts each.
const ROWS: usize = 200;
/// How often each thing is done.
const ROUNDS: usize = 200;
/// How many pulses are remembered.
const PULSES: usize = 10_000;

const PAGE: &str = "shares rows: Row[]
shape Row { id: number, name: string, count: number, wet: boolean }
holds by = 1
<button id='one' click='-> rows[7].count += by'>one</button>
<button id='all' click='-> by++'>all</button>
<a-row each='row of rows by row.id' row='<- row' by='<- by'></a-row>
";

const ROW: &str = "takes row: Row
takes by: number
<p class='{row.wet ? \"wet\" : \"dry\"}' title='{row.name} {by}'>{row.name} {row.count * by} <b>{by}</b> <i>{by + row.id}</i></p>
";

fn project(dir: &Path) -> Result<()> {
    let rows = (0..ROWS).map(|id| {
        serde_json::json!({ "id": id, "name": format!("bed {id}"), "count": id, "wet": id % 3 == 0 })
    });
    let data = serde_json::json!({ "rows": rows.collect::<Vec<_>>() });
    std::fs::write(dir.join("page.json"), data.to_string())?;
    std::fs::write(dir.join("a-page.vein"), PAGE)?;
    std::fs::write(dir.join("a-row.vein"), ROW)?;
    std::fs::write(dir.join("vein.toml"), "component = 'a-page'\nwith = 'page.json'\n")?;
    Ok(())
}

/// How long it takes from a click to the document that shows what it did: the median of many.
const CLICKS: &str = "
    const [selector, rounds] = arguments;
    const button = document.querySelector(selector);
    const took = [];
    for (let round = 0; round < rounds; round++) {
      const shown = new Promise((done) => {
        const observer = new MutationObserver(() => { observer.disconnect(); done(performance.now()); });
        observer.observe(document.querySelector('#view'), { subtree: true, attributes: true, characterData: true });
      });
      const begun = performance.now();
      button.click();
      took.push(await shown - begun);
      // What is done beside it is done by then.
      await new Promise((done) => setTimeout(done, 60));
    }
    took.sort((a, b) => a - b);
    return took[took.length >> 1];";

/// Follows all that the workbench follows.
const FOLLOW: &str = "
    for (const query of ['tree', 'time', 'recording', 'pointed', { state: ['', []] }, { ledger: ['', 100] }, { covered: false }]) {
      follow(query);
    }";

/// Clicks many times, each once the one before is shown; gives the moments that are kept.
const MANY: &str = "
    const button = document.querySelector('#one');
    const text = document.querySelectorAll('p')[7].firstChild;
    for (let pulse = 0; pulse < arguments[0]; pulse++) {
      const shown = new Promise((done) => {
        const observer = new MutationObserver(() => { observer.disconnect(); done(); });
        observer.observe(text, { characterData: true });
      });
      button.click();
      await shown;
    }
    return look('time');";

/// Goes back to moments spread over all of them; how long until the page shows each, the longest and the median.
const BACK: &str = "
    const { first, last } = await look('time');
    const took = [];
    for (let round = 0; round < 40; round++) {
      const moment = first + Math.floor((last - first) * ((round * 17) % 40) / 40);
      const bar = () => document.querySelector('#vein-over').shadowRoot.querySelector('#past')?.textContent ?? '';
      const begun = performance.now();
      await look({ go: moment });
      while (!bar().includes(`pulse ${moment}.`)) await new Promise((done) => setTimeout(done, 1));
      took.push(performance.now() - begun);
    }
    took.sort((a, b) => a - b);
    return [took[20], took[39]];";

/// How many bytes of memory a process has for itself (`VmRSS` of proc(5)).
fn memory(process: u32) -> Result<f64> {
    let status = std::fs::read_to_string(format!("/proc/{process}/status"))?;
    let line = status.lines().find(|line| line.starts_with("VmRSS:")).context("its memory")?;
    let kilobytes: f64 = line.split_whitespace().nth(1).context("a number")?.parse()?;
    Ok(kilobytes * 1024.0)
}

/// Measures all of it; a line for each.
pub(crate) async fn measure(tab: &Tab, vein: &Path) -> Result<Vec<String>> {
    let dir = TempDir::new()?;
    project(dir.path())?;
    let server = serve(vein, dir.path())?;
    tab.open(&server.address).await?;
    tab.until("return 'linked' in document.documentElement.dataset || null").await?;
    let run = async |script: &str, given| {
        let script = format!("return (async (...arguments) => {{ {script} }})(...arguments)");
        tab.run(&script, given).await
    };
    let clicks = async |selector: &str| -> Result<f64> {
        let given = vec![selector.into(), ROUNDS.into()];
        run(CLICKS, given).await?.as_f64().context("a time")
    };
    let alone = [clicks("#one").await?, clicks("#all").await?];
    run(LOOK, Vec::new()).await?;
    run(FOLLOW, Vec::new()).await?;
    let looked = [clicks("#one").await?, clicks("#all").await?];
    let mut lines = Vec::new();
    for (what, at) in [("one part of 1,000", 0), ("all of 1,000", 1)] {
        let more = looked[at] - alone[at];
        lines.push(format!(
            "a pulse that changes {what}: {:.1} ms alone, {:.1} ms looked at: {more:.1} ms more (the aim is 10)",
            alone[at], looked[at]
        ));
    }
    let before = memory(server.id())?;
    let mut kept = serde_json::Value::Null;
    for _ in 0..PULSES / 500 {
        kept = run(MANY, vec![500.into()]).await?;
    }
    let grown = (memory(server.id())? - before) / f64::from(1 << 20);
    lines.push(format!(
        "{PULSES} pulses: {grown:.1} MB more, moments {} to {} are kept (the aim is 64 MB)",
        kept["first"], kept["last"]
    ));
    let back = run(BACK, Vec::new()).await?;
    lines.push(format!(
        "back to any of them: {:.0} ms, at most {:.0} ms (the aim is 50)",
        back[0].as_f64().context("a time")?,
        back[1].as_f64().context("a time")?
    ));
    Ok(lines)
}
