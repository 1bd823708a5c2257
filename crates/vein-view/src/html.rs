//! The writer: a tree as HTML that a browser parses into the same tree.

use crate::tree::{NodeId, Tree};
use vein_plan::dom::is_void;
use vein_plan::{Namespace, Property};

/// How HTML is laid out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// Nothing that is not in the tree.
    Exact,
    /// For people: elements that hold only elements, with or without a space between them, are broken over lines.
    Indented,
}

impl Tree {
    /// The HTML of everything in the tree (HTML standard, "serializing HTML fragments").
    pub fn html(&self) -> String {
        self.html_of(self.root(), Layout::Exact)
    }

    /// The HTML of what a node holds; of an element, with itself.
    pub fn html_of(&self, id: NodeId, layout: Layout) -> String {
        self.written(id, layout, None)
    }

    /// As [`Tree::html_of`] without line breaks, with an attribute `data-changed` on some elements, and without those that say
    /// something of the page that they stand in: it is a picture of the view on the page of somebody else.
    pub fn html_marked(&self, id: NodeId, is_marked: &dyn Fn(NodeId) -> bool) -> String {
        self.written(id, Layout::Exact, Some(is_marked))
    }

    fn written(&self, id: NodeId, layout: Layout, marked: Option<IsMarked<'_>>) -> String {
        let mut writer = Writer { tree: self, out: String::new(), layout, marked };
        if id == self.root() {
            writer.children(id, 0, layout == Layout::Indented);
        } else {
            writer.node(id, 0);
        }
        writer.out
    }
}

type IsMarked<'a> = &'a dyn Fn(NodeId) -> bool;

/// Elements that say something of the page that they stand in, or lead to others.
const OF_THE_PAGE: [&str; 11] = [
    "base", "embed", "frame", "frameset", "iframe", "link", "meta", "object", "script", "style",
    "title",
];

struct Writer<'a> {
    tree: &'a Tree,
    out: String,
    layout: Layout,
    /// Where it is a picture: what is marked in it.
    marked: Option<IsMarked<'a>>,
}

impl Writer<'_> {
    fn children(&mut self, id: NodeId, depth: usize, lines: bool) {
        for (i, child) in self.tree.children(id).iter().enumerate() {
            // The line break stands for the space.
            if lines && self.tree.text(*child) == Some(" ") {
                continue;
            }
            if lines && (i > 0 || depth > 0) {
                self.line(depth);
            }
            self.node(*child, depth);
        }
    }

    fn line(&mut self, depth: usize) {
        self.out.push('\n');
        self.out.push_str(&"  ".repeat(depth));
    }

    fn node(&mut self, id: NodeId, depth: usize) {
        match self.tree.text(id) {
            Some(text) => escape(&mut self.out, text, false),
            None => self.element(id, depth),
        }
    }

    fn element(&mut self, id: NodeId, depth: usize) {
        let tree = self.tree;
        let name = tree.name(id).unwrap_or("");
        if self.marked.is_some() && OF_THE_PAGE.contains(&name) {
            return;
        }
        self.out.push('<');
        self.out.push_str(name);
        self.attributes(id, name);
        if self.marked.is_some_and(|is_marked| is_marked(id)) {
            self.attribute("data-changed", "");
        }
        self.out.push('>');
        let html = tree.namespace(id) == Some(Namespace::Html);
        if html && is_void(name) {
            return;
        }
        if html && name == "textarea" {
            let value = tree.value(id).unwrap_or_default();
            self.leading_newline(&value);
            escape(&mut self.out, &value, false);
        } else {
            self.content(id, name, depth);
        }
        self.out.push_str("</");
        self.out.push_str(name);
        self.out.push('>');
    }

    fn content(&mut self, id: NodeId, name: &str, depth: usize) {
        let children = self.tree.children(id);
        if matches!(name, "pre" | "listing") {
            let first = children.first().and_then(|first| self.tree.text(*first));
            self.leading_newline(first.unwrap_or(""));
        }
        let elements_only =
            children.iter().all(|child| self.tree.text(*child).is_none_or(|text| text == " "));
        let lines = self.layout == Layout::Indented
            && elements_only
            && !children.is_empty()
            && !matches!(name, "pre" | "listing");
        self.children(id, depth + 1, lines);
        if lines {
            self.line(depth);
        }
    }

    /// A parser drops the first newline of these elements, so it is written twice.
    fn leading_newline(&mut self, text: &str) {
        if text.starts_with('\n') {
            self.out.push('\n');
        }
    }

    fn attributes(&mut self, id: NodeId, name: &str) {
        let tree = self.tree;
        // Properties show in HTML as the attributes of their name.
        let value = match (name, tree.set_property(id, Property::Value)) {
            ("input", Some(_)) => tree.value(id),
            _ => None,
        };
        let flags = [Property::Checked, Property::Selected, Property::Muted, Property::Open]
            .map(|flag| (flag.name(), tree.set_property(id, flag).map(|_| tree.flag(id, flag))));
        let set = |name: &str| flags.iter().any(|(flag, on)| *flag == name && on.is_some());
        for (name, text) in tree.attributes(id) {
            let shown_below = set(name) || (value.is_some() && name == "value");
            if !shown_below {
                self.attribute(name, text);
            }
        }
        if let Some(value) = &value {
            self.attribute("value", value);
        }
        for (name, on) in flags {
            if on == Some(true) {
                self.attribute(name, "");
            }
        }
        if name == "option" && tree.set_property(id, Property::Selected).is_none() {
            self.selected_by_value(id);
        }
    }

    /// A `select` whose value was set shows it by the `selected` of its option.
    fn selected_by_value(&mut self, id: NodeId) {
        let tree = self.tree;
        let mut around = std::iter::successors(tree.parent(id), |id| tree.parent(*id));
        let Some(select) = around.find(|id| tree.name(*id) == Some("select")) else { return };
        let own = tree.attribute(id, "value").map_or_else(|| tree.text_content(id), str::to_owned);
        let is_chosen = match tree.set_property(select, Property::Chosen) {
            Some(vein_plan::Shown::Text(chosen)) => {
                let chosen: Vec<String> = serde_json::from_str(&chosen).unwrap_or_default();
                chosen.contains(&own)
            }
            _ => match tree.set_property(select, Property::Value) {
                Some(vein_plan::Shown::Text(value)) => own == value,
                _ => false,
            },
        };
        if is_chosen && tree.attribute(id, "selected").is_none() {
            self.attribute("selected", "");
        }
    }

    fn attribute(&mut self, name: &str, value: &str) {
        self.out.push(' ');
        self.out.push_str(name);
        if !value.is_empty() || self.layout == Layout::Exact {
            self.out.push_str("=\"");
            escape(&mut self.out, value, true);
            self.out.push('"');
        }
    }
}

/// Escapes text for where it stands (HTML standard, "escaping a string").
fn escape(out: &mut String, text: &str, in_attribute: bool) {
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '\u{a0}' => out.push_str("&nbsp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            // At the start of a file it would be taken for a byte order mark.
            '\u{feff}' => out.push_str("&#xfeff;"),
            // As it stands, a parser would make a line feed of it.
            '\r' => out.push_str("&#13;"),
            '"' if in_attribute => out.push_str("&quot;"),
            c => out.push(c),
        }
    }
}
