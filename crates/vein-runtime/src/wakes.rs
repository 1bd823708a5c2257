//! Who reads what, known before anything runs: for each block a tree of paths into the cells
//! that it sees, with what depends on each.
//!
//! The trees belong to the compiled blocks. Scopes enter nothing and so have nothing to take
//! out when they go.

use crate::lineage::{Descent, descent, with_own_cells};
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;
use std::sync::Arc;
use vein_plan::code::{CellId, Expr, ExprId, NameId};
use vein_plan::{
    BlockId, CellKind, Extent, Given, Name, Plan, PlanRead, Program, Read, ReadStep, Reads,
    SpotKind, Step, Type, TypeId, When,
};

/// A reader's number in its scope: first the cells of its block, then the spots, then the parts,
/// then, for a component's own block, what it asks and what runs by itself.
pub(crate) type Reader = u32;

/// What depends on a path.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Entry {
    /// A derived value, a spot or a part of the block.
    Reader(Reader, Extent),
    /// The list of a spot stands here.
    List(u32),
    /// What tells the items of the loop around the block apart.
    Key,
    /// What the spot gives to a component or hands back: the spot, and which of it.
    Given(u32, u32, Extent),
}

#[derive(Debug, Default)]
pub(crate) struct Node {
    pub(crate) entries: SmallVec<[Entry; 1]>,
    children: Vec<(ReadStep, u32)>,
}

/// The readers of one cell in one block. Most cells have one of them, which stands here itself: what is told is found without going
/// from place to place.
#[derive(Debug)]
pub(crate) struct Wakes {
    nodes: SmallVec<[Node; 1]>,
}

impl Default for Wakes {
    fn default() -> Self {
        Wakes { nodes: SmallVec::from_iter([Node::default()]) }
    }
}

impl Wakes {
    fn enter(&mut self, path: &[ReadStep], entry: Entry) {
        let mut at = 0;
        for step in path {
            let known = self.nodes[at].children.iter().find(|(s, _)| s == step);
            at = match known {
                Some((_, child)) => *child as usize,
                None => {
                    let child = self.nodes.len();
                    self.nodes.push(Node::default());
                    self.nodes[at].children.push((*step, child as u32));
                    child
                }
            };
        }
        if !self.nodes[at].entries.contains(&entry) {
            self.nodes[at].entries.push(entry);
        }
    }

    pub(crate) fn root(&self) -> &Node {
        &self.nodes[0]
    }

    /// The nodes one step on. A position leads to what reads some position, a key to what reads that one and to what reads
    /// some key.
    pub(crate) fn child<'a>(
        &'a self,
        node: &'a Node,
        step: &'a Step,
        names: &'a [Name],
    ) -> impl Iterator<Item = &'a Node> + 'a {
        let leads = move |known: &ReadStep| match (known, step) {
            (ReadStep::AnyItem, _) => true,
            (ReadStep::Field(id), Step::Field(name)) => {
                let known = &names[*id as usize];
                Arc::ptr_eq(known, name) || known == name
            }
            (ReadStep::Field(_), Step::Index(_)) => false,
        };
        let children = node.children.iter().filter(move |(known, _)| leads(known));
        children.map(|(_, child)| &self.nodes[*child as usize])
    }

    pub(crate) fn children<'a>(
        &'a self,
        node: &'a Node,
    ) -> impl Iterator<Item = (ReadStep, &'a Node)> {
        node.children.iter().map(|(step, child)| (*step, &self.nodes[*child as usize]))
    }

    /// Everything that depends on the cell or on something in it.
    pub(crate) fn all(&self) -> impl Iterator<Item = &Entry> {
        self.nodes.iter().flat_map(|node| &node.entries)
    }
}

/// What a reader reads.
#[derive(Debug)]
pub(crate) enum KnownReads {
    /// Always exactly this.
    Fixed(SmallVec<[Read; 1]>),
    /// It differs from run to run.
    Followed,
}

/// What stands at the top of a block, in document order.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Top {
    Node(u32),
    Spot(u32),
}

/// What is known of an expression before it runs.
#[derive(Debug)]
pub(crate) struct Known {
    pub(crate) reads: KnownReads,
    /// How its value can be kept up with a list.
    pub(crate) descent: Option<Descent>,
}

/// The place of what is known of an expression in its plan's table.
pub(crate) type KnownId = u32;

/// What is given through a spot, ready for use.
#[derive(Clone, Debug)]
pub(crate) enum ReadyGiven {
    Path(CellId, Arc<[Step]>),
    Value(ExprId, KnownId),
    Once(ExprId),
}

/// What a block has to do with a cell that it sees.
#[derive(Debug, Default)]
pub(crate) struct Seen {
    /// Its own readers of it.
    pub(crate) wakes: Wakes,
    /// The spots in whose blocks it is read too.
    pub(crate) inner: SmallVec<[u32; 2]>,
    /// Whether something depends on it that runs by itself.
    pub(crate) is_loud: bool,
}

/// A block, ready for running.
#[derive(Debug)]
pub(crate) struct ReadyBlock {
    /// Its own cells, in order.
    pub(crate) cells: Vec<CellId>,
    /// The cells that are read in it or in blocks inside it.
    seen: FxHashMap<CellId, Seen>,
    /// What is known of the readers; cells that are not derived read nothing.
    pub(crate) known: Vec<KnownId>,
    pub(crate) top: Vec<Top>,
    pub(crate) marks: u32,
    pub(crate) spots: usize,
    pub(crate) parts: usize,
    /// For each spot: where it stands among the marks.
    pub(crate) order: Vec<u32>,
    /// For each spot: how many elements of the block stand around it.
    pub(crate) around: Vec<u32>,
    /// For each spot: the way to its list, or what it gives.
    pub(crate) lists: Vec<Arc<[Step]>>,
    pub(crate) given: Vec<Vec<ReadyGiven>>,
    /// The cell of the loop's item, and of its position where something reads it.
    pub(crate) item: Option<CellId>,
    pub(crate) position: Option<CellId>,
    /// The number of its template among all of the program.
    pub(crate) template: u32,
}

impl ReadyBlock {
    /// What it has to do with a cell; nothing where neither it nor what stands in it reads that.
    pub(crate) fn seen(&self, cell: CellId) -> Option<&Seen> {
        self.seen.get(&cell)
    }

    pub(crate) fn is_loud(&self, cell: CellId) -> bool {
        self.seen(cell).is_some_and(|seen| seen.is_loud)
    }

    pub(crate) fn reader_of_spot(&self, spot: u32) -> Reader {
        self.cells.len() as u32 + spot
    }

    pub(crate) fn reader_of_part(&self, part: u32) -> Reader {
        (self.cells.len() + self.spots) as u32 + part
    }

    /// What is asked of the host, then what runs by itself.
    pub(crate) fn reader_of_effect(&self, effect: u32) -> Reader {
        (self.cells.len() + self.spots + self.parts) as u32 + effect
    }
}

/// Where a cell lives: its block, and its place among the block's cells.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Home {
    pub(crate) block: BlockId,
    pub(crate) at: u32,
}

/// A plan, ready for running.
#[derive(Debug)]
pub(crate) struct ReadyPlan {
    pub(crate) blocks: Vec<ReadyBlock>,
    pub(crate) homes: Vec<Home>,
    /// The stores that it uses.
    pub(crate) stores: Vec<u32>,
    /// The page's number of each function that it asks.
    pub(crate) asked: Vec<u32>,
    pub(crate) lives: Lives,
    /// For values of a store: the plans that use them, and the cells that stand for them there.
    users: FxHashMap<CellId, Vec<(u32, CellId)>>,
    known: Vec<Known>,
}

/// What of a component is more than its view.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Lives {
    /// Something runs when it is added.
    pub(crate) added: bool,
    /// Something runs when it is removed.
    pub(crate) removed: bool,
    /// It asks, watches or has timers.
    pub(crate) effects: bool,
}

/// A program with everything that can be known before it runs.
#[derive(Debug)]
pub(crate) struct Prepared {
    pub(crate) program: Arc<Program>,
    /// The same with cells of its own for what is derived from lists in the middle of expressions.
    own: Arc<Program>,
    pub(crate) plans: Vec<ReadyPlan>,
    /// How many templates the blocks have.
    pub(crate) templates: u32,
    /// The functions that the host answers, each name once.
    pub(crate) functions: Vec<Name>,
    /// Whether anything runs by itself or asks while the view is brought up to date. Without that, the view is made in
    /// one go.
    pub(crate) lively: bool,
    /// Whether a shape has itself inside, so that values can nest without end.
    pub(crate) nests: bool,
}

/// A cell as a block sees it.
type BlockCell = (u32, BlockId, CellId);

/// The cells, as blocks see them, on which something depends that runs by itself.
fn loud(program: &Program, plans: &[ReadyPlan]) -> FxHashSet<BlockCell> {
    if !plans.iter().any(|plan| plan.lives.effects) {
        return FxHashSet::default();
    }
    let mut leads: FxHashMap<BlockCell, Vec<BlockCell>> = FxHashMap::default();
    let mut open: Vec<BlockCell> = Vec::new();
    for (plan, ready) in (0..).zip(plans) {
        for (block, ready) in (0..).zip(&ready.blocks) {
            for cell in ready.seen.keys() {
                let seen = (plan, block, *cell);
                if seen_by(program, plans, seen, |next| leads.entry(next).or_default().push(seen)) {
                    open.push(seen);
                }
            }
        }
    }
    let mut found = FxHashSet::default();
    while let Some(seen) = open.pop() {
        if found.insert(seen) {
            open.extend(leads.get(&seen).into_iter().flatten());
        }
    }
    found
}

/// Names the cells that depend on one; whether something that runs by itself does.
fn seen_by(
    program: &Program,
    plans: &[ReadyPlan],
    (plan, block, cell): BlockCell,
    mut next: impl FnMut(BlockCell),
) -> bool {
    let ready = &plans[plan as usize].blocks[block as usize];
    let planned = &program.plans[plan as usize].blocks[block as usize];
    let mut is_loud = false;
    let Some(seen) = ready.seen(cell) else { return false };
    for entry in seen.wakes.all() {
        match *entry {
            Entry::Key => {}
            Entry::Reader(reader, _) if reader >= ready.reader_of_effect(0) => is_loud = true,
            Entry::Reader(reader, _) => {
                if let Some(cell) = ready.cells.get(reader as usize) {
                    next((plan, block, *cell));
                }
            }
            Entry::List(spot) => {
                if let SpotKind::List { block, .. } = &planned.spots[spot as usize].kind {
                    let row = &plans[plan as usize].blocks[*block as usize];
                    let cells = row.item.iter().chain(&row.position);
                    cells.for_each(|cell| next((plan, *block, *cell)));
                }
            }
            Entry::Given(spot, which, _) => match &planned.spots[spot as usize].kind {
                SpotKind::Component(used) => {
                    if let Some((cell, _)) = used.props.get(which as usize) {
                        next((used.plan, 0, *cell));
                    }
                }
                // Whatever stands in a slot may be of any component.
                _ => is_loud = true,
            },
        }
    }
    for spot in &seen.inner {
        let blocks = planned.spots[*spot as usize].kind.blocks();
        blocks.into_iter().for_each(|block| next((plan, block, cell)));
    }
    is_loud
}

/// Whether a shape of a program has itself inside.
fn nests(program: &Program) -> bool {
    let shapes = program.shapes.len();
    let inner = |shape: usize| {
        let mut open: Vec<TypeId> =
            program.shapes[shape].fields.iter().map(|(_, ty)| *ty).collect();
        let mut found = Vec::new();
        while let Some(ty) = open.pop() {
            match &program.types[ty as usize] {
                Type::List(ty) | Type::Optional(ty) | Type::Dictionary(ty) | Type::Entry(ty) => {
                    open.push(*ty)
                }
                Type::Record(fields) => open.extend(fields.iter().map(|(_, ty)| *ty)),
                Type::Shape(shape) => found.push(*shape as usize),
                _ => {}
            }
        }
        found
    };
    let inside: Vec<Vec<usize>> = (0..shapes).map(inner).collect();
    (0..shapes).any(|shape| {
        let (mut seen, mut open) = (vec![false; shapes], inside[shape].clone());
        while let Some(other) = open.pop() {
            if other == shape {
                return true;
            }
            if !std::mem::replace(&mut seen[other], true) {
                open.extend(&inside[other]);
            }
        }
        false
    })
}

impl Prepared {
    pub(crate) fn new(program: Arc<Program>) -> Prepared {
        let mut templates = 0;
        let is_asked = |plan: &Plan| plan.exprs.iter().any(|expr| matches!(expr, Expr::Ask(..)));
        let asks = program.plans.iter().any(is_asked);
        let own = with_own_cells(&program, asks);
        let plans = own.plans.iter().map(|plan| {
            let first = templates;
            templates += plan.blocks.len() as u32;
            ready(&own, plan, first, asks)
        });
        let mut plans: Vec<ReadyPlan> = plans.collect();
        let mut functions = Vec::new();
        for (number, plan) in program.plans.iter().enumerate() {
            for asked in &plan.asked {
                let known = functions.iter().position(|name| *name == asked.name);
                let at = known.unwrap_or_else(|| {
                    functions.push(asked.name.clone());
                    functions.len() - 1
                });
                plans[number].asked.push(at as u32);
            }
            for (cell, planned) in plan.cells.iter().enumerate() {
                if let CellKind::Store(store, found) = planned.kind {
                    let users = plans[store as usize].users.entry(found).or_default();
                    users.push((number as u32, cell as CellId));
                }
            }
        }
        for (plan, block, cell) in loud(&own, &plans) {
            if let Some(seen) = plans[plan as usize].blocks[block as usize].seen.get_mut(&cell) {
                seen.is_loud = true;
            }
        }
        let lively = program.plans.iter().any(|plan| {
            !(plan.hooks.is_empty() && plan.asked.is_empty() && plan.sources.is_empty())
        });
        let nests = nests(&program);
        Prepared { plans, templates, functions, lively, nests, program, own }
    }

    pub(crate) fn plan(&self, plan: u32) -> &Plan {
        &self.own.plans[plan as usize]
    }

    /// Whether a cell is one of those that nobody is told of.
    pub(crate) fn is_own(&self, plan: u32, cell: CellId) -> bool {
        cell as usize >= self.program.plans[plan as usize].cells.len()
    }

    pub(crate) fn block(&self, plan: u32, block: BlockId) -> &ReadyBlock {
        &self.plans[plan as usize].blocks[block as usize]
    }

    /// For a value of a store: the plans that use it, and the cells that stand for it there.
    pub(crate) fn users(&self, plan: u32, cell: CellId) -> impl Iterator<Item = &(u32, CellId)> {
        self.plans[plan as usize].users.get(&cell).into_iter().flatten()
    }

    /// What is known of an expression of a plan.
    pub(crate) fn known(&self, plan: u32, known: KnownId) -> &Known {
        &self.plans[plan as usize].known[known as usize]
    }
}

fn steps(program: &Program, path: &[NameId]) -> Arc<[Step]> {
    path.iter().map(|name| Step::Field(program.names[*name as usize].clone())).collect()
}

/// Fixed reads never go through items of lists.
fn known(program: &Program, reads: &Reads) -> KnownReads {
    let Reads::Fixed(paths) = reads else { return KnownReads::Followed };
    let step = |step: &ReadStep| match step {
        ReadStep::Field(name) => Some(Step::Field(program.names[*name as usize].clone())),
        ReadStep::AnyItem => None,
    };
    let read = |read: &PlanRead| Read {
        cell: read.cell,
        path: read.path.iter().map_while(step).collect(),
        extent: read.extent,
    };
    KnownReads::Fixed(paths.iter().map(read).collect())
}

fn ready(program: &Program, plan: &Plan, first_template: u32, asks: bool) -> ReadyPlan {
    let mut homes = Vec::with_capacity(plan.cells.len());
    let mut own: Vec<Vec<CellId>> = vec![Vec::new(); plan.blocks.len()];
    for (number, cell) in plan.cells.iter().enumerate() {
        let cells = &mut own[cell.block as usize];
        homes.push(Home { block: cell.block, at: cells.len() as u32 });
        cells.push(number as CellId);
    }
    let mut known = KnownOf { program, plan, asks, all: vec![Known::nothing()] };
    let mut blocks: Vec<ReadyBlock> = own
        .into_iter()
        .enumerate()
        .map(|(number, cells)| ready_block(&mut known, number as BlockId, cells, first_template))
        .collect();
    let known = known.all;
    // What a block reads of the cells around it, those around it have to know. Inner blocks
    // stand after the outer ones.
    for number in (1..blocks.len()).rev() {
        let block = &blocks[number];
        let Some(parent) = plan.blocks[number].parent else { continue };
        let spot = plan.blocks[parent as usize]
            .spots
            .iter()
            .position(|spot| spot.kind.blocks().contains(&(number as BlockId)));
        let Some(spot) = spot.map(|spot| spot as u32) else { continue };
        let is_outer = |cell: &CellId| homes[*cell as usize].block != number as BlockId;
        let outer: Vec<CellId> = block.seen.keys().copied().filter(is_outer).collect();
        for cell in outer {
            let spots = &mut blocks[parent as usize].seen.entry(cell).or_default().inner;
            if !spots.contains(&spot) {
                spots.push(spot);
            }
        }
    }
    for block in &mut blocks {
        // A position that nothing reads need not be kept up to date.
        block.position = block.position.filter(|cell| block.seen.contains_key(cell));
    }
    let hooked = |wanted: fn(&When) -> bool| plan.hooks.iter().any(|hook| wanted(&hook.when));
    let lives = Lives {
        added: hooked(|when| matches!(when, When::Added)),
        removed: hooked(|when| matches!(when, When::Removed)),
        effects: !plan.sources.is_empty()
            || hooked(|when| matches!(when, When::Changed(_) | When::Every(..))),
    };
    let (stores, asked, users) = (plan.stores_read(), Vec::new(), FxHashMap::default());
    ReadyPlan { blocks, homes, stores, asked, lives, users, known }
}

impl Known {
    /// Of what reads nothing.
    fn nothing() -> Known {
        Known { reads: KnownReads::Fixed(SmallVec::new()), descent: None }
    }
}

/// What is known of the expressions of a plan, as far as it was looked through.
struct KnownOf<'a> {
    program: &'a Program,
    plan: &'a Plan,
    /// Whether the program asks the host while it evaluates.
    asks: bool,
    all: Vec<Known>,
}

impl KnownOf<'_> {
    /// What reads nothing.
    const NOTHING: KnownId = 0;

    fn enter(&mut self, reads: KnownReads, descent: Option<Descent>) -> KnownId {
        self.all.push(Known { reads, descent });
        self.all.len() as KnownId - 1
    }

    fn reader(&mut self, reads: &Reads) -> KnownId {
        self.enter(known(self.program, reads), None)
    }

    /// A value that is kept in step with what it reads.
    fn derived(&mut self, expr: ExprId, reads: &Reads) -> KnownId {
        let descent = descent(self.program, self.plan, expr, self.asks);
        self.enter(known(self.program, reads), descent)
    }
}

fn ready_block(
    of: &mut KnownOf<'_>,
    number: BlockId,
    cells: Vec<CellId>,
    first_template: u32,
) -> ReadyBlock {
    let (program, plan) = (of.program, of.plan);
    let block = &plan.blocks[number as usize];
    let mut seen: FxHashMap<CellId, Seen> = FxHashMap::default();
    let mut enter = |read: &PlanRead, entry: Entry| {
        seen.entry(read.cell).or_default().wakes.enter(&read.path, entry);
    };
    let mut known: Vec<KnownId> = Vec::new();
    let mut item = None;
    let mut position = None;
    for (at, cell) in cells.iter().enumerate() {
        match &plan.cells[*cell as usize].kind {
            CellKind::Derived(expr, found) => {
                for read in found.paths() {
                    enter(read, Entry::Reader(at as u32, read.extent));
                }
                known.push(of.derived(*expr, found));
                continue;
            }
            CellKind::Item => item = Some(*cell),
            CellKind::Position => position = Some(*cell),
            _ => {}
        }
        known.push(KnownOf::NOTHING);
    }
    let (mut lists, mut given) = (Vec::new(), Vec::new());
    for (at, spot) in block.spots.iter().enumerate() {
        let reader = (cells.len() + at) as u32;
        let (mut list, mut gives) = (Arc::from([]), Vec::new());
        let mut giving = |all: &mut dyn Iterator<Item = &Given>,
                          enter: &mut dyn FnMut(&PlanRead, Entry)| {
            for (which, value) in all.enumerate() {
                let (spot, which) = (at as u32, which as u32);
                gives.push(match value {
                    Given::Path { cell, path } => {
                        let fields = path.iter().map(|name| ReadStep::Field(*name)).collect();
                        let read = PlanRead { cell: *cell, path: fields, extent: Extent::Whole };
                        enter(&read, Entry::Given(spot, which, Extent::Whole));
                        ReadyGiven::Path(*cell, steps(program, path))
                    }
                    Given::Value(id, found) => {
                        for read in found.paths() {
                            enter(read, Entry::Given(spot, which, read.extent));
                        }
                        ReadyGiven::Value(*id, of.derived(*id, found))
                    }
                    Given::Once(id) => ReadyGiven::Once(*id),
                });
            }
        };
        let mut found = KnownOf::NOTHING;
        match &spot.kind {
            SpotKind::Branch { reads, .. }
            | SpotKind::Renamed { reads, .. }
            | SpotKind::Markup { reads, .. } => {
                for read in reads.paths() {
                    enter(read, Entry::Reader(reader, read.extent));
                }
                found = of.reader(reads);
            }
            SpotKind::List { cell, path, .. } => {
                let fields = path.iter().map(|name| ReadStep::Field(*name)).collect();
                let read = PlanRead { cell: *cell, path: fields, extent: Extent::Whole };
                enter(&read, Entry::List(at as u32));
                list = steps(program, path);
                let path = list.to_vec();
                let read = Read { cell: *cell, path, extent: Extent::Whole };
                found = of.enter(KnownReads::Fixed(SmallVec::from_iter([read])), None);
            }
            SpotKind::Component(used) => {
                giving(&mut used.props.iter().map(|(_, given)| given), &mut enter);
            }
            SpotKind::Slot { values, .. } => {
                giving(&mut values.iter().map(|(_, given)| given), &mut enter);
            }
        }
        known.push(found);
        lists.push(list);
        given.push(gives);
    }
    for (at, part) in block.parts.iter().enumerate() {
        let reader = (cells.len() + block.spots.len() + at) as u32;
        for read in part.reads.paths() {
            enter(read, Entry::Reader(reader, read.extent));
        }
        known.push(of.reader(&part.reads));
    }
    if number == 0 {
        let sources = plan.sources.iter().map(|source| Some(&source.reads));
        let hooks = plan.hooks.iter().map(|hook| match &hook.when {
            When::Changed(reads) | When::Every(_, reads) => Some(reads),
            When::Added | When::Removed => None,
        });
        for found in sources.chain(hooks) {
            let reader = known.len() as u32;
            for read in found.into_iter().flat_map(|found| found.paths()) {
                enter(read, Entry::Reader(reader, read.extent));
            }
            known.push(found.map_or(KnownOf::NOTHING, |found| of.reader(found)));
        }
    }
    // What tells items apart is read by the loop, in the name of the row.
    let around = block.parent.map(|parent| &plan.blocks[parent as usize].spots);
    for spot in around.into_iter().flatten() {
        if let SpotKind::List { by: Some((_, found)), block, .. } = &spot.kind
            && *block == number
        {
            for read in found.paths() {
                enter(read, Entry::Key);
            }
        }
    }
    ReadyBlock {
        marks: block.marks(),
        spots: block.spots.len(),
        around: block.spots.iter().map(|spot| block.elements_around(spot)).collect(),
        parts: block.parts.len(),
        top: top(block),
        order: order(block),
        template: first_template + number,
        cells,
        seen,
        known,
        lists,
        given,
        item,
        position,
    }
}

fn top(block: &vein_plan::Block) -> Vec<Top> {
    let (mut found, mut depth, mut mark) = (Vec::new(), 0, 0);
    let spots_before = |wanted: Option<u32>| {
        let spots = block.spots.iter().enumerate();
        let here = spots
            .filter(move |(_, spot)| spot.parent.is_none() && block.stands_before(spot) == wanted);
        here.map(|(at, _)| Top::Spot(at as u32)).collect::<Vec<_>>()
    };
    for node in &block.template {
        if matches!(node, vein_plan::TemplateNode::Close) {
            depth -= 1;
            continue;
        }
        if depth == 0 && node.is_marked() {
            found.extend(spots_before(Some(mark)));
            found.push(Top::Node(mark));
        }
        mark += u32::from(node.is_marked());
        depth += i32::from(matches!(node, vein_plan::TemplateNode::Open { .. }));
    }
    found.extend(spots_before(None));
    found
}

/// For each spot, how many marks stand before it in the document.
fn order(block: &vein_plan::Block) -> Vec<u32> {
    let (mut ends, mut open, mut mark) = (FxHashMap::default(), Vec::new(), 0);
    for node in &block.template {
        match node {
            vein_plan::TemplateNode::Open { marked, .. } => open.push(marked.then_some(mark)),
            vein_plan::TemplateNode::Close => {
                if let Some(Some(own)) = open.pop() {
                    ends.insert(own, mark);
                }
            }
            _ => {}
        }
        mark += u32::from(node.is_marked());
    }
    let place = |spot: &vein_plan::Spot| match (block.stands_before(spot), spot.parent) {
        (Some(next), _) => next,
        (None, Some(parent)) => ends.get(&parent).copied().unwrap_or(mark),
        (None, None) => mark,
    };
    block.spots.iter().map(place).collect()
}
