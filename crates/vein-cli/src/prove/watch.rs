//! `--watch`: played again whenever something in the project changes.

use super::once;
use crate::arguments::Prove;
use crate::output::{self, Outcome};
use crate::project::{self, Project};
use anstream::eprintln;
use anyhow::{Context, Result};
use notify_debouncer_full::DebounceEventResult;
use notify_debouncer_full::notify::{EventKind, RecursiveMode};
use std::path::Path;
use std::sync::mpsc::channel;
use std::time::Duration;

/// Editors write a file in several steps.
const QUIET: Duration = Duration::from_millis(150);

pub(super) fn run(prove: &Prove) -> Result<Outcome> {
    let (send, changes) = channel();
    let hear = move |events: DebounceEventResult| {
        let Ok(events) = events else { return };
        let matters = events.iter().any(|event| {
            !matches!(event.kind, EventKind::Access(_))
                && event.paths.iter().any(|path| is_ours(path))
        });
        if matters {
            let _ = send.send(());
        }
    };
    let mut watcher = notify_debouncer_full::new_debouncer(QUIET, None, hear)
        .context("changes of files cannot be watched here")?;
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
        while changes.try_recv().is_ok() {}
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
