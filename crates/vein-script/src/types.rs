//! Types as the engine holds data against them.

use crate::code;
use std::collections::BTreeSet;
use vein_plan::{Program, Type, TypeId};

/// A type as an expression. Named ones are constants of their own, [`shapes`].
pub(crate) fn type_of(program: &Program, ty: TypeId) -> String {
    match &program.types[ty as usize] {
        Type::Null => "\"null\"".into(),
        Type::String => "\"string\"".into(),
        Type::Number => "\"number\"".into(),
        Type::Boolean => "\"boolean\"".into(),
        Type::Literals(words) => {
            let words = words.iter().map(|word| code::string(&(&**word).into()).text);
            format!("[{}]", words.collect::<Vec<_>>().join(", "))
        }
        Type::List(item) => format!("{{ list: {} }}", type_of(program, *item)),
        Type::Optional(inner) => format!("{{ maybe: {} }}", type_of(program, *inner)),
        Type::Record(fields) => format!("{{ fields: {} }}", fields_of(program, fields)),
        Type::Shape(shape) => format!("S{shape}"),
        Type::Dictionary(value) => format!("{{ dictionary: {} }}", type_of(program, *value)),
        Type::Entry(value) => format!("{{ entry: {} }}", type_of(program, *value)),
    }
}

fn fields_of(program: &Program, fields: &[(u32, TypeId)]) -> String {
    let fields = fields.iter().map(|(name, ty)| {
        let name = code::string(&(&*program.names[*name as usize]).into()).text;
        format!("[{name}, {}]", type_of(program, *ty))
    });
    format!("[{}]", fields.collect::<Vec<_>>().join(", "))
}

/// A record of some fields, laid out as those are that are made of them later.
fn blank_of(program: &Program, fields: &[(u32, TypeId)]) -> String {
    let fields = fields.iter().map(|(name, ty)| {
        let begins = match &program.types[*ty as usize] {
            Type::String | Type::Literals(_) => "\"\"",
            Type::Number => "0",
            Type::Boolean => "false",
            _ => "null",
        };
        code::field(&program.names[*name as usize], begins)
    });
    format!("{{ {} }}", fields.collect::<Vec<_>>().join(", "))
}

/// Whether values of a type may have dictionaries in them.
pub(crate) fn holds_dictionaries(program: &Program, ty: TypeId) -> bool {
    let (mut open, mut seen) = (vec![ty], BTreeSet::new());
    while let Some(ty) = open.pop() {
        match &program.types[ty as usize] {
            Type::Dictionary(_) => return true,
            Type::List(inner) | Type::Optional(inner) | Type::Entry(inner) => open.push(*inner),
            Type::Record(fields) => open.extend(fields.iter().map(|(_, ty)| *ty)),
            Type::Shape(shape) if seen.insert(*shape) => {
                let fields = &program.shapes[*shape as usize].fields;
                open.extend(fields.iter().map(|(_, ty)| *ty));
            }
            _ => {}
        }
    }
    false
}

/// The named record types that some types name, with those that these name, as constants.
pub(crate) fn shapes(program: &Program, types: impl IntoIterator<Item = TypeId>) -> String {
    let (mut open, mut seen): (Vec<TypeId>, BTreeSet<u32>) =
        (types.into_iter().collect(), BTreeSet::new());
    while let Some(ty) = open.pop() {
        match &program.types[ty as usize] {
            Type::List(inner)
            | Type::Optional(inner)
            | Type::Dictionary(inner)
            | Type::Entry(inner) => open.push(*inner),
            Type::Record(fields) => open.extend(fields.iter().map(|(_, ty)| *ty)),
            Type::Shape(shape) if seen.insert(*shape) => {
                let fields = &program.shapes[*shape as usize].fields;
                open.extend(fields.iter().map(|(_, ty)| *ty));
            }
            _ => {}
        }
    }
    let mut out = String::new();
    for shape in &seen {
        let shape_of = &program.shapes[*shape as usize];
        let name = code::string(&(&*shape_of.name).into()).text;
        let blank = blank_of(program, &shape_of.fields);
        out.push_str(&format!(
            "const S{shape} = {{ name: {name}, fields: null, blank: {blank} }};\n"
        ));
    }
    // They may have themselves inside.
    for shape in &seen {
        let fields = fields_of(program, &program.shapes[*shape as usize].fields);
        out.push_str(&format!("S{shape}.fields = {fields};\n"));
    }
    out
}
