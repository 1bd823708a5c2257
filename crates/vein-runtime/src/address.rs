//! What people call a part of the view: `bed-row[#3] › meter value`.

use crate::graph::Graph;
use crate::pulse::{PlaceId, Which};
use crate::scope::{Key, NONE, ScopeId};
use std::fmt::Write;
use vein_plan::{SpotKind, Text};

/// Letters and digits that stand for a text, by 53 bits of it.
fn mixed(text: &str) -> String {
    let (mut low, mut high) = (0x811c_9dc5_u32, 0x9747_b28c_u32);
    for unit in text.encode_utf16() {
        low = (low ^ u32::from(unit)).wrapping_mul(0x0100_0193);
        high = (high ^ u32::from(unit)).wrapping_mul(0x85eb_ca6b);
    }
    let spread = |n: u32| {
        let n = (n ^ (n >> 16)).wrapping_mul(0x7feb_352d);
        n ^ (n >> 15)
    };
    let mut rest = u64::from(spread(high) & 0x1f_ffff) << 32 | u64::from(spread(low));
    let mut out = Vec::new();
    loop {
        out.push(char::from_digit((rest % 36) as u32, 36).unwrap_or('0'));
        rest /= 36;
        if rest == 0 {
            break;
        }
    }
    out.iter().rev().collect()
}

impl Graph {
    /// The names of a scope and of those around it, outermost first, without the page's own.
    fn names(&self, mut scope: ScopeId) -> Vec<String> {
        let mut names: Vec<String> = Vec::new();
        loop {
            let here = self.scope(scope);
            let (holder, spot) = here.holder;
            if holder == NONE {
                let store = &self.prepared.plan(here.plan).store;
                names.extend(store.as_ref().map(|name| name.to_string()));
                break;
            }
            let around = self.scope(holder);
            let block = &self.prepared.plan(around.plan).blocks[around.block as usize];
            let this = &block.spots[spot as usize];
            match &this.kind {
                SpotKind::List { block: row, by, .. } => {
                    let called = &self.prepared.plan(around.plan).blocks[*row as usize].called;
                    let name = match (by, &here.key) {
                        (Some(_), key) => format!("{called}[#{key}]"),
                        (None, _) => format!("{called}[{}]", here.position),
                    };
                    // A component that is repeated is one thing with its row.
                    if names.last().is_some_and(|inner| inner == &**called) {
                        names.pop();
                    }
                    names.push(name);
                }
                SpotKind::Component(_) => names.push(this.address.to_string()),
                SpotKind::Slot { .. } => names.push(this.address.to_string()),
                SpotKind::Branch { .. } | SpotKind::Renamed { .. } | SpotKind::Markup { .. } => {}
            }
            scope = holder;
        }
        names.reverse();
        names
    }

    /// A name that no other component on the page has: with the way to where it stands, mixed to 53 bits. The page's own
    /// keeps the name as it is.
    pub(crate) fn own_id(&self, mut scope: ScopeId, name: &Text) -> Text {
        let mut way = String::new();
        loop {
            let here = self.scope(scope);
            let (holder, spot) = here.holder;
            if holder == NONE {
                break;
            }
            let around = self.scope(holder);
            let block = &self.prepared.plan(around.plan).blocks[around.block as usize];
            let _ = write!(way, "/{spot}");
            if let SpotKind::List { by, .. } = &block.spots[spot as usize].kind {
                let _ = match (by, &here.key) {
                    (Some(_), Key::Text(text)) => write!(way, ".{}", text.to_utf8()),
                    (Some(_), key) => write!(way, ".{key}"),
                    (None, _) => write!(way, ".{}", here.position),
                };
            }
            scope = holder;
        }
        match way.is_empty() {
            true => name.clone(),
            false => Text::from(format!("{}-{}", name.to_utf8(), mixed(&way)).as_str()),
        }
    }

    /// The address of something in a scope.
    pub(crate) fn address(&self, scope: ScopeId, own: &str) -> String {
        let mut names = self.names(scope);
        if names.is_empty() {
            return own.to_owned();
        }
        // `article.bed class` in the row `article.bed[#3]` is `article.bed[#3] class`.
        let row = self.row_around(scope);
        if let Some(called) = row
            && let Some(rest) = own.strip_prefix(&*called)
            && rest.starts_with(' ')
        {
            return names.join(" › ") + rest;
        }
        names.push(own.to_owned());
        names.join(" › ")
    }

    /// What the row is called that a scope belongs to without anything between.
    fn row_around(&self, mut scope: ScopeId) -> Option<vein_plan::Name> {
        loop {
            let (holder, spot) = self.scope(scope).holder;
            if holder == NONE {
                return None;
            }
            let around = self.scope(holder);
            let plan = self.prepared.plan(around.plan);
            match &plan.blocks[around.block as usize].spots[spot as usize].kind {
                SpotKind::List { block, .. } => {
                    return Some(plan.blocks[*block as usize].called.clone());
                }
                SpotKind::Component(_) | SpotKind::Slot { .. } => return None,
                _ => scope = holder,
            }
        }
    }

    pub(crate) fn address_of_spot(&self, scope: ScopeId, spot: u32) -> String {
        let here = self.scope(scope);
        let block = &self.prepared.plan(here.plan).blocks[here.block as usize];
        self.address(scope, &block.spots[spot as usize].address)
    }

    /// What a scope is called in front of its state; nothing for the page's component.
    pub(crate) fn name_of(&self, scope: ScopeId) -> String {
        self.names(scope).join(" › ")
    }

    /// Something that sorts places as they stand in the document.
    pub(crate) fn document_order(&mut self, place: PlaceId) -> Vec<u32> {
        let prepared = self.prepared.clone();
        let mut order = Vec::new();
        let mut scope = place.scope;
        let here = self.scope(scope);
        let ready = prepared.block(here.plan, here.block);
        match place.which {
            Which::Part(part) => {
                let block = &prepared.plan(here.plan).blocks[here.block as usize];
                order.extend([part, 0, 1, block.parts[part as usize].mark]);
            }
            Which::Spot(spot) => order.extend([0, spot, 0, ready.order[spot as usize]]),
        }
        loop {
            let (holder, spot) = self.scope(scope).holder;
            if holder == NONE {
                break;
            }
            let row = if self.rows(holder, spot).is_some() {
                self.row_in_view(scope).unwrap_or(0) + 1
            } else {
                1
            };
            let around = self.scope(holder);
            let at = prepared.block(around.plan, around.block).order[spot as usize];
            order.extend([row, spot, 0, at]);
            scope = holder;
        }
        order.reverse();
        order
    }
}
