//! What has been found, and what is written to begin with: each goes through the target that has found it.

use std::path::Path;

#[test]
fn what_was_found_is_right_by_now() {
    let all = Path::new(env!("CARGO_MANIFEST_DIR")).join("found");
    for (name, target) in vein_fuzz::TARGETS {
        for folder in [all.join(name), all.join("../seeds").join(name)] {
            let Ok(files) = std::fs::read_dir(&folder) else { continue };
            for file in files {
                let path = file.expect("a file").path();
                eprintln!("{}", path.display());
                target(&std::fs::read(&path).expect("its bytes"));
            }
        }
    }
}

#[test]
fn each_target_is_fuzzed() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("fuzz_targets");
    let mut files: Vec<String> = std::fs::read_dir(folder)
        .expect("a folder")
        .map(|file| file.expect("a file").path().file_stem().expect("a name").display().to_string())
        .collect();
    files.sort();
    assert_eq!(files, vein_fuzz::TARGETS.map(|(name, _)| name));
}

#[test]
fn what_a_tab_shows_is_held_against_its_page() {
    let talk = include_str!("../seeds/messages/talk.txt");
    let compared = vein_cli::fuzzed::messages(talk);
    assert!(compared > 12, "{compared} of {} lines", talk.lines().count());
}
