//! A copy of the repository with switches in it, and its test programs.

use crate::places::{Place, broken};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// What is broken: the engine, the tree, and the evaluator.
const BROKEN: [&str; 3] =
    ["crates/vein-runtime/src", "crates/vein-view/src", "crates/vein-plan/src"];

/// What says where something is, shows, reads or checks data from outside, looks through code for others than the
/// engine, or breaks on purpose already: other tests than the proof's are for it.
const LEFT_OUT: [&str; 15] = [
    "bytes.rs",
    "code.rs",
    "codec.rs",
    "convert.rs",
    "fault.rs",
    "html.rs",
    "inspect.rs",
    "json.rs",
    "nearest.rs",
    "record.rs",
    "sabotage.rs",
    "select.rs",
    "stored.rs",
    "verify.rs",
    "lib.rs",
];

/// Where a switch is asked for.
const SWITCH: &str = r#"
#[doc(hidden)]
pub mod mutation {
    use std::io::Write as _;
    use std::sync::{LazyLock, Mutex, atomic::{AtomicBool, Ordering}};
    static ON: LazyLock<Option<u32>> = LazyLock::new(|| {
        std::env::var("VEIN_MUTANT").ok().and_then(|n| n.parse().ok())
    });
    static REACHED: [AtomicBool; 10000] = [const { AtomicBool::new(false) }; 10000];
    static SAID: LazyLock<Option<Mutex<std::fs::File>>> = LazyLock::new(|| {
        Some(Mutex::new(std::fs::File::create(std::env::var_os("VEIN_REACHED")?).ok()?))
    });
    pub fn on(number: u32) -> bool {
        if let Some(on) = *ON {
            return on == number;
        }
        if !REACHED[number as usize].swap(true, Ordering::Relaxed)
            && let Some(file) = &*SAID
        {
            let _ = writeln!(file.lock().expect("whole"), "{number}");
        }
        false
    }
}
"#;

/// Copies the repository, with switches in it.
pub fn copied(root: &Path, copy: &Path) -> Vec<Place> {
    let listed = Command::new("git").args(["ls-files"]).current_dir(root).output().expect("git");
    let listed = String::from_utf8_lossy(&listed.stdout).into_owned();
    let mut places = Vec::new();
    for file in listed.lines() {
        let Ok(bytes) = std::fs::read(root.join(file)) else { continue };
        let name = Path::new(file).file_name().and_then(|name| name.to_str()).unwrap_or("");
        let breaks = BROKEN.iter().any(|dir| file.starts_with(dir)) && file.ends_with(".rs");
        let written = match (breaks && !LEFT_OUT.contains(&name), String::from_utf8(bytes.clone()))
        {
            (true, Ok(text)) => {
                let own = file.starts_with("crates/vein-plan/");
                let on = if own { "crate::mutation::on" } else { "::vein_plan::mutation::on" };
                let on = syn::parse_str(on).expect("a path");
                broken(&text, file, &on, &mut places).expect("it parses").into_bytes()
            }
            _ if file == "crates/vein-plan/src/lib.rs" => {
                [bytes, SWITCH.as_bytes().to_vec()].concat()
            }
            _ => bytes,
        };
        let to = copy.join(file);
        std::fs::create_dir_all(to.parent().expect("a folder")).expect("a folder");
        // What is as it was is not compiled anew.
        if std::fs::read(&to).ok().as_ref() != Some(&written) {
            std::fs::write(to, written).expect("a file");
        }
    }
    places
}

/// The test programs by their names.
pub fn compiled(copy: &Path) -> BTreeMap<String, PathBuf> {
    let mut cargo = Command::new("cargo");
    cargo.args([
        "test",
        "--no-run",
        "--profile",
        "soak",
        "--message-format",
        "json",
        "-p",
        "vein-plan",
        "-p",
        "vein-view",
        "-p",
        "vein-runtime",
        "-p",
        "vein-proof",
        "-p",
        "vein",
    ]);
    cargo.env("CARGO_PROFILE_SOAK_OVERFLOW_CHECKS", "true");
    cargo.env("CARGO_PROFILE_SOAK_DEBUG_ASSERTIONS", "true").env("RUSTFLAGS", "-Awarnings");
    cargo.env("CARGO_TARGET_DIR", copy.join("target")).current_dir(copy);
    let output = cargo.stderr(Stdio::inherit()).output().expect("cargo");
    let told = String::from_utf8_lossy(&output.stdout).into_owned();
    let mut programs = BTreeMap::new();
    for message in
        told.lines().filter_map(|line| serde_json::from_str::<serde_json::Value>(line).ok())
    {
        if let Some(rendered) =
            message["message"]["rendered"].as_str().filter(|_| !output.status.success())
        {
            println!("{}", rendered.chars().take(3000).collect::<String>());
        }
        if let (Some(name), Some(path), Some(true)) = (
            message["target"]["name"].as_str(),
            message["executable"].as_str(),
            message["profile"]["test"].as_bool(),
        ) {
            programs.insert(name.to_owned(), PathBuf::from(path));
        }
    }
    assert!(output.status.success(), "what is broken on purpose has to compile");
    programs
}
