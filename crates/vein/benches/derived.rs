//! What lists cost that are derived from others: beds through a filter, through a filter and an order, and the
//! glasshouse with many beds; in memory, proof off. `cargo bench -p vein --bench derived`

use serde_json::{Value as Json, json};
use std::time::Instant;
use vein::{Event, Page, Ui};

const PAGES: [(&str, &str, &str); 2] = [
    ("a filter", "dry-beds", include_str!("../../../bench/pages/parts/dry-beds.vein")),
    (
        "a filter and an order",
        "ranked-beds",
        include_str!("../../../bench/pages/parts/ranked-beds.vein"),
    ),
];

const BED: &str = "shape Bed { id: number, crop: string, litres: number, moisture: number, marked: boolean, note: string }";

const GLASSHOUSE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/glasshouse");

/// Beds as the page in the browser has them: two in five are dry.
fn sow(count: usize, first: usize) -> Json {
    let crops = ["kale", "leek", "chard", "pea", "bean", "beet", "rye"];
    let bed = |i: usize| {
        let id = first + i;
        json!({
            "id": id, "crop": format!("{} {}", crops[id % crops.len()], id % 13), "litres": 1 + id % 7,
            "moisture": (id * 7919) % 101, "marked": false, "note": "",
        })
    };
    (0..count).map(bed).collect()
}

fn median(mut all: Vec<f64>) -> f64 {
    all.sort_by(f64::total_cmp);
    all[all.len() / 2]
}

/// The median time of something in µs, a little otherwise each time.
fn timed(times: usize, mut pulse: impl FnMut(usize)) -> f64 {
    let each = (0..times).map(|at| {
        let begun = Instant::now();
        pulse(at);
        begun.elapsed().as_secs_f64() * 1e6
    });
    median(each.collect())
}

/// The median time of a click, on some of what a selector matches.
fn clicks(page: &mut Page, selector: &str, times: usize) -> f64 {
    let click = Event::new("click");
    let nodes = page.tree().select(selector).expect("a selector");
    timed(times, |at| {
        let node = nodes[(at * 7919 + 17) % nodes.len()];
        let entry = page.session_mut().dispatch(node, &click).expect("a click");
        assert_eq!(entry.pulse.fault, None);
    })
}

fn said(what: &str, each: [(&str, f64); 8]) {
    let each = each.map(|(name, time)| format!("{name} {}", shown(time)));
    println!("{what}: {}", each.join(" · "));
}

fn shown(time: f64) -> String {
    if time < 1000.0 { format!("{time:.1} µs") } else { format!("{:.2} ms", time / 1000.0) }
}

fn rows(count: usize, times: usize) {
    for (through, name, text) in PAGES {
        let text = format!("{BED}\n{text}");
        let ui = Ui::from_sources([(format!("{name}.vein"), text)]).expect("it checks");
        let page = ui
            .page(name)
            .proven(false)
            .answer("sow", |count: usize, first: usize| sow(count, first));
        let mut page = page.open(()).expect("a page");
        page.record(false);
        let begun = Instant::now();
        page.call("anew", (count,)).expect("beds");
        let opening = begun.elapsed().as_secs_f64() * 1e6;
        let shown = page.count("li").expect("a selector");
        page.set("edge", count / 2).expect("a position");
        let open = clicks(&mut page, "li > button:first-of-type", times);
        let water = clicks(&mut page, "li > button:last-of-type", times);
        let noted = timed(times, |at| {
            let path = format!("beds[{}].note", (at * 7919 + 17) % count);
            page.set(&path, format!("note {at}")).expect("a note");
        });
        let cross = clicks(&mut page, "#cross", times);
        let front = clicks(&mut page, "#front", times);
        let one = clicks(&mut page, "#one", times);
        let few = times.min(20);
        let threshold = timed(few, |at| {
            page.set("threshold", 40 + at % 2).expect("a threshold");
        });
        let each = [
            ("open a row", open),
            ("water one", water),
            ("a field from outside", noted),
            ("over the edge", cross),
            ("last to the front", front),
            ("insert", one),
            ("threshold", threshold),
            ("opening", opening),
        ];
        said(&format!("{count} beds ({shown} shown) through {through}"), each);
    }
}

fn house(beds: usize, times: usize) {
    let ui = Ui::from_dir(GLASSHOUSE).expect("the glasshouse checks");
    let crops = ["kale", "leek", "chard", "pea", "bean"];
    let benches = beds / 50;
    let bed = |id: usize| json!({ "id": id, "crop": crops[id % 5], "moisture": 20 + id % 40, "note": null });
    let bench = |at: usize| {
        let beds: Vec<Json> = (0..50).map(|i| bed(at * 50 + i)).collect();
        json!({ "id": at, "name": format!("bench {at}"), "beds": beds })
    };
    let benches: Vec<Json> = (0..benches).map(bench).collect();
    let begun = Instant::now();
    let page = ui.page("glass-house").proven(false).manual_answers();
    let page = page.answer("season", || "spring");
    let mut page = page.open(json!({ "benches": benches })).expect("a house");
    let opening = begun.elapsed().as_secs_f64() * 1e6;
    page.record(false);
    // There is always enough in it.
    page.set("tank.litres", 1e9).expect("a level");
    let water = clicks(&mut page, ".water", times);
    let bed = timed(times, |at| {
        let (bench, bed) = ((at * 7) % (beds / 50), (at * 11) % 50);
        page.set(&format!("benches[{bench}].beds[{bed}].note"), format!("note {at}"))
            .expect("a note");
    });
    let moist = timed(times, |at| {
        let (bench, bed) = ((at * 7) % (beds / 50), (at * 11) % 50);
        page.set(&format!("benches[{bench}].beds[{bed}].moisture"), 20 + at % 9).expect("a number");
    });
    let few = times.min(20);
    let threshold = timed(few, |at| {
        page.set("threshold", 30 + at % 2).expect("a threshold");
    });
    let search = timed(few, |at| {
        page.set("search", if at % 2 == 0 { "k" } else { "" }).expect("a text");
    });
    let refill = timed(few, |at| {
        page.set("tank.litres", 40 + at % 2).expect("a level");
    });
    let each = [
        ("water one", water),
        ("a field from outside", bed),
        ("moisture from outside", moist),
        ("threshold", threshold),
        ("search, one key", search),
        ("the tank's level", refill),
        ("opening", opening),
        ("opening, a bed", opening / beds as f64),
    ];
    said(&format!("the glasshouse with {beds} beds"), each);
}

fn main() {
    // Sizes that are named are measured alone, and so is the glasshouse, or what is none.
    let named: Vec<String> = std::env::args().collect();
    let has = |name: &str| named.iter().any(|named| named == name);
    let sizes: Vec<usize> = named.iter().filter_map(|arg| arg.parse().ok()).collect();
    let is_wanted = |size: &usize| sizes.is_empty() || sizes.contains(size);
    if !has("glasshouse") {
        for size in [500, 5_000, 50_000].into_iter().filter(is_wanted) {
            rows(size, (100_000 / size).clamp(20, 200));
        }
    }
    if !has("lists") {
        for size in [500, 5_000].into_iter().filter(is_wanted) {
            house(size, (50_000 / size).clamp(20, 100));
        }
    }
}
