//! Which functions of a plan call which, and how deep calls may stand inside each other.

use crate::code::{Expr, ExprId};
use crate::program::OwnFunction;
use std::collections::{HashMap, HashSet};

/// How many levels of expressions the calls may come to that are under way at a time, of functions that may call
/// themselves: about a hundred calls of a short one.
pub const DEEPEST_CALLS: u32 = 500;

/// How deep functions go.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Deep {
    /// Whether it may be called while it is under way itself.
    pub is_circular: bool,
    /// How many levels of expressions a call of it adds, with those of functions that it calls and that come to an end
    /// by themselves.
    pub levels: u32,
}

impl Deep {
    /// What a call of the function adds to the calls under way, as the plan has it.
    pub fn counted(self) -> u32 {
        if self.is_circular { self.levels } else { 0 }
    }
}

/// How deep each function goes. Expressions that do not stand in the table, and functions that are not there, count for
/// nothing.
pub fn depths(exprs: &[Expr], functions: &[OwnFunction]) -> Vec<Deep> {
    let inside: Vec<Vec<ExprId>> =
        functions.iter().map(|function| expressions(exprs, function.body)).collect();
    let calls = calls(exprs, functions);
    let mut found = vec![Deep::default(); functions.len()];
    for group in groups(&calls) {
        let is_circular = group.len() > 1 || calls[group[0] as usize].contains(&group[0]);
        for function in &group {
            let mut below: HashMap<ExprId, u32> = HashMap::new();
            for id in &inside[*function as usize] {
                let expr = &exprs[*id as usize];
                let mut levels = match expr {
                    Expr::Apply(called, _) if !group.contains(called) => {
                        found.get(*called as usize).map_or(0, |deep| deep.levels)
                    }
                    _ => 0,
                };
                expr.children(|child| levels = levels.max(below.get(&child).copied().unwrap_or(0)));
                below.insert(*id, levels.saturating_add(1));
            }
            let levels = below.get(&functions[*function as usize].body).copied().unwrap_or(0);
            found[*function as usize] = Deep { is_circular, levels };
        }
    }
    found
}

/// Which functions each function calls.
pub fn calls(exprs: &[Expr], functions: &[OwnFunction]) -> Vec<Vec<u32>> {
    let called = |function: &OwnFunction| {
        let inside = expressions(exprs, function.body).into_iter();
        let calls = inside.filter_map(|id| match &exprs[id as usize] {
            Expr::Apply(called, _) if (*called as usize) < functions.len() => Some(*called),
            _ => None,
        });
        calls.collect()
    };
    functions.iter().map(called).collect()
}

/// The expressions that an expression is made of, itself included, each after those that it is made of.
pub fn expressions(exprs: &[Expr], root: ExprId) -> Vec<ExprId> {
    let (mut open, mut found) = (vec![root], Vec::new());
    let mut seen = HashSet::new();
    while let Some(id) = open.pop() {
        let Some(expr) = exprs.get(id as usize) else { continue };
        if seen.insert(id) {
            found.push(id);
            expr.children(|child| open.push(child));
        }
    }
    found.sort_unstable();
    found
}

/// The expressions that may be worked out for one: what it is made of, and what the functions give that it calls.
pub fn reached(exprs: &[Expr], functions: &[OwnFunction], root: ExprId) -> Vec<ExprId> {
    let (mut open, mut found) = (vec![root], Vec::new());
    let mut seen = HashSet::new();
    while let Some(id) = open.pop() {
        let Some(expr) = exprs.get(id as usize) else { continue };
        if !seen.insert(id) {
            continue;
        }
        found.push(id);
        expr.children(|child| open.push(child));
        if let Expr::Apply(function, _) = expr {
            open.extend(functions.get(*function as usize).map(|function| function.body));
        }
    }
    found
}

/// Things that lead to each other in circles, together; each group stands after those that it leads to. By Tarjan's
/// algorithm for strongly connected components.
pub fn groups(leads: &[Vec<u32>]) -> Vec<Vec<u32>> {
    const NEW: u32 = u32::MAX;
    let mut order = vec![NEW; leads.len()];
    let mut lowest = vec![0; leads.len()];
    let mut is_open = vec![false; leads.len()];
    let (mut stack, mut found, mut next) = (Vec::new(), Vec::new(), 0);
    for start in 0..leads.len() as u32 {
        if order[start as usize] != NEW {
            continue;
        }
        let mut path = vec![(start, 0)];
        while let Some((at, followed)) = path.pop() {
            let here = at as usize;
            if followed == 0 {
                (order[here], lowest[here], is_open[here]) = (next, next, true);
                next += 1;
                stack.push(at);
            }
            if let Some(to) = leads[here].get(followed).copied() {
                path.push((at, followed + 1));
                if order[to as usize] == NEW {
                    path.push((to, 0));
                } else if is_open[to as usize] {
                    lowest[here] = lowest[here].min(order[to as usize]);
                }
                continue;
            }
            if let Some((around, _)) = path.last() {
                let around = *around as usize;
                lowest[around] = lowest[around].min(lowest[here]);
            }
            if lowest[here] == order[here] {
                let first = stack.iter().rposition(|open| *open == at).unwrap_or(0);
                let group = stack.split_off(first);
                group.iter().for_each(|one| is_open[*one as usize] = false);
                found.push(group);
            }
        }
    }
    found
}
