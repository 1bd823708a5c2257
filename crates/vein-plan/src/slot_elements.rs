//! Slots of a component that is shown in a shadow tree.

use crate::program::{Block, Namespace, Next, SpotKind, TemplateNode};

impl Block {
    /// Puts each slot into an element `slot` of the document (HTML standard, "the slot element"), for a
    /// block that is shown in a shadow tree: what a page puts inside the tree's host is shown there.
    pub fn add_slot_elements(&mut self) {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::program::{Form, Listener, Location, Part, PartKind, Reads, Spot};

    fn open(name: &str) -> TemplateNode {
        TemplateNode::Open {
            namespace: Namespace::Html,
            name: name.into(),
            attributes: Vec::new(),
            marked: true,
        }
    }

    fn close() -> TemplateNode {
        TemplateNode::Close
    }

    fn spot(next: Next, kind: SpotKind) -> Spot {
        let location = Location::default();
        Spot { parent: Some(0), next, kind, address: "".into(), location }
    }

    fn slot(name: &str) -> SpotKind {
        SpotKind::Slot { name: name.into(), values: Vec::new(), fallback: None }
    }

    #[test]
    fn what_stands_around_a_slot_stays_where_it_was() {
        let nothing = || Reads::Fixed(Vec::new());
        let branch = SpotKind::Branch { choice: 0, reads: nothing(), alternatives: Vec::new() };
        let listener = Listener {
            mark: 1,
            event: "click".into(),
            options: Default::default(),
            fields: Vec::new(),
            locals: 0,
            body: Vec::new(),
            commit: None,
            address: "".into(),
            location: Location::default(),
        };
        let inside = Spot { parent: Some(1), ..spot(Next::Node(2), branch.clone()) };
        // <main>(a branch)(a slot)<p title="…" click="…">(a branch)<i></i></p>(a slot called foot)</main>
        let mut block = Block {
            template: vec![open("main"), open("p"), open("i"), close(), close(), close()],
            listeners: vec![listener],
            parts: vec![Part {
                mark: 1,
                kind: PartKind::Attribute("title".into(), Form::Text),
                value: 0,
                reads: nothing(),
                control: None,
                address: "".into(),
                location: Location::default(),
            }],
            spots: vec![
                spot(Next::Spot(1), branch),
                spot(Next::Node(1), slot("")),
                spot(Next::End, slot("foot")),
                inside,
            ],
            ..Block::default()
        };
        block.add_slot_elements();
        let named = |node: &TemplateNode| match node {
            TemplateNode::Open { name, attributes, .. } => format!("{name}{attributes:?}"),
            _ => "end".to_owned(),
        };
        let nodes: Vec<String> = block.template.iter().map(named).collect();
        let foot = "slot[(\"name\", \"foot\")]";
        let wanted = ["main[]", "slot[]", "end", "p[]", "i[]", "end", "end", foot, "end", "end"];
        assert_eq!(nodes, wanted);
        assert_eq!(block.parts[0].mark, 2, "the part is still that of the paragraph");
        assert_eq!(block.listeners[0].mark, 2);
        let places: Vec<_> = block.spots.iter().map(|spot| (spot.parent, spot.next)).collect();
        assert_eq!(
            places,
            [
                (Some(0), Next::Node(1)),
                (Some(1), Next::End),
                (Some(4), Next::End),
                (Some(2), Next::Node(3))
            ],
            "the branches stand where they stood, the contents inside theirs"
        );
    }

    #[test]
    fn a_slot_at_the_top_stands_after_what_is_there() {
        let unmarked = |name: &str| match open(name) {
            TemplateNode::Open { namespace, name, attributes, .. } => {
                TemplateNode::Open { namespace, name, attributes, marked: false }
            }
            other => other,
        };
        let mut block = Block {
            template: vec![unmarked("p"), close(), unmarked("hr"), close()],
            spots: vec![Spot { parent: None, ..spot(Next::End, slot("")) }],
            ..Block::default()
        };
        block.add_slot_elements();
        assert_eq!(block.template[4..], [open("slot"), close()]);
        assert_eq!((block.spots[0].parent, block.spots[0].next), (Some(0), Next::End));
    }
}
