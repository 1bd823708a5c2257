//! Events, as the DOM dispatches them: from the target outwards, unless something stops them.

use crate::tree::{NodeId, Tree};
use vein_plan::{EventField, Property, Value};

/// An event that is dispatched.
#[derive(Clone, Debug)]
pub struct Event {
    /// Its type, such as `click`.
    pub kind: String,
    /// Fields that are set; others have what the DOM gives them by default.
    pub fields: Vec<(EventField, Value)>,
}

impl Event {
    /// An event of a type.
    ///
    /// ```
    /// use vein_plan::EventField;
    /// use vein_view::Event;
    /// let event = Event::new("keydown").with(EventField::Key, "Enter");
    /// assert_eq!(event.fields.len(), 1);
    /// ```
    pub fn new(kind: impl Into<String>) -> Event {
        Event { kind: kind.into(), fields: Vec::new() }
    }

    /// With a field set.
    #[must_use]
    pub fn with(mut self, field: EventField, value: impl Into<Value>) -> Event {
        self.fields.push((field, value.into()));
        self
    }

    fn key(&self) -> Option<String> {
        let (_, key) = self.fields.iter().find(|(field, _)| *field == EventField::Key)?;
        Some(key.to_text().to_string())
    }
}

/// A listener that an event reached.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reached {
    /// The element that it is on.
    pub node: NodeId,
    /// Its number in its block.
    pub listener: u32,
}

/// What a dispatch did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Dispatched {
    /// The listeners that it reached, in order.
    pub reached: Vec<Reached>,
    /// Whether one of them prevents the default action.
    pub prevented: bool,
}

/// Why an event was not dispatched.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotDispatched {
    /// The target is no element of the tree.
    NoElement,
    /// The target is disabled: a browser gives it no clicks.
    Disabled,
}

impl std::fmt::Display for NotDispatched {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            NotDispatched::NoElement => "there is no such element",
            NotDispatched::Disabled => "the element is disabled: a browser gives it no clicks",
        })
    }
}

impl std::error::Error for NotDispatched {}

impl Tree {
    /// Finds the listeners that an event reaches.
    ///
    /// # Errors
    /// A target that would get no such event in a browser.
    pub fn dispatch(&mut self, target: NodeId, event: &Event) -> Result<Dispatched, NotDispatched> {
        if self.element(target).is_none() {
            return Err(NotDispatched::NoElement);
        }
        if matches!(event.kind.as_str(), "click" | "dblclick") && self.is_disabled(target) {
            return Err(NotDispatched::Disabled);
        }
        let key = event.key();
        let bubbles = vein_plan::dom::bubbles(&event.kind);
        let mut done = Dispatched::default();
        let mut at = Some(target);
        while let Some(node) = at {
            let mut stopped = !bubbles;
            let here = self.listens(node);
            let listeners = here.iter().flat_map(|(known, mark)| {
                let all = known.template.listeners.iter();
                all.filter(|l| l.mark == *mark && *l.event == *event.kind)
            });
            for listener in listeners {
                let options = &listener.options;
                let other_key = options.key.as_ref().is_some_and(|k| key.as_deref() != Some(&**k));
                let spent = (node, listener.number);
                if (options.own && node != target) || other_key || self.spent.contains(&spent) {
                    continue;
                }
                stopped |= options.stop;
                done.prevented |= options.prevent;
                done.reached.push(Reached { node, listener: listener.number });
            }
            at = if stopped { None } else { self.parent(node) };
        }
        Ok(done)
    }

    /// Whether a form control is disabled, by itself or by a `fieldset` around it.
    pub fn is_disabled(&self, id: NodeId) -> bool {
        let is_control = matches!(
            self.name(id),
            Some("button" | "input" | "select" | "textarea" | "option" | "optgroup" | "fieldset")
        );
        let mut around = std::iter::successors(self.parent(id), |id| self.parent(*id));
        is_control
            && (self.attribute(id, "disabled").is_some()
                || around.any(|id| {
                    self.name(id) == Some("fieldset") && self.attribute(id, "disabled").is_some()
                }))
    }

    /// The value of an event's field: as set, or what the DOM gives by default.
    pub fn event_field(&self, target: NodeId, event: &Event, field: EventField) -> Value {
        if let Some((_, value)) = event.fields.iter().find(|(f, _)| *f == field) {
            return value.clone();
        }
        match field {
            EventField::Value => self.value(target).unwrap_or_default().as_str().into(),
            EventField::Checked => self.flag(target, Property::Checked).into(),
            EventField::Open => self.flag(target, Property::Open).into(),
            EventField::Chosen => match self.set_property(target, Property::Chosen) {
                Some(vein_plan::Shown::Text(values)) => values.as_str().into(),
                _ => "[]".into(),
            },
            other => other.empty(),
        }
    }
}
