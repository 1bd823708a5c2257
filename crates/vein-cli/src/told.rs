//! What the browser's side of the patch protocol tells of: events.

use serde::Deserialize;
use serde_json::value::RawValue;
use std::collections::HashMap;
use vein::{EventField, Property, Pulse, Restored, Session, Value};

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
    /// The fields that those read. What was typed may hold half of a character.
    #[serde(default)]
    fields: HashMap<String, Box<RawValue>>,
    /// What has gone back in a form that was reset: the control, the property, what it was and what it is.
    #[serde(default)]
    restored: Vec<(Place, String, Box<RawValue>, Box<RawValue>)>,
}

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
        let deliveries = self.reached.iter().filter_map(|(node, listener)| {
            session.delivery(node.number(session)?, *listener, seen, field)
        });
        let deliveries = deliveries.collect();
        if self.event == "reset" {
            let restored: Vec<Restored> =
                self.restored.iter().filter_map(|told| self.restored(told, session)).collect();
            return session.deliver_reset("form", deliveries, &restored);
        }
        session.deliver(&self.event, "the page", deliveries)
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
