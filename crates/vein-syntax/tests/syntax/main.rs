//! The parser from outside: what it accepts, what it reports, and that nothing upsets it.

mod written;

use proptest::prelude::*;
use vein_syntax::ast::{AttributeValue, DeclarationKind, Expr, ExprKind, Node, TextPiece};
use vein_syntax::{DEEPEST_MARKUP, SyntaxErrorKind, parse};

/// An expression with all its grouping spelled out.
pub fn grouped(e: &Expr) -> String {
    let all = |items: &[Expr]| items.iter().map(grouped).collect::<Vec<_>>().join(" ");
    match &e.kind {
        ExprKind::Null => "null".into(),
        ExprKind::Boolean(b) => b.to_string(),
        ExprKind::Number(n) => n.to_string(),
        ExprKind::String(s) => format!("'{s}'"),
        ExprKind::Name(n) => n.clone(),
        ExprKind::Pattern(source, flags) => format!("/{source}/{flags}"),
        ExprKind::Field { of, name, optional } => {
            format!("{}{}{}", grouped(of), if *optional { "?." } else { "." }, name.name)
        }
        ExprKind::Index { of, index, .. } => format!("{}[{}]", grouped(of), grouped(index)),
        ExprKind::Call { callee, args } => format!("{}({})", grouped(callee), all(args)),
        ExprKind::Chain(inner) => format!("<{}>", grouped(inner)),
        ExprKind::Unary(op, of) => format!("({op:?} {})", grouped(of)),
        ExprKind::Binary { op, left, right, .. } => {
            format!("({} {op:?} {})", grouped(left), grouped(right))
        }
        ExprKind::Logical(op, a, b) => format!("({} {op:?} {})", grouped(a), grouped(b)),
        ExprKind::In(key, of) => format!("({} In {})", grouped(key), grouped(of)),
        ExprKind::Choose(a, b, c) => {
            format!("({} ? {} : {})", grouped(a), grouped(b), grouped(c))
        }
        ExprKind::List(items) => {
            let items: Vec<String> = items
                .iter()
                .map(|(e, spread)| format!("{}{}", if *spread { "..." } else { "" }, grouped(e)))
                .collect();
            format!("[{}]", items.join(" "))
        }
        ExprKind::Arrow(params, body) => {
            let params: Vec<&str> = params.iter().map(|p| p.name.as_str()).collect();
            format!("(({}) => {})", params.join(" "), grouped(body))
        }
        ExprKind::Template(pieces) => format!("template of {}", pieces.len()),
        ExprKind::Record(fields) => format!("record of {}", fields.len()),
        ExprKind::Unpack(name, _, body) => format!("({} apart {})", name.name, grouped(body)),
        ExprKind::Await(of) => format!("(await {})", grouped(of)),
        ExprKind::Is(of, state) => format!("({} is {})", grouped(of), state.name),
        ExprKind::Error => "error".into(),
    }
}

/// The grouping of the expression that a text is read as.
pub fn derived(source: &str) -> String {
    let parsed = parse(&format!("derives x = {source}\n"));
    assert_eq!(parsed.errors, [], "{source}");
    match &parsed.file.declarations[0].kind {
        DeclarationKind::Derives(_, _, e) => grouped(e),
        other => panic!("{other:?}"),
    }
}

#[test]
fn precedence_is_that_of_ecmascript() {
    for (source, expected) in [
        ("1 + 2 * 3 ** 2 ** 2", "(1 Add (2 Multiply (3 Power (2 Power 2))))"),
        ("a - b - c", "((a Subtract b) Subtract c)"),
        ("a || b && c === d < e", "(a Or (b And (c Equal (d Less e))))"),
        ("(a ?? b) || c", "((a Coalesce b) Or c)"),
        ("(-a) ** 2", "((Negate a) Power 2)"),
        ("a ? b : c ? d : e", "(a ? b : (c ? d : e))"),
        (r"a / b / c", "((a Divide b) Divide c)"),
        (r"/[/\]]\//g.test(a) / /b/.c", r"(/[/\]]\//g.test(a) Divide /b/.c)"),
        ("a + b in c && !d in e", "(((a Add b) In c) And ((Not d) In e))"),
        ("{ [a + b]: 1, 2: c, 'd e': 3 }", "record of 3"),
        ("!a.b[0].c(1, x => x + 1)", "(Not a.b[0].c(1 ((x) => (x Add 1))))"),
        ("a?.b.c + 1", "(<a?.b.c> Add 1)"),
        ("a?.5:b", "(a ? 0.5 : b)"),
        ("[1, ...b, { c, d: 1, ...e }]", "[1 ...b record of 3]"),
        ("`a${`b${c}`}d${{ e: 1 }.e}`", "template of 4"),
        ("a<-b", "(a Less (Negate b))"),
        ("!a.b is ready && is", "((Not (a.b is ready)) And is)"),
        ("(a, b) => a.x - b.x", "((a b) => (a.x Subtract b.x))"),
        ("0x1f + 1_000 + .5e1 // rest", "((31 Add 1000) Add 5)"),
    ] {
        assert_eq!(derived(source), expected, "{source}");
    }
}

fn texts(source: &str) -> Vec<String> {
    fn walk(nodes: &[Node], out: &mut Vec<String>) {
        for node in nodes {
            match node {
                Node::Text(pieces) => out.push(
                    pieces
                        .iter()
                        .map(|p| match p {
                            TextPiece::Static(s, _) => s.clone(),
                            TextPiece::Expr(e) => format!("{{{}}}", grouped(e)),
                        })
                        .collect(),
                ),
                Node::Element(e) => walk(&e.children, out),
                Node::Space => out.push("␣".into()),
            }
        }
    }
    let parsed = parse(source);
    assert_eq!(parsed.errors, [], "{source}");
    let mut out = Vec::new();
    walk(&parsed.file.markup, &mut out);
    out
}

#[test]
fn white_space_and_references_in_text() {
    for (source, expected) in [
        ("<p>\n  a\n  b  c\n</p>", vec!["a b c"]),
        ("<p> a </p>", vec![" a "]),
        ("<p>a <b>b</b> c</p>", vec!["a ", "b", " c"]),
        ("<p>\n {a}\n</p>", vec!["{a}"]),
        ("<p>{a} of {b}</p>", vec!["{a} of {b}"]),
        ("<p>a<!-- not shown -->b</p>", vec!["ab"]),
        ("<p>&#123;a} &lt;&nbsp;&amp;</p>", vec!["{a} <\u{a0}&"]),
        ("<p>{a &lt; b &amp;&amp; c}</p>", vec!["{((a Less b) And c)}"]),
        ("<pre>\n a\n  b </pre>", vec![" a\n  b "]),
        ("<textarea>\n<b>{a}</textarea>", vec!["<b>{a}"]),
        // With a line break it is a node beside what stands in a line, and nothing beside what does not.
        ("<p>a\n<b>b</b>\nc</p>", vec!["a", "␣", "b", "␣", "c"]),
        ("<p>\n<b>b</b>\n\n<i>\nc\n</i>\n</p>", vec!["b", "␣", "c"]),
        ("<p>a\n<br>\nb</p>\n<p>c</p>", vec!["a", "b", "c"]),
        ("<div>a\n<p>b</p>\nc <b>d</b>\n<hr></div>", vec!["a", "b", "c ", "d"]),
        ("<ul>\n<slot></slot>\n<x-y></x-y>\n</ul>", vec![]),
        ("<div>\n<slot></slot>\n<x-y></x-y>\n{a}\n</div>", vec!["␣", "␣", "{a}"]),
        ("<p>a\n<!-- b -->\n<!-- c --><b>d</b> <!-- e --> f</p>", vec!["a", "␣", "d", " f"]),
        ("<svg>\n<g>\n<text>a\n<tspan>b</tspan></text>\n</g>\n</svg>", vec!["a", "␣", "b"]),
    ] {
        assert_eq!(texts(source), expected, "{source}");
    }
}

#[test]
fn spans_in_attributes_point_into_the_file() {
    let source = "<a title=\"&lt;- a &lt; b.cd\" href='x'>&amp;</a>";
    let parsed = parse(source);
    assert_eq!(parsed.errors, []);
    let Node::Element(a) = &parsed.file.markup[0] else { panic!("no element") };
    let AttributeValue::OneWay(arrow, e) = &a.attributes[0].value else { panic!("no arrow") };
    assert_eq!(&source[arrow.span.range()], "&lt;-");
    assert_eq!(&source[e.span.range()], "a &lt; b.cd");
}

#[test]
fn svg_and_mathml_keep_their_names() {
    let source =
        "<svg viewbox='0 0 1 1'><lineargradient/><foreignobject><P></P></foreignobject></svg>";
    let parsed = parse(source);
    assert_eq!(parsed.errors, []);
    let Node::Element(svg) = &parsed.file.markup[0] else { panic!("no element") };
    assert_eq!(svg.attributes[0].name.name, "viewBox");
    let names: Vec<String> = svg
        .children
        .iter()
        .map(|n| match n {
            Node::Element(e) => e.name.name.clone(),
            Node::Text(_) => "text".into(),
            Node::Space => "space".into(),
        })
        .collect();
    assert_eq!(names, ["linearGradient", "foreignObject"]);
}

/// Each text has one mistake and must get one message, at the place that is underlined here.
#[test]
fn one_mistake_gives_one_message() {
    for (source, at, kind) in [
        ("<p>{a</p>", "{", "UnclosedInterpolation"),
        ("<p title=\"{a\">b</p>", "{", "UnclosedInterpolation"),
        ("<div><p>a</div>", "<p", "UnclosedElement"),
        ("<div><p>a</p>", "<div", "UnclosedElement"),
        ("<div><p>a</q></div>", "q", "MismatchedEndTag"),
        ("<div></p></div>", "p", "StrayEndTag"),
        ("<p>a</br></p>", "br", "VoidEndTag"),
        ("<p class=\"a>b</p>\n<i>c</i>", "\"", "UnclosedQuote"),
        ("<p class=\"a>b</p>\n<p class=\"b\">c</p>", "\"", "UnclosedQuote"),
        ("<p>{{ a }}</p>", "{{ a }}", "DoubledBraces"),
        ("<p>a < b</p>", "<", "StrayAngle"),
        ("<p a b a></p>", "a", "RepeatedAttribute"),
        ("<p/>", "<p/>", "SelfClosed"),
        ("<p", "<p", "UnclosedAngle"),
        ("<!-- a", "<!--", "Unclosed(MarkupComment)"),
        ("derives a = (1 + 2\n<p>x</p>", "(", "UnclosedBracket"),
        ("derives a = 'b\nholds c = 1\n<p>x</p>", "'b", "Unclosed(String)"),
        ("derives a = 1 +\nholds c = 1", "c", "Unexpected"),
        ("does a() {\n  b = = 1\n  c = 2\n}\n", "=", "Unexpected"),
        ("does a() {\n  var b = 1\n}\n", "var", "NotInLanguage"),
        ("does a() { b = 1\n<p>x</p>", "{", "UnclosedBracket"),
        ("keeps a = 1\nholds b = 2", "keeps", "UnknownDeclaration"),
        ("holds a = 1 # 2", "#", "StrayCharacter"),
        ("holds a = '\\u{110000}'", "\\u", "BadEscape"),
        ("holds a = 1px", "1px", "BadNumber"),
        ("holds a = undefined", "undefined", "NotInLanguage"),
        ("<p click=\"->(twice) a()\"></p>", "twice", "UnknownOption"),
        ("<p click=\"->(quiet x) a()\"></p>", "quiet", "BadOption"),
        ("<p title=\"<- \"></p>", "<-", "EmptyArrow"),
        ("<div><style>a</style></div>", "<style>", "MisplacedStyle"),
    ] {
        let parsed = parse(source);
        let shown: Vec<String> = parsed
            .errors
            .iter()
            .map(|e| format!("{:?} at {:?}", e.kind, &source[e.span.range()]))
            .collect();
        assert_eq!(shown.len(), 1, "{source:?}: {shown:?}");
        assert!(shown[0].starts_with(kind), "{source:?}: {}", shown[0]);
        let found = &source[parsed.errors[0].span.range()];
        assert!(found.starts_with(at), "{source:?}: {} begins with {at:?}?", shown[0]);
    }
}

#[test]
fn deep_nesting_is_an_error_and_no_overflow() {
    let deep = 100_000;
    for source in [
        "<b>".repeat(deep),
        format!("derives a = {}", "(".repeat(deep)),
        format!("derives a = {}1", "- ".repeat(deep)),
        format!("derives a = 1{}", " + 1".repeat(deep)),
        format!("derives a = b{}", ".c".repeat(deep)),
        format!("derives a = {}1", "x => ".repeat(deep)),
        format!("derives a = {}", "1 ? 2 : ".repeat(deep)),
        format!("derives a = {}", "`${".repeat(deep)),
        format!("takes a: b{}", "[]".repeat(deep)),
        format!("takes a: {}", "{ a: ".repeat(deep)),
        format!("does a() {{ {}", "if (b) ".repeat(deep)),
        format!("does a() {{ {}", "if (b) { } else ".repeat(deep)),
        format!("does a() {{ {}", "for (const b of c) {".repeat(deep)),
    ] {
        let errors = parse(&source).errors;
        let start: String = source.chars().take(30).collect();
        assert!(!errors.is_empty() && errors.len() <= 2, "{start}: {} errors", errors.len());
        let deep = errors.iter().any(|e| e.kind == SyntaxErrorKind::TooDeep);
        assert!(deep || start.contains("`${"), "{start}: {errors:?}");
    }
    let fits = format!("{}{}", "<b>".repeat(DEEPEST_MARKUP), "</b>".repeat(DEEPEST_MARKUP));
    assert_eq!(parse(&fits).errors, []);
}

const VALID: &str = r#"// A bed.
shape Bed { id: number, crop: string, note: string? }
takes bed: Bed
takes threshold: number = 30
gives water(litres: number)
holds litres = 2.5
derives dry = bed.moisture < threshold && `${bed.crop}`.length > 0

does pour(n: number) {
  if (n > 0) { give water(n); litres += n } else litres--;
  for (const x of [1, 2]) log.push({ x, y: [...z] });
}

<article class="bed {dry ? 'dry' : 'moist'}" hidden>
  <h3>{bed.crop} &amp; more</h3>
  <input type="number" value="<->(quiet 300) litres">
  <button click="->(prevent, key Enter) pour(2); litres = 0">Water {bed.crop}</button>
  <svg viewBox="0 0 1 1"><path d="M0 0"/></svg><!-- end -->
</article>
<style>.dry { color: red }</style>
"#;

#[test]
fn a_whole_component_parses() {
    let parsed = parse(VALID);
    assert_eq!(parsed.errors, []);
    assert_eq!(parsed.file.declarations.len(), 7);
    assert_eq!(&VALID[parsed.file.style.expect("a style").range()], ".dry { color: red }");
}

/// Everything that holds of the result for any text at all.
fn holds_for(text: &str) {
    let parsed = parse(text);
    for error in &parsed.errors {
        assert!(text.get(error.span.range()).is_some(), "{:?} outside {text:?}", error);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2000, ..ProptestConfig::default() })]

    #[test]
    fn any_text_parses(text in "\\PC*|(.|\n){0,200}") {
        holds_for(&text);
    }

    #[test]
    fn any_bytes_parse(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
        holds_for(&String::from_utf8_lossy(&bytes));
    }

    #[test]
    fn any_mixture_of_pieces_parses(
        pieces in proptest::collection::vec(
            prop::sample::select(vec![
                "<p>", "</p>", "<", ">", "{", "}", "{{", "}}", "\"", "'", "`", "${", "<-", "->",
                "<->", "=", "class=", "a", "&lt;", "&", ";", "(", ")", "[", "]", "?.", "\n", " ",
                "does", "holds", "\\", "//", "/*", "*/", "<!--", "-->", "<style>", "</style>",
                "<textarea>", "é", "😀", "1", "each=\"a of b\"", ",", "=>", "if", "else", "for",
            ]), 0..60)
    ) {
        holds_for(&pieces.concat());
    }

    #[test]
    fn a_damaged_component_parses(
        at in 0..VALID.len(), len in 0..40usize, with in "\\PC{0,5}"
    ) {
        let mut text = VALID.to_owned();
        let end = (at + len).min(text.len());
        if text.is_char_boundary(at) && text.is_char_boundary(end) {
            text.replace_range(at..end, &with);
        }
        holds_for(&text);
    }
}
