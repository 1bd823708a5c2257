//! `vein check`

use crate::arguments::Check;
use crate::output::{self, Outcome, summary};
use crate::project::Project;
use anyhow::Result;
use vein::{Error, Report, Ui};

pub(crate) fn run(check: &Check) -> Result<Outcome> {
    let project = Project::at(&check.dir)?;
    let report = match Ui::from_dir(project.components()) {
        Ok(ui) => ui.report().cloned(),
        Err(Error::Check(report)) => Some(*report),
        Err(error) => return Err(error.into()),
    };
    let Some(report) = report else { return Ok(Outcome::Holds) };
    print(check, &report)?;
    let mistakes = report.errors() + if check.warnings_fail { report.warnings() } else { 0 };
    Ok(Outcome::of(mistakes == 0))
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
