//! Random components under random pulses are exact, and agree with a fresh rendering.

use crate::generate::{Generator, STATE};
use crate::seeds::Seeds;
use serde_json::{Value as Json, json};
use std::sync::Arc;
use vein_check::{ReachMap, Source, check, reach_map};
use vein_plan::{CellKind, Program, Reads, Value};
use vein_proof::fresh::render;
use vein_proof::{Entry, Session};
use vein_runtime::{Cause, Which};
use vein_view::Event;

pub fn compiled(text: &str) -> Arc<Program> {
    let checked = check(vec![Source { path: "test-bed.vein".into(), text: text.into() }]);
    assert_eq!(checked.report.errors(), 0, "{}\n{text}", checked.report);
    let program = checked.program.expect("no errors, so a program");
    // Everything runs on a plan that went through its binary form.
    let read = Program::from_bytes(&program.to_bytes()).expect("a sound plan");
    assert_eq!(program, read);
    Arc::new(read)
}

fn bed(id: usize, crop: &str) -> Json {
    json!({ "id": id, "crop": crop, "wet": id.is_multiple_of(2), "levels": [id, 1] })
}

/// One random thing that a person or the host does.
fn act(session: &mut Session, generator: &mut Generator, buttons: usize) -> Entry {
    let random = generator.random();
    if random.below(3) > 0 {
        let found = session.tree().select("button").expect("a selector");
        let button = found[random.below(buttons)];
        return session.dispatch(button, &Event::new("click")).expect("a button");
    }
    let n = random.below(4);
    let writes: [(&str, Json); 8] = [
        ("n", json!(n)),
        ("s", json!(["a", "", "kale", "x"][n])),
        ("flag", json!(n > 1)),
        ("maybe", if n == 0 { Json::Null } else { json!(n) }),
        ("numbers", json!((0..n).collect::<Vec<_>>())),
        ("beds", json!((0..n).map(|i| bed(i, "leek")).collect::<Vec<_>>())),
        ("bed.levels", json!([n, n + 1])),
        ("bed.crop", json!(["pea", "bean", "pea", "rye"][n])),
    ];
    let (path, value) = random.pick(&writes);
    session.set(path, value).expect("a write that fits")
}

/// The numbers of the parts that were evaluated.
fn evaluated(entry: &Entry) -> Vec<u32> {
    let parts = entry.pulse.evaluated.iter().map(|place| match place.which {
        Which::Part(part) => part,
        Which::Spot(spot) => panic!("spot {spot}"),
    });
    parts.collect()
}

/// Every derived value that the engine keeps is what a fresh rendering works out.
fn agrees(session: &mut Session, text: &str) {
    let runtime = session.runtime();
    let plan = runtime.plan().clone();
    let fresh = render(runtime, None);
    let values: Vec<Value> =
        (0..plan.cells.len()).map(|cell| fresh.cell(runtime, 0, cell as u32).clone()).collect();
    for (number, cell) in plan.cells.iter().enumerate() {
        if matches!(cell.kind, CellKind::Derived(..)) && cell.block == 0 {
            let kept = session.value(&cell.name).expect("a derived value");
            let value = &values[number];
            assert!(kept.same(value), "`{}`: {kept}, not {value}, in\n{text}", cell.name);
        }
    }
}

/// What a pulse changed is within what was known beforehand that it can change.
fn stays_in_reach(map: &ReachMap, entry: &Entry, text: &str) {
    let within: Vec<usize> = match &entry.pulse.cause {
        Cause::Write { path } => {
            let root = path.split(['.', '[']).next().unwrap_or("");
            let of = |p: &&vein_check::PathReach| p.path.split(['.', '[']).next() == Some(root);
            let paths = map.paths.iter().filter(of);
            paths.flat_map(|path| path.parts.iter().map(|part| part.part)).collect()
        }
        Cause::Event { kind, on } => {
            let listener =
                map.actions.iter().find(|a| a.listens && a.name == format!("{on} {kind}"));
            listener.expect("the listener that it reached").parts.clone()
        }
        other => panic!("{other}"),
    };
    for part in &entry.pulse.parts {
        let within = within.iter().any(|place| map.parts[*place] == part.address);
        assert!(within, "{} is out of reach\n{entry}\n{text}", part.address);
    }
}

/// A page with a longer text than this is left at what it is, in UTF-16 units.
const LONG_ENOUGH: usize = 20_000;

#[test]
fn random_pulses_on_random_components_are_exact() {
    let (mut pulses, mut changed, mut failed) = (0, 0, 0);
    let seeds = Seeds::new(700);
    for seed in seeds.and(&[]) {
        let mut generator = Generator::new(seed);
        let (text, buttons) = generator.component();
        let props = json!({ "beds": [bed(1, "leek"), bed(2, "kale"), bed(3, "pea")] });
        let opened = Session::open(compiled(&text), "test-bed", &props, None);
        let (mut session, _) = opened.expect("props that fit");
        session.prove(true);
        let map = reach_map(session.runtime().program(), session.runtime().plan());
        for step in 0..seeds.steps(12) {
            // Some handlers double a text with every event: the time goes to other seeds.
            let mut texts = ["s", "t"].into_iter().filter_map(|name| session.value(name));
            if texts.any(|text| text.to_text().len() > LONG_ENOUGH) {
                break;
            }
            let entry = act(&mut session, &mut generator, buttons);
            let verdict = entry.verdict.as_ref().expect("proof is on");
            assert!(
                verdict.is_exact(),
                "seed {seed}, step {step}\n{entry}\n{}\n{text}",
                verdict.problems().join("\n")
            );
            stays_in_reach(&map, &entry, &text);
            pulses += 1;
            changed += verdict.changed;
            failed += usize::from(entry.pulse.fault.is_some());
            if entry.pulse.fault.is_some() {
                assert_eq!(verdict.changed, 0, "a pulse that was taken back changes nothing");
                assert!(entry.pulse.patches.is_empty());
            }
            if step % 4 == 3 {
                agrees(&mut session, &text);
            }
        }
    }
    if !seeds.tell(pulses) {
        return;
    }
    // The generator has to reach what it is for.
    assert!(changed > pulses / 4, "{changed} changes in {pulses} pulses");
    assert!(failed > 20, "{failed} pulses were taken back");
}

/// Reads that are known beforehand are exactly those that an evaluation makes.
#[test]
fn fixed_reads_are_the_reads_that_happen() {
    let mut fixed = 0;
    for seed in 1..=300 {
        let (text, _) = Generator::new(seed).component();
        let program = compiled(&text);
        let opened = Session::open(program.clone(), "test-bed", json!({ "beds": [] }), None);
        let (session, _) = opened.expect("props that fit");
        let plan = session.runtime().plan();
        let fresh = render(session.runtime(), None);
        let derived = plan.cells.iter().filter_map(|cell| match &cell.kind {
            CellKind::Derived(expr, reads) => Some((*expr, reads)),
            _ => None,
        });
        for (expr, reads) in derived.chain(plan.parts().map(|(_, p)| (p.value, &p.reads))) {
            let (_, happened) = fresh.evaluate(session.runtime(), 0, expr);
            let mut happened: Vec<String> =
                happened.iter().map(|r| format!("{}{:?}{:?}", r.cell, r.path, r.extent)).collect();
            happened.sort();
            happened.dedup();
            let Reads::Fixed(paths) = reads else { continue };
            fixed += 1;
            assert_eq!(happened.len(), paths.len(), "{happened:?} {paths:?}\n{text}");
            for path in paths {
                assert!(
                    happened.iter().any(|read| {
                        read.starts_with(&path.cell.to_string())
                            && read.ends_with(&format!("{:?}", path.extent))
                    }),
                    "{happened:?} {path:?}\n{text}"
                );
            }
        }
    }
    assert!(fixed > 500, "only {fixed} readers were fixed");
}

/// A value that can read another, and did not, does not become stale behind the back of those
/// that have just read it.
#[test]
fn what_was_not_read_does_not_make_stale() {
    let text = "
shape Bed { id: number, crop: string, levels: number[] }
holds beds: Bed[] = [{ id: 3, crop: 'pea', levels: [] }]
holds own: Bed[] = [{ id: 1, crop: 'leek', levels: [1] }, { id: 2, crop: 'kale', levels: [] }]
holds bed: Bed = { id: 9, crop: 'bean', levels: [5] }
holds flag = false
derives all = [bed, ...beds]
derives levels = all.flatMap(b => b.levels)
derives crop = (flag ? all : own)[1]?.crop ?? 'none'
<p>{crop} {levels.length}</p>
<p when='flag'>{crop} {levels.length} {all.map(b => b.crop).join()}</p>
<button click='-> own.reverse()'>b</button>
<button click='-> bed = { ...bed, id: bed.id + 1 }'>b</button>
<button click='-> bed.crop = bed.crop + 1; bed.levels.push(2)'>b</button>
<button click='-> flag = !flag'>b</button>
";
    for order in 0..4_usize.pow(5) {
        let opened = Session::open(compiled(text), "test-bed", Json::Null, None);
        let (mut session, _) = opened.expect("no props");
        session.prove(true);
        for step in 0..5 {
            let which = order / 4_usize.pow(step) % 4;
            let button = session.tree().select("button").expect("a selector")[which];
            let entry = session.dispatch(button, &Event::new("click")).expect("a button");
            let verdict = entry.verdict.as_ref().expect("proof is on");
            let problems = verdict.problems().join("\n");
            assert!(verdict.is_exact(), "order {order}, step {step}\n{entry}\n{problems}");
        }
    }
}

/// No list reaches that far, so nothing that is put into one is seen there.
#[test]
fn positions_beyond_any_list_read_nothing() {
    for position in ["1e21", "4294967295", "4294967294", "2147483648"] {
        let text = format!(
            "holds numbers = [3, 1, 2]\nholds far = {position}\n\
             <p class='{{numbers.at(far) ?? 0}}' title='{{numbers[far] ?? 0}}'>{{numbers.length}}</p>\n\
             <button click='-> numbers.push(4); numbers.splice(0, 1, 5)'>b</button>\n"
        );
        let opened = Session::open(compiled(&text), "test-bed", Json::Null, None);
        let (mut session, _) = opened.expect("no props");
        session.prove(true);
        let button = session.tree().select("button").expect("a selector")[0];
        for _ in 0..3 {
            let entry = session.dispatch(button, &Event::new("click")).expect("a button");
            let verdict = entry.verdict.as_ref().expect("proof is on");
            assert!(verdict.is_exact(), "{position}\n{entry}\n{}", verdict.problems().join("\n"));
            assert_eq!(entry.pulse.evaluated.len(), 1, "only the length has changed: {entry}");
        }
    }
}

/// A pulse that fails leaves a page that does next what a page does that never ran it.
#[test]
fn a_failed_pulse_leaves_no_trace() {
    let text = "
holds n = 1
holds numbers = [1, 2]
holds litres: number{} = { tea: 1, '7': 2, mint: 3 }
derives doubled = n * 2
derives deep = numbers[n] ?? 0
derives kept = Object.keys(litres)
does fail() {
  n = 5; numbers.push(doubled); delete litres['tea']; litres['tea'] = 4; litres[doubled] = 5; delete litres[7]
  numbers[99] = 1
}
does go() { n += 1; numbers.push(n); litres[n] = n; delete litres['mint'] }
<p>{doubled} {deep} {numbers.join()}</p><p each='key of kept by key'>{key} {litres[key]}</p>
<button id='fail' click='-> fail()'>a</button>
<button id='go' click='-> go()'>b</button>
";
    let program = compiled(text);
    let open =
        || Session::open(program.clone(), "test-bed", &Json::Null, None).expect("no props").0;
    let (mut failing, mut plain) = (open(), open());
    failing.prove(true);
    let click = |session: &mut Session, id: &str| {
        let button = session.tree().select(&format!("#{id}")).expect("a selector")[0];
        session.dispatch(button, &Event::new("click")).expect("a button")
    };
    for _ in 0..3 {
        let entry = click(&mut failing, "fail");
        let fault = entry.pulse.fault.as_ref().expect("a fault").to_string();
        assert!(fault.contains("`numbers[99]`"), "{fault}");
        assert_eq!(failing.tree().html(), plain.tree().html());
        let (a, b) = (click(&mut failing, "go"), click(&mut plain, "go"));
        assert!(a.verdict.expect("proof is on").is_exact());
        assert_eq!(a.pulse.patches, b.pulse.patches);
        assert_eq!(a.pulse.evaluated, b.pulse.evaluated);
        assert_eq!(failing.runtime().followed_reads(), plain.runtime().followed_reads());
    }
    assert_eq!(STATE.len(), 8, "the generated components hold this much");
}

/// Changes that cancel out within a pulse touch nothing.
#[test]
fn writes_that_cancel_out_touch_nothing() {
    let text = "
holds n = 1
holds list = [1, 2, 3]
does there_and_back() { n = 7; n = 1; list.push(4); list.pop(); list.reverse(); list.reverse() }
<p>{n}</p><p>{list.length}</p><p>{list[1]}</p><p>{list.join()}</p>
<button click='-> there_and_back'>b</button>
";
    let (mut session, _) =
        Session::open(compiled(text), "test-bed", &Json::Null, None).expect("no props");
    session.prove(true);
    let button = session.tree().select("button").expect("a selector")[0];
    let entry = session.dispatch(button, &Event::new("click")).expect("a button");
    assert!(entry.verdict.as_ref().expect("proof is on").is_exact());
    assert_eq!(evaluated(&entry), Vec::<u32>::new());
    assert!(entry.pulse.patches.is_empty());
}

/// What a write at a key wakes are the readers of that key, and, where the key is new, of which keys there are.
#[test]
fn one_key_of_a_dictionary_wakes_only_its_readers() {
    let text = "
holds litres: number{} = { tea: 1, mint: 2 }
holds names = ['tea', 'mint', 'rye']
<p each='name of names by name'>{litres[name] ?? '-'}</p>
<b>{litres['tea'] ?? '-'}</b><b>{'rye' in litres}</b><b>{Object.keys(litres).length}</b><b>{JSON.stringify(litres)}</b>
<button click='-> litres[\"tea\"] = 5'>b</button><button click='-> litres[\"rye\"] = 5'>b</button>
<button click='-> delete litres[\"tea\"]'>b</button><button click='-> delete litres[\"none\"]'>b</button>
";
    let (mut session, _) =
        Session::open(compiled(text), "test-bed", &Json::Null, None).expect("no props");
    session.prove(true);
    for (at, wakes) in [
        (0, vec!["b text", "b(4) text", "p text"]),
        (1, vec!["b(2) text", "b(3) text", "b(4) text", "p text"]),
        (2, vec!["b text", "b(3) text", "b(4) text", "p text"]),
        (3, vec![]),
    ] {
        let button = session.tree().select("button").expect("a selector")[at];
        let entry = session.dispatch(button, &Event::new("click")).expect("a button");
        assert!(entry.verdict.as_ref().expect("proof is on").is_exact(), "{entry}");
        let name = |part: &vein_runtime::PartChange| {
            let address = part.address.rsplit(" › ").next().unwrap_or_default();
            address
                .split_once('[')
                .map_or(address.to_owned(), |(element, _)| format!("{element} text"))
        };
        let mut told: Vec<String> = entry.pulse.parts.iter().map(name).collect();
        told.sort();
        assert_eq!(told, wakes, "{entry}");
        // Nobody else was asked.
        assert_eq!(entry.pulse.evaluated.len(), wakes.len(), "{entry}");
    }
}

/// What a write wakes does not depend on what else is read.
#[test]
fn one_field_of_one_item_wakes_only_its_readers() {
    let parts: String =
        (0..50).map(|i| format!("<p>{{beds[{i}]?.crop}} {{beds[{i}]?.n}}</p>")).collect();
    let text = format!(
        "takes beds: {{ crop: string, n: number }}[]\n<p id='all'>{{beds.length}}</p>{parts}"
    );
    let beds: Vec<Json> = (0..50).map(|i| json!({ "crop": "leek", "n": i })).collect();
    let (mut session, _) =
        Session::open(compiled(&text), "test-bed", json!({ "beds": beds }), None).expect("props");
    session.prove(true);
    let entry = session.set("beds[3].n", json!(99)).expect("a write");
    assert_eq!(evaluated(&entry), [4]);
    assert_eq!(entry.changed(), ["test-bed › p(4) text"]);
    assert!(entry.verdict.as_ref().expect("proof is on").is_exact());
    // A new list with one other item: the length and the other items are read, not changed.
    let mut beds = beds;
    beds[7]["crop"] = json!("kale");
    beds[3]["n"] = json!(99);
    let entry = session.set("beds", json!(beds)).expect("a write");
    assert_eq!(evaluated(&entry), [8]);
}
