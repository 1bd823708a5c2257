//! The project's files, followed: what is saved is read, handed to the open tabs, and told of in a line.

use super::State;
use super::reading::{Reader, Served, Trouble, is_component};
use crate::output::{self, beside};
use crate::watched::watched;
use anyhow::Result;
use std::collections::BTreeSet;
use std::path::{Component, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::Receiver;
use std::time::{Duration, Instant};
use tokio::sync::watch;

/// Editors write a file in several steps.
const QUIET: Duration = Duration::from_millis(8);
/// A file that is written in more steps than that may look mistaken in between.
const DOUBT: Duration = Duration::from_millis(60);
/// However much goes on, what is there is read after so long.
const LONGEST: Duration = Duration::from_millis(200);
/// Tabs that have not said by then that they show it are asleep.
const PATIENCE: Duration = Duration::from_millis(1500);

/// What a tab tells of what it shows.
#[derive(Debug)]
pub(super) struct Report {
    /// Which state of the site that is.
    pub(super) number: u64,
    /// How many values went on.
    pub(super) kept: usize,
    /// What could not.
    pub(super) lost: Vec<String>,
    /// Why it could not be shown, if it could not.
    pub(super) failed: Option<String>,
}

/// Prints why a project cannot be shown, as `vein check` does.
pub(super) fn tell(error: &anyhow::Error) {
    match error.downcast_ref() {
        Some(vein::Error::Check(report)) => beside::error(output::told_of(report)),
        _ => output::error(error),
    }
}

/// Prints what is only advice.
pub(super) fn warn(served: &Served) {
    served.warnings.iter().for_each(|warning| beside::error(warning.to_string()));
}

/// Follows the files from now on, on a thread of its own.
pub(super) fn begin(
    mut reader: Reader,
    publish: Arc<watch::Sender<Arc<State>>>,
    reports: Receiver<Report>,
) -> Result<()> {
    let folder = reader.folder().to_owned();
    let mut folders = vec![folder.clone()];
    folders.extend(reader.others());
    let (watcher, changes) = watched(&folders)?;
    std::thread::spawn(move || {
        let _watcher = watcher;
        let mut followed = Followed { folder, changed: BTreeSet::new(), reports, publish };
        while let Ok(paths) = changes.recv() {
            let since = Instant::now();
            followed.note(paths);
            followed.wait(&changes, QUIET, since);
            if followed.changed.is_empty() {
                continue;
            }
            let mut read = followed.read(&mut reader);
            while read.is_err() && followed.wait(&changes, DOUBT, since) {
                read = followed.read(&mut reader);
            }
            followed.show(read, since);
        }
    });
    Ok(())
}

struct Followed {
    folder: PathBuf,
    /// What has changed and was not shown yet.
    changed: BTreeSet<PathBuf>,
    reports: Receiver<Report>,
    publish: Arc<watch::Sender<Arc<State>>>,
}

impl Followed {
    fn note(&mut self, paths: Vec<PathBuf>) {
        let whole = self.folder.canonicalize().unwrap_or_default();
        for path in paths {
            // Some systems tell of files by their whole paths.
            let path = match path.strip_prefix(&whole) {
                Ok(inner) if whole.is_absolute() => self.folder.join(inner),
                _ => path,
            };
            let inner = path.strip_prefix(&self.folder).unwrap_or(&path);
            let of_tools = inner.components().any(|part| {
                let Component::Normal(part) = part else { return false };
                let part = part.to_string_lossy();
                part.starts_with('.') || part == "target" || part.ends_with('~')
            });
            if !of_tools {
                self.changed.insert(path);
            }
        }
    }

    /// Waits until nothing more has changed for a while; `true` if something has.
    fn wait(&mut self, changes: &Receiver<Vec<PathBuf>>, quiet: Duration, since: Instant) -> bool {
        let mut more = false;
        while let Ok(paths) = changes.recv_timeout(quiet) {
            more = true;
            self.note(paths);
            if since.elapsed() > LONGEST {
                break;
            }
        }
        more
    }

    /// How many tabs are open.
    fn tabs(&self) -> usize {
        self.publish.receiver_count().saturating_sub(1)
    }

    fn read(&self, reader: &mut Reader) -> Result<Served> {
        let before = self.publish.borrow().served.clone();
        let served = reader.read_after(Some(&self.changed), before.as_deref())?;
        // Open tabs find out by themselves whether it can be opened.
        if self.tabs() == 0 || before.is_none() {
            served.first()?;
        }
        Ok(served)
    }

    /// Hands what was read to the tabs, and tells of it.
    fn show(&mut self, read: Result<Served>, since: Instant) {
        let before = self.publish.borrow().clone();
        let names = self.names();
        let number = before.number + 1;
        match read {
            Ok(served) => {
                let same = before.served.as_ref().is_some_and(|old| old.marks == served.marks);
                self.changed.clear();
                if same && before.trouble.is_empty() {
                    return;
                }
                if before.served.as_ref().is_none_or(|old| old.warnings != served.warnings) {
                    warn(&served);
                }
                let moved = before.served.as_ref().filter(|old| old.port != served.port);
                if moved.is_some() {
                    beside::error(
                        "warning: another port is taken when `vein serve` is started again"
                            .to_owned(),
                    );
                }
                let served = Some(Arc::new(served));
                while self.reports.try_recv().is_ok() {}
                let tabs = self.tabs();
                self.publish.send_replace(Arc::new(State { served, trouble: Vec::new(), number }));
                self.tell(number, tabs, &names, since);
            }
            Err(error) => {
                let trouble = Trouble::of(&error);
                if trouble == before.trouble {
                    return;
                }
                beside::line(format!("read {names} · not shown, there are mistakes"));
                tell(&error);
                let served = before.served.clone();
                self.publish.send_replace(Arc::new(State { served, trouble, number }));
            }
        }
    }

    /// The names of what has changed.
    fn names(&self) -> String {
        let inner =
            |path: &PathBuf| path.strip_prefix(&self.folder).unwrap_or(path).display().to_string();
        let components = self.changed.iter().filter(|path| is_component(path)).map(inner);
        let others = self.changed.iter().filter(|path| !is_component(path)).map(inner);
        let names: Vec<String> = components.chain(others).collect();
        match names.len() {
            0..=3 => names.join(", "),
            more => format!("{} and {} more", names[..2].join(", "), more - 2),
        }
    }

    /// Waits for the tabs and prints what they show.
    fn tell(&mut self, number: u64, tabs: usize, names: &str, since: Instant) {
        let (mut kept, mut lost, mut shown) = (0, BTreeSet::new(), 0);
        let mut failed = BTreeSet::new();
        while shown < tabs && since.elapsed() < PATIENCE {
            let rest = PATIENCE.saturating_sub(since.elapsed());
            let Ok(report) = self.reports.recv_timeout(rest) else { break };
            if report.number == number {
                shown += 1;
                kept += report.kept;
                lost.extend(report.lost);
                failed.extend(report.failed);
            }
        }
        let many = |n: usize, what: &str| format!("{n} {what}{}", if n == 1 { "" } else { "s" });
        let shown = match tabs {
            0 => "no tab is open".to_owned(),
            _ if kept == 0 => many(shown, "tab"),
            _ => format!("{}, {} kept", many(shown, "tab"), many(kept, "value")),
        };
        let took = since.elapsed().as_secs_f64() * 1000.0;
        beside::line(format!("read {names} · {shown} · {took:.0} ms"));
        for lost in lost {
            beside::line(format!("  not kept: {lost}"));
        }
        failed.into_iter().for_each(|failed| beside::error(failed.to_string()));
    }
}
