//! What a person can reach and use: focus, what is hidden, labels, forms, options.

use crate::build::{batch, tree};
use vein_plan::{Property, Shown};
use vein_view::{NodeId, Patch, Tree, Typing};

fn ids(tree: &Tree, all: &[NodeId]) -> Vec<String> {
    all.iter().map(|id| tree.attribute(*id, "id").unwrap_or_default().to_owned()).collect()
}

fn one(tree: &Tree, selector: &str) -> NodeId {
    tree.select(selector).expect("a selector")[0]
}

#[test]
fn focus_goes_where_it_can() {
    let items = [
        "a #link href=#",
        "/",
        "a #anchor",
        "/",
        "area #area href=#",
        "/",
        "area #blank",
        "/",
        "input #field",
        "/",
        "input #off disabled",
        "/",
        "input #secret type=hidden",
        "/",
        "select #choice",
        "/",
        "textarea #text",
        "/",
        "button #button",
        "/",
        "button #dead disabled tabindex=0",
        "/",
        "p #plain",
        "/",
        "p #said tabindex=0",
        "/",
        "p #out tabindex=-1",
        "/",
        "p #bad tabindex=x",
        "/",
        "p #edit contenteditable",
        "/",
        "p #edit2 contenteditable=true",
        "/",
        "p #noedit contenteditable=false",
        "/",
        "div inert",
        "button #inert",
        "/",
        "/",
        "div hidden",
        "button #hidden",
        "/",
        "/",
        "fieldset",
        "input #free",
        "/",
        "/",
        "fieldset disabled",
        "input #inset",
        "/",
        "/",
        "details",
        "summary #sum",
        "/",
        "summary #second",
        "/",
        "button #closed",
        "/",
        "/",
        "details open",
        "summary #sum2",
        "/",
        "button #opened",
        "/",
        "/",
        "summary #loose",
        "/",
        "svg:a #svg href=#",
        "/",
    ];
    let tree = tree(&items, vec![]);
    let all: Vec<NodeId> =
        tree.elements().into_iter().filter(|id| tree.is_focusable(*id)).collect();
    let wanted = [
        "link", "area", "field", "choice", "text", "button", "said", "out", "edit", "edit2",
        "free", "sum", "sum2", "opened", "svg",
    ];
    assert_eq!(ids(&tree, &all), wanted);
    let order = ids(&tree, &tree.tab_order());
    assert_eq!(order, wanted.into_iter().filter(|id| *id != "out").collect::<Vec<_>>());
    assert!(!tree.is_focusable(tree.root()));
}

#[test]
fn the_tab_key_goes_by_number_and_to_one_of_a_group() {
    let radio = |id: &str, more: &str| format!("input #{id} type=radio {more}");
    let items: Vec<String> = [
        "p #c tabindex=0".into(),
        "p #b tabindex=2".into(),
        "p #a tabindex=1".into(),
        "p #b2 tabindex=2".into(),
        radio("r1", "name=x"),
        radio("r2", "name=x checked"),
        radio("r3", "name=x"),
        radio("s1", "name=y disabled"),
        radio("s2", "name=y"),
        radio("s3", "name=y"),
        radio("t1", "name="),
        radio("t2", "name="),
        "input #u type=checkbox name=x".into(),
        radio("v", "name=x form=other"),
        "form #other".into(),
        radio("w", "name=x"),
    ]
    .into_iter()
    .flat_map(|item: String| [item, "/".into()])
    .collect();
    let items: Vec<&str> = items.iter().map(String::as_str).collect();
    let mut tree = tree(&items, vec![]);
    assert_eq!(
        ids(&tree, &tree.tab_order()),
        ["a", "b", "b2", "c", "r2", "s2", "t1", "t2", "u", "v"]
    );
    let group = |tree: &Tree, of: &str| ids(tree, &tree.radio_group(one(tree, of)));
    assert_eq!(group(&tree, "#r1"), ["r2", "r3", "w"]);
    assert_eq!(group(&tree, "#v"), [""; 0]);
    assert_eq!(group(&tree, "#t1"), [""; 0]);
    assert_eq!(group(&tree, "#u"), [""; 0]);
    let r2 = one(&tree, "#r2");
    tree.set_flag(r2, Property::Checked, false);
    assert_eq!(ids(&tree, &tree.tab_order())[4], "r1");
    // The focus is lost with its element.
    assert_eq!(tree.focused(), None);
    tree.set_focused(Some(r2));
    assert_eq!(tree.focused(), Some(r2));
    tree.set_focused(None);
    assert_eq!(tree.focused(), None);
    let mut tree = crate::build::tree(&["p *", "b * tabindex=0", "/", "/"], vec![]);
    let inner = one(&tree, "b");
    tree.set_focused(Some(inner));
    let moved = Patch::Move { node: 2, parent: 0, before: 0 };
    tree.apply(&batch(&[moved])).expect("it moves");
    assert_eq!(tree.focused(), Some(inner));
    tree.apply(&batch(&[Patch::Remove { node: 2 }])).expect("it goes");
    assert_eq!(tree.focused(), None);
    // Another that has its place in the tree is another.
    let again = Patch::Clone { template: 0, parent: 0, before: 0, first: 3 };
    tree.apply(&batch(&[again])).expect("another comes");
    assert_eq!(tree.focused(), None);
}

#[test]
fn what_keeps_an_element_from_being_seen_is_found() {
    for (items, by) in [
        (&["p #x", "/"][..], None),
        (&["p #x hidden", "/"], Some("p")),
        (&["div hidden", "p #x", "/", "/"], Some("div")),
        (&["div style=display:none", "p #x", "/", "/"], Some("div")),
        (&["div style=visibility:hidden", "p #x", "/", "/"], Some("div")),
        (&["div style=color:red", "p #x", "/", "/"], None),
        (&["template", "p #x", "/", "/"], Some("template")),
        (&["datalist", "option #x", "/", "/"], Some("datalist")),
        (&["noscript", "p #x", "/", "/"], Some("noscript")),
        (&["script #x", "/"], Some("script")),
        (&["style #x", "/"], Some("style")),
        (&["input #x type=HIDDEN", "/"], Some("input")),
        (&["input #x", "/"], None),
        (&["dialog", "p #x", "/", "/"], Some("dialog")),
        (&["dialog open", "p #x", "/", "/"], None),
        (&["dialog #x", "/"], Some("dialog")),
        (&["details #x", "/"], None),
        (&["details", "p #x", "/", "/"], Some("details")),
        (&["details open", "p #x", "/", "/"], None),
        (&["details", "summary #x", "/", "/"], None),
        (&["details", "summary", "b #x", "/", "/", "/"], None),
        (&["details", "summary", "/", "summary #x", "/", "/"], Some("details")),
    ] {
        let tree = tree(items, vec![]);
        let found = tree.hidden_by(one(&tree, "#x"));
        assert_eq!(found.and_then(|id| tree.name(id)), by, "{items:?}");
    }
    let tree = tree(
        &["details", "summary #s", "b #b", "/", "/", "summary #t", "/", "/", "summary #l", "/"],
        vec![],
    );
    let details = one(&tree, "details");
    let of = |id: &str| tree.details_of(one(&tree, id));
    assert_eq!((of("#s"), of("#t"), of("#l"), of("#b")), (Some(details), None, None, None));
    assert!(!tree.is_inert(details));
}

#[test]
fn labels_and_forms_find_their_controls() {
    let items = [
        "label #l1 for=b",
        "input #a",
        "/",
        "/",
        "input #b",
        "/",
        "label #l2",
        "span",
        "input type=hidden",
        "/",
        "p",
        "/",
        "textarea #c",
        "/",
        "/",
        "/",
        "label #l3 for=p",
        "/",
        "p #p",
        "/",
        "label #l4",
        "/",
        "label #l5",
        "meter #d",
        "/",
        "/",
        "label #l6",
        "output #e",
        "/",
        "/",
        "label #l7",
        "progress #f",
        "/",
        "/",
        "label #l8",
        "button #g",
        "/",
        "/",
        "label #l9",
        "select #h",
        "/",
        "/",
        "label #l0 for=nothing",
        "/",
    ];
    let labels = tree(&items, vec![]);
    let of = |label: &str| {
        let found = labels.labelled(one(&labels, label));
        found.and_then(|id| labels.attribute(id, "id")).unwrap_or("none").to_owned()
    };
    let all = ["#l1", "#l2", "#l3", "#l4", "#l5", "#l6", "#l7", "#l8", "#l9", "#l0"].map(of);
    assert_eq!(all, ["b", "c", "none", "none", "d", "e", "f", "g", "h", "none"]);

    let items = [
        "form #f",
        "p",
        "input #a",
        "/",
        "button #b type=button",
        "/",
        "/",
        "input #c form=g",
        "/",
        "button #d",
        "/",
        "/",
        "form #g",
        "input #e type=submit",
        "/",
        "/",
        "input #h form=f type=checkbox",
        "/",
        "p #p form=f",
        "/",
        "input #i",
        "/",
        "input #j form=p",
        "/",
        "form #k",
        "input #l type=image",
        "/",
        "/",
    ];
    let forms = tree(&items, vec![]);
    let form_of = |id: &str| {
        let form = forms.form_of(one(&forms, id));
        form.and_then(|id| forms.attribute(id, "id")).unwrap_or("none").to_owned()
    };
    let all = ["#a", "#c", "#e", "#h", "#i", "#j"].map(form_of);
    assert_eq!(all, ["f", "g", "g", "f", "none", "none"]);
    let button = |form: &str| {
        let found = forms.default_button(one(&forms, form));
        found.and_then(|id| forms.attribute(id, "id")).unwrap_or("none").to_owned()
    };
    assert_eq!(["#f", "#g", "#k"].map(button), ["d", "e", "l"]);
    assert_eq!(["#f", "#g", "#k"].map(|form| forms.blocking_fields(one(&forms, form))), [1, 2, 1]);
}

#[test]
fn buttons_and_fields_are_told_apart() {
    // An element; whether it sends, whether it takes back, how it takes text, whether Enter stops there.
    let fields = [
        ("button", true, false, None, 0),
        ("button type=SUBMIT", true, false, None, 0),
        ("button type=button", false, false, None, 0),
        ("button type=reset", false, true, None, 0),
        ("input type=submit", true, false, None, 1),
        ("input type=image", true, false, None, 1),
        ("input type=reset", false, true, None, 0),
        ("input type=button", false, false, None, 0),
        ("input type=hidden", false, false, None, 0),
        ("input type=checkbox", false, false, None, 0),
        ("input type=radio", false, false, None, 0),
        ("input type=file", false, false, None, 0),
        ("input type=range", false, false, Some(Typing::Whole), 0),
        ("input type=color", false, false, Some(Typing::Whole), 0),
        ("input type=date", false, false, Some(Typing::Whole), 1),
        ("input type=time", false, false, Some(Typing::Whole), 1),
        ("input type=month", false, false, Some(Typing::Whole), 1),
        ("input type=week", false, false, Some(Typing::Whole), 1),
        ("input type=datetime-local", false, false, Some(Typing::Whole), 1),
        ("input type=number", false, false, Some(Typing::Number), 1),
        ("input", false, false, Some(Typing::Text), 1),
        ("input type=search", false, false, Some(Typing::Text), 1),
        ("input type=unheard-of", false, false, Some(Typing::Text), 1),
        ("textarea", false, false, Some(Typing::Lines), 0),
        ("select", false, false, None, 0),
        ("p type=submit", false, false, None, 0),
        ("p type=reset", false, false, None, 0),
    ];
    for (element, sends, resets, typing, blocks) in fields {
        let tree = tree(&["form", element, "/", "/"], vec![]);
        let (form, id) = (one(&tree, "form"), one(&tree, "form > *"));
        assert_eq!(tree.is_submit_button(id), sends, "{element}");
        assert_eq!(tree.is_reset_button(id), resets, "{element}");
        assert_eq!(tree.typing(id), typing, "{element}");
        assert_eq!(tree.blocking_fields(form), blocks, "{element}");
    }
}

#[test]
fn options_have_values_texts_and_states() {
    let select = |head: &'static str| {
        tree(
            &[
                head,
                "option #a value=x",
                "\"A",
                "/",
                "option #b",
                "\" two  words ",
                "/",
                "optgroup disabled",
                "option #c",
                "\"c",
                "/",
                "/",
                "optgroup",
                "option #d disabled",
                "\"d",
                "/",
                "/",
                "/",
            ],
            vec![],
        )
    };
    let tree_of = select("select");
    let options = tree_of.options_of(one(&tree_of, "select"));
    let values: Vec<String> = options.iter().map(|id| tree_of.option_value(*id)).collect();
    assert_eq!(values, ["x", "two words", "c", "d"]);
    assert_eq!(tree_of.option_text(options[0]), "A");
    let disabled: Vec<bool> = options.iter().map(|id| tree_of.is_option_disabled(*id)).collect();
    assert_eq!(disabled, [false, false, true, true]);
    for (head, is_list, value) in [
        ("select", false, "x"),
        ("select size=1", false, "x"),
        ("select size=2", true, ""),
        ("select size=x", false, "x"),
        ("select multiple", true, ""),
    ] {
        let tree = select(head);
        let id = one(&tree, "select");
        assert_eq!(tree.is_list(id), is_list, "{head}");
        assert_eq!(tree.value(id).as_deref(), Some(value), "{head}");
    }
    // Of several that are selected the last counts, in a list the first; what is disabled is no first.
    let chosen = |items: &[&str]| {
        let tree = tree(items, vec![]);
        tree.value(one(&tree, "select"))
    };
    let two = ["option selected", "\"a", "/", "option selected", "\"b", "/", "/"];
    assert_eq!(chosen(&[&["select"], &two[..]].concat()).as_deref(), Some("b"));
    assert_eq!(chosen(&[&["select multiple"], &two[..]].concat()).as_deref(), Some("a"));
    let first = ["select", "option disabled", "\"a", "/", "option", "\"b", "/", "/"];
    assert_eq!(chosen(&first).as_deref(), Some("b"));
    let mut tree = select("select");
    let id = one(&tree, "select");
    tree.type_value(id, "two words");
    assert_eq!(tree.value(id).as_deref(), Some("two words"));
    tree.type_value(id, "nothing of these");
    assert_eq!(tree.value(id).as_deref(), Some(""));
}

#[test]
fn elements_are_called_by_what_tells_most() {
    for (element, called) in [
        ("p", "p"),
        ("p #crop .a.b", "p#crop"),
        ("p .a.b", "p.a"),
        ("input type=number", "input[type=number]"),
        ("input .x type=number", "input.x"),
    ] {
        let tree = tree(&[element, "\"t", "/"], vec![]);
        let id = one(&tree, element.split(' ').next().expect("a name"));
        assert_eq!(tree.described(id), called);
        assert_eq!(tree.described(tree.children(id)[0]), "text");
        assert!(!tree.hears("click"));
    }
}

#[test]
fn a_form_is_taken_back_to_what_it_held_when_it_was_added() {
    let items = [
        "form *",
        "input * #a value=markup",
        "/",
        "input * #b type=checkbox",
        "/",
        "select * #c",
        "option *",
        "\"x",
        "/",
        "option * selected",
        "\"y",
        "/",
        "/",
        "button * #d value=v",
        "/",
        "textarea * #e",
        "\"text",
        "/",
        "/",
        "input * #f",
        "/",
    ];
    let mut tree = tree(&items, vec![]);
    let [a, b, c, e, f] = ["#a", "#b", "#c", "#e", "#f"].map(|id| one(&tree, id));
    let form = one(&tree, "form");
    let patches = [
        Patch::SetProperty { node: 2, property: Property::Value, value: "first" },
        Patch::SetFlag { node: 3, property: Property::Checked, on: true },
    ];
    tree.apply(&batch(&patches)).expect("patches that fit");
    assert_eq!(tree.changed_by_hand(form), []);
    tree.type_value(a, "typed");
    tree.set_flag(b, Property::Checked, false);
    tree.type_value(c, "x");
    tree.type_value(e, "more");
    tree.type_value(f, "outside");
    let changed = [(2, Property::Value), (3, Property::Checked), (4, Property::Value)];
    assert_eq!(tree.changed_by_hand(form)[..3], changed);
    // What patches have written since is not what it held at first.
    let later = [Patch::SetProperty { node: 2, property: Property::Value, value: "later" }];
    tree.apply(&batch(&later)).expect("patches that fit");
    let restored = tree.reset(form);
    let told: Vec<(u32, Shown, Shown)> =
        restored.into_iter().map(|r| (r.node, r.was, r.held)).collect();
    let text = |text: &str| Shown::Text(text.into());
    assert_eq!(
        told,
        [(2, text("later"), text("first")), (3, Shown::Flag(false), Shown::Flag(true))]
    );
    let held = [a, c, e, f].map(|id| tree.value(id).unwrap_or_default());
    assert_eq!(held, ["first", "y", "text", "outside"]);
    assert!(tree.flag(b, Property::Checked));
}
