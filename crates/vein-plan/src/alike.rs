//! Whether statements of two plans are the same code: what waits in the middle of the one can then go on in the other.

use crate::code::{
    Entry, Expr, ExprId, Field, Item, ListEdit, Piece, Place, PlaceStep, Stmt, StmtId,
};
use crate::program::{Plan, Program};
use std::collections::HashMap;
use std::fmt::Write;

/// A component of a program.
#[derive(Clone, Copy)]
pub struct Code<'a> {
    /// The program.
    pub program: &'a Program,
    /// The component.
    pub plan: &'a Plan,
}

/// Something to hold against its counterpart: what it is but for what is in it, and what is in it.
struct Node {
    says: String,
    exprs: Vec<ExprId>,
    bodies: Vec<Vec<StmtId>>,
}

impl<'a> Code<'a> {
    /// The code of a plan, by its number.
    pub fn of(program: &'a Program, plan: usize) -> Code<'a> {
        Code { program, plan: &program.plans[plan] }
    }

    /// Which statement of another code each of these statements is, if they say the same by the same names. Values and functions that
    /// they name may have become others.
    pub fn same_as(
        self,
        body: &[StmtId],
        other: Code<'_>,
        others: &[StmtId],
    ) -> Option<HashMap<StmtId, StmtId>> {
        let mut pairs = HashMap::new();
        let mut bodies = vec![(body.to_vec(), others.to_vec())];
        while let Some((own, others)) = bodies.pop() {
            if own.len() != others.len() {
                return None;
            }
            for (own, others) in own.into_iter().zip(others) {
                let (a, b) = (self.stmt(own), other.stmt(others));
                let alike = a.says == b.says
                    && a.bodies.len() == b.bodies.len()
                    && self.same_exprs(a.exprs, other, b.exprs);
                if !alike {
                    return None;
                }
                pairs.insert(own, others);
                bodies.extend(a.bodies.into_iter().zip(b.bodies));
            }
        }
        Some(pairs)
    }

    fn same_exprs(self, own: Vec<ExprId>, other: Code<'_>, others: Vec<ExprId>) -> bool {
        let mut open = vec![(own, others)];
        while let Some((own, others)) = open.pop() {
            if own.len() != others.len() {
                return false;
            }
            for (own, others) in own.into_iter().zip(others) {
                let (a, b) = (self.expr(own), other.expr(others));
                if a.says != b.says {
                    return false;
                }
                open.push((a.exprs, b.exprs));
            }
        }
        true
    }

    /// Whether named records have the same fields of the same types here and there.
    pub fn same_shapes(self, other: Code<'_>) -> bool {
        self.shapes() == other.shapes()
    }

    fn shapes(self) -> Vec<String> {
        let field = |(name, ty): &(u32, u32)| {
            format!("{}: {}", self.name(*name), self.program.type_name(*ty))
        };
        let shape = |shape: &crate::Shape| {
            let fields: Vec<String> = shape.fields.iter().map(field).collect();
            format!("{} {{ {} }}", shape.name, fields.join(", "))
        };
        let mut shapes: Vec<String> = self.program.shapes.iter().map(shape).collect();
        shapes.sort();
        shapes
    }

    fn cell(self, cell: u32) -> &'a str {
        &self.plan.cells[cell as usize].name
    }

    fn name(self, name: u32) -> &'a str {
        &self.program.names[name as usize]
    }

    fn asked(self, asked: u32) -> String {
        self.program.signature(&self.plan.asked[asked as usize])
    }

    fn place(self, place: &Place) -> (String, Vec<ExprId>) {
        let (mut says, mut exprs) = (self.cell(place.cell).to_owned(), Vec::new());
        for step in &place.steps {
            match step {
                PlaceStep::Field(name) => says.extend([".", self.name(*name)]),
                PlaceStep::Index(at) => {
                    says.push_str("[]");
                    exprs.push(*at);
                }
            }
        }
        (says, exprs)
    }

    fn stmt(self, stmt: StmtId) -> Node {
        let stmt = &self.plan.stmts[stmt as usize];
        let (mut says, mut exprs) = (String::new(), Vec::new());
        stmt.children(|expr| exprs.push(expr), |_| {});
        let bodies = stmt.bodies().cloned().collect();
        match stmt {
            Stmt::Let(local, _) => write!(says, "const {local}"),
            Stmt::Vary(local, ty, _) => {
                write!(says, "let {local}: {}", self.program.type_name(*ty))
            }
            Stmt::Assign(local, _) => write!(says, "{local} ="),
            Stmt::Delete(place) => write!(says, "delete {}", self.place(place).0),
            Stmt::Set(place, _) => write!(says, "set {}", self.place(place).0),
            Stmt::Edit(place, edit) => {
                let what = match edit {
                    ListEdit::Push(_) => "push",
                    ListEdit::Pop => "pop",
                    ListEdit::Shift => "shift",
                    ListEdit::Unshift(_) => "unshift",
                    ListEdit::Splice(_, None, _) => "splice to the end",
                    ListEdit::Splice(..) => "splice",
                    ListEdit::Reverse => "reverse",
                    ListEdit::Sort(_) => "sort",
                };
                let by = match edit {
                    ListEdit::Sort(Some(function)) => function.params.as_slice(),
                    _ => &[],
                };
                write!(says, "{what} {by:?} {}", self.place(place).0)
            }
            Stmt::If(..) => write!(says, "if"),
            Stmt::For(local, ..) => write!(says, "for {local}"),
            Stmt::Try(_, caught, _) => {
                write!(says, "try {:?}", caught.as_ref().map(|(local, _)| local))
            }
            Stmt::Call(handler, _) => {
                write!(says, "call {}", self.plan.handlers[*handler as usize].name)
            }
            Stmt::Give(event, _) => write!(says, "give {}", self.plan.events[*event as usize].name),
            Stmt::Return => write!(says, "return"),
            Stmt::CallStore(store, handler, _) => {
                let store = &self.program.plans[*store as usize];
                let handler = &store.handlers[*handler as usize].name;
                write!(says, "call {}.{handler}", store.name)
            }
            Stmt::Await(asked, _, local) => write!(says, "await {} {local:?}", self.asked(*asked)),
            Stmt::Reload(source) => {
                write!(says, "reload {}", self.cell(self.plan.sources[*source as usize].value))
            }
        }
        .unwrap_or_default();
        Node { says, exprs, bodies }
    }

    fn expr(self, expr: ExprId) -> Node {
        let expr = &self.plan.exprs[expr as usize];
        let (mut says, mut exprs) = (String::new(), Vec::new());
        expr.children(|child| exprs.push(child));
        match expr {
            Expr::Null | Expr::Boolean(_) | Expr::Number(_) | Expr::String(_) | Expr::Local(_) => {
                write!(says, "{expr:?}")
            }
            Expr::Cell(cell) => {
                let ty = self.plan.cells[*cell as usize].ty;
                write!(says, "cell {}: {}", self.cell(*cell), self.program.type_name(ty))
            }
            Expr::Field(_, name) => write!(says, ".{}", self.name(*name)),
            Expr::Index(..) => write!(says, "[]"),
            Expr::Unary(operator, _) => write!(says, "{operator:?}"),
            Expr::Binary(operator, ..) => write!(says, "{operator:?}"),
            Expr::Logical(operator, ..) => write!(says, "{operator:?}"),
            Expr::Choose(..) => write!(says, "?:"),
            Expr::Unless(_, local, _) => write!(says, "?. {local}"),
            Expr::Concat(pieces) => pieces.iter().try_for_each(|piece| match piece {
                Piece::Static(text) => write!(says, "{text:?}"),
                Piece::Value(_) => write!(says, "value"),
                Piece::Shown(_) => write!(says, "shown"),
            }),
            Expr::List(items) => items.iter().try_for_each(|item| match item {
                Item::One(_) => write!(says, "item"),
                Item::Spread(_) => write!(says, "items"),
            }),
            Expr::Record(fields) => fields.iter().try_for_each(|field| match field {
                Field::One(name, _) => write!(says, "{}:", self.name(*name)),
                Field::Spread(_) => write!(says, "..."),
            }),
            Expr::Dictionary(entries) => entries.iter().try_for_each(|entry| match entry {
                Entry::One(..) => write!(says, "entry"),
                Entry::Spread(_) => write!(says, "entries"),
            }),
            Expr::Call(member, receiver, _) => write!(says, "{member:?} {}", receiver.is_some()),
            Expr::Walk(member, _, function, extra) => {
                write!(says, "{member:?} {:?} {}", function.params, extra.is_some())
            }
            Expr::Ask(asked, _) => write!(says, "asks {}", self.asked(*asked)),
            Expr::With(_, local, _) => write!(says, "with {local}"),
            // What a function does may have become something else, as what a value is derived from.
            Expr::Apply(function, _) => {
                write!(says, "calls {}", self.plan.functions[*function as usize].name)
            }
        }
        .unwrap_or_default();
        Node { says, exprs, bodies: Vec::new() }
    }
}
