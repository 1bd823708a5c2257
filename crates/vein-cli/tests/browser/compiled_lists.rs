//! Lists that are derived from others are in Chromium what they are in memory, whatever becomes of what they are derived from:
//! many edits at random, several in one pulse, some that are taken back.

use crate::compiled::WRITTEN;
use crate::compiled_views::{SHOWN, STYLES, shown};
use crate::driven::Browser;
use crate::generate::Random;
use crate::seeds::Seeds;
use serde_json::{Value as Json, json};
use vein::Ui;
use vein_script::short::shortened;
use vein_script::{Driven, engine};

const BEDS: &str = "
shape Bed { id: number, crop: string, moisture: number, litres: number, levels: number[] }
takes first: Bed[]
holds beds: Bed[] = first
holds threshold = 40
holds search = ''
holds downwards = false
holds slipping = false
holds noted = 0
holds aside: Bed[] = []
derives dry = beds.filter((bed) => bed.moisture < threshold && bed.crop.includes(search))
derives ranked = dry.toSorted((a, b) => downwards ? b.moisture - a.moisture : a.moisture - b.moisture)
derives named = ranked.map((bed) => `${bed.crop} ${bed.litres}${search}`)
derives views = beds.map((bed) => ({ id: bed.id, hot: bed.moisture > threshold, deep: bed.levels.length, crop: bed.crop }))
derives hot = views.filter((view) => view.hot).toSorted((a, b) => a.deep - b.deep)
derives moistures = beds.map((bed) => bed.moisture)
derives high = moistures.filter((n) => n > threshold).toSorted((a, b) => a - b)
derives litres = ranked.reduce((sum, bed) => sum + bed.litres, 0)
derives urgent = dry.some((bed) => bed.moisture < 0)
derives calm = ranked.every((bed) => bed.litres < 20)
derives deep = views.reduce((sum, view) => sum + view.deep, 0)
derives longer = beds.filter((bed) => JSON.stringify(beds[0]).length > 70 + bed.litres)
derives ahead = dry.filter((bed) => dry.some((other) => JSON.stringify(other).includes(`${bed.litres}`))).toSorted((a, b) => b.id - a.id)
derives spoken = dry.toSorted((a, b) => a.crop.localeCompare(b.crop))
derives odd = beds.filter((bed) => bed.levels.some((n) => n > threshold)).map((bed) => bed.levels.length)

does wet(at: number, by: number) { if (at < beds.length) beds[at].moisture += by; }
does pour(at: number, by: number) { if (at < beds.length) beds[at].litres += by; }
does called(at: number, crop: string) { if (at < beds.length) beds[at].crop = crop; }
does again(at: number, id: number) { if (at < beds.length) beds[at].id = id; }
does deepen(at: number, n: number) { if (at < beds.length) beds[at].levels.push(n); }
does put(at: number, id: number, moisture: number) {
  beds.splice(at, 0, { id, crop: 'pea', moisture, litres: 1, levels: [] });
}
does push(id: number, moisture: number) { beds.push({ id, crop: 'rye', moisture, litres: 2, levels: [moisture] }); }
does take(at: number, count: number) { beds.splice(at, count); }
does front() { const last = beds.pop(); if (last) beds.unshift(last); }
does back() { const first = beds.shift(); if (first) beds.push(first); }
does twice() {
  const last = beds.pop();
  if (last) { beds.unshift(last); beds[0].litres += 1; beds[0].moisture = last.litres; }
}
does more(n: number) {
  const bed = { id: 500 + n, crop: 'oat', moisture: n, litres: 1, levels: [n] };
  for (const some of beds.slice(0, 2)) { beds.push(bed); beds[beds.length - 1].id += some.id * 100; }
}
does park() {
  const first = beds.shift();
  if (first) { aside.push(first); aside[0].litres += 1; beds.push(first); beds[beds.length - 1].moisture += 1; }
  const other = aside.pop();
  if (other && beds.length > 3) { beds[1] = { ...other, id: 900 }; }
}
does instead(at: number, from: number) {
  const old = beds[at];
  const other = beds[from];
  if (old && other) beds[at] = { ...other, id: old.id };
}
does compared(at: number, from: number) {
  const one = beds[at];
  const other = beds[from];
  if (one && other) {
    if (one.litres < other.litres) { beds[at].litres = other.litres + one.levels.length; }
    beds[at].litres += 2;
    beds[from].moisture = one.litres * 10 + other.moisture;
  }
}
does looped(at: number, from: number) {
  const one = beds[at];
  const other = beds[from];
  if (one && other) {
    for (const n of [1, other.litres, 2]) { beds[at].litres += n + one.litres; }
  }
}
does swapped(at: number, from: number) {
  const one = beds[at];
  const other = beds[from];
  if (one && other) {
    beds[at] = { ...other, id: one.id };
    beds[from].crop = one.crop;
    beds[from].levels = [...one.levels, one.litres];
  }
}
does round() { beds.reverse(); }
does rank() { beds.sort((a, b) => a.litres - b.litres); }
does keep(most: number) { beds = beds.filter((bed) => bed.moisture < most); }
does all(by: number) { for (const bed of beds) bed.moisture += by; }
does turn() { downwards = !downwards; }
does seek(text: string) { search = text; }
does edge(n: number) { threshold = n; }
does asked(at: number) { if (at < ranked.length) pour(at, ranked.length); }
does fails(at: number) { beds.reverse(); beds.splice(at, 1); wet(0, 50); pour(at, ranked.length); beds[1000].litres = 1; }
does slips(at: number, by: number) { wet(at, by); pour(at, ranked.length); if (by > 0) beds.splice(at, 1); slipping = true; }

<p>{dry.length} {litres} {named.join()} {high.join()} {odd.join()} {longer.length} {ahead.map((bed) => bed.id).join()} {urgent} {calm} {deep} {noted}</p>
<i each=\"bed, at of beds by bed.id\">{at}:{bed.crop} {bed.moisture} {threshold}</i>
<b each=\"bed of dry by bed.id\" title=\"{threshold} of {bed.levels.length}\">{bed.id} {bed.litres}<button click=\"-> bed.moisture += 30\">wet</button>
  <input value=\"<-> bed.crop\"><input value=\"<-> bed.litres\">
  <small when=\"bed.litres > 2\">{bed.crop} {downwards}<input value=\"<-> bed.moisture\"></small><small otherwise>{bed.levels.length} {threshold}</small></b>
<u each=\"bed, at of ranked by bed.id\">{bed.id} {bed.moisture} {at}<button click=\"-> bed.litres += at\">pour</button></u>
<s each=\"bed of ranked by bed.crop\">{bed.id}<button click=\"-> bed.litres += 1; bed.crop += 'x'; noted = bed.litres\">call</button><input></s>
<dd each=\"bed of spoken by bed.id\">{bed.crop}</dd>
<em each=\"view of hot by view.id\">{view.id} {view.crop} {view.deep}</em>
<q each=\"name, at of named\">{at}{name}</q>
<test-card each=\"bed of beds by bed.id\" bed=\"<-> bed\" />
<test-card each=\"bed of ranked by bed.id\" bed=\"<-> bed\" />
<test-slip when=\"slipping\" />
";

/// What is handed the item of a row.
const CARD: &str = "
shares bed: Bed
<h4>{bed.crop}<i when=\"bed.moisture > 20\">{bed.litres}</i><button click=\"-> bed.litres += 1\">{bed.levels.length}</button></h4>
";

/// What fails once all rows are there.
const SLIP: &str = "
holds none: number[] = []
upon added { none[5] = 1; }
";
/// The same, with nothing that runs by itself: it fails while it is shown.
const SLIP_ITSELF: &str = "
asks never(): number
<p>{never()}</p>
";

fn values(args: &[Json]) -> Vec<vein::Value> {
    let value = |arg: &Json| match arg {
        Json::Number(n) => vein::Value::from(n.as_f64().expect("a number")),
        text => vein::Value::from(text.as_str().expect("a text")),
    };
    args.iter().map(value).collect()
}

/// What is done: a button by its number, what is typed into a field by its number, or a handler with arguments.
fn step(random: &mut Random, beds: usize, buttons: usize, fields: usize) -> Json {
    let (at, n) = (random.below(beds + 2), random.below(9) * 10);
    // Most identities are nobody's yet, and many are equal in what they are sorted by.
    let id = if random.below(8) == 0 { random.below(12) } else { 100 + random.below(100_000) };
    let crop = *random.pick(&["pea", "rye", "kale", "leek"]);
    match random.below(58) {
        44 => json!(["twice"]),
        45 => json!(["more", n]),
        46 | 47 => json!(["park"]),
        54 | 55 => json!(["compared", at, random.below(beds + 1)]),
        56 => json!(["looped", at, random.below(beds + 1)]),
        57 => json!(["swapped", at, random.below(beds + 1)]),
        33..36 | 40..44 => json!(["slips", at, n as i64 - 60]),
        29..33 if fields > 0 => {
            let text = *random.pick(&["3", "2.50", "kale", "", " 1", "pea"]);
            json!({ "field": random.below(fields), "text": text })
        }
        0..3 | 36..40 if buttons > 0 => json!(random.below(buttons)),
        0..5 => json!(["wet", at, n as i64 - 40]),
        5 => json!(["pour", at, if random.below(2) == 0 { n as f64 / 7.0 } else { n as f64 }]),
        6 => json!(["called", at, crop]),
        7 => json!(["again", at, id]),
        8 => json!(["deepen", at, n]),
        9 | 10 => json!(["put", at, id, n]),
        11 => json!(["push", id, n]),
        12 => json!(["take", at, random.below(3)]),
        13 => json!(["front"]),
        14 => json!(["back"]),
        15 => json!(["instead", at, random.below(beds + 1)]),
        16 => json!(["round"]),
        17 => json!(["rank"]),
        18 => json!(["keep", 40 + n]),
        19 => json!(["all", n as i64 - 40]),
        20 => json!(["turn"]),
        21 | 48..52 => json!(["seek", *random.pick(&["", "e", "k", "pea"])]),
        22 | 52 | 53 => json!(["edge", n]),
        23 => json!(["asked", at]),
        24 => json!(["fails", random.below(beds + 1)]),
        25 => json!(["instead", at, random.below(beds + 1)]),
        26 => json!(["deepen", at, 90]),
        27 => json!(["pour", at, 0.1]),
        _ => json!(["edge", 90 - n]),
    }
}

/// Two of these are more than whole numbers add up to without rounding.
const LARGE: f64 = 9e15;

/// A project with what it does and what it is in memory after each step; and the script that does the same.
struct Walk {
    steps: Vec<Json>,
    ours: Vec<Json>,
    script: String,
    faults: usize,
}

fn walk(uis: &[Ui; 2], seed: u64, count: usize) -> Walk {
    let ui = &uis[(seed % 2) as usize];
    let program = ui.program();
    let compiled = vein_script::component(
        program,
        &program.plans[program.find("test-bed").expect("it")],
        Driven::Inside,
    )
    .expect("it compiles");
    let mut random = Random::new(seed);
    // Numbers that are whole and do not add up without rounding, in some walks.
    let is_large = seed.is_multiple_of(5);
    let first: Vec<Json> = (0..random.below(30))
        .map(|id| {
            let (moisture, litres) = (random.below(9) * 10, random.below(4) as f64);
            let litres = if is_large && id < 2 { litres + LARGE } else { litres };
            let moisture = if is_large && id < 2 { 10 } else { moisture };
            json!({ "id": id, "crop": *random.pick(&["pea", "kale"]), "moisture": moisture, "litres": litres,
                "levels": [moisture] })
        })
        .collect();
    let mut page = ui
        .page("test-bed")
        .try_answer("never", || Err::<f64, _>("not now"))
        .open(json!({ "first": first }))
        .expect("beds");
    let tree = page.tree();
    let (mut steps, mut ours) = (Vec::new(), vec![json!([shown(tree, tree.root()), ""])]);
    let mut faults = 0;
    for _ in 0..count {
        let buttons = page.tree().select("button").expect("a selector");
        let fields = page.tree().select("input").expect("a selector");
        let beds: Vec<Json> = page.get("beds").expect("a list");
        let step = match is_large && random.below(3) == 0 {
            true => {
                let by = *random.pick(&[LARGE, -LARGE, -LARGE, 1.0]);
                json!(["pour", random.below(3), by])
            }
            false => step(&mut random, beds.len(), buttons.len(), fields.len()),
        };
        let entry = match &step {
            Json::Object(typed) => {
                let field = fields[typed["field"].as_u64().expect("a number") as usize];
                let text = typed["text"].as_str().expect("a text");
                page.session_mut().tree_mut().type_value(field, text);
                page.session_mut().dispatch(field, &vein::Event::new("input")).expect("a field")
            }
            Json::Number(at) => {
                let at = at.as_u64().expect("a number") as usize;
                let click = vein::Event::new("click");
                page.session_mut().dispatch(buttons[at], &click).expect("a click")
            }
            call => {
                let args = call.as_array().expect("a call")[1..].to_vec();
                let name = call[0].as_str().expect("a name");
                page.session_mut().call(name, values(&args)).expect("a handler")
            }
        };
        let fault = entry.pulse.fault.as_ref().map_or(String::new(), ToString::to_string);
        faults += usize::from(!fault.is_empty());
        steps.push(step);
        ours.push(json!([shown(page.tree(), page.tree().root()), fault]));
    }
    let script = format!(
        "{STYLES} {} {WRITTEN} {SHOWN}
         const root = document.createElement('div'); document.body.append(root);
         const page = new Page({{ never() {{ throw new Error('not now'); }} }});
         let it; turnOver(() => {{ it = new {}(null, {{ first: {} }}, page); }}); standIn(root, it);
         let fault = '';
         const failed = (error) => {{ fault = error.message; }};
         hear(root, 'click', failed);
         hear(root, 'input', failed);
         const told = () => [...root.childNodes].map(shown).join();
         const all = [[told(), '']];
         for (const step of {}) {{
           fault = '';
           if (step.field !== undefined) {{
             const field = root.querySelectorAll('input')[step.field];
             field.value = step.text;
             field.dispatchEvent(new InputEvent('input', {{ bubbles: true }}));
           }} else if (typeof step === 'number') root.querySelectorAll('button')[step].click();
           else {{
             const [name, ...args] = step;
             try {{ turnOver(() => call(name, it, name, ...args)); }} catch (error) {{ failed(error); }}
           }}
           all.push([told(), fault]);
         }}
         root.remove();
         return all;",
        compiled.text(),
        compiled.name,
        json!(first),
        json!(steps)
    );
    Walk { steps, ours, script: engine::with(&script), faults }
}

fn beds() -> [Ui; 2] {
    [SLIP, SLIP_ITSELF].map(|slip| {
        let sources = [("test-bed.vein", BEDS), ("test-slip.vein", slip), ("test-card.vein", CARD)];
        Ui::from_sources(sources).unwrap_or_else(|error| panic!("{error}"))
    })
}

pub async fn derived_lists_are_kept_up_the_same(browser: &Browser) {
    browser.leave().await;
    let (uis, seeds) = (beds(), Seeds::new(100));
    let (mut pulses, mut faults) = (0, 0);
    for seed in seeds.and(&[]) {
        let walk = walk(&uis, seed, seeds.steps(40));
        pulses += walk.steps.len();
        faults += walk.faults;
        if let Some(kept) = std::env::var_os("VEIN_KEEP") {
            std::fs::write(kept, &walk.script).expect("a file to keep it in");
        }
        let sent = shortened(&walk.script, |_| false).0;
        let theirs = browser.function(&format!("'use strict'; {sent}")).await;
        for (at, ours) in walk.ours.iter().enumerate() {
            assert_eq!(*ours, theirs[at], "seed {seed}, {:?}", &walk.steps[..at]);
        }
    }
    if seeds.tell(pulses) || pulses > 2000 {
        assert!(faults > 100, "{faults} faults in {pulses} pulses");
    }
}

/// What the engine and what is compiled are broken by, each with what it is called; it has to be seen.
const BROKEN: &[(&str, &str, &str)] = &[
    ("a write that is not noted", "undo.push(place, key, old);", ""),
    ("a write that is not taken back", "else place[key] = old;", ""),
    (
        "an edit of a list that is not taken back",
        "undo.push(list, { at, count: items.length }, removed);",
        "",
    ),
    ("another order that is not taken back", "undo.push(list, ALL, old);", ""),
    ("an edit that is not told", "edits.push({ list, at, gone: removed, came: items });", ""),
    (
        "an edit that is told elsewhere",
        "edits.push({ list, at, gone: removed",
        "edits.push({ list, at: at + 1, gone: removed",
    ),
    ("another order that is not told", "edits.push({ list, at: 0, gone: null, came: null });", ""),
    (
        "a position that is written without telling",
        "if (Array.isArray(place)) edits.push(",
        "if (false) edits.push(",
    ),
    ("edits of earlier pulses that are kept", "empty(edits);", ""),
    (
        "a copy that is none",
        "if (Array.isArray(value)) return value.map(copy);",
        "if (Array.isArray(value)) return value;",
    ),
    ("a field that nobody is told of", "fields[field] ?? fields['']);", "fields['']);"),
    (
        "a field of what is handed on that nobody is told of",
        "row.spots$?.[at]?.given(prop, field);",
        ";",
    ),
    ("an item that is written without telling", "touched.push(item);", ";"),
    ("a filter that forgets to look again", "if (now === flags[at]) continue;", "return;"),
    (
        "a filter that looks at few of all",
        "if (test(list[at]) !== (flags[at] === 1)) found.push(at);",
        "if (test(list[at]) !== (flags[at] === 1)) found[0] = at;",
    ),
    (
        "a filter that counts its places wrongly",
        "place += counted(flags, from, at);",
        "place += counted(flags, from, at + 1);",
    ),
    (
        "a filter that counts one too many",
        "for (let at = from; at < to; at++) count += flags[at];",
        "for (let at = from; at <= to; at++) count += flags[at];",
    ),
    (
        "a filter that does not look at what it is given",
        "if (!Object.is(given[at], old.given[at])) return",
        "if (false) return",
    ),
    (
        "an order that is kept in spite of what was written",
        "|| staysBetween(old.out, item, compare, inside, once)",
        "|| true",
    ),
    (
        "an order that puts equals last",
        "if (list.indexOf(out[low - 1]) < list.indexOf(item)) break;",
        "break;",
    ),
    (
        "a sum that takes nothing away",
        "for (const value of removed) account(basis, value, -1);",
        "",
    ),
    ("a sum that rounds", "if (!basis.exact) {", "if (false) {"),
    ("a sum that forgets a part", "parts[at] = now;", ""),
    ("a list that is not what it was made of", "edits: this.own });", "edits: [] });"),
    (
        "rows that two identities share",
        "own === null || !this.distinct ? null",
        "own === null ? null",
    ),
    (
        "a row that comes again though what it reads around it is another",
        "row.left$ === row.held$.changes && ",
        "",
    ),
    (
        "a row that comes again though its item was written to",
        "if (!stands(row)) row.d$ |= all;",
        "if (!stands(row)) ;",
    ),
    ("rows that come again as they were", "  if (changed) scope.parts$();\n", ""),
    ("controls that come again as they were", "scope.again$();\n", ""),
    (
        "what stands in rows that come again as it was",
        "if (held !== null && held.made$ === null) bringAgain(held, changed);",
        "",
    ),
    (
        "what chooses in rows that come again as it was",
        "scope.d$ = -1;\n    scope.settle$();",
        "scope.d$ = -1;",
    ),
    ("rows that come again though that was taken back", "row.item$ = undefined;", ""),
    (
        "a row that is not told of its item",
        "row.item$ = item;\n      hang(item, row);\n      tellItem(row);",
        "row.item$ = item;\n      hang(item, row);",
    ),
    (
        "rows that do not know where they stand",
        "if (this.numbers) for (let at = first",
        "if (false) for (let at = first",
    ),
    (
        "one that comes and is not put where it stands",
        "{ gone: NONE, came: [{ at: to, row }] }",
        "{ gone: NONE, came: [] }",
    ),
    ("rows that are put behind their place", "before = firstIn(next[after]);", "before = null;"),
    ("rows that stay though they are gone", "for (const row of gone) takeOut(row);", ""),
    (
        "a move that is taken for none",
        "if (row.made$ !== null || !stays(at - first))",
        "if (row.made$ !== null)",
    ),
    ("a control that is not brought", "else later.push(bringPart, scope, set);", ""),
    ("a part that is not brought", "all[at](all[at + 1], all[at + 2]);", ";"),
    ("rows that do not show what all of them have to", "if (row.was$ < 0) row.parts$();", ""),
    (
        "rows that forget what all of them have to show",
        "row.d$ |= bits;\n      if (row.was$ < 0)",
        "if (row.was$ < 0)",
    ),
    (
        "marks that do not reach what is inside",
        "if (bits & scope.constructor.within) scope.forward$(bits);",
        "",
    ),
];

/// Each of them is seen by the random edits.
pub async fn what_is_broken_is_seen(browser: &Browser) {
    browser.leave().await;
    let uis = beds();
    let walks: Vec<Walk> = (1..=60).map(|seed| walk(&uis, seed, 40)).collect();
    let absent = BROKEN.iter().filter(|(_, old, _)| !walks[0].script.contains(old));
    let absent: Vec<&str> = absent.map(|(_, old, _)| *old).collect();
    assert!(absent.is_empty(), "there is nothing to break where this stood: {absent:#?}");
    let mut unseen = Vec::new();
    for (what, old, new) in BROKEN {
        let mut seen = false;
        for walk in &walks {
            let broken = walk.script.replace(old, new);
            // What runs to no end, or fails, is seen as well.
            let body = format!(
                "'use strict'; try {{ return (() => {{ {broken} }})(); }} catch (error) {{ return String(error); }}"
            );
            let theirs = browser.function(&body).await;
            seen = walk.ours.iter().enumerate().any(|(at, ours)| *ours != theirs[at]);
            browser.run("document.body.replaceChildren()").await;
            if seen {
                break;
            }
        }
        if !seen {
            unseen.push(*what);
        }
    }
    assert!(unseen.is_empty(), "nobody saw: {}", unseen.join("; "));
}
