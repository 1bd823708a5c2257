//! `vein new`: what it makes holds at once, and nothing is written over.

use crate::running::Server;
use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, Output};
use tempfile::TempDir;

fn vein(dir: &Path, args: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.current_dir(dir).env("NO_COLOR", "1").args(args).output().expect("the binary runs")
}

/// Runs it with success and gives what it printed.
fn held(dir: &Path, args: &[&str]) -> String {
    let out = vein(dir, args);
    assert!(out.status.success(), "{args:?}: {}", String::from_utf8_lossy(&out.stderr));
    assert!(out.stderr.is_empty(), "{args:?}: {}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8(out.stdout).expect("UTF-8")
}

/// Runs it without success and gives what it told.
fn refused(dir: &Path, args: &[&str]) -> String {
    let out = vein(dir, args);
    assert_eq!(out.status.code(), Some(2), "{}", String::from_utf8_lossy(&out.stdout));
    String::from_utf8(out.stderr).expect("UTF-8")
}

/// The files below a folder with their contents.
fn files(dir: &Path) -> BTreeMap<String, String> {
    let (mut found, mut open) = (BTreeMap::new(), vec![dir.to_owned()]);
    while let Some(folder) = open.pop() {
        for entry in std::fs::read_dir(&folder).expect("a folder") {
            let path = entry.expect("an entry").path();
            if path.is_dir() {
                open.push(path);
                continue;
            }
            let name = path.strip_prefix(dir).expect("it is inside").display().to_string();
            found.insert(name, std::fs::read_to_string(&path).expect("a text"));
        }
    }
    found
}

#[test]
fn a_new_project_checks_proves_builds_and_is_served() {
    let around = TempDir::new().expect("a folder");
    let told = held(around.path(), &["new", "yards/shed"]);
    let shed = around.path().join("yards/shed");
    let made = files(&shed);
    for name in made.keys() {
        assert!(told.contains(&format!("\n  {name} ")), "{name} in {told}");
    }
    assert!(told.contains("\n  vein serve --dir yards/shed "), "{told}");

    assert_eq!(held(&shed, &["check", "--deny-warnings"]), "3 components: no mistakes\n");
    let proven: serde_json::Value =
        serde_json::from_str(&held(&shed, &["prove", "--json"])).expect("JSON");
    assert_eq!(proven["scenarios"][0]["holds"], true, "{proven}");
    assert_eq!(proven["coverage"]["handlers"]["seen"], proven["coverage"]["handlers"]["all"]);
    // What a person has to review is in the scenario already.
    held(&shed, &["prove", "--accept"]);
    assert_eq!(files(&shed), made);
    held(&shed, &["map"]);
    held(&shed, &["build", "--types", "types.d.ts"]);
    assert_eq!(files(&shed)["types.d.ts"], made["host.d.ts"]);
    held(&shed, &["build"]);
    let index = files(&shed)["dist/index.html"].clone();
    assert!(index.contains("<title>Tool shed</title>") && index.contains("Long ladder"), "{index}");

    let server = Server::start(&shed, &[]);
    assert!(server.port > 0);
}

#[test]
fn what_its_readme_says_to_try_does_what_it_says() {
    let around = TempDir::new().expect("a folder");
    held(around.path(), &["new", "shed"]);
    let shed = around.path().join("shed");
    let readme = files(&shed)["README.md"].clone();
    for (name, _) in files(&shed).iter().filter(|(name, _)| !name.starts_with('.')) {
        assert!(name == "README.md" || readme.contains(&format!("`{name}`")), "{name}");
    }
    let commands: Vec<&str> =
        readme.lines().filter_map(|line| line.strip_prefix("$ vein ")?.split(' ').next()).collect();
    assert_eq!(commands, ["serve", "check", "prove", "map", "build"]);

    let row = shed.join("tool-row.vein");
    let text = std::fs::read_to_string(&row).expect("a component");
    assert!(readme.contains("`disabled=\"<- !desk.is_known\"` in `tool-row.vein`"));
    std::fs::write(&row, text.replace("<- !desk.is_known", "<- desk.is_known")).expect("written");
    let out = vein(&shed, &["prove"]);
    assert_eq!(out.status.code(), Some(1));
    let told =
        String::from_utf8_lossy(&out.stdout).into_owned() + &String::from_utf8_lossy(&out.stderr);
    assert!(told.contains("lend.scenario.toml") && told.contains("disabled"), "{told}");
}

#[test]
fn nothing_is_written_over() {
    let around = TempDir::new().expect("a folder");
    let at = around.path();
    held(at, &["new", "shed"]);
    let made = files(at);
    let told = refused(at, &["new", "shed"]);
    let said =
        "error: `shed` is not empty: there is `README.md` and 10 more, and nothing was written\n";
    // The scenarios stand in a folder of their own: ten names and one.
    assert!(told.starts_with(said), "{told}");
    assert!(told.ends_with("help: name a folder that is not there yet\n"), "{told}");

    std::fs::write(at.join("notes"), "mine").expect("a file");
    let told = refused(at, &["new", "notes"]);
    assert_eq!(told, "error: `notes` is a file: name a folder that is not there yet\n");

    for name in [".gitignore", "a.txt"] {
        let dir = at.join(format!("with {name}"));
        std::fs::create_dir(&dir).expect("a folder");
        std::fs::write(dir.join(name), "mine").expect("a file");
        let told = refused(at, &["new", &format!("with {name}")]);
        assert!(told.contains(&format!("there is `{name}`, and nothing was written")), "{told}");
        assert_eq!(files(&dir).into_values().collect::<Vec<_>>(), ["mine"]);
    }
    for (name, text) in made {
        assert_eq!(files(at)[&name], text);
    }

    // What version control keeps beside it is no reason not to begin.
    let kept = at.join("kept");
    std::fs::create_dir_all(kept.join(".git")).expect("a folder");
    let told = held(&kept, &["new", "."]);
    assert!(told.contains("in this folder:") && told.contains("\n  vein serve "), "{told}");
    assert_eq!(held(&kept, &["check"]), "3 components: no mistakes\n");
}
