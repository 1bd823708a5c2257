//! `vein prove --browser`: scenarios with real clicks and keys, and what it says when the browser's side is
//! broken.

use crate::running::glasshouse;
use serde_json::{Value as Json, json};
use std::process::Command;
use vein::{ScenarioFile, Ui};

/// Plays the glasshouse's scenarios in Chromium; all hold there as in memory.
fn glasshouse_holds(more: &[&str]) -> Json {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["prove", "--browser", "--json", "--dir"]).arg(glasshouse()).args(more);
    let out = command.output().expect("the program runs");
    let told: Json = serde_json::from_slice(&out.stdout).expect("JSON");
    let scenarios = told["scenarios"].as_array().expect("a list");
    let holds = |scenario: &&Json| {
        scenario["holds"] == json!(true) && scenario["in_browser"]["holds"] == json!(true)
    };
    let failed: Vec<&Json> = scenarios.iter().filter(|scenario| !holds(scenario)).collect();
    assert!(failed.is_empty(), "{failed:#?}\n{}", String::from_utf8_lossy(&out.stderr));
    assert!(out.status.success() && scenarios.len() >= 25);
    told
}

pub fn the_glasshouse_is_the_same_in_chromium() {
    let told = glasshouse_holds(&[]);
    assert_eq!(told["coverage"]["percent"], 100.0, "{}", told["coverage"]);
}

pub fn the_glasshouse_is_the_same_with_the_engine_in_the_page() {
    glasshouse_holds(&["--built"]);
}

/// Ways to break the browser's side: what stands in the applier, what to put there, and what is said.
const APPLIERS: &[(&str, &str, &[&str])] = &[
    (
        "this.#node(number).nodeValue = text;",
        "this.#node(number).nodeValue = `${text} `;",
        &["`bench-view › h2 text`: the document shows"],
    ),
    (
        "setAttribute(this.#node(number), name, value);",
        "for (const _ of '12') setAttribute(this.#node(number), name, value);",
        &["article.bed class", "which no patch of the ledger did"],
    ),
    ("setAttribute(this.#node(number), name, value);", "", &["class", "the document shows"]),
    ("for (const node of removed) node.remove();", "", &["nodes", "the tree in memory"]),
    ("into.insertBefore(node, next);", "into.append(node);", &["the document"]),
    (
        "node.value = text;\n    }\n  }",
        "\n    }\n  }",
        &["input value", "the document's control holds"],
    ),
    (
        "if (reached.length > 0) this.#tell(",
        "if (reached.length > 0) this.#tell({ event: event.type, reached, fields }), this.#tell(",
        &["pulses in the browser"],
    ),
    (
        "parent.moveBefore && node.isConnected",
        "false && node.isConnected",
        &["has lost the focus in the document"],
    ),
    ("parent.moveBefore(node, before);", "parent.append(node);", &["the document"]),
];

const IN_BROWSER: &str = "
component = 'bench-view'
[data]
threshold = 30
bench = { id = 1, name = 'South bench', beds = [
  { id = 1, crop = 'Ruby chard', moisture = 24 },
  { id = 2, crop = 'Lemon basil', moisture = 61 },
  { id = 3, crop = 'Black kale', moisture = 18.5 },
] }

[[step]]
type = '7'
on = '.bed:nth-of-type(3) .can input'

[[step]]
set = 'order'
to = 'dry'
see = [{ at = '.bed .can input', focus = true }]

[[step]]
set = 'bench.beds[1].moisture'
to = 10

[[step]]
set = 'bench.beds[2].note'
to = 'pinch out the tips'

[[step]]
set = 'bench.beds[2].note'
to = { json = 'null' }

[[step]]
set = 'bench-view › bed-card[#1].litres'
to = 9
";

pub fn a_broken_applier_is_found_and_the_part_is_named() {
    let ui = Ui::from_dir(glasshouse()).expect("the glasshouse checks");
    let stated = IN_BROWSER.replace("bench-view › ", "");
    let file = ScenarioFile::from_text("bench.scenario.toml", stated).expect("a scenario");
    let seen = file.play(&ui).expect("it plays");
    // Here only the browser is of interest.
    let accepted = file.accepted(&seen).expect("a text");
    let file = ScenarioFile::from_text("bench.scenario.toml", accepted).expect("a scenario");
    let own = include_str!("../../page/applier.mjs");
    let broken = APPLIERS.iter().map(|(old, new, _)| {
        assert!(own.contains(old), "the applier holds no {old}");
        let broken = own.replace(old, new);
        // A node that is moved the old way must not get its focus back.
        match new.starts_with("false") {
            true => broken.replace("focused?.focus({ preventScroll: true });", ""),
            false => broken,
        }
    });
    let all = std::iter::once(own.to_owned()).chain(broken);
    let played = vein_cli::trial::with_appliers(&ui, &file, all);
    let played = played.unwrap_or_else(|why| panic!("{why}"));
    let said = played.iter().map(|played| {
        played.mistakes().map(|mistake| format!("{}\n", mistake.message)).collect::<String>()
    });
    let said: Vec<String> = said.collect();
    assert_eq!(said[0], "", "the applier as it is");
    let mut failures = Vec::new();
    for ((old, new, wanted), found) in APPLIERS.iter().zip(&said[1..]) {
        if !wanted.iter().all(|part| found.contains(part)) {
            failures.push(format!("{old} → {new}: wanted {wanted:?}, found:\n{found}"));
        }
    }
    assert!(failures.is_empty(), "{}", failures.join("\n"));
}
