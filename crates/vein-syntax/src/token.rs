//! The lexer of declarations, statements and expressions.

use crate::error::{SyntaxError, SyntaxErrorKind, Unclosed};
use crate::span::{Span, SpanMap};
use vein_plan::Text;

/// A token.
#[derive(Clone, Debug, PartialEq)]
pub enum Tok {
    /// A name or a word of the language.
    Name(String),
    /// A number.
    Number(f64),
    /// A string in quotes.
    String(Text),
    /// A regular expression: its source and its flags.
    Pattern(String, String),
    /// Punctuation.
    Punct(&'static str),
    /// A template literal begins.
    TemplateStart,
    /// Text of a template literal.
    TemplateText(Text),
    /// `${`
    TemplateOpen,
    /// The `}` of a `${`.
    TemplateClose,
    /// A template literal ends.
    TemplateEnd,
    /// Something that the lexer has reported.
    Error,
    /// Nothing more.
    End,
}

/// A token, where it stands, and whether a line begins with it.
#[derive(Clone, Debug, PartialEq)]
pub struct Token {
    /// What it is.
    pub tok: Tok,
    /// Where it stands.
    pub span: Span,
    /// Whether a line break stands before it.
    pub after_break: bool,
}

/// Longest first, so that the first that fits is the right one.
const PUNCTUATION: &[&str] = &[
    "===", "!==", "**=", "??=", "...", "<->", "=>", "==", "!=", "<=", ">=", "&&", "||", "??", "?.",
    "**", "++", "--", "+=", "-=", "*=", "/=", "%=", "<-", "->", "{", "}", "(", ")", "[", "]", ";",
    ",", ":", "?", ".", "=", "<", ">", "+", "-", "*", "/", "%", "!", "|", "&",
];

struct Lexer<'a> {
    text: &'a str,
    at: usize,
    map: &'a SpanMap,
    tokens: Vec<Token>,
    errors: &'a mut Vec<SyntaxError>,
    after_break: bool,
    /// Whether a stray character was already reported on this line.
    stray_on_line: bool,
    /// For each open template literal, how many braces are open inside its `${`.
    templates: Vec<usize>,
}

/// Cuts a text into tokens; the last is always [`Tok::End`].
pub fn lex(text: &str, map: &SpanMap, errors: &mut Vec<SyntaxError>) -> Vec<Token> {
    let mut lexer = Lexer {
        text,
        at: 0,
        map,
        tokens: Vec::new(),
        errors,
        after_break: false,
        stray_on_line: false,
        templates: Vec::new(),
    };
    lexer.run();
    lexer.tokens
}

/// Whether a name may begin with this character.
pub(crate) fn begins_name(c: char) -> bool {
    c.is_alphabetic() || c == '_' || c == '$'
}

/// Whether a name may go on with this character.
pub(crate) fn continues_name(c: char) -> bool {
    c.is_alphanumeric() || matches!(c, '_' | '$' | '\u{200c}' | '\u{200d}')
}

impl Lexer<'_> {
    fn run(&mut self) {
        while let Some(c) = self.peek() {
            let start = self.at;
            match c {
                '\n' => {
                    self.after_break = true;
                    self.stray_on_line = false;
                    self.at += 1;
                }
                c if c.is_whitespace() || c == '\u{feff}' => self.at += c.len_utf8(),
                '/' if self.rest().starts_with("//") => {
                    self.at += self.rest().find('\n').unwrap_or(self.rest().len());
                }
                '/' if self.rest().starts_with("/*") => self.block_comment(),
                '/' if self.begins_pattern() => self.pattern(),
                '"' | '\'' => self.string(c),
                '`' => {
                    self.at += 1;
                    self.push(Tok::TemplateStart, start);
                    self.templates.push(0);
                    self.template_text();
                }
                c if c.is_ascii_digit() => self.number(),
                '.' if self.rest()[1..].starts_with(|c: char| c.is_ascii_digit()) => self.number(),
                c if begins_name(c) => {
                    self.skip(continues_name);
                    self.push(Tok::Name(self.text[start..self.at].into()), start);
                }
                _ => self.punctuation(c),
            }
        }
        self.push(Tok::End, self.at);
    }

    /// Whether a `/` begins a regular expression: behind a value it divides.
    fn begins_pattern(&self) -> bool {
        match self.tokens.last().map(|token| &token.tok) {
            None | Some(Tok::TemplateOpen) => true,
            Some(Tok::Name(word)) => {
                matches!(word.as_str(), "return" | "in" | "of" | "else" | "await")
            }
            Some(Tok::Punct(punct)) => !matches!(*punct, ")" | "]" | "}" | "++" | "--"),
            Some(_) => false,
        }
    }

    fn pattern(&mut self) {
        let start = self.at;
        let Some(len) = end_of_pattern(self.rest()) else {
            self.error(SyntaxErrorKind::Unclosed(Unclosed::Pattern), start, start + 1);
            self.at += self.rest().find('\n').unwrap_or(self.rest().len());
            return self.push(Tok::Error, start);
        };
        let source = self.text[start + 1..start + len - 1].to_owned();
        self.at += len;
        let from = self.at;
        self.skip(continues_name);
        let flags = self.text[from..self.at].to_owned();
        self.push(Tok::Pattern(source, flags), start);
    }

    fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    fn skip(&mut self, while_: impl Fn(char) -> bool) {
        let rest = self.rest();
        self.at += rest.find(|c| !while_(c)).unwrap_or(rest.len());
    }

    fn push(&mut self, tok: Tok, start: usize) {
        let span = self.map.span(start, self.at);
        self.tokens.push(Token { tok, span, after_break: self.after_break });
        self.after_break = false;
    }

    fn error(&mut self, kind: SyntaxErrorKind, start: usize, end: usize) {
        self.errors.push(SyntaxError { kind, span: self.map.span(start, end) });
    }

    fn block_comment(&mut self) {
        let start = self.at;
        let end = self.rest().find("*/").map(|at| self.at + at + 2);
        if end.is_none() {
            self.error(SyntaxErrorKind::Unclosed(Unclosed::Comment), start, start + 2);
        }
        self.at = end.unwrap_or(self.text.len());
        self.after_break |= self.text[start..self.at].contains('\n');
    }

    fn punctuation(&mut self, c: char) {
        let start = self.at;
        let (rest, first) = (self.rest(), self.text.as_bytes()[start]);
        // Few begin with any one byte.
        let fits = |p: &&&str| p.as_bytes()[0] == first && rest.starts_with(**p);
        let Some(punct) = PUNCTUATION.iter().find(fits) else {
            self.at += c.len_utf8();
            if !std::mem::replace(&mut self.stray_on_line, true) {
                self.error(SyntaxErrorKind::StrayCharacter(c), start, self.at);
            }
            return self.push(Tok::Error, start);
        };
        // `a?.5:b` is a choice, not a chain.
        let chain_before_digit =
            *punct == "?." && self.rest()[2..].starts_with(|c: char| c.is_ascii_digit());
        // `<-` and `->` are comparisons and subtractions of a negated value, here.
        let punct = match *punct {
            "?." if chain_before_digit => "?",
            "<-" | "<->" => "<",
            "->" => "-",
            other => other,
        };
        self.at += punct.len();
        match (punct, self.templates.last_mut()) {
            ("{", Some(open)) => *open += 1,
            ("}", Some(0)) => {
                self.push(Tok::TemplateClose, start);
                self.template_text();
                return;
            }
            ("}", Some(open)) => *open -= 1,
            _ => {}
        }
        self.push(Tok::Punct(punct), start);
    }

    fn number(&mut self) {
        let start = self.at;
        for (prefixes, radix) in [(["0x", "0X"], 16), (["0o", "0O"], 8), (["0b", "0B"], 2)] {
            if prefixes.iter().any(|p| self.rest().starts_with(p)) {
                self.at += 2;
                self.skip(continues_name);
                let written = &self.text[start + 2..self.at];
                let n = vein_plan::number::parse_integer(&written.replace('_', ""), radix);
                let n = if is_separated_well(written) { n } else { f64::NAN };
                return self.push_number(n, start);
            }
        }
        self.skip(|c| c.is_ascii_digit() || c == '_');
        if self.rest().starts_with('.') {
            self.at += 1;
            self.skip(|c| c.is_ascii_digit() || c == '_');
        }
        if self.rest().starts_with(['e', 'E']) {
            self.at += 1;
            if self.rest().starts_with(['+', '-']) {
                self.at += 1;
            }
        }
        self.skip(continues_name);
        let written = &self.text[start..self.at];
        let digits = written.replace('_', "");
        // An octal number of old begins with `0`, too.
        let well = is_separated_well(written) && !written.starts_with("0_");
        let n = vein_plan::number::from_text(&digits.as_str().into());
        self.push_number(if well { n } else { f64::NAN }, start);
    }

    fn push_number(&mut self, n: f64, start: usize) {
        if n.is_nan() {
            self.error(SyntaxErrorKind::BadNumber, start, self.at);
        }
        self.push(Tok::Number(if n.is_nan() { 0.0 } else { n }), start);
    }

    fn string(&mut self, quote: char) {
        let start = self.at;
        self.at += 1;
        let mut units = Vec::new();
        loop {
            match self.peek() {
                Some(c) if c == quote => {
                    self.at += 1;
                    break;
                }
                None | Some('\n') => {
                    let kind = SyntaxErrorKind::Unclosed(Unclosed::String);
                    self.error(kind, start, self.at);
                    break;
                }
                Some('\\') => self.escape(&mut units),
                Some(c) => self.take(c, &mut units),
            }
        }
        self.push(Tok::String(Text::from_units(units)), start);
    }

    fn take(&mut self, c: char, units: &mut Vec<u16>) {
        units.extend_from_slice(c.encode_utf16(&mut [0; 2]));
        self.at += c.len_utf8();
    }

    /// The text of a template literal up to its end or to the next `${`.
    fn template_text(&mut self) {
        let start = self.at;
        let mut units = Vec::new();
        loop {
            let here = self.at;
            match self.peek() {
                None => {
                    self.templates.clear();
                    let kind = SyntaxErrorKind::Unclosed(Unclosed::Template);
                    self.error(kind, start.saturating_sub(1), start);
                    self.push(Tok::TemplateText(Text::from_units(units)), start);
                    return self.push(Tok::TemplateEnd, here);
                }
                Some('`') => {
                    self.templates.pop();
                    self.push(Tok::TemplateText(Text::from_units(units)), start);
                    self.at += 1;
                    return self.push(Tok::TemplateEnd, here);
                }
                Some('$') if self.rest().starts_with("${") => {
                    self.push(Tok::TemplateText(Text::from_units(units)), start);
                    self.at += 2;
                    return self.push(Tok::TemplateOpen, here);
                }
                Some('\r') => {
                    // ECMA-262: line ends of template literals are line feeds.
                    self.at += 1;
                    if self.peek() != Some('\n') {
                        units.push(u16::from(b'\n'));
                    }
                }
                Some('\\') => self.escape(&mut units),
                Some(c) => self.take(c, &mut units),
            }
        }
    }

    fn escape(&mut self, units: &mut Vec<u16>) {
        let start = self.at;
        self.at += 1;
        let Some(c) = self.peek() else { return };
        self.at += c.len_utf8();
        let simple = match c {
            'n' => '\n',
            't' => '\t',
            'r' => '\r',
            'b' => '\u{8}',
            'f' => '\u{c}',
            'v' => '\u{b}',
            '0' if !self.rest().starts_with(|c: char| c.is_ascii_digit()) => '\0',
            '\n' | '\u{2028}' | '\u{2029}' => return,
            '\r' => {
                self.at += usize::from(self.rest().starts_with('\n'));
                return;
            }
            'x' | 'u' => {
                match self.code_point(c) {
                    Some(code) => match char::from_u32(code) {
                        Some(c) => units.extend_from_slice(c.encode_utf16(&mut [0; 2])),
                        None => units.push(code as u16),
                    },
                    None => self.error(SyntaxErrorKind::BadEscape, start, self.at),
                }
                return;
            }
            '0'..='9' => return self.error(SyntaxErrorKind::BadEscape, start, self.at),
            other => other,
        };
        units.extend_from_slice(simple.encode_utf16(&mut [0; 2]));
    }

    /// The number in `\xHH`, `\uHHHH` and `\u{…}`.
    fn code_point(&mut self, letter: char) -> Option<u32> {
        let (digits, len) = match self.rest().strip_prefix('{') {
            Some(rest) if letter == 'u' => {
                let end = rest.find('}').filter(|end| *end <= 8)?;
                (&rest[..end], end + 2)
            }
            _ => {
                let len = if letter == 'x' { 2 } else { 4 };
                (self.rest().get(..len)?, len)
            }
        };
        if !digits.bytes().all(|b| b.is_ascii_hexdigit()) {
            return None;
        }
        let code = u32::from_str_radix(digits, 16).ok().filter(|code| *code <= 0x10ffff)?;
        self.at += len;
        Some(code)
    }
}

/// How long the regular expression is that a text begins with, up to the `/` that ends it: not one in a class or behind a `\`.
pub(crate) fn end_of_pattern(text: &str) -> Option<usize> {
    let (mut in_class, mut chars) = (false, text.char_indices().skip(1));
    while let Some((at, c)) = chars.next() {
        match c {
            '\n' | '\r' => return None,
            '\\' => {
                chars.next().filter(|(_, c)| *c != '\n')?;
            }
            '[' => in_class = true,
            ']' => in_class = false,
            '/' if !in_class => return Some(at + 1),
            _ => {}
        }
    }
    None
}

/// Whether each `_` of a number stands between two digits.
fn is_separated_well(number: &str) -> bool {
    let is_digit = |at: Option<usize>| {
        at.and_then(|at| number.as_bytes().get(at)).is_some_and(u8::is_ascii_hexdigit)
    };
    let mut separators = number.match_indices('_').map(|(at, _)| at);
    separators.all(|at| is_digit(at.checked_sub(1)) && is_digit(Some(at + 1)))
}
