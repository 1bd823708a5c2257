//! Handles events: `cargo run -p vein --example handle_an_event`

use serde::Deserialize;
use std::fmt::Write;
use std::sync::mpsc::channel;
use vein::{Error, Ui};

#[derive(Deserialize)]
struct Watered {
    litres: f64,
}

/// Clicks and types as a person would, and hears what the component gives.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/watering-can.vein");
    let mut page = Ui::from_sources([("watering-can.vein", text)])?.open("watering-can", ())?;
    let (send, heard) = channel();
    page.on("watered", move |event: Watered| send.send(event.litres).unwrap_or_default())?.keep();
    let mut out = String::new();
    for button in ["#cup", "#can", "#empty"] {
        let pulse = page.find(button)?.click()?;
        pulse.assert_exact()?;
        let _ = writeln!(out, "{pulse}\n");
    }
    let pulse = page.find("input")?.input("  Kale ")?;
    let _ = writeln!(out, "{pulse}\n\n{}", page.find("p")?.text());
    let litres: Vec<f64> = heard.try_iter().collect();
    let _ = writeln!(out, "the host heard of {litres:?} litres");
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
