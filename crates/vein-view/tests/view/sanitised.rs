//! What controls make of a text that is set as their value, and of steps; what cleaning leaves of markup.

use crate::build::tree;
use vein_plan::TemplateNode;
use vein_view::{Stepped, Tree, clean, is_number};

fn one(element: &str) -> (Tree, vein_view::NodeId) {
    let tree = tree(&[element, "/"], vec![]);
    let id = tree.select("input").expect("a selector")[0];
    (tree, id)
}

#[test]
fn each_type_keeps_what_it_can_hold() {
    let rows: &[(&str, &[(&str, &str)])] = &[
        ("input", &[("a\nb\r", "ab"), (" a ", " a ")]),
        ("input type=search", &[("a\nb", "ab")]),
        ("input type=hidden", &[("a\nb", "a\nb")]),
        ("input type=checkbox", &[("a\n", "a\n")]),
        ("input type=radio", &[("a\n", "a\n")]),
        ("input type=button", &[("a\n", "a\n")]),
        ("input type=reset", &[("a\n", "a\n")]),
        ("input type=submit", &[("a\n", "a\n")]),
        ("input type=image", &[("a\n", "a\n")]),
        ("input type=file", &[("a", "")]),
        (
            "input type=email",
            &[(" a@b\n ", "a@b"), ("x", "x"), ("\u{a0}a", "\u{a0}a"), (" a@b , c ", "a@b , c")],
        ),
        ("input type=email multiple", &[(" a@b , \tc\n", "a@b,c"), (",", ",")]),
        ("input type=url", &[(" https://a\n", "https://a"), ("x", "x")]),
        (
            "input type=number",
            &[
                ("1", "1"),
                ("-1.5", "-1.5"),
                (".5", ".5"),
                ("1e3", "1e3"),
                ("1E-3", "1E-3"),
                ("1e+3", "1e+3"),
                ("1.", ""),
                ("+1", ""),
                ("1e", ""),
                ("e1", ""),
                ("--1", ""),
                ("1e999", ""),
                (" 1", ""),
                ("", ""),
                ("1.e3", ""),
                ("1.5.2", ""),
                ("-.5", "-.5"),
                ("1e-+3", ""),
                ("0x1", ""),
            ],
        ),
        (
            "input type=range",
            &[
                ("50", "50"),
                ("x", "50"),
                ("-1", "0"),
                ("101", "100"),
                ("2.5", "3"),
                ("2.4", "2"),
                ("", "50"),
            ],
        ),
        (
            "input type=range min=10 max=20",
            &[("x", "15"), ("9", "10"), ("21", "20"), ("12.5", "13")],
        ),
        ("input type=range min=20 max=10", &[("x", "20"), ("15", "20"), ("30", "20")]),
        (
            "input type=range min=0 max=10 step=4",
            &[("9", "8"), ("10", "8"), ("6", "8"), ("5.9", "4"), ("x", "4")],
        ),
        ("input type=range min=1 max=10 step=4", &[("2", "1"), ("3", "5"), ("10", "9")]),
        ("input type=range step=any", &[("2.25", "2.25"), ("x", "50")]),
        ("input type=range step=0", &[("2.25", "2")]),
        ("input type=range step=-1", &[("2.25", "2")]),
        ("input type=range step=0.1", &[("0.34", "0.3"), ("0.36", "0.4")]),
        ("input type=range value=8 step=10", &[("0", "8"), ("-5", "8")]),
        ("input type=range value=3 step=10", &[("50", "53"), ("1", "3"), ("99", "93")]),
        ("input type=range min=x max=y", &[("x", "50")]),
        (
            "input type=color",
            &[
                ("#AbCdEf", "#abcdef"),
                ("#abc", "#aabbcc"),
                ("#abcd", "#aabbcc"),
                ("#abcdef12", "#abcdef"),
                ("abcdef", "#000000"),
                ("#abcde", "#000000"),
                ("#ab", "#000000"),
                ("#xyz", "#000000"),
                ("red", "#ff0000"),
                (" #102030 ", "#102030"),
                ("", "#000000"),
                ("unheard-of", "#000000"),
            ],
        ),
        (
            "input type=date",
            &[
                ("2026-01-31", "2026-01-31"),
                ("2026-04-30", "2026-04-30"),
                ("2026-04-31", ""),
                ("2026-02-29", ""),
                ("2024-02-29", "2024-02-29"),
                ("1900-02-29", ""),
                ("2000-02-29", "2000-02-29"),
                ("2026-1-1", ""),
                ("2026-13-01", ""),
                ("2026-00-01", ""),
                ("2026-01-00", ""),
                ("2026-01-32", ""),
                ("026-01-01", ""),
                ("0000-01-01", ""),
                ("0001-01-01", "0001-01-01"),
                ("275760-09-13", "275760-09-13"),
                ("275760-09-14", ""),
                ("275760-08-31", "275760-08-31"),
                ("275761-01-01", ""),
                ("2026-01-01 ", ""),
                ("2026-06-31", ""),
                ("2026-09-31", ""),
                ("2026-11-31", ""),
                ("2026-12-31", "2026-12-31"),
                ("x", ""),
                ("12026-01-01", "12026-01-01"),
            ],
        ),
        (
            "input type=month",
            &[
                ("2026-12", "2026-12"),
                ("2026-00", ""),
                ("2026-13", ""),
                ("2026-1", ""),
                ("275760-09", "275760-09"),
                ("275760-10", ""),
                ("2026", ""),
            ],
        ),
        (
            "input type=week",
            &[
                ("2026-W53", "2026-W53"),
                ("2025-W53", ""),
                ("2020-W53", "2020-W53"),
                ("2024-W53", ""),
                ("2026-W00", ""),
                ("2026-W01", "2026-W01"),
                ("2026-W1", ""),
                ("2026-w01", ""),
                ("1970-W53", "1970-W53"),
                ("2004-W53", "2004-W53"),
                ("2032-W53", "2032-W53"),
                ("2028-W53", ""),
                ("2009-W53", "2009-W53"),
                ("275760-W37", "275760-W37"),
                ("275760-W38", ""),
                ("2025-W52", "2025-W52"),
                ("2026-W54", ""),
            ],
        ),
        (
            "input type=time",
            &[
                ("12:30", "12:30"),
                ("23:59", "23:59"),
                ("24:00", ""),
                ("12:60", ""),
                ("1:30", ""),
                ("12", ""),
                ("12:30:15", "12:30:15"),
                ("12:30:60", ""),
                ("12:30:5", ""),
                ("12:30:15.1", "12:30:15.1"),
                ("12:30:15.123", "12:30:15.123"),
                ("12:30:15.1234", ""),
                ("12:30:15.", ""),
                ("12:30:15.x", ""),
                ("00:00", "00:00"),
                ("12:30:00.000", "12:30:00.000"),
            ],
        ),
        (
            "input type=datetime-local",
            &[
                ("2026-01-01T12:30", "2026-01-01T12:30"),
                ("2026-01-01 12:30", "2026-01-01T12:30"),
                ("2026-01-01T12:30:00", "2026-01-01T12:30"),
                ("2026-01-01T12:30:00.500", "2026-01-01T12:30:00.5"),
                ("2026-01-01T12:30:15.120", "2026-01-01T12:30:15.12"),
                ("2026-01-01T12:30:15", "2026-01-01T12:30:15"),
                ("2026-01-01", ""),
                ("2026-02-30T12:30", ""),
                ("2026-01-01T25:00", ""),
                ("2026-01-01t12:30", ""),
            ],
        ),
    ];
    for (element, texts) in rows {
        for (text, value) in *texts {
            let (tree, id) = one(element);
            assert_eq!(tree.as_value(id, text), *value, "{element}: {text:?}");
        }
    }
    // What somebody types keeps what is only odd.
    for (element, text, value) in [
        ("input type=url", " https://a ", " https://a "),
        ("input type=url", "a\nb", "ab"),
        ("input type=number", "1.e3", "1.e3"),
        ("input type=number", "1.E3", "1.E3"),
        ("input type=number", "1.", ""),
        ("input type=email", " a@b ", "a@b"),
    ] {
        let (mut tree, id) = one(element);
        tree.type_value(id, text);
        assert_eq!(tree.value(id).as_deref(), Some(value), "{element}: {text:?}");
    }
    assert!(is_number("-2.50") && !is_number("2.") && !is_number(""));
}

#[test]
fn steps_go_to_the_next_number_that_is_one() {
    let nowhere = Stepped::Nowhere;
    let by = |text: &str| Stepped::By(text.into());
    let into = |text: &str| Stepped::IntoRange(text.into());
    for (element, now, up, down) in [
        ("input type=number", "1", by("2"), by("0")),
        ("input type=number", "", by("1"), by("-1")),
        ("input type=number", "1.5", by("2"), by("1")),
        ("input type=number step=0.1", "0.2", by("0.3"), by("0.1")),
        ("input type=number step=0.1", "0.25", by("0.3"), by("0.2")),
        ("input type=number step=any", "0.25", by("1.25"), by("-0.75")),
        ("input type=number step=0", "1", by("2"), by("0")),
        ("input type=number step=-3", "1", by("2"), by("0")),
        ("input type=number min=0 max=10 step=4", "4", by("8"), by("0")),
        ("input type=number min=0 max=10 step=4", "8", by("8"), by("4")),
        ("input type=number min=0 max=10 step=4", "10", nowhere.clone(), by("8")),
        ("input type=number min=0 max=10 step=4", "0", by("4"), nowhere.clone()),
        ("input type=number min=0 max=10 step=4", "-5", into("0"), nowhere.clone()),
        ("input type=number min=0 max=10 step=4", "15", nowhere.clone(), into("10")),
        ("input type=number min=0 max=8 step=4", "8", nowhere.clone(), by("4")),
        ("input type=number min=1 step=2", "2", by("3"), by("1")),
        ("input type=number min=1 step=2", "4", by("5"), by("3")),
        ("input type=number value=1 step=3", "2", by("4"), by("1")),
        ("input type=number min=5", "", into("5"), by("5")),
        ("input type=number max=-5", "", by("-5"), into("-5")),
        ("input type=number min=0.25 step=any", "0.5", by("1.5"), nowhere.clone()),
        ("input type=number min=0.25 step=any", "1.5", by("2.5"), by("0.5")),
        ("input type=number min=0 max=1.25 step=any", "0.5", by("1.25"), nowhere.clone()),
        ("input type=number min=0 max=1 step=any", "0.5", by("1"), nowhere.clone()),
    ] {
        for (steps, wanted) in [(1.0, &up), (-1.0, &down)] {
            let (mut tree, id) = one(element);
            tree.type_value(id, now);
            assert_eq!(tree.stepped(id, steps), *wanted, "{element}: {now:?} by {steps}");
        }
    }
    let (mut tree, id) = one("input type=number step=2");
    tree.type_value(id, "1");
    assert_eq!(tree.stepped(id, 3.0), Stepped::By("2".into()));
    assert_eq!((tree.limit(id, "step"), tree.limit(id, "min")), (Some(2.0), None));
    assert!(!tree.has_any_step(id));
}

/// Nodes as HTML that is not escaped.
fn written(markup: &str) -> String {
    let mut open = Vec::new();
    let mut out = String::new();
    for node in clean(markup) {
        match node {
            TemplateNode::Open { name, attributes, .. } => {
                let all = attributes.iter().map(|(name, value)| format!(" {name}={value}"));
                out.push_str(&format!("<{name}{}>", all.collect::<String>()));
                open.push(name);
            }
            TemplateNode::Text { text, .. } => out.push_str(&text),
            TemplateNode::Close => out.push_str(&format!("</{}>", open.pop().expect("open"))),
            TemplateNode::TextPart => out.push_str("{}"),
        }
    }
    out
}

#[test]
fn markup_keeps_what_cannot_run_anything() {
    for (markup, left) in [
        ("", ""),
        ("a & b &lt; c", "a & b < c"),
        ("<b>a</b>", "<b>a</b>"),
        ("<b>a", "<b>a</b>"),
        ("a\0b", "ab"),
        ("<script>x()</script>a", "a"),
        ("<style>b {}</style>a", "a"),
        ("<b onclick=x() title=t>a</b>", "<b title=t>a</b>"),
        ("<form><input><p>a</p></form>", "<p>a</p>"),
        ("<iframe src=x>a</iframe>b", "ab"),
        ("<img src=x onerror=y>", "<img src=x></img>"),
        ("<a href=javascript:x>a</a>", "<a rel=noopener noreferrer>a</a>"),
        (
            "<a href=https://a.example>a</a>",
            "<a href=https://a.example rel=noopener noreferrer>a</a>",
        ),
        ("<a href=tel:1>a</a>", "<a href=tel:1 rel=noopener noreferrer>a</a>"),
        ("<a href=mailto:a@b>a</a>", "<a href=mailto:a@b rel=noopener noreferrer>a</a>"),
        ("<a href=ftp://a>a</a>", "<a rel=noopener noreferrer>a</a>"),
        ("<a href=/b?c#d>a</a>", "<a href=/b?c#d rel=noopener noreferrer>a</a>"),
        ("<svg><script>x</script><p>a</p></svg>", "<p>a</p>"),
        ("<!-- c --><i>a</i>", "<i>a</i>"),
        ("<p>a<p>b", "<p>a</p><p>b</p>"),
        (
            "<noscript><p title=\"</noscript><img src=x onerror=y>\"></noscript>b",
            "<p title=</x-noscript><img src=x onerror=y>>b</p>",
        ),
        ("<NOSCRIPT>a</NoScript>b", "ab"),
        ("a<noscript>b</noscript>c<noscript>d</noscript>e", "abcde"),
        ("</noscript>a", "a"),
    ] {
        assert_eq!(written(markup), left, "{markup}");
    }
    // However many stand beside each other, each holds its own.
    let many = "<p><b>x</b></p>".repeat(400);
    assert_eq!(written(&many), many);
    // Beyond what is read as markup it is the text that it is.
    let long = format!("<b>{}</b>", "a".repeat((128 << 10) - 7));
    assert_eq!(written(&long), long);
    assert_eq!(clean(&long).len(), 3);
    let longer = format!("{long}a");
    assert_eq!(clean(&longer).len(), 1);
    assert!(matches!(&clean(&longer)[0], TemplateNode::Text { text, .. } if **text == *longer));
    assert_eq!(clean(&"<i>".repeat(5000)).len(), 10_000);
    assert_eq!(clean(&"<i>".repeat(5001)).len(), 1);
}

#[test]
fn the_rules_for_a_browser_say_the_same() {
    let rules = vein_view::cleaning_rules();
    assert_eq!(rules["schemes"], serde_json::json!(["http", "https", "mailto", "tel"]));
    let gone: Vec<&str> =
        rules["gone"].as_array().expect("names").iter().filter_map(|name| name.as_str()).collect();
    assert!(gone.contains(&"script") && gone.contains(&"style") && gone.contains(&"circle"));
    assert!(!gone.contains(&"a"));
    assert!(rules["tags"]["a"].as_array().expect("names").contains(&"href".into()));
    assert_eq!(rules["bytes"], 128 << 10);
}
