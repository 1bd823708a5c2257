//! HTML that a page gives parses, by a parser that follows the standard, into the tree in memory.

use crate::hostile;
use html5ever::tendril::TendrilSink;
use html5ever::{LocalName, QualName, ns, parse_fragment};
use markup5ever_rcdom::{Handle, NodeData, RcDom};
use serde_json::json;
use vein_proof::Session;
use vein_view::{NodeId, Tree};

/// Attributes by which HTML shows properties of controls, which are not attributes in the tree.
const PROPERTIES: &[&str] = &["value", "checked", "selected", "open", "muted"];

/// Adds a line of text; a parser makes one text of neighbours, and none of nothing.
fn add_text(out: &mut Vec<String>, depth: usize, text: &str) {
    if text.is_empty() {
        return;
    }
    let start = format!("{depth} text ");
    match out.last_mut().filter(|last| last.starts_with(&start)) {
        Some(last) => last.push_str(text),
        None => out.push(start + text),
    }
}

/// A tree as lines, one a node.
fn lines(tree: &Tree, id: NodeId, depth: usize, out: &mut Vec<String>) {
    for child in tree.children(id) {
        if let Some(text) = tree.text(*child) {
            add_text(out, depth, text);
            continue;
        }
        let name = tree.name(*child).unwrap_or("");
        let mut attributes: Vec<String> = tree
            .attributes(*child)
            .filter(|(name, _)| !PROPERTIES.contains(name))
            .map(|(name, value)| format!("{name}={value:?}"))
            .collect();
        attributes.sort();
        let url = tree.namespace(*child).unwrap_or_default().url();
        out.push(format!("{depth} {url} {name} {}", attributes.join(" ")));
        if name == "textarea" {
            add_text(out, depth + 1, &tree.value(*child).unwrap_or_default());
        } else {
            lines(tree, *child, depth + 1, out);
        }
        out.push(format!("{depth} end"));
    }
}

fn parsed_lines(handle: &Handle, depth: usize, out: &mut Vec<String>) {
    for child in handle.children.borrow().iter() {
        match &child.data {
            NodeData::Text { contents } => add_text(out, depth, &contents.borrow()),
            NodeData::Element { name, attrs, .. } => {
                let mut attributes: Vec<String> = attrs
                    .borrow()
                    .iter()
                    .map(|a| (a.name.local.to_string(), a.value.to_string(), a.name.prefix.clone()))
                    .filter(|(name, ..)| !PROPERTIES.contains(&name.as_str()))
                    .map(|(name, value, prefix)| match prefix {
                        Some(prefix) => format!("{prefix}:{name}={value:?}"),
                        None => format!("{name}={value:?}"),
                    })
                    .collect();
                attributes.sort();
                out.push(format!("{depth} {} {} {}", name.ns, name.local, attributes.join(" ")));
                parsed_lines(child, depth + 1, out);
                out.push(format!("{depth} end"));
            }
            other => out.push(format!("{depth} {other:?}")),
        }
    }
}

/// Holds the HTML of a tree against the tree.
pub fn assert_round_trip(tree: &Tree) {
    let html = tree.html();
    let context = QualName::new(None, ns!(html), LocalName::from("div"));
    let dom = parse_fragment(RcDom::default(), Default::default(), context, vec![], false)
        .one(html.as_str());
    // A fragment stands inside an element that the parser adds.
    let root = dom.document.children.borrow()[0].clone();
    let (mut found, mut wanted) = (Vec::new(), Vec::new());
    parsed_lines(&root, 0, &mut found);
    lines(tree, tree.root(), 0, &mut wanted);
    assert_eq!(found, wanted, "{html}");
}

#[test]
fn hostile_strings_come_back_as_what_they_are() {
    let all = hostile::strings();
    assert!(all.len() >= 200, "{} strings", all.len());
    for text in &all {
        let files = [("hostile-lab.vein".to_owned(), hostile::LAB.to_owned())];
        let program = crate::views::compiled(&files);
        let data = json!({ "all": [text] });
        let opened = Session::open(
            program,
            "hostile-lab",
            &data,
            Some(vein_view::clean as vein_runtime::Clean),
        );
        let (mut session, _) = opened.expect("a string");
        assert_round_trip(session.tree());
        session.prove(true);
        let entry = session.set("all", json!([text, "calm"])).expect("strings");
        entry.assert_exact().unwrap_or_else(|error| panic!("{text:?}: {error}"));
        assert_round_trip(session.tree());
        let entry = session.set("all[1]", json!(text)).expect("a string");
        entry.assert_exact().unwrap_or_else(|error| panic!("{text:?}: {error}"));
        for element in session.tree().select("[href], [src], [action]").expect("a selector") {
            for name in ["href", "src", "action", "xlink:href"] {
                let url = session.tree().attribute(element, name).unwrap_or("");
                let safe = url == "about:blank" || vein_plan::shown::is_safe_url(url);
                assert!(safe, "{text:?}: {name}={url:?}");
            }
        }
    }
}

/// Views with everything that a writer of HTML has to take care of.
#[test]
fn hand_picked_views_come_back() {
    for markup in [
        "<table><caption>{t}</caption><tbody><tr each='x of l'><td title='{x}'>{x}</td></tr></tbody></table>",
        "<pre>\n\n{t}\n</pre><pre>{t}</pre><textarea value='<- t'></textarea>",
        "<svg viewBox='0 0 9 9'><g each='x of l'><text>{x}</text><a xlink:href='<- t'></a></g></svg>",
        "<math><mi each='x of l'>{x}</mi></math>",
        "<select value='<- t'><optgroup label='{t}'><option each='x of l'>{x}</option></optgroup></select>",
        "<dl><group each='x of l'><dt>{x}</dt><dd>{t}</dd></group></dl>",
        "a <group when='l.length > 1'>{t}</group> <b otherwise>c</b>{t}",
        // Half of a character, alone and where it meets its other half.
        "<p title='{t.slice(0, 1)}' style='--half: {t.slice(0, 1)}'>{t.slice(0, 1)}</p><i>{t.slice(0, 1)}{t.slice(1)}</i>",
    ] {
        for text in ["", "\n", "a<b>&amp;\"'", "\u{0}x\u{feff}", "\r\n", "--><!--", "😀\u{2028}"]
        {
            let source = format!("takes t: string\ntakes l: string[]\n<!-- v -->{markup}\n");
            let program = crate::views::compiled(&[("hand-made.vein".to_owned(), source)]);
            for list in [json!([]), json!([text]), json!([text, "b", text])] {
                let data = json!({ "t": text, "l": list });
                let opened = Session::open(program.clone(), "hand-made", &data, None);
                assert_round_trip(opened.expect("data that fits").0.tree());
            }
        }
    }
}
