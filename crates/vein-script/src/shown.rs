//! What a part shows, and what brings it to the document.

use crate::expression::Writer;
use vein_plan::code::ExprId;
use vein_plan::{Form, Part, PartKind, Property};

/// What a part shows, as an expression.
pub fn shown(writer: &mut Writer<'_>, part: &Part) -> String {
    let value = |writer: &mut Writer<'_>, id: ExprId| writer.value(id).alone();
    if matches!(part.kind, PartKind::Attribute(..)) {
        writer.used.insert("setAttribute");
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

/// What brings a value to the document.
pub fn set(node: &str, kind: &PartKind, value: &str) -> String {
    match kind {
        PartKind::Text => format!("{node}.nodeValue = {value};"),
        PartKind::Attribute(name, _) => format!("setAttribute({node}, \"{name}\", {value});"),
        PartKind::Property(_) => unreachable!("controls keep what they hold"),
    }
}

/// The same for a node that has nothing yet.
pub fn first_set(node: &str, kind: &PartKind, set: &str) -> String {
    match kind {
        PartKind::Attribute(name, _) if &**name == "style" => {
            format!("if (value !== null) setStyle({node}, value);")
        }
        PartKind::Attribute(name, _) => {
            format!("if (value !== null) {node}.setAttribute(\"{name}\", value);")
        }
        _ => set.to_owned(),
    }
}
