//! Events go from their target outwards, as far as they are let.

use crate::build::{listener, tree};
use vein_plan::EventField;
use vein_view::{Batch, Event, NotDispatched, Patch, Tree};

/// Dispatches to the element with an id and gives the listeners reached, `!` when prevented.
fn reached(tree: &mut Tree, id: &str, event: &Event) -> String {
    let target = tree.select(&format!("#{id}")).expect("a selector")[0];
    let done = tree.dispatch(target, event).expect("an element");
    let numbers: Vec<String> = done.reached.iter().map(|r| r.listener.to_string()).collect();
    format!("{}{}", numbers.join(" "), if done.prevented { "!" } else { "" })
}

const NESTED: &[&str] = &["div #out *", "form #mid *", "button #in *", "/", "/", "/"];

#[test]
fn events_bubble_until_they_are_stopped() {
    for (options, event, expected) in [
        (&[][..], "click", "2 1 0"),
        (&["stop"], "click", "2 1"),
        (&["self"], "click", "2 0"),
        (&["prevent"], "click", "2 1 0!"),
        (&["self", "prevent"], "click", "2 0"),
        (&[], "focus", "2"),
        (&["stop"], "focusin", "2 1"),
    ] {
        let listeners = vec![
            listener(0, 0, event, &[]),
            listener(1, 1, event, options),
            listener(2, 2, event, &[]),
        ];
        let mut tree = tree(NESTED, listeners);
        assert_eq!(reached(&mut tree, "in", &Event::new(event)), expected, "{options:?} {event}");
        assert_eq!(reached(&mut tree, "in", &Event::new("keyup")), "", "another type");
    }
}

#[test]
fn several_listeners_of_one_element_all_hear() {
    let listeners = vec![
        listener(2, 0, "click", &["stop"]),
        listener(2, 1, "click", &[]),
        listener(1, 2, "click", &[]),
    ];
    assert_eq!(reached(&mut tree(NESTED, listeners), "in", &Event::new("click")), "0 1");
}

#[test]
fn a_listener_that_is_done_is_not_heard_on_that_element() {
    let listeners = vec![listener(1, 0, "click", &["prevent"]), listener(0, 1, "click", &[])];
    let mut tree = tree(NESTED, listeners);
    let click = Event::new("click");
    assert_eq!(reached(&mut tree, "in", &click), "0 1!");
    assert_eq!(reached(&mut tree, "in", &click), "0 1!");
    let node = tree.select("#out > *").expect("a selector")[0];
    let node = tree.number_of(node).expect("a marked element");
    let mut batch = Batch::default();
    batch.push(&Patch::Done { node, listener: 0 });
    tree.apply(&batch).expect("an element that is there");
    assert_eq!(reached(&mut tree, "in", &click), "1");
}

#[test]
fn keys_are_told_apart() {
    let mut tree = tree(NESTED, vec![listener(2, 0, "keydown", &["key:Enter"])]);
    let key = |key: &str| Event::new("keydown").with(EventField::Key, key);
    assert_eq!(reached(&mut tree, "in", &key("Enter")), "0");
    assert_eq!(reached(&mut tree, "in", &key("enter")), "");
    assert_eq!(reached(&mut tree, "in", &Event::new("keydown")), "");
}

#[test]
fn disabled_controls_get_no_clicks() {
    let items = &[
        "fieldset disabled",
        "button #a *",
        "/",
        "/",
        "button #b disabled *",
        "/",
        "p #c disabled *",
        "/",
    ];
    let listeners = (0..3).map(|mark| listener(mark, mark, "click", &[])).collect();
    let mut tree = tree(items, listeners);
    for id in ["a", "b"] {
        let target = tree.select(&format!("#{id}")).expect("a selector")[0];
        let refused = tree.dispatch(target, &Event::new("click")).expect_err("disabled");
        assert_eq!(refused, NotDispatched::Disabled);
        assert!(tree.dispatch(target, &Event::new("mouseover")).is_ok());
    }
    // A paragraph has no such state, whatever its attributes.
    assert_eq!(reached(&mut tree, "c", &Event::new("click")), "2");
    let root = tree.root();
    assert_eq!(tree.dispatch(root, &Event::new("click")), Err(NotDispatched::NoElement));
}

#[test]
fn fields_default_to_what_the_target_has() {
    let mut tree = tree(&["input #a value=x checked", "/", "textarea #b", "\"y", "/"], vec![]);
    let field = |tree: &Tree, id: &str, field| {
        let target = tree.select(id).expect("a selector")[0];
        tree.event_field(target, &Event::new("input"), field).to_text().to_string()
    };
    assert_eq!(field(&tree, "#a", EventField::Value), "x");
    assert_eq!(field(&tree, "#a", EventField::Checked), "true");
    assert_eq!(field(&tree, "#b", EventField::Value), "y");
    assert_eq!(field(&tree, "#b", EventField::Key), "");
    assert_eq!(field(&tree, "#b", EventField::ClientX), "0");
    assert_eq!(field(&tree, "#b", EventField::ScrollTop), "0");
    let scrolled = Event::new("scroll").with(EventField::ScrollTop, 40.0);
    let target = tree.select("#b").expect("a selector")[0];
    assert_eq!(tree.event_field(target, &scrolled, EventField::ScrollTop).to_number(), 40.0);
    let typed = tree.select("#a").expect("a selector")[0];
    tree.type_value(typed, "kale");
    assert_eq!(field(&tree, "#a", EventField::Value), "kale");
}
