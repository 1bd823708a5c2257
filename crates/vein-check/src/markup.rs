//! Markup: blocks that come and go as a whole, and the elements and texts in them.

use crate::diagnostics::{
    MisplacedAttribute, StrayOtherwise, UnknownComponent, UnknownElement, UnsafeBinding, Unshowable,
};
use crate::interface::Root;
use crate::narrow::{Fact, facts};
use crate::scope::{CellInfo, CellRole, Checker, LocalKind, LocalName, Typed};
use crate::suggest::nearest;
use crate::types::Ty;
use rustc_hash::FxHashMap as HashMap;
use vein_plan::code::{Expr, ExprId, Piece};
use vein_plan::{
    Block, BlockId, Cell, CellKind, Conversion, Listener, Next, Part, PartKind, Reads, Spot,
    SpotKind, TemplateNode,
};
use vein_syntax::Span;
use vein_syntax::ast::{self, Attribute, AttributeValue, Element, Node, TextPiece};
use vein_syntax::elements::{HTML_ELEMENTS, is_component_name};

/// Numbers that tell apart what would be called the same.
#[derive(Default)]
pub(crate) struct Addresses(HashMap<String, usize>);

impl Addresses {
    /// The name itself for the first, with a number for those that follow.
    pub(crate) fn unique(&mut self, name: String) -> String {
        let count = self.0.entry(name.clone()).or_insert(0);
        *count += 1;
        if *count == 1 { name } else { format!("{name}({count})") }
    }
}

/// A block while it is built: its nodes are referred to by their places in the template.
#[derive(Default)]
struct Draft {
    id: BlockId,
    called: String,
    template: Vec<TemplateNode>,
    parts: Vec<Part>,
    listeners: Vec<Listener>,
    spots: Vec<Spot>,
}

/// Where the compilation of the markup stands.
#[derive(Default)]
pub(crate) struct Markup {
    elements: Addresses,
    pub(crate) parts: Addresses,
    drafts: Vec<Draft>,
}

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

impl Markup {
    fn draft(&mut self) -> &mut Draft {
        if self.drafts.is_empty() {
            self.drafts.push(Draft::default());
        }
        let last = self.drafts.len() - 1;
        &mut self.drafts[last]
    }

    /// The block that is being built.
    pub(crate) fn block(&mut self) -> BlockId {
        self.draft().id
    }

    /// Adds a node and tells the spot before it what follows.
    fn node(&mut self, node: TemplateNode, inside: &mut Inside) -> u32 {
        let draft = self.draft();
        let at = draft.template.len() as u32;
        draft.template.push(node);
        if let Some(spot) = inside.last_spot.take() {
            draft.spots[spot].next = Next::Node(at);
        }
        at
    }

    fn spot(&mut self, spot: Spot, inside: &mut Inside) {
        let draft = self.draft();
        let at = draft.spots.len();
        draft.spots.push(spot);
        if let Some(before) = inside.last_spot.replace(at) {
            draft.spots[before].next = Next::Spot(at as u32);
        }
    }

    pub(crate) fn push_part(&mut self, part: Part) -> u32 {
        let parts = &mut self.draft().parts;
        parts.push(part);
        parts.len() as u32 - 1
    }

    pub(crate) fn push_listener(&mut self, listener: Listener) {
        self.draft().listeners.push(listener);
    }
}

impl Checker<'_> {
    /// Compiles the whole markup.
    pub(crate) fn markup(&mut self, nodes: &[Node]) {
        let mut markup = Markup::default();
        let called = self.plan.name.to_string();
        self.block_of(&mut markup, called, |checker, markup| {
            checker.nodes(nodes, &mut Inside::default(), markup);
        });
    }

    /// Builds a block inside the one that is being built.
    pub(crate) fn block_of(
        &mut self,
        markup: &mut Markup,
        called: String,
        build: impl FnOnce(&mut Self, &mut Markup),
    ) -> BlockId {
        let parent = markup.drafts.last().map(|draft| draft.id);
        let id = self.plan.blocks.len() as BlockId;
        self.plan.blocks.push(Block { parent, ..Block::default() });
        markup.drafts.push(Draft { id, called, ..Draft::default() });
        build(self, markup);
        if let Some(draft) = markup.drafts.pop() {
            self.plan.blocks[id as usize] = finished(draft, parent);
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
                Node::Text(pieces) => self.text(pieces, inside, markup),
                Node::Element(element) => {
                    let (chain, used) = chain(nodes, at);
                    at += used;
                    self.with_structure(element, &chain, inside, markup);
                }
            }
        }
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

    /// An element with what its structural attributes make of it, and those that follow it.
    fn with_structure(
        &mut self,
        element: &Element,
        chain: &[&Element],
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        if let Some(attribute) = element.attributes.iter().find(|a| a.is("each")) {
            let AttributeValue::Each(each) = &attribute.value else {
                return self.structure_without_value(attribute);
            };
            return self.repeated(element, each, attribute, chain, inside, markup);
        }
        if let Some(attribute) = element.attributes.iter().find(|a| a.is("when")) {
            let AttributeValue::Condition(test) = &attribute.value else {
                return self.structure_without_value(attribute);
            };
            return self.alternatives((element, None), test, chain, inside, markup);
        }
        let stray = |a: &&Attribute| a.is("otherwise") || a.is("or-when");
        if let Some(attribute) = element.attributes.iter().find(stray) {
            let name = attribute.name.name.clone();
            return self.report(StrayOtherwise { name }, attribute.name.span);
        }
        self.plain(element, inside, markup);
    }

    fn structure_without_value(&mut self, attribute: &Attribute) {
        if attribute.value != AttributeValue::Error {
            let name = attribute.name.name.clone();
            let advice = match name.as_str() {
                "each" => "it takes an item and a list: `each=\"bed of beds by bed.id\"`",
                _ => "it takes a condition: `when=\"bed.moisture < 30\"`",
            };
            self.report(MisplacedAttribute { name, advice: advice.into() }, attribute.name.span);
        }
    }

    /// `when`, with the `or-when` and `otherwise` after it.
    fn alternatives(
        &mut self,
        (element, called): (&Element, Option<String>),
        test: &ast::Expr,
        chain: &[&Element],
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        let outer = inside.called.clone();
        let mut alternative = |checker: &mut Self, element: &Element, called, known| {
            checker.alternative((element, called), &outer, known, markup)
        };
        self.start_frame();
        let mut known = Vec::new();
        let mut tests = Vec::new();
        let mut alternatives = Vec::new();
        let first = self.condition(test).id;
        tests.push(first);
        let block = alternative(self, element, called, facts(test, true));
        alternatives.push((block, element));
        known.extend(facts(test, false));
        for next in chain {
            match condition_of(next) {
                Some(test) => {
                    let with = known.clone();
                    let id = self.framed(Vec::new(), with.clone(), |checker| {
                        checker.start_frame();
                        checker.condition(test).id
                    });
                    tests.push(id);
                    let with = with.into_iter().chain(facts(test, true)).collect();
                    alternatives.push((alternative(self, next, None, with), next));
                    known.extend(facts(test, false));
                }
                None => {
                    let block = alternative(self, next, None, known.clone());
                    alternatives.push((block, next));
                }
            }
        }
        let beyond = self.push(Expr::Number(alternatives.len() as f64));
        let mut choice = match alternatives.len() > tests.len() {
            true => self.push(Expr::Number(tests.len() as f64)),
            false => beyond,
        };
        for (number, test) in tests.iter().enumerate().rev() {
            let then = self.push(Expr::Number(number as f64));
            choice = self.push(Expr::Choose(*test, then, choice));
        }
        let alternatives = alternatives.into_iter().map(|(block, _)| block).collect();
        let kind = SpotKind::Branch { choice, reads: Reads::Fixed(Vec::new()), alternatives };
        let name = format!("{} branch", place_called(element, inside));
        self.add_spot(kind, name, test.span, inside, markup);
    }

    fn alternative(
        &mut self,
        (element, called): (&Element, Option<String>),
        outer: &str,
        known: Vec<Fact>,
        markup: &mut Markup,
    ) -> BlockId {
        self.framed(Vec::new(), known, |checker| {
            checker.block_of(markup, label(element), |checker, markup| {
                let mut inside = Inside { called: outer.into(), ..Inside::default() };
                match called {
                    Some(called) => checker.plain_called(element, called, &mut inside, markup),
                    None => checker.plain(element, &mut inside, markup),
                }
            })
        })
    }

    pub(crate) fn add_spot(
        &mut self,
        kind: SpotKind,
        name: String,
        span: Span,
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        let (address, location) = (markup.parts.unique(name).into(), self.location(span));
        let (parent, next) = (inside.element, Next::End);
        markup.spot(Spot { parent, next, kind, address, location }, inside);
    }

    /// `each`, with the `otherwise` after it.
    fn repeated(
        &mut self,
        element: &Element,
        each: &ast::Each,
        attribute: &Attribute,
        chain: &[&Element],
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        self.start_frame();
        let typed = self.expr(&each.list);
        let item_ty = self.item_type(&typed.ty, each.list.span);
        let source = self.list_source(&each.list);
        let (cell, path) = self.standing_at(&typed, &each.list, markup);
        let called = markup.elements.unique(described(element));
        let outer = match element.name.name.as_str() {
            "group" => called.clone(),
            _ => inside.called.clone(),
        };
        let mut by = None;
        let block = self.block_of(markup, called.clone(), |checker, markup| {
            let here = markup.block();
            let item = checker.variable(&each.item, item_ty.clone(), CellKind::Item, here);
            let read = checker.push(Expr::Cell(item));
            let place = source.map(|root| {
                checker.roots.insert(item, root);
                vein_plan::code::Place { cell: item, steps: Vec::new() }
            });
            let mut names = vec![LocalName {
                name: each.item.name.clone(),
                span: each.item.span,
                what: LocalKind::Item(read, item_ty.clone(), place),
            }];
            by = checker.identity(each, &names[0], &item_ty, attribute);
            if let Some(index) = &each.index {
                let position = checker.variable(index, Ty::Number, CellKind::Position, here);
                let read = checker.push(Expr::Cell(position));
                let refused = Err(crate::diagnostics::cannot_assign::Target::Position);
                let what = LocalKind::Item(read, Ty::Number, refused);
                names.push(LocalName { name: index.name.clone(), span: index.span, what });
            }
            let when = element.attributes.iter().find_map(|a| match &a.value {
                AttributeValue::Condition(test) if a.is("when") => Some(test),
                _ => None,
            });
            let mut inside = Inside { called: outer.clone(), ..Inside::default() };
            checker.framed(names, Vec::new(), |checker| match when {
                Some(test) => {
                    let element = (element, Some(called.clone()));
                    checker.alternatives(element, test, &[], &mut inside, markup);
                }
                None => {
                    checker.plain_called(element, called.clone(), &mut inside, markup);
                }
            });
        });
        let kind = SpotKind::List { cell, path: path.clone(), by, block };
        self.add_spot(kind, format!("{called} list"), attribute.name.span, inside, markup);
        if let Some(otherwise) = chain.first() {
            self.when_empty(cell, &path, otherwise, inside, markup);
        }
    }

    /// The `otherwise` of a loop.
    fn when_empty(
        &mut self,
        cell: u32,
        path: &[u32],
        element: &Element,
        inside: &mut Inside,
        markup: &mut Markup,
    ) {
        let mut list = self.push(Expr::Cell(cell));
        for name in path {
            list = self.push(Expr::Field(list, *name));
        }
        let member = vein_plan::members::Member::ListLength;
        let length = self.push(Expr::Call(member, Some(list), Vec::new()));
        let (there, none) = (self.push(Expr::Number(1.0)), self.push(Expr::Number(0.0)));
        let choice = self.push(Expr::Choose(length, there, none));
        let block = self.alternative((element, None), &inside.called, Vec::new(), markup);
        let reads = Reads::Fixed(Vec::new());
        let kind = SpotKind::Branch { choice, reads, alternatives: vec![block] };
        let name = format!("{} branch", place_called(element, inside));
        self.add_spot(kind, name, element.name.span, inside, markup);
    }

    /// A cell for a variable of the markup.
    pub(crate) fn variable(
        &mut self,
        name: &ast::Ident,
        ty: Ty,
        kind: CellKind,
        block: BlockId,
    ) -> u32 {
        let cell = self.plan.cells.len() as u32;
        let number = self.tables.ty(&ty);
        let plan_name = name.name.as_str().into();
        self.plan.cells.push(Cell { name: plan_name, ty: number, kind, block });
        self.cells.push(CellInfo {
            name: name.name.clone(),
            span: name.span,
            role: CellRole::Variable,
            ty,
            read: true,
            assigned: false,
        });
        cell
    }

    /// Where a list stands: as it was written, or in a derived value made for it.
    fn standing_at(
        &mut self,
        list: &Typed,
        written: &ast::Expr,
        markup: &mut Markup,
    ) -> (u32, Vec<u32>) {
        if let Some(found) = self.path_in_cell(list.id) {
            return found;
        }
        let (name, block) = (self.source(written.span), markup.block());
        let ident = ast::Ident { name, span: written.span };
        let kind = CellKind::Derived(list.id, Reads::Fixed(Vec::new()));
        (self.variable(&ident, list.ty.clone(), kind, block), Vec::new())
    }

    /// The cell and the fields that an expression goes through, when it does nothing else.
    pub(crate) fn path_in_cell(&self, mut id: ExprId) -> Option<(u32, Vec<u32>)> {
        let mut path = Vec::new();
        loop {
            match &self.plan.exprs[id as usize] {
                Expr::Cell(cell) => {
                    path.reverse();
                    return Some((*cell, path));
                }
                Expr::Field(of, name) => {
                    path.push(*name);
                    id = *of;
                }
                _ => return None,
            }
        }
    }

    /// An element without its structural attributes.
    pub(crate) fn plain(&mut self, element: &Element, inside: &mut Inside, markup: &mut Markup) {
        let called = match element.name.name.as_str() {
            "group" => String::new(),
            _ => markup.elements.unique(described(element)),
        };
        self.plain_called(element, called, inside, markup);
    }

    fn plain_called(
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
        if self.styled {
            attributes.push(("data-of".into(), self.plan.name.clone()));
        }
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

/// The elements that belong to the condition or loop of the one before `at`, and how many nodes
/// they take up.
fn chain(nodes: &[Node], at: usize) -> (Vec<&Element>, usize) {
    let Some(Node::Element(first)) = nodes.get(at - 1) else { return (Vec::new(), 0) };
    let repeats = first.attributes.iter().any(|a| a.is("each"));
    if !repeats && !first.attributes.iter().any(|a| a.is("when")) {
        return (Vec::new(), 0);
    }
    let (mut found, mut used) = (Vec::new(), 0);
    for (i, node) in nodes[at..].iter().enumerate() {
        match node {
            // A space between the two does not part them.
            Node::Text(pieces) if is_blank(pieces) => continue,
            Node::Element(next) if next.attributes.iter().any(|a| a.is("otherwise")) => {
                found.push(next);
                return (found, i + 1);
            }
            Node::Element(next) if !repeats && next.attributes.iter().any(|a| a.is("or-when")) => {
                found.push(next);
                used = i + 1;
            }
            _ => break,
        }
    }
    (found, used)
}

fn is_blank(pieces: &[TextPiece]) -> bool {
    pieces.iter().all(|piece| matches!(piece, TextPiece::Static(text, _) if text.trim().is_empty()))
}

fn condition_of(element: &Element) -> Option<&ast::Expr> {
    element.attributes.iter().find_map(|a| match &a.value {
        AttributeValue::Condition(test) if a.is("or-when") => Some(test),
        _ => None,
    })
}

/// Gives numbers to the nodes that something refers to, in document order.
fn finished(draft: Draft, parent: Option<BlockId>) -> Block {
    let Draft { called, mut template, mut parts, mut listeners, mut spots, .. } = draft;
    let mut marked = vec![false; template.len()];
    let mut depth = 0usize;
    for (at, node) in template.iter().enumerate() {
        match node {
            TemplateNode::Open { .. } => {
                marked[at] |= depth == 0;
                depth += 1;
            }
            TemplateNode::Close => depth = depth.saturating_sub(1),
            TemplateNode::Text { .. } => marked[at] |= depth == 0,
            TemplateNode::TextPart => marked[at] = true,
        }
    }
    let of_parts = parts.iter().map(|part| part.mark);
    let of_listeners = listeners.iter().map(|listener| listener.mark);
    let of_spots = spots.iter().flat_map(|spot| {
        let next = match spot.next {
            Next::Node(node) => Some(node),
            _ => None,
        };
        spot.parent.into_iter().chain(next)
    });
    for node in of_parts.chain(of_listeners).chain(of_spots) {
        marked[node as usize] = true;
    }
    let mut numbers = Vec::with_capacity(template.len());
    let mut count = 0;
    for (at, node) in template.iter_mut().enumerate() {
        numbers.push(count);
        match node {
            TemplateNode::Open { marked: mark, .. } | TemplateNode::Text { marked: mark, .. } => {
                *mark = marked[at];
            }
            _ => {}
        }
        count += u32::from(marked[at]);
    }
    let mark = |node: &mut u32| *node = numbers[*node as usize];
    parts.iter_mut().for_each(|part| mark(&mut part.mark));
    listeners.iter_mut().for_each(|listener| mark(&mut listener.mark));
    for spot in &mut spots {
        spot.parent.iter_mut().for_each(mark);
        if let Next::Node(node) = &mut spot.next {
            mark(node);
        }
    }
    Block { parent, called: called.into(), template, parts, listeners, spots }
}

/// What an alternative is called for people: its text, with dots for what changes in it, or
/// else its element.
fn label(element: &Element) -> String {
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
fn place_called(element: &Element, inside: &Inside) -> String {
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
