//! What a condition tells of the values in it.

use crate::types::Ty;
use vein_plan::ops::{Binary, Logical, Unary};
use vein_plan::status;
use vein_syntax::ast::{Expr, ExprKind};

/// Something known of the value at a path such as `bed.note`.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Fact {
    pub(crate) path: String,
    pub(crate) what: Known,
}

/// What is known.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Known {
    NotNull,
    /// Its key is in the dictionary that it stands in.
    There,
    Null,
    OneOf(String),
    NotOneOf(String),
    /// What the host's answers have come to, and what they have not.
    Status(String),
    NotStatus(String),
}

impl Known {
    /// The type of what is left.
    pub(crate) fn narrow(&self, ty: Ty) -> Ty {
        match self {
            // Whoever may stand there as `null` stays so: that is for who knows the dictionary.
            Known::NotNull | Known::There => ty.without_null(),
            Known::Null => match ty {
                Ty::Optional(_) => Ty::Null,
                other => other,
            },
            Known::OneOf(word) => match ty.without_null() {
                Ty::Literals(words) if words.contains(word) => Ty::Literals(vec![word.clone()]),
                other => other,
            },
            Known::NotOneOf(word) => match ty {
                Ty::Literals(words) if words.len() > 1 => {
                    Ty::Literals(words.into_iter().filter(|w| w != word).collect())
                }
                other => other,
            },
            Known::Status(_) | Known::NotStatus(_) => ty,
        }
    }
}

fn has_status(facts: &[Fact], path: &str, wanted: &str) -> bool {
    let known = || facts.iter().filter(|fact| fact.path == path).map(|fact| &fact.what);
    let is = known().any(|what| matches!(what, Known::Status(word) if word == wanted));
    let mut others = status::ALL.iter().filter(|word| **word != wanted);
    let ruled_out =
        |other: &&str| known().any(|what| matches!(what, Known::NotStatus(word) if word == other));
    is || others.all(ruled_out)
}

/// Whether the value at a path is known to have been answered.
pub(crate) fn is_ready(facts: &[Fact], path: &str) -> bool {
    has_status(facts, path, status::READY)
}

/// Whether the answer for the value at a path is known to have failed.
pub(crate) fn is_failed(facts: &[Fact], path: &str) -> bool {
    has_status(facts, path, status::FAILED)
}

/// The names that a path hangs on: `litres` and `bed` of `litres[bed.id]`.
pub(crate) fn roots(path: &str) -> impl Iterator<Item = &str> {
    path.split('[').map(|piece| piece.split(['.', ']']).next().unwrap_or(""))
}

/// The path that an expression stands for, when it is a name, fields of one, or what such a path finds in another.
pub(crate) fn path_of(expr: &Expr) -> Option<String> {
    match &expr.kind {
        ExprKind::Name(name) => Some(name.clone()),
        ExprKind::Field { of, name, .. } => Some(format!("{}.{}", path_of(of)?, name.name)),
        ExprKind::Index { of, index, .. } => {
            let index = match &index.kind {
                ExprKind::String(key) => format!("{:?}", key.to_string()),
                ExprKind::Number(at) => at.to_string(),
                _ => path_of(index)?,
            };
            Some(format!("{}[{index}]", path_of(of)?))
        }
        ExprKind::Chain(inner) => path_of(inner),
        _ => None,
    }
}

/// What holds when `test` came out as `outcome`.
pub(crate) fn facts(test: &Expr, outcome: bool) -> Vec<Fact> {
    let mut out = Vec::new();
    gather(test, outcome, &mut out);
    out
}

fn gather(test: &Expr, outcome: bool, out: &mut Vec<Fact>) {
    match &test.kind {
        ExprKind::Unary(Unary::Not, of) => gather(of, !outcome, out),
        ExprKind::Is(of, word) => {
            let word = word.name.clone();
            let what = if outcome { Known::Status(word) } else { Known::NotStatus(word) };
            out.extend(path_of(of).map(|path| Fact { path, what }));
        }
        ExprKind::In(key, of) if outcome => {
            let entry = ExprKind::Index { of: of.clone(), index: key.clone(), optional: false };
            let path = path_of(&Expr { kind: entry, span: test.span });
            out.extend(path.map(|path| Fact { path, what: Known::There }));
        }
        ExprKind::Logical(Logical::And, a, b) if outcome => {
            gather(a, true, out);
            gather(b, true, out);
        }
        ExprKind::Logical(Logical::Or, a, b) if !outcome => {
            gather(a, false, out);
            gather(b, false, out);
        }
        ExprKind::Binary { op: op @ (Binary::Equal | Binary::NotEqual), left, right, .. } => {
            let equal = (*op == Binary::Equal) == outcome;
            compared(left, right, equal, out);
            compared(right, left, equal, out);
        }
        _ if outcome => not_null(test, out),
        _ => {}
    }
}

/// What a comparison with a literal tells of the other side.
fn compared(side: &Expr, literal: &Expr, equal: bool, out: &mut Vec<Fact>) {
    match (&literal.kind, equal) {
        (ExprKind::Null, false) => not_null(side, out),
        (ExprKind::Null, true) => {
            out.extend(path_of(side).map(|path| Fact { path, what: Known::Null }))
        }
        (ExprKind::String(word), _) => {
            let word = word.to_string();
            let what = if equal { Known::OneOf(word) } else { Known::NotOneOf(word) };
            out.extend(path_of(side).map(|path| Fact { path, what }));
            if equal {
                not_null(side, out);
            }
        }
        (ExprKind::Number(_) | ExprKind::Boolean(_), true) => not_null(side, out),
        _ => {}
    }
}

/// If the end of a chain is there, so is everything that it was reached through.
fn not_null(expr: &Expr, out: &mut Vec<Fact>) {
    if let ExprKind::Chain(inner) = &expr.kind {
        let mut at = inner;
        loop {
            match &at.kind {
                ExprKind::Field { of, optional, .. } | ExprKind::Index { of, optional, .. } => {
                    if *optional {
                        not_null(of, out);
                    }
                    at = of;
                }
                ExprKind::Call { callee, .. } => at = callee,
                _ => break,
            }
        }
    }
    out.extend(path_of(expr).map(|path| Fact { path, what: Known::NotNull }));
}
