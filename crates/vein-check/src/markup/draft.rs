//! Blocks while they are built.

use super::Inside;
use rustc_hash::FxHashMap as HashMap;
use vein_plan::{Block, BlockId, Listener, Location, Next, Part, Spot, TemplateNode};

/// Numbers that tell apart what would be called the same.
#[derive(Default)]
pub(crate) struct Addresses(HashMap<String, usize>);

impl Addresses {
    /// The name itself for the first, with a number for those that follow.
    pub(crate) fn unique(&mut self, name: String) -> String {
        let count = self.0.entry(name.clone()).or_insert(0);
        *count += 1;
        if *count == 1 { name } else { format!("{name}({count})") }
    }
}

/// A block while it is built: its nodes are referred to by their places in the template.
#[derive(Default)]
pub(super) struct Draft {
    pub(super) id: BlockId,
    pub(super) called: String,
    pub(super) template: Vec<TemplateNode>,
    pub(super) parts: Vec<Part>,
    pub(super) listeners: Vec<Listener>,
    pub(super) spots: Vec<Spot>,
}

/// Where the compilation of the markup stands.
#[derive(Default)]
pub(crate) struct Markup {
    pub(super) elements: Addresses,
    pub(crate) parts: Addresses,
    pub(super) drafts: Vec<Draft>,
}

impl Markup {
    pub(super) fn draft(&mut self) -> &mut Draft {
        if self.drafts.is_empty() {
            self.drafts.push(Draft::default());
        }
        let last = self.drafts.len() - 1;
        &mut self.drafts[last]
    }

    /// The block that is being built.
    pub(crate) fn block(&mut self) -> BlockId {
        self.draft().id
    }

    /// Adds a node and tells the spot before it what follows.
    pub(super) fn node(&mut self, node: TemplateNode, inside: &mut Inside) -> u32 {
        let draft = self.draft();
        let at = draft.template.len() as u32;
        draft.template.push(node);
        if let Some(spot) = inside.last_spot.take() {
            draft.spots[spot].next = Next::Node(at);
        }
        at
    }

    pub(super) fn spot(&mut self, spot: Spot, inside: &mut Inside) {
        let draft = self.draft();
        let at = draft.spots.len();
        draft.spots.push(spot);
        if let Some(before) = inside.last_spot.replace(at) {
            draft.spots[before].next = Next::Spot(at as u32);
        }
    }

    pub(crate) fn push_part(&mut self, part: Part) -> u32 {
        let parts = &mut self.draft().parts;
        parts.push(part);
        parts.len() as u32 - 1
    }

    pub(crate) fn push_listener(&mut self, listener: Listener) {
        self.draft().listeners.push(listener);
    }
}

/// Gives numbers to the nodes that something refers to, in document order.
pub(super) fn finished(draft: Draft, parent: Option<BlockId>, location: Location) -> Block {
    let Draft { called, mut template, mut parts, mut listeners, mut spots, .. } = draft;
    let mut marked = vec![false; template.len()];
    let mut depth = 0usize;
    for (at, node) in template.iter().enumerate() {
        match node {
            TemplateNode::Open { .. } => {
                marked[at] |= depth == 0;
                depth += 1;
            }
            TemplateNode::Close => depth = depth.saturating_sub(1),
            TemplateNode::Text { .. } => marked[at] |= depth == 0,
            TemplateNode::TextPart => marked[at] = true,
        }
    }
    let of_parts = parts.iter().map(|part| part.mark);
    let of_listeners = listeners.iter().map(|listener| listener.mark);
    let of_spots = spots.iter().flat_map(|spot| {
        let next = match spot.next {
            Next::Node(node) => Some(node),
            _ => None,
        };
        spot.parent.into_iter().chain(next)
    });
    for node in of_parts.chain(of_listeners).chain(of_spots) {
        marked[node as usize] = true;
    }
    let mut numbers = Vec::with_capacity(template.len());
    let mut count = 0;
    for (at, node) in template.iter_mut().enumerate() {
        numbers.push(count);
        match node {
            TemplateNode::Open { marked: mark, .. } | TemplateNode::Text { marked: mark, .. } => {
                *mark = marked[at];
            }
            _ => {}
        }
        count += u32::from(marked[at]);
    }
    let mark = |node: &mut u32| *node = numbers[*node as usize];
    parts.iter_mut().for_each(|part| mark(&mut part.mark));
    listeners.iter_mut().for_each(|listener| mark(&mut listener.mark));
    for spot in &mut spots {
        spot.parent.iter_mut().for_each(mark);
        if let Next::Node(node) = &mut spot.next {
            mark(node);
        }
    }
    Block { parent, called: called.into(), template, parts, listeners, spots, location }
}
