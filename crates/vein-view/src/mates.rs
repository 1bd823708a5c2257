//! Which nodes of a view stand for which of the one that comes in its place, so that a surface keeps those: with their focus, caret
//! and scroll, and with what is being typed into them.

use crate::tree::{NodeId, NodeKind, Tree};
use rustc_hash::{FxHashMap, FxHashSet, FxHasher};
use std::hash::{Hash, Hasher};
use vein_plan::Property;

/// More pairs than this are not weighed against each other.
const MOST_PAIRS: usize = 40_000;

/// What of the view before stays in the view after.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Mates {
    /// For each node of the view after, in document order, the place in document order of the node before that it stays; what is in a
    /// `textarea` does not count.
    pub nodes: Vec<Option<u32>>,
    /// The nodes that stay whose text or attributes are others now, by their places in the view after.
    pub others: Vec<u32>,
    /// The properties of nodes that stay that are others now: the place of the node in the view after, and the property.
    pub held: Vec<(u32, Property)>,
}

impl Mates {
    /// Holds two views against each other. `known` says of nodes of the view after which nodes before they are, as far as that does
    /// not follow from what they look like.
    pub fn of(before: &Tree, after: &Tree, known: &FxHashMap<NodeId, NodeId>) -> Mates {
        let (old, new) = (Order::of(before), Order::of(after));
        let mut pairs: FxHashMap<NodeId, NodeId> = FxHashMap::default();
        let matched = Matched { before, after, old: &old, new: &new, known };
        let mut open = vec![(before.root(), after.root())];
        while let Some((own, others)) = open.pop() {
            let (children, others) = (inside(before, own), inside(after, others));
            if matched.is_same(children, others) {
                for (own, other) in children.iter().zip(others) {
                    pairs.insert(*other, *own);
                    open.push((*own, *other));
                }
                continue;
            }
            for (own, other) in matched.pairs(children, others) {
                pairs.insert(other, own);
                open.push((own, other));
            }
        }
        let mut mates = Mates::default();
        for (at, node) in (0..).zip(&new.nodes) {
            let mate = pairs.get(node).copied();
            mates.nodes.push(mate.and_then(|mate| old.place.get(&mate).copied()));
            let Some(mate) = mate else { continue };
            let same = before.text(mate) == after.text(*node)
                && before.attributes(mate).eq(after.attributes(*node));
            if !same {
                mates.others.push(at);
            }
            for property in Property::ALL {
                let held = after.set_property(*node, property);
                if held.is_some() && held != before.set_property(mate, property) {
                    mates.held.push((at, property));
                }
            }
        }
        mates
    }
}

/// The children of a node that count.
fn inside(tree: &Tree, id: NodeId) -> &[NodeId] {
    if tree.name(id) == Some("textarea") { &[] } else { tree.children(id) }
}

/// The nodes of a tree as they stand in the document, with what tells them apart by what they look like.
struct Order {
    nodes: Vec<NodeId>,
    place: FxHashMap<NodeId, u32>,
    looks: FxHashMap<NodeId, u64>,
}

impl Order {
    fn of(tree: &Tree) -> Order {
        let (mut nodes, mut place) = (Vec::new(), FxHashMap::default());
        let mut open: Vec<NodeId> = tree.children(tree.root()).iter().rev().copied().collect();
        while let Some(id) = open.pop() {
            place.insert(id, nodes.len() as u32);
            nodes.push(id);
            open.extend(inside(tree, id).iter().rev());
        }
        let mut looks: FxHashMap<NodeId, u64> = FxHashMap::default();
        for id in nodes.iter().rev() {
            let mut hasher = FxHasher::default();
            tree.text(*id).hash(&mut hasher);
            tree.name(*id).hash(&mut hasher);
            tree.attributes(*id).for_each(|attribute| attribute.hash(&mut hasher));
            for child in inside(tree, *id) {
                looks.get(child).hash(&mut hasher);
            }
            looks.insert(*id, hasher.finish());
        }
        Order { nodes, place, looks }
    }
}

/// The children of two nodes that are the same, held against each other.
struct Matched<'a> {
    before: &'a Tree,
    after: &'a Tree,
    old: &'a Order,
    new: &'a Order,
    known: &'a FxHashMap<NodeId, NodeId>,
}

impl Matched<'_> {
    /// Whether each of some nodes is what stands at its place, as most are when little was edited.
    fn is_same(&self, own: &[NodeId], others: &[NodeId]) -> bool {
        let same = |(own, other): (&NodeId, &NodeId)| {
            self.old.looks.get(own) == self.new.looks.get(other)
                && self.known.get(other).is_none_or(|known| known == own)
                && self.fit(*own, *other)
        };
        own.len() == others.len() && own.iter().zip(others).all(same)
    }

    fn pairs(&self, own: &[NodeId], others: &[NodeId]) -> Vec<(NodeId, NodeId)> {
        let mut pairs = Vec::new();
        let stand: FxHashSet<&NodeId> = own.iter().collect();
        // Rows are what their items are, wherever they have gone.
        for other in others {
            let mate = self.known.get(other).filter(|mate| stand.contains(mate));
            pairs.extend(mate.filter(|mate| self.fit(**mate, *other)).map(|mate| (*mate, *other)));
        }
        let taken: FxHashSet<NodeId> = pairs.iter().map(|(own, _)| *own).collect();
        let given: FxHashSet<NodeId> = pairs.iter().map(|(_, other)| *other).collect();
        let mut own: Vec<NodeId> =
            own.iter().copied().filter(|node| !taken.contains(node)).collect();
        let mut others: Vec<NodeId> =
            others.iter().copied().filter(|node| !given.contains(node)).collect();
        let same = |(own, other): &(&NodeId, &NodeId)| {
            self.old.looks.get(own) == self.new.looks.get(other) && self.fit(**own, **other)
        };
        let first = own.iter().zip(&others).take_while(same).count();
        pairs.extend(own.drain(..first).zip(others.drain(..first)));
        let last = own.iter().rev().zip(others.iter().rev()).take_while(same).count();
        let (from, to) = (own.len() - last, others.len() - last);
        pairs.extend(own.drain(from..).zip(others.drain(to..)));
        match own.len() * others.len() <= MOST_PAIRS {
            true => self.weighed(&own, &others, &mut pairs),
            // Too many to weigh: whatever is of a kind, in order.
            false => {
                let mut own = own.into_iter().peekable();
                for other in others {
                    while let Some(next) = own.peek().copied() {
                        own.next();
                        if self.fit(next, other) {
                            pairs.push((next, other));
                            break;
                        }
                    }
                }
            }
        }
        pairs
    }

    /// The pairs in the order of both that are most alike.
    fn weighed(&self, own: &[NodeId], others: &[NodeId], pairs: &mut Vec<(NodeId, NodeId)>) {
        let (rows, columns) = (own.len() + 1, others.len() + 1);
        let mut best = vec![0u32; rows * columns];
        for i in (0..own.len()).rev() {
            for j in (0..others.len()).rev() {
                let weight = self.weight(own[i], others[j]);
                let both = if weight > 0 { best[(i + 1) * columns + j + 1] + weight } else { 0 };
                let one = best[(i + 1) * columns + j].max(best[i * columns + j + 1]);
                best[i * columns + j] = both.max(one);
            }
        }
        let (mut i, mut j) = (0, 0);
        while i < own.len() && j < others.len() {
            let weight = self.weight(own[i], others[j]);
            let here = best[i * columns + j];
            if weight > 0 && here == best[(i + 1) * columns + j + 1] + weight {
                pairs.push((own[i], others[j]));
                (i, j) = (i + 1, j + 1);
            } else if here == best[(i + 1) * columns + j] {
                i += 1;
            } else {
                j += 1;
            }
        }
    }

    /// How alike two nodes are; nothing, if the one cannot become the other.
    fn weight(&self, own: NodeId, other: NodeId) -> u32 {
        if !self.fit(own, other) {
            return 0;
        }
        let same = self.old.looks.get(&own) == self.new.looks.get(&other);
        let attribute = |name: &str| {
            let (a, b) = (self.before.attribute(own, name), self.after.attribute(other, name));
            u32::from(a.is_some() && a == b)
        };
        // Texts are worth little: any text can become any other.
        let element = u32::from(self.before.name(own).is_some());
        1 + element * 2 + 8 * u32::from(same) + 4 * attribute("id") + attribute("class")
    }

    /// Whether the one can become the other.
    fn fit(&self, own: NodeId, other: NodeId) -> bool {
        self.alike(own, other) && !self.leaves(own, other)
    }

    fn alike(&self, own: NodeId, other: NodeId) -> bool {
        match (&self.before.node(own).kind, &self.after.node(other).kind) {
            (NodeKind::Text(_), NodeKind::Text(_)) => true,
            (NodeKind::Element(own), NodeKind::Element(other)) => {
                let alike = own.name == other.name && own.namespace == other.namespace;
                alike
                    && (own.name.as_ref() != "input"
                        || own.attribute("type") == other.attribute("type"))
            }
            _ => false,
        }
    }

    /// Whether something that the one was made to hold is not said of the other, which would go on holding it.
    fn leaves(&self, own: NodeId, other: NodeId) -> bool {
        Property::ALL.into_iter().any(|property| {
            self.after.set_property(other, property).is_none()
                && self.before.set_property(own, property).is_some()
        })
    }
}
