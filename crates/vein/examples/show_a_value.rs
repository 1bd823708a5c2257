//! Shows a value: `cargo run -p vein --example show_a_value`

use serde_json::json;
use std::fmt::Write;
use vein::{Error, Ui};

/// Opens a component with some data, then changes the data.
pub fn run() -> Result<String, Error> {
    let ui = Ui::from_sources([("crop-label.vein", include_str!("components/crop-label.vein"))])?;
    let mut page = ui.open("crop-label", json!({ "crop": "Ruby chard", "beds": 3 }))?;
    let mut out = format!("{}\n\n", page.html());
    let pulse = page.set("beds", 1)?;
    pulse.assert_exact()?;
    let _ = writeln!(out, "{pulse}\n\n{}", page.html());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
