//! What a person can reach and use in a tree: focus, visibility, labels, forms, as the HTML standard
//! has it. What style sheets hide, a tree does not know.

use crate::patch::NodeNumber;
use crate::tree::{NodeId, Tree};
use vein_plan::{Namespace, Property, Shown};

/// How a control takes text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Typing {
    /// Key by key, any character.
    Text,
    /// Key by key, in several lines.
    Lines,
    /// Key by key, what numbers are made of.
    Number,
    /// At once, as a slider or a picker does.
    Whole,
}

/// A property of a control that has gone back to what it was when the control was added, since its form was
/// reset.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Restored {
    /// The control.
    pub node: NodeNumber,
    /// The property.
    pub property: Property,
    /// What it was.
    pub was: Shown,
    /// What it is.
    pub held: Shown,
}

impl Tree {
    /// The element that has the focus.
    pub fn focused(&self) -> Option<NodeId> {
        self.focus.filter(|(id, serial)| self.is_node(*id, *serial)).map(|(id, _)| id)
    }

    /// Gives the focus to an element, or takes it away. Events are the caller's.
    pub fn set_focused(&mut self, id: Option<NodeId>) {
        self.focus = id.map(|id| (id, self.serial(id)));
    }

    /// Whether a node still is the one of that serial number, and stands in the tree.
    pub fn is_node(&self, id: NodeId, serial: u64) -> bool {
        (id.0 as usize) < self.nodes.len()
            && self.serial(id) == serial
            && self.path_to_root(id).last() == Some(&self.root())
    }

    /// A node and everything around it, from the inside out.
    fn path_to_root(&self, id: NodeId) -> Vec<NodeId> {
        std::iter::successors(Some(id), |id| self.parent(*id)).collect()
    }

    /// The nearest of an element and those around it that a test holds for.
    pub fn closest(&self, id: NodeId, mut holds: impl FnMut(NodeId) -> bool) -> Option<NodeId> {
        self.path_to_root(id).into_iter().find(|id| self.element(*id).is_some() && holds(*id))
    }

    /// Whether an element is of HTML and has that name.
    fn is(&self, id: NodeId, name: &str) -> bool {
        self.name(id) == Some(name) && self.namespace(id) == Some(Namespace::Html)
    }

    /// The `type` of an `input` or `button`, in lower case.
    pub fn control_type(&self, id: NodeId) -> String {
        self.attribute(id, "type").unwrap_or("").to_ascii_lowercase()
    }

    /// The element that keeps another, or that itself, from being seen: one with `hidden`, a closed
    /// `details` or `dialog`, `input type=hidden`, what is never shown.
    pub fn hidden_by(&self, id: NodeId) -> Option<NodeId> {
        let path = self.path_to_root(id);
        path.iter().enumerate().find_map(|(at, here)| {
            let name = self.name(*here)?;
            let style = self
                .attribute(*here, "style")
                .map(|style| -> String { style.split_whitespace().collect() });
            let style = style.unwrap_or_default();
            let inside = at.checked_sub(1).map(|at| path[at]);
            let hidden = match name {
                "template" | "script" | "style" | "noscript" | "datalist" => true,
                "input" => self.control_type(*here) == "hidden",
                "dialog" => !self.flag(*here, Property::Open),
                "details" => {
                    let summary =
                        inside.is_some_and(|inside| self.summary_of(*here) == Some(inside));
                    inside.is_some() && !self.flag(*here, Property::Open) && !summary
                }
                _ => false,
            };
            let said = self.attribute(*here, "hidden").is_some()
                || style.contains("display:none")
                || style.contains("visibility:hidden");
            (hidden || said).then_some(*here)
        })
    }

    /// The summary that opens and closes a `details`.
    fn summary_of(&self, details: NodeId) -> Option<NodeId> {
        self.children(details).iter().copied().find(|id| self.is(*id, "summary"))
    }

    /// The `details` that an element opens and closes when it is clicked.
    pub fn details_of(&self, id: NodeId) -> Option<NodeId> {
        let details = self.parent(id).filter(|parent| self.is(*parent, "details"))?;
        (self.summary_of(details) == Some(id)).then_some(details)
    }

    /// Whether an element is `inert`, or something around it is.
    pub fn is_inert(&self, id: NodeId) -> bool {
        self.closest(id, |id| self.attribute(id, "inert").is_some()).is_some()
    }

    /// Whether an element can have the focus.
    pub fn is_focusable(&self, id: NodeId) -> bool {
        let Some(name) = self.name(id) else { return false };
        let by_itself = match name {
            "input" | "select" | "textarea" | "button" => !self.is_disabled(id),
            "a" | "area" => self.attribute(id, "href").is_some(),
            "summary" => self.details_of(id).is_some(),
            _ => false,
        };
        let said = self.attribute(id, "tabindex").is_some_and(|n| n.trim().parse::<i32>().is_ok());
        let editable = matches!(self.attribute(id, "contenteditable"), Some("" | "true"));
        let control = matches!(name, "input" | "select" | "textarea" | "button");
        let usable = !control || !self.is_disabled(id);
        (by_itself || said || editable)
            && usable
            && self.hidden_by(id).is_none()
            && !self.is_inert(id)
    }

    /// The elements that the Tab key goes through, in its order.
    pub fn tab_order(&self) -> Vec<NodeId> {
        let index = |id: NodeId| -> i32 {
            self.attribute(id, "tabindex").and_then(|n| n.trim().parse().ok()).unwrap_or(0)
        };
        let mut all: Vec<(i32, NodeId)> = self
            .elements()
            .into_iter()
            .filter(|id| self.is_focusable(*id) && index(*id) >= 0 && !self.is_skipped_radio(*id))
            .map(|id| (index(id), id))
            .collect();
        // Positive ones first, by number; the sort keeps the document's order.
        all.sort_by_key(|(index, _)| if *index == 0 { i32::MAX } else { *index });
        all.into_iter().map(|(_, id)| id).collect()
    }

    /// Of a group of radio buttons the Tab key goes to the checked one, or to the first that can be used.
    fn is_skipped_radio(&self, id: NodeId) -> bool {
        let group = self.radio_group(id);
        if self.flag(id, Property::Checked) || group.is_empty() {
            return false;
        }
        let usable = |other: &NodeId| *other == id || self.is_focusable(*other);
        let checked = |other: &NodeId| self.flag(*other, Property::Checked);
        let mut all =
            self.elements().into_iter().filter(|other| *other == id || group.contains(other));
        group.iter().any(checked) || all.find(usable) != Some(id)
    }

    /// The other radio buttons of an element's group (HTML standard, "radio button group").
    pub fn radio_group(&self, id: NodeId) -> Vec<NodeId> {
        let is_radio = |id: NodeId| self.is(id, "input") && self.control_type(id) == "radio";
        let name = |id: NodeId| self.attribute(id, "name").filter(|name| !name.is_empty());
        let Some(own) = name(id).filter(|_| is_radio(id)) else { return Vec::new() };
        let form = self.form_of(id);
        let all = self.elements().into_iter();
        all.filter(|other| {
            *other != id
                && is_radio(*other)
                && name(*other) == Some(own)
                && self.form_of(*other) == form
        })
        .collect()
    }

    /// Every element, in document order.
    pub fn elements(&self) -> Vec<NodeId> {
        self.inside(self.root())
    }

    /// Every element inside a node, in document order.
    pub fn inside(&self, id: NodeId) -> Vec<NodeId> {
        let (mut found, mut open) = (Vec::new(), vec![id]);
        while let Some(here) = open.pop() {
            if self.element(here).is_some() && here != id {
                found.push(here);
            }
            open.extend(self.children(here).iter().rev());
        }
        found
    }

    /// The control that a label is for: the one that it names, or the first inside it.
    pub fn labelled(&self, label: NodeId) -> Option<NodeId> {
        let labelable = |id: &NodeId| match self.name(*id) {
            Some("input") => self.control_type(*id) != "hidden",
            name => matches!(
                name,
                Some("button" | "meter" | "output" | "progress" | "select" | "textarea")
            ),
        };
        match self.attribute(label, "for") {
            Some(named) => self
                .elements()
                .into_iter()
                .find(|id| self.attribute(*id, "id") == Some(named))
                .filter(labelable),
            None => self.inside(label).into_iter().find(labelable),
        }
    }

    /// The form that a control belongs to.
    pub fn form_of(&self, id: NodeId) -> Option<NodeId> {
        match self.attribute(id, "form") {
            Some(named) => self
                .elements()
                .into_iter()
                .find(|form| self.is(*form, "form") && self.attribute(*form, "id") == Some(named)),
            None => self.closest(id, |around| self.is(around, "form")),
        }
    }

    /// The controls of a form.
    pub(crate) fn controls_of(&self, form: NodeId) -> Vec<NodeId> {
        let control = |id: &NodeId| {
            matches!(self.name(*id), Some("input" | "select" | "textarea" | "button"))
        };
        let all = self.elements().into_iter().filter(control);
        all.filter(|id| self.form_of(*id) == Some(form)).collect()
    }

    /// Whether an element has the controls of its form go back when it is clicked.
    pub fn is_reset_button(&self, id: NodeId) -> bool {
        matches!(self.name(id), Some("button" | "input")) && self.control_type(id) == "reset"
    }

    /// What can go back in a form: its controls, and the options of each before it.
    fn resettable(&self, form: NodeId) -> Vec<NodeId> {
        let mut all = Vec::new();
        for control in self.controls_of(form) {
            match self.name(control) {
                Some("button") => continue,
                Some("select") => all.extend(self.options_of(control)),
                _ => {}
            }
            all.push(control);
        }
        all
    }

    /// The properties of a form's controls that a person has changed since a patch wrote them last.
    pub fn changed_by_hand(&self, form: NodeId) -> Vec<(NodeNumber, Property)> {
        let mut found = Vec::new();
        for id in self.resettable(form) {
            let used = |property: &&Property| self.is_used(id, **property);
            let used = Property::ALL.iter().filter(used);
            found.extend(
                self.number_of(id).iter().flat_map(|node| used.clone().map(|p| (*node, *p))),
            );
        }
        found
    }

    /// Has the controls of a form go back to what they held when they were added: those that patches have
    /// set to what they were set to first, others to what their markup says (HTML standard, "reset
    /// algorithm"). Gives those that patches have set, in document order.
    pub fn reset(&mut self, form: NodeId) -> Vec<Restored> {
        let mut restored = Vec::new();
        for id in self.resettable(form) {
            for (property, held) in self.held_at_first(id) {
                let was = self.set_property(id, property).unwrap_or(Shown::Absent);
                let node = self.number_of(id);
                restored.extend(node.map(|node| Restored { node, property, was, held }));
            }
            self.forget_entered(id);
        }
        for Restored { node, property, held, .. } in &restored {
            if let Some(id) = self.numbered(*node) {
                self.hold(id, *property, held);
            }
        }
        restored
    }

    /// Whether an element sends its form when it is clicked.
    pub fn is_submit_button(&self, id: NodeId) -> bool {
        match self.name(id) {
            Some("button") => matches!(self.control_type(id).as_str(), "" | "submit"),
            Some("input") => matches!(self.control_type(id).as_str(), "submit" | "image"),
            _ => false,
        }
    }

    /// The button that the Enter key presses in a form (HTML standard, "default button").
    pub fn default_button(&self, form: NodeId) -> Option<NodeId> {
        self.controls_of(form).into_iter().find(|id| self.is_submit_button(*id))
    }

    /// The fields of a form that keep the Enter key from sending it when there is no button
    /// (HTML standard, "implicit submission").
    pub fn blocking_fields(&self, form: NodeId) -> usize {
        let blocks = |id: &&NodeId| {
            self.name(**id) == Some("input")
                && !matches!(
                    self.control_type(**id).as_str(),
                    "hidden"
                        | "range"
                        | "color"
                        | "checkbox"
                        | "radio"
                        | "file"
                        | "button"
                        | "reset"
                )
        };
        self.controls_of(form).iter().filter(blocks).count()
    }

    /// How a control takes text; `None` for what takes none.
    pub fn typing(&self, id: NodeId) -> Option<Typing> {
        match self.name(id)? {
            "textarea" => Some(Typing::Lines),
            "input" => match self.control_type(id).as_str() {
                "number" => Some(Typing::Number),
                "range" | "color" | "date" | "time" | "month" | "week" | "datetime-local" => {
                    Some(Typing::Whole)
                }
                "checkbox" | "radio" | "button" | "submit" | "reset" | "image" | "file"
                | "hidden" => None,
                _ => Some(Typing::Text),
            },
            _ => None,
        }
    }

    /// Whether a `select` shows several of its options at a time, and nothing drops down.
    pub fn is_list(&self, select: NodeId) -> bool {
        let size = || self.attribute(select, "size").and_then(|n| n.trim().parse().ok());
        self.attribute(select, "multiple").is_some() || size().unwrap_or(1) > 1
    }

    /// The options of a `select`, in document order.
    pub fn options_of(&self, select: NodeId) -> Vec<NodeId> {
        self.inside(select).into_iter().filter(|id| self.is(*id, "option")).collect()
    }

    /// The value of an option: its attribute, or its text without white space around it and with single
    /// spaces in it (HTML standard, "The option element").
    pub fn option_value(&self, option: NodeId) -> String {
        let own = self.attribute(option, "value").map(str::to_owned);
        own.unwrap_or_else(|| self.option_text(option))
    }

    /// What an option is called.
    pub fn option_text(&self, option: NodeId) -> String {
        self.text_content(option).split_ascii_whitespace().collect::<Vec<_>>().join(" ")
    }

    /// Whether an option cannot be chosen.
    pub fn is_option_disabled(&self, option: NodeId) -> bool {
        let group = self.parent(option).filter(|parent| self.is(*parent, "optgroup"));
        self.attribute(option, "disabled").is_some()
            || group.is_some_and(|group| self.attribute(group, "disabled").is_some())
    }

    /// The value of the option that is chosen: by a value that was set, by `selected`, or because it is the
    /// first that can be (HTML standard, "selectedness setting algorithm").
    pub(crate) fn chosen_value(&self, select: NodeId, set: Option<&str>) -> String {
        let options = self.options_of(select);
        if let Some(set) = set {
            let found = options.iter().any(|option| self.option_value(*option) == set);
            return if found { set.to_owned() } else { String::new() };
        }
        let selected = |id: &&NodeId| self.flag(**id, Property::Selected);
        let shows_one = !self.is_list(select);
        let chosen = match self.attribute(select, "multiple") {
            Some(_) => options.iter().find(selected),
            None => options.iter().rev().find(selected),
        };
        let first =
            || options.iter().find(|id| !self.is_option_disabled(**id)).filter(|_| shows_one);
        chosen.or_else(first).map_or(String::new(), |option| self.option_value(*option))
    }

    /// How messages call an element: `button.water`, `input[type=number]`, `#crop`.
    pub fn described(&self, id: NodeId) -> String {
        let name = self.name(id).unwrap_or("text");
        let id_attribute = self.attribute(id, "id").map(|id| format!("#{id}"));
        let class = self.attribute(id, "class").and_then(|class| class.split_whitespace().next());
        let kind = self.attribute(id, "type").map(|kind| format!("[type={kind}]"));
        let more = id_attribute.or(class.map(|class| format!(".{class}"))).or(kind);
        format!("{name}{}", more.unwrap_or_default())
    }

    /// Whether anything in this tree has ever listened to events of a type.
    pub fn hears(&self, kind: &str) -> bool {
        self.heard.contains(kind)
    }
}
