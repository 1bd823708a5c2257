//! `vein prove --browser`: scenarios with real clicks and keys, and what it says when the browser's side is
//! broken.

use crate::running::glasshouse;
use serde_json::{Value as Json, json};
use std::path::Path;
use std::process::Command;
use tempfile::TempDir;
use vein::{ScenarioFile, Ui};

/// Plays the glasshouse's scenarios in Chromium; all hold there as in memory.
fn glasshouse_holds(more: &[&str]) -> Json {
    let told = holds_in(glasshouse(), more);
    assert!(told["scenarios"].as_array().is_some_and(|all| all.len() >= 25));
    told
}

fn holds_in(dir: &Path, more: &[&str]) -> Json {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["prove", "--browser", "--json", "--dir"]).arg(dir).args(more);
    let out = command.output().expect("the program runs");
    let told: Json = serde_json::from_slice(&out.stdout).expect("JSON");
    let scenarios = told["scenarios"].as_array().expect("a list");
    let holds = |scenario: &&Json| {
        scenario["holds"] == json!(true) && scenario["in_browser"]["holds"] == json!(true)
    };
    let failed: Vec<&Json> = scenarios.iter().filter(|scenario| !holds(scenario)).collect();
    assert!(failed.is_empty(), "{failed:#?}\n{}", String::from_utf8_lossy(&out.stderr));
    assert!(out.status.success() && !scenarios.is_empty());
    told
}

pub fn a_new_project_is_the_same_in_chromium() {
    let around = TempDir::new().expect("a folder");
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    let out = command.current_dir(around.path()).args(["new", "shed"]).output();
    assert!(out.expect("the program runs").status.success());
    holds_in(&around.path().join("shed"), &[]);
}

pub fn the_glasshouse_is_the_same_in_chromium() {
    let told = glasshouse_holds(&[]);
    assert_eq!(told["coverage"]["percent"], 100.0, "{}", told["coverage"]);
}

pub fn the_workbench_is_the_same_in_chromium() {
    let own = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/workbench"));
    let told = holds_in(own, &[]);
    assert_eq!(told["coverage"]["percent"], 100.0, "{}", told["coverage"]);
}

/// A form with all that can be bound in it, and what a person does before it is reset.
const FORM: &str = "
holds name = 'kale'
holds late = 'pea'
holds slow = 'rye'
holds litres: number? = 2
holds gift = false
holds soil: 'dry' | 'moist' = 'dry'
holds soils: string[] = ['clay']
holds resets = 0
<form reset='-> resets++'>
  <input id='name' value='<-> name'><input id='late' value='<->(change) late'>
  <input id='slow' value='<->(quiet 100) slow'><input id='litres' type='number' value='<-> litres'>
  <input id='gift' type='checkbox' checked='<-> gift'><input id='shown' value='<- name'>
  <select id='soil' value='<-> soil'><option>dry</option><option>moist</option></select>
  <select id='soils' multiple value='<-> soils'><option>clay</option><option>loam</option></select>
  <input id='free' value='as written'><output>{name} {late} {slow} {litres ?? 0} {gift} {soil} {soils.join('+')}</output>
  <button type='reset'>Back</button>
</form>
<p>{resets}</p>
";

const FORM_STEPS: &str = "
component = 'soil-form'
[[step]]
type = 'leek'
on = '#name'
[[step]]
type = 'bean'
on = '#late'
[[step]]
type = 'oat'
on = '#slow'
[[step]]
type = ''
on = '#litres'
[[step]]
tick = '#gift'
[[step]]
choose = 'moist'
on = '#soil'
[[step]]
choose = ['clay', 'loam']
on = '#soils'
[[step]]
type = 'by hand'
on = '#free'
[[step]]
paste = ' and more'
on = '#name'
see = [{ at = 'output', text = 'leek and more bean rye 0 true moist clay+loam' }]
[[step]]
click = 'button'
see = [
  { at = 'output', text = 'kale pea rye 2 false dry clay' },
  { at = '#free', holds = 'as written' },
  { at = '#slow', holds = 'rye' },
  { at = '#shown', holds = 'kale' },
  { at = 'p', text = '1' },
]
[[step]]
wait = 200
[[step]]
type = 'x'
on = '#name'
append = true
see = [{ at = 'output', text = 'kalex pea rye 2 false dry clay' }]
";

const QUIET_FORM: &str = "
holds grams: number? = 5
<form><input type='number' value='<-> grams'><button type='reset'>Back</button></form>
";

const QUIET_STEPS: &str = "
component = 'quiet-form'
[[step]]
press = 'ArrowUp'
on = 'input'
state = { grams = 6 }
[[step]]
click = 'button'
state = { grams = 5 }
see = [{ at = 'input', holds = '5' }]
";

pub fn a_form_goes_back_the_same_everywhere() {
    let dir = tempfile::TempDir::new().expect("a folder");
    std::fs::write(dir.path().join("soil-form.vein"), FORM).expect("a file");
    std::fs::write(dir.path().join("back.scenario.toml"), FORM_STEPS).expect("a file");
    // Where nothing listens to it, a reset is told of all the same.
    std::fs::write(dir.path().join("quiet-form.vein"), QUIET_FORM).expect("a file");
    std::fs::write(dir.path().join("quiet.scenario.toml"), QUIET_STEPS).expect("a file");
    accepted_then_held(dir.path());
}

/// What changes is written down in memory first, and held against Chromium then.
fn accepted_then_held(dir: &Path) {
    let vein = |more: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
        let out = command.args(["prove", "--dir"]).arg(dir).args(more).output();
        let out = out.expect("the program runs");
        let said = [out.stdout, out.stderr].concat();
        (out.status.success(), String::from_utf8_lossy(&said).into_owned())
    };
    let (_, accepted) = vein(&["--accept"]);
    for more in [&[][..], &["--browser"]] {
        let (holds, said) = vein(more);
        assert!(holds, "{more:?}\n{said}\n{accepted}");
    }
}

const SOWN: &str = "// What a host gives is given again.
asks sow(count: number): number[]
holds beds: number[] = []
holds few = [3, 1, 2]
derives sorted = few.filter(n => n > 0).toSorted((a, b) => a - b)
<button id=\"sow\" click=\"-> beds = sow(2)\">sow</button>
<button id=\"more\" click=\"-> beds.push(9)\">more</button>
<p>{beds.join()}</p>
<p>{few.join()}</p>
<button class=\"few\" each=\"n of sorted\" click=\"-> n += 10\">{n}</button>
";

const SOWN_STEPS: &str = "component = \"sown-beds\"
[answers]
sow = [{ value = [1, 2] }]
[[step]]
click = \"#sow\"
see = [{ at = \"p\", text = \"1,2\" }]
[[step]]
click = \"#more\"
see = [{ at = \"p\", text = \"1,2,9\" }]
[[step]]
click = \"#sow\"
see = [{ at = \"p\", text = \"1,2\" }]
[[step]]
click = \".few\"
see = [{ at = \"p:nth-of-type(2)\", text = \"3,11,2\" }]
";

/// Lists from a host are kept as they were answered, and numbers are written in the list that they stand in.
pub fn lists_are_changed_where_they_stand() {
    let dir = tempfile::TempDir::new().expect("a folder");
    std::fs::write(dir.path().join("sown-beds.vein"), SOWN).expect("a file");
    std::fs::write(dir.path().join("sown.scenario.toml"), SOWN_STEPS).expect("a file");
    accepted_then_held(dir.path());
}

/// Ways to break the browser's side: what stands in the applier, what to put there, and what is said.
/// Nobody reads the sum while there is nothing, nor what is caught, nor when.
const BASKET: &str = "awaits price(of: string): number
asks coin(of: string): string
names field
holds lines: { of: string, coins: number, at: number }[] = []
holds wrong = ''
derives sum = lines.reduce((coins, line) => coins + line.coins, 0)
does put(of: string) {
  try {
    const coins = await price(of)
    lines.push({ of: `${of} ${coin(of)}`, coins, at: Date.now() + Math.floor(Math.random() * 10) })
  } catch (why) {
    wrong = why
  } finally {
    if (lines.length > 2) lines.shift()
  }
}
<label for='<- field'>Basket</label> <input id='<- field'>
<button click='-> put(\"kale\")'>kale</button>
<i click='-> put(\"leek\")'>leek</i>
<p when='lines.length > 0'>{sum} <b each='line of lines'>{line.of} {line.at}</b></p>
<p class='wrong'>{wrong}</p>
";

const BASKET_STEPS: &str = "component = \"a-basket\"
date = 2026-05-04T09:00:00Z
seed = 5
answers.coin = [{ args = [\"kale\"], value = \"coins\" }, { fails = \"no coin\" }]
answers.price = [{ after = 10, value = 3 }, { after = 10, value = 4 }, { after = 10, fails = \"sold\" }]

[[step]]
click = \"button\"

[[step]]
wait = 20

[[step]]
click = \"i\"

[[step]]
wait = 20

[[step]]
click = \"button\"

[[step]]
wait = 20
";

pub fn what_is_caught_and_what_nobody_reads_is_the_same_everywhere() {
    let dir = tempfile::TempDir::new().expect("a folder");
    std::fs::write(dir.path().join("a-basket.vein"), BASKET).expect("a component");
    std::fs::write(dir.path().join("basket.scenario.toml"), BASKET_STEPS).expect("a scenario");
    accepted_then_held(dir.path());
    let text = std::fs::read_to_string(dir.path().join("basket.scenario.toml")).expect("a file");
    for told in ["3 ", "no coin", "sold"] {
        assert!(text.contains(told), "{told}: {text}");
    }
}

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
        "if (reached.length > 0 || told.restored?.length > 0) this.#tell(told);",
        "if (reached.length > 0) this.#tell(told), this.#tell(told);",
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
