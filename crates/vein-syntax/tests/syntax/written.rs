//! Expressions written in many ways: with the fewest parentheses, with too many, over several
//! lines. The tree is the same, and each node of it knows where it stands.

use crate::{derived, grouped};
use proptest::prelude::*;
use vein_syntax::ast::*;
use vein_syntax::parse;

/// An expression before it is written down.
#[derive(Clone, Debug)]
enum Written {
    Leaf(&'static str),
    Unary(&'static str, Box<Written>),
    Binary(&'static str, Box<Written>, Box<Written>),
    Choose(Box<Written>, Box<Written>, Box<Written>),
    Field(Box<Written>, &'static str),
    Index(Box<Written>, Box<Written>),
    Call(Box<Written>, Vec<Written>),
    List(Vec<Written>),
    Arrow(&'static str, Box<Written>),
}

/// How tightly an operator binds (ECMA-262, "Operator Precedence" as its grammar has it).
fn strength(operator: &str) -> u8 {
    match operator {
        "??" => 3,
        "||" => 4,
        "&&" => 5,
        "===" | "!==" => 9,
        "<" | "<=" | ">" | ">=" | "in" => 10,
        "+" | "-" => 12,
        "*" | "/" | "%" => 13,
        "**" => 14,
        other => panic!("{other}"),
    }
}

const UNARY: u8 = 15;
const MEMBER: u8 = 18;

impl Written {
    fn strength(&self) -> u8 {
        match self {
            Written::Arrow(..) => 1,
            Written::Choose(..) => 2,
            Written::Binary(operator, ..) => strength(operator),
            Written::Unary(..) => UNARY,
            _ => MEMBER + 1,
        }
    }

    /// The text, in parentheses where it binds less tightly than what is around it asks for;
    /// `more` puts some around it that nobody needs.
    fn within(&self, least: u8, more: &mut dyn FnMut() -> bool) -> String {
        let text = self.text(more);
        if self.strength() < least || more() { format!("({text})") } else { text }
    }

    fn text(&self, more: &mut dyn FnMut() -> bool) -> String {
        let mut inner = |written: &Written, least: u8| written.within(least, more);
        match self {
            Written::Leaf(text) => (*text).into(),
            // `- -a` is not `--a`.
            Written::Unary(operator, of) => format!("{operator} {}", inner(of, UNARY)),
            Written::Binary(operator, left, right) => {
                let own = strength(operator);
                let (mut at_left, mut at_right) = match *operator {
                    // To the right; and what stands before it cannot begin with a sign.
                    "**" => (UNARY + 1, own),
                    _ => (own, own + 1),
                };
                // `??` does not stand beside `&&` and `||` without parentheses.
                let both = ["&&", "||"];
                let mixes = |side: &Written| match side {
                    Written::Binary(inner, ..) if *operator == "??" => both.contains(inner),
                    Written::Binary(inner, ..) => both.contains(operator) && *inner == "??",
                    _ => false,
                };
                at_left = if mixes(left) { MEMBER } else { at_left };
                at_right = if mixes(right) { MEMBER } else { at_right };
                format!("{} {operator} {}", inner(left, at_left), inner(right, at_right))
            }
            Written::Choose(test, a, b) => {
                format!("{} ? {} : {}", inner(test, 3), inner(a, 1), inner(b, 1))
            }
            Written::Field(of, name) => match **of {
                // `7.length` is a number that goes wrong.
                Written::Leaf("7") => format!("(7).{name}"),
                _ => format!("{}.{name}", inner(of, MEMBER)),
            },
            Written::Index(of, index) => format!("{}[{}]", inner(of, MEMBER), inner(index, 0)),
            Written::Call(of, args) => {
                let args: Vec<String> = args.iter().map(|arg| inner(arg, 1)).collect();
                format!("{}({})", inner(of, MEMBER), args.join(", "))
            }
            Written::List(items) => {
                let items: Vec<String> = items.iter().map(|item| inner(item, 1)).collect();
                format!("[{}]", items.join(", "))
            }
            Written::Arrow(name, body) => format!("{name} => {}", inner(body, 1)),
        }
    }

    /// What the parser's tree shows with all its grouping spelled out.
    fn grouped(&self) -> String {
        let all = |items: &[Written]| -> String {
            items.iter().map(Written::grouped).collect::<Vec<_>>().join(" ")
        };
        match self {
            Written::Leaf(text) => (*text).into(),
            Written::Unary(operator, of) => {
                let name = match *operator {
                    "!" => "Not",
                    "-" => "Negate",
                    _ => "Plus",
                };
                format!("({name} {})", of.grouped())
            }
            Written::Binary(operator, a, b) => {
                let name = match *operator {
                    "??" => "Coalesce",
                    "||" => "Or",
                    "&&" => "And",
                    "===" => "Equal",
                    "!==" => "NotEqual",
                    "<" => "Less",
                    "<=" => "LessOrEqual",
                    ">" => "Greater",
                    ">=" => "GreaterOrEqual",
                    "in" => "In",
                    "+" => "Add",
                    "-" => "Subtract",
                    "*" => "Multiply",
                    "/" => "Divide",
                    "%" => "Remainder",
                    _ => "Power",
                };
                format!("({} {name} {})", a.grouped(), b.grouped())
            }
            Written::Choose(test, a, b) => {
                format!("({} ? {} : {})", test.grouped(), a.grouped(), b.grouped())
            }
            Written::Field(of, name) => format!("{}.{name}", of.grouped()),
            Written::Index(of, index) => format!("{}[{}]", of.grouped(), index.grouped()),
            Written::Call(of, args) => format!("{}({})", of.grouped(), all(args)),
            Written::List(items) => format!("[{}]", all(items)),
            Written::Arrow(name, body) => format!("(({name}) => {})", body.grouped()),
        }
    }
}

fn written() -> impl Strategy<Value = Written> {
    let leaf = prop::sample::select(vec!["a", "bed", "7", "0.5", "'x'", "null", "true"]);
    leaf.prop_map(Written::Leaf).prop_recursive(6, 60, 3, |inner| {
        let boxed = || inner.clone().prop_map(Box::new);
        let unary = prop::sample::select(vec!["!", "-", "+"]);
        let binary = prop::sample::select(vec![
            "??", "||", "&&", "===", "!==", "<", "<=", ">", ">=", "in", "+", "-", "*", "/", "%",
            "**",
        ]);
        let name = prop::sample::select(vec!["crop", "length"]);
        prop_oneof![
            2 => (unary, boxed()).prop_map(|(operator, of)| Written::Unary(operator, of)),
            6 => (binary, boxed(), boxed()).prop_map(|(o, a, b)| Written::Binary(o, a, b)),
            2 => (boxed(), boxed(), boxed()).prop_map(|(t, a, b)| Written::Choose(t, a, b)),
            1 => (boxed(), name).prop_map(|(of, name)| Written::Field(of, name)),
            1 => (boxed(), boxed()).prop_map(|(of, index)| Written::Index(of, index)),
            1 => (boxed(), prop::collection::vec(inner.clone(), 0..3))
                .prop_map(|(of, args)| Written::Call(of, args)),
            1 => prop::collection::vec(inner.clone(), 0..3).prop_map(Written::List),
            1 => boxed().prop_map(|body| Written::Arrow("b", body)),
        ]
    })
}

/// An expression with those inside it.
fn each_inside<'a>(e: &'a Expr, see: &mut dyn FnMut(&'a Expr)) {
    see(e);
    let mut all: Vec<&Expr> = Vec::new();
    match &e.kind {
        ExprKind::Field { of, .. } | ExprKind::Chain(of) | ExprKind::Is(of, _) => all.push(of),
        ExprKind::Unary(_, of) | ExprKind::Arrow(_, of) | ExprKind::Await(of) => all.push(of),
        ExprKind::Unpack(_, _, of) => all.push(of),
        ExprKind::Index { of, index, .. } => all.extend([&**of, &**index]),
        ExprKind::Call { callee, args } => all.extend(args.iter().chain([&**callee])),
        ExprKind::Binary { left, right, .. } | ExprKind::In(left, right) => {
            all.extend([&**left, &**right]);
        }
        ExprKind::Logical(_, a, b) => all.extend([&**a, &**b]),
        ExprKind::Choose(a, b, c) => all.extend([&**a, &**b, &**c]),
        ExprKind::List(items) => all.extend(items.iter().map(|(item, _)| item)),
        ExprKind::Record(fields) => all.extend(fields.iter().map(|field| match field {
            RecordItem::Field(_, e) | RecordItem::Spread(e) | RecordItem::Key(_, e) => e,
        })),
        ExprKind::Template(pieces) => all.extend(pieces.iter().filter_map(|piece| match piece {
            TemplatePiece::Expr(e) => Some(e),
            TemplatePiece::Text(_) => None,
        })),
        _ => {}
    }
    all.into_iter().for_each(|inner| each_inside(inner, see));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, ..ProptestConfig::default() })]

    #[test]
    fn the_fewest_parentheses_are_enough_and_more_do_no_harm(
        written in written(),
        more in prop::collection::vec(prop::bool::weighted(0.2), 0..80),
    ) {
        let expected = written.grouped();
        prop_assert_eq!(derived(&written.text(&mut || false)), expected.clone());
        let mut more = more.into_iter();
        let text = written.text(&mut || more.next().unwrap_or(false));
        prop_assert_eq!(derived(&text), expected);
    }

    #[test]
    fn every_expression_knows_where_it_stands(written in written()) {
        let text = format!("derives x = {}\n", written.text(&mut || false));
        let parsed = parse(&text);
        let DeclarationKind::Derives(_, _, e) = &parsed.file.declarations[0].kind else {
            panic!("{text}")
        };
        let mut wrong = Vec::new();
        each_inside(e, &mut |e| {
            let own = &text[e.span.range()];
            let again = parse(&format!("derives x = {own}\n"));
            let same = match &again.file.declarations[0].kind {
                DeclarationKind::Derives(_, _, again_e) => grouped(again_e) == grouped(e),
                _ => false,
            };
            if !same {
                wrong.push(own.to_owned());
            }
        });
        prop_assert!(wrong.is_empty(), "{wrong:?} in {text}");
    }
}

#[test]
fn lines_and_comments_between_do_not_matter() {
    let expected = derived("a + b * c(1, [2, 3]) ? !d.e : f[g]");
    for text in [
        "a +\n b *\n c(1,\n [2, 3]) ? !d.e : f[g]",
        "a + b * c(1, [2, 3])\n  ? !d.e\n  : f[g]",
        "a /* sum */ + b * c(1, [2, /* two */ 3]) ? !d\n.e : f[g]",
        "a + // first\n b * c(1, [2, 3]) ? ! d . e : f [ g ]",
        "((a) + ((b) * (c)(1, [2, 3]))) ? (!(d.e)) : (f)[(g)]",
    ] {
        assert_eq!(derived(text), expected, "{text}");
    }
}
