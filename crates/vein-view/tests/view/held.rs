//! What a tree holds: nodes with their numbers, what controls were given and what a person did to them.

use crate::build::{batch, listener, nodes, tree};
use vein_plan::{Namespace, Property, Shown};
use vein_view::{NodeId, Patch, Template, Tree};

fn one(tree: &Tree, selector: &str) -> NodeId {
    tree.select(selector).expect("a selector")[0]
}

fn apply(tree: &mut Tree, patches: &[Patch<'_>]) {
    tree.apply(&batch(patches)).expect("patches that fit");
}

#[test]
fn controls_hold_what_was_set_or_what_their_markup_says() {
    for (items, selector, value) in [
        (&["input value=a", "/"][..], "input", Some("a")),
        (&["input", "/"], "input", Some("")),
        (&["input type=checkbox", "/"], "input", Some("on")),
        (&["input type=RADIO", "/"], "input", Some("on")),
        (&["input type=radio value=x", "/"], "input", Some("x")),
        (&["textarea", "\"a\r\nb\rc", "b", "\"d", "/", "/"], "textarea", Some("a\nb\ncd")),
        (&["select", "option", "\"a", "/", "/"], "select", Some("a")),
        (&["li value=3", "/"], "li", Some("3")),
        (&["p", "/"], "p", None),
    ] {
        let tree = tree(items, vec![]);
        assert_eq!(tree.value(one(&tree, selector)).as_deref(), value, "{items:?}");
    }
    let mut tree = tree(
        &["textarea *", "/", "input * type=checkbox checked", "/", "details * open", "/"],
        vec![],
    );
    let [area, input, details] = ["textarea", "input", "details"].map(|name| one(&tree, name));
    tree.type_value(area, "x\r\ny\rz");
    assert_eq!(tree.value(area).as_deref(), Some("x\ny\nz"));
    assert!(tree.flag(input, Property::Checked) && tree.flag(details, Property::Open));
    assert_eq!(tree.set_property(input, Property::Checked), None);
    apply(&mut tree, &[Patch::SetFlag { node: 2, property: Property::Checked, on: false }]);
    assert!(!tree.flag(input, Property::Checked));
    assert_eq!(tree.set_property(input, Property::Checked), Some(Shown::Flag(false)));
    assert_eq!(tree.value(tree.root()), None);
    assert!(!tree.flag(tree.root(), Property::Open));
    assert_eq!(tree.set_property(tree.root(), Property::Value), None);
}

#[test]
fn what_a_person_did_is_known_until_a_patch_writes_there() {
    let mut tree = tree(&["input *", "/", "select * multiple", "option", "\"a", "/", "/"], vec![]);
    let (input, select) = (one(&tree, "input"), one(&tree, "select"));
    let used = |tree: &Tree| {
        let of = |id, property| tree.is_used(id, property);
        [of(input, Property::Value), of(input, Property::Checked), of(select, Property::Chosen)]
    };
    assert_eq!(used(&tree), [false, false, false]);
    tree.hold(input, Property::Value, &Shown::Text("typed".into()));
    assert_eq!(used(&tree), [true, false, false]);
    tree.hold(input, Property::Checked, &Shown::Flag(true));
    tree.hold(select, Property::Chosen, &Shown::Text("[\"a\"]".into()));
    assert_eq!(used(&tree), [true, true, true]);
    assert_eq!(tree.set_property(select, Property::Chosen), Some(Shown::Text("[\"a\"]".into())));
    tree.hold(input, Property::Value, &Shown::Absent);
    assert_eq!(tree.value(input).as_deref(), Some("typed"));
    tree.choose(select, &["a", "b"]);
    assert_eq!(
        tree.set_property(select, Property::Chosen),
        Some(Shown::Text("[\"a\",\"b\"]".into()))
    );
    // What means nothing is so until something else stands there.
    assert!(!tree.is_bad_input(input) && !tree.is_bad_input(tree.root()));
    tree.set_bad_input(input, true);
    assert!(tree.is_bad_input(input));
    assert_eq!(used(&tree), [true, true, true]);
    apply(&mut tree, &[Patch::SetFlag { node: 1, property: Property::Checked, on: false }]);
    assert!(tree.is_bad_input(input));
    assert_eq!(used(&tree), [true, false, true]);
    apply(&mut tree, &[Patch::SetProperty { node: 1, property: Property::Value, value: "v" }]);
    assert!(!tree.is_bad_input(input));
    assert_eq!(used(&tree), [false, false, true]);
    tree.set_bad_input(input, true);
    tree.set_bad_input(input, false);
    assert!(!tree.is_bad_input(input));
    apply(&mut tree, &[Patch::SetProperty { node: 2, property: Property::Chosen, value: "[]" }]);
    assert_eq!(used(&tree), [false, false, false]);
    assert_eq!(tree.set_property(select, Property::Chosen), Some(Shown::Text("[]".into())));
    assert!(!tree.is_used(tree.root(), Property::Value));
}

#[test]
fn a_form_forgets_what_was_entered_where_no_patch_had_said_anything() {
    let items = [
        "form *",
        "input * type=checkbox checked",
        "/",
        "select * multiple",
        "option selected",
        "\"a",
        "/",
        "/",
        "details * open",
        "/",
        "/",
    ];
    let mut tree = tree(&items, vec![]);
    let [form, input, select] = ["form", "input", "select"].map(|name| one(&tree, name));
    tree.set_flag(input, Property::Checked, false);
    tree.choose(select, &[]);
    assert_eq!(tree.reset(form), []);
    assert!(tree.flag(input, Property::Checked));
    assert_eq!(tree.set_property(select, Property::Chosen), None);
    // Of two properties of a control only the one that a patch has set is kept.
    apply(
        &mut tree,
        &[
            Patch::SetFlag { node: 2, property: Property::Checked, on: false },
            Patch::SetProperty { node: 3, property: Property::Chosen, value: "[]" },
        ],
    );
    tree.set_flag(input, Property::Checked, true);
    tree.type_value(input, "typed");
    tree.set_flag(input, Property::Muted, true);
    tree.choose(select, &["a"]);
    let restored: Vec<(u32, Shown)> =
        tree.reset(form).into_iter().map(|restored| (restored.node, restored.held)).collect();
    assert_eq!(restored, [(2, Shown::Flag(false)), (3, Shown::Text("[]".into()))]);
    assert!(!tree.flag(input, Property::Checked));
    assert!(!tree.flag(input, Property::Muted));
    assert_eq!(tree.set_property(input, Property::Value), None);
    assert_eq!(tree.set_property(select, Property::Chosen), Some(Shown::Text("[]".into())));
}

#[test]
fn nodes_come_and_go_with_their_numbers_and_listeners() {
    let hears = vec![listener(0, 0, "click", &[]), listener(1, 1, "input", &[])];
    let items = &["p * .a", "i *", "/", "\"t", "/"];
    let mut tree = tree(items, hears);
    assert_eq!((tree.len(), tree.is_empty()), (3, false));
    assert!(tree.hears("click") && tree.hears("input") && !tree.hears("change"));
    let (p, i) = (one(&tree, "p"), one(&tree, "i"));
    assert_eq!((tree.number_of(p), tree.numbered(2), tree.numbered(9)), (Some(1), Some(i), None));
    assert_eq!((tree.parent(i), tree.parent(tree.root())), (Some(p), None));
    assert_eq!((tree.name(p), tree.name(tree.root())), (Some("p"), None));
    assert_eq!(tree.namespace(p), Some(Namespace::Html));
    assert_eq!((tree.text(p), tree.text(tree.children(p)[1])), (None, Some("t")));
    assert_eq!(tree.attributes(p).collect::<Vec<_>>(), [("class", "a")]);
    assert_eq!(tree.text_content(tree.root()), "t");
    assert_eq!((tree.elements(), tree.inside(p), tree.inside(i)), (vec![p, i], vec![i], vec![]));
    apply(
        &mut tree,
        &[
            Patch::SetAttribute { node: 1, name: "title", value: "x" },
            Patch::SetAttribute { node: 1, name: "class", value: "b" },
            Patch::SetAttribute { node: 2, name: "title", value: "y" },
            Patch::RemoveAttribute { node: 1, name: "id" },
        ],
    );
    assert_eq!(tree.attributes(p).collect::<Vec<_>>(), [("class", "b"), ("title", "x")]);
    apply(&mut tree, &[Patch::RemoveAttribute { node: 1, name: "class" }]);
    assert_eq!(tree.attributes(p).collect::<Vec<_>>(), [("title", "x")]);
    // A listener that has happened for the last time is forgotten with its element.
    let done = Patch::Done { node: 2, listener: 1 };
    apply(&mut tree, &[done.clone(), done]);
    assert!(tree.is_spent(i, 1) && !tree.is_spent(i, 0) && !tree.is_spent(p, 1));
    let serial = tree.serial(i);
    apply(
        &mut tree,
        &[
            Patch::Remove { node: 2 },
            Patch::Clone { template: 0, parent: 0, before: 1, first: 2 + 8 },
        ],
    );
    assert_eq!(tree.len(), 5);
    assert_eq!(tree.numbered(2), None);
    let again = tree.numbered(11).expect("another");
    let around = tree.numbered(10).expect("another");
    assert!(!tree.is_spent(again, 1) && !tree.is_spent(around, 1));
    assert!(tree.serial(again) > serial);
    assert_eq!(tree.html(), "<p class=\"a\"><i></i>t</p><p title=\"x\">t</p>");
    // To the end, to the beginning, into another.
    apply(&mut tree, &[Patch::Move { node: 10, parent: 0, before: 0 }]);
    assert_eq!(tree.html(), "<p title=\"x\">t</p><p class=\"a\"><i></i>t</p>");
    apply(&mut tree, &[Patch::Move { node: 1, parent: 10, before: 11 }]);
    assert_eq!(tree.html(), "<p class=\"a\"><p title=\"x\">t</p><i></i>t</p>");
    assert_eq!(tree.parent(one(&tree, "p p")), Some(one(&tree, "p")));
    let listeners = vec![listener(0, 0, "dblclick", &[])];
    let template = Template { nodes: nodes(&["svg:svg *", "/"]), listeners };
    let root = tree.root();
    tree.insert(&template, root, 40);
    assert_eq!(tree.namespace(tree.numbered(40).expect("an element")), Some(Namespace::Svg));
    assert!(tree.hears("dblclick"));
    apply(&mut tree, &[Patch::Remove { node: 10 }, Patch::Remove { node: 40 }]);
    assert!(tree.is_empty() && tree.html().is_empty());
}
