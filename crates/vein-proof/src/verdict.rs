//! The verdict on a pulse: missed, needless, moves, idle.

use crate::fresh::{Fresh, evaluate, render};
use std::collections::BTreeMap;
use vein_plan::{PartKind, Plan, Program, Property, Shown, Value};
use vein_runtime::{Pulse, Runtime};
use vein_view::{Batch, NodeId, Patch, Tree};

/// What a proof found. A pulse is exact when nothing is listed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Verdict {
    /// How many parts the view has.
    pub parts: usize,
    /// How many of them changed.
    pub changed: usize,
    /// Parts that do not show what the state says, with what they show and what they should.
    pub missed: Vec<String>,
    /// Patches that changed nothing, repeated another, or went where no part is; nodes that
    /// were built again although the same element stands there.
    pub needless: Vec<String>,
    /// How many nodes were moved beyond the fewest possible.
    pub moves: usize,
    /// Parts that were evaluated although nothing they read has changed.
    pub idle: Vec<String>,
    /// Changes that the ledger names but that did not happen, or the other way round.
    pub unrecorded: Vec<String>,
}

impl Verdict {
    /// Whether exactly the right parts were changed.
    pub fn is_exact(&self) -> bool {
        self.missed.is_empty()
            && self.needless.is_empty()
            && self.moves == 0
            && self.idle.is_empty()
            && self.unrecorded.is_empty()
    }

    /// Everything that is not exact, a line each.
    pub fn problems(&self) -> Vec<String> {
        let kinds = [
            ("missed", &self.missed),
            ("needless", &self.needless),
            ("idle", &self.idle),
            ("ledger", &self.unrecorded),
        ];
        kinds
            .iter()
            .flat_map(|(kind, all)| all.iter().map(move |one| format!("{kind}: {one}")))
            .collect()
    }
}

/// The verdict in one line, as the ledger shows it.
impl std::fmt::Display for Verdict {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(
            f,
            "{} of {} parts changed · {} missed · {} needless · {} moves",
            self.changed,
            self.parts,
            self.missed.len(),
            self.needless.len(),
            self.moves
        )?;
        if !self.idle.is_empty() {
            write!(f, " · {} idle", self.idle.len())?;
        }
        if !self.unrecorded.is_empty() {
            write!(f, " · {} not in the ledger", self.unrecorded.len())?;
        }
        Ok(())
    }
}

/// Holds every pulse of a page against the view rendered afresh.
pub struct Proof {
    before: Fresh,
    nodes: Vec<Option<NodeId>>,
}

impl Proof {
    /// Begins with the page as it stands.
    pub fn new(runtime: &Runtime, tree: &Tree) -> Proof {
        let before = render(runtime.program(), runtime.plan(), runtime.values());
        Proof { before, nodes: nodes(runtime.plan(), tree) }
    }

    /// Judges a pulse. `applied` are the patches that reached the tree, whoever sent them.
    pub fn judge(
        &mut self,
        runtime: &Runtime,
        pulse: &Pulse,
        applied: &Batch,
        tree: &Tree,
    ) -> Verdict {
        let (program, plan) = (runtime.program().as_ref(), runtime.plan());
        let after = render(program, plan, runtime.values());
        let mut verdict = Verdict { parts: plan.parts.len(), ..Verdict::default() };
        let address = |part: usize| format!("{} › {}", plan.name, plan.parts[part].address);
        let changed: Vec<usize> =
            (0..plan.parts.len()).filter(|i| self.before.parts[*i] != after.parts[*i]).collect();
        verdict.changed = changed.len();
        verdict.missed = missed(plan, &after, tree);
        verdict.needless = self.needless(plan, &after, applied);
        let nodes = nodes(plan, tree);
        for (part, _) in plan.parts.iter().enumerate() {
            if self.nodes[part] != nodes[part] {
                verdict.needless.push(format!("{}: its node was built again", address(part)));
            }
        }
        for part in &pulse.evaluated {
            if self.is_idle(program, plan, &after.values, *part) {
                verdict.idle.push(address(*part));
            }
        }
        let recorded: Vec<usize> = pulse.parts.iter().map(|change| change.part).collect();
        for part in recorded.iter().filter(|part| !changed.contains(part)) {
            verdict.unrecorded.push(format!("{}: recorded, but unchanged", address(*part)));
        }
        for part in changed.iter().filter(|part| !recorded.contains(part)) {
            verdict.unrecorded.push(format!("{}: changed, but not recorded", address(*part)));
        }
        self.before = after;
        self.nodes = nodes;
        verdict
    }

    /// Patches to parts that show the same before and after, and second patches to a part.
    fn needless(&self, plan: &Plan, after: &Fresh, applied: &Batch) -> Vec<String> {
        let parts = part_numbers(plan);
        let mut patched: BTreeMap<usize, usize> = BTreeMap::new();
        let mut found = Vec::new();
        for patch in applied.iter() {
            let Some(target) = Target::of(&patch) else {
                found.push("a template or clone, though nothing was added".to_owned());
                continue;
            };
            match parts.get(&target) {
                Some(part) => *patched.entry(*part).or_insert(0) += 1,
                None => found.push(format!("a patch to node {}, where no part is", target.node)),
            }
        }
        for (part, times) in patched {
            let address = format!("{} › {}", plan.name, plan.parts[part].address);
            if self.before.parts[part] == after.parts[part] {
                found.push(format!(
                    "{address}: patched, though it shows {} before and after",
                    after.parts[part]
                ));
            }
            if times > 1 {
                found.push(format!("{address}: patched {times} times"));
            }
        }
        found
    }

    /// Whether nothing that a part read before has another value now.
    fn is_idle(&self, program: &Program, plan: &Plan, after: &[Value], part: usize) -> bool {
        let (_, reads) = evaluate(program, plan, &self.before.values, plan.parts[part].value);
        !reads.iter().any(|read| {
            let at = |values: &[Value]| values[read.cell as usize].at(&read.path).cloned();
            read.extent.differs(at(&self.before.values).as_ref(), at(after).as_ref())
        })
    }
}

/// The node that each part stands on.
fn nodes(plan: &Plan, tree: &Tree) -> Vec<Option<NodeId>> {
    plan.parts.iter().map(|part| tree.numbered(Runtime::node_of_mark(part.mark))).collect()
}

/// What a patch goes to.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Target {
    node: u32,
    what: String,
}

impl Target {
    fn of(patch: &Patch<'_>) -> Option<Target> {
        let property = |property: &Property| format!(".{}", property.name());
        let (node, what) = match patch {
            Patch::Template { .. } | Patch::Clone { .. } => return None,
            Patch::Text { node, .. } => (node, String::new()),
            Patch::SetAttribute { node, name, .. } | Patch::RemoveAttribute { node, name } => {
                (node, (*name).to_owned())
            }
            Patch::SetProperty { node, property: p, .. }
            | Patch::SetFlag { node, property: p, .. } => (node, property(p)),
        };
        Some(Target { node: *node, what })
    }
}

fn part_numbers(plan: &Plan) -> BTreeMap<Target, usize> {
    let target = |part: &vein_plan::Part| {
        let what = match &part.kind {
            PartKind::Text => String::new(),
            PartKind::Attribute(name, _) => name.to_string(),
            PartKind::Property(property) => format!(".{}", property.name()),
        };
        Target { node: Runtime::node_of_mark(part.mark), what }
    };
    plan.parts.iter().enumerate().map(|(i, part)| (target(part), i)).collect()
}

/// Every place where the tree is not the view rendered afresh.
fn missed(plan: &Plan, after: &Fresh, tree: &Tree) -> Vec<String> {
    let mut found = Vec::new();
    for (part, wanted) in plan.parts.iter().zip(&after.parts) {
        let shown = tree
            .numbered(Runtime::node_of_mark(part.mark))
            .and_then(|node| shown_at(tree, node, &part.kind));
        if shown.as_ref() != Some(wanted) {
            let shown = shown.map_or("nothing".to_owned(), |shown| shown.to_string());
            let (name, address) = (&plan.name, &part.address);
            found.push(format!("{name} › {address}: shows {shown}, should show {wanted}"));
        }
    }
    if found.is_empty() {
        // Whatever is no part must be as it was written.
        let fresh = after.tree(plan);
        found.extend(compare(tree, tree.root(), &fresh, fresh.root()));
    }
    found
}

fn shown_at(tree: &Tree, node: NodeId, kind: &PartKind) -> Option<Shown> {
    Some(match kind {
        PartKind::Text => Shown::Text(tree.text(node)?.to_owned()),
        PartKind::Attribute(name, _) => match tree.attribute(node, name) {
            Some(value) => Shown::Text(value.to_owned()),
            None => Shown::Absent,
        },
        PartKind::Property(property) => tree.set_property(node, *property)?,
    })
}

/// The first difference between two trees below two nodes. Both are counted through: a node
/// that only one of them has is a difference.
fn compare(a: &Tree, at: NodeId, b: &Tree, bt: NodeId) -> Option<String> {
    let described = |tree: &Tree, node| match tree.text(node) {
        Some(text) => format!("{text:?}"),
        None => format!("<{}>", tree.name(node).unwrap_or("")),
    };
    let mut open = vec![(at, bt)];
    while let Some((at, bt)) = open.pop() {
        let same = a.name(at) == b.name(bt)
            && a.namespace(at) == b.namespace(bt)
            && a.text(at) == b.text(bt)
            && attributes(a, at) == attributes(b, bt);
        if !same {
            return Some(format!("{} stands where {} should", described(a, at), described(b, bt)));
        }
        let (inside, wanted) = (a.children(at), b.children(bt));
        if inside.len() != wanted.len() {
            let (found, wanted) = (inside.len(), wanted.len());
            return Some(format!("{} holds {found} nodes, should hold {wanted}", described(a, at)));
        }
        open.extend(inside.iter().copied().zip(wanted.iter().copied()));
    }
    None
}

fn attributes(tree: &Tree, node: NodeId) -> BTreeMap<&str, &str> {
    tree.attributes(node).collect()
}
