//! How what takes in text and data grows with it: each part at four sizes, the time for each unit, and the power of the size with which
//! the time grows between the two largest. One is linear. `cargo bench -p vein --bench linear`

use std::hint::black_box;
use std::time::Instant;
use vein::{Batch, Scenario, Source, Tree, Ui, Value, Workspace, json, visible};

/// Something that is done with so many of something.
struct Part {
    name: &'static str,
    /// The smallest size; the others are two, four and eight times as much.
    from: usize,
    /// Makes what is worked on, and gives the work.
    with: fn(usize) -> Box<dyn Fn()>,
}

/// Work on something that is made once.
fn on<T: 'static, R: 'static>(made: T, work: fn(&T) -> R) -> Box<dyn Fn()> {
    Box::new(move || drop(black_box(work(&made))))
}

fn many(n: usize, one: impl Fn(usize) -> String) -> String {
    (0..n).map(one).collect()
}

fn checked(text: &str) -> usize {
    let source = Source { path: "bed-card.vein".into(), text: text.to_owned() };
    let report = Workspace::new(vec![source]).checked().report;
    report.text(false).len() + report.json().to_string().len()
}

fn ui(text: &str) -> Ui {
    Ui::from_sources([("bed-card", text)]).unwrap_or_else(|error| panic!("{error}"))
}

fn html(ui: &Ui) -> usize {
    let page = ui.open("bed-card", ()).expect("a page");
    page.html().len() + page.html_indented().len() + page.outline().len()
}

fn expression(n: usize, shown: &str) -> Box<dyn Fn()> {
    let text = format!(
        "holds s = 'a,'.repeat({n})\nholds xs = s.split(',')\n\n<p>{{({shown}).length}}</p>\n"
    );
    on(ui(&text), html)
}

fn rows(n: usize, of: &str) -> Ui {
    ui(&format!("holds xs = 'a,'.repeat({n}).split(',')\n\n{of}\n"))
}

const PARTS: &[Part] = &[
    Part {
        name: "JSON: an object's fields",
        from: 20_000,
        with: |n| {
            let fields = many(n, |i| format!("{}\"key{i}\":{i}", if i > 0 { "," } else { "" }));
            on(format!("{{{fields}}}"), |text| json::parse(text).expect("JSON"))
        },
    },
    Part {
        name: "JSON: one field said again and again",
        from: 20_000,
        with: |n| {
            let fields = many(n, |i| format!("{}\"key\":{i}", if i > 0 { "," } else { "" }));
            on(format!("{{{fields}}}"), |text| json::parse(text).expect("JSON"))
        },
    },
    Part {
        name: "JSON: a list",
        from: 50_000,
        with: |n| {
            on(format!("[{}0]", "{\"a\":1},".repeat(n)), |text| json::parse(text).expect("JSON"))
        },
    },
    Part {
        name: "JSON: a text of escapes",
        from: 50_000,
        with: |n| {
            on(format!("\"{}\"", "\\u00e9\\n".repeat(n)), |text| json::parse(text).expect("JSON"))
        },
    },
    Part {
        name: "JSON: a number's digits",
        from: 200_000,
        with: |n| on(format!("[{}]", "7".repeat(n)), |text| json::parse(text).err()),
    },
    Part {
        name: "JSON: written",
        from: 20_000,
        with: |n| {
            let value = Value::record(
                (0..n).map(|i| (format!("key{i}").as_str().into(), Value::from(i as f64))),
            );
            on(value, |value| json::stringify(value).to_string())
        },
    },
    Part {
        name: "mistakes in one line: `<`",
        from: 5_000,
        with: |n| on("<".repeat(n), |text| checked(text)),
    },
    Part {
        name: "mistakes in one line: unknown names",
        from: 2_500,
        with: |n| on(format!("<p>{}</p>", "{nobody}".repeat(n)), |text| checked(text)),
    },
    Part {
        name: "mistakes in lines of their own",
        from: 2_500,
        with: |n| on(format!("<p>{}</p>", "{nobody}\n".repeat(n)), |text| checked(text)),
    },
    Part {
        name: "mistakes: brackets that stay open",
        from: 5_000,
        with: |n| on(format!("<p>{}", "{(".repeat(n)), |text| checked(text)),
    },
    Part {
        name: "mistakes: elements that stay open",
        from: 2_500,
        with: |n| on("<i>".repeat(n), |text| checked(text)),
    },
    Part {
        name: "mistakes: control characters",
        from: 5_000,
        with: |n| on(format!("<p>{}</p>", "{\u{1}}".repeat(n)), |text| checked(text)),
    },
    Part {
        name: "checking: elements",
        from: 2_500,
        with: |n| {
            on(format!("<div>{}</div>", "<p class='a'>x</p>\n".repeat(n)), |text| checked(text))
        },
    },
    Part {
        name: "checking: attributes of an element",
        from: 1_000,
        with: |n| {
            on(format!("<p {}></p>", many(n, |i| format!("data-a{i}='<- 1' "))), |text| {
                checked(text)
            })
        },
    },
    Part {
        name: "checking: state and what it follows",
        from: 1_000,
        with: |n| {
            let declared = many(n, |i| format!("holds a{i} = {i}\nderives b{i} = a{i} + 1\n"));
            on(format!("{declared}\n<p>{}</p>", many(n, |i| format!("{{b{i}}}"))), |text| {
                checked(text)
            })
        },
    },
    Part {
        name: "checking: statements of a handler",
        from: 2_500,
        with: |n| {
            on(
                format!(
                    "holds a = 1\ndoes go() {{\n{}}}\n\n<p click='-> go()'>{{a}}</p>",
                    "a = a + 1;\n".repeat(n)
                ),
                |text| checked(text),
            )
        },
    },
    Part {
        name: "checking: a sum",
        from: 10,
        with: |n| {
            on(format!("holds a = 1\n\n<p>{}</p>", "{a + a + a}".repeat(100 * n)), |text| {
                checked(text)
            })
        },
    },
    Part {
        name: "checking: a list that is written out",
        from: 2_500,
        with: |n| {
            on(format!("holds a = [{}1]\n\n<p>{{a.length}}</p>", "1, ".repeat(n)), |text| {
                checked(text)
            })
        },
    },
    Part {
        name: "checking: branches",
        from: 1_000,
        with: |n| {
            let others = many(n, |i| format!("<p or-when='a === {i}'>{i}</p>"));
            on(format!("holds a = 1\n\n<div><p when='a === -1'>x</p>{others}</div>"), |text| {
                checked(text)
            })
        },
    },
    Part {
        name: "styles: rules",
        from: 1_000,
        with: |n| {
            on(
                format!("<p class='a'></p>\n<style>\n{}</style>", ".a { color: red; }\n".repeat(n)),
                |text| checked(text),
            )
        },
    },
    Part {
        name: "styles: a list of selectors",
        from: 1_000,
        with: |n| {
            on(
                format!(
                    "<p class='a'></p>\n<style>\n{}.a {{ color: red; }}</style>",
                    ".a, ".repeat(n)
                ),
                |text| checked(text),
            )
        },
    },
    Part {
        name: "styles: parts of one selector",
        from: 1_000,
        with: |n| {
            on(
                format!(
                    "<p class='a'></p>\n<style>\n{}.a {{ color: red; }}</style>",
                    ".a ".repeat(n)
                ),
                |text| checked(text),
            )
        },
    },
    Part {
        name: "styles: mistakes in one line",
        from: 1_000,
        with: |n| {
            on(
                format!("<p class='a'></p>\n<style>\n{}</style>", ".a { colour: red; }".repeat(n)),
                |text| checked(text),
            )
        },
    },
    Part {
        name: "scenarios: steps",
        from: 500,
        with: |n| {
            let text = format!(
                "component = \"bed-card\"\n\n{}",
                "[[step]]\nclick = \"button\"\n".repeat(n)
            );
            on(text, |text| Scenario::read(text).is_ok())
        },
    },
    Part {
        name: "scenarios: mistakes",
        from: 500,
        with: |n| {
            let text = format!(
                "component = \"bed-card\"\n\n{}",
                "[[step]]\nclack = \"button\"\n".repeat(n)
            );
            on(text, |text| Scenario::read(text).map_err(|found| found.len()).is_ok())
        },
    },
    Part {
        name: "text for a terminal",
        from: 50_000,
        with: |n| on("a\u{1b}[2J".repeat(n), |text| visible(text).len()),
    },
    Part {
        name: "plans: written and read",
        from: 500,
        with: |n| {
            let declared = many(n, |i| format!("holds a{i} = {i}\n"));
            let ui =
                ui(&format!("{declared}\n<div>{}</div>", many(n, |i| format!("<p>{{a{i}}}</p>"))));
            on(ui, |ui| Ui::from_plan(&ui.to_plan()).expect("a plan"))
        },
    },
    Part {
        name: "pages: rows, as HTML",
        from: 1_000,
        with: |n| on(rows(n, "<ul><li each='x of xs'>{x}</li></ul>"), html),
    },
    Part {
        name: "pages: a selector",
        from: 1_000,
        with: |n| {
            let page = rows(n, "<ul><li each='x of xs'><b class='c'>{x}</b></li></ul>")
                .open("bed-card", ())
                .expect("a page");
            on(page, |page| page.count("ul > li:not(.d) b.c").expect("a selector"))
        },
    },
    Part {
        name: "pages: the patches of an opening",
        from: 1_000,
        with: |n| {
            let page = rows(n, "<ul><li each='x of xs'>{x}</li></ul>")
                .open("bed-card", ())
                .expect("a page");
            on(page.opening().pulse.patches.to_bytes(), |bytes| {
                let mut tree = Tree::default();
                tree.apply(&Batch::from_bytes(bytes).expect("a batch")).expect("it fits");
                tree.len()
            })
        },
    },
    Part {
        name: "values: split and join",
        from: 20_000,
        with: |n| expression(n, "s.split(',').join(';')"),
    },
    Part {
        name: "values: replaceAll",
        from: 20_000,
        with: |n| expression(n, "s.replaceAll('a', 'bc')"),
    },
    Part {
        name: "values: split at what nearly stands there",
        from: 5_000,
        with: |n| expression(n, &format!("s.split('a,'.repeat({}) + 'b')", n / 2)),
    },
    Part {
        name: "values: lastIndexOf of what nearly does",
        from: 5_000,
        with: |n| {
            expression(
                n,
                &format!("s.split(s[s.lastIndexOf('a,'.repeat({}) + 'b')] ?? 'b')", n / 2),
            )
        },
    },
    Part {
        name: "values: toSorted",
        from: 10_000,
        with: |n| expression(n, "xs.toSorted((a, b) => a < b ? 1 : -1)"),
    },
    Part {
        name: "values: map and filter",
        from: 20_000,
        with: |n| expression(n, "xs.map(x => x + 'b').filter(x => x !== 'b')"),
    },
    Part {
        name: "values: flatMap",
        from: 20_000,
        with: |n| expression(n, "xs.flatMap(x => [x, x])"),
    },
    Part {
        name: "values: JSON and back",
        from: 10_000,
        with: |n| expression(n, "JSON.stringify(xs)"),
    },
];

/// The least of some runs, in seconds.
fn seconds(work: &dyn Fn()) -> f64 {
    let mut least = f64::INFINITY;
    let begun = Instant::now();
    for run in 0..7 {
        let start = Instant::now();
        work();
        least = least.min(start.elapsed().as_secs_f64());
        if run >= 2 && begun.elapsed().as_secs_f64() > 2.0 {
            break;
        }
    }
    least
}

fn main() {
    let named: Vec<String> =
        std::env::args().skip(1).filter(|argument| !argument.starts_with('-')).collect();
    println!(
        "{:<40}{:>9} {:>11}{:>11}{:>11}{:>11}  grows with",
        "", "smallest", "ns each", "2 times", "4 times", "8 times"
    );
    for part in PARTS {
        if !named.is_empty() && !named.iter().any(|name| part.name.contains(name)) {
            continue;
        }
        let times: Vec<f64> =
            (0..4).map(|doubled| seconds(&*(part.with)(part.from << doubled))).collect();
        let each = times
            .iter()
            .zip(0..)
            .map(|(time, doubled)| format!("{:>11.0}", time * 1e9 / (part.from << doubled) as f64));
        let power = (times[3] / times[2]).log2();
        println!("{:<40}{:>9} {}  {power:.2}", part.name, part.from, each.collect::<String>());
    }
}
