//! The view rendered afresh from state, without anything of the engine but the meaning of
//! expressions. It is slow and simple on purpose: the engine is held against it.
//!
//! State is what the engine keeps of it: the values of props and of what components hold,
//! asked for by identity. Everything else is worked out here: derived values, which
//! alternative stands, which items there are, what each part shows.

mod document;
mod values;

pub use document::Expected;
use rustc_hash::FxHashMap;
use std::cell::Cell;
use std::collections::BTreeMap;
use values::{Source, Standing, given_from, later};
use vein_plan::code::{CellId, ExprId};
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::{
    BlockId, CellKind, Depth, Given, Name, Program, Shown, SpotKind, TemplateNode, Use, Value,
};
use vein_runtime::{Clean, Kept, Key, Runtime, ScopeId};

/// A view rendered afresh.
pub struct Fresh {
    /// Its scopes; each stands after the one that it stands in, and after the stores.
    pub scopes: Vec<FreshScope>,
    /// The scope of each store, by its plan.
    stores: BTreeMap<usize, usize>,
    /// The scope of the component that the page shows.
    root: usize,
    /// How many values wait for each other at present.
    waiting: Cell<u32>,
}

/// A block of the view rendered afresh.
pub struct FreshScope {
    /// The component.
    pub plan: usize,
    /// The block of it.
    pub block: BlockId,
    /// Where it stands and as what: the same as long as it is the same.
    pub identity: Name,
    /// The scope that the engine keeps at this identity.
    pub kept: Option<ScopeId>,
    /// What each part shows.
    pub parts: Vec<Shown>,
    /// The values that the parts show.
    pub values: Vec<Value>,
    /// What stands in each spot.
    pub spots: Vec<FreshSpot>,
    lexical: Option<usize>,
    /// The scope and the spot that this component stands in.
    giver: Option<(usize, usize)>,
    /// The scope and the spot that it stands in, whatever it is.
    place: Option<(usize, usize)>,
    instance: usize,
    cells: Vec<(CellId, Standing)>,
    /// For an element with a bound name, that name.
    tag: Option<&'static str>,
}

/// What stands in a spot.
pub enum FreshSpot {
    /// Nothing.
    Nothing,
    /// One scope, and which alternative it is.
    One(u32, usize),
    /// Rows, by what tells them apart and which of those alike it is.
    Rows(Vec<(Key, usize, usize)>),
    /// Markup from data, cleaned.
    Markup(Vec<TemplateNode>),
}

/// Renders what a runtime should show.
pub fn render(runtime: &Runtime, clean: Option<Clean>) -> Fresh {
    let mut renderer = Renderer {
        runtime,
        program: runtime.program(),
        clean,
        fresh: Fresh {
            scopes: Vec::new(),
            stores: BTreeMap::new(),
            root: 0,
            waiting: Cell::new(0),
        },
    };
    let component = |plan, identity, kept| Wanted {
        plan,
        block: 0,
        identity,
        kept: Some(kept),
        lexical: None,
        giver: None,
        place: None,
        instance: None,
        tag: None,
    };
    // Each stands after those that it uses.
    for (plan, kept) in runtime.store_scopes() {
        let at = renderer.scope(component(plan, format!("store {plan}").into(), kept), Vec::new());
        renderer.fresh.stores.insert(plan, at);
    }
    let root = component(runtime.plan_number(), "".into(), runtime.root_scope());
    renderer.fresh.root = renderer.scope(root, Vec::new());
    renderer.fresh
}

struct Renderer<'a> {
    runtime: &'a Runtime,
    program: &'a Program,
    clean: Option<Clean>,
    fresh: Fresh,
}

struct Wanted {
    plan: usize,
    block: BlockId,
    identity: Name,
    kept: Option<ScopeId>,
    lexical: Option<usize>,
    giver: Option<(usize, usize)>,
    place: Option<(usize, usize)>,
    instance: Option<usize>,
    tag: Option<&'static str>,
}

/// Cells, by the scope that has them, and whether they are state.
type Seen = BTreeMap<(usize, CellId), bool>;

impl Fresh {
    /// What stands around a spot of a scope.
    fn depth_at(&self, program: &Program, (scope, spot): (usize, usize)) -> Depth {
        let around = std::iter::successors(Some((scope, spot)), |(at, _)| self.scopes[*at].place);
        around.fold(Depth::default(), |depth, (at, spot)| {
            let here = &self.scopes[at];
            let block = &program.plans[here.plan].blocks[here.block as usize];
            Depth {
                components: depth.components + u32::from(here.block == 0),
                blocks: depth.blocks + 1,
                elements: depth.elements + block.elements_around(&block.spots[spot]),
            }
        })
    }

    /// Gathers the state that an expression's value follows from, by scope and cell, through everything
    /// that is derived or given. `seen` has the cells that were looked at.
    fn sources(&self, runtime: &Runtime, (scope, expr): (usize, ExprId), seen: &mut Seen) {
        for read in self.evaluate(runtime, scope, expr).1 {
            self.sources_of(runtime, scope, read.cell, seen);
        }
    }

    fn sources_of(&self, runtime: &Runtime, scope: usize, cell: CellId, seen: &mut Seen) {
        let program = runtime.program();
        let of = |at: usize| (&program.plans[self.scopes[at].plan], &self.scopes[at]);
        let has = |at: usize| of(at).0.cells[cell as usize].block == of(at).1.block;
        let mut around = std::iter::successors(Some(scope), |at| self.scopes[*at].lexical);
        let Some(home) = around.find(|at| has(*at)) else { return };
        if seen.contains_key(&(home, cell)) {
            return;
        }
        seen.insert((home, cell), false);
        let (plan, here) = of(home);
        let planned = &plan.cells[cell as usize];
        // Where it stands, if it stands in another scope, and the spot there.
        let place = here.place.map(|(around, spot)| {
            let (plan, scope) = of(around);
            (around, &plan.blocks[scope.block as usize].spots[spot].kind)
        });
        let given = match (&planned.kind, place) {
            (CellKind::Derived(expr, _), _) => {
                return self.sources(runtime, (home, *expr), seen);
            }
            (CellKind::Store(store, cell), _) => {
                let store = self.stores.get(&(*store as usize));
                return store.map_or((), |store| self.sources_of(runtime, *store, *cell, seen));
            }
            (CellKind::Item | CellKind::Position, Some((at, SpotKind::List { cell, .. }))) => {
                return self.sources_of(runtime, at, *cell, seen);
            }
            (
                CellKind::Prop(_) | CellKind::Shared(_),
                Some((at, SpotKind::Component(Use { props, .. }))),
            ) => props.iter().find(|(known, _)| *known == cell).map(|(_, given)| (at, given)),
            (CellKind::Handed, Some((at, SpotKind::Slot { values, .. }))) => {
                values.iter().find(|(name, _)| *name == planned.name).map(|(_, given)| (at, given))
            }
            _ => None,
        };
        match given {
            Some((at, Given::Path { cell, .. })) => self.sources_of(runtime, at, *cell, seen),
            Some((at, Given::Value(expr, _))) => self.sources(runtime, (at, *expr), seen),
            Some((_, Given::Once(_))) | None => {
                seen.insert((home, cell), true);
            }
        }
    }

    /// The paths of the state that says what stands where a scope stands, as pulses write them.
    pub fn decided_by(&self, runtime: &Runtime, scope: usize) -> Vec<String> {
        let program = runtime.program();
        let Some((around, spot)) = self.scopes[scope].place else { return Vec::new() };
        let here = &self.scopes[around];
        let block = &program.plans[here.plan].blocks[here.block as usize];
        let mut seen = Seen::new();
        match &block.spots[spot].kind {
            SpotKind::Branch { choice: expr, .. } | SpotKind::Renamed { name: expr, .. } => {
                self.sources(runtime, (around, *expr), &mut seen);
            }
            SpotKind::List { cell, .. } => self.sources_of(runtime, around, *cell, &mut seen),
            _ => {}
        }
        let state = seen.into_iter().filter(|(_, is_state)| *is_state);
        let path = |((scope, cell), _): ((usize, CellId), bool)| {
            Some(runtime.path_of(self.scopes[scope].kept?, cell))
        };
        state.filter_map(path).collect()
    }

    /// The scopes by their identities.
    pub fn by_identity(&self) -> FxHashMap<&str, usize> {
        self.scopes.iter().enumerate().map(|(at, scope)| (&*scope.identity, at)).collect()
    }

    /// How many parts, branches and lists the view has.
    pub fn places(&self, program: &Program) -> usize {
        let changing = |scope: &FreshScope| {
            let block = &program.plans[scope.plan].blocks[scope.block as usize];
            let fixed =
                |kind: &SpotKind| matches!(kind, SpotKind::Component(_) | SpotKind::Slot { .. });
            block.parts.len() + block.spots.iter().filter(|spot| !fixed(&spot.kind)).count()
        };
        self.scopes.iter().map(changing).sum()
    }
}

impl Renderer<'_> {
    fn value(&self, scope: usize, expr: ExprId) -> Value {
        self.fresh.evaluate(self.runtime, scope, expr).0
    }

    /// Renders a scope; `cells` are those that come from outside.
    fn scope(&mut self, wanted: Wanted, mut cells: Vec<(CellId, Standing)>) -> usize {
        let at = self.fresh.scopes.len();
        if let Some(kept) = wanted.kept {
            let given: Vec<CellId> = cells.iter().map(|(cell, _)| *cell).collect();
            let state = self.runtime.state_of(kept).into_iter();
            let state = state.filter(|(cell, _)| !given.contains(cell));
            cells.extend(state.map(|(cell, value)| (cell, Standing::Is(value))));
        }
        self.fresh.scopes.push(FreshScope {
            plan: wanted.plan,
            block: wanted.block,
            identity: wanted.identity,
            kept: wanted.kept,
            parts: Vec::new(),
            values: Vec::new(),
            spots: Vec::new(),
            lexical: wanted.lexical,
            giver: wanted.giver,
            place: wanted.place,
            instance: wanted.instance.unwrap_or(at),
            cells,
            tag: wanted.tag,
        });
        let plan = &self.program.plans[wanted.plan];
        for (number, cell) in plan.cells.iter().enumerate() {
            let number = number as CellId;
            let here = &self.fresh.scopes[at];
            if cell.block != wanted.block || here.cells.iter().any(|(known, _)| *known == number) {
                continue;
            }
            // A derived value stands after those that it reads. State is only worked out for
            // what the engine does not have, which is found out below.
            let value = match &cell.kind {
                CellKind::Derived(expr, _) => later(Source::Expr(at, *expr)),
                CellKind::State(expr)
                | CellKind::Prop(Some(expr))
                | CellKind::Shared(Some(expr)) => Standing::Is(self.value(at, *expr)),
                CellKind::Store(store, cell) => match self.fresh.stores.get(&(*store as usize)) {
                    Some(store) => later(Source::Path(*store, *cell, [].into())),
                    None => continue,
                },
                _ => continue,
            };
            self.fresh.scopes[at].cells.push((number, value));
        }
        let block = &plan.blocks[wanted.block as usize];
        for part in &block.parts {
            let value = self.value(at, part.value);
            let shown = part.kind.shown(&value);
            self.fresh.scopes[at].parts.push(shown);
            self.fresh.scopes[at].values.push(value);
        }
        let held = wanted.kept.map_or_else(Vec::new, |kept| self.runtime.held_in(kept));
        for (number, spot) in block.spots.iter().enumerate() {
            let spot = self.spot(at, number, &spot.kind, held.get(number));
            self.fresh.scopes[at].spots.push(spot);
        }
        at
    }

    /// What was told of its end and began anew is not the same.
    fn life(&self, kept: Option<ScopeId>) -> String {
        match kept.map_or(0, |kept| self.runtime.life_of(kept)) {
            0 => String::new(),
            life => format!("~{life}"),
        }
    }

    fn inner(&self, at: usize, spot: usize, chosen: u32, block: BlockId) -> Wanted {
        let here = &self.fresh.scopes[at];
        Wanted {
            plan: here.plan,
            block,
            identity: format!("{}/{spot}.{chosen}", here.identity).into(),
            kept: None,
            lexical: Some(at),
            giver: None,
            place: Some((at, spot)),
            instance: Some(here.instance),
            tag: None,
        }
    }

    fn spot(
        &mut self,
        at: usize,
        number: usize,
        kind: &SpotKind,
        held: Option<&Kept>,
    ) -> FreshSpot {
        let kept_one = |wanted: u32| match held {
            Some(Kept::One { chosen, scope }) if *chosen == wanted => *scope,
            _ => None,
        };
        match kind {
            SpotKind::Branch { choice, alternatives, .. } => {
                let choice = self.value(at, *choice).to_number();
                let Some(block) = alternatives.get(choice as usize).filter(|_| choice >= 0.0)
                else {
                    return FreshSpot::Nothing;
                };
                let chosen = choice as u32;
                let wanted = self.inner(at, number, chosen, *block);
                let kept = kept_one(chosen);
                let identity = format!("{}{}", wanted.identity, self.life(kept)).into();
                let wanted = Wanted { kept, identity, ..wanted };
                FreshSpot::One(chosen, self.scope(wanted, Vec::new()))
            }
            SpotKind::Renamed { name, block, .. } => {
                let tag = vein_plan::shown::renamed(&self.value(at, *name));
                let wanted = self.inner(at, number, 0, *block);
                let identity = format!("{}{tag}{}", wanted.identity, self.life(kept_one(0))).into();
                let wanted = Wanted { kept: kept_one(0), identity, tag: Some(tag), ..wanted };
                FreshSpot::One(0, self.scope(wanted, Vec::new()))
            }
            SpotKind::Markup { value, .. } => {
                let html = self.value(at, *value).to_shown();
                FreshSpot::Markup(match self.clean {
                    Some(clean) => clean(&html),
                    None if html.is_empty() => Vec::new(),
                    None => {
                        vec![TemplateNode::Text { text: html.as_str().into(), marked: false }]
                    }
                })
            }
            SpotKind::List { cell, path, by, block } => {
                self.rows(at, number, (*cell, path), by.as_ref().map(|(by, _)| *by), *block, held)
            }
            SpotKind::Component(used) => {
                let wanted = self.inner(at, number, 0, 0);
                let kept = kept_one(0);
                // What stands in what is missing is missing with it.
                let missing = kept.is_none() && self.fresh.scopes[at].kept.is_none();
                let depth = self.fresh.depth_at(self.program, (at, number));
                if missing || depth.beyond().is_some() {
                    return FreshSpot::Nothing;
                }
                let wanted = Wanted {
                    plan: used.plan as usize,
                    kept,
                    lexical: None,
                    giver: Some((at, number)),
                    instance: None,
                    ..wanted
                };
                let mut cells = Vec::new();
                for (cell, given) in &used.props {
                    let once = match (given, wanted.kept) {
                        (Given::Once(expr), None) => Some(Standing::Is(self.value(at, *expr))),
                        _ => given_from(at, given),
                    };
                    cells.extend(once.map(|value| (*cell, value)));
                }
                FreshSpot::One(0, self.scope(wanted, cells))
            }
            SpotKind::Slot { name, values, fallback } => {
                let content = self.content(at, name);
                let wanted = match (content, fallback) {
                    (Some((giver, block)), _) => {
                        let wanted = self.inner(at, number, 0, block);
                        let (plan, instance) =
                            (self.fresh.scopes[giver].plan, self.fresh.scopes[giver].instance);
                        let (lexical, instance) = (Some(giver), Some(instance));
                        Wanted { plan, lexical, instance, ..wanted }
                    }
                    (None, Some(block)) => self.inner(at, number, 0, *block),
                    (None, None) => return FreshSpot::Nothing,
                };
                let mut cells = Vec::new();
                let plan = &self.program.plans[wanted.plan];
                for (name, given) in values {
                    let cell = plan.cells.iter().position(|cell| {
                        cell.block == wanted.block
                            && cell.kind == CellKind::Handed
                            && cell.name == *name
                    });
                    if let (Some(cell), Some(value)) = (cell, given_from(at, given)) {
                        cells.push((cell as CellId, value));
                    }
                }
                let wanted = Wanted { kept: kept_one(0), ..wanted };
                FreshSpot::One(0, self.scope(wanted, cells))
            }
        }
    }

    /// The scope and the block of what the parent put into a slot.
    fn content(&self, at: usize, name: &Name) -> Option<(usize, BlockId)> {
        let instance = self.fresh.scopes[at].instance;
        let (giver, spot) = self.fresh.scopes[instance].giver?;
        let here = &self.fresh.scopes[giver];
        let block = &self.program.plans[here.plan].blocks[here.block as usize];
        let SpotKind::Component(used) = &block.spots[spot].kind else { return None };
        let (_, block) = used.contents.iter().find(|(slot, _)| slot == name)?;
        Some((giver, *block))
    }

    fn rows(
        &mut self,
        at: usize,
        number: usize,
        (cell, path): (CellId, &[u32]),
        by: Option<ExprId>,
        block: BlockId,
        held: Option<&Kept>,
    ) -> FreshSpot {
        let Value::List(items) = self.fresh.at_path(self.runtime, at, cell, path) else {
            return FreshSpot::Rows(Vec::new());
        };
        let plan = self.fresh.scopes[at].plan;
        let own = |kind: CellKind| {
            let cells = &self.program.plans[plan].cells;
            let found = cells.iter().position(|cell| cell.block == block && cell.kind == kind);
            found.map(|cell| cell as CellId)
        };
        let (item_cell, position_cell) = (own(CellKind::Item), own(CellKind::Position));
        let mut kept: FxHashMap<(Key, usize), ScopeId> = FxHashMap::default();
        if let Some(Kept::Rows(rows)) = held {
            let mut alike: FxHashMap<Key, usize> = FxHashMap::default();
            for row in rows {
                let key = if by.is_some() { row.key.clone() } else { Key::Null };
                let which = alike.entry(key.clone()).or_insert(0);
                kept.insert((key, *which), row.scope);
                *which += 1;
            }
        }
        let mut alike: FxHashMap<Key, usize> = FxHashMap::default();
        let mut rows = Vec::new();
        for (position, item) in items.iter().enumerate() {
            let position = Value::from(position as f64);
            let own = [(item_cell, item.clone()), (position_cell, position)].into_iter();
            let cells =
                own.filter_map(|(cell, value)| Some((cell?, Standing::Is(value)))).collect();
            let key = match by {
                Some(by) => self.key(plan, by, item_cell, item),
                None => Key::Null,
            };
            let which = alike.entry(key.clone()).or_insert(0);
            let occurrence = *which;
            *which += 1;
            let wanted = self.inner(at, number, 0, block);
            let kept = kept.get(&(key.clone(), occurrence)).copied();
            // Items that are alike have the rows that are alike in turn.
            let life = self.life(kept);
            let identity = format!("{}#{key}{life}@{occurrence}", wanted.identity).into();
            let row = self.scope(Wanted { kept, identity, ..wanted }, cells);
            rows.push((key, occurrence, row));
        }
        FreshSpot::Rows(rows)
    }

    fn key(&self, plan: usize, by: ExprId, cell: Option<CellId>, item: &Value) -> Key {
        struct Alone<'a>(Option<CellId>, &'a Value);
        impl Cells for Alone<'_> {
            fn cell(&mut self, cell: CellId) -> Value {
                if Some(cell) == self.0 { self.1.clone() } else { Value::Null }
            }

            fn ask(&mut self, _: u32, _: &[Value]) -> Value {
                Value::Null
            }
        }
        let mut locals: Vec<(Value, ())> = Vec::new();
        let mut alone = Alone(cell, item);
        let (plan, names) = (&self.program.plans[plan], &self.program.names);
        let mut run = Evaluation::new(plan, names, &mut alone, &mut locals);
        Key::of(&run.value(by))
    }
}
