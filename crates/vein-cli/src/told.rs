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
    /// How many batches with patches in them the page had applied when it happened.
    seen: u32,
    /// The listeners that it reached: the node's number and the listener's.
    reached: Vec<(u32, u32)>,
    /// The fields that those read. What was typed may hold half of a character.
    #[serde(default)]
    fields: HashMap<String, Box<RawValue>>,
    /// What has gone back in a form that was reset: the control's number, the property, what it was and what
    /// it is.
    #[serde(default)]
    restored: Vec<(u32, String, Box<RawValue>, Box<RawValue>)>,
}

impl Told {
    /// Runs the listeners that the event reached.
    pub(crate) fn delivered(&self, session: &mut Session) -> Pulse {
        let told = |field: EventField| self.fields.get(field.name()).map(|raw| raw.get());
        let field = |field: EventField| field_value(field, told(field));
        let deliveries = self
            .reached
            .iter()
            .filter_map(|(node, listener)| session.delivery(*node, *listener, self.seen, field));
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
        (node, name, was, held): &(u32, String, Box<RawValue>, Box<RawValue>),
        session: &Session,
    ) -> Option<Restored> {
        let property = Property::named(name)?;
        let shown = |raw: &RawValue| property.read(&vein::json::parse(raw.get()).ok()?);
        let restored = Restored { node: *node, property, was: shown(was)?, held: shown(held)? };
        session.runtime().has_seen(*node, self.seen).then_some(restored)
    }
}

/// A field of an event from outside: of its type, or empty.
fn field_value(field: EventField, json: Option<&str>) -> Value {
    let told = json.and_then(|json| vein::json::parse(json).ok()).unwrap_or_default();
    let empty = field.empty();
    let fits = std::mem::discriminant(&told) == std::mem::discriminant(&empty);
    if fits { told } else { empty }
}
