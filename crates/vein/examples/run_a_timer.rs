//! Runs a timer on a clock of its own: `cargo run -p vein --example run_a_timer`

use std::fmt::Write;
use vein::{Error, Ui};

/// The host moves the clock; the timer runs only while its condition holds.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/drip-timer.vein");
    let mut page = Ui::from_sources([("drip-timer.vein", text)])?.open("drip-timer", ())?;
    let mut out = String::new();
    for (milliseconds, click) in [(5000.0, true), (3500.0, true), (5000.0, false)] {
        let pulses = page.advance(milliseconds)?;
        let _ = writeln!(out, "{milliseconds} ms: {} pulses, {}", pulses.len(), page.html());
        if click {
            page.find("button")?.click()?.assert_exact()?;
        }
    }
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
