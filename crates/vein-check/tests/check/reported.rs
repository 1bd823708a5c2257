//! Reports: fixes that mend, places that are right, forms that agree, and no panic whatever
//! the text.

use crate::{checked, codes};
use proptest::prelude::*;
use vein_check::{RULES, Source, check};

/// Applies all fixes of a report.
fn mended(text: &str) -> String {
    let report = checked(text).report;
    let fixes = report.diagnostics.iter().filter_map(|d| d.fix.as_ref());
    let mut edits: Vec<_> = fixes.flat_map(|fix| fix.edits.clone()).collect();
    edits.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
    edits.iter().fold(text.to_owned(), |mut text, (span, with)| {
        text.replace_range(span.range(), with);
        text
    })
}

#[test]
fn fixes_mend_what_they_are_for() {
    for (text, expected) in [
        ("takes crop: string\n<p>{{ crop }}</p>", "takes crop: string\n<p>{crop}</p>"),
        ("takes crop: string\n<p>{crpo}</p>", "takes crop: string\n<p>{crop}</p>"),
        (
            "takes a: { crop: string }\n<p>{a.corp}</p>",
            "takes a: { crop: string }\n<p>{a.crop}</p>",
        ),
        ("takes a: string?\n<p>{a.length}</p>", "takes a: string?\n<p>{a?.length}</p>"),
        ("<div><p>a</q></div>", "<div><p>a</p></div>"),
        ("<p/>", "<p></p>"),
        ("<p>1 < 2</p>", "<p>1 &lt; 2</p>"),
        ("<p id='a'title='b'></p>", "<p id='a' title='b'></p>"),
        ("<buton>a</buton>", "<button>a</button>"),
        ("holds a = 1\n<p clik='-> a = 2'>{a}</p>", "holds a = 1\n<p click='-> a = 2'>{a}</p>"),
        ("holds a = 1\n<p click='<- a'>{a}</p>", "holds a = 1\n<p click='-> a'>{a}</p>"),
        ("hold a = 1\n<p>{1}</p>", "holds a = 1\n<p>{1}</p>"),
        (
            "takes a: 'dry' | 'wet' = 'wett'\n<p>{a}</p>",
            "takes a: 'dry' | 'wet' = 'wet'\n<p>{a}</p>",
        ),
        ("takes a: numbr\n<p>{a}</p>", "takes a: number\n<p>{a}</p>"),
        ("takes a: number\nholds b = a\n<p>{b}</p>", "takes a: number\nderives b = a\n<p>{b}</p>"),
        (
            "gives b()\n<p click='->(prevnt) give b()'></p>",
            "gives b()\n<p click='->(prevent) give b()'></p>",
        ),
    ] {
        assert_eq!(mended(text), expected);
    }
}

#[test]
fn mistakes_do_not_hide_each_other() {
    let text = "takes a: number\nholds b = \nderives c = a +\ndoes d() { e = 1; f( }\n\
                <p>{a.b}</p>\n<p title='<- g'>{a} {{a}}</p>\n<x-y></x-y>";
    let found = checked(text);
    let all = codes(&found);
    for code in ["unexpected", "unknown-field", "doubled-braces", "unknown-component"] {
        assert!(all.contains(&code), "{code} in {all:?}");
    }
    // A mistake in one file does not keep another from being checked.
    let source = |path: &str, text: &str| Source { path: path.into(), text: text.into() };
    let both = check(vec![source("a-b.vein", "<p>{x}</p>"), source("c-d.vein", "<p>{y}</p>")]);
    let files: Vec<usize> = both.report.diagnostics.iter().map(|d| d.file).collect();
    assert_eq!(files, [0, 1]);
}

#[test]
fn names_and_shapes_belong_to_the_project() {
    let source = |path: &str, text: &str| Source { path: path.into(), text: text.into() };
    let shape = "shape Bed { crop: string }\ntakes bed: Bed\n<p>{bed.crop}</p>";
    let uses = "takes bed: Bed\n<p>{bed.crop}</p>";
    let fine = check(vec![source("b/a-card.vein", shape), source("a/b-card.vein", uses)]);
    assert_eq!(fine.report.diagnostics, [], "{}", fine.report);
    let program = fine.program.expect("it checks");
    assert_eq!(program.plans.iter().map(|p| &*p.name).collect::<Vec<_>>(), ["a-card", "b-card"]);
    let twice = check(vec![source("a/x-y.vein", shape), source("b/x-y.vein", shape)]);
    let told = twice.report.to_string();
    assert_eq!(twice.report.errors(), 2, "{told}");
    assert!(told.contains("it is declared in a/x-y.vein"), "{told}");
}

#[test]
fn json_and_sarif_say_what_the_text_says() {
    let report = checked("takes crop: string\n\n<p>{crpo} {crop.length.x}</p>").report;
    let json = report.json();
    assert_eq!(json["errors"], 2);
    let first = &json["diagnostics"][0];
    assert_eq!(first["code"], "unknown-name");
    assert_eq!((&first["region"]["line"], &first["region"]["column"]), (&3.into(), &5.into()));
    assert_eq!(first["fix"]["edits"][0]["replacement"], "crop");
    let sarif = report.sarif();
    let run = &sarif["runs"][0];
    assert_eq!(sarif["version"], "2.1.0");
    assert_eq!(run["results"].as_array().map(Vec::len), Some(2));
    let region = &run["results"][0]["locations"][0]["physicalLocation"]["region"];
    assert_eq!((&region["startLine"], &region["startColumn"]), (&3.into(), &5.into()));
    let rules = run["tool"]["driver"]["rules"].as_array().expect("rules");
    assert!(rules.iter().all(|rule| RULES.iter().any(|known| rule["id"] == known.code)));
    for line in ["error[unknown-name]: nothing here is called `crpo`", "--> test-bed.vein:3:5"] {
        assert!(report.to_string().contains(line), "{report}");
    }
}

const VALID: &str = include_str!("../../../../examples/glasshouse/bed-card.vein");

proptest! {
    #![proptest_config(ProptestConfig { cases: 1500, ..ProptestConfig::default() })]

    #[test]
    fn a_damaged_component_is_checked_without_a_panic(
        at in 0..VALID.len(), len in 0..30usize,
        with in prop::sample::select(vec![
            "", " ", "{", "}", "(", "'", "\"", "`", "<", ">", "->", "<-", "\n", "null", "[]", "?.",
            "bed", "dry", "= ", "=> ", "...", "ä", "\\", "const ", "for (const b of ", "<p ", "</",
        ])
    ) {
        let end = (at + len).min(VALID.len());
        prop_assume!(VALID.is_char_boundary(at) && VALID.is_char_boundary(end));
        let mut text = VALID.to_owned();
        text.replace_range(at..end, with);
        let checked = checked(&text);
        prop_assert_eq!(checked.program.is_some(), checked.report.errors() == 0);
        for diagnostic in &checked.report.diagnostics {
            prop_assert!(text.get(diagnostic.span.range()).is_some(), "{:?}", diagnostic);
            prop_assert!(!diagnostic.message.is_empty());
        }
        // Every form can be written of every report.
        let found = checked.report.diagnostics.len();
        prop_assert_eq!(checked.report.to_string().is_empty(), found == 0);
        // Those that are not shown are counted.
        let shown = |list: &serde_json::Value| list.as_array().map_or(0, Vec::len);
        let (json, sarif) = (checked.report.json(), checked.report.sarif());
        let run = &sarif["runs"][0];
        let left = found.saturating_sub(100) as u64;
        prop_assert_eq!(shown(&json["diagnostics"]), found.min(100));
        prop_assert_eq!(json["more"][0]["count"].as_u64().unwrap_or(0), left);
        prop_assert_eq!(shown(&run["results"]), found.min(100));
        prop_assert_eq!(run["properties"]["more"].as_u64(), Some(left));
    }
}
