//! What kinds of values expressions give, as far as the code that is written for them depends on it.

use std::rc::Rc;
use vein_plan::code::NameId;
use vein_plan::{Program, Type, TypeId};

/// What is known of the values of an expression.
#[derive(Clone, Debug, PartialEq)]
pub enum Kind {
    /// Nothing but `null`.
    Null,
    /// `boolean`
    Boolean,
    /// `number`
    Number,
    /// `string`
    String,
    /// A list.
    List(Rc<Kind>),
    /// A record of a type of the program, or with these fields.
    Record(Rc<[(NameId, Kind)]>),
    /// A named record type.
    Shape(u32),
    /// A dictionary of these.
    Dictionary(Rc<Kind>),
    /// The key of an entry of such a dictionary, and what it has there.
    Entry(Rc<Kind>),
    /// One of these or `null`.
    Maybe(Rc<Kind>),
    /// Nothing is known.
    Any,
}

impl Kind {
    /// The kind of a type's values.
    pub fn of(program: &Program, ty: TypeId) -> Kind {
        match &program.types[ty as usize] {
            Type::Null => Kind::Null,
            Type::String | Type::Literals(_) => Kind::String,
            Type::Number => Kind::Number,
            Type::Boolean => Kind::Boolean,
            Type::List(item) => Kind::list(Kind::of(program, *item)),
            Type::Optional(inner) => Kind::of(program, *inner).or_null(),
            Type::Record(fields) => Kind::Record(
                fields.iter().map(|(name, ty)| (*name, Kind::of(program, *ty))).collect(),
            ),
            Type::Shape(shape) => Kind::Shape(*shape),
            Type::Dictionary(value) => Kind::Dictionary(Rc::new(Kind::of(program, *value))),
            Type::Entry(value) => Kind::Entry(Rc::new(Kind::of(program, *value))),
        }
    }

    /// A list of it.
    pub fn list(item: Kind) -> Kind {
        Kind::List(Rc::new(item))
    }

    /// It or `null`.
    pub fn or_null(self) -> Kind {
        match self {
            Kind::Null | Kind::Any | Kind::Maybe(_) => self,
            known => Kind::Maybe(Rc::new(known)),
        }
    }

    /// It where it is not `null`.
    pub fn there(&self) -> Kind {
        match self {
            Kind::Maybe(known) => (**known).clone(),
            known => known.clone(),
        }
    }

    /// The kind of both.
    pub fn joined(self, other: Kind) -> Kind {
        match (&self, &other) {
            (a, b) if a == b => self,
            (Kind::Null, _) => other.or_null(),
            (_, Kind::Null) => self.or_null(),
            (Kind::Maybe(_), _) | (_, Kind::Maybe(_)) => {
                self.there().joined(other.there()).or_null()
            }
            (Kind::List(a), Kind::List(b)) => Kind::list((**a).clone().joined((**b).clone())),
            (Kind::Dictionary(a), Kind::Dictionary(b)) => {
                Kind::Dictionary(Rc::new((**a).clone().joined((**b).clone())))
            }
            _ => Kind::Any,
        }
    }

    /// The kind of a list's items, or of what stands in a dictionary.
    pub fn item(&self) -> Kind {
        match self {
            Kind::List(item) | Kind::Dictionary(item) => (**item).clone(),
            Kind::Maybe(known) => known.item(),
            _ => Kind::Any,
        }
    }

    /// The kind of a record's field.
    pub fn field(&self, program: &Program, name: NameId) -> Kind {
        match self {
            Kind::Record(fields) => {
                let field = fields.iter().find(|(known, _)| *known == name);
                field.map_or(Kind::Any, |(_, kind)| kind.clone())
            }
            Kind::Shape(shape) => {
                let fields = &program.shapes[*shape as usize].fields;
                let field = fields.iter().find(|(known, _)| *known == name);
                field.map_or(Kind::Any, |(_, ty)| Kind::of(program, *ty))
            }
            Kind::Maybe(known) => known.field(program, name),
            _ => Kind::Any,
        }
    }

    /// The fields of a record, in order; `None` where they are not known.
    pub fn fields(&self, program: &Program) -> Option<Vec<(NameId, Kind)>> {
        match self {
            Kind::Record(fields) => Some(fields.to_vec()),
            Kind::Shape(shape) => {
                let fields = &program.shapes[*shape as usize].fields;
                Some(fields.iter().map(|(name, ty)| (*name, Kind::of(program, *ty))).collect())
            }
            _ => None,
        }
    }

    /// Whether two values of it are equal just when ECMAScript's own comparison says so.
    pub fn is_simple(&self) -> bool {
        match self {
            Kind::Null | Kind::Boolean | Kind::Number | Kind::String => true,
            Kind::Maybe(known) => known.is_simple(),
            Kind::List(_)
            | Kind::Record(_)
            | Kind::Shape(_)
            | Kind::Dictionary(_)
            | Kind::Entry(_)
            | Kind::Any => false,
        }
    }

    /// Whether its text is never long.
    pub fn is_short(&self) -> bool {
        match self {
            Kind::Null | Kind::Boolean | Kind::Number => true,
            Kind::Maybe(known) => known.is_short(),
            _ => false,
        }
    }

    /// Whether a record of it may have one of its own kind inside, however deep.
    pub fn nests(&self, program: &Program) -> bool {
        let (mut open, mut seen) = (vec![self.clone()], Vec::new());
        while let Some(kind) = open.pop() {
            match &kind {
                Kind::Any => return true,
                Kind::List(inner)
                | Kind::Maybe(inner)
                | Kind::Dictionary(inner)
                | Kind::Entry(inner) => open.push((**inner).clone()),
                Kind::Record(fields) => open.extend(fields.iter().map(|(_, kind)| kind.clone())),
                Kind::Shape(shape) if seen.contains(shape) => return true,
                Kind::Shape(shape) => {
                    seen.push(*shape);
                    open.extend(kind.fields(program).into_iter().flatten().map(|(_, kind)| kind));
                }
                _ => {}
            }
        }
        false
    }
}
