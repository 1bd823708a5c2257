//! What can be wrong with a text, as facts. Their wording is made elsewhere.

use crate::span::Span;

/// A mistake in the text of a component.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SyntaxError {
    /// What is wrong.
    pub kind: SyntaxErrorKind,
    /// Where.
    pub span: Span,
}

/// What can be wrong.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SyntaxErrorKind {
    /// Something else was expected here.
    Unexpected {
        /// What stands there, as it would be quoted; empty at the end.
        found: String,
        /// What was expected.
        expected: &'static str,
    },
    /// A character that the language does not use.
    StrayCharacter(char),
    /// A number that is not one.
    BadNumber,
    /// An escape in a string that does not exist.
    BadEscape,
    /// A string that does not end on its line, a template literal or a comment that never ends.
    Unclosed(Unclosed),
    /// A bracket that is not closed; the span is where it was opened.
    UnclosedBracket(char),
    /// A `{` in markup whose `}` is missing; the span is the brace.
    UnclosedInterpolation,
    /// `{{ … }}` for `{ … }`; the span holds both pairs.
    DoubledBraces {
        /// What stands between them.
        inner: Span,
    },
    /// An attribute's quote that is never closed; the span is the opening quote.
    UnclosedQuote(char),
    /// A tag without its `>`.
    UnclosedAngle,
    /// An element that is not closed; the span is its start tag.
    UnclosedElement {
        /// Its name.
        name: String,
        /// What was met instead of its end tag, when that is not the end of the file.
        instead: Option<(String, Span)>,
    },
    /// An end tag of the wrong name; the span is the end tag's name.
    MismatchedEndTag {
        /// The name that was written.
        found: String,
        /// The name of the element that is open.
        expected: String,
        /// Where that was opened.
        opened: Span,
    },
    /// An end tag with nothing to end.
    StrayEndTag(String),
    /// An end tag of an element that has none, such as `</br>`.
    VoidEndTag(String),
    /// `<p/>` of an element that is not void.
    SelfClosed(String),
    /// The same attribute twice; the other span is the first.
    RepeatedAttribute(String, Span),
    /// Two attributes without white space between them.
    MissingSpace,
    /// A `<` in text.
    StrayAngle,
    /// Nested more deeply than is read.
    TooDeep,
    /// A declaration that begins with no known verb.
    UnknownDeclaration(String),
    /// A word of ECMAScript that this language does without, with what to write.
    NotInLanguage {
        /// The word.
        word: String,
        /// What to do.
        instead: &'static str,
    },
    /// An assignment where only a value can stand; the span is its operator.
    AssignedInValue {
        /// The arrow before it, where there is one.
        arrow: Option<Span>,
    },
    /// Markup inside an expression; the span is its `<`.
    MarkupInValue {
        /// Whether it is made for each item of a list.
        each: bool,
    },
    /// A parameter, prop or field without a type; the span is its name.
    MissingType(String),
    /// A declaration that stands after markup.
    MisplacedDeclaration,
    /// An arrow's option that does not exist.
    UnknownOption(String),
    /// An arrow's option that lacks what follows it, or has too much.
    BadOption {
        /// The option.
        name: String,
        /// What it takes.
        takes: &'static str,
    },
    /// An attribute with an arrow but nothing after it.
    EmptyArrow,
    /// A second `<style>`, or one inside an element.
    MisplacedStyle,
}

/// Things that run to the end of the line or file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unclosed {
    /// A string in quotes.
    String,
    /// A template literal.
    Template,
    /// A regular expression.
    Pattern,
    /// A comment in code.
    Comment,
    /// A comment in markup.
    MarkupComment,
}
