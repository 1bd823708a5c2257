//! Scopes in the view: made, found among their neighbours, moved and taken away.

mod changing;
mod finding;
mod lists;
mod making;

use crate::graph::Graph;
use crate::pulse::Problem;
use crate::scope::{Mark, NONE, ScopeId};
use rustc_hash::{FxHashMap, FxHashSet};
use vein_plan::{BlockId, Name, PartKind, Shown, TemplateNode, Value};
use vein_view::{Batch, NodeNumber, Patch, ROOT};

/// How many components may stand inside each other.
pub const DEEPEST_COMPONENTS: u32 = 100;

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
    /// Parts whose controls have come to hold something else by themselves.
    pub(crate) committed: Vec<(ScopeId, u32, Shown)>,
    /// Controls that are to be marked as holding nothing that means a value, or not any more.
    pub(crate) marks: Vec<(ScopeId, u32, bool)>,
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
        View { graph, making: Making::default(), sent, clean, released: Vec::new() }
    }

    /// Gives back what the pulse let go.
    pub(crate) fn end(&mut self) {
        self.graph.end();
        for (first, marks) in self.released.drain(..) {
            let numbers = first as usize..(first + marks) as usize;
            self.graph.owners[numbers].fill(NONE);
            self.graph.free_numbers.entry(marks).or_default().push(first);
        }
        let dead = std::mem::take(&mut self.graph.dead);
        for id in dead {
            let scope = self.graph.scope_mut(id);
            scope.cells = Box::default();
            scope.readers = Box::default();
            scope.shown = Box::default();
            scope.held = Box::default();
            scope.traces = FxHashMap::default();
            scope.gone = None;
            self.graph.free.push(id);
        }
    }

    pub(super) fn numbers(&mut self, marks: u32, scope: ScopeId) -> NodeNumber {
        if marks == 0 {
            return ROOT;
        }
        let owners = &mut self.graph.owners;
        if let Some(first) = self.graph.free_numbers.get_mut(&marks).and_then(Vec::pop) {
            owners[first as usize..(first + marks) as usize].fill(scope);
            return first;
        }
        let first = owners.len() as NodeNumber;
        owners.resize(owners.len() + marks as usize, scope);
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
        let scope = self.graph.scope_mut(id);
        if let Some(at) = scope.invalid.iter().position(|invalid| *invalid == part) {
            scope.invalid.remove(at);
            self.making.marks.push((id, mark, false));
        }
    }

    /// Whether a reader is up to date, for waiting lists.
    pub(crate) fn is_waiting(&self, id: ScopeId, reader: u32) -> bool {
        let scope = self.graph.scope(id);
        scope.alive && scope.readers[reader as usize].mark != Mark::Fresh
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
