//! How far something is that takes longer than a second, told on a terminal.

use std::io::{IsTerminal, Write, stderr};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

/// What is quicker needs no telling.
const PATIENCE: Duration = Duration::from_secs(1);
/// How wide the bar is, in columns.
const WIDTH: u64 = 30;

/// Things that are done one after the other, or several at once.
pub(crate) struct Progress {
    what: &'static str,
    count: u64,
    done: AtomicU64,
    begun: Instant,
    told: bool,
}

impl Progress {
    pub(crate) fn of(count: usize, what: &'static str) -> Progress {
        let told = stderr().is_terminal() && std::env::var_os("TERM").is_none_or(|t| t != "dumb");
        Progress { what, count: count as u64, done: 0.into(), begun: Instant::now(), told }
    }

    /// One more is done.
    pub(crate) fn step(&self) {
        let done = self.done.fetch_add(1, Ordering::Relaxed) + 1;
        if self.told && self.begun.elapsed() > PATIENCE {
            // Where nothing can be told, nothing is.
            let _ = write!(stderr(), "\r\u{1b}[2K{}", line(done, self.count, self.what));
        }
    }

    /// All is done, and the line is for what follows.
    pub(crate) fn end(&self) {
        if self.told && self.begun.elapsed() > PATIENCE {
            let _ = write!(stderr(), "\r\u{1b}[2K");
        }
    }
}

fn line(done: u64, count: u64, what: &str) -> String {
    let full = (done * WIDTH).checked_div(count).unwrap_or(WIDTH).min(WIDTH) as usize;
    let bar = "█".repeat(full) + &"░".repeat(WIDTH as usize - full);
    format!("{bar} {done} of {count} {what}")
}

#[cfg(test)]
mod tests {
    use super::line;

    #[test]
    fn the_bar_is_as_full_as_what_is_done() {
        for (done, count, full) in [(0, 4, 0), (1, 4, 7), (4, 4, 30), (9, 4, 30), (0, 0, 30)] {
            let line = line(done, count, "breaks");
            assert_eq!(line.matches('█').count(), full, "{line}");
            assert_eq!(line.matches(['█', '░']).count(), 30, "{line}");
            assert!(line.ends_with(&format!(" {done} of {count} breaks")), "{line}");
        }
    }
}
