//! Names, types and reach of components: what is wrong with them, and their compiled form.
//!
//! [`check`] takes the sources of a project and gives a [`Report`] of everything that it
//! found, and, when there is no error, the compiled [`Program`].
//!
//! ```
//! use vein_check::{check, Source};
//! let source = |text: &str| Source { path: "bed-note.vein".into(), text: text.into() };
//!
//! let checked = check(vec![source("takes crop: string\n<p>{crop}</p>")]);
//! assert!(checked.program.is_some());
//!
//! let checked = check(vec![source("takes crop: string\n<p>{crpo}</p>")]);
//! assert!(checked.program.is_none());
//! assert!(checked.report.to_string().contains("did you mean `crop`?"));
//! ```

mod attribute;
mod component;
mod control;
mod diagnostics;
mod events;
mod expression;
mod interface;
mod map;
mod markup;
mod members;
mod names;
mod nested;
mod narrow;
mod reach;
mod report;
mod scope;
mod statement;
mod style;
mod suggest;
mod types;

pub use diagnostics::{RULES, Rule};
pub use map::{ActionReach, PartReach, PathReach, ReachMap, reach_map};
pub use report::{Diagnostic, Fix, Report, Severity, Source};
pub use suggest::nearest;

use component::{TypeProblem, resolve_fields};
use diagnostics::from_syntax::from_syntax;
use diagnostics::{BadFileName, EndlessNesting, NameTaken, diagnostic};
use interface::{Interface, work_out_falls};
use scope::Project;
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use types::{ShapeType, Shapes, Tables};
use vein_plan::Program;
use vein_syntax::ast::{DeclarationKind, Ident, TypedName};
use vein_syntax::elements::is_component_name;
use vein_syntax::{Parsed, Span};

/// What a check gives.
#[derive(Debug)]
pub struct Checked {
    /// The compiled components, when nothing is in the way of running them.
    pub program: Option<Program>,
    /// Everything that was found.
    pub report: Report,
}

/// Checks all components of a project together and compiles them.
pub fn check(sources: Vec<Source>) -> Checked {
    let parsed: Vec<Parsed> = sources.iter().map(|s| vein_syntax::parse(&s.text)).collect();
    let mut found = Vec::new();
    for (file, parsed) in parsed.iter().enumerate() {
        found.extend(parsed.errors.iter().map(|error| from_syntax(error, file)));
    }
    let names = component_names(&sources, &mut found);
    let mut shapes = Shapes::default();
    let shape_numbers = collect_shapes(&sources, &parsed, &mut shapes, &mut found);
    let mut tables = Tables::default();
    tables.add_shapes(&shapes);
    let mut interfaces: BTreeMap<String, Interface> = BTreeMap::new();
    for (name, parsed) in names.iter().zip(&parsed) {
        if let Some(name) = name {
            interfaces.insert(name.clone(), Interface::of(&parsed.file, &shape_numbers));
        }
    }
    for (number, interface) in interfaces.values_mut().enumerate() {
        interface.number = number as u32;
    }
    work_out_falls(&mut interfaces, parsed.iter().map(|parsed| &parsed.file));
    let handed = RefCell::default();
    let project = Project {
        shapes: &shapes,
        shape_numbers: &shape_numbers,
        interfaces: &interfaces,
        handed: &handed,
    };
    let nameless = Interface::default();
    let mut plans = Vec::new();
    for file in children_first(&names, &parsed) {
        let (source, parsed) = (&sources[file], &parsed[file]);
        let name = names[file].as_deref().unwrap_or("");
        let own = interfaces.get(name).unwrap_or(&nameless);
        let (text, file_tree) = (&source.text, &parsed.file);
        let (plan, mut diagnostics) =
            component::component(&project, &mut tables, file, name, text, file_tree, own);
        if !parsed.errors.is_empty() {
            // What a broken text seems not to use, it may use in what could not be read.
            diagnostics.retain(|d| d.severity == Severity::Error && !explained(d, parsed));
        }
        found.extend(diagnostics);
        plans.push(plan);
    }
    found.extend(endless(&names, &parsed, &interfaces));
    found.sort_by_key(|d| (d.file, d.span, d.severity));
    let report = Report { sources: sources.into(), diagnostics: found };
    let program = (report.errors() == 0).then(|| {
        plans.sort_by(|a, b| a.name.cmp(&b.name));
        Program { plans, ..tables.program }
    });
    Checked { program, report }
}

/// The files in an order in which a component stands after those that it uses, as far as they
/// do not use each other.
fn children_first(names: &[Option<String>], parsed: &[Parsed]) -> Vec<usize> {
    let numbers: HashMap<&str, usize> =
        names.iter().enumerate().filter_map(|(i, name)| Some((name.as_deref()?, i))).collect();
    let uses = |file: usize| {
        let mut used = Vec::new();
        interface::elements(&parsed[file].file.markup, &mut |element| {
            used.extend(numbers.get(element.name.name.as_str()).copied());
        });
        used
    };
    let (mut seen, mut order) = (vec![false; names.len()], Vec::new());
    for start in 0..names.len() {
        let mut open = vec![(start, None::<Vec<usize>>)];
        while let Some((file, left)) = open.pop() {
            let mut left = match left {
                Some(left) => left,
                None if std::mem::replace(&mut seen[file], true) => continue,
                None => uses(file),
            };
            match left.pop() {
                Some(next) => {
                    open.push((file, Some(left)));
                    open.push((next, None));
                }
                None => order.push(file),
            }
        }
    }
    order
}

/// Components that show each other under no condition.
fn endless(
    names: &[Option<String>],
    parsed: &[Parsed],
    interfaces: &BTreeMap<String, Interface>,
) -> Vec<Diagnostic> {
    let mut found: Vec<Diagnostic> = Vec::new();
    let mut told: BTreeSet<&str> = BTreeSet::new();
    for (file, name) in names.iter().enumerate() {
        let Some(name) = name else { continue };
        if told.contains(name.as_str()) {
            continue;
        }
        let Some(circle) = circle_from(name, interfaces) else { continue };
        let next = circle.get(1).copied().unwrap_or(name);
        let mut at = Span::default();
        interface::elements(&parsed[file].file.markup, &mut |element| {
            if at == Span::default() && element.name.name == next {
                at = element.name.span;
            }
        });
        told.extend(&circle);
        let circle = circle.into_iter().map(str::to_owned).collect();
        found.push(diagnostic(&EndlessNesting { circle }, file, at));
    }
    found
}

/// The shortest way from a component back to itself.
fn circle_from<'a>(
    start: &'a str,
    interfaces: &'a BTreeMap<String, Interface>,
) -> Option<Vec<&'a str>> {
    let mut open = std::collections::VecDeque::from([vec![start]]);
    let mut seen: BTreeSet<&str> = BTreeSet::new();
    while let Some(way) = open.pop_front() {
        let Some(interface) = way.last().and_then(|last| interfaces.get(*last)) else { continue };
        for next in &interface.always {
            if next == start {
                return Some(way);
            }
            if seen.insert(next) {
                open.push_back(way.iter().copied().chain([next.as_str()]).collect());
            }
        }
    }
    None
}

/// Whether a diagnostic is but a consequence of what the parser reported: names whose
/// declaration could not be read are unknown because of that.
fn explained(diagnostic: &Diagnostic, parsed: &Parsed) -> bool {
    let in_declarations = parsed.errors.iter().any(|error| {
        let markup = parsed.file.markup.iter().find_map(first_span);
        markup.is_none_or(|markup| error.span.start < markup.start)
    });
    in_declarations && matches!(diagnostic.code, "unknown-name" | "unknown-type" | "unknown-event")
}

fn first_span(node: &vein_syntax::ast::Node) -> Option<Span> {
    match node {
        vein_syntax::ast::Node::Element(element) => Some(element.start_tag),
        vein_syntax::ast::Node::Text(_) => None,
    }
}

/// The name of each component, from its file's stem.
fn component_names(sources: &[Source], found: &mut Vec<Diagnostic>) -> Vec<Option<String>> {
    let mut first: HashMap<String, usize> = HashMap::new();
    let mut names = Vec::new();
    for (file, source) in sources.iter().enumerate() {
        let base = source.path.rsplit(['/', '\\']).next().unwrap_or("");
        let stem = base.strip_suffix(".vein").unwrap_or(base).to_owned();
        let start = Span::default();
        if !is_component_name(&stem) {
            found.push(diagnostic(&BadFileName { stem }, file, start));
            names.push(None);
        } else if let Some(other) = first.get(&stem) {
            let elsewhere = Some(sources[*other].path.clone());
            let finding = NameTaken { name: stem, first: None, elsewhere };
            found.push(diagnostic(&finding, file, start));
            names.push(None);
        } else {
            first.insert(stem.clone(), file);
            names.push(Some(stem));
        }
    }
    names
}

/// The shapes of all files, numbered.
fn collect_shapes(
    sources: &[Source],
    parsed: &[Parsed],
    shapes: &mut Shapes,
    found: &mut Vec<Diagnostic>,
) -> HashMap<String, usize> {
    let mut numbers: HashMap<String, usize> = HashMap::new();
    let mut declared: Vec<(usize, &Ident, &[TypedName])> = Vec::new();
    for (file, parsed) in parsed.iter().enumerate() {
        for declaration in &parsed.file.declarations {
            let DeclarationKind::Shape(ident, fields) = &declaration.kind else { continue };
            if ident.name.is_empty() {
                continue;
            }
            match numbers.get(&ident.name) {
                Some(number) => {
                    let (other, earlier, _) = declared[*number];
                    let same_file = other == file;
                    let finding = NameTaken {
                        name: ident.name.clone(),
                        first: same_file.then_some(earlier.span),
                        elsewhere: (!same_file).then(|| sources[other].path.clone()),
                    };
                    found.push(diagnostic(&finding, file, ident.span));
                }
                None => {
                    numbers.insert(ident.name.clone(), declared.len());
                    declared.push((file, ident, fields));
                }
            }
        }
    }
    for (file, ident, fields) in declared {
        let mut problems = Vec::new();
        let fields = resolve_fields(fields, &numbers, &mut problems);
        for (problem, span) in problems {
            found.push(match problem {
                TypeProblem::Unknown(finding) => diagnostic(&finding, file, span),
                TypeProblem::Twice(finding) => diagnostic(&finding, file, span),
            });
        }
        shapes.0.push(ShapeType { name: ident.name.clone(), fields });
    }
    numbers
}
