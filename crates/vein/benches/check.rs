//! What checking a project costs. `cargo bench -p vein --bench check`

use std::time::Instant;
use vein::{Source, Workspace};

/// A component of about 40 lines that uses five others.
fn component(number: usize) -> Source {
    let others: String = (1..=5)
        .filter_map(|i| number.checked_sub(i * i))
        .map(|other| {
            format!(
                "  <bed-part-{other} each=\"bed of shown by bed.id\" bed=\"<- bed\" limit=\"<- limit\"\n    \
                 watered=\"-> pour(event.litres)\" class=\"part {{tone}}\"></bed-part-{other}>\n"
            )
        })
        .collect();
    let shape = match number {
        0 => {
            "shape Bed { id: number, crop: string, moisture: number, note: string?, beds: Bed[] }\n"
        }
        _ => "",
    };
    let text = format!(
        "// Part {number} of a generated project.\n{shape}\
         takes bed: Bed\ntakes limit: number = 30\ntakes title: string = 'part {number}'\n\
         gives watered(litres: number)\nholds litres = 2.5\nholds open = false\nholds search = ''\n\
         derives dry = bed.moisture < limit\n\
         derives tone = dry ? 'dry' : 'moist'\n\
         derives found = bed.beds.filter(b => b.crop.includes(search))\n\
         derives shown = open ? found.toSorted((a, b) => a.moisture - b.moisture) : found\n\n\
         does pour(amount: number) {{\n  if (amount <= 0) {{ return; }}\n  give watered(amount);\n  \
         litres = Math.min(10, litres + 0.5);\n}}\n\n\
         <article class=\"bed {{tone}}\">\n  <h3>{{title}} · {{bed.crop}}</h3>\n  \
         <meter min=\"0\" max=\"100\" low=\"<- limit\" value=\"<- bed.moisture\"></meter>\n  \
         <p class=\"note\" when=\"bed.note\">{{bed.note.toUpperCase()}}</p>\n  \
         <p class=\"note\" otherwise>No note on {{bed.crop}}</p>\n  \
         <input type=\"number\" value=\"<-> litres\">\n  <input type=\"search\" value=\"<->(quiet 150) search\">\n  \
         <label><input type=\"checkbox\" checked=\"<-> open\"> sorted</label>\n  \
         <button disabled=\"<- !dry\" click=\"-> pour(litres)\">Water {{bed.crop}}</button>\n{others}  \
         <p when=\"dry\">thirsty</p>\n  <p otherwise>{{shown.length}} of {{bed.beds.length}}</p>\n\
         </article>\n\n<style>\n  .bed {{ color: green; }}\n  .dry {{ color: brown; }}\n</style>\n"
    );
    Source { path: format!("bed-part-{number}.vein"), text }
}

/// How long something takes, without letting go of what it gives.
fn milliseconds<T>(run: impl FnOnce() -> T) -> f64 {
    let start = Instant::now();
    let result = run();
    let time = start.elapsed().as_secs_f64() * 1e3;
    drop(std::hint::black_box(result));
    time
}

fn median(mut all: Vec<f64>) -> f64 {
    all.sort_by(f64::total_cmp);
    all[all.len() / 2]
}

fn main() {
    let mut at_first = 0.0;
    for count in [1_000, 5_000] {
        let sources: Vec<Source> = (0..count).map(component).collect();
        let lines: usize = sources.iter().map(|source| source.text.lines().count()).sum();
        let times = (0..5).map(|_| {
            let sources = sources.clone();
            milliseconds(|| {
                let checked = vein::check(sources);
                assert_eq!(checked.report.errors(), 0, "{}", checked.report);
                checked
            })
        });
        let all = median(times.collect());
        if count == 1_000 {
            at_first = all;
        }
        println!(
            "check {count:>5} components, {} lines each: {all:>7.1} ms ({:.2} times)",
            lines / count,
            all / at_first
        );
        let mut workspace = Workspace::new(sources);
        // Nothing uses the last one: it is a leaf of what depends on what.
        let times = (0..20).map(|round| {
            let mut leaf = component(count - 1);
            leaf.text = leaf.text.replace("thirsty", &format!("thirsty {round}"));
            milliseconds(|| {
                assert_eq!((workspace.change(leaf), workspace.errors()), (1, 0));
            })
        });
        println!("  again after one leaf changed: {:>7.2} ms", median(times.collect()));
        let times = (0..5).map(|round| {
            let mut used = component(500);
            used.text = used
                .text
                .replace("takes limit: number = 30", &format!("takes limit: number = {round}"));
            milliseconds(|| assert_eq!(workspace.change(used), 1))
        });
        println!("  after one that others use changed inside: {:>7.2} ms", median(times.collect()));
    }
}
