//! What the ledger says of a pulse: what changed, and which writes each change came from, and no others.

use crate::waiting::{click, opened};
use serde_json::json;
use vein::{Coverage, Page};

const TEXT: &str = "holds a = 1
holds b = 2
derives sum = a + b
derives few = [1, 2, 3, 4].filter(n => n <= a)
<button id='a' click='-> a += 1'></button><button id='b' click='-> b += 1'></button>
<button id='ab' click='-> a += 1; b += 1; a += 1'></button><button id='no' click='-> a += 1; a -= 1'></button>
<p when='a > 1'>more</p><p otherwise>one</p>
<i each='n of few by n'>{n + b}</i>
<any tag=\"<- b > 2 ? 'h3' : 'h2'\">{a}</any>
<div html='<- `<b>${b}</b>`'></div>
<u title='<- sum'>{sum}</u>";

/// The lines of the ledger that say what changed in the view, by their parts, with the reasons.
fn reasons(page: &mut Page, selector: &str) -> Vec<(String, String)> {
    let told = click(page, selector).to_string();
    let mut lines = told.lines().skip_while(|line| !line.starts_with("  view"));
    let lines = lines.by_ref().take_while(|line| !line.starts_with("  exact"));
    let reasons = lines.map(|line| {
        let line = line.trim_start_matches("  view").trim();
        let (what, why) = line.split_once("because ").unwrap_or((line, ""));
        let what = what.split_whitespace().collect::<Vec<_>>().join(" ");
        (what, why.to_owned())
    });
    reasons.collect()
}

#[test]
fn each_change_says_what_it_came_from() {
    let mut page = opened(TEXT, json!({}));
    let mut said = |selector: &str| -> Vec<String> {
        let reasons = reasons(&mut page, selector);
        reasons.into_iter().map(|(what, why)| format!("{what} < {why}")).collect()
    };
    assert_eq!(
        said("#a"),
        [
            "a-b › p branch one → more < a",
            "a-b › i list 1 added < few",
            "a-b › any text \"1\" → \"2\" < a",
            "a-b › u title \"3\" → \"4\" < sum",
            "a-b › u text \"3\" → \"4\" < sum",
        ]
    );
    assert_eq!(
        said("#b"),
        [
            "a-b › i[#1] text \"3\" → \"4\" < b",
            "a-b › i[#2] text \"4\" → \"5\" < b",
            "a-b › any tag h2 → h3 < b",
            "a-b › div html \"<b>2</b>\" → \"<b>3</b>\" < b",
            "a-b › u title \"4\" → \"5\" < sum",
            "a-b › u text \"4\" → \"5\" < sum",
        ]
    );
    assert_eq!(
        said("#ab"),
        [
            "a-b › i list 2 added < few",
            "a-b › i[#1] text \"4\" → \"5\" < b",
            "a-b › i[#2] text \"5\" → \"6\" < b",
            "a-b › any text \"2\" → \"4\" < a",
            "a-b › div html \"<b>3</b>\" → \"<b>4</b>\" < b",
            "a-b › u title \"5\" → \"8\" < sum",
            "a-b › u text \"5\" → \"8\" < sum",
        ]
    );
    // What came back to what it was is no change.
    assert_eq!(said("#no"), [""; 0]);
    assert_eq!(
        said("#a"),
        [
            "a-b › any text \"4\" → \"5\" < a",
            "a-b › u title \"8\" → \"9\" < sum",
            "a-b › u text \"8\" → \"9\" < sum",
        ]
    );
}

#[test]
fn a_watch_that_runs_again_says_what_it_saw_since() {
    let text = "holds a = 1
holds b = 1
holds log: string[] = []
upon change (a, b) { log.push(`${a} ${b}`); if (a < 3) { a += 1 } }
<p click='-> a = 2'>{log.join(', ')}</p><i click='-> b = 2'></i>";
    let mut page = opened(text, json!({}));
    let told = click(&mut page, "p").to_string();
    assert_eq!(page.find("p").expect("it is there").text(), "2 1, 3 1");
    assert!(told.contains("a-b.a") && !told.contains("a-b.b"), "{told}");
    let told = click(&mut page, "i").to_string();
    assert_eq!(page.find("p").expect("it is there").text(), "2 1, 3 1, 3 2");
    assert!(told.contains("a-b.b") && !told.contains("a-b.a "), "{told}");
}

#[test]
fn reads_that_are_followed_are_counted_and_go() {
    let text = "takes flag: boolean\nholds n = 1\nholds m = 2
<p when='flag'>{flag && n > 0 ? m : 0}</p><i>{n}</i>";
    let mut page = opened(text, json!({ "flag": true }));
    // The flag, one number and the other; what is always read is not followed.
    assert_eq!(page.resources().reads, 3);
    page.set("n", 0).expect("it fits");
    assert_eq!(page.resources().reads, 2);
    page.set("flag", false).expect("it fits");
    assert_eq!(page.resources().reads, 0);
}

#[test]
fn changes_are_told_as_they_stand_in_the_document() {
    let text = "holds n = 1
holds beds = [{ id: 1, in: [1, 2] }, { id: 2, in: [] }, { id: 3, in: [3] }]
<button click='-> n += 1'>{n}</button>
<p each='bed of beds by bed.id'><b each='x of bed.in' title='<- x + n'>{x * n}</b><i>{n}</i></p>
<u each='bed of beds by bed.id'>{n} {bed.id}</u>{n}";
    let mut page = opened(text, json!({}));
    let changed = click(&mut page, "button").changed();
    let expected = [
        "a-b › button text",
        "p[#1] › b[0] title",
        "p[#1] › b[0] text",
        "p[#1] › b[1] title",
        "p[#1] › b[1] text",
        "p[#1] › i text",
        "p[#2] › i text",
        "p[#3] › b[0] title",
        "p[#3] › b[0] text",
        "p[#3] › i text",
        "u[#1] text",
        "u[#2] text",
        "u[#3] text",
        "a-b › text",
    ];
    let changed: Vec<&str> = changed
        .iter()
        .map(|part| part.strip_prefix("a-b › ").filter(|_| part.contains('[')).unwrap_or(part))
        .collect();
    assert_eq!(changed, expected);
}

#[test]
fn what_ran_is_counted_where_pulses_are_recorded() {
    let text = "holds n = 1
does go() { n += 1; again() }
does again() { n += 1 }
does never() { n = 0 }
upon change (n) { n = Math.min(n, 9) }
<button click='-> go()'>{n}</button><i click='-> never()'></i><b each='x of [1].slice(n)'>{x}</b>
<form><input value='<-> s'><u click='->(quiet 9) s = 1'></u></form>";
    let text = text.replace("holds n = 1", "holds n = 1\nholds s = 0");
    let mut page = opened(&text, json!({}));
    let mut coverage = Coverage::of(page.session_mut().runtime().program());
    for on in [true, true, false] {
        page.record(on);
        page.prove(on);
        let pulse = page.find("button").and_then(vein::FoundElement::click).expect("it is clicked");
        coverage.note(&pulse);
        let pulse = page.find("input").and_then(|input| input.input("5")).expect("it is typed");
        coverage.note(&pulse);
        let form = page.find("form").expect("it is there").node();
        coverage.note(&page.session_mut().reset(form).expect("it is reset"));
        coverage.look(page.session_mut());
    }
    // Of three clicks two were recorded.
    let counts: Vec<(&str, u64)> =
        coverage.items().iter().map(|item| (item.name.as_str(), item.count)).collect();
    assert_eq!(
        counts,
        [
            ("go()", 2),
            ("again()", 2),
            ("never()", 0),
            ("upon change (n)", 2),
            ("button click", 2),
            ("button text", 2),
            ("i click", 0),
            ("row b", 0),
            ("b list", 0),
            ("b text", 0),
            ("input value", 0),
            ("input value", 4),
            ("u click", 0),
        ]
    );
}
