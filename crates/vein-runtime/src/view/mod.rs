//! Scopes in the view: made, found among their neighbours, moved and taken away.

mod changing;
mod finding;
mod lists;
mod making;

use crate::graph::{Graph, SPARE};
use crate::pulse::Problem;
use crate::sabotage::Sabotage;
use crate::scope::{Held, Mark, NONE, Piece, Scope, ScopeId};
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;
use std::collections::BTreeMap;
use vein_plan::{BlockId, Name, PartKind, Shown, TemplateNode, Value};
use vein_view::{Batch, NodeNumber, Patch, ROOT};

/// Where nodes go: into which node, and before which.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Target {
    pub(crate) parent: NodeNumber,
    pub(crate) before: NodeNumber,
}

/// Turns markup from data into nodes that are safe to show.
pub type Clean = fn(&str) -> Vec<TemplateNode>;

/// What a pulse does to the view, while it is gathered.
#[derive(Debug, Default)]
pub(crate) struct Making {
    pub(crate) patches: Batch,
    pub(crate) problems: Vec<Problem>,
    /// The places whose expressions were evaluated: scope and reader.
    pub(crate) evaluated: Vec<(ScopeId, u32)>,
    pub(crate) created: usize,
    /// Components that were made and have more than a view; outer ones stand before inner ones.
    pub(crate) born: Vec<ScopeId>,
    /// Components that go and have to be told; inner ones stand before outer ones.
    pub(crate) ended: Vec<ScopeId>,
    /// Parts whose controls have come to hold something else by themselves.
    pub(crate) committed: Vec<(ScopeId, u32, Shown)>,
    /// Controls that are to be marked as holding nothing that means a value, or not any more.
    pub(crate) marks: Vec<(ScopeId, u32, bool)>,
    /// Parts of controls that were written to: what somebody had entered there is gone.
    pub(crate) overwritten: Vec<(ScopeId, u32)>,
}

/// Templates that the surface knows.
#[derive(Debug, Default)]
pub(crate) struct Sent {
    blocks: FxHashSet<u32>,
    renamed: FxHashMap<(u32, &'static str), u32>,
    next: u32,
}

/// The state of a page together with its view.
#[derive(Debug)]
pub(crate) struct View {
    pub(crate) graph: Graph,
    pub(crate) making: Making,
    pub(crate) sent: Sent,
    pub(crate) clean: Option<Clean>,
    /// Numbers of nodes that were taken away in this pulse, with how many follow each other.
    released: Vec<(NodeNumber, u32)>,
    /// What the view shows in spots that have come to hold something else in this pulse: outer
    /// ones first, by depth, scope and spot.
    was: BTreeMap<(u32, ScopeId, u32), Was>,
    /// What it takes to undo what was done to the view since the pulse began.
    undo: Vec<Undo>,
    /// What parts showed that show something else by now.
    was_shown: Vec<(ScopeId, u32, Shown)>,
    /// Scopes that were made in this pulse, and whether their numbers had been others' before.
    pub(crate) made: Vec<(ScopeId, bool)>,
    /// The next number of a template when the pulse began.
    first_template: u32,
    /// Whether the page has been opened, so that a pulse may have to be taken back.
    is_open: bool,
}

/// What the view shows in a spot.
#[derive(Debug)]
enum Was {
    Held(Held),
    /// The rows, and what the list has become of them.
    Rows {
        rows: Vec<ScopeId>,
        pieces: Vec<Piece>,
    },
}

/// What stands in a spot, as far as the view shows it.
enum InView<'a> {
    Nothing,
    One(ScopeId),
    Rows(&'a [ScopeId]),
    Nodes(&'a [NodeNumber]),
}

/// What takes a step back that was done to the view.
#[derive(Debug)]
enum Undo {
    /// What a spot held.
    Was(ScopeId, u32, Was),
    /// Which controls held what means no value.
    Invalid(ScopeId, SmallVec<[u32; 1]>),
    /// Content that was told of changes where it was written: there, in which spot, and where
    /// among others.
    Content(ScopeId, usize, usize, ScopeId),
    /// Numbers of nodes, how many, and whether they had been others' before.
    Numbers(NodeNumber, u32, bool),
    Template(u32),
    Renamed((u32, &'static str)),
}

/// What a new scope is made of.
pub(crate) struct Plot {
    pub(crate) plan: u32,
    pub(crate) block: BlockId,
    pub(crate) parent: ScopeId,
    pub(crate) instance: ScopeId,
    pub(crate) holder: (ScopeId, u32),
}

impl View {
    pub(crate) fn new(graph: Graph, clean: Option<Clean>) -> View {
        let sent = Sent { next: graph.prepared.templates, ..Sent::default() };
        View {
            graph,
            making: Making::default(),
            sent,
            clean,
            released: Vec::new(),
            was: BTreeMap::new(),
            undo: Vec::new(),
            was_shown: Vec::new(),
            made: Vec::new(),
            first_template: 0,
            is_open: false,
        }
    }

    /// Begins a pulse.
    pub(crate) fn begin(&mut self) {
        self.graph.begin();
        self.making = Making::default();
        self.first_template = self.sent.next;
    }

    /// Notes how to undo a step, where it may have to be: what cannot be opened is no page.
    fn note(&mut self, undo: impl FnOnce() -> Undo) {
        if self.is_open {
            self.undo.push(undo());
        }
    }

    /// Changes what a part is known to show; what it showed is kept until the pulse is over.
    pub(crate) fn set_shown(&mut self, id: ScopeId, part: u32, shown: Shown) {
        let now = &mut self.graph.scope_mut(id).shown[part as usize];
        let before = std::mem::replace(now, shown);
        if self.is_open {
            self.was_shown.push((id, part, before));
        }
    }

    /// Notes whether a part's control holds what means no value. `false` if that was known.
    pub(crate) fn set_invalid(&mut self, id: ScopeId, part: u32, on: bool) -> bool {
        let invalid = &self.graph.scope(id).invalid;
        let at = invalid.iter().position(|invalid| *invalid == part);
        if at.is_some() == on {
            return false;
        }
        let before = invalid.clone();
        self.note(|| Undo::Invalid(id, before));
        let invalid = &mut self.graph.scope_mut(id).invalid;
        match at {
            Some(at) => {
                invalid.remove(at);
            }
            None => invalid.push(part),
        }
        true
    }

    /// Takes everything back since the pulse began; the surface has not been told of any of it.
    pub(crate) fn take_back(&mut self) {
        self.graph.roll_back();
        let was = std::mem::take(&mut self.was).into_iter();
        self.undo.extend(was.map(|((_, scope, spot), was)| Undo::Was(scope, spot, was)));
        while let Some((scope, part, shown)) = self.was_shown.pop() {
            self.graph.scope_mut(scope).shown[part as usize] = shown;
        }
        while let Some(undo) = self.undo.pop() {
            self.undo_step(undo);
        }
        self.sent.next = self.first_template;
        self.released.clear();
        let made: FxHashSet<ScopeId> = self.made.iter().map(|(id, _)| *id).collect();
        for id in std::mem::take(&mut self.graph.dead) {
            if !made.contains(&id) {
                self.graph.scope_mut(id).alive = true;
                self.graph.forget_items(id);
                self.enter_if_component(id);
            }
        }
        // The last first, so that the next scopes get the same numbers.
        for (id, reused) in std::mem::take(&mut self.made).into_iter().rev() {
            self.graph.leave_stores(id);
            self.leave_giver(id);
            if reused {
                self.graph.scope_mut(id).wipe();
                self.graph.free.push(id);
            } else {
                debug_assert_eq!(id as usize + 1, self.graph.scopes.len(), "the last is first");
                self.graph.scopes.pop();
            }
        }
    }

    fn undo_step(&mut self, undo: Undo) {
        match undo {
            Undo::Was(scope, spot, Was::Held(held)) => {
                self.graph.scope_mut(scope).held[spot as usize] = held;
            }
            Undo::Was(scope, spot, Was::Rows { rows, .. }) => {
                let Some(now) = self.graph.rows_mut(scope, spot) else { return };
                (now.pieces, now.rows) = (None, rows.clone());
                now.gone.clear();
                now.keys.clear();
                let by = self.graph.identity(scope, spot).is_some();
                for (at, row) in rows.into_iter().enumerate() {
                    let row = self.graph.scope_mut(row);
                    (row.gone, row.position) = (None, at as u32);
                    let key = by.then(|| row.key.clone());
                    if let (Some(key), Some(now)) = (key, self.graph.rows_mut(scope, spot)) {
                        *now.keys.entry(key).or_insert(0) += 1;
                    }
                }
            }
            Undo::Invalid(scope, invalid) => self.graph.scope_mut(scope).invalid = invalid,
            Undo::Content(giver, spot, at, content) => {
                if let Held::Component { contents, .. } =
                    &mut self.graph.scope_mut(giver).held[spot]
                {
                    contents.insert(at.min(contents.len()), content);
                }
            }
            // As if the numbers had never been given, so that the next are the same.
            Undo::Numbers(first, marks, true) => self.free_numbers(first, marks),
            Undo::Numbers(first, _, false) => {
                self.graph.owners.truncate(first as usize);
                self.graph.given_out.truncate(first as usize);
            }
            Undo::Template(number) => {
                self.sent.blocks.remove(&number);
            }
            Undo::Renamed(key) => {
                self.sent.renamed.remove(&key);
            }
        }
    }

    fn free_numbers(&mut self, first: NodeNumber, marks: u32) {
        self.graph.owners[first as usize..(first + marks) as usize].fill(NONE);
        self.graph.free_numbers.entry(marks).or_default().push(first);
    }

    /// Gives back what the pulse let go.
    pub(crate) fn end(&mut self) {
        self.graph.end();
        let dead = std::mem::take(&mut self.graph.dead);
        for id in &dead {
            self.release_nodes(*id);
        }
        for (first, marks) in std::mem::take(&mut self.released) {
            self.free_numbers(first, marks);
        }
        for id in dead {
            self.graph.scope_mut(id).wipe();
            self.graph.free.push(id);
        }
        self.was.clear();
        for_next(&mut self.undo);
        for_next(&mut self.was_shown);
        for_next(&mut self.made);
        self.is_open = true;
    }

    /// Notes the numbers of the nodes that a scope had in the view.
    fn release_nodes(&mut self, id: ScopeId) {
        let scope = self.graph.scope(id);
        if !scope.standing {
            return;
        }
        let marks = self.graph.prepared.block(scope.plan, scope.block).marks;
        let mut released: SmallVec<[(NodeNumber, u32); 2]> = SmallVec::new();
        released.extend((marks > 0).then_some((scope.first, marks)));
        for spot in 0..scope.held.len() as u32 {
            if let InView::Nodes([first, rest @ ..]) = self.in_view(id, spot) {
                released.push((*first, rest.len() as u32 + 1));
            }
        }
        self.released.extend(released);
    }

    pub(super) fn numbers(&mut self, marks: u32, scope: ScopeId) -> NodeNumber {
        if marks == 0 {
            return ROOT;
        }
        let owners = &mut self.graph.owners;
        let given_out = &mut self.graph.given_out;
        let batch = self.graph.batches + 1;
        let (first, reused) = match self.graph.free_numbers.get_mut(&marks).and_then(Vec::pop) {
            Some(first) => {
                owners[first as usize..(first + marks) as usize].fill(scope);
                given_out[first as usize..(first + marks) as usize].fill(batch);
                (first, true)
            }
            None => {
                let first = owners.len() as NodeNumber;
                owners.resize(owners.len() + marks as usize, scope);
                given_out.resize(owners.len(), batch);
                (first, false)
            }
        };
        self.note(|| Undo::Numbers(first, marks, reused));
        first
    }

    /// Notes an address that was not shown because following it could run something.
    pub(crate) fn report_unsafe(
        &mut self,
        id: ScopeId,
        address: &Name,
        kind: &PartKind,
        value: &Value,
        to: &Shown,
    ) {
        let PartKind::Attribute(_, vein_plan::Form::Url) = kind else { return };
        let replaced = matches!(to, Shown::Text(text) if text == vein_plan::shown::HARMLESS_URL);
        let url = value.to_shown();
        if replaced && url != vein_plan::shown::HARMLESS_URL {
            let part = self.graph.address(id, address);
            self.making.problems.push(Problem::UnsafeUrl { part, url: url.into() });
        }
    }

    pub(super) fn report_tag(&mut self, id: ScopeId, spot: u32, value: &Value, tag: &str) {
        let name = value.to_shown();
        if name != tag {
            let part = self.graph.address_of_spot(id, spot);
            self.making.problems.push(Problem::UnknownElement { part, name: name.into() });
        }
    }

    /// The part of a control that was marked as holding nothing that means a value.
    pub(crate) fn clear_invalid(&mut self, id: ScopeId, part: u32, mark: u32) {
        let keeps = self.graph.is_broken(Sabotage::KeepMarks);
        if !keeps && self.set_invalid(id, part, false) {
            self.making.marks.push((id, mark, false));
        }
    }

    /// Whether a reader is up to date, for waiting lists.
    pub(crate) fn is_waiting(&self, id: ScopeId, reader: u32) -> bool {
        let scope = self.graph.scope(id);
        scope.alive && scope.readers[reader as usize].mark != Mark::Fresh
    }
}

/// Empties what is filled in each pulse. There stays room for most.
fn for_next<T>(all: &mut Vec<T>) {
    all.clear();
    all.shrink_to(SPARE);
}

impl Scope {
    /// Forgets everything that belonged to the scope.
    fn wipe(&mut self) {
        (self.cells, self.readers) = (Box::default(), Box::default());
        (self.shown, self.held) = (Box::default(), Box::default());
        self.traces = FxHashMap::default();
        (self.gone, self.wards, self.alive) = (None, None, false);
    }
}

/// Which alternative a choice means; beyond them, none.
fn chosen(value: &Value, alternatives: usize) -> u32 {
    let number = value.to_number();
    if number >= 0.0 && number < alternatives as f64 { number as u32 } else { u32::MAX }
}

pub(crate) fn push_patch(patches: &mut Batch, node: NodeNumber, kind: &PartKind, shown: &Shown) {
    match (kind, shown) {
        (PartKind::Text, Shown::Text(text)) => patches.push(&Patch::Text { node, text }),
        (PartKind::Attribute(name, _), Shown::Text(value)) => {
            patches.push(&Patch::SetAttribute { node, name, value });
        }
        (PartKind::Attribute(name, _), _) => {
            patches.push(&Patch::RemoveAttribute { node, name });
        }
        (PartKind::Property(property), Shown::Text(value)) => {
            patches.push(&Patch::SetProperty { node, property: *property, value });
        }
        (PartKind::Property(property), shown) => {
            let on = *shown == Shown::Flag(true);
            patches.push(&Patch::SetFlag { node, property: *property, on });
        }
        (PartKind::Text, _) => patches.push(&Patch::Text { node, text: "" }),
    }
}
