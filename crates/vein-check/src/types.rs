//! Types as the checker knows them.

use rustc_hash::FxHashMap as HashMap;
use vein_plan::{Name, Program, Shape, Type, TypeId};

/// A type.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Ty {
    /// Of something that was already reported; fits everything.
    Error,
    /// Of no value: the items of `[]`.
    Never,
    Null,
    /// Of several types, each of which can be shown: only where it is shown.
    Mixed,
    String,
    Number,
    Boolean,
    Literals(Vec<String>),
    List(Box<Ty>),
    Optional(Box<Ty>),
    Record(Vec<(String, Ty)>),
    Shape(usize),
    Dictionary(Box<Ty>),
    /// `[string, T]`: what `Object.entries` gives a list of.
    Entry(Box<Ty>),
}

/// A named record type.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct ShapeType {
    pub(crate) name: String,
    pub(crate) fields: Vec<(String, Ty)>,
}

/// All shapes of a project, by number.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct Shapes(pub(crate) Vec<ShapeType>);

impl Ty {
    /// Whether more than so many lists, records and optional ones stand around each other in it.
    pub(crate) fn is_deeper_than(&self, depth: usize) -> bool {
        match self {
            Ty::List(inner) | Ty::Optional(inner) | Ty::Dictionary(inner) | Ty::Entry(inner) => {
                depth == 0 || inner.is_deeper_than(depth - 1)
            }
            Ty::Record(fields) => {
                depth == 0 || fields.iter().any(|(_, ty)| ty.is_deeper_than(depth - 1))
            }
            _ => false,
        }
    }

    /// Of how many types it is made.
    pub(crate) fn parts(&self) -> usize {
        match self {
            Ty::List(inner) | Ty::Optional(inner) | Ty::Dictionary(inner) | Ty::Entry(inner) => {
                1 + inner.parts()
            }
            Ty::Record(fields) => 1 + fields.iter().map(|(_, ty)| ty.parts()).sum::<usize>(),
            Ty::Literals(words) => words.len(),
            _ => 1,
        }
    }

    pub(crate) fn list(item: Ty) -> Ty {
        Ty::List(Box::new(item))
    }

    pub(crate) fn dictionary(value: Ty) -> Ty {
        Ty::Dictionary(Box::new(value))
    }

    /// Whether it is a list, a record or a dictionary: none of these is ever falsy.
    pub(crate) fn is_compound(&self) -> bool {
        matches!(
            self,
            Ty::List(_) | Ty::Record(_) | Ty::Shape(_) | Ty::Dictionary(_) | Ty::Entry(_)
        )
    }

    /// `T?`; what already may be `null` stays as it is.
    pub(crate) fn optional(inner: Ty) -> Ty {
        match inner {
            Ty::Error | Ty::Null | Ty::Optional(_) => inner,
            Ty::Never => Ty::Null,
            other => Ty::Optional(Box::new(other)),
        }
    }

    /// The type of what is left when `null` is ruled out.
    pub(crate) fn without_null(&self) -> Ty {
        match self {
            Ty::Optional(inner) => (**inner).clone(),
            Ty::Null => Ty::Never,
            other => other.clone(),
        }
    }

    pub(crate) fn may_be_null(&self) -> bool {
        matches!(self, Ty::Null | Ty::Optional(_))
    }

    /// What a name that is set from a value of this type may hold later.
    pub(crate) fn widened(self) -> Ty {
        match self {
            Ty::Literals(_) => Ty::String,
            other => other,
        }
    }

    pub(crate) fn is_text(&self) -> bool {
        matches!(self, Ty::String | Ty::Literals(_))
    }

    /// Whether markup can show it.
    pub(crate) fn is_showable(&self) -> bool {
        match self {
            Ty::Optional(inner) => inner.is_showable(),
            ty => !ty.is_compound(),
        }
    }

    /// Whether this can still be told from the value, so that no type must be written.
    pub(crate) fn is_settled(&self) -> bool {
        match self {
            Ty::Never | Ty::Null => false,
            Ty::List(inner) | Ty::Optional(inner) | Ty::Dictionary(inner) | Ty::Entry(inner) => {
                inner.is_settled()
            }
            // A record without fields would have none for good: a dictionary is meant.
            Ty::Record(fields) => {
                !fields.is_empty() && fields.iter().all(|(_, ty)| ty.is_settled())
            }
            _ => true,
        }
    }

    /// How one is written down that cannot be told from its value, as an example.
    pub(crate) fn as_written_down(&self) -> &'static str {
        match self {
            Ty::List(_) => "string[]",
            Ty::Record(fields) if fields.is_empty() => "number{}",
            Ty::Dictionary(_) => "number{}",
            _ => "string?",
        }
    }
}

impl Shapes {
    /// The fields of a record type.
    pub(crate) fn fields<'a>(&'a self, ty: &'a Ty) -> Option<&'a [(String, Ty)]> {
        match ty {
            Ty::Record(fields) => Some(fields),
            Ty::Shape(shape) => Some(&self.0[*shape].fields),
            _ => None,
        }
    }

    /// Whether a value of one type may stand where another is wanted.
    pub(crate) fn fits(&self, from: &Ty, to: &Ty) -> bool {
        self.fits_within(from, to, 0)
    }

    fn fits_within(&self, from: &Ty, to: &Ty, depth: usize) -> bool {
        // Shapes may contain themselves; what has not differed so far does not differ.
        if depth > 40 {
            return true;
        }
        let fits = |from, to| self.fits_within(from, to, depth + 1);
        match (from, to) {
            (Ty::Error | Ty::Never, _) | (_, Ty::Error) => true,
            (Ty::Null, Ty::Optional(_) | Ty::Null) => true,
            (Ty::Literals(some), Ty::Literals(all)) => some.iter().all(|word| all.contains(word)),
            (Ty::Literals(_), Ty::String) => true,
            (Ty::List(from), Ty::List(to))
            | (Ty::Dictionary(from), Ty::Dictionary(to))
            | (Ty::Entry(from), Ty::Entry(to)) => fits(from, to),
            (Ty::Optional(from), Ty::Optional(to)) => fits(from, to),
            (from, Ty::Optional(to)) => fits(from, to),
            (Ty::Shape(a), Ty::Shape(b)) if a == b => true,
            (from, to) => match (self.fields(from), self.fields(to)) {
                (Some(from), Some(to)) => {
                    from.len() == to.len()
                        && to.iter().all(|(name, to)| {
                            from.iter().any(|(n, from)| n == name && fits(from, to))
                        })
                }
                (None, None) => from == to,
                _ => false,
            },
        }
    }

    /// The smallest type that holds values of both, where there is one.
    pub(crate) fn join(&self, a: &Ty, b: &Ty) -> Option<Ty> {
        match (a, b) {
            (a, b) if self.fits(a, b) => Some(b.clone()),
            (a, b) if self.fits(b, a) => Some(a.clone()),
            (Ty::Null, other) | (other, Ty::Null) => Some(Ty::optional(other.clone())),
            (Ty::Optional(inner), other) | (other, Ty::Optional(inner)) => {
                self.join(inner, &other.without_null()).map(Ty::optional)
            }
            (Ty::Literals(a), Ty::Literals(b)) => {
                let more = b.iter().filter(|word| !a.contains(word));
                Some(Ty::Literals(a.iter().chain(more).cloned().collect()))
            }
            (Ty::List(a), Ty::List(b)) => self.join(a, b).map(Ty::list),
            (Ty::Dictionary(a), Ty::Dictionary(b)) => self.join(a, b).map(Ty::dictionary),
            (Ty::Record(a), Ty::Record(b)) if a.len() == b.len() => {
                let joined = a.iter().map(|(name, ty)| {
                    let (_, other) = b.iter().find(|(n, _)| n == name)?;
                    Some((name.clone(), self.join(ty, other)?))
                });
                joined.collect::<Option<Vec<_>>>().map(Ty::Record)
            }
            _ => None,
        }
    }

    /// How a type is written.
    pub(crate) fn name(&self, ty: &Ty) -> String {
        let suffixed = |inner: &Ty, suffix: &str| match inner {
            Ty::Literals(words) if words.len() > 1 => format!("({}){suffix}", self.name(inner)),
            _ => format!("{}{suffix}", self.name(inner)),
        };
        match ty {
            Ty::Error => "unknown".into(),
            Ty::Never => "nothing".into(),
            Ty::Mixed => "something".into(),
            Ty::Null => "null".into(),
            Ty::String => "string".into(),
            Ty::Number => "number".into(),
            Ty::Boolean => "boolean".into(),
            Ty::Literals(words) => {
                words.iter().map(|w| format!("'{w}'")).collect::<Vec<_>>().join(" | ")
            }
            Ty::List(item) if **item == Ty::Never => "[]".into(),
            Ty::List(item) => suffixed(item, "[]"),
            Ty::Optional(inner) => suffixed(inner, "?"),
            Ty::Dictionary(value) if **value == Ty::Never => "{}".into(),
            Ty::Dictionary(value) => suffixed(value, "{}"),
            Ty::Entry(value) => format!("[string, {}]", self.name(value)),
            Ty::Record(fields) => {
                let fields: Vec<String> =
                    fields.iter().map(|(n, ty)| format!("{n}: {}", self.name(ty))).collect();
                format!("{{ {} }}", fields.join(", "))
            }
            Ty::Shape(shape) => self.0[*shape].name.clone(),
        }
    }
}

/// Builds the tables that all plans of a program share.
#[derive(Debug, Default)]
pub(crate) struct Tables {
    pub(crate) program: Program,
    names: HashMap<String, u32>,
    types: HashMap<Type, TypeId>,
}

impl Tables {
    /// The number of a name.
    pub(crate) fn name(&mut self, name: &str) -> u32 {
        if let Some(id) = self.names.get(name) {
            return *id;
        }
        let id = self.program.names.len() as u32;
        self.program.names.push(name.into());
        self.names.insert(name.into(), id);
        id
    }

    /// The number of a type.
    pub(crate) fn ty(&mut self, ty: &Ty) -> TypeId {
        let ty = match ty {
            Ty::Error | Ty::Never | Ty::Null | Ty::Mixed => Type::Null,
            Ty::String => Type::String,
            Ty::Number => Type::Number,
            Ty::Boolean => Type::Boolean,
            Ty::Literals(words) => {
                Type::Literals(words.iter().map(|w| Name::from(w.as_str())).collect())
            }
            Ty::List(item) => Type::List(self.ty(item)),
            Ty::Optional(inner) => Type::Optional(self.ty(inner)),
            Ty::Record(fields) => Type::Record(self.fields(fields)),
            Ty::Shape(shape) => Type::Shape(*shape as u32),
            Ty::Dictionary(value) => Type::Dictionary(self.ty(value)),
            Ty::Entry(value) => Type::Entry(self.ty(value)),
        };
        if let Some(id) = self.types.get(&ty) {
            return *id;
        }
        let id = self.program.types.len() as TypeId;
        self.program.types.push(ty.clone());
        self.types.insert(ty, id);
        id
    }

    fn fields(&mut self, fields: &[(String, Ty)]) -> Vec<(u32, TypeId)> {
        fields.iter().map(|(name, ty)| (self.name(name), self.ty(ty))).collect()
    }

    /// Fills the table of shapes.
    pub(crate) fn add_shapes(&mut self, shapes: &Shapes) {
        for shape in &shapes.0 {
            let fields = self.fields(&shape.fields);
            let name = shape.name.as_str().into();
            self.program.shapes.push(Shape { name, fields });
        }
    }
}
