//! How far things go: rounds, what adds more, how a page ends, and what is sent to what is gone.

use crate::waiting::{click, exact, opened};
use serde_json::json;
use std::sync::{Arc, Mutex};
use vein::{Error, Page, Ui};

fn fault_of(page: &mut Page, selector: &str) -> Option<String> {
    match page.find(selector).and_then(vein::FoundElement::click) {
        Ok(_) => None,
        Err(Error::Failed(fault)) => Some(fault.to_string()),
        Err(other) => panic!("{other}"),
    }
}

#[test]
fn watches_run_a_hundred_rounds_and_no_more() {
    let text = "takes most: number
holds n = 0
upon change (n) { if (n < most) { n += 1 } }
<p click='-> n += 1'>{n}</p>";
    let mut page = opened(text, json!({ "most": 100 }));
    assert_eq!(fault_of(&mut page, "p"), None);
    assert_eq!(page.get::<u32>("n").expect("a number"), 100);
    let mut page = opened(text, json!({ "most": 101 }));
    let fault = fault_of(&mut page, "p").expect("it goes on for too long");
    assert!(fault.contains("upon change (n)"), "{fault}");
}

#[test]
fn a_circle_is_told_with_what_it_wrote() {
    let text = "holds n = 0
holds m = 0
holds other = 0
derives double = m * 2
upon change (n) { m += 1; m += double; other += 1; m += 1 }
upon change (m) { n += 1 }
<p click='-> n += 1'>{n + double + other}</p>";
    let mut page = opened(text, json!({}));
    let fault = fault_of(&mut page, "p").expect("there is no end");
    assert_eq!(
        fault,
        "what runs by itself came to no end: `upon change (m)` wrote n → `upon change (n)` wrote m, other → \
         `upon change (m)` again; let it write only what is not so yet"
    );
}

#[test]
fn what_is_added_may_add_a_thousand_more() {
    let twig = "gives grown()\nupon added { give grown() }\n<i></i>";
    let house = "takes first: number
takes last: number
takes source: number[]
holds items: number[] = []
holds step = 0
does grow() {
  step += 1;
  if (step === 1) { items = [...items, ...source.slice(0, first)] }
  if (step === 2) { items = [...items, ...source.slice(0, last)] }
}
<a-twig each='item of items' grown='-> grow()'></a-twig><p click='-> items = [0]'>{items.length}</p>";
    let ui = Ui::from_sources([("a-twig.vein", twig), ("a-house.vein", house)]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}"));
    // What the first ones add is free; what those add is counted.
    for (first, last, fails) in [(2000, 1000, false), (2000, 1001, true), (1, 1001, true)] {
        let source: Vec<u32> = (0..2000).collect();
        let props = json!({ "first": first, "last": last, "source": source });
        let mut page = ui.open("a-house", props).unwrap_or_else(|error| panic!("{error}"));
        assert_eq!(fault_of(&mut page, "p").is_some(), fails, "{first} {last}");
        let there = if fails { 0 } else { 1 + first + last };
        assert_eq!(page.count("i").expect("a selector"), there);
    }
}

#[test]
fn what_is_asked_again_with_the_same_is_not_asked_again() {
    let text = "awaits crop(at: number): string
holds n = 0
loads name: string = crop(n > 2 ? 1 : 0)
<p click='-> n += 1'>{name}</p>";
    let mut page = opened(text, json!({}));
    let asked: Vec<usize> = (0..5).map(|_| click(&mut page, "p").pulse.questions.len()).collect();
    assert_eq!(asked, [0, 0, 1, 0, 0]);
}

#[test]
fn the_fault_that_came_first_is_told() {
    let text = "asks soil(code: number): string
holds code = 1
holds beds = [1]
derives name = soil(code)
upon change (code) { beds[9] = 1 }
<p click='-> code = 7; code = name.length'></p><i click='-> code = 7'></i>";
    let mut page = opened(text, json!({}));
    let host = "the host could not answer `soil`: no soil";
    assert_eq!(fault_of(&mut page, "p").as_deref(), Some(host));
    let watch = "there is nothing at `beds[9]` to write to: check the position first";
    assert_eq!(fault_of(&mut page, "i").as_deref(), Some(watch));
}

#[test]
fn what_fails_in_the_view_is_told_before_anything_new_begins() {
    let leaf = "holds beds = [1]\nupon added { beds[9] = 1 }\n<i></i>";
    let house = "asks soil(code: number): string
holds code = 1
<p when='soil(code) === \"\"'></p><a-leaf when='code > 6'></a-leaf><q click='-> code = 7'></q>";
    let files = [("a-leaf.vein", leaf), ("a-house.vein", house)];
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let soil = |code: u32| if code == 7 { Err("no soil") } else { Ok("clay") };
    let opened = ui.page("a-house").try_answer("soil", soil).open(());
    let mut page = opened.unwrap_or_else(|error| panic!("{error}"));
    let host = "the host could not answer `soil`: no soil";
    assert_eq!(fault_of(&mut page, "q").as_deref(), Some(host));
}

#[test]
fn who_has_gone_watches_nothing_more() {
    let leaf = "gives told(what: string)
holds own = 0
upon change (own) { give told(`saw ${own}`) }
upon removed { own = 9; give told('removed') }
<i click='-> own += 1'></i>";
    let house = "holds on = true\nholds told: string[] = []
<a-leaf when='on' told='-> told.push(event.what)'></a-leaf><p click='-> on = false'>{told.join()}</p>";
    let files = [("a-leaf.vein", leaf), ("a-house.vein", house)];
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.open("a-house", ()).unwrap_or_else(|error| panic!("{error}"));
    page.prove(true);
    click(&mut page, "i");
    click(&mut page, "p");
    assert_eq!(page.find("p").expect("it is there").text(), "saw 1,removed");
}

/// Opens a house of stores that tell the host when they end.
fn stores(names: &[&str], told: Arc<Mutex<Vec<String>>>) -> Page {
    let mut files = Vec::new();
    for (at, name) in names.iter().enumerate() {
        let uses = names.get(at + 1).map_or(String::new(), |next| format!("uses {next}\n"));
        let reads = names.get(at + 1).map_or("0".into(), |next| format!("{next}.n + 1"));
        files.push((
            format!("{name}-store.vein"),
            format!(
                "store {name}\n{uses}asks note(what: string): number\nholds n = 0\n\
                 derives sum = {reads}\nupon removed {{ n = note('{name}') }}\n"
            ),
        ));
    }
    let first = names[0];
    let text = format!(
        "uses {first}\nasks note(what: string): number\nupon removed {{ {first}.add() }}\n<p>{{{first}.sum}}</p>"
    );
    files[0].1.push_str("does add() { n = note('added') }\n");
    files.push(("a-house.vein".into(), text));
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let note = move |what: String| {
        told.lock().expect("whole").push(what);
        1
    };
    ui.page("a-house").answer("note", note).open(()).unwrap_or_else(|error| panic!("{error}"))
}

#[test]
fn stores_end_after_what_uses_them() {
    let names = ["f", "b", "e", "a", "d", "c", "g"];
    let told = Arc::new(Mutex::new(Vec::new()));
    let mut page = stores(&names, told.clone());
    assert_eq!(told.lock().expect("whole").len(), 0);
    let unknown = page.get::<u32>("h.n").expect_err("there is no such store").to_string();
    assert!(unknown.contains("a, b, c, d, e, f, g"), "{unknown}");
    let entry = page.session_mut().close();
    assert!(entry.pulse.fault.is_none(), "{entry}");
    let told = told.lock().expect("whole").clone();
    assert_eq!(told, ["added", "f", "b", "e", "a", "d", "c", "g"]);
    assert!(page.resources().is_nothing(), "{:?}", page.resources());
    assert!(page.session_mut().runtime().store_scopes().is_empty());
}

#[test]
fn a_page_ends_whatever_goes_wrong_at_the_end() {
    let leaf = "awaits soil(code: number): string
holds beds = [1]
holds n = 0
loads name: string = soil(1)
upon every (50) { n += 1 }
upon removed { beds[9] = 1 }
<i>{name} {n}</i>";
    let files = [("a-leaf.vein", leaf), ("a-house.vein", "<p><a-leaf></a-leaf><b>b</b></p>")];
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.page("a-house").manual_answers().open(()).expect("no props");
    let left = page.resources();
    assert!(left.timers == 1 && left.questions == 1 && left.scopes > 1, "{left:?}");
    let entry = page.session_mut().close();
    let fault = entry.pulse.fault.as_ref().expect("it fails").to_string();
    assert!(fault.contains("there is nothing at `beds[9]`"), "{fault}");
    assert!(page.resources().is_nothing(), "{:?}", page.resources());
    assert_eq!(page.html(), "");
}

#[test]
fn a_listener_that_goes_with_its_element_waits_for_nothing() {
    let text = "holds on = true
holds n = 0
<p when='on' click='->(quiet 50) n += 1'><b click='-> on = false'></b><i click='-> n = 5'></i></p><q>{n}</q>";
    let mut page = opened(text, json!({}));
    click(&mut page, "i");
    assert_eq!(page.resources().timers, 1);
    click(&mut page, "b");
    assert_eq!(page.resources().timers, 0);
    assert_eq!(page.advance(100.0).expect("nothing is due").len(), 0);
}

#[test]
fn identities_that_are_no_numbers_are_one() {
    let text = "holds items = [{ v: 1 }, { v: 2 }]
holds word = 'x'
<i each='item of items by item.v'>{item.v}</i><p click='-> items[0].v = 0 / 0'></p>
<b click='-> items[0].v = Number(word)'></b><em click='-> items[0].v = -(items[0]?.v ?? 0)'></em><u click='-> items[1].v = -0; items[0].v = 3'></u><q click='-> items[1].v = 0'></q><a click='-> items = [{ v: 0 / 0 }, { v: -(0 / 0) }]'></a>";
    let mut page = opened(text, json!({}));
    let mut created = |selector: &str| click(&mut page, selector).pulse.created;
    assert_eq!((created("p"), created("b"), created("em"), created("em")), (1, 0, 0, 0));
    // Nor can the two zeros be told apart.
    assert_eq!((created("u"), created("q")), (2, 0));
    let pulse = click(&mut page, "a");
    assert_eq!(pulse.pulse.problems.len(), 1, "two of one identity");
}

#[test]
fn what_follows_from_a_watch_says_so_and_nothing_else_does() {
    let leaf = "takes level: number\nholds own = 0\nupon added { own = 1 }\n<i>{own + level}</i>";
    let house = "holds n = 0
holds m = 0
holds k = 0
holds on = false
upon change (n, k) { m += 1; if (n > 0) { on = true } }
upon change (m) { if (k < 1) { k += 1 } }
<p click='-> n += 1'></p><a-leaf when='on' level='<- k'></a-leaf>";
    let files = [("a-leaf.vein", leaf), ("a-house.vein", house)];
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.open("a-house", ()).unwrap_or_else(|error| panic!("{error}"));
    page.record(true);
    let pulse = page.find("p").and_then(vein::FoundElement::click);
    let told = exact(&mut page, pulse).to_string();
    let lines: Vec<String> = told
        .lines()
        .filter(|line| line.contains("→"))
        .map(|line| line.split_whitespace().collect::<Vec<_>>().join(" "))
        .collect();
    assert_eq!(
        lines,
        [
            "state a-house.n 0 → 1",
            "a-house.m 0 → 2 because n",
            "a-house.on false → true because n",
            "a-house.k 0 → 1 because m",
            "a-leaf.own 0 → 1",
            "view a-house › a-leaf branch nothing → a-leaf because on",
        ]
    );
}

#[test]
fn what_failed_to_go_is_still_told() {
    let leaf = "takes bad: boolean\nholds beds = [1]\nupon removed { if (bad) { beds[9] = 1 } }\n<i>leaf</i>";
    let frame = "takes on: boolean\n<p when='on'><slot></slot></p><p><slot name='foot'></slot></p>";
    let house = "holds on = true
holds bad = true
holds n = 0
<a-frame on='<- on'><a-leaf bad='<- bad'></a-leaf><b>{n}</b><u slot='foot'>{n}</u></a-frame>
<q click='-> on = !on'></q><s click='-> n += 1'></s><em click='-> bad = false'></em>";
    let files = [("a-leaf.vein", leaf), ("a-frame.vein", frame), ("a-house.vein", house)];
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.open("a-house", ()).unwrap_or_else(|error| panic!("{error}"));
    page.prove(true);
    assert!(fault_of(&mut page, "q").is_some());
    click(&mut page, "s");
    assert_eq!(page.find("p").expect("it stayed").text(), "leaf1");
    click(&mut page, "em");
    click(&mut page, "q");
    click(&mut page, "s");
    click(&mut page, "q");
    click(&mut page, "s");
    assert_eq!(page.find("p").expect("it is back").text(), "leaf3");
}

#[test]
fn a_timer_without_a_number_does_not_run() {
    let text = "holds ms = 0 / 0
holds n = 0
upon every (ms) { n += 1 }
<p click='-> ms = 1 / 0'>{n}</p><b click='-> ms = 0.25'></b>";
    let mut page = opened(text, json!({}));
    assert_eq!(page.resources().timers, 0);
    click(&mut page, "p");
    assert_eq!(page.resources().timers, 0);
    click(&mut page, "b");
    assert_eq!(page.resources().timers, 1);
    assert_eq!(page.advance(5.0).expect("it runs").len(), 5, "at most each millisecond");
}

#[test]
fn an_address_that_could_run_something_is_reported_whenever_it_is_shown() {
    let text = "holds url = '/a'\n<a href='<- url'>a</a><p click='-> url = \"javascript:1\"'></p><b click='-> url = \"about:blank\"'></b>";
    let mut page = opened(text, json!({}));
    let pulse = click(&mut page, "p");
    assert_eq!(pulse.pulse.problems.len(), 1, "{pulse}");
    assert_eq!(
        page.find("a").expect("it is there").attribute("href").as_deref(),
        Some("about:blank")
    );
    let mut page = opened(text, json!({}));
    assert_eq!(click(&mut page, "b").pulse.problems.len(), 0, "it says so itself");
}

#[test]
fn a_control_keeps_its_spelling_and_its_mark_as_long_as_they_are_true() {
    let text = "holds n = 2
<input value='<-> n'><p click='-> n = 2.5'></p><b click='-> n = 0 / 0'></b><i click='-> n = 1'></i>";
    let mut page = opened(text, json!({}));
    page.prove(true);
    let typed = |page: &mut Page, text: &str| {
        let pulse = page.find("input").expect("a control").input(text);
        exact(page, pulse);
    };
    let held = |page: &mut Page| {
        let input = page.find("input").expect("a control");
        (input.value().unwrap_or_default(), input.attribute("aria-invalid").is_some())
    };
    typed(&mut page, "2.50");
    assert_eq!(held(&mut page), ("2.50".into(), false));
    click(&mut page, "p");
    assert_eq!(held(&mut page), ("2.50".into(), false));
    typed(&mut page, "NaN");
    assert_eq!(held(&mut page), ("NaN".into(), true));
    click(&mut page, "b");
    assert_eq!(held(&mut page), ("NaN".into(), false));
    typed(&mut page, "x");
    assert_eq!(held(&mut page), ("x".into(), true));
    click(&mut page, "i");
    assert_eq!(held(&mut page), ("1".into(), false));
}

#[test]
fn what_runs_at_the_end_of_a_component_runs_then_and_only_then() {
    let leaf = "holds open = true
gives told(what: string)
upon added { give told('added') }
upon removed { give told('removed') }
<i when='open' click='-> open = false'>i</i><b each='n of open ? [1] : []'>{n}</b><u click='-> open = true'></u>";
    let house = "holds on = true\nholds told: string[] = []
<a-leaf when='on' told='-> told.push(event.what)'></a-leaf><p click='-> on = !on'>{told.join()}</p>";
    let files = [("a-leaf.vein", leaf), ("a-house.vein", house)];
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.open("a-house", ()).unwrap_or_else(|error| panic!("{error}"));
    page.prove(true);
    ["i", "u", "i", "p", "p"].iter().for_each(|selector| drop(click(&mut page, selector)));
    assert_eq!(page.find("p").expect("it is there").text(), "added,removed,added");
}
