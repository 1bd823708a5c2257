//! `vein check`

use crate::arguments::Check;
use crate::output::{self, Outcome, summary};
use crate::project::Project;
use anstream::eprintln;
use anyhow::{Context, Result};
use vein::{Error, Report, Severity, Ui, Workspace};

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
    let mistakes = report.errors() + if check.deny_warnings { report.warnings() } else { 0 };
    Ok(Outcome::of(mistakes == 0))
}

fn checked(project: &Project) -> Result<Report> {
    let mut report = match Ui::from_dir(project.components()) {
        // What was read from a folder always comes with its report.
        Ok(ui) => ui.report().cloned().context("the check gave no report")?,
        Err(Error::Check(report)) => *report,
        Err(error) => return Err(error.into()),
    };
    // What is only advice waits until everything can be understood.
    if report.errors() == 0 {
        let entries = project.entries()?;
        let entries: Vec<&str> = entries.iter().map(String::as_str).collect();
        report.diagnostics.extend(Workspace::new(report.sources.to_vec()).advice(&entries));
        report.diagnostics.sort_by_key(|found| (found.file, found.span, found.severity));
    }
    report
        .diagnostics
        .retain(|found| found.severity == Severity::Error || project.warns_of(found.code));
    Ok(report)
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
