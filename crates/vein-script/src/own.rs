//! What a block of a component calls its own, and what it calls that of the blocks around it.

use crate::code::{self, Code};
use crate::expression::{Names, own_function};
use crate::readers::{repeated, stays};
use crate::types::type_of;
use vein_plan::code::CellId;
use vein_plan::{BlockId, CellKind, Plan, Program};

/// What a block of a component calls its own.
pub(crate) struct Own<'a> {
    pub(crate) program: &'a Program,
    pub(crate) plan: &'a Plan,
    pub(crate) block: BlockId,
    /// Whether lists may have changed since rows were matched with their items.
    pub(crate) live: bool,
}

impl Own<'_> {
    /// The row of an item, and what a place in it is called where its list may be gone, too.
    fn row(&self, cell: CellId, called: &str) -> Option<String> {
        let planned = &self.plan.cells[cell as usize];
        let (CellKind::Item, Some((list, _))) = (&planned.kind, repeated(self.plan, planned.block))
        else {
            return None;
        };
        let row = self.scope(planned.block);
        Some(if stays(self.plan, list) { row } else { format!("{row}, {called}") })
    }

    /// The scope of a block that this one is, or stands in.
    pub(crate) fn scope(&self, block: BlockId) -> String {
        let mut way = "this".to_owned();
        let mut at = self.block;
        while at != block {
            way.push_str(".up$");
            at = self.plan.blocks[at as usize].parent.unwrap_or(block);
        }
        way
    }

    pub(crate) fn property(&self, cell: CellId) -> String {
        name_in(self.plan, cell)
    }

    pub(crate) fn method(&self, handler: u32) -> String {
        method_in(self.plan, handler)
    }
}

/// What a handler is called in the class of its component.
pub(crate) fn method_in(plan: &Plan, handler: u32) -> String {
    own_name(&plan.handlers[handler as usize].name, || format!("h{handler}$"))
}

/// What a cell is called in the class of its component.
pub fn name_in(plan: &Plan, cell: CellId) -> String {
    own_name(&plan.cells[cell as usize].name, || format!("c{cell}$"))
}

/// What something is called in a class: its name, unless that means something else there. The engine's own names have a
/// `$` in them.
pub(crate) fn own_name(name: &str, or: impl FnOnce() -> String) -> String {
    let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    if plain && !matches!(name, "constructor" | "__proto__") { name.to_owned() } else { or() }
}

impl Own<'_> {
    /// Whether what a cell holds is worked out from something else, as an expression; nothing where it never is.
    pub(crate) fn made(&self, cell: CellId) -> Option<String> {
        let planned = &self.plan.cells[cell as usize];
        let sure = |is_made: bool| is_made.then(|| "true".to_owned());
        match planned.kind {
            CellKind::Derived(..) => sure(true),
            CellKind::Store(store, cell) => {
                let cell = &self.program.plans[store as usize].cells[cell as usize];
                sure(matches!(cell.kind, CellKind::Derived(..)))
            }
            // Whoever gives it knows.
            CellKind::Prop(_) | CellKind::Shared(_) | CellKind::Handed => {
                Some(format!("isMade({}, \"{}\")", self.scope(planned.block), self.property(cell)))
            }
            CellKind::Item => {
                crate::readers::list_of(self.plan, planned.block).find_map(|list| self.made(list))
            }
            CellKind::State(_) | CellKind::Position => None,
        }
    }
}

impl Names for Own<'_> {
    fn cell(&self, cell: CellId) -> Code {
        let (scope, property) = self.place(cell);
        match (&self.plan.cells[cell as usize].kind, self.live) {
            (CellKind::Item, false) => Code::tight(format!("{scope}.item$")),
            (CellKind::Position, false) => Code::tight(format!("{scope}.at$")),
            (CellKind::Store(store, cell), _) => {
                let name = name_in(&self.program.plans[*store as usize], *cell);
                Code::tight(format!("{}.s{store}$.{name}", self.scope(0)))
            }
            (CellKind::Item, true) => Code::tight(format!("itemOf({scope})")),
            (CellKind::Position, true) => Code::tight(format!("positionOf({scope})")),
            _ => Code::tight(format!("{scope}.{property}")),
        }
    }

    fn ask(&self, asked: u32, args: &[String], acts: bool) -> Code {
        let acts = if acts { ", true" } else { "" };
        Code::tight(format!("{}.q{asked}$([{}]{acts})", self.scope(0), args.join(", ")))
    }

    fn moment(&self, what: &str) -> Code {
        Code::tight(format!("{what}({})", self.scope(0)))
    }

    fn wait(&self, asked: u32, args: &[String], then: &[String]) -> String {
        let asked = &self.plan.asked[asked as usize];
        let ty = type_of(self.program, asked.result);
        format!(
            "waitFor(this, \"{}\", {ty}, [{}], {})",
            asked.name,
            args.join(", "),
            then.join(", ")
        )
    }

    fn told(&self, cell: CellId) -> Option<String> {
        let name = code::string(&(&*self.plan.cells[cell as usize].name).into()).text;
        self.plan.store.as_ref().map(|_| format!("tellUsers(this, {name});"))
    }

    fn place(&self, cell: CellId) -> (String, String) {
        (self.scope(self.plan.cells[cell as usize].block), self.property(cell))
    }

    fn item(&self, cell: CellId, called: &str) -> Option<(String, String)> {
        let row = self.row(cell, called)?;
        Some((format!("standing({row})"), self.scope(0)))
    }

    fn row_of(&self, cell: CellId) -> Option<String> {
        Some(self.scope(self.plan.cells[cell as usize].block))
    }

    fn home(&self, cell: CellId, called: &str) -> Option<String> {
        let row = self.row(cell, called)?;
        Some(format!("homeOf({row})"))
    }

    fn shared(&self, cell: CellId, called: &str) -> Option<String> {
        let planned = &self.plan.cells[cell as usize];
        let is_shared = matches!(planned.kind, CellKind::Shared(_));
        is_shared.then(|| format!("{}.b{cell}$({called})", self.scope(planned.block)))
    }

    fn apply(&self, function: u32, args: &[String]) -> Code {
        let scope = self.scope(0);
        Code::tight(format!("{scope}.{}({})", own_function(function), args.join(", ")))
    }

    fn call(&self, handler: u32, args: &[String]) -> Code {
        let name = &self.plan.handlers[handler as usize].name;
        let args: String = args.iter().map(|arg| format!(", {arg}")).collect();
        let method = self.method(handler);
        let scope = self.scope(0);
        Code::tight(format!("call(\"{name}\", {scope}, \"{method}\"{args})"))
    }

    fn call_store(&self, store: u32, handler: u32, args: &[String]) -> Code {
        let plan = &self.program.plans[store as usize];
        let (method, handler) = (method_in(plan, handler), &plan.handlers[handler as usize]);
        let args: String = args.iter().map(|arg| format!(", {arg}")).collect();
        let store = format!("{}.s{store}$", self.scope(0));
        Code::tight(format!("call(\"{}\", {store}, \"{method}\"{args})", handler.name))
    }

    fn reload(&self, source: u32) -> Code {
        let scope = self.scope(0);
        Code::tight(format!("askFor({scope}, {source}, {scope}.a{source}$())"))
    }

    fn give(&self, event: u32, args: &[String]) -> Code {
        let name = &self.plan.events[event as usize].name;
        Code::tight(format!("{}.give$(\"{name}\", [{}])", self.scope(0), args.join(", ")))
    }
}

/// The names of what tells the items of a loop apart.
pub(crate) struct OfItem<'a, 'b> {
    pub(crate) own: &'a Own<'b>,
}

impl Names for OfItem<'_, '_> {
    fn cell(&self, _: CellId) -> Code {
        Code::tight("item".to_owned())
    }

    fn ask(&self, asked: u32, args: &[String], acts: bool) -> Code {
        self.own.ask(asked, args, acts)
    }

    fn place(&self, cell: CellId) -> (String, String) {
        self.own.place(cell)
    }

    fn apply(&self, function: u32, args: &[String]) -> Code {
        self.own.apply(function, args)
    }

    fn call(&self, handler: u32, args: &[String]) -> Code {
        self.own.call(handler, args)
    }

    fn call_store(&self, store: u32, handler: u32, args: &[String]) -> Code {
        self.own.call_store(store, handler, args)
    }

    fn reload(&self, source: u32) -> Code {
        self.own.reload(source)
    }

    fn give(&self, event: u32, args: &[String]) -> Code {
        self.own.give(event, args)
    }
}
