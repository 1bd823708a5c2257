//! How fast text becomes a tree and a plan. `cargo bench -p vein --bench parse`

use divan::counter::BytesCount;
use divan::{Bencher, black_box};

fn main() {
    divan::main();
}

const CARD: &str = include_str!("../../../examples/glasshouse/bed-card.vein");

/// Markup of about so many bytes: rows as people write them.
fn markup(bytes: usize) -> String {
    let row = "<article class=\"bed {dry ? 'dry' : 'moist'}\">\n  <h3>{bed.crop} &amp; more</h3>\n  \
               <p title=\"<- bed.note\">Water {litres * 2} l</p>\n  \
               <button click=\"->(prevent) pour(2.5)\">Water</button>\n</article>\n";
    row.repeat(bytes / row.len() + 1)
}

#[divan::bench(args = [100_000, 1_000_000, 10_000_000], sample_count = 10)]
fn parse(bencher: Bencher, bytes: usize) {
    let text = markup(bytes);
    bencher.counter(BytesCount::of_str(&text)).bench_local(|| vein_syntax::parse(black_box(&text)));
}

#[divan::bench]
fn check_and_compile(bencher: Bencher) {
    bencher
        .counter(BytesCount::of_str(CARD))
        .bench_local(|| vein::Ui::from_sources([("bed-card.vein", black_box(CARD))]).is_ok());
}

#[divan::bench]
fn read_plan(bencher: Bencher) {
    let bytes = vein::Ui::from_sources([("bed-card.vein", CARD)]).expect("it checks").to_plan();
    bencher
        .counter(BytesCount::new(bytes.len()))
        .bench_local(|| vein::Ui::from_plan(black_box(&bytes)).is_ok());
}
