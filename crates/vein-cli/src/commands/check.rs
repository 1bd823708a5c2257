//! `vein check`

use crate::arguments::Check;
use crate::output::{self, Outcome, summary};
use crate::project::Project;
use anstream::eprintln;
use anyhow::{Context, Result};
use vein::{Error, Report, Ui};

/// One fix can uncover the next, but not without end.
const MOST_ROUNDS: usize = 20;

pub(crate) fn run(check: &Check) -> Result<Outcome> {
    let project = Project::at(&check.dir)?;
    let mut report = checked(&project)?;
    if check.fix {
        for _ in 0..MOST_ROUNDS {
            if !mend(&report)? {
                break;
            }
            report = checked(&project)?;
        }
    }
    print(check, &report)?;
    let mistakes = report.errors() + if check.warnings_fail { report.warnings() } else { 0 };
    Ok(Outcome::of(mistakes == 0))
}

fn checked(project: &Project) -> Result<Report> {
    match Ui::from_dir(project.components()) {
        // What was read from a folder always comes with its report.
        Ok(ui) => ui.report().cloned().context("the check gave no report"),
        Err(Error::Check(report)) => Ok(*report),
        Err(error) => Err(error.into()),
    }
}

/// Writes the safe fixes of a report; `false` where there are none.
fn mend(report: &Report) -> Result<bool> {
    let fixed = report.fixed();
    for (file, text, count) in &fixed {
        let path = &report.sources[*file].path;
        std::fs::write(path, text).with_context(|| format!("cannot write `{path}`"))?;
        eprintln!("mended {path}: {count} fix{}", if *count == 1 { "" } else { "es" });
    }
    Ok(!fixed.is_empty())
}

fn print(check: &Check, report: &Report) -> Result<()> {
    if check.json {
        output::line(serde_json::to_string_pretty(&report.json())?);
    } else if check.sarif {
        output::line(serde_json::to_string_pretty(&report.sarif())?);
    } else if report.diagnostics.is_empty() {
        output::line(summary(report));
    } else {
        output::report(report);
    }
    Ok(())
}
