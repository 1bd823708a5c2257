//! Diagnostics and their renderings: one structure, from which text, JSON and SARIF are written.

use annotate_snippets::{AnnotationKind, Group, Level, Origin, Patch, Renderer, Snippet};
use serde_json::{Value as Json, json};
use std::borrow::Cow;
use std::sync::Arc;
use vein_plan::text::visible;
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
        let (shown, left) = self.first_of_each();
        let mut shown: Vec<String> = shown.map(|d| self.render(d, &renderer)).collect();
        shown.extend(left.into_iter().map(|(file, count)| {
            let (path, of) = (visible(&self.sources[file].path), if count == 1 { "" } else { "s" });
            format!(
                "{count} more mistake{of} in {path}: mend the first {MOST_SHOWN}, and check again"
            )
        }));
        let mut out = shown.join("\n\n");
        if !out.is_empty() {
            out.push('\n');
        }
        out
    }

    /// The first mistakes of each file, and how many more there are in which.
    fn first_of_each(&self) -> (impl Iterator<Item = &Diagnostic>, Vec<(usize, usize)>) {
        let mut counts = vec![0_usize; self.sources.len()];
        let mut is_shown = Vec::with_capacity(self.diagnostics.len());
        for diagnostic in &self.diagnostics {
            let count = &mut counts[diagnostic.file];
            *count += 1;
            is_shown.push(*count <= MOST_SHOWN);
        }
        let left = counts.into_iter().enumerate();
        let left = left.filter(|(_, count)| *count > MOST_SHOWN);
        let left = left.map(|(file, count)| (file, count - MOST_SHOWN)).collect();
        let all = self.diagnostics.iter().zip(is_shown);
        (all.filter_map(|(diagnostic, is_shown)| is_shown.then_some(diagnostic)), left)
    }

    /// A mistake in a line that is longer than what a terminal holds: as much of it as stands around the place.
    fn render_cut(&self, diagnostic: &Diagnostic, renderer: &Renderer) -> String {
        let source = &self.sources[diagnostic.file];
        let text = source.text.as_str();
        let place = within(text, diagnostic.span);
        let line_start = text[..place.start].rfind('\n').map_or(0, |at| at + 1);
        let line = 1 + text[..line_start].matches('\n').count();
        let column = 1 + text[line_start..place.start].chars().count();
        let back = |from: usize| {
            let mut before = text[line_start..from].char_indices().rev();
            before.nth(AROUND).map_or(line_start, |(at, _)| line_start + at)
        };
        let first = back(place.start);
        let rest = &text[place.start..];
        let line_end = rest.find('\n').unwrap_or(rest.len());
        let last = rest[..line_end].char_indices().nth(2 * AROUND);
        let last = place.start + last.map_or(line_end, |(at, _)| at);
        let end = place.end.clamp(place.start, last);
        let path = visible(&source.path);
        let (message, label) = (visible(&diagnostic.message), visible(&diagnostic.label));
        let dots = |is_cut: bool| if is_cut { "…" } else { "" };
        let (before, after) = (dots(first > line_start), dots(last < place.start + line_end));
        let shown = format!("{before}{}{after}", &text[first..last]);
        let (place, end) = (place.start - first + before.len(), end - first + before.len());
        let annotation = AnnotationKind::Primary.span(place..end).label(&*label);
        let origin = Origin::path(&*path).line(line).char_column(column);
        let snippet = Snippet::source(&*shown).line_start(line).annotation(annotation);
        let title = level(diagnostic.severity).primary_title(&*message).id(diagnostic.code);
        let mut main = Group::with_title(title).element(origin).element(snippet);
        let fix = diagnostic.fix.as_ref().map(|fix| &fix.title);
        let advice: Vec<Cow<'_, str>> =
            diagnostic.advice.iter().chain(fix).map(|advice| visible(advice)).collect();
        for advice in &advice {
            main = main.element(Level::HELP.message(&**advice));
        }
        // The place stands in a line of its own, and the renderer says again that a file goes on.
        let rendered = renderer.render(&[main]);
        let lines = rendered.lines().filter(|line| !is_only_colons(line));
        lines.collect::<Vec<_>>().join("\n")
    }

    fn render(&self, diagnostic: &Diagnostic, renderer: &Renderer) -> String {
        if self.is_long(diagnostic) {
            return self.render_cut(diagnostic, renderer);
        }
        let source = &self.sources[diagnostic.file];
        let path = visible(&source.path);
        let (message, label) = (visible(&diagnostic.message), visible(&diagnostic.label));
        let advice: Vec<Cow<'_, str>> =
            diagnostic.advice.iter().map(|said| visible(said)).collect();
        let range = |span: Span| within(&source.text, span);
        let mut snippet = Snippet::source(source.text.as_str())
            .path(&*path)
            .annotation(AnnotationKind::Primary.span(range(diagnostic.span)).label(&*label));
        for (span, label) in &diagnostic.related {
            let context = AnnotationKind::Context.span(range(*span)).label(label.as_str());
            snippet = snippet.annotation(context);
        }
        let mut main = Group::with_title(
            level(diagnostic.severity).primary_title(&*message).id(diagnostic.code),
        )
        .element(snippet);
        for advice in &advice {
            main = main.element(Level::HELP.message(&**advice));
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
        let (shown, left) = self.first_of_each();
        let diagnostics: Vec<Json> = shown
            .map(|d| {
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
            })
            .collect();
        let left = left.into_iter();
        let left =
            left.map(|(file, count)| json!({ "file": self.sources[file].path, "count": count }));
        json!({
            "errors": self.errors(),
            "warnings": self.warnings(),
            "diagnostics": diagnostics,
            "more": left.collect::<Vec<_>>(),
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
        let (shown, left) = self.first_of_each();
        let more: usize = left.iter().map(|(_, count)| count).sum();
        let results = shown.map(|d| {
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
                "properties": { "more": more },
                "results": results.collect::<Vec<_>>(),
            }],
        })
    }

    /// Whether a line that is to be shown is longer than what a terminal holds.
    fn is_long(&self, diagnostic: &Diagnostic) -> bool {
        let text = &self.sources[diagnostic.file].text;
        let fixed = diagnostic.fix.iter().flat_map(|fix| fix.edits.iter().map(|(span, _)| *span));
        let related = diagnostic.related.iter().map(|(span, _)| *span);
        std::iter::once(diagnostic.span).chain(related).chain(fixed).any(|span| {
            let place = within(text, span);
            let before = text[..place.start].bytes().rev().take(LONGEST_LINE + 1);
            let after = text[place.start..].bytes().take(LONGEST_LINE + 1);
            let count = before.take_while(|byte| *byte != b'\n').count()
                + after.take_while(|byte| *byte != b'\n').count();
            count > LONGEST_LINE
        })
    }

    fn indices(&self) -> Vec<LineIndex> {
        self.sources.iter().map(|source| LineIndex::new(&source.text)).collect()
    }
}

/// How many mistakes of a file are shown; the others are counted.
pub const MOST_SHOWN: usize = 100;

/// How long a line may be that is shown as a whole, in bytes.
const LONGEST_LINE: usize = 400;

/// How many characters of a longer one are shown before a place, and half as many as after it.
const AROUND: usize = 40;

/// Whether nothing but three colons stands in a line, whatever colour they have.
fn is_only_colons(line: &str) -> bool {
    let mut plain = line.split('\u{1b}').enumerate().map(|(at, piece)| match at {
        0 => piece.trim(),
        _ => piece.split_once('m').map_or("", |(_, rest)| rest).trim(),
    });
    plain.by_ref().filter(|piece| !piece.is_empty()).eq([":::"])
}

fn level(severity: Severity) -> Level<'static> {
    match severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
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
