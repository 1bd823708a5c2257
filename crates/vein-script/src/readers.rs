//! Who reads what, as bits: each block knows of its own readers which a write to a cell of it can reach.

use std::collections::BTreeSet;
use vein_plan::code::{CellId, Place, PlaceStep};
use vein_plan::{BlockId, CellKind, Extent, Plan, PlanRead, ReadStep, SpotKind};

/// What reads in a block.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Who {
    /// A derived value.
    Derived(CellId),
    /// A part, by its number.
    Part(usize),
    /// What chooses what stands in a spot.
    Spot(usize),
    /// Whoever reads inside of a spot what stands around it.
    Inside(usize),
}

struct Reader<'a> {
    who: Who,
    reads: Vec<&'a PlanRead>,
    bit: u32,
}

/// The readers of a block by their bits.
pub(crate) struct Readers<'a> {
    all: Vec<Reader<'a>>,
}

impl<'a> Readers<'a> {
    pub(crate) fn of(plan: &'a Plan, block: BlockId) -> Readers<'a> {
        let mut all: Vec<(Who, Vec<&'a PlanRead>)> = Vec::new();
        // Derived values stand first: each after those that it reads.
        for (number, cell) in (0..).zip(&plan.cells) {
            if let (CellKind::Derived(_, reads), true) = (&cell.kind, cell.block == block) {
                all.push((Who::Derived(number), reads.paths().iter().collect()));
            }
        }
        let here = &plan.blocks[block as usize];
        for (at, part) in here.parts.iter().enumerate() {
            all.push((Who::Part(at), part.reads.paths().iter().collect()));
        }
        for (at, spot) in here.spots.iter().enumerate() {
            all.push((Who::Spot(at), read_by(&spot.kind)));
            let inside = inside(plan, &spot.kind);
            let sees = |read: &&PlanRead| stands_around(plan, read.cell, block);
            all.push((Who::Inside(at), inside.into_iter().filter(sees).collect()));
        }
        all.retain(|(_, reads)| !reads.is_empty());
        // Where there are more than bits, some share one: they are looked at together.
        let (count, bits) = (all.len(), all.len().clamp(1, 31));
        let bit = |at: usize| 1 << (at * bits / count.max(1));
        let all = all.into_iter().enumerate();
        let all = all.map(|(at, (who, reads))| Reader { who, reads, bit: bit(at) }).collect();
        Readers { all }
    }

    /// The bit of a reader; none of what always gives the same.
    pub(crate) fn bit(&self, who: Who) -> u32 {
        self.all.iter().find(|reader| reader.who == who).map_or(0, |reader| reader.bit)
    }

    /// The derived values of the block.
    pub(crate) fn derived(&self) -> impl Iterator<Item = CellId> {
        self.all.iter().filter_map(|reader| match reader.who {
            Who::Derived(cell) => Some(cell),
            _ => None,
        })
    }

    fn where_one(&self, reached: impl Fn(&PlanRead) -> bool) -> u32 {
        let reading =
            self.all.iter().filter(|reader| reader.reads.iter().any(|read| reached(read)));
        reading.fold(0, |bits, reader| bits | reader.bit)
    }

    /// Those that read a cell at all.
    pub(crate) fn of_cell(&self, cell: CellId) -> u32 {
        self.where_one(|read| read.cell == cell)
    }

    /// Those that read a cell of another block.
    pub(crate) fn of_outer(&self, plan: &Plan, block: BlockId) -> u32 {
        self.where_one(|read| plan.cells[read.cell as usize].block != block)
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
fn read_by(kind: &SpotKind) -> Vec<&PlanRead> {
    match kind {
        SpotKind::Branch { reads, .. } => reads.paths().iter().collect(),
        _ => Vec::new(),
    }
}

/// The blocks that may stand in a spot.
pub(crate) fn alternatives(kind: &SpotKind) -> &[BlockId] {
    match kind {
        SpotKind::Branch { alternatives, .. } => alternatives,
        _ => &[],
    }
}

/// Everything that is read in what may stand in a spot.
fn inside<'a>(plan: &'a Plan, kind: &'a SpotKind) -> Vec<&'a PlanRead> {
    let mut found = Vec::new();
    for block in alternatives(kind) {
        let block = &plan.blocks[*block as usize];
        found.extend(block.parts.iter().flat_map(|part| part.reads.paths()));
        for spot in &block.spots {
            found.extend(read_by(&spot.kind));
            found.extend(inside(plan, &spot.kind));
        }
    }
    found
}
