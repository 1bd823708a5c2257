//! A component's style sheet, rewritten so that it reaches only the component's own elements.
//!
//! What a selector can select carries `data-of` with the component's name ([`crate::marks`]), and the selector asks for it:
//! `[data-of~=…]`, also inside `:has()`; the compounds before it may stand anywhere, so that a theme set on the page can be
//! asked for. For a class that the component gives to another's root it asks for the mark of that, too. Names of
//! keyframes get the component's name.
//! Everything else stays as it was written (CSS Syntax 3, Selectors 4, CSS Nesting 1).

mod pieces;
mod selectors;

use crate::diagnostics::BadStyle;
use crate::marks::Reach;
use crate::scope::Checker;
use crate::values::{self, Part};
use cssparser::Parser;
use pieces::{DEEPEST, Kind, Piece, tokens};
use std::sync::LazyLock;
use vein_syntax::Span;

impl Checker<'_> {
    /// Takes in the style sheet at a place of the component's text.
    pub(crate) fn style(&mut self, at: Span) {
        let css = self.text.get(at.range()).unwrap_or("");
        let rewritten = read(css, &self.plan.name, self.reach, false);
        for (start, end, problem) in rewritten.problems {
            let span = Span { start: at.start + start as u32, end: at.start + end as u32 };
            self.report(BadStyle { problem }, span);
        }
        self.plan.style = rewritten.css.into();
    }
}

struct Rewritten {
    css: String,
    /// Where, and what is wrong there.
    problems: Vec<(usize, usize, String)>,
    subjects: Vec<Subject>,
}

/// What a selector asks of the element that it selects, as far as it is known before anything runs.
#[derive(Clone, Debug, Default)]
pub(crate) struct Subject {
    /// Its name; any where there is none.
    pub(crate) element: Option<String>,
    /// Its classes, with their places in the style sheet.
    pub(crate) classes: Vec<(usize, usize, String)>,
    pub(crate) ids: Vec<String>,
}

impl Subject {
    /// What an element is asked for as `&` and besides.
    fn and(&self, other: &Subject) -> Subject {
        let mut both = self.clone();
        both.element = both.element.or_else(|| other.element.clone());
        both.classes.extend(other.classes.iter().cloned());
        both.ids.extend(other.ids.iter().cloned());
        both
    }
}

/// What the rules of a style sheet select.
pub(crate) fn subjects(css: &str) -> Vec<Subject> {
    read(css, "x-x", &Reach::default(), false).subjects
}

/// What is wrong in the declarations of an attribute `style`, with their places in it.
pub(crate) fn problems_of_declarations(css: &str) -> Vec<(usize, usize, String)> {
    read(css, "x-x", &Reach::default(), true).problems
}

/// Whether a property is one of CSS.
fn is_property(name: &str) -> bool {
    PROPERTIES.binary_search(&name).is_ok() || name.starts_with('-')
}

/// The properties of CSS, sorted.
static PROPERTIES: LazyLock<Vec<&str>> = LazyLock::new(|| {
    let lines =
        include_str!("../../data/properties.txt").lines().filter(|line| !line.starts_with('#'));
    let mut all: Vec<&str> = lines.flat_map(str::split_ascii_whitespace).collect();
    all.sort_unstable();
    all
});

fn read(css: &str, component: &str, reach: &Reach, in_rule: bool) -> Rewritten {
    let mut pieces = Vec::new();
    tokens(&mut Parser::new(css), css, 0, &mut pieces);
    if let Some(deep) = pieces.iter().find(|piece| piece.kind == Kind::Deep) {
        let said = format!("brackets stand more than {DEEPEST} deep in each other");
        let problems = vec![(deep.start, (deep.start + 1).min(css.len()), said)];
        return Rewritten { css: String::new(), problems, subjects: Vec::new() };
    }
    let mut names = Vec::new();
    for pair in pieces.windows(3) {
        if let [Piece { kind: Kind::At(at), .. }, _, Piece { kind: Kind::Ident(name), .. }] = pair
            && at.ends_with("keyframes")
        {
            names.push(name.clone());
        }
    }
    let mut rewriter = Rewriter {
        css,
        component,
        reach,
        rule: None,
        keyframes: names,
        pieces: &pieces,
        edits: Vec::new(),
        problems: Vec::new(),
        subjects: Vec::new(),
    };
    rewriter.block(0, pieces.len(), in_rule);
    let Rewriter { mut edits, problems, subjects, .. } = rewriter;
    edits.sort_by_key(|(place, _)| *place);
    let css = applied(css, 0..css.len(), &edits).trim().to_owned();
    Rewritten { css, problems, subjects }
}

/// What is said of what stands where a rule has to.
const NO_SELECTOR: &str = "a rule has a selector and `{ … }`";

/// A part of a text with others put into it, in the order of their places.
fn applied(text: &str, part: std::ops::Range<usize>, edits: &[(usize, String)]) -> String {
    let (mut out, mut at) = (String::new(), part.start);
    for (place, more) in edits {
        out.push_str(&text[at..*place]);
        out.push_str(more);
        at = *place;
    }
    out + &text[at..part.end]
}

struct Rewriter<'a> {
    css: &'a str,
    component: &'a str,
    reach: &'a Reach,
    /// The rule around what is read.
    rule: Option<Around>,
    keyframes: Vec<String>,
    pieces: &'a [Piece],
    /// Texts to put in at places.
    edits: Vec<(usize, String)>,
    problems: Vec<(usize, usize, String)>,
    subjects: Vec<Subject>,
}

/// A rule, while what stands in it is read.
///
/// What it declares is for elements with the mark; `&` in a rule inside of it stands for any, since what is before the last
/// combinator may be anywhere. So it is ended and begun again where the two meet.
struct Around {
    /// What it selects.
    subjects: Vec<Subject>,
    /// Its selectors as they were written and with marks, and then the at-rules in it that are open.
    open: Vec<(String, String)>,
    /// Whether it was begun with marks.
    marked: bool,
}

impl Rewriter<'_> {
    /// Has the rule around go on with marks or without.
    fn go_on(&mut self, marked: bool, at: usize) {
        let Some(rule) = self.rule.as_mut().filter(|rule| rule.marked != marked) else { return };
        rule.marked = marked;
        let ended = "}".repeat(rule.open.len());
        let begun = rule.open.iter().map(|(plain, with)| if marked { with } else { plain });
        let begun: String = begun.map(|one| format!(" {} {{", one.trim_end())).collect();
        self.edits.push((self.pieces[at].start, ended + &begun + " "));
    }

    /// Rules, and inside a rule declarations too.
    fn block(&mut self, mut at: usize, end: usize, in_rule: bool) {
        while at < end {
            match &self.pieces[at].kind {
                Kind::Space => at += 1,
                Kind::Semicolon => {
                    if !in_rule {
                        let said = "a `;` between rules takes the rule that follows with it";
                        self.problem(at, at + 1, said);
                    }
                    at += 1;
                }
                Kind::Bad => {
                    self.problem(at, at + 1, "a bracket or a string does not end, or ends twice");
                    at += 1;
                }
                Kind::At(name) => {
                    let name = name.clone();
                    at = self.at_rule(&name, at, end);
                }
                _ => at = self.rule_or_declaration(at, end, in_rule),
            }
        }
    }

    /// The `{` or `;` that comes next outside other brackets.
    fn next_stop(&self, mut at: usize, end: usize) -> usize {
        while at < end {
            match &self.pieces[at].kind {
                Kind::Open('{') | Kind::Semicolon => return at,
                Kind::Open(_) | Kind::Function(_) => at = self.closing(at, end) + 1,
                _ => at += 1,
            }
        }
        end
    }

    /// Where the bracket closes that opens at a piece.
    fn closing(&self, open: usize, end: usize) -> usize {
        let mut depth = 0;
        for at in open..end {
            match &self.pieces[at].kind {
                Kind::Open(_) | Kind::Function(_) => depth += 1,
                Kind::Close(_) => depth -= 1,
                // An unclosed bracket ends with the sheet.
                Kind::Bad if self.pieces[at].start == self.css.len() => depth -= 1,
                _ => {}
            }
            if depth == 0 {
                return at;
            }
        }
        end.saturating_sub(1)
    }

    /// Where a block closes; reports one that does not.
    fn closed(&mut self, open: usize, end: usize) -> usize {
        let close = self.closing(open, end);
        if self.pieces[close].kind == Kind::Bad {
            self.problem(open, open + 1, "this `{` is never closed");
        }
        close
    }

    fn at_rule(&mut self, name: &str, at: usize, end: usize) -> usize {
        let stop = self.next_stop(at, end);
        if let Some(near) = values::unknown("@rules", name) {
            return self.skipped(at, stop, end, format!("CSS has no rule `@{name}`{near}"));
        }
        if let Some(bad) = (at..stop).find(|at| self.pieces[*at].kind == Kind::Bad) {
            let is_open = |at: &usize| {
                matches!(self.pieces[*at].kind, Kind::Open(_) | Kind::Function(_))
                    && self.closing(*at, end) == bad
            };
            let at = (at..bad).find(is_open).unwrap_or(bad);
            self.problem(at, at + 1, "this bracket or string does not end");
            return end;
        }
        if name == "media" {
            self.media(at + 1, stop);
        }
        if name == "import" {
            self.problem(
                at,
                stop,
                "`@import` reaches further than this component: name the file in `vein.toml`",
            );
        }
        if stop >= end || self.pieces[stop].kind == Kind::Semicolon {
            return stop + 1;
        }
        let close = self.closed(stop, end);
        if name.ends_with("keyframes") {
            let renamed = self.pieces[at..stop].iter().find(|p| matches!(p.kind, Kind::Ident(_)));
            if let Some(piece) = renamed {
                self.edits.push((piece.end, format!("-{}", self.component)));
            }
        } else if matches!(
            name,
            "media" | "supports" | "container" | "layer" | "scope" | "starting-style"
        ) {
            let prelude =
                self.css[self.pieces[at].start..self.pieces[stop].start].trim().to_owned();
            // In a scope, `&` is its root.
            let around = if name == "scope" { self.rule.take() } else { None };
            if let Some(rule) = &mut self.rule {
                rule.open.push((prelude.clone(), prelude));
            }
            self.block(stop + 1, close, true);
            if let Some(rule) = &mut self.rule {
                rule.open.pop();
            }
            self.rule = around.or(self.rule.take());
        }
        close + 1
    }

    /// Reports what no browser reads, and goes on after its block.
    fn skipped(&mut self, at: usize, stop: usize, end: usize, problem: impl Into<String>) -> usize {
        self.problem(at, stop, problem);
        let next = self.next_stop(stop.max(at + 1), end);
        match self.pieces.get(next).map(|piece| &piece.kind) {
            Some(Kind::Open('{')) if next < end => self.closing(next, end) + 1,
            _ => next + 1,
        }
    }

    /// A list of media queries: types, and features in brackets (Media Queries 5).
    fn media(&mut self, from: usize, to: usize) {
        let words = ["not", "only", "and", "or", "all", "screen", "print"];
        let mut depth = 0;
        for at in from..to {
            match &self.pieces[at].kind {
                Kind::Ident(word) if depth == 0 => {
                    let word = word.to_ascii_lowercase();
                    if !words.contains(&word.as_str()) {
                        let near = vein_plan::nearest(&word, words);
                        let near = near.map(|near| format!(": did you mean `{near}`?"));
                        let near = near.unwrap_or_else(|| ": a feature stands in brackets".into());
                        self.problem(at, at + 1, format!("there are no media `{word}`{near}"));
                    }
                }
                Kind::Open(_) | Kind::Function(_) => {
                    depth += 1;
                    if self.pieces[at].kind == Kind::Open('(') {
                        self.media_feature(at + 1, self.closing(at, to));
                    }
                }
                Kind::Close(_) => depth -= 1,
                _ => {}
            }
        }
    }

    /// `(width > 30em)`, `(max-width: 30em)`, `(hover)`; others stand in it.
    fn media_feature(&mut self, from: usize, to: usize) {
        let mut inside = (from..to).filter(|at| self.pieces[*at].kind != Kind::Space);
        if inside
            .clone()
            .any(|at| matches!(self.pieces[at].kind, Kind::Open(_) | Kind::Function(_)))
        {
            return;
        }
        let named = inside.clone().find_map(|at| match &self.pieces[at].kind {
            Kind::Ident(name) => Some((at, name.to_ascii_lowercase())),
            _ => None,
        });
        let Some((at, name)) = named else {
            let said = "a media feature is a name, or a name, `:` and a value";
            return self.problem(from.saturating_sub(1), to, said);
        };
        if let Some(near) = values::unknown("@media", &name) {
            return self.problem(at, at + 1, format!("there is no media feature `{name}`{near}"));
        }
        let first = inside.next() == Some(at);
        let next = inside.next().map(|at| &self.pieces[at].kind);
        let follows = matches!(next, None | Some(Kind::Colon | Kind::Delim('<' | '>' | '=')));
        if first && !follows {
            self.problem(at, to, format!("a `:` belongs after `{name}`"));
        }
    }

    fn rule_or_declaration(&mut self, at: usize, end: usize, in_rule: bool) -> usize {
        let custom = matches!(&self.pieces[at].kind, Kind::Ident(name) if name.starts_with("--"))
            && self.pieces.get(at + 1).is_some_and(|p| p.kind == Kind::Colon);
        let mut stop = self.next_stop(at, end);
        if custom && in_rule {
            self.go_on(true, at);
            while stop < end && self.pieces[stop].kind != Kind::Semicolon {
                stop = self.next_stop(self.closing(stop, end) + 1, end);
            }
            return stop + 1;
        }
        if stop == at && stop < end && self.pieces[stop].kind == Kind::Open('{') {
            self.problem(at, at + 1, NO_SELECTOR);
            let close = self.closed(stop, end);
            self.block(stop + 1, close, true);
            return close + 1;
        }
        if stop < end && self.pieces[stop].kind == Kind::Open('{') {
            self.go_on(false, at);
            let (edits, subjects) = (self.edits.len(), self.subjects.len());
            self.selectors(at, stop);
            let close = self.closed(stop, end);
            // What stands in the brackets of a pseudo-element is marked before what it belongs to.
            self.edits[edits..].sort_by_key(|(place, _)| *place);
            let plain = self.pieces[at].start..self.pieces[stop - 1].end;
            let with = applied(self.css, plain.clone(), &self.edits[edits..]);
            let open = vec![(self.css[plain].to_owned(), with)];
            let subjects = self.subjects[subjects..].to_vec();
            let marked = !self.begins_with_rule(stop + 1, close);
            if !marked {
                self.edits.truncate(edits);
            }
            let rule = Some(Around { subjects, open, marked });
            let around = std::mem::replace(&mut self.rule, rule);
            self.block(stop + 1, close, true);
            self.rule = around;
            return close + 1;
        }
        if in_rule {
            self.go_on(true, at);
            self.declaration(at, stop);
        } else {
            self.problem(at, stop, NO_SELECTOR);
        }
        stop + 1
    }

    /// Whether a rule comes first in a block.
    fn begins_with_rule(&self, at: usize, end: usize) -> bool {
        let ignored = [Kind::Space, Kind::Semicolon];
        let Some(first) = (at..end).find(|at| !ignored.contains(&self.pieces[*at].kind)) else {
            return false;
        };
        let named = matches!(self.pieces[first].kind, Kind::At(_) | Kind::Bad);
        let custom =
            matches!(&self.pieces[first].kind, Kind::Ident(name) if name.starts_with("--"));
        let stop = self.next_stop(first, end);
        !named && !custom && stop < end && self.pieces[stop].kind == Kind::Open('{')
    }

    /// Names of this component's keyframes, where an animation uses them.
    fn declaration(&mut self, at: usize, end: usize) {
        let colon = (at + 1..end).find(|next| self.pieces[*next].kind != Kind::Space);
        let declares = colon.is_some_and(|next| self.pieces[next].kind == Kind::Colon);
        let property = match &self.pieces[at].kind {
            Kind::Ident(property) if declares => property.to_ascii_lowercase(),
            _ => return self.problem(at, end, "a declaration is a property, `:` and a value"),
        };
        if !is_property(&property) {
            let near = vein_plan::nearest(&property, PROPERTIES.iter().copied());
            let near = near.map(|near| format!(": did you mean `{near}`?")).unwrap_or_default();
            return self.problem(at, at + 1, format!("CSS has no property `{property}`{near}"));
        }
        self.value(&property, colon.unwrap_or(at) + 1, end);
        if !property.ends_with("animation") && !property.ends_with("animation-name") {
            return;
        }
        for piece in &self.pieces[at + 1..end] {
            if matches!(&piece.kind, Kind::Ident(name) if self.keyframes.contains(name)) {
                self.edits.push((piece.end, format!("-{}", self.component)));
            }
        }
    }

    /// What may not stand in a property's value, outside functions.
    fn value(&mut self, property: &str, from: usize, to: usize) {
        let mut at = from;
        while at < to {
            let piece = &self.pieces[at];
            let written = &self.css[piece.start..piece.end];
            let part = match &piece.kind {
                Kind::Open(_) | Kind::Function(_) => {
                    at = self.closing(at, to) + 1;
                    continue;
                }
                Kind::Delim('!') => {
                    let rest = &self.css[piece.end..self.pieces[to - 1].end];
                    if !rest.trim().eq_ignore_ascii_case("important") {
                        self.problem(at, to, "what stands after `!` is `important`");
                    }
                    return;
                }
                Kind::Ident(word) => Part::Word(word),
                Kind::Number => Part::Number(written),
                Kind::Dimension(unit) => Part::Dimension(written, unit),
                Kind::Hash(digits) => Part::Hash(digits),
                _ => {
                    at += 1;
                    continue;
                }
            };
            if let Some(problem) = values::problem(property, &part) {
                return self.problem(at, at + 1, problem);
            }
            at += 1;
        }
    }

    fn problem(&mut self, at: usize, end: usize, problem: impl Into<String>) {
        let start = self.pieces[at].start;
        let end = self.pieces[at..end.max(at + 1)].last().map_or(start, |piece| piece.end);
        self.problems.push((start, end, problem.into()));
    }
}

#[cfg(test)]
mod tests {
    use super::{Reach, Rewritten, read};

    fn rewrite(css: &str, component: &str) -> Rewritten {
        read(css, component, &Reach::default(), false)
    }

    #[test]
    fn nothing_is_no_selector() {
        for css in ["a, { }", ", a { }", "a,, b { }", "a:has() { }", "; a { }", "a { };"] {
            assert!(!rewrite(css, "x-y").problems.is_empty(), "{css}");
        }
        for css in [
            "a { ; color: red;; }",
            "a { b { }; }",
            "a,b{}",
            "a:is() { }",
            "@layer base, own; a { }",
            "@media (hover) { ; a { } }",
        ] {
            assert_eq!(rewrite(css, "x-y").problems, [], "{css}");
        }
    }

    #[test]
    fn lists_in_lists_multiply_to_an_end() {
        let css = format!(".a, .b {{ {}color: red{}", "&, & > i { ".repeat(40), " }".repeat(41));
        let done = rewrite(&css, "x-y");
        assert!(done.problems.is_empty(), "{:?}", done.problems);
        assert!(
            done.subjects.len() <= super::selectors::MOST_SUBJECTS + 80,
            "{}",
            done.subjects.len()
        );
        assert_eq!(done.css.matches("[data-of~=x-y]").count(), 2);
    }

    #[test]
    fn rules_reach_only_own_elements() {
        for (css, wanted) in [
            (".a { color: red }", ".a[data-of~=x-y] { color: red }"),
            ("a, b > c { }", "a[data-of~=x-y], b > c[data-of~=x-y] { }"),
            (".night .bed:hover { }", ".night .bed:hover[data-of~=x-y] { }"),
            ("p::before, p:after { }", "p[data-of~=x-y]::before, p[data-of~=x-y]:after { }"),
            ("::selection { }", "[data-of~=x-y]::selection { }"),
            ("* { }", "*[data-of~=x-y] { }"),
            ("a[href='x,y'] { }", "a[href='x,y'][data-of~=x-y] { }"),
            (".a:is(b, c) { }", ".a:is(b, c)[data-of~=x-y] { }"),
            (".a:has(> .b) { }", ".a:has(> .b[data-of~=x-y])[data-of~=x-y] { }"),
            ("@media (width > 30em) { p { } }", "@media (width > 30em) { p[data-of~=x-y] { } }"),
            (
                ".a { color: red; &:hover { } .b & { } > i { } --x: { y } ; }",
                ".a[data-of~=x-y] { color: red; } .a { &:hover[data-of~=x-y] { } .b &[data-of~=x-y] { } \
                 > i[data-of~=x-y] { } } .a[data-of~=x-y] { --x: { y } ; }",
            ),
            (".night { .bed { color: red } }", ".night { .bed[data-of~=x-y] { color: red } }"),
            (
                "p { @media (hover) { color: red; ::before { } i, b { } } margin: 0 }",
                "p[data-of~=x-y] { @media (hover) { color: red; }} p { @media (hover) { \
                 [data-of~=x-y]::before { } i[data-of~=x-y], b[data-of~=x-y] { } } } \
                 p[data-of~=x-y] { margin: 0 }",
            ),
            (
                "p { i { @scope (p) { & { color: red } } } }",
                "p { i[data-of~=x-y] { @scope (p) { &[data-of~=x-y] { color: red } } } }",
            ),
            (
                "@keyframes drip { to { top: 0 } } p { animation: drip 2s, sway 1s }",
                "@keyframes drip-x-y { to { top: 0 } } \
                 p[data-of~=x-y] { animation: drip-x-y 2s, sway 1s }",
            ),
            ("@font-face { src: url(a.woff) }", "@font-face { src: url(a.woff) }"),
            ("/* a { } */ p { }", "/* a { } */ p[data-of~=x-y] { }"),
            (
                "@media screen and (min-width: 10em) and (not (hover)), (10px < width <= 2in) { i { } }",
                "@media screen and (min-width: 10em) and (not (hover)), (10px < width <= 2in) { \
                 i[data-of~=x-y] { } }",
            ),
            (
                "i { color: RED !important; font: italic 12px/1.5 A, serif; margin: -1px auto 0 }",
                "i[data-of~=x-y] { color: RED !important; font: italic 12px/1.5 A, serif; \
                 margin: -1px auto 0 }",
            ),
            (
                "i { width: calc(3 * 2p); --x: 3 foo; animation: a 1s; flex: 1 1 0; inset: var(--y) }",
                "i[data-of~=x-y] { width: calc(3 * 2p); --x: 3 foo; animation: a 1s; flex: 1 1 0; \
                 inset: var(--y) }",
            ),
        ] {
            let done = rewrite(css, "x-y");
            assert_eq!((done.css.as_str(), done.problems.len()), (wanted, 0), "{css}");
        }
    }

    #[test]
    fn mistakes_are_found() {
        for css in [
            "p { color: red",
            ".b % { }",
            "p }",
            "color: red;",
            "@import 'a.css';",
            "p { colr: red }",
            "p { color red }",
            "p { color }",
            "..x { color: red }",
            "p { color: red; 3px; margin: 0 }",
            "p { color: rde }",
            "p { display: flexx }",
            "p { text-align: centre }",
            "p { border: 1px soldi red }",
            "p { margin: 3 }",
            "p { margin: 0 3px 2p }",
            "p { color: #ff }",
            "p { color: 3px }",
            "p { z-index: 2px }",
            "p { transition: opacity 2 }",
            "p { color: red !importnat }",
            "p:hoverr { }",
            "p::befor { }",
            "@media (max-width: 100px { p { } }",
            "@media (max-widht: 100px) { p { } }",
            "@media (max-width 100px) { p { } }",
            "@media max-width: 100px { p { } }",
            "@media (100px) { p { } }",
            "@mdia (width > 1px) { p { } }",
        ] {
            assert_eq!(rewrite(css, "x-y").problems.len(), 1, "{css}");
        }
    }
}
