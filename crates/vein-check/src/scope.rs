//! One component while it is checked: its names, what is known of them, and the plan that grows.

use crate::asked::AskedInfo;
use crate::diagnostics::cannot_assign::Target;
use crate::diagnostics::{Finding, diagnostic};
use crate::functions::FunctionInfo;
use crate::interface::Interface;
use crate::marks::Reach;
use crate::named::Named;
use crate::narrow::{Fact, Known, is_ready, roots};
use crate::report::Diagnostic;
use crate::stores::{StoreFacts, UsedStore};
use crate::types::{Shapes, Tables, Ty};
use rustc_hash::{FxHashMap as HashMap, FxHashSet as HashSet};
use std::cell::RefCell;
use std::collections::BTreeMap;
use vein_plan::code::{Expr, ExprId, LocalId, Place, Stmt, StmtId};
use vein_plan::{EventField, Location, Plan};
use vein_syntax::{LineIndex, Span, ast};

/// What all components of a project share.
pub(crate) struct Project<'a> {
    pub(crate) shapes: &'a Shapes,
    pub(crate) named: &'a Named,
    pub(crate) interfaces: &'a BTreeMap<String, Interface>,
    /// The component behind the name of each store, and what is known of it.
    pub(crate) store_names: &'a BTreeMap<String, String>,
    pub(crate) stores: &'a RefCell<BTreeMap<String, StoreFacts>>,
    /// What slots hand back: by component, slot and name.
    pub(crate) handed: &'a RefCell<crate::Handed>,
}

/// What an expression is for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Purpose {
    /// To be shown, derived, or what state is at first: it is worked out whenever something else asks for it.
    #[default]
    Shown,
    /// What a function gives.
    Function,
    /// A value in a statement: it is worked out once, when the statement runs.
    Done,
    /// A position, or the list of a loop, which may be looked at several times.
    Found,
    /// What tells the items of a loop apart, which has to be the same wherever the page is shown.
    Apart,
}

/// What a declared name is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Symbol {
    Cell(u32),
    Handler(u32),
    Store(u32),
    /// A function of the host.
    Asked(u32),
    /// A function of its own.
    Function(u32),
    /// Declared, but in a way that was reported.
    Broken,
}

/// What kind of cell a name is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum CellRole {
    Prop,
    Shared,
    State,
    Derived,
    /// Filled by answers of the host.
    Loaded,
    /// A name of elements that is the component's alone.
    Named,
    /// A value of a store.
    Stored,
    /// A variable of the markup, or what was made for it.
    Variable,
}

pub(crate) struct CellInfo {
    pub(crate) name: String,
    pub(crate) span: Span,
    pub(crate) role: CellRole,
    pub(crate) ty: Ty,
    pub(crate) read: bool,
    pub(crate) assigned: bool,
    pub(crate) loaded: Option<Loaded>,
}

/// What is known of a value that the host's answers fill.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Loaded {
    /// Its type once it is ready.
    pub(crate) ty: Ty,
    /// The cell of its status.
    pub(crate) status: u32,
    /// The cell of the reason of a failure.
    pub(crate) reason: u32,
}

pub(crate) struct HandlerInfo {
    pub(crate) name: String,
    pub(crate) span: Span,
    pub(crate) params: Vec<(String, Ty)>,
    pub(crate) called: bool,
}

pub(crate) struct EventInfo {
    pub(crate) name: String,
    pub(crate) span: Span,
    pub(crate) payload: Vec<(String, Ty)>,
    pub(crate) given: bool,
}

/// A name that lives inside an expression or handler.
#[derive(Clone)]
pub(crate) struct LocalName {
    pub(crate) name: String,
    pub(crate) span: Span,
    pub(crate) what: LocalKind,
}

#[derive(Clone)]
pub(crate) enum LocalKind {
    /// A parameter or constant.
    Value(LocalId, Ty),
    /// A name that can be assigned.
    Variable(LocalId, Ty),
    /// The item of a loop: the expression that reads it, and the place where it can be
    /// assigned, or why it cannot.
    Item(ExprId, Ty, Result<Place, Target>),
    /// A part of a value that was taken apart: the expression that reads it.
    Part(ExprId, Ty),
    /// The event of a listener.
    Event,
    /// The event of a component, with its payload.
    Payload(Vec<(String, Ty)>),
}

/// The values through which a chain with `?.` was reached so far, and where each is bound.
pub(crate) type Links = Vec<(ExprId, LocalId)>;

/// An expression, compiled, with its type.
#[derive(Clone, Debug)]
pub(crate) struct Typed {
    pub(crate) id: ExprId,
    pub(crate) ty: Ty,
}

pub(crate) struct Checker<'a> {
    pub(crate) project: &'a Project<'a>,
    pub(crate) tables: &'a mut Tables,
    pub(crate) file: usize,
    pub(crate) text: &'a str,
    pub(crate) lines: LineIndex,
    pub(crate) found: Vec<Diagnostic>,
    pub(crate) plan: Plan,
    pub(crate) symbols: HashMap<String, Symbol>,
    pub(crate) cells: Vec<CellInfo>,
    pub(crate) handlers: Vec<HandlerInfo>,
    pub(crate) events: Vec<EventInfo>,
    pub(crate) stores: Vec<UsedStore>,
    pub(crate) asked: Vec<AskedInfo>,
    pub(crate) functions: Vec<FunctionInfo>,
    /// The functions here that stand for those of stores, by these stores' plans and their numbers there.
    pub(crate) copied: HashMap<(u32, u32), u32>,
    /// The cells here that stand for those of stores, in the same way.
    pub(crate) standing: HashMap<(u32, u32), u32>,
    /// What the expressions are for that are compiled.
    pub(crate) purpose: Purpose,
    pub(crate) locals: Vec<LocalName>,
    /// Where the locals of the innermost scope begin.
    pub(crate) scope_start: usize,
    pub(crate) next_local: LocalId,
    pub(crate) most_locals: LocalId,
    pub(crate) facts: Vec<Fact>,
    pub(crate) event_fields: Vec<EventField>,
    /// The component's own interface.
    pub(crate) own: &'a Interface,
    /// Names and facts that all expressions at this place of the markup know.
    pub(crate) frame_names: Vec<LocalName>,
    pub(crate) frame_facts: Vec<Fact>,
    /// For each loop's item that can be assigned, the state that it stands in.
    pub(crate) roots: HashMap<u32, u32>,
    /// What derived values are derived from, for finding the state behind a list.
    pub(crate) sources: HashMap<String, ast::Expr>,
    /// Elements directly inside a component, by the start of their tags.
    pub(crate) slotted: HashSet<u32>,
    /// What its style sheet reaches.
    pub(crate) reach: &'a Reach,
    /// Where the statement stands that is compiled.
    pub(crate) at: Span,
}

impl<'a> Checker<'a> {
    /// Compiles expressions that are for something else than those around them.
    pub(crate) fn with_purpose<T>(
        &mut self,
        purpose: Purpose,
        run: impl FnOnce(&mut Self) -> T,
    ) -> T {
        let around = std::mem::replace(&mut self.purpose, purpose);
        let result = run(self);
        self.purpose = around;
        result
    }

    /// The same for what is looked at more than once where it stands in a statement.
    pub(crate) fn found_again<T>(&mut self, run: impl FnOnce(&mut Self) -> T) -> T {
        match self.purpose {
            Purpose::Done => self.with_purpose(Purpose::Found, run),
            _ => run(self),
        }
    }

    pub(crate) fn report<F: Finding>(&mut self, finding: F, span: Span) {
        self.found.push(diagnostic(&finding, self.file, span));
    }

    pub(crate) fn push(&mut self, expr: Expr) -> ExprId {
        self.plan.exprs.push(expr);
        self.plan.exprs.len() as ExprId - 1
    }

    pub(crate) fn push_stmt(&mut self, stmt: Stmt) -> StmtId {
        let location = self.location(self.at);
        self.plan.stmts.push(stmt);
        self.plan.written.push(location);
        self.plan.stmts.len() as StmtId - 1
    }

    /// What stands for an expression that was reported.
    pub(crate) fn broken(&mut self) -> Typed {
        Typed { id: self.push(Expr::Null), ty: Ty::Error }
    }

    pub(crate) fn typed(&mut self, expr: Expr, ty: Ty) -> Typed {
        Typed { id: self.push(expr), ty }
    }

    pub(crate) fn source(&self, span: Span) -> String {
        let text = self.text.get(span.range()).unwrap_or("");
        text.split_whitespace().collect::<Vec<_>>().join(" ")
    }

    pub(crate) fn location(&self, span: Span) -> Location {
        let (line, column) = self.lines.line_column(self.text, span.start);
        Location { line, column }
    }

    pub(crate) fn type_name(&self, ty: &Ty) -> String {
        self.project.shapes.name(ty)
    }

    pub(crate) fn fits(&self, from: &Ty, to: &Ty) -> bool {
        self.project.shapes.fits(from, to)
    }

    pub(crate) fn new_local(&mut self) -> LocalId {
        let local = self.next_local;
        self.next_local += 1;
        self.most_locals = self.most_locals.max(self.next_local);
        local
    }

    /// Starts the locals of a handler, listener or part afresh.
    pub(crate) fn start_frame(&mut self) {
        self.locals.clone_from(&self.frame_names);
        self.facts.clone_from(&self.frame_facts);
        self.scope_start = self.locals.len();
        self.next_local = 0;
        self.most_locals = 0;
    }

    /// Runs `inner` in a scope of its own: names and facts of it end with it.
    pub(crate) fn scoped<T>(&mut self, inner: impl FnOnce(&mut Self) -> T) -> T {
        let (locals, facts) = (self.locals.len(), self.facts.clone());
        let outer = std::mem::replace(&mut self.scope_start, locals);
        let result = inner(self);
        self.locals.truncate(locals);
        self.scope_start = outer;
        self.facts = facts;
        result
    }

    /// Runs `inner` knowing what a condition tells.
    pub(crate) fn knowing<T>(&mut self, facts: Vec<Fact>, inner: impl FnOnce(&mut Self) -> T) -> T {
        self.scoped(|checker| {
            checker.facts.extend(facts);
            inner(checker)
        })
    }

    pub(crate) fn local(&self, name: &str) -> Option<&LocalName> {
        self.locals.iter().rev().find(|local| local.name == name)
    }

    /// The type of the value at a path, given what is known of it.
    pub(crate) fn narrowed(&self, path: Option<String>, ty: Ty) -> Ty {
        let Some(path) = path else { return ty };
        let known = self.facts.iter().filter(|fact| fact.path == path);
        known.fold(ty, |ty, fact| fact.what.narrow(ty))
    }

    /// The type of what is found in a dictionary whose values are of a type, given what is known of it.
    pub(crate) fn narrowed_entry(&self, path: Option<String>, value: Ty) -> Ty {
        let Some(path) = path else { return Ty::optional(value) };
        let (may_be_null, found) = (value.may_be_null(), Ty::optional(value));
        let known = self.facts.iter().filter(|fact| fact.path == path);
        let known = known.filter(|fact| !may_be_null || fact.what != Known::There);
        known.fold(found, |ty, fact| fact.what.narrow(ty))
    }

    /// The type of a cell's value under a name, given what is known of that.
    pub(crate) fn type_of_cell(&self, cell: u32, path: &str) -> Ty {
        let info = &self.cells[cell as usize];
        match &info.loaded {
            Some(loaded) if is_ready(&self.facts, path) => loaded.ty.clone(),
            _ => self.narrowed(Some(path.into()), info.ty.clone()),
        }
    }

    /// Forgets what is known of a name and everything in it.
    pub(crate) fn forget(&mut self, root: &str) {
        self.facts.retain(|fact| roots(&fact.path).all(|name| name != root));
    }

    /// Forgets what other handlers may have changed.
    pub(crate) fn forget_state(&mut self) {
        let (symbols, locals) = (&self.symbols, &self.locals);
        let stays = |root: &str| match locals.iter().rev().find(|local| local.name == root) {
            Some(local) => !matches!(local.what, LocalKind::Item(..)),
            None => !matches!(symbols.get(root), Some(Symbol::Cell(_) | Symbol::Store(_))),
        };
        self.facts.retain(|fact| roots(&fact.path).all(stays));
    }

    /// Forgets what is known of names that may have been assigned.
    pub(crate) fn forget_variables(&mut self) {
        let locals = &self.locals;
        let stays = |root: &str| {
            let local = locals.iter().rev().find(|local| local.name == root);
            !local.is_some_and(|local| matches!(local.what, LocalKind::Variable(..)))
        };
        self.facts.retain(|fact| roots(&fact.path).all(stays));
    }

    /// Notes that a value is not `null` any more, since it was just assigned one that is not.
    pub(crate) fn assigned(&mut self, path: Option<String>, ty: &Ty) {
        // What is found by a position or a key may be reached in other ways, too.
        self.facts.retain(|fact| !fact.path.contains('['));
        let Some(path) = path else { return };
        let root = path.split(['.', '[']).next().unwrap_or("").to_owned();
        self.forget(&root);
        if !ty.may_be_null() && *ty != Ty::Error {
            self.facts.push(Fact { path, what: Known::NotNull });
        }
    }

    /// Every name that can be used here, for suggestions.
    pub(crate) fn known_names(&self) -> Vec<String> {
        let locals = self.locals.iter().map(|local| local.name.clone());
        let words = ["true", "false", "null"].map(str::to_owned);
        locals.chain(self.symbols.keys().cloned()).chain(words).collect()
    }
}
