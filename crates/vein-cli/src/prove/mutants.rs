//! Components broken on purpose, and which breaks no scenario notices.

use super::told::{count, duration};
use super::{jobs, lock, nth, wanted};
use crate::arguments::Prove;
use crate::output::{self, Outcome};
use crate::progress::Progress;
use crate::project::Project;
use anyhow::{Result, bail};
use serde_json::json;
use std::sync::Mutex;
use std::sync::atomic::AtomicUsize;
use std::time::Instant;
use vein::{Mutant, ScenarioFile, Ui};

pub(super) fn run(prove: &Prove, project: &Project, ui: &Ui) -> Result<Outcome> {
    let begun = Instant::now();
    let files: Vec<ScenarioFile> = wanted(project, &prove.scenarios)?
        .iter()
        .map(ScenarioFile::read)
        .collect::<Result<_, _>>()?;
    let (locale, zone) = project.locale();
    let locale = (locale.as_str(), zone.as_str());
    // What does not hold as it is notices nothing.
    for file in &files {
        if !file.play_in(ui, locale)?.holds() {
            bail!("`{}` does not hold as it is: mend that first, with `vein prove`", file.name());
        }
    }
    let mutants = ui.mutants();
    let progress = Progress::of(mutants.len(), "breaks");
    let (next, survivors) = (AtomicUsize::new(0), Mutex::new(Vec::new()));
    std::thread::scope(|scope| {
        for _ in 0..jobs(prove.jobs, mutants.len()) {
            scope.spawn(|| {
                while let Some((number, mutant)) = nth(&mutants, &next) {
                    let broken = ui.broken(mutant);
                    if !files.iter().any(|file| file.notices(&broken, locale)) {
                        lock(&survivors).push(number);
                    }
                    progress.step();
                }
            });
        }
    });
    progress.end();
    let mut survivors = survivors.into_inner().unwrap_or_else(|poisoned| poisoned.into_inner());
    survivors.sort_unstable();
    let survivors: Vec<&Mutant> = survivors.into_iter().map(|number| &mutants[number]).collect();
    let (all, left) = (mutants.len(), survivors.len());
    let place = |mutant: &Mutant| {
        let (origin, file) = (&mutant.origin, super::file_of(ui, &mutant.origin.component));
        format!("{file}:{}:{}", origin.line, origin.column)
    };
    if prove.json {
        let survivors = survivors.iter().map(|mutant| {
            json!({
                "what": mutant.what,
                "file": super::file_of(ui, &mutant.origin.component),
                "line": mutant.origin.line,
                "column": mutant.origin.column,
            })
        });
        let told = json!({ "breaks": all, "unnoticed": survivors.collect::<Vec<_>>() });
        output::line(serde_json::to_string_pretty(&told)?);
        return Ok(Outcome::of(left == 0));
    }
    if left > 0 {
        let head = ["break that no scenario notices", "written at"].map(str::to_owned);
        let rows = survivors.iter().map(|mutant| [mutant.what.clone(), place(mutant)]);
        let rows: Vec<[String; 2]> = std::iter::once(head).chain(rows).collect();
        output::line(output::columns(&rows));
        output::line("");
    }
    output::line(format!(
        "{} of the components, {} noticed by {}, {left} not · {}",
        count(all, "break"),
        all - left,
        count(files.len(), "scenario"),
        duration(begun.elapsed())
    ));
    Ok(Outcome::of(left == 0))
}
