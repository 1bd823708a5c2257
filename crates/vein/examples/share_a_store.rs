//! Shares state between siblings: `cargo run -p vein --example share_a_store`

use std::fmt::Write;
use vein::{Error, Ui};

/// One herb bed draws from the barrel; everybody who reads it follows.
pub fn run() -> Result<String, Error> {
    let ui = Ui::from_sources([
        ("rain-barrel.vein", include_str!("components/rain-barrel.vein")),
        ("barrel-gauge.vein", include_str!("components/barrel-gauge.vein")),
        ("herb-bed.vein", include_str!("components/herb-bed.vein")),
        ("herb-garden.vein", include_str!("components/herb-garden.vein")),
    ])?;
    let mut page = ui.open("herb-garden", ())?;
    let mut out = String::new();
    for _ in 0..3 {
        let pulse = page.find("button")?.click()?;
        pulse.assert_exact()?;
        let _ = writeln!(out, "{pulse}\n");
    }
    let pulse = page.call("barrel.rain", 30)?;
    let litres: f64 = page.get("barrel.litres")?;
    let _ = writeln!(out, "{pulse}\n\nthe host reads {litres} l\n{}", page.html());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
