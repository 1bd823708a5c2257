//! What goes to the terminal, and how a run ends.

use crate::settings::Unusable;
use anstream::{eprint, eprintln};
use std::io::{ErrorKind, IsTerminal, Write};
use vein::{HostError, Report};

/// How a command ended that could be run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Outcome {
    /// What was checked holds.
    Holds,
    /// It does not.
    DoesNotHold,
}

impl Outcome {
    pub(crate) fn of(holds: bool) -> Outcome {
        if holds { Outcome::Holds } else { Outcome::DoesNotHold }
    }
}

/// Prints a text and a line break on the standard output. Where nobody reads any more, as in
/// `vein demo | head`, the process ends quietly.
pub(crate) fn line(text: impl std::fmt::Display) {
    if let Err(error) = try_line(text) {
        if error.kind() != ErrorKind::BrokenPipe {
            eprintln!("error: cannot print: {error}");
        }
        std::process::exit(0);
    }
}

/// As [`line()`], for a process that goes on whether anybody reads or not.
pub(crate) fn try_line(text: impl std::fmt::Display) -> std::io::Result<()> {
    let mut out = anstream::stdout().lock();
    writeln!(out, "{text}")?;
    out.flush()
}

/// Whether colour is wanted on the standard output or error.
pub(crate) fn colour(stream: &impl IsTerminal) -> bool {
    stream.is_terminal() && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty())
}

/// Prints why a command could not be run.
pub(crate) fn error(error: &anyhow::Error) {
    if let Some(Unusable(report)) = error.downcast_ref() {
        return eprint!("{}", report.text(colour(&std::io::stderr())));
    }
    eprintln!("error: {}", told(error));
}

/// What an error says, with what it follows from and what to do.
pub(crate) fn told(error: &anyhow::Error) -> String {
    let mut lines = vec![error.to_string()];
    lines.extend(error.chain().skip(1).map(|cause| format!("  because: {cause}")));
    let host = error.chain().find_map(|cause| match cause.downcast_ref() {
        Some(vein::Error::Host(host)) => Some(host),
        _ => None,
    });
    lines.extend(host.and_then(help).map(|help| format!("  help: {help}")));
    lines.join("\n")
}

/// What to do about data or a name that does not fit.
fn help(error: &HostError) -> Option<String> {
    let near = |name: &str, known: &[String]| {
        let near = vein::nearest(name, known.iter().map(String::as_str));
        near.map(|near| format!("did you mean `{near}`?"))
    };
    match error {
        HostError::UnknownComponent { name, known } => near(name, known),
        HostError::UnknownProp { name, known, .. } => near(name, known),
        HostError::MissingProps { missing, .. } => {
            let fields: Vec<String> =
                missing.iter().map(|(name, _)| format!("\"{name}\": …")).collect();
            Some(format!("give it in a JSON file with `--with`: {{ {} }}", fields.join(", ")))
        }
        HostError::Unanswered { missing, .. } => {
            let name = missing.first()?.split([' ', '(']).nth(1).unwrap_or("name");
            Some(crate::project::who_may_answer(name))
        }
        _ => None,
    }
}

/// Prints a report of mistakes on the standard error.
pub(crate) fn report(report: &Report) {
    eprint!("{}", report.text(colour(&std::io::stderr())));
    eprintln!("\n{}", summary(report));
}

/// A path as it is written everywhere: without `./` before it.
pub(crate) fn path(path: &std::path::Path) -> String {
    path.strip_prefix(".").unwrap_or(path).display().to_string()
}

/// `2 errors and 1 warning in 3 components`
pub(crate) fn summary(report: &Report) -> String {
    let files = report.sources.len();
    let components = format!("{files} component{}", if files == 1 { "" } else { "s" });
    let count = |n: usize, what: &str| format!("{n} {what}{}", if n == 1 { "" } else { "s" });
    match (report.errors(), report.warnings()) {
        (0, 0) => format!("{components}: no mistakes"),
        (0, warnings) => format!("{components}: {}", count(warnings, "warning")),
        (errors, 0) => format!("{components}: {}", count(errors, "error")),
        (errors, warnings) => {
            format!("{components}: {}, {}", count(errors, "error"), count(warnings, "warning"))
        }
    }
}

/// A pulse for the terminal: what matters stands out, the rest stands back.
pub(crate) fn ledger(pulse: &vein::Pulse) -> String {
    const BOLD: &str = "\u{1b}[1m";
    const DIM: &str = "\u{1b}[2m";
    const GREEN: &str = "\u{1b}[32m";
    const RED: &str = "\u{1b}[1;31m";
    const PLAIN: &str = "\u{1b}[0m";
    let paint = |line: &str| {
        let (head, why) = match line.find("  because ") {
            Some(at) => line.split_at(at),
            None => (line, ""),
        };
        let style = match head.split_whitespace().next() {
            Some("pulse") => BOLD,
            Some("exact") => GREEN,
            Some("INEXACT" | "failed") => RED,
            _ => "",
        };
        let end = if style.is_empty() { "" } else { PLAIN };
        let why = if why.is_empty() { String::new() } else { format!("{DIM}{why}{PLAIN}") };
        format!("{style}{head}{end}{why}")
    };
    pulse.to_string().lines().map(paint).collect::<Vec<_>>().join("\n")
}

/// Rows in columns, the first of them the head; nothing hangs over at the end of a line.
pub(crate) fn columns<const N: usize>(rows: &[[String; N]]) -> String {
    let width = |i: usize| rows.iter().map(|row| row[i].chars().count()).max().unwrap_or(0);
    let widths: Vec<usize> = (0..N).map(width).collect();
    let line = |(i, row): (usize, &[String; N])| {
        let cells = row.iter().zip(&widths).map(|(cell, width)| format!("{cell:<width$}"));
        let line = cells.collect::<Vec<_>>().join("  ").trim_end().to_owned();
        // Bold for the head; off a terminal the codes are dropped.
        if i == 0 { format!("\u{1b}[1m{line}\u{1b}[0m") } else { line }
    };
    rows.iter().enumerate().map(line).collect::<Vec<_>>().join("\n")
}
