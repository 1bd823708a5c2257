//! Classes and styles that reach a component's root: every way to write them, on either side, through one
//! to three components, held against lists that are put together here.

use crate::views::compiled;
use serde_json::json;
use vein_proof::Session;
use vein_view::Event;

/// A way to write an attribute, and what it stands for while `wet` does not hold and while it does.
struct Way {
    written: &'static str,
    dry: &'static [&'static str],
    wet: &'static [&'static str],
}

const CLASSES: [Way; 8] = [
    Way { written: "", dry: &[], wet: &[] },
    Way { written: "class=\"L  two\"", dry: &["L", "two"], wet: &["L", "two"] },
    Way { written: "class=\"L{wet ? '-w' : ''} {word}\"", dry: &["L"], wet: &["L-w", "wet"] },
    Way { written: "class=\"{word}\"", dry: &[], wet: &["wet"] },
    Way { written: "class=\"<- ['L', 1 > 2 && 'no', wet && 'w']\"", dry: &["L"], wet: &["L", "w"] },
    Way { written: "class=\"<- [wet && 'w']\"", dry: &[], wet: &["w"] },
    Way { written: "class=\"<- wet ? 'w L' : null\"", dry: &[], wet: &["w", "L"] },
    Way { written: "class=\"<- words\"", dry: &["a", "L"], wet: &["a", "L"] },
];

const STYLES: [Way; 7] = [
    Way { written: "", dry: &[], wet: &[] },
    Way {
        written: "style=\"color: red; font-family: L\"",
        dry: &["color: red", "font-family: L"],
        wet: &["color: red", "font-family: L"],
    },
    Way { written: "style=\"--L: {wet ? '1' : '2'};\"", dry: &["--L: 2"], wet: &["--L: 1"] },
    Way {
        written: "style=\"<- { color: 'L', zIndex: wet ? 1 : null }\"",
        dry: &["color: L"],
        wet: &["color: L", "z-index: 1"],
    },
    Way {
        written: "style=\"<- wet ? 'top: 1px; background: url(L); left: L' : null\"",
        dry: &[],
        wet: &["top: 1px", "left: L"],
    },
    Way {
        written: "style=\"<- wet ? { color: 'red; top: 0', left: 'L' } : null\"",
        dry: &[],
        wet: &["left: L"],
    },
    Way {
        written: "style=\"color: {wet ? 'red; top: 0' : 'L'}\"",
        dry: &["color: L"],
        wet: &["color:"],
    },
];

/// What an attribute says, piece by piece.
fn pieces(name: &str, text: Option<&str>) -> Vec<String> {
    let text = text.unwrap_or_default();
    match name {
        "class" => text.split_ascii_whitespace().map(str::to_owned).collect(),
        _ => text.split(';').map(|d| d.trim().to_owned()).filter(|d| !d.is_empty()).collect(),
    }
}

/// A chain of components, each the root of the next, of which each wears something, and two uses of the
/// last: one that gives something and one that does not.
fn assert_put_together(name: &str, worn: &[&Way], given: &Way) {
    let of = |way: &Way, level: usize| way.written.replace('L', &format!("l{level}"));
    let mut files = Vec::new();
    for (level, way) in worn.iter().enumerate() {
        let root = match level {
            0 => "p".to_owned(),
            level => format!("root-{}", level - 1),
        };
        let wet = if level == 0 { String::new() } else { " wet=\"<- wet\"".into() };
        let text = format!(
            "takes wet: boolean\nderives word = wet ? 'wet' : ''\nholds words = ['a', '', 'L']\n\
             <{root}{wet} {}></{root}>\n",
            of(way, level)
        );
        files.push((format!("root-{level}.vein"), text.replace("'L'", &format!("'l{level}'"))));
    }
    let (last, outside) = (worn.len() - 1, worn.len());
    let page = format!(
        "holds wet = false\nderives word = wet ? 'wet' : ''\nholds words = ['a', '', 'l{outside}']\n\
         <root-{last} wet=\"<- wet\" {}></root-{last}><root-{last} wet=\"<- wet\"></root-{last}>\
         <button click=\"-> wet = !wet\">b</button>\n",
        of(given, outside)
    );
    files.push(("test-bed.vein".to_owned(), page));
    let opened = Session::open(compiled(&files), "test-bed", json!(null), None);
    let (mut session, _) = opened.expect("no props");
    session.prove(true);
    for wet in [false, true, false] {
        let all = |ways: &[&Way]| -> Vec<String> {
            let each = ways.iter().enumerate().flat_map(|(level, way)| {
                let said = if wet { way.wet } else { way.dry };
                said.iter().map(move |said| said.replace('L', &format!("l{level}")))
            });
            each.collect()
        };
        let both: Vec<&Way> = worn.iter().copied().chain([given]).collect();
        let tree = session.tree();
        let shown: Vec<Vec<String>> = tree
            .select("p")
            .expect("a selector")
            .into_iter()
            .map(|p| pieces(name, tree.attribute(p, name)))
            .collect();
        assert_eq!(shown, [all(&both), all(worn)], "{wet} {files:?}");
        let button = tree.select("button").expect("a selector")[0];
        let entry = session.dispatch(button, &Event::new("click")).expect("a button");
        let verdict = entry.verdict.as_ref().expect("proof is on");
        assert!(verdict.is_exact(), "{}\n{files:?}", verdict.problems().join("\n"));
    }
}

fn assert_all_put_together(name: &str, ways: &[Way]) {
    for own in ways {
        for given in ways {
            assert_put_together(name, &[own], given);
            for middle in ways {
                assert_put_together(name, &[own, middle], given);
            }
        }
    }
    // Through three: each way at each level beside every way at the next.
    for (at, own) in ways.iter().enumerate() {
        for step in 0..ways.len() {
            let way = |level: usize| &ways[(at + level * step) % ways.len()];
            assert_put_together(name, &[own, way(1), way(2)], way(3));
        }
    }
}

#[test]
fn classes_reach_roots_one_after_the_other() {
    assert_all_put_together("class", &CLASSES);
}

#[test]
fn styles_reach_roots_declaration_by_declaration() {
    assert_all_put_together("style", &STYLES);
}

/// An attribute that is interpolated is there whatever it shows, also when it is given to a component or
/// somebody else gives it.
#[test]
fn interpolation_is_text_wherever_it_goes() {
    let files = [
        (
            "root-a.vein".to_owned(),
            "takes name: string\n<p id=\"{1 > 2}\" data-a=\"{null}\" title=\"{name.length}\"></p>\n"
                .to_owned(),
        ),
        (
            "test-bed.vein".to_owned(),
            "<root-a name=\"{12}\" data-b=\"{1 > 2}\"></root-a><root-a name=\"x\" id=\"i\" data-a=\"<- 1 > 2\">\
             </root-a>\n"
                .to_owned(),
        ),
    ];
    let opened = Session::open(compiled(&files), "test-bed", json!(null), None);
    let (session, _) = opened.expect("no props");
    let of = r#" data-of="root-a""#;
    assert_eq!(
        session.tree().html().replace(of, ""),
        r#"<p id="false" data-a="" title="2" data-b="false"></p><p id="i" title="1"></p>"#
    );
}
