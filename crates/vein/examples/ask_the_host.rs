//! Asks the host, at once and with a wait: `cargo run -p vein --example ask_the_host`

use serde_json::json;
use std::fmt::Write;
use vein::{Error, Ui};

/// A plain closure and a future. The handler goes on when the scales have settled.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/bed-survey.vein");
    let ui = Ui::from_sources([("bed-survey.vein", text)])?;
    let mut out = match ui.open("bed-survey", json!({ "code": "A" })) {
        Ok(_) => String::new(),
        Err(error) => format!("{error}\n\n"),
    };
    let opening = ui
        .page("bed-survey")
        .answer("soil_name", |code: String| if code == "A" { "sandy loam" } else { "clay" })
        .answer_later("weigh", |code: String| async move {
            if code == "A" { Ok(12.5) } else { Err("the scales are away") }
        });
    let mut page = opening.open(json!({ "code": "A" }))?;
    for code in ["A", "B"] {
        page.set("code", code)?.assert_exact()?;
        page.find("button")?.click()?.assert_exact()?;
        for pulse in page.answers_now()? {
            let _ = writeln!(out, "{pulse}\n");
        }
        let _ = writeln!(out, "{}\n", page.html());
    }
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
