//! One component: its declarations in order, then its markup, then its handlers.

use crate::diagnostics::{
    CircularValue, HeldFromProp, NameTaken, NeedsType, NeverCalled, NeverRead, NotSupported,
    StoreAlone,
};
use crate::functions::DeclaredFunction;
use crate::interface::Interface;
use crate::marks::Reach;
use crate::named::{TypeProblem, resolve_type};
use crate::names::{free_names, names_in_function};
use crate::reach::Finder;
use crate::report::{Diagnostic, Severity};
use crate::scope::{
    CellRole, Checker, EventInfo, HandlerInfo, LocalKind, LocalName, Project, Purpose, Symbol,
};
use crate::stores::StoreFacts;
use crate::types::{Tables, Ty};
use rustc_hash::{FxHashMap as HashMap, FxHashSet as HashSet};
use vein_plan::members::Member;
use vein_plan::{Block, CellKind, Event, Given, Handler, Plan, Reads, SpotKind, When};
use vein_syntax::ast::{DeclarationKind, Expr, File, Ident, Stmt, TypeExpr, TypedName};
use vein_syntax::{LineIndex, Span};

/// A declaration of a value, before its type is known.
struct Value<'t> {
    ident: &'t Ident,
    verb: Span,
    role: CellRole,
    ty: Option<&'t TypeExpr>,
    from: Option<&'t Expr>,
}

/// Checks a component and compiles it.
pub(crate) fn component(
    project: &Project<'_>,
    tables: &mut Tables,
    number: usize,
    name: &str,
    (text, file, reach): (&str, &File, &Reach),
    own: &Interface,
) -> (Plan, Vec<Diagnostic>, Option<StoreFacts>) {
    let mut checker = Checker {
        project,
        tables,
        file: number,
        text,
        lines: LineIndex::new(text),
        found: Vec::new(),
        plan: Plan { name: name.into(), ..Plan::default() },
        symbols: HashMap::default(),
        cells: Vec::new(),
        handlers: Vec::new(),
        events: Vec::new(),
        stores: Vec::new(),
        asked: Vec::new(),
        functions: Vec::new(),
        copied: HashMap::default(),
        standing: HashMap::default(),
        purpose: Purpose::default(),
        locals: Vec::new(),
        scope_start: 0,
        next_local: 0,
        most_locals: 0,
        facts: Vec::new(),
        event_fields: Vec::new(),
        own,
        frame_names: Vec::new(),
        frame_facts: Vec::new(),
        roots: HashMap::default(),
        sources: HashMap::default(),
        slotted: HashSet::default(),
        reach,
        at: Span::default(),
    };
    checker.run(file);
    let facts = own.store.is_some().then(|| checker.store_facts());
    (checker.plan, checker.found, facts)
}

impl Checker<'_> {
    fn run(&mut self, file: &File) {
        let mut values = Vec::new();
        let mut bodies: Vec<(usize, &[TypedName], &[Stmt])> = Vec::new();
        let mut seen: HashMap<&str, Span> = HashMap::default();
        let (mut sources, mut hooks, mut functions) = (Vec::new(), Vec::new(), Vec::new());
        for (at, declaration) in file.declarations.iter().enumerate() {
            let verb = Span { start: declaration.span.start, end: declaration.span.start + 5 };
            match &declaration.kind {
                DeclarationKind::Takes(TypedName { ident, ty }, from)
                | DeclarationKind::Shares(TypedName { ident, ty }, from) => {
                    let shared = matches!(declaration.kind, DeclarationKind::Shares(..));
                    let role = if shared { CellRole::Shared } else { CellRole::Prop };
                    let (ty, from) = (Some(ty), from.as_ref());
                    self.value(Value { ident, verb, role, ty, from }, &mut seen, &mut values);
                }
                DeclarationKind::Holds(ident, ty, from) => {
                    let (ty, from) = (ty.as_ref(), Some(from));
                    self.value(
                        Value { ident, verb, role: CellRole::State, ty, from },
                        &mut seen,
                        &mut values,
                    );
                }
                DeclarationKind::Derives(ident, ty, from) => {
                    let (ty, from) = (ty.as_ref(), Some(from));
                    self.value(
                        Value { ident, verb, role: CellRole::Derived, ty, from },
                        &mut seen,
                        &mut values,
                    );
                }
                DeclarationKind::Function(ident, params, result, body) => {
                    if !self.taken(ident, &mut seen) {
                        functions.push(self.declare_function(ident, params, result.as_ref(), body));
                    }
                }
                DeclarationKind::Does(ident, params, body) => {
                    if !self.taken(ident, &mut seen) {
                        let handler = self.declare_handler(ident, params);
                        bodies.push((handler, params, body));
                    }
                }
                DeclarationKind::Gives(ident, payload) => self.declare_event(ident, payload),
                DeclarationKind::Host(answers, ident, params, result) => {
                    if !self.taken(ident, &mut seen) {
                        self.declare_asked(*answers, ident, params, result);
                    }
                }
                DeclarationKind::Source(follows, declared, e) => {
                    if !self.taken(&declared.ident, &mut seen) {
                        self.symbols.insert(declared.ident.name.clone(), Symbol::Broken);
                        sources.push((*follows, declared, e));
                    }
                }
                DeclarationKind::Uses(stores) => {
                    for ident in stores {
                        if !self.taken(ident, &mut seen) {
                            self.use_store(ident);
                        }
                    }
                }
                DeclarationKind::Names(names) => {
                    for ident in names {
                        let (role, ty, from) = (CellRole::Named, None, None);
                        self.value(Value { ident, verb, role, ty, from }, &mut seen, &mut values);
                    }
                }
                DeclarationKind::Upon(when, body) => hooks.push((when, body, declaration.span)),
                DeclarationKind::Store(ident) if at == 0 => {
                    self.plan.store = Some(ident.name.as_str().into());
                }
                DeclarationKind::Store(_) => self.report(StoreAlone::NotFirst, verb),
                DeclarationKind::Shape(..) => {}
                DeclarationKind::Other(verb) => {
                    self.report(NotSupported { what: format!("`{}`", verb.name) }, verb.span);
                }
            }
        }
        self.props(&values);
        for (_, declared, _) in &sources {
            self.declare_source(declared);
        }
        self.values(&values, &functions);
        for (follows, declared, e) in sources {
            self.source_question(follows, declared, e);
        }
        match self.plan.store.is_some() {
            true => {
                self.only_in_components(file);
                self.plan.blocks.push(Block::default());
            }
            false => self.markup(&file.markup),
        }
        for (when, body, span) in hooks {
            self.upon(when, body, span);
        }
        for (handler, params, body) in bodies {
            self.handler_body(handler, params, body);
        }
        if let Some(style) = file.style {
            self.style(style);
        }
        self.count_levels();
        self.work_out_reads();
        self.unused(&values);
    }

    fn taken<'t>(&mut self, ident: &'t Ident, seen: &mut HashMap<&'t str, Span>) -> bool {
        if ident.name.is_empty() {
            return true;
        }
        match seen.get(ident.name.as_str()) {
            Some(first) => {
                let (name, first) = (ident.name.clone(), Some(*first));
                self.report(NameTaken { name, first, elsewhere: None }, ident.span);
                true
            }
            None => {
                seen.insert(&ident.name, ident.span);
                false
            }
        }
    }

    fn value<'t>(
        &mut self,
        value: Value<'t>,
        seen: &mut HashMap<&'t str, Span>,
        values: &mut Vec<Value<'t>>,
    ) {
        if !self.taken(value.ident, seen) {
            self.symbols.insert(value.ident.name.clone(), Symbol::Broken);
            values.push(value);
        }
    }

    fn declare_handler(&mut self, ident: &Ident, params: &[TypedName]) -> usize {
        let number = self.handlers.len();
        self.symbols.insert(ident.name.clone(), Symbol::Handler(number as u32));
        let params: Vec<(String, Ty)> =
            params.iter().map(|p| (p.ident.name.clone(), self.resolve(&p.ty))).collect();
        self.plan.handlers.push(Handler {
            name: ident.name.as_str().into(),
            params: params.iter().map(|(n, ty)| (n.as_str().into(), self.tables.ty(ty))).collect(),
            locals: 0,
            body: Vec::new(),
            location: self.location(ident.span),
        });
        let (name, span) = (ident.name.clone(), ident.span);
        self.handlers.push(HandlerInfo { name, span, params, called: false });
        number
    }

    fn declare_event(&mut self, ident: &Ident, payload: &[TypedName]) {
        if let Some(first) = self.events.iter().find(|event| event.name == ident.name) {
            let (name, first) = (ident.name.clone(), Some(first.span));
            return self.report(NameTaken { name, first, elsewhere: None }, ident.span);
        }
        let payload: Vec<(String, Ty)> =
            payload.iter().map(|p| (p.ident.name.clone(), self.resolve(&p.ty))).collect();
        self.plan.events.push(Event {
            name: ident.name.as_str().into(),
            payload: payload
                .iter()
                .map(|(n, ty)| (n.as_str().into(), self.tables.ty(ty)))
                .collect(),
        });
        let (name, span) = (ident.name.clone(), ident.span);
        self.events.push(EventInfo { name, span, payload, given: false });
    }

    /// Props come first, in order, and after them what falls to the root element: whoever uses
    /// the component knows the numbers of their cells without looking inside.
    fn props(&mut self, values: &[Value<'_>]) {
        let is_prop = |v: &&Value<'_>| matches!(v.role, CellRole::Prop | CellRole::Shared);
        let props: Vec<&Value<'_>> = values.iter().filter(is_prop).collect();
        for (at, value) in props.iter().enumerate() {
            let ty = value.ty.map_or(Ty::Error, |ty| self.resolve(ty));
            self.start_frame();
            if let Some(from) = value.from {
                let later = props[at..].iter().map(|later| later.ident);
                let others = values.iter().filter(|v| !is_prop(v)).map(|v| v.ident);
                let unknown: Vec<&str> = later.chain(others).map(|i| i.name.as_str()).collect();
                let mut early = None;
                free_names(from, &mut |name| {
                    let shared = matches!(
                        self.symbols.get(name),
                        Some(Symbol::Store(_) | Symbol::Function(_))
                    );
                    if shared || unknown.contains(&name) {
                        early = Some(name.to_owned());
                    }
                });
                if let Some(name) = early {
                    let advice = "a default is worked out first: it can use the props declared \
                                  before it, and nothing else";
                    self.not_usable(name, "not known yet", advice, from.span);
                    self.prop_cell(value, ty, None);
                    continue;
                }
            }
            let why = format!("for `{}`", value.ident.name);
            let default = value.from.map(|from| self.expr_of(from, &ty, &why).id);
            self.prop_cell(value, ty, default);
        }
        for name in self.own.falls.clone() {
            let ident = Ident { name: format!("{name} (given)"), span: Span::default() };
            let null = self.push(vein_plan::code::Expr::Null);
            let kind = CellKind::Prop(Some(null));
            self.variable(&ident, Ty::optional(Ty::String), kind, 0);
        }
    }

    fn prop_cell(&mut self, value: &Value<'_>, ty: Ty, default: Option<u32>) {
        let kind = match value.role {
            CellRole::Shared => CellKind::Shared(default),
            _ => CellKind::Prop(default),
        };
        self.value_cell(value, ty, kind);
    }

    fn value_cell(&mut self, value: &Value<'_>, ty: Ty, kind: CellKind) {
        let cell = self.variable(value.ident, ty, kind, 0);
        let name = value.ident.name.clone();
        let info = &mut self.cells[cell as usize];
        (info.role, info.read) = (value.role, false);
        self.symbols.insert(name, Symbol::Cell(cell));
    }

    /// Compiles all values, each after those that it reads.
    fn values(&mut self, values: &[Value<'_>], functions: &[DeclaredFunction<'_>]) {
        let idents: Vec<&Ident> = values
            .iter()
            .map(|value| value.ident)
            .chain(functions.iter().map(|function| function.ident))
            .collect();
        let numbers: HashMap<&str, usize> =
            idents.iter().enumerate().map(|(i, ident)| (ident.name.as_str(), i)).collect();
        let mut reads: Vec<Vec<usize>> = vec![Vec::new(); idents.len()];
        for (value, found) in values.iter().zip(&mut reads) {
            if let Some(from) = value.from {
                free_names(from, &mut |name| found.extend(numbers.get(name)));
            }
        }
        for (function, found) in functions.iter().zip(&mut reads[values.len()..]) {
            let mut each = |name: &str| found.extend(numbers.get(name));
            names_in_function(function.params, function.body, &mut each);
        }
        self.functions_in_circles(functions, values.len(), &mut reads);
        for step in order(&reads) {
            match step {
                Step::Value(i) if i < values.len() => self.compile_value(&values[i]),
                Step::Value(i) => self.compile_function(&functions[i - values.len()]),
                Step::Circle(circle) => {
                    let circle: Vec<(String, Span)> =
                        circle.iter().map(|i| (idents[*i].name.clone(), idents[*i].span)).collect();
                    let at = circle[0].1;
                    self.report(CircularValue { circle }, at);
                }
            }
        }
    }

    fn compile_value(&mut self, value: &Value<'_>) {
        if matches!(value.role, CellRole::Prop | CellRole::Shared) {
            return;
        }
        self.start_frame();
        let name = &value.ident.name;
        if value.role == CellRole::Named {
            let of = self.push(vein_plan::code::Expr::String(name.as_str().into()));
            let own = self.push(vein_plan::code::Expr::Call(Member::OwnId, None, vec![of]));
            return self.value_cell(value, Ty::String, CellKind::State(own));
        }
        let written = value.ty.map(|ty| self.resolve(ty));
        let why = format!("for `{name}`");
        let typed = value.from.map(|from| match &written {
            Some(want) => self.expr_of(from, want, &why),
            None => self.expr(from),
        });
        let ty = match (written, &typed) {
            (Some(ty), _) => ty,
            (None, Some(typed)) if value.role == CellRole::Derived => typed.ty.clone(),
            (None, Some(typed)) => typed.ty.clone().widened(),
            (None, None) => Ty::Error,
        };
        let ty = self.not_too_deep(ty, value.ident.span);
        if !ty.is_settled() && value.role != CellRole::Derived {
            let finding = NeedsType::Value { name: name.clone(), like: ty.as_written_down() };
            self.report(finding, value.ident.span);
            return;
        }
        let kind = match (value.role, typed.map(|typed| typed.id)) {
            (CellRole::State, Some(id)) => CellKind::State(id),
            (CellRole::Derived, Some(id)) => {
                if let Some(from) = value.from {
                    self.sources.insert(name.clone(), from.clone());
                }
                CellKind::Derived(id, Reads::Fixed(Vec::new()))
            }
            _ => return,
        };
        self.value_cell(value, ty, kind);
    }

    fn handler_body(&mut self, number: usize, params: &[TypedName], body: &[Stmt]) {
        self.start_frame();
        let types = self.handlers[number].params.clone();
        for (param, (_, ty)) in params.iter().zip(types) {
            let local = self.new_local();
            self.locals.push(LocalName {
                name: param.ident.name.clone(),
                span: param.ident.span,
                what: LocalKind::Value(local, ty),
            });
        }
        let body = self.block(body);
        self.plan.handlers[number].body = body;
        self.plan.handlers[number].locals = self.most_locals;
    }

    fn work_out_reads(&mut self) {
        if self.found.iter().any(|d| d.severity == Severity::Error) {
            return;
        }
        // The expressions stay as they are while what they read is noted beside them.
        let mut plan = std::mem::take(&mut self.plan);
        let (mut cells, mut blocks) =
            (std::mem::take(&mut plan.cells), std::mem::take(&mut plan.blocks));
        let types: Vec<vein_plan::TypeId> = cells.iter().map(|cell| cell.ty).collect();
        let finder = Finder {
            program: &self.tables.program,
            exprs: &plan.exprs,
            functions: &plan.functions,
            types: &types,
        };
        for cell in &mut cells {
            if let CellKind::Derived(id, found) = &mut cell.kind {
                *found = finder.reads(*id);
            }
        }
        for block in &mut blocks {
            block.parts.iter_mut().for_each(|part| part.reads = finder.reads(part.value));
            for spot in &mut block.spots {
                spot_reads(&finder, &mut spot.kind);
            }
        }
        for source in &mut plan.sources {
            source.reads = finder.reads(source.args);
        }
        for hook in &mut plan.hooks {
            if let When::Every(id, reads) = &mut hook.when {
                *reads = finder.reads(*id);
            }
        }
        (plan.cells, plan.blocks) = (cells, blocks);
        self.plan = plan;
    }

    /// What was declared for nothing. Where there are errors, uses may have been lost with them.
    fn unused(&mut self, values: &[Value<'_>]) {
        if self.found.iter().any(|d| d.severity == Severity::Error) {
            return;
        }
        let mut findings: Vec<(NeverRead, Span)> = Vec::new();
        for cell in self.cells.iter().filter(|cell| !cell.read) {
            let what = match cell.role {
                CellRole::Prop | CellRole::Shared => "prop",
                CellRole::Variable | CellRole::Stored => continue,
                // Others may read it, too.
                _ if self.plan.store.is_some() => continue,
                CellRole::Loaded => "loaded value",
                CellRole::State => "state",
                CellRole::Named => "name",
                CellRole::Derived => "derived value",
            };
            let finding = NeverRead { name: cell.name.clone(), what, assigned: cell.assigned };
            findings.push((finding, cell.span));
        }
        for event in self.events.iter().filter(|event| !event.given) {
            let finding = NeverRead { name: event.name.clone(), what: "event", assigned: false };
            findings.push((finding, event.span));
        }
        for store in self.stores.iter().filter(|store| !store.used) {
            let finding = NeverRead { name: store.name.clone(), what: "store", assigned: false };
            findings.push((finding, store.span));
        }
        for asked in self.asked.iter().filter(|asked| !asked.used) {
            let finding = NeverRead { name: asked.name.clone(), what: "function", assigned: false };
            findings.push((finding, asked.span));
        }
        let is_store = self.plan.store.is_some();
        for function in self.functions.iter().filter(|function| !function.called && !is_store) {
            let (name, what) = (function.name.clone(), "function");
            findings.push((NeverRead { name, what, assigned: false }, function.span));
        }
        for (finding, span) in findings {
            self.report(finding, span);
        }
        if self.plan.store.is_some() {
            return;
        }
        let uncalled: Vec<(String, Span)> = self
            .handlers
            .iter()
            .filter(|handler| !handler.called)
            .map(|handler| (handler.name.clone(), handler.span))
            .collect();
        for (name, span) in uncalled {
            self.report(NeverCalled { name }, span);
        }
        for value in values.iter().filter(|value| value.role == CellRole::State) {
            self.held_from_prop(value);
        }
    }

    fn held_from_prop(&mut self, value: &Value<'_>) {
        let name = &value.ident.name;
        let assigned = match self.symbols.get(name) {
            Some(Symbol::Cell(cell)) => self.cells[*cell as usize].assigned,
            _ => false,
        };
        let mut prop = None;
        if let Some(from) = value.from {
            free_names(from, &mut |used| {
                if matches!(self.role(used), Some(CellRole::Prop | CellRole::Shared)) {
                    prop = prop.or(Some(used));
                }
            });
        }
        if let (Some(prop), false) = (prop, assigned) {
            let (name, prop) = (name.clone(), prop.to_owned());
            self.report(HeldFromProp { name, prop, verb: value.verb }, value.ident.span);
        }
    }

    /// The type that was written.
    pub(crate) fn resolve(&mut self, ty: &TypeExpr) -> Ty {
        let mut problems = Vec::new();
        let resolved = resolve_type(ty, self.project.named, &mut problems);
        for (problem, span) in problems {
            match problem {
                TypeProblem::Unknown(finding) => self.report(finding, span),
                TypeProblem::Twice(finding) => self.report(finding, span),
            }
        }
        resolved
    }
}

fn spot_reads(finder: &Finder<'_>, kind: &mut SpotKind) {
    let given = |given: &mut Given| {
        if let Given::Value(id, reads) = given {
            *reads = finder.reads(*id);
        }
    };
    match kind {
        SpotKind::Branch { choice: id, reads, .. }
        | SpotKind::Renamed { name: id, reads, .. }
        | SpotKind::Markup { value: id, reads } => *reads = finder.reads(*id),
        SpotKind::List { by, .. } => {
            if let Some((id, reads)) = by {
                *reads = finder.reads(*id);
            }
        }
        SpotKind::Component(used) => used.props.iter_mut().for_each(|(_, g)| given(g)),
        SpotKind::Slot { values, .. } => values.iter_mut().for_each(|(_, g)| given(g)),
    }
}

/// What comes next.
pub(crate) enum Step {
    Value(usize),
    /// Values that read each other in a circle.
    Circle(Vec<usize>),
}

/// An order in which each value stands after those that it reads; circles are told apart.
pub(crate) fn order(reads: &[Vec<usize>]) -> Vec<Step> {
    #[derive(Clone, Copy, PartialEq)]
    enum State {
        New,
        Open,
        Done,
        Circular,
    }
    let mut states = vec![State::New; reads.len()];
    let mut steps = Vec::new();
    for start in 0..reads.len() {
        // A path through the graph, each with how many of its reads were followed.
        let mut path: Vec<(usize, usize)> = Vec::new();
        if states[start] == State::New {
            states[start] = State::Open;
            path.push((start, 0));
        }
        while let Some((value, followed)) = path.last().copied() {
            let Some(next) = reads[value].get(followed).copied() else {
                path.pop();
                if states[value] == State::Open {
                    states[value] = State::Done;
                    steps.push(Step::Value(value));
                }
                continue;
            };
            if let Some(last) = path.last_mut() {
                last.1 += 1;
            }
            match states[next] {
                State::New => {
                    states[next] = State::Open;
                    path.push((next, 0));
                }
                State::Open | State::Circular => {
                    if let Some(at) = path.iter().position(|(v, _)| *v == next) {
                        let circle: Vec<usize> = path[at..].iter().map(|(v, _)| *v).collect();
                        let new = circle.iter().any(|v| states[*v] == State::Open);
                        circle.iter().for_each(|v| states[*v] = State::Circular);
                        if new {
                            steps.push(Step::Circle(circle));
                        }
                    }
                }
                State::Done => {}
            }
        }
    }
    steps
}
