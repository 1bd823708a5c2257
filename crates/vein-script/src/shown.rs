//! What a part shows, and what brings it to the document.

use crate::expression::Writer;
use crate::kind::Kind;
use vein_plan::code::{Expr, ExprId, Piece};
use vein_plan::{Form, Part, PartKind, Property};

/// What a part shows, as an expression.
pub fn shown(writer: &mut Writer<'_>, part: &Part) -> String {
    let value = |writer: &mut Writer<'_>, id: ExprId| writer.value(id).alone();
    if matches!(part.kind, PartKind::Attribute(..)) {
        writer.used.insert("setAttribute");
    }
    // A text that a document shows as it is.
    let is_word = matches!(part.kind, PartKind::Text | PartKind::Property(Property::Value))
        || matches!(part.kind, PartKind::Attribute(_, Form::Text | Form::Words | Form::Tokens));
    let is_list = matches!(part.kind, PartKind::Attribute(_, Form::Tokens));
    let kind = writer.kind(part.value);
    if is_word && writer.is_clean(part.value) && !(is_list && kind == Kind::Boolean) {
        let value = writer.value(part.value);
        return match kind {
            Kind::String => value.alone(),
            _ => format!("`${{{}}}`", value.alone()),
        };
    }
    let with = |writer: &mut Writer<'_>, helper: &'static str| {
        let value = value(writer, part.value);
        writer.used.insert("textOf");
        format!("{}({value})", writer.uses(helper))
    };
    match &part.kind {
        PartKind::Text | PartKind::Attribute(_, Form::Text) => with(writer, "textOf"),
        PartKind::Property(Property::Value) => with(writer, "textOf"),
        PartKind::Property(Property::Chosen) => with(writer, "chosen"),
        PartKind::Property(_) => format!("!!({})", writer.test(part.value).alone()),
        PartKind::Attribute(_, Form::Presence) => with(writer, "presence"),
        PartKind::Attribute(_, Form::Words) => with(writer, "wordsOf"),
        PartKind::Attribute(_, Form::Tokens) => with(writer, "tokens"),
        PartKind::Attribute(_, Form::Url) => with(writer, "safeUrl"),
        PartKind::Attribute(_, Form::Declarations) => with(writer, "declarations"),
    }
}

impl Writer<'_> {
    /// Whether what is shown of an expression is surely there, and has nothing in it that a document shows as something else:
    /// no zero and no half of a pair.
    fn is_clean(&mut self, id: ExprId) -> bool {
        let clean = |text: &vein_plan::Text| text.as_str().is_some_and(|text| !text.contains('\0'));
        match self.plan.exprs[id as usize].clone() {
            Expr::String(text) => clean(&text),
            Expr::Choose(_, then, otherwise) => self.is_clean(then) && self.is_clean(otherwise),
            Expr::Concat(pieces) => pieces.iter().all(|piece| match piece {
                Piece::Static(text) => clean(text),
                Piece::Value(of) | Piece::Shown(of) => self.is_clean(*of),
            }),
            _ => matches!(self.kind(id), Kind::Number | Kind::Boolean),
        }
    }
}

/// What brings a value to the document; by a property that is the same as an attribute, where there is one.
pub fn set(node: &str, kind: &PartKind, value: &str, reflects: Option<&str>) -> String {
    match (kind, reflects) {
        (PartKind::Text, _) => format!("{node}.nodeValue = {value};"),
        (PartKind::Attribute(name, _), Some(property)) => {
            format!(
                "if ({value} === null) {node}.removeAttribute(\"{name}\"); else {node}.{property} = {value};"
            )
        }
        (PartKind::Attribute(name, _), None) if let Some(space) = space_of(name) => {
            let set = format!("{node}.setAttributeNS(\"{space}\", \"{name}\", {value})");
            format!("if ({value} === null) {node}.removeAttribute(\"{name}\"); else {set};")
        }
        (PartKind::Attribute(name, _), None) => {
            format!("setAttribute({node}, \"{name}\", {value});")
        }
        (PartKind::Property(_), _) => unreachable!("controls keep what they hold"),
    }
}

/// The namespace of an attribute with a prefix, as a parser of HTML adjusts it (HTML standard, "adjust foreign attributes").
fn space_of(name: &str) -> Option<&'static str> {
    match name.split_once(':')?.0 {
        "xlink" => Some("http://www.w3.org/1999/xlink"),
        "xml" => Some("http://www.w3.org/XML/1998/namespace"),
        _ => None,
    }
}

/// The same for a node that has nothing yet.
pub fn first_set(node: &str, kind: &PartKind, set: &str, reflects: Option<&str>) -> String {
    match (kind, reflects) {
        (PartKind::Attribute(name, _), _) if &**name == "style" => {
            format!("if (value !== null) setStyle({node}, value);")
        }
        (PartKind::Attribute(..), Some(property)) => {
            format!("if (value !== null) {node}.{property} = value;")
        }
        (PartKind::Attribute(name, _), None) if let Some(space) = space_of(name) => {
            format!("if (value !== null) {node}.setAttributeNS(\"{space}\", \"{name}\", value);")
        }
        (PartKind::Attribute(name, _), None) => {
            format!("if (value !== null) {node}.setAttribute(\"{name}\", value);")
        }
        _ => set.to_owned(),
    }
}
