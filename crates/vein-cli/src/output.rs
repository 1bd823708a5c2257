//! What goes to the terminal, and how a run ends.

use crate::settings::Unusable;
use anstream::{eprint, eprintln};
use std::borrow::Cow;
use std::io::{ErrorKind, IsTerminal, Write};
use vein::{HostError, Report, visible};

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
    ended(try_line(text));
}

/// As [`line()`], of a document that is for whoever reads the standard output, byte by byte, unless that is a terminal.
pub(crate) fn document(text: &str) {
    match std::io::stdout().is_terminal() {
        true => line(text),
        // Escapes are what stands in the document, and nobody's colours.
        false => ended(writeln!(std::io::stdout().lock(), "{text}")),
    }
}

fn ended(written: std::io::Result<()>) {
    if let Err(error) = written {
        if error.kind() != ErrorKind::BrokenPipe {
            eprintln!("error: cannot print: {error}");
        }
        std::process::exit(0);
    }
}

/// As [`line()`], for a process that goes on whether anybody reads or not.
pub(crate) fn try_line(text: impl std::fmt::Display) -> std::io::Result<()> {
    written(&steers_nothing(&text.to_string()))
}

fn written(text: &str) -> std::io::Result<()> {
    let mut out = anstream::stdout().lock();
    writeln!(out, "{text}")?;
    out.flush()
}

/// A text with nothing in it that steers a terminal but colours.
fn steers_nothing(text: &str) -> Cow<'_, str> {
    let is_plain = |c: char| !c.is_control() || matches!(c, '\n' | '\t');
    if text.chars().all(is_plain) {
        return Cow::Borrowed(text);
    }
    let (mut shown, mut rest) = (String::with_capacity(text.len()), text);
    while let Some(c) = rest.chars().next() {
        let colour = rest.strip_prefix("\u{1b}[").and_then(|after| {
            let digits = after.trim_start_matches(|c: char| c.is_ascii_digit() || c == ';');
            Some(rest.len() - digits.strip_prefix('m')?.len())
        });
        let taken = colour.unwrap_or(c.len_utf8());
        match colour.is_some() || is_plain(c) {
            true => shown.push_str(&rest[..taken]),
            false => shown.push_str(&visible(&rest[..taken])),
        }
        rest = &rest[taken..];
    }
    Cow::Owned(shown)
}

/// What is said beside the work, by a thread of its own: whoever does not read it keeps nobody from going on.
#[cfg(feature = "serve")]
pub(crate) mod beside {
    use std::sync::OnceLock;
    use std::sync::atomic::{AtomicUsize, Ordering};
    use std::sync::mpsc::{Receiver, SyncSender, TrySendError, sync_channel};

    /// So much waits to be read, in lines of whatever length.
    const MOST_WAITING: usize = 1_000;

    /// What goes to one of the two standard streams.
    struct Way {
        lines: SyncSender<String>,
        left_out: &'static AtomicUsize,
    }

    impl Way {
        fn new(left_out: &'static AtomicUsize, write: fn(&str)) -> Way {
            let (lines, written) = sync_channel::<String>(MOST_WAITING);
            let run = move |written: Receiver<String>| {
                for line in written {
                    let count = left_out.swap(0, Ordering::Relaxed);
                    if count > 0 {
                        write(&format!("… {count} more: nobody read them in time"));
                    }
                    write(&line);
                }
            };
            // Without a thread nothing is said, and everything goes on.
            let _ = std::thread::Builder::new().name("said".into()).spawn(move || run(written));
            Way { lines, left_out }
        }

        fn say(&self, text: String) {
            if let Err(TrySendError::Full(_)) = self.lines.try_send(text) {
                self.left_out.fetch_add(1, Ordering::Relaxed);
            }
        }
    }

    /// Says something on the standard output.
    pub(crate) fn line(text: String) {
        static LEFT_OUT: AtomicUsize = AtomicUsize::new(0);
        static WAY: OnceLock<Way> = OnceLock::new();
        let write = |text: &str| drop(super::try_line(text));
        WAY.get_or_init(|| Way::new(&LEFT_OUT, write)).say(text);
    }

    /// Says something on the standard error.
    pub(crate) fn error(text: String) {
        static LEFT_OUT: AtomicUsize = AtomicUsize::new(0);
        static WAY: OnceLock<Way> = OnceLock::new();
        let write = |text: &str| anstream::eprintln!("{}", super::steers_nothing(text));
        WAY.get_or_init(|| Way::new(&LEFT_OUT, write)).say(text);
    }
}

/// Whether colour is wanted on the standard output or error.
pub(crate) fn colour(stream: &impl IsTerminal) -> bool {
    stream.is_terminal() && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty())
}

/// Prints why a command could not be run.
pub(crate) fn error(error: &anyhow::Error) {
    if let Some(Unusable(report)) = error.downcast_ref() {
        return eprint!("{}", steers_nothing(&report.text(colour(&std::io::stderr()))));
    }
    eprintln!("error: {}", told(error));
}

/// What an error says, with what it follows from and what to do.
pub(crate) fn told(error: &anyhow::Error) -> String {
    let said = |cause: &dyn std::fmt::Display| {
        let said = cause.to_string();
        said.lines().map(visible).collect::<Vec<_>>().join("\n")
    };
    let mut lines = vec![said(error)];
    lines.extend(error.chain().skip(1).map(|cause| format!("  because: {}", said(cause))));
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
            Some(format!("give it in a JSON file with `--data`: {{ {} }}", fields.join(", ")))
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
    eprintln!("{}", told_of(report));
}

/// A report of mistakes, as the standard error shows it.
pub(crate) fn told_of(report: &Report) -> String {
    let text = report.text(colour(&std::io::stderr()));
    format!("{}\n{}", steers_nothing(&text), summary(report))
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
    pulse.to_string().lines().map(|line| paint(&visible(line))).collect::<Vec<_>>().join("\n")
}

/// A column is no wider than this, whatever stands in it.
pub(crate) const WIDEST: usize = 160;

/// How wide a column has to be.
pub(crate) fn widest<T: AsRef<str>>(cells: impl Iterator<Item = T>) -> usize {
    cells.map(|cell| cell.as_ref().chars().count()).max().unwrap_or(0).min(WIDEST)
}

/// Rows in columns, the first of them the head; nothing hangs over at the end of a line.
pub(crate) fn columns<const N: usize>(rows: &[[String; N]]) -> String {
    let rows: Vec<[String; N]> =
        rows.iter().map(|row| row.each_ref().map(|cell| visible(cell).into_owned())).collect();
    let width = |i: usize| widest(rows.iter().map(|row| &row[i]));
    let widths: Vec<usize> = (0..N).map(width).collect();
    let line = |(i, row): (usize, &[String; N])| {
        let cells = row.iter().zip(&widths).map(|(cell, width)| format!("{cell:<width$}"));
        let line = cells.collect::<Vec<_>>().join("  ").trim_end().to_owned();
        // Bold for the head; off a terminal the codes are dropped.
        if i == 0 { format!("\u{1b}[1m{line}\u{1b}[0m") } else { line }
    };
    rows.iter().enumerate().map(line).collect::<Vec<_>>().join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_terminal_is_given_colours_and_nothing_else_that_steers_it() {
        for (given, sent) in [
            ("beds\tkale\n", "beds\tkale\n"),
            ("\u{1b}[1;31mred\u{1b}[0m", "\u{1b}[1;31mred\u{1b}[0m"),
            ("\u{1b}[2Jgone", "␛[2Jgone"),
            ("\u{1b}]0;title\u{7}", "␛]0;title␇"),
            ("\u{9b}31mred\rover", "\\u{9b}31mred␍over"),
            ("\u{1b}", "␛"),
            ("\u{1b}[", "␛["),
        ] {
            assert_eq!(steers_nothing(given), sent, "{given:?}");
        }
    }

    #[test]
    fn columns_have_an_end() {
        let wide = "b".repeat(70_000);
        let rows =
            [["view", "reads"], [&wide, "n"], ["p", "\u{1b}[2J"]].map(|row| row.map(str::to_owned));
        let lines = columns(&rows);
        let lines: Vec<&str> = lines.lines().collect();
        assert_eq!(lines[1].len(), 70_003);
        assert_eq!(lines[2], format!("{:<WIDEST$}  ␛[2J", "p"));
    }
}
