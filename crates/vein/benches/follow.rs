//! What derived values, fans and many pages cost. `cargo bench -p vein --bench follow`

use serde_json::json;
use std::time::Instant;
use vein::{Event, Page, Ui};

fn ui(text: String) -> Ui {
    Ui::from_sources([("many-values.vein", text)]).expect("it checks")
}

fn open(ui: &Ui) -> Page {
    let mut page = ui.page("many-values").proven(false).open(json!({})).expect("no props");
    page.record(false);
    page
}

/// The median time of a click on a button in µs, with how many derived values it computed and how
/// many patches it sent.
fn click(page: &mut Page, selector: &str, times: usize) -> (f64, usize, usize) {
    let node = page.find(selector).expect("a button").node();
    let event = Event::new("click");
    let (mut computed, mut patches) = (0, 0);
    let each = (0..times).map(|_| {
        let start = Instant::now();
        let entry = page.session_mut().dispatch(node, &event).expect("a click");
        let time = start.elapsed().as_secs_f64() * 1e6;
        (computed, patches) = (entry.pulse.computed, entry.pulse.patches.len());
        time
    });
    let mut times: Vec<f64> = each.collect();
    times.sort_by(f64::total_cmp);
    (times[times.len() / 2], computed, patches)
}

const BUTTONS: &str = "<i class='all' click='-> n += 1'></i>\
                       <i class='same' click='-> n = -n'></i>";

/// Each value is the one before it and one more.
fn chain(values: usize) -> String {
    let mut text = "holds n = 1\nderives d0 = Math.abs(n)\n".to_owned();
    for i in 1..values {
        text.push_str(&format!("derives d{i} = d{} + 1\n", i - 1));
    }
    format!("{text}{BUTTONS}<p>{{d{}}}</p>\n", values - 1)
}

/// Many values of one, and one of those many.
fn diamond(values: usize) -> String {
    let mut text = "holds n = 1\nderives first = Math.abs(n)\n".to_owned();
    for i in 0..values {
        text.push_str(&format!("derives d{i} = first + {i}\n"));
    }
    let all: Vec<String> = (0..values).map(|i| format!("d{i}")).collect();
    format!(
        "{text}derives sum = [{}].reduce((a, b) => a + b, 0)\n{BUTTONS}<p>{{sum}}</p>\n",
        all.join(", ")
    )
}

/// One state that every part shows.
fn fan(parts: usize) -> String {
    format!("holds n = 1\n{BUTTONS}{}\n", "<p>{n}</p>".repeat(parts))
}

/// As many states, each with a part that shows it.
fn apart(parts: usize) -> String {
    let states: String = (0..parts).map(|i| format!("holds s{i} = 0\n")).collect();
    let shown: String = (0..parts).map(|i| format!("<p>{{s{i}}}</p>")).collect();
    format!("{states}holds n = 1\n<i class='all' click='-> s7 += 1'></i>{shown}\n")
}

/// Resident memory, in bytes.
fn memory() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|line| line.starts_with("VmRSS")).unwrap_or("VmRSS: 0 kB");
    let kilobytes: f64 = line.split_whitespace().nth(1).and_then(|n| n.parse().ok()).unwrap_or(0.0);
    kilobytes * 1024.0
}

fn main() {
    // First, while nothing was set aside yet.
    pages();
    type Shape = (&'static str, fn(usize) -> String);
    let shapes: [Shape; 2] = [("chain", chain), ("diamond", diamond)];
    println!("median µs of a click (derived values computed, patches); tree in memory, proof off");
    for (name, text) in shapes {
        for values in [100, 1_000, 10_000] {
            let mut page = open(&ui(text(values)));
            let all = click(&mut page, ".all", 500);
            let same = click(&mut page, ".same", 500);
            println!(
                "{name:>8} of {values:>5}: {:>7.1} ({}, {}); cut off at the first {:>5.1} ({}, {})",
                all.0, all.1, all.2, same.0, same.1, same.2
            );
        }
    }
    for parts in [1, 1_000, 100_000] {
        let mut page = open(&ui(fan(parts)));
        let (time, _, patches) = click(&mut page, ".all", if parts > 1_000 { 31 } else { 500 });
        let each = time / parts as f64;
        println!("{:>8} of {parts:>5}: {time:>9.1} ({patches} patches), {each:.3} a part", "fan");
    }
    for parts in [1, 1_000, 100_000] {
        let parts = parts.max(8);
        let mut page = open(&ui(apart(parts)));
        let (time, _, patches) = click(&mut page, ".all", 5_000);
        println!("{:>8} of {parts:>5}: {time:>9.2} ({patches} patches)", "states");
    }
}

/// Many pages of one set of components, open at once.
fn pages() {
    let card = "
holds moisture = 20
holds log: number[] = []
derives dry = moisture < 30
<article class='bed {dry ? \"dry\" : \"moist\"}'>
  <h3>Ruby chard</h3>
  <meter value='<- moisture'></meter>
  <p when='dry'>Needs water</p>
  <p otherwise>Moist enough</p>
  <button click='-> moisture = (moisture + 7) % 60; log.push(moisture); if (log.length > 3) log.shift()'>Water</button>
  <ul><li each='entry of log'>{entry}</li></ul>
</article>
";
    let ui = ui(card.to_owned());
    let count = 10_000;
    let before = memory();
    let start = Instant::now();
    let mut pages: Vec<Page> = (0..count).map(|_| open(&ui)).collect();
    let opened = start.elapsed().as_secs_f64();
    let bytes = (memory() - before) / count as f64;
    let node = pages[0].find("button").expect("a button").node();
    let event = Event::new("click");
    let (start, mut pulses) = (Instant::now(), 0);
    for _ in 0..10 {
        for page in &mut pages {
            let entry = page.session_mut().dispatch(node, &event).expect("a click");
            pulses += usize::from(!entry.pulse.patches.is_empty());
        }
    }
    let time = start.elapsed().as_secs_f64();
    println!(
        "{count} pages: {bytes:.0} bytes a page, {:.1} µs to open one, {:.0} pulses a second",
        opened / count as f64 * 1e6,
        pulses as f64 / time
    );
}
