//! `vein prove`: scenarios played, in memory and in a browser, and what is told of them.

#[cfg(feature = "browser")]
pub(crate) mod chromium;
#[cfg_attr(not(feature = "browser"), path = "no_browser.rs")]
mod in_browser;
mod json;
mod junit;
mod mutants;
mod report;
mod told;
mod watch;

use crate::arguments::Prove;
use crate::output::{self, Outcome};
use crate::progress::Progress;
use crate::project::{self, Project};
use anstream::eprintln;
use anyhow::{Context, Result, bail};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use vein::scenario::InMemory;
use vein::{Coverage, Error, Played, ScenarioFile, Ui};

/// A scenario that was played, or could not be.
pub(crate) struct Run {
    pub(crate) name: String,
    pub(crate) path: PathBuf,
    pub(crate) played: Result<(ScenarioFile, Played), Error>,
    pub(crate) took: Duration,
    /// How long each step took.
    pub(crate) steps_took: Vec<Duration>,
    /// The same in a browser, where it was played there, and how long that took.
    pub(crate) in_browser: Option<InBrowser>,
}

impl Run {
    pub(crate) fn holds(&self) -> bool {
        let held = |played: &Result<Played, String>| played.as_ref().is_ok_and(Played::holds);
        self.played.as_ref().is_ok_and(|(_, played)| played.holds())
            && self.in_browser.as_ref().is_none_or(|browser| held(&browser.played))
    }
}

/// A scenario that was played in a browser, or could not be.
pub(crate) struct InBrowser {
    pub(crate) played: Result<Played, String>,
    pub(crate) took: Duration,
    pub(crate) steps_took: Vec<StepTime>,
}

/// How long a step took in a browser, and how much of that the browser took to do what was asked of it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct StepTime {
    pub(crate) all: Duration,
    pub(crate) own: Duration,
}

/// Every scenario that was played, and what was seen of the components.
pub(crate) struct Proved {
    pub(crate) runs: Vec<Run>,
    pub(crate) coverage: Coverage,
    pub(crate) took: Duration,
}

impl Proved {
    pub(crate) fn holds(&self) -> bool {
        self.runs.iter().all(Run::holds)
    }
}

pub(crate) fn run(prove: &Prove) -> Result<Outcome> {
    if prove.watch {
        return watch::run(prove);
    }
    let project = Project::at(&prove.dir)?;
    let Some(ui) = project::checked(&project)? else { return Ok(Outcome::DoesNotHold) };
    if prove.mutants {
        return mutants::run(prove, &project, &ui);
    }
    once(prove, &project, &ui)
}

/// Plays everything once, and tells of it.
pub(crate) fn once(prove: &Prove, project: &Project, ui: &Ui) -> Result<Outcome> {
    let files = wanted(project, &prove.scenarios)?;
    let mut proved = play_all(ui, &project.locale(), &files, prove);
    // What was written has to hold, and what is not for this to write is told as ever.
    if prove.accept && accept(&proved)? {
        proved = play_all(ui, &project.locale(), &files, prove);
    }
    if prove.browser {
        in_browser::play(ui, project, &mut proved)?;
    }
    if prove.json {
        output::line(serde_json::to_string_pretty(&json::proved(ui, &proved))?);
    } else {
        let styled = ui.styles().next().is_some() || project.is_styled();
        told::proved(prove, ui, &proved, styled);
    }
    let write = |path: &Path, text: String| {
        std::fs::write(path, text).with_context(|| format!("cannot write `{}`", path.display()))
    };
    if let Some(path) = &prove.lcov {
        write(path, proved.coverage.lcov(|component| file_of(ui, component)))?;
    }
    if let Some(path) = &prove.report {
        write(path, report::page(ui, &proved, &project.styles()?))?;
    }
    if let Some(path) = &prove.junit {
        write(path, junit::proved(&proved))?;
    }
    let covered = prove.coverage_min.is_none_or(|least| proved.coverage.percent() >= least);
    if let (false, Some(least)) = (covered, prove.coverage_min) {
        let seen = proved.coverage.percent();
        eprintln!("coverage: {seen:.1} % was seen, which is less than {least} %");
    }
    Ok(Outcome::of(proved.holds() && covered))
}

/// The path of the file that a component is in.
pub(crate) fn file_of(ui: &Ui, component: &str) -> String {
    let name = format!("{component}.vein");
    let sources = ui.report().map_or(&[][..], |report| &report.sources);
    let source =
        sources.iter().find(|source| source.path.rsplit(['/', '\\']).next() == Some(name.as_str()));
    source.map_or(name, |source| source.path.clone())
}

/// The scenarios that were asked for: files, or those below the folder whose names have a part of
/// them.
pub(crate) fn wanted(project: &Project, asked: &[String]) -> Result<Vec<PathBuf>> {
    let all = vein::scenarios_in(project.root())?;
    if all.is_empty() && asked.is_empty() {
        bail!(
            "no `*{}` below `{}`: docs/scenarios.md tells how to write one",
            vein::SCENARIO_ENDING,
            project.root().display()
        );
    }
    let mut found: Vec<PathBuf> = Vec::new();
    for part in asked {
        let path = PathBuf::from(part);
        let matching: Vec<PathBuf> = match path.is_file() {
            true => vec![path],
            false => {
                all.iter().filter(|file| name_of(file).contains(part.as_str())).cloned().collect()
            }
        };
        if matching.is_empty() {
            let names: Vec<String> = all.iter().map(|file| name_of(file)).collect();
            let near = vein::nearest(part, names.iter().map(String::as_str));
            match near {
                Some(near) => bail!("no scenario is called `{part}`: did you mean `{near}`?"),
                None => bail!("no scenario is called `{part}`; there are: {}", names.join(", ")),
            }
        }
        found.extend(matching.into_iter().filter(|file| !found.contains(file)).collect::<Vec<_>>());
    }
    Ok(if asked.is_empty() { all } else { found })
}

pub(crate) fn name_of(path: &Path) -> String {
    let file = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    file.strip_suffix(vein::SCENARIO_ENDING).unwrap_or(&file).to_owned()
}

/// Plays scenarios in memory, several at once, and tells how far it is when that takes long.
fn play_all(ui: &Ui, locale: &(String, String), files: &[PathBuf], prove: &Prove) -> Proved {
    let begun = Instant::now();
    let progress = Progress::of(files.len(), "scenarios");
    let next = AtomicUsize::new(0);
    let done: Mutex<Vec<(usize, Run)>> = Mutex::new(Vec::new());
    let total = Mutex::new(Coverage::of(ui.program()));
    let jobs = jobs(prove.jobs, files.len());
    let pictures = prove.report.is_some();
    std::thread::scope(|scope| {
        for _ in 0..jobs {
            scope.spawn(|| {
                let mut coverage = Coverage::of(ui.program());
                while let Some((number, path)) = nth(files, &next) {
                    let run = play(ui, locale, path, pictures, &mut coverage);
                    progress.step();
                    lock(&done).push((number, run));
                }
                lock(&total).add(&coverage);
            });
        }
    });
    progress.end();
    let mut runs = done.into_inner().unwrap_or_else(|poisoned| poisoned.into_inner());
    runs.sort_by_key(|(number, _)| *number);
    let runs = runs.into_iter().map(|(_, run)| run).collect();
    let coverage = total.into_inner().unwrap_or_else(|poisoned| poisoned.into_inner());
    Proved { runs, coverage, took: begun.elapsed() }
}

pub(crate) fn jobs(wanted: Option<usize>, most: usize) -> usize {
    let all = std::thread::available_parallelism().map_or(1, usize::from);
    wanted.unwrap_or(all).clamp(1, most.max(1))
}

/// The next of several that nobody has taken yet.
pub(crate) fn nth<'f, T>(all: &'f [T], next: &AtomicUsize) -> Option<(usize, &'f T)> {
    let number = next.fetch_add(1, Ordering::Relaxed);
    Some((number, all.get(number)?))
}

pub(crate) fn lock<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

fn play(
    ui: &Ui,
    locale: &(String, String),
    path: &Path,
    pictures: bool,
    coverage: &mut Coverage,
) -> Run {
    let begun = Instant::now();
    let mut steps_took = Vec::new();
    let played = ScenarioFile::read(path).and_then(|file| {
        let mut player = file.player(ui, (&locale.0, &locale.1), &mut InMemory)?;
        player.take_pictures(pictures);
        player.cover(std::mem::replace(coverage, Coverage::of(ui.program())));
        let mut played = Played::default();
        loop {
            let step_begun = Instant::now();
            let Some(step) = player.step(&mut InMemory) else { break };
            steps_took.push(step_begun.elapsed());
            played.steps.push(step);
        }
        played.left_out = player.left_out();
        if let Some(seen) = player.take_coverage() {
            *coverage = seen;
        }
        drop(player);
        Ok((file, played))
    });
    let (name, path) = (name_of(path), path.to_owned());
    Run { name, path, played, took: begun.elapsed(), steps_took, in_browser: None }
}

/// Writes what was seen into the scenarios that do not hold, and says in a line each what it wrote;
/// `true` if it wrote anything.
fn accept(proved: &Proved) -> Result<bool> {
    let mut written = false;
    for run in proved.runs.iter().filter(|run| !run.holds()) {
        let Ok((file, played)) = &run.played else { continue };
        let text = match file.accepted(played) {
            Ok(text) => text,
            Err(why) => bail!("`{}` cannot be written: {why}", run.path.display()),
        };
        if text == file.text() {
            continue;
        }
        let path = &run.path;
        std::fs::write(path, text).with_context(|| format!("cannot write `{}`", path.display()))?;
        written = true;
        eprintln!("written  {} · {}; review it", output::path(path), told::accepted(played));
    }
    Ok(written)
}
