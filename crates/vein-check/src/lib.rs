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

mod component;
mod diagnostics;
mod events;
mod expression;
mod map;
mod markup;
mod members;
mod names;
mod narrow;
mod reach;
mod report;
mod scope;
mod statement;
mod suggest;
mod types;

pub use diagnostics::{RULES, Rule};
pub use map::{ActionReach, PartReach, PathReach, ReachMap, reach_map};
pub use report::{Diagnostic, Fix, Report, Severity, Source};
pub use suggest::nearest;

use component::{TypeProblem, resolve_fields};
use diagnostics::from_syntax::from_syntax;
use diagnostics::{BadFileName, NameTaken, diagnostic};
use scope::Project;
use std::collections::{BTreeSet, HashMap};
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
    let components: BTreeSet<String> = names.iter().flatten().cloned().collect();
    let project =
        Project { shapes: &shapes, shape_numbers: &shape_numbers, components: &components };
    let mut plans = Vec::new();
    for (file, (source, parsed)) in sources.iter().zip(&parsed).enumerate() {
        let name = names[file].as_deref().unwrap_or("");
        let (plan, mut diagnostics) =
            component::component(&project, &mut tables, file, name, &source.text, &parsed.file);
        if !parsed.errors.is_empty() {
            // What a broken text seems not to use, it may use in what could not be read.
            diagnostics.retain(|d| d.severity == Severity::Error && !explained(d, parsed));
        }
        found.extend(diagnostics);
        plans.push(plan);
    }
    found.sort_by_key(|d| (d.file, d.span, d.severity));
    let report = Report { sources: sources.into(), diagnostics: found };
    let program = (report.errors() == 0).then(|| {
        plans.sort_by(|a, b| a.name.cmp(&b.name));
        Program { plans, ..tables.program }
    });
    Checked { program, report }
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
