//! Who reads what, as bits: each block knows of its own readers which a write to a cell of it can reach.

use std::collections::BTreeSet;
use vein_plan::code::{CellId, Place, PlaceStep};
use vein_plan::{BlockId, CellKind, Extent, Given, Plan, PlanRead, ReadStep, SpotKind};

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
    /// Whoever reads inside of a spot what stands around it.
    Inside(usize),
}

impl Who {
    /// Whether it is looked at when somebody asks, and not only before the pulse ends.
    fn is_asked(self) -> bool {
        matches!(self, Who::Derived(_) | Who::Given(..))
    }

    /// The field that says of one that shares its bit that it has something to look at.
    pub(crate) fn flag(self) -> String {
        match self {
            Who::Derived(cell) => format!("f{cell}$"),
            Who::Given(at, which) => format!("f{at}_{which}$"),
            _ => unreachable!("it is looked at together with others"),
        }
    }
}

/// How many bits a scope has.
const BITS: usize = 31;

/// How many of them are shared where there are not enough.
const SHARED: usize = 6;

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
            if let (CellKind::Derived(_, reads), true) = (&cell.kind, cell.block == block) {
                all.push((Who::Derived(number), reads.paths().to_vec()));
            }
        }
        let here = &plan.blocks[block as usize];
        for (at, part) in here.parts.iter().enumerate() {
            all.push((Who::Part(at), part.reads.paths().to_vec()));
        }
        for (at, spot) in here.spots.iter().enumerate() {
            let given = given_in(&spot.kind).enumerate();
            all.extend(given.map(|(which, given)| (Who::Given(at, which), read_of(given))));
            all.push((Who::Spot(at), read_by(&spot.kind)));
            let inside = inside(plan, &spot.kind);
            let sees = |read: &PlanRead| stands_around(plan, read.cell, block);
            all.push((Who::Inside(at), inside.into_iter().filter(sees).collect()));
        }
        all.retain(|(_, reads)| !reads.is_empty());
        // Where there are more than bits, some share one: they are looked at together. Those that are looked at one by
        // one have one of their own, as long as there are any.
        all.sort_by_key(|(who, _)| !who.is_asked());
        let asked = all.iter().filter(|(who, _)| who.is_asked()).count();
        let alone = if all.len() <= BITS { all.len() } else { asked.min(BITS - SHARED) };
        let (rest, left) = (all.len() - alone, BITS - alone);
        let bit = |at: usize| match at.checked_sub(alone) {
            None => 1 << at,
            Some(at) => 1 << (alone + at * left.min(rest) / rest),
        };
        let all = all.into_iter().enumerate();
        let all = all.map(|(at, (who, reads))| Reader { who, reads, bit: bit(at) }).collect();
        Readers { all }
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

    fn where_one(&self, reached: impl Fn(&PlanRead) -> bool) -> u32 {
        let reading = self.all.iter().filter(|reader| reader.reads.iter().any(&reached));
        reading.fold(0, |bits, reader| bits | reader.bit)
    }

    /// Those that read a cell at all.
    pub(crate) fn of_cell(&self, cell: CellId) -> u32 {
        self.where_one(|read| read.cell == cell)
    }

    /// Those that read what is around the block: cells of others, and the item that it stands for.
    pub(crate) fn of_outer(&self, plan: &Plan, block: BlockId) -> u32 {
        self.where_one(|read| {
            let cell = &plan.cells[read.cell as usize];
            let own = matches!(cell.kind, CellKind::Item | CellKind::Position | CellKind::Handed);
            cell.block != block || own
        })
    }

    /// Those that a write to a place can reach; `edits` says that items of the list there come, go or change places.
    pub(crate) fn of_write(&self, place: &Place, edits: bool) -> u32 {
        let way: Vec<ReadStep> = place
            .steps
            .iter()
            .map(|step| match step {
                PlaceStep::Field(name) => ReadStep::Field(*name),
                PlaceStep::Index(_) => ReadStep::AnyItem,
            })
            .collect();
        self.where_one(|read| {
            if read.cell != place.cell {
                return false;
            }
            match read.path.strip_prefix(&*way) {
                // What is read is what is written, or is inside it.
                Some(rest) if !edits || !rest.is_empty() => true,
                Some(_) => matches!(read.extent, Extent::Whole | Extent::Length),
                // What is written is inside what is read.
                None => way.starts_with(&read.path) && read.extent == Extent::Whole,
            }
        })
    }
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
pub(crate) fn read_by(kind: &SpotKind) -> Vec<PlanRead> {
    match kind {
        SpotKind::Branch { reads, .. } | SpotKind::Renamed { reads, .. } => reads.paths().to_vec(),
        SpotKind::List { cell, path, .. } => vec![whole(*cell, path)],
        _ => Vec::new(),
    }
}

/// All that stands at a path.
fn whole(cell: CellId, path: &[u32]) -> PlanRead {
    let path = path.iter().map(|name| ReadStep::Field(*name)).collect();
    PlanRead { cell, path, extent: Extent::Whole }
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
        found.extend(block.parts.iter().flat_map(|part| part.reads.paths().to_vec()));
        for spot in &block.spots {
            found.extend(read_by(&spot.kind));
            found.extend(given_in(&spot.kind).flat_map(read_of));
            found.extend(inside(plan, &spot.kind));
        }
    }
    // Who reads an item reads of the list.
    if let SpotKind::List { cell, path, block, .. } = kind {
        for read in &mut found {
            let own = &plan.cells[read.cell as usize];
            if own.block == *block && matches!(own.kind, CellKind::Item | CellKind::Position) {
                *read = whole(*cell, path);
            }
        }
    }
    found
}

/// What a block is repeated for.
pub(crate) fn list_of(plan: &Plan, home: BlockId) -> impl Iterator<Item = CellId> {
    let spots = plan.blocks.iter().flat_map(|block| &block.spots);
    spots.filter_map(move |spot| match &spot.kind {
        SpotKind::List { cell, block, .. } if *block == home => Some(*cell),
        _ => None,
    })
}

/// The state that the items of a loop may stand in: that of its list, or what a derived list is made of.
pub(crate) fn roots(plan: &Plan, item: CellId) -> BTreeSet<CellId> {
    let mut open: Vec<CellId> = list_of(plan, plan.cells[item as usize].block).collect();
    let mut found = BTreeSet::new();
    let mut seen = BTreeSet::new();
    while let Some(cell) = open.pop() {
        if !seen.insert(cell) {
            continue;
        }
        match &plan.cells[cell as usize].kind {
            CellKind::Derived(_, reads) => open.extend(reads.paths().iter().map(|read| read.cell)),
            CellKind::Item => found.extend(roots(plan, cell)),
            _ => drop(found.insert(cell)),
        }
    }
    found
}
