//! Components inside components: props, events, slots, and elements whose name is bound.

use crate::diagnostics::{
    ArrowOption, MisplacedAttribute, MissingProp, NoSingleRoot, StoreAlone, TwoWayRefused,
    UnknownEvent, UnknownProp, UnknownSlot, WrongArguments, WrongArrow, WrongType,
};
use crate::events;
use crate::interface::{Interface, Root, static_value};
use crate::marks::{MARK, given_by};
use crate::markup::{Inside, Markup, STRUCTURE};
use crate::scope::{Checker, LocalKind, LocalName, Typed};
use crate::types::Ty;
use vein_plan::code::{Expr, Stmt};
use vein_plan::nearest;
use vein_plan::{CellKind, Given, Heard, Reads, SpotKind, Use};
use vein_syntax::Span;
use vein_syntax::ast::{Arrow, Attribute, AttributeValue, Element, EventBody, Ident, Node};

impl Checker<'_> {
    /// The interface of the component that is checked.
    pub(crate) fn interface(&self) -> &Interface {
        self.own
    }

    /// A component in the markup.
    pub(crate) fn component_use(
        &mut self,
        element: &Element,
        called: String,
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        let project = self.project;
        let Some(used) = project.interfaces.get(&element.name.name) else { return };
        if let Some(store) = &used.store {
            return self.report(StoreAlone::Element { store: store.clone() }, element.name.span);
        }
        let mut made =
            Use { plan: used.number, props: Vec::new(), events: Vec::new(), contents: Vec::new() };
        for attribute in &element.attributes {
            let name = attribute.name.name.as_str();
            if STRUCTURE.contains(&name) || self.is_for_slot(element, attribute) {
                continue;
            }
            match &attribute.value {
                AttributeValue::Event(arrow, body) => {
                    let heard = self.heard(used, attribute, arrow, body, &called, markup);
                    made.events.extend(heard);
                }
                _ => made.props.extend(self.given_prop(element, used, attribute)),
            }
        }
        if let Some(cell) = used.cell_of_fall(MARK).filter(|_| self.reach.gives(element)) {
            let mark = given_by(&self.plan.name);
            let mark = self.push(Expr::String(mark.as_str().into()));
            made.props.push((cell, Given::Once(mark)));
        }
        self.fall_on(element, used, &mut made);
        let given: Vec<u32> = made.props.iter().map(|(cell, _)| *cell).collect();
        let missing: Vec<(String, String)> = used
            .props
            .iter()
            .enumerate()
            .filter(|(at, prop)| prop.required && !given.contains(&(*at as u32)))
            .filter(|(_, prop)| !element.attributes.iter().any(|a| a.is(&prop.name)))
            .map(|(_, prop)| (prop.name.clone(), self.type_name(&prop.ty)))
            .collect();
        if !missing.is_empty() {
            let component = element.name.name.clone();
            self.report(MissingProp { component, missing }, element.name.span);
        }
        made.contents = self.contents(element, used, markup);
        self.add_spot(SpotKind::Component(made), called, element.name.span, inside, markup);
    }

    fn is_for_slot(&mut self, element: &Element, attribute: &Attribute) -> bool {
        let name = attribute.name.name.as_str();
        matches!(name, "slot" | "with") && self.slotted.contains(&element.start_tag.start)
    }

    /// What an attribute gives to a prop, or to the root element.
    fn given_prop(
        &mut self,
        element: &Element,
        used: &Interface,
        attribute: &Attribute,
    ) -> Option<(u32, Given)> {
        let name = attribute.name.name.as_str();
        let Some(at) = used.props.iter().position(|prop| prop.name == name) else {
            if self.falls(name) {
                return self.given_fall(element, used, attribute);
            }
            let known: Vec<String> = used.props.iter().map(|prop| prop.name.clone()).collect();
            let near = nearest(name, known.iter().map(String::as_str)).map(str::to_owned);
            let event = used.events.iter().any(|(event, _)| event == name);
            if event || (events::is_known(name) && near.is_none()) {
                let at = match &attribute.value {
                    AttributeValue::OneWay(arrow, _) | AttributeValue::TwoWay(arrow, _) => {
                        arrow.span
                    }
                    _ => Span { end: attribute.value_span.start, ..attribute.value_span },
                };
                self.report(WrongArrow { name: name.into(), event: true }, at);
                return None;
            }
            let component = element.name.name.clone();
            let name = name.into();
            let finding = UnknownProp { component, name, nearest: near, known };
            self.report(finding, attribute.name.span);
            return None;
        };
        let prop = &used.props[at];
        let why = format!("for the prop `{name}`");
        self.start_frame();
        let given = match &attribute.value {
            AttributeValue::None => {
                let found = Ty::Boolean;
                let id = self.push(Expr::Boolean(true));
                self.require(&found, &prop.ty, attribute.name.span, &why).then_some(Given::Once(id))
            }
            AttributeValue::Static(text) => {
                self.static_as(text, &prop.ty, attribute.value_span).map(Given::Once)
            }
            AttributeValue::Interpolated(pieces) => {
                let id = self.interpolated(name, pieces);
                let span = attribute.value_span;
                let fits = self.require(&Ty::String, &prop.ty, span, &why);
                fits.then_some(Given::Value(id, Reads::Fixed(Vec::new())))
            }
            AttributeValue::OneWay(arrow, e) => {
                self.no_options(arrow);
                let typed = self.expr_of(e, &prop.ty, &why);
                Some(match (prop.shared, self.path_in_cell(typed.id)) {
                    // From here on it is the component's own.
                    (true, _) => Given::Once(typed.id),
                    (false, Some((cell, path))) => Given::Path { cell, path },
                    (false, None) => Given::Value(typed.id, Reads::Fixed(Vec::new())),
                })
            }
            AttributeValue::TwoWay(arrow, e) => {
                self.no_options(arrow);
                if !prop.shared {
                    let why = format!(
                        "`{}` only takes `{name}`: declare it there with `shares {name}: …`, or \
                         bind it one way: `<-`",
                        element.name.name
                    );
                    self.report(TwoWayRefused { name: name.into(), why }, arrow.span);
                    return None;
                }
                let found = self.assignable(e)?;
                self.mark_read(e);
                self.same_both_ways(&found.ty, &prop.ty, e.span, &why);
                match Checker::path_of_place(&found.place) {
                    Some((cell, path)) => Some(Given::Path { cell, path }),
                    None => {
                        let why = "a position in a list may come to hold another item: bind it in \
                                   a loop, `each=\"item of list\"`, to the item";
                        let finding = TwoWayRefused { name: name.into(), why: why.into() };
                        self.report(finding, e.span);
                        None
                    }
                }
            }
            _ => None,
        };
        given.map(|given| (at as u32, given))
    }

    /// Both sides write, so each must take what the other has.
    fn same_both_ways(&mut self, own: &Ty, prop: &Ty, span: Span, why: &str) {
        if self.require(own, prop, span, why) {
            self.require(prop, own, span, "because what the component assigns comes back here");
        }
    }

    fn given_fall(
        &mut self,
        element: &Element,
        used: &Interface,
        attribute: &Attribute,
    ) -> Option<(u32, Given)> {
        let name = attribute.name.name.as_str();
        if used.root == Root::Several {
            let (name, component) = (name.into(), element.name.name.clone());
            self.report(NoSingleRoot { name, component }, attribute.name.span);
            return None;
        }
        if !self.known_attribute(element, attribute) {
            return None;
        }
        let cell = used.cell_of_fall(name)?;
        self.start_frame();
        if let AttributeValue::TwoWay(arrow, _) = &attribute.value {
            let why = "attributes of the root element are given one way: `<-`".into();
            self.report(TwoWayRefused { name: name.into(), why }, arrow.span);
            return None;
        }
        let value = self.one_way_value(attribute)?;
        Some((cell, Given::Value(value, Reads::Fixed(Vec::new()))))
    }

    /// Where this component's root is another component, what falls to it falls on.
    fn fall_on(&mut self, element: &Element, used: &Interface, made: &mut Use) {
        if !self.is_root(element) {
            return;
        }
        for name in self.interface().falls.clone() {
            let (Some(own), Some(cell)) =
                (self.interface().cell_of_fall(&name), used.cell_of_fall(&name))
            else {
                continue;
            };
            let own = self.push(Expr::Cell(own));
            let at = made.props.iter().position(|(given, _)| *given == cell);
            let written = at.map(|at| match made.props.remove(at).1 {
                Given::Value(id, _) | Given::Once(id) => id,
                Given::Path { .. } => own,
            });
            let value = match (written, name.as_str()) {
                (None, _) => own,
                (Some(written), "class" | "style" | MARK) => self.put_together(written, own),
                (Some(written), _) => {
                    let op = vein_plan::ops::Logical::Coalesce;
                    self.push(Expr::Logical(op, own, written))
                }
            };
            made.props.push((cell, Given::Value(value, Reads::Fixed(Vec::new()))));
        }
    }

    /// `water="-> pour(event.litres)"` on a component.
    fn heard(
        &mut self,
        used: &Interface,
        attribute: &Attribute,
        arrow: &Arrow,
        body: &EventBody,
        called: &str,
        markup: &mut Markup,
    ) -> Option<Heard> {
        let name = attribute.name.name.as_str();
        for option in &arrow.options {
            let name = self.source(option.span);
            let takes = Some("the event of an element; a component's event is heard as it is");
            self.report(ArrowOption { name, takes }, option.span);
        }
        let Some(number) = used.events.iter().position(|(event, _)| event == name) else {
            if used.props.iter().any(|prop| prop.name == name) {
                self.report(WrongArrow { name: name.into(), event: false }, arrow.span);
                return None;
            }
            let known: Vec<String> = used.events.iter().map(|(name, _)| name.clone()).collect();
            let near = nearest(name, known.iter().map(String::as_str)).map(str::to_owned);
            let component = Some(called.split(['#', '.', '(']).next().unwrap_or("").to_owned());
            let finding =
                UnknownEvent { name: name.into(), nearest: near, given: false, component, known };
            self.report(finding, attribute.name.span);
            return None;
        };
        let payload = used.events[number].1.clone();
        self.start_frame();
        // Local 0 is the payload.
        let local = self.new_local();
        let event = self.push(Expr::Local(local));
        let values: Vec<Typed> = payload
            .iter()
            .map(|(field, ty)| {
                let number = self.tables.name(field);
                self.typed(Expr::Field(event, number), ty.clone())
            })
            .collect();
        let what = LocalKind::Payload(payload.clone());
        self.locals.push(LocalName { name: "event".into(), span: attribute.name.span, what });
        let block = match body {
            EventBody::Pass => self.pass_on(attribute, arrow, &payload, values),
            EventBody::Handler(handler) => {
                let mut block = Vec::new();
                self.bare_handler(handler, values, &mut block);
                block
            }
            EventBody::Statements(stmts) => self.block(stmts),
        };
        let address = markup.parts.unique(format!("{called} {name}")).into();
        let location = self.location(attribute.value_span);
        let event = number as u32;
        Some(Heard { event, locals: self.most_locals, body: block, address, location })
    }

    /// `water="->"`: the same event goes on to the next parent.
    fn pass_on(
        &mut self,
        attribute: &Attribute,
        arrow: &Arrow,
        payload: &[(String, Ty)],
        values: Vec<Typed>,
    ) -> Vec<u32> {
        let name = attribute.name.name.as_str();
        let Some(event) = self.events.iter().position(|event| event.name == name) else {
            let known: Vec<String> = self.events.iter().map(|e| e.name.clone()).collect();
            let near = nearest(name, known.iter().map(String::as_str)).map(str::to_owned);
            let finding = UnknownEvent {
                name: name.into(),
                nearest: near,
                given: true,
                component: None,
                known: Vec::new(),
            };
            self.report(finding, attribute.name.span);
            return Vec::new();
        };
        self.events[event].given = true;
        let own = self.events[event].payload.clone();
        let mut ids = Vec::new();
        if own.len() != payload.len() {
            let shown = |all: &[(String, Ty)], checker: &Self| -> Vec<String> {
                all.iter().map(|(n, ty)| format!("{n}: {}", checker.type_name(ty))).collect()
            };
            let finding = WrongArguments {
                name: name.into(),
                least: own.len(),
                most: Some(own.len()),
                found: payload.len(),
                signature: shown(&own, self).join(", "),
            };
            self.report(finding, arrow.span);
            return Vec::new();
        }
        for (field, ty) in &own {
            match payload.iter().position(|(name, _)| name == field) {
                Some(at) => {
                    let why = format!("for `{field}` of the event that it is passed on as");
                    self.require(&values[at].ty, ty, arrow.span, &why);
                    ids.push(values[at].id);
                }
                None => {
                    let ident = Ident { name: field.clone(), span: arrow.span };
                    let known = payload.iter().map(|(name, _)| name.clone()).collect();
                    self.unknown_field(&ident, &Ty::Record(payload.to_vec()), known);
                }
            }
        }
        self.at = arrow.span;
        vec![self.push_stmt(Stmt::Give(event as u32, ids))]
    }

    /// What stands inside a component's tags: content for its slots.
    fn contents(
        &mut self,
        element: &Element,
        used: &Interface,
        markup: &mut Markup,
    ) -> Vec<(vein_plan::Name, u32)> {
        let mut groups: Vec<(String, Vec<Node>, Vec<Ident>)> = Vec::new();
        let mut add = |slot: String, node: &Node, with: Vec<Ident>| match groups
            .iter_mut()
            .find(|(name, ..)| *name == slot)
        {
            Some((_, nodes, names)) => {
                nodes.push(node.clone());
                if names.is_empty() {
                    *names = with;
                }
            }
            None => groups.push((slot, vec![node.clone()], with)),
        };
        let children = &element.children;
        for (at, node) in children.iter().enumerate() {
            match node {
                // White space between two that go into the same slot.
                Node::Space => {
                    let (before, after) = (&children[..at], &children[at + 1..]);
                    if let (Some(before), Some(after)) = (before.last(), after.first())
                        && slot_of(before) == slot_of(after)
                    {
                        add(slot_of(before), node, Vec::new());
                    }
                }
                Node::Element(child) => {
                    self.slotted.insert(child.start_tag.start);
                    let with = child.attributes.iter().find(|a| a.is("with"));
                    let names = with.map_or(Vec::new(), |a| handed_names(self.text, a));
                    add(slot_of(node), node, names);
                }
                // A space between slotted elements is not content.
                Node::Text(pieces) => {
                    use vein_syntax::ast::TextPiece;
                    let blank = pieces.iter().all(
                        |piece| matches!(piece, TextPiece::Static(text, _) if text.trim().is_empty()),
                    );
                    if !blank {
                        add(String::new(), node, Vec::new());
                    }
                }
            }
        }
        let mut contents = Vec::new();
        for (slot, nodes, names) in groups {
            let Some(handed) = used.slots.get(&slot) else {
                self.no_such_slot(element, used, &slot, &nodes);
                continue;
            };
            let handed: Vec<String> = handed.iter().cloned().collect();
            let called = match slot.as_str() {
                "" => "slot".to_owned(),
                slot => format!("slot.{slot}"),
            };
            let number = used.number;
            let block = self.block_of(markup, called, element.name.span, |checker, markup| {
                let here = markup.block();
                let mut locals = Vec::new();
                for ident in names {
                    if !handed.contains(&ident.name) {
                        checker.unknown_handed(element, &slot, &ident, &handed);
                    }
                    let key = (number, slot.clone(), ident.name.clone());
                    let ty = checker.project.handed.borrow().get(&key).cloned();
                    let ty = ty.unwrap_or(Ty::Error);
                    let cell = checker.variable(&ident, ty.clone(), CellKind::Handed, here);
                    let read = checker.push(Expr::Cell(cell));
                    let refused = Err(crate::diagnostics::cannot_assign::Target::Handed);
                    let what = LocalKind::Item(read, ty, refused);
                    locals.push(LocalName { name: ident.name, span: ident.span, what });
                }
                checker.framed(locals, Vec::new(), |checker| {
                    checker.nodes(&nodes, &mut Inside::default(), markup);
                });
            });
            contents.push((slot.as_str().into(), block));
        }
        contents
    }

    fn no_such_slot(&mut self, element: &Element, used: &Interface, slot: &str, nodes: &[Node]) {
        let known: Vec<String> = used.slots.keys().cloned().collect();
        let near = nearest(slot, known.iter().map(String::as_str)).map(str::to_owned);
        let at = nodes.iter().find_map(|node| match node {
            Node::Element(child) => {
                let named = child.attributes.iter().find(|a| a.is("slot"));
                Some(named.map_or(child.name.span, |a| a.value_span))
            }
            _ => None,
        });
        let finding = UnknownSlot {
            component: element.name.name.clone(),
            name: slot.into(),
            value: None,
            nearest: near.filter(|near| !near.is_empty() && !slot.is_empty()),
            known,
        };
        self.report(finding, at.unwrap_or(element.name.span));
    }

    fn unknown_handed(&mut self, element: &Element, slot: &str, ident: &Ident, known: &[String]) {
        let near = nearest(&ident.name, known.iter().map(String::as_str)).map(str::to_owned);
        let finding = UnknownSlot {
            component: element.name.name.clone(),
            name: slot.into(),
            value: Some(ident.name.clone()),
            nearest: near,
            known: known.to_vec(),
        };
        self.report(finding, ident.span);
    }

    /// `<slot name="cell" row="<- bed">fallback</slot>`
    pub(crate) fn slot(
        &mut self,
        element: &Element,
        called: String,
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        let name = static_value(element, "name");
        let mut values = Vec::new();
        for attribute in &element.attributes {
            let handed = attribute.name.name.as_str();
            if STRUCTURE.contains(&handed) || self.is_for_slot(element, attribute) {
                continue;
            }
            match &attribute.value {
                AttributeValue::Static(_) if handed == "name" => {}
                AttributeValue::OneWay(arrow, e) => {
                    self.no_options(arrow);
                    self.start_frame();
                    let typed = self.expr(e);
                    let key = (self.interface().number, name.clone(), handed.to_owned());
                    self.project.handed.borrow_mut().insert(key, typed.ty.clone());
                    let given = match self.path_in_cell(typed.id) {
                        Some((cell, path)) => Given::Path { cell, path },
                        None => Given::Value(typed.id, Reads::Fixed(Vec::new())),
                    };
                    values.push((handed.into(), given));
                }
                _ => {
                    let advice = "a slot has a `name`, and hands values back one way: \
                                  `row=\"<- bed\"`";
                    let name = handed.into();
                    let finding = MisplacedAttribute { name, advice: advice.into() };
                    self.report(finding, attribute.name.span);
                }
            }
        }
        let has_fallback = !element.children.is_empty();
        let fallback = has_fallback.then(|| {
            self.block_of(markup, called.clone(), element.name.span, |checker, markup| {
                checker.nodes(&element.children, &mut Inside::default(), markup);
            })
        });
        let kind = SpotKind::Slot { name: name.as_str().into(), values, fallback };
        self.add_spot(kind, called, element.name.span, inside, markup);
    }

    /// `<any tag="<- kind">`
    pub(crate) fn renamed(
        &mut self,
        element: &Element,
        called: String,
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        let tag = element.attributes.iter().find(|a| a.is("tag"));
        self.start_frame();
        let name = match tag.map(|a| (&a.value, a)) {
            Some((AttributeValue::OneWay(arrow, e), _)) => {
                self.no_options(arrow);
                let typed = self.expr_of(e, &Ty::String, "for an element's name");
                if let Ty::Literals(words) = &typed.ty {
                    let allowed = vein_plan::shown::RENAMED;
                    for word in words.iter().filter(|word| !allowed.contains(&word.as_str())) {
                        let expected = "the name of an ordinary element".into();
                        let found = format!("'{word}'");
                        let near = nearest(word, allowed.iter().copied()).map(str::to_owned);
                        let why = "for `tag`".into();
                        self.report(WrongType { expected, found, why, nearest: near }, e.span);
                    }
                }
                typed.id
            }
            _ => {
                let advice = "`<any>` takes the name of its element: `tag=\"<- kind\"`";
                let at = tag.map_or(element.name.span, |a| a.name.span);
                let finding = MisplacedAttribute { name: "any".into(), advice: advice.into() };
                self.report(finding, at);
                return;
            }
        };
        let mut inner = element.clone();
        inner.name.name = "div".into();
        inner.attributes.retain(|a| !a.is("tag"));
        let block = self.block_of(markup, called.clone(), element.name.span, |checker, markup| {
            checker.html_element(&inner, called.clone(), &mut Inside::default(), markup);
        });
        let kind = SpotKind::Renamed { name, reads: Reads::Fixed(Vec::new()), block };
        self.add_spot(kind, format!("{called} tag"), element.name.span, inside, markup);
    }
}

/// The slot that a node in a component goes into.
fn slot_of(node: &Node) -> String {
    match node {
        Node::Element(child) => static_value(child, "slot"),
        _ => String::new(),
    }
}

/// The names in `with="row, position"`.
fn handed_names(text: &str, attribute: &Attribute) -> Vec<Ident> {
    let value = text.get(attribute.value_span.range()).unwrap_or("");
    let mut names = Vec::new();
    let mut at = attribute.value_span.start;
    for piece in value.split(',') {
        let lead = (piece.len() - piece.trim_start().len()) as u32;
        let name = piece.trim().to_owned();
        let start = at + lead;
        if !name.is_empty() {
            let span = Span { start, end: start + name.len() as u32 };
            names.push(Ident { name, span });
        }
        at += piece.len() as u32 + 1;
    }
    names
}
