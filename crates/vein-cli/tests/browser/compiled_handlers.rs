//! Handlers that were compiled to ECMAScript leave behind in Chromium what they leave behind in memory.

use crate::compiled::{CALLS, Properties, WRITTEN, checked, getters, held, seen, written};
use crate::driven::Browser;
use crate::generate::{Generator, Random};
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use vein::Ui;
use vein_plan::{Plan, Program};
use vein_script::{Writer, engine};

/// The handlers of a component as methods.
fn handlers(program: &Program, plan: &Plan, used: &mut BTreeSet<&'static str>) -> Vec<String> {
    let names = Properties(plan);
    let handlers = plan.handlers.iter().map(|handler| {
        let mut writer = Writer::new(program, plan, &names);
        let (params, body) = writer.handler(handler, 1);
        used.append(&mut writer.used);
        format!("{}({params}) {{ {}\n{body}}}", handler.name, writer.declarations())
    });
    handlers.collect()
}

/// What handlers leave behind when they are called one after the other: state, derived values, what was given, what failed.
async fn compare_handlers(browser: &Browser, text: &str, props: &Json, calls: &[String]) -> usize {
    let ui = checked(text).unwrap_or_else(|| panic!("{text}"));
    let (program, mut used) = (ui.program(), BTreeSet::from(["pulse", "call"]));
    let plan = &program.plans[0];
    let getters = getters(program, plan, &mut used);
    let handlers = handlers(program, plan, &mut used);
    let names: Vec<String> = plan
        .cells
        .iter()
        .filter(|cell| !cell.name.contains(' '))
        .map(|cell| cell.name.to_string())
        .collect();
    let mut page = ui.page("test-bed").proven(false).open(props.clone()).expect("props that fit");
    let begun = held(&mut page, plan);
    let (mut ours, mut faults) = (Vec::new(), 0);
    for name in calls {
        let called = page.session_mut().call(name, Vec::new()).expect("a handler");
        let fault = called.pulse.fault.as_ref().map_or(String::new(), ToString::to_string);
        faults += usize::from(!fault.is_empty());
        let given = called.pulse.given.iter().map(|given| {
            let values = given.payload.iter().map(|(_, value)| written(value));
            values.collect::<Vec<_>>().join(",")
        });
        ours.push([seen(&mut page, &names), given.collect(), vec![fault]].concat());
    }
    let script = format!(
        "'use strict'; {} {WRITTEN} const names = {}; let given = [];
         const s = Object.defineProperties({begun}, Object.getOwnPropertyDescriptors({{ {} }}));
         const handlers = {{ {} }};
         return {}.map((name) => {{
           let fault = ''; given = [];
           try {{ pulse(() => call(name, handlers, name)); }} catch (error) {{ fault = error.message; given = []; }}
           return [...names.map((name) => `${{name}} ${{written(s[name])}}`),
             ...given.map(([, ...values]) => values.map(written).join()), fault];
         }});",
        engine::text_of(&used),
        json!(names),
        getters.join(",\n"),
        handlers.join(",\n"),
        json!(calls)
    );
    let theirs = browser.function(&script).await;
    for (step, ours) in ours.iter().enumerate() {
        assert_eq!(
            json!(ours),
            theirs[step],
            "step {step}, {}\n{text}\n{}",
            calls[step],
            handlers.join("\n")
        );
    }
    faults
}

/// Handlers that have to be the same, each called twice in turn.
const HANDLERS: &str = "
shape Node { name: string, kids: Node[] }
holds list = [3, 1, 2]
holds beds = [{ id: 1, soil: { ph: 7, log: ['a'] }, in: [1, 2] }, { id: 2, soil: { ph: 6, log: [] }, in: [] }]
holds words = ['b', 'a', 'C']
holds tree: Node = { name: 'top', kids: [] }
holds maybe: number? = null
holds picked: { id: number, soil: { ph: number, log: string[] }, in: number[] }? = null
holds at = -1
holds log: string[] = []
gives told(what: string, n: number)
derives sum = list.reduce((sum, n) => sum + n, 0)
derives first = beds[0]?.soil.log.join() ?? 'none'
does push() { list.push(4, 5); list.push(6) }
does pop() { const last = list.pop(); log.push(`${last}`); const first = list.shift(); log.push(`${first}`) }
does unshift() { list.unshift(9, 8); words.unshift('z') }
does splice() { list.splice(1, 1, 7, 7); list.splice(-1, 1); list.splice(0.5, 0 / 0, 6); list.splice(9, 9, 1); list.splice(1) }
does order() { list.sort(); words.sort(); words.reverse(); list.sort((a, b) => b - a); beds.sort((a, b) => b.id - a.id) }
does inside() { beds[0].soil.ph += 1; beds[1].soil.log.push('x'); beds[0].in[0] = 5; beds[0].soil = { ph: 1, log: ['n'] } }
does nowhere() { at = 5; beds[at].soil.ph = 1 }
does between() { at = 5; beds[0].in[at] = 1 }
does half() { list[0] = 9; list[0.5] = 1 }
does behind() { list[0] = 9; list[list.length] = 1 }
does below() { beds[at].in.push(1) }
does copies() { picked = beds[0]; beds[0].id = 70; const second = beds[1]; if (second) { beds.push({ ...second, id: 9 }) } beds[1].soil.log.push('own'); const kept = beds[0]; beds[0].in.push(3); log.push(`${kept?.in.length} ${picked?.id}`) }
does swap() { const a = beds[0]; const b = beds[1]; if (a && b) { beds[0] = b; beds[1] = a } beds[0].soil.ph = 0 }
does loop() { for (const n of list) { if (n > 2) { list.push(n - 1); } log.push(`${n}`); } for (const bed of beds) { bed.id *= 2; bed.soil.log.push('l'); } }
does shorter() { for (const n of list) { list.pop(); log.push(`${n}`); } }
does own() { for (const n of list.filter(n => n > 1)) { list.push(n * 10); if (list.length > 20) { return; } } }
does both() { const half = Math.floor(list.length / 2); list[half] = (list[half] ?? 0) + sum; log.push(first); told_it(half) }
does told_it(n: number) { give told(`n ${n}`, n); if (n > 100) { return } give told('again', -0) }
does deep() { down(70) }
does down(n: number) { at = n; if (n > 0) { down(n - 1) } }
does to_64() { down(62) }
does grow() { tree = { name: 'up', kids: [tree, { name: 'leaf', kids: [] }] } }
does endless() { for (const a of list) { grow_more(400) } }
does grow_more(n: number) { for (const i of 'x'.repeat(n).split('')) { tree = { name: i, kids: [tree] } } }
does same() { list = [...list]; maybe = maybe ?? null; words = words.toSorted(); at = at; list.splice(0, 0); list.reverse(); list.reverse() }
does minus() { at = -0; at *= 1; maybe = 0 / 0; maybe = 0 / 0 }
does many() { for (const i of 'x'.repeat(70).split('')) { told_it(1) } }
does empty() { list = []; beds = []; list.pop(); list.shift(); list.reverse(); list.sort() }
<p>{list.length}{beds.length}{words.length}{tree.name}{maybe}{picked?.id}{at}{log.length}{sum}{first}</p>";

pub async fn handlers_leave_the_same_behind(browser: &Browser) {
    let ui = Ui::from_sources([("test-bed.vein", HANDLERS)]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}"));
    let plan = &ui.program().plans[0];
    let callable = plan.handlers.iter().filter(|handler| handler.params.is_empty());
    let names: Vec<String> = callable.map(|handler| handler.name.to_string()).collect();
    let mut faults = 0;
    for name in &names {
        faults +=
            compare_handlers(browser, HANDLERS, &json!({}), &[name.clone(), name.clone()]).await;
    }
    assert!(faults >= 14, "{faults}");
    // In turn, over each other.
    for seed in 0..60 {
        let mut random = Random::new(seed);
        let calls: Vec<String> = (0..12).map(|_| random.pick(&names).clone()).collect();
        faults += compare_handlers(browser, HANDLERS, &json!({}), &calls).await;
    }
    let beds = json!([
        { "id": 7, "crop": "Ruby 😀", "wet": true, "levels": [4, 10, 9] },
        { "id": 3, "crop": "", "wet": false, "levels": [] },
    ]);
    for seed in 0..400 {
        let mut generator = Generator::new(seed + 90_000);
        let (text, buttons) = generator.component();
        let calls: Vec<String> =
            (0..2 * CALLS).map(|_| format!("act{}", generator.random().below(buttons))).collect();
        faults += compare_handlers(browser, &text, &json!({ "beds": beds }), &calls).await;
    }
    assert!(faults > 100, "{faults} pulses were taken back");
}
