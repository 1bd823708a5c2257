//! Watches a derived value: `cargo run -p vein --example watch_a_value`

use std::fmt::Write;
use vein::{Error, Ui};

/// The degrees change five times; frost comes and goes once.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/frost-diary.vein");
    let ui = Ui::from_sources([("frost-diary.vein", text)])?;
    let mut page = ui.open("frost-diary", serde_json::json!({ "degrees": 4 }))?;
    let mut out = String::new();
    for degrees in [2, -1, -3, 0, 5] {
        let pulse = page.set("degrees", degrees)?;
        pulse.assert_exact()?;
        let _ = writeln!(out, "{pulse}\n");
    }
    let _ = writeln!(out, "{}", page.html());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
