//! Puts components into components: `cargo run -p vein --example nest_components`

use std::fmt::Write;
use vein::{Error, Ui};

/// Passes values down, events up, and shares state both ways.
pub fn run() -> Result<String, Error> {
    let shed = include_str!("components/tool-shed.vein");
    let card = include_str!("components/tool-card.vein");
    let ui = Ui::from_sources([("tool-shed.vein", shed), ("tool-card.vein", card)])?;
    let mut page = ui.open("tool-shed", ())?;
    let mut out = String::new();
    for selector in ["#more", "#use"] {
        let pulse = page.find(selector)?.click()?;
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
