//! HTML that the writer gives parses into the tree that it was written from, by a parser that
//! follows the standard.

use crate::build::nodes;
use html5ever::tendril::TendrilSink;
use html5ever::{LocalName, QualName, ns, parse_fragment};
use markup5ever_rcdom::{Handle, NodeData, RcDom};
use proptest::prelude::*;
use vein_plan::{Namespace, TemplateNode};
use vein_view::{NodeId, Template, Tree};

/// A tree as lines, one a node; empty text is left out, since HTML cannot hold it.
fn lines(tree: &Tree, id: NodeId, depth: usize, out: &mut Vec<String>) {
    for child in tree.children(id) {
        match tree.text(*child) {
            Some("") => {}
            Some(text) => out.push(format!("{depth} {text:?}")),
            None => {
                let url = tree.namespace(*child).unwrap_or_default().url();
                let mut attributes: Vec<String> =
                    tree.attributes(*child).map(|(n, v)| format!("{n}={v:?}")).collect();
                attributes.sort();
                let name = tree.name(*child).unwrap_or("");
                out.push(format!("{depth} {url} {name} {}", attributes.join(" ")));
                lines(tree, *child, depth + 1, out);
            }
        }
    }
}

/// The same of what a parser made of the HTML.
fn parsed_lines(handle: &Handle, depth: usize, out: &mut Vec<String>) {
    for child in handle.children.borrow().iter() {
        match &child.data {
            NodeData::Text { contents } => {
                out.push(format!("{depth} {:?}", contents.borrow().to_string()));
            }
            NodeData::Element { name, attrs, .. } => {
                let mut attributes: Vec<String> = attrs
                    .borrow()
                    .iter()
                    .map(|a| format!("{}={:?}", a.name.local, a.value.to_string()))
                    .collect();
                attributes.sort();
                out.push(format!("{depth} {} {} {}", name.ns, name.local, attributes.join(" ")));
                parsed_lines(child, depth + 1, out);
            }
            other => out.push(format!("{depth} {other:?}")),
        }
    }
}

fn parse(html: &str) -> Vec<String> {
    let context = QualName::new(None, ns!(html), LocalName::from("div"));
    let dom =
        parse_fragment(RcDom::default(), Default::default(), context, vec![], false).one(html);
    // A fragment stands inside an element that the parser adds.
    let root = dom.document.children.borrow()[0].clone();
    let mut out = Vec::new();
    parsed_lines(&root, 0, &mut out);
    out
}

fn assert_round_trip(template: Vec<TemplateNode>) {
    let mut tree = Tree::default();
    let root = tree.root();
    tree.insert(&Template { nodes: template, listeners: vec![] }, root, 1);
    let mut expected = Vec::new();
    lines(&tree, root, 0, &mut expected);
    assert_eq!(parse(&tree.html()), expected, "{}", tree.html());
}

#[test]
fn hand_picked_trees_come_back() {
    for items in [
        &["p title=\"'<>&amp;&lt;", "\"a<b>&amp;&\"'\u{a0}\u{2028}-->", "/"][..],
        &["pre", "\"\n\na\n", "/", "pre", "b", "\"\n", "/", "/"],
        &["textarea", "\"\n</textarea><b>", "/"],
        &["p", "\"a\rb\r\nc\td", "/"],
        &["table", "tbody", "tr", "td", "\" a ", "/", "/", "/", "/"],
        &["\"\u{feff}"],
        &["ul", "li", "\"a", "/", "li", "br", "/", "/", "/"],
        &["select", "optgroup label=a", "option value=1", "\"b<", "/", "/", "/"],
        &["svg:svg viewBox=0", "svg:linearGradient", "/", "svg:text", "\"<a", "/", "/", "p", "/"],
        &["math:math", "math:mi", "\"x", "/", "/"],
        &["input value=<", "/", "img alt=\"", "/", "wbr", "/", "\"]]><!--"],
        &["title", "\"<b>&amp;", "/", "button", "i", "\"a", "/", "/"],
    ] {
        assert_round_trip(nodes(items));
    }
}

/// Elements that may stand in each other in any order without a parser moving them about.
const FLOW: &[&str] = &["div", "section", "article", "span", "b-c", "em", "main", "output", "ins"];

fn any_text() -> impl Strategy<Value = String> {
    let nasty = prop::sample::select(vec![
        "<", ">", "&", "\"", "'", "&amp;", "&lt", "</div>", "<!--", "-->", "]]>", "\n", "\r", "\t",
        " ", "\u{a0}", "\u{fffd}", "😀", "é", "a", "{", "=", "`", "&#13;", "&#x0;", "\u{2028}",
        "\u{feff}",
    ]);
    proptest::collection::vec(nasty, 1..6).prop_map(|pieces| pieces.concat())
}

fn any_tree() -> impl Strategy<Value = Vec<TemplateNode>> {
    let text = any_text()
        .prop_map(|text| vec![TemplateNode::Text { text: text.as_str().into(), marked: false }]);
    text.prop_recursive(5, 40, 4, |inner| {
        let name = prop::sample::select(FLOW);
        let attributes =
            proptest::collection::btree_map("[a-z]{1,5}(-[a-z]{1,3})?", any_text(), 0..3);
        (name, attributes, proptest::collection::vec(inner, 0..4)).prop_map(
            |(name, attributes, children)| {
                let attributes =
                    attributes.iter().map(|(n, v)| (n.as_str().into(), v.as_str().into()));
                let mut nodes = vec![TemplateNode::Open {
                    namespace: Namespace::Html,
                    name: name.into(),
                    attributes: attributes.collect(),
                    marked: false,
                }];
                let mut text_before = false;
                for child in children {
                    // Neighbouring texts are one text in a component too.
                    let is_text = matches!(child[0], TemplateNode::Text { .. });
                    if !(is_text && text_before) {
                        nodes.extend(child);
                    }
                    text_before = is_text;
                }
                nodes.push(TemplateNode::Close);
                nodes
            },
        )
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1500, ..ProptestConfig::default() })]

    #[test]
    fn any_tree_comes_back(tree in any_tree()) {
        assert_round_trip(tree);
    }
}
