//! Plays a scenario and prints what each step did: `cargo run -p vein --example prove_a_scenario`

use std::fmt::Write;
use vein::{Error, ScenarioFile, Ui};

/// Two clicks on a shared barrel, and all that they change.
const TEXT: &str = r#"
component = "herb-garden"

[[step]]
click = "button"
changes = [{ part = "barrel-gauge › p text", to = "30 l in the barrel" }]

[[step]]
note = "Now it is low, and both beds say so."
call = "barrel.draw"
args = [20]
changes = [
  { part = "barrel-gauge › p class", to = "low" },
  { part = "barrel-gauge › p text", to = "10 l in the barrel" },
  { at = "button", what = "disabled", to = true, count = 2 },
]
"#;

/// Proves it, and lists what was seen.
pub fn run() -> Result<String, Error> {
    let ui = Ui::from_sources([
        ("rain-barrel.vein", include_str!("components/rain-barrel.vein")),
        ("barrel-gauge.vein", include_str!("components/barrel-gauge.vein")),
        ("herb-bed.vein", include_str!("components/herb-bed.vein")),
        ("herb-garden.vein", include_str!("components/herb-garden.vein")),
    ])?;
    let played = ScenarioFile::from_text("barrel.scenario.toml", TEXT)?.prove(&ui)?;
    let mut out = String::new();
    for step in &played.steps {
        let _ = writeln!(out, "{}", step.action);
        for part in &step.seen.parts {
            let _ = writeln!(out, "  {}  {}  ({})", part.address, part.effect, part.origin);
        }
    }
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
