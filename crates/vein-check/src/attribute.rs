//! Attributes of elements: static text, bindings one way and both ways, and what listens.

use crate::attributes;
use crate::diagnostics::{
    ArrowOption, BadStyle, LoopWithoutBy, MisplacedAttribute, UnknownAttribute, UnknownEvent,
    UnknownValue, UnsafeBinding, WrongArrow, WrongType,
};
use crate::events;
use crate::expression::left_facts;
use crate::interface::{Root, falls_to_root};
use crate::marks::MARK;
use crate::markup::{Markup, STRUCTURE, writable};
use crate::names::free_names;
use crate::narrow::facts;
use crate::scope::{Checker, LocalKind, LocalName, Purpose, Typed};
use crate::style::problems_of_declarations;
use crate::types::Ty;
use vein_plan::code::{Expr, ExprId, Item, Piece};
use vein_plan::members::Member;
use vein_plan::nearest;
use vein_plan::ops::Logical;
use vein_plan::{
    EventField, Form, Listener, ListenerOptions, Name, PartKind, Property, Reads, dom,
};
use vein_syntax::Span;
use vein_syntax::ast::{
    self, Arrow, Attribute, AttributeValue, Element, EventBody, ExprKind, OptionKind, TextPiece,
};

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

/// Whether an attribute of this name holds code. No element of HTML, SVG or MathML has another attribute
/// that begins with `on`; elements of somebody else's may.
fn runs_code(element: &Element, name: &str, bound: bool) -> bool {
    let name = name.to_ascii_lowercase();
    match name.strip_prefix("on") {
        Some("") | None => name == "srcdoc",
        Some(event) => bound || events::is_known(event) || !element.name.name.contains('-'),
    }
}

/// Whether an animation (SVG 2, "animate", "set") would put what is bound into an address: into the
/// attribute that `attributeName` says, which may only be known while it runs.
fn animates_address(element: &Element, name: &str) -> bool {
    let animates = ["animate", "set"].contains(&element.name.name.to_ascii_lowercase().as_str());
    let name = name.to_ascii_lowercase();
    if !animates || !["attributename", "from", "to", "by", "values"].contains(&name.as_str()) {
        return false;
    }
    let of =
        element.attributes.iter().filter(|a| a.name.name.eq_ignore_ascii_case("attributeName"));
    let harmless = |animated: &Attribute| match &animated.value {
        AttributeValue::Static(text) => {
            let text = text.trim().to_ascii_lowercase();
            !text.starts_with("on") && !URLS.contains(&text.as_str()) && text != "style"
        }
        _ => false,
    };
    name == "attributename" || !of.clone().all(harmless) || of.count() == 0
}

/// Names of events that are names of attributes too.
const DOUBLE_MEANING: &[&str] = &["cancel", "close", "select", "load", "error", "reset"];

impl Checker<'_> {
    /// All attributes of an element. Gives back those that can only be bound when what is inside
    /// the element is there.
    pub(crate) fn element_attributes<'e>(
        &mut self,
        element: &'e Element,
        called: &str,
        node: u32,
        fixed: &mut Vec<(Name, Name)>,
        markup: &mut Markup,
    ) -> Vec<&'e Attribute> {
        let falls = match (&self.interface().root, self.is_root(element)) {
            (Root::Element, true) => self.interface().falls.clone(),
            _ => Vec::new(),
        };
        let mut last = Vec::new();
        for attribute in &element.attributes {
            let name = attribute.name.name.as_str();
            let is_markup = name == "html" && matches!(attribute.value, AttributeValue::OneWay(..));
            if STRUCTURE.contains(&name) || is_markup || self.is_slotted(element, attribute) {
                continue;
            }
            if !self.known_attribute(element, attribute) {
                continue;
            }
            if name == "value" && element.name.name == "select" {
                last.push(attribute);
            } else if falls.iter().any(|fall| fall == name) {
                self.merged(element, attribute, called, node, markup);
            } else {
                self.attribute(element, attribute, called, node, markup, fixed);
            }
        }
        let mut mark = self.is_styled(element).then(|| self.plan.name.clone());
        for fall in falls {
            let own = mark.take_if(|_| fall == MARK);
            if !element.attributes.iter().any(|a| a.is(&fall)) {
                self.only_given(element, &fall, own, called, node, markup);
            }
        }
        fixed.extend(mark.map(|component| (MARK.into(), component)));
        last
    }

    /// Whether the standards know an attribute and what it is written to be; else it is told.
    pub(crate) fn known_attribute(&mut self, element: &Element, attribute: &Attribute) -> bool {
        let name = attribute.name.name.as_str();
        if name == MARK {
            let advice = "it says whose styles reach an element, and is written by Vein: choose another name";
            let finding = MisplacedAttribute { name: name.into(), advice: advice.into() };
            self.report(finding, attribute.name.span);
            return false;
        }
        let bound = !matches!(attribute.value, AttributeValue::None | AttributeValue::Static(_));
        let elsewhere =
            matches!(attribute.value, AttributeValue::Event(..) | AttributeValue::Error)
                || runs_code(element, name, bound)
                || events::is_known(name)
                || name == "picked";
        if elsewhere {
            return true;
        }
        let (space, of) = (element.namespace, element.name.name.as_str());
        if !attributes::is_known(space, of, name) {
            let known = attributes::of(space, of).map(|known| known.name);
            let lower = name.to_lowercase();
            let nearest = match known.clone().find(|known| *known == lower) {
                Some(known) => Some(known),
                None => nearest(name, known),
            };
            let written = self.source(attribute.name.span);
            let same = written.eq_ignore_ascii_case(name);
            let finding = UnknownAttribute {
                element: of.into(),
                name: if same { written } else { name.into() },
                nearest: nearest.map(str::to_owned),
                of: attributes::elements_with(name),
            };
            self.report(finding, attribute.name.span);
            return false;
        }
        let AttributeValue::Static(text) = &attribute.value else { return true };
        if name == "style" {
            // Where a character is written as a reference, places in the text are not those in the file.
            let at = attribute.value_span;
            let exact = self.source(at) == *text;
            for (start, end, problem) in problems_of_declarations(text) {
                let part = Span { start: at.start + start as u32, end: at.start + end as u32 };
                self.report(BadStyle { problem }, if exact { part } else { at });
            }
            return true;
        }
        let written = text.trim().to_lowercase();
        let known = attributes::values(space, of, name);
        // Several may be named, of which the first that a browser knows counts.
        let first = written.split_ascii_whitespace().next().unwrap_or("");
        let written = if name == "role" { first } else { &written };
        let fits = match known.is_empty() {
            true => !(attributes::is_boolean(name) && written == "false"),
            false => known.iter().any(|known| known.eq_ignore_ascii_case(written)),
        };
        if !fits {
            let nearest = nearest(written, known.iter().copied()).map(str::to_owned);
            let (name, value) = (name.into(), written.to_owned());
            let finding = UnknownValue { name, value, nearest, known };
            self.report(finding, attribute.value_span);
        }
        fits
    }

    /// An attribute of the root element that whoever uses the component may give too: classes
    /// and styles are put together, others are replaced.
    fn merged(
        &mut self,
        element: &Element,
        attribute: &Attribute,
        called: &str,
        node: u32,
        markup: &mut Markup,
    ) {
        let name = attribute.name.name.clone();
        self.start_frame();
        let Some(own) = self.one_way_value(attribute) else {
            return self.attribute(element, attribute, called, node, markup, &mut Vec::new());
        };
        let Some(given) = self.interface().cell_of_fall(&name) else { return };
        let given = self.push(Expr::Cell(given));
        let value = match name.as_str() {
            "class" | "style" => self.put_together(own, given),
            _ => self.push(Expr::Logical(Logical::Coalesce, given, own)),
        };
        let kind = part_kind(element, &name, false);
        let address = markup.parts.unique(format!("{called} {name}"));
        self.part(node, kind, value, address, attribute.value_span, markup);
    }

    /// Classes or declarations of a root: its own and then what it is given, if it is given any.
    pub(crate) fn put_together(&mut self, own: ExprId, given: ExprId) -> ExprId {
        let both = self.push(Expr::List(vec![Item::One(own), Item::One(given)]));
        self.push(Expr::Choose(given, both, own))
    }

    /// An attribute that only whoever uses the component gives to its root, or that is not written there.
    fn only_given(
        &mut self,
        element: &Element,
        name: &str,
        own: Option<Name>,
        called: &str,
        node: u32,
        markup: &mut Markup,
    ) {
        let Some(given) = self.interface().cell_of_fall(name) else { return };
        let given = self.push(Expr::Cell(given));
        let value = match own {
            Some(own) => {
                let own = self.push(Expr::String(own.to_string().as_str().into()));
                self.put_together(own, given)
            }
            None => given,
        };
        let kind = part_kind(element, name, false);
        let address = markup.parts.unique(format!("{called} {name}"));
        self.part(node, kind, value, address, element.name.span, markup);
    }

    /// The value of an attribute that is not an event and not bound both ways.
    pub(crate) fn one_way_value(&mut self, attribute: &Attribute) -> Option<ExprId> {
        match &attribute.value {
            AttributeValue::None => Some(self.push(Expr::String("".into()))),
            AttributeValue::Static(text) => Some(self.push(Expr::String(text.as_str().into()))),
            AttributeValue::Interpolated(pieces) => {
                Some(self.interpolated(&attribute.name.name, pieces))
            }
            AttributeValue::OneWay(arrow, e) => {
                self.no_options(arrow);
                Some(self.attribute_value(&attribute.name.name, e))
            }
            _ => None,
        }
    }

    /// What an expression gives for an attribute of this name.
    pub(crate) fn attribute_value(&mut self, name: &str, e: &ast::Expr) -> ExprId {
        match name {
            "class" => self.class_value(e),
            "style" => self.style_value(e),
            _ => self.shown(e),
        }
    }

    /// The text of an attribute of this name with values in it. What stands in `style` cannot end the
    /// declaration that it stands in.
    pub(crate) fn interpolated(&mut self, name: &str, pieces: &[TextPiece]) -> ExprId {
        let pieces = pieces
            .iter()
            .map(|piece| match piece {
                TextPiece::Static(text, _) => Piece::Static(text.as_str().into()),
                TextPiece::Expr(e) => {
                    let value = self.shown(e);
                    Piece::Shown(match name {
                        "style" => self.push(Expr::Call(Member::CssPiece, None, vec![value])),
                        _ => value,
                    })
                }
            })
            .collect();
        self.push(Expr::Concat(pieces))
    }

    /// Text, or a list whose falsy members are left out: `['bed', dry && 'dry']`.
    fn class_value(&mut self, e: &ast::Expr) -> ExprId {
        if let ExprKind::List(items) = &e.kind {
            let items = items.iter().map(|(item, spread)| match spread {
                true => Item::Spread(self.class_value(item)),
                false => Item::One(self.shown(item)),
            });
            let items = items.collect();
            return self.push(Expr::List(items));
        }
        self.mixed(e, |checker, ty, span| match ty.without_null() {
            Ty::List(item) => checker.showable(&item, span),
            ty => checker.showable_as(&ty, span, true),
        })
        .id
    }

    /// What is shown of an expression.
    pub(crate) fn shown(&mut self, e: &ast::Expr) -> ExprId {
        self.mixed(e, |checker, ty, span| checker.showable(ty, span)).id
    }

    /// An expression that is shown. What it may turn out to be, by `&&`, `||`, `??` and `? :`, may be of different types here, since each
    /// can be shown: that is what `showable` looks at.
    fn mixed(&mut self, e: &ast::Expr, showable: fn(&mut Self, &Ty, Span)) -> Typed {
        match &e.kind {
            ExprKind::Logical(op, a, b) => {
                // Of a condition only what is falsy is shown.
                let first = match op {
                    Logical::And => self.mixed(a, |_, _, _| ()),
                    Logical::Or | Logical::Coalesce => self.mixed(a, showable),
                };
                self.first_side(*op, &first, a);
                let known = left_facts(*op, a);
                let second = self.knowing(known, |checker| checker.mixed(b, showable));
                let ty = self.either(&first.what_stays(*op), &second.ty);
                self.typed(Expr::Logical(*op, first.id, second.id), ty)
            }
            ExprKind::Choose(test, then, otherwise) => {
                let condition = self.condition(test);
                let a = self.knowing(facts(test, true), |checker| checker.mixed(then, showable));
                let b =
                    self.knowing(facts(test, false), |checker| checker.mixed(otherwise, showable));
                let ty = self.either(&a.ty, &b.ty);
                self.typed(Expr::Choose(condition.id, a.id, b.id), ty)
            }
            _ => {
                let typed = self.expr(e);
                showable(self, &typed.ty, e.span);
                typed
            }
        }
    }

    /// The type of what is shown, one or the other.
    fn either(&self, a: &Ty, b: &Ty) -> Ty {
        let mixed = || match a.may_be_null() || b.may_be_null() {
            true => Ty::optional(Ty::Mixed),
            false => Ty::Mixed,
        };
        self.project.shapes.join(a, b).unwrap_or_else(mixed)
    }

    /// Text, or a record of CSS properties.
    fn style_value(&mut self, e: &ast::Expr) -> ExprId {
        let typed = self.expr(e);
        let inner = typed.ty.without_null();
        match self.project.shapes.fields(&inner).map(<[_]>::to_vec) {
            Some(fields) => fields.iter().for_each(|(_, ty)| self.showable(ty, e.span)),
            None => self.showable(&typed.ty, e.span),
        }
        self.push(Expr::Call(Member::CssDeclarations, None, vec![typed.id]))
    }

    /// One attribute of an element.
    pub(crate) fn attribute(
        &mut self,
        element: &Element,
        attribute: &Attribute,
        called: &str,
        node: u32,
        markup: &mut Markup,
        fixed: &mut Vec<(Name, Name)>,
    ) {
        let name = attribute.name.name.as_str();
        let span = attribute.name.span;
        if attribute.value == AttributeValue::Error {
            return;
        }
        let bound = !matches!(attribute.value, AttributeValue::None | AttributeValue::Static(_));
        if runs_code(element, name, bound) {
            let arrow = matches!(attribute.value, AttributeValue::Event(..));
            return self.report(UnsafeBinding { name: name.into(), arrow }, span);
        }
        if bound && animates_address(element, name) {
            return self.report(UnsafeBinding { name: "attributeName".into(), arrow: false }, span);
        }
        if name == "picked" && !matches!(attribute.value, AttributeValue::TwoWay(..)) {
            let advice = "it is bound both ways: `picked=\"<-> choice\"`";
            let name = name.into();
            return self.report(MisplacedAttribute { name, advice: advice.into() }, span);
        }
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
                let value = self.interpolated(name, pieces);
                let kind = part_kind(element, name, true);
                let address = markup.parts.unique(format!("{called} {name}"));
                self.part(node, kind, value, address, attribute.value_span, markup);
            }
            AttributeValue::OneWay(arrow, e) => {
                if events::is_known(name) && !DOUBLE_MEANING.contains(&name) {
                    return self.report(WrongArrow { name: name.into(), event: true }, arrow.span);
                }
                self.no_options(arrow);
                self.start_frame();
                let chosen = self.chosen_values(element, name, e);
                let value = match chosen {
                    Some(value) => value,
                    None => self.attribute_value(name, e),
                };
                let kind = match chosen {
                    Some(_) => PartKind::Property(Property::Chosen),
                    None => part_kind(element, name, false),
                };
                let address = markup.parts.unique(format!("{called} {name}"));
                self.part(node, kind, value, address, attribute.value_span, markup);
            }
            AttributeValue::TwoWay(arrow, e) => {
                self.two_way(element, attribute, arrow, e, called, node, markup);
            }
            AttributeValue::Event(arrow, body) => {
                if !events::is_known(name) {
                    return self.not_an_event(name, arrow, span);
                }
                let address = markup.parts.unique(format!("{called} {name}"));
                let span = attribute.value_span;
                self.listener(name, arrow, body, node, (address, span), markup);
            }
            AttributeValue::Condition(_) | AttributeValue::Each(_) | AttributeValue::Error => {}
        }
    }

    /// `->` on a name that is no event: a misspelt event, or an arrow the wrong way round.
    fn not_an_event(&mut self, name: &str, arrow: &Arrow, span: Span) {
        let near = nearest(name, events::names()).map(str::to_owned);
        if near.is_some() || !KNOWN_ATTRIBUTES.contains(&name) {
            let finding = UnknownEvent {
                name: name.into(),
                nearest: near,
                given: false,
                component: None,
                known: Vec::new(),
            };
            self.report(finding, span);
        } else {
            self.report(WrongArrow { name: name.into(), event: false }, arrow.span);
        }
    }

    pub(crate) fn no_options(&mut self, arrow: &Arrow) {
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
                OptionKind::Quiet(milliseconds) => options.quiet = Some(*milliseconds),
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
        node: u32,
        (address, span): (String, Span),
        markup: &mut Markup,
    ) {
        let options = self.options(arrow);
        self.start_frame();
        // Local 0 is the event.
        self.new_local();
        self.event_fields.clear();
        self.locals.push(LocalName { name: "event".into(), span, what: LocalKind::Event });
        let block = match body {
            // What the browser would do, or whoever stands around, is kept from it, and nothing else happens.
            EventBody::Pass if options.prevent || options.stop => Vec::new(),
            EventBody::Pass => {
                self.report(MisplacedAttribute {
                    name: "->".into(),
                    advice: "only a component's event can be passed on as it is: write what happens, such as `-> give pick()`".into(),
                }, arrow.span);
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
        markup.push_listener(Listener {
            mark: node,
            event: event.into(),
            options,
            fields,
            locals: self.most_locals,
            body: block,
            commit: None,
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

    /// The items of what a loop goes over.
    pub(crate) fn item_type(&mut self, list: &Ty, span: Span) -> Ty {
        match list {
            Ty::List(item) => (**item).clone(),
            Ty::Error => Ty::Error,
            other if other.may_be_null() => {
                let (what, ty) = (self.source(span), self.type_name(other));
                self.report(crate::diagnostics::MayBeNull { what, ty, dot: None }, span);
                Ty::Error
            }
            other => {
                let (expected, found) = ("a list".into(), self.type_name(other));
                let why = "for `each`".into();
                self.report(WrongType { expected, found, why, nearest: None }, span);
                Ty::Error
            }
        }
    }

    /// What tells the items of a loop apart.
    pub(crate) fn identity(
        &mut self,
        each: &ast::Each,
        item: &LocalName,
        ty: &Ty,
        attribute: &Attribute,
    ) -> Option<(ExprId, Reads)> {
        let Some(by) = &each.by else {
            if let Some(fields) = self.project.shapes.fields(ty) {
                let likely = fields.iter().find(|(name, ty)| {
                    matches!(name.as_str(), "id" | "key" | "name" | "code") && ty.is_showable()
                });
                let field = likely.map(|(name, _)| name.clone());
                let (item, end) = (each.item.name.clone(), attribute.value_span.end);
                self.report(LoopWithoutBy { item, field, end }, attribute.name.span);
            }
            return None;
        };
        let mut foreign = None;
        free_names(by, &mut |name| {
            if name != each.item.name {
                foreign = Some(name.to_owned());
            }
        });
        if let Some(name) = foreign {
            let advice = format!(
                "what tells items apart is worked out from the item alone: `by {}.…`",
                each.item.name
            );
            self.not_usable(name, "not the item", &advice, by.span);
            return None;
        }
        let typed = self.framed(vec![item.clone()], Vec::new(), |checker| {
            checker.start_frame();
            checker.with_purpose(Purpose::Apart, |checker| checker.expr(by))
        });
        if !typed.ty.is_showable() {
            let (expected, found) = ("a text or a number".into(), self.type_name(&typed.ty));
            let why = "for what tells items apart".into();
            self.report(WrongType { expected, found, why, nearest: None }, by.span);
        }
        Some((typed.id, Reads::Fixed(Vec::new())))
    }

    /// Whether an attribute says in which slot of the component around it an element stands.
    fn is_slotted(&mut self, element: &Element, attribute: &Attribute) -> bool {
        let name = attribute.name.name.as_str();
        if !matches!(name, "slot" | "with") {
            return false;
        }
        if !self.slotted.contains(&element.start_tag.start) {
            let advice = "it belongs on an element directly inside a component";
            let finding = MisplacedAttribute { name: name.into(), advice: advice.into() };
            self.report(finding, attribute.name.span);
        }
        true
    }

    /// Reports an attribute that a component cannot hand to a root element.
    pub(crate) fn falls(&self, name: &str) -> bool {
        falls_to_root(name)
    }
}

/// What a bound attribute is of its element.
pub(crate) fn part_kind(element: &Element, name: &str, interpolated: bool) -> PartKind {
    let html = element.namespace == vein_plan::Namespace::Html;
    let kept = html && name == "value" && keeps_value(element);
    if html
        && !kept
        && let Some(property) = Property::of(&element.name.name, name)
    {
        return PartKind::Property(property);
    }
    let words = kept
        || name.starts_with("aria-")
        || matches!(name, "contenteditable" | "draggable" | "spellcheck" | "translate");
    let form = if URLS.contains(&name) {
        Form::Url
    } else if interpolated {
        Form::Text
    } else if words {
        Form::Words
    } else if matches!(name, "class" | MARK) {
        Form::Tokens
    } else if name == "style" {
        Form::Declarations
    } else {
        Form::Presence
    };
    PartKind::Attribute(name.into(), form)
}

/// Whether the value of a control is its attribute, whatever a person does (HTML, "value", modes "default" and
/// "default/on").
fn keeps_value(element: &Element) -> bool {
    let kind = crate::interface::static_value(element, "type").to_ascii_lowercase();
    let kept = ["checkbox", "radio", "submit", "button", "reset", "image", "hidden"];
    element.name.name == "input" && kept.contains(&kind.as_str())
}

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
