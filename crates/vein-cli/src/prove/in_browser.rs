//! `--browser`: what could be played in memory is played in Chromium, too.

use super::chromium::{Chromium, WhereEngine};
use super::{InBrowser, Proved};
use crate::progress::Progress;
use crate::project::Project;
use anyhow::Result;
use std::time::Instant;
use vein::Ui;

/// Plays one scenario after the other on compiled pages.
pub(super) fn play(ui: &Ui, project: &Project, proved: &mut Proved) -> Result<()> {
    let begun = Instant::now();
    let (locale, zone) = project.locale();
    let mut chromium = Chromium::start(ui, &locale, &project.styles()?)?;
    let progress = Progress::of(proved.runs.len(), "scenarios in Chromium");
    for run in &mut proved.runs {
        if let Ok((file, in_memory)) = &run.played {
            let begun = Instant::now();
            let played = chromium.play(file, ui, (&locale, &zone), in_memory, WhereEngine::There);
            let (played, steps_took) = match played {
                Ok((played, took)) => (Ok(played), took),
                Err(error) => (Err(format!("{error:#}")), Vec::new()),
            };
            run.in_browser = Some(InBrowser { played, took: begun.elapsed(), steps_took });
        }
        progress.step();
    }
    progress.end();
    chromium.close();
    proved.took += begun.elapsed();
    Ok(())
}
