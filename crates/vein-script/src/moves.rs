//! Values that go from a local to where they are kept without being copied: nobody looks at the local any more. What a list is
//! taken one from and given back to need not be copied on the way out either, nor what is only looked at before anything is
//! written.

use crate::expression::{Writer, names_local};
use std::collections::BTreeSet;
use vein_plan::Plan;
use vein_plan::code::{
    Body, CellId, Expr, ExprId, ListEdit, LocalId, Place, PlaceStep, Stmt, StmtId,
};
use vein_plan::members::Member;

/// A use of a local, in order.
struct Use {
    local: LocalId,
    at: ExprId,
    by: StmtId,
    /// The loops around it.
    loops: Vec<StmtId>,
}

/// What statements declare and use.
struct Seen<'p> {
    plan: &'p Plan,
    loops: Vec<StmtId>,
    declared: Vec<(LocalId, StmtId, Vec<StmtId>)>,
    used: Vec<Use>,
}

impl Seen<'_> {
    fn body(&mut self, body: &Body) {
        for stmt in body {
            let planned = &self.plan.stmts[*stmt as usize];
            let (mut exprs, mut inside) = (Vec::new(), Vec::new());
            planned.children(|expr| exprs.push(expr), |inner| inside.push(inner));
            for expr in exprs {
                self.expr(expr, *stmt);
            }
            if let Stmt::Let(local, _) = planned {
                self.declared.push((*local, *stmt, self.loops.clone()));
            }
            let is_loop = matches!(planned, Stmt::For(..));
            if is_loop {
                self.loops.push(*stmt);
            }
            self.body(&inside);
            if is_loop {
                self.loops.pop();
            }
        }
    }

    fn expr(&mut self, id: ExprId, by: StmtId) {
        let expr = &self.plan.exprs[id as usize];
        if let Expr::Local(local) | Expr::Unless(_, local, _) | Expr::With(_, local, _) = expr {
            self.used.push(Use { local: *local, at: id, by, loops: self.loops.clone() });
        }
        let mut inside = Vec::new();
        expr.children(|child| inside.push(child));
        for child in inside {
            self.expr(child, by);
        }
    }
}

impl Writer<'_> {
    /// Finds what need not be copied in the statements of a function, none of which wait.
    pub(crate) fn find_moves(&mut self, body: &Body) {
        let mut seen =
            Seen { plan: self.plan, loops: Vec::new(), declared: Vec::new(), used: Vec::new() };
        seen.body(body);
        let mut moved = BTreeSet::new();
        for (local, by, loops) in &seen.declared {
            let Some(last) = seen.used.iter().rfind(|used| used.local == *local) else { continue };
            let here = seen.used.iter().filter(|used| used.by == last.by && used.local == *local);
            // A statement that is run again must have another.
            if here.count() != 1 || last.loops != *loops || !keeps(self.plan, last.by, last.at) {
                continue;
            }
            self.moved.insert(last.at);
            moved.insert(*local);
            if let (Stmt::Edit(to, _), Some(from)) =
                (&self.plan.stmts[last.by as usize], taken_from(self.plan, body, *by))
                && is_same(self.plan, from, to)
            {
                self.taken.insert(*by);
            }
        }
        find_borrowed(self.plan, body, &moved, &mut self.borrowed);
    }
}

/// Finds the declarations of locals that go nowhere and are not looked at any more once something was written.
fn find_borrowed(
    plan: &Plan,
    body: &[StmtId],
    moved: &BTreeSet<LocalId>,
    found: &mut BTreeSet<StmtId>,
) {
    for (at, stmt) in body.iter().enumerate() {
        let planned = &plan.stmts[*stmt as usize];
        if let Stmt::Let(local, _) = planned
            && !moved.contains(local)
            && is_over_before_writes(plan, &body[at + 1..], *local, &mut true)
        {
            found.insert(*stmt);
        }
        planned.bodies().for_each(|inner| find_borrowed(plan, inner, moved, found));
    }
}

/// Whether a local is looked at only as long as nothing was written, which is so at first where it is `clean`.
fn is_over_before_writes(plan: &Plan, body: &[StmtId], local: LocalId, clean: &mut bool) -> bool {
    body.iter().all(|stmt| {
        let planned = &plan.stmts[*stmt as usize];
        let mut exprs = Vec::new();
        planned.children(|expr| exprs.push(expr), |_| {});
        let uses = exprs.into_iter().any(|expr| names_local(plan, expr, local));
        match planned {
            Stmt::Let(..) | Stmt::Vary(..) | Stmt::Assign(..) | Stmt::Return => !uses || *clean,
            Stmt::If(_, then, otherwise) => {
                let (mut one, mut other) = (*clean, *clean);
                let is_over = (!uses || *clean)
                    && is_over_before_writes(plan, then, local, &mut one)
                    && is_over_before_writes(plan, otherwise, local, &mut other);
                *clean = one && other;
                is_over
            }
            // What is looped over is looked at again after each round, and so is what is inside.
            Stmt::For(_, _, inner) => {
                *clean &= !writes(plan, inner);
                (!uses || *clean) && is_over_before_writes(plan, inner, local, clean)
            }
            // What runs in it, and how far, only the host knows.
            Stmt::Try(..) => {
                *clean = false;
                !uses_inside(plan, *stmt, local)
            }
            _ => {
                let is_over = !uses || *clean;
                *clean = false;
                is_over
            }
        }
    })
}

/// Whether a statement, or one in it, looks at a local.
fn uses_inside(plan: &Plan, stmt: StmtId, local: LocalId) -> bool {
    let mut open = vec![stmt];
    while let Some(stmt) = open.pop() {
        let mut exprs = Vec::new();
        plan.stmts[stmt as usize].children(|expr| exprs.push(expr), |inner| open.push(inner));
        if exprs.into_iter().any(|expr| names_local(plan, expr, local)) {
            return true;
        }
    }
    false
}

/// Whether some statements may write.
fn writes(plan: &Plan, body: &[StmtId]) -> bool {
    body.iter().any(|stmt| match &plan.stmts[*stmt as usize] {
        Stmt::Let(..) | Stmt::Vary(..) | Stmt::Assign(..) | Stmt::Return => false,
        Stmt::If(_, then, otherwise) => writes(plan, then) || writes(plan, otherwise),
        Stmt::For(_, _, inner) => writes(plan, inner),
        _ => true,
    })
}

/// Whether a statement keeps the value of an expression as it is.
fn keeps(plan: &Plan, stmt: StmtId, value: ExprId) -> bool {
    match &plan.stmts[stmt as usize] {
        Stmt::Set(_, set) => *set == value,
        Stmt::Edit(_, ListEdit::Push(items) | ListEdit::Unshift(items))
        | Stmt::Edit(_, ListEdit::Splice(_, _, items)) => items.contains(&value),
        _ => false,
    }
}

/// The list that a declaration takes an item out of, together with the statement after it.
fn taken_from<'p>(plan: &'p Plan, body: &[StmtId], declared: StmtId) -> Option<&'p Place> {
    for (at, stmt) in body.iter().enumerate() {
        let planned = &plan.stmts[*stmt as usize];
        if *stmt == declared {
            let Stmt::Let(_, value) = planned else { return None };
            let Stmt::Edit(place, edit) = &plan.stmts[*body.get(at + 1)? as usize] else {
                return None;
            };
            let Expr::Call(Member::ListAt, Some(list), args) = &plan.exprs[*value as usize] else {
                return None;
            };
            let at = match edit {
                ListEdit::Pop => -1.0,
                ListEdit::Shift => 0.0,
                _ => return None,
            };
            let is_that =
                matches!(&args[..], [arg] if plan.exprs[*arg as usize] == Expr::Number(at));
            let (cell, steps) = way_of(plan, *list)?;
            let read = Place { cell, steps };
            return (is_that && is_same(plan, &read, place)).then_some(place);
        }
        let mut inside = Vec::new();
        planned.children(|_| {}, |inner| inside.push(inner));
        if let Some(found) = taken_from(plan, &inside, declared) {
            return Some(found);
        }
    }
    None
}

/// The way of an expression from a cell.
fn way_of(plan: &Plan, expr: ExprId) -> Option<(CellId, Vec<PlaceStep>)> {
    match &plan.exprs[expr as usize] {
        Expr::Cell(cell) => Some((*cell, Vec::new())),
        Expr::Field(of, name) => {
            let (cell, mut steps) = way_of(plan, *of)?;
            steps.push(PlaceStep::Field(*name));
            Some((cell, steps))
        }
        Expr::Index(of, at) => {
            let (cell, mut steps) = way_of(plan, *of)?;
            steps.push(PlaceStep::Index(*at));
            Some((cell, steps))
        }
        _ => None,
    }
}

/// Whether two places are surely one, whenever they are looked at.
fn is_same(plan: &Plan, a: &Place, b: &Place) -> bool {
    a.cell == b.cell
        && a.steps.len() == b.steps.len()
        && a.steps.iter().zip(&b.steps).all(|pair| match pair {
            (PlaceStep::Field(a), PlaceStep::Field(b)) => a == b,
            (PlaceStep::Index(a), PlaceStep::Index(b)) => {
                let (a, b) = (&plan.exprs[*a as usize], &plan.exprs[*b as usize]);
                matches!((a, b), (Expr::Number(a), Expr::Number(b)) if a == b)
            }
            _ => false,
        })
}
