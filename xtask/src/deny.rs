//! Holds `deny.toml` against what really stands behind the workspace: licences, and crates that occur in
//! several versions. Enough of what cargo-deny does for a machine that does not have it.

use std::collections::{BTreeMap, BTreeSet};
use std::process::Command;

pub(crate) fn run() -> bool {
    let Ok(rules) = std::fs::read_to_string("deny.toml") else {
        println!("there is no deny.toml here");
        return false;
    };
    let (allowed, skipped) = (listed(&rules, "allow"), listed(&rules, "skip"));
    let mut tree = Command::new("cargo");
    tree.args(["tree", "--workspace", "--all-features", "--target", "all", "--prefix", "none"]);
    let tree = tree.args(["--edges", "normal,build,dev", "--format", "{p}|{l}"]).output();
    let Ok(tree) = tree else { return false };
    let tree = String::from_utf8_lossy(&tree.stdout).into_owned();
    let found = complaints(&tree, &allowed, &skipped);
    found.iter().for_each(|complaint| println!("{complaint}"));
    if found.is_empty() {
        println!("deny.toml holds: licences and duplicates.");
    }
    found.is_empty()
}

/// The strings of an array of deny.toml that begins on a line of its own.
fn listed(rules: &str, key: &str) -> BTreeSet<String> {
    let begin = format!("{key} = [");
    let lines = rules.lines().map(str::trim).skip_while(|line| !line.starts_with(&begin)).skip(1);
    let lines = lines.take_while(|line| !line.starts_with(']'));
    let texts =
        lines.filter(|line| !line.starts_with('#')).filter_map(|line| line.split('"').nth(1));
    texts.map(str::to_owned).collect()
}

/// What of a tree, a line `name vX.Y.Z …|licence` for each crate, is against the rules.
fn complaints(tree: &str, allowed: &BTreeSet<String>, skipped: &BTreeSet<String>) -> Vec<String> {
    let (mut found, mut versions) = (BTreeSet::new(), BTreeMap::<&str, BTreeSet<&str>>::new());
    for line in tree.lines() {
        let Some((package, licence)) = line.split_once('|') else { continue };
        let mut words = package.split(' ');
        let (Some(name), Some(version)) = (words.next(), words.next()) else { continue };
        versions.entry(name).or_default().insert(version.trim_start_matches('v'));
        let licence = licence.trim_end_matches("(*)").trim();
        if !is_allowed(licence, allowed) {
            found.insert(format!(
                "{name} {version} is under `{licence}`, which deny.toml does not allow"
            ));
        }
    }
    let mut unused = skipped.clone();
    for (name, versions) in versions {
        let left: Vec<&&str> =
            versions.iter().filter(|v| !unused.remove(&format!("{name}@{v}"))).collect();
        if versions.len() > 1 && left.len() > 1 {
            found.insert(format!("{name} occurs in several versions: {versions:?}"));
        }
    }
    found.extend(unused.iter().map(|one| format!("deny.toml skips {one}, which is not there")));
    found.into_iter().collect()
}

/// Whether an expression (SPDX, annex D; `/` is an old way to write `OR`) can be met by what is allowed.
fn is_allowed(expression: &str, allowed: &BTreeSet<String>) -> bool {
    let spaced = expression.replace('(', " ( ").replace(')', " ) ").replace('/', " OR ");
    let mut words = spaced.split_whitespace().peekable();
    let met = any(&mut words, allowed);
    met && words.next().is_none()
}

type Words<'t> = std::iter::Peekable<std::str::SplitWhitespace<'t>>;

fn any(words: &mut Words<'_>, allowed: &BTreeSet<String>) -> bool {
    let mut met = all(words, allowed);
    while words.next_if_eq(&"OR").is_some() {
        met |= all(words, allowed);
    }
    met
}

fn all(words: &mut Words<'_>, allowed: &BTreeSet<String>) -> bool {
    let mut met = one(words, allowed);
    while words.next_if_eq(&"AND").is_some() {
        met &= one(words, allowed);
    }
    met
}

fn one(words: &mut Words<'_>, allowed: &BTreeSet<String>) -> bool {
    let Some(name) = words.next() else { return false };
    if name == "(" {
        let met = any(words, allowed);
        return words.next() == Some(")") && met;
    }
    match words.next_if_eq(&"WITH").and_then(|_| words.next()) {
        Some(exception) => allowed.contains(&format!("{name} WITH {exception}")),
        None => allowed.contains(name),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn set(names: &[&str]) -> BTreeSet<String> {
        names.iter().map(|name| (*name).to_owned()).collect()
    }

    #[test]
    fn licences_are_read_as_expressions() {
        let allowed = set(&["MIT", "Unicode-3.0", "Apache-2.0 WITH LLVM-exception"]);
        for (expression, met) in [
            ("MIT", true),
            ("GPL-3.0", false),
            ("", false),
            ("MIT/Apache-2.0", true),
            ("Apache-2.0 WITH LLVM-exception OR GPL-2.0", true),
            ("Apache-2.0 WITH Other-exception", false),
            ("MIT AND GPL-3.0", false),
            ("(MIT OR Apache-2.0) AND Unicode-3.0", true),
            ("(Apache-2.0 OR GPL-3.0) AND Unicode-3.0", false),
            ("MIT OR GPL-3.0 AND GPL-2.0", true),
            ("(MIT", false),
        ] {
            assert_eq!(is_allowed(expression, &allowed), met, "{expression}");
        }
    }

    #[test]
    fn what_is_against_the_rules_is_named() {
        let tree = "a v1.0.0|MIT\nb v1.0.0|MIT\nb v2.0.0 (proc-macro)|MIT (*)\nc v1.0.0|MIT\nc v3.1.0|GPL-3.0\n";
        let rules = "allow = [\n  \"MIT\", # fine\n]\nskip = [\n  { crate = \"b@1.0.0\" },\n  \"d@1.0.0\",\n]\n";
        let found = complaints(tree, &listed(rules, "allow"), &listed(rules, "skip"));
        let wanted = ["c occurs", "c v3.1.0 is under `GPL-3.0`", "deny.toml skips d@1.0.0"];
        assert_eq!(found.len(), wanted.len(), "{found:?}");
        for (said, begin) in found.iter().zip(wanted) {
            assert!(said.starts_with(begin), "{said}");
        }
    }
}
