//! What the browser's side of the patch protocol tells of: events.

use serde::Deserialize;
use serde_json::value::RawValue;
use std::collections::{HashMap, HashSet};
use vein::{Act, EventField, Property, Pulse, Restored, Session, Value, why_not};

/// An event, as the browser's side tells of it.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Told {
    /// Its type.
    event: String,
    /// How many batches with patches in them the page had applied when it happened; a page that is compiled applies none.
    #[serde(default)]
    seen: Option<u32>,
    /// The listeners that it reached: the node and the listener's number.
    reached: Vec<(Place, u32)>,
    /// Where a person made it happen: the number of the control that was used, or of the first node with a listener.
    #[serde(default)]
    on: Option<u32>,
    /// The fields that those read. What was typed may hold half of a character.
    #[serde(default)]
    fields: HashMap<String, Box<RawValue>>,
    /// What has gone back in a form that was reset: the control, the property, what it was and what it is.
    #[serde(default)]
    restored: Vec<(Place, String, Box<RawValue>, Box<RawValue>)>,
}

/// What a person does with a pointer and keys. What a control has come to hold it holds in any case.
const BY_HAND: [&str; 14] = [
    "auxclick",
    "click",
    "contextmenu",
    "dblclick",
    "keydown",
    "keyup",
    "mousedown",
    "mouseup",
    "pointerdown",
    "pointerup",
    "submit",
    "touchend",
    "touchstart",
    "wheel",
];

/// A node of a page.
#[derive(Debug, Deserialize)]
#[serde(untagged)]
enum Place {
    /// By its number.
    Numbered(u32),
    /// By the positions of the nodes around it and its own.
    At(Vec<usize>),
}

impl Place {
    /// The number of the node in a page as it stands.
    fn number(&self, session: &Session) -> Option<u32> {
        let tree = session.tree();
        match self {
            Place::Numbered(number) => Some(*number),
            Place::At(path) => {
                let step = |id, at: &usize| tree.children(id).get(*at).copied();
                tree.number_of(path.iter().try_fold(tree.root(), step)?)
            }
        }
    }
}

impl Told {
    /// Runs the listeners that the event reached.
    pub(crate) fn delivered(&self, session: &mut Session) -> Pulse {
        let told = |field: EventField| self.fields.get(field.name()).map(|raw| raw.get());
        let field = |field: EventField| field_value(field, told(field));
        let seen = self.seen.unwrap_or_else(|| session.runtime().batches());
        // An event reaches a listener once.
        let mut heard = HashSet::new();
        let reached = if self.is_too_late(session, seen) { &[] } else { &*self.reached };
        let deliveries = reached.iter().filter_map(|(node, listener)| {
            let node = node.number(session)?;
            let first = heard.insert((node, *listener));
            first.then(|| session.delivery(node, *listener, seen, field)).flatten()
        });
        let deliveries = deliveries.collect();
        if self.event == "reset" {
            let mut known = HashSet::new();
            let restored = self.restored.iter().filter_map(|told| self.restored(told, session));
            let restored: Vec<Restored> =
                restored.filter(|told| known.insert((told.node, told.property))).collect();
            return session.deliver_reset("form", deliveries, &restored);
        }
        session.deliver(&self.event, "the page", deliveries)
    }

    /// Whether a person did that to what cannot be used any more: it was disabled or hidden by what they had done before, and
    /// the page that they saw did not show it yet.
    fn is_too_late(&self, session: &Session, seen: u32) -> bool {
        let Some(number) = self.on.filter(|_| BY_HAND.contains(&&*self.event)) else {
            return false;
        };
        let tree = session.tree();
        let Some(used) = tree.numbered(number) else { return false };
        session.runtime().has_seen(number, seen) && why_not(tree, used, &Act::Click).is_some()
    }

    fn restored(
        &self,
        (node, name, was, held): &(Place, String, Box<RawValue>, Box<RawValue>),
        session: &Session,
    ) -> Option<Restored> {
        let property = Property::named(name)?;
        let shown = |raw: &RawValue| property.read(&vein::json::parse(raw.get()).ok()?);
        let node = node.number(session)?;
        let restored = Restored { node, property, was: shown(was)?, held: shown(held)? };
        let seen = self.seen.unwrap_or_else(|| session.runtime().batches());
        session.runtime().has_seen(node, seen).then_some(restored)
    }
}

/// A field of an event from outside: of its type, or empty.
fn field_value(field: EventField, json: Option<&str>) -> Value {
    let told = json.and_then(|json| vein::json::parse(json).ok()).unwrap_or_default();
    let empty = field.empty();
    let fits = std::mem::discriminant(&told) == std::mem::discriminant(&empty);
    if fits { told } else { empty }
}
