//! Markup that does not change as HTML that a browser parses once and copies whole, and the ways to the nodes in it that
//! something refers to.

use std::collections::BTreeMap;
use vein_plan::dom::is_void;
use vein_plan::{Block, Namespace, TemplateNode};

/// A block's markup.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Template {
    /// Its HTML. Where two texts stand side by side there is an empty comment between them, to be taken out once it is
    /// parsed; a text that a part fills is a space.
    pub html: String,
    /// The element around it that is not part of it, for what is of another namespace than HTML's.
    pub around: Option<&'static str>,
    /// Whether there are such comments.
    pub has_seams: bool,
    /// How many nodes stand at its top.
    pub roots: usize,
    /// The way to each marked node: the positions among the children, from the top.
    pub ways: Vec<Vec<usize>>,
    /// How many children each element has, by the way to it.
    children: BTreeMap<Vec<usize>, usize>,
}

impl Template {
    /// The markup of a block.
    ///
    /// ```
    /// use vein_plan::{Block, Namespace, TemplateNode};
    /// use vein_script::template::Template;
    /// let open = |name: &str| TemplateNode::Open {
    ///     namespace: Namespace::Html, name: name.into(), attributes: vec![], marked: false,
    /// };
    /// let text = TemplateNode::Text { text: "a < b".into(), marked: false };
    /// let template = vec![open("p"), text, TemplateNode::TextPart, TemplateNode::Close];
    /// let made = Template::of(&Block { template, ..Block::default() });
    /// assert_eq!(made.html, "<p>a &lt; b<!----> </p>");
    /// assert_eq!(made.ways, [vec![0, 1]]);
    /// ```
    pub fn of(block: &Block) -> Template {
        let around = block.template.iter().find_map(|node| match node {
            TemplateNode::Open { namespace: Namespace::Svg, name, .. } if &**name != "svg" => {
                Some("svg")
            }
            TemplateNode::Open { namespace: Namespace::MathMl, name, .. } if &**name != "math" => {
                Some("math")
            }
            _ => None,
        });
        // Only what stands at the top can lack what is around it.
        let around = around.filter(|_| {
            matches!(block.template.first(), Some(TemplateNode::Open { namespace, name, .. })
                if *namespace != Namespace::Html && !matches!(&**name, "svg" | "math"))
        });
        let (html, ways, children) = Default::default();
        let mut made = Template { html, around, has_seams: false, roots: 0, ways, children };
        // For each open element: its name, whether it is void, how many children it has, whether the last is text.
        let mut open = vec![Level { name: "", ends: false, children: 0, after_text: false }];
        for node in &block.template {
            made.node(node, &mut open);
        }
        made.roots = open.first().map_or(0, |top| top.children);
        made
    }

    /// Whether one node is all that a block ever has at its top.
    pub(crate) fn is_one(&self, block: &Block) -> bool {
        self.roots == 1 && block.spots.iter().all(|spot| spot.parent.is_some())
    }

    /// How many children an element has from the beginning, by the way to it.
    pub(crate) fn children(&self, way: &[usize]) -> usize {
        self.children.get(way).copied().unwrap_or(0)
    }

    fn node<'b>(&mut self, node: &'b TemplateNode, open: &mut Vec<Level<'b>>) {
        let Some(at) = open.last_mut() else { return };
        if let TemplateNode::Close = node {
            if at.ends {
                self.html.push_str(&format!("</{}>", at.name));
            }
            open.pop();
            return;
        }
        let is_text = !matches!(node, TemplateNode::Open { .. });
        if is_text && at.after_text {
            self.has_seams = true;
            self.html.push_str("<!---->");
        }
        // A parser drops the first newline of these.
        let is_first = at.children == 0 && matches!(at.name, "pre" | "listing" | "textarea");
        at.children += 1;
        let around = open.iter().rev().skip(1).rev().map(|level| level.children - 1).collect();
        *self.children.entry(around).or_default() += 1;
        let Some(at) = open.last_mut() else { return };
        at.after_text = is_text;
        if node.is_marked() {
            self.ways.push(open.iter().map(|level| level.children - 1).collect());
        }
        match node {
            TemplateNode::Text { text, .. } => {
                if is_first && text.starts_with('\n') {
                    self.html.push('\n');
                }
                self.escape(text, false);
            }
            TemplateNode::TextPart => self.html.push(' '),
            TemplateNode::Open { namespace, name, attributes, .. } => {
                self.html.push_str(&format!("<{name}"));
                for (name, value) in attributes {
                    self.html.push_str(&format!(" {name}"));
                    if !value.is_empty() {
                        self.html.push_str("=\"");
                        self.escape(value, true);
                        self.html.push('"');
                    }
                }
                self.html.push('>');
                let ends = *namespace != Namespace::Html || !is_void(name);
                open.push(Level { name, ends, children: 0, after_text: false });
            }
            TemplateNode::Close => {}
        }
    }

    fn escape(&mut self, text: &str, quoted: bool) {
        for c in text.chars() {
            match c {
                '&' => self.html.push_str("&amp;"),
                '<' => self.html.push_str("&lt;"),
                '"' if quoted => self.html.push_str("&quot;"),
                '\r' => self.html.push_str("&#13;"),
                c => self.html.push(c),
            }
        }
    }
}

/// An element that is open.
struct Level<'b> {
    name: &'b str,
    /// Whether it has an end tag.
    ends: bool,
    children: usize,
    after_text: bool,
}
