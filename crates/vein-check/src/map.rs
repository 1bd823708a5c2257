//! The map of a component: which state and which handler can change which parts of the view,
//! and through which derived values. It is known before anything runs.

use rustc_hash::{FxHashMap as HashMap, FxHashSet as HashSet};
use std::collections::{BTreeMap, VecDeque};
use vein_plan::code::{CellId, Expr, ListEdit, Place, PlaceStep, Stmt, StmtId};
use vein_plan::{
    BlockId, CellKind, Extent, Given, Hook, Plan, PlanRead, Program, ReadStep, Source, SpotKind,
    Step, Use, When,
};

/// The reach of everything in a component, and in the components inside it.
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

/// A component of the map: the one that it is about, or one inside it.
struct Instance<'a> {
    plan: &'a Plan,
    /// What stands before its addresses.
    prefix: String,
    /// Where it stands: the instance around it, and how it is used there.
    giver: Option<(usize, &'a Use)>,
    /// The block of that instance.
    block: BlockId,
}

/// A path of an instance's cell.
type Written = (usize, CellId, Vec<ReadStep>);

/// A read of an instance's cell.
type Seen = (usize, PlanRead);

/// A derived value of an instance, with what it reads.
type DerivedReads = (usize, CellId, Vec<Seen>);

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
    let mut mapper = Mapper {
        program,
        instances: Vec::new(),
        inner: HashMap::default(),
        stores: HashMap::default(),
        places: Vec::new(),
    };
    mapper.add(plan, String::new(), None, &mut Vec::new());
    mapper.add_stores();
    mapper.places = (0..mapper.instances.len()).flat_map(|at| mapper.places_of(at)).collect();
    ReachMap {
        component: plan.name.to_string(),
        paths: mapper.paths(),
        actions: mapper.actions(),
        parts: mapper.places.iter().map(|place| place.address.clone()).collect(),
    }
}

struct Mapper<'a> {
    program: &'a Program,
    instances: Vec<Instance<'a>>,
    /// The instance that stands in a spot: by instance, block and spot.
    inner: HashMap<(usize, usize, usize), usize>,
    /// The instance of each store, by its plan.
    stores: HashMap<u32, usize>,
    places: Vec<MapPlace>,
}

/// Something in the view that changes by itself: a part, a branch, a list.
struct MapPlace {
    address: String,
    reads: Vec<Seen>,
    /// Where blocks come and go: the instance, the block and the spot.
    spot: Option<(usize, BlockId, usize)>,
}

/// What follows a write by itself.
struct Following {
    /// What it is called.
    name: String,
    /// What it sees.
    reads: Vec<Seen>,
    /// The spots whose blocks bring it with them.
    spots: HashSet<(usize, BlockId, usize)>,
    writes: Vec<Written>,
}

/// More components than anybody could read of.
const MOST_INSTANCES: usize = 400;

/// Whether a write can change what a read sees.
fn is_seen(write: &Written, read: &Seen) -> bool {
    let ((instance, cell, path), (of, read)) = (write, read);
    // Where one says which key of a dictionary, the other may mean any.
    let meet = |(written, read): (&ReadStep, &ReadStep)| {
        written == read || *written == ReadStep::AnyItem || *read == ReadStep::AnyItem
    };
    let common = path.iter().zip(&read.path).all(meet);
    // What is written at a key may be new there.
    let keys = read.extent == Extent::Keys && path.len() == read.path.len() + 1;
    (instance, *cell) == (of, read.cell)
        && common
        && (path.len() <= read.path.len() || read.extent == Extent::Whole || keys)
}

fn fields(path: &[u32]) -> Vec<ReadStep> {
    path.iter().map(|name| ReadStep::Field(*name)).collect()
}

impl<'a> Mapper<'a> {
    /// Adds a component and those inside it; one that stands inside itself is not gone into
    /// again.
    fn add(
        &mut self,
        plan: &'a Plan,
        prefix: String,
        stands: Option<(usize, BlockId, &'a Use)>,
        around: &mut Vec<&'a str>,
    ) {
        let at = self.instances.len();
        let giver = stands.map(|(around, _, used)| (around, used));
        let block = stands.map_or(0, |(_, block, _)| block);
        self.instances.push(Instance { plan, prefix: prefix.clone(), giver, block });
        around.push(&plan.name);
        for (block, found) in plan.blocks.iter().enumerate() {
            for (spot, found) in found.spots.iter().enumerate() {
                let SpotKind::Component(used) = &found.kind else { continue };
                let program: &'a Program = self.program;
                let inside = &program.plans[used.plan as usize];
                if around.contains(&&*inside.name) || self.instances.len() >= MOST_INSTANCES {
                    continue;
                }
                self.inner.insert((at, block, spot), self.instances.len());
                let prefix = format!("{prefix}{} › ", found.address);
                self.add(inside, prefix, Some((at, block as BlockId, used)), around);
            }
        }
        around.pop();
    }

    /// Adds each store that is used, once.
    fn add_stores(&mut self) {
        let mut at = 0;
        while let Some(instance) = self.instances.get(at) {
            at += 1;
            for store in instance.plan.stores_read() {
                if self.stores.contains_key(&store) {
                    continue;
                }
                self.stores.insert(store, self.instances.len());
                let plan = &self.program.plans[store as usize];
                let name = plan.store.as_deref().unwrap_or_default();
                let prefix = format!("{name} › ");
                self.instances.push(Instance { plan, prefix, giver: None, block: 0 });
            }
        }
    }

    fn places_of(&self, at: usize) -> Vec<MapPlace> {
        let Instance { plan, prefix, .. } = &self.instances[at];
        let place = |address: &str, reads: &[PlanRead], spot| MapPlace {
            address: format!("{prefix}{address}"),
            reads: reads.iter().flat_map(|read| self.rooted(at, read)).collect(),
            spot,
        };
        let mut found = Vec::new();
        for (number, block) in plan.blocks.iter().enumerate() {
            for part in &block.parts {
                found.push(place(&part.address, part.reads.paths(), None));
            }
            for (which, spot) in block.spots.iter().enumerate() {
                let here = Some((at, number as BlockId, which));
                match &spot.kind {
                    SpotKind::Branch { reads, .. }
                    | SpotKind::Renamed { reads, .. }
                    | SpotKind::Markup { reads, .. } => {
                        found.push(place(&spot.address, reads.paths(), here));
                    }
                    SpotKind::List { cell, path, by, .. } => {
                        let (path, extent) = (fields(path), Extent::Length);
                        let read = PlanRead { cell: *cell, path, extent };
                        let keys = by.iter().flat_map(|(_, reads)| reads.paths());
                        let reads: Vec<PlanRead> = keys.cloned().chain([read]).collect();
                        found.push(place(&spot.address, &reads, here));
                    }
                    SpotKind::Component(_) | SpotKind::Slot { .. } => {}
                }
            }
        }
        found
    }

    /// The list that a block repeats for, and what is read to tell its items apart.
    fn list_of(&self, at: usize, block: u32) -> Option<(CellId, Vec<ReadStep>, &'a [PlanRead])> {
        let spots = self.instances[at].plan.blocks.iter().flat_map(|block| &block.spots);
        spots.into_iter().find_map(|spot| match &spot.kind {
            SpotKind::List { cell, path, block: row, by } if *row == block => {
                let keys = by.as_ref().map_or(&[][..], |(_, reads)| reads.paths());
                Some((*cell, fields(path), keys))
            }
            _ => None,
        })
    }

    /// What an instance was given for a cell, and by whom.
    fn given_to(&self, at: usize, cell: CellId) -> Option<(usize, &'a Given)> {
        let (giver, used) = self.instances[at].giver?;
        let (_, given) = used.props.iter().find(|(known, _)| *known == cell)?;
        Some((giver, given))
    }

    /// What slots hand back as a cell of their content: the slots' instance, and what they give.
    fn handed_as(&self, at: usize, cell: CellId) -> Vec<(usize, &'a Given)> {
        let plan = self.instances[at].plan;
        let (name, home) = (&plan.cells[cell as usize].name, plan.cells[cell as usize].block);
        let mut found = Vec::new();
        for (block, outer) in plan.blocks.iter().enumerate() {
            for (spot, outer) in outer.spots.iter().enumerate() {
                let SpotKind::Component(used) = &outer.kind else { continue };
                let content = used.contents.iter().find(|(_, content)| *content == home);
                let (Some((slot, _)), Some(inside)) =
                    (content, self.inner.get(&(at, block, spot)).copied())
                else {
                    continue;
                };
                let spots = self.instances[inside].plan.blocks.iter().flat_map(|b| &b.spots);
                for spot in spots {
                    if let SpotKind::Slot { name: known, values, .. } = &spot.kind
                        && known == slot
                    {
                        let values = values.iter().filter(|(value, _)| value == name);
                        found.extend(values.map(|(_, given)| (inside, given)));
                    }
                }
            }
        }
        found
    }

    /// A read, as reads of what it comes down to: state, props of the page, derived values.
    fn rooted(&self, at: usize, read: &PlanRead) -> Vec<Seen> {
        let home = &self.instances[at].plan.cells[read.cell as usize];
        let through = |(giver, given): (usize, &Given)| match given {
            Given::Path { cell, path } => {
                let path = fields(path).into_iter().chain(read.path.iter().copied()).collect();
                self.rooted(giver, &PlanRead { cell: *cell, path, extent: read.extent })
            }
            Given::Value(_, reads) => {
                reads.paths().iter().flat_map(|read| self.rooted(giver, read)).collect()
            }
            Given::Once(_) => vec![(at, read.clone())],
        };
        match &home.kind {
            CellKind::Item | CellKind::Position => {
                let Some((cell, list, keys)) = self.list_of(at, home.block) else {
                    return Vec::new();
                };
                let of_item = |path: &[ReadStep], extent| {
                    let path = list.iter().chain(&[ReadStep::AnyItem]).chain(path).copied();
                    self.rooted(at, &PlanRead { cell, path: path.collect(), extent })
                };
                if home.kind == CellKind::Position {
                    let extent = Extent::Length;
                    return self.rooted(at, &PlanRead { cell, path: list, extent });
                }
                // Rows of one identity have their items in turn: which of them a row has, what tells
                // items apart decides.
                let keys = keys.iter().flat_map(|key| of_item(&key.path, key.extent));
                let mut found: Vec<Seen> = keys.collect();
                let own = of_item(&read.path, read.extent);
                found.extend(
                    own.into_iter().filter(|seen| !found.contains(seen)).collect::<Vec<_>>(),
                );
                found
            }
            CellKind::Prop(_) | CellKind::Shared(_) => match self.given_to(at, read.cell) {
                Some(given) => through(given),
                None => vec![(at, read.clone())],
            },
            CellKind::Handed => {
                self.handed_as(at, read.cell).into_iter().flat_map(through).collect()
            }
            CellKind::Store(store, found) => match self.stores.get(store) {
                Some(store) => self.rooted(*store, &PlanRead { cell: *found, ..read.clone() }),
                None => Vec::new(),
            },
            CellKind::State(_) | CellKind::Derived(..) => vec![(at, read.clone())],
        }
    }

    /// A write, as writes of the state that it lands in.
    fn landed(&self, (at, cell, path): Written) -> Vec<Written> {
        let home = &self.instances[at].plan.cells[cell as usize];
        match &home.kind {
            CellKind::Item => {
                let Some((list, way, _)) = self.list_of(at, home.block) else { return Vec::new() };
                let path = way.into_iter().chain([ReadStep::AnyItem]).chain(path).collect();
                self.landed((at, list, path))
            }
            CellKind::Shared(_) => match self.given_to(at, cell) {
                Some((giver, Given::Path { cell, path: way })) => {
                    let path = fields(way).into_iter().chain(path).collect();
                    self.landed((giver, *cell, path))
                }
                _ => vec![(at, cell, path)],
            },
            // Through the items of a derived list, in the lists that it was made from.
            CellKind::Derived(_, reads) => {
                let mut found: Vec<Written> = Vec::new();
                for read in reads.paths() {
                    let item = read.path.iter().position(|step| *step == ReadStep::AnyItem);
                    let (Some(item), [ReadStep::AnyItem, rest @ ..]) = (item, path.as_slice())
                    else {
                        continue;
                    };
                    let path = read.path[..=item].iter().chain(rest).copied().collect();
                    for written in self.landed((at, read.cell, path)) {
                        if !found.contains(&written) {
                            found.push(written);
                        }
                    }
                }
                found
            }
            _ => vec![(at, cell, path)],
        }
    }

    /// Every derived value, and what is given as one, with what it reads.
    fn derived(&self) -> Vec<DerivedReads> {
        let mut found = Vec::new();
        for (at, instance) in self.instances.iter().enumerate() {
            for (cell, planned) in instance.plan.cells.iter().enumerate() {
                if let CellKind::Derived(_, reads) = &planned.kind {
                    let reads = reads.paths().iter().flat_map(|read| self.rooted(at, read));
                    found.push((at, cell as CellId, reads.collect()));
                }
            }
        }
        found
    }

    fn is_derived(&self, at: usize, cell: CellId) -> bool {
        matches!(self.instances[at].plan.cells[cell as usize].kind, CellKind::Derived(..))
    }

    /// Every path of props and state that something reads, each once, outer components first.
    fn paths(&self) -> Vec<PathReach> {
        let (derived, following) = (self.derived(), self.following());
        let of_derived = derived.iter().flat_map(|(_, _, reads)| reads);
        let watched = following.iter().flat_map(|following| &following.reads);
        let all = of_derived.chain(self.places.iter().flat_map(|place| &place.reads));
        let all = all.chain(watched);
        let mut paths: Vec<Written> = all
            .filter(|(at, read)| !self.is_derived(*at, read.cell))
            .map(|(at, read)| (*at, read.cell, read.path.clone()))
            .collect();
        paths.sort_by_key(|written| (written.0, written.1, self.shown(written)));
        paths.dedup();
        let reach = |written: Written| PathReach {
            path: self.shown(&written),
            parts: self.reached(&derived, &following, &[written]),
        };
        paths.into_iter().map(reach).collect()
    }

    fn shown(&self, (at, cell, path): &Written) -> String {
        let Instance { plan, prefix, .. } = &self.instances[*at];
        let owner = prefix.strip_suffix(" › ").map_or(String::new(), |p| format!("{p}."));
        let mut out = format!("{owner}{}", plan.cells[*cell as usize].name);
        for step in path {
            match step {
                ReadStep::Field(name) => {
                    let step = Step::Field(self.program.names[*name as usize].clone());
                    out.push_str(&step.to_string());
                }
                ReadStep::AnyItem => out.push_str("[*]"),
            }
        }
        out
    }

    /// What runs by itself after a write: watches, questions, and what is added and removed.
    fn following(&self) -> Vec<Following> {
        let mut found = Vec::new();
        for (at, Instance { plan, prefix, .. }) in self.instances.iter().enumerate() {
            let seen = |reads: &[PlanRead]| -> Vec<Seen> {
                reads.iter().flat_map(|read| self.rooted(at, read)).collect()
            };
            for hook in &plan.hooks {
                let (reads, spots) = match &hook.when {
                    When::Changed(reads) => (seen(reads.paths()), HashSet::default()),
                    When::Added | When::Removed => (Vec::new(), self.spots_around(at)),
                    When::Every(..) => continue,
                };
                let (name, (writes, _)) =
                    (format!("{prefix}{}", hook.address), self.effects(at, &hook.body, None));
                found.push(Following { name, reads, spots, writes });
            }
            for source in &plan.sources {
                let name = format!("{prefix}{}", plan.cells[source.value as usize].name);
                let writes = written_by(at, source);
                let (reads, spots) = (seen(source.reads.paths()), HashSet::default());
                found.push(Following { name, reads, spots, writes });
            }
        }
        found
    }

    /// The spots whose blocks an instance stands in, however far around it.
    fn spots_around(&self, at: usize) -> HashSet<(usize, BlockId, usize)> {
        let mut found = HashSet::default();
        let mut instance = at;
        while let Some((giver, _)) = self.instances[instance].giver {
            let (blocks, mut block) =
                (&self.instances[giver].plan.blocks, self.instances[instance].block);
            while let Some(parent) = blocks[block as usize].parent {
                let spots = blocks[parent as usize].spots.iter();
                let Some(spot) = spots.into_iter().position(|s| s.kind.blocks().contains(&block))
                else {
                    break;
                };
                found.insert((giver, parent, spot));
                // What is given to a slot comes and goes with that.
                if let Some(inside) = self.inner.get(&(giver, parent as usize, spot)) {
                    for (number, block) in self.instances[*inside].plan.blocks.iter().enumerate() {
                        let spots = 0..block.spots.len();
                        found.extend(spots.map(|spot| (*inside, number as BlockId, spot)));
                    }
                }
                block = parent;
            }
            instance = giver;
        }
        found
    }

    /// What a place names: positions as any, keys of dictionaries as they are where they are written.
    fn written(&self, at: usize, place: &Place) -> (CellId, Vec<ReadStep>) {
        let step = |step: &PlaceStep| match step {
            PlaceStep::Field(name) => ReadStep::Field(*name),
            PlaceStep::Index(key) => match &self.instances[at].plan.exprs[*key as usize] {
                Expr::String(key) => {
                    let key = key.to_utf8();
                    let known = self.program.names.iter().position(|name| **name == *key);
                    known.map_or(ReadStep::AnyItem, |name| ReadStep::Field(name as u32))
                }
                _ => ReadStep::AnyItem,
            },
        };
        (place.cell, place.steps.iter().map(step).collect())
    }

    /// The parts that these writes can change, each by its shortest way.
    fn reached(
        &self,
        derived: &[DerivedReads],
        following: &[Following],
        writes: &[Written],
    ) -> Vec<PartReach> {
        let mut found: BTreeMap<usize, Vec<String>> = BTreeMap::new();
        let mut seen = vec![false; derived.len()];
        let mut ran = vec![false; following.len()];
        let mut open: VecDeque<(Written, Vec<String>)> =
            writes.iter().map(|write| (write.clone(), Vec::new())).collect();
        while let Some((write, through)) = open.pop_front() {
            let sees = |reads: &[Seen]| reads.iter().any(|read| is_seen(&write, read));
            for (number, place) in self.places.iter().enumerate() {
                if sees(&place.reads) {
                    found.entry(number).or_insert_with(|| through.clone());
                }
            }
            for (number, (at, cell, reads)) in derived.iter().enumerate() {
                if sees(reads) && !std::mem::replace(&mut seen[number], true) {
                    let here = (*at, *cell, Vec::new());
                    let name = self.shown(&here);
                    let way = through.iter().cloned().chain([name]).collect();
                    open.push_back((here, way));
                }
            }
            for (number, next) in following.iter().enumerate() {
                let comes = || {
                    let places = found.keys().filter_map(|place| self.places[*place].spot);
                    places.into_iter().any(|spot| next.spots.contains(&spot))
                };
                if (sees(&next.reads) || comes()) && !std::mem::replace(&mut ran[number], true) {
                    let way: Vec<String> =
                        through.iter().cloned().chain([next.name.clone()]).collect();
                    open.extend(next.writes.iter().map(|write| (write.clone(), way.clone())));
                }
            }
        }
        found.into_iter().map(|(part, through)| PartReach { part, through }).collect()
    }

    fn actions(&self) -> Vec<ActionReach> {
        let known = (self.derived(), self.following());
        let mut found = Vec::new();
        for (at, Instance { plan, prefix, .. }) in self.instances.iter().enumerate() {
            for handler in &plan.handlers {
                let name = format!("{prefix}{}", handler.name);
                found.push(self.action(&known, name, false, at, &handler.body, None));
            }
            for Hook { address, body, .. } in &plan.hooks {
                let name = format!("{prefix}{address}");
                found.push(self.action(&known, name, false, at, body, None));
            }
            for listener in plan.blocks.iter().flat_map(|block| &block.listeners) {
                let (name, place) = (format!("{prefix}{}", listener.address), &listener.commit);
                let place = place.as_ref().map(|commit| &commit.place);
                found.push(self.action(&known, name, true, at, &listener.body, place));
            }
        }
        found
    }

    fn action(
        &self,
        (derived, following): &(Vec<DerivedReads>, Vec<Following>),
        name: String,
        listens: bool,
        at: usize,
        body: &[StmtId],
        commit: Option<&Place>,
    ) -> ActionReach {
        let (writes, gives) = self.effects(at, body, commit);
        let reached = self.reached(derived, following, &writes);
        let parts = reached.into_iter().map(|reach| reach.part).collect();
        let sorted = |mut all: Vec<String>| {
            all.sort();
            all.dedup();
            all
        };
        let writes = sorted(writes.iter().map(|written| self.shown(written)).collect());
        ActionReach { name, listens, writes, gives: sorted(gives), parts }
    }

    /// What statements can write, where it lands, and the events that they can give.
    fn effects(
        &self,
        at: usize,
        body: &[StmtId],
        commit: Option<&Place>,
    ) -> (Vec<Written>, Vec<String>) {
        let (mut writes, mut gives) = (Vec::new(), Vec::new());
        if let Some(place) = commit {
            let (cell, path) = self.written(at, place);
            writes.push((at, cell, path.into_iter().collect::<Vec<_>>()));
        }
        let mut called: HashSet<(usize, u32)> = HashSet::default();
        let mut open: Vec<(usize, StmtId)> = body.iter().map(|stmt| (at, *stmt)).collect();
        while let Some((at, id)) = open.pop() {
            let plan = self.instances[at].plan;
            let stmt = &plan.stmts[id as usize];
            match stmt {
                Stmt::Set(place, _) | Stmt::Delete(place) => {
                    let (cell, path) = self.written(at, place);
                    writes.push((at, cell, path));
                }
                Stmt::Edit(place, edit) => {
                    let (cell, path) = self.written(at, place);
                    // The order of items is seen by whoever reads any of them.
                    let inside = matches!(edit, ListEdit::Reverse | ListEdit::Sort(_));
                    let step = inside.then_some(ReadStep::AnyItem);
                    writes.push((at, cell, path.into_iter().chain(step).collect()));
                }
                Stmt::Call(handler, _) if called.insert((at, *handler)) => {
                    let body = &plan.handlers[*handler as usize].body;
                    open.extend(body.iter().map(|stmt| (at, *stmt)));
                }
                Stmt::Give(event, _) => {
                    gives.push(plan.events[*event as usize].name.to_string());
                    // The parent does at once what it does then.
                    if let Some((giver, used)) = self.instances[at].giver {
                        let heard = used.events.iter().filter(|heard| heard.event == *event);
                        let bodies = heard.flat_map(|heard| &heard.body);
                        open.extend(bodies.map(|stmt| (giver, *stmt)));
                    }
                }
                Stmt::CallStore(store, handler, _) => {
                    if let Some(store) = self.stores.get(store)
                        && called.insert((*store, *handler))
                    {
                        let body = &self.instances[*store].plan.handlers[*handler as usize].body;
                        open.extend(body.iter().map(|stmt| (*store, *stmt)));
                    }
                }
                Stmt::Reload(source) => {
                    writes.extend(written_by(at, &plan.sources[*source as usize]));
                }
                _ => {}
            }
            stmt.children(|_| {}, |inner| open.push((at, inner)));
        }
        let writes: Vec<Written> =
            writes.into_iter().flat_map(|written| self.landed(written)).collect();
        (writes, gives)
    }
}

/// What the answers to a source write.
fn written_by(at: usize, source: &Source) -> Vec<Written> {
    [source.value, source.status, source.reason].map(|cell| (at, cell, Vec::new())).into()
}
