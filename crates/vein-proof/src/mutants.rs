//! Components that are broken on purpose, one thing at a time, to find out what no scenario would
//! notice.

use crate::scenario::seen::Origin;
use vein_plan::code::{CellId, Expr, ExprId, Stmt, StmtId};
use vein_plan::ops::{Binary, Logical};
use vein_plan::{CellKind, Given, Plan, Program, Reads, SpotKind, When};

/// A way to break a component.
#[derive(Clone, Debug)]
pub struct Mutant {
    /// What is broken, in words.
    pub what: String,
    /// Where.
    pub origin: Origin,
    /// The component, by its number in the program.
    pub plan: usize,
    change: Change,
}

#[derive(Clone, Debug)]
enum Change {
    Part(usize, usize),
    Listener(usize, usize),
    Heard(usize, usize, usize),
    Prop(usize, usize, usize),
    By(usize, usize),
    Hook(usize),
    Expr(ExprId, Expr),
    Stmt(StmtId, Stmt),
}

/// Every way to break a program's components.
pub fn mutants(program: &Program) -> Vec<Mutant> {
    let mut found = Vec::new();
    for (number, plan) in program.plans.iter().enumerate() {
        let mut breaker = Breaker { program, plan, number, found: Vec::new(), seen: Vec::new() };
        breaker.all();
        found.append(&mut breaker.found);
    }
    found.sort_by(|a: &Mutant, b| a.origin.cmp(&b.origin));
    found
}

struct Breaker<'p> {
    program: &'p Program,
    plan: &'p Plan,
    number: usize,
    found: Vec<Mutant>,
    /// Expressions that were looked at: what several places share is broken once.
    seen: Vec<ExprId>,
}

impl Breaker<'_> {
    fn add(&mut self, what: impl Into<String>, at: vein_plan::Location, change: Change) {
        let origin = Origin::new(&self.plan.name, at);
        self.found.push(Mutant { what: what.into(), origin, plan: self.number, change });
    }

    fn all(&mut self) {
        let plan = self.plan;
        for cell in &plan.cells {
            let (CellKind::Derived(expr, _)
            | CellKind::State(expr)
            | CellKind::Prop(Some(expr))
            | CellKind::Shared(Some(expr))) = &cell.kind
            else {
                continue;
            };
            self.expr(*expr, &cell.name, cell.location);
        }
        for (number, hook) in plan.hooks.iter().enumerate() {
            self.add(format!("`{}` never runs", hook.address), hook.location, Change::Hook(number));
            if let When::Every(period, _) = &hook.when {
                self.expr(*period, &hook.address, hook.location);
            }
            self.body(&hook.body, &hook.address, hook.location);
        }
        // Those of stores are broken there.
        for function in plan.functions.iter().filter(|function| !function.name.contains('.')) {
            self.expr(function.body, &function.name, function.location);
        }
        for handler in &plan.handlers {
            self.body(&handler.body, &handler.name, handler.location);
        }
        for source in &plan.sources {
            let name = &plan.cells[source.value as usize].name;
            self.expr(source.args, name, source.location);
        }
        for (number, block) in plan.blocks.iter().enumerate() {
            for (part, planned) in block.parts.iter().enumerate() {
                let what = format!("`{}` is not bound", planned.address);
                self.add(what, planned.location, Change::Part(number, part));
                self.expr(planned.value, &planned.address, planned.location);
            }
            for (listener, planned) in block.listeners.iter().enumerate() {
                let what = match &planned.commit {
                    Some(_) => format!("`{}` writes nothing back", planned.address),
                    None => format!("`{}` does nothing", planned.address),
                };
                self.add(what, planned.location, Change::Listener(number, listener));
                self.body(&planned.body, &planned.address, planned.location);
            }
            for spot in 0..block.spots.len() {
                self.spot(number, spot);
            }
        }
    }

    fn spot(&mut self, block: usize, spot: usize) {
        let planned = &self.plan.blocks[block].spots[spot];
        let (address, at) = (&planned.address, planned.location);
        match &planned.kind {
            SpotKind::Branch { choice: value, .. }
            | SpotKind::Renamed { name: value, .. }
            | SpotKind::Markup { value, .. } => self.expr(*value, address, at),
            SpotKind::List { by: Some(_), .. } => {
                self.add(format!("`{address}` has no `by`"), at, Change::By(block, spot));
            }
            SpotKind::Component(used) => {
                let inner = &self.program.plans[used.plan as usize];
                for (number, (cell, given)) in used.props.iter().enumerate() {
                    let name = &inner.cells[*cell as usize].name;
                    let what = format!("`{address}` is not given `{name}`");
                    self.add(what, at, Change::Prop(block, spot, number));
                    if let Given::Value(value, _) | Given::Once(value) = given {
                        self.expr(*value, &format!("{address} {name}"), at);
                    }
                }
                for (number, heard) in used.events.iter().enumerate() {
                    let what = format!("`{}` is not heard", heard.address);
                    self.add(what, heard.location, Change::Heard(block, spot, number));
                    self.body(&heard.body, &heard.address, heard.location);
                }
            }
            SpotKind::List { .. } | SpotKind::Slot { .. } => {}
        }
    }

    /// Breaks what is inside an expression.
    fn expr(&mut self, id: ExprId, of: &str, at: vein_plan::Location) {
        if self.seen.contains(&id) {
            return;
        }
        self.seen.push(id);
        let exprs = &self.plan.exprs;
        let broken = match &exprs[id as usize] {
            Expr::Choose(test, then, otherwise) => {
                let turned = Expr::Choose(*test, *otherwise, *then);
                Some(("a condition is turned around", turned))
            }
            Expr::Binary(op, a, b) if a != b => {
                swapped(*op).map(|what| (what, Expr::Binary(*op, *b, *a)))
            }
            Expr::Logical(op, a, b) => Some(match op {
                Logical::And => ("`&&` is `||`", Expr::Logical(Logical::Or, *a, *b)),
                Logical::Or => ("`||` is `&&`", Expr::Logical(Logical::And, *a, *b)),
                Logical::Coalesce => ("the sides of `??` are swapped", Expr::Logical(*op, *b, *a)),
            }),
            _ => None,
        };
        if let Some((what, broken)) = broken {
            self.add(format!("in `{of}`, {what}"), at, Change::Expr(id, broken));
        }
        let mut inside = Vec::new();
        exprs[id as usize].children(|child| inside.push(child));
        inside.into_iter().for_each(|child| self.expr(child, of, at));
    }

    fn body(&mut self, body: &[StmtId], of: &str, at: vein_plan::Location) {
        for id in body {
            let stmt = &self.plan.stmts[*id as usize];
            match stmt {
                Stmt::If(test, then, otherwise) => {
                    let turned = Stmt::If(*test, otherwise.clone(), then.clone());
                    let what = format!("in `{of}`, an `if` is turned around");
                    self.add(what, at, Change::Stmt(*id, turned));
                }
                Stmt::Give(event, _) => {
                    let event = &self.plan.events[*event as usize].name;
                    let what = format!("in `{of}`, `give {event}` is forgotten");
                    let nothing = Stmt::If(self.nothing(), Vec::new(), Vec::new());
                    self.add(what, at, Change::Stmt(*id, nothing));
                }
                _ => {}
            }
            let (mut exprs, mut stmts) = (Vec::new(), Vec::new());
            stmt.children(|expr| exprs.push(expr), |stmt| stmts.push(stmt));
            exprs.into_iter().for_each(|expr| self.expr(expr, of, at));
            self.body(&stmts, of, at);
        }
    }

    /// An expression that is added at the end: `null`.
    fn nothing(&self) -> ExprId {
        self.plan.exprs.len() as ExprId
    }
}

/// What it is called when the operands of an operator are swapped, where that makes a difference.
fn swapped(op: Binary) -> Option<&'static str> {
    Some(match op {
        Binary::Subtract => "the sides of `-` are swapped",
        Binary::Divide => "the sides of `/` are swapped",
        Binary::Remainder => "the sides of `%` are swapped",
        Binary::Power => "the sides of `**` are swapped",
        Binary::Less => "the sides of `<` are swapped",
        Binary::LessOrEqual => "the sides of `<=` are swapped",
        Binary::Greater => "the sides of `>` are swapped",
        Binary::GreaterOrEqual => "the sides of `>=` are swapped",
        Binary::Add | Binary::Multiply | Binary::Equal | Binary::NotEqual => return None,
    })
}

impl Mutant {
    /// The program with this one thing broken.
    pub fn broken(&self, program: &Program) -> Program {
        // What has a default falls back to it, the rest is `null`.
        let is_defaulted =
            |kind: &CellKind| matches!(kind, CellKind::Prop(Some(_)) | CellKind::Shared(Some(_)));
        let of_plan = |plan: &Plan| -> Vec<CellId> {
            let cells = (0..).zip(&plan.cells).filter(|(_, cell)| is_defaulted(&cell.kind));
            cells.map(|(number, _)| number).collect()
        };
        let defaulted: Vec<Vec<CellId>> = program.plans.iter().map(of_plan).collect();
        let mut program = program.clone();
        let plan = &mut program.plans[self.plan];
        let nothing = plan.exprs.len() as ExprId;
        plan.exprs.push(Expr::Null);
        match &self.change {
            Change::Part(block, part) => {
                let part = &mut plan.blocks[*block].parts[*part];
                part.value = nothing;
                part.reads = Reads::Fixed(Vec::new());
            }
            Change::Listener(block, listener) => {
                let listener = &mut plan.blocks[*block].listeners[*listener];
                listener.body.clear();
                listener.commit = None;
            }
            Change::Heard(block, spot, heard) => {
                if let SpotKind::Component(used) = &mut plan.blocks[*block].spots[*spot].kind {
                    used.events[*heard].body.clear();
                }
            }
            Change::Prop(block, spot, prop) => {
                if let SpotKind::Component(used) = &mut plan.blocks[*block].spots[*spot].kind {
                    match defaulted[used.plan as usize].contains(&used.props[*prop].0) {
                        true => drop(used.props.remove(*prop)),
                        false => used.props[*prop].1 = Given::Once(nothing),
                    }
                }
            }
            Change::By(block, spot) => {
                if let SpotKind::List { by, .. } = &mut plan.blocks[*block].spots[*spot].kind {
                    *by = None;
                }
            }
            Change::Hook(hook) => plan.hooks[*hook].body.clear(),
            Change::Expr(id, expr) => plan.exprs[*id as usize] = expr.clone(),
            Change::Stmt(id, stmt) => plan.stmts[*id as usize] = stmt.clone(),
        }
        program
    }
}
