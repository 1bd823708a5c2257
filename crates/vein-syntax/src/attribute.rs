//! Attributes: static text, interpolation, and the three arrows.

use crate::ast::{
    Arrow, ArrowOption, Attribute, AttributeValue, Each, EventBody, Expr, Ident, OptionKind,
    TextPiece,
};
use crate::braces::closing_brace;
use crate::elements::adjusted_attribute;
use crate::error::{SyntaxError, SyntaxErrorKind};
use crate::markup::{Markup, TagEnd, interpolated};
use crate::parser::Parser;
use crate::references::{Decoded, decode};
use crate::span::{Span, SpanMap};
use crate::token::{Tok, lex};
use std::collections::HashMap;
use vein_plan::program::Namespace;

/// What decides how an attribute's name is read.
#[derive(Clone, Copy)]
pub(crate) struct AttributeContext {
    pub(crate) namespace: Namespace,
    pub(crate) on_component: bool,
    /// The tag's `<` and name.
    pub(crate) tag: Span,
}

/// Among so few attributes one is found without a table.
const FEW: usize = 32;

impl Markup<'_> {
    /// The attributes of a start tag, and how the tag ended.
    pub(crate) fn attributes(&mut self, context: AttributeContext) -> (Vec<Attribute>, TagEnd) {
        let mut attributes: Vec<Attribute> = Vec::new();
        let mut named = HashMap::new();
        loop {
            let spaces = self.skip_space();
            let rest = self.rest();
            if rest.starts_with('>') {
                self.at += 1;
                return (attributes, TagEnd::Open);
            }
            if rest.starts_with("/>") {
                self.at += 2;
                return (attributes, TagEnd::SelfClosed);
            }
            if rest.is_empty() || rest.starts_with('<') {
                // An unclosed quote has already been reported and explains this too.
                let explained = self.errors.last().is_some_and(|e| {
                    matches!(e.kind, SyntaxErrorKind::UnclosedQuote(_))
                        && e.span.start >= context.tag.end
                });
                if !explained {
                    self.error(SyntaxErrorKind::UnclosedAngle, context.tag);
                }
                return (attributes, TagEnd::Broken);
            }
            let start = self.at;
            if !spaces && !attributes.is_empty() {
                self.error(SyntaxErrorKind::MissingSpace, Span::new(start, start));
            }
            let Some((attribute, closed)) = self.attribute(context) else { continue };
            self.keep(attribute, &mut attributes, &mut named);
            if !closed {
                self.recover_from_quote();
            }
        }
    }

    /// Keeps an attribute, if it is the first of its name; `named` says where each is, once there are many.
    fn keep(
        &mut self,
        attribute: Attribute,
        attributes: &mut Vec<Attribute>,
        named: &mut HashMap<String, usize>,
    ) {
        let name = &attribute.name.name;
        let first = match attributes.len() {
            ..FEW => attributes.iter().position(|a| a.name.name == *name),
            _ => {
                let missing = named.len()..attributes.len();
                named.extend(missing.map(|at| (attributes[at].name.name.clone(), at)));
                named.get(name).copied()
            }
        };
        match first {
            Some(first) => {
                let first = attributes[first].name.span;
                let Ident { name, span } = attribute.name;
                self.error(SyntaxErrorKind::RepeatedAttribute(name, first), span);
            }
            None => attributes.push(attribute),
        }
    }

    fn skip_space(&mut self) -> bool {
        let rest = self.rest();
        let len = rest.find(|c: char| !c.is_ascii_whitespace()).unwrap_or(rest.len());
        self.at += len;
        len > 0
    }

    /// After an unclosed quote, reading goes on behind the tag's `>` on the same line.
    fn recover_from_quote(&mut self) {
        let rest = self.rest();
        let line = rest.find('\n').unwrap_or(rest.len());
        self.at += rest[..line].find('>').unwrap_or(line);
    }

    /// One attribute, and whether its quote was closed.
    fn attribute(&mut self, context: AttributeContext) -> Option<(Attribute, bool)> {
        let start = self.at;
        let rest = self.rest();
        let len = rest
            .find(|c: char| {
                c.is_ascii_whitespace() || matches!(c, '=' | '>' | '/' | '"' | '\'' | '<')
            })
            .unwrap_or(rest.len());
        if len == 0 {
            let c = rest.chars().next()?;
            self.at += c.len_utf8();
            let expected = "an attribute, `>` or `/>`";
            let kind = SyntaxErrorKind::Unexpected { found: c.into(), expected };
            self.error(kind, Span::new(start, self.at));
            return None;
        }
        let name = Ident {
            name: adjusted_attribute(&rest[..len], context.namespace, context.on_component),
            span: Span::new(start, start + len),
        };
        self.at += len;
        let after_name = self.at;
        self.skip_space();
        if !self.rest().starts_with('=') {
            self.at = after_name;
            let value_span = Span::new(after_name, after_name);
            return Some((Attribute { name, value: AttributeValue::None, value_span }, true));
        }
        self.at += 1;
        self.skip_space();
        let (value_span, closed) = self.quoted();
        let value = if closed {
            let raw = &self.text[value_span.range()];
            let decoded = decode(raw, value_span.start as usize, true);
            Value { decoded: &decoded, errors: self.errors }.read(&name.name)
        } else {
            AttributeValue::Error
        };
        Some((Attribute { name, value, value_span }, closed))
    }

    /// The span of a value without its quotes, and whether the quote was closed.
    fn quoted(&mut self) -> (Span, bool) {
        let rest = self.rest();
        let Some(quote) = rest.chars().next().filter(|c| matches!(c, '"' | '\'')) else {
            let len =
                rest.find(|c: char| c.is_ascii_whitespace() || c == '>').unwrap_or(rest.len());
            let span = Span::new(self.at, self.at + len);
            if len == 0 {
                let kind = SyntaxErrorKind::Unexpected {
                    found: String::new(),
                    expected: "a value in quotes",
                };
                self.error(kind, Span::new(self.at - 1, self.at));
            }
            self.at += len;
            return (span, true);
        };
        let open = self.at;
        let end = rest[1..].find(quote).map(|i| open + 1 + i);
        let swallowed_markup = |end: usize| {
            let next = self.text[end + 1..].chars().next();
            let runs_on = next.is_some_and(|c| !c.is_ascii_whitespace() && !matches!(c, '>' | '/'));
            let value = &self.text[open + 1..end];
            runs_on && (value.contains('\n') || value.contains('<'))
        };
        match end {
            Some(end) if !swallowed_markup(end) => {
                self.at = end + 1;
                (Span::new(open + 1, end), true)
            }
            _ => {
                self.error(SyntaxErrorKind::UnclosedQuote(quote), Span::new(open, open + 1));
                self.at += 1;
                (Span::new(open + 1, open + 1), false)
            }
        }
    }
}

/// Reads an attribute's decoded value.
struct Value<'a> {
    decoded: &'a Decoded,
    errors: &'a mut Vec<SyntaxError>,
}

impl Value<'_> {
    fn read(&mut self, name: &str) -> AttributeValue {
        let text = &self.decoded.text;
        let lead = text.len() - text.trim_start().len();
        for (arrow, read) in [
            ("<->", Self::two_way as fn(&mut Self, Arrow, usize) -> AttributeValue),
            ("<-", Self::one_way),
            ("->", Self::event),
        ] {
            if text[lead..].starts_with(arrow) {
                return self.arrow(lead, arrow.len(), read);
            }
        }
        match name {
            "when" | "or-when" => match self.expression(0, "the end of the condition") {
                Some(expr) => AttributeValue::Condition(expr),
                None => AttributeValue::Error,
            },
            "each" => self.each(),
            _ => self.interpolation(),
        }
    }

    /// Runs a parser over the value from `from` on.
    fn parse<T>(
        &mut self,
        from: usize,
        to: usize,
        read: impl FnOnce(&mut Parser) -> T,
    ) -> Option<T> {
        let text = &self.decoded.text[from..to];
        let mut map = SpanMap::default();
        map.extend_from(&self.decoded.map, from, to);
        let before = self.errors.len();
        let tokens = lex(text, &map, self.errors);
        let failed = self.errors.len() > before;
        let mut parser = Parser::new(&tokens, self.errors, failed);
        let result = read(&mut parser);
        let failed = parser.has_failed() || self.errors.len() > before;
        (!failed).then_some(result)
    }

    fn expression(&mut self, from: usize, end: &'static str) -> Option<Expr> {
        let to = self.decoded.text.len();
        self.parse(from, to, |parser| {
            let expr = parser.expression();
            parser.expect_end(end);
            expr
        })
    }

    fn arrow(
        &mut self,
        at: usize,
        len: usize,
        read: fn(&mut Self, Arrow, usize) -> AttributeValue,
    ) -> AttributeValue {
        let text = &self.decoded.text;
        let span = self.decoded.map.span(at, at + len);
        let mut from = at + len;
        let mut options = Vec::new();
        // Only a parenthesis that touches the arrow holds options.
        if text[from..].starts_with('(') {
            let Some(close) = text[from..].find(')').map(|i| from + i) else {
                let kind = SyntaxErrorKind::UnclosedBracket('(');
                let span = self.decoded.map.span(from, from + 1);
                self.errors.push(SyntaxError { kind, span });
                return AttributeValue::Error;
            };
            match self.parse(from + 1, close, |parser| parser.arrow_options()) {
                Some(read) => options = read,
                None => return AttributeValue::Error,
            }
            from = close + 1;
        }
        read(self, Arrow { span, options }, from)
    }

    /// Reports an arrow with nothing after it; `false` if there is something.
    fn is_empty(&mut self, arrow: &Arrow, from: usize) -> bool {
        let empty = self.decoded.text[from..].trim().is_empty();
        if empty {
            self.errors.push(SyntaxError { kind: SyntaxErrorKind::EmptyArrow, span: arrow.span });
        }
        empty
    }

    fn one_way(&mut self, arrow: Arrow, from: usize) -> AttributeValue {
        if self.is_empty(&arrow, from) {
            return AttributeValue::Error;
        }
        let to = self.decoded.text.len();
        let value = self.parse(from, to, |parser| {
            let expr = parser.expression();
            parser.expect_end_of_value(Some(arrow.span), "the end of the value");
            expr
        });
        value.map_or(AttributeValue::Error, |expr| AttributeValue::OneWay(arrow, expr))
    }

    fn two_way(&mut self, arrow: Arrow, from: usize) -> AttributeValue {
        if self.is_empty(&arrow, from) {
            return AttributeValue::Error;
        }
        self.expression(from, "the end of the state's name")
            .map_or(AttributeValue::Error, |expr| AttributeValue::TwoWay(arrow, expr))
    }

    fn event(&mut self, arrow: Arrow, from: usize) -> AttributeValue {
        if self.decoded.text[from..].trim().is_empty() {
            return AttributeValue::Event(arrow, EventBody::Pass);
        }
        let to = self.decoded.text.len();
        let body = self.parse(from, to, |parser| match (parser.tok(), parser.ahead(1)) {
            (Tok::Name(name), Tok::End) if name != "return" => {
                let span = parser.span();
                EventBody::Handler(Ident { name: name.clone(), span })
            }
            _ => EventBody::Statements(parser.statements()),
        });
        body.map_or(AttributeValue::Error, |body| AttributeValue::Event(arrow, body))
    }

    fn each(&mut self) -> AttributeValue {
        let to = self.decoded.text.len();
        let each = self.parse(0, to, |parser| {
            let item = parser.ident("a name for the item");
            let index = parser.eat(",").then(|| parser.ident("a name for the position"));
            if !parser.eat_word("of") {
                parser.unexpected("`of` and a list");
            }
            let list = parser.expression();
            let by = parser.eat_word("by").then(|| parser.expression());
            parser.expect_end("`by` and what identifies an item, or the end");
            Each { item, index, list, by }
        });
        each.map_or(AttributeValue::Error, |each| AttributeValue::Each(Box::new(each)))
    }

    fn interpolation(&mut self) -> AttributeValue {
        let text = &self.decoded.text;
        let map = &self.decoded.map;
        let mut pieces = Vec::new();
        let mut at = 0;
        while let Some(open) = text[at..].find('{').map(|i| at + i) {
            if open > at {
                pieces.push(TextPiece::Static(text[at..open].to_owned(), map.span(at, open)));
            }
            let Some(close) = closing_brace(text, open + 1) else {
                let kind = SyntaxErrorKind::UnclosedInterpolation;
                self.errors.push(SyntaxError { kind, span: map.span(open, open + 1) });
                return AttributeValue::Error;
            };
            pieces.push(TextPiece::Expr(interpolated(text, open, close, Some(map), self.errors)));
            at = close + 1;
        }
        if pieces.is_empty() {
            return AttributeValue::Static(text.clone());
        }
        if at < text.len() {
            pieces.push(TextPiece::Static(text[at..].to_owned(), map.span(at, text.len())));
        }
        AttributeValue::Interpolated(pieces)
    }
}

impl Parser<'_> {
    /// `prevent, key Enter, quiet 300`
    fn arrow_options(&mut self) -> Vec<ArrowOption> {
        let mut options = Vec::new();
        while !self.at_end() && !self.has_failed() {
            let name = self.ident("an option");
            let kind = match name.name.as_str() {
                "change" => Some(OptionKind::Change),
                "prevent" => Some(OptionKind::Prevent),
                "stop" => Some(OptionKind::Stop),
                "once" => Some(OptionKind::Once),
                "self" => Some(OptionKind::Own),
                "key" => self.key(&name),
                "quiet" => self.quiet(&name),
                _ => {
                    self.error(SyntaxErrorKind::UnknownOption(name.name.clone()), name.span);
                    None
                }
            };
            let span = self.since(name.span);
            options.extend(kind.map(|kind| ArrowOption { kind, span }));
            if !self.eat(",") {
                self.expect_end("`,` or `)`");
            }
        }
        options
    }

    fn key(&mut self, option: &Ident) -> Option<OptionKind> {
        let key = match self.tok() {
            Tok::Name(key) => key.clone(),
            Tok::String(key) => key.to_string(),
            Tok::Number(n) => vein_plan::number::to_text(*n).to_string(),
            Tok::Punct(p) if *p != "," => (*p).to_owned(),
            _ => {
                return self
                    .bad_option(option, "a key as the DOM names it: `key Enter`, `key 'a'`");
            }
        };
        self.advance();
        Some(OptionKind::Key(key))
    }

    fn quiet(&mut self, option: &Ident) -> Option<OptionKind> {
        match self.tok() {
            Tok::Number(n) if *n >= 0.0 && n.fract() == 0.0 && *n <= 86_400_000.0 => {
                let milliseconds = *n as u32;
                self.advance();
                Some(OptionKind::Quiet(milliseconds))
            }
            _ => self.bad_option(option, "whole milliseconds: `quiet 300`"),
        }
    }

    fn bad_option(&mut self, option: &Ident, takes: &'static str) -> Option<OptionKind> {
        let name = option.name.clone();
        self.error(SyntaxErrorKind::BadOption { name, takes }, option.span);
        None
    }
}
