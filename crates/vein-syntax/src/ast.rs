//! The tree of a component's text. It is always there, also for a text full of mistakes.

use crate::span::Span;
use vein_plan::Answers;
use vein_plan::Text;
use vein_plan::ops::{Binary, Logical, Unary};
use vein_plan::program::Namespace;

/// A whole file.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct File {
    /// Declarations in order.
    pub declarations: Vec<Declaration>,
    /// The nodes at the top of the markup.
    pub markup: Vec<Node>,
    /// The text inside the `<style>`.
    pub style: Option<Span>,
}

/// A name and where it stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ident {
    /// The name.
    pub name: String,
    /// Where.
    pub span: Span,
}

/// A declaration.
#[derive(Clone, Debug, PartialEq)]
pub struct Declaration {
    /// What is declared.
    pub kind: DeclarationKind,
    /// The whole declaration.
    pub span: Span,
}

/// What is declared.
#[derive(Clone, Debug, PartialEq)]
pub enum DeclarationKind {
    /// `shape Name { … }` or `shape Name = type`
    Shape(Ident, TypeExpr),
    /// `takes name: type = default`
    Takes(TypedName, Option<Expr>),
    /// `shares name: type = default`
    Shares(TypedName, Option<Expr>),
    /// `gives name(…)`
    Gives(Ident, Vec<TypedName>),
    /// `holds name: type = value`
    Holds(Ident, Option<TypeExpr>, Expr),
    /// `derives name = value`
    Derives(Ident, Option<TypeExpr>, Expr),
    /// `derives name(…) = value`, `derives name(…) { … return value }`
    Function(Ident, Vec<TypedName>, Option<TypeExpr>, FunctionBody),
    /// `does name(…) { … }`
    Does(Ident, Vec<TypedName>, Vec<Stmt>),
    /// `asks name(…): type`, `awaits name(…): type`, `streams name(…): type`
    Host(Answers, Ident, Vec<TypedName>, TypeExpr),
    /// `loads name: type = asked(…)`, `follows name: type = streamed(…)`; whether it follows.
    Source(bool, TypedName, Expr),
    /// `store name`
    Store(Ident),
    /// `uses name, name`
    Uses(Vec<Ident>),
    /// `names first, second`
    Names(Vec<Ident>),
    /// `upon … { … }`
    Upon(Upon, Vec<Stmt>),
    /// A verb of the language whose declaration is not read further.
    Other(Ident),
}

/// What a function gives.
#[derive(Clone, Debug, PartialEq)]
pub enum FunctionBody {
    /// The value of an expression.
    Value(Expr),
    /// What its statements return.
    Statements(Vec<Stmt>),
}

/// When the statements of an `upon` run.
#[derive(Clone, Debug, PartialEq)]
pub enum Upon {
    /// `added`
    Added,
    /// `removed`
    Removed,
    /// `change (a, b.c)`
    Change(Vec<Expr>),
    /// `every (period) while condition`
    Every(Expr, Option<Expr>),
}

/// `name: type`
#[derive(Clone, Debug, PartialEq)]
pub struct TypedName {
    /// The name.
    pub ident: Ident,
    /// Its type.
    pub ty: TypeExpr,
}

/// A written type.
#[derive(Clone, Debug, PartialEq)]
pub struct TypeExpr {
    /// What it is.
    pub kind: TypeKind,
    /// Where.
    pub span: Span,
}

/// What a written type is.
#[derive(Clone, Debug, PartialEq)]
pub enum TypeKind {
    /// A name: `string`, `Bed`.
    Name(String),
    /// `'dry'`
    Literal(String),
    /// `T[]`
    List(Box<TypeExpr>),
    /// `T?`
    Optional(Box<TypeExpr>),
    /// `{ a: T }`
    Record(Vec<TypedName>),
    /// `T{}`
    Dictionary(Box<TypeExpr>),
    /// `A | B`
    Union(Vec<TypeExpr>),
    /// A mistake that was already reported.
    Error,
}

/// An expression.
#[derive(Clone, Debug, PartialEq)]
pub struct Expr {
    /// What it is.
    pub kind: ExprKind,
    /// Where.
    pub span: Span,
}

/// What an expression is.
#[derive(Clone, Debug, PartialEq)]
pub enum ExprKind {
    /// `null`
    Null,
    /// `true`, `false`
    Boolean(bool),
    /// A number.
    Number(f64),
    /// A string.
    String(Text),
    /// A template literal.
    Template(Vec<TemplatePiece>),
    /// A name.
    Name(String),
    /// `of.name`, `of?.name`
    Field {
        /// The record.
        of: Box<Expr>,
        /// The field.
        name: Ident,
        /// Whether `?.` was written.
        optional: bool,
    },
    /// `of[index]`, `of?.[index]`
    Index {
        /// The list.
        of: Box<Expr>,
        /// The position.
        index: Box<Expr>,
        /// Whether `?.` was written.
        optional: bool,
    },
    /// `callee(args)`
    Call {
        /// What is called.
        callee: Box<Expr>,
        /// With what.
        args: Vec<Expr>,
    },
    /// A chain with a `?.` in it: where that finds `null`, the whole chain is `null`.
    Chain(Box<Expr>),
    /// `!a`, `-a`, `+a`
    Unary(Unary, Box<Expr>),
    /// `a + b`
    Binary {
        /// The operator.
        op: Binary,
        /// Left of it.
        left: Box<Expr>,
        /// Right of it.
        right: Box<Expr>,
        /// Where the operator stands.
        op_span: Span,
    },
    /// `a && b`
    Logical(Logical, Box<Expr>, Box<Expr>),
    /// `a ? b : c`
    Choose(Box<Expr>, Box<Expr>, Box<Expr>),
    /// `[a, ...b]`
    List(Vec<(Expr, bool)>),
    /// `/source/flags`
    Pattern(String, String),
    /// `key in dictionary`
    In(Box<Expr>, Box<Expr>),
    /// `{ a: 1, ...b }`
    Record(Vec<RecordItem>),
    /// `(a, b) => c`
    Arrow(Vec<Ident>, Box<Expr>),
    /// What an arrow function gives whose parameter, which has a name that nobody writes, is taken apart: `({ a, b }) => c`
    Unpack(Ident, Pattern, Box<Expr>),
    /// `await a`
    Await(Box<Expr>),
    /// `of is waiting`
    Is(Box<Expr>, Ident),
    /// A mistake that was already reported.
    Error,
}

/// The names that parts of a value get.
#[derive(Clone, Debug, PartialEq)]
pub enum Pattern {
    /// `{ id, crop: name }`: fields, and what each is called.
    Fields(Vec<(Ident, Ident)>),
    /// `[first, , third, ...rest]`
    Items(Vec<Option<Ident>>, Option<Ident>),
}

impl Pattern {
    /// The names.
    pub fn names(&self) -> impl Iterator<Item = &Ident> {
        let (fields, items, rest): (&[_], &[_], _) = match self {
            Pattern::Fields(fields) => (fields, &[], None),
            Pattern::Items(items, rest) => (&[], items, rest.as_ref()),
        };
        fields.iter().map(|(_, name)| name).chain(items.iter().flatten()).chain(rest)
    }
}

/// A piece of a template literal.
#[derive(Clone, Debug, PartialEq)]
pub enum TemplatePiece {
    /// Text.
    Text(Text),
    /// `${expr}`
    Expr(Expr),
}

/// One entry of an object literal.
#[derive(Clone, Debug, PartialEq)]
pub enum RecordItem {
    /// `name: value` or `name`
    Field(Ident, Expr),
    /// `[key]: value`
    Key(Expr, Expr),
    /// `...record`
    Spread(Expr),
}

/// A statement.
#[derive(Clone, Debug, PartialEq)]
pub struct Stmt {
    /// What it is.
    pub kind: StmtKind,
    /// Where.
    pub span: Span,
}

/// What a statement is.
#[derive(Clone, Debug, PartialEq)]
pub enum StmtKind {
    /// `const name = value`, `const name: type = value`
    Const(Ident, Option<TypeExpr>, Expr),
    /// `let name = value`, `let name: type = value`
    Let(Ident, Option<TypeExpr>, Expr),
    /// `const { a, b } = value`, `const [a, b] = value`
    Unpack(Pattern, Expr),
    /// `target = value`, `target += value`, `target++`
    Assign {
        /// What is written to.
        target: Expr,
        /// The operator of a compound assignment.
        op: Option<Binary>,
        /// The value, or what is added to it.
        value: Expr,
    },
    /// `target ??= value`
    Fill(Expr, Expr),
    /// `delete target`
    Delete(Expr),
    /// `if (test) … else …`
    If(Expr, Vec<Stmt>, Vec<Stmt>),
    /// `for (const name of list) …`
    For(Ident, Expr, Vec<Stmt>),
    /// `try { … } catch (reason) { … } finally { … }`, of which one of the two may be missing.
    Try(Vec<Stmt>, Option<Catch>, Vec<Stmt>),
    /// `return`, and in functions `return value`
    Return(Option<Expr>),
    /// `give name(…)`
    Give(Ident, Vec<Expr>),
    /// `reload name`
    Reload(Ident),
    /// A call.
    Expr(Expr),
}

/// `catch (reason) { … }`, or without the reason.
#[derive(Clone, Debug, PartialEq)]
pub struct Catch {
    /// What the reason is called.
    pub reason: Option<Ident>,
    /// What is done.
    pub body: Vec<Stmt>,
}

/// A node of the markup.
#[derive(Clone, Debug, PartialEq)]
pub enum Node {
    /// An element.
    Element(Element),
    /// Text with interpolation.
    Text(Vec<TextPiece>),
    /// White space with a line break in it between two nodes, of which none is known to stand on lines of its own: one
    /// space, unless a component turns out to do so.
    Space,
}

/// A piece of text or of an attribute's value.
#[derive(Clone, Debug, PartialEq)]
pub enum TextPiece {
    /// Text, with character references decoded and white space as it will be shown.
    Static(String, Span),
    /// `{expr}`
    Expr(Expr),
}

/// An element.
#[derive(Clone, Debug, PartialEq)]
pub struct Element {
    /// Its name, in the case that its namespace wants.
    pub name: Ident,
    /// Its namespace.
    pub namespace: Namespace,
    /// Its attributes in order.
    pub attributes: Vec<Attribute>,
    /// What is inside it.
    pub children: Vec<Node>,
    /// Its start tag.
    pub start_tag: Span,
    /// The name in its end tag, where it has one.
    pub end_name: Option<Span>,
}

/// An attribute.
#[derive(Clone, Debug, PartialEq)]
pub struct Attribute {
    /// Its name.
    pub name: Ident,
    /// Its value.
    pub value: AttributeValue,
    /// Where the value stands, without quotes.
    pub value_span: Span,
}

/// The value of an attribute.
#[derive(Clone, Debug, PartialEq)]
pub enum AttributeValue {
    /// No value.
    None,
    /// Text as it stands.
    Static(String),
    /// Text with interpolation.
    Interpolated(Vec<TextPiece>),
    /// `<- expr`
    OneWay(Arrow, Expr),
    /// `<-> place`
    TwoWay(Arrow, Expr),
    /// `-> statements`
    Event(Arrow, EventBody),
    /// The condition of `when` and `or-when`.
    Condition(Expr),
    /// What `each` says.
    Each(Box<Each>),
    /// A mistake that was already reported.
    Error,
}

/// An arrow and its options.
#[derive(Clone, Debug, PartialEq)]
pub struct Arrow {
    /// Where the arrow stands.
    pub span: Span,
    /// Its options.
    pub options: Vec<ArrowOption>,
}

/// One option of an arrow.
#[derive(Clone, Debug, PartialEq)]
pub struct ArrowOption {
    /// What it says.
    pub kind: OptionKind,
    /// Where.
    pub span: Span,
}

/// What an arrow's option says.
#[derive(Clone, Debug, PartialEq)]
pub enum OptionKind {
    /// `change`
    Change,
    /// `prevent`
    Prevent,
    /// `stop`
    Stop,
    /// `once`
    Once,
    /// `self`
    Own,
    /// `key Enter`
    Key(String),
    /// `quiet 300`
    Quiet(u32),
}

/// What happens on an event.
#[derive(Clone, Debug, PartialEq)]
pub enum EventBody {
    /// Nothing written: the event is passed on.
    Pass,
    /// A bare name.
    Handler(Ident),
    /// Statements.
    Statements(Vec<Stmt>),
}

/// `item, index of list by identity`
#[derive(Clone, Debug, PartialEq)]
pub struct Each {
    /// The item's name.
    pub item: Ident,
    /// The position's name.
    pub index: Option<Ident>,
    /// The list.
    pub list: Expr,
    /// What identifies an item.
    pub by: Option<Expr>,
}
