//! What long lists cost: one field of one item, swap, remove, insert, and making rows, beside
//! Rust written by hand that builds the same tree. `cargo bench -p vein --bench lists`

use serde_json::json;
use std::time::Instant;
use vein::{Event, Page, Ui};

const LIST: &str = "
shape Bed { id: number, crop: string, moisture: number }
shares beds: Bed[]
holds at = 0
holds next = -1
does wet() { beds[at].moisture += 1; }
does swap() {
  const a = beds[1];
  const b = beds[beds.length - 2];
  if (a && b) { beds[1] = b; beds[beds.length - 2] = a; }
}
does drop() { beds.splice(beds.length / 2, 1); }
does add() {
  beds.splice(beds.length / 2, 0, { id: next, crop: 'x', moisture: 3 });
  next -= 1;
}

<button id='wet' click='-> wet()'></button><button id='swap' click='-> swap()'></button>
<button id='drop' click='-> drop()'></button><button id='add' click='-> add()'></button>
<ul>
  <li each='bed of beds by bed.id' title='{bed.crop}'>
    <b>{bed.crop}</b><i>{bed.moisture}</i><meter value='<- bed.moisture'></meter><u>{bed.id}</u>
  </li>
</ul>
";

fn beds(count: usize) -> Vec<serde_json::Value> {
    let bed = |i| json!({ "id": i, "crop": format!("crop {i}"), "moisture": i % 100 });
    (0..count).map(bed).collect()
}

fn median(mut all: Vec<f64>) -> f64 {
    all.sort_by(f64::total_cmp);
    all[all.len() / 2]
}

/// Resident memory, in bytes.
fn memory() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|line| line.starts_with("VmRSS")).unwrap_or("VmRSS: 0 kB");
    let kilobytes: f64 = line.split_whitespace().nth(1).and_then(|n| n.parse().ok()).unwrap_or(0.0);
    kilobytes * 1024.0
}

fn clicks(page: &mut Page, selector: &str, times: usize) -> (f64, usize) {
    let node = page.find(selector).expect("a button").node();
    let click = Event::new("click");
    let mut patches = 0;
    let each = (0..times).map(|_| {
        let start = Instant::now();
        let pulse = page.session_mut().dispatch(node, &click).expect("a click");
        let time = start.elapsed().as_secs_f64() * 1e6;
        patches = pulse.pulse.patches.iter().filter(|p| !is_template(p)).count();
        time
    });
    (median(each.collect()), patches)
}

fn is_template(patch: &vein::Patch<'_>) -> bool {
    matches!(patch, vein::Patch::Template { .. })
}

fn main() {
    let ui = Ui::from_sources([("row-list.vein", LIST)]).expect("it checks");
    // A million rows are more than a page may have unless somebody says so.
    let ui = ui.with_budget(vein::Budget::ENDLESS);
    println!("{:.0} bytes a row of five parts: state, engine and tree", bytes_a_row(&ui));
    println!("one pulse, median µs (patches); engine, patches and tree in memory");
    for count in [1_000, 100_000, 1_000_000] {
        let mut page =
            ui.page("row-list").proven(false).open(json!({ "beds": beds(count) })).expect("beds");
        page.record(false);
        page.set("at", count / 2).expect("a position");
        let [wet, swap, drop, add] = [("#wet", 5_000), ("#swap", 21), ("#drop", 21), ("#add", 21)]
            .map(|(selector, times)| clicks(&mut page, selector, times));
        println!(
            "{count:>9} rows: one field {:.2} ({}) · swap {:.0} ({}) · remove {:.0} ({}) · insert {:.0} ({})",
            wet.0, wet.1, swap.0, swap.1, drop.0, drop.1, add.0, add.1
        );
    }
    create(&ui);
}

/// What a row takes of memory, on a page of 100,000, without the data that it was made from.
fn bytes_a_row(ui: &Ui) -> f64 {
    let count = 100_000;
    let program = ui.program();
    let ty = program.plans[0].cells[0].ty;
    let mut page = ui.page("row-list").proven(false).open(json!({ "beds": [] })).expect("no beds");
    page.record(false);
    let before = memory();
    let items = (0..count).map(|i| {
        let bed = json!({ "id": i, "crop": format!("crop {i}"), "moisture": i % 100 });
        program
            .fit(ty, &json!([bed]).into(), "beds")
            .expect("a bed")
            .at(&[vein::Step::Index(0)])
            .cloned()
    });
    let value = vein::Value::list(items.map(Option::unwrap_or_default).collect());
    page.session_mut().write_value("beds", value);
    (memory() - before) / f64::from(count)
}

/// 10,000 rows of five parts: from the list's value to the tree, and the same by hand.
fn create(ui: &Ui) {
    let count = 10_000;
    let data = json!(beds(count));
    let program = ui.program();
    let value = program.fit(program.plans[0].cells[0].ty, &data.into(), "beds").expect("beds");
    let mut vein = Vec::new();
    for _ in 0..15 {
        let mut page =
            ui.page("row-list").proven(false).open(json!({ "beds": [] })).expect("no beds");
        page.record(false);
        let value = value.clone();
        let start = Instant::now();
        page.session_mut().write_value("beds", value);
        vein.push(start.elapsed().as_secs_f64() * 1e3);
        assert_eq!(page.count("li").expect("a selector"), count);
    }
    let rows: Vec<(f64, String, f64)> =
        (0..count).map(|i| (i as f64, format!("crop {i}"), (i % 100) as f64)).collect();
    let mut hand = Vec::new();
    for _ in 0..15 {
        let start = Instant::now();
        std::hint::black_box(by_hand::rows(&rows));
        hand.push(start.elapsed().as_secs_f64() * 1e3);
    }
    let (vein, hand) = (median(vein), median(hand));
    println!(
        "create {count} rows of five parts: {vein:.1} ms, by hand {hand:.1} ms, {:.2} times",
        vein / hand
    );
}

/// The same tree as somebody writes it by hand: nodes in one vector, with parents, names that
/// are known, and text and attributes of their own.
#[allow(dead_code, reason = "what is built is what counts")]
mod by_hand {
    #[derive(Default)]
    pub struct Tree {
        pub nodes: Vec<Node>,
    }

    pub struct Node {
        pub parent: Option<u32>,
        pub kind: Kind,
    }

    pub enum Kind {
        Element { name: &'static str, attributes: Vec<(&'static str, String)>, children: Vec<u32> },
        Text(String),
    }

    impl Tree {
        fn add(&mut self, parent: Option<u32>, kind: Kind) -> u32 {
            let id = self.nodes.len() as u32;
            self.nodes.push(Node { parent, kind });
            let parent = parent.map(|parent| &mut self.nodes[parent as usize].kind);
            if let Some(Kind::Element { children, .. }) = parent {
                children.push(id);
            }
            id
        }

        fn element(&mut self, parent: u32, name: &'static str, text: String) {
            let kind = Kind::Element { name, attributes: Vec::new(), children: Vec::new() };
            let element = self.add(Some(parent), kind);
            self.add(Some(element), Kind::Text(text));
        }
    }

    pub fn rows(rows: &[(f64, String, f64)]) -> Tree {
        let mut tree = Tree::default();
        let with = |name, attributes| Kind::Element { name, attributes, children: Vec::new() };
        let list = tree.add(None, with("ul", Vec::new()));
        for (id, crop, moisture) in rows {
            let row = tree.add(Some(list), with("li", vec![("title", crop.clone())]));
            tree.element(row, "b", crop.clone());
            tree.element(row, "i", moisture.to_string());
            tree.add(Some(row), with("meter", vec![("value", moisture.to_string())]));
            tree.element(row, "u", id.to_string());
        }
        tree
    }
}
