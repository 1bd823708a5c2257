//! From the text of a component to its tree.
//!
//! [`parse`] takes any text and gives a tree and all mistakes that it met, one message for
//! each. It never panics and takes time in proportion to the text.
//!
//! ```
//! let parsed = vein_syntax::parse("holds n = 1\n\n<p>{n}</p>");
//! assert!(parsed.errors.is_empty());
//! assert_eq!(parsed.file.declarations.len(), 1);
//! assert_eq!(parsed.file.markup.len(), 1);
//! ```

pub mod ast;
mod attribute;
mod braces;
mod declaration;
pub mod elements;
pub mod error;
mod expression;
mod markup;
mod parser;
mod references;
mod span;
mod statement;
mod token;

pub use ast::File;
pub use declaration::VERBS;
pub use error::{SyntaxError, SyntaxErrorKind, Unclosed};
pub use markup::DEEPEST_MARKUP;
pub use parser::DEEPEST_CODE;
pub use span::{LineIndex, Span, SpanMap};

use parser::Parser;

/// A tree and the mistakes met on the way to it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Parsed {
    /// The tree; parts that could not be read are marked as errors in it.
    pub file: File,
    /// The mistakes, in the order of the text.
    pub errors: Vec<SyntaxError>,
}

/// Parses the text of one component.
pub fn parse(text: &str) -> Parsed {
    if u32::try_from(text.len()).is_err() {
        let error = SyntaxError { kind: SyntaxErrorKind::TooDeep, span: Span::default() };
        return Parsed { file: File::default(), errors: vec![error] };
    }
    let mut errors = Vec::new();
    let markup_start = markup_start(text);
    let header = &text[..markup_start];
    let tokens = token::lex(header, &SpanMap::verbatim(0), &mut errors);
    let mut declarations = Parser::new(&tokens, &mut errors, false).declarations();
    let (markup, style, late) = markup::parse_markup(text, markup_start, &mut errors);
    declarations.extend(late);
    errors.sort_by_key(|e| e.span);
    Parsed { file: File { declarations, markup, style }, errors }
}

/// The offset of the first line whose first visible character is `<`.
fn markup_start(text: &str) -> usize {
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let indent = line.len() - line.trim_start().len();
        if line[indent..].starts_with('<') {
            return at + indent;
        }
        at += line.len();
    }
    text.len()
}
