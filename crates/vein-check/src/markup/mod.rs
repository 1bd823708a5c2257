//! Markup: blocks that come and go as a whole, and the elements and texts in them.

mod draft;
mod structure;

pub(crate) use draft::Markup;
use draft::{Draft, finished};
use structure::chain;

use crate::diagnostics::{
    MisplacedAttribute, UnknownComponent, UnknownElement, UnsafeBinding, Unshowable,
};
use crate::interface::{Edge, Root};
use crate::narrow::Fact;
use crate::scope::{Checker, LocalName};
use crate::types::Ty;
use std::borrow::Cow;
use vein_plan::code::{Expr, ExprId, Piece};
use vein_plan::nearest;
use vein_plan::{Block, BlockId, Conversion, Part, PartKind, Reads, SpotKind, TemplateNode};
use vein_syntax::Span;
use vein_syntax::ast::{Attribute, AttributeValue, Element, Node, TextPiece};
use vein_syntax::elements::{HTML_ELEMENTS, is_component_name};

/// Where nodes are put: into which element of the block, and after which spot.
#[derive(Clone, Default)]
pub(crate) struct Inside {
    element: Option<u32>,
    called: String,
    last_spot: Option<usize>,
}

impl Inside {
    pub(crate) fn element(node: u32, called: &str) -> Inside {
        Inside { element: Some(node), called: called.into(), last_spot: None }
    }
}

/// Attributes that steer the structure of the view, and do not reach it.
pub(crate) const STRUCTURE: &[&str] = &["when", "or-when", "otherwise", "each"];

impl Checker<'_> {
    /// Compiles the whole markup.
    pub(crate) fn markup(&mut self, nodes: &[Node]) {
        let mut markup = Markup::default();
        let called = self.plan.name.to_string();
        self.block_of(&mut markup, called, Span::default(), |checker, markup| {
            checker.nodes(nodes, &mut Inside::default(), markup);
        });
    }

    /// Builds a block inside the one that is being built.
    pub(crate) fn block_of(
        &mut self,
        markup: &mut Markup,
        called: String,
        at: Span,
        build: impl FnOnce(&mut Self, &mut Markup),
    ) -> BlockId {
        let parent = markup.drafts.last().map(|draft| draft.id);
        let id = self.plan.blocks.len() as BlockId;
        self.plan.blocks.push(Block { parent, ..Block::default() });
        markup.drafts.push(Draft { id, called, ..Draft::default() });
        build(self, markup);
        if let Some(draft) = markup.drafts.pop() {
            self.plan.blocks[id as usize] = finished(draft, parent, self.location(at));
        }
        id
    }

    /// Runs `inner` with names and facts that everything inside it knows.
    pub(crate) fn framed<T>(
        &mut self,
        names: Vec<LocalName>,
        facts: Vec<Fact>,
        inner: impl FnOnce(&mut Self) -> T,
    ) -> T {
        let (outer_names, outer_facts) = (self.frame_names.clone(), self.frame_facts.clone());
        // What was known of a name does not hold for another of the same name.
        for name in &names {
            let root = &name.name;
            self.frame_facts.retain(|fact| fact.path.split('.').next() != Some(root));
        }
        self.frame_names.extend(names);
        self.frame_facts.extend(facts);
        let result = inner(self);
        self.frame_names = outer_names;
        self.frame_facts = outer_facts;
        result
    }

    /// Compiles nodes that stand next to each other.
    pub(crate) fn nodes(&mut self, nodes: &[Node], inside: &mut Inside, markup: &mut Markup) {
        let mut at = 0;
        while let Some(node) = nodes.get(at) {
            at += 1;
            match node {
                Node::Text(pieces) => {
                    // White space beside a text belongs to it.
                    let before = at > 1 && self.shows_space(nodes, at - 2);
                    let after = self.shows_space(nodes, at);
                    self.text(&spaced(pieces, before, after), inside, markup);
                }
                Node::Space => {
                    let beside = [at.checked_sub(2), Some(at)];
                    let is_text = |at: Option<usize>| {
                        matches!(at.map(|at| nodes.get(at)), Some(Some(Node::Text(_))))
                    };
                    if self.shows_space(nodes, at - 1) && !beside.into_iter().any(is_text) {
                        markup.node(TemplateNode::Text { text: " ".into(), marked: false }, inside);
                    }
                }
                Node::Element(element) => {
                    let (chain, used) = chain(nodes, at);
                    at += used;
                    self.with_structure(element, &chain, inside, markup);
                }
            }
        }
    }

    /// Whether what stands at a place among nodes is white space that shows: not beside a component that stands on lines of its
    /// own.
    fn shows_space(&self, nodes: &[Node], at: usize) -> bool {
        let in_line = |node: Option<&Node>, is_before: bool| {
            node.is_some_and(|node| match Edge::of(node, !is_before) {
                Edge::Line => true,
                Edge::Block => false,
                Edge::Component(name) => {
                    self.project.interfaces.get(&name).is_none_or(|used| match is_before {
                        true => used.in_line.last,
                        false => used.in_line.first,
                    })
                }
            })
        };
        let before = at.checked_sub(1).and_then(|before| nodes.get(before));
        nodes.get(at) == Some(&Node::Space)
            && in_line(before, true)
            && in_line(nodes.get(at + 1), false)
    }

    fn text(&mut self, pieces: &[TextPiece], inside: &mut Inside, markup: &mut Markup) {
        if let [TextPiece::Static(text, _)] = pieces {
            markup.node(TemplateNode::Text { text: writable(text), marked: false }, inside);
            return;
        }
        let first = pieces.iter().find_map(|piece| match piece {
            TextPiece::Expr(e) => Some(e.span),
            TextPiece::Static(..) => None,
        });
        self.start_frame();
        let value = self.interpolation(pieces);
        let node = markup.node(TemplateNode::TextPart, inside);
        let name = match inside.called.as_str() {
            "" => "text".into(),
            called => format!("{called} text"),
        };
        let address = markup.parts.unique(name);
        self.part(node, PartKind::Text, value, address, first.unwrap_or_default(), markup);
    }

    /// Adds a part; what it reads is worked out when everything is there.
    pub(crate) fn part(
        &mut self,
        node: u32,
        kind: PartKind,
        value: ExprId,
        address: String,
        span: Span,
        markup: &mut Markup,
    ) -> u32 {
        self.controlled_part(node, kind, value, None, (address, span), markup)
    }

    pub(crate) fn controlled_part(
        &mut self,
        node: u32,
        kind: PartKind,
        value: ExprId,
        control: Option<Conversion>,
        (address, span): (String, Span),
        markup: &mut Markup,
    ) -> u32 {
        let location = self.location(span);
        let reads = Reads::Fixed(Vec::new());
        let address = address.into();
        markup.push_part(Part { mark: node, kind, value, reads, control, address, location })
    }

    /// Text with interpolation, as one value.
    pub(crate) fn interpolation(&mut self, pieces: &[TextPiece]) -> ExprId {
        if let [TextPiece::Expr(e)] = pieces {
            return self.shown(e);
        }
        let pieces = pieces
            .iter()
            .map(|piece| match piece {
                TextPiece::Static(text, _) => Piece::Static(text.as_str().into()),
                TextPiece::Expr(e) => Piece::Shown(self.shown(e)),
            })
            .collect();
        self.push(Expr::Concat(pieces))
    }

    /// Reports what cannot be shown as text.
    pub(crate) fn showable(&mut self, ty: &Ty, span: Span) {
        self.showable_as(ty, span, false);
    }

    /// Reports what cannot be shown as text, or as classes.
    pub(crate) fn showable_as(&mut self, ty: &Ty, span: Span, classes: bool) {
        if ty.is_showable() {
            return;
        }
        let inner = ty.without_null();
        let fields = self.project.shapes.fields(&inner).unwrap_or(&[]);
        let fields = fields.iter().map(|(name, _)| name.clone()).collect();
        let list = matches!(inner, Ty::List(_));
        let ty = self.type_name(ty);
        self.report(Unshowable { ty, list, fields, classes }, span);
    }

    /// An element without its structural attributes.
    pub(crate) fn plain(&mut self, element: &Element, inside: &mut Inside, markup: &mut Markup) {
        let called = match element.name.name.as_str() {
            "group" => String::new(),
            _ => markup.elements.unique(described(element)),
        };
        self.plain_called(element, called, inside, markup);
    }

    pub(super) fn plain_called(
        &mut self,
        element: &Element,
        called: String,
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        let name = element.name.name.as_str();
        if name.contains('-') && self.project.interfaces.contains_key(name) {
            return self.component_use(element, called, inside, markup);
        }
        if element.namespace == vein_plan::Namespace::Html {
            match name {
                "group" => return self.group(element, inside, markup),
                "any" => return self.renamed(element, called, inside, markup),
                "slot" => return self.slot(element, called, inside, markup),
                _ => {}
            }
        }
        if self.known_element(element) {
            self.html_element(element, called, inside, markup);
        }
    }

    fn group(&mut self, element: &Element, inside: &mut Inside, markup: &mut Markup) {
        for attribute in &element.attributes {
            if !STRUCTURE.contains(&attribute.name.name.as_str()) && !attribute.is("slot") {
                let name = attribute.name.name.clone();
                let advice = "`<group>` has no element of its own: put it on an element inside";
                self.report(
                    MisplacedAttribute { name, advice: advice.into() },
                    attribute.name.span,
                );
            }
        }
        self.nodes(&element.children, inside, markup);
    }

    pub(crate) fn html_element(
        &mut self,
        element: &Element,
        called: String,
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        let open = markup.node(TemplateNode::Close, inside);
        let mut attributes = Vec::new();
        let last = self.element_attributes(element, &called, open, &mut attributes, markup);
        let name = element.name.name.as_str().into();
        let namespace = element.namespace;
        markup.draft().template[open as usize] =
            TemplateNode::Open { namespace, name, attributes, marked: false };
        if let Some(markup_of) = element.attributes.iter().find(|a| is_markup(a)) {
            self.markup_from_data(element, markup_of, &called, open, markup);
        } else {
            let mut inner = Inside::element(open, &called);
            self.nodes(&element.children, &mut inner, markup);
        }
        // A `select` can only show an option that is there.
        for attribute in last {
            self.attribute(element, attribute, &called, open, markup, &mut Vec::new());
        }
        markup.draft().template.push(TemplateNode::Close);
    }

    /// `html="<- …"`
    fn markup_from_data(
        &mut self,
        element: &Element,
        attribute: &Attribute,
        called: &str,
        open: u32,
        markup: &mut Markup,
    ) {
        let AttributeValue::OneWay(arrow, e) = &attribute.value else { return };
        self.no_options(arrow);
        if !element.children.is_empty() {
            let advice = "the markup takes the place of everything inside: leave the element empty";
            let name = "html".into();
            self.report(MisplacedAttribute { name, advice: advice.into() }, attribute.name.span);
            return;
        }
        self.start_frame();
        let value = self.expr_of(e, &Ty::optional(Ty::String), "for markup").id;
        let kind = SpotKind::Markup { value, reads: Reads::Fixed(Vec::new()) };
        let mut inside = Inside::element(open, called);
        self.add_spot(kind, format!("{called} html"), e.span, &mut inside, markup);
    }

    /// Whether this element stands alone at the top of the component.
    pub(crate) fn is_root(&self, element: &Element) -> bool {
        let own = self.interface();
        own.root != Root::Several && own.root_start == element.start_tag.start
    }

    /// Whether the element can be shown; reports it otherwise.
    fn known_element(&mut self, element: &Element) -> bool {
        let name = &element.name.name;
        let (span, end_name) = (element.name.span, element.end_name);
        if name == "script" {
            self.report(UnsafeBinding { name: name.clone(), arrow: false }, span);
            return false;
        }
        if element.namespace != vein_plan::Namespace::Html {
            return true;
        }
        if is_component_name(name) {
            let components = self.project.interfaces.keys().map(String::as_str);
            let near = nearest(name, components).map(str::to_owned);
            self.report(UnknownComponent { name: name.clone(), nearest: near, end_name }, span);
            return false;
        }
        if !HTML_ELEMENTS.contains(&name.as_str()) {
            let own = ["group", "any"].into_iter();
            let known = HTML_ELEMENTS.iter().copied().chain(own);
            let near = nearest(name, known).map(str::to_owned);
            self.report(UnknownElement { name: name.clone(), nearest: near, end_name }, span);
            return false;
        }
        true
    }
}

/// `html="<- …"`, but not the attribute of that name without an arrow.
fn is_markup(attribute: &Attribute) -> bool {
    attribute.is("html") && matches!(attribute.value, AttributeValue::OneWay(..))
}

/// A text with a space before and after it, where one is shown there.
fn spaced(pieces: &[TextPiece], before: bool, after: bool) -> Cow<'_, [TextPiece]> {
    if !before && !after {
        return Cow::Borrowed(pieces);
    }
    let mut pieces = pieces.to_vec();
    let space = || TextPiece::Static(" ".into(), Span::default());
    if before {
        match pieces.first_mut() {
            Some(TextPiece::Static(text, _)) => text.insert(0, ' '),
            _ => pieces.insert(0, space()),
        }
    }
    if after {
        match pieces.last_mut() {
            Some(TextPiece::Static(text, _)) => text.push(' '),
            _ => pieces.push(space()),
        }
    }
    Cow::Owned(pieces)
}

/// What an alternative is called for people: its text, with dots for what changes in it, or
/// else its element.
pub(super) fn label(element: &Element) -> String {
    let [Node::Text(pieces)] = element.children.as_slice() else { return described(element) };
    let text: String = pieces
        .iter()
        .map(|piece| match piece {
            TextPiece::Static(text, _) => text.as_str(),
            TextPiece::Expr(_) => "…",
        })
        .collect();
    match text.trim() {
        "" | "…" => described(element),
        text => text.to_owned(),
    }
}

/// What a place is called where an element comes and goes; a group has no name of its own.
pub(super) fn place_called(element: &Element, inside: &Inside) -> String {
    match (element.name.name.as_str(), inside.called.as_str()) {
        ("group", called) if !called.is_empty() => called.into(),
        _ => described(element),
    }
}

/// Text as HTML can write it: a parser puts U+FFFD in the place of U+0000.
pub(crate) fn writable(text: &str) -> vein_plan::Name {
    text.replace('\0', "\u{fffd}").into()
}

/// What an element is called: its name, with its id or first class where these never change.
pub(crate) fn described(element: &Element) -> String {
    let name = &element.name.name;
    let first_word = |attribute: &str| {
        let value = &element.attributes.iter().find(|a| a.is(attribute))?.value;
        let (text, ends) = match value {
            AttributeValue::Static(text) => (text.as_str(), true),
            AttributeValue::Interpolated(pieces) => match pieces.first() {
                Some(TextPiece::Static(text, _)) => (text.as_str(), false),
                _ => return None,
            },
            _ => return None,
        };
        let word = text.split_whitespace().next()?;
        // In `b{tone}` the word goes on, so it is not known.
        (ends || text.trim_start().len() > word.len()).then(|| word.to_owned())
    };
    match (first_word("id"), first_word("class")) {
        (Some(id), _) => format!("{name}#{id}"),
        (None, Some(class)) => format!("{name}.{class}"),
        (None, None) => name.clone(),
    }
}
