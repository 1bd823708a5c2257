//! Selectors, as the standard means them.

use crate::build::tree;
use vein_view::Tree;

fn page() -> Tree {
    tree(
        &[
            "main #house",
            "h1 title=all",
            "\"House",
            "/",
            "section .bench.north data-n=1",
            "h2",
            "\"A",
            "/",
            "article .bed.dry #b1",
            "p",
            "\"dry",
            "/",
            "button disabled",
            "/",
            "/",
            "article .bed #b2 lang=en-GB",
            "p",
            "/",
            "input type=checkbox checked",
            "/",
            "/",
            "/",
            "section .bench.south data-n=2",
            "article .bed.dry #b3",
            "a href=x",
            "/",
            "/",
            "fieldset disabled",
            "input #inside",
            "/",
            "/",
            "/",
            "svg:svg",
            "svg:linearGradient #g",
            "/",
            "/",
            "/",
        ],
        Vec::new(),
    )
}

#[test]
fn selectors_find_what_the_standard_says() {
    let page = page();
    for (selector, found) in [
        ("article", "b1 b2 b3"),
        ("#b2", "b2"),
        (".dry", "b1 b3"),
        (".bed:not(.dry)", "b2"),
        ("section > article", "b1 b2 b3"),
        (".north article + article", "b2"),
        ("h2 ~ article", "b1 b2"),
        ("article:first-of-type", "b1 b3"),
        ("article:nth-of-type(2)", "b2"),
        ("article:nth-child(2)", "b1"),
        ("article:last-child", "b2"),
        ("section:nth-of-type(2) article", "b3"),
        ("article:has(button)", "b1"),
        ("article:has(> a[href])", "b3"),
        (":is(#b1, #b3)", "b1 b3"),
        ("article:where(.bed, .x).dry", "b1 b3"),
        ("article[lang]", "b2"),
        ("article[lang|=en]", "b2"),
        ("section[data-n='2'] .bed", "b3"),
        ("[id^=b][id$='2']", "b2"),
        ("article[id*='3' i]", "b3"),
        ("linearGradient", "g"),
        ("#house #inside:disabled", "inside"),
        ("article:nth-child(2 of .bed)", "b2"),
        ("#b1, #b3", "b1 b3"),
        ("#B1", ""),
        ("article p:empty", ""),
    ] {
        let ids = page.select(selector).expect("a selector").into_iter();
        let ids: Vec<&str> = ids.filter_map(|id| page.attribute(id, "id")).collect();
        assert_eq!(ids.join(" "), found, "{selector}");
    }
    for (selector, count) in [
        ("*", 17),
        ("p:empty", 1),
        (":checked", 1),
        ("button:disabled", 1),
        ("input:enabled", 1),
        ("input:disabled", 1),
        (":root", 1),
    ] {
        assert_eq!(page.select(selector).expect("a selector").len(), count, "{selector}");
    }
}

#[test]
fn what_is_no_selector_is_refused() {
    for wrong in ["", "p[", "p >", ":hover-ish", "::before", "p {", "1a"] {
        let error = page().select(wrong).expect_err(wrong).to_string();
        assert!(error.contains(&format!("`{wrong}`")), "{error}");
    }
}
