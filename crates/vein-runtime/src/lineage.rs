//! Values that are derived from a list by what hands its items on, known before anything runs: from which list, through
//! which stages, and what comes of it.
//!
//! Of such a value is kept how it came about (`graph/upkeep.rs`), so that it can follow what becomes of the list without
//! looking at all items again. What is not recognised here is worked out as a whole, which is never wrong.

use std::sync::Arc;
use vein_plan::code::{CellId, Expr, ExprId, Function, Item, LocalId, NameId};
use vein_plan::members::Member;
use vein_plan::ops::{Binary, Logical, Unary};
use vein_plan::{
    BlockId, Cell, CellKind, Extent, Given, Name, Plan, PlanRead, Program, Read, ReadStep, Reads,
    SpotKind, Step,
};

/// A value that is derived from a list.
#[derive(Debug)]
pub(crate) struct Lineage {
    /// The list: a cell, and the fields on the way into it.
    pub(crate) source: CellId,
    pub(crate) path: Vec<Step>,
    pub(crate) stages: Vec<Stage>,
    pub(crate) outcome: Outcome,
    /// What it reads: the list, then what its functions read beside their items.
    pub(crate) reads: Vec<Read>,
    /// Whether all of that is read by the first stage, which is a filter of the list itself.
    pub(crate) first_only: bool,
}

/// What is made of one list.
#[derive(Debug)]
pub(crate) enum Stage {
    /// The lists that stand in its items at this path, one after the other; always the first.
    Flat(Vec<Step>),
    Filter(ItemFunction),
    Map(ItemFunction),
    Sorted(Vec<SortBy>),
    Reversed,
}

/// What comes of the last list.
#[derive(Debug)]
pub(crate) enum Outcome {
    List,
    Length,
    /// What of its items something holds of.
    Holds(Asked, ItemFunction),
    /// The sum of something of each item.
    Sum {
        part: ItemFunction,
        start: f64,
    },
}

/// What is asked of the items of which something holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Asked {
    /// Whether there is one.
    Some,
    /// Whether they are all.
    Every,
    /// The first; only of the list itself.
    First,
    /// The position of the first; only of the list itself.
    FirstAt,
}

/// A function of an item alone, and of what does not depend on items.
#[derive(Debug)]
pub(crate) struct ItemFunction {
    pub(crate) param: Option<LocalId>,
    pub(crate) body: ExprId,
    /// The fields of the item that it reads; nothing where that may be all of it.
    pub(crate) reads: Option<Vec<Vec<Name>>>,
}

/// What items are put in order by, the first key first.
#[derive(Debug)]
pub(crate) struct SortBy {
    pub(crate) path: Vec<Step>,
    pub(crate) by: By,
    pub(crate) descending: bool,
}

/// As what a key is compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum By {
    /// A number: the function takes one from the other.
    Number,
    /// What it is: the function asks which of two is less.
    Itself,
    /// The text of it: there is no function.
    Text,
}

/// One of two, as a test says.
#[derive(Debug)]
pub(crate) struct Choice {
    pub(crate) test: ExprId,
    pub(crate) then: Option<Arc<Lineage>>,
    pub(crate) otherwise: Option<Arc<Lineage>>,
    /// What the test reads.
    pub(crate) reads: Vec<Read>,
}

/// How a derived value can be kept up.
#[derive(Clone, Debug)]
pub(crate) enum Descent {
    One(Arc<Lineage>),
    Either(Arc<Choice>),
}

/// Whether something that was written inside an item is at, around or inside of what is read of it.
pub(crate) fn meets(reads: Option<&[Vec<Name>]>, written: Option<&[Step]>) -> bool {
    let (Some(reads), Some(written)) = (reads, written) else { return true };
    let alike = |(name, step): (&Name, &Step)| match step {
        Step::Field(field) => Arc::ptr_eq(name, field) || name == field,
        Step::Index(_) => false,
    };
    reads.iter().any(|read| read.iter().zip(written).all(alike))
}

impl ItemFunction {
    pub(crate) fn meets(&self, written: Option<&[Step]>) -> bool {
        meets(self.reads.as_deref(), written)
    }
}

impl SortBy {
    /// Whether it may be another after something was written inside an item.
    pub(crate) fn meets(&self, written: Option<&[Step]>) -> bool {
        let Some(written) = written else { return true };
        self.path.iter().zip(written).all(|(key, step)| key == step)
    }
}

/// How the value of an expression can be kept up; nothing where it is worked out as a whole.
pub(crate) fn descent(program: &Program, plan: &Plan, expr: ExprId, asks: bool) -> Option<Descent> {
    let finding = Finding { program, plan, asks };
    if let Expr::Choose(test, then, otherwise) = &plan.exprs[expr as usize] {
        let (then, otherwise) = (finding.lineage(*then), finding.lineage(*otherwise));
        if then.is_none() && otherwise.is_none() {
            return None;
        }
        let mut body = Body::default();
        finding.read(*test, &mut body, false)?;
        let reads = body.beside.into_iter().map(|(read, _)| read).collect();
        let [then, otherwise] = [then, otherwise].map(|lineage| lineage.map(Arc::new));
        return Some(Descent::Either(Arc::new(Choice { test: *test, then, otherwise, reads })));
    }
    finding.lineage(expr).map(|lineage| Descent::One(Arc::new(lineage)))
}

struct Finding<'a> {
    program: &'a Program,
    plan: &'a Plan,
    /// Whether anything of the program is asked while expressions are worked out.
    asks: bool,
}

/// What a function was found to read.
#[derive(Default)]
struct Body {
    params: Vec<LocalId>,
    /// Names that are bound inside.
    bound: Vec<LocalId>,
    /// Paths into the item.
    inside: Vec<Vec<Name>>,
    /// Whether all of the item may be read.
    all: bool,
    /// What is read beside it, and whether only under some condition.
    beside: Vec<(Read, bool)>,
}

fn asked(member: Member) -> Option<Asked> {
    match member {
        Member::Some => Some(Asked::Some),
        Member::Every => Some(Asked::Every),
        Member::Find => Some(Asked::First),
        Member::FindIndex => Some(Asked::FirstAt),
        _ => None,
    }
}

/// Where a path of fields begins.
enum Root {
    Cell(CellId),
    Local(LocalId),
}

impl Finding<'_> {
    fn expr(&self, id: ExprId) -> &Expr {
        &self.plan.exprs[id as usize]
    }

    fn name(&self, name: NameId) -> Name {
        self.program.names[name as usize].clone()
    }

    /// A path of fields.
    fn fields(&self, id: ExprId) -> Option<(Root, Vec<Name>)> {
        match self.expr(id) {
            Expr::Cell(cell) => Some((Root::Cell(*cell), Vec::new())),
            Expr::Local(local) => Some((Root::Local(*local), Vec::new())),
            Expr::Field(of, name) => {
                let (root, mut path) = self.fields(*of)?;
                path.push(self.name(*name));
                Some((root, path))
            }
            _ => None,
        }
    }

    fn lineage(&self, id: ExprId) -> Option<Lineage> {
        let mut beside = Vec::new();
        let (list, outcome) = match self.expr(id) {
            Expr::Call(Member::ListLength, Some(list), _) => (*list, Outcome::Length),
            Expr::Walk(member, list, function, None) if asked(*member).is_some() => {
                let function = self.made(function, &mut beside)?;
                (*list, Outcome::Holds(asked(*member)?, function))
            }
            Expr::Walk(Member::Reduce, list, function, Some(start)) => {
                (*list, self.sum(function, *start, &mut beside)?)
            }
            _ => (id, Outcome::List),
        };
        let outside = beside.len();
        let mut lineage = Lineage {
            source: 0,
            path: Vec::new(),
            stages: Vec::new(),
            outcome,
            reads: Vec::new(),
            first_only: false,
        };
        let of_first = self.list(list, &mut lineage, &mut beside)?;
        let is_of_itself =
            matches!(lineage.outcome, Outcome::Holds(Asked::First | Asked::FirstAt, _));
        if is_of_itself && !lineage.stages.is_empty() {
            return None;
        }
        // What is neither handed on nor looked at needs no upkeep.
        if lineage.stages.is_empty() && matches!(lineage.outcome, Outcome::Length) {
            return None;
        }
        lineage.first_only = outside == 0
            && beside.len() == of_first
            && matches!(lineage.stages.first(), Some(Stage::Filter(_)));
        // Where functions read the list itself, any change of it concerns all items.
        if beside.iter().any(|(read, _)| read.cell == lineage.source) {
            return None;
        }
        let (cell, path) = (lineage.source, lineage.path.clone());
        let list = Read { cell, path, extent: Extent::Whole };
        lineage.reads =
            [list].into_iter().chain(beside.into_iter().map(|(read, _)| read)).collect();
        Some(lineage)
    }

    /// The way from a list in a cell to one that is made of it. Gives how much the first stage reads beside its items.
    fn list(
        &self,
        id: ExprId,
        lineage: &mut Lineage,
        beside: &mut Vec<(Read, bool)>,
    ) -> Option<usize> {
        let mut of_first = beside.len();
        let stage = match self.expr(id) {
            Expr::Cell(_) | Expr::Field(..) => {
                let (Root::Cell(cell), path) = self.fields(id)? else { return None };
                lineage.source = cell;
                lineage.path = path.into_iter().map(Step::Field).collect();
                return Some(of_first);
            }
            Expr::List(items) => {
                let [Item::Spread(list)] = items.as_slice() else { return None };
                return self.list(*list, lineage, beside);
            }
            Expr::Walk(Member::Filter, list, function, None) => {
                of_first = self.list(*list, lineage, beside)?;
                Stage::Filter(self.made(function, beside)?)
            }
            Expr::Walk(Member::Map, list, function, None) => {
                of_first = self.list(*list, lineage, beside)?;
                Stage::Map(self.made(function, beside)?)
            }
            Expr::Walk(Member::FlatMap, list, function, None) => {
                of_first = self.list(*list, lineage, beside)?;
                let (Root::Local(local), path) = self.fields(function.body)? else { return None };
                if !lineage.stages.is_empty() || function.params != [local] {
                    return None;
                }
                Stage::Flat(path.into_iter().map(Step::Field).collect())
            }
            Expr::Walk(Member::ToSorted, list, function, None) => {
                of_first = self.list(*list, lineage, beside)?;
                let [a, b] = function.params.as_slice() else { return None };
                Stage::Sorted(self.keys(function.body, (*a, *b))?)
            }
            Expr::Call(Member::ToSorted, Some(list), _) => {
                of_first = self.list(*list, lineage, beside)?;
                Stage::Sorted(vec![SortBy { path: Vec::new(), by: By::Text, descending: false }])
            }
            Expr::Call(Member::ToReversed, Some(list), _) => {
                of_first = self.list(*list, lineage, beside)?;
                Stage::Reversed
            }
            _ => return None,
        };
        lineage.stages.push(stage);
        Some(if lineage.stages.len() == 1 { beside.len() } else { of_first })
    }

    /// A function of an item, if its result follows from that and from what stands beside all items.
    fn made(&self, function: &Function, beside: &mut Vec<(Read, bool)>) -> Option<ItemFunction> {
        if function.params.len() > 1 {
            return None;
        }
        let param = function.params.first().copied();
        self.made_of(param, function.body, beside)
    }

    fn made_of(
        &self,
        param: Option<LocalId>,
        body: ExprId,
        beside: &mut Vec<(Read, bool)>,
    ) -> Option<ItemFunction> {
        let mut found = Body { params: param.into_iter().collect(), ..Body::default() };
        self.read(body, &mut found, false)?;
        // What is read only under a condition may have to ask the host before it is known, and is not read
        // at all where the condition does not hold.
        let is_state =
            |read: &Read| matches!(self.plan.cells[read.cell as usize].kind, CellKind::State(_));
        if self.asks && found.beside.iter().any(|(read, at_times)| *at_times && !is_state(read)) {
            return None;
        }
        beside.append(&mut found.beside);
        Some(ItemFunction { param, body, reads: (!found.all).then_some(found.inside) })
    }

    /// `(sum, item) => sum + …`, from a number on.
    fn sum(
        &self,
        function: &Function,
        start: ExprId,
        beside: &mut Vec<(Read, bool)>,
    ) -> Option<Outcome> {
        let Expr::Number(start) = self.expr(start) else { return None };
        let [sum, item] = function.params.as_slice() else { return None };
        let Expr::Binary(Binary::Add, a, b) = self.expr(function.body) else { return None };
        if !matches!(self.expr(*a), Expr::Local(local) if local == sum) {
            return None;
        }
        let part = self.made_of(Some(*item), *b, beside)?;
        Some(Outcome::Sum { part, start: *start })
    }

    /// What an expression reads; nothing where it asks, or names what is not known here.
    fn read(&self, id: ExprId, body: &mut Body, at_times: bool) -> Option<()> {
        if let Some((root, path)) = self.fields(id) {
            match root {
                Root::Cell(cell) => {
                    let path = path.into_iter().map(Step::Field).collect();
                    body.beside.push((Read { cell, path, extent: Extent::Whole }, at_times));
                }
                Root::Local(local) if body.bound.contains(&local) => {}
                Root::Local(local) if !body.params.contains(&local) => return None,
                Root::Local(_) if path.is_empty() => body.all = true,
                Root::Local(_) => body.inside.push(path),
            }
            return Some(());
        }
        match self.expr(id) {
            Expr::Ask(..) => return None,
            Expr::Unless(of, local, inner) => {
                self.read(*of, body, at_times)?;
                body.bound.push(*local);
                self.read(*inner, body, true)?;
            }
            Expr::With(of, local, inner) => {
                self.read(*of, body, at_times)?;
                body.bound.push(*local);
                self.read(*inner, body, at_times)?;
            }
            Expr::Apply(function, args) => {
                for arg in args {
                    self.read(*arg, body, at_times)?;
                }
                self.read_called(*function, body)?;
            }
            Expr::Walk(_, list, function, extra) => {
                self.read(*list, body, at_times)?;
                body.bound.extend(&function.params);
                self.read(function.body, body, true)?;
                if let Some(extra) = extra {
                    self.read(*extra, body, at_times)?;
                }
            }
            Expr::Logical(_, first, second) => {
                self.read(*first, body, at_times)?;
                self.read(*second, body, true)?;
            }
            Expr::Choose(test, then, otherwise) => {
                self.read(*test, body, at_times)?;
                self.read(*then, body, true)?;
                self.read(*otherwise, body, true)?;
            }
            other => {
                let mut known = Some(());
                other.children(|child| {
                    if known.is_some() {
                        known = self.read(child, body, at_times);
                    }
                });
                known?;
            }
        }
        Some(())
    }

    /// What a function reads beside its arguments.
    fn read_called(&self, function: u32, body: &mut Body) -> Option<()> {
        let functions = &self.plan.functions;
        let (mut open, mut seen) = (vec![function], Vec::new());
        while let Some(function) = open.pop() {
            if seen.contains(&function) {
                continue;
            }
            seen.push(function);
            let function = &functions[function as usize];
            // Its names are its own: what they hold was read with the arguments.
            let mut inside = Body { bound: (0..function.locals).collect(), ..Body::default() };
            for id in vein_plan::calls::expressions(&self.plan.exprs, function.body) {
                match self.expr(id) {
                    Expr::Apply(called, _) => open.push(*called),
                    Expr::Cell(_) => self.read(id, &mut inside, true)?,
                    _ => {}
                }
            }
            body.beside.append(&mut inside.beside);
        }
        Some(())
    }

    /// What a comparison puts in order by, if it cannot contradict itself: differences of numbers, and which of two is
    /// less, one after the other where the first is equal.
    fn keys(&self, id: ExprId, pair: (LocalId, LocalId)) -> Option<Vec<SortBy>> {
        match self.expr(id) {
            Expr::Number(zero) if *zero == 0.0 => Some(Vec::new()),
            Expr::Binary(Binary::Subtract, a, b) => {
                let (path, descending) = self.sides(*a, *b, pair)?;
                Some(vec![SortBy { path, by: By::Number, descending }])
            }
            Expr::Logical(Logical::Or, first, second) => {
                let mut keys = self.keys(*first, pair)?;
                keys.extend(self.keys(*second, pair)?);
                Some(keys)
            }
            Expr::Choose(test, then, otherwise) => {
                let Expr::Binary(op, a, b) = self.expr(*test) else { return None };
                let (path, turned) = self.sides(*a, *b, pair)?;
                match op {
                    Binary::Equal => self.tied(path, *otherwise, *then, pair),
                    Binary::NotEqual => self.tied(path, *then, *otherwise, pair),
                    Binary::Less | Binary::Greater => {
                        let is_first = (*op == Binary::Less) != turned;
                        let key = SortBy {
                            descending: (self.sign(*then)? < 0.0) != is_first,
                            by: By::Itself,
                            path,
                        };
                        self.ranked(key, is_first, *otherwise, pair)
                    }
                    _ => None,
                }
            }
            _ => None,
        }
    }

    /// Both operands of something, if they are the same of the two items; whether the second comes first.
    fn sides(&self, a: ExprId, b: ExprId, pair: (LocalId, LocalId)) -> Option<(Vec<Step>, bool)> {
        let (Root::Local(first), path) = self.fields(a)? else { return None };
        let (Root::Local(second), other) = self.fields(b)? else { return None };
        let turned = (first, second) == (pair.1, pair.0);
        let fits = path == other && (turned || (first, second) == pair);
        fits.then(|| (path.into_iter().map(Step::Field).collect(), turned))
    }

    /// By one key, and where that is equal by others.
    fn tied(
        &self,
        path: Vec<Step>,
        by: ExprId,
        others: ExprId,
        pair: (LocalId, LocalId),
    ) -> Option<Vec<SortBy>> {
        let mut keys = self.keys(by, pair)?;
        if keys.len() != 1 || keys[0].path != path {
            return None;
        }
        keys.extend(self.keys(others, pair)?);
        Some(keys)
    }

    /// What stands after `a < b ? -1 :` has to be `a > b ? 1 :`, or two that are equal would not be.
    fn ranked(
        &self,
        key: SortBy,
        is_first: bool,
        rest: ExprId,
        pair: (LocalId, LocalId),
    ) -> Option<Vec<SortBy>> {
        let Expr::Choose(test, then, otherwise) = self.expr(rest) else { return None };
        let Expr::Binary(op @ (Binary::Less | Binary::Greater), a, b) = self.expr(*test) else {
            return None;
        };
        let (path, turned) = self.sides(*a, *b, pair)?;
        let is_second = ((*op == Binary::Less) != turned) != is_first;
        let wanted = if key.descending == is_first { -1.0 } else { 1.0 };
        if path != key.path || !is_second || self.sign(*then)? != wanted {
            return None;
        }
        let mut keys = vec![key];
        keys.extend(self.keys(*otherwise, pair)?);
        Some(keys)
    }

    /// Whether a number that is written there is above or below zero.
    fn sign(&self, id: ExprId) -> Option<f64> {
        match self.expr(id) {
            Expr::Number(n) if *n != 0.0 && !n.is_nan() => Some(n.signum()),
            Expr::Unary(Unary::Negate, n) => Some(-self.sign(*n)?),
            _ => None,
        }
    }
}

impl Lineage {
    /// What its functions read beside their items.
    pub(crate) fn beside(&self) -> &[Read] {
        &self.reads[1..]
    }
}

/// The program with a derived value of its own for each value that is derived from a list in the middle of an expression, so
/// that it can be kept up: `beds.filter(…).length` in a text. Those cells stand behind all others of their plan and are never
/// told of; what they follow from is told in their place.
///
/// Of items of loops it is left as it is: their lists are short, and there are many of them.
pub(crate) fn with_own_cells(program: &Arc<Program>, asks: bool) -> Arc<Program> {
    let mut own = None::<Program>;
    for (number, plan) in program.plans.iter().enumerate() {
        // Most components go through no list.
        if !plan.exprs.iter().any(|expr| matches!(expr, Expr::Walk(..))) {
            continue;
        }
        let mut own_cells = OwnCells { program, plan: plan.clone(), asks, found: Vec::new() };
        own_cells.readers();
        if own_cells.plan.cells.len() > plan.cells.len() {
            own.get_or_insert_with(|| Program::clone(program)).plans[number] = own_cells.plan;
        }
    }
    own.map_or_else(|| program.clone(), Arc::new)
}

struct OwnCells<'a> {
    program: &'a Program,
    plan: Plan,
    asks: bool,
    /// The cells that the reader at hand was given.
    found: Vec<CellId>,
}

impl OwnCells<'_> {
    fn readers(&mut self) {
        let cells = self.plan.cells.len();
        for at in 0..cells {
            let CellKind::Derived(expr, _) = self.plan.cells[at].kind else { continue };
            if descent(self.program, &self.plan, expr, self.asks).is_none() {
                self.reader(expr);
                if let CellKind::Derived(_, reads) = &mut self.plan.cells[at].kind {
                    read_too(reads, &mut self.found);
                }
            }
        }
        let mut blocks = std::mem::take(&mut self.plan.blocks);
        let parents: Vec<Option<BlockId>> = blocks.iter().map(|block| block.parent).collect();
        for block in &mut blocks {
            for part in &mut block.parts {
                self.reader(part.value);
                read_too(&mut part.reads, &mut self.found);
            }
            for spot in &mut block.spots {
                let given: Vec<&mut Given> = match &mut spot.kind {
                    SpotKind::Branch { choice: expr, reads, .. }
                    | SpotKind::Renamed { name: expr, reads, .. }
                    | SpotKind::Markup { value: expr, reads } => {
                        self.reader(*expr);
                        read_too(reads, &mut self.found);
                        continue;
                    }
                    SpotKind::Component(used) => used.props.iter_mut().map(|(_, g)| g).collect(),
                    SpotKind::Slot { values, .. } => values.iter_mut().map(|(_, g)| g).collect(),
                    SpotKind::List { .. } => continue,
                };
                for given in given {
                    let Given::Value(expr, reads) = given else { continue };
                    if descent(self.program, &self.plan, *expr, self.asks).is_none() {
                        self.reader(*expr);
                        read_too(reads, &mut self.found);
                    }
                }
            }
        }
        self.plan.blocks = blocks;
        for at in 0..self.plan.sources.len() {
            self.reader(self.plan.sources[at].args);
            read_too(&mut self.plan.sources[at].reads, &mut self.found);
        }
        // What is worked out for several places is worked out in the innermost of the blocks whose cells it reads.
        let depth =
            |block: BlockId| std::iter::successors(Some(block), |at| parents[*at as usize]).count();
        for at in cells..self.plan.cells.len() {
            let CellKind::Derived(_, reads) = &self.plan.cells[at].kind else { continue };
            let read = reads.paths().iter().map(|read| self.plan.cells[read.cell as usize].block);
            let innermost = read.max_by_key(|block| depth(*block)).unwrap_or(0);
            self.plan.cells[at].block = innermost;
        }
    }

    /// Gives cells to what a reader's expression derives from lists.
    fn reader(&mut self, expr: ExprId) {
        let finding = Finding { program: self.program, plan: &self.plan, asks: self.asks };
        let is_worth_it = |lineage: &Lineage| {
            let source = &self.plan.cells[lineage.source as usize].kind;
            let is_item = matches!(source, CellKind::Item | CellKind::Handed);
            let hands_on = matches!(lineage.outcome, Outcome::List) && lineage.stages.is_empty();
            !is_item && !hands_on
        };
        let lineage = finding.lineage(expr).filter(is_worth_it);
        let Some(lineage) = lineage else {
            let mut children = Vec::new();
            self.plan.exprs[expr as usize].children(|child| children.push(child));
            children.into_iter().for_each(|child| self.reader(child));
            return;
        };
        let whole = |read: &Read| PlanRead {
            cell: read.cell,
            path: read.path.iter().filter_map(|step| self.step(step)).collect(),
            extent: Extent::Whole,
        };
        let reads = lineage.reads.iter().map(whole).collect();
        let own = self.plan.exprs.len() as ExprId;
        let cell = self.plan.cells.len() as CellId;
        let of = self.plan.cells[lineage.source as usize].clone();
        let derived = std::mem::replace(&mut self.plan.exprs[expr as usize], Expr::Cell(cell));
        self.plan.exprs.push(derived);
        self.plan.cells.push(Cell { kind: CellKind::Derived(own, Reads::Followed(reads)), ..of });
        self.found.push(cell);
    }

    fn step(&self, step: &Step) -> Option<ReadStep> {
        let Step::Field(name) = step else { return None };
        let at = self.program.names.iter().position(|known| known == name)?;
        Some(ReadStep::Field(at as NameId))
    }
}

/// Has a reader read some cells, too.
fn read_too(reads: &mut Reads, cells: &mut Vec<CellId>) {
    if cells.is_empty() {
        return;
    }
    let mut paths = reads.paths().to_vec();
    let read = |cell| PlanRead { cell, path: Vec::new(), extent: Extent::Whole };
    paths.extend(cells.drain(..).map(read));
    *reads = Reads::Followed(paths);
}
