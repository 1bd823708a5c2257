//! What hangs on something that is not looked at before it has to be, through all components: what may have to ask the host
//! at once, since an answer that nobody needs may fail; where rows stand, since that is known once all lists are at rest.

use crate::readers::{given_in, list_of, read_of};
use std::collections::BTreeSet;
use vein_plan::calls::reached;
use vein_plan::code::{CellId, Expr, ExprId};
use vein_plan::{CellKind, Given, Plan, Program, SpotKind};

/// What is not looked at before it has to be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Late {
    /// What the host answers at once.
    Answers,
    /// The positions of rows of lists that are changed where they stand: those of a derived list hang on it, and are looked at
    /// with it.
    Positions,
}

/// The cells of some components whose values hang on something of the kind.
#[derive(Debug)]
pub(crate) struct Hanging {
    on: Late,
    cells: BTreeSet<(u32, CellId)>,
}

impl Hanging {
    pub(crate) fn on(on: Late, program: &Program, plans: &[usize]) -> Hanging {
        let mut hanging = Hanging { on, cells: BTreeSet::new() };
        loop {
            let before = hanging.cells.len();
            for number in plans {
                hanging.look(program, *number as u32);
            }
            if hanging.cells.len() == before {
                return hanging;
            }
        }
    }

    fn look(&mut self, program: &Program, number: u32) {
        let plan = &program.plans[number as usize];
        for (at, cell) in (0..).zip(&plan.cells) {
            let asks = match &cell.kind {
                CellKind::Derived(expr, _) => self.expr(number, plan, *expr),
                CellKind::Store(store, cell) => self.cell(*store, *cell),
                CellKind::Position => {
                    self.on == Late::Positions && !is_over_derived(plan, cell.block)
                }
                _ => false,
            };
            if asks {
                self.cells.insert((number, at));
            }
        }
        for spot in plan.blocks.iter().flat_map(|block| &block.spots) {
            let asks: Vec<bool> =
                given_in(&spot.kind).map(|given| self.given(number, plan, given)).collect();
            match &spot.kind {
                SpotKind::List { cell, block, .. } if self.cell(number, *cell) => {
                    let own = (0..).zip(&plan.cells).filter(|(_, own)| {
                        own.block == *block
                            && matches!(own.kind, CellKind::Item | CellKind::Position)
                    });
                    self.cells.extend(own.map(|(at, _)| (number, at)));
                }
                SpotKind::Component(used) => {
                    let inner = used.props.iter().zip(&asks).filter(|(_, asks)| **asks);
                    self.cells.extend(inner.map(|((cell, _), _)| (used.plan, *cell)));
                    self.handed(program, number, used);
                }
                _ => {}
            }
        }
    }

    /// What the slots of a component hand back to what stands in them.
    fn handed(&mut self, program: &Program, number: u32, used: &vein_plan::Use) {
        let (plan, inner) = (&program.plans[number as usize], &program.plans[used.plan as usize]);
        for spot in inner.blocks.iter().flat_map(|block| &block.spots) {
            let SpotKind::Slot { name: slot, values, .. } = &spot.kind else { continue };
            for (name, given) in values {
                if !self.given(used.plan, inner, given) {
                    continue;
                }
                let content = used.contents.iter().filter(|(known, _)| known == slot);
                for (_, block) in content {
                    let own = (0..).zip(&plan.cells).filter(|(_, cell)| {
                        cell.block == *block && cell.kind == CellKind::Handed && cell.name == *name
                    });
                    self.cells.extend(own.map(|(at, _)| (number, at)));
                }
            }
        }
    }

    /// Whether a cell's value does.
    pub(crate) fn cell(&self, plan: u32, cell: CellId) -> bool {
        self.cells.contains(&(plan, cell))
    }

    /// Whether what an expression gives does.
    pub(crate) fn expr(&self, number: u32, plan: &Plan, expr: ExprId) -> bool {
        let inside = reached(&plan.exprs, &plan.functions, expr);
        inside.into_iter().any(|at| match &plan.exprs[at as usize] {
            Expr::Ask(..) => self.on == Late::Answers,
            Expr::Cell(cell) => self.cell(number, *cell),
            _ => false,
        })
    }

    pub(crate) fn given(&self, number: u32, plan: &Plan, given: &Given) -> bool {
        match given {
            Given::Once(expr) | Given::Value(expr, _) => self.expr(number, plan, *expr),
            Given::Path { .. } => read_of(given).iter().any(|read| self.cell(number, read.cell)),
        }
    }
}

/// Whether a block is repeated for the items of a derived list.
fn is_over_derived(plan: &Plan, block: vein_plan::BlockId) -> bool {
    list_of(plan, block).any(|list| matches!(plan.cells[list as usize].kind, CellKind::Derived(..)))
}
