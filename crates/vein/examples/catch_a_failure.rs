//! Catches what the host fails with: `cargo run -p vein --example catch_a_failure`

use std::fmt::Write;
use vein::{Error, Ui};

/// What the post takes; it knows nothing of kale.
async fn send(crop: String) -> Result<f64, String> {
    match crop.as_str() {
        "Black kale" => Err(format!("nobody swaps {crop}")),
        _ => Ok(3.0),
    }
}

/// Sends twice, at half past eight on a morning in March: the second time in vain.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/seed-swap.vein");
    let ui = Ui::from_sources([("seed-swap.vein", text)])?;
    let page = ui.page("seed-swap").date(1_773_477_000_000.0).answer_later("send", send);
    let mut page = page.open(())?;
    let mut out = String::new();
    for crop in ["Lemon basil", "Black kale"] {
        page.find("input")?.input(crop)?.assert_exact()?;
        page.find("button")?.click()?.assert_exact()?;
        let _ = writeln!(out, "{crop}: {}", page.find("button")?.html());
        page.advance(60_000.0)?;
        for pulse in page.answers_now()? {
            pulse.assert_exact()?;
            let _ = writeln!(out, "\n{pulse}\n");
        }
    }
    let _ = writeln!(out, "{}", page.html_indented());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
