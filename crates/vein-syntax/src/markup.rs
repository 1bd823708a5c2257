//! Markup: elements, text and comments, with a stack instead of recursion.

use crate::ast::{Attribute, Element, Ident, Node, TextPiece};
use crate::attribute::AttributeContext;
use crate::braces::{closing_brace, markup_inside};
use crate::elements::{
    adjusted_element, holds_only_text, is_component_name, is_void, keeps_white_space,
    shows_no_space, stands_alone,
};
use crate::error::{SyntaxError, SyntaxErrorKind, Unclosed};
use crate::parser::Parser;
use crate::references::decode;
use crate::span::{Span, SpanMap};
use crate::token::lex;
use vein_plan::program::Namespace;

/// How deep elements may be nested. Browsers stop at about the same depth.
pub const DEEPEST_MARKUP: usize = 400;

pub(crate) struct Markup<'a> {
    pub(crate) text: &'a str,
    pub(crate) at: usize,
    pub(crate) errors: &'a mut Vec<SyntaxError>,
    open: Vec<Open>,
    roots: Vec<Node>,
    style: Option<Span>,
    run: Vec<Raw>,
    /// What is declared after markup has begun, which is told once.
    declarations: Vec<crate::ast::Declaration>,
    /// After a brace that nothing closes, no further ones are looked for.
    braces_broken: bool,
}

struct Open {
    element: Element,
    /// An end tag of another name that was met directly inside.
    stray_end: Option<(String, Span)>,
}

/// A piece of a run of text, before its white space is settled.
enum Raw {
    Static(Span),
    Expr(crate::ast::Expr),
}

/// Parses the markup that stands from `at` to the end of the text.
pub(crate) fn parse_markup(
    text: &str,
    at: usize,
    errors: &mut Vec<SyntaxError>,
) -> (Vec<Node>, Option<Span>, Vec<crate::ast::Declaration>) {
    let mut markup = Markup {
        text,
        at,
        errors,
        open: Vec::new(),
        roots: Vec::new(),
        style: None,
        run: Vec::new(),
        declarations: Vec::new(),
        braces_broken: false,
    };
    markup.run();
    (markup.roots, markup.style, markup.declarations)
}

impl Markup<'_> {
    fn run(&mut self) {
        while self.at < self.text.len() {
            let rest = self.rest();
            if rest.starts_with("<!--") {
                self.comment();
            } else if rest.starts_with("</") {
                self.end_tag();
            } else if rest.starts_with('<')
                && rest[1..].starts_with(|c: char| c.is_ascii_alphabetic())
            {
                if self.open.len() >= DEEPEST_MARKUP {
                    self.error(SyntaxErrorKind::TooDeep, Span::new(self.at, self.at + 1));
                    break;
                }
                self.start_tag();
            } else {
                self.text_piece();
            }
        }
        self.end_run();
        let too_deep = self.at < self.text.len();
        while !self.open.is_empty() {
            self.close_top(if too_deep { Closing::Quietly } else { Closing::Missing(None) });
        }
        drop_last_space(&mut self.roots);
    }

    pub(crate) fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    pub(crate) fn error(&mut self, kind: SyntaxErrorKind, span: Span) {
        self.errors.push(SyntaxError { kind, span });
    }

    fn comment(&mut self) {
        match self.rest()[4..].find("-->") {
            Some(end) => self.at += 4 + end + 3,
            None => {
                let kind = SyntaxErrorKind::Unclosed(Unclosed::MarkupComment);
                self.error(kind, Span::new(self.at, self.at + 4));
                self.at = self.text.len();
            }
        }
    }

    /// Text up to the next `<`, or one interpolation.
    fn text_piece(&mut self) {
        let rest = self.rest();
        if rest.starts_with('<') {
            self.error(SyntaxErrorKind::StrayAngle, Span::new(self.at, self.at + 1));
            self.run.push(Raw::Static(Span::new(self.at, self.at + 1)));
            self.at += 1;
        } else if rest.starts_with('{') && !self.braces_broken {
            self.interpolation();
        } else if self.open.is_empty()
            && let Some(from) = misplaced_declaration(rest)
        {
            self.late_declarations(self.at + from);
        } else {
            let skip = usize::from(rest.starts_with('{'));
            let stop = |c: char| c == '<' || (c == '{' && !self.braces_broken);
            let end = rest[skip..].find(stop).map_or(self.text.len(), |i| self.at + skip + i);
            self.run.push(Raw::Static(Span::new(self.at, end)));
            self.at = end;
        }
    }

    /// Reads what is declared after markup as if it stood before it, and says once that it belongs there.
    fn late_declarations(&mut self, from: usize) {
        if from > self.at {
            self.run.push(Raw::Static(Span::new(self.at, from)));
        }
        let rest = &self.text[from..];
        let to = from + crate::markup_start(rest);
        if self.declarations.is_empty() {
            let verb = rest.find(char::is_whitespace).unwrap_or(rest.len());
            self.error(SyntaxErrorKind::MisplacedDeclaration, Span::new(from, from + verb));
        }
        let tokens = lex(&self.text[from..to], &SpanMap::verbatim(from), self.errors);
        let read = Parser::new(&tokens, self.errors, false).declarations();
        self.declarations.extend(read);
        self.at = to;
    }

    fn interpolation(&mut self) {
        let open = self.at;
        let Some(close) = closing_brace(self.text, open + 1) else {
            if let Some((tag, close)) = markup_inside(self.text, open + 1) {
                let each = self.text[open..tag].contains("=>");
                self.error(SyntaxErrorKind::MarkupInValue { each }, Span::new(tag, tag + 1));
                self.at = close + 1;
                return;
            }
            self.error(SyntaxErrorKind::UnclosedInterpolation, Span::new(open, open + 1));
            self.braces_broken = true;
            let rest = &self.text[open..];
            self.at = open + rest.find(['\n', '<']).unwrap_or(rest.len());
            return;
        };
        self.at = close + 1;
        let expr = interpolated(self.text, open, close, None, self.errors);
        self.run.push(Raw::Expr(expr));
    }

    fn end_tag(&mut self) {
        let start = self.at;
        self.at += 2;
        let name = self.tag_name();
        let rest = self.rest();
        let end = rest.find(['>', '<']).unwrap_or(rest.len());
        let closed = rest[end..].starts_with('>');
        let blank = rest[..end].trim().is_empty();
        self.at += end + usize::from(closed);
        if !closed || !blank || name.name.is_empty() {
            self.error(SyntaxErrorKind::UnclosedAngle, Span::new(start, name.span.end as usize));
        }
        self.end_run();
        let wanted = name.name.to_ascii_lowercase();
        let is_it = |open: &Open| open.element.name.name.eq_ignore_ascii_case(&wanted);
        match self.open.iter().rposition(is_it) {
            Some(depth) => {
                while self.open.len() > depth + 1 {
                    let instead = (name.name.clone(), name.span);
                    self.close_top(Closing::Missing(Some(instead)));
                }
                self.open[depth].element.end_name = Some(name.span);
                self.close_top(Closing::EndTag);
            }
            None if is_void(&wanted) => {
                self.error(SyntaxErrorKind::VoidEndTag(wanted), name.span);
            }
            None => match self.open.last_mut() {
                Some(top) if top.stray_end.is_none() => {
                    top.stray_end = Some((name.name, name.span));
                }
                _ => self.error(SyntaxErrorKind::StrayEndTag(name.name), name.span),
            },
        }
    }

    /// Ends the innermost open element and hands it to its parent.
    fn close_top(&mut self, closing: Closing) {
        let Some(Open { mut element, stray_end }) = self.open.pop() else { return };
        drop_last_space(&mut element.children);
        let opened = Span {
            start: element.start_tag.start,
            end: element.name.span.end.max(element.start_tag.start),
        };
        match (closing, stray_end) {
            (Closing::Quietly | Closing::EndTag, None) => {}
            (Closing::Quietly, Some(_)) => {}
            (Closing::EndTag, Some((found, span))) => {
                self.error(SyntaxErrorKind::StrayEndTag(found), span);
            }
            (Closing::Missing(_), Some((found, span))) => {
                let expected = element.name.name.clone();
                self.error(SyntaxErrorKind::MismatchedEndTag { found, expected, opened }, span);
            }
            (Closing::Missing(instead), None) => {
                let name = element.name.name.clone();
                self.error(SyntaxErrorKind::UnclosedElement { name, instead }, opened);
            }
        }
        self.add(Node::Element(element));
    }

    /// Adds a node to what is open. White space with a line break is left out at the beginning and beside what stands on lines
    /// of its own.
    fn add(&mut self, node: Node) {
        let (siblings, shows) = match self.open.last_mut() {
            Some(Open { element, .. }) => {
                let shows = !shows_no_space(&element.name.name, element.namespace);
                (&mut element.children, shows)
            }
            None => (&mut self.roots, true),
        };
        match node {
            Node::Space => {
                let beside = siblings.last();
                let in_line =
                    beside.is_some_and(|node| *node != Node::Space && !is_block(node)) && shows;
                if in_line {
                    siblings.push(node);
                }
                return;
            }
            _ if is_block(&node) => drop_last_space(siblings),
            _ => {}
        }
        siblings.push(node);
    }

    /// The letters of a tag's name; where they are missing, an empty name.
    fn tag_name(&mut self) -> Ident {
        let rest = self.rest();
        let len = rest
            .find(|c: char| c.is_whitespace() || matches!(c, '/' | '>' | '<' | '=' | '"' | '\''))
            .unwrap_or(rest.len());
        let name = rest[..len].to_owned();
        let span = Span::new(self.at, self.at + len);
        self.at += len;
        Ident { name, span }
    }

    fn start_tag(&mut self) {
        self.end_run();
        let start = self.at;
        self.at += 1;
        let written = self.tag_name();
        let parent =
            self.open.last().map(|open| (open.element.namespace, open.element.name.name.as_str()));
        let (namespace, name) = adjusted_element(&written.name, parent);
        let context = AttributeContext {
            namespace,
            on_component: is_component_name(&name),
            tag: Span::new(start, self.at),
        };
        let (attributes, end) = self.attributes(context);
        let element = Element {
            name: Ident { name, span: written.span },
            namespace,
            attributes,
            children: Vec::new(),
            start_tag: Span::new(start, self.at),
            end_name: None,
        };
        self.begin(element, end);
    }

    fn begin(&mut self, element: Element, end: TagEnd) {
        let name = element.name.name.clone();
        let html = element.namespace == Namespace::Html;
        let void = html && is_void(&name);
        if end == TagEnd::SelfClosed && html && !void && !is_component_name(&name) {
            self.error(SyntaxErrorKind::SelfClosed(name), element.start_tag);
            return self.add(Node::Element(element));
        }
        if void || end != TagEnd::Open {
            return self.add(Node::Element(element));
        }
        if html && matches!(name.as_str(), "style" | "script") {
            return self.raw_text(element);
        }
        let drops_newline = html && matches!(name.as_str(), "pre" | "textarea" | "listing");
        if drops_newline {
            let rest = self.rest();
            self.at +=
                if rest.starts_with("\r\n") { 2 } else { usize::from(rest.starts_with('\n')) };
        }
        let only_text = html && holds_only_text(&name);
        self.open.push(Open { element, stray_end: None });
        if only_text {
            self.only_text(&name);
        }
    }

    /// The content of `<style>` and `<script>`, which is not markup.
    fn raw_text(&mut self, mut element: Element) {
        let name = element.name.name.clone();
        let start = self.at;
        let end = find_end_tag(self.text, start, &name);
        let content = Span::new(start, end.unwrap_or(self.text.len()));
        match end {
            Some(end) => {
                let rest = &self.text[end..];
                self.at = end + rest.find('>').map_or(rest.len(), |i| i + 1);
            }
            None => {
                self.at = self.text.len();
                let opened = Span { start: element.start_tag.start, end: element.name.span.end };
                let kind = SyntaxErrorKind::UnclosedElement { name: name.clone(), instead: None };
                self.error(kind, opened);
            }
        }
        if name == "style" {
            if self.style.is_some() || !self.open.is_empty() {
                self.error(SyntaxErrorKind::MisplacedStyle, element.start_tag);
            } else {
                self.style = Some(content);
            }
        } else {
            let text = self.text[content.range()].to_owned();
            element.children.push(Node::Text(vec![TextPiece::Static(text, content)]));
            self.add(Node::Element(element));
        }
    }

    /// The content of `<textarea>` and `<title>`, up to their end tag.
    fn only_text(&mut self, name: &str) {
        let end = find_end_tag(self.text, self.at, name).unwrap_or(self.text.len());
        while self.at < end {
            let rest = &self.text[self.at..end];
            if rest.starts_with('{') && !self.braces_broken {
                self.interpolation();
                self.at = self.at.min(end);
            } else {
                let skip = usize::from(rest.starts_with('{'));
                let len = rest[skip..].find('{').map_or(rest.len(), |i| skip + i);
                self.run.push(Raw::Static(Span::new(self.at, self.at + len)));
                self.at += len;
            }
        }
    }

    /// Settles the white space of the text gathered since the last tag: a run of it is one space. One with a line break next to a
    /// tag is a node by itself.
    fn end_run(&mut self) {
        let run = std::mem::take(&mut self.run);
        if self.open.iter().any(|o| keeps_white_space(&o.element.name.name)) {
            return self.kept_run(run);
        }
        let mut pieces: Vec<TextPiece> = Vec::new();
        // White space that was met and not written yet, and whether there was a line break in it.
        let mut space = None::<bool>;
        let mut begun = false;
        for raw in run {
            let span = match raw {
                Raw::Expr(expr) => {
                    self.write_space(&mut begun, space.take(), &mut pieces, expr.span);
                    pieces.push(TextPiece::Expr(expr));
                    continue;
                }
                Raw::Static(span) => span,
            };
            let mut rest = &self.text[span.range()];
            while !rest.is_empty() {
                let word = rest.find(is_space).unwrap_or(rest.len());
                if word > 0 {
                    self.write_space(&mut begun, space.take(), &mut pieces, span);
                    match &rest[..word] {
                        word if word.contains('&') => {
                            append(&mut pieces, &decode(word, 0, false).text, span);
                        }
                        word => append(&mut pieces, word, span),
                    }
                    rest = &rest[word..];
                }
                let blank = rest.find(|c| !is_space(c)).unwrap_or(rest.len());
                if blank > 0 {
                    space = Some(space == Some(true) || rest[..blank].contains('\n'));
                    rest = &rest[blank..];
                }
            }
        }
        if space == Some(false) {
            append(&mut pieces, " ", Span::new(self.at, self.at));
        }
        if !pieces.is_empty() {
            self.add(Node::Text(pieces));
        }
        if space == Some(true) {
            self.add(Node::Space);
        }
    }

    /// Writes white space before something else in a run.
    fn write_space(
        &mut self,
        begun: &mut bool,
        space: Option<bool>,
        pieces: &mut Vec<TextPiece>,
        at: Span,
    ) {
        let first = !std::mem::replace(begun, true);
        match space {
            Some(true) if first => self.add(Node::Space),
            Some(_) => append(pieces, " ", at),
            None => {}
        }
    }

    /// Text whose white space stays as it is.
    fn kept_run(&mut self, run: Vec<Raw>) {
        let mut pieces: Vec<TextPiece> = Vec::new();
        for raw in run {
            match raw {
                Raw::Expr(expr) => pieces.push(TextPiece::Expr(expr)),
                Raw::Static(span) => {
                    let text = decode(&self.text[span.range()], span.start as usize, false).text;
                    append(&mut pieces, &text, span);
                }
            }
        }
        if !pieces.is_empty() {
            self.add(Node::Text(pieces));
        }
    }
}

/// Goes on with text.
fn append(pieces: &mut Vec<TextPiece>, text: &str, span: Span) {
    match pieces.last_mut() {
        Some(TextPiece::Static(before, at)) => {
            before.push_str(text);
            *at = at.to(span);
        }
        _ if text.is_empty() => {}
        _ => pieces.push(TextPiece::Static(text.to_owned(), span)),
    }
}

fn drop_last_space(nodes: &mut Vec<Node>) {
    nodes.pop_if(|last| *last == Node::Space);
}

/// Whether a node stands on lines of its own.
fn is_block(node: &Node) -> bool {
    let Node::Element(element) = node else { return false };
    element.namespace == Namespace::Html && stands_alone(&element.name.name)
}

/// White space as HTML has it (ASCII whitespace).
fn is_space(c: char) -> bool {
    matches!(c, ' ' | '\t' | '\n' | '\r' | '\u{c}')
}

enum Closing {
    EndTag,
    /// Something else came instead of the end tag; nothing is the end of the file.
    Missing(Option<(String, Span)>),
    /// The reason was already reported.
    Quietly,
}

/// How a start tag ended.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum TagEnd {
    Open,
    SelfClosed,
    /// The tag itself is broken, which was reported.
    Broken,
}

fn find_end_tag(text: &str, from: usize, name: &str) -> Option<usize> {
    let mut at = from;
    while let Some(found) = text[at..].find("</") {
        let start = at + found;
        let after = &text[start + 2..];
        if after.get(..name.len()).is_some_and(|n| n.eq_ignore_ascii_case(name))
            && !after[name.len()..].starts_with(|c: char| c.is_alphanumeric() || c == '-')
        {
            return Some(start);
        }
        at = start + 2;
    }
    None
}

/// Parses what stands between `open` (a `{`) and `close` (its `}`) of a text. With a map, the
/// text is an attribute's decoded value; without, it is the source and is decoded here.
pub(crate) fn interpolated(
    text: &str,
    open: usize,
    close: usize,
    map: Option<&SpanMap>,
    errors: &mut Vec<SyntaxError>,
) -> crate::ast::Expr {
    let inner = &text[open + 1..close];
    let whole = map.map_or(Span::new(open, close + 1), |map| map.span(open, close + 1));
    if inner.starts_with('{') && inner.ends_with('}') {
        let trimmed = inner[1..inner.len() - 1].trim();
        if !looks_like_record(trimmed) {
            let start = open + 2 + (inner[1..].len() - inner[1..].trim_start().len());
            let end = start + trimmed.len();
            let inner = map.map_or(Span::new(start, end), |map| map.span(start, end));
            errors
                .push(SyntaxError { kind: SyntaxErrorKind::DoubledBraces { inner }, span: whole });
            return crate::ast::Expr { kind: crate::ast::ExprKind::Error, span: whole };
        }
    }
    let before = errors.len();
    let decoded = match map {
        Some(map) => {
            let mut shifted = SpanMap::default();
            shifted.extend_from(map, open + 1, close);
            crate::references::Decoded { text: inner.to_owned(), map: shifted }
        }
        None => decode(inner, open + 1, false),
    };
    let tokens = lex(&decoded.text, &decoded.map, errors);
    let failed = errors.len() > before;
    let mut parser = Parser::new(&tokens, errors, failed);
    let mut expr = parser.expression();
    parser.expect_end_of_value(None, "`}`");
    if parser.has_failed() {
        expr = crate::ast::Expr { kind: crate::ast::ExprKind::Error, span: whole };
    }
    expr
}

/// Where a line of text begins that can only be a declaration.
fn misplaced_declaration(text: &str) -> Option<usize> {
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let begins = at + (line.len() - line.trim_start().len());
        if line.trim_start().starts_with(['<', '{']) {
            return None;
        }
        if is_declaration(line.trim()) {
            return Some(begins);
        }
        at += line.len();
    }
    None
}

fn is_declaration(line: &str) -> bool {
    let Some((verb, rest)) = line.split_once(' ') else { return false };
    let name_len = rest.find(|c: char| !crate::token::continues_name(c)).unwrap_or(rest.len());
    let (name, then) = (&rest[..name_len], rest[name_len..].trim_start());
    let then = |all: &[char]| then.starts_with(all);
    !name.is_empty()
        && match verb {
            "derives" if rest[name_len..].starts_with('(') => true,
            "takes" | "shares" | "holds" | "derives" | "loads" | "follows" => then(&[':', '=']),
            "does" | "gives" | "asks" | "awaits" | "streams" => then(&['(', '{']),
            "shape" => then(&['{', '=']),
            "names" => rest[name_len..].trim().is_empty() || then(&[',']),
            "upon" => ["added", "removed", "change", "every"].contains(&name) && then(&['{', '(']),
            _ => false,
        }
}

/// `{ { a: 1 } }` is a record in an interpolation; `{{ a }}` is a habit from elsewhere.
fn looks_like_record(inner: &str) -> bool {
    let name_len = inner.find(|c: char| !crate::token::continues_name(c)).unwrap_or(inner.len());
    inner.is_empty()
        || inner.starts_with("...")
        || inner.starts_with(['\'', '"'])
        || inner[name_len..].trim_start().starts_with([':', ','])
}

impl Attribute {
    /// Whether this attribute has the given name.
    pub fn is(&self, name: &str) -> bool {
        self.name.name == name
    }
}
