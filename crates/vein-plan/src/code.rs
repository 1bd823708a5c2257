//! The compiled form of expressions and statements: flat tables in which every child stands
//! before its parent, so that neither reading nor checking a plan can go in a circle.

use crate::members::Member;
use crate::ops::{Binary, Logical, Unary};
use crate::program::TypeId;
use crate::text::Text;

/// An expression's place in its plan's table.
pub type ExprId = u32;
/// A statement's place in its plan's table.
pub type StmtId = u32;
/// A piece of an instance's state: a prop, a held state or a derived value.
pub type CellId = u32;
/// A name that lives while one expression or handler runs.
pub type LocalId = u32;
/// A place in the program's table of names.
pub type NameId = u32;

/// An expression.
#[derive(Clone, Debug, PartialEq)]
pub enum Expr {
    /// `null`
    Null,
    /// `true`, `false`
    Boolean(bool),
    /// A number.
    Number(f64),
    /// A string.
    String(Text),
    /// A prop, state or derived value.
    Cell(CellId),
    /// A parameter, a constant or a loop's position.
    Local(LocalId),
    /// `record.name`; `null` of `null`.
    Field(ExprId, NameId),
    /// `list[index]`, or `dictionary[key]`: the one is a number, the other a text. `null` where there is nothing.
    Index(ExprId, ExprId),
    /// An operator with one operand.
    Unary(Unary, ExprId),
    /// An operator with two.
    Binary(Binary, ExprId, ExprId),
    /// `&&`, `||`, `??`
    Logical(Logical, ExprId, ExprId),
    /// `test ? then : otherwise`
    Choose(ExprId, ExprId, ExprId),
    /// `value?.…`: `null` of `null`; else `body`, in which the local stands for the value.
    Unless(ExprId, LocalId, ExprId),
    /// A name for a value in an expression: `body`, in which the local stands for the value.
    With(ExprId, LocalId, ExprId),
    /// Template literals, and text and attributes with interpolation.
    Concat(Vec<Piece>),
    /// An array literal.
    List(Vec<Item>),
    /// An object literal.
    Record(Vec<Field>),
    /// An object literal that is a dictionary.
    Dictionary(Vec<Entry>),
    /// A standard member that takes no function.
    Call(Member, Option<ExprId>, Vec<ExprId>),
    /// A standard member that walks a list with a function.
    Walk(Member, ExprId, Function, Option<ExprId>),
    /// A function that the host answers at once.
    Ask(u32, Vec<ExprId>),
    /// A function of the plan.
    Apply(u32, Vec<ExprId>),
}

/// An arrow function: its parameters are locals, missing ones are not bound.
#[derive(Clone, Debug, PartialEq)]
pub struct Function {
    /// Where the arguments go, in order.
    pub params: Vec<LocalId>,
    /// What it gives.
    pub body: ExprId,
}

/// One piece of a concatenation.
#[derive(Clone, Debug, PartialEq)]
pub enum Piece {
    /// Text as it stands.
    Static(Text),
    /// A value as ECMAScript's `ToString` gives it.
    Value(ExprId),
    /// A value as markup shows it: nothing for `null`.
    Shown(ExprId),
}

/// One item of an array literal.
#[derive(Clone, Debug, PartialEq)]
pub enum Item {
    /// A single item.
    One(ExprId),
    /// `...list`
    Spread(ExprId),
}

/// One field of an object literal.
#[derive(Clone, Debug, PartialEq)]
pub enum Field {
    /// `name: value`
    One(NameId, ExprId),
    /// `...record`
    Spread(ExprId),
}

/// One entry of an object literal that is a dictionary.
#[derive(Clone, Debug, PartialEq)]
pub enum Entry {
    /// `[key]: value`: the key is a text.
    One(ExprId, ExprId),
    /// `...dictionary`
    Spread(ExprId),
}

/// What a statement writes to: a cell, or something inside one.
#[derive(Clone, Debug, PartialEq)]
pub struct Place {
    /// The cell.
    pub cell: CellId,
    /// The way into its value.
    pub steps: Vec<PlaceStep>,
}

/// One step of the way into a cell's value.
#[derive(Clone, Debug, PartialEq)]
pub enum PlaceStep {
    /// `.name`
    Field(NameId),
    /// `[index]` of a list, or `[key]` of a dictionary: the one is a number, the other a text.
    Index(ExprId),
}

/// A statement.
#[derive(Clone, Debug, PartialEq)]
pub enum Stmt {
    /// `const name = value`
    Let(LocalId, ExprId),
    /// `let name = value`: what it holds by then may become another value of the type.
    Vary(LocalId, TypeId, ExprId),
    /// `name = value`, where the name was declared by `let`.
    Assign(LocalId, ExprId),
    /// `place = value`
    Set(Place, ExprId),
    /// `delete place`: the entry of a dictionary.
    Delete(Place),
    /// `place.push(…)` and its like.
    Edit(Place, ListEdit),
    /// `if (test) … else …`
    If(ExprId, Body, Body),
    /// `for (const item of list) …`: the local is the position.
    For(LocalId, ExprId, Body),
    /// `try … catch (reason) … finally …`: the local is the reason why the host failed.
    Try(Body, Option<(LocalId, Body)>, Body),
    /// A call of one of the component's own handlers.
    Call(u32, Vec<ExprId>),
    /// `give name(…)`
    Give(u32, Vec<ExprId>),
    /// `return`
    Return,
    /// A call of a handler of a store: the store's plan, and the handler there.
    CallStore(u32, u32, Vec<ExprId>),
    /// `await asked(…)`: the rest goes on when the answer is there, which goes into the local.
    Await(u32, Vec<ExprId>, Option<LocalId>),
    /// `reload source`
    Reload(u32),
}

/// Statements in order.
pub type Body = Vec<StmtId>;

/// A method that changes a list in place.
#[derive(Clone, Debug, PartialEq)]
pub enum ListEdit {
    /// `push(…)`
    Push(Vec<ExprId>),
    /// `pop()`
    Pop,
    /// `shift()`
    Shift,
    /// `unshift(…)`
    Unshift(Vec<ExprId>),
    /// `splice(start, count, …)`
    Splice(ExprId, Option<ExprId>, Vec<ExprId>),
    /// `reverse()`
    Reverse,
    /// `sort(compare)`
    Sort(Option<Function>),
}

/// Does something with every direct child of an expression, borrowed in whichever way that is.
macro_rules! each_child {
    ($expr:expr, $each:expr) => {
        match $expr {
            Expr::Null
            | Expr::Boolean(_)
            | Expr::Number(_)
            | Expr::String(_)
            | Expr::Cell(_)
            | Expr::Local(_) => {}
            Expr::Field(a, _) | Expr::Unary(_, a) => $each(a),
            Expr::Index(a, b)
            | Expr::Binary(_, a, b)
            | Expr::Logical(_, a, b)
            | Expr::Unless(a, _, b)
            | Expr::With(a, _, b) => [a, b].into_iter().for_each($each),
            Expr::Choose(a, b, c) => [a, b, c].into_iter().for_each($each),
            Expr::Concat(pieces) => {
                for piece in pieces {
                    match piece {
                        Piece::Static(_) => {}
                        Piece::Value(e) | Piece::Shown(e) => $each(e),
                    }
                }
            }
            Expr::List(items) => {
                for Item::One(e) | Item::Spread(e) in items {
                    $each(e);
                }
            }
            Expr::Record(fields) => {
                for Field::One(_, e) | Field::Spread(e) in fields {
                    $each(e);
                }
            }
            Expr::Dictionary(entries) => {
                for entry in entries {
                    match entry {
                        Entry::One(key, e) => [key, e].into_iter().for_each($each),
                        Entry::Spread(e) => $each(e),
                    }
                }
            }
            Expr::Call(_, receiver, args) => receiver.into_iter().chain(args).for_each($each),
            Expr::Walk(_, list, Function { body, .. }, extra) => {
                [list, body].into_iter().chain(extra).for_each($each);
            }
            Expr::Ask(_, args) | Expr::Apply(_, args) => args.into_iter().for_each($each),
        }
    };
}

impl Expr {
    /// Calls `each` with every direct child.
    pub fn children(&self, mut each: impl FnMut(ExprId)) {
        let mut each = |child: &ExprId| each(*child);
        each_child!(self, &mut each);
    }

    /// The same with other children.
    #[must_use]
    pub fn with_children(&self, mut other: impl FnMut(ExprId) -> ExprId) -> Expr {
        let mut expr = self.clone();
        let mut each = |child: &mut ExprId| *child = other(*child);
        each_child!(&mut expr, &mut each);
        expr
    }

    /// The locals that this expression itself names or binds.
    pub fn locals(&self) -> Vec<LocalId> {
        match self {
            Expr::Local(local) | Expr::Unless(_, local, _) | Expr::With(_, local, _) => {
                vec![*local]
            }
            Expr::Walk(_, _, function, _) => function.params.clone(),
            _ => Vec::new(),
        }
    }
}

impl Stmt {
    /// Every expression that this statement itself names, and every statement inside it.
    pub fn children(&self, mut expr: impl FnMut(ExprId), mut stmt: impl FnMut(StmtId)) {
        match self {
            Stmt::Let(_, value) | Stmt::Vary(_, _, value) | Stmt::Assign(_, value) => expr(*value),
            Stmt::Set(place, value) => {
                place.indices().for_each(&mut expr);
                expr(*value);
            }
            Stmt::Delete(place) => place.indices().for_each(&mut expr),
            Stmt::Edit(place, edit) => {
                place.indices().for_each(&mut expr);
                edit.expressions().into_iter().for_each(expr);
            }
            Stmt::If(of, ..) | Stmt::For(_, of, _) => expr(*of),
            Stmt::Try(..) => {}
            Stmt::Call(_, args)
            | Stmt::Give(_, args)
            | Stmt::CallStore(_, _, args)
            | Stmt::Await(_, args, _) => args.iter().copied().for_each(expr),
            Stmt::Return | Stmt::Reload(_) => {}
        }
        self.bodies().flatten().copied().for_each(&mut stmt);
    }

    /// The lists of statements in it, in the order in which they were written.
    pub fn bodies(&self) -> impl Iterator<Item = &Body> + Clone {
        let [first, second, third] = match self {
            Stmt::If(_, then, otherwise) => [Some(then), Some(otherwise), None],
            Stmt::For(_, _, body) => [Some(body), None, None],
            Stmt::Try(tried, caught, last) => {
                [Some(tried), caught.as_ref().map(|(_, body)| body), Some(last)]
            }
            _ => [None; 3],
        };
        first.into_iter().chain(second).chain(third)
    }
}

impl Place {
    fn indices(&self) -> impl Iterator<Item = ExprId> {
        self.steps.iter().filter_map(|step| match step {
            PlaceStep::Index(e) => Some(*e),
            PlaceStep::Field(_) => None,
        })
    }
}

impl ListEdit {
    fn expressions(&self) -> Vec<ExprId> {
        match self {
            ListEdit::Push(items) | ListEdit::Unshift(items) => items.clone(),
            ListEdit::Splice(start, count, items) => {
                [*start].iter().chain(count).chain(items).copied().collect()
            }
            ListEdit::Sort(Some(function)) => vec![function.body],
            ListEdit::Pop | ListEdit::Shift | ListEdit::Reverse | ListEdit::Sort(None) => vec![],
        }
    }
}
