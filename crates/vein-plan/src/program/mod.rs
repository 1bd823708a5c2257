//! Compiled components and what they share.

use crate::code::{Body, CellId, Expr, ExprId, LocalId, NameId, Place, Stmt};
use crate::life::{Asked, Hook, Source};
use crate::track::Extent;
use crate::value::{Name, Value};

mod inside;

/// A place in the program's table of types.
pub type TypeId = u32;

/// All compiled components of a project, with the tables they share.
#[derive(Clone, Debug, Default, PartialEq)]
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
#[derive(Clone, Debug, PartialEq)]
pub struct Shape {
    /// Its name, as written.
    pub name: Name,
    /// Its fields in order.
    pub fields: Vec<(NameId, TypeId)>,
}

/// A type, as data that enters or leaves is held against it.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
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
    /// `T{}`: a dictionary.
    Dictionary(TypeId),
    /// `[string, T]`: the key of an entry of a dictionary, and what it has there.
    Entry(TypeId),
}

/// A compiled component.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Plan {
    /// The component's name, which is its file's stem.
    pub name: Name,
    /// Props, state, derived values, and the variables of loops and slots. A derived value
    /// stands after those it reads.
    pub cells: Vec<Cell>,
    /// Events given to the parent.
    pub events: Vec<Event>,
    /// Functions that work something out, its own and those of stores that it calls.
    pub functions: Vec<OwnFunction>,
    /// Handlers.
    pub handlers: Vec<Handler>,
    /// The markup: pieces that come and go as a whole. The first is the component's own; a
    /// block stands after the block that it is written in.
    pub blocks: Vec<Block>,
    /// Expressions of all of these.
    pub exprs: Vec<Expr>,
    /// Statements of all of these.
    pub stmts: Vec<Stmt>,
    /// Where each statement was written; fewer where that is not known.
    pub written: Vec<Location>,
    /// For a store, the name that it is read and called by; it shows nothing.
    pub store: Option<Name>,
    /// What it asks of the host.
    pub asked: Vec<Asked>,
    /// State that is filled by answers of the host.
    pub sources: Vec<Source>,
    /// What runs by itself: when it is added or removed, when something changed, every so often.
    pub hooks: Vec<Hook>,
    /// The component's style sheet, which reaches only its own elements.
    pub style: Name,
}

/// A piece of state.
#[derive(Clone, Debug, PartialEq)]
pub struct Cell {
    /// Its name.
    pub name: Name,
    /// The type of its values.
    pub ty: TypeId,
    /// Where its value comes from.
    pub kind: CellKind,
    /// The block that it lives in.
    pub block: BlockId,
    /// Where it was written.
    pub location: Location,
}

/// A place in a plan's table of blocks.
pub type BlockId = u32;

/// Where a cell's value comes from.
#[derive(Clone, Debug, PartialEq)]
pub enum CellKind {
    /// From the parent, or else the default; without one it is required.
    Prop(Option<ExprId>),
    /// As a prop, and the component may write to it: to the parent's state, when it was given
    /// both ways, else to a value of its own.
    Shared(Option<ExprId>),
    /// From this expression, once, when the component is added.
    State(ExprId),
    /// From this expression, whenever what it reads has changed.
    Derived(ExprId, Reads),
    /// The item of the loop that the block repeats for.
    Item,
    /// The position of that item.
    Position,
    /// What a slot hands back to the content that stands in it.
    Handed,
    /// What stands in a cell of a store: the store's plan, and the cell there.
    Store(u32, CellId),
}

/// A piece of markup that comes and goes as a whole: a component's own, an alternative of a
/// condition, what a loop repeats, what stands in a slot.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Block {
    /// The block that it is written in, whose cells it sees too.
    pub parent: Option<BlockId>,
    /// What it is called: `article.bed` of a loop, the text or element of an alternative.
    pub called: Name,
    /// The markup that does not change.
    pub template: Vec<TemplateNode>,
    /// The places in it that change by themselves.
    pub parts: Vec<Part>,
    /// What listens on it.
    pub listeners: Vec<Listener>,
    /// The places in it where other blocks come and go.
    pub spots: Vec<Spot>,
    /// Where it was written: what comes and goes with it.
    pub location: Location,
}

/// A place among the nodes of a block where others come and go.
#[derive(Clone, Debug, PartialEq)]
pub struct Spot {
    /// The marked element around it; at the top of the block there is none.
    pub parent: Option<u32>,
    /// What follows it.
    pub next: Next,
    /// What stands there.
    pub kind: SpotKind,
    /// What it is called inside its component, such as `p.note branch`.
    pub address: Name,
    /// Where it was written.
    pub location: Location,
}

/// What follows a spot among its siblings.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Next {
    /// Nothing.
    End,
    /// A marked node.
    Node(u32),
    /// Another spot of the block.
    Spot(u32),
}

/// What stands in a spot.
#[derive(Clone, Debug, PartialEq)]
pub enum SpotKind {
    /// One of several blocks, or none.
    Branch {
        /// The number of the alternative; beyond them, none.
        choice: ExprId,
        /// What that reads.
        reads: Reads,
        /// The alternatives.
        alternatives: Vec<BlockId>,
    },
    /// A block for each item of a list.
    List {
        /// The cell that the list stands in.
        cell: CellId,
        /// The fields on the way into it.
        path: Vec<NameId>,
        /// What tells items apart: an expression that reads nothing but the item.
        by: Option<(ExprId, Reads)>,
        /// The block.
        block: BlockId,
    },
    /// A component.
    Component(Use),
    /// What the parent put in here, or else the fallback.
    Slot {
        /// The slot's name; empty for the one without.
        name: Name,
        /// What it hands back, by name.
        values: Vec<(Name, Given)>,
        /// What stands there when the parent puts nothing.
        fallback: Option<BlockId>,
    },
    /// A block whose one element has a name that changes.
    Renamed {
        /// The element's name.
        name: ExprId,
        /// What that reads.
        reads: Reads,
        /// The block.
        block: BlockId,
    },
    /// Markup from data, cleaned.
    Markup {
        /// The markup.
        value: ExprId,
        /// What that reads.
        reads: Reads,
    },
}

/// A component that stands in another's markup.
#[derive(Clone, Debug, PartialEq)]
pub struct Use {
    /// Which of the program's components.
    pub plan: u32,
    /// Its props that are given.
    pub props: Vec<(CellId, Given)>,
    /// What happens when it gives an event.
    pub events: Vec<Heard>,
    /// What stands in its slots, by the slot's name.
    pub contents: Vec<(Name, BlockId)>,
}

/// What is given to a component, or handed back by a slot.
#[derive(Clone, Debug, PartialEq)]
pub enum Given {
    /// What stands at a path of the giver's: it is not copied.
    Path {
        /// The cell.
        cell: CellId,
        /// The fields on the way into it.
        path: Vec<NameId>,
    },
    /// The value of an expression of the giver's, kept in step with what it reads.
    Value(ExprId, Reads),
    /// The value of an expression of the giver's when the component is added.
    Once(ExprId),
}

/// What happens when a component gives an event.
#[derive(Clone, Debug, PartialEq)]
pub struct Heard {
    /// The event's number in the component.
    pub event: u32,
    /// How many locals the statements use; local 0 is a record of the payload.
    pub locals: LocalId,
    /// What happens.
    pub body: Body,
    /// What it is called inside its component, such as `bed-row water`.
    pub address: Name,
    /// Where it was written.
    pub location: Location,
}

/// What an expression reads.
#[derive(Clone, Debug, PartialEq)]
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
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct PlanRead {
    /// The cell.
    pub cell: CellId,
    /// The way into its value.
    pub path: Vec<ReadStep>,
    /// How much of what stands there.
    pub extent: Extent,
}

/// One step of a read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum ReadStep {
    /// A field.
    Field(NameId),
    /// Some item of a list, or some entry of a dictionary.
    AnyItem,
}

/// An event that the component gives.
#[derive(Clone, Debug, PartialEq)]
pub struct Event {
    /// Its name.
    pub name: Name,
    /// Its payload, by name.
    pub payload: Vec<(Name, TypeId)>,
}

/// A function that works something out of its arguments and of the state of its component. The parameters are the first
/// of its locals, which are its own: those of who calls it are not seen.
#[derive(Clone, Debug, PartialEq)]
pub struct OwnFunction {
    /// Its name; one of a store with the store's before it: `prices.of`.
    pub name: Name,
    /// Its parameters.
    pub params: Vec<(Name, TypeId)>,
    /// The type of what it gives.
    pub result: TypeId,
    /// How many locals it uses, parameters included.
    pub locals: LocalId,
    /// What it gives.
    pub body: ExprId,
    /// How many levels of expressions a call of it adds to those under way, if it may be called while it is under way
    /// itself; otherwise nothing, since such calls come to an end by themselves.
    pub levels: u32,
    /// Where it was written.
    pub location: Location,
}

/// A handler: statements with parameters. The parameters are the first locals.
#[derive(Clone, Debug, PartialEq)]
pub struct Handler {
    /// Its name.
    pub name: Name,
    /// Its parameters.
    pub params: Vec<(Name, TypeId)>,
    /// How many locals it uses, parameters included.
    pub locals: LocalId,
    /// What it does.
    pub body: Body,
    /// Where it was written.
    pub location: Location,
}

/// A node of the markup that does not change, in document order; every `Open` has a `Close`.
/// Marks are numbered in document order.
#[derive(Clone, Debug, PartialEq)]
pub enum TemplateNode {
    /// An element begins.
    Open {
        /// Its namespace.
        namespace: Namespace,
        /// Its name.
        name: Name,
        /// Attributes that never change.
        attributes: Vec<(Name, Name)>,
        /// Whether something refers to it.
        marked: bool,
    },
    /// Text that never changes.
    Text {
        /// Its data.
        text: Name,
        /// Whether something refers to it.
        marked: bool,
    },
    /// Text that a part fills; it is marked.
    TextPart,
    /// The innermost open element ends.
    Close,
}

/// The namespaces of the HTML standard's elements.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
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
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Location {
    /// The line.
    pub line: u32,
    /// The column.
    pub column: u32,
}

/// The smallest place in the view that can change by itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    /// The marked node that it belongs to.
    pub mark: u32,
    /// What of the node it is.
    pub kind: PartKind,
    /// What is shown there.
    pub value: ExprId,
    /// What that reads.
    pub reads: Reads,
    /// For the way to of a two-way binding: how what the control holds becomes a value.
    pub control: Option<Conversion>,
    /// What it is called inside its component, such as `p.note text`.
    pub address: Name,
    /// Where it was written.
    pub location: Location,
}

/// What of a node a part is.
#[derive(Clone, Debug, PartialEq)]
pub enum PartKind {
    /// The data of a text node.
    Text,
    /// An attribute.
    Attribute(Name, Form),
    /// A property that the standard keeps apart from the attribute of that name.
    Property(Property),
}

/// How a value becomes an attribute.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// As text, always there.
    Text,
    /// `false` and `null` absent, `true` empty, else as text.
    Presence,
    /// `null` absent, `true` and `false` as words, for enumerated attributes.
    Words,
    /// As [`Form::Presence`], and only with a scheme that cannot run anything.
    Url,
    /// Words apart by a space, from text or from a list whose falsy members are left out; with
    /// none the attribute is absent.
    Tokens,
    /// Declarations of CSS, from text or from a record of properties; with none the attribute
    /// is absent.
    Declarations,
}

/// How what a control holds becomes a value of state.
#[derive(Clone, Debug, PartialEq)]
pub enum Conversion {
    /// Its text as it stands.
    Text,
    /// Its text, or `null` when it is empty.
    TextOrNull,
    /// The number that its text means; other text is refused.
    Number,
    /// The number that its text means, or `null` when it is empty; other text is refused.
    NumberOrNull,
    /// One of these words; other text is refused.
    Word(Vec<Name>),
    /// One of these words, or `null` when it is empty; other text is refused.
    WordOrNull(Vec<Name>),
    /// Whether it is checked or open.
    Flag,
    /// A radio button's own value, once it is checked.
    Picked(ExprId),
    /// A list that holds a check box's own value while it is checked.
    Member(ExprId),
    /// A list of what is chosen.
    Many(Box<Conversion>),
}

/// The way back of a two-way binding.
#[derive(Clone, Debug, PartialEq)]
pub struct Commit {
    /// What is written.
    pub place: Place,
    /// From what the control holds.
    pub from: Conversion,
    /// The part that is the way to, by its number in the block.
    pub part: u32,
}

/// Properties that differ from their attributes once a person has used the control.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Property {
    /// `value` of `input`, `textarea` and `select`.
    Value,
    /// `checked` of `input`.
    Checked,
    /// `selected` of `option`.
    Selected,
    /// `muted` of `audio` and `video`.
    Muted,
    /// `open` of `details` and `dialog`.
    Open,
    /// The values of the chosen options of `select multiple`, as JSON.
    Chosen,
}

impl Property {
    /// Every property, by number.
    pub const ALL: [Property; 6] = [
        Property::Value,
        Property::Checked,
        Property::Selected,
        Property::Muted,
        Property::Open,
        Property::Chosen,
    ];

    /// The property of an IDL name.
    pub fn named(name: &str) -> Option<Property> {
        Property::ALL.into_iter().find(|property| property.name() == name)
    }

    /// Its IDL name.
    pub fn name(self) -> &'static str {
        match self {
            Property::Value => "value",
            Property::Checked => "checked",
            Property::Selected => "selected",
            Property::Muted => "muted",
            Property::Open => "open",
            Property::Chosen => "chosen",
        }
    }

    /// Whether it is text, rather than a flag.
    pub fn is_text(self) -> bool {
        matches!(self, Property::Value | Property::Chosen)
    }

    /// The property behind an attribute name on an element, where the two are kept apart.
    pub fn of(element: &str, attribute: &str) -> Option<Property> {
        match (element, attribute) {
            ("input" | "textarea" | "select", "value") => Some(Property::Value),
            ("input", "checked") => Some(Property::Checked),
            ("option", "selected") => Some(Property::Selected),
            ("audio" | "video", "muted") => Some(Property::Muted),
            ("details" | "dialog", "open") => Some(Property::Open),
            _ => None,
        }
    }
}

/// Something that happens when an event reaches a marked element.
#[derive(Clone, Debug, PartialEq)]
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
    pub body: Body,
    /// For the way back of a two-way binding: what the control's value becomes.
    pub commit: Option<Commit>,
    /// What it is called inside its component, such as `button click`.
    pub address: Name,
    /// Where it was written.
    pub location: Location,
}

/// Options of an event binding.
#[derive(Clone, Debug, Default, PartialEq)]
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
    pub quiet: Option<u32>,
}

macro_rules! event_fields {
    ($($field:ident $name:literal $kind:ident;)*) => {
        /// The fields of DOM events that bindings may read.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
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
    Open "open" Boolean;
    Chosen "chosen" String;
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
    ScrollTop "scrollTop" Number;
    ScrollLeft "scrollLeft" Number;
    ScrollWidth "scrollWidth" Number;
    ScrollHeight "scrollHeight" Number;
    ClientWidth "clientWidth" Number;
    ClientHeight "clientHeight" Number;
    OffsetWidth "offsetWidth" Number;
    OffsetHeight "offsetHeight" Number;
    NaturalWidth "naturalWidth" Number;
    NaturalHeight "naturalHeight" Number;
}

impl EventField {
    /// Whether it is a measure of the event's target, in CSS pixels: 0 where nothing is laid out.
    pub fn is_measure(self) -> bool {
        use EventField::*;
        matches!(
            self,
            ScrollTop
                | ScrollLeft
                | ScrollWidth
                | ScrollHeight
                | ClientWidth
                | ClientHeight
                | OffsetWidth
                | OffsetHeight
                | NaturalWidth
                | NaturalHeight
        )
    }
}
