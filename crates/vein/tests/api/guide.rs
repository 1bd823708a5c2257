//! The guide works, step by step: what it says of each is so at that point.

use std::collections::BTreeMap;
use vein::{ScenarioFile, Ui};

const GUIDE: &str = include_str!("../../../../docs/guide.md");

/// The blocks of a section that begin with the name of a file, by what they are written in: the name, and the text.
fn files<'g>(section: &'g str, kind: &str) -> Vec<(&'g str, &'g str)> {
    let mark = format!("```{kind}\n");
    let starts = section.match_indices(&mark).map(|(at, mark)| at + mark.len());
    let blocks = starts.map(|at| &section[at..at + section[at..].find("```").expect("an end")]);
    let named = |block: &'g str| {
        let (first, text) = block.split_once('\n').expect("lines");
        let name = first.trim_start_matches(['<', '!', '-', '#', ' ']);
        (name.trim_end_matches(['-', '>', ' ']), text)
    };
    blocks.map(named).collect()
}

#[test]
fn each_step_of_the_guide_holds() {
    let (mut known, mut steps, mut scenarios, mut wrong) = (BTreeMap::new(), 0, 0, Vec::new());
    // The first line of a scenario is no heading.
    let chapters = GUIDE.replace("\n# From", "\n## From").replace("\n# What", "\n## What");
    for section in chapters.split("\n## ").skip(1) {
        let title = section.lines().next().unwrap_or_default();
        let components = files(section, "vein");
        let played = files(section, "toml");
        if components.is_empty() {
            assert!(played.is_empty(), "{title}");
            continue;
        }
        known.extend(components.iter().copied());
        // A component of an earlier step may give or take something else by now.
        let named =
            |text: &str| known.keys().any(|name| text.contains(name.trim_end_matches(".vein")));
        assert!(played.iter().all(|(_, text)| named(text)), "{title}");
        let mut needed: BTreeMap<&str, &str> = components.iter().copied().collect();
        for (name, text) in &known {
            let used = components
                .iter()
                .any(|(_, own)| own.contains(&format!("<{}", name.trim_end_matches(".vein"))));
            if used {
                needed.insert(name, text);
            }
        }
        let ui = Ui::from_sources(needed).unwrap_or_else(|error| panic!("{title}\n{error}"));
        assert_eq!(ui.report().map_or(0, vein::Report::warnings), 0, "{title}\n{:?}", ui.report());
        steps += 1;
        for (name, text) in played {
            let file = ScenarioFile::from_text(name, text);
            let file = file.unwrap_or_else(|error| panic!("{title}\n{error}"));
            let outcome = file.play(&ui).unwrap_or_else(|error| panic!("{title}\n{error}"));
            let said = outcome.mistakes().map(|one| format!("{title}: {name}: {}", one.message));
            wrong.extend(said);
            scenarios += 1;
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(steps == 13 && scenarios == 13, "{steps} steps, {scenarios} scenarios");
}
