//! Diagnostics and their renderings: one structure, from which text, JSON and SARIF are written.

use annotate_snippets::{AnnotationKind, Group, Level, Patch, Renderer, Snippet};
use serde_json::{Value as Json, json};
use std::sync::Arc;
use vein_syntax::{LineIndex, Span};

/// The text of one component, with the name by which messages call it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Source {
    /// Its path, as it is shown; the stem is the component's name.
    pub path: String,
    /// Its text.
    pub text: String,
}

/// How bad it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// It cannot run.
    Error,
    /// It runs, but hardly as meant.
    Warning,
}

impl Severity {
    /// `error` or `warning`.
    pub fn name(self) -> &'static str {
        match self {
            Severity::Error => "error",
            Severity::Warning => "warning",
        }
    }
}

/// What can be done about it by a program.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fix {
    /// What it does.
    pub title: String,
    /// Ranges of the file and what to put there.
    pub edits: Vec<(Span, String)>,
    /// Whether nothing else can have been meant, so that it may be applied unseen. A guess at
    /// a misspelt name is not.
    pub safe: bool,
}

/// Something to tell the author of a component.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnostic {
    /// The short name of its kind, such as `unknown-name`.
    pub code: &'static str,
    /// How bad it is.
    pub severity: Severity,
    /// Which of the sources it is in.
    pub file: usize,
    /// Where.
    pub span: Span,
    /// What is wrong, in one sentence.
    pub message: String,
    /// What to say at the place itself.
    pub label: String,
    /// Other places in the same file that explain it.
    pub related: Vec<(Span, String)>,
    /// What to do.
    pub advice: Vec<String>,
    /// What a program can do.
    pub fix: Option<Fix>,
}

/// All that a check found, with the sources, ready to print.
#[derive(Clone, Debug)]
pub struct Report {
    /// The sources that were checked.
    pub sources: Arc<[Source]>,
    /// What was found, by file and place.
    pub diagnostics: Vec<Diagnostic>,
}

impl Report {
    /// How many errors there are.
    pub fn errors(&self) -> usize {
        self.diagnostics.iter().filter(|d| d.severity == Severity::Error).count()
    }

    /// How many warnings there are.
    pub fn warnings(&self) -> usize {
        self.diagnostics.len() - self.errors()
    }

    /// The texts of the files that safe fixes change, as they are afterwards, with how many
    /// fixes went into each. Of fixes that overlap, the first is taken.
    pub fn fixed(&self) -> Vec<(usize, String, usize)> {
        let mut out = Vec::new();
        for (file, source) in self.sources.iter().enumerate() {
            let safe = self.diagnostics.iter().filter(|d| d.file == file);
            let safe = safe.filter_map(|d| d.fix.as_ref()).filter(|fix| fix.safe);
            let (mut edits, mut count) = (Vec::<&(Span, String)>::new(), 0);
            for fix in safe {
                let overlaps = |(span, _): &(Span, String)| {
                    edits.iter().any(|(other, _)| span.start < other.end && other.start < span.end)
                };
                if !fix.edits.iter().any(overlaps) {
                    edits.extend(&fix.edits);
                    count += 1;
                }
            }
            edits.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
            if count > 0 {
                let mut text = source.text.clone();
                edits.iter().for_each(|(span, with)| text.replace_range(span.range(), with));
                out.push((file, text, count));
            }
        }
        out
    }

    /// The report as text for a terminal, with or without colour.
    pub fn text(&self, colour: bool) -> String {
        let renderer = if colour { Renderer::styled() } else { Renderer::plain() };
        let shown: Vec<String> =
            self.diagnostics.iter().map(|d| self.render(d, &renderer)).collect();
        let mut out = shown.join("\n\n");
        if !out.is_empty() {
            out.push('\n');
        }
        out
    }

    fn render(&self, diagnostic: &Diagnostic, renderer: &Renderer) -> String {
        let source = &self.sources[diagnostic.file];
        let level = match diagnostic.severity {
            Severity::Error => Level::ERROR,
            Severity::Warning => Level::WARNING,
        };
        let range = |span: Span| within(&source.text, span);
        let mut snippet =
            Snippet::source(source.text.as_str()).path(source.path.as_str()).annotation(
                AnnotationKind::Primary
                    .span(range(diagnostic.span))
                    .label(diagnostic.label.as_str()),
            );
        for (span, label) in &diagnostic.related {
            let context = AnnotationKind::Context.span(range(*span)).label(label.as_str());
            snippet = snippet.annotation(context);
        }
        let mut main =
            Group::with_title(level.primary_title(diagnostic.message.as_str()).id(diagnostic.code))
                .element(snippet);
        for advice in &diagnostic.advice {
            main = main.element(Level::HELP.message(advice.as_str()));
        }
        let mut groups = vec![main];
        if let Some(fix) = &diagnostic.fix {
            let mut snippet = Snippet::source(source.text.as_str());
            for (span, with) in &fix.edits {
                snippet = snippet.patch(Patch::new(range(*span), with.as_str()));
            }
            let title = Level::HELP.secondary_title(fix.title.as_str());
            groups.push(Group::with_title(title).element(snippet));
        }
        renderer.render(&groups)
    }

    /// The report as JSON: a list of objects, each with its place in lines and columns.
    pub fn json(&self) -> Json {
        let indices = self.indices();
        let diagnostics = self.diagnostics.iter().map(|d| {
            let source = &self.sources[d.file];
            let region = |span| region(&source.text, &indices[d.file], span);
            let related: Vec<Json> = d
                .related
                .iter()
                .map(|(span, message)| json!({ "message": message, "region": region(*span) }))
                .collect();
            let fix = d.fix.as_ref().map(|fix| {
                let edits: Vec<Json> = fix
                    .edits
                    .iter()
                    .map(|(span, with)| json!({ "region": region(*span), "replacement": with }))
                    .collect();
                json!({ "title": fix.title, "edits": edits, "safe": fix.safe })
            });
            json!({
                "code": d.code,
                "severity": d.severity.name(),
                "file": source.path,
                "region": region(d.span),
                "message": d.message,
                "label": d.label,
                "related": related,
                "advice": d.advice,
                "fix": fix,
            })
        });
        json!({
            "errors": self.errors(),
            "warnings": self.warnings(),
            "diagnostics": diagnostics.collect::<Vec<_>>(),
        })
    }

    /// The report in the Static Analysis Results Interchange Format (SARIF 2.1.0).
    pub fn sarif(&self) -> Json {
        let indices = self.indices();
        let found = |code: &str| self.diagnostics.iter().any(|d| d.code == code);
        let rules: Vec<Json> = crate::diagnostics::RULES
            .iter()
            .filter(|rule| found(rule.code))
            .map(|rule| json!({ "id": rule.code, "shortDescription": { "text": rule.about } }))
            .collect();
        let results = self.diagnostics.iter().map(|d| {
            let source = &self.sources[d.file];
            let location = |span, id: Option<(usize, &str)>| {
                let mut location = json!({ "physicalLocation": {
                    "artifactLocation": { "uri": source.path },
                    "region": sarif_region(&source.text, &indices[d.file], span),
                }});
                if let Some((id, message)) = id {
                    location["id"] = json!(id);
                    location["message"] = json!({ "text": message });
                }
                location
            };
            let related: Vec<Json> = d
                .related
                .iter()
                .enumerate()
                .map(|(i, (span, message))| location(*span, Some((i, message))))
                .collect();
            let mut text = d.message.clone();
            for line in &d.advice {
                text.push('\n');
                text.push_str(line);
            }
            let mut result = json!({
                "ruleId": d.code,
                "level": d.severity.name(),
                "message": { "text": text },
                "locations": [location(d.span, None)],
                "relatedLocations": related,
            });
            if let Some(fix) = &d.fix {
                let replacements: Vec<Json> = fix
                    .edits
                    .iter()
                    .map(|(span, with)| {
                        json!({
                            "deletedRegion": sarif_region(&source.text, &indices[d.file], *span),
                            "insertedContent": { "text": with },
                        })
                    })
                    .collect();
                result["fixes"] = json!([{
                    "description": { "text": fix.title },
                    "artifactChanges": [{
                        "artifactLocation": { "uri": source.path },
                        "replacements": replacements,
                    }],
                }]);
            }
            result
        });
        json!({
            "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
            "version": "2.1.0",
            "runs": [{
                "tool": { "driver": {
                    "name": "vein",
                    "version": env!("CARGO_PKG_VERSION"),
                    "rules": rules,
                }},
                "columnKind": "unicodeCodePoints",
                "results": results.collect::<Vec<_>>(),
            }],
        })
    }

    fn indices(&self) -> Vec<LineIndex> {
        self.sources.iter().map(|source| LineIndex::new(&source.text)).collect()
    }
}

/// The report as plain text.
impl std::fmt::Display for Report {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.text(false))
    }
}

impl std::error::Error for Report {}

/// A range that the renderer can show: inside the text, at character boundaries.
fn within(text: &str, span: Span) -> std::ops::Range<usize> {
    let boundary = |at: u32| {
        let mut at = (at as usize).min(text.len());
        while !text.is_char_boundary(at) {
            at -= 1;
        }
        at
    };
    boundary(span.start)..boundary(span.end)
}

fn region(text: &str, index: &LineIndex, span: Span) -> Json {
    let (line, column) = index.line_column(text, span.start);
    let (end_line, end_column) = index.line_column(text, span.end);
    json!({
        "line": line, "column": column, "endLine": end_line, "endColumn": end_column,
        "start": span.start, "end": span.end,
    })
}

fn sarif_region(text: &str, index: &LineIndex, span: Span) -> Json {
    let (line, column) = index.line_column(text, span.start);
    let (end_line, end_column) = index.line_column(text, span.end);
    json!({
        "startLine": line, "startColumn": column, "endLine": end_line, "endColumn": end_column,
    })
}
