//! Types as they are written, and those that have names: records, and whatever else a project calls by one.

use crate::component::{Step, order};
use crate::diagnostics::too_deep::{DEEPEST_TYPE, MOST_TYPE_PARTS};
use crate::diagnostics::{CircularType, NameTaken, TooDeep, UnknownType, diagnostic};
use crate::report::{Diagnostic, Source};
use crate::types::{ShapeType, Shapes, Ty};
use rustc_hash::FxHashMap as HashMap;
use vein_plan::nearest;
use vein_syntax::Span;
use vein_syntax::ast::{DeclarationKind, File, Ident, TypeExpr, TypeKind, TypedName};

/// What each name of a type stands for.
pub(crate) type Named = HashMap<String, Ty>;

/// What can be wrong with a written type.
pub(crate) enum TypeProblem {
    Unknown(UnknownType),
    Twice(NameTaken),
}

impl TypeProblem {
    fn diagnostic(&self, file: usize, span: Span) -> Diagnostic {
        match self {
            TypeProblem::Unknown(finding) => diagnostic(finding, file, span),
            TypeProblem::Twice(finding) => diagnostic(finding, file, span),
        }
    }
}

/// Works out a written type; what is wrong with it goes to `problems`.
pub(crate) fn resolve_type(
    ty: &TypeExpr,
    named: &Named,
    problems: &mut Vec<(TypeProblem, Span)>,
) -> Ty {
    let mut unknown = |name: String, nearest: Option<String>| {
        problems.push((TypeProblem::Unknown(UnknownType { name, nearest }), ty.span));
        Ty::Error
    };
    match &ty.kind {
        TypeKind::Name(name) => match name.as_str() {
            "string" => Ty::String,
            "number" => Ty::Number,
            "boolean" => Ty::Boolean,
            "null" => Ty::Null,
            name => match named.get(name) {
                Some(ty) => ty.clone(),
                None => {
                    let known = named.keys().map(String::as_str);
                    let known = known.chain(["string", "number", "boolean"]);
                    let near = nearest(name, known).map(str::to_owned);
                    unknown(name.into(), near)
                }
            },
        },
        TypeKind::Literal(word) => Ty::Literals(vec![word.clone()]),
        TypeKind::List(item) => Ty::list(resolve_type(item, named, problems)),
        TypeKind::Optional(inner) => Ty::optional(resolve_type(inner, named, problems)),
        TypeKind::Dictionary(value) => Ty::dictionary(resolve_type(value, named, problems)),
        TypeKind::Record(fields) => Ty::Record(resolve_fields(fields, named, problems)),
        TypeKind::Union(members) => match words(members, named) {
            Some(words) => Ty::Literals(words),
            None => {
                let shown: Vec<&str> = members
                    .iter()
                    .map(|member| match &member.kind {
                        TypeKind::Name(name) => name.as_str(),
                        TypeKind::Literal(word) => word.as_str(),
                        _ => "…",
                    })
                    .collect();
                unknown(shown.join(" | "), None)
            }
        },
        TypeKind::Error => Ty::Error,
    }
}

/// The words of a union, if it has nothing else.
fn words(members: &[TypeExpr], named: &Named) -> Option<Vec<String>> {
    let mut words: Vec<String> = Vec::new();
    for member in members {
        let more = match &member.kind {
            TypeKind::Literal(word) => std::slice::from_ref(word),
            TypeKind::Name(name) => match named.get(name) {
                Some(Ty::Literals(more)) => more,
                _ => return None,
            },
            _ => return None,
        };
        let new = more.iter().filter(|word| !words.contains(word));
        words.extend(new.cloned().collect::<Vec<_>>());
    }
    Some(words)
}

/// Works out the fields of a record type.
fn resolve_fields(
    fields: &[TypedName],
    named: &Named,
    problems: &mut Vec<(TypeProblem, Span)>,
) -> Vec<(String, Ty)> {
    let mut resolved: Vec<(String, Ty)> = Vec::new();
    for (i, field) in fields.iter().enumerate() {
        let name = field.ident.name.clone();
        match fields[..i].iter().find(|earlier| earlier.ident.name == name) {
            Some(earlier) => {
                let first = Some(earlier.ident.span);
                let twice = NameTaken { name, first, elsewhere: None };
                problems.push((TypeProblem::Twice(twice), field.ident.span));
            }
            None => resolved.push((name, resolve_type(&field.ty, named, problems))),
        }
    }
    resolved
}

/// A declaration `shape`.
#[derive(Clone, Copy)]
struct Declared<'a> {
    file: usize,
    ident: &'a Ident,
    ty: &'a TypeExpr,
}

/// The named types of all files; records get numbers, so that they can hold themselves.
pub(crate) fn named_types<'a>(
    sources: &[Source],
    files: impl Iterator<Item = &'a File>,
    shapes: &mut Shapes,
    found: &mut Vec<Diagnostic>,
) -> Named {
    let declared = declared(sources, files, found);
    let is_record = |one: &&Declared<'_>| matches!(one.ty.kind, TypeKind::Record(_));
    let records = declared.iter().filter(is_record).enumerate();
    let mut named: Named =
        records.map(|(number, one)| (one.ident.name.clone(), Ty::Shape(number))).collect();
    let others: Vec<&Declared<'_>> = declared.iter().filter(|one| !is_record(one)).collect();
    let numbers: HashMap<&str, usize> =
        others.iter().enumerate().map(|(at, one)| (one.ident.name.as_str(), at)).collect();
    let reads: Vec<Vec<usize>> = others
        .iter()
        .map(|one| {
            let mut names = Vec::new();
            names_in(one.ty, &mut |name| names.extend(numbers.get(name)));
            names
        })
        .collect();
    for step in order(&reads) {
        match step {
            Step::Value(at) => {
                let Declared { file, ident, .. } = *others[at];
                let mut ty = resolved(others[at], &named, found);
                if ty.is_deeper_than(DEEPEST_TYPE) || ty.parts() > MOST_TYPE_PARTS {
                    found.push(diagnostic(&TooDeep, file, ident.span));
                    ty = Ty::Error;
                }
                named.insert(ident.name.clone(), ty);
            }
            Step::Circle(circle) => {
                let names = circle.iter().map(|at| others[*at].ident.name.clone()).collect();
                let Declared { file, ident, .. } = *others[circle[0]];
                found.push(diagnostic(&CircularType { circle: names }, file, ident.span));
                named.extend(circle.iter().map(|at| (others[*at].ident.name.clone(), Ty::Error)));
            }
        }
    }
    for one in declared.iter().filter(is_record) {
        let fields = match resolved(one, &named, found) {
            Ty::Record(fields) => fields,
            _ => Vec::new(),
        };
        shapes.0.push(ShapeType { name: one.ident.name.clone(), fields });
    }
    named
}

/// All that have names, each the first of its own.
fn declared<'a>(
    sources: &[Source],
    files: impl Iterator<Item = &'a File>,
    found: &mut Vec<Diagnostic>,
) -> Vec<Declared<'a>> {
    let mut all: Vec<Declared<'_>> = Vec::new();
    let mut first: HashMap<&str, usize> = HashMap::default();
    for (file, parsed) in files.enumerate() {
        for declaration in &parsed.declarations {
            let DeclarationKind::Shape(ident, ty) = &declaration.kind else { continue };
            if ident.name.is_empty() {
                continue;
            }
            match first.get(ident.name.as_str()) {
                Some(number) => {
                    let Declared { file: other, ident: earlier, .. } = all[*number];
                    let same_file = other == file;
                    let finding = NameTaken {
                        name: ident.name.clone(),
                        first: same_file.then_some(earlier.span),
                        elsewhere: (!same_file).then(|| sources[other].path.clone()),
                    };
                    found.push(diagnostic(&finding, file, ident.span));
                }
                None => {
                    first.insert(&ident.name, all.len());
                    all.push(Declared { file, ident, ty });
                }
            }
        }
    }
    all
}

fn resolved(one: &Declared<'_>, named: &Named, found: &mut Vec<Diagnostic>) -> Ty {
    let mut problems = Vec::new();
    let ty = resolve_type(one.ty, named, &mut problems);
    found.extend(problems.iter().map(|(problem, span)| problem.diagnostic(one.file, *span)));
    ty
}

/// The names that a written type has in it.
fn names_in(ty: &TypeExpr, found: &mut impl FnMut(&str)) {
    match &ty.kind {
        TypeKind::Name(name) => found(name),
        TypeKind::List(inner) | TypeKind::Optional(inner) | TypeKind::Dictionary(inner) => {
            names_in(inner, found);
        }
        TypeKind::Record(fields) => fields.iter().for_each(|field| names_in(&field.ty, found)),
        TypeKind::Union(members) => members.iter().for_each(|member| names_in(member, found)),
        TypeKind::Literal(_) | TypeKind::Error => {}
    }
}
