//! Chores: `cargo xtask test` sets up what the tests need and runs them all.

mod deny;
mod features;
mod fuzz;
mod fuzz_short;
mod random;
mod ratio;
mod setup;
mod soak_server;

use std::process::{Command, ExitCode, Stdio};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

/// What writes the data of `vein-locale`; all of ICU4X's data stands behind it, so it is no member of the
/// workspace.
const EXPORT: &str = "crates/vein-locale/export/Cargo.toml";

const HELP: &str = "\
cargo xtask test    set up what the tests need (Chromium), run
                    them all
cargo xtask setup   only set up
cargo xtask features
                    each feature of the program alone, none, and all
cargo xtask deny    licences, and crates that occur twice: what deny.toml says holds
cargo xtask locale-data
                    writes the data that formatting needs anew, from ICU4X's crates
cargo xtask tables  writes what values of CSS are made of anew, from W3C's grammars (with npm)
cargo xtask mutate  breaks the engine's sources one place at a time, and lists what the proof's tests do
                    not notice: a night's work (see mutate/src/main.rs)
cargo xtask soak --minutes N
                    random components under random pulses, with new seeds, until the time is up
cargo xtask fuzz [TARGET…] [--minutes N]
                    each target, or those that are named, for an hour (with a nightly compiler)
cargo xtask fuzz-short [--minutes N]
                    the program's commands on projects that were broken at random; a minute
cargo xtask soak-server [--minutes N]
                    a thousand tabs that come and go at `vein serve`, most of them badly; ten minutes
cargo xtask bench-browser [--write]
                    built pages in Chromium beside the same written by hand; --write puts the figures
                    into docs/performance.md
cargo xtask ratio   how much of the code is tests";

fn main() -> ExitCode {
    let task = std::env::args().nth(1).unwrap_or_default();
    let done = match task.as_str() {
        "test" => test(),
        "setup" => {
            setup::run();
            true
        }
        "soak" => match minutes() {
            Some(minutes) => soak(minutes),
            None => {
                println!("say how long: cargo xtask soak --minutes 10");
                false
            }
        },
        "fuzz" => fuzz::run(&named(), minutes().unwrap_or(60)),
        "fuzz-short" => fuzz_short::run(minutes().unwrap_or(1)),
        "soak-server" => soak_server::run(minutes().unwrap_or(10)),
        "bench-browser" => bench_browser(),
        "features" => features::run(),
        "deny" => deny::run(),
        "locale-data" => succeeds(cargo(&["run", "--release", "--manifest-path", EXPORT])),
        "tables" => tables(),
        "mutate" => {
            let mut mutate = Command::new("cargo");
            mutate.args([
                "run",
                "--release",
                "--quiet",
                "--manifest-path",
                "mutate/Cargo.toml",
                "--",
            ]);
            mutate.args(std::env::args().skip(2));
            succeeds(&mut mutate)
        }
        "ratio" => ratio::print(),
        _ => {
            println!("{HELP}");
            task.is_empty()
        }
    };
    if done { ExitCode::SUCCESS } else { ExitCode::FAILURE }
}

/// Runs everything; goes on after a failure, so that one run tells of all of them.
fn test() -> bool {
    let ready = setup::run();
    let mut failed: Vec<&str> = Vec::new();
    let mut step = |name: &'static str, run: &mut dyn FnMut() -> bool| {
        println!("\n== {name}");
        let begun = Instant::now();
        if !run() {
            failed.push(name);
        }
        println!("== {name}: {:.0} s", begun.elapsed().as_secs_f64());
    };
    step("what fuzzing has found", &mut fuzz_targets);
    step("each feature alone, none, and all", &mut features::run);
    let docs = ["doc", "--workspace", "--no-deps", "--quiet"];
    step("the documentation", &mut || succeeds(cargo(&docs).env("RUSTDOCFLAGS", "-D warnings")));
    step("licences and duplicates", &mut deny::run);
    let mut tests = Command::new("cargo");
    tests.args(["test", "--workspace"]);
    if !ready.browser {
        tests.env("VEIN_WITHOUT_BROWSER", "1");
    }
    if let Some(program) = &ready.bindgen {
        tests.env("VEIN_WASM_BINDGEN", program);
    }
    step("the tests", &mut || succeeds(&mut tests));
    ready.repeat_what_is_missing();
    if failed.is_empty() {
        println!("\nAll passed.");
    } else {
        println!("\nFailed: {}.", failed.join(", "));
    }
    failed.is_empty()
}

/// They stand outside the workspace, but what they need is that of the workspace. The fuzzer itself, in C++, is not linked here, and
/// so not built: targets are checked, and what they found is tried without it.
fn fuzz_targets() -> bool {
    let of = ["--manifest-path", "fuzz/Cargo.toml", "--target-dir", "target"];
    let check = cargo(&["check"]);
    check.args(of).env("CUSTOM_LIBFUZZER_PATH", "target/libfuzzer.a");
    let found = cargo(&["test", "--quiet", "--no-default-features"]);
    found.args(of);
    succeeds(check) && succeeds(found)
}

/// Measures what the program of this very source builds.
fn bench_browser() -> bool {
    let ready = setup::run();
    let build = ["build", "--release", "-p", "vein-cli", "-p", "vein-bench"];
    let run = ["run", "--release", "--quiet", "-p", "vein-bench", "--"];
    let mut measure = Command::new("cargo");
    measure.args(run).args(std::env::args().skip(2));
    ready.browser && succeeds(cargo(&build)) && succeeds(&mut measure)
}

/// Writes tables of the standards' data.
fn tables() -> bool {
    let mut install = Command::new("npm");
    let mut write = Command::new("node");
    install.args(["install", "--no-audit", "--no-fund", "--no-package-lock"]).current_dir("tables");
    write.arg("css.mjs").current_dir("tables");
    succeeds(&mut install) && succeeds(&mut write)
}

/// The number after `--minutes`.
fn named() -> Vec<String> {
    std::env::args().skip(2).take_while(|argument| !argument.starts_with("--")).collect()
}

fn minutes() -> Option<u64> {
    let mut arguments = std::env::args().skip_while(|argument| argument != "--minutes");
    arguments.nth(1)?.parse().ok()
}

/// Proves random components until the time is up. A failure names its seed; with
/// `VEIN_FIRST_SEED` it repeats.
fn soak(minutes: u64) -> bool {
    const BATCH: u64 = 1500;
    // Compiling a project costs more than a step on it.
    const STEPS: &str = "40";
    let end = Instant::now() + Duration::from_secs(60 * minutes);
    let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(1, |since| since.as_secs());
    let mut seed = now * 1000;
    let mut pulses = 0;
    while Instant::now() < end {
        println!("\n== seeds {seed} to {}", seed + BATCH - 1);
        let mut command = Command::new("cargo");
        command.args([
            "test",
            "--profile",
            "soak",
            "-p",
            "vein-proof",
            "--test",
            "proof",
            "--quiet",
            "--",
            "--nocapture",
        ]);
        command.arg("random_").env("VEIN_SEEDS", BATCH.to_string()).env("VEIN_STEPS", STEPS);
        command.env("VEIN_FIRST_SEED", seed.to_string()).stderr(Stdio::inherit());
        let output = command.output();
        let told = output.as_ref().map_or("".into(), |out| String::from_utf8_lossy(&out.stdout));
        print!("{told}");
        let judged =
            told.lines().filter_map(|line| line.rsplit_once("pulses: ")?.1.parse::<u64>().ok());
        pulses += judged.sum::<u64>();
        if !output.is_ok_and(|out| out.status.success()) {
            println!(
                "\nTo repeat: VEIN_FIRST_SEED=<the seed above> VEIN_SEEDS=1 VEIN_STEPS={STEPS} \
                 cargo test -p vein-proof"
            );
            return false;
        }
        seed += BATCH;
    }
    println!("\nAll exact: {pulses} pulses.");
    true
}

fn cargo<'a>(arguments: &[&str]) -> &'a mut Command {
    let mut command = Command::new("cargo");
    command.args(arguments);
    Box::leak(Box::new(command))
}

/// Whether a command could be run and ended well.
fn succeeds(command: &mut Command) -> bool {
    command.status().is_ok_and(|status| status.success())
}
