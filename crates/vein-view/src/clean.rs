//! Markup from data, cleaned: a well-kept sanitiser says what may stay, and what it leaves is
//! parsed into nodes, so that no surface ever has to parse HTML.

use html5ever::tendril::TendrilSink;
use html5ever::{LocalName, QualName, ns, parse_fragment};
use markup5ever_rcdom::{Handle, NodeData, RcDom};
use vein_plan::{Name, Namespace, TemplateNode};

/// Turns markup into nodes that cannot run anything: scripts, event handlers, forms, frames,
/// style sheets and addresses with a scheme that could run something are gone, text stays.
///
/// ```
/// use vein_plan::TemplateNode;
/// let nodes = vein_view::clean("<b onclick='x()'>Ruby</b><script>x()</script>");
/// assert!(matches!(&nodes[0], TemplateNode::Open { name, attributes, .. }
///     if &**name == "b" && attributes.is_empty()));
/// assert_eq!(nodes.len(), 3);
/// ```
pub fn clean(markup: &str) -> Vec<TemplateNode> {
    let schemes = ["http", "https", "mailto", "tel"].into_iter().collect();
    let cleaned = ammonia::Builder::default()
        .url_schemes(schemes)
        .url_relative(ammonia::UrlRelative::PassThrough)
        .clean(markup)
        .to_string();
    let context = QualName::new(None, ns!(html), LocalName::from("div"));
    let dom = parse_fragment(RcDom::default(), Default::default(), context, vec![], false)
        .one(cleaned.as_str());
    let mut nodes = Vec::new();
    // A fragment stands inside an element that the parser adds.
    if let Some(root) = dom.document.children.borrow().first() {
        inside(root, &mut nodes);
    }
    nodes
}

fn inside(handle: &Handle, out: &mut Vec<TemplateNode>) {
    for child in handle.children.borrow().iter() {
        match &child.data {
            NodeData::Text { contents } => {
                let text = contents.borrow().replace('\0', "\u{fffd}");
                out.push(TemplateNode::Text { text: text.as_str().into(), marked: false });
            }
            NodeData::Element { name, attrs, .. } if name.ns == ns!(html) => {
                let attributes = attrs.borrow();
                let attributes = attributes.iter().map(|attribute| {
                    let name = Name::from(&*attribute.name.local);
                    (name, Name::from(&*attribute.value))
                });
                out.push(TemplateNode::Open {
                    namespace: Namespace::Html,
                    name: Name::from(&*name.local),
                    attributes: attributes.collect(),
                    marked: false,
                });
                inside(child, out);
                out.push(TemplateNode::Close);
            }
            _ => {}
        }
    }
}
