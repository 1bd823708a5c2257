//! Folders that are watched: which files in them have changed.

use anyhow::{Context, Result};
use notify::{Event, EventKind, RecommendedWatcher, RecursiveMode, Watcher};
use std::path::PathBuf;
use std::sync::mpsc::{Receiver, channel};

/// The files that change in some folders, as long as the watcher is kept.
pub(crate) fn watched(folders: &[PathBuf]) -> Result<(RecommendedWatcher, Receiver<Vec<PathBuf>>)> {
    let (send, changes) = channel();
    let hear = move |event: notify::Result<Event>| {
        let Ok(event) = event else { return };
        if !matches!(event.kind, EventKind::Access(_)) {
            let _ = send.send(event.paths);
        }
    };
    let mut watcher =
        notify::recommended_watcher(hear).context("changes of files cannot be watched here")?;
    for folder in folders {
        watcher
            .watch(folder, RecursiveMode::Recursive)
            .with_context(|| format!("`{}` cannot be watched", folder.display()))?;
    }
    Ok((watcher, changes))
}
