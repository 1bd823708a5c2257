//! Texts that somebody is in the middle of writing: whatever is missing or doubled, the check
//! comes back, names places that are there, and its fixes can be made.

use proptest::prelude::*;
use vein_check::{Source, Workspace, check};

const TEXTS: [&str; 6] = [
    include_str!("../../../vein/examples/components/bench-report.vein"),
    include_str!("../../../vein/examples/components/seed-order.vein"),
    include_str!("../../../vein/examples/components/bed-list.vein"),
    include_str!("../../../vein/examples/components/tool-shed.vein"),
    include_str!("../../../vein/examples/components/watering-can.vein"),
    include_str!("../../../vein/tests/api/bed-card.vein"),
];

/// What may come to stand anywhere.
const BITS: [&str; 24] = [
    "<",
    ">",
    "</",
    "{",
    "}",
    "\"",
    "'",
    "`",
    "${",
    "<-",
    "<->",
    "->",
    "(",
    ")",
    "=",
    "<!--",
    "/*",
    "\\",
    "\0",
    "😀",
    "each=\"a of b\"",
    " otherwise",
    "<style>",
    "&#xd800;",
];

/// What styles are made of.
const STYLES: [&str; 28] = [
    "{", "}", "{", "}", "p", ".a", "&", ":", ";", ",", ">", "(", ")", "[", "]", "--a", "color",
    "red", "1px", "'x'", "@media", "@scope", ":not(", "::has(", "::before", "/* c */", " ", "\n",
];

fn char_boundary(text: &str, at: usize) -> usize {
    (0..=at % (text.len() + 1)).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0)
}

/// A text with one stretch of it taken out, doubled, or something put in.
fn changed(text: &str, (from, len, how): (usize, usize, usize)) -> String {
    let from = char_boundary(text, from);
    let to = char_boundary(text, (from + len % 40).min(text.len()));
    let (from, to) = (from.min(to), from.max(to));
    let put = match how % (BITS.len() + 2) {
        0 => "",
        1 => &text[from..to].repeat(2),
        bit => BITS[bit - 2],
    };
    format!("{}{put}{}", &text[..from], &text[to..])
}

fn sources(broken: &str, number: usize) -> Vec<Source> {
    let source = |(at, text): (usize, &&str)| {
        let text = if at == number { broken } else { text };
        Source { path: format!("part-{}.vein", at + 1), text: text.into() }
    };
    TEXTS.iter().enumerate().map(source).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn places_are_there_and_fixes_can_be_made(
        number in 0..TEXTS.len(),
        changes in prop::collection::vec((any::<usize>(), any::<usize>(), any::<usize>()), 1..4),
    ) {
        let text = changes.iter().fold(TEXTS[number].to_owned(), |text, how| changed(&text, *how));
        let checked = check(sources(&text, number));
        prop_assert_eq!(checked.program.is_some(), checked.report.errors() == 0);
        for found in &checked.report.diagnostics {
            let text = &checked.report.sources[found.file].text;
            let spans = found.related.iter().map(|(span, _)| *span).chain([found.span]);
            let edits = found.fix.iter().flat_map(|fix| &fix.edits);
            for span in spans.chain(edits.map(|(span, _)| *span)) {
                prop_assert!(text.get(span.range()).is_some(), "{} in {text}", found.code);
            }
            let said = &found.message;
            prop_assert!(!said.is_empty() && !said.contains('\n'), "{}: {said:?}", found.code);
        }
        // Whatever is printed of it can be printed.
        prop_assert!(checked.report.to_string().len() < 1 << 20);
        let lines = checked.report.json();
        prop_assert_eq!(checked.report.sarif()["runs"][0]["results"].as_array().map(Vec::len),
            Some(checked.report.diagnostics.len()), "{}", lines);
    }

    /// Whatever stands in a style, from its first character on.
    #[test]
    fn styles_are_read_to_their_end(pieces in prop::collection::vec(0..STYLES.len(), 0..16)) {
        let css: String = pieces.iter().map(|at| STYLES[*at]).collect();
        let text = format!("<p class='a'>x</p>\n<style>{css}</style>\n");
        let checked = check(vec![Source { path: "a-part.vein".into(), text: text.clone() }]);
        for found in &checked.report.diagnostics {
            prop_assert!(text.get(found.span.range()).is_some(), "{} in {text}", found.code);
        }
    }

    #[test]
    fn what_is_checked_again_is_what_is_checked_at_once(
        changes in prop::collection::vec(
            (0..TEXTS.len(), any::<usize>(), any::<usize>(), any::<usize>()),
            1..6,
        ),
    ) {
        let mut texts = TEXTS.map(str::to_owned);
        let all = |texts: &[String]| -> Vec<Source> {
            let texts = texts.iter().enumerate();
            let source = |(at, text): (usize, &String)| Source {
                path: format!("part-{}.vein", at + 1),
                text: text.clone(),
            };
            texts.map(source).collect()
        };
        let mut workspace = Workspace::new(all(&texts));
        for (number, from, len, how) in changes {
            texts[number] = changed(&texts[number], (from, len, how));
            workspace.change(all(&texts).swap_remove(number));
            let (again, at_once) = (workspace.checked(), check(all(&texts)));
            prop_assert_eq!(&again.report.diagnostics, &at_once.report.diagnostics);
            let bytes = |program: Option<vein_plan::Program>| program.map(|p| p.to_bytes());
            prop_assert!(bytes(again.program) == bytes(at_once.program), "plans differ");
        }
    }
}

/// A block that no selector stands before is told of, wherever it stands, and so is what is wrong inside it.
#[test]
fn a_rule_has_a_selector() {
    let told = |css: &str| {
        let text = format!("<p>x</p>\n<style>{css}</style>\n");
        let report = check(vec![Source { path: "a-part.vein".into(), text }]).report;
        let selectors = report.diagnostics.iter().filter(|d| d.message.contains("has a selector"));
        (selectors.count(), report.errors())
    };
    assert_eq!(told("{ color: red }"), (1, 1));
    assert_eq!(told("{ colour: red }"), (1, 2));
    assert_eq!(told("p { { color: red } } p { color: red }"), (1, 1));
    assert_eq!(told("@media (hover) { {} }"), (1, 1));
    assert_eq!(told("p { color: red }"), (0, 0));
}

/// Whether a component stands in a line is known to those that use one that begins with it.
#[test]
fn what_begins_in_a_line_is_told_far_away() {
    let source = |path: &str, text: &str| Source { path: path.into(), text: text.into() };
    let outer = source("a-page.vein", "<b>a</b>\n<a-middle></a-middle>\n<b>c</b>\n");
    let middle = source("a-middle.vein", "<an-inner></an-inner>\n");
    let texts = |workspace: &Workspace| {
        let program = workspace.checked().program.expect("no mistakes");
        let plan = program.plans.iter().find(|plan| &*plan.name == "a-page").expect("a page");
        let nodes = plan.blocks[0].template.iter();
        nodes
            .filter(
                |node| matches!(node, vein_plan::TemplateNode::Text { text, .. } if **text == *" "),
            )
            .count()
    };
    let inner = |text: &str| source("an-inner.vein", text);
    let mut workspace = Workspace::new(vec![outer, middle, inner("<i>b</i>\n")]);
    assert_eq!(texts(&workspace), 2);
    for (text, spaces) in [("<p>b</p>\n", 0), ("<i>b</i>\n<p>b</p>\n", 1), ("<u>b</u>\n", 2)] {
        workspace.change(inner(text));
        assert_eq!(texts(&workspace), spaces, "{text}");
    }
}
