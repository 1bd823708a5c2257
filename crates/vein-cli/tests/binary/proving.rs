//! `vein prove`, as its users run it: scenarios in memory and in Chromium, what is written where they
//! do not hold, and what it says when the browser's side is broken.

use crate::browser::WITHOUT;
use crate::running::{PATIENCE, Running, glasshouse};
use serde_json::Value as Json;
use std::path::Path;
use std::process::{Command, Output};
use std::time::Instant;
use tempfile::TempDir;
use vein::{ScenarioFile, Ui};

fn vein(arguments: &[&str], dir: &Path) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.arg("prove").arg("--dir").arg(dir).args(arguments);
    command.output().expect("the program runs")
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// A copy of the glasshouse with its scenarios, with something put in the place of something else in
/// one of its files.
fn broken_glasshouse(file: &str, old: &str, new: &str) -> TempDir {
    let dir = TempDir::new().expect("a folder");
    copy(glasshouse(), dir.path());
    let path = dir.path().join(file);
    let whole = std::fs::read_to_string(&path).expect("a file");
    assert!(whole.contains(old), "{file} holds no {old}");
    std::fs::write(path, whole.replacen(old, new, 1)).expect("a copy");
    dir
}

pub fn copy(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).expect("a folder");
    for file in std::fs::read_dir(from).expect("a folder") {
        let (from, name) = file.map(|file| (file.path(), file.file_name())).expect("a file");
        match from.is_dir() {
            true => copy(&from, &to.join(name)),
            false => drop(std::fs::copy(&from, to.join(name)).expect("a copy")),
        }
    }
}

#[test]
fn the_glasshouse_is_the_same_in_chromium() {
    if std::env::var_os(WITHOUT).is_some() {
        println!("NOT RUN: no Chromium here");
        return;
    }
    let out = vein(&["--browser", "--json"], glasshouse());
    let told: Json = serde_json::from_slice(&out.stdout).expect("JSON");
    let failed: Vec<&Json> = told["scenarios"]
        .as_array()
        .expect("a list")
        .iter()
        .filter(|scenario| scenario["holds"] != true || scenario["in_browser"]["holds"] != true)
        .collect();
    assert!(failed.is_empty(), "{failed:#?}\n{}", text(&out.stderr));
    assert!(out.status.success());
    assert_eq!(told["coverage"]["percent"], 100.0, "{}", told["coverage"]);
    assert!(told["scenarios"].as_array().expect("a list").len() >= 25);
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

#[test]
fn a_broken_applier_is_found_and_the_part_is_named() {
    if std::env::var_os(WITHOUT).is_some() {
        println!("NOT RUN: no Chromium here");
        return;
    }
    let ui = Ui::from_dir(glasshouse()).expect("the glasshouse checks");
    let stated = IN_BROWSER.replace("bench-view › ", "");
    let file = ScenarioFile::from_text("bench.scenario.toml", stated).expect("a scenario");
    let seen = file.play(&ui).expect("it plays");
    // Here only the browser is of interest.
    let accepted = file.accepted(&seen).expect("a text");
    let file = ScenarioFile::from_text("bench.scenario.toml", accepted).expect("a scenario");
    let said = |applier: &dyn Fn(&str) -> String| -> String {
        let played = vein_cli::trial::with_applier(&ui, &file, applier);
        let played = played.unwrap_or_else(|why| panic!("{why}"));
        played.mistakes().map(|mistake| format!("{}\n", mistake.message)).collect()
    };
    assert_eq!(said(&str::to_owned), "");
    let mut failures = Vec::new();
    for (old, new, wanted) in APPLIERS {
        let found = said(&|applier: &str| {
            assert!(applier.contains(old), "the applier holds no {old}");
            let broken = applier.replace(old, new);
            // A node that is moved the old way must not get its focus back.
            match new.starts_with("false") {
                true => broken.replace("focused?.focus({ preventScroll: true });", ""),
                false => broken,
            }
        });
        if !wanted.iter().all(|part| found.contains(part)) {
            failures.push(format!("{old} → {new}: wanted {wanted:?}, found:\n{found}"));
        }
    }
    assert!(failures.is_empty(), "{}", failures.join("\n"));
}

/// Ways to break the glasshouse, and where one is led to.
const GLASSHOUSES: &[(&str, &str, &str, &[&str])] = &[
    (
        "bed-card.vein",
        "derives dry = bed.moisture < threshold",
        "derives dry = bed.moisture < 30",
        &["FAILED  threshold", "article.bed class", "bed-card.vein:27:17"],
    ),
    (
        "water-tank.vein",
        "  drawn += wanted;",
        "",
        &["FAILED  water-a-bed", "`tank.drawn` is not 5", "it is 0"],
    ),
    (
        "bench-view.vein",
        "<bed-card each=\"bed of beds by bed.id\"",
        "<bed-card each=\"bed of beds\"",
        &["give its `each` a `by`, at bench-view.vein:17:15"],
    ),
    (
        "glass-house.vein",
        "tank.draw(litres);",
        "",
        &[
            "FAILED  water-a-bed",
            "tank-gauge › span text",
            "does not change",
            "tank-gauge.vein:6:49",
        ],
    ),
    (
        "alarm-bell.vein",
        "while thirsty > 0 && !silent",
        "while thirsty > 0",
        &["FAILED  alarm", "alarm-bell › p.bell text", "upon every (5000)", "alarm-bell.vein:6:1"],
    ),
    (
        "plant-form.vein",
        "  crop = '';",
        "",
        &["FAILED  plant-a-bed", "input value", "plant-form.vein:16:"],
    ),
];

#[test]
fn whoever_breaks_the_glasshouse_is_led_to_the_line() {
    for (file, old, new, said) in GLASSHOUSES {
        let dir = broken_glasshouse(file, old, new);
        let out = vein(&[], dir.path());
        let told = text(&out.stdout);
        assert_eq!(out.status.code(), Some(1), "{told}");
        for part in *said {
            assert!(told.contains(part), "{file}, {old}: no {part} in\n{told}");
        }
    }
}

#[test]
fn what_was_seen_is_written_and_holds_then() {
    // Another crop: what states its name does not hold.
    let dir = broken_glasshouse("glass-house.json", "\"moisture\": 24 }", "\"moisture\": 25 }");
    assert_eq!(vein(&["water-a-bed"], dir.path()).status.code(), Some(1));
    let out = vein(&["--accept", "water-a-bed"], dir.path());
    assert!(out.status.success(), "{}", text(&out.stdout));
    assert!(text(&out.stderr).contains("review it"), "{}", text(&out.stderr));
    let path = dir.path().join("scenarios/water-a-bed.scenario.toml");
    let written = std::fs::read_to_string(path).expect("a scenario");
    assert!(written.contains("from = \"25\", to = \"32.5\""), "{written}");
    assert!(written.contains("note = \"The event climbs"), "{written}");
    // What must be in state is the author's to say.
    let told = text(&vein(&["water-a-bed"], dir.path()).stdout);
    assert!(told.contains("`benches[0].beds[0].moisture` is not 31.5"), "{told}");
    assert!(!told.contains("not-as-stated"), "{told}");
}

#[test]
fn the_outcome_is_written_for_people_and_for_programs() {
    let dir = broken_glasshouse("tank-gauge.vein", "{tank.litres} l", "{tank.litres} &lt;l&gt;");
    let [report, junit, lcov] =
        ["out.html", "out.xml", "out.info"].map(|name| dir.path().join(name));
    let paths = [&report, &junit, &lcov].map(|path| path.to_str().expect("UTF-8").to_owned());
    let options = ["--report", &paths[0], "--junit", &paths[1], "--lcov", &paths[2]];
    let out = vein(&[&options[..], &["--coverage-least", "101"]].concat(), dir.path());
    assert_eq!(out.status.code(), Some(1));
    assert!(text(&out.stderr).contains("which is less than 101 %"), "{}", text(&out.stderr));
    let [report, junit, lcov] =
        [report, junit, lcov].map(|path| std::fs::read_to_string(path).expect("it was written"));
    // One page that runs nothing and fetches nothing.
    for without in ["<script", "http:", "https:", "src=", "url(h", "@import"] {
        let plain = report.replace("xmlns=\"http://www.w3.org/2000/svg\"", "");
        assert!(!plain.contains(without), "the report has {without}");
    }
    assert!(report.contains("<h1>Not proven</h1>"));
    assert!(report.contains("tank-gauge › span text — not as stated"), "{}", report.len());
    assert!(report.contains("&lt;l&gt;") && !report.contains("<l>"));
    assert!(report.contains("data-changed=\"\""));
    assert!(
        junit.contains("<testcase name=\"water-a-bed\"") && junit.contains("<failure message=")
    );
    assert!(
        lcov.contains("SF:") && lcov.contains("bed-card.vein") && lcov.contains("end_of_record")
    );
}

#[test]
fn a_change_is_proven_again() {
    let dir = broken_glasshouse("tank-gauge.vein", "{tank.litres} l", "{tank.litres} l");
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["prove", "--watch", "--dir"]).arg(dir.path()).arg("gauge-alone");
    let watching = Running::start(&mut command);
    let until = |wanted: &str| {
        let begun = Instant::now();
        loop {
            let line = watching.line();
            if line.contains(wanted) {
                return;
            }
            assert!(begun.elapsed() < PATIENCE, "waited in vain for {wanted}");
        }
    };
    until("all exact, and all as stated");
    let path = dir.path().join("tank-gauge.vein");
    let whole = std::fs::read_to_string(&path).expect("a component");
    std::fs::write(&path, whole.replace("{tank.litres} l", "{tank.litres} litres"))
        .expect("a change");
    until("1 does not hold");
    std::fs::write(&path, whole).expect("a change");
    until("all exact, and all as stated");
}
