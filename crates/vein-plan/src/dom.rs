//! What the HTML and DOM standards say of elements and events.

use crate::program::EventField;

/// Types of events, and whether they bubble.
pub const EVENTS: &[(&str, bool)] = &[
    ("abort", false),
    ("animationend", true),
    ("animationiteration", true),
    ("animationstart", true),
    ("auxclick", true),
    ("beforeinput", true),
    ("beforetoggle", false),
    ("blur", false),
    ("cancel", false),
    ("canplay", false),
    ("change", true),
    ("click", true),
    ("close", false),
    ("compositionend", true),
    ("compositionstart", true),
    ("compositionupdate", true),
    ("contextmenu", true),
    ("copy", true),
    ("cut", true),
    ("dblclick", true),
    ("drag", true),
    ("dragend", true),
    ("dragenter", true),
    ("dragleave", true),
    ("dragover", true),
    ("dragstart", true),
    ("drop", true),
    ("durationchange", false),
    ("ended", false),
    ("error", false),
    ("focus", false),
    ("focusin", true),
    ("focusout", true),
    ("input", true),
    ("invalid", false),
    ("keydown", true),
    ("keypress", true),
    ("keyup", true),
    ("load", false),
    ("loadeddata", false),
    ("mousedown", true),
    ("mouseenter", false),
    ("mouseleave", false),
    ("mousemove", true),
    ("mouseout", true),
    ("mouseover", true),
    ("mouseup", true),
    ("paste", true),
    ("pause", false),
    ("play", false),
    ("pointercancel", true),
    ("pointerdown", true),
    ("pointerenter", false),
    ("pointerleave", false),
    ("pointermove", true),
    ("pointerout", true),
    ("pointerover", true),
    ("pointerup", true),
    ("reset", true),
    ("scroll", false),
    ("scrollend", false),
    ("select", true),
    ("selectionchange", true),
    ("submit", true),
    ("timeupdate", false),
    ("toggle", false),
    ("touchcancel", true),
    ("touchend", true),
    ("touchmove", true),
    ("touchstart", true),
    ("transitionend", true),
    ("volumechange", false),
    ("wheel", true),
];

/// Whether an event of this type goes on to the elements around its target. Types that the
/// table does not know do not.
///
/// ```
/// assert!(vein_plan::dom::bubbles("click"));
/// assert!(!vein_plan::dom::bubbles("focus"));
/// ```
pub fn bubbles(event: &str) -> bool {
    EVENTS.iter().any(|(name, bubbles)| *name == event && *bubbles)
}

/// Elements without an end tag (HTML standard, "void elements").
pub fn is_void(name: &str) -> bool {
    matches!(
        name,
        "area"
            | "base"
            | "br"
            | "col"
            | "embed"
            | "hr"
            | "img"
            | "input"
            | "link"
            | "meta"
            | "source"
            | "track"
            | "wbr"
    )
}

/// What a handler gets that is bound by its bare name: the values that the event is about.
pub fn payload(event: &str) -> &'static [EventField] {
    match event {
        "input" | "change" | "beforeinput" | "select" => &[EventField::Value],
        "keydown" | "keyup" | "keypress" => &[EventField::Key],
        _ => &[],
    }
}
