//! Stores: what others know of them, and how components read and call them.

use crate::diagnostics::{
    NoEffect, NotUsableHere, StoreAlone, StoreCircle, UnknownField, UnknownStore, diagnostic,
};
use crate::functions::StoreFunctions;
use crate::report::Diagnostic;
use crate::scope::{CellRole, Checker, Loaded, Symbol, Typed};
use crate::types::Ty;
use crate::{FileFacts, NameTaken};
use rustc_hash::FxHashMap as HashMap;
use std::collections::BTreeMap;
use std::sync::Arc;
use vein_plan::CellKind;
use vein_plan::code::{Expr, Stmt};
use vein_plan::nearest;
use vein_syntax::Span;
use vein_syntax::ast::{self, DeclarationKind, ExprKind, File, Ident};

/// The parameters of a handler.
pub(crate) type Params = Vec<(String, Ty)>;

/// What is known of a store once it has been checked.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct StoreFacts {
    /// Its plan.
    pub(crate) plan: u32,
    /// What can be read of it.
    pub(crate) cells: Vec<StoreCell>,
    /// Its handlers, with their parameters.
    pub(crate) handlers: Vec<(String, Params)>,
    /// Its functions.
    pub(crate) functions: Arc<StoreFunctions>,
}

/// Something that can be read of a store.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct StoreCell {
    pub(crate) name: String,
    pub(crate) ty: Ty,
    pub(crate) cell: u32,
    pub(crate) loaded: Option<Loaded>,
}

/// A store that a component uses.
pub(crate) struct UsedStore {
    pub(crate) name: String,
    pub(crate) span: Span,
    /// What is known of it; nothing where it stands in a circle.
    pub(crate) facts: Option<StoreFacts>,
    pub(crate) used: bool,
}

/// The store that a file declares: its first declaration says so.
pub(crate) fn store_of(file: &File) -> Option<&Ident> {
    match &file.declarations.first()?.kind {
        DeclarationKind::Store(ident) if !ident.name.is_empty() => Some(ident),
        _ => None,
    }
}

/// The stores that a file uses.
pub(crate) fn used_by(file: &File) -> impl Iterator<Item = &Ident> {
    file.declarations.iter().flat_map(|declaration| match &declaration.kind {
        DeclarationKind::Uses(stores) => stores.as_slice(),
        _ => &[],
    })
}

/// The component behind each store's name; a name that is declared twice is reported.
pub(crate) fn store_names(
    files: &[FileFacts],
    paths: &[crate::Source],
    found: &mut Vec<Diagnostic>,
) -> BTreeMap<String, String> {
    let mut names: BTreeMap<String, String> = BTreeMap::new();
    let mut first: HashMap<&str, usize> = HashMap::default();
    for (at, facts) in files.iter().enumerate() {
        let (Some(store), Some(name)) = (store_of(&facts.parsed.file), &facts.name) else {
            continue;
        };
        match first.get(store.name.as_str()) {
            Some(other) => {
                let elsewhere = Some(paths[*other].path.clone());
                let finding = NameTaken { name: store.name.clone(), first: None, elsewhere };
                found.push(diagnostic(&finding, at, store.span));
            }
            None => {
                first.insert(&store.name, at);
                names.insert(store.name.clone(), name.clone());
            }
        }
    }
    names
}

/// Stores that use each other in a circle.
pub(crate) fn store_circles(files: &[FileFacts]) -> Vec<Diagnostic> {
    let stores: BTreeMap<&str, usize> = files
        .iter()
        .enumerate()
        .filter_map(|(at, facts)| Some((store_of(&facts.parsed.file)?.name.as_str(), at)))
        .collect();
    let uses = |store: &str| -> Vec<&Ident> {
        stores.get(store).map_or(Vec::new(), |at| used_by(&files[*at].parsed.file).collect())
    };
    let mut done: Vec<&str> = Vec::new();
    let mut found = Vec::new();
    for start in stores.keys() {
        let mut way: Vec<(&str, Vec<&Ident>)> = vec![(start, uses(start))];
        while let Some((name, left)) = way.last_mut() {
            let Some(next) = left.pop() else {
                done.push(name);
                way.pop();
                continue;
            };
            let (at, next) = (next, next.name.as_str());
            if done.contains(&next) {
                continue;
            }
            match way.iter().position(|(name, _)| *name == next) {
                Some(first) => {
                    let circle: Vec<String> =
                        way[first..].iter().map(|(name, _)| (*name).to_owned()).collect();
                    let file = stores[way[way.len() - 1].0];
                    found.push(diagnostic(&StoreCircle { circle }, file, at.span));
                }
                None => way.push((next, uses(next))),
            }
        }
    }
    found
}

impl Checker<'_> {
    /// `uses tank`
    pub(crate) fn use_store(&mut self, ident: &Ident) {
        let project = self.project;
        if !project.store_names.contains_key(&ident.name) {
            let known = project.store_names.keys().map(String::as_str);
            let nearest = nearest(&ident.name, known).map(str::to_owned);
            let interface = project.interfaces.get(&ident.name);
            let file_of = interface.and_then(|interface| interface.store.clone());
            let component = interface.is_some();
            self.symbols.insert(ident.name.clone(), Symbol::Broken);
            if let Some(store) = &file_of {
                self.symbols.insert(store.clone(), Symbol::Broken);
            }
            let name = ident.name.clone();
            return self.report(UnknownStore { name, nearest, component, file_of }, ident.span);
        }
        // A store that stands in a circle is not known yet; that is reported for itself.
        let facts = project.stores.borrow().get(&ident.name).cloned();
        let number = self.stores.len() as u32;
        self.symbols.insert(ident.name.clone(), Symbol::Store(number));
        let (name, span) = (ident.name.clone(), ident.span);
        self.stores.push(UsedStore { name, span, facts, used: false });
    }

    /// The store that an expression names.
    pub(crate) fn store_named(&self, e: &ast::Expr) -> Option<u32> {
        let ExprKind::Name(name) = &e.kind else { return None };
        match self.symbols.get(name) {
            Some(Symbol::Store(store)) if self.local(name).is_none() => Some(*store),
            _ => None,
        }
    }

    /// `tank.litres`; `None` when this is something else.
    pub(crate) fn store_value(&mut self, of: &ast::Expr, name: &Ident) -> Option<Typed> {
        let store = self.store_named(of)?;
        self.stores[store as usize].used = true;
        let Some(facts) = &self.stores[store as usize].facts else { return Some(self.broken()) };
        if let Some(found) = facts.cells.iter().find(|cell| cell.name == name.name).cloned() {
            let cell = self.store_cell(store, &found);
            let path = format!("{}.{}", self.stores[store as usize].name, name.name);
            let ty = self.type_of_cell(cell, &path);
            return Some(self.typed(Expr::Cell(cell), ty));
        }
        if facts.functions.named(&name.name).is_some() {
            let advice =
                format!("call it: `{}.{}(…)`", self.stores[store as usize].name, name.name);
            return Some(self.not_usable(name.name.clone(), "a function", &advice, name.span));
        }
        if facts.handlers.iter().any(|(handler, _)| *handler == name.name) {
            let advice = format!(
                "call it where something happens: `click=\"-> {}.{}(…)\"`",
                self.stores[store as usize].name, name.name
            );
            let finding =
                NotUsableHere { name: name.name.clone(), what: "a store's handler", advice };
            self.report(finding, name.span);
            return Some(self.broken());
        }
        Some(self.unknown_in_store(store, name, false))
    }

    fn unknown_in_store(&mut self, store: u32, name: &Ident, called: bool) -> Typed {
        let used = &self.stores[store as usize];
        let Some(facts) = &used.facts else { return self.broken() };
        let known: Vec<String> = match called {
            true => {
                let handlers = facts.handlers.iter().map(|(name, _)| name.clone());
                handlers.chain(facts.functions.names()).collect()
            }
            false => facts.cells.iter().map(|cell| cell.name.clone()).collect(),
        };
        let ty = format!("store {}", used.name);
        let near = nearest(&name.name, known.iter().map(String::as_str)).map(str::to_owned);
        let finding = UnknownField { name: name.name.clone(), ty, nearest: near, known };
        self.report(finding, name.span);
        self.broken()
    }

    /// The cell that stands for one of a store.
    fn store_cell(&mut self, store: u32, found: &StoreCell) -> u32 {
        let used = &self.stores[store as usize];
        let plan = used.facts.as_ref().map_or(0, |facts| facts.plan);
        let (span, store_name) = (used.span, used.name.clone());
        let name = format!("{store_name}.{}", found.name);
        let cell = self.stands_for((plan, found.cell), name, found.ty.clone(), span);
        if let (Some(loaded), None) = (&found.loaded, &self.cells[cell as usize].loaded) {
            let mut beside =
                |name: String, ty: Ty, at: u32| self.stands_for((plan, at), name, ty, span);
            let status =
                beside(format!("{store_name}.{} is", found.name), Ty::statuses(), loaded.status);
            let reason =
                beside(format!("{store_name}.{}.reason", found.name), Ty::String, loaded.reason);
            let loaded = Loaded { ty: loaded.ty.clone(), status, reason };
            self.cells[cell as usize].loaded = Some(loaded);
        }
        cell
    }

    /// The cell here that stands for one of a store: the store's plan, and the cell there.
    pub(crate) fn stands_for(
        &mut self,
        (plan, cell): (u32, u32),
        name: String,
        ty: Ty,
        span: Span,
    ) -> u32 {
        if let Some(known) = self.standing.get(&(plan, cell)) {
            return *known;
        }
        let own = self.variable(&Ident { name, span }, ty, CellKind::Store(plan, cell), 0);
        self.cells[own as usize].role = CellRole::Stored;
        self.standing.insert((plan, cell), own);
        own
    }

    /// `tank.draw(2.5)` as a statement.
    pub(crate) fn call_in_store(
        &mut self,
        store: u32,
        name: &Ident,
        args: &[ast::Expr],
        block: &mut Vec<u32>,
    ) {
        let Some((plan, handler, params)) = self.store_handler(store, name) else {
            args.iter().for_each(|arg| {
                self.expr(arg);
            });
            return;
        };
        if let Some(ids) = self.arguments(&name.name, name.span, &params, args) {
            self.emit(Stmt::CallStore(plan, handler, ids), block);
            self.forget_state();
        }
    }

    /// A handler of a store, by name: the store's plan, the handler's number and parameters.
    pub(crate) fn store_handler(&mut self, store: u32, name: &Ident) -> Option<(u32, u32, Params)> {
        let used = &mut self.stores[store as usize];
        used.used = true;
        let facts = used.facts.as_ref()?;
        let at = facts.handlers.iter().position(|(handler, _)| *handler == name.name);
        if let Some(at) = at {
            return Some((facts.plan, at as u32, facts.handlers[at].1.clone()));
        }
        if facts.functions.named(&name.name).is_some() {
            self.report(NoEffect::Discarded { method: name.name.clone() }, name.span);
        } else if facts.cells.iter().any(|cell| cell.name == name.name) {
            let advice = "read it without `()`".into();
            let finding = NotUsableHere { name: name.name.clone(), what: "a value", advice };
            self.report(finding, name.span);
        } else {
            self.unknown_in_store(store, name, true);
        }
        None
    }

    /// What does not belong into a store.
    pub(crate) fn only_in_components(&mut self, file: &File) {
        for declaration in &file.declarations {
            let what = match &declaration.kind {
                DeclarationKind::Takes(..) => "takes",
                DeclarationKind::Shares(..) => "shares",
                DeclarationKind::Gives(..) => "gives",
                DeclarationKind::Names(..) => "names",
                _ => continue,
            };
            let start = declaration.span.start;
            let span = Span { start, end: start + what.len() as u32 };
            self.report(StoreAlone::Declares(what), span);
        }
        if let Some(node) = file.markup.first() {
            let span = match node {
                ast::Node::Element(element) => element.start_tag,
                _ => Span::default(),
            };
            self.report(StoreAlone::Shows, span);
        } else if let Some(style) = file.style {
            self.report(StoreAlone::Shows, style);
        }
    }

    /// What others can know of the store that was checked.
    pub(crate) fn store_facts(&self) -> StoreFacts {
        let visible = self.cells.iter().enumerate().filter(|(_, info)| {
            matches!(info.role, CellRole::State | CellRole::Derived | CellRole::Loaded)
        });
        let cells = visible.map(|(at, info)| StoreCell {
            name: info.name.clone(),
            ty: info.ty.clone(),
            cell: at as u32,
            loaded: info.loaded.clone(),
        });
        let handlers = self.handlers.iter().map(|h| (h.name.clone(), h.params.clone()));
        StoreFacts {
            plan: self.own.number,
            cells: cells.collect(),
            handlers: handlers.collect(),
            functions: Arc::new(self.store_functions()),
        }
    }
}
