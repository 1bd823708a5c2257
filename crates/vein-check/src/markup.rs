//! Markup: the part of it that stays, the parts that change, and what listens.

use crate::diagnostics::{
    ArrowOption, NotSupported, UnknownComponent, UnknownElement, UnknownEvent, UnsafeBinding,
    Unshowable, WrongArrow,
};
use crate::events;
use crate::scope::{Checker, LocalKind, LocalName, Typed};
use crate::suggest::nearest;
use crate::types::Ty;
use std::collections::HashMap;
use vein_plan::code::{Expr, ExprId, Piece};
use vein_plan::{
    EventField, Form, Listener, ListenerOptions, Part, PartKind, Property, Reads, TemplateNode, dom,
};
use vein_syntax::Span;
use vein_syntax::ast::{
    Arrow, Attribute, AttributeValue, Element, EventBody, Node, OptionKind, TextPiece,
};
use vein_syntax::elements::{HTML_ELEMENTS, is_component_name};

/// Numbers that tell apart what would be called the same.
#[derive(Default)]
pub(crate) struct Addresses(HashMap<String, usize>);

impl Addresses {
    /// The name itself for the first, with a number for those that follow.
    fn unique(&mut self, name: String) -> String {
        let count = self.0.entry(name.clone()).or_insert(0);
        *count += 1;
        if *count == 1 { name } else { format!("{name}({count})") }
    }
}

/// Where the compilation of the markup stands.
#[derive(Default)]
pub(crate) struct Markup {
    elements: Addresses,
    parts: Addresses,
    marks: u32,
}

/// Attributes that steer the structure of the view, and do not reach it.
const STRUCTURE: &[&str] = &["when", "or-when", "otherwise", "each", "picked"];

/// Attributes whose values are addresses that a browser may follow.
const URLS: &[&str] = &[
    "href",
    "src",
    "action",
    "formaction",
    "poster",
    "xlink:href",
    "cite",
    "data",
    "background",
    "manifest",
    "ping",
];

impl Checker<'_> {
    /// Compiles the nodes of the markup.
    pub(crate) fn nodes(&mut self, nodes: &[Node], parent: &str, markup: &mut Markup) {
        for node in nodes {
            match node {
                Node::Element(element) => self.element(element, markup),
                Node::Text(pieces) => self.text(pieces, parent, markup),
            }
        }
    }

    fn text(&mut self, pieces: &[TextPiece], parent: &str, markup: &mut Markup) {
        if let [TextPiece::Static(text, _)] = pieces {
            self.plan.template.push(TemplateNode::Text(writable(text)));
            return;
        }
        let span = pieces
            .iter()
            .find_map(|piece| match piece {
                TextPiece::Expr(e) => Some(e.span),
                TextPiece::Static(..) => None,
            })
            .unwrap_or_default();
        self.start_frame();
        let value = self.interpolation(pieces);
        self.plan.template.push(TemplateNode::TextPart);
        let mark = markup.marks;
        markup.marks += 1;
        let name = if parent.is_empty() { "text".into() } else { format!("{parent} text") };
        let address = markup.parts.unique(name);
        self.part(mark, PartKind::Text, value, address, span);
    }

    fn part(&mut self, mark: u32, kind: PartKind, value: ExprId, address: String, span: Span) {
        let location = self.location(span);
        // What it reads is worked out when all cells are there.
        let reads = Reads::Fixed(Vec::new());
        self.plan.parts.push(Part { mark, kind, value, reads, address: address.into(), location });
    }

    /// Text with interpolation, as one value.
    fn interpolation(&mut self, pieces: &[TextPiece]) -> ExprId {
        if let [TextPiece::Expr(e)] = pieces {
            let typed = self.expr(e);
            self.showable(&typed.ty, e.span);
            return typed.id;
        }
        let pieces = pieces
            .iter()
            .map(|piece| match piece {
                TextPiece::Static(text, _) => Piece::Static(text.as_str().into()),
                TextPiece::Expr(e) => {
                    let typed = self.expr(e);
                    self.showable(&typed.ty, e.span);
                    Piece::Shown(typed.id)
                }
            })
            .collect();
        self.push(Expr::Concat(pieces))
    }

    /// Reports what cannot be shown as text.
    pub(crate) fn showable(&mut self, ty: &Ty, span: Span) {
        if ty.is_showable() {
            return;
        }
        let inner = ty.without_null();
        let fields = self.project.shapes.fields(&inner).unwrap_or(&[]);
        let fields = fields.iter().map(|(name, _)| name.clone()).collect();
        let list = matches!(inner, Ty::List(_));
        let ty = self.type_name(ty);
        self.report(Unshowable { ty, list, fields }, span);
    }

    fn element(&mut self, element: &Element, markup: &mut Markup) {
        let name = element.name.name.as_str();
        if !self.known_element(element) {
            return;
        }
        if let Some(each) = element.attributes.iter().find(|a| a.is("each")) {
            // What is inside uses names that only the loop would declare.
            return self.report(NotSupported { what: "`each`".into() }, each.name.span);
        }
        let called = markup.elements.unique(described(element));
        let mut attributes = Vec::new();
        let (parts, listeners) = (self.plan.parts.len(), self.plan.listeners.len());
        let open = self.plan.template.len();
        self.plan.template.push(TemplateNode::Close);
        let mark = markup.marks;
        for attribute in &element.attributes {
            self.attribute(element, attribute, &called, mark, markup, &mut attributes);
        }
        let marked = self.plan.parts.len() > parts || self.plan.listeners.len() > listeners;
        markup.marks += u32::from(marked);
        self.plan.template[open] = TemplateNode::Open {
            namespace: element.namespace,
            name: name.into(),
            attributes,
            marked,
        };
        self.nodes(&element.children, &called, markup);
        self.plan.template.push(TemplateNode::Close);
    }

    /// Whether the element can be shown; reports it otherwise.
    fn known_element(&mut self, element: &Element) -> bool {
        let name = &element.name.name;
        let (span, end_name) = (element.name.span, element.end_name);
        let unsupported = |what: String| NotSupported { what };
        if element.namespace != vein_plan::Namespace::Html {
            if name == "script" {
                self.report(UnsafeBinding { name: name.clone(), arrow: false }, span);
            }
            return name != "script";
        }
        match name.as_str() {
            "script" => {
                self.report(UnsafeBinding { name: name.clone(), arrow: false }, span);
                false
            }
            "group" | "any" | "slot" => {
                self.report(unsupported(format!("`<{name}>`")), span);
                false
            }
            _ if self.project.components.contains(name) => {
                self.report(unsupported("components inside components".into()), span);
                false
            }
            _ if is_component_name(name) => {
                let components = self.project.components.iter().map(String::as_str);
                let near = nearest(name, components).map(str::to_owned);
                self.report(UnknownComponent { name: name.clone(), nearest: near, end_name }, span);
                false
            }
            _ if !HTML_ELEMENTS.contains(&name.as_str()) => {
                let near = nearest(name, HTML_ELEMENTS.iter().copied()).map(str::to_owned);
                self.report(UnknownElement { name: name.clone(), nearest: near, end_name }, span);
                false
            }
            _ => true,
        }
    }

    fn attribute(
        &mut self,
        element: &Element,
        attribute: &Attribute,
        called: &str,
        mark: u32,
        markup: &mut Markup,
        fixed: &mut Vec<(vein_plan::Name, vein_plan::Name)>,
    ) {
        let name = attribute.name.name.as_str();
        let span = attribute.name.span;
        if attribute.value == AttributeValue::Error {
            return;
        }
        let bound = !matches!(attribute.value, AttributeValue::None | AttributeValue::Static(_));
        let runs_code = name.len() > 2 && name.starts_with("on") && events::is_known(&name[2..]);
        if runs_code || (name.starts_with("on") && bound) || name == "srcdoc" {
            let arrow = matches!(attribute.value, AttributeValue::Event(..));
            return self.report(UnsafeBinding { name: name.into(), arrow }, span);
        }
        if STRUCTURE.contains(&name) || (name == "html" && bound) {
            return self.report(NotSupported { what: format!("`{name}`") }, span);
        }
        let address = format!("{called} {name}");
        match &attribute.value {
            // What looks like an event without an arrow would silently do nothing.
            AttributeValue::None | AttributeValue::Static(_) | AttributeValue::Interpolated(_)
                if events::is_known(name) && !DOUBLE_MEANING.contains(&name) =>
            {
                let start = attribute.value_span.start;
                let at = Span { start, end: start };
                self.report(WrongArrow { name: name.into(), event: true }, at);
            }
            AttributeValue::None => fixed.push((name.into(), "".into())),
            AttributeValue::Static(text) => fixed.push((name.into(), writable(text))),
            AttributeValue::Interpolated(pieces) => {
                self.start_frame();
                let value = self.interpolation(pieces);
                let kind = part_kind(element, name, true);
                let address = markup.parts.unique(address);
                self.part(mark, kind, value, address, attribute.value_span);
            }
            AttributeValue::OneWay(arrow, e) => {
                if events::is_known(name) {
                    return self.report(WrongArrow { name: name.into(), event: true }, arrow.span);
                }
                self.no_options(arrow);
                self.start_frame();
                let typed = self.expr(e);
                self.showable(&typed.ty, e.span);
                let address = markup.parts.unique(address);
                let kind = part_kind(element, name, false);
                self.part(mark, kind, typed.id, address, attribute.value_span);
            }
            AttributeValue::TwoWay(arrow, _) => {
                self.report(NotSupported { what: "two-way bindings".into() }, arrow.span);
            }
            AttributeValue::Event(arrow, body) => {
                if !events::is_known(name) {
                    return self.not_an_event(name, arrow, span);
                }
                let address = markup.parts.unique(address);
                self.listener(name, arrow, body, mark, address, attribute.value_span);
            }
            AttributeValue::Condition(_) | AttributeValue::Each(_) => {
                self.report(NotSupported { what: format!("`{name}`") }, span);
            }
            AttributeValue::Error => {}
        }
    }

    /// `->` on a name that is no event: a misspelt event, or an arrow the wrong way round.
    fn not_an_event(&mut self, name: &str, arrow: &Arrow, span: Span) {
        let near = nearest(name, events::names()).map(str::to_owned);
        if near.is_some() || !KNOWN_ATTRIBUTES.contains(&name) {
            self.report(UnknownEvent { name: name.into(), nearest: near, given: false }, span);
        } else {
            self.report(WrongArrow { name: name.into(), event: false }, arrow.span);
        }
    }

    fn no_options(&mut self, arrow: &Arrow) {
        for option in &arrow.options {
            let name = self.source(option.span);
            self.report(ArrowOption { name, takes: None }, option.span);
        }
    }

    fn options(&mut self, arrow: &Arrow) -> ListenerOptions {
        let mut options = ListenerOptions::default();
        for option in &arrow.options {
            match &option.kind {
                OptionKind::Prevent => options.prevent = true,
                OptionKind::Stop => options.stop = true,
                OptionKind::Once => options.once = true,
                OptionKind::Own => options.own = true,
                OptionKind::Key(key) => options.key = Some(key.as_str().into()),
                OptionKind::Settle(milliseconds) => options.settle = Some(*milliseconds),
                OptionKind::Change => {
                    let takes = Some("a two-way binding: `<->(change)`");
                    self.report(ArrowOption { name: "change".into(), takes }, option.span);
                }
            }
        }
        options
    }

    fn listener(
        &mut self,
        event: &str,
        arrow: &Arrow,
        body: &EventBody,
        mark: u32,
        address: String,
        span: Span,
    ) {
        let options = self.options(arrow);
        self.start_frame();
        // Local 0 is the event.
        self.new_local();
        self.event_fields.clear();
        self.locals.push(LocalName { name: "event".into(), span, what: LocalKind::Event });
        let block = match body {
            EventBody::Pass => {
                let what = "`->` alone, which passes an event on,".into();
                self.report(NotSupported { what }, arrow.span);
                Vec::new()
            }
            EventBody::Handler(name) => {
                let values = dom::payload(event).iter().map(|field| self.payload(*field)).collect();
                let mut block = Vec::new();
                self.bare_handler(name, values, &mut block);
                block
            }
            EventBody::Statements(stmts) => self.block(stmts),
        };
        if options.key.is_some() && !self.event_fields.contains(&EventField::Key) {
            self.event_fields.push(EventField::Key);
        }
        let mut fields = std::mem::take(&mut self.event_fields);
        fields.sort();
        let location = self.location(span);
        self.plan.listeners.push(Listener {
            mark,
            event: event.into(),
            options,
            fields,
            locals: self.most_locals,
            body: block,
            address: address.into(),
            location,
        });
    }

    /// One value of an event's payload, for a handler that is bound by its bare name.
    fn payload(&mut self, field: EventField) -> Typed {
        if !self.event_fields.contains(&field) {
            self.event_fields.push(field);
        }
        let event = self.push(Expr::Local(0));
        let name = self.tables.name(field.name());
        self.typed(Expr::Field(event, name), Ty::String)
    }
}

/// Names of events that are names of attributes too.
const DOUBLE_MEANING: &[&str] = &["cancel", "close", "select", "load", "error", "reset"];

/// Attributes that are surely none of an event, for the direction of arrows.
const KNOWN_ATTRIBUTES: &[&str] = &[
    "accept",
    "action",
    "alt",
    "autocomplete",
    "checked",
    "class",
    "cols",
    "colspan",
    "content",
    "contenteditable",
    "data",
    "datetime",
    "dir",
    "disabled",
    "download",
    "draggable",
    "for",
    "formaction",
    "headers",
    "height",
    "hidden",
    "high",
    "href",
    "hreflang",
    "id",
    "inputmode",
    "label",
    "lang",
    "list",
    "low",
    "max",
    "maxlength",
    "media",
    "method",
    "min",
    "minlength",
    "multiple",
    "muted",
    "name",
    "open",
    "optimum",
    "pattern",
    "placeholder",
    "poster",
    "readonly",
    "rel",
    "required",
    "role",
    "rows",
    "rowspan",
    "scope",
    "selected",
    "size",
    "span",
    "spellcheck",
    "src",
    "srcset",
    "start",
    "step",
    "style",
    "tabindex",
    "target",
    "title",
    "type",
    "value",
    "width",
    "wrap",
];

/// Text as HTML can write it: a parser puts U+FFFD in the place of U+0000.
fn writable(text: &str) -> vein_plan::Name {
    text.replace('\0', "\u{fffd}").into()
}

/// What a bound attribute is of its element.
fn part_kind(element: &Element, name: &str, interpolated: bool) -> PartKind {
    let html = element.namespace == vein_plan::Namespace::Html;
    if html && let Some(property) = Property::of(&element.name.name, name) {
        return PartKind::Property(property);
    }
    let words = name.starts_with("aria-")
        || matches!(name, "contenteditable" | "draggable" | "spellcheck" | "translate");
    let form = if URLS.contains(&name) {
        Form::Url
    } else if interpolated {
        Form::Text
    } else if words {
        Form::Words
    } else {
        Form::Presence
    };
    PartKind::Attribute(name.into(), form)
}

/// What an element is called: its name, with its id or first class where these never change.
fn described(element: &Element) -> String {
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
