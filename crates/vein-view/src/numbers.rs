//! Which node has which number.

use crate::tree::NodeId;
use std::collections::BTreeMap;

/// How far numbers may lie apart that stand in one table: so many times the nodes that there are, and so many more.
const TIMES: usize = 4;
const MORE: usize = 1 << 16;

/// Nodes by their numbers. An engine gives out low numbers, which stand in a table; a batch that names high ones
/// costs no more than one that does not.
#[derive(Clone, Debug, Default)]
pub(crate) struct Numbers {
    near: Vec<Option<NodeId>>,
    far: BTreeMap<u32, NodeId>,
}

impl Numbers {
    pub(crate) fn get(&self, number: u32) -> Option<NodeId> {
        match self.near.get(number as usize) {
            Some(found) => *found,
            None if self.far.is_empty() => None,
            None => self.far.get(&number).copied(),
        }
    }

    /// Gives a number to a node of a tree with so many.
    pub(crate) fn set(&mut self, number: u32, id: NodeId, nodes: usize) {
        let at = number as usize;
        if self.near.len() <= at {
            if at > TIMES * nodes + MORE {
                self.far.insert(number, id);
                return;
            }
            self.near.resize(at + 1, None);
            // What was far stands in the table by now.
            while let Some(first) = self.far.first_entry() {
                let Some(place) = self.near.get_mut(*first.key() as usize) else { break };
                *place = Some(first.remove());
            }
        }
        self.near[at] = Some(id);
    }

    /// Takes a number back.
    pub(crate) fn clear(&mut self, number: u32) {
        match self.near.get_mut(number as usize) {
            Some(known) => *known = None,
            None => drop(self.far.remove(&number)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_far_apart_are_known_as_those_that_are_near() {
        let mut numbers = Numbers::default();
        let all = [0, 7, 70_000, 4_000_000_000, 65_000, 300_000, 70_001];
        for (at, number) in (1..).zip(all) {
            numbers.set(number, NodeId(at), 4 * at as usize);
        }
        assert!(numbers.near.len() < 100_000, "{}", numbers.near.len());
        for (at, number) in (1..).zip(all) {
            assert_eq!(numbers.get(number), Some(NodeId(at)), "{number}");
        }
        // Once there are many, those that were far stand in the table.
        numbers.set(400_000, NodeId(99), 1_000_000);
        assert_eq!(numbers.far.len(), 1);
        for (at, number) in (1..).zip(all) {
            assert_eq!(numbers.get(number), Some(NodeId(at)), "{number}");
            numbers.clear(number);
            assert_eq!(numbers.get(number), None);
        }
    }
}
