//! The tokens of a style sheet (CSS Syntax 3), in one list.

use cssparser::{Parser, Token};

/// One token with its place.
#[derive(Clone, Debug)]
pub(super) struct Piece {
    pub(super) start: usize,
    pub(super) end: usize,
    pub(super) kind: Kind,
}

/// As much of a token as rewriting needs to know.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Kind {
    Ident(String),
    At(String),
    /// `name(`
    Function(String),
    /// `(`, `[` or `{`
    Open(char),
    Close(char),
    Colon,
    Semicolon,
    Comma,
    Space,
    Delim(char),
    /// A number that is not zero, a number with a unit, `#` with what follows.
    Number,
    Dimension(String),
    Hash(String),
    Bad,
    /// What is nested too deeply is not read.
    Deep,
    Other,
}

/// How deep brackets may stand in brackets.
pub(super) const DEEPEST: usize = 64;

/// All tokens, those inside brackets too.
pub(super) fn tokens(parser: &mut Parser<'_>, css: &str, depth: usize, out: &mut Vec<Piece>) {
    loop {
        let start = parser.position().byte_index();
        let Ok(token) = parser.next_including_whitespace_and_comments().cloned() else { return };
        let end = parser.position().byte_index();
        let kind = match &token {
            Token::Ident(name) => Kind::Ident(name.to_string()),
            Token::AtKeyword(name) => Kind::At(name.to_ascii_lowercase()),
            Token::Function(name) => Kind::Function(name.to_ascii_lowercase()),
            Token::ParenthesisBlock => Kind::Open('('),
            Token::SquareBracketBlock => Kind::Open('['),
            Token::CurlyBracketBlock => Kind::Open('{'),
            Token::Colon => Kind::Colon,
            Token::Semicolon => Kind::Semicolon,
            Token::Comma => Kind::Comma,
            Token::WhiteSpace(_) | Token::Comment(_) => Kind::Space,
            Token::Delim(c) => Kind::Delim(*c),
            Token::Number { value, .. } if *value != 0.0 => Kind::Number,
            Token::Dimension { unit, .. } => Kind::Dimension(unit.to_string()),
            Token::Hash(digits) | Token::IDHash(digits) => Kind::Hash(digits.to_string()),
            Token::BadUrl(_) | Token::BadString(_) => Kind::Bad,
            Token::CloseParenthesis | Token::CloseSquareBracket | Token::CloseCurlyBracket => {
                Kind::Bad
            }
            _ => Kind::Other,
        };
        let close = match &kind {
            Kind::Open('{') => Some('}'),
            Kind::Open('[') => Some(']'),
            Kind::Open(_) | Kind::Function(_) => Some(')'),
            _ => None,
        };
        out.push(Piece { start, end, kind });
        if let Some(close) = close {
            let inner: Result<(), cssparser::ParseError<()>> =
                parser.parse_nested_block(|parser| {
                    if depth < DEEPEST {
                        tokens(parser, css, depth + 1, out);
                    } else {
                        let start = parser.position().byte_index();
                        out.push(Piece { start, end: start, kind: Kind::Deep });
                    }
                    Ok(())
                });
            let _ = inner;
            let end = parser.position().byte_index();
            let closed = css[..end].ends_with(close);
            let start = if closed { end - 1 } else { end };
            let kind = if closed { Kind::Close(close) } else { Kind::Bad };
            out.push(Piece { start, end, kind });
        }
    }
}
