//! Names of events, for the check of bindings.

use vein_plan::dom::EVENTS;

/// Whether elements have an event of this type.
pub(crate) fn is_known(name: &str) -> bool {
    EVENTS.iter().any(|(known, _)| *known == name)
}

/// Every type.
pub(crate) fn names() -> impl Iterator<Item = &'static str> {
    EVENTS.iter().map(|(name, _)| *name)
}
