//! Derives values: `cargo run -p vein --example derive_a_value`

use serde_json::json;
use std::fmt::Write;
use vein::{Error, Ui};

/// Waters one bed after the other and shows where each change stops.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/bench-report.vein");
    let ui = Ui::from_sources([("bench-report.vein", text)])?;
    let beds = json!([
        { "crop": "Leek", "moisture": 22 },
        { "crop": "Kale", "moisture": 12 },
        { "crop": "Pea", "moisture": 55 },
    ]);
    let mut page = ui.open("bench-report", json!({ "beds": beds }))?;
    let mut out = format!("{}\n", page.html_indented());
    for (path, moisture) in [("beds[2].moisture", 50), ("beds[1].moisture", 40), ("threshold", 20)]
    {
        let pulse = page.set(path, moisture)?;
        pulse.assert_exact()?;
        let _ = writeln!(out, "\n{pulse}");
    }
    let _ = writeln!(out, "\n{}", page.html_indented());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
