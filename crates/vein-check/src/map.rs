//! The map of a component: which state and which handler can change which parts of the view,
//! and through which derived values. It is known before anything runs.

use std::collections::{BTreeMap, VecDeque};
use vein_plan::code::{CellId, ListEdit, Place, PlaceStep, Stmt, StmtId};
use vein_plan::{CellKind, Extent, Plan, PlanRead, Program, ReadStep, Reads, SpotKind};

/// The reach of everything in a component.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ReachMap {
    /// The component.
    pub component: String,
    /// For each path of a prop or of state that something reads: what it can change.
    pub paths: Vec<PathReach>,
    /// For each handler and each listener: what it can change.
    pub actions: Vec<ActionReach>,
    /// The addresses of all parts, in document order.
    pub parts: Vec<String>,
}

/// What a path of state can change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PathReach {
    /// The path, such as `bed.moisture` or `beds[*].crop`.
    pub path: String,
    /// The parts, in document order.
    pub parts: Vec<PartReach>,
}

/// A part that can change, and how the change gets there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PartReach {
    /// Its place in [`ReachMap::parts`].
    pub part: usize,
    /// The derived values on the shortest way, from the state on.
    pub through: Vec<String>,
}

/// What a handler or listener can change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ActionReach {
    /// `pour` for a handler, `button click` for a listener.
    pub name: String,
    /// Whether it is a listener.
    pub listens: bool,
    /// The paths that it can write, itself or through handlers that it calls.
    pub writes: Vec<String>,
    /// The events that it can give.
    pub gives: Vec<String>,
    /// The parts that can change, in document order.
    pub parts: Vec<usize>,
}

/// A path that is written: a cell and the way into it.
type Written = (CellId, Vec<ReadStep>);

/// Works out the map of a compiled component.
///
/// ```
/// use vein_check::{check, reach_map, Source};
/// let text = "holds n = 1\nderives odd = n % 2 === 1\n<p title='x{n}'>{odd}</p>";
/// let checked = check(vec![Source { path: "a-b.vein".into(), text: text.into() }]);
/// let program = checked.program.unwrap();
/// let map = reach_map(&program, &program.plans[0]);
/// assert_eq!(map.paths[0].path, "n");
/// assert_eq!(map.parts, ["p title", "p text"]);
/// assert_eq!(map.paths[0].parts[1].through, ["odd"]);
/// ```
pub fn reach_map(program: &Program, plan: &Plan) -> ReachMap {
    let mapper = Mapper { program, plan, places: places(plan) };
    let handlers = plan.handlers.iter().map(|h| (h.name.to_string(), false, &h.body));
    let heard = plan.blocks.iter().flat_map(|block| &block.listeners);
    let listeners = heard.map(|l| (l.address.to_string(), true, &l.body));
    ReachMap {
        component: plan.name.to_string(),
        paths: mapper.paths(),
        actions: handlers
            .chain(listeners)
            .map(|(name, listens, body)| mapper.action(name, listens, body))
            .collect(),
        parts: mapper.places.iter().map(|place| place.address.clone()).collect(),
    }
}

struct Mapper<'a> {
    program: &'a Program,
    plan: &'a Plan,
    places: Vec<MapPlace>,
}

/// Something in the view that changes by itself: a part, a branch, a list.
struct MapPlace {
    address: String,
    reads: Vec<PlanRead>,
}

/// All places of a component, block by block.
fn places(plan: &Plan) -> Vec<MapPlace> {
    let place = |address: &str, reads: &Reads| MapPlace {
        address: address.into(),
        reads: reads.paths().iter().map(|read| rooted(plan, read)).collect(),
    };
    let mut found = Vec::new();
    for block in &plan.blocks {
        for part in &block.parts {
            found.push(place(&part.address, &part.reads));
        }
        for spot in &block.spots {
            match &spot.kind {
                SpotKind::Branch { reads, .. }
                | SpotKind::Renamed { reads, .. }
                | SpotKind::Markup { reads, .. } => found.push(place(&spot.address, reads)),
                SpotKind::List { cell, path, .. } => {
                    let path = path.iter().map(|name| ReadStep::Field(*name)).collect();
                    let read = PlanRead { cell: *cell, path, extent: Extent::Length };
                    found.push(place(&spot.address, &Reads::Fixed(vec![read])));
                }
                SpotKind::Component(_) | SpotKind::Slot { .. } => {}
            }
        }
    }
    found
}

/// A read of a loop's item, as a read of the list that it stands in.
fn rooted(plan: &Plan, read: &PlanRead) -> PlanRead {
    let home = &plan.cells[read.cell as usize];
    if !matches!(home.kind, CellKind::Item) {
        return read.clone();
    }
    let spots = plan.blocks.iter().flat_map(|block| &block.spots);
    let list = spots.filter_map(|spot| match &spot.kind {
        SpotKind::List { cell, path, block, .. } if *block == home.block => Some((*cell, path)),
        _ => None,
    });
    let Some((cell, path)) = list.into_iter().next() else { return read.clone() };
    let steps = path.iter().map(|name| ReadStep::Field(*name)).chain([ReadStep::AnyItem]);
    let path = steps.chain(read.path.iter().copied()).collect();
    rooted(plan, &PlanRead { cell, path, extent: read.extent })
}

/// Whether a write can change what a read sees.
fn is_seen(write: &Written, read: &PlanRead) -> bool {
    let (cell, path) = write;
    let common = path.iter().zip(&read.path).all(|(written, read)| written == read);
    *cell == read.cell && common && (path.len() <= read.path.len() || read.extent == Extent::Whole)
}

impl Mapper<'_> {
    /// Every path of props and state that something reads, each once, in the order of cells.
    fn paths(&self) -> Vec<PathReach> {
        let derived = self.plan.cells.iter().filter_map(|cell| match &cell.kind {
            CellKind::Derived(_, reads) => Some(reads),
            _ => None,
        });
        let all = derived
            .flat_map(|reads| reads.paths().iter().cloned())
            .chain(self.places.iter().flat_map(|place| place.reads.iter().cloned()));
        let mut paths: Vec<Written> = all
            .filter(|read| !self.is_derived(read.cell))
            .map(|read| (read.cell, read.path.clone()))
            .collect();
        paths.sort_by_key(|(cell, path)| (*cell, self.shown(*cell, path)));
        paths.dedup();
        let reach = |(cell, path): Written| PathReach {
            path: self.shown(cell, &path),
            parts: self.reached(&[(cell, path)]),
        };
        paths.into_iter().map(reach).collect()
    }

    fn is_derived(&self, cell: CellId) -> bool {
        matches!(self.plan.cells[cell as usize].kind, CellKind::Derived(..))
    }

    fn shown(&self, cell: CellId, path: &[ReadStep]) -> String {
        let mut out = self.plan.cells[cell as usize].name.to_string();
        for step in path {
            match step {
                ReadStep::Field(name) => {
                    out.push('.');
                    out.push_str(&self.program.names[*name as usize]);
                }
                ReadStep::AnyItem => out.push_str("[*]"),
            }
        }
        out
    }

    /// The parts that these writes can change, each by its shortest way.
    fn reached(&self, writes: &[Written]) -> Vec<PartReach> {
        let mut found: BTreeMap<usize, Vec<String>> = BTreeMap::new();
        let mut seen = vec![false; self.plan.cells.len()];
        let mut open: VecDeque<(Written, Vec<String>)> =
            writes.iter().map(|write| (write.clone(), Vec::new())).collect();
        while let Some((write, through)) = open.pop_front() {
            let sees = |reads: &[PlanRead]| reads.iter().any(|read| is_seen(&write, read));
            for (number, place) in self.places.iter().enumerate() {
                if sees(&place.reads) {
                    found.entry(number).or_insert_with(|| through.clone());
                }
            }
            for (number, cell) in self.plan.cells.iter().enumerate() {
                let CellKind::Derived(_, reads) = &cell.kind else { continue };
                if sees(reads.paths()) && !std::mem::replace(&mut seen[number], true) {
                    let way = through.iter().cloned().chain([cell.name.to_string()]).collect();
                    open.push_back(((number as CellId, Vec::new()), way));
                }
            }
        }
        found.into_iter().map(|(part, through)| PartReach { part, through }).collect()
    }

    fn action(&self, name: String, listens: bool, body: &[StmtId]) -> ActionReach {
        let (mut writes, mut gives) = (Vec::new(), Vec::new());
        let mut called = vec![false; self.plan.handlers.len()];
        let mut open: Vec<StmtId> = body.to_vec();
        while let Some(id) = open.pop() {
            let stmt = &self.plan.stmts[id as usize];
            match stmt {
                Stmt::Set(place, _) => writes.push(written(place)),
                Stmt::Edit(place, edit) => {
                    let (cell, path) = written(place);
                    // The order of items is seen by whoever reads any of them.
                    let inside = matches!(edit, ListEdit::Reverse | ListEdit::Sort(_));
                    let step = inside.then_some(ReadStep::AnyItem);
                    writes.push((cell, path.into_iter().chain(step).collect()));
                }
                Stmt::Call(handler, _) => {
                    let handler = *handler as usize;
                    if !std::mem::replace(&mut called[handler], true) {
                        open.extend(&self.plan.handlers[handler].body);
                    }
                }
                Stmt::Give(event, _) => {
                    gives.push(self.plan.events[*event as usize].name.to_string());
                }
                _ => {}
            }
            stmt.children(|_| {}, |inner| open.push(inner));
        }
        let parts = self.reached(&writes).into_iter().map(|reach| reach.part).collect();
        let sorted = |mut all: Vec<String>| {
            all.sort();
            all.dedup();
            all
        };
        let writes = sorted(writes.iter().map(|(cell, path)| self.shown(*cell, path)).collect());
        ActionReach { name, listens, writes, gives: sorted(gives), parts }
    }
}

fn written(place: &Place) -> Written {
    let step = |step: &PlaceStep| match step {
        PlaceStep::Field(name) => ReadStep::Field(*name),
        PlaceStep::Index(_) => ReadStep::AnyItem,
    };
    (place.cell, place.steps.iter().map(step).collect())
}
