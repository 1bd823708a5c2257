//! Measures built pages in Chromium beside the same pages written by hand, as an expert would:
//! `cargo xtask bench-browser`.

mod figures;
mod looking;
mod pages;
mod report;
mod saving;
mod tab;

use anyhow::{Context, Result, bail};
use clap::Parser;
use figures::{Figures, Load, Measure, Memory, Sides};
use pages::Pages;
use std::path::PathBuf;
use tab::Tab;

/// Measures what `vein build` makes beside the same pages written by hand.
#[derive(Parser)]
struct Arguments {
    /// The program that builds the pages.
    #[arg(long, default_value = "target/release/vein")]
    vein: PathBuf,
    /// A fraction of the rounds, to try something out.
    #[arg(long, default_value_t = 1.0)]
    share: f64,
    /// Only what has this in its name.
    #[arg(long)]
    only: Option<String>,
    /// Script time alone, and neither loading nor memory.
    #[arg(long)]
    script: bool,
    /// How long it takes from saving a file to the tab that shows it, and nothing else.
    #[arg(long)]
    saving: bool,
    /// What a workbench costs the page that it looks at, and nothing else.
    #[arg(long)]
    looking: bool,
    /// Put the figures into `docs/performance.md`, with their chart.
    #[arg(long)]
    write: bool,
}

/// A control beyond these says that the machine was too loud; what was measured is measured again.
const CONTROL: std::ops::RangeInclusive<f64> = 0.95..=1.05;
const TRIES: usize = 4;

#[tokio::main]
async fn main() -> Result<()> {
    let arguments = Arguments::parse();
    let alone = arguments.saving || arguments.looking;
    let some = alone || arguments.only.is_some() || arguments.script || arguments.share < 1.0;
    if arguments.write && some {
        bail!("only a whole run is written down");
    }
    let pages = Pages::build(&arguments.vein)?;
    let server = pages::serve(pages.folder()).await?;
    let tab = Tab::start(server).await?;
    if alone {
        let lines = match arguments.saving {
            true => saving::measure(&tab, &arguments.vein).await?,
            false => looking::measure(&tab, &arguments.vein).await?,
        };
        lines.iter().for_each(|line| println!("{line}"));
        tab.close().await;
        return Ok(());
    }
    let wanted = |name: &str| arguments.only.as_ref().is_none_or(|only| name.contains(only));
    let more = |name: &str| !arguments.script && wanted(name);
    let mut figures = Figures { sizes: pages.sizes.clone(), ..Figures::default() };
    for (number, what) in tab.measures().await?.into_iter().enumerate() {
        if !wanted(&format!("{}: {}", what.group, what.name)) {
            continue;
        }
        let script = quiet(&tab, number, "script", arguments.share).await?;
        let frame = match what.frames && !arguments.script {
            true => Some(quiet(&tab, number, "frame", arguments.share).await?),
            false => None,
        };
        let measure = Measure { what, script, frame };
        println!("{}", report::line(&measure));
        figures.measures.push(measure);
    }
    if let Some(mean) = figures.mean() {
        println!("script, geometric mean of the ratios: {mean:.2}");
    }
    if more("load") {
        let rounds = ((24.0 * arguments.share) as usize).max(4);
        for page in ["count-up", "many-beds"] {
            let load = Load { page: page.to_owned(), sides: tab.loads(page, rounds).await? };
            println!("{}", report::load_line(&load));
            figures.loads.push(load);
        }
    }
    if more("memory") {
        for path in ["hand/many-beds.html", "vein/many-beds/index.html"] {
            let memory = tab.memory(path, arguments.share).await?;
            println!("{path}: {memory:?}");
            figures.memory.push(memory);
        }
    }
    tab.close().await;
    if arguments.write {
        report::write(&figures).context("the figures cannot be written down")?;
    }
    Ok(())
}

/// Measures until the control is quiet, or for the last time.
async fn quiet(tab: &Tab, number: usize, kind: &str, share: f64) -> Result<Sides> {
    let mut best: Option<Sides> = None;
    for _ in 0..TRIES {
        let sides = tab.measure(number, kind, share).await?;
        let off = |sides: &Sides| (sides.control() - 1.0).abs();
        let better = best.as_ref().is_none_or(|best| off(&sides) < off(best));
        if better {
            best = Some(sides);
        }
        if best.as_ref().is_some_and(|best| CONTROL.contains(&best.control())) {
            break;
        }
    }
    best.context("it was measured once at least")
}

impl Memory {
    /// What a row takes, in bytes.
    fn per_row(&self) -> f64 {
        (self.with_rows - self.empty) / 6000.0
    }
}
