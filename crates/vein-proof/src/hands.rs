//! What a person's hands have left behind on a page: where the pointer is, what stands in fields and what of it
//! is selected, what was copied.

use vein_plan::{Property, Shown};
use vein_view::{NodeId, Tree, Typing};

/// What hands have left behind.
#[derive(Clone, Debug, Default)]
pub(crate) struct Hands {
    pub(crate) pointer: Option<(NodeId, u64)>,
    pub(crate) fields: Vec<Field>,
    /// The control that was changed since it got the focus, and what it gave before.
    pub(crate) changed: Option<((NodeId, u64), String)>,
    /// What was copied last.
    pub(crate) clipboard: Option<String>,
    /// The `select` that was typed into last, and the letter.
    pub(crate) sought: Option<((NodeId, u64), String)>,
}

/// A field that takes text key by key, as it stands there.
#[derive(Clone, Debug)]
pub(crate) struct Field {
    pub(crate) control: (NodeId, u64),
    /// All that stands in it, whether it means a value or not.
    pub(crate) raw: String,
    /// What was set as its value last, by whomever.
    pub(crate) stored: Option<Shown>,
    /// Where the selection began and where the caret is, in bytes of `raw`; `None` after a click, which puts the
    /// caret where only a layout tells.
    pub(crate) caret: Option<(usize, usize)>,
}

impl Field {
    /// The part that is selected, from its beginning to its end.
    pub(crate) fn selected(&self) -> Option<std::ops::Range<usize>> {
        let (anchor, caret) = self.caret?;
        Some(anchor.min(caret)..anchor.max(caret))
    }

    /// Where a caret goes that moves by a character.
    pub(crate) fn beside(&self, caret: usize, forward: bool) -> usize {
        match forward {
            true => self.raw[caret..].chars().next().map_or(caret, |c| caret + c.len_utf8()),
            false => self.raw[..caret].chars().next_back().map_or(0, |c| caret - c.len_utf8()),
        }
    }
}

impl Hands {
    /// A field as it stands: as it was left, unless something else was set as its value since, which puts the caret
    /// at its end.
    pub(crate) fn field(&mut self, tree: &Tree, id: NodeId) -> &mut Field {
        let control = (id, tree.serial(id));
        let stored = tree.set_property(id, Property::Value);
        let at = self.fields.iter().position(|field| field.control == control);
        let at = at.unwrap_or_else(|| {
            let raw = tree.value(id).unwrap_or_default();
            let end = if stored.is_some() { raw.len() } else { 0 };
            let stored = stored.clone();
            self.fields.push(Field { control, raw, stored, caret: Some((end, end)) });
            self.fields.len() - 1
        });
        let field = &mut self.fields[at];
        if field.stored != stored {
            let raw = tree.value(id).unwrap_or_default();
            if raw != field.raw {
                field.caret = Some((raw.len(), raw.len()));
            }
            (field.raw, field.stored) = (raw, stored);
        }
        field
    }

    /// Forgets fields that are gone.
    pub(crate) fn tidy(&mut self, tree: &Tree) {
        self.fields.retain(|field| tree.is_node(field.control.0, field.control.1));
    }
}

/// Whether a field takes text key by key.
pub(crate) fn is_field(typing: Option<Typing>) -> bool {
    matches!(typing, Some(Typing::Text | Typing::Lines | Typing::Number))
}

/// What a field for numbers gives as its value while somebody types: a sign in front that says nothing and
/// a point at the end are left out, as Chromium does, and what is no number then is none.
pub(crate) fn number_value(raw: &str) -> String {
    let starts = |rest: &&str| rest.starts_with(|c: char| c.is_ascii_digit() || c == '.');
    let unsigned = raw.strip_prefix('+').filter(starts).unwrap_or(raw);
    let whole = match unsigned.strip_suffix('.') {
        Some(before) if before.ends_with(|c: char| c.is_ascii_digit()) => before,
        _ => unsigned,
    };
    let plain = whole.replace(".e", "e").replace(".E", "E");
    if vein_view::is_number(&plain) { whole.to_owned() } else { String::new() }
}

/// What of a text that is typed or pasted between two others a field takes.
pub(crate) fn taken(typing: Option<Typing>, before: &str, text: &str, after: &str) -> String {
    match typing {
        Some(Typing::Lines) => text.replace("\r\n", "\n").replace('\r', "\n"),
        // Nothing stands before the sign.
        Some(Typing::Number) if before.is_empty() && after.starts_with(['-', '+']) => String::new(),
        Some(Typing::Number) => {
            let mut taken = String::new();
            for c in text.chars() {
                let so_far = |all: &[char]| {
                    before.contains(all) || taken.contains(all) || after.contains(all)
                };
                let exponent = ['e', 'E'];
                let fits = match c {
                    // A number has one point and one exponent, in that order.
                    '.' => {
                        !so_far(&['.']) && !before.contains(exponent) && !taken.contains(exponent)
                    }
                    'e' | 'E' => !so_far(&exponent),
                    c => c.is_ascii_digit() || matches!(c, '-' | '+'),
                };
                taken.extend(fits.then_some(c));
            }
            taken
        }
        _ => text.replace("\r\n", " ").replace(['\n', '\r'], " "),
    }
}
