//! Every command and every mistake that a person can make with it, as files that are read
//! like documentation.

#[test]
fn commands_print_what_their_files_say() {
    // A terminal's width and colours must not matter.
    trycmd::TestCases::new().env("NO_COLOR", "1").case("tests/cmd/*.md");
}

#[test]
fn the_picture_of_a_map_names_everything() {
    let dir = tempfile::TempDir::new().expect("a folder");
    let text = "holds n = 1\nderives odd = n % 2 === 1\n<p title='<- n'>{odd}</p>\n\
                <i click='-> n += 1'></i>";
    std::fs::write(dir.path().join("odd-one.vein"), text).expect("a component");
    let file = dir.path().join("map.svg");
    let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["map", "--json", "--dir"]).arg(dir.path()).arg("--svg").arg(&file);
    let output = command.output().expect("the binary runs");
    assert!(output.status.success());
    let map: serde_json::Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(
        map["paths"][0]["parts"][1],
        serde_json::json!({ "part": "p text", "through": ["odd"] })
    );
    let svg = std::fs::read_to_string(&file).expect("a picture");
    for name in ["n", "odd", "p title", "p text", "i click"] {
        assert!(svg.contains(&format!(">{name}</text>")), "{name} in {svg}");
    }
    // A line for each step: click → n, n → title, n → odd, odd → text.
    assert_eq!(svg.matches("marker-end").count(), 4, "{svg}");
}

/// Every kind of diagnostic is shown by the binary in one of the files.
#[test]
fn every_diagnostic_is_shown() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/cmd");
    let shown: String = ["mistakes", "fixes", "data", "habits", "advice"]
        .map(|name| std::fs::read_to_string(format!("{folder}/{name}.md")).expect("a file"))
        .concat();
    let missing: Vec<&str> = vein::RULES
        .iter()
        .map(|rule| rule.code)
        .filter(|code| !shown.contains(&format!("[{code}]")))
        .collect();
    assert!(missing.is_empty(), "{missing:?} are in none of the files");
}
