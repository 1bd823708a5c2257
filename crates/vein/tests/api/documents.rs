//! What the documents say is so.

use serde_json::json;
use vein::{Error, RULES, Scenario, Ui, members};

const README: &str = include_str!("../../../../README.md");
const SCENARIOS: &str = include_str!("../../../../docs/scenarios.md");
const SCHEMA: &str = include_str!("../../../../docs/scenario.schema.json");
const LANGUAGE: &str = include_str!("../../../../docs/language.md");

/// The blocks of code that are marked as text, in order.
fn blocks(document: &str) -> Vec<&str> {
    let starts = document.match_indices("```text\n").map(|(at, mark)| at + mark.len());
    starts.map(|at| &document[at..at + document[at..].find("```").expect("an end")]).collect()
}

#[test]
fn the_component_of_the_readme_gives_its_ledger() -> Result<(), Error> {
    let [component, ledger] = blocks(README)[..] else { panic!("two blocks of text") };
    let ui = Ui::from_sources([("bed-card.vein", component)])?;
    assert_eq!(ui.report().expect("a report").warnings(), 0);
    let bed = json!({ "id": 3, "crop": "Ruby chard", "moisture": 24 });
    let mut page = ui.open("bed-card", json!({ "bed": bed }))?;
    let pulse = page.find("button")?.click()?;
    pulse.assert_exact()?;
    assert_eq!(pulse.to_string(), ledger.trim_end());
    Ok(())
}

#[test]
fn the_component_of_the_reference_checks() {
    let start = LANGUAGE.find("```\n").expect("a block") + 4;
    let end = start + LANGUAGE[start..].find("```").expect("its end");
    let checked = Ui::from_sources([("bed-card.vein", &LANGUAGE[start..end])]);
    assert!(checked.is_ok(), "{:?}", checked.err().map(|error| error.to_string()));
}

#[test]
fn the_reference_has_every_diagnostic_and_every_member() {
    for rule in RULES {
        let row = LANGUAGE.lines().find(|line| line.starts_with(&format!("| `{}` |", rule.code)));
        let row = row.unwrap_or_else(|| panic!("no row for `{}`", rule.code));
        assert!(row.contains(rule.about), "{row}\nshould say: {}", rule.about);
    }
    let nameable = |info: &&members::MemberInfo| info.on != members::Receiver::Unnamed;
    for info in members::MEMBERS.iter().filter(nameable) {
        let shown = LANGUAGE.lines().any(|line| {
            line.starts_with("| ")
                && line.split(|c: char| !c.is_alphanumeric() && c != '_').any(|w| w == info.name)
        });
        assert!(shown, "`{}` is in no table", info.name);
    }
}

#[test]
fn the_guide_to_scenarios_and_the_schema_have_every_key() {
    let starts = SCENARIOS.match_indices("```toml\n").map(|(at, mark)| at + mark.len());
    for text in starts.map(|at| SCENARIOS[at..].split("```").next().expect("an end")) {
        assert!(Scenario::read(text).is_ok(), "{:?}\n{text}", Scenario::read(text).err());
    }
    let schema: serde_json::Value = serde_json::from_str(SCHEMA).expect("JSON");
    for (of, keys) in vein::scenario::keys() {
        let place = if of == "scenario" { &schema } else { &schema["$defs"][of] };
        // A change may be an address alone.
        let place = if of == "change" { &place["oneOf"][1] } else { place };
        let properties = place["properties"].as_object().expect("properties");
        let mut known: Vec<&str> = properties.keys().map(String::as_str).collect();
        let mut keys: Vec<&str> = keys;
        known.sort_unstable();
        keys.sort_unstable();
        assert_eq!(known, keys, "{of}");
        for key in keys {
            let told = [format!("`{key}`"), format!("`{key} =")];
            assert!(told.iter().any(|told| SCENARIOS.contains(told)), "no word on `{key}`");
        }
    }
}
