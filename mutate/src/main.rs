//! Breaks the engine's own sources, one place at a time, and lists what the proof's tests do not notice: a copy of
//! the repository in which each place has a switch is compiled once, and the tests run with one switch on after the
//! other. A night's work: `--file` takes the files with that in their names, `--of 5` every fifth place, `--only 3,14`
//! these; `--quick` asks only the first that would be.

mod places;

use places::{Place, broken};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// What is broken: the engine, the tree, and the evaluator.
const BROKEN: [&str; 3] =
    ["crates/vein-runtime/src", "crates/vein-view/src", "crates/vein-plan/src"];

/// What says where something is, shows, reads or checks data from outside, or breaks on purpose already: other
/// tests than the proof's are for it.
const LEFT_OUT: [&str; 14] = [
    "bytes.rs",
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
const SWITCH: &str = "
#[doc(hidden)]
pub mod mutation {
    static ON: std::sync::LazyLock<u32> = std::sync::LazyLock::new(|| {
        std::env::var(\"VEIN_MUTANT\").ok().and_then(|n| n.parse().ok()).unwrap_or(0)
    });
    pub fn on(number: u32) -> bool {
        *ON == number
    }
}
";

/// A test program, which of its tests, and what stands in their environment.
type Tests = (&'static str, &'static str, &'static [(&'static str, &'static str)]);

/// Who looks, one after the other until somebody notices, by what is broken. Engine and proof share the evaluator, so
/// that random pulses cannot tell what it does: tables from an ECMAScript engine can.
const EVALUATOR: [Tests; 4] =
    [("plan", "", &[]), ("api", "golden", &[]), ("api", "", &[]), ("proof", "", &[])];
const ENGINE: [Tests; 5] = [
    ("proof", "random_", &[("VEIN_FIRST_SEED", "1"), ("VEIN_SEEDS", "100")]),
    ("runtime", "", &[]),
    ("view", "", &[]),
    ("proof", "", &[]),
    ("api", "", &[]),
];
const PATIENCE: Duration = Duration::from_secs(240);

fn main() {
    let argument = |name: &str| std::env::args().skip_while(|given| given != name).nth(1);
    let threads = argument("--threads").and_then(|n| n.parse().ok()).unwrap_or(2);
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("the repository");
    let copy = root.join("target/mutated");
    let places = copied(root, &copy);
    println!("{} places", places.len());
    let programs = compiled(&copy);
    let only = argument("--only");
    let only: Option<Vec<u32>> =
        only.map(|all| all.split(',').filter_map(|n| n.parse().ok()).collect());
    let quick = std::env::args().any(|given| given == "--quick");
    let chosen = |place: &(usize, &Place)| {
        let file = argument("--file").is_none_or(|file| place.1.file.contains(&file));
        let part = argument("--of").and_then(|n| n.parse::<usize>().ok()).unwrap_or(1);
        let number = place.0 as u32 + 1;
        let only = only.as_ref().is_none_or(|only| only.contains(&number));
        only && file && place.0.is_multiple_of(part)
    };
    let all: Vec<(usize, &Place)> = places.iter().enumerate().filter(chosen).collect();
    let (next, begun) = (AtomicUsize::new(0), Instant::now());
    let survivors = Mutex::new(Vec::new());
    let noticed = Mutex::new(BTreeMap::new());
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                while let Some((at, place)) = all.get(next.fetch_add(1, Ordering::Relaxed)) {
                    let number = *at as u32 + 1;
                    let tests: &[Tests] =
                        if place.file.contains("vein-plan") { &EVALUATOR } else { &ENGINE };
                    match who_notices(if quick { &tests[..1] } else { tests }, &programs, number) {
                        Some(who) => {
                            *noticed.lock().expect("whole").entry(who).or_insert(0) += 1;
                        }
                        None => {
                            println!("{}:{}: {} ({number})", place.file, place.line, place.what);
                            survivors.lock().expect("whole").push(number);
                        }
                    }
                }
            });
        }
    });
    let survived = survivors.lock().expect("whole").len();
    let noticed = noticed.lock().expect("whole");
    println!(
        "\n{} broken in turn, {survived} unnoticed; {noticed:?}; {:.0} s",
        all.len(),
        begun.elapsed().as_secs_f64()
    );
}

/// Copies the repository, with switches in it.
fn copied(root: &Path, copy: &Path) -> Vec<Place> {
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
fn compiled(copy: &Path) -> BTreeMap<String, PathBuf> {
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
        if let (Some(name), Some(path)) =
            (message["target"]["name"].as_str(), message["executable"].as_str())
        {
            programs.insert(name.to_owned(), PathBuf::from(path));
        }
    }
    assert!(output.status.success(), "what is broken on purpose has to compile");
    programs
}

/// The first tests that fail, or do not end, with a place broken.
fn who_notices(
    tests: &[Tests],
    programs: &BTreeMap<String, PathBuf>,
    number: u32,
) -> Option<&'static str> {
    for (at, (name, filter, more)) in tests.iter().enumerate() {
        let program = programs.get(*name).unwrap_or_else(|| panic!("no tests `{name}`"));
        let mut command = Command::new(program);
        command.arg("--test-threads=1").args((!filter.is_empty()).then_some(filter));
        command
            .env("VEIN_MUTANT", number.to_string())
            .envs(more.iter().copied())
            .env("RUST_BACKTRACE", "0");
        command.current_dir(program.ancestors().nth(4).expect("the copy").join("crates").join(
            match *name {
                "api" => "vein".to_owned(),
                name => format!("vein-{name}"),
            },
        ));
        let mut child =
            command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().expect("the tests");
        let begun = Instant::now();
        let status = loop {
            if let Some(status) = child.try_wait().expect("a process") {
                break Some(status);
            }
            if begun.elapsed() > PATIENCE {
                let _ = child.kill();
                let _ = child.wait();
                break None;
            }
            std::thread::sleep(Duration::from_millis(5));
        };
        if !status.is_some_and(|status| status.success()) {
            return Some(if at == 0 && *name == "proof" { "a few random pulses" } else { name });
        }
    }
    None
}
