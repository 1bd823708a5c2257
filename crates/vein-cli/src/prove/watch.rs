//! `--watch`: played again whenever something in the project changes.

use super::once;
use crate::arguments::Prove;
use crate::output::{self, Outcome};
use crate::project::{self, Project};
use anstream::eprintln;
use anyhow::{Context, Result};
use notify::{Event, EventKind, RecursiveMode, Watcher};
use std::path::Path;
use std::sync::mpsc::channel;
use std::time::Duration;

/// Editors write a file in several steps.
const QUIET: Duration = Duration::from_millis(150);

pub(super) fn run(prove: &Prove) -> Result<Outcome> {
    let (send, changes) = channel();
    let hear = move |event: notify::Result<Event>| {
        let Ok(event) = event else { return };
        let read = matches!(event.kind, EventKind::Access(_));
        if !read && event.paths.iter().any(|path| is_ours(path)) {
            let _ = send.send(());
        }
    };
    let mut watcher =
        notify::recommended_watcher(hear).context("changes of files cannot be watched here")?;
    watcher
        .watch(&prove.dir, RecursiveMode::Recursive)
        .with_context(|| format!("`{}` cannot be watched", prove.dir.display()))?;
    loop {
        // What is wrong now may be mended in a moment.
        if let Err(error) = again(prove) {
            output::error(&error);
        }
        eprintln!("\nwatching `{}` · Ctrl+C ends", prove.dir.display());
        if changes.recv().is_err() {
            return Ok(Outcome::Holds);
        }
        while changes.recv_timeout(QUIET).is_ok() {}
        output::line("\n————");
    }
}

fn again(prove: &Prove) -> Result<()> {
    let project = Project::at(&prove.dir)?;
    if let Some(ui) = project::checked(&project)? {
        once(prove, &project, &ui)?;
    }
    Ok(())
}

/// Whether a file is one that scenarios are made of.
fn is_ours(path: &Path) -> bool {
    let ending = path.extension().and_then(|ending| ending.to_str());
    matches!(ending, Some("vein" | "toml" | "json" | "css"))
}
