//! What the standard members give. Those that take a function are walked by the evaluator, which knows the locale, too.

use crate::eval::ITEMS_A_STEP;
use crate::json;
use crate::members::Member;
use crate::number::{self, relative_index};
use crate::ops::power;
use crate::pattern;
use crate::text::{Needle, Text, is_space, last_in};
use crate::value::{Record, VALUE_BYTES, Value};
use std::f64::consts;
use std::sync::Arc;

/// The longest string that what makes strings longer gives, in UTF-16 units. ECMAScript throws a
/// `RangeError` for what an engine cannot hold; here it is cut, so that expressions
/// cannot fail.
pub const LONGEST_TEXT: usize = 1 << 24;

/// How many characters that are gone over count for a step.
const CHARACTERS_A_STEP: u64 = 64;

/// How many steps a comparison as people order texts costs by itself, and how many bytes of the texts count for a step more.
const COLLATION: u64 = 5;
const COLLATED_A_STEP: u64 = 8;

/// How many steps it costs to begin with a regular expression.
const PATTERN: u64 = 5;

/// Calls a member that takes no function. Missing arguments are absent from `args`.
pub fn call(member: Member, receiver: &Value, args: &[Value]) -> Value {
    use Member::*;
    match member {
        StringLength | StringAt | StringIndex | Trim | TrimStart | TrimEnd | ToUpperCase
        | ToLowerCase | StringIncludes | StartsWith | EndsWith | StringIndexOf
        | StringLastIndexOf | CodePointAt | StringSlice | Split | Repeat | PadStart | PadEnd
        | ReplaceAll => match receiver {
            Value::String(s) => on_string(member, s, args),
            _ => Value::Null,
        },
        ToFixed => number::to_fixed(receiver.to_number(), number_or(args, 0, 0.0)).into(),
        NumberToString => number::to_radix(receiver.to_number(), number_or(args, 0, 10.0)).into(),
        ListLength | ListAt | ListIncludes | ListIndexOf | ListLastIndexOf | ListSlice | Concat
        | Join | Flat | ToReversed | ToSpliced | With => match receiver {
            Value::List(items) => on_list(member, items, args),
            _ => Value::Null,
        },
        PatternTest | PatternSearch | PatternFirst | PatternAll | PatternReplace
        | PatternReplaceAll | PatternSplit => match receiver {
            Value::String(text) => on_pattern(member, text, args),
            _ => Value::Null,
        },
        Keys | Values | Entries | HasKey => match receiver {
            Value::Record(record) => on_dictionary(member, record, args),
            _ => Value::Null,
        },
        Stringify => json::stringify(&args.first().cloned().unwrap_or_default()).into(),
        ToNumber => args.first().map_or(0.0, Value::to_number).into(),
        ToText => args.first().map_or_else(|| Text::from(""), Value::to_text).into(),
        ToBoolean => args.first().is_some_and(Value::truthy).into(),
        CssDeclarations => match args.first() {
            Option::Some(Value::String(text)) => {
                crate::shown::clean_declarations(&text.to_utf8()).into()
            }
            other => other.cloned().unwrap_or_default(),
        },
        CssPiece => {
            let text = args.first().map_or_else(Default::default, Value::to_shown);
            crate::shown::piece_of_css(&text).into()
        }
        ParseFloat => number::parse_float(&text_or(args, 0, "")).into(),
        ParseInt => number::parse_int(&text_or(args, 0, ""), number_or(args, 1, 0.0)).into(),
        IsFinite => number_or(args, 0, 0.0).is_finite().into(),
        IsInteger => {
            let n = number_or(args, 0, 0.0);
            (n.is_finite() && n.fract() == 0.0).into()
        }
        IsNan => number_or(args, 0, 0.0).is_nan().into(),
        OfLength => Value::list(vec![Value::Null; length(args) as usize]),
        Filter | Map | Find | FindIndex | FindLast | FindLastIndex | Some | Every | Reduce
        | FlatMap | ToSorted | LocaleCompare | GroupBy => Value::Null,
        math => Value::Number(on_math(math, args)),
    }
}

/// Whether a member costs the same whatever it is called with.
pub(crate) fn is_cheap(member: Member) -> bool {
    use Member::*;
    !member.takes_pattern()
        && !matches!(
            member,
            StringLength
                | StringAt
                | StringIndex
                | Trim
                | TrimStart
                | TrimEnd
                | ToUpperCase
                | ToLowerCase
                | StringIncludes
                | StartsWith
                | EndsWith
                | StringIndexOf
                | StringLastIndexOf
                | CodePointAt
                | StringSlice
                | Split
                | LocaleCompare
                | ReplaceAll
                | ListIncludes
                | ListIndexOf
                | ListLastIndexOf
                | ListSlice
                | Concat
                | Join
                | Flat
                | ToReversed
                | ToSpliced
                | With
                | OfLength
                | Keys
                | Values
                | Entries
                | Stringify
                | ToNumber
                | ToText
                | ParseFloat
                | ParseInt
        )
}

/// How many steps a member that takes no function goes over, and how many bytes it makes of lists and records; those of a
/// text that it gives are known afterwards. Counts no further than somewhat beyond `most` bytes.
pub(crate) fn cost(member: Member, receiver: &Value, args: &[Value], most: u64) -> (u64, u64) {
    use Member::*;
    let whole = |value: &Value| if value.is_simple() { 0 } else { value.bytes(most) };
    let items = |value: &Value| match value {
        Value::List(items) => items.len() as u64,
        _ => 1,
    };
    match member {
        Join => (items(receiver) / ITEMS_A_STEP, whole(receiver)),
        Stringify | ToNumber | ToText | ParseFloat | ParseInt => {
            let bytes = args.first().map_or(0, whole);
            (bytes / (ITEMS_A_STEP * VALUE_BYTES), bytes)
        }
        OfLength => (length(args) / ITEMS_A_STEP, length(args).saturating_mul(VALUE_BYTES)),
        Concat => {
            let count = items(receiver) + args.iter().map(items).sum::<u64>();
            (count / ITEMS_A_STEP, count * VALUE_BYTES)
        }
        Flat => {
            let inside = match receiver {
                Value::List(lists) => lists.iter().map(items).sum::<u64>(),
                _ => 0,
            };
            ((items(receiver) + inside) / ITEMS_A_STEP, inside * VALUE_BYTES)
        }
        ListSlice | ToReversed | ToSpliced | With => {
            (items(receiver) / ITEMS_A_STEP, items(receiver) * VALUE_BYTES)
        }
        _ if member.takes_pattern() => {
            let bytes = |value: Option<&Value>| match value {
                Option::Some(Value::String(text)) => text.bytes(),
                _ => 0,
            };
            let (text, source) = (bytes(Option::Some(receiver)), bytes(args.first()));
            (PATTERN + text * (source / 8 + 1) / CHARACTERS_A_STEP, 0)
        }
        Keys | Values | Entries => match receiver {
            Value::Record(record) => {
                let count = record.len() as u64;
                let each = if member == Entries { 3 } else { 1 };
                let bytes = match member {
                    Values => 0,
                    _ => record.iter().map(|(key, _)| key.len() as u64).sum(),
                };
                (count / ITEMS_A_STEP, count * each * VALUE_BYTES + bytes)
            }
            _ => (0, 0),
        },
        ListIncludes | ListIndexOf | ListLastIndexOf => (items(receiver) / ITEMS_A_STEP, 0),
        LocaleCompare => {
            let texts = [Option::Some(receiver), args.first()];
            let bytes = texts.into_iter().flatten().map(|text| match text {
                Value::String(text) => text.bytes(),
                _ => 0,
            });
            (COLLATION + bytes.sum::<u64>() / COLLATED_A_STEP, 0)
        }
        _ => match receiver {
            Value::String(text) => (text.bytes() / CHARACTERS_A_STEP, 0),
            _ => (0, 0),
        },
    }
}

/// How long a list is to be; no list of ECMAScript is longer than 2^32 - 1.
fn length(args: &[Value]) -> u64 {
    number_or(args, 0, 0.0).trunc().clamp(0.0, 4_294_967_295.0) as u64
}

fn number_or(args: &[Value], at: usize, default: f64) -> f64 {
    args.get(at).map_or(default, Value::to_number)
}

fn text_or(args: &[Value], at: usize, default: &str) -> Text {
    args.get(at).map_or_else(|| default.into(), Value::to_text)
}

fn on_string(member: Member, s: &Text, args: &[Value]) -> Value {
    use Member::*;
    let from = |at: usize| match args.get(at) {
        Option::Some(from) => number::clamp_index(from.to_number(), s.len()),
        None => 0,
    };
    match member {
        StringLength => (s.len() as f64).into(),
        StringAt => match position(number_or(args, 0, 0.0), s.len()) {
            Option::Some(at) => s.slice(at, at + 1).into(),
            None => Value::Null,
        },
        StringIndex => {
            let at = number_or(args, 0, 0.0);
            match at.fract() == 0.0 && at >= 0.0 && at < s.len() as f64 {
                true => s.slice(at as usize, at as usize + 1).into(),
                false => Value::Null,
            }
        }
        Trim => trim(s, true, true).into(),
        TrimStart => trim(s, true, false).into(),
        TrimEnd => trim(s, false, true).into(),
        ToUpperCase => map_well_formed(s, str::to_uppercase).into(),
        ToLowerCase => map_well_formed(s, str::to_lowercase).into(),
        StringIncludes => s.find(&text_or(args, 0, ""), from(1)).is_some().into(),
        StringIndexOf => index_or_minus_one(s.find(&text_or(args, 0, ""), from(1))),
        StringLastIndexOf => {
            let needle = text_or(args, 0, "");
            // What is no number asks for the last.
            let last = match number_or(args, 1, f64::NAN) {
                last if last.is_nan() => f64::INFINITY,
                last => last,
            };
            let last = number::clamp_index(last, s.len());
            index_or_minus_one(last_in(&s.units(), needle.units(), last))
        }
        CodePointAt => match whole(number_or(args, 0, 0.0), s.len()) {
            Option::Some(at) => {
                let pair = s.slice(at, at + 2).units();
                let c = char::decode_utf16(pair.iter().copied()).next();
                let code = c
                    .map(|c| c.map_or_else(|lone| u32::from(lone.unpaired_surrogate()), u32::from));
                code.map_or(Value::Null, |code| f64::from(code).into())
            }
            None => Value::Null,
        },
        StartsWith => {
            let needle = text_or(args, 0, "");
            let start = from(1);
            (s.slice(start, start + needle.len()) == needle).into()
        }
        EndsWith => {
            let needle = text_or(args, 0, "");
            let end = number::clamp_index(number_or(args, 1, f64::INFINITY), s.len());
            (needle.len() <= end && s.slice(end - needle.len(), end) == needle).into()
        }
        StringSlice => {
            let len = s.len();
            let start = relative_index(number_or(args, 0, 0.0), len);
            s.slice(start, relative_index(number_or(args, 1, f64::INFINITY), len)).into()
        }
        Split => {
            let limit = args.get(1).map_or(u32::MAX, |limit| number::to_uint32(limit.to_number()));
            split(s, &text_or(args, 0, ""), limit as usize)
        }
        Repeat => {
            let most = LONGEST_TEXT / s.len().max(1);
            let units = s.units().repeat(number::clamp_index(number_or(args, 0, 0.0), most));
            Text::from_units(units).into()
        }
        PadStart => pad(s, args, true).into(),
        PadEnd => pad(s, args, false).into(),
        _ => replace_all(s, &text_or(args, 0, ""), &text_or(args, 1, "")).into(),
    }
}

/// The position that `at` and `with` mean, when it is inside.
fn position(n: f64, len: usize) -> Option<usize> {
    let n = if n.is_nan() { 0.0 } else { n.trunc() };
    let at = if n < 0.0 { n + len as f64 } else { n };
    (at >= 0.0 && at < len as f64).then_some(at as usize)
}

/// The position that a number means, when it is inside; none before the first.
fn whole(n: f64, len: usize) -> Option<usize> {
    let n = if n.is_nan() { 0.0 } else { n.trunc() };
    (n >= 0.0 && n < len as f64).then_some(n as usize)
}

fn index_or_minus_one(found: Option<usize>) -> Value {
    Value::Number(found.map_or(-1.0, |at| at as f64))
}

fn trim(s: &Text, at_start: bool, at_end: bool) -> Text {
    if let Some(s) = s.as_str() {
        let s = if at_start { s.trim_start_matches(is_space) } else { s };
        return if at_end { s.trim_end_matches(is_space) } else { s }.into();
    }
    let units = s.units();
    let blank = |u: &u16| char::from_u32(u32::from(*u)).is_some_and(is_space);
    let start = units.iter().position(|u| !blank(u)).filter(|_| at_start).unwrap_or(0);
    let end = units.iter().rposition(|u| !blank(u)).filter(|_| at_end);
    let end = end.map_or(units.len(), |at| at + 1);
    Text::from_units(units[start..end].to_vec())
}

/// Case mapping leaves lone surrogates as they are.
fn map_well_formed(s: &Text, map: fn(&str) -> String) -> Text {
    if let Some(s) = s.as_str() {
        return map(s).into();
    }
    let (mut units, mut run) = (Vec::new(), String::new());
    for c in char::decode_utf16(s.units()) {
        match c {
            Ok(c) => run.push(c),
            Err(lone) => {
                units.extend(map(&run).encode_utf16());
                run.clear();
                units.push(lone.unpaired_surrogate());
            }
        }
    }
    units.extend(map(&run).encode_utf16());
    Text::from_units(units)
}

fn split(s: &Text, separator: &Text, limit: usize) -> Value {
    let units = s.units();
    let mut pieces = Vec::new();
    if separator.is_empty() {
        pieces.extend(units.iter().take(limit).map(|u| Value::from(Text::from_units(vec![*u]))));
        return Value::list(pieces);
    }
    let separator = Needle::new(separator.units());
    let mut start = 0;
    while pieces.len() < limit {
        let found = separator.first_in(&units, start);
        let end = found.unwrap_or(units.len());
        pieces.push(Value::from(Text::from_units(units[start..end].to_vec())));
        match found {
            Some(at) => start = at + separator.len(),
            None => break,
        }
    }
    Value::list(pieces)
}

fn pad(s: &Text, args: &[Value], at_start: bool) -> Text {
    let target = number::clamp_index(number_or(args, 0, 0.0), LONGEST_TEXT);
    let filler = text_or(args, 1, " ").units();
    let missing = target.saturating_sub(s.len());
    if missing == 0 || filler.is_empty() {
        return s.clone();
    }
    let padding = Text::from_units(filler.iter().copied().cycle().take(missing).collect());
    if at_start { Text::concat([&padding, s]) } else { Text::concat([s, &padding]) }
}

/// `replaceAll` with a string pattern; `$$`, `$&`, `` $` `` and `$'` stand for what the
/// standard says (`GetSubstitution`).
fn replace_all(s: &Text, pattern: &Text, replacement: &Text) -> Text {
    let (units, replacement) = (s.units(), replacement.units());
    let pattern = Needle::new(pattern.units());
    let mut out = Vec::new();
    let (mut end_of_last, mut search) = (0, 0);
    while let Some(at) = pattern.first_in(&units, search) {
        out.extend_from_slice(&units[end_of_last..at]);
        substitute(&mut out, &units, at, pattern.len(), &replacement);
        end_of_last = at + pattern.len();
        search = end_of_last + usize::from(pattern.len() == 0);
        if search > units.len() || out.len() > LONGEST_TEXT {
            break;
        }
    }
    out.extend_from_slice(&units[end_of_last..]);
    out.truncate(LONGEST_TEXT);
    Text::from_units(out)
}

fn substitute(out: &mut Vec<u16>, units: &[u16], at: usize, len: usize, replacement: &[u16]) {
    let mut i = 0;
    // What comes then is cut.
    while i < replacement.len() && out.len() <= LONGEST_TEXT {
        let next = replacement.get(i + 1).and_then(|u| char::from_u32(u32::from(*u)));
        let taken = match (replacement[i] == u16::from(b'$'), next) {
            (true, Some('$')) => &replacement[i..=i],
            (true, Some('&')) => &units[at..at + len],
            (true, Some('`')) => &units[..at],
            (true, Some('\'')) => &units[at + len..],
            _ => {
                out.push(replacement[i]);
                i += 1;
                continue;
            }
        };
        out.extend_from_slice(taken);
        i += 2;
    }
}

fn on_list(member: Member, items: &Arc<Vec<Value>>, args: &[Value]) -> Value {
    use Member::*;
    let len = items.len();
    let null = Value::Null;
    let sought = args.first().unwrap_or(&null);
    let start = relative_index(number_or(args, 1, 0.0), len);
    match member {
        ListLength => (len as f64).into(),
        ListAt => {
            position(number_or(args, 0, 0.0), len).map_or(Value::Null, |at| items[at].clone())
        }
        ListIncludes => items[start..].iter().any(|item| item.same_or_zero(sought)).into(),
        ListIndexOf => index_or_minus_one(
            items[start..]
                .iter()
                .position(|item| item.strictly_equals(sought))
                .map(|at| at + start),
        ),
        ListLastIndexOf => {
            let from = number_or(args, 1, f64::INFINITY);
            let from = if from.is_nan() { 0.0 } else { from.trunc() };
            let last = if from < 0.0 { from + len as f64 } else { from };
            let end = if last < 0.0 { 0 } else { number::clamp_index(last + 1.0, len) };
            index_or_minus_one(items[..end].iter().rposition(|item| item.strictly_equals(sought)))
        }
        ListSlice => {
            let start = relative_index(number_or(args, 0, 0.0), len);
            let end = relative_index(number_or(args, 1, f64::INFINITY), len);
            Value::list(items[start.min(end)..end].to_vec())
        }
        Concat => {
            let more = args.iter().flat_map(|arg| match arg {
                Value::List(more) => more.to_vec(),
                other => vec![other.clone()],
            });
            Value::list(items.iter().cloned().chain(more).collect())
        }
        Join => {
            let separator = text_or(args, 0, ",");
            let shown: Vec<Text> = items.iter().map(Value::to_text_or_empty).collect();
            let pieces = shown.iter().enumerate().flat_map(|(i, piece)| {
                (i > 0).then_some(&separator).into_iter().chain(Option::Some(piece))
            });
            Text::concat(pieces).into()
        }
        Flat => {
            let inside = items.iter().flat_map(|item| match item {
                Value::List(inside) => inside.to_vec(),
                other => vec![other.clone()],
            });
            Value::list(inside.collect())
        }
        ToReversed => Value::list(items.iter().rev().cloned().collect()),
        ToSpliced => {
            let start = relative_index(number_or(args, 0, 0.0), len);
            let gone = match args.len() {
                0 => 0,
                1 => len - start,
                _ => number::clamp_index(number_or(args, 1, 0.0), len - start),
            };
            let mut changed = items.to_vec();
            changed.splice(start..start + gone, args.iter().skip(2).cloned());
            Value::list(changed)
        }
        // `with` outside the list throws a RangeError in ECMAScript; here the list stays.
        _ => {
            let mut changed = items.to_vec();
            if let Option::Some(at) = position(number_or(args, 0, 0.0), len) {
                changed[at] = args.get(1).cloned().unwrap_or_default();
            }
            Value::list(changed)
        }
    }
}

fn on_pattern(member: Member, text: &Text, args: &[Value]) -> Value {
    let known = pattern::known(&text_or(args, 0, ""), &text_or(args, 1, ""));
    let Option::Some(pattern) = known else { return Value::Null };
    match member {
        Member::PatternTest => pattern.test(text).into(),
        Member::PatternSearch => pattern.search(text).into(),
        Member::PatternFirst => pattern.first(text),
        Member::PatternAll => pattern.all(text),
        Member::PatternSplit => {
            let limit = args.get(2).map_or(u32::MAX, |limit| number::to_uint32(limit.to_number()));
            pattern.split(text, limit as usize)
        }
        _ => {
            let all = member == Member::PatternReplaceAll;
            pattern.replace(text, &text_or(args, 2, ""), all).into()
        }
    }
}

fn on_dictionary(member: Member, record: &Record, args: &[Value]) -> Value {
    let key = |name: &crate::Name| Value::from(&**name);
    match member {
        Member::Keys => Value::list(record.iter().map(|(name, _)| key(name)).collect()),
        Member::Values => Value::list(record.iter().map(|(_, value)| value.clone()).collect()),
        Member::Entries => {
            let entry = |(name, value): (_, &Value)| Value::list(vec![key(name), value.clone()]);
            Value::list(record.iter().map(entry).collect())
        }
        _ => args.first().is_some_and(|key| record.get(&key.to_key()).is_some()).into(),
    }
}

fn on_math(member: Member, args: &[Value]) -> f64 {
    use Member::*;
    let x = number_or(args, 0, f64::NAN);
    match member {
        Abs => x.abs(),
        Acos => x.acos(),
        Asin => x.asin(),
        Atan => x.atan(),
        Atan2 => x.atan2(number_or(args, 1, f64::NAN)),
        Cbrt => x.cbrt(),
        Ceil => x.ceil(),
        Cos => x.cos(),
        Cosh => x.cosh(),
        Exp => x.exp(),
        Expm1 => x.exp_m1(),
        Floor => x.floor(),
        Fround => f64::from(x as f32),
        Hypot => hypot(args),
        Log => x.ln(),
        Log10 => x.log10(),
        Log1p => x.ln_1p(),
        Log2 => x.log2(),
        Max => extreme(args, f64::NEG_INFINITY, |a, b| b > a || (a == b && a.is_sign_negative())),
        Min => extreme(args, f64::INFINITY, |a, b| b < a || (a == b && b.is_sign_negative())),
        Pow => power(x, number_or(args, 1, f64::NAN)),
        Round => round(x),
        Sign => {
            if x == 0.0 || x.is_nan() {
                x
            } else {
                x.signum()
            }
        }
        Sin => x.sin(),
        Sinh => x.sinh(),
        Sqrt => x.sqrt(),
        Tan => x.tan(),
        Tanh => x.tanh(),
        Trunc => x.trunc(),
        E => consts::E,
        Ln10 => consts::LN_10,
        Ln2 => consts::LN_2,
        Log10E => consts::LOG10_E,
        Log2E => consts::LOG2_E,
        Pi => consts::PI,
        SqrtHalf => consts::FRAC_1_SQRT_2,
        Sqrt2 => consts::SQRT_2,
        _ => f64::NAN,
    }
}

fn hypot(args: &[Value]) -> f64 {
    // Of what is infinite and what is no number, the infinite wins here, too.
    args.iter().map(Value::to_number).fold(0.0, f64::hypot)
}

fn extreme(args: &[Value], start: f64, better: fn(f64, f64) -> bool) -> f64 {
    args.iter().map(Value::to_number).fold(start, |best, n| {
        if best.is_nan() || n.is_nan() {
            f64::NAN
        } else if better(best, n) {
            n
        } else {
            best
        }
    })
}

/// `Math.round`: halves go up, and the sign of zero is kept.
fn round(x: f64) -> f64 {
    let floor = x.floor();
    let rounded = if x - floor >= 0.5 { floor + 1.0 } else { floor };
    if rounded == 0.0 && x < 0.0 { -0.0 } else { rounded }
}
