//! Slots of a component that is shown in a shadow tree.

use crate::program::{Block, Namespace, Next, SpotKind, TemplateNode};

impl Block {
    /// Puts each slot into an element `slot` of the document (HTML standard, "the slot element"), for a
    /// block that is shown in a shadow tree: what a page puts inside the tree's host is shown there.
    pub fn add_outlets(&mut self) {
        for number in 0..self.spots.len() {
            let SpotKind::Slot { name, .. } = &self.spots[number].kind else { continue };
            let named = (!name.is_empty()).then(|| ("name".into(), name.clone()));
            let (parent, before) =
                (self.spots[number].parent, self.stands_before(&self.spots[number]));
            let (at, mark) = self.place(parent, before);
            let slot = TemplateNode::Open {
                namespace: Namespace::Html,
                name: "slot".into(),
                attributes: named.into_iter().collect(),
                marked: true,
            };
            self.template.splice(at..at, [slot, TemplateNode::Close]);
            self.shift_marks(mark);
            for spot in &mut self.spots {
                if spot.next == Next::Spot(number as u32) {
                    spot.next = Next::Node(mark);
                }
            }
            let spot = &mut self.spots[number];
            (spot.parent, spot.next) = (Some(mark), Next::End);
        }
    }

    /// Where in the template a node would stand inside a marked one and before another, and which mark it
    /// would have.
    fn place(&self, parent: Option<u32>, before: Option<u32>) -> (usize, u32) {
        let (mut mark, mut open) = (0, Vec::new());
        for (at, node) in self.template.iter().enumerate() {
            let own = node.is_marked().then_some(mark);
            if own.is_some() && own == before {
                return (at, mark);
            }
            match node {
                TemplateNode::Open { .. } => open.push(own),
                TemplateNode::Close => {
                    let ended = open.pop().flatten();
                    if before.is_none() && parent.is_some() && ended == parent {
                        return (at, mark);
                    }
                }
                _ => {}
            }
            mark += u32::from(own.is_some());
        }
        (self.template.len(), mark)
    }

    /// Makes room for a mark: those from it on are one higher.
    fn shift_marks(&mut self, from: u32) {
        let shift = |mark: &mut u32| *mark += u32::from(*mark >= from);
        self.parts.iter_mut().for_each(|part| shift(&mut part.mark));
        self.listeners.iter_mut().for_each(|listener| shift(&mut listener.mark));
        for spot in &mut self.spots {
            spot.parent.iter_mut().for_each(shift);
            if let Next::Node(mark) = &mut spot.next {
                shift(mark);
            }
        }
    }
}
