//! Trees for tests, from a short notation.

use vein_plan::{ListenerOptions, Namespace, TemplateNode};
use vein_view::{Batch, Patch, Template, TemplateListener, Tree};

/// Nodes from a notation of one item each: `p .a #b title=c *` opens an element (`*` marks it),
/// `"text` is text, `{` is text that a part fills, `/` closes.
pub fn nodes(items: &[&str]) -> Vec<TemplateNode> {
    items.iter().map(|item| node(item)).collect()
}

fn node(item: &str) -> TemplateNode {
    match item {
        "/" => TemplateNode::Close,
        "{" => TemplateNode::TextPart,
        text if text.starts_with('"') => {
            TemplateNode::Text { text: text[1..].into(), marked: false }
        }
        element => {
            let mut words = element.split(' ');
            let name = words.next().expect("a name");
            let (namespace, name) = match name.split_once(':') {
                Some(("svg", name)) => (Namespace::Svg, name),
                Some(("math", name)) => (Namespace::MathMl, name),
                _ => (Namespace::Html, name),
            };
            let (mut attributes, mut marked) = (Vec::new(), false);
            for word in words {
                match (&word[..1], word.split_once('=')) {
                    ("*", _) => marked = true,
                    (".", _) => {
                        attributes.push(("class".into(), word[1..].replace('.', " ").into()))
                    }
                    ("#", _) => attributes.push(("id".into(), word[1..].into())),
                    (_, Some((name, value))) => attributes.push((name.into(), value.into())),
                    (_, None) => attributes.push((word.into(), "".into())),
                }
            }
            TemplateNode::Open { namespace, name: name.into(), attributes, marked }
        }
    }
}

/// A listener on a mark; `options` are words such as `stop` and `key:Enter`.
pub fn listener(mark: u32, number: u32, event: &str, options: &[&str]) -> TemplateListener {
    let key = options.iter().find_map(|option| option.strip_prefix("key:"));
    let has = |option: &str| options.contains(&option);
    TemplateListener {
        mark,
        number,
        event: event.into(),
        bubbles: vein_plan::dom::bubbles(event),
        options: ListenerOptions {
            prevent: has("prevent"),
            stop: has("stop"),
            once: has("once"),
            own: has("self"),
            key: key.map(Into::into),
            quiet: None,
        },
        fields: Vec::new(),
    }
}

/// A batch of these patches.
pub fn batch(patches: &[Patch<'_>]) -> Batch {
    let mut batch = Batch::default();
    patches.iter().for_each(|patch| batch.push(patch));
    batch
}

/// A tree that shows a template, whose first mark is node 1.
pub fn tree(items: &[&str], listeners: Vec<TemplateListener>) -> Tree {
    let template = Box::new(Template { nodes: nodes(items), listeners });
    let mut tree = Tree::default();
    let patches = [
        Patch::Template { number: 0, template },
        Patch::Clone { template: 0, parent: 0, before: 0, first: 1 },
    ];
    tree.apply(&batch(&patches)).expect("a template that fits");
    tree
}
