//! What it costs to come and go, and what is left over: `cargo bench -p vein --bench lively`

use serde_json::json;
use std::time::Instant;
use vein::{Event, Resources, Ui};

const TANK: &str = "store tank\nholds litres = 60\nderives low = litres < 10\n\
                    does draw() { litres = litres > 1 ? litres - 1 : 60 }\n";
const SENSOR: &str = "uses tank\nawaits fetch(n: number): string\n\
                      streams level(n: number): number\nholds ticks = 0\n\
                      loads sky: string = fetch(1)\nfollows now: number = level(2)\n\
                      upon every (1000) while !tank.low { ticks++ }\n\
                      upon added { tank.draw() }\nupon change (now) { ticks = 0 }\n\
                      <p>{tank.litres} {ticks}</p><p when='sky is waiting'>waiting</p>\
                      <p otherwise>{sky}</p>\n";
const HOUSE: &str = "holds open = false\n<button click='-> open = !open'>{open}</button>\
                     <a-sensor when='open'></a-sensor>\n";

/// The resident memory of the process, in kB; zero where nobody says.
fn resident() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:"));
    line.and_then(|line| line.trim().strip_suffix(" kB")?.trim().parse().ok()).unwrap_or(0)
}

/// Adds and removes a component with a store, a timer, a load and a stream.
fn come_and_go() {
    let files = [("water-tank.vein", TANK), ("a-sensor.vein", SENSOR), ("a-house.vein", HOUSE)];
    let ui = Ui::from_sources(files).expect("it checks");
    let opening = ui.page("a-house").manual_answers().proven(false);
    let mut page = opening.open(json!({})).expect("no props");
    page.record(false);
    let node = page.find("button").expect("a button").node();
    let click = Event::new("click");
    let nothing = page.resources();
    println!("| added and removed | each, both | resident kB | left over |\n|---|---|---|---|");
    let (mut done, start) = (0u32, Instant::now());
    for until in [1_000, 10_000, 100_000, 1_000_000] {
        while done < until {
            page.session_mut().dispatch(node, &click).expect("it opens");
            page.session_mut().dispatch(node, &click).expect("it closes");
            done += 1;
        }
        let each = start.elapsed().as_secs_f64() * 1e6 / f64::from(done);
        let left = page.resources();
        let Resources { timers, questions, streams, .. } = left;
        assert_eq!(left, nothing, "something is left over");
        let rss = resident();
        println!("| {done} | {each:.2} µs | {rss} | {timers}, {questions}, {streams} |");
    }
    page.session_mut().dispatch(node, &click).expect("it opens");
    let Resources { scopes, timers, questions, streams, subscriptions, .. } = page.resources();
    println!(
        "while it stands: {scopes} scopes, {timers} timer, {questions} question, {streams} stream, \
         {subscriptions} subscription"
    );
}

/// A pulse that is taken back, beside the same one that is not.
fn fail() {
    let text = "asks soil(n: number): string\nholds rows: { id: number }[] = []\nholds n = 0\n\
                does add(to: number) { rows = []; for (const i of [1, 2, 3, 4, 5, 6, 7, 8, 9, 10]) \
                { rows.push({ id: i }) } n = to; }\n\
                <button click='-> add(1)'>good</button><i click='-> add(2)'>bad</i>\
                <p each='row of rows by row.id'>{row.id}</p><b>{soil(n)}</b>\n";
    let ui = Ui::from_sources([("a-bed.vein", text)]).expect("it checks");
    let opening = ui.page("a-bed").try_answer("soil", |n: u32| match n {
        2 => Err("no such soil"),
        n => Ok(n.to_string()),
    });
    let mut page = opening.proven(false).open(json!({})).expect("no props");
    page.record(false);
    for (name, selector) in [("goes well", "button"), ("is taken back", "i")] {
        let node = page.find(selector).expect("an element").node();
        let event = Event::new("click");
        let times = (0..2000).map(|_| {
            let start = Instant::now();
            page.session_mut().dispatch(node, &event).expect("a click");
            start.elapsed().as_secs_f64() * 1e6
        });
        let mut times: Vec<f64> = times.collect();
        times.sort_by(f64::total_cmp);
        println!("a pulse of ten rows that {name}: {:.1} µs", times[1000]);
    }
}

fn main() {
    come_and_go();
    fail();
}
