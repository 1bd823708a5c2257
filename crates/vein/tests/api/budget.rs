//! What nobody would write on purpose costs its own pulse and nothing else: it is taken back, says where it was, and the page
//! goes on.

use serde_json::json;
use vein::{Budget, Error, Fault, HostError, Page, Resource, Ui};

/// Less than a page has, so that tests need not wait.
const LITTLE: Budget = Budget { steps: 200_000, bytes: 40 << 20, nodes: 20_000 };

fn opened(sources: &[(&str, &str)]) -> Result<Page, Error> {
    let ui = Ui::from_sources(sources.iter().copied()).unwrap_or_else(|report| panic!("{report}"));
    let rows: Vec<_> = (0..10).collect();
    ui.page("test-bed").budget(LITTLE).open(json!({ "rows": rows }))
}

/// What ran out, and where.
fn ran_out(error: &Error) -> (Resource, String) {
    match error {
        Error::Failed(Fault::OverBudget { what, at, .. })
        | Error::Host(HostError::Failed(Fault::OverBudget { what, at, .. })) => (*what, at.clone()),
        other => panic!("{other}"),
    }
}

/// A page whose button does too much, once `far` is on.
fn bed(declared: &str, shown: &str, does: &str) -> String {
    format!(
        "takes rows: number[]\nholds far = false\nholds n = 0\nholds s = 'ab'\n{declared}\n\
         <p>{{n}}</p><div when='far'>{shown}</div>\n\
         <button id='far' click='-> far = true; {does}'>far</button>\n\
         <button id='on' click='-> n++'>on</button>\n"
    )
}

#[test]
fn what_costs_without_end_is_taken_back() {
    let many = "rows.flatMap(a => rows.flatMap(b => rows.flatMap(c => rows.flatMap(d => \
                rows.flatMap(e => rows.flatMap(f => rows))))))";
    let nested = (0..8).fold("x8 + k".to_owned(), |inner, at| {
        format!("rows.reduce((x{}, k) => {inner}, 0)", 8 - at)
    });
    let chain = |first: &str, next: &str| {
        (1..=40).fold(format!("derives d0 = {first}"), |all, at| {
            let before = format!("d{}", at - 1);
            format!("{all}\nderives d{at} = {}", next.replace('d', &before))
        })
    };
    let texts = chain("s + n + far", "d + d");
    let lists = chain("[n, n]", "[d, d]");
    let deeper = "derives few = [1, 2, 3].flatMap(x => rows)\n\
                  derives more = few.map(a => few)\n\
                  derives most = few.map(a => more)\n\
                  derives all = few.map(a => most)\n\
                  derives wide = few.map(a => all)";
    let cases: &[(&str, &str, &str, Resource, &str)] = &[
        (
            "",
            "",
            "for (const r of rows) { for (const q of rows) s += s; }",
            Resource::Bytes,
            "click",
        ),
        ("", "", "for (const r of rows) s = s.replaceAll(\"a\", s + s);", Resource::Steps, "click"),
        (
            "",
            "",
            "for (const r of rows) s = rows.map(q => s + s).join(s);",
            Resource::Bytes,
            "click",
        ),
        (
            "",
            "",
            "for (const r of rows) for (const q of rows) s = JSON.stringify(s + s);",
            Resource::Steps,
            "click",
        ),
        (
            "holds list = [1]",
            "",
            "for (const r of rows) for (const q of rows) list = list.concat(list);",
            Resource::Bytes,
            "click",
        ),
        (
            "holds list = [1]",
            "",
            "for (const r of rows) for (const q of rows) list = [...list, ...list];",
            Resource::Bytes,
            "click",
        ),
        (
            "",
            "",
            "for (const a of rows) for (const b of rows) for (const c of rows) for (const d of rows) for (const e of rows) for (const f of rows) n = f;",
            Resource::Steps,
            "click",
        ),
        ("", &format!("{{{many}.length}}"), "", Resource::Bytes, "text"),
        ("", &format!("{{{nested}}}"), "", Resource::Steps, "text"),
        (&texts, "{d40}", "", Resource::Bytes, "d"),
        (&lists, "{JSON.stringify(d40)}", "", Resource::Bytes, "text"),
        (&lists, "{d40.join()}", "", Resource::Bytes, "text"),
        (&lists, "{d40 === [d39, d39]}", "", Resource::Bytes, "text"),
        (&lists, "{d40.toSorted().length}", "", Resource::Bytes, ""),
        (
            "",
            &format!("<i each='row of rows by row + {nested}'>{{row}}</i>")
                .replace("rows.reduce", "[row, row, row, row, row].reduce"),
            "",
            Resource::Steps,
            "",
        ),
        (deeper, "{JSON.stringify(wide)}", "", Resource::Bytes, "text"),
        (
            deeper,
            "<i each='a of wide'><b each='b of a'><u each='c of b'><s each='d of c'>{d.length}</s></u></b></i>",
            "",
            Resource::Nodes,
            "list",
        ),
    ];
    let mut wrong = Vec::new();
    for (declared, shown, does, resource, place) in cases {
        let text = bed(declared, shown, does);
        let mut page =
            opened(&[("test-bed.vein", &text)]).unwrap_or_else(|e| panic!("{e}\n{text}"));
        let before = page.html();
        let error = page.find("#far").and_then(|far| far.click()).expect_err(&text);
        let (what, at) = ran_out(&error);
        if what != *resource || !at.contains(place) {
            wrong.push(format!("{error}\n{text}"));
        }
        assert_eq!(page.html(), before, "{text}");
        // The page goes on, exact as before.
        page.find("#on")
            .and_then(|on| on.click())
            .unwrap_or_else(|error| panic!("{error}\n{text}"));
        assert!(page.html().starts_with("<p>1</p>"), "{}", page.html());
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// What is stored once for many places is compared and told of once.
#[test]
fn what_is_shared_again_and_again_is_compared_at_once() {
    let lists = (1..=60).fold("derives d0 = [n % 2]".to_owned(), |all, at| {
        format!("{all}\nderives d{at} = [d{0}, d{0}]", at - 1)
    });
    let text = bed(&lists, "{d60.length}", "");
    let mut page = opened(&[("test-bed.vein", &text)]).expect("that is little");
    page.find("#far").and_then(|far| far.click()).expect("nothing is gone over");
    for _ in 0..4 {
        page.find("#on").and_then(|on| on.click()).expect("a comparison that ends");
    }
}

#[test]
fn components_that_show_the_next_twice_are_not_shown() {
    let mut sources: Vec<(String, String)> = (0..40)
        .map(|at| (format!("c-{at}.vein"), format!("<c-{0}></c-{0}><c-{0}></c-{0}>", at + 1)))
        .collect();
    sources.push(("c-40.vein".into(), "<p>end</p>".into()));
    sources.push(("test-bed.vein".into(), bed("", "<c-0></c-0>", "")));
    let sources: Vec<(&str, &str)> =
        sources.iter().map(|(a, b)| (a.as_str(), b.as_str())).collect();
    let mut page = opened(&sources).expect("nothing of them is shown");
    let error = page.find("#far").and_then(|far| far.click()).expect_err("that is too much");
    let (what, at) = ran_out(&error);
    assert_eq!(what, Resource::Nodes);
    assert!(at.contains("c-0") && at.contains("c-30"), "{at}");
    page.find("#on").and_then(|on| on.click()).expect("the page goes on");
    assert_eq!(page.html().matches("<p>").count(), 1);
}

/// What cannot be opened says so, and is no page.
#[test]
fn an_opening_that_is_too_much_is_no_page() {
    let text = "takes rows: number[]\n<i each='a of rows'><b each='b of rows'><u each='c of rows'>\
                <s each='d of rows'><q each='e of rows'>{e}</q></s></u></b></i>";
    let error = opened(&[("test-bed.vein", text)]).map(|_| ()).expect_err("that is too much");
    let (what, at) = ran_out(&error);
    assert_eq!(what, Resource::Nodes);
    assert!(at.ends_with("q list"), "{at}");
    let said = error.to_string();
    assert!(said.contains("20,000 nodes, rows and components (`budget.nodes`)"), "{said}");
}

/// A tenth of what a page has is enough for ten thousand rows, so that it is for a hundred thousand, which are promised: opened, all
/// changed by a handler, all shown through a filter and an order, all made anew.
#[test]
fn what_is_promised_is_within_what_a_page_has() {
    let text = "
shape Bed { id: number, crop: string, moisture: number }
shares beds: Bed[]
holds least = 0
derives shown = beds.filter(b => b.moisture >= least).toSorted((a, b) => a.moisture - b.moisture)
does water() { for (const b of beds) b.moisture = b.moisture + 1 }
<ul>
  <li each='bed of shown by bed.id' class='{bed.moisture > 50 ? \"wet\" : \"dry\"}' title='{bed.id}'>
    <b>{bed.crop}</b> <i>{bed.moisture} %</i> <meter value='<- bed.moisture' max='100'></meter>
    <button click='-> bed.moisture += 5'>water</button>
  </li>
</ul>
<button id='water' click='-> water()'>all</button>
<button id='none' click='-> least = 1000'>none</button>
<button id='all' click='-> least = 0'>all</button>
";
    let ui =
        Ui::from_sources([("bed-list.vein", text)]).unwrap_or_else(|report| panic!("{report}"));
    let all = Budget::default();
    let tenth = Budget { steps: all.steps / 10, bytes: all.bytes / 10, nodes: all.nodes / 10 };
    let beds: Vec<_> = (0..10_000)
        .map(|at| json!({ "id": at, "crop": "kale", "moisture": at * 7919 % 100 }))
        .collect();
    let page = ui.page("bed-list").budget(tenth).proven(false);
    let mut page = page.open(json!({ "beds": beds })).unwrap_or_else(|error| panic!("{error}"));
    for button in ["#water", "#none", "#all", "li:first-child button"] {
        let clicked = page.find(button).and_then(|button| button.click());
        clicked.unwrap_or_else(|error| panic!("{button}: {error}"));
    }
    assert_eq!(page.count("li").expect("a selector"), 10_000);
}
