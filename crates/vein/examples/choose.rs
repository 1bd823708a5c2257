//! Shows one of several things: `cargo run -p vein --example choose`

use std::fmt::Write;
use vein::{Error, Ui};

/// Lets it grow colder, then warmer.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/frost-alarm.vein");
    let mut page = Ui::from_sources([("frost-alarm.vein", text)])?.open("frost-alarm", ())?;
    let mut out = String::new();
    for degrees in [3, -2, 12] {
        let pulse = page.set("degrees", degrees)?;
        pulse.assert_exact()?;
        let _ = writeln!(out, "{pulse}\n");
    }
    let pulse = page.set("name", "north door")?;
    pulse.assert_exact()?;
    let _ = writeln!(out, "{pulse}\n\n{}", page.html());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
