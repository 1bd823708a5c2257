//! How much of the code is tests: lines that are not blank, by crate. Suites that are data (the
//! texts that the binary is held against, tables of results) are tests too.

use std::path::{Path, PathBuf};

/// Lines of code and of tests.
#[derive(Clone, Copy, Default)]
struct Lines {
    code: usize,
    tests: usize,
}

/// Prints the table; `false` where the sources cannot be read.
pub(crate) fn print() -> bool {
    let Ok(entries) = std::fs::read_dir("crates") else { return false };
    let mut crates: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).collect();
    crates.push("xtask".into());
    crates.sort();
    println!("{:<14} {:>7} {:>7} {:>7}", "crate", "code", "tests", "share");
    let mut sum = Lines::default();
    for path in crates {
        let lines = count(&path);
        sum = Lines { code: sum.code + lines.code, tests: sum.tests + lines.tests };
        row(&path.file_name().unwrap_or_default().to_string_lossy(), lines);
    }
    row("all", sum);
    true
}

fn row(name: &str, lines: Lines) {
    let share = 100.0 * lines.tests as f64 / (lines.code + lines.tests).max(1) as f64;
    println!("{name:<14} {:>7} {:>7} {share:>6.0}%", lines.code, lines.tests);
}

fn count(root: &Path) -> Lines {
    let (mut lines, mut open) = (Lines::default(), vec![root.to_owned()]);
    while let Some(dir) = open.pop() {
        for entry in std::fs::read_dir(&dir).into_iter().flatten().flatten() {
            let path = entry.path();
            let extension = path.extension().unwrap_or_default().to_string_lossy().into_owned();
            if path.is_dir() {
                open.push(path);
                continue;
            }
            let in_tests = path.components().any(|part| part.as_os_str() == "tests");
            let counts = match extension.as_str() {
                "rs" | "mjs" => true,
                "md" | "txt" | "vein" => in_tests,
                _ => false,
            };
            if counts {
                let text = std::fs::read_to_string(&path).unwrap_or_default();
                add(&text, in_tests, &mut lines);
            }
        }
    }
    lines
}

/// Tests beside the code are everything from `#[cfg(test)]` on, up to the next line that
/// begins a documented item at the margin.
fn add(text: &str, all_tests: bool, lines: &mut Lines) {
    let mut in_tests = all_tests;
    for line in text.lines().filter(|line| !line.trim().is_empty()) {
        if line.starts_with("#[cfg(test)]") {
            in_tests = true;
        } else if line.starts_with("///") {
            in_tests = all_tests;
        }
        if in_tests {
            lines.tests += 1;
        } else {
            lines.code += 1;
        }
    }
}
