//! The cursor over tokens that all parsers of code share.

use crate::ast::Ident;
use crate::error::{SyntaxError, SyntaxErrorKind};
use crate::span::Span;
use crate::token::{Tok, Token};

/// How deep expressions, types and blocks may be nested. A chain such as `a + b + c` nests too.
pub const DEEPEST_CODE: usize = 150;

/// A parser over tokens. Each method gives a tree whatever it meets; after the first mistake
/// in a piece, nothing more is reported until [`Parser::recovered`].
pub struct Parser<'a> {
    tokens: &'a [Token],
    at: usize,
    errors: &'a mut Vec<SyntaxError>,
    failed: bool,
    depth: usize,
    parenthesised: Span,
    /// Whether an arrow function's body is read.
    in_function: bool,
    /// Whether statements are read that return what a function gives.
    returns: bool,
    /// After text that is nested too deeply the rest is not read.
    gave_up: bool,
}

impl<'a> Parser<'a> {
    /// A parser at the first of the tokens, which end with [`Tok::End`]. Where the lexer has
    /// already reported something, `failed` keeps its consequences quiet.
    pub fn new(tokens: &'a [Token], errors: &'a mut Vec<SyntaxError>, failed: bool) -> Self {
        Parser {
            tokens,
            at: 0,
            errors,
            failed,
            depth: 0,
            parenthesised: Span::default(),
            in_function: false,
            returns: false,
            gave_up: false,
        }
    }

    pub(crate) fn token(&self) -> &'a Token {
        &self.tokens[self.at.min(self.tokens.len() - 1)]
    }

    pub(crate) fn tok(&self) -> &'a Tok {
        &self.token().tok
    }

    pub(crate) fn ahead(&self, by: usize) -> &'a Tok {
        &self.tokens[(self.at + by).min(self.tokens.len() - 1)].tok
    }

    pub(crate) fn span(&self) -> Span {
        self.token().span
    }

    /// The span from `start` to the end of the last token taken.
    pub(crate) fn since(&self, start: Span) -> Span {
        let last = self.tokens[self.at.saturating_sub(1).min(self.tokens.len() - 1)].span;
        if last.end < start.start { start } else { start.to(last) }
    }

    pub(crate) fn at_end(&self) -> bool {
        *self.tok() == Tok::End
    }

    pub(crate) fn advance(&mut self) -> &'a Token {
        let token = self.token();
        if !self.at_end() {
            self.at += 1;
        }
        token
    }

    pub(crate) fn is(&self, punct: &str) -> bool {
        matches!(self.tok(), Tok::Punct(p) if *p == punct)
    }

    pub(crate) fn is_word(&self, word: &str) -> bool {
        matches!(self.tok(), Tok::Name(name) if name == word)
    }

    pub(crate) fn eat(&mut self, punct: &str) -> bool {
        let found = self.is(punct);
        if found {
            self.advance();
        }
        found
    }

    pub(crate) fn eat_word(&mut self, word: &str) -> bool {
        let found = self.is_word(word);
        if found {
            self.advance();
        }
        found
    }

    /// Takes the punctuation, or reports what stands in its place.
    pub(crate) fn expect(&mut self, punct: &str, expected: &'static str) -> bool {
        let found = self.eat(punct);
        if !found {
            self.unexpected(expected);
        }
        found
    }

    /// Takes a closing bracket, or reports the opening one when the text has ended.
    pub(crate) fn close(&mut self, punct: &str, opened: Span, expected: &'static str) -> bool {
        if self.eat(punct) {
            return true;
        }
        if self.at_end() {
            let bracket = match punct {
                ")" => '(',
                "]" => '[',
                _ => '{',
            };
            self.error(SyntaxErrorKind::UnclosedBracket(bracket), opened);
        } else {
            self.unexpected(expected);
        }
        false
    }

    pub(crate) fn ident(&mut self, expected: &'static str) -> Ident {
        let span = self.span();
        match self.tok() {
            Tok::Name(name) => {
                self.advance();
                Ident { name: name.clone(), span }
            }
            _ => {
                self.unexpected(expected);
                Ident { name: String::new(), span }
            }
        }
    }

    pub(crate) fn unexpected(&mut self, expected: &'static str) {
        let found = match self.tok() {
            Tok::Name(name) => name.clone(),
            Tok::Number(n) => vein_plan::number::to_text(*n).to_string(),
            Tok::String(s) => format!("'{s}'"),
            Tok::Pattern(source, flags) => format!("/{source}/{flags}"),
            Tok::Punct(p) => (*p).to_owned(),
            Tok::TemplateStart | Tok::TemplateText(_) | Tok::TemplateEnd => "`".into(),
            Tok::TemplateOpen => "${".into(),
            Tok::TemplateClose => "}".into(),
            Tok::End => String::new(),
            Tok::Error => {
                self.failed = true;
                return;
            }
        };
        let span = self.span();
        self.error(SyntaxErrorKind::Unexpected { found, expected }, span);
    }

    /// Reports a mistake, unless one was reported since the last recovery.
    pub(crate) fn error(&mut self, kind: SyntaxErrorKind, span: Span) {
        if !std::mem::replace(&mut self.failed, true) && !self.gave_up {
            self.errors.push(SyntaxError { kind, span });
        }
    }

    /// Whether statements are read that return values.
    pub(crate) fn returns(&self) -> bool {
        self.returns
    }

    /// Says whether the statements that are read next return values; gives what was so before.
    pub(crate) fn set_returns(&mut self, returns: bool) -> bool {
        std::mem::replace(&mut self.returns, returns)
    }

    pub(crate) fn has_failed(&self) -> bool {
        self.failed
    }

    /// From here on, mistakes are new ones.
    pub(crate) fn recovered(&mut self) {
        self.failed = false;
    }

    /// Goes one level deeper, or reports that it is too deep.
    pub(crate) fn deeper<T>(
        &mut self,
        too_deep: impl FnOnce(Span) -> T,
        inner: impl FnOnce(&mut Self) -> T,
    ) -> T {
        self.depth += 1;
        let result = if self.depth > DEEPEST_CODE {
            let span = self.span();
            self.error(SyntaxErrorKind::TooDeep, span);
            self.skip_to_end();
            too_deep(span)
        } else {
            inner(self)
        };
        self.depth -= 1;
        result
    }

    /// Notes that a chain has grown by one: it nests without the parser going deeper.
    pub(crate) fn lengthen(&mut self) -> bool {
        self.depth += 1;
        let fits = self.depth <= DEEPEST_CODE;
        if !fits {
            let span = self.span();
            self.error(SyntaxErrorKind::TooDeep, span);
            self.skip_to_end();
        }
        fits
    }

    /// Remembers the expression that was last read in parentheses.
    pub(crate) fn note_parentheses(&mut self, span: Span) {
        self.parenthesised = span;
    }

    pub(crate) fn is_parenthesised(&self, span: Span) -> bool {
        span == self.parenthesised
    }

    pub(crate) fn is_in_function(&self) -> bool {
        self.in_function
    }

    /// Says whether an arrow function's body is read; gives what was said before.
    pub(crate) fn set_in_function(&mut self, within: bool) -> bool {
        std::mem::replace(&mut self.in_function, within)
    }

    pub(crate) fn depth(&self) -> usize {
        self.depth
    }

    pub(crate) fn set_depth(&mut self, depth: usize) {
        self.depth = depth;
    }

    fn skip_to_end(&mut self) {
        self.gave_up = true;
        self.at = self.tokens.len() - 1;
    }

    /// Whether an assignment stands here, as only statements have it.
    pub(crate) fn is_assignment(&self) -> bool {
        ["=", "+=", "-=", "*=", "/=", "%=", "**=", "++", "--"].iter().any(|op| self.is(op))
    }

    /// Reports whatever is left over behind a value.
    pub(crate) fn expect_end_of_value(&mut self, arrow: Option<Span>, expected: &'static str) {
        if self.is_assignment() {
            let span = self.span();
            self.error(SyntaxErrorKind::AssignedInValue { arrow }, span);
        } else {
            self.expect_end(expected);
        }
    }

    /// Reports whatever is left over.
    pub(crate) fn expect_end(&mut self, expected: &'static str) {
        if !self.at_end() {
            self.unexpected(expected);
        }
    }
}
