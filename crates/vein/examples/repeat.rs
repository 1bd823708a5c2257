//! Repeats markup for a list: `cargo run -p vein --example repeat`

use std::fmt::Write;
use vein::{Error, Ui};

/// Sorts, removes and writes through the rows of derived lists.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/bed-list.vein");
    let beds = serde_json::json!({ "beds": [
        { "id": 1, "crop": "Ruby chard", "moisture": 40 },
        { "id": 2, "crop": "Black kale", "moisture": 12 },
        { "id": 3, "crop": "Winter cress", "moisture": 25 },
    ] });
    let mut page = Ui::from_sources([("bed-list.vein", text)])?.open("bed-list", beds)?;
    let mut out = String::new();
    for selector in ["#sort", "li:nth-child(3) button", "p:nth-of-type(1) button", "#drop"] {
        let pulse = page.find(selector)?.click()?;
        pulse.assert_exact()?;
        let _ = writeln!(out, "{pulse}\n");
    }
    let pulse = page.find("li:nth-child(2) input")?.input("Red chard")?;
    pulse.assert_exact()?;
    let _ = writeln!(out, "{pulse}\n\n{}", page.get::<serde_json::Value>("beds")?);
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
