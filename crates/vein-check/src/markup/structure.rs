//! Choices and loops.

use super::draft::Markup;
use super::{Inside, described, label, place_called};
use crate::diagnostics::too_deep::MOST_ALTERNATIVES;
use crate::diagnostics::{MisplacedAttribute, StrayOtherwise, TooDeep};
use crate::narrow::{Fact, facts};
use crate::scope::{CellInfo, CellRole, Checker, LocalKind, LocalName, Typed};
use crate::types::Ty;
use vein_plan::code::{Expr, ExprId};
use vein_plan::{BlockId, Cell, CellKind, Next, Reads, Spot, SpotKind};
use vein_syntax::ast::{Attribute, AttributeValue, Element, Node, TextPiece};
use vein_syntax::{Span, ast};

impl Checker<'_> {
    /// An element with what its structural attributes make of it, and those that follow it.
    pub(super) fn with_structure(
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
        // Each is asked once those before it are not so: the questions nest.
        let (chain, beyond) = chain.split_at(chain.len().min(MOST_ALTERNATIVES - 1));
        if let Some(element) = beyond.first() {
            self.report(TooDeep, element.name.span);
        }
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
            checker.block_of(markup, label(element), element.name.span, |checker, markup| {
                let mut inside = Inside { called: outer.into(), ..Inside::default() };
                // What comes in another's place may be repeated.
                let each = element.attributes.iter().find_map(|a| match &a.value {
                    AttributeValue::Each(each) if called.is_none() => Some((each, a)),
                    _ => None,
                });
                if let Some((each, attribute)) = each {
                    return checker.repeated(element, each, attribute, &[], &mut inside, markup);
                }
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
        let block = self.block_of(markup, called.clone(), element.name.span, |checker, markup| {
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
        let location = self.location(name.span);
        self.plan.cells.push(Cell { name: plan_name, ty: number, kind, block, location });
        self.cells.push(CellInfo {
            name: name.name.clone(),
            span: name.span,
            role: CellRole::Variable,
            ty,
            read: true,
            assigned: false,
            loaded: None,
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
}

/// The elements that belong to the condition or loop of the one before `at`, and how many nodes
/// they take up.
pub(super) fn chain(nodes: &[Node], at: usize) -> (Vec<&Element>, usize) {
    let Some(Node::Element(first)) = nodes.get(at - 1) else { return (Vec::new(), 0) };
    let repeats = first.attributes.iter().any(|a| a.is("each"));
    if !repeats && !first.attributes.iter().any(|a| a.is("when")) {
        return (Vec::new(), 0);
    }
    let (mut found, mut used) = (Vec::new(), 0);
    for (i, node) in nodes[at..].iter().enumerate() {
        match node {
            // A space between the two does not part them.
            Node::Space => continue,
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
