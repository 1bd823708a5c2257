//! Compiled components and what they share.

use crate::code::{Block, CellId, Expr, ExprId, LocalId, NameId, Stmt};
use crate::track::Extent;
use crate::value::{Name, Value};
use serde::{Deserialize, Serialize};

/// A place in the program's table of types.
pub type TypeId = u32;

/// All compiled components of a project, with the tables they share.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Program {
    /// Names of fields.
    pub names: Vec<Name>,
    /// Types; a child stands before its parent.
    pub types: Vec<Type>,
    /// Named record types; fields may name any type, so that shapes can contain themselves.
    pub shapes: Vec<Shape>,
    /// The components, in the order of their names.
    pub plans: Vec<Plan>,
}

/// A named record type.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Shape {
    /// Its name, as written.
    pub name: Name,
    /// Its fields in order.
    pub fields: Vec<(NameId, TypeId)>,
}

/// A type, as data that enters or leaves is held against it.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Type {
    /// `null`
    Null,
    /// `string`
    String,
    /// `number`
    Number,
    /// `boolean`
    Boolean,
    /// One of some strings.
    Literals(Vec<Name>),
    /// `T[]`
    List(TypeId),
    /// `T?`
    Optional(TypeId),
    /// `{ a: T }`
    Record(Vec<(NameId, TypeId)>),
    /// A named record type.
    Shape(u32),
}

/// A compiled component.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    /// The component's name, which is its file's stem.
    pub name: Name,
    /// Props, state and derived values. A derived value stands after those it reads.
    pub cells: Vec<Cell>,
    /// Events given to the parent.
    pub events: Vec<Event>,
    /// Handlers.
    pub handlers: Vec<Handler>,
    /// The markup that does not change.
    pub template: Vec<TemplateNode>,
    /// The places in it that do.
    pub parts: Vec<Part>,
    /// What listens on it.
    pub listeners: Vec<Listener>,
    /// Expressions of all of these.
    pub exprs: Vec<Expr>,
    /// Statements of all of these.
    pub stmts: Vec<Stmt>,
}

/// A piece of state.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Cell {
    /// Its name.
    pub name: Name,
    /// The type of its values.
    pub ty: TypeId,
    /// Where its value comes from.
    pub kind: CellKind,
}

/// Where a cell's value comes from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum CellKind {
    /// From the parent, or else the default; without one it is required.
    Prop(Option<ExprId>),
    /// From this expression, once, when the component is added.
    State(ExprId),
    /// From this expression, whenever what it reads has changed.
    Derived(ExprId, Reads),
}

/// What an expression reads.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Reads {
    /// Always exactly this.
    Fixed(Vec<PlanRead>),
    /// At most this; how much of it, each evaluation finds out.
    Followed(Vec<PlanRead>),
}

impl Reads {
    /// The paths, whether always read or only sometimes.
    pub fn paths(&self) -> &[PlanRead] {
        match self {
            Reads::Fixed(paths) | Reads::Followed(paths) => paths,
        }
    }
}

/// A path that an expression reads.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct PlanRead {
    /// The cell.
    pub cell: CellId,
    /// The way into its value.
    pub path: Vec<ReadStep>,
    /// How much of what stands there.
    pub extent: Extent,
}

/// One step of a read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum ReadStep {
    /// A field.
    Field(NameId),
    /// Some item of a list.
    AnyItem,
}

/// An event that the component gives.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Event {
    /// Its name.
    pub name: Name,
    /// Its payload, by name.
    pub payload: Vec<(Name, TypeId)>,
}

/// A handler: statements with parameters. The parameters are the first locals.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Handler {
    /// Its name.
    pub name: Name,
    /// Its parameters.
    pub params: Vec<(Name, TypeId)>,
    /// How many locals it uses, parameters included.
    pub locals: LocalId,
    /// What it does.
    pub body: Block,
}

/// A node of the markup that does not change, in document order; every `Open` has a `Close`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum TemplateNode {
    /// An element begins.
    Open {
        /// Its namespace.
        namespace: Namespace,
        /// Its name.
        name: Name,
        /// Attributes that never change.
        attributes: Vec<(Name, Name)>,
        /// Whether parts or listeners refer to it. Marks are numbered in document order.
        marked: bool,
    },
    /// Text that never changes.
    Text(Name),
    /// Text that a part fills; it is marked.
    TextPart,
    /// The innermost open element ends.
    Close,
}

/// The namespaces of the HTML standard's elements.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Namespace {
    /// HTML.
    #[default]
    Html,
    /// SVG.
    Svg,
    /// MathML.
    MathMl,
}

impl Namespace {
    /// The namespace's URL in the Infra standard.
    pub fn url(self) -> &'static str {
        match self {
            Namespace::Html => "http://www.w3.org/1999/xhtml",
            Namespace::Svg => "http://www.w3.org/2000/svg",
            Namespace::MathMl => "http://www.w3.org/1998/Math/MathML",
        }
    }
}

/// Where something stands in its source file; both count from one, columns in characters.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Location {
    /// The line.
    pub line: u32,
    /// The column.
    pub column: u32,
}

/// The smallest place in the view that can change by itself.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Part {
    /// The marked node that it belongs to.
    pub mark: u32,
    /// What of the node it is.
    pub kind: PartKind,
    /// What is shown there.
    pub value: ExprId,
    /// What that reads.
    pub reads: Reads,
    /// What it is called inside its component, such as `p.note text`.
    pub address: Name,
    /// Where it was written.
    pub location: Location,
}

/// What of a node a part is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum PartKind {
    /// The data of a text node.
    Text,
    /// An attribute.
    Attribute(Name, Form),
    /// A property that the standard keeps apart from the attribute of that name.
    Property(Property),
}

/// How a value becomes an attribute.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Form {
    /// As text, always there.
    Text,
    /// `false` and `null` absent, `true` empty, else as text.
    Presence,
    /// `null` absent, `true` and `false` as words, for enumerated attributes.
    Words,
    /// As [`Form::Presence`], and only with a scheme that cannot run anything.
    Url,
}

/// Properties that differ from their attributes once a person has used the control.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Property {
    /// `value` of `input`, `textarea` and `select`.
    Value,
    /// `checked` of `input`.
    Checked,
    /// `selected` of `option`.
    Selected,
    /// `muted` of `audio` and `video`.
    Muted,
}

impl Property {
    /// Every property, by number.
    pub const ALL: [Property; 4] =
        [Property::Value, Property::Checked, Property::Selected, Property::Muted];

    /// Its IDL name.
    pub fn name(self) -> &'static str {
        match self {
            Property::Value => "value",
            Property::Checked => "checked",
            Property::Selected => "selected",
            Property::Muted => "muted",
        }
    }

    /// The property behind an attribute name on an element, where the two are kept apart.
    pub fn of(element: &str, attribute: &str) -> Option<Property> {
        match (element, attribute) {
            ("input" | "textarea" | "select", "value") => Some(Property::Value),
            ("input", "checked") => Some(Property::Checked),
            ("option", "selected") => Some(Property::Selected),
            ("audio" | "video", "muted") => Some(Property::Muted),
            _ => None,
        }
    }
}

/// Something that happens when an event reaches a marked element.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Listener {
    /// The marked element.
    pub mark: u32,
    /// The event's type, as the DOM names it.
    pub event: Name,
    /// What the arrow's parentheses say.
    pub options: ListenerOptions,
    /// Which fields of the event are read; local 0 is a record of them.
    pub fields: Vec<EventField>,
    /// How many locals the statements use, the event included.
    pub locals: LocalId,
    /// What happens.
    pub body: Block,
    /// What it is called inside its component, such as `button click`.
    pub address: Name,
    /// Where it was written.
    pub location: Location,
}

/// Options of an event binding.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ListenerOptions {
    /// Keep the browser from its own default action.
    pub prevent: bool,
    /// Keep the event from the elements around this one.
    pub stop: bool,
    /// Listen only until it has happened.
    pub once: bool,
    /// Only when the event started at this very element.
    pub own: bool,
    /// Only for this key.
    pub key: Option<Name>,
    /// Wait until nothing has happened for so many milliseconds.
    pub settle: Option<u32>,
}

macro_rules! event_fields {
    ($($field:ident $name:literal $kind:ident;)*) => {
        /// The fields of DOM events that bindings may read.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
        #[allow(missing_docs, reason = "each is what the DOM standards say of its name in the table")]
        pub enum EventField { $($field),* }

        impl EventField {
            /// Every field, by number.
            pub const ALL: &[EventField] = &[$(EventField::$field),*];

            /// Its name in the DOM standards.
            pub fn name(self) -> &'static str {
                match self { $(EventField::$field => $name),* }
            }

            /// Its value where an event has none.
            pub fn empty(self) -> Value {
                match self.ty() {
                    Type::Boolean => Value::Boolean(false),
                    Type::Number => Value::Number(0.0),
                    _ => Value::from(""),
                }
            }

            /// The type of its value.
            pub fn ty(self) -> Type {
                match self { $(EventField::$field => Type::$kind),* }
            }
        }
    };
}

event_fields! {
    Value "value" String;
    Checked "checked" Boolean;
    Key "key" String;
    Code "code" String;
    AltKey "altKey" Boolean;
    CtrlKey "ctrlKey" Boolean;
    MetaKey "metaKey" Boolean;
    ShiftKey "shiftKey" Boolean;
    Repeat "repeat" Boolean;
    Button "button" Number;
    ClientX "clientX" Number;
    ClientY "clientY" Number;
    OffsetX "offsetX" Number;
    OffsetY "offsetY" Number;
    DeltaX "deltaX" Number;
    DeltaY "deltaY" Number;
}

impl Program {
    /// A component's place by its name.
    pub fn find(&self, name: &str) -> Option<usize> {
        self.plans.iter().position(|plan| &*plan.name == name)
    }

    /// How a type is written in the language.
    ///
    /// ```
    /// use vein_plan::{Program, Type};
    /// let program = Program { types: vec![Type::Number, Type::List(0)], ..Program::default() };
    /// assert_eq!(program.type_name(1), "number[]");
    /// ```
    pub fn type_name(&self, ty: TypeId) -> String {
        match &self.types[ty as usize] {
            Type::Null => "null".into(),
            Type::String => "string".into(),
            Type::Number => "number".into(),
            Type::Boolean => "boolean".into(),
            Type::Literals(words) => {
                let words: Vec<String> = words.iter().map(|w| format!("'{w}'")).collect();
                words.join(" | ")
            }
            Type::List(item) => format!("{}[]", self.type_name_in_suffix(*item)),
            Type::Optional(inner) => format!("{}?", self.type_name_in_suffix(*inner)),
            Type::Record(fields) => {
                let fields: Vec<String> = fields
                    .iter()
                    .map(|(name, ty)| {
                        format!("{}: {}", self.names[*name as usize], self.type_name(*ty))
                    })
                    .collect();
                format!("{{ {} }}", fields.join(", "))
            }
            Type::Shape(shape) => self.shapes[*shape as usize].name.to_string(),
        }
    }

    fn type_name_in_suffix(&self, ty: TypeId) -> String {
        let name = self.type_name(ty);
        if name.contains(" | ") && !name.starts_with('{') { format!("({name})") } else { name }
    }
}
