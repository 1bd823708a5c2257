//! Markup from data.

use html5ever::tendril::TendrilSink;
use html5ever::{LocalName, QualName, ns, parse_fragment};
use markup5ever_rcdom::{Handle, NodeData, RcDom};
use vein_plan::TemplateNode;
use vein_view::{Template, Tree};

/// Any markup is cleaned of what could run; none of that comes back when the result is written as HTML and parsed by a
/// browser, nor does it leave the element that it stands in.
pub fn markup(bytes: &[u8]) {
    let nodes = vein_view::clean(&crate::text(bytes));
    let mut depth = 0;
    for node in &nodes {
        match node {
            TemplateNode::Open { name, attributes, .. } => {
                depth += 1;
                harmless(name, attributes.iter().map(|(name, value)| (&**name, &**value)));
            }
            TemplateNode::Close => depth -= 1,
            _ => {}
        }
        assert!((0..=257).contains(&depth), "{depth} elements are open");
    }
    assert_eq!(depth, 0);
    let mut tree = Tree::default();
    let root = tree.root();
    tree.insert(&Template { nodes, listeners: Vec::new() }, root, 1);
    let written = format!("<main>{}</main>", tree.html());
    let context = QualName::new(None, ns!(html), LocalName::from("body"));
    let dom =
        parse_fragment(RcDom::default(), Default::default(), context, vec![], true).one(&*written);
    let document = dom.document.children.borrow();
    let outside = document[0].children.borrow();
    assert_eq!(outside.len(), 1, "it leaves its element: {written}");
    let mut left: Vec<Handle> = outside[0].children.borrow().to_vec();
    while let Some(node) = left.pop() {
        match &node.data {
            NodeData::Element { name, attrs, .. } => {
                let attributes = attrs.borrow();
                let all = attributes.iter().map(|one| (&*one.name.local, &*one.value));
                harmless(&name.local, all);
                assert!(name.ns == ns!(html), "{name:?} is not of HTML: {written}");
            }
            NodeData::Text { .. } => {}
            _ => panic!("neither an element nor a text: {written}"),
        }
        left.extend(node.children.borrow().iter().cloned());
    }
}

/// An element runs nothing.
fn harmless<'a>(name: &str, attributes: impl Iterator<Item = (&'a str, &'a str)>) {
    let run = [
        "script", "style", "iframe", "object", "embed", "form", "base", "meta", "link", "template",
        "svg", "math",
    ];
    assert!(!run.contains(&name), "`{name}` is left");
    for (attribute, value) in attributes {
        assert!(!attribute.starts_with("on"), "`{attribute}` is left");
        assert!(
            !["style", "srcdoc", "formaction", "action"].contains(&attribute),
            "`{attribute}` is left"
        );
        let address = value.chars().filter(|c| !c.is_ascii_whitespace() && !c.is_control());
        let scheme: String = address.take_while(|c| *c != ':').collect();
        let runs = ["javascript", "vbscript", "data"].contains(&&*scheme.to_ascii_lowercase());
        let is_address = ["href", "src", "cite"].contains(&attribute);
        assert!(!is_address || !runs, "{attribute}={value:?}");
    }
}
