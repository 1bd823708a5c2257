//! Which rows can be kept while their items are out of the list that they repeat: those that hold nothing of their own. When
//! such an item comes back, its row is brought up to date, and nobody can tell it from a new one.

use crate::component::Class;
use crate::readers::repeated;
use crate::template::Template;
use vein_plan::{Block, BlockId, CellKind, Namespace, PartKind, Property, SpotKind, TemplateNode};

/// Elements that hold something that nobody has bound: what was entered, chosen, opened, loaded or drawn.
const HOLDING: [&str; 18] = [
    "textarea",
    "select",
    "details",
    "dialog",
    "video",
    "audio",
    "iframe",
    "object",
    "embed",
    "canvas",
    "script",
    "slot",
    "marquee",
    "animate",
    "animateMotion",
    "animateTransform",
    "set",
    "input",
];

/// Attributes that make an element hold something.
const MAKING: [&str; 4] = ["contenteditable", "popover", "autofocus", "type"];

/// Types of `input` that show what they are given, and nothing else.
const SHOWING: [&str; 9] =
    ["text", "search", "number", "tel", "url", "email", "date", "time", "checkbox"];

impl Class<'_> {
    /// Whether the row of a loop can come again: it is one element, and nothing in it holds anything of its own.
    pub(crate) fn is_bare_row(&self, number: BlockId) -> bool {
        let block = &self.own.plan.blocks[number as usize];
        Template::of(block).is_one(block) && self.is_bare(number)
    }

    /// Whether the block comes again with a row, or as one.
    pub(crate) fn comes_again(&self) -> bool {
        let plan = self.own.plan;
        let around =
            std::iter::successors(Some(self.own.block), |at| plan.blocks.get(*at as usize)?.parent);
        let row = around.into_iter().find(|at| repeated(plan, *at).is_some());
        row.is_some_and(|row| self.is_bare_row(row))
    }

    /// Whether nothing in a block holds anything of its own.
    fn is_bare(&self, number: BlockId) -> bool {
        let plan = self.own.plan;
        let Some(block) = plan.blocks.get(number as usize) else { return false };
        let asks = |expr| self.whole.asking.expr(self.number, plan, expr);
        let cells = plan.cells.iter().filter(|cell| cell.block == number);
        let knows_its_item =
            cells.into_iter().all(|cell| matches!(cell.kind, CellKind::Item | CellKind::Position));
        let parts = block.parts.iter().all(|part| !asks(part.value) && is_plain(&part.kind));
        let listeners = block
            .listeners
            .iter()
            .all(|listener| !listener.options.once && listener.options.quiet.is_none());
        let spots = block.spots.iter().all(|spot| match &spot.kind {
            SpotKind::Branch { choice, alternatives, .. } => {
                !asks(*choice) && alternatives.iter().all(|inside| self.is_bare(*inside))
            }
            _ => false,
        });
        knows_its_item && parts && listeners && spots && holds_nothing(block)
    }
}

/// Whether what a part brings about is there anew whenever it is set.
fn is_plain(kind: &PartKind) -> bool {
    match kind {
        PartKind::Text => true,
        PartKind::Attribute(name, _) => !MAKING.contains(&&**name),
        PartKind::Property(property) => matches!(property, Property::Value | Property::Checked),
    }
}

fn holds_nothing(block: &Block) -> bool {
    let mut marks = 0;
    block.template.iter().all(|node| {
        let mark = marks;
        marks += u32::from(node.is_marked());
        let TemplateNode::Open { name, attributes, marked, namespace } = node else { return true };
        let ty = attributes.iter().find(|(name, _)| &**name == "type");
        let shows_what_it_is_given = || {
            let held = |part: &vein_plan::Part| {
                part.mark == mark && matches!(part.kind, PartKind::Property(_))
            };
            &**name == "input"
                && *marked
                && block.parts.iter().any(held)
                && ty.is_none_or(|(_, ty)| SHOWING.contains(&&*ty.to_ascii_lowercase()))
        };
        let is_harmless = !HOLDING.contains(&&**name) || shows_what_it_is_given();
        let own = name.contains('-') && *namespace == Namespace::Html;
        // A type that stays the same is looked at with its element.
        let makes =
            attributes.iter().any(|(name, _)| &**name != "type" && MAKING.contains(&&**name));
        is_harmless && !own && !makes
    })
}
