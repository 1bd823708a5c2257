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
does instead(at: number, from: number) {
  const old = beds[at];
  const other = beds[from];
  if (old && other) beds[at] = { ...other, id: old.id };
}
does round() { beds.reverse(); }
does rank() { beds.sort((a, b) => a.litres - b.litres); }
does keep(most: number) { beds = beds.filter((bed) => bed.moisture < most); }
does all(by: number) { for (const bed of beds) bed.moisture += by; }
does turn() { downwards = !downwards; }
does seek(text: string) { search = text; }
does edge(n: number) { threshold = n; }
does asked(at: number) { if (at < ranked.length) pour(at, ranked.length); }
does fails(at: number) { beds.splice(at, 1); wet(0, 50); pour(at, ranked.length); beds[1000].litres = 1; }

<p>{dry.length} {litres} {named.join()} {high.join()} {odd.join()} {urgent} {calm} {deep}</p>
<i each=\"bed, at of beds by bed.id\">{at}:{bed.crop} {bed.moisture}</i>
<b each=\"bed of dry by bed.id\">{bed.id} {bed.litres}<button click=\"-> bed.moisture += 30\">wet</button></b>
<u each=\"bed, at of ranked by bed.id\">{bed.id} {bed.moisture} {at}<button click=\"-> bed.litres += at\">pour</button></u>
<s each=\"bed of ranked by bed.crop\">{bed.id}<button click=\"-> bed.crop += 'x'\">call</button></s>
<em each=\"view of hot by view.id\">{view.id} {view.crop} {view.deep}</em>
<q each=\"name, at of named\">{at}{name}</q>
";

fn values(args: &[Json]) -> Vec<vein::Value> {
    let value = |arg: &Json| match arg {
        Json::Number(n) => vein::Value::from(n.as_f64().expect("a number")),
        text => vein::Value::from(text.as_str().expect("a text")),
    };
    args.iter().map(value).collect()
}

/// What is done: a button by its number, or a handler with arguments.
fn step(random: &mut Random, beds: usize, buttons: usize) -> Json {
    let (at, n) = (random.below(beds + 2), random.below(9) * 10);
    // Most identities are nobody's yet, and many are equal in what they are sorted by.
    let id = if random.below(8) == 0 { random.below(12) } else { 100 + random.below(100_000) };
    let crop = *random.pick(&["pea", "rye", "kale", "leek"]);
    match random.below(26) {
        0..3 if buttons > 0 => json!(random.below(buttons)),
        0..5 => json!(["wet", at, n as i64 - 40]),
        5 => json!(["pour", at, if random.below(3) == 0 { n as f64 / 7.0 } else { n as f64 }]),
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
        21 => json!(["seek", *random.pick(&["", "e", "k", "pea"])]),
        22 => json!(["edge", n]),
        23 => json!(["asked", at]),
        24 => json!(["fails", random.below(beds + 1)]),
        _ => json!(["deepen", at, 90]),
    }
}

pub async fn derived_lists_are_kept_up_the_same(browser: &Browser) {
    browser.leave().await;
    let ui = Ui::from_sources([("test-bed.vein", BEDS)]).unwrap_or_else(|error| panic!("{error}"));
    let program = ui.program();
    let compiled =
        vein_script::component(program, &program.plans[0], Driven::Inside).expect("it compiles");
    let engine = engine::text_of(&compiled.used);
    let seeds = Seeds::new(60);
    let (mut pulses, mut faults) = (0, 0);
    for seed in seeds.and(&[]) {
        let mut random = Random::new(seed);
        let first: Vec<Json> = (0..random.below(30))
            .map(|id| {
                let (moisture, litres) = (random.below(9) * 10, random.below(4));
                json!({ "id": id, "crop": *random.pick(&["pea", "kale"]), "moisture": moisture, "litres": litres,
                    "levels": [moisture] })
            })
            .collect();
        let mut page = ui.page("test-bed").open(json!({ "first": first })).expect("beds");
        let tree = page.tree();
        let (mut steps, mut ours) = (Vec::new(), vec![json!([shown(tree, tree.root()), ""])]);
        for _ in 0..seeds.steps(40) {
            let buttons = page.tree().select("button").expect("a selector");
            let beds: Vec<Json> = page.get("beds").expect("a list");
            let mut all = vec![step(&mut random, beds.len(), buttons.len())];
            let entry = match &all[0] {
                Json::Number(at) => {
                    let at = at.as_u64().expect("a number") as usize;
                    let click = vein::Event::new("click");
                    page.session_mut().dispatch(buttons[at], &click).expect("a click")
                }
                call => {
                    let args = call.as_array().expect("a call")[1..].to_vec();
                    page.session_mut()
                        .call(call[0].as_str().expect("a name"), values(&args))
                        .expect("a handler")
                }
            };
            let fault = entry.pulse.fault.as_ref().map_or(String::new(), ToString::to_string);
            pulses += 1;
            faults += usize::from(!fault.is_empty());
            steps.append(&mut all);
            ours.push(json!([shown(page.tree(), page.tree().root()), fault]));
        }
        let script = format!(
            "{engine} {STYLES} {} {WRITTEN} {SHOWN}
             const root = document.createElement('div'); document.body.append(root);
             let it; turnOver(() => {{ it = new {}(null, {{ first: {} }}); }}); standIn(root, it);
             let fault = '';
             const failed = (error) => {{ fault = error.message; }};
             hear(root, 'click', failed);
             const told = () => [...root.childNodes].map(shown).join();
             const all = [[told(), '']];
             for (const step of {}) {{
               fault = '';
               if (typeof step === 'number') root.querySelectorAll('button')[step].click();
               else {{
                 const [name, ...args] = step;
                 try {{ turnOver(() => call(name, (...all) => it[name](...all), ...args)); }} catch (error) {{ failed(error); }}
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
        if let Some(kept) = std::env::var_os("VEIN_KEEP") {
            std::fs::write(kept, &script).expect("a file to keep it in");
        }
        let theirs =
            browser.function(&format!("'use strict'; {}", shortened(&script, |_| false).0)).await;
        for (at, ours) in ours.iter().enumerate() {
            assert_eq!(*ours, theirs[at], "seed {seed}, {:?}", &steps[..at]);
        }
    }
    if seeds.tell(pulses) {
        assert!(faults > 100, "{faults} faults");
    }
}
