//! What has been seen to happen: which bindings changed, which alternatives stood in the view,
//! which statements ran, and which of them never did.

use crate::ledger::Entry;
use crate::scenario::seen::{Origin, seen_run, spot_word};
use crate::session::Session;
use std::collections::BTreeMap;
use vein_plan::code::Expr;
use vein_plan::{CellKind, Given, Plan, PlanRead, Program, ReadStep, Reads, SpotKind};
use vein_runtime::{Owner, Ran, ScopeId, Which};

/// What a piece of a component is to be seen to do.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Kind {
    /// A binding: to change.
    Binding,
    /// An alternative of a condition, the row of a list, the fallback of a slot: to stand in the view.
    Branch,
    /// Statements: to run.
    Handler,
}

impl Kind {
    /// Every kind.
    pub const ALL: [Kind; 3] = [Kind::Binding, Kind::Branch, Kind::Handler];

    /// What one of it is called.
    pub fn name(self) -> &'static str {
        match self {
            Kind::Binding => "binding",
            Kind::Branch => "branch",
            Kind::Handler => "handler",
        }
    }

    /// What several of it are called.
    pub fn plural(self) -> &'static str {
        match self {
            Kind::Binding => "bindings",
            Kind::Branch => "branches",
            Kind::Handler => "handlers",
        }
    }

    /// What none of it has ever done.
    pub fn never(self) -> &'static str {
        match self {
            Kind::Binding => "never changed",
            Kind::Branch => "never shown",
            Kind::Handler => "never ran",
        }
    }
}

/// A piece of a component.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
enum Piece {
    Part(u32, u32, u32),
    Spot(u32, u32, u32),
    /// A prop that is given to the component in a spot: the spot, and which.
    Prop(u32, u32, u32, u32),
    Block(u32, u32),
    Ran(Ran),
}

/// A piece of a component, and how often it was seen.
#[derive(Clone, Debug)]
pub struct Item {
    /// What it is to do.
    pub kind: Kind,
    /// What it is called.
    pub name: String,
    /// Where it was written.
    pub origin: Origin,
    /// How often it was seen to do it.
    pub count: u64,
}

/// What has been seen of a program.
#[derive(Clone, Debug)]
pub struct Coverage {
    items: BTreeMap<Piece, Item>,
    /// What props held when they were looked at last, as long as they have never been seen to change.
    props: Vec<Watched>,
}

/// A prop that is given in a way that may change, and that never was seen to.
#[derive(Clone, Debug)]
struct Watched {
    piece: Piece,
    /// The component that it is given to, and the prop's cell there.
    plan: u32,
    cell: u32,
    /// What it held in each component on the page, by its address.
    held: BTreeMap<String, vein_plan::Value>,
}

impl Coverage {
    /// Everything that a program's components could be seen to do, nothing of it seen.
    pub fn of(program: &Program) -> Coverage {
        let mut coverage = Coverage { items: BTreeMap::new(), props: Vec::new() };
        for plan in 0..program.plans.len() {
            coverage.plan(program, plan as u32);
        }
        coverage
    }

    fn item(&mut self, piece: Piece, kind: Kind, name: String, origin: Origin) {
        self.items.insert(piece, Item { kind, name, origin, count: 0 });
    }

    fn plan(&mut self, program: &Program, number: u32) {
        let plan = &program.plans[number as usize];
        let at = |location| Origin::new(&plan.name, location);
        let mut ran = |block: u32, owner: Owner| {
            let ran = Ran { plan: number, block, owner };
            let seen = seen_run(program, &ran);
            self.items.insert(
                Piece::Ran(ran),
                Item { kind: Kind::Handler, name: seen.name, origin: seen.origin, count: 0 },
            );
        };
        for handler in 0..plan.handlers.len() {
            ran(0, Owner::Handler(handler as u32));
        }
        for hook in 0..plan.hooks.len() {
            ran(0, Owner::Hook(hook as u32));
        }
        for (block, planned) in (0..).zip(&plan.blocks) {
            for listener in 0..planned.listeners.len() {
                ran(block, Owner::Listener(listener as u32));
            }
            for (spot, planned) in (0..).zip(&planned.spots) {
                if let SpotKind::Component(used) = &planned.kind {
                    for heard in 0..used.events.len() {
                        ran(block, Owner::Heard(spot, heard as u32));
                    }
                }
            }
        }
        for (block, planned) in (0..).zip(&plan.blocks) {
            for (part, planned) in (0..).zip(&planned.parts) {
                if can_change(program, plan, number, &planned.reads) {
                    let piece = Piece::Part(number, block, part);
                    let name = planned.address.to_string();
                    self.item(piece, Kind::Binding, name, at(planned.location));
                }
            }
            for (spot, planned) in (0..).zip(&planned.spots) {
                let piece = Piece::Spot(number, block, spot);
                let changes = match &planned.kind {
                    SpotKind::Branch { reads, .. }
                    | SpotKind::Renamed { reads, .. }
                    | SpotKind::Markup { reads, .. } => can_change(program, plan, number, reads),
                    SpotKind::List { .. } => true,
                    SpotKind::Component(_) | SpotKind::Slot { .. } => false,
                };
                let address = planned.address.to_string();
                if changes {
                    self.item(piece, Kind::Binding, address.clone(), at(planned.location));
                }
                let word = spot_word(&planned.kind);
                let inside: &[u32] = match &planned.kind {
                    SpotKind::Branch { alternatives, .. } => alternatives,
                    SpotKind::List { block, .. } => std::slice::from_ref(block),
                    SpotKind::Slot { fallback: Some(block), .. } => std::slice::from_ref(block),
                    _ => &[],
                };
                for inner in inside {
                    let shown = &plan.blocks[*inner as usize];
                    let name = match word {
                        "list" => format!("row {}", shown.called),
                        "slot" => format!("what stands in {address} by itself"),
                        _ => shown.called.to_string(),
                    };
                    let piece = Piece::Block(number, *inner);
                    self.item(piece, Kind::Branch, name, at(shown.location));
                }
                let SpotKind::Component(used) = &planned.kind else { continue };
                for (prop, (cell, given)) in (0..).zip(&used.props) {
                    let changes = match given {
                        Given::Path { .. } => true,
                        Given::Value(_, reads) => can_change(program, plan, number, reads),
                        Given::Once(_) => false,
                    };
                    if !changes {
                        continue;
                    }
                    let piece = Piece::Prop(number, block, spot, prop);
                    let inner = &program.plans[used.plan as usize];
                    let name = format!("{address} {}", inner.cells[*cell as usize].name);
                    self.item(piece, Kind::Binding, name, at(planned.location));
                    let (plan, cell) = (used.plan, *cell);
                    self.props.push(Watched { piece, plan, cell, held: BTreeMap::new() });
                }
            }
        }
    }

    fn seen(&mut self, piece: Piece) {
        if let Some(item) = self.items.get_mut(&piece) {
            item.count += 1;
        }
    }

    /// Notes what a pulse did.
    pub fn note(&mut self, entry: &Entry) {
        for part in &entry.pulse.parts {
            self.seen(match part.place.which {
                Which::Part(number) => Piece::Part(part.plan, part.block, number),
                Which::Spot(number) => Piece::Spot(part.plan, part.block, number),
            });
        }
        for ran in &entry.pulse.ran {
            let block =
                if matches!(ran.owner, Owner::Handler(_) | Owner::Hook(_)) { 0 } else { ran.block };
            self.seen(Piece::Ran(Ran { block, ..*ran }));
        }
    }

    /// Notes what stands in the view, and which props hold something else than when it was looked at
    /// last.
    pub fn look(&mut self, session: &mut Session) {
        let standing: std::collections::BTreeSet<(u32, u32)> =
            session.runtime().standing().collect();
        for (plan, block) in standing {
            self.seen(Piece::Block(plan, block));
        }
        let unseen =
            |watched: &Watched| self.items.get(&watched.piece).is_some_and(|i| i.count == 0);
        self.props.retain(unseen);
        if self.props.is_empty() {
            return;
        }
        let components: Vec<(String, ScopeId)> = session.runtime().components();
        let mut seen = Vec::new();
        for watched in &mut self.props {
            let mut held = BTreeMap::new();
            for (address, scope) in &components {
                let given = session.runtime().given_at(*scope);
                let Some((holder, block, spot, plan)) = given else { continue };
                let Piece::Prop(own_plan, own_block, own_spot, _) = watched.piece else { continue };
                if (holder, block, spot, plan) != (own_plan, own_block, own_spot, watched.plan) {
                    continue;
                }
                let now = session.value_in(*scope, watched.cell);
                if watched.held.get(address).is_some_and(|before| !before.same(&now)) {
                    seen.push(watched.piece);
                }
                held.insert(address.clone(), now);
            }
            watched.held = held;
        }
        seen.into_iter().for_each(|piece| self.seen(piece));
    }

    /// Forgets what is on a page that is not looked at any more, before another is.
    pub fn next_page(&mut self) {
        self.props.iter_mut().for_each(|watched| watched.held.clear());
    }

    /// Adds what was seen elsewhere of the same program.
    pub fn add(&mut self, other: &Coverage) {
        for (piece, item) in &other.items {
            if let Some(own) = self.items.get_mut(piece) {
                own.count += item.count;
            }
        }
    }

    /// Everything, by where it was written.
    pub fn items(&self) -> Vec<&Item> {
        let mut items: Vec<&Item> = self.items.values().collect();
        items.sort_by(|a, b| (&a.origin, &a.name).cmp(&(&b.origin, &b.name)));
        items
    }

    /// What was never seen, by where it was written.
    pub fn missing(&self) -> Vec<&Item> {
        self.items().into_iter().filter(|item| item.count == 0).collect()
    }

    /// How many of a kind were seen, of how many.
    pub fn of_kind(&self, kind: Kind) -> (usize, usize) {
        let all = || self.items.values().filter(|item| item.kind == kind);
        (all().filter(|item| item.count > 0).count(), all().count())
    }

    /// How much of everything was seen, in hundredths. Of nothing, all.
    pub fn percent(&self) -> f64 {
        let seen = self.items.values().filter(|item| item.count > 0).count();
        match self.items.len() {
            0 => 100.0,
            all => 100.0 * seen as f64 / all as f64,
        }
    }

    /// In the format of lcov (geninfo(1)): for each line the least that was seen of what was written
    /// there, each alternative as a branch, each handler as a function. `path` tells where a
    /// component's file is.
    pub fn lcov(&self, path: impl Fn(&str) -> String) -> String {
        use std::fmt::Write;
        let mut out = String::new();
        let mut files: BTreeMap<&str, Vec<&Item>> = BTreeMap::new();
        for item in self.items() {
            files.entry(item.origin.component.as_str()).or_default().push(item);
        }
        for (component, items) in files {
            let _ = writeln!(out, "TN:\nSF:{}", path(component));
            let handlers = || items.iter().filter(|item| item.kind == Kind::Handler);
            let branches = || items.iter().filter(|item| item.kind == Kind::Branch);
            let hit =
                |found: &mut dyn Iterator<Item = &&Item>| found.filter(|i| i.count > 0).count();
            for item in handlers() {
                let _ = writeln!(out, "FN:{},{}", item.origin.line, named(item));
            }
            for item in handlers() {
                let _ = writeln!(out, "FNDA:{},{}", item.count, named(item));
            }
            let _ = writeln!(out, "FNF:{}\nFNH:{}", handlers().count(), hit(&mut handlers()));
            for (number, item) in branches().enumerate() {
                let _ = writeln!(out, "BRDA:{},0,{number},{}", item.origin.line, item.count);
            }
            let _ = writeln!(out, "BRF:{}\nBRH:{}", branches().count(), hit(&mut branches()));
            let mut lines: BTreeMap<u32, u64> = BTreeMap::new();
            for item in &items {
                let least = lines.entry(item.origin.line).or_insert(item.count);
                *least = item.count.min(*least);
            }
            for (line, count) in &lines {
                let _ = writeln!(out, "DA:{line},{count}");
            }
            let seen = lines.values().filter(|count| **count > 0).count();
            let _ = writeln!(out, "LF:{}\nLH:{seen}\nend_of_record", lines.len());
        }
        out
    }
}

/// Whether what reads these can come to something else while it stands in the view.
fn can_change(program: &Program, plan: &Plan, number: u32, reads: &Reads) -> bool {
    reads.paths().iter().any(|read| {
        let cell = &plan.cells[read.cell as usize];
        match cell.kind {
            // What tells an item apart: with another one it is another row.
            CellKind::Item => !is_key(plan, cell.block, read),
            // What falls to the root element has no name that a host could give it by.
            CellKind::Prop(_) | CellKind::Shared(_) if cell.name.contains(' ') => {
                given_anew(program, number, read.cell)
            }
            _ => true,
        }
    })
}

/// Whether a read of a loop's item is of nothing but what tells it apart from others.
fn is_key(plan: &Plan, block: u32, read: &PlanRead) -> bool {
    let spots = plan.blocks.iter().flat_map(|block| &block.spots);
    let by = spots.filter_map(|spot| match &spot.kind {
        SpotKind::List { by: Some((by, _)), block: row, .. } if *row == block => Some(*by),
        _ => None,
    });
    by.into_iter().any(|by| {
        let mut path = Vec::new();
        let mut at = by;
        while let Expr::Field(of, name) = &plan.exprs[at as usize] {
            path.push(ReadStep::Field(*name));
            at = *of;
        }
        path.reverse();
        matches!(plan.exprs[at as usize], Expr::Cell(cell) if cell == read.cell)
            && path == read.path
    })
}

/// Whether some use of a component gives a prop in a way that may change.
fn given_anew(program: &Program, plan: u32, cell: u32) -> bool {
    let blocks = program.plans.iter().flat_map(|plan| &plan.blocks);
    let uses = blocks.flat_map(|block| &block.spots).filter_map(|spot| match &spot.kind {
        SpotKind::Component(used) if used.plan == plan => Some(used),
        _ => None,
    });
    let given = uses.flat_map(|used| &used.props).filter(|(known, _)| *known == cell);
    given.into_iter().any(|(_, given)| match given {
        Given::Path { .. } => true,
        Given::Value(_, reads) => !reads.paths().is_empty(),
        Given::Once(_) => false,
    })
}

/// A name for lcov, which tells functions of a file apart by it and ends it at the line's end.
fn named(item: &Item) -> String {
    format!("{} ({}:{})", item.name.replace(['\n', ','], " "), item.origin.line, item.origin.column)
}
