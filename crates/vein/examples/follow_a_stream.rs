//! Follows a stream: `cargo run -p vein --example follow_a_stream`

use futures_util::stream;
use serde_json::json;
use std::fmt::Write;
use vein::{Error, Ui};

/// Each item is a pulse; another hive is another stream, and the old one is let go.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/bee-counter.vein");
    let ui = Ui::from_sources([("bee-counter.vein", text)])?;
    let opening = ui.page("bee-counter").stream("bees", |hive: String| {
        stream::iter(if hive == "east hive" { vec![3, 8, 21] } else { vec![5] })
    });
    let mut page = opening.open(json!({ "hive": "east hive" }))?;
    let mut out = String::new();
    for hive in ["east hive", "west hive"] {
        page.set("hive", hive)?.assert_exact()?;
        let _ = writeln!(out, "{}", page.html());
        for pulse in page.answers_now()? {
            pulse.assert_exact()?;
            let _ = writeln!(out, "{pulse}\n");
        }
    }
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
