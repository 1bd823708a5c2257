//! What one pulse costs, with its allocations. `cargo bench -p vein --bench pulse`

use divan::{AllocProfiler, Bencher};
use serde_json::json;
use vein::{Event, Page, Ui};

#[global_allocator]
static ALLOCATIONS: AllocProfiler = AllocProfiler::system();

fn main() {
    divan::main();
}

/// A page of so many parts, each with state of its own but the one that is counted.
fn page(parts: usize) -> Page {
    let mut text = String::from("takes beds: number[]\nholds n = 0\n<main>\n");
    text.push_str("<button click='-> n += 1'>{n}</button>\n");
    for i in 1..parts {
        text.push_str(&format!("<p>{{beds[{i}] ?? 0}}</p>\n"));
    }
    text.push_str("</main>\n");
    let ui = Ui::from_sources([("many-parts.vein", text)]).expect("it checks");
    let beds: Vec<usize> = (0..parts).collect();
    ui.open("many-parts", json!({ "beds": beds })).expect("props that fit")
}

/// A click whose handler changes one text; proof off.
#[divan::bench(args = [10, 1_000, 100_000])]
fn one_text(bencher: Bencher, parts: usize) {
    let mut page = page(parts);
    page.prove(false);
    let button = page.find("button").expect("a button").node();
    let click = Event::new("click");
    bencher.bench_local(|| {
        let session = page.session_mut();
        session.dispatch(button, &click).expect("a click").pulse.parts.len()
    });
}

/// One item of a list of so many changed by the host, in a page that shows them all.
#[divan::bench(args = [10, 1_000, 100_000])]
fn one_item(bencher: Bencher, parts: usize) {
    let mut page = page(parts);
    page.prove(false);
    let mut n = 0;
    bencher.bench_local(|| {
        n += 1;
        let value = json!(n);
        page.session_mut().set("beds[7]", &value).expect("an item").pulse.parts.len()
    });
}

/// The same click with proof on: the whole view is rendered afresh to judge it.
#[divan::bench(args = [10, 1_000])]
fn one_text_proven(bencher: Bencher, parts: usize) {
    let mut page = page(parts);
    let button = page.find("button").expect("a button").node();
    let click = Event::new("click");
    bencher.bench_local(|| {
        let session = page.session_mut();
        let entry = session.dispatch(button, &click).expect("a click");
        assert!(entry.verdict.is_some_and(|verdict| verdict.is_exact()));
    });
}
