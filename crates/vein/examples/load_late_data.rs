//! Loads data that comes late, or not at all: `cargo run -p vein --example load_late_data`

use serde::Serialize;
use serde_json::json;
use std::fmt::Write;
use vein::{Error, Ui};

#[derive(Serialize)]
struct Advice {
    crop: &'static str,
    depth: f64,
}

/// What the almanac says; it knows nothing of winter.
async fn look_up(month: u32) -> Result<Advice, String> {
    match month {
        3..=5 => Ok(Advice { crop: "spring onions", depth: 1.5 }),
        6..=9 => Ok(Advice { crop: "winter cress", depth: 0.5 }),
        _ => Err(format!("nothing is sown in month {month}")),
    }
}

/// Asks, shows a placeholder meanwhile, and asks again when the month has become another.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/seed-advice.vein");
    let ui = Ui::from_sources([("seed-advice.vein", text)])?;
    let opening = ui.page("seed-advice").answer_later("fetch_advice", look_up);
    let mut page = opening.open(json!({ "month": 4 }))?;
    let mut out = format!("{}\n", page.html());
    for month in [4, 7, 12] {
        page.set("month", month)?.assert_exact()?;
        let _ = writeln!(out, "{}", page.html());
        for pulse in page.answers_now()? {
            pulse.assert_exact()?;
        }
        let _ = writeln!(out, "{}", page.html());
    }
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
