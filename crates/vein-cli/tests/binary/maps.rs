//! Source maps (ECMA-426) of what `vein build` writes lead to where something was written.

use crate::building_of::{built, mappings};
use crate::running::glasshouse;
use serde_json::Value as Json;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

fn files(folder: &Path, ending: &str, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).expect("a folder").flatten() {
        let path = entry.path();
        match path.is_dir() {
            true => files(&path, ending, found),
            false if path.to_string_lossy().ends_with(ending) => found.push(path),
            false => {}
        }
    }
}

/// What stands at a place of a text, which is counted in UTF-16 code units.
fn from(text: &str, (line, column): (usize, usize)) -> String {
    let line = text.lines().nth(line).expect("a line that there is");
    let units: Vec<u16> = line.encode_utf16().skip(column).collect();
    assert!(!units.is_empty(), "nothing stands at {column} of {line}");
    String::from_utf16_lossy(&units)
}

/// Names of which one has to stand in what becomes of a statement, or of a derived value, which is called otherwise.
fn named(statement: &str) -> Vec<&str> {
    let end = statement.find(|c: char| !c.is_ascii_alphanumeric()).unwrap_or(0);
    let (name, rest) = (&statement[..end], statement[end..].trim_start());
    if ["++", "--", "+= ", "-= ", ".push("].iter().any(|op| rest.starts_with(op)) {
        return vec![name];
    }
    let Some(value) = rest.strip_prefix("= ").filter(|_| end > 0) else { return Vec::new() };
    let words = value.split(|c: char| !c.is_ascii_alphanumeric()).filter(|word| word.len() > 2);
    words.chain([name]).collect()
}

#[test]
fn every_place_of_a_script_leads_to_where_it_was_written() {
    for more in [&[][..], &["--readable"], &["--element", "bed-card"]] {
        let out = TempDir::new().expect("a folder");
        built(more, glasshouse(), out.path());
        let mut maps = Vec::new();
        files(out.path(), ".map", &mut maps);
        let (mut writes, mut components) = (0, BTreeSet::new());
        for path in &maps {
            let map: Json =
                serde_json::from_str(&std::fs::read_to_string(path).expect("a map")).expect("JSON");
            let name = path.file_name().and_then(|name| name.to_str()).expect("a name");
            let script = path.with_file_name(name.strip_suffix(".map").expect("a map"));
            let script = std::fs::read_to_string(script).expect("the script of the map");
            assert!(script.trim_end().ends_with(&format!("//# sourceMappingURL={name}")), "{name}");
            assert_eq!(map["version"], 3);
            let texts = map["sourcesContent"].as_array().expect("texts");
            let texts: Vec<&str> =
                texts.iter().map(|text| text.as_str().expect("a text")).collect();
            for (text, path) in texts.iter().zip(map["sources"].as_array().expect("paths")) {
                let path = path.as_str().expect("a path");
                let file =
                    std::fs::read_to_string(glasshouse().join(path)).expect("the component's file");
                assert_eq!(*text, file, "{path}");
                components.insert(path.to_owned());
            }
            let all = mappings(map["mappings"].as_str().expect("a text"));
            assert!(all.is_sorted_by(|a, b| a.0 < b.0), "{name}");
            for (at, (place, source, origin)) in all.iter().enumerate() {
                let (here, there) = (from(&script, *place), from(texts[*source], *origin));
                let names = named(&there);
                // Up to where the next thing begins.
                let next = all.get(at + 1).filter(|(next, ..)| next.0 == place.0);
                let here = next.map_or(here.as_str(), |(next, ..)| &here[..next.1 - place.1]);
                let is_there = names.is_empty() || names.iter().any(|name| here.contains(name));
                assert!(is_there, "`{there}` is `{here}`");
                writes += usize::from(!names.is_empty());
            }
        }
        let wanted = if more.contains(&"--element") { 2 } else { 10 };
        assert!(
            components.len() >= wanted && writes > 5,
            "{more:?}: {components:?}, {writes} writes"
        );
    }
}
