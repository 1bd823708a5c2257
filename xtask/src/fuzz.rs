//! `cargo xtask fuzz`: each target on an optimised build, beginning with what the project has of its kind.

use crate::{cargo, succeeds};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

/// With what the names of files end from which a target grows.
fn endings(target: &str) -> &'static [&'static str] {
    match target {
        "json" => &[".json"],
        "markup" => &[".html"],
        "parse" | "run" => &[".vein"],
        "scenario" => &[".scenario.toml"],
        "settings" => &["vein.toml"],
        "styles" => &[".vein", ".css"],
        _ => &[],
    }
}

/// The targets that there are.
fn targets() -> std::io::Result<Vec<String>> {
    let mut all = Vec::new();
    for file in std::fs::read_dir("fuzz/fuzz_targets")? {
        all.extend(file?.path().file_stem().map(|name| name.to_string_lossy().into_owned()));
    }
    all.sort();
    Ok(all)
}

/// What is longer is not read: short texts are tried more often.
const LONGEST: u64 = 6 << 10;

/// Fuzzes the targets that were named, or all, each for so many minutes.
pub fn run(named: &[String], minutes: u64) -> bool {
    let all = match targets() {
        Ok(all) => all,
        Err(error) => {
            println!("fuzz: the targets cannot be listed: {error}");
            return false;
        }
    };
    if let Some(unknown) = named.iter().find(|name| !all.contains(name)) {
        println!("there is no target `{unknown}`: they are {}", all.join(", "));
        return false;
    }
    if !succeeds(cargo(&["fuzz", "--version"]).env("RUSTUP_TOOLCHAIN", "nightly")) {
        println!("fuzzing needs a nightly compiler and cargo-fuzz:");
        println!("  rustup toolchain install nightly && cargo install cargo-fuzz");
        return false;
    }
    let mut right = true;
    for target in all.iter().filter(|target| named.is_empty() || named.contains(target)) {
        let grown = Path::new("fuzz/corpus").join(target);
        if let Err(error) = sow(&grown, endings(target)) {
            println!("fuzz: {target}: {error}");
            return false;
        }
        println!("== {target}, {minutes} minutes");
        let begun = Instant::now();
        right &= succeeds(&mut fuzzed(target, &grown, minutes));
        println!("== {target}: {:.0} s", begun.elapsed().as_secs_f64());
    }
    right
}

/// What the project has of a kind.
fn sow(folder: &Path, endings: &[&str]) -> std::io::Result<()> {
    std::fs::create_dir_all(folder)?;
    let mut left: Vec<PathBuf> = vec!["crates".into(), "examples".into(), "bench".into()];
    while let Some(next) = left.pop() {
        for entry in std::fs::read_dir(next)? {
            let path = entry?.path();
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            if path.is_dir() {
                left.push(path);
            } else if endings.iter().any(|ending| name.ends_with(ending))
                && path.metadata()?.len() <= LONGEST
            {
                let flat = path.to_string_lossy().replace(['/', '\\'], "-");
                std::fs::copy(&path, folder.join(flat))?;
            }
        }
    }
    Ok(())
}

fn fuzzed(target: &str, grown: &Path, minutes: u64) -> Command {
    let mut run = Command::new("cargo");
    // The engine has no unsafe code that a sanitiser would watch.
    run.args(["+nightly", "fuzz", "run", "--sanitizer", "none", target]).arg(grown);
    for kept in ["fuzz/seeds", "fuzz/found"] {
        let kept = Path::new(kept).join(target);
        if kept.is_dir() {
            run.arg(kept);
        }
    }
    run.arg("--").arg(format!("-max_total_time={}", 60 * minutes));
    run.arg(format!("-max_len={LONGEST}"));
    run.args(["-timeout=20", "-rss_limit_mb=3000", "-print_final_stats=1", "-verbosity=0"]);
    run
}
