//! Functions of one's own: `cargo run -p vein --example write_a_function`

use serde_json::json;
use std::fmt::Write;
use vein::{Error, Ui};

/// Changes one packet, which only its row and the sum look at, and then what every row's function reads.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/seed-bill.vein");
    let ui = Ui::from_sources([("seed-bill.vein", text)])?;
    let packets = json!([
        { "id": 1, "crop": "Black kale", "count": 2, "kind": "seed" },
        { "id": 2, "crop": "Star tulip", "count": 4, "kind": "bulb" },
    ]);
    let mut page = ui.open("seed-bill", json!({ "packets": packets }))?;
    let mut out = format!("{}\n", page.html_indented());
    let pulse = page.set("packets[0].count", 3)?;
    pulse.assert_exact()?;
    let _ = writeln!(out, "\n{pulse}");
    let pulse = page.find("button")?.click()?;
    pulse.assert_exact()?;
    let _ = writeln!(out, "\n{pulse}\n{}", page.html_indented());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
