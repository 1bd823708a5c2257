//! Who reads what: a tree of paths into cells, with the readers of each.
//!
//! One such tree is fixed for a plan and shared by all its instances; another holds the reads
//! that each evaluation finds out. A write walks down its own path only, so its cost does not
//! depend on how much else is read.

use rustc_hash::FxHashMap;
use vein_plan::code::CellId;
use vein_plan::{Extent, Step, Value};

/// Something that reads: a derived value or a part.
pub(crate) type ReaderId = u32;
type NodeId = u32;

#[derive(Debug, Default)]
struct Node {
    readers: Vec<(ReaderId, Extent)>,
    children: FxHashMap<Step, NodeId>,
    /// The node around this one and the step to here, so that empty nodes can be given back.
    up: Option<(NodeId, Step)>,
}

/// A tree of reads.
#[derive(Debug, Default)]
pub(crate) struct Wakes {
    roots: FxHashMap<CellId, NodeId>,
    nodes: Vec<Node>,
    free: Vec<NodeId>,
}

/// Where a reader is entered, for taking it out again.
pub(crate) type Entry = (NodeId, Extent);

/// How a list was changed in place, for finding what stood at a position and what stands there
/// now without copying the list.
pub(crate) enum ListChange<'a> {
    Splice { at: usize, removed: usize, inserted: &'a [Value] },
    Permute(&'a [u32]),
}

impl ListChange<'_> {
    fn length_after(&self, before: usize) -> usize {
        match self {
            ListChange::Splice { removed, inserted, .. } => before - removed + inserted.len(),
            ListChange::Permute(_) => before,
        }
    }

    fn item_after<'v>(&'v self, before: &'v [Value], position: usize) -> Option<&'v Value> {
        match self {
            ListChange::Splice { at, removed, inserted } => {
                if position < *at {
                    before.get(position)
                } else if position < at + inserted.len() {
                    inserted.get(position - at)
                } else {
                    before.get(position - inserted.len() + removed)
                }
            }
            ListChange::Permute(order) => {
                order.get(position).and_then(|from| before.get(*from as usize))
            }
        }
    }
}

impl Wakes {
    /// Enters a reader at a path.
    pub(crate) fn enter(
        &mut self,
        reader: ReaderId,
        cell: CellId,
        path: &[Step],
        extent: Extent,
    ) -> Entry {
        let mut at = match self.roots.get(&cell) {
            Some(root) => *root,
            None => {
                let root = self.new_node(None);
                self.roots.insert(cell, root);
                root
            }
        };
        for step in path {
            at = match self.nodes[at as usize].children.get(step) {
                Some(child) => *child,
                None => {
                    let child = self.new_node(Some((at, step.clone())));
                    self.nodes[at as usize].children.insert(step.clone(), child);
                    child
                }
            };
        }
        self.nodes[at as usize].readers.push((reader, extent));
        (at, extent)
    }

    fn new_node(&mut self, up: Option<(NodeId, Step)>) -> NodeId {
        let node = Node { up, ..Node::default() };
        match self.free.pop() {
            Some(id) => {
                self.nodes[id as usize] = node;
                id
            }
            None => {
                self.nodes.push(node);
                self.nodes.len() as NodeId - 1
            }
        }
    }

    /// Takes a reader out where it was entered, and gives back nodes that nobody needs.
    pub(crate) fn leave(&mut self, reader: ReaderId, (mut at, extent): Entry) {
        let readers = &mut self.nodes[at as usize].readers;
        if let Some(i) = readers.iter().position(|entry| *entry == (reader, extent)) {
            readers.swap_remove(i);
        }
        loop {
            let node = &self.nodes[at as usize];
            let Some((parent, step)) = node.up.clone() else { return };
            if !node.readers.is_empty() || !node.children.is_empty() {
                return;
            }
            self.nodes[parent as usize].children.remove(&step);
            self.free.push(at);
            at = parent;
        }
    }

    /// How many reads are entered.
    pub(crate) fn len(&self) -> usize {
        self.nodes.iter().map(|node| node.readers.len()).sum()
    }

    /// Every reader of a cell or of anything in it.
    pub(crate) fn readers_of(&self, cell: CellId, out: &mut Vec<ReaderId>) {
        let mut open: Vec<NodeId> = self.roots.get(&cell).copied().into_iter().collect();
        while let Some(at) = open.pop() {
            let node = &self.nodes[at as usize];
            out.extend(node.readers.iter().map(|(reader, _)| *reader));
            open.extend(node.children.values());
        }
    }

    /// Goes to the node of a path; readers of all of anything on the way see the change.
    fn descend(&self, cell: CellId, path: &[Step], out: &mut Vec<ReaderId>) -> Option<&Node> {
        let mut node = &self.nodes[*self.roots.get(&cell)? as usize];
        for step in path {
            whole(node, out);
            node = &self.nodes[*node.children.get(step)? as usize];
        }
        Some(node)
    }

    /// Finds the readers that see that the value at a path has become another.
    pub(crate) fn replaced(
        &self,
        cell: CellId,
        path: &[Step],
        before: &Value,
        after: &Value,
        out: &mut Vec<ReaderId>,
    ) {
        if let Some(node) = self.descend(cell, path, out) {
            self.compare(node, Some(before), Some(after), out);
        }
    }

    fn compare(
        &self,
        node: &Node,
        before: Option<&Value>,
        after: Option<&Value>,
        out: &mut Vec<ReaderId>,
    ) {
        for (reader, extent) in &node.readers {
            if extent.differs(before, after) {
                out.push(*reader);
            }
        }
        for (step, child) in &node.children {
            let (before, after) =
                (before.and_then(|v| v.child(step)), after.and_then(|v| v.child(step)));
            self.compare(&self.nodes[*child as usize], before, after, out);
        }
    }

    /// Finds the readers that see that a list was changed in place.
    pub(crate) fn list_changed(
        &self,
        cell: CellId,
        path: &[Step],
        before: &[Value],
        change: &ListChange<'_>,
        out: &mut Vec<ReaderId>,
    ) {
        let Some(node) = self.descend(cell, path, out) else { return };
        let longer_or_shorter = change.length_after(before.len()) != before.len();
        for (reader, extent) in &node.readers {
            let sees = match extent {
                Extent::Whole => true,
                Extent::Length => longer_or_shorter,
                Extent::Presence | Extent::Position => false,
            };
            if sees {
                out.push(*reader);
            }
        }
        for (step, child) in &node.children {
            let Step::Index(position) = step else { continue };
            let position = *position as usize;
            let (old, new) = (before.get(position), change.item_after(before, position));
            self.compare(&self.nodes[*child as usize], old, new, out);
        }
    }
}

fn whole(node: &Node, out: &mut Vec<ReaderId>) {
    out.extend(node.readers.iter().filter(|(_, e)| *e == Extent::Whole).map(|(reader, _)| *reader));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nodes_are_given_back() {
        let mut wakes = Wakes::default();
        let path = [Step::Field("beds".into()), Step::Index(3)];
        for _ in 0..3 {
            let entry = wakes.enter(7, 0, &path, Extent::Whole);
            assert_eq!(wakes.len(), 1);
            wakes.leave(7, entry);
        }
        assert_eq!((wakes.len(), wakes.nodes.len(), wakes.free.len()), (0, 3, 2));
    }
}
