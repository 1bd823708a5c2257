//! Whether a browser would send what a control holds.

use crate::build::tree;
use vein_plan::Property;
use vein_view::{NodeId, Tree, Validity};

/// The first control of a tree, with what was typed into it.
fn typed(items: &[&str], text: Option<&str>) -> (Tree, NodeId) {
    let mut tree = tree(items, vec![]);
    let control = tree.select("input, select, textarea, button").expect("a selector")[0];
    if let Some(text) = text {
        tree.type_value(control, text);
    }
    (tree, control)
}

fn is_valid(element: &str, text: &str) -> bool {
    let (tree, control) = typed(&[element, "/"], Some(text));
    tree.validity(control) == Validity::Valid
}

#[test]
fn fields_hold_what_fits_their_type() {
    // What a control holds, and whether that is sent.
    for (element, valid, invalid) in [
        ("input", &["", "x"][..], &[][..]),
        ("input required", &["x", " "], &[""]),
        ("textarea required", &["x"], &[""]),
        ("input required readonly", &["", "x"], &[]),
        ("input required disabled", &[""], &[]),
        ("textarea required readonly", &[""], &[]),
        ("input type=hidden required", &[""], &[]),
        ("input type=button required", &[""], &[]),
        ("input type=reset required", &[""], &[]),
        ("input type=submit required", &[""], &[]),
        ("input type=image required", &[""], &[]),
        ("button required", &[""], &[]),
        ("input type=range required readonly min=5", &["5", "7"], &[]),
        ("input type=color required", &["#ffffff"], &[]),
        (
            "input type=email",
            &["", "a@b", "a.b+c@d-e.f", "!#$%&'*+/=?^_`{|}~-@a", "a@1"],
            &[
                "a", "@b", "a@", "a@-b", "a@b-", "a@b..c", "a@b c", "a(@b", "a@b_c", "a,b@c",
                "a@b,c@d",
            ],
        ),
        ("input type=email multiple", &["a@b,c@d", "a@b"], &["a@b,", "a@b,c"]),
        (
            "input type=url",
            &[
                "",
                "https://a",
                " https://a ",
                "HTTP://a.b/c?d#e",
                "mailto:a",
                "x-y+z.1:",
                "http:a",
                "ftp://u:p@h:1/",
            ],
            &[
                "a",
                "//a",
                "1a:b",
                "https://",
                "http:///",
                "a b:c",
                "http://a b",
                "http://<",
                "ws:",
                ":a",
            ],
        ),
        ("input minlength=2 maxlength=3", &["", "ab", "abc", "😀"], &["a", "abcd", "😀😀"]),
        ("textarea minlength=2 maxlength=3", &["", "ab", "abc"], &["a", "abcd"]),
        ("input minlength=x maxlength=-1", &["a", "abcd"], &[]),
        ("textarea type=number max=1", &["5"], &[]),
        ("input type=time min=10:00 max=10:00", &["10:00"], &["09:00", "11:00"]),
        ("input type=week min=2026-W53 max=2026-W53", &["2026-W53"], &["2027-W01", "2026-W52"]),
        ("input type=date min=2026-02-28 step=2", &["2026-03-02"], &["2026-03-01"]),
        ("input type=date min=2024-02-28 step=2", &["2024-03-01"], &["2024-03-02"]),
        (
            "input type=date min=2026-01-31 max=2026-02-01",
            &["2026-01-31", "2026-02-01"],
            &["2026-02-02"],
        ),
        ("input type=date min=2025-12-31 step=31", &["2026-01-31"], &["2026-02-01"]),
        ("input type=number min=2 max=4", &["", "2", "3", "4"], &["1", "5", "2.5"]),
        ("input type=number min=1.5", &["1.5", "2.5"], &["1", "2"]),
        ("input type=number step=0.5", &["1", "1.5", "-0.5"], &["0.25"]),
        ("input type=number step=any min=2", &["2.2"], &["1.9"]),
        ("input type=number step=ANY", &["0.1"], &[]),
        ("input type=number step=0", &["3"], &["0.5"]),
        ("input type=number step=-2", &["3"], &["0.5"]),
        ("input type=number step=3 value=1", &["1", "4", "-2"], &["2", "3"]),
        ("input type=number step=3 min=0 value=1", &["3", "6"], &["1", "4"]),
        ("input type=number step=0.1", &["0.3", "1000000.7"], &["0.35"]),
        (
            "input type=date min=2026-01-10 max=2026-02-10",
            &["2026-01-10", "2026-02-10"],
            &["2026-01-09", "2026-02-11"],
        ),
        ("input type=date min=2026-01-01 step=7", &["2026-01-08"], &["2026-01-09", "2025-12-25"]),
        ("input type=date step=1.6", &["1970-01-03"], &["1970-01-02"]),
        ("input type=date step=0.2", &["1970-01-02"], &[]),
        ("input type=month min=2026-01", &["2026-01", "2027-12"], &["2025-12"]),
        ("input type=month step=3", &["1970-01", "1970-04", "1971-01"], &["1970-02"]),
        ("input type=week min=2026-W10", &["2026-W10", "2027-W01"], &["2026-W09", "2025-W52"]),
        ("input type=week step=2", &["1970-W01", "1970-W03"], &["1970-W02"]),
        ("input type=time min=09:00 max=17:00", &["09:00", "17:00", "12:30"], &["08:59", "17:01"]),
        (
            "input type=time min=22:00 max=06:00",
            &["23:00", "05:00", "22:00", "06:00"],
            &["12:00", "21:59"],
        ),
        ("input type=time step=1", &["10:00:30"], &["10:00:30.5"]),
        ("input type=time", &["10:00"], &["10:00:30"]),
        (
            "input type=datetime-local min=2026-01-01T12:00",
            &["2026-01-01T12:00"],
            &["2026-01-01T11:59"],
        ),
        ("input type=datetime-local", &["2026-01-01T12:01"], &["2026-01-01T12:01:30"]),
    ] {
        for text in valid {
            assert!(is_valid(element, text), "{element}: {text:?} is sent");
        }
        for text in invalid {
            assert!(!is_valid(element, text), "{element}: {text:?} is not sent");
        }
    }
}

#[test]
fn the_reason_is_said() {
    for (element, text, reason) in [
        ("input required", "", "it is required and empty"),
        ("input type=email", "x", "x is no e-mail address"),
        ("input type=url", "x", "x is no address with a scheme, such as https://"),
        ("input minlength=3", "x", "it is shorter than 3"),
        ("input maxlength=0", "x", "it is longer than 0"),
        ("input type=number min=2", "1", "1 is less than `min`, 2"),
        ("input type=number max=2", "3", "3 is more than `max`, 2"),
        ("input type=number min=1 step=2", "2", "2 is no step of 2 from 1"),
    ] {
        let (tree, control) = typed(&[element, "/"], Some(text));
        assert_eq!(tree.validity(control), Validity::Invalid(reason.into()), "{element}");
    }
    // What nobody has typed may be too long.
    let (tree, control) = typed(&["input maxlength=1 value=abc", "/"], None);
    assert_eq!(tree.validity(control), Validity::Valid);
    // What a pattern fits is the browser's to say, where there is anything.
    for (element, text, known) in [
        ("input pattern=[a-z]", "a", false),
        ("input pattern=[a-z]", "", true),
        ("input type=number pattern=[a-z]", "1", true),
        ("textarea pattern=[a-z]", "a", true),
        ("input", "a", true),
    ] {
        let (tree, control) = typed(&[element, "/"], Some(text));
        let unknown = Validity::Unknown("what its `pattern` fits is a browser's to say".into());
        assert_eq!(tree.validity(control) != unknown, known, "{element}");
    }
    // Nothing is said of what is no field.
    let (mut tree, control) = typed(&["p required", "input required", "/", "/"], None);
    let p = tree.select("p").expect("a selector")[0];
    assert_eq!(tree.validity(p), Validity::Valid);
    tree.set_bad_input(control, true);
    tree.type_value(control, "");
    tree.set_bad_input(control, true);
    assert_eq!(tree.validity(control), Validity::Invalid("it is required and empty".into()));
    let (mut tree, control) = typed(&["input type=number", "/"], Some(""));
    tree.set_bad_input(control, true);
    let bad = Validity::Invalid("what stands in it is no number".into());
    assert_eq!(tree.validity(control), bad);
}

#[test]
fn boxes_groups_and_lists_are_required_to_be_chosen() {
    let check = |items: &[&str], on: &[usize]| {
        let mut tree = tree(items, vec![]);
        let controls = tree.select("input").expect("a selector");
        on.iter().for_each(|at| tree.set_flag(controls[*at], Property::Checked, true));
        controls.iter().map(|id| tree.validity(*id) == Validity::Valid).collect::<Vec<_>>()
    };
    let radios = [
        "input type=radio name=a required",
        "/",
        "input type=radio name=a",
        "/",
        "input type=radio name=b",
        "/",
    ];
    assert_eq!(check(&["input type=checkbox required", "/"], &[]), [false]);
    assert_eq!(check(&["input type=checkbox required", "/"], &[0]), [true]);
    assert_eq!(check(&["input type=checkbox", "/"], &[]), [true]);
    // Nobody needs to write in a box.
    assert_eq!(check(&["input type=checkbox required readonly", "/"], &[]), [false]);
    assert_eq!(check(&radios, &[]), [false, false, true]);
    assert_eq!(check(&radios, &[0]), [true, true, true]);
    assert_eq!(check(&radios, &[1]), [true, true, true]);
    assert_eq!(check(&radios, &[2]), [false, false, true]);
    // The second is the one that requires it.
    let second = ["input type=radio name=a", "/", "input type=radio name=a required", "/"];
    assert_eq!(check(&second, &[]), [false, false]);

    let chosen = |items: &[&str], value: Option<&str>| {
        let (tree, control) = typed(items, value);
        tree.validity(control) == Validity::Valid
    };
    let select = |select: &'static str| {
        [select, "option", "/", "option value=a", "\"A", "/", "option", "\"b", "/", "/"]
    };
    assert!(!chosen(&select("select required"), None), "the first stands for nothing");
    assert!(!chosen(&select("select required"), Some("")));
    assert!(!chosen(&select("select required"), Some("zzz")), "none is chosen");
    assert!(chosen(&select("select required"), Some("a")));
    assert!(chosen(&select("select"), None));
    assert!(!chosen(&["select required", "/"], None));
    let grouped = ["select required", "optgroup", "option", "/", "/", "option", "\"b", "/", "/"];
    assert!(chosen(&grouped, None), "only a direct child stands for nothing");
    let full = ["select required", "option", "\"a", "/", "/"];
    assert!(chosen(&full, None));
    // Lists show all of theirs.
    assert!(!chosen(&["select required size=3", "option", "\"a", "/", "/"], None));
    let many =
        ["select multiple required", "option", "\"a", "/", "option selected", "\"b", "/", "/"];
    assert!(chosen(&many, None));
    let none = ["select multiple required", "option", "\"a", "/", "/"];
    assert!(!chosen(&none, None));
    let mut tree = tree(&many, vec![]);
    let control = tree.select("select").expect("a selector")[0];
    tree.choose(control, &[]);
    assert!(tree.validity(control) != Validity::Valid);
    tree.choose(control, &["a"]);
    assert_eq!(tree.validity(control), Validity::Valid);
}

#[test]
fn a_form_tells_of_its_own_fields() {
    let items = [
        "form #f",
        "input #a required",
        "/",
        "fieldset disabled",
        "input #b required",
        "/",
        "/",
        "datalist",
        "input #c required",
        "/",
        "/",
        "/",
        "input #d form=f required",
        "/",
        "input #e required",
        "/",
        "form #g novalidate",
        "input #h required",
        "/",
        "/",
    ];
    let tree = tree(&items, vec![]);
    let of = |form: &str| -> Vec<String> {
        let form = tree.select(form).expect("a selector")[0];
        let all = tree.invalid_in(form).into_iter();
        all.map(|(id, _)| tree.attribute(id, "id").unwrap_or_default().to_owned()).collect()
    };
    assert_eq!(of("#f"), ["a", "d"]);
    assert_eq!(of("#g"), [""; 0]);
}
