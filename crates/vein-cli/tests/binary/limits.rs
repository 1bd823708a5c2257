//! `docs/limits.md` says what the code says.

use std::path::Path;

/// The number that a constant or a field of the code has, in whole units.
fn number(text: &str, name: &str) -> Option<f64> {
    let declared = [format!("const {name}: "), format!(" {name}: ")];
    let line = text.lines().find(|line| {
        let line = line.trim_start();
        if line.starts_with("//") {
            return false;
        }
        line.contains(&declared[0])
            || (name.chars().all(char::is_lowercase)
                && line.contains(&declared[1])
                && line.trim_end_matches(';').ends_with('}'))
    })?;
    let value = match line.split_once(&declared[0]) {
        Some((_, rest)) => rest.split_once('=')?.1.trim().trim_end_matches(';'),
        None => line.split_once(&declared[1])?.1.split([',', '}']).next()?.trim(),
    };
    let value = value.split('(').next_back()?.trim_end_matches(')').replace('_', "");
    match value.split_once("<<") {
        Some((a, b)) => {
            let (a, b): (u64, u32) = (a.trim().parse().ok()?, b.trim().parse().ok()?);
            Some((a << b) as f64)
        }
        None => value.trim().parse().ok(),
    }
}

#[test]
fn the_limits_are_what_the_code_says() {
    let root = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."));
    let text = std::fs::read_to_string(root.join("docs/limits.md")).expect("the limits");
    let rows = text.lines().filter(|line| line.starts_with("| ") && line.ends_with("` |"));
    let mut wrong = Vec::new();
    let mut count = 0;
    for row in rows {
        let cells: Vec<&str> = row.trim_matches('|').split('|').map(str::trim).collect();
        let [what, much, _, _, place] = cells.as_slice() else { panic!("{row}") };
        let (file, name) = place.split_once(" `").expect("a file and a name");
        let name = name.trim_end_matches('`');
        let code = std::fs::read_to_string(root.join("crates").join(file));
        let code = code.unwrap_or_else(|error| panic!("{file}: {error}"));
        let (said, is) = (much.parse::<f64>().ok(), number(&code, name));
        if said.is_none() || said != is {
            wrong.push(format!("{what}: {much} in the table, {is:?} is `{name}` in {file}"));
        }
        count += 1;
    }
    assert!(wrong.is_empty() && count > 30, "{count} rows\n{}", wrong.join("\n"));
}
