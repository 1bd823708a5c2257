//! Leads each mistake of the parser to the room that words it.

use super::*;
use vein_syntax::{SyntaxError, SyntaxErrorKind as Kind};

/// The diagnostic of a parser's mistake.
pub(crate) fn from_syntax(error: &SyntaxError, file: usize) -> Diagnostic {
    let at = error.span;
    match error.kind.clone() {
        Kind::Unexpected { found, expected } => {
            diagnostic(&Unexpected { found, expected }, file, at)
        }
        Kind::StrayCharacter(character) => diagnostic(&StrayCharacter { character }, file, at),
        Kind::BadNumber => diagnostic(&BadNumber, file, at),
        Kind::BadEscape => diagnostic(&BadEscape, file, at),
        Kind::Unclosed(what) => diagnostic(&UnclosedText { what }, file, at),
        Kind::UnclosedBracket(bracket) => diagnostic(&UnclosedBracket { bracket }, file, at),
        Kind::UnclosedInterpolation => diagnostic(&UnclosedInterpolation, file, at),
        Kind::DoubledBraces { inner } => diagnostic(&DoubledBraces { inner }, file, at),
        Kind::UnclosedQuote(quote) => diagnostic(&UnclosedQuote { quote }, file, at),
        Kind::UnclosedAngle => diagnostic(&UnclosedTag, file, at),
        Kind::UnclosedElement { name, instead } => {
            diagnostic(&UnclosedElement { name, instead }, file, at)
        }
        Kind::MismatchedEndTag { found, expected, opened } => {
            diagnostic(&MismatchedEndTag { found, expected, opened }, file, at)
        }
        Kind::StrayEndTag(name) => diagnostic(&StrayEndTag { name, void: false }, file, at),
        Kind::VoidEndTag(name) => diagnostic(&StrayEndTag { name, void: true }, file, at),
        Kind::SelfClosed(name) => diagnostic(&SelfClosed { name }, file, at),
        Kind::RepeatedAttribute(name, first) => {
            diagnostic(&RepeatedAttribute { name, first }, file, at)
        }
        Kind::MissingSpace => diagnostic(&MissingSpace, file, at),
        Kind::StrayAngle => diagnostic(&StrayAngle, file, at),
        Kind::TooDeep => diagnostic(&TooDeep, file, at),
        Kind::UnknownDeclaration(word) => diagnostic(&UnknownDeclaration { word }, file, at),
        Kind::NotInLanguage { word, instead } => {
            diagnostic(&NotInLanguage { word, instead }, file, at)
        }
        Kind::AssignedInValue { arrow } => diagnostic(&AssignedInValue { arrow }, file, at),
        Kind::MarkupInValue { each } => diagnostic(&MarkupInValue { each }, file, at),
        Kind::MissingType(name) => diagnostic(&MissingType { name }, file, at),
        Kind::MisplacedDeclaration => diagnostic(&MisplacedDeclaration, file, at),
        Kind::UnknownOption(name) => diagnostic(&ArrowOption { name, takes: None }, file, at),
        Kind::BadOption { name, takes } => {
            diagnostic(&ArrowOption { name, takes: Some(takes) }, file, at)
        }
        Kind::EmptyArrow => diagnostic(&EmptyArrow, file, at),
        Kind::MisplacedStyle => diagnostic(&MisplacedStyle, file, at),
    }
}
