//! Each feature of the program alone, none, and all: every one builds without a warning, and what was
//! left out says so.

use crate::{cargo, succeeds};
use std::process::{Command, Output};

const FEATURES: [&str; 4] = ["browser", "build", "locale", "serve"];

/// What a program without any feature is asked for, and the feature that it then names.
const ASKED: [(&[&str], &str); 5] = [
    (&["serve"], "serve"),
    (&["demo", "--serve"], "serve"),
    (&["build"], "build"),
    (&["prove", "--browser", "--dir", "examples/glasshouse"], "browser"),
    (&["check", GERMAN], "locale"),
];

/// A project that names a locale.
const GERMAN: &str = "target/german";

pub(crate) fn run() -> bool {
    let settings = format!("{GERMAN}/vein.toml");
    let written = std::fs::create_dir_all(GERMAN);
    if written.and_then(|()| std::fs::write(settings, "locale = \"de\"\n")).is_err() {
        println!("{GERMAN} cannot be written");
        return false;
    }
    let all = FEATURES.join(",");
    let none = [""];
    let sets = none.into_iter().chain(FEATURES).chain([all.as_str()]);
    let clean = sets.map(|set| {
        println!("== vein-cli with {}", if set.is_empty() { "no feature" } else { set });
        let program = ["clippy", "--quiet", "-p", "vein-cli", "--no-default-features"];
        succeeds(cargo(&program).args(["--features", set, "--", "-D", "warnings"]))
    });
    // Every set is built, whatever became of the one before.
    let clean = clean.fold(true, |all, one| all & one);
    println!("== vein without its features");
    let library = ["clippy", "--quiet", "-p", "vein", "--no-default-features", "--"];
    let library = succeeds(cargo(&library).args(["-D", "warnings"]));
    clean & library & ASKED.iter().fold(true, |all, (asked, feature)| all & says(asked, feature))
}

/// Whether a program without features says of a command which one it wants.
fn says(asked: &[&str], feature: &str) -> bool {
    let mut command = Command::new("cargo");
    command.args(["run", "--quiet", "-p", "vein-cli", "--no-default-features", "--"]).args(asked);
    let Ok(Output { status, stderr, .. }) = command.output() else { return false };
    let said = String::from_utf8_lossy(&stderr);
    let right = status.code() == Some(2) && said.contains(&format!("`--features {feature}`"));
    if !right {
        println!("`vein {}` without features says: {said}", asked.join(" "));
    }
    right
}
