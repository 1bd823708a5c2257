//! What goes and comes back within a pulse, what only seems to change, and what is left of pulses that failed.

use crate::waiting::{click, exact, opened};
use serde_json::json;
use vein::{Page, Ui};

fn house(leaf: &str, house: &str) -> Page {
    let ui = Ui::from_sources([("a-leaf.vein", leaf), ("a-house.vein", house)]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.page("a-house").manual_answers().open(()).unwrap_or_else(|e| panic!("{e}"));
    page.prove(true);
    page
}

/// How many parts a click changes, and how many patches that takes.
fn changed(page: &mut Page, selector: &str) -> (usize, usize) {
    let pulse = click(page, selector);
    (pulse.pulse.parts.len(), pulse.pulse.patches.iter().count())
}

fn text(page: &mut Page, selector: &str) -> String {
    page.find(selector).expect("it is there").text()
}

#[test]
fn what_comes_and_goes_again_changes_nothing() {
    let leaf = "takes stays: boolean\ngives told()\nupon added { if (!stays) { give told() } }\n<i>leaf</i>";
    let mut page = house(
        leaf,
        "holds on = false
holds stays = false
<a-leaf when='on' stays='<- stays' told='-> on = false'></a-leaf>
<p html=\"<- on ? '<b>on</b>' : '<u>off</u><u>off</u>'\"></p>
<em when='on'>on</em>
<q click='-> on = true'></q><s click='-> stays = true; on = true'></s><a click='-> on = false'></a>",
    );
    let before = page.html();
    assert_eq!(changed(&mut page, "q"), (0, 0));
    assert_eq!(page.html(), before);
    // What stayed is where it was, and goes when it goes.
    assert_eq!(changed(&mut page, "s").0, 3);
    assert_eq!(changed(&mut page, "a").0, 3);
    assert_eq!(page.html(), before);
}

#[test]
fn markup_that_is_cleaned_to_the_same_is_the_same() {
    let mut page = opened(
        "holds n = 0
<p html=\"<- n === 1 ? '<b>a</b><script>x</script>' : n === 2 ? '<b>b</b>' : '<b>a</b>'\"></p>
<q click='-> n += 1'></q>",
        json!({}),
    );
    page.prove(true);
    assert_eq!(changed(&mut page, "q"), (0, 0));
    assert_eq!(changed(&mut page, "q").0, 1);
    assert_eq!(page.find("p").expect("it is there").html(), "<p><b>b</b></p>");
}

#[test]
fn numbers_of_nodes_are_given_out_again() {
    let mut page = opened(
        "holds n = 0
<p html=\"<- `<b>${n}</b><i>${n}</i>`\"></p><u when='n % 2 === 0'>even</u>
<any tag=\"<- n % 2 === 0 ? 'h2' : 'h3'\">t</any><em each='k of [n].slice(0, n % 2) by k'>k</em>
<s when='n % 2 === 1' html=\"<- `<b>${n}</b><i>${n}</i><u>${n}</u>`\"></s><q click='-> n += 1'></q>",
        json!({}),
    );
    page.prove(true);
    let highest = |page: &mut Page| {
        let patches = click(page, "q").pulse.patches;
        let made = patches.iter().filter_map(|patch| match patch {
            vein::Patch::Clone { first, .. } => Some(first),
            _ => None,
        });
        made.max().unwrap_or(0)
    };
    let early = (0..4).map(|_| highest(&mut page)).max();
    let late = (0..40).map(|_| highest(&mut page)).max();
    assert!(late <= early, "{late:?} is more than {early:?}");
}

#[test]
fn an_element_that_cannot_be_is_reported_whenever_it_is_shown() {
    let mut page = opened(
        "holds t = 'p'\n<any tag='<- t'>t</any><q click='-> t = \"script\"'></q>",
        json!({}),
    );
    let pulse = click(&mut page, "q");
    assert_eq!(pulse.pulse.problems.len(), 1, "{pulse}");
    assert_eq!(page.html().lines().next(), Some("<div>t</div><q></q>"));
}

/// A pulse that failed after rows had gone leaves nothing of that behind.
#[test]
fn rows_that_failed_to_go_are_as_they_were() {
    let mut page = opened(
        "holds beds = [1, 2, 3].map(id => ({ id, crop: `c${id}` }))
<p each='bed of beds by bed.id'>{bed.crop}</p>
<q click='-> beds.shift(); beds[9].id = 1'></q>
<s click='-> beds[0].id = 7'></s><u click='-> beds.push({ id: 2, crop: \"new\" })'></u>
<em click='-> beds = beds.slice(1)'></em>",
        json!({}),
    );
    page.prove(true);
    let fails =
        |page: &mut Page| page.find("q").and_then(vein::FoundElement::click).expect_err("it fails");
    fails(&mut page);
    assert_eq!(click(&mut page, "s").pulse.created, 1, "told apart by something else");
    fails(&mut page);
    let pulse = click(&mut page, "u");
    assert_eq!(pulse.pulse.created, 1);
    fails(&mut page);
    click(&mut page, "em");
    assert_eq!(text(&mut page, "p"), "c2");
}

/// Whoever goes with its item is not told of the item that comes in its place.
#[test]
fn a_row_that_goes_does_not_see_who_comes() {
    let leaf = "takes bed: { id: number, crop: string }
gives told(what: string)
upon change (bed) { give told(`${bed.id}${bed.crop}`) }
<i>{bed.crop}</i>";
    let mut page = house(
        leaf,
        "holds beds = [{ id: 1, crop: 'a' }, { id: 2, crop: 'b' }]
holds told: string[] = []
<a-leaf each='bed of beds by bed.id' bed='<- bed' told='-> told.push(event.what)'></a-leaf>
<p>{told.join()}</p><q click='-> beds[0] = { id: 9, crop: \"c\" }'></q>
<s click='-> beds[1] = { id: 2, crop: \"d\" }'></s><u click='-> beds[0].crop = \"e\"'></u>",
    );
    click(&mut page, "q");
    assert_eq!(text(&mut page, "p"), "");
    click(&mut page, "s");
    click(&mut page, "u");
    assert_eq!(text(&mut page, "p"), "2d,9e");
}

/// Without an identity a row belongs to a position; one beyond the end keeps what it had.
#[test]
fn a_row_beyond_the_end_reads_what_it_was() {
    for list in ["beds", "beds.filter(b => b.id < 9)"] {
        let text_of = format!(
            "holds beds = [1, 2, 3].map(id => ({{ id, crop: `c${{id}}` }}))
holds noted = ''
<p each='bed, at of {list}'>{{bed.crop}}<b click='-> beds.pop(); beds.pop(); noted = `${{bed.crop}} ${{at}}`'></b></p>
<i>{{noted}}</i>"
        );
        let mut page = opened(&text_of, json!({}));
        page.prove(true);
        click(&mut page, "p:nth-of-type(3) b");
        assert_eq!(text(&mut page, "i"), "c3 2", "{list}");
    }
}

/// What is given deep inside of what is replaced whole.
#[test]
fn what_is_given_is_told_when_all_around_it_is_replaced() {
    let leaf = "takes pump: { on: boolean, flow: number }
derives heavy = pump.flow * 2
derives d = pump.on ? heavy : 0
<i>{d}</i>";
    let mut page = house(
        leaf,
        "shape Pump { on: boolean, flow: number }
holds bed: { id: number, pump: Pump } = { id: 1, pump: { on: true, flow: 1 } }
<a-leaf pump='<- bed.pump'></a-leaf>
<p click='-> bed = { id: 2, pump: { on: true, flow: 4 } }'></p>
<b click='-> bed = { id: 3, pump: { on: false, flow: 5 } }; bed.pump.flow = 6'></b>
<u click='-> bed.pump.flow = 7; bed = { id: 4, pump: { on: true, flow: 8 } }'></u>
<s click='-> bed.pump = { on: true, flow: 9 }; bed.id = 5'></s>
<q click='-> bed.pump.on = false; bed = { id: 6, pump: { on: true, flow: 9 } }'></q>
<a click='-> bed = { id: 7, pump: { on: false, flow: 9 } }; bed.pump.on = true'></a>",
    );
    let mut shown = |selector: &str| {
        let pulse = click(&mut page, selector).pulse;
        (text(&mut page, "i"), pulse.parts.len(), pulse.computed)
    };
    assert_eq!(shown("p"), ("8".into(), 1, 2));
    assert_eq!(shown("b"), ("0".into(), 1, 1));
    assert_eq!(shown("u"), ("16".into(), 1, 2));
    assert_eq!(shown("s"), ("18".into(), 1, 2));
    assert_eq!(shown("q"), ("18".into(), 0, 0));
    assert_eq!(shown("a"), ("18".into(), 0, 0));
}

/// A page that nobody closes is closed when it is let go.
#[test]
fn a_page_that_is_dropped_ends() {
    let ended = std::sync::Arc::new(std::sync::Mutex::new(0));
    let noted = ended.clone();
    let note = move |code: u32| {
        *noted.lock().expect("whole") += code;
        code
    };
    let ui = Ui::from_sources([(
        "a-house.vein",
        "asks note(code: number): number\nholds n = 0\nupon removed { n = note(3) }\n<p>{n}</p>",
    )]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}"));
    let page = ui.page("a-house").answer("note", note).open(()).expect("no props");
    assert_eq!(*ended.lock().expect("whole"), 0);
    drop(page);
    assert_eq!(*ended.lock().expect("whole"), 3);
}

/// The ledger tells what each write came from: that which was read, whatever else was written meanwhile.
#[test]
fn a_reason_is_what_was_read() {
    let mut page = opened(
        "holds on = false
holds b = 1
holds k = 0
holds last = 0
upon change (b, k) { if (k > 0) { last = k } else { k = 1 } }
<p title='<- on'>{on ? b : 0}</p><q click='-> on = true; b = 5'></q>",
        json!({}),
    );
    let pulse = page.find("q").and_then(vein::FoundElement::click);
    let told = exact(&mut page, pulse).to_string();
    let reason = |what: &str| {
        let line = told.lines().find(|line| line.contains(what)).unwrap_or_default();
        line.split_once("because ").map_or("", |(_, why)| why).to_owned()
    };
    assert_eq!(reason("a-b.k "), "b");
    assert_eq!(reason("a-b.last "), "k");
    assert_eq!(reason("p title"), "on");
    assert_eq!(reason("p text"), "on, b");
}

#[test]
fn identities_that_occur_again_are_told_and_take_turns() {
    let mut page = opened(
        "holds beds = [1, 2].map(id => ({ id, crop: `c${id}` }))
holds n = 0
<p each='bed of beds by bed.id'>{bed.crop}</p><u each='bed of beds'>{bed.id}</u>
<q click='-> n += 1; beds.push({ id: n > 3 ? 2 : 1, crop: `n${n}` })'></q>
<s click='-> beds.shift()'></s><em click='-> beds.reverse()'></em>
<i click='-> beds = [...beds.slice(1), { id: 1, crop: \"last\" }]'></i>",
        json!({}),
    );
    page.prove(true);
    let told = |page: &mut Page, selector: &str| -> Vec<String> {
        let pulse = click(page, selector);
        pulse.pulse.problems.iter().map(ToString::to_string).collect()
    };
    let of = |key: u32, first: u32, second: u32| {
        format!("p list: the items at {first} and {second} have the same identity, {key}")
    };
    assert_eq!(told(&mut page, "q"), [of(1, 0, 2)]);
    assert_eq!(told(&mut page, "q"), [of(1, 0, 3)]);
    assert_eq!(told(&mut page, "em"), [""; 0]);
    assert_eq!(told(&mut page, "s"), [""; 0]);
    // c1 and n1 are left of identity 1, in turn around the other.
    assert_eq!(told(&mut page, "em"), [""; 0]);
    assert_eq!(told(&mut page, "i"), [""; 0]);
    assert_eq!(told(&mut page, "s"), [""; 0]);
    assert_eq!(told(&mut page, "s"), [""; 0]);
    assert_eq!(told(&mut page, "q"), [of(1, 0, 1)]);
    assert_eq!(told(&mut page, "q"), [""; 0]);
    assert_eq!(told(&mut page, "q"), [of(2, 2, 3)]);
}

/// Markup is sent once, and what did not arrive because the pulse failed is sent again.
#[test]
fn markup_is_sent_once() {
    let text = "asks soil(code: number): string
holds code = 1
holds on = false
<any tag=\"<- code > 5 ? 'h2' : 'h3'\">t</any><p when='code > 6'>more</p><b when='on'>{code}</b><i>{soil(code)}</i>
<q click='-> code = 7'></q><s click='-> code = 8'></s><u click='-> code = 1'></u><em click='-> on = !on'></em>";
    let mut page = opened(text, json!({}));
    page.prove(true);
    let sent = |page: &mut Page, selector: &str| {
        let patches = click(page, selector).pulse.patches;
        patches.iter().filter(|patch| matches!(patch, vein::Patch::Template { .. })).count()
    };
    page.find("q").and_then(vein::FoundElement::click).expect_err("the host fails");
    assert_eq!(sent(&mut page, "s"), 2);
    assert!(page.html().starts_with("<h2>t</h2><p>more</p>"), "{}", page.html());
    let all: Vec<usize> =
        ["u", "s", "u", "s", "em", "em", "em"].iter().map(|on| sent(&mut page, on)).collect();
    assert_eq!(all, [0, 0, 0, 0, 1, 0, 0]);
    page.find("q").and_then(vein::FoundElement::click).expect_err("the host fails");
    assert_eq!(sent(&mut page, "u"), 0);
}

/// A view that failed to be made leaves no trace in the numbers of nodes and markup that later ones get.
#[test]
fn numbers_that_a_failed_view_took_are_free_and_those_it_let_go_are_not() {
    let text = "asks soil(code: number): string
holds code = 1
holds n = 0
<p html=\"<- code > 5 ? '<b>x</b>' : '<i>y</i>'\"></p><u each='k of [1, 2, 3].slice(0, n) by k'>{k}</u>
<s when='code > 5'>{n}</s><em>{soil(code)}</em>
<q click='-> code = 7'></q><a click='-> n += 1'></a><h1 click='-> code = 8'></h1>";
    let numbers = |page: &mut Page, selector: &str| -> Vec<(u32, u32)> {
        let patches = click(page, selector).pulse.patches;
        let clones = patches.iter().filter_map(|patch| match patch {
            vein::Patch::Clone { template, first, .. } => Some((template, first)),
            _ => None,
        });
        clones.collect()
    };
    let mut seen = Vec::new();
    for fails in [false, true] {
        let mut page = opened(text, json!({}));
        page.prove(true);
        if fails {
            page.find("q").and_then(vein::FoundElement::click).expect_err("the host fails");
        }
        let all: Vec<_> = ["a", "a", "h1", "a"].iter().map(|on| numbers(&mut page, on)).collect();
        let html = page.html();
        assert!(html.starts_with("<p><b>x</b></p><u>1</u><u>2</u><u>3</u> <s>3</s>"), "{html}");
        seen.push(all);
    }
    assert_eq!(seen[0], seen[1]);
}

/// A control that was put back is not taken for marked.
#[test]
fn a_mark_of_a_pulse_that_failed_is_none() {
    let text = "holds n = 1
holds k = 0
holds bad = true
holds beds = [1]
upon change (k) { if (bad) { beds[9] = 1 } }
<input value='<-> n' input='-> k += 1'><p click='-> bad = !bad'></p>";
    let mut page = opened(text, json!({}));
    page.prove(true);
    let held = |page: &mut Page| {
        let input = page.find("input").expect("a control");
        (input.value().unwrap_or_default(), input.attribute("aria-invalid").is_some())
    };
    page.find("input").and_then(|input| input.input("kale")).expect_err("it fails");
    assert_eq!(held(&mut page), ("1".into(), false));
    click(&mut page, "p");
    let pulse = page.find("input").and_then(|input| input.input("kale"));
    exact(&mut page, pulse);
    assert_eq!(held(&mut page), ("kale".into(), true));
    click(&mut page, "p");
    page.find("input").and_then(|input| input.input("5")).expect_err("it fails");
    click(&mut page, "p");
    let pulse = page.find("input").and_then(|input| input.input("5"));
    exact(&mut page, pulse);
    assert_eq!(held(&mut page), ("5".into(), false));
}

/// What shows nothing takes no patch when it is made.
#[test]
fn what_is_as_the_markup_says_takes_no_patch() {
    let text = "holds s = ''
holds url = 'javascript:1'
holds off = false
<p title='<- off ? s : null' hidden='<- off'>{s}</p><input checked='<- off' type='checkbox' value='<- s'>
<a href='<- url'>a</a><q click='-> off = !off'></q>";
    let page = opened(text, json!({}));
    let opening = &page.opening().pulse;
    let problems: Vec<String> = opening.problems.iter().map(ToString::to_string).collect();
    assert_eq!(
        problems,
        ["a href: the address \"javascript:1\" could run something and is not shown"]
    );
    let patches: Vec<String> = opening.patches.iter().map(|patch| format!("{patch:?}")).collect();
    assert_eq!(patches.len(), 5, "{patches:?}");
    assert!(patches[4].contains("about:blank"), "{patches:?}");
}

#[test]
fn a_hundred_components_stand_inside_each_other() {
    let tree = "takes left: number\n<i></i><a-tree when='left > 1' left='<- left - 1'></a-tree>";
    let house = "takes deep: number\n<a-tree left='<- deep'></a-tree><p></p>";
    let ui = Ui::from_sources([("a-tree.vein", tree), ("a-house.vein", house)]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}"));
    for (deep, there) in [(1, 1), (99, 99), (100, 100), (101, 100), (300, 100)] {
        let mut page = ui.open("a-house", json!({ "deep": deep })).expect("it opens");
        assert_eq!(page.count("i").expect("a selector"), there, "{deep}");
        let problems: Vec<String> =
            page.opening().pulse.problems.iter().map(ToString::to_string).collect();
        let wanted = match deep > there {
            true => vec!["a-tree: more than 100 components stand inside each other"],
            false => Vec::new(),
        };
        assert_eq!(problems, wanted, "{deep}");
        page.set("deep", 1).expect("it fits");
        assert_eq!(page.count("i").expect("a selector"), 1);
    }
}

#[test]
fn what_stands_in_a_slot_begins_as_everything_else() {
    let leaf = "awaits crop(at: number): string
gives told(what: string)
loads name: string = crop(1)
upon added { give told('added') }
upon removed { give told('removed') }
<i>{name}</i>";
    let frame = "takes on: boolean\n<b when='on'><slot></slot></b>";
    let house = "holds on = false\nholds told: string[] = []\nholds t = 'script'
<a-frame on='<- on'><a-leaf told='-> told.push(event.what)'></a-leaf></a-frame>
<p click='-> on = !on'>{told.join()}</p><any tag='<- t'><a-leaf told='-> told.push(event.what)'></a-leaf></any>
<q click='-> t = \"h2\"'></q>";
    let files = [("a-leaf.vein", leaf), ("a-frame.vein", frame), ("a-house.vein", house)];
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.page("a-house").manual_answers().open(()).expect("no props");
    page.prove(true);
    assert_eq!(page.opening().pulse.problems.len(), 1, "an element that cannot be");
    let began = |page: &mut Page, selector: &str| {
        let pulse = click(page, selector);
        (pulse.pulse.questions.len(), pulse.pulse.dropped.len(), pulse.pulse.rounds)
    };
    assert_eq!(began(&mut page, "p"), (1, 0, 1));
    assert_eq!(text(&mut page, "p"), "added,added");
    assert_eq!(began(&mut page, "p"), (0, 1, 1));
    assert_eq!(text(&mut page, "p"), "added,added,removed");
    // So does what stands in an element that becomes another.
    assert_eq!(began(&mut page, "q"), (1, 1, 1));
    assert_eq!(text(&mut page, "p"), "added,added,removed,removed,added");
}

/// After a pulse that failed when its view was made, whatever comes is as if it had never been.
#[test]
fn a_view_that_failed_never_was() {
    let leaf = "takes at: number\nuses tank\nholds own = 0\n<i click='-> own += 1'>{tank.litres + at + own}</i>";
    let frame = "takes on: boolean\n<b when='on'><slot></slot></b><em otherwise><slot name='foot'></slot></em>";
    let tank = "store tank\nholds litres = 1\ndoes fill() { litres += 1 }";
    let house = "uses tank
asks soil(code: number): string
holds code = 1
holds n = 0
holds t = 'h2'
holds beds = [1, 2, 3].map(id => ({ id, crop: `c${id}` }))
<a-frame on='<- n % 2 === 0'><a-leaf at='<- n'></a-leaf><u>{n}</u><s slot='foot'>{beds.length}</s></a-frame>
<p each='bed, at of beds by bed.id'>{at}{bed.crop}<a-leaf at='<- at'></a-leaf><input value='<-> bed.crop'></p>
<any tag='<- t'>{t}<a-leaf at='<- n'></a-leaf></any>
<div html='<- `<b>${n}</b>`'></div>
<q>{soil(code)}</q>
<button id='fail' click=\"-> n += 1; t = 'h4'; beds.shift(); beds.reverse(); beds.push({ id: 9, crop: 'x' }); tank.fill(); code = 7\"></button>
<button id='same' click=\"-> n += 2; t = 'h3'; beds.splice(1, 1); beds.push({ id: 2, crop: 'y' }); beds[0].crop = 'z'; code = 7\"></button>
<button id='n' click='-> n += 1'></button><button id='t' click=\"-> t = 'h4'\"></button>
<button id='id' click='-> beds[0].id = 7'></button><button id='fill' click='-> tank.fill()'></button>
<button id='twice' click=\"-> beds.push({ id: 2, crop: 'new' })\"></button>
<button id='shift' click='-> beds.shift()'></button><button id='turn' click='-> beds.reverse()'></button>";
    let files = [
        ("a-leaf.vein", leaf),
        ("a-frame.vein", frame),
        ("water-tank.vein", tank),
        ("a-house.vein", house),
    ];
    let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
    let soil = |code: u32| if code == 7 { Err("no soil") } else { Ok("clay") };
    let open = || {
        let mut page = ui.page("a-house").try_answer("soil", soil).open(()).expect("no props");
        page.prove(true);
        page
    };
    let whole = |page: &mut Page| {
        let runtime = page.session_mut().runtime();
        let components: Vec<String> =
            runtime.components().into_iter().map(|(name, _)| name).collect();
        (runtime.standing().count(), components, page.resources(), page.html())
    };
    let ways: [&[&str]; 6] = [
        &["#n", "#n", "#fill", "#t", "#n"],
        &["#twice", "#shift", "#turn", "#twice", "#turn"],
        &["#id", "#shift", "#id", "#n", "#fill"],
        &["#turn", "#twice", "#turn", "#id", "#t"],
        &["#fill", "#n", "#turn", "#n", "#shift"],
        &["#t", "#n", "#twice", "#twice", "#shift"],
    ];
    for failing in ["#fail", "#same"] {
        for way in ways {
            let (mut page, mut twin) = (open(), open());
            for selector in way {
                page.find(failing).and_then(vein::FoundElement::click).expect_err("the host fails");
                assert_eq!(whole(&mut page), whole(&mut twin), "{failing} before {selector}");
                let told = |page: &mut Page| {
                    let pulse = click(page, selector);
                    let patches = pulse.pulse.patches.iter();
                    let patches: Vec<String> = patches.map(|patch| format!("{patch:?}")).collect();
                    (patches, pulse.to_string().lines().skip(1).collect::<Vec<_>>().join("\n"))
                };
                assert_eq!(told(&mut page), told(&mut twin), "{failing}, {selector}");
                assert_eq!(whole(&mut page), whole(&mut twin), "{failing} after {selector}");
            }
        }
    }
}
