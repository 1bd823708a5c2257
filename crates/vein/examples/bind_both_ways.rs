//! Binds fields both ways: `cargo run -p vein --example bind_both_ways`

use std::fmt::Write;
use vein::{Error, Ui};

/// Uses every control as a person would.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/seed-order.vein");
    let mut page = Ui::from_sources([("seed-order.vein", text)])?.open("seed-order", ())?;
    let mut out = String::new();
    let pulses = [
        page.find("[name=crop]")?.input("Black kale")?,
        page.find("[type=number]")?.input("4.0")?,
        page.find("[type=number]")?.input("")?,
        page.find("[value=autumn]")?.click()?,
        page.find("[value=labels]")?.click()?,
        page.set("extras", ["string"])?,
    ];
    for pulse in &pulses {
        pulse.assert_exact()?;
        let _ = writeln!(out, "{pulse}\n");
    }
    let _ = writeln!(out, "the field keeps {:?}", page.find("[type=number]")?.value());
    let _ = writeln!(out, "{}", page.find("output")?.text());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
