//! What a person does on a page, with everything that a browser makes of it: the events in their
//! order, what a control does by itself, where the focus goes. HTML standard ("activation
//! behavior", "implicit submission"), UI Events and Pointer Events are followed as far as events
//! go that a component can listen to; what nobody listens to sets no pulse off.

use crate::hands::is_field;
pub use crate::keys::modifiers_of;
use crate::ledger::Entry;
use crate::session::Session;
use vein_plan::Property;
use vein_view::{Event, NodeId, Tree, Typing, Validity};

/// Something that a person does with an element.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Act {
    /// Presses the pointer's first button and lets it go.
    Click,
    /// Twice, quickly.
    DoubleClick,
    /// Pastes a text in the place of what is selected, or at the caret.
    Paste(String),
    /// Types a text, key by key, in the place of what the control holds, or after it.
    Type {
        /// The text.
        text: String,
        /// Whether it goes after what is there.
        append: bool,
    },
    /// Chooses these options of a `select`, by their values or else their texts.
    Choose(Vec<String>),
    /// Ticks a check box or radio button, or takes the tick away.
    Tick(bool),
    /// Presses a key and lets it go, such as `Enter`, `a` or `Control+s`.
    Press(String),
    /// Goes there with the focus.
    Focus,
    /// Takes the focus away.
    Blur,
    /// Has a form sent, as a button in it would.
    Submit,
}

impl Act {
    /// What it is called, in a word or two.
    pub fn name(&self) -> &'static str {
        match self {
            Act::Click => "click",
            Act::DoubleClick => "double click",
            Act::Paste(_) => "paste",
            Act::Type { .. } => "type",
            Act::Choose(_) => "choose",
            Act::Tick(true) => "tick",
            Act::Tick(false) => "untick",
            Act::Press(_) => "press",
            Act::Focus => "focus",
            Act::Blur => "blur",
            Act::Submit => "submit",
        }
    }
}

/// Why a person cannot do that in a browser.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Refused {
    /// In a sentence, with the element's name.
    pub why: String,
}

impl std::fmt::Display for Refused {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.why)
    }
}

impl std::error::Error for Refused {}

/// A person at work.
pub(crate) struct Person<'a> {
    pub(crate) session: &'a mut Session,
    entries: Vec<Entry>,
    /// What it turned out that memory does not know.
    pub(crate) refused: Option<String>,
    /// What had the focus and cannot have it any more, though it stands: it is told a little later.
    unfocused: Vec<NodeId>,
}

impl Session {
    /// Does something as a person, and gives the pulses that it set off, in order; none where
    /// nothing listens.
    ///
    /// # Errors
    /// What a person could not do in a browser either, such as clicking what is disabled.
    pub fn act(&mut self, target: NodeId, act: &Act) -> Result<Vec<Entry>, Refused> {
        if let Some(why) = why_not(self.tree(), target, act) {
            return Err(Refused { why });
        }
        let mut person =
            Person { session: self, entries: Vec::new(), refused: None, unfocused: Vec::new() };
        match act {
            Act::Click | Act::Tick(_) => person.click(target),
            Act::DoubleClick => {
                person.click(target);
                if person.stands(target) {
                    person.click(target);
                    person.event(target, Event::new("dblclick"));
                }
            }
            Act::Paste(text) => {
                person.focus(Some(target));
                if person.stands(target) {
                    person.paste(target, text);
                }
            }
            Act::Type { text, append } => person.type_text(target, text, *append),
            Act::Choose(options) => person.choose(target, options),
            Act::Press(key) => person.press(target, key),
            Act::Focus => person.focus(Some(target)),
            Act::Blur => person.focus(None),
            Act::Submit => person.submit(target, None),
        }
        person.tell_unfocused();
        let (tree, hands) = (&person.session.tree, &mut person.session.hands);
        hands.tidy(tree);
        match person.refused {
            None => Ok(person.entries),
            Some(why) => Err(Refused { why }),
        }
    }
}

/// Why a text cannot be typed into a number field: a browser leaves out whatever no number has.
fn letters_in_number(tree: &Tree, target: NodeId, act: &Act) -> Option<String> {
    let Act::Type { text, .. } = act else { return None };
    let is_number =
        tree.attribute(target, "type").is_some_and(|t| t.eq_ignore_ascii_case("number"));
    let foreign = |c: &char| !c.is_ascii_digit() && !matches!(c, '+' | '-' | '.' | 'e' | 'E');
    let first = text.chars().find(foreign).filter(|_| is_number)?;
    let called = tree.described(target);
    Some(format!(
        "`{called}` takes a number: a browser lets nobody type `{first}` there; type what is left of `{text}` without it"
    ))
}

/// Why an element cannot be used in that way, in a browser; `None` where it can.
pub fn why_not(tree: &Tree, target: NodeId, act: &Act) -> Option<String> {
    let called = tree.described(target);
    let name = tree.name(target).unwrap_or("");
    if let Some(by) = tree.hidden_by(target) {
        let by =
            if by == target { "it".into() } else { format!("`{}` around it", tree.described(by)) };
        return Some(format!("`{called}` is hidden, by {by}: a person cannot use it"));
    }
    if tree.is_inert(target) {
        return Some(format!("`{called}` is `inert`: a person cannot use it"));
    }
    if tree.is_disabled(target) && *act != Act::Blur {
        return Some(format!("`{called}` is disabled: a browser gives it no clicks and no keys"));
    }
    match act {
        Act::Paste(_) if tree.typing(target) == Some(Typing::Whole) => {
            Some(format!("`{called}` is set at once: `type` into it"))
        }
        Act::Type { .. } | Act::Paste(_) => match tree.typing(target) {
            None => Some(format!("`{called}` takes no text: type into an `input` or a `textarea`")),
            Some(_) if tree.attribute(target, "readonly").is_some() => {
                Some(format!("`{called}` is `readonly`: a browser takes no text for it"))
            }
            Some(_) => letters_in_number(tree, target, act),
        },
        Act::Choose(options) => {
            if name != "select" {
                return Some(format!("`{called}` is no `select`: there is nothing to choose"));
            }
            let multiple = tree.attribute(target, "multiple").is_some();
            if options.len() != 1 && !multiple {
                return Some(format!("`{called}` takes one option: it is not `multiple`"));
            }
            options.iter().find_map(|wanted| match option_of(tree, target, wanted) {
                Some(option) if tree.is_option_disabled(option) => {
                    Some(format!("the option `{wanted}` of `{called}` is disabled"))
                }
                Some(_) => None,
                None => {
                    let values: Vec<String> = tree
                        .options_of(target)
                        .into_iter()
                        .map(|option| format!("`{}`", tree.option_value(option)))
                        .collect();
                    Some(format!(
                        "`{called}` has no option `{wanted}`; there are: {}",
                        values.join(", ")
                    ))
                }
            })
        }
        Act::Tick(on) => {
            let kind = tree.control_type(target);
            if name != "input" || !matches!(kind.as_str(), "checkbox" | "radio") {
                return Some(format!("`{called}` is no check box and no radio button"));
            }
            match (kind.as_str(), on, tree.flag(target, Property::Checked)) {
                ("radio", false, _) => Some(format!(
                    "a radio button cannot be unticked: tick another one of the group of `{called}`"
                )),
                (_, true, true) => {
                    Some(format!("`{called}` is ticked already: a click would untick it"))
                }
                (_, false, false) => {
                    Some(format!("`{called}` is not ticked: a click would tick it"))
                }
                _ => None,
            }
        }
        Act::Press(_) | Act::Focus if !tree.is_focusable(target) => Some(format!(
            "`{called}` cannot have the focus: it is no control, no link and has no `tabindex`"
        )),
        Act::Blur if tree.focused() != Some(target) => {
            Some(format!("`{called}` does not have the focus"))
        }
        Act::Submit if name != "form" => {
            Some(format!("`{called}` is no form: name the `form`, or click its button"))
        }
        Act::Submit => {
            let (field, validity) = tree.invalid_in(target).into_iter().next()?;
            let field = tree.described(field);
            Some(match validity {
                Validity::Valid => return None,
                Validity::Invalid(why) => {
                    format!("a browser would not send `{called}`: in `{field}`, {why}")
                }
                Validity::Unknown(why) => {
                    format!(
                        "whether a browser sends `{called}`, only `--browser` can tell: in `{field}`, {why}"
                    )
                }
            })
        }
        _ => None,
    }
}

/// The option that a value names, or else a text.
pub fn option_of(tree: &Tree, select: NodeId, wanted: &str) -> Option<NodeId> {
    let options = tree.options_of(select);
    let by_value = options.iter().find(|option| tree.option_value(**option) == wanted);
    by_value.or_else(|| options.iter().find(|option| tree.option_text(**option) == wanted)).copied()
}

impl Person<'_> {
    pub(crate) fn tree(&self) -> &Tree {
        self.session.tree()
    }

    /// Whether an element still stands in the view.
    pub(crate) fn stands(&self, id: NodeId) -> bool {
        self.tree().is_node(id, self.tree().serial(id))
    }

    /// Has an event happen; `false` where somebody keeps the browser from what follows by itself.
    pub(crate) fn event(&mut self, target: NodeId, event: Event) -> bool {
        if !self.tree().hears(&event.kind) || !self.stands(target) {
            return true;
        }
        let focused = self.tree().focused();
        let (entry, prevented) = self.session.happen(target, &event);
        self.entries.extend(entry);
        if let Some(id) = focused.filter(|id| self.tree().focused().is_none() && self.stands(*id)) {
            self.unfocused.push(id);
        }
        !prevented
    }

    fn click(&mut self, target: NodeId) {
        self.point_at(target);
        self.event(target, Event::new("pointerdown"));
        if self.event(target, Event::new("mousedown")) && self.stands(target) {
            let focusable = self.tree().closest(target, |id| self.tree().is_focusable(id));
            self.focus(focusable);
            if self.stands(target) && is_field(self.tree().typing(target)) {
                let field = self.field(target);
                field.caret = field.raw.is_empty().then_some((0, 0));
            }
        }
        self.event(target, Event::new("pointerup"));
        self.event(target, Event::new("mouseup"));
        self.clicked(target);
    }

    /// The pointer comes over an element, and leaves where it was.
    fn point_at(&mut self, target: NodeId) {
        let around = |tree: &Tree, id: NodeId| -> Vec<NodeId> {
            std::iter::successors(Some(id), |id| tree.parent(*id)).collect()
        };
        let before = self.session.hands.pointer;
        let before = before.filter(|(id, serial)| self.tree().is_node(*id, *serial));
        let (now, serial) = (around(self.tree(), target), self.tree().serial(target));
        if before.is_none_or(|(id, _)| id != target) {
            let left = before.map_or(Vec::new(), |(id, _)| around(self.tree(), id));
            for kind in ["pointer", "mouse"] {
                if let Some((old, _)) = before {
                    self.event(old, Event::new(format!("{kind}out")));
                    for id in left.iter().filter(|id| !now.contains(id)) {
                        self.event(*id, Event::new(format!("{kind}leave")));
                    }
                }
                self.event(target, Event::new(format!("{kind}over")));
                for id in now.iter().rev().filter(|id| !left.contains(id)) {
                    self.event(*id, Event::new(format!("{kind}enter")));
                }
            }
            self.session.hands.pointer = Some((target, serial));
        }
        self.event(target, Event::new("pointermove"));
        self.event(target, Event::new("mousemove"));
    }

    /// The click itself, and what an element does when it is clicked.
    pub(crate) fn clicked(&mut self, target: NodeId) {
        if !self.stands(target) || self.tree().is_disabled(target) {
            return;
        }
        let acting = self.tree().closest(target, |id| {
            let tree = self.tree();
            matches!(
                tree.name(id),
                Some("input" | "button" | "label" | "summary" | "a" | "select" | "textarea")
            )
        });
        let Some(acting) = acting else {
            self.event(target, Event::new("click"));
            return;
        };
        let name = self.tree().name(acting).unwrap_or("").to_owned();
        let kind = self.tree().control_type(acting);
        match (name.as_str(), kind.as_str()) {
            ("input", "checkbox" | "radio") => self.toggled(target, acting, kind == "radio"),
            ("label", _) => {
                let control = self.tree().labelled(acting);
                let goes_on = self.event(target, Event::new("click"));
                if let Some(control) = control.filter(|control| goes_on && self.stands(*control)) {
                    if self.tree().is_focusable(control) {
                        self.focus(Some(control));
                    }
                    self.clicked(control);
                }
            }
            ("summary", _) => {
                let details = self.tree().details_of(acting);
                let goes_on = self.event(target, Event::new("click"));
                if let Some(details) = details.filter(|details| goes_on && self.stands(*details)) {
                    let on = !self.tree().flag(details, Property::Open);
                    self.session.tree_mut().set_flag(details, Property::Open, on);
                    self.event(details, Event::new("toggle"));
                }
            }
            _ if self.tree().is_reset_button(acting) => {
                let form = self.tree().form_of(acting);
                let goes_on = self.event(target, Event::new("click"));
                if let Some(form) = form.filter(|form| goes_on && self.stands(*form)) {
                    self.session.hands.changed = None;
                    let entry = self.session.reset(form);
                    self.entries.extend(entry);
                }
            }
            _ if self.tree().is_submit_button(acting) => {
                let form = self.tree().form_of(acting);
                let goes_on = self.event(target, Event::new("click"));
                if let Some(form) = form.filter(|form| goes_on && self.stands(*form)) {
                    self.submit(form, Some(acting));
                }
            }
            _ => {
                self.event(target, Event::new("click"));
            }
        }
    }

    /// A check box or radio button changes before it is told, and back if somebody prevents it.
    fn toggled(&mut self, target: NodeId, control: NodeId, radio: bool) {
        let was = self.tree().flag(control, Property::Checked);
        let group = self.tree().radio_group(control);
        let checked = group.into_iter().find(|id| self.tree().flag(*id, Property::Checked));
        let set = |person: &mut Self, id: NodeId, on: bool| {
            person.session.tree_mut().set_flag(id, Property::Checked, on);
        };
        set(self, control, radio || !was);
        if let Some(other) = checked {
            set(self, other, false);
        }
        if !self.event(target, Event::new("click")) {
            set(self, control, was);
            if let Some(other) = checked {
                set(self, other, true);
            }
        } else if !(radio && was) {
            self.event(control, Event::new("input"));
            self.event(control, Event::new("change"));
        }
    }

    /// Moves the focus. What was typed is told of before it leaves a control.
    pub(crate) fn focus(&mut self, to: Option<NodeId>) {
        let from = self.tree().focused();
        if from == to {
            return;
        }
        if let Some(from) = from {
            self.tell_change();
            self.session.tree_mut().set_focused(None);
            self.event(from, Event::new("blur"));
            self.event(from, Event::new("focusout"));
        }
        self.session.hands.changed = None;
        self.session.hands.sought = None;
        if let Some(to) = to.filter(|to| self.stands(*to)) {
            self.session.tree_mut().set_focused(Some(to));
            self.event(to, Event::new("focus"));
            self.event(to, Event::new("focusin"));
        }
    }

    /// Tells what has lost the focus since it cannot be seen or used any more.
    fn tell_unfocused(&mut self) {
        for id in std::mem::take(&mut self.unfocused) {
            self.event(id, Event::new("blur"));
            self.event(id, Event::new("focusout"));
        }
    }

    /// Has `change` happen if something was typed since the control got the focus.
    pub(crate) fn tell_change(&mut self) {
        let Some(((control, serial), at_first)) = self.session.hands.changed.take() else { return };
        if self.tree().is_node(control, serial)
            && self.tree().value(control).unwrap_or_default() != at_first
        {
            self.event(control, Event::new("change"));
        }
    }

    fn type_text(&mut self, target: NodeId, text: &str, append: bool) {
        self.focus(Some(target));
        if self.tree().typing(target) == Some(Typing::Whole) {
            self.session.tree_mut().type_value(target, text);
            self.event(target, Event::new("input"));
            self.event(target, Event::new("change"));
            return;
        }
        // What is selected is replaced by the first key.
        let all = self.field(target).raw.len();
        self.select(target, (if append { all } else { 0 }, all));
        if text.is_empty() && all > 0 {
            self.key(target, "Delete");
        }
        for c in text.chars() {
            if !self.stands(target) || self.tree().focused() != Some(target) {
                return;
            }
            match c {
                '\n' => self.key(target, "Enter"),
                c => self.key(target, c.encode_utf8(&mut [0; 4])),
            }
        }
    }

    pub(crate) fn submit_implicitly(&mut self, field: NodeId) {
        let Some(form) = self.tree().form_of(field).filter(|form| self.stands(*form)) else {
            return;
        };
        match self.tree().default_button(form) {
            Some(button) if self.tree().is_disabled(button) => {}
            Some(button) => self.clicked(button),
            None if self.tree().blocking_fields(form) <= 1 => self.submit(form, None),
            None => {}
        }
    }

    /// Has a form sent, unless a browser would hold it back. One of a dialog closes that.
    fn submit(&mut self, form: NodeId, button: Option<NodeId>) {
        let said = |id: NodeId, name: &str| self.tree().attribute(id, name).map(str::to_owned);
        let method = button.and_then(|id| said(id, "formmethod")).or_else(|| said(form, "method"));
        let closes = method.is_some_and(|method| method.eq_ignore_ascii_case("dialog"));
        let unchecked = button.is_some_and(|id| said(id, "formnovalidate").is_some());
        let invalid = if unchecked { Vec::new() } else { self.tree().invalid_in(form) };
        let unknown = invalid.iter().find_map(|(field, validity)| match validity {
            Validity::Unknown(why) => Some((*field, why.clone())),
            _ => None,
        });
        if let Some((field, why)) = unknown {
            let field = self.tree().described(field);
            self.refuse(&format!("whether its form is sent hangs on `{field}`: {why}"));
            return;
        }
        if let Some((first, _)) = invalid.first() {
            for (field, _) in &invalid {
                self.event(*field, Event::new("invalid"));
            }
            if self.stands(*first) {
                self.focus(Some(*first));
            }
            return;
        }
        if !self.event(form, Event::new("submit")) || !closes {
            return;
        }
        let open = |id: NodeId| {
            self.tree().name(id) == Some("dialog") && self.tree().flag(id, Property::Open)
        };
        if let Some(dialog) = self.tree().closest(form, open) {
            self.session.tree_mut().set_flag(dialog, Property::Open, false);
            if let Some(id) = self.tree().focused().filter(|id| !self.tree().is_focusable(*id)) {
                self.session.tree_mut().set_focused(None);
                self.unfocused.push(id);
            }
            self.event(dialog, Event::new("close"));
            self.event(dialog, Event::new("toggle"));
        }
    }

    fn choose(&mut self, select: NodeId, wanted: &[String]) {
        self.point_at(select);
        self.focus(Some(select));
        let tree = self.tree();
        let options = wanted.iter().filter_map(|wanted| option_of(tree, select, wanted));
        let values: Vec<String> = options.map(|option| tree.option_value(option)).collect();
        let values: Vec<&str> = values.iter().map(String::as_str).collect();
        if tree.attribute(select, "multiple").is_some() {
            self.session.tree_mut().choose(select, &values);
        } else {
            let value = values.first().copied().unwrap_or_default();
            if tree.value(select).as_deref() == Some(value) {
                return;
            }
            self.session.tree_mut().type_value(select, value);
        }
        self.event(select, Event::new("input"));
        self.event(select, Event::new("change"));
    }
}
