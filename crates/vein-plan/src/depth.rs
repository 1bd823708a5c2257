//! How deep what a page shows may stand inside itself: components, blocks and elements, each in the sum.

use crate::program::{Block, Spot, TemplateNode};

/// What stands around something.
///
/// ```
/// use vein_plan::depth::Depth;
/// let deep = Depth { elements: 501, ..Depth::default() };
/// assert_eq!(deep.beyond(), Some((500, "elements")));
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Depth {
    /// Components.
    pub components: u32,
    /// Blocks: components, alternatives, rows, content of slots.
    pub blocks: u32,
    /// Elements. Parsers of HTML take no more than 512.
    pub elements: u32,
}

impl Depth {
    /// How much of each may stand around a component.
    pub const MOST: Depth = Depth { components: 100, blocks: 500, elements: 500 };

    /// What more of it stands around than may, if anything.
    pub fn beyond(&self) -> Option<(u32, &'static str)> {
        let most = Depth::MOST;
        if self.components > most.components {
            return Some((most.components, "components"));
        }
        if self.blocks > most.blocks {
            return Some((most.blocks, "blocks"));
        }
        (self.elements > most.elements).then_some((most.elements, "elements"))
    }
}

impl Block {
    /// How many elements of the block stand around one of its spots.
    pub fn elements_around(&self, spot: &Spot) -> u32 {
        let Some(parent) = spot.parent else { return 0 };
        let (mut open, mut mark) = (0, 0);
        for node in &self.template {
            let is_it = node.is_marked() && mark == parent;
            mark += u32::from(node.is_marked());
            match node {
                TemplateNode::Open { .. } => open += 1,
                TemplateNode::Close => open -= 1,
                _ => {}
            }
            if is_it {
                break;
            }
        }
        open
    }
}
