//! Who reads what, as bits: each block knows of its own readers which a write to a cell of it can reach.

use std::collections::{BTreeMap, BTreeSet};
use vein_plan::code::{CellId, Expr, ExprId, Function, LocalId, Place, PlaceStep};
use vein_plan::members::Member;
use vein_plan::{
    Block, BlockId, CellKind, Extent, Given, Plan, PlanRead, ReadStep, SpotKind, When,
};

/// What reads in a block.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Who {
    /// A derived value.
    Derived(CellId),
    /// A part, by its number.
    Part(usize),
    /// What chooses what stands in a spot.
    Spot(usize),
    /// What is given to the component in a spot, or handed back by a slot, and which of that.
    Given(usize, usize),
    /// Whoever reads inside of a spot a cell that stands around it.
    Inside(usize, CellId),
    /// What is asked or runs by itself: the sources of a component, then its hooks.
    Effect(usize),
    /// The same by way of what is given, of which nobody says exactly what has changed.
    Through(usize),
}

impl Who {
    /// When it is looked at: when somebody asks, when it is worked out what stands where, or at the end.
    fn turn(self) -> usize {
        match self {
            Who::Derived(_) | Who::Given(..) | Who::Effect(_) | Who::Through(_) => 0,
            Who::Spot(_) | Who::Inside(..) => 1,
            Who::Part(_) => 2,
        }
    }

    fn is_asked(self) -> bool {
        self.turn() == 0
    }

    /// The field that says of one that shares its bit that it has something to look at.
    pub(crate) fn flag(self) -> String {
        match self {
            Who::Derived(cell) => format!("f{cell}$"),
            Who::Given(at, which) => format!("f{at}_{which}$"),
            Who::Effect(at) => format!("fe{at}$"),
            Who::Through(at) => format!("ft{at}$"),
            _ => unreachable!("it is looked at together with others"),
        }
    }
}

/// How many bits a scope has.
const BITS: usize = 31;

/// How many of them are left for others where what is asked one by one alone takes more than there are.
const LEFT: usize = 6;

struct Reader {
    who: Who,
    reads: Vec<PlanRead>,
    bit: u32,
}

/// The readers of a block by their bits.
pub(crate) struct Readers {
    all: Vec<Reader>,
}

impl Readers {
    pub(crate) fn of(plan: &Plan, block: BlockId) -> Readers {
        let mut all: Vec<(Who, Vec<PlanRead>)> = Vec::new();
        // Derived values stand first: each after those that it reads.
        for (number, cell) in (0..).zip(&plan.cells) {
            if let (CellKind::Derived(..), true) = (&cell.kind, cell.block == block) {
                all.push((Who::Derived(number), own_reads(plan, number)));
            }
        }
        if block == 0 {
            let sources = plan.sources.iter().map(|source| source.reads.paths().to_vec());
            let hooks = plan.hooks.iter().map(|hook| match &hook.when {
                When::Changed(reads) | When::Every(_, reads) => reads.paths().to_vec(),
                When::Added | When::Removed => Vec::new(),
            });
            // They may have to be looked at as soon as something is written that a derived value of theirs reads: in which
            // order they are does not hang on what comes out of it.
            let effects = sources.chain(hooks).map(|reads| with_derived(plan, reads));
            for (at, reads) in effects.enumerate() {
                let (given, own): (Vec<PlanRead>, Vec<PlanRead>) =
                    reads.into_iter().partition(|read| {
                        matches!(
                            plan.cells[read.cell as usize].kind,
                            CellKind::Prop(_) | CellKind::Shared(_)
                        )
                    });
                all.extend([(Who::Effect(at), own), (Who::Through(at), given)]);
            }
        }
        let empty = Block::default();
        let here = plan.blocks.get(block as usize).unwrap_or(&empty);
        for (at, part) in here.parts.iter().enumerate() {
            all.push((Who::Part(at), part.reads.paths().to_vec()));
        }
        for (at, spot) in here.spots.iter().enumerate() {
            let given = given_in(&spot.kind).enumerate();
            all.extend(given.map(|(which, given)| (Who::Given(at, which), read_of(given))));
            all.push((Who::Spot(at), read_by(plan, &spot.kind)));
            let mut inside: BTreeMap<CellId, Vec<PlanRead>> = BTreeMap::new();
            for read in self::inside(plan, &spot.kind) {
                if stands_around(plan, read.cell, block) {
                    inside.entry(read.cell).or_default().push(read);
                }
            }
            all.extend(inside.into_iter().map(|(cell, reads)| (Who::Inside(at, cell), reads)));
        }
        for (_, reads) in &mut all {
            hand_on(plan, block, reads);
        }
        all.retain(|(_, reads)| !reads.is_empty());
        all.sort_by_key(|(who, _)| who.turn());
        let counts = [0, 1, 2].map(|turn| all.iter().filter(|(who, _)| who.turn() == turn).count());
        let (mut seen, rooms) = ([0; 3], rooms(counts));
        let all = all.into_iter().map(|(who, reads)| {
            let turn = who.turn();
            let (first, room) = rooms[turn];
            // Where there is not enough room some share one: they are looked at together.
            let at = first + seen[turn] * room.min(counts[turn]) / counts[turn];
            seen[turn] += 1;
            Reader { who, reads, bit: 1 << at }
        });
        Readers { all: all.collect() }
    }

    /// The bit of a reader; none of what always gives the same.
    pub(crate) fn bit(&self, who: Who) -> u32 {
        self.all.iter().find(|reader| reader.who == who).map_or(0, |reader| reader.bit)
    }

    /// Those that are asked one by one and share their bit with others: each has a field of its own beside it.
    pub(crate) fn flagged(&self) -> impl Iterator<Item = (Who, u32)> {
        let asked = self.all.iter().filter(|reader| reader.who.is_asked());
        let shared = asked.filter(|reader| {
            self.all.iter().any(|other| other.bit == reader.bit && other.who != reader.who)
        });
        shared.map(|reader| (reader.who, reader.bit))
    }

    /// The derived values of the block.
    pub(crate) fn derived(&self) -> impl Iterator<Item = CellId> {
        self.all.iter().filter_map(|reader| match reader.who {
            Who::Derived(cell) => Some(cell),
            _ => None,
        })
    }

    pub(crate) fn where_one(&self, reached: impl Fn(&PlanRead) -> bool) -> u32 {
        let reading = self.all.iter().filter(|reader| reader.reads.iter().any(&reached));
        reading.fold(0, |bits, reader| bits | reader.bit)
    }

    /// Those that read a cell at all.
    pub(crate) fn of_cell(&self, cell: CellId) -> u32 {
        self.where_one(|read| read.cell == cell)
    }

    /// The cells around the block that something in it reads, each with those that do.
    pub(crate) fn of_outer(&self, plan: &Plan, block: BlockId) -> BTreeMap<CellId, u32> {
        let mut found: BTreeMap<CellId, u32> = BTreeMap::new();
        for Reader { reads, bit, .. } in &self.all {
            for read in reads.iter().filter(|read| plan.cells[read.cell as usize].block != block) {
                *found.entry(read.cell).or_default() |= bit;
            }
        }
        found
    }

    /// Those that read the item that the block stands for, or where it stands.
    pub(crate) fn of_item(&self, plan: &Plan, block: BlockId) -> u32 {
        self.where_one(|read| {
            let cell = &plan.cells[read.cell as usize];
            cell.block == block && matches!(cell.kind, CellKind::Item | CellKind::Position)
        })
    }

    /// Who reads each field of what a cell holds, by the field's name, and who reads it as a whole; `is_left` says whom to
    /// leave out.
    pub(crate) fn of_fields(
        &self,
        cell: CellId,
        is_left: impl Fn(Who) -> bool,
    ) -> (u32, BTreeMap<u32, u32>) {
        let (mut whole, mut fields) = (0, BTreeMap::<u32, u32>::new());
        for Reader { reads, bit, .. } in self.all.iter().filter(|reader| !is_left(reader.who)) {
            for read in reads.iter().filter(|read| read.cell == cell) {
                match read.path.first() {
                    Some(ReadStep::Field(name)) => *fields.entry(*name).or_default() |= bit,
                    None if read.extent == Extent::Presence => {}
                    _ => whole |= bit,
                }
            }
        }
        fields.values_mut().for_each(|bits| *bits |= whole);
        (whole, fields)
    }

    /// The loops whose items, or their positions, a reader reads: the blocks that they repeat.
    pub(crate) fn rows_of(&self, plan: &Plan, who: Who) -> BTreeSet<BlockId> {
        let reads = self.all.iter().filter(|reader| reader.who == who).flat_map(|r| &r.reads);
        let cells = reads.map(|read| &plan.cells[read.cell as usize]);
        let rows = cells.filter(|c| matches!(c.kind, CellKind::Item | CellKind::Position));
        rows.map(|cell| cell.block).collect()
    }

    /// Those that are looked at when it is worked out what stands where.
    pub(crate) fn choosing(&self) -> u32 {
        let choosing = self.all.iter().filter(|reader| reader.who.turn() == 1);
        choosing.fold(0, |bits, reader| bits | reader.bit)
    }

    /// The cells of around that are read inside of a spot.
    pub(crate) fn read_inside(&self, at: usize) -> impl Iterator<Item = (CellId, u32)> {
        self.all.iter().filter_map(move |reader| match reader.who {
            Who::Inside(spot, cell) if spot == at => Some((cell, reader.bit)),
            _ => None,
        })
    }

    /// All that is looked at when somebody asks.
    pub(crate) fn asked(&self) -> impl Iterator<Item = (Who, u32)> {
        let asked = self.all.iter().filter(|reader| reader.who.is_asked());
        asked.map(|reader| (reader.who, reader.bit))
    }

    /// Those that a write to a place can reach; `edits` says that items of the list there come, go or change places.
    pub(crate) fn of_write(&self, cell: CellId, way: &[ReadStep], edits: bool) -> u32 {
        self.where_one(|read| {
            if read.cell != cell {
                return false;
            }
            if !read.path.iter().zip(way).all(meet) {
                return false;
            }
            match read.path.len().checked_sub(way.len()) {
                // What is read is what is written, or is inside it.
                Some(inside) if !edits || inside > 0 => true,
                Some(_) => matches!(read.extent, Extent::Whole | Extent::Length),
                // What is written is inside what is read. A key of a dictionary may be new.
                None => {
                    let keys = read.extent == Extent::Keys && way.len() == read.path.len() + 1;
                    read.extent == Extent::Whole || keys
                }
            }
        })
    }
}

/// Whether two steps may lead to one place: where one says which key of a dictionary, the other may mean any.
fn meet((a, b): (&ReadStep, &ReadStep)) -> bool {
    a == b || *a == ReadStep::AnyItem || *b == ReadStep::AnyItem
}

/// The state that a place stands in, and the way there, through rows and lists that are made of others.
pub(crate) fn way_of(plan: &Plan, place: &Place) -> (CellId, Vec<ReadStep>) {
    let steps = place.steps.iter().map(|step| match step {
        PlaceStep::Field(name) => ReadStep::Field(*name),
        PlaceStep::Index(_) => ReadStep::AnyItem,
    });
    let (mut cell, mut way) = (place.cell, steps.collect::<Vec<_>>());
    while let Some((next, more)) = stands_in(plan, cell) {
        (cell, way) = (next, [more, way].concat());
    }
    (cell, way)
}

/// Reads with those of the derived values among them.
fn with_derived(plan: &Plan, reads: Vec<PlanRead>) -> Vec<PlanRead> {
    let (mut open, mut found): (Vec<PlanRead>, Vec<PlanRead>) = (reads, Vec::new());
    while let Some(read) = open.pop() {
        if found.contains(&read) {
            continue;
        }
        if let CellKind::Derived(..) = &plan.cells[read.cell as usize].kind {
            open.extend(own_reads(plan, read.cell));
        }
        open.extend(handed_on(plan, &read));
        found.push(read);
    }
    found
}

/// What a derived value reads for itself. Of items that it only hands on that is where they stand, and what it looks at in
/// them to tell: what else is written in them is told to those who read it there.
fn own_reads(plan: &Plan, cell: CellId) -> Vec<PlanRead> {
    let CellKind::Derived(_, reads) = &plan.cells[cell as usize].kind else { return Vec::new() };
    let mut reads = reads.paths().to_vec();
    if let Some((source, item)) = hands_on(plan, cell) {
        let passed = PlanRead { cell: source, path: item, extent: Extent::Whole };
        reads.retain(|read| *read != passed);
    }
    reads
}

/// The cell whose items a derived list hands on as they are, and the way to one of them there.
pub(crate) fn hands_on(plan: &Plan, cell: CellId) -> Option<(CellId, Vec<ReadStep>)> {
    let CellKind::Derived(expr, _) = &plan.cells[cell as usize].kind else { return None };
    // Who reads a store in other components is told by the name of what has changed.
    if plan.store.is_some() {
        return None;
    }
    let (mut list, mut functions) = (*expr, Vec::new());
    while let Expr::Walk(Member::Filter | Member::ToSorted, of, function, _) =
        &plan.exprs[list as usize]
    {
        functions.push(function);
        list = *of;
    }
    if functions.is_empty() || !matches!(plan.exprs[list as usize], Expr::Field(..) | Expr::Cell(_))
    {
        return None;
    }
    let (source, mut item) = way_in(plan, list)?;
    item.push(ReadStep::AnyItem);
    let knows = functions.iter().all(|function| reads_fields(plan, function, source));
    knows.then_some((source, item))
}

/// Whether a function looks at nothing but fields of what it is given, as far as that stands in a cell.
fn reads_fields(plan: &Plan, function: &Function, source: CellId) -> bool {
    let is_given = |local: &LocalId| function.params.contains(local);
    let (mut open, mut sure) = (vec![function.body], true);
    while let Some(expr) = open.pop() {
        match &plan.exprs[expr as usize] {
            Expr::Field(of, _) if matches!(&plan.exprs[*of as usize], Expr::Local(local) if is_given(local)) =>
                {}
            Expr::Local(local) => sure &= !is_given(local),
            Expr::Cell(cell) => sure &= *cell != source,
            // What it is given may be looked at in any way.
            Expr::Apply(..) => return false,
            other => other.children(|child| open.push(child)),
        }
    }
    sure
}

/// What a read of a derived list that only hands items on reads where these stand.
fn handed_on(plan: &Plan, read: &PlanRead) -> Option<PlanRead> {
    let (cell, item) = hands_on(plan, read.cell)?;
    let rest: &[ReadStep] = match read.path.as_slice() {
        [] if read.extent == Extent::Whole => &[],
        [ReadStep::AnyItem] if read.extent != Extent::Whole => return None,
        [ReadStep::AnyItem, rest @ ..] => rest,
        _ => return None,
    };
    Some(PlanRead { cell, path: [&item, rest].concat(), extent: read.extent })
}

/// Adds what is read where items stand that derived lists hand on, as far as the list or its items are of a block: of others
/// it is told by who stands around.
fn hand_on(plan: &Plan, block: BlockId, reads: &mut Vec<PlanRead>) {
    let mut at = 0;
    while at < reads.len() {
        let is_own = |read: &PlanRead| plan.cells[read.cell as usize].block == block;
        let more = handed_on(plan, &reads[at]).filter(|more| is_own(more) || is_own(&reads[at]));
        reads.extend(more.filter(|more| !reads.contains(more)));
        at += 1;
    }
}

/// For each kind of readers, by when they are looked at, the first of their bits and how many there are.
fn rooms(counts: [usize; 3]) -> [(usize, usize); 3] {
    let [asked, spots, parts] = counts;
    let asked = asked.min(if asked + spots + parts <= BITS { asked } else { BITS - LEFT });
    let left = BITS - asked;
    let spots = match spots + parts <= left {
        true => spots,
        // Each kind that there is has some room.
        false => (left * spots / (spots + parts)).clamp(spots.min(1), left - parts.min(1)),
    };
    [(0, asked), (asked, spots), (asked + spots, left - spots)]
}

/// The cells that some reads are of.
pub(crate) fn cells<'a>(reads: impl IntoIterator<Item = &'a PlanRead>) -> BTreeSet<CellId> {
    reads.into_iter().map(|read| read.cell).collect()
}

/// Whether a cell lives in a block or in one that it stands in.
fn stands_around(plan: &Plan, cell: CellId, block: BlockId) -> bool {
    let home = plan.cells[cell as usize].block;
    let outwards = std::iter::successors(Some(block), |at| plan.blocks[*at as usize].parent);
    outwards.into_iter().any(|at| at == home)
}

/// What a spot itself reads.
pub(crate) fn read_by(plan: &Plan, kind: &SpotKind) -> Vec<PlanRead> {
    match kind {
        SpotKind::Branch { reads, .. }
        | SpotKind::Renamed { reads, .. }
        | SpotKind::Markup { reads, .. } => reads.paths().to_vec(),
        // Who stands there, and what tells them apart; what else is in the items is theirs.
        SpotKind::List { cell, path, by, block } => {
            let list: Vec<ReadStep> = path.iter().map(|name| ReadStep::Field(*name)).collect();
            let item = [list.clone(), vec![ReadStep::AnyItem]].concat();
            let by = by.iter().flat_map(|(_, reads)| reads.paths().to_vec());
            let own = by.filter(|read| is_item(plan, read.cell, *block));
            let own = own.map(|read| PlanRead {
                cell: *cell,
                path: [item.clone(), read.path].concat(),
                extent: read.extent,
            });
            let there = [
                PlanRead { cell: *cell, path: list, extent: Extent::Length },
                PlanRead { cell: *cell, path: item.clone(), extent: Extent::Presence },
            ];
            there.into_iter().chain(own).collect()
        }
        _ => Vec::new(),
    }
}

/// All that stands at a path.
fn whole(cell: CellId, path: &[u32]) -> PlanRead {
    let path = path.iter().map(|name| ReadStep::Field(*name)).collect();
    PlanRead { cell, path, extent: Extent::Whole }
}

/// Whether a cell is the item that a block is repeated for.
pub(crate) fn is_item(plan: &Plan, cell: CellId, block: BlockId) -> bool {
    let cell = &plan.cells[cell as usize];
    cell.kind == CellKind::Item && cell.block == block
}

/// Whether what is given is the item that a block is repeated for, as it is.
pub(crate) fn gives_item(plan: &Plan, given: &Given, block: BlockId) -> bool {
    matches!(given, Given::Path { cell, path } if path.is_empty() && is_item(plan, *cell, block))
}

/// What is read of the giver for as long as something is given.
pub(crate) fn read_of(given: &Given) -> Vec<PlanRead> {
    match given {
        Given::Path { cell, path } => vec![whole(*cell, path)],
        Given::Value(_, reads) => reads.paths().to_vec(),
        Given::Once(_) => Vec::new(),
    }
}

/// The blocks that may stand in a spot.
pub(crate) fn alternatives(kind: &SpotKind) -> Vec<BlockId> {
    match kind {
        SpotKind::Branch { alternatives, .. } => alternatives.clone(),
        SpotKind::List { block, .. } | SpotKind::Renamed { block, .. } => vec![*block],
        SpotKind::Component(used) => used.contents.iter().map(|(_, block)| *block).collect(),
        SpotKind::Slot { fallback, .. } => fallback.iter().copied().collect(),
        _ => Vec::new(),
    }
}

/// What is given to a component, or handed back by a slot.
pub(crate) fn given_in(kind: &SpotKind) -> Box<dyn Iterator<Item = &Given> + '_> {
    match kind {
        SpotKind::Component(used) => Box::new(used.props.iter().map(|(_, given)| given)),
        SpotKind::Slot { values, .. } => Box::new(values.iter().map(|(_, given)| given)),
        _ => Box::new(std::iter::empty()),
    }
}

/// Everything that is read in what may stand in a spot.
fn inside(plan: &Plan, kind: &SpotKind) -> Vec<PlanRead> {
    let mut found = Vec::new();
    for number in alternatives(kind) {
        let block = &plan.blocks[number as usize];
        for cell in plan.cells.iter().filter(|cell| cell.block == number) {
            if let CellKind::Derived(_, reads) = &cell.kind {
                found.extend(reads.paths().to_vec());
            }
        }
        found.extend(block.parts.iter().flat_map(|part| part.reads.paths().to_vec()));
        for spot in &block.spots {
            found.extend(read_by(plan, &spot.kind));
            found.extend(given_in(&spot.kind).flat_map(read_of));
            found.extend(inside(plan, &spot.kind));
        }
    }
    // What is read of an item is told of it.
    if let SpotKind::List { block, .. } = kind {
        found.retain(|read| {
            let own = &plan.cells[read.cell as usize];
            own.block != *block || !matches!(own.kind, CellKind::Item | CellKind::Position)
        });
    }
    found
}

/// What a block is repeated for: a cell, and the path from there.
pub(crate) fn repeated(plan: &Plan, home: BlockId) -> Option<(CellId, &[u32])> {
    let mut spots = plan.blocks.iter().flat_map(|block| &block.spots);
    spots.find_map(|spot| match &spot.kind {
        SpotKind::List { cell, path, block, .. } if *block == home => Some((*cell, &path[..])),
        _ => None,
    })
}

/// The cell whose items, or fields, an expression hands on, and the way further in.
fn way_in(plan: &Plan, expr: ExprId) -> Option<(CellId, Vec<ReadStep>)> {
    match &plan.exprs[expr as usize] {
        Expr::Field(of, name) => {
            let (cell, mut way) = way_in(plan, *of)?;
            way.push(ReadStep::Field(*name));
            Some((cell, way))
        }
        Expr::Walk(Member::Filter | Member::ToSorted, of, ..)
        | Expr::Call(Member::ListSlice | Member::ToSorted | Member::ToReversed, Some(of), _) => {
            way_in(plan, *of)
        }
        Expr::Cell(cell) => Some((*cell, Vec::new())),
        _ => None,
    }
}

/// Whether no two places of a list have one item: each place in state has its own, and who chooses or orders them hands each
/// on once.
pub(crate) fn holds_once(plan: &Plan, mut expr: ExprId) -> bool {
    while let Some((cell, _)) = way_in(plan, expr) {
        match &plan.cells[cell as usize].kind {
            CellKind::State(_) => return true,
            CellKind::Derived(inner, _) => expr = *inner,
            _ => return false,
        }
    }
    false
}

/// The cell that the items of another stand in, whether that is derived or a row's, and the way further in.
pub(crate) fn stands_in(plan: &Plan, cell: CellId) -> Option<(CellId, Vec<ReadStep>)> {
    let planned = &plan.cells[cell as usize];
    match &planned.kind {
        CellKind::Item => repeated(plan, planned.block).map(|(list, path)| {
            let fields = path.iter().map(|name| ReadStep::Field(*name));
            (list, fields.chain([ReadStep::AnyItem]).collect())
        }),
        CellKind::Derived(expr, _) => way_in(plan, *expr),
        _ => None,
    }
}

/// Whether what stands in a cell stays for as long as the component does.
pub(crate) fn stays(plan: &Plan, mut cell: CellId) -> bool {
    loop {
        match &plan.cells[cell as usize].kind {
            CellKind::Item | CellKind::Shared(_) => return false,
            CellKind::Derived(..) => match stands_in(plan, cell) {
                Some((next, _)) => cell = next,
                None => return true,
            },
            _ => return true,
        }
    }
}

/// The same without the path.
pub(crate) fn list_of(plan: &Plan, home: BlockId) -> impl Iterator<Item = CellId> {
    repeated(plan, home).map(|(cell, _)| cell).into_iter()
}
