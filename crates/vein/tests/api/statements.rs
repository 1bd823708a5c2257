//! Statements at their edges: what leads nowhere, what fails first, how deep and how long they go.

use crate::waiting::{answer, click, exact, opened};
use serde_json::json;
use vein::{Error, Page, Ui};

fn failure(page: &mut Page, selector: &str) -> String {
    let before = page.html();
    let failed = page.find(selector).and_then(vein::FoundElement::click).map(|_| ());
    let Err(Error::Failed(fault)) = failed else { panic!("{selector}: {failed:?}") };
    assert_eq!(page.html(), before, "{selector}");
    fault.to_string()
}

#[test]
fn a_position_that_is_none_is_told_as_it_came_out() {
    let text = "takes at: number
holds beds = [{ n: 1, log: ['a'] }, { n: 2, log: [] }]
holds loose = [true, false]
<p click='-> beds[at].n += 1'>{beds.map(b => b.n).join(' ')}</p>
<i click='-> beds[at].log.push(\"b\")'>{beds.map(b => b.log.join()).join('-')}</i>
<b click='-> beds[0].log[at] = \"c\"'></b>
<input id='flag' type='checkbox' checked='<-> loose[at]'>";
    for at in [-1.0, 0.5, 2.0, 1.5, -0.5, 4294967295.0, 4294967296.0, 1e300] {
        let mut page = opened(text, json!({ "at": at }));
        let at = vein::Value::from(at).to_text();
        let told = |path: &str| {
            format!("there is nothing at `{path}` to write to: check the position first")
        };
        assert_eq!(failure(&mut page, "p"), told(&format!("beds[{at}].n")));
        assert_eq!(failure(&mut page, "i"), told(&format!("beds[{at}].log")));
        assert_eq!(failure(&mut page, "b"), told(&format!("beds[0].log[{at}]")));
        assert_eq!(failure(&mut page, "#flag"), told(&format!("loose[{at}]")));
    }
    for (at, numbers) in [(0.0, "2 2"), (1.0, "1 3"), (-0.0, "2 2")] {
        let mut page = opened(text, json!({ "at": at }));
        click(&mut page, "p");
        assert_eq!(page.find("p").expect("it is there").text(), numbers);
        click(&mut page, "#flag");
    }
}

#[test]
fn what_fails_first_is_told() {
    let text = "asks soil(code: number): string
holds name = ''
holds beds = [1]
gives taken(name: string)
<p click='-> name = soil(7); give taken(name); beds[9] = 1'>{name}</p>";
    let mut page = opened(text, json!({}));
    assert_eq!(failure(&mut page, "p"), "the host could not answer `soil`: no soil");
}

#[test]
fn handlers_call_each_other_64_deep() {
    let text = "takes deep: number
holds reached = 0
does down(left: number) { reached += 1; if (left > 1) { down(left - 1) } }
<p click='-> down(deep)'>{reached}</p>";
    let mut page = opened(text, json!({ "deep": 64 }));
    click(&mut page, "p");
    assert_eq!(page.html(), "<p>64</p>");
    // What was called before and has returned does not count.
    click(&mut page, "p");
    let mut page = opened(text, json!({ "deep": 65 }));
    assert!(failure(&mut page, "p").contains("`down`"));
}

#[test]
fn statements_that_wait_in_a_loop_that_ended_go_on_after_it() {
    let text = "awaits weigh(crop: string): number
holds items = [1, 2]
holds inner = [1]
holds log: string[] = []
does go() {
  for (const item of items) {
    for (const other of inner) {
      if (item > 0) { const found = await weigh('kale'); log.push(`${item} ${other} ${found}`); }
      log.push('if');
    }
    log.push('inner');
  }
  log.push('end');
}
<p click='-> go()'>{log.join(', ')}</p><i click='-> items = []'></i><b click='-> inner = []'></b>";
    let log = |page: &mut Page| page.find("p").expect("it is there").text();
    let waits = || {
        let mut page = opened(text, json!({}));
        click(&mut page, "p");
        page
    };
    let go_on = |page: &mut Page| {
        let pulse = answer(page, Ok(5.0));
        exact(page, pulse);
    };
    let mut page = waits();
    click(&mut page, "i");
    go_on(&mut page);
    assert_eq!(log(&mut page), "end");
    // The inner loop has come to its end, the outer one goes on.
    let mut page = waits();
    click(&mut page, "b");
    go_on(&mut page);
    assert_eq!(log(&mut page), "inner, inner, end");
    let mut page = waits();
    go_on(&mut page);
    go_on(&mut page);
    assert_eq!(log(&mut page), "1 1 5, if, inner, 2 1 5, if, inner, end");
}

#[test]
fn what_splice_takes_is_what_the_standard_says() {
    let text = "takes start: number\ntakes count: number
holds list = [0, 1, 2, 3, 4]
<p click='-> list.splice(start, count, 8, 9)'>{list.join('')}</p>
<b click='-> list.splice(start / 0 * 0, 1, 8)'></b><i click='-> list.splice(1, start / 0 * 0, 8)'></i>";
    for (start, count, left) in [
        (1.0, 2.0, "08934"),
        (-2.0, 1.0, "012894"),
        (-9.0, 1.0, "891234"),
        (9.0, 1.0, "0123489"),
        (2.9, 1.9, "018934"),
        (0.0, -1.0, "8901234"),
        (3.0, 1e300, "01289"),
        (-0.5, 0.5, "8901234"),
        (-1e300, 1.0, "891234"),
    ] {
        let mut page = opened(text, json!({ "start": start, "count": count }));
        click(&mut page, "p");
        let list = |page: &mut Page| page.find("p").expect("it is there").text();
        assert_eq!(list(&mut page), left, "splice({start}, {count}, 8, 9)");
        // Of what is no number, and not there.
        let mut page = opened(text, json!({ "start": 1, "count": 1 }));
        click(&mut page, "b");
        click(&mut page, "i");
        assert_eq!(list(&mut page), "881234");
    }
}

#[test]
fn what_the_host_could_not_read_fails_no_pulse() {
    let text = "asks soil(code: number): string
holds code = 7
holds n = 0
derives kind = soil(code)
does name() { n = kind.length }
<p click='-> n += 1'>{n}</p><i click='-> code = 1'></i><b click='-> name()'></b>";
    let mut page = opened(text, json!({}));
    for _ in 0..2 {
        page.session_mut().value("kind").expect("a name");
        click(&mut page, "p");
        assert!(page.get::<String>("kind").is_err());
        click(&mut page, "p");
    }
    assert_eq!(page.find("p").expect("it is there").text(), "4");
    click(&mut page, "i");
    assert_eq!(page.get::<String>("kind").ok().as_deref(), Some("soil 1"));
    click(&mut page, "b");
    assert_eq!(page.find("p").expect("it is there").text(), "6");
}

/// What a click on the second of three rows comes to, over state and over lists that are derived from it.
#[test]
fn a_row_means_its_item_whatever_was_written_before() {
    for list in ["beds", "wet", "beds.filter(b => b.wet)", "wet.slice(0, 3)", "wet.toReversed()"] {
        let clicked = |does: &str| {
            let text = format!(
                "holds beds = [1, 2, 3].map(id => ({{ id, wet: true, crop: `c${{id}}`, levels: [id] }}))
holds noted = ''
derives wet = beds.filter(b => b.wet)
<p each='row, at of {list} by row.id'><button click='-> {does}'>{{row.crop}} {{at}}</button></p>
<i>{{beds.map(b => b.crop).join()}} {{noted}}</i>"
            );
            let mut page = opened(&text, json!({}));
            let clicked = page.find("p:nth-of-type(2) button").and_then(vein::FoundElement::click);
            let fails = clicked.as_ref().err().map(ToString::to_string);
            if fails.is_none() {
                exact(&mut page, clicked);
            }
            let text = page.find("i").expect("it is there").text();
            fails.unwrap_or(text)
        };
        let over_state = list == "beds";
        // Others go before it, or come.
        let (first, last) = if list == "wet.toReversed()" { (2, 0) } else { (0, 2) };
        let goes = |at: usize| match over_state {
            true => format!("beds.splice({at}, 1)"),
            false => format!("beds[{at}].wet = false"),
        };
        let left = |at: usize, crops: [&str; 3]| {
            let kept = crops.iter().enumerate().filter(|(i, _)| !over_state || *i != at);
            kept.map(|(_, crop)| *crop).collect::<Vec<_>>().join(",")
        };
        let says = clicked(&format!("{}; row.crop = \"x\"; noted = `${{at}}`", goes(first)));
        assert_eq!(says, format!("{} 0", left(first, ["c1", "x", "c3"])), "{list}");
        let says =
            clicked(&format!("{}; noted = `${{at}} ${{row.crop}}`; row.crop = \"x\"", goes(first)));
        assert_eq!(says, format!("{} 0 c2", left(first, ["c1", "x", "c3"])), "{list}");
        let says =
            clicked(&format!("{}; row.levels.push(9); noted = row.levels.join()", goes(last)));
        assert_eq!(says, format!("{} 2,9", left(last, ["c1", "c2", "c3"])), "{list}");
        let says = clicked(
            "beds = [{ id: 9, wet: true, crop: \"new\", levels: [] }, ...beds]; row.crop = \"x\"",
        );
        assert_eq!(says.trim(), "new,c1,x,c3", "{list}");
        // An item of its identity comes in place of its own.
        let new = |id: u32, crop: &str| {
            format!("{{ id: {id}, wet: true, crop: \"{crop}\", levels: [] }}")
        };
        let says = clicked(&format!(
            "beds[1] = {}; beds[0] = {}; row.crop = \"x\"",
            new(9, "n"),
            new(2, "m")
        ));
        assert_eq!(says.trim(), "x,n,c3", "{list}");
        let says = clicked("beds[1].id = 9; beds[0].id = 2; row.crop = \"x\"");
        assert_eq!(says.trim(), "x,c2,c3", "{list}");
        let says =
            clicked(&format!("beds.splice(1, 1); beds.push({}); row.crop = \"x\"", new(2, "m")));
        assert_eq!(says.trim(), "c1,c3,x", "{list}");
        let says =
            clicked(&format!("beds = [{}]; row.crop = \"x\"; noted = `${{at}}`", new(2, "m")));
        assert_eq!(says, "x 0", "{list}");
        let says = clicked(
            "beds = []; beds = [{ id: 2, wet: true, crop: `m`, levels: [] }]; row.crop = \"x\"",
        );
        assert_eq!(says.trim(), "x", "{list}");
        // What comes in place of it gets its identity later.
        let says = clicked(&format!(
            "beds.splice(1, 1); beds.push({}); beds[2].id = 2; row.crop = \"x\"; noted = `${{at}}`",
            new(9, "m")
        ));
        let at = if list == "wet.toReversed()" { 0 } else { 2 };
        assert_eq!(says, format!("c1,c3,x {at}"), "{list}");
        // It goes itself: it can still be read, and not be written to.
        let says = clicked(&format!("{}; noted = `${{row.crop}} ${{row.levels.length}}`", goes(1)));
        assert_eq!(says, format!("{} c2 1", left(1, ["c1", "c2", "c3"])), "{list}");
        let says = clicked(&format!("{}; row.crop = \"x\"", goes(1)));
        assert!(says.contains("there is nothing at `row.crop`"), "{list}: {says}");
        // What tells it apart becomes another: it is another row from then on.
        let says = clicked("row.id = 7; noted = `${row.crop} ${row.levels.length}`");
        assert_eq!(says, "c1,c2,c3 c2 1", "{list}");
        let says = clicked("row.id = 7; row.crop = \"x\"");
        assert!(says.contains("there is nothing at `row.crop`"), "{list}: {says}");
    }
}

/// An identity may hang on what stands deep inside an item.
#[test]
fn a_row_is_told_apart_by_what_its_identity_is_worked_out_from() {
    for list in ["beds", "beds.filter(b => b.levels.length < 9)"] {
        let text = format!(
            "holds beds = [1, 2, 3].map(id => ({{ crop: `c${{id}}`, levels: [id] }}))
<p each='row of {list} by row.levels.join()'><button click='-> row.levels.push(7); row.crop = \"x\"'></button>
<b click='-> row.levels.splice(0, 1, row.levels[0] ?? 0); row.crop = \"y\"'></b>{{row.crop}}</p>"
        );
        let mut page = opened(&text, json!({}));
        let told = failure(&mut page, "p:nth-of-type(2) button");
        assert!(told.contains("there is nothing at `row.crop`"), "{list}: {told}");
        click(&mut page, "p:nth-of-type(2) b");
        assert_eq!(page.find("p:nth-of-type(2)").expect("a row").text(), " y", "{list}");
    }
}

/// What is read of a position before rows are told of theirs is right, and told of again when it was not the last.
#[test]
fn positions_that_are_read_early_are_told_of_when_they_change_again() {
    let row = "takes at: number
takes n: number
gives before()
gives gone()
gives broken()
gives noted(what: string)
holds seen = -1
holds twiceSeen = -1
holds runs = 0
derives twice = at * 2
upon change (n, at) { seen = at; twiceSeen = twice; runs += 1 }
does go() { give before(); give noted(`${twice}`); give before(); give noted(`${twice}`); give gone(); give noted(`${twice}`) }
does come() { give before(); give noted(`${twice}`); give gone(); give noted(`${twice}`) }
does fail() { give before(); give noted(`${twice}`); give broken() }
<i>{twice} {seen} {twiceSeen} {runs}</i><b class='fail' click='-> fail()'></b><b class='go' click='-> go()'></b><b class='come' click='-> come()'></b>";
    for list in ["beds", "beds.filter(b => b.id >= 0)"] {
        let house = format!(
            "holds beds = [{{ id: 0 }}]
holds n = 0
holds next = 1
holds most = 0
holds noted: string[] = []
does put() {{ beds.unshift({{ id: next }}); next += 1 }}
derives many = beds.length
upon change (many) {{ if (beds.length < most) put() }}
<a-row each='bed, i of {list} by bed.id' at='<- i' n='<- n' before='-> put()' gone='-> beds.shift()' broken='-> beds[99].id = 1' noted='-> noted.push(event.what)'></a-row>
<p>{{noted.join()}}</p><u click='-> most = 4; put(); n += 1'></u>"
        );
        let ui = Ui::from_sources([("a-row.vein", row), ("a-house.vein", &house)]);
        let ui = ui.unwrap_or_else(|error| panic!("{error}"));
        for (selector, noted, shown) in [
            (".go", "2,4,2", ["0 -1 -1 0", "2 1 2 1"].as_slice()),
            (".come", "2,0", &["0 -1 -1 0"]),
            ("u", "", &["0 -1 -1 0", "2 -1 -1 0", "4 -1 -1 0", "6 3 6 2"]),
        ] {
            let mut page = ui.open("a-house", ()).unwrap_or_else(|error| panic!("{error}"));
            // What a pulse that failed has read is forgotten with it.
            page.find(".fail").and_then(vein::FoundElement::click).expect_err("it fails");
            let pulse = page.find(selector).and_then(vein::FoundElement::click);
            exact(&mut page, pulse);
            let row = |at| page.find(&format!("i:nth-of-type({at})")).expect("a row").text();
            let rows: Vec<String> = (1..=shown.len()).map(row).collect();
            assert_eq!(page.find("p").expect("it is there").text(), noted, "{selector}");
            assert_eq!(rows, shown, "{selector}");
        }
    }
}

/// What runs by itself is told of a position that it has read, also when rows come back to where they stood.
#[test]
fn a_position_that_a_watch_has_read_is_told_of_when_it_is_what_it_was() {
    let eye = "takes at: number\ntakes n: number\nholds seen = -1\nupon change (n, at) { seen = at }\n<i>{seen}</i>";
    let house = "holds beds = [{ id: 0 }]
holds n = 0
holds k = 0
derives many = beds.length
upon change (many) { k += 1 }
upon change (k) { if (many > 1) { beds.shift() } }
<an-eye each='bed, i of beds by bed.id' at='<- i' n='<- n'></an-eye><u click='-> beds.unshift({ id: 1 }); n += 1'></u>";
    let ui = Ui::from_sources([("an-eye.vein", eye), ("a-house.vein", house)]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.open("a-house", ()).unwrap_or_else(|error| panic!("{error}"));
    let pulse = page.find("u").and_then(vein::FoundElement::click);
    exact(&mut page, pulse);
    assert_eq!(page.find("i").expect("a row").text(), "0");
}

/// What a handler reads after it has written is what follows from that, wherever it stands.
#[test]
fn a_handler_reads_what_follows_from_what_it_wrote() {
    let card = "takes bed: { id: number, litres: number, wet: boolean }
takes factor: number
takes all: number
shares litres: number
shares level: number
gives said(what: string)
derives double = bed.litres * factor
derives both = double + all + level
derives label = `${double}/${both}`
does pour() { litres += 1; give said(`${double} ${both} ${label}`) }
does raise() { level += 10; give said(`${double} ${both} ${label}`) }
<b class='pour' click='-> pour()'>{label}</b><b class='raise' click='-> raise()'></b>";
    let frame = "takes beds: { id: number, litres: number, wet: boolean }[]
derives wet = beds.filter(b => b.wet)
derives sum = wet.reduce((sum, b) => sum + b.litres, 0)
<slot name='head' sum='<- sum'></slot>
<slot each='bed of wet by bed.id' name='row' bed='<- bed' twice='<- bed.litres * 2'></slot>";
    for list in ["beds", "wet", "sorted", "beds.slice(0, 9)", "sorted.filter(b => b.id < 9)"] {
        let house = format!(
            "holds beds = [1, 2, 3].map(id => ({{ id, litres: id * 5, wet: true }}))
holds factor = 2
holds level = 100
holds noted: string[] = []
derives wet = beds.filter(b => b.wet)
derives sorted = wet.toSorted((a, b) => b.litres - a.litres)
derives sum = wet.reduce((sum, b) => sum + b.litres, 0)
does fill(id: number) {{ for (const bed of beds) {{ if (bed.id === id) {{ bed.litres += 1 }} }} }}
<p each='row, at of {list} by row.id'>
  <a-card bed='<- row' factor='<- factor' all='<- sum' litres='<-> row.litres' level='<-> level' said='-> noted = [event.what]'></a-card>
  <i click='-> row.litres += 1; factor = 3; noted = [`${{row.litres}} ${{sum}} ${{sorted[0]?.litres}}`]'></i>
</p>
<a-frame beds='<- {list}'>
  <u slot='row' with='bed, twice' click='-> fill(bed.id); noted = [`${{bed.litres}} ${{twice}} ${{sum}}`]'>{{twice}}</u>
</a-frame>
<q>{{noted.join()}}</q>"
        );
        let files = [("a-card.vein", card), ("a-frame.vein", frame), ("a-house.vein", &house)];
        let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
        let says = |selector: &str| {
            let mut page = ui.open("a-house", ()).unwrap_or_else(|error| panic!("{error}"));
            let pulse = page.find(selector).and_then(vein::FoundElement::click);
            exact(&mut page, pulse);
            page.find("q").expect("it is there").text()
        };
        // The first row: of those that are sorted, the fullest.
        let (litres, sum) = (if list.starts_with("sorted") { 15 } else { 5 }, 30);
        let double = (litres + 1) * 2;
        let both = double + sum + 1 + 100;
        assert_eq!(says(".pour"), format!("{double} {both} {double}/{both}"), "{list}");
        let (double, both) = (litres * 2, litres * 2 + sum + 110);
        assert_eq!(says(".raise"), format!("{double} {both} {double}/{both}"), "{list}");
        let fullest = if litres == 15 { 16 } else { 15 };
        assert_eq!(says("p i"), format!("{} {} {fullest}", litres + 1, sum + 1), "{list}");
        let twice = (litres + 1) * 2;
        assert_eq!(says("u"), format!("{} {twice} {}", litres + 1, sum + 1), "{list}");
    }
}

#[test]
fn an_event_that_the_host_gives_has_to_fit() {
    let text = "gives poured(litres: number, note: string?)\n<p></p>";
    let mut page = opened(text, json!({}));
    let mut told = |event: &str, payload: serde_json::Value| {
        let given = page.session_mut().give("", event, payload);
        given.map(|_| ()).map_err(|error| error.to_string())
    };
    assert_eq!(told("poured", json!({ "litres": 2 })), Ok(()));
    assert_eq!(told("poured", json!({ "litres": 2, "note": "slowly" })), Ok(()));
    for (event, payload, wrong) in [
        ("pourd", json!({}), "poured"),
        ("poured", json!({ "litres": 2, "colour": "red" }), "poured.colour"),
        ("poured", json!({ "note": "slowly" }), "poured.litres: expected number"),
        ("poured", json!([2]), "object"),
    ] {
        let error = told(event, payload).expect_err("it does not fit");
        assert!(error.contains(wrong), "{error}");
    }
}

/// What is given to a component, or handed back by a slot, follows all of a list that is changed where it stands.
#[test]
fn what_is_given_follows_lists_that_are_changed_in_place() {
    let card = "takes text: string
takes json: string
takes count: number
takes has: boolean
<p>{text} {json} {count} {has}</p><slot twice='<- text + text' length='<- json.length'></slot>";
    let house = "holds list = [3, 1, 2]
holds beds = [{ id: 1, in: [5] }, { id: 2, in: [] }]
<a-card text='<- list.join()' json='<- JSON.stringify(beds)' count='<- list.length' has='<- list.includes(9)'>
  <b with='twice, length'>{twice} {length}</b></a-card>
<a-card each='bed of beds by bed.id' text='<- bed.in.join()' json='<- JSON.stringify(bed)' count='<- bed.in.length'
  has='<- bed.in.includes(9)'></a-card>";
    for (does, text, json) in [
        ("list.push(9)", "3,1,2,9", None),
        ("list.pop()", "3,1", None),
        ("list.splice(1, 1, 9)", "3,9,2", None),
        ("list.reverse()", "2,1,3", None),
        ("list.sort()", "1,2,3", None),
        ("list[1] = 9", "3,9,2", None),
        ("list = [9]", "9", None),
        ("beds[1].in.push(9)", "3,1,2", Some("[{\"id\":1,\"in\":[5]},{\"id\":2,\"in\":[9]}]")),
        ("beds[0].in[0] = 9", "3,1,2", Some("[{\"id\":1,\"in\":[9]},{\"id\":2,\"in\":[]}]")),
        ("beds.reverse()", "3,1,2", Some("[{\"id\":2,\"in\":[]},{\"id\":1,\"in\":[5]}]")),
        ("beds[0].id = 7", "3,1,2", Some("[{\"id\":7,\"in\":[5]},{\"id\":2,\"in\":[]}]")),
    ] {
        let house = format!("{house}<i click='-> {does}'></i>");
        let files = [("a-card.vein", card), ("a-house.vein", house.as_str())];
        let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
        let mut page = ui.open("a-house", ()).unwrap_or_else(|error| panic!("{error}"));
        let pulse = page.find("i").and_then(vein::FoundElement::click);
        exact(&mut page, pulse);
        let json = json.unwrap_or("[{\"id\":1,\"in\":[5]},{\"id\":2,\"in\":[]}]");
        let list: Vec<&str> = text.split(',').collect();
        let shown = format!("{text} {json} {} {}", list.len(), list.contains(&"9"));
        assert_eq!(page.find("p").expect("it is there").text(), shown, "{does}");
        let handed = format!("{text}{text} {}", json.len());
        assert_eq!(page.find("b").expect("it is there").text(), handed, "{does}");
    }
}

#[test]
fn fields_in_another_order_are_another_value_to_those_who_can_tell() {
    let text = "holds bed = { id: 1, litres: 2 }
holds beds = [{ id: 1, litres: 2 }]
derives alike = bed === beds[0]
<p click='-> bed = { litres: 2, id: 1 }; beds = [{ litres: 2, id: 1 }, { litres: 9, id: 2 }]'>{JSON.stringify(bed)} {alike}</p>
<i each='b of beds by b.id' title='<- b.litres'>{JSON.stringify(b)}</i>";
    let mut page = opened(text, json!({}));
    click(&mut page, "p");
    assert_eq!(page.find("p").expect("it is there").text(), "{\"litres\":2,\"id\":1} true");
    assert_eq!(page.find("i").expect("it is there").text(), "{\"litres\":2,\"id\":1}");
}

#[test]
fn texts_are_put_in_the_order_of_the_pages_locale() {
    let text = "shape Bed { id: number, crop: string }
takes first: Bed[]
holds beds = first
derives named = beds.toSorted((a, b) => a.crop.localeCompare(b.crop))
<ol><li each='bed of named by bed.id'>{bed.crop} </li></ol>
<b click='-> beds[1].crop = \"Zwiebel\"'></b><i click='-> beds.sort((a, b) => b.crop.localeCompare(a.crop))'></i>
<p>{beds.map(bed => bed.crop).join(' ')}</p>";
    let ui = Ui::from_sources([("a-list.vein", text)]).unwrap_or_else(|error| panic!("{error}"));
    let crops = ["Öl", "apfel", "Apfel"].iter().enumerate();
    let first: Vec<_> = crops.map(|(id, crop)| json!({ "id": id, "crop": crop })).collect();
    for (tag, before, after, down) in [
        ("de", "apfel Apfel Öl", "Apfel Öl Zwiebel", "Zwiebel Öl Apfel"),
        ("sv", "apfel Apfel Öl", "Apfel Zwiebel Öl", "Öl Zwiebel Apfel"),
        ("da", "Apfel apfel Öl", "Apfel Zwiebel Öl", "Öl Zwiebel Apfel"),
    ] {
        let page = ui.page("a-list").locale(tag, "UTC").expect("a locale");
        let mut page = page.open(json!({ "first": first })).expect("beds");
        let shown = |page: &mut Page| page.find("ol").expect("it is there").text();
        assert_eq!(shown(&mut page).trim(), before, "{tag}");
        for selector in ["b", "i"] {
            let pulse = page.find(selector).and_then(vein::FoundElement::click);
            exact(&mut page, pulse);
            assert_eq!(shown(&mut page).trim(), after, "{tag}");
        }
        assert_eq!(page.find("p").expect("it is there").text(), down, "{tag}");
    }
}

#[test]
fn what_a_row_stands_for_is_known_to_who_has_told_it_apart_from_itself() {
    for list in ["beds", "beds.filter(b => b.litres > 0)", "beds.toSorted((a, b) => a.id - b.id)"] {
        let text = format!(
            "takes first: {{ id: number, crop: string, litres: number }}[]
holds beds = first
holds noted = ''
derives some = {list}
<li each='bed of some by bed.crop' click='-> bed.litres += 2; bed.crop = \"rye\"; noted = `${{bed.litres}} ${{bed.crop}}`'>{{bed.litres}}</li>
<p>{{noted}}</p>"
        );
        let first = json!({ "first": [{ "id": 1, "crop": "pea", "litres": 5 }] });
        let mut page = opened(&text, first);
        click(&mut page, "li");
        assert_eq!(page.find("p").expect("it is there").text(), "7 pea", "{list}");
        assert_eq!(page.find("li").expect("it is there").text(), "7", "{list}");
    }
}
