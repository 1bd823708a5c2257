//! What keys do: the events in their order, what is typed into fields, where carets, selections and the focus go.
//! Chromium on Linux is followed where the standards leave it open; what hangs on a layout is refused.

use crate::hands::{is_field, number_value, taken};
use crate::person::Person;
use std::ops::Range;
use vein_plan::{EventField, Property, Value};
use vein_view::{Event, NodeId, Stepped, Typing};

/// A key with the modifiers that are held down with it.
#[derive(Clone, Copy)]
struct Pressed<'a> {
    key: &'a str,
    shift: bool,
    control: bool,
    /// Whether any but Shift is held down: then it types nothing.
    commands: bool,
}

impl Person<'_> {
    pub(crate) fn press(&mut self, target: NodeId, key: &str) {
        self.focus(Some(target));
        if self.stands(target) {
            self.key(target, key);
        }
    }

    /// One key, down and up, with what it does. Modifiers go down before it and up after it.
    pub(crate) fn key(&mut self, target: NodeId, pressed: &str) {
        let (modifiers, key) = modifiers_of(pressed);
        let on_page = |person: &Self| person.tree().focused().unwrap_or(target);
        for (at, name) in modifiers.iter().enumerate() {
            let event = key_event("keydown", name, &modifiers[..=at]);
            self.event(on_page(self), event);
        }
        let target = on_page(self);
        let held = |name: &str| modifiers.contains(&name);
        let (shift, control) = (held("Shift"), held("Control"));
        let commands = modifiers.iter().any(|name| *name != "Shift");
        let now = Pressed { key, shift, control, commands };
        let mut left = false;
        if self.event(target, key_event("keydown", key, &modifiers)) && self.stands(target) {
            let link = key == "Enter" && self.tree().name(target) == Some("a");
            let types = (key.chars().count() == 1 || key == "Enter") && !commands && !link;
            let goes_on = !types || self.event(target, key_event("keypress", key, &modifiers));
            if goes_on && self.stands(target) {
                self.key_does(target, now);
                // The browser's own controls come after the last of the page's.
                left = key == "Tab" && self.tree().focused().is_none();
            }
        }
        if left {
            return;
        }
        self.event(on_page(self), key_event("keyup", key, &modifiers));
        if key == " " && !commands && self.stands(target) && self.is_pressed_by_space(target) {
            self.clicked(target);
        }
        for at in (0..modifiers.len()).rev() {
            let event = key_event("keyup", modifiers[at], &modifiers[..at]);
            self.event(on_page(self), event);
        }
    }

    fn is_pressed_by_space(&self, id: NodeId) -> bool {
        let kind = self.tree().control_type(id);
        match self.tree().name(id) {
            Some("button" | "summary") => true,
            Some("input") if kind == "radio" => !self.tree().flag(id, Property::Checked),
            Some("input") => {
                matches!(kind.as_str(), "checkbox" | "submit" | "button" | "reset" | "image")
            }
            _ => false,
        }
    }

    /// What a key does by itself.
    fn key_does(&mut self, target: NodeId, pressed: Pressed<'_>) {
        let typing = self.tree().typing(target);
        let kind = self.tree().control_type(target);
        let name = self.tree().name(target).unwrap_or("").to_owned();
        if pressed.key == "Tab" {
            if !pressed.commands {
                self.tab(target, pressed.shift);
            }
        } else if is_field(typing) {
            self.field_key(target, typing, pressed);
        } else if name == "select" {
            self.select_key(target, pressed);
        } else if kind == "range" && !pressed.commands {
            self.range_key(target, pressed.key);
        } else if typing == Some(Typing::Whole) && kind != "range" {
            self.picker_key(target, pressed);
        } else if kind == "radio" && pressed.key.starts_with("Arrow") && !pressed.commands {
            self.next_of_group(target, matches!(pressed.key, "ArrowDown" | "ArrowRight"));
        } else if pressed.key == "Enter" && !pressed.commands {
            match (name.as_str(), kind.as_str()) {
                ("button" | "a" | "summary", _) => self.clicked(target),
                ("input", "checkbox" | "radio") => self.submit_implicitly(target),
                ("input", "file") => self.refuse("what the Enter key opens is the browser's own"),
                ("input", _) => self.clicked(target),
                _ => {}
            }
        }
    }

    fn is_readonly(&self, field: NodeId) -> bool {
        self.tree().attribute(field, "readonly").is_some()
    }

    /// Memory does not know what would follow.
    pub(crate) fn refuse(&mut self, why: &str) {
        self.refused.get_or_insert(format!("{why}: only `--browser` can tell"));
    }

    /// The Tab key: the next element, or the one before. All of a field of one line is selected then.
    fn tab(&mut self, target: NodeId, back: bool) {
        let kind = self.tree().control_type(target);
        if matches!(kind.as_str(), "date" | "time" | "month" | "week" | "datetime-local") {
            return self.refuse("the Tab key goes through the parts of this picker");
        }
        let order = self.tree().tab_order();
        let next = match order.iter().position(|id| *id == target) {
            Some(at) if back => at.checked_sub(1).and_then(|at| order.get(at).copied()),
            Some(at) => order.get(at + 1).copied(),
            // It is passed over itself, such as a radio button beside one that is checked.
            None => {
                let all = self.tree().elements();
                let place = |id: NodeId| all.iter().position(|known| *known == id);
                let here = place(target);
                match back {
                    true => order.iter().rev().copied().find(|id| place(*id) < here),
                    false => order.iter().copied().find(|id| place(*id) > here),
                }
            }
        };
        self.focus(next);
        let arrived = next.filter(|id| self.tree().focused() == Some(*id));
        if let Some(field) = arrived
            && matches!(self.tree().typing(field), Some(Typing::Text | Typing::Number))
        {
            let all = self.field(field).raw.len();
            self.select(field, (0, all));
        }
    }

    pub(crate) fn field(&mut self, id: NodeId) -> &mut crate::hands::Field {
        self.session.field(id)
    }

    /// Selects a part of a field, which is told of where there is one.
    pub(crate) fn select(&mut self, field: NodeId, (anchor, caret): (usize, usize)) {
        let here = self.field(field);
        let before = here.selected();
        here.caret = Some((anchor, caret));
        if anchor != caret && before != here.selected() {
            self.event(field, Event::new("select"));
        }
    }

    /// Where the caret is, if that is known; refused otherwise.
    fn caret(&mut self, field: NodeId) -> Option<(usize, usize)> {
        let here = self.field(field);
        if here.raw.is_empty() {
            return Some((0, 0));
        }
        let caret = here.caret;
        if caret.is_none() {
            self.refuse(
                "where a click puts the caret hangs on the layout (`press` `Home` or `End` first, or `type`)",
            );
        }
        caret
    }

    fn field_key(&mut self, target: NodeId, typing: Option<Typing>, pressed: Pressed<'_>) {
        let Pressed { key, shift, control, commands } = pressed;
        let lines = typing == Some(Typing::Lines);
        let readonly = self.is_readonly(target);
        let all = self.field(target).raw.len();
        let on_layout = lines && all > 0 && !control;
        match key {
            "ArrowUp" | "ArrowDown" if typing == Some(Typing::Number) && !commands && !readonly => {
                self.step(target, if key == "ArrowUp" { 1.0 } else { -1.0 });
            }
            // There is nothing to select: the key goes on as another.
            "a" | "A" if control && all == 0 => {
                self.event(target, key_event("keypress", key, &["Control"]));
            }
            "a" | "A" if control => {
                self.field(target).caret = Some((0, all));
                self.event(target, Event::new("select"));
            }
            "c" | "C" | "x" | "X" if control => self.copy(target, matches!(key, "x" | "X")),
            "v" | "V" if control && readonly => {
                self.event(target, Event::new("paste"));
            }
            "v" | "V" if control => match self.session.hands.clipboard.clone() {
                Some(text) => self.paste(target, &text),
                None => self.refuse("nobody has copied anything on this page (`paste` says what)"),
            },
            "z" | "Z" | "y" | "Y" if control => self.refuse("what is undone is the browser's own"),
            "ArrowLeft" | "ArrowRight" | "Backspace" | "Delete" if control => {
                self.refuse("words begin and end where the browser's language says");
            }
            "ArrowUp" | "ArrowDown" | "Home" | "End" | "PageUp" | "PageDown" if on_layout => {
                self.refuse("where a line of a `textarea` ends hangs on the layout");
            }
            _ if commands && !(control && matches!(key, "Home" | "End")) => {}
            // There is no caret, but what is selected can be made longer and shorter.
            "ArrowLeft" | "ArrowRight" | "ArrowUp" | "ArrowDown" | "Home" | "End"
                if readonly
                    && !(shift
                        && self.field(target).selected().is_some_and(|all| !all.is_empty())) => {}
            "ArrowUp" | "Home" => self.move_caret(target, 0, shift),
            "ArrowDown" | "End" => self.move_caret(target, all, shift),
            "ArrowLeft" | "ArrowRight" => {
                let Some((anchor, caret)) = self.caret(target) else { return };
                let (forward, some) = (key == "ArrowRight", anchor != caret && !shift);
                let to = match (some, forward) {
                    (true, true) => anchor.max(caret),
                    (true, false) => anchor.min(caret),
                    (false, _) => self.field(target).beside(caret, forward),
                };
                self.move_caret(target, to, shift);
            }
            "Backspace" | "Delete" if !readonly => self.delete(target, key == "Delete"),
            "Escape" if self.tree().control_type(target) == "search" && all > 0 && !readonly => {
                self.put(target, String::new(), 0);
            }
            "Enter" if lines => self.insert(target, "\n"),
            "Enter" if readonly || self.event(target, Event::new("beforeinput")) => {
                self.tell_change();
                self.submit_implicitly(target);
            }
            "Enter" => {}
            _ if key.chars().count() == 1 => self.insert(target, key),
            _ => {}
        }
    }

    /// The caret goes somewhere; with Shift what is on the way is selected.
    fn move_caret(&mut self, target: NodeId, to: usize, shift: bool) {
        let anchor = match shift {
            true => match self.caret(target) {
                Some((anchor, _)) => anchor,
                None => return,
            },
            false => to,
        };
        self.select(target, (anchor, to));
    }

    fn copy(&mut self, target: NodeId, cuts: bool) {
        let Some(selected) = self.field(target).selected() else {
            return self.refuse("where a click puts the caret hangs on the layout");
        };
        let secret = self.tree().control_type(target) == "password";
        if selected.is_empty() || secret {
            return;
        }
        let text = self.field(target).raw[selected.clone()].to_owned();
        let kind = if cuts { "cut" } else { "copy" };
        if !self.event(target, Event::new(kind)) || !self.stands(target) {
            return;
        }
        let readonly = self.is_readonly(target);
        if !(cuts && readonly) {
            self.session.hands.clipboard = Some(text);
        }
        if cuts && !readonly && self.event(target, Event::new("beforeinput")) && self.stands(target)
        {
            self.replace(target, selected, "");
        }
    }

    /// Puts a text in the place of what is selected, as the clipboard's.
    pub(crate) fn paste(&mut self, target: NodeId, text: &str) {
        if self.caret(target).is_some()
            && self.event(target, Event::new("paste"))
            && self.stands(target)
        {
            self.insert_as(target, text, true);
        }
    }

    /// Takes away what is selected, or the character beside the caret.
    fn delete(&mut self, target: NodeId, forward: bool) {
        let Some((anchor, caret)) = self.caret(target) else { return };
        let to = match anchor == caret {
            true => self.field(target).beside(caret, forward),
            false => anchor,
        };
        if self.event(target, Event::new("beforeinput")) && self.stands(target) && to != caret {
            self.replace(target, to.min(caret)..to.max(caret), "");
        }
    }

    /// Puts a text in the place of what is selected.
    pub(crate) fn insert(&mut self, target: NodeId, text: &str) {
        self.insert_as(target, text, false);
    }

    /// What is pasted is told of even if nothing of it fits.
    fn insert_as(&mut self, target: NodeId, text: &str, pasted: bool) {
        let readonly = self.is_readonly(target);
        if !readonly && self.caret(target).is_none() {
            return;
        }
        if !self.event(target, Event::new("beforeinput")) || !self.stands(target) || readonly {
            return;
        }
        let typing = self.tree().typing(target);
        let most = self.tree().attribute(target, "maxlength").and_then(|n| n.trim().parse().ok());
        let field = self.field(target);
        let selected = field.selected().unwrap_or(0..0);
        let (before, after) = (&field.raw[..selected.start], &field.raw[selected.end..]);
        let mut text = taken(typing, before, text, after);
        if let Some(most) = most {
            let units = |text: &str| text.encode_utf16().count();
            let most: usize = most;
            let left = most.saturating_sub(units(before) + units(after));
            while units(&text) > left {
                text.pop();
            }
        }
        if (pasted && typing != Some(Typing::Number)) || !(text.is_empty() && selected.is_empty()) {
            self.replace(target, selected, &text);
        }
    }

    /// A field comes to hold another text in a place.
    fn replace(&mut self, target: NodeId, place: Range<usize>, text: &str) {
        let mut raw = self.field(target).raw.clone();
        raw.replace_range(place.clone(), text);
        self.put(target, raw, place.start + text.len());
    }

    /// A field comes to hold something that was typed.
    fn put(&mut self, target: NodeId, raw: String, caret: usize) {
        let value = match self.tree().typing(target) {
            Some(Typing::Number) => number_value(&raw),
            _ => raw.clone(),
        };
        self.changes(target);
        let bad = value.is_empty() && !raw.is_empty();
        self.session.tree_mut().type_value(target, &value);
        self.session.tree_mut().set_bad_input(target, bad);
        let field = self.field(target);
        (field.raw, field.caret) = (raw, Some((caret, caret)));
        self.event(target, Event::new("input"));
    }

    /// Notes what a control gives before it is changed for the first time since it got the focus.
    fn changes(&mut self, target: NodeId) {
        let control = (target, self.tree().serial(target));
        let before = self.tree().value(target).unwrap_or_default();
        let known = self.session.hands.changed.as_ref();
        if known.is_none_or(|(known, _)| *known != control) {
            self.session.hands.changed = Some((control, before));
        }
    }

    /// A control is set to something at once, and tells of it.
    fn set_at_once(&mut self, target: NodeId, value: &str) {
        self.session.tree_mut().type_value(target, value);
        self.event(target, Event::new("input"));
        self.event(target, Event::new("change"));
    }

    /// A step up or down of a field for numbers.
    fn step(&mut self, target: NodeId, by: f64) {
        let to = match self.tree().stepped(target, by) {
            Stepped::Nowhere => return,
            Stepped::IntoRange(to) => to,
            Stepped::By(to) => {
                if !self.event(target, Event::new("beforeinput")) || !self.stands(target) {
                    return;
                }
                to
            }
        };
        if self.tree().value(target).as_ref() != Some(&to) {
            self.set_at_once(target, &to);
        }
    }

    fn range_key(&mut self, target: NodeId, key: &str) {
        let limit = |name: &str, otherwise| self.tree().limit(target, name).unwrap_or(otherwise);
        let (min, max) = (limit("min", 0.0), limit("max", 100.0));
        let step = match self.tree().has_any_step(target) {
            true => (max - min) / 100.0,
            false => limit("step", 1.0),
        };
        let page = ((max - min) / 10.0).max(step);
        let now: f64 = self.tree().value(target).and_then(|n| n.parse().ok()).unwrap_or(0.0);
        let to = match key {
            "ArrowUp" | "ArrowRight" => now + step,
            "ArrowDown" | "ArrowLeft" => now - step,
            "PageUp" => now + page,
            "PageDown" => now - page,
            "Home" => min,
            "End" => max,
            "Enter" => return self.submit_implicitly(target),
            _ => return,
        };
        let to = self.tree().as_value(target, &Value::Number(to).to_shown());
        if self.tree().value(target).as_ref() != Some(&to) {
            self.set_at_once(target, &to);
        }
    }

    /// A field for a date, a time or a colour has parts and a picker of the browser's own.
    fn picker_key(&mut self, target: NodeId, pressed: Pressed<'_>) {
        let colour = self.tree().control_type(target) == "color";
        match pressed.key {
            "Enter" if !colour && !pressed.commands => self.submit_implicitly(target),
            "Escape" => {}
            "Enter" | " " | "ArrowUp" | "ArrowDown" | "ArrowLeft" | "ArrowRight" | "Backspace"
            | "Delete" | "Home" | "End" | "PageUp" | "PageDown" => {
                self.refuse("what this key does to the parts of a picker is the browser's own (`type` sets it)");
            }
            key if key.chars().count() == 1 && !colour => {
                self.refuse("what this key does to the parts of a picker is the browser's own (`type` sets it)");
            }
            _ => {}
        }
    }

    /// The next radio button of a group that can be used, or the one before, is clicked and has the focus.
    fn next_of_group(&mut self, target: NodeId, forward: bool) {
        let group = self.tree().radio_group(target);
        let mut usable: Vec<NodeId> =
            group.into_iter().filter(|id| self.tree().is_focusable(*id)).chain([target]).collect();
        let order = self.tree().elements();
        usable.sort_by_key(|id| order.iter().position(|known| known == id));
        let Some(at) = usable.iter().position(|id| *id == target) else { return };
        let by = if forward { 1 } else { usable.len() - 1 };
        let next = usable[(at + by) % usable.len()];
        if next != target {
            self.focus(Some(next));
            self.clicked(next);
        }
    }

    fn select_key(&mut self, target: NodeId, pressed: Pressed<'_>) {
        let tree = self.tree();
        let multiple = tree.attribute(target, "multiple").is_some();
        let listed = tree.is_list(target);
        let letter = pressed.key.chars().count() == 1 && pressed.key != " ";
        let moves = [
            "ArrowUp",
            "ArrowDown",
            "ArrowLeft",
            "ArrowRight",
            "Home",
            "End",
            "PageUp",
            "PageDown",
        ];
        let moves = moves.contains(&pressed.key);
        if pressed.commands {
            if moves {
                self.refuse("what this key opens or moves in a `select` is the browser's own");
            }
            return;
        }
        if multiple && (moves || letter || pressed.key == " ") {
            return self.refuse("which option of a `select` with `multiple` is at hand is the browser's own (`choose`)");
        }
        if !listed && matches!(pressed.key, " " | "Enter") {
            return self
                .refuse("the list that this key drops down is no part of the page (`choose`)");
        }
        if listed && matches!(pressed.key, "PageUp" | "PageDown") {
            return self.refuse("how many options a page of a list has hangs on the layout");
        }
        let options = tree.options_of(target);
        let usable: Vec<usize> =
            (0..options.len()).filter(|at| !tree.is_option_disabled(options[*at])).collect();
        let now = tree.value(target).unwrap_or_default();
        let at = options.iter().position(|option| tree.option_value(*option) == now);
        if listed && matches!(pressed.key, "ArrowLeft" | "ArrowRight") {
            return;
        }
        if listed && pressed.key == "Enter" {
            return self.submit_implicitly(target);
        }
        let after =
            |usable: &[usize]| usable.iter().copied().find(|one| at.is_none_or(|at| *one > at));
        let before = usable.iter().rev().copied().find(|one| at.is_none_or(|at| *one < at));
        let to = match pressed.key {
            "ArrowDown" | "ArrowRight" => after(&usable),
            "ArrowUp" | "ArrowLeft" => before,
            "Home" | "PageUp" => usable.first().copied(),
            "End" | "PageDown" => usable.last().copied(),
            letters if letter => {
                let control = (target, tree.serial(target));
                let begins = letters.to_lowercase();
                let other = self.session.hands.sought.as_ref();
                if other.is_some_and(|(known, said)| *known == control && *said != begins) {
                    return self
                        .refuse("letters that are typed within a second are one word (`choose`)");
                }
                let fits: Vec<usize> = usable
                    .iter()
                    .copied()
                    .filter(|one| {
                        tree.option_text(options[*one]).to_lowercase().starts_with(&begins)
                    })
                    .collect();
                let found = after(&fits).or(fits.first().copied());
                self.session.hands.sought = Some((control, begins));
                found
            }
            _ => return,
        };
        let Some(to) = to.filter(|to| Some(*to) != at) else { return };
        let value = self.tree().option_value(options[to]);
        self.session.tree_mut().type_value(target, &value);
        if !(listed && letter) {
            self.event(target, Event::new("input"));
        }
        self.event(target, Event::new("change"));
    }
}

/// An event of a key, with the modifiers that are held down.
fn key_event(kind: &str, key: &str, modifiers: &[&str]) -> Event {
    let mut event =
        Event::new(kind).with(EventField::Key, key).with(EventField::Code, code_of(key).as_str());
    for (name, field) in MODIFIERS {
        if modifiers.contains(&name) {
            event = event.with(field, true);
        }
    }
    event
}

const MODIFIERS: [(&str, EventField); 4] = [
    ("Alt", EventField::AltKey),
    ("Control", EventField::CtrlKey),
    ("Meta", EventField::MetaKey),
    ("Shift", EventField::ShiftKey),
];

/// The modifiers in front of a key: `Control+Shift+s`.
pub fn modifiers_of(pressed: &str) -> (Vec<&str>, &str) {
    let (mut modifiers, mut key) = (Vec::new(), pressed);
    while let Some((name, rest)) = key.split_once('+') {
        if rest.is_empty() || !MODIFIERS.iter().any(|(known, _)| *known == name) {
            break;
        }
        modifiers.push(name);
        key = rest;
    }
    (modifiers, key)
}

/// The physical key of a character on a keyboard for US English (UI Events, "code values").
fn code_of(key: &str) -> String {
    let mut chars = key.chars();
    match (chars.next(), chars.next()) {
        (Some(letter), None) if letter.is_ascii_alphabetic() => {
            format!("Key{}", letter.to_ascii_uppercase())
        }
        (Some(digit), None) if digit.is_ascii_digit() => format!("Digit{digit}"),
        (Some(' '), None) => "Space".into(),
        (Some(_), None) | (None, _) => String::new(),
        _ if MODIFIERS.iter().any(|(name, _)| *name == key) => format!("{key}Left"),
        _ => key.to_owned(),
    }
}
