//! What the host reads and writes, by paths such as `beds[3].moisture`.

use crate::answers::Host;
use crate::carry::{Carried, Lost};
use crate::fault::Fault;
use crate::pulse::Pulse;
use crate::runtime::{ROOT_SCOPE, Runtime};
use crate::scope::{Mark, NONE, ScopeId, Slot};
use std::sync::Arc;
use vein_plan::code::CellId;
use vein_plan::{CellKind, Misfit, Name, Plan, Program, Record, Step, Type, TypeId, Value};

/// Why the host could not open, read or write something.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum HostError {
    /// There is no such component.
    UnknownComponent {
        /// What was asked for.
        name: String,
        /// Those that there are.
        known: Vec<String>,
    },
    /// The component has no such prop.
    UnknownProp {
        /// The component.
        component: String,
        /// What was given.
        name: String,
        /// Those that it has.
        known: Vec<String>,
    },
    /// Required props were not given.
    MissingProps {
        /// The component.
        component: String,
        /// Each with its type.
        missing: Vec<(String, String)>,
    },
    /// The props are not an object.
    PropsNotAnObject,
    /// A value does not fit its type.
    Misfit(Misfit),
    /// There is nothing at a path.
    UnknownPath {
        /// The path.
        path: String,
        /// What can be reached from where it goes wrong.
        known: Vec<String>,
    },
    /// A derived value cannot be written.
    Derived {
        /// Its name.
        name: String,
    },
    /// There is no such handler.
    UnknownHandler {
        /// What was called.
        name: String,
        /// Those that there are.
        known: Vec<String>,
    },
    /// A component gives no such event.
    UnknownEvent {
        /// What was to be given.
        name: String,
        /// Those that it gives.
        known: Vec<String>,
    },
    /// A handler was called with another number of arguments.
    WrongArguments {
        /// The handler with its parameters.
        signature: String,
        /// How many it was called with.
        found: usize,
    },
    /// The component asks what the host does not answer.
    Unanswered {
        /// The component.
        component: String,
        /// Each declaration that is not answered.
        missing: Vec<String>,
    },
    /// Something went wrong while it was worked out.
    Failed(Fault),
}

impl std::fmt::Display for HostError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let listed = |names: &[String]| match names {
            [] => "there are none".to_owned(),
            names => format!("there are: {}", names.join(", ")),
        };
        match self {
            HostError::UnknownComponent { name, known } => {
                write!(f, "there is no component `{name}`; {}", listed(known))
            }
            HostError::UnknownProp { component, name, known } => {
                write!(f, "`{component}` takes no prop `{name}`; {}", listed(known))
            }
            HostError::MissingProps { component, missing } => {
                let missing: Vec<String> =
                    missing.iter().map(|(name, ty)| format!("`{name}: {ty}`")).collect();
                write!(
                    f,
                    "`{component}` needs {}, which the data does not give",
                    missing.join(", ")
                )
            }
            HostError::PropsNotAnObject => {
                f.write_str("the data must be an object: a value for each prop, by name")
            }
            HostError::Misfit(misfit) => write!(f, "{misfit}"),
            HostError::UnknownPath { path, known } => {
                write!(f, "there is nothing at `{path}`; {}", listed(known))
            }
            HostError::Derived { name } => {
                write!(
                    f,
                    "`{name}` is derived and cannot be written: write what it is derived from"
                )
            }
            HostError::UnknownHandler { name, known } => {
                write!(f, "there is no handler `{name}`; {}", listed(known))
            }
            HostError::UnknownEvent { name, known } => {
                write!(f, "it gives no event `{name}`; {}", listed(known))
            }
            HostError::WrongArguments { signature, found } => {
                write!(f, "`{signature}` was called with {found} arguments")
            }
            HostError::Unanswered { component, missing } => {
                let missing: Vec<String> = missing.iter().map(|one| format!("`{one}`")).collect();
                write!(
                    f,
                    "`{component}` asks what nobody answers: {}; answer each by its name before the \
                     page is opened",
                    missing.join(", ")
                )
            }
            HostError::Failed(fault) => write!(f, "{fault}"),
        }
    }
}

impl std::error::Error for HostError {}

impl From<Misfit> for HostError {
    fn from(misfit: Misfit) -> Self {
        HostError::Misfit(misfit)
    }
}

impl Runtime {
    /// Opens a component by name, with its props as a record, which may come from JSON.
    ///
    /// # Errors
    /// An unknown component or prop, a missing prop, a value that does not fit, functions that the
    /// host does not answer, or what went wrong while everything was worked out.
    pub fn open_with(
        program: Arc<Program>,
        component: &str,
        props: impl Into<Value>,
        host: impl Into<Host>,
    ) -> Result<(Runtime, Pulse), HostError> {
        let (runtime, pulse, _) = Runtime::open_in_place(program, component, props, host, None)?;
        Ok((runtime, pulse))
    }

    /// As [`Runtime::open_with`], in the place of a page that was there before, as [`Runtime::open_carrying`] does it. Props that
    /// were written to since go on, too, as far as they fit; `props` are for the others.
    ///
    /// # Errors
    /// As [`Runtime::open_with`].
    pub fn open_in_place(
        program: Arc<Program>,
        component: &str,
        props: impl Into<Value>,
        host: impl Into<Host>,
        carried: Option<Carried>,
    ) -> Result<(Runtime, Pulse, Vec<Lost>), HostError> {
        let (number, host) = (program.find(component), host.into());
        let number = number.filter(|number| program.plans[*number].store.is_none());
        let number = number.ok_or_else(|| {
            let shown = program.plans.iter().filter(|plan| plan.store.is_none());
            // What a pruned program leaves out has no name.
            let shown = shown.filter(|plan| !plan.name.is_empty());
            HostError::UnknownComponent {
                name: component.into(),
                known: shown.map(|plan| plan.name.to_string()).collect(),
            }
        })?;
        let (mut props, mut taken, mut misfits) = (props.into(), Vec::new(), Vec::new());
        if let Some(carried) = &carried {
            let is_prop = |kind: &CellKind| matches!(kind, CellKind::Prop(_) | CellKind::Shared(_));
            let cells = &program.plans[number].cells;
            let mut all: Vec<(Name, Value)> = match &props {
                Value::Record(given) => given.iter().map(|(n, v)| (n.clone(), v.clone())).collect(),
                _ => Vec::new(),
            };
            for (name, value) in carried.props(component) {
                let cell = cells.iter().find(|cell| cell.name == *name && is_prop(&cell.kind));
                let Some(cell) = cell.filter(|cell| !cell.name.contains(' ')) else { continue };
                match program.fit_held(cell.ty, value, name) {
                    Ok(held) => {
                        all.retain(|(known, _)| known != name);
                        all.push((name.clone(), held.clone()));
                        taken.push((name.clone(), held));
                    }
                    Err(misfit) => {
                        let (path, reason) = (name.to_string(), misfit.to_string());
                        misfits.push(Lost::Misfit { path, reason });
                    }
                }
            }
            if matches!(props, Value::Record(_) | Value::Null) {
                props = Value::record(all);
            }
        }
        let mut props = read_props(&program, number, props)?;
        for (name, value) in &mut props {
            if let Some((_, held)) = taken.iter().find(|(known, _)| known == name) {
                *value = held.clone();
            }
        }
        let missing = host.missing(&program, number);
        if !missing.is_empty() {
            return Err(HostError::Unanswered { component: component.into(), missing });
        }
        let opened = Runtime::open_carrying(program, number, &props, host, carried);
        let (runtime, pulse, mut lost) = opened.map_err(HostError::Failed)?;
        lost.splice(0..0, misfits);
        Ok((runtime, pulse, lost))
    }

    /// The value at a path of the component, of a store or of a component inside:
    /// `beds[3].moisture`, `tank.litres`, `bed-row[#3].litres`.
    ///
    /// # Errors
    /// A path to nothing, or what went wrong while it was worked out.
    pub fn get(&mut self, path: &str) -> Result<Value, HostError> {
        let Place { scope, cell, steps, .. } = self.resolve(path)?;
        let value = self.value_in(scope, cell);
        if let Some(fault) = self.view.graph.fault.take() {
            return Err(HostError::Failed(fault));
        }
        value.at(&steps).cloned().ok_or_else(|| HostError::UnknownPath {
            path: path.into(),
            known: vec![format!("{} items", value.list_len())],
        })
    }

    /// Whether the value at a path is there without anything being worked out for whoever reads it: nobody who reads it then
    /// changes what later pulses tell of it.
    pub fn is_worked_out(&self, path: &str) -> bool {
        let Ok(Place { scope, cell, .. }) = self.resolve(path) else { return false };
        let graph = &self.view.graph;
        let here = graph.scope(scope);
        let cells = &graph.prepared.block(here.plan, here.block).cells;
        let Some(at) = cells.iter().position(|known| *known == cell) else { return true };
        match here.cells[at] {
            Slot::Derived { .. } => graph.mark_of((scope, at as u32)) == Mark::Fresh,
            _ => true,
        }
    }

    /// Where the value was declared that a path begins with: the component, and the place in its file.
    pub fn declared_at(&self, path: &str) -> Option<(Name, vein_plan::Location)> {
        let Place { scope, cell, .. } = self.resolve(path).ok()?;
        let plan = self.plan_of(scope);
        Some((plan.name.clone(), plan.cells[cell as usize].location))
    }

    /// Writes a value, which may come from JSON, to a prop or to state. That is a pulse of its own.
    ///
    /// # Errors
    /// A path to nothing or to a derived value, or a value that does not fit.
    pub fn set(&mut self, path: &str, data: impl Into<Value>) -> Result<Pulse, HostError> {
        let Place { scope, cell, steps, ty } = self.resolve(path)?;
        let planned = &self.plan_of(scope).cells[cell as usize];
        if matches!(planned.kind, CellKind::Derived(..)) {
            return Err(HostError::Derived { name: planned.name.to_string() });
        }
        let value = self.program().fit(ty, &data.into(), path)?;
        let held = self.value_in(scope, cell);
        // A key of a dictionary may be new.
        let is_key = matches!(steps.split_last(), Some((Step::Field(_), around))
            if matches!(held.at(around), Some(Value::Record(record)) if record.is_dictionary()));
        if held.at(&steps).is_none() && !is_key {
            return Err(HostError::UnknownPath { path: path.into(), known: Vec::new() });
        }
        Ok(self.write((scope, cell), path.to_owned(), steps, value))
    }

    /// Writes a value that fits its type already to a prop or to state of the component.
    pub fn write_fitting(&mut self, name: &str, value: Value) -> Option<Pulse> {
        let cell = self.plan().cells.iter().position(|cell| *cell.name == *name)?;
        Some(self.write((ROOT_SCOPE, cell as CellId), name.to_owned(), Vec::new(), value))
    }

    /// Calls a handler of the component, `pour`, or of a store, `tank.draw`. That is a pulse of its
    /// own.
    ///
    /// # Errors
    /// An unknown handler, or arguments that do not fit.
    pub fn call(&mut self, name: &str, args: Vec<Value>) -> Result<Pulse, HostError> {
        let store = name
            .split_once('.')
            .and_then(|(store, handler)| Some((self.store_scope(store)?, handler)));
        let (scope, handler) = store.unwrap_or((ROOT_SCOPE, name));
        let handlers = &self.plan_of(scope).handlers;
        let Some(number) = handlers.iter().position(|known| *known.name == *handler) else {
            let (name, known) = (name.to_owned(), self.handlers());
            return Err(HostError::UnknownHandler { name, known });
        };
        let program = self.program();
        let params = &handlers[number].params;
        if params.len() != args.len() {
            let params: Vec<String> =
                params.iter().map(|(n, ty)| format!("{n}: {}", program.type_name(*ty))).collect();
            let signature = format!("{name}({})", params.join(", "));
            return Err(HostError::WrongArguments { signature, found: args.len() });
        }
        let fitted: Result<Vec<Value>, Misfit> = args
            .iter()
            .zip(params)
            .map(|(arg, (param, ty))| program.fit(*ty, arg, &format!("{name}({param})")))
            .collect();
        Ok(self.call_in(scope, number as u32, name.to_owned(), fitted?))
    }

    /// Has a component on the page give one of its events: the page's own where `owner` is empty,
    /// else the one of an address such as `bench-view[#1] › bed-card[#3]`. That is a pulse of its
    /// own. The payload comes by name, as a record.
    ///
    /// # Errors
    /// No such component, no such event, or a payload that does not fit.
    pub fn give(
        &mut self,
        owner: &str,
        event: &str,
        payload: impl Into<Value>,
    ) -> Result<Pulse, HostError> {
        let scope = self.component_at(owner)?;
        let events = &self.plan_of(scope).events;
        let Some(number) = events.iter().position(|known| *known.name == *event) else {
            let known = events.iter().map(|event| event.name.to_string()).collect();
            return Err(HostError::UnknownEvent { name: event.into(), known });
        };
        let given = match payload.into() {
            Value::Record(record) => record,
            Value::Null => Arc::new(Record::new([])),
            _ => return Err(HostError::PropsNotAnObject),
        };
        let declared = &events[number].payload;
        let extra =
            given.iter().find(|(name, _)| !declared.iter().any(|(known, _)| known == *name));
        if let Some((name, _)) = extra {
            let known = declared.iter().map(|(name, _)| format!("{event}.{name}")).collect();
            return Err(HostError::UnknownPath { path: format!("{event}.{name}"), known });
        }
        let program = self.program();
        let fitted: Result<Vec<Value>, Misfit> = declared
            .iter()
            .map(|(name, ty)| {
                let value = given.get(name).unwrap_or(&Value::Null);
                program.fit(*ty, value, &format!("{event}.{name}"))
            })
            .collect();
        Ok(self.give_in(scope, number as u32, fitted?))
    }

    /// The component at an address.
    fn component_at(&self, address: &str) -> Result<ScopeId, HostError> {
        if address.is_empty() || address == &*self.plan().name {
            return Ok(ROOT_SCOPE);
        }
        let components = self.components();
        let found = components.iter().find(|(name, _)| name == address).map(|(_, scope)| *scope);
        found.ok_or_else(|| HostError::UnknownPath {
            path: address.into(),
            known: components.into_iter().map(|(name, _)| name).collect(),
        })
    }

    /// The components that stand on the page inside its own, with their addresses, in no order.
    pub fn components(&self) -> Vec<(String, ScopeId)> {
        let graph = &self.view.graph;
        let scopes = (0..)
            .zip(&graph.scopes)
            .filter(|(id, scope)| scope.alive && scope.instance == *id && scope.holder.0 != NONE);
        scopes.map(|(id, _)| (graph.name_of(id), id)).collect()
    }

    /// Every handler that the host can call.
    fn handlers(&self) -> Vec<String> {
        let own = self.plan().handlers.iter().map(|handler| handler.name.to_string());
        let stores = self.stores().flat_map(|(name, scope)| {
            let handlers = self.plan_of(scope).handlers.iter();
            handlers.map(move |handler| format!("{name}.{}", handler.name))
        });
        own.chain(stores).collect()
    }

    /// The stores of the page with their scopes, by name.
    fn stores(&self) -> impl Iterator<Item = (Name, ScopeId)> {
        let mut stores: Vec<(Name, ScopeId)> = self
            .view
            .graph
            .stores
            .iter()
            .filter_map(|(plan, scope)| {
                Some((self.program().plans[*plan as usize].store.clone()?, *scope))
            })
            .collect();
        stores.sort();
        stores.into_iter()
    }

    fn store_scope(&self, name: &str) -> Option<ScopeId> {
        self.stores().find(|(known, _)| **known == *name).map(|(_, scope)| scope)
    }

    pub(crate) fn plan_of(&self, scope: ScopeId) -> &Plan {
        let graph = &self.view.graph;
        &graph.prepared.program.plans[graph.scope(scope).plan as usize]
    }

    /// The component inside that a path begins with, `bench-view[#1] › bed-card[#3].litres`, and the
    /// way from there.
    fn inner<'p>(&self, path: &'p str) -> Option<(ScopeId, &'p str)> {
        let components = self.components();
        let found = components.into_iter().filter_map(|(name, scope)| {
            let way = path.strip_prefix(&*name)?.strip_prefix('.')?;
            Some((name.len(), scope, way))
        });
        found.max_by_key(|(len, ..)| *len).map(|(_, scope, way)| (scope, way))
    }

    /// Where a path leads.
    fn resolve(&self, path: &str) -> Result<Place, HostError> {
        let unknown = |known: Vec<String>| HostError::UnknownPath { path: path.into(), known };
        let nameable = |name: &str| !name.contains([' ', '.']);
        let find = |scope: ScopeId, way: &str| -> Option<(usize, usize)> {
            let cells = &self.plan_of(scope).cells;
            // Beside what is loaded stand its status and reason, by names of their own.
            let whole = cells
                .iter()
                .position(|cell| *cell.name == *way && !matches!(cell.kind, CellKind::Store(..)));
            let root = split_name(way).0;
            let named = || Some((cells.iter().position(|cell| *cell.name == *root)?, root.len()));
            whole.map(|at| (at, way.len())).or_else(named)
        };
        let (root, rest) = split_name(path);
        let own = find(ROOT_SCOPE, path).map(|(at, len)| (ROOT_SCOPE, at, &path[len..]));
        let store = self.store_scope(root);
        let inner = if own.is_none() && store.is_none() { self.inner(path) } else { None };
        let (scope, at, mut rest) = match (own, store, inner) {
            (Some(found), ..) => found,
            (None, Some(store), _) => {
                let cells = self.plan_of(store).cells.iter();
                let known = cells.filter(|cell| nameable(&cell.name)).map(|c| c.name.to_string());
                let way = rest.strip_prefix('.').unwrap_or("");
                let (at, len) = find(store, way).ok_or_else(|| unknown(known.collect()))?;
                (store, at, &way[len..])
            }
            (None, None, Some((scope, way))) => {
                let cells = self.plan_of(scope).cells.iter();
                let known = cells.filter(|cell| nameable(&cell.name)).map(|c| c.name.to_string());
                let (at, len) = find(scope, way).ok_or_else(|| unknown(known.collect()))?;
                (scope, at, &way[len..])
            }
            (None, None, None) => {
                let cells = self.plan().cells.iter().filter(|cell| nameable(&cell.name));
                let stores = self.stores().map(|(name, _)| name.to_string());
                let known = cells.map(|cell| cell.name.to_string()).chain(stores).collect();
                return Err(unknown(known));
            }
        };
        let (mut steps, mut ty) = (Vec::new(), self.plan_of(scope).cells[at].ty);
        let program = self.program();
        while !rest.is_empty() {
            if let Type::Optional(inner) = program.types[ty as usize] {
                ty = inner;
            }
            if let Type::Dictionary(value) = program.types[ty as usize] {
                let (key, after) = split_key(rest).ok_or_else(|| unknown(Vec::new()))?;
                steps.push(Step::Field(key));
                (ty, rest) = (value, after);
            } else if let Some(inner) = rest.strip_prefix('[') {
                let (digits, after) = inner.split_once(']').ok_or_else(|| unknown(Vec::new()))?;
                let index = digits.parse().map_err(|_| unknown(vec!["positions".into()]))?;
                let item = match program.types[ty as usize] {
                    Type::List(item) => item,
                    _ => return Err(unknown(Vec::new())),
                };
                steps.push(Step::Index(index));
                (ty, rest) = (item, after);
            } else {
                let inner = rest.strip_prefix('.').ok_or_else(|| unknown(Vec::new()))?;
                let (name, after) = split_name(inner);
                let fields: &[(u32, TypeId)] = match &program.types[ty as usize] {
                    Type::Record(fields) => fields,
                    Type::Shape(shape) => &program.shapes[*shape as usize].fields,
                    _ => &[],
                };
                let field = fields.iter().find(|(n, _)| *program.names[*n as usize] == *name);
                let (number, inner) = *field.ok_or_else(|| {
                    unknown(
                        fields
                            .iter()
                            .map(|(n, _)| program.names[*n as usize].to_string())
                            .collect(),
                    )
                })?;
                steps.push(Step::Field(program.names[number as usize].clone()));
                (ty, rest) = (inner, after);
            }
        }
        Ok(Place { scope, cell: at as CellId, steps, ty })
    }
}

/// Where a path of the host leads.
struct Place {
    scope: ScopeId,
    cell: CellId,
    steps: Vec<Step>,
    ty: TypeId,
}

/// The key that a way into a dictionary begins with, `.tea` or `["oat milk"]` as JSON writes it, and the rest of the way.
fn split_key(way: &str) -> Option<(Name, &str)> {
    if let Some(named) = way.strip_prefix('.') {
        let (name, rest) = split_name(named);
        return Some((name.into(), rest));
    }
    let quoted = way.strip_prefix('[')?;
    let mut read = serde_json::Deserializer::from_str(quoted).into_iter::<String>();
    let key = read.next()?.ok()?;
    let rest = quoted.get(read.byte_offset()..)?.strip_prefix(']')?;
    Some((key.as_str().into(), rest))
}

fn split_name(path: &str) -> (&str, &str) {
    path.split_at(path.find(['.', '[']).unwrap_or(path.len()))
}

fn read_props(
    program: &Program,
    number: usize,
    data: Value,
) -> Result<Vec<(Name, Value)>, HostError> {
    let plan = &program.plans[number];
    let given = match data {
        Value::Record(record) => record,
        Value::Null => Arc::new(Record::new([])),
        _ => return Err(HostError::PropsNotAnObject),
    };
    let is_prop = |kind: &CellKind| matches!(kind, CellKind::Prop(_) | CellKind::Shared(_));
    // What falls to the root element has no name that a host could give.
    let props = || plan.cells.iter().filter(|c| is_prop(&c.kind) && !c.name.contains(' '));
    if let Some(extra) =
        given.iter().map(|(name, _)| name).find(|name| !props().any(|cell| cell.name == **name))
    {
        return Err(HostError::UnknownProp {
            component: plan.name.to_string(),
            name: extra.to_string(),
            known: props().map(|cell| cell.name.to_string()).collect(),
        });
    }
    let missing: Vec<(String, String)> = props()
        .filter(|cell| matches!(cell.kind, CellKind::Prop(None) | CellKind::Shared(None)))
        .filter(|cell| given.get(&cell.name).is_none())
        .map(|cell| (cell.name.to_string(), program.type_name(cell.ty)))
        .collect();
    if !missing.is_empty() {
        return Err(HostError::MissingProps { component: plan.name.to_string(), missing });
    }
    let mut read = Vec::new();
    for cell in props() {
        if let Some(data) = given.get(&cell.name) {
            read.push((cell.name.clone(), program.fit(cell.ty, data, &cell.name)?));
        }
    }
    Ok(read)
}
