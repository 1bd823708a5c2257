//! Standard members: ECMAScript's own wherever it gives what the evaluator gives, else a function of the engine.

use crate::code::{Code, Level};
use crate::expression::{Writer, Written, names_local};
use crate::kind::Kind;
use vein_plan::code::{Expr, ExprId, Function};
use vein_plan::members::{Member, Receiver, Returns};
use vein_plan::ops::Binary;

/// A member that takes no function.
pub(crate) fn call(
    writer: &mut Writer<'_>,
    member: Member,
    receiver: Option<Written>,
    args: &[Written],
) -> Written {
    let info = member.info();
    let texts: Vec<String> = args.iter().map(|arg| arg.code.alone()).collect();
    let all = texts.join(", ");
    let Some(receiver) = receiver else {
        return without_receiver(writer, member, args, &all);
    };
    let kind = match info.returns {
        Returns::String => Kind::String,
        Returns::MaybeString => Kind::String.or_null(),
        Returns::Strings => Kind::list(Kind::String),
        Returns::Number => Kind::Number,
        Returns::MaybeNumber => Kind::Number.or_null(),
        Returns::Flattened => receiver.kind.item(),
        Returns::Boolean => Kind::Boolean,
        Returns::MaybeItem => receiver.kind.item().or_null(),
        Returns::FoundAll => Kind::list(Kind::String).or_null(),
        Returns::Found => Kind::list(Kind::String.or_null()).or_null(),
        Returns::Pieces => Kind::list(Kind::String.or_null()),
        Returns::Values => Kind::list(receiver.kind.item()),
        Returns::Entries => Kind::list(Kind::Entry(std::rc::Rc::new(receiver.kind.item()))),
        _ => receiver.kind.there(),
    };
    let own = |receiver: &Written, kind: Kind| match info.property {
        true => receiver.then(&format!(".{}", info.name), &format!("?.{}", info.name), kind),
        false => {
            let name = info.name;
            receiver.then(&format!(".{name}({all})"), &format!("?.{name}({all})"), kind)
        }
    };
    // Functions of the engine, which give `null` for the member of nothing.
    let helper = match member {
        Member::Keys => "keysOf",
        Member::Values => "valuesOf",
        Member::Entries => "entriesOf",
        Member::HasKey => "hasKey",
        Member::PatternTest => "testBy",
        Member::PatternSearch => "searchBy",
        Member::PatternFirst => "firstBy",
        Member::PatternAll => "allBy",
        Member::PatternReplace => "replaceBy",
        Member::PatternReplaceAll => "replaceAllBy",
        Member::PatternSplit => "splitBy",
        Member::Repeat => "repeated",
        Member::PadStart => "paddedBefore",
        Member::PadEnd => "paddedBehind",
        Member::LocaleCompare => "inOrder",
        Member::ReplaceAll => "replaced",
        Member::ToFixed if !args.first().is_none_or(|digits| is_within(digits, 0.0, 100.0)) => {
            "fixed"
        }
        Member::NumberToString if !args.first().is_none_or(|radix| is_within(radix, 2.0, 36.0)) => {
            "inRadix"
        }
        Member::ListIncludes if !receiver.kind.item().is_simple() => "includes",
        Member::ListIndexOf if !receiver.kind.item().is_simple() => "indexOf",
        Member::ListLastIndexOf if !receiver.kind.item().is_simple() => "lastIndexOf",
        Member::Join => "joined",
        Member::With => "withItem",
        Member::ToSorted => "sorted",
        Member::Concat | Member::Flat if !receiver.open && !receiver.may_be_null() => {
            let list = own(&receiver, kind.clone()).code.alone();
            return Written::tight(format!("{}({list})", writer.uses("sized")), kind);
        }
        Member::StringIndex => {
            let (text, nullable) = (format!("[{all}]"), format!("?.[{all}]"));
            return Written { open: true, ..receiver.then(&text, &nullable, kind) };
        }
        Member::StringAt | Member::ListAt | Member::CodePointAt => {
            return Written { open: true, ..own(&receiver, kind) };
        }
        _ => return own(&receiver, kind),
    };
    let may_be_null =
        receiver.open || matches!(receiver.kind, Kind::Maybe(_) | Kind::Any | Kind::Null);
    let kind = if may_be_null { kind.or_null() } else { kind };
    let list = [vec![receiver.close().code.alone()], texts].concat().join(", ");
    Written::tight(format!("{}({list})", writer.uses(helper)), kind)
}

/// Whether an argument is a literal between two numbers.
fn is_within(arg: &Written, least: f64, most: f64) -> bool {
    arg.code.text.parse().is_ok_and(|n: f64| (least..=most).contains(&n))
}

fn without_receiver(
    writer: &mut Writer<'_>,
    member: Member,
    args: &[Written],
    all: &str,
) -> Written {
    let info = member.info();
    match info.on {
        _ if member.is_of_the_moment() => {
            let what = if member == Member::Now { "dateOf" } else { "chanceOf" };
            let what = writer.uses(what).to_owned();
            Written::tight(writer.names.moment(&what).text, Kind::Number)
        }
        Receiver::Math if info.property => {
            Written::tight(format!("Math.{}", info.name), Kind::Number)
        }
        Receiver::Math => Written::tight(format!("Math.{}({all})", info.name), Kind::Number),
        Receiver::Numbers => Written::tight(format!("Number.{}({all})", info.name), Kind::Boolean),
        Receiver::Local => {
            let name = info.name;
            let args = if all.is_empty() { String::new() } else { format!(", {all}") };
            Written::tight(format!("{}(\"{name}\"{args})", writer.uses("localised")), Kind::String)
        }
        _ => match (member, args.first()) {
            (Member::Stringify, Some(value)) if value.kind.is_simple() => {
                Written::tight(format!("JSON.stringify({all})"), Kind::String)
            }
            (Member::Stringify, _) => {
                Written::tight(format!("{}({all})", writer.uses("json")), Kind::String)
            }
            (Member::ToNumber, Some(value)) => {
                let text = format!("+{}", value.code.within(Level::Unary));
                match text.starts_with("++") {
                    true => Written::tight(format!("Number({all})"), Kind::Number),
                    false => Written::closed(Code { text, level: Level::Unary }, Kind::Number),
                }
            }
            (Member::ToText, Some(value)) if value.kind == Kind::String => {
                Written::closed(value.code.clone(), Kind::String)
            }
            (Member::ToText, Some(value)) => {
                let short = value.kind.is_short();
                let text = format!("String({all})");
                if short { Written::tight(text, Kind::String) } else { writer.cut(&text) }
            }
            (Member::ToBoolean, Some(value)) => {
                let text = format!("!!{}", value.code.within(Level::Unary));
                Written::closed(Code { text, level: Level::Unary }, Kind::Boolean)
            }
            (Member::OwnId, _) => {
                let own = writer.uses("ownId");
                Written::tight(format!("{own}(this, {all})"), Kind::String)
            }
            (Member::OfLength, _) => {
                let kind = Kind::list(Kind::Null);
                Written::tight(format!("{}({all})", writer.uses("ofLength")), kind)
            }
            (Member::CssDeclarations, _) => {
                Written::tight(format!("{}({all})", writer.uses("cleanDeclarations")), Kind::Any)
            }
            (Member::CssPiece, _) => {
                Written::tight(format!("{}({all})", writer.uses("pieceOfCss")), Kind::String)
            }
            (Member::ParseFloat | Member::ParseInt, _) => {
                Written::tight(format!("{}({all})", info.name), Kind::Number)
            }
            // Without an argument, as the standard has it.
            (Member::ToNumber, None) => Written::tight("0", Kind::Number),
            (Member::ToBoolean, None) => Written::tight("false", Kind::Boolean),
            _ => Written::tight("\"\"", Kind::String),
        },
    }
}

/// A member that walks a list with a function.
pub(crate) fn walk(
    writer: &mut Writer<'_>,
    member: Member,
    (list, once): (Written, bool),
    function: &Function,
    extra: Option<Written>,
) -> Written {
    let item = list.kind.item();
    // Simple values are the same wherever they stand.
    let once = once && matches!(item, Kind::Record(_) | Kind::List(_) | Kind::Shape(_));
    let name = member.info().name;
    let helper = match member {
        Member::Filter => Some(("filterKept", 1)),
        Member::Map => Some(("mapKept", 1)),
        Member::ToSorted => Some(("sortKept", 2)),
        _ => None,
    };
    if let Some((helper, params)) = helper
        && let Some((kept, bit, given)) = writer.kept_up(function, params, once)
    {
        let kinds = vec![item.clone(); params];
        let (text, made) = writer.function(function, &kinds, member == Member::Filter);
        let kind = if member == Member::Map { Kind::list(made) } else { list.kind.there() };
        let null = matches!(list.kind, Kind::Maybe(_) | Kind::Any | Kind::Null) || list.open;
        let kind = if null { kind.or_null() } else { kind };
        let list = list.close().code.alone();
        let helper = writer.uses(helper);
        let text = format!("{helper}(this, \"{kept}\", {bit}, {list}, {text}, {given})");
        return Written::tight(text, kind);
    }
    if let Some(sum) = kept_sum(writer, member, (&list, once), function, extra.as_ref()) {
        return sum;
    }
    let given = match member {
        Member::Reduce => {
            let start = extra.unwrap_or_else(|| Written::tight("null", Kind::Null));
            let (start_text, mut kind) = (start.code.alone(), start.kind);
            // What it becomes may be more than what it starts as.
            let kinds = |kind: &Kind| [kind.clone(), item.clone(), Kind::Number];
            let (mut text, body) = writer.function(function, &kinds(&kind), false);
            if kind.clone().joined(body.clone()) != kind {
                kind = kind.joined(body);
                text = writer.function(function, &kinds(&kind), false).0;
                if writer.function(function, &kinds(&kind), false).1 != kind {
                    kind = Kind::Any;
                    text = writer.function(function, &kinds(&kind), false).0;
                }
            }
            if writer.member_nests(member, &kind) {
                let helper = writer.uses("reduced");
                let null = matches!(list.kind, Kind::Maybe(_) | Kind::Any) || list.open;
                let kind = if null { kind.or_null() } else { kind };
                let list = list.close().code.alone();
                return Written::tight(format!("{helper}({list}, {text}, {start_text})"), kind);
            }
            return own(&list, &format!("{name}({text}, {start_text})"), kind);
        }
        Member::ToSorted => {
            let (text, _) = writer.function(function, &[item.clone(), item], false);
            let null = matches!(list.kind, Kind::Maybe(_) | Kind::Any) || list.open;
            let kind = if null { list.kind.clone().or_null() } else { list.kind.clone() };
            let list = list.close().code.alone();
            return Written::tight(format!("{}({list}, {text})", writer.uses("sorted")), kind);
        }
        Member::GroupBy => {
            let (text, _) = writer.function(function, &[item, Kind::Number], false);
            let null = matches!(list.kind, Kind::Maybe(_) | Kind::Any) || list.open;
            let kind = Kind::Dictionary(std::rc::Rc::new(list.kind.there()));
            let kind = if null { kind.or_null() } else { kind };
            let list = list.close().code.alone();
            return Written::tight(format!("{}({list}, {text})", writer.uses("groupsOf")), kind);
        }
        Member::Map | Member::FlatMap => {
            let (text, kind) = writer.function(function, &[item, Kind::Number], false);
            let item = if member == Member::Map { kind } else { kind.item() };
            return own(&list, &format!("{name}({text})"), Kind::list(item));
        }
        _ => writer.function(function, &[item.clone(), Kind::Number], true).0,
    };
    let called = format!("{name}({given})");
    match member {
        Member::Filter => own(&list, &called, list.kind.there()),
        Member::Find | Member::FindLast => {
            Written { open: true, ..own(&list, &called, item.or_null()) }
        }
        Member::FindIndex | Member::FindLastIndex => own(&list, &called, Kind::Number),
        _ => own(&list, &called, Kind::Boolean),
    }
}

/// `list.reduce((sum, item) => sum + …, 0)`, `some` and `every` as sums that are kept up.
fn kept_sum(
    writer: &mut Writer<'_>,
    member: Member,
    (list, once): (&Written, bool),
    function: &Function,
    start: Option<&Written>,
) -> Option<Written> {
    if list.open || !matches!(list.kind, Kind::List(_)) {
        return None;
    }
    let item = list.kind.item();
    // What is said twice has to be short.
    let plain = |c: char| c.is_alphanumeric() || matches!(c, '_' | '$' | '.');
    let is_name = list.code.text.chars().all(plain);
    let (part, start) = match (member, &*function.params) {
        (Member::Every, [_]) if !is_name => return None,
        (Member::Some | Member::Every, [_]) => (function.clone(), "0".to_owned()),
        (Member::Reduce, [sum, item_local]) => {
            let Expr::Binary(Binary::Add, left, right) = writer.plan.exprs[function.body as usize]
            else {
                return None;
            };
            let is_sum = |id: ExprId| writer.plan.exprs[id as usize] == Expr::Local(*sum);
            if !is_sum(left) || names_local(writer.plan, right, *sum) {
                return None;
            }
            let start = start.filter(|start| start.kind == Kind::Number)?.clone();
            let part = Function { params: vec![*item_local], body: right };
            writer.bind(*item_local, &format!("v{item_local}"), item.clone());
            if writer.kind(right) != Kind::Number {
                return None;
            }
            (part, start.close().code.alone())
        }
        _ => return None,
    };
    let (kept, bit, given) = writer.kept_up(&part, 1, once)?;
    let is_test = member != Member::Reduce;
    let (mut text, _) = writer.function(&part, &[item], is_test);
    if is_test {
        let (params, body) = text.split_once(" => ")?;
        text = format!("{params} => ({body}) ? 1 : 0");
    }
    let (list, helper) = (list.code.alone(), writer.uses("sumKept"));
    let sum = format!("{helper}(this, \"{kept}\", {bit}, {list}, {text}, {start}, {given})");
    Some(match member {
        Member::Some => Written::closed(
            Code { text: format!("{sum} > 0"), level: Level::Relational },
            Kind::Boolean,
        ),
        Member::Every => {
            let text = format!("{sum} === {list}.length");
            Written::closed(Code { text, level: Level::Equality }, Kind::Boolean)
        }
        _ => Written::tight(sum, Kind::Number),
    })
}

fn own(list: &Written, called: &str, kind: Kind) -> Written {
    list.then(&format!(".{called}"), &format!("?.{called}"), kind)
}
