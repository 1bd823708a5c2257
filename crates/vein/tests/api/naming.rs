//! Names of elements that each instance of a component has of its own.

use serde_json::json;
use std::collections::BTreeSet;
use vein::{Page, Ui, Value};

const FILES: [(&str, &str); 4] = [
    (
        "a-page.vein",
        "names top
holds rows = [{ id: 3, inner: ['a', 'b'] }, { id: 5, inner: ['a'] }]
holds more = false
<h1 id='<- top'>a</h1><a-note></a-note><a-note></a-note><a-note when='more'></a-note>
<p each='row of rows by row.id'><a-note></a-note><i each='one of row.inner'><a-note>{one}</a-note></i></p>
<a-frame><a-note></a-note></a-frame><a-frame><a-note></a-note></a-frame>",
    ),
    ("a-note.vein", "names field, hint\n<b id='<- field'><u id='<- hint'><slot></slot></u></b>"),
    ("a-frame.vein", "<q><a-note></a-note><s each='n of [1, 2]'><slot></slot></s></q>"),
    ("a-other.vein", "<a-page></a-page>"),
];

fn page(component: &str) -> Page {
    let ui = Ui::from_sources(FILES).unwrap_or_else(|error| panic!("{error}"));
    ui.open(component, json!({})).unwrap_or_else(|error| panic!("{error}"))
}

fn ids(page: &Page) -> Vec<String> {
    let html = page.html();
    html.split(" id=\"").skip(1).map(|more| more.split('"').next().unwrap_or("").into()).collect()
}

#[test]
fn no_two_have_the_same() {
    let mut opened = page("a-page");
    opened.prove(true);
    let before = ids(&opened);
    assert_eq!(before.len(), 1 + 2 * (2 + 2 + 3 + 2 * 3));
    assert_eq!(before[0], "top");
    for id in &before[1..] {
        let (name, own) = id.split_once('-').expect("a name and what is its own");
        assert!(["field", "hint"].contains(&name), "{id}");
        assert!(own.len() > 5 && own.chars().all(|c| c.is_ascii_alphanumeric()), "{id}");
    }
    let unique: BTreeSet<&String> = before.iter().collect();
    assert_eq!(unique.len(), before.len(), "{before:?}");
    assert_eq!(ids(&page("a-page")), before, "the same on every page");
    // What moves keeps its own, what comes has another.
    opened.set("more", true).expect("state").assert_exact().expect("exact");
    let rows =
        json!([{ "id": 9, "inner": [] }, { "id": 5, "inner": ["a"] }, { "id": 3, "inner": ["a"] }]);
    opened.set("rows", rows).expect("state").assert_exact().expect("exact");
    let after = ids(&opened);
    let unique: BTreeSet<&String> = after.iter().collect();
    assert_eq!(unique.len(), after.len(), "{after:?}");
    let stay = before.iter().filter(|id| unique.contains(id)).count();
    assert_eq!(stay, before.len() - 2, "all but those of the row's second");
    // Another page has it elsewhere.
    assert!(ids(&page("a-other"))[0].starts_with("top-"));
}

#[test]
fn a_page_in_the_place_of_another_calls_them_by_where_they_stand() {
    let held = page("a-page").held();
    let changed = FILES.map(|(path, text)| match path {
        "a-page.vein" => (path, text.replace("</h1>", "</h1><a-note></a-note>")),
        _ => (path, text.to_owned()),
    });
    let ui = Ui::from_sources(changed).unwrap_or_else(|error| panic!("{error}"));
    let (again, _) = ui.page("a-page").open_with(Value::Null, &held).expect("it fits");
    let found = ids(&again);
    let unique: BTreeSet<&String> = found.iter().collect();
    assert_eq!(unique.len(), found.len(), "{found:?}");
    assert_eq!(found, ids(&ui.open("a-page", json!({})).expect("a page")));
}
