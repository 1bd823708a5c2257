//! `vein prove`, as its users run it: scenarios in memory and in Chromium, what is written where they
//! do not hold, and what it says when the browser's side is broken.

use crate::running::{PATIENCE, Running, copy, glasshouse};
use std::path::Path;
use std::process::{Command, Output};
use std::time::Instant;
use tempfile::TempDir;

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
    // One line says what was written; what is left is told as ever.
    let said = text(&out.stderr);
    assert!(said.starts_with("written  ") && said.lines().count() == 1, "{said}");
    assert!(said.contains("step 1: ") && said.contains("review it"), "{said}");
    assert_eq!(out.status.code(), Some(1), "{}", text(&out.stdout));
    assert!(!text(&out.stdout).contains("not-as-stated"), "{}", text(&out.stdout));
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
    let out = vein(&[&options[..], &["--coverage-min", "101"]].concat(), dir.path());
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
