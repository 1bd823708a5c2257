//! What a person or the host may do to a page of a random project.

use crate::generate::Random;
use crate::outside::written;
use vein_plan::Property;
use vein_proof::{Entry, Session};
use vein_view::{Event, NodeId};

/// Whether a control's two-way binding waits for `change`.
fn tree_says_later(session: &Session, node: NodeId) -> bool {
    let number = session.tree().number_of(node).unwrap_or(0);
    let listeners = session.runtime().listeners_on(number);
    listeners.iter().any(|(_, listener)| &*listener.event == "change")
}

/// What a person may do to an element.
fn use_element(session: &mut Session, random: &mut Random, node: NodeId) -> Option<Entry> {
    let tree = session.tree();
    let kind = tree.attribute(node, "type").unwrap_or("").to_owned();
    let event = match (tree.name(node)?.to_owned().as_str(), kind.as_str()) {
        ("button", "reset") => {
            let form = tree.form_of(node)?;
            return session.reset(form);
        }
        ("button", _) => "click",
        ("input", "checkbox" | "radio") => {
            let on = kind == "radio" || !tree.flag(node, Property::Checked);
            session.tree_mut().set_flag(node, Property::Checked, on);
            "input"
        }
        ("input", "range") => {
            session.tree_mut().type_value(node, random.pick::<&str>(&["0", "4", "9"]));
            "input"
        }
        ("input", "hidden") => return None,
        ("dialog", _) => {
            let on = !tree.flag(node, Property::Open);
            session.tree_mut().set_flag(node, Property::Open, on);
            "close"
        }
        ("input" | "textarea", _) => {
            let text = *random.pick(&["3", "2.50", "kale", "", " 1", "x<y"]);
            session.tree_mut().type_value(node, text);
            let later = tree_says_later(session, node);
            if later && random.below(3) > 0 { "change" } else { "input" }
        }
        ("select", _) if tree.attribute(node, "multiple").is_some() => {
            let chosen: &[&[&str]] = &[&[], &["1"], &["1", "2"]];
            let values = random.pick(chosen);
            session.tree_mut().choose(node, values);
            "input"
        }
        ("select", _) => {
            let value = *random.pick(&["dry", "moist"]);
            session.tree_mut().type_value(node, value);
            "input"
        }
        ("details", _) => {
            let on = !tree.flag(node, Property::Open);
            session.tree_mut().set_flag(node, Property::Open, on);
            "toggle"
        }
        _ => return None,
    };
    // What is typed into a control that commits later stays there meanwhile.
    session.dispatch(node, &Event::new(event)).ok()
}

pub fn act(session: &mut Session, random: &mut Random) -> Entry {
    if random.below(4) > 0 {
        let found = session
            .tree()
            .select("button, input:not([data-later]), textarea, select, details, dialog")
            .expect("a selector");
        if !found.is_empty() {
            let node = *random.pick(&found);
            if let Some(entry) = use_element(session, random, node) {
                return entry;
            }
        }
    }
    let (path, value) = written(random);
    session.set(path, &value).expect("a write that fits")
}
