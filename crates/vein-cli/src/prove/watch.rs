//! `--watch`: played again whenever something in the project changes.

use super::once;
use crate::arguments::Prove;
use crate::output::{self, Outcome};
use crate::project::{self, Project};
use crate::watched::watched;
use anstream::eprintln;
use anyhow::Result;
use std::path::Path;
use std::time::Duration;

/// Editors write a file in several steps.
const QUIET: Duration = Duration::from_millis(150);

pub(super) fn run(prove: &Prove) -> Result<Outcome> {
    let (_watcher, changes) = watched(std::slice::from_ref(&prove.dir))?;
    loop {
        // What is wrong now may be mended in a moment.
        if let Err(error) = again(prove) {
            output::error(&error);
        }
        eprintln!("\nwatching `{}` · Ctrl+C ends", prove.dir.display());
        loop {
            let Ok(paths) = changes.recv() else { return Ok(Outcome::Holds) };
            if paths.iter().any(|path| is_ours(path)) {
                break;
            }
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
