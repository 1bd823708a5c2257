//! Binds attributes: `cargo run -p vein --example bind_an_attribute`

use serde_json::json;
use std::fmt::Write;
use vein::{Error, Ui};

/// Changes the state that attributes show, one path at a time.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/moisture-meter.vein");
    let ui = Ui::from_sources([("moisture-meter.vein", text)])?;
    let mut page = ui.open("moisture-meter", json!({ "moisture": 24 }))?;
    let mut out = format!("{}\n", page.html_indented());
    for (path, value) in [("moisture", json!(26)), ("moisture", json!(40)), ("locked", json!(true))]
    {
        let pulse = page.set(path, value)?;
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
