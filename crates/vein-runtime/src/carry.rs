//! What a page holds that nobody could work out again, taken along to another that is opened in its place: after its components
//! were changed, or somewhere else.

use crate::clock::{Open, Timer, TimerKind, Whose};
use crate::controls::held_by_control;
use crate::execute::{Activity, Owner, Turn, owners_in};
use crate::graph::Graph;
use crate::runtime::{ROOT_SCOPE, Runtime};
use crate::scope::{Held, NONE, QuestionId, Scope, ScopeId, Slot};
use crate::view::push_patch;
use rustc_hash::FxHashMap;
use std::collections::VecDeque;
use std::sync::Arc;
use vein_plan::alike::Code;
use vein_plan::code::CellId;
use vein_plan::{Answers, BlockId, CellKind, Name, Program, Shown, Text, Value, When};
use vein_view::{NodeNumber, Patch};

/// What a page holds: state, what was asked, what waits.
#[derive(Clone, Debug)]
pub struct Carried {
    /// The time on the host's clock, in milliseconds since the page was opened.
    pub now: f64,
    /// How many pulses there were.
    pub pulses: u64,
    /// The components and stores on the page, outer ones before inner ones.
    pub instances: Vec<CarriedInstance>,
    /// Listeners that were to happen once and have.
    pub spent: Vec<Addressed>,
    /// Controls that spell their value in their own way, or hold what means none.
    pub controls: Vec<CarriedControl>,
    /// What only the same process can go on with.
    going: Going,
}

/// A component or a store, as far as it holds something.
#[derive(Clone, Debug)]
pub struct CarriedInstance {
    /// Its address; the page's own has none, a store's is its name.
    pub address: String,
    /// The component that it is.
    pub component: Name,
    /// Whether it is a store.
    pub is_store: bool,
    /// How many were added before it.
    pub added: usize,
    /// Its state by name, with props that nobody gives; of the page's component, all that were given.
    pub values: Vec<(Name, Value)>,
    /// What it has asked to fill its state.
    pub sources: Vec<CarriedSource>,
    /// Its timers that run.
    pub timers: Vec<CarriedTimer>,
}

/// State that the host's answers fill.
#[derive(Clone, Debug)]
pub struct CarriedSource {
    /// The state.
    pub name: Name,
    /// How the function that is asked is declared.
    pub function: String,
    /// What it was asked with.
    pub args: Value,
    /// Whether an answer is still to come, or more of them.
    pub open: bool,
    /// The question, where the same host goes on with it.
    question: Option<QuestionId>,
}

/// A timer that runs.
#[derive(Clone, Debug)]
pub struct CarriedTimer {
    /// How it is declared: `upon every (1000)`.
    pub address: Name,
    /// When it is due next, in milliseconds of the host's clock.
    pub due: f64,
    /// Its period, in milliseconds.
    pub period: f64,
}

/// A part or a listener, as the ledger writes it, and which of those that are called so.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Addressed {
    /// What it is called.
    pub address: String,
    /// How many that are called so stand before it.
    pub before: usize,
}

/// A control that is bound both ways and shows something else than its state would have it show.
#[derive(Clone, Debug)]
pub struct CarriedControl {
    /// Which it is.
    pub part: Addressed,
    /// What it holds.
    pub held: String,
    /// Whether that means no value of the state's type.
    pub invalid: bool,
}

/// What goes on in the same process only.
#[derive(Clone, Debug, Default)]
struct Going {
    program: Option<Arc<Program>>,
    next_question: u64,
    /// Statements that wait for an answer, by the address of their scope's component or row.
    statements: Vec<Suspended>,
    /// Events that wait for quiet.
    settling: Vec<Settling>,
}

#[derive(Clone, Debug)]
struct Suspended {
    owner: Addressed,
    plan: u32,
    block: BlockId,
    id: QuestionId,
    activity: Activity,
    function: String,
}

#[derive(Clone, Debug)]
struct Settling {
    listener: Addressed,
    due: f64,
    event: Value,
    after: u32,
}

/// Something that could not be taken along.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Lost {
    /// State that is not declared any more.
    Undeclared {
        /// Its path: `bed-card[#3].open`.
        path: String,
    },
    /// State whose value does not fit its type any more; it began anew.
    Misfit {
        /// Its path.
        path: String,
        /// What does not fit.
        reason: String,
    },
    /// A component that does not stand where it stood.
    NotThere {
        /// Its address.
        address: String,
    },
    /// Something that waited for the host, and whose code is not the same.
    LetGo {
        /// What it is called.
        what: String,
    },
    /// Something that was asked again.
    AskedAgain {
        /// The path of the state that the answer fills.
        path: String,
    },
}

impl std::fmt::Display for Lost {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Lost::Undeclared { path } => write!(f, "`{path}` is not declared any more"),
            Lost::Misfit { path, reason } => write!(f, "`{path}` begins anew: {reason}"),
            Lost::NotThere { address } => write!(f, "`{address}` does not stand there any more"),
            Lost::LetGo { what } => {
                write!(f, "`{what}` was let go in the middle: it has other code now")
            }
            Lost::AskedAgain { path } => write!(f, "`{path}` is asked for again"),
        }
    }
}

/// What is left to hand to the scopes of a page that is being opened.
#[derive(Debug)]
pub(crate) struct Carrying {
    /// By whether it is a store, and its address.
    instances: FxHashMap<(bool, String), VecDeque<CarriedInstance>>,
    /// What was found a scope for, but for its values.
    found: FxHashMap<ScopeId, CarriedInstance>,
    /// Questions that stay open.
    open: Vec<(QuestionId, Open)>,
    pub(crate) lost: Vec<Lost>,
}

impl Carrying {
    pub(crate) fn new(instances: Vec<CarriedInstance>) -> Carrying {
        let mut by_address: FxHashMap<_, VecDeque<CarriedInstance>> = FxHashMap::default();
        for instance in instances {
            let key = (instance.is_store, instance.address.clone());
            by_address.entry(key).or_default().push_back(instance);
        }
        let (found, open, lost) = (FxHashMap::default(), Vec::new(), Vec::new());
        Carrying { instances: by_address, found, open, lost }
    }

    /// Notes that a scope goes on with what stood there before; what of its values was not taken is not declared any more.
    pub(crate) fn goes_on_with(&mut self, scope: ScopeId, claimed: Claimed) {
        let Some(mut instance) = claimed.0 else { return };
        for (name, _) in std::mem::take(&mut instance.values) {
            self.lost.push(Lost::Undeclared { path: path(&instance.address, &name) });
        }
        self.found.insert(scope, instance);
    }

    /// What the component or store at an address held.
    fn claim(&mut self, is_store: bool, address: &str, component: &Name) -> Claimed {
        let key = (is_store, address.to_owned());
        let Some(same) = self.instances.get_mut(&key) else { return Claimed::default() };
        let at = same.iter().position(|instance| instance.component == *component);
        let Some(instance) = at.and_then(|at| same.remove(at)) else { return Claimed::default() };
        if same.is_empty() {
            self.instances.remove(&key);
        }
        Claimed(Some(instance))
    }

    /// Whether a scope goes on with what stood there before.
    pub(crate) fn goes_on(&self, scope: ScopeId) -> bool {
        self.found.contains_key(&scope)
    }
}

impl Graph {
    /// What the component or store that a new scope is held before.
    pub(crate) fn claim(&mut self, scope: ScopeId) -> Claimed {
        if self.carrying.is_none() {
            return Claimed::default();
        }
        let plan = self.prepared.plan(self.scope(scope).plan);
        let (is_store, name, address) =
            (plan.store.is_some(), plan.name.clone(), self.name_of(scope));
        let carrying = self.carrying.as_mut();
        carrying.map_or(Claimed::default(), |carrying| carrying.claim(is_store, &address, &name))
    }

    /// What a cell of a new scope is given, or goes on with where it was given a value of its own, which may have been written to.
    pub(crate) fn given_again(
        &mut self,
        claimed: &mut Claimed,
        scope: ScopeId,
        cell: CellId,
        given: Slot,
    ) -> Slot {
        let planned = &self.prepared.plan(self.scope(scope).plan).cells[cell as usize];
        let own = matches!((&planned.kind, &given), (CellKind::Shared(_), Slot::Own(_)));
        if own && scope != ROOT_SCOPE {
            return self.claimed(claimed, scope, cell).map_or(given, Slot::Own);
        }
        let name = planned.name.clone();
        claimed.leave(&name);
        given
    }

    /// The value that a cell of a new scope goes on with.
    pub(crate) fn claimed(
        &mut self,
        claimed: &mut Claimed,
        scope: ScopeId,
        cell: CellId,
    ) -> Option<Value> {
        let lost = &mut self.carrying.as_mut()?.lost;
        let plan = self.scopes[scope as usize].plan;
        claimed.value(&self.prepared.program, plan, cell, lost)
    }
}

/// What a component held that is made again.
#[derive(Debug, Default)]
pub(crate) struct Claimed(Option<CarriedInstance>);

impl Claimed {
    /// Leaves a value that comes from outside now.
    pub(crate) fn leave(&mut self, name: &Name) {
        if let Some(instance) = &mut self.0 {
            instance.values.retain(|(known, _)| known != name);
        }
    }

    /// The value of a cell, if there was one that fits it.
    fn value(
        &mut self,
        program: &Program,
        plan: u32,
        cell: CellId,
        lost: &mut Vec<Lost>,
    ) -> Option<Value> {
        let instance = self.0.as_mut()?;
        let cell = &program.plans[plan as usize].cells[cell as usize];
        let at = instance.values.iter().position(|(name, _)| *name == cell.name)?;
        let (name, value) = instance.values.remove(at);
        match program.fit_held(cell.ty, &value, &name) {
            Ok(value) => Some(value),
            Err(misfit) => {
                let (path, reason) = (path(&instance.address, &name), misfit.to_string());
                lost.push(Lost::Misfit { path, reason });
                None
            }
        }
    }
}

fn path(address: &str, name: &str) -> String {
    if address.is_empty() { name.to_owned() } else { format!("{address}.{name}") }
}

impl Carried {
    /// The values of the props that the page's component was given or had written to.
    pub(crate) fn props(&self, component: &str) -> &[(Name, Value)] {
        let own = self.instances.iter().find(|one| one.address.is_empty() && !one.is_store);
        own.filter(|own| *own.component == *component).map_or(&[], |own| &own.values)
    }

    /// What of it can be written down, as a value: all but what only the same process can go on with.
    pub fn to_value(&self) -> Value {
        let text = |text: &str| Value::from(text);
        let named = |name: &str, value: Value| (Name::from(name), value);
        let addressed = |one: &Addressed| {
            Value::list(vec![text(&one.address), Value::Number(one.before as f64)])
        };
        let control = |control: &CarriedControl| {
            let CarriedControl { part, held, invalid } = control;
            Value::list(vec![addressed(part), text(held), Value::Boolean(*invalid)])
        };
        let instance = |one: &CarriedInstance| {
            let pair = |(name, value): &(Name, Value)| Value::list(vec![text(name), plain(value)]);
            let source = |source: &CarriedSource| {
                Value::list(vec![
                    text(&source.name),
                    text(&source.function),
                    plain(&source.args),
                    Value::Boolean(source.open),
                ])
            };
            let timer = |timer: &CarriedTimer| {
                let CarriedTimer { address, due, period } = timer;
                Value::list(vec![text(address), Value::Number(*due), Value::Number(*period)])
            };
            Value::record([
                named("address", text(&one.address)),
                named("component", text(&one.component)),
                named("store", Value::Boolean(one.is_store)),
                named("added", Value::Number(one.added as f64)),
                named("values", Value::list(one.values.iter().map(pair).collect())),
                named("sources", Value::list(one.sources.iter().map(source).collect())),
                named("timers", Value::list(one.timers.iter().map(timer).collect())),
            ])
        };
        Value::record([
            named("now", Value::Number(self.now)),
            named("pulses", Value::Number(self.pulses as f64)),
            named("instances", Value::list(self.instances.iter().map(instance).collect())),
            named("spent", Value::list(self.spent.iter().map(addressed).collect())),
            named("controls", Value::list(self.controls.iter().map(control).collect())),
        ])
    }

    /// Reads what [`Carried::to_value`] gave; `None` where it is nothing of that kind.
    pub fn from_value(value: &Value) -> Option<Carried> {
        let field = |value: &Value, name: &str| -> Option<Value> {
            let Value::Record(record) = value else { return None };
            record.get(name).cloned()
        };
        let list = |value: Value| -> Option<Vec<Value>> {
            let Value::List(items) = value else { return None };
            Some(items.to_vec())
        };
        let text = |value: &Value| -> Option<String> {
            let Value::String(text) = value else { return None };
            Some(text.to_string())
        };
        let number = |value: &Value| -> Option<f64> {
            let Value::Number(number) = value else { return None };
            number.is_finite().then_some(*number)
        };
        let flag = |value: &Value| -> Option<bool> {
            let Value::Boolean(flag) = value else { return None };
            Some(*flag)
        };
        let addressed = |value: &Value| match &*list(value.clone())? {
            [address, before] => {
                Some(Addressed { address: text(address)?, before: number(before)? as usize })
            }
            _ => None,
        };
        let instance = |one: Value| -> Option<CarriedInstance> {
            let values =
                list(field(&one, "values")?)?.into_iter().map(|pair| match &*list(pair)? {
                    [name, value] => Some((Name::from(text(name)?), meant(value))),
                    _ => None,
                });
            let sources = list(field(&one, "sources")?)?.into_iter().map(|it| match &*list(it)? {
                [name, function, args, open] => Some(CarriedSource {
                    name: text(name)?.into(),
                    function: text(function)?,
                    args: meant(args),
                    open: flag(open)?,
                    question: None,
                }),
                _ => None,
            });
            let timers = list(field(&one, "timers")?)?.into_iter().map(|it| match &*list(it)? {
                [address, due, period] => Some(CarriedTimer {
                    address: text(address)?.into(),
                    due: number(due)?,
                    period: number(period)?,
                }),
                _ => None,
            });
            Some(CarriedInstance {
                address: text(&field(&one, "address")?)?,
                component: text(&field(&one, "component")?)?.into(),
                is_store: flag(&field(&one, "store")?)?,
                added: number(&field(&one, "added")?)? as usize,
                values: values.collect::<Option<_>>()?,
                sources: sources.collect::<Option<_>>()?,
                timers: timers.collect::<Option<_>>()?,
            })
        };
        let instances = list(field(value, "instances")?)?.into_iter().map(instance);
        let spent = list(field(value, "spent")?)?;
        let controls = list(field(value, "controls")?)?.into_iter().map(|it| match &*list(it)? {
            [part, held, invalid] => Some(CarriedControl {
                part: addressed(part)?,
                held: text(held)?,
                invalid: flag(invalid)?,
            }),
            _ => None,
        });
        Some(Carried {
            now: number(&field(value, "now")?)?.max(0.0),
            pulses: number(&field(value, "pulses")?)?.max(0.0) as u64,
            instances: instances.collect::<Option<_>>()?,
            spent: spent.iter().map(addressed).collect::<Option<_>>()?,
            controls: controls.collect::<Option<_>>()?,
            going: Going::default(),
        })
    }
}

/// A value with what JSON cannot say of numbers said by records of a field without a name.
fn plain(value: &Value) -> Value {
    match value {
        Value::Number(n) if !n.is_finite() || (*n == 0.0 && n.is_sign_negative()) => {
            let said = if *n == 0.0 { Text::from("-0") } else { value.to_text() };
            Value::record([(Name::from(""), Value::String(said))])
        }
        Value::List(items) => Value::list(items.iter().map(plain).collect()),
        Value::Record(record) => {
            Value::record(record.iter().map(|(name, value)| (name.clone(), plain(value))))
        }
        other => other.clone(),
    }
}

/// The value that [`plain`] says.
fn meant(value: &Value) -> Value {
    match value {
        Value::List(items) => Value::list(items.iter().map(meant).collect()),
        Value::Record(record) => match record.get("").filter(|_| record.len() == 1) {
            Some(said) => Value::Number(said.to_number()),
            None => Value::record(record.iter().map(|(name, value)| (name.clone(), meant(value)))),
        },
        other => other.clone(),
    }
}

impl Runtime {
    /// What the page holds that nobody could work out again.
    pub fn carried(&mut self) -> Carried {
        self.note_positions();
        let prepared = self.view.graph.prepared.clone();
        let graph = &self.view.graph;
        let (mut instances, mut spent, mut going) = (Vec::new(), Vec::new(), Going::default());
        let (mut controls, mut settling, mut suspended) = (Vec::new(), Vec::new(), Vec::new());
        for id in self.in_order() {
            let scope = graph.scope(id);
            let plan = prepared.plan(scope.plan);
            if scope.block == 0 {
                instances.push((scope.serial, self.carried_instance(id, scope)));
            }
            controls.extend(self.own_controls(id, scope));
            let Some(wards) = &scope.wards else { continue };
            spent.extend(wards.spent.iter().map(|listener| (id, *listener)));
            for (listener, key) in &wards.settling {
                let Some(timer) = self.waiting.timers.get(key) else { continue };
                let TimerKind::Settled { event, after, .. } = &timer.kind else { continue };
                settling.push(((id, *listener), key.0.get(), event.clone(), *after));
            }
            for question in &wards.waiting {
                let Some(open) = self.waiting.questions.get(question) else { continue };
                let Whose::Statements(activity) = &open.whose else { continue };
                let function = &plan.asked[open.asked as usize];
                suspended.push((
                    (id, activity.owner),
                    Suspended {
                        owner: Addressed { address: String::new(), before: 0 },
                        plan: scope.plan,
                        block: scope.block,
                        id: *question,
                        activity: activity.clone(),
                        function: prepared.program.signature(function),
                    },
                ));
            }
        }
        let owners = if suspended.is_empty() { Places::default() } else { self.owners() };
        going.statements.extend(suspended.into_iter().filter_map(|(place, one)| {
            Some(Suspended { owner: addressed(&owners, place)?, ..one })
        }));
        going.program = Some(prepared.program.clone());
        going.next_question = self.waiting.next_question;
        let mut added: Vec<usize> = (0..instances.len()).collect();
        added.sort_by_key(|at| instances[*at].0);
        for (number, at) in added.into_iter().enumerate() {
            instances[at].1.added = number;
        }
        let instances = instances.into_iter().map(|(_, instance)| instance).collect();
        let (now, pulses) = (self.waiting.now, self.next_pulse);
        let parts = if controls.is_empty() { FxHashMap::default() } else { self.parts() };
        let none = spent.is_empty() && settling.is_empty();
        let listeners = if none { FxHashMap::default() } else { self.listeners() };
        let control = |(place, held, invalid)| {
            Some(CarriedControl { part: addressed(&parts, place)?, held, invalid })
        };
        let controls = controls.into_iter().filter_map(control).collect();
        let spent = spent.into_iter().filter_map(|place| addressed(&listeners, place)).collect();
        going.settling.extend(settling.into_iter().filter_map(|(place, due, event, after)| {
            Some(Settling { listener: addressed(&listeners, place)?, due, event, after })
        }));
        Carried { now, pulses, instances, spent, controls, going }
    }

    /// The controls of a scope that show something of their own: the part, what it holds, and whether that means nothing.
    fn own_controls(&self, id: ScopeId, scope: &Scope) -> Vec<((ScopeId, u32), String, bool)> {
        let graph = &self.view.graph;
        let parts = &graph.prepared.plan(scope.plan).blocks[scope.block as usize].parts;
        let held = (0..).zip(parts).zip(&scope.shown).filter_map(|((number, part), shown)| {
            let (Some(conversion), Shown::Text(held)) = (&part.control, shown) else { return None };
            let invalid = scope.invalid.contains(&number);
            let spelt = conversion.value(held).map(|value| part.kind.shown(&value));
            let own = invalid || spelt.is_some_and(|spelt| spelt != *shown);
            own.then(|| ((id, number), held.to_string(), invalid))
        });
        held.collect()
    }

    fn carried_instance(&self, id: ScopeId, scope: &Scope) -> CarriedInstance {
        let graph = &self.view.graph;
        let prepared = &graph.prepared;
        let plan = prepared.plan(scope.plan);
        let ready = prepared.block(scope.plan, scope.block);
        let cells = ready.cells.iter().zip(&scope.cells);
        let values = cells.filter_map(|(cell, slot)| {
            let cell = &plan.cells[*cell as usize];
            let held = match cell.kind {
                CellKind::State(_) | CellKind::Shared(_) => true,
                CellKind::Prop(_) => id == ROOT_SCOPE,
                _ => false,
            };
            match slot {
                Slot::Own(value) if held => Some((cell.name.clone(), value.clone())),
                _ => None,
            }
        });
        let wards = scope.wards.as_ref();
        let asked = wards.iter().flat_map(|wards| plan.sources.iter().zip(&wards.sources));
        let sources = asked.filter_map(|(source, asked)| {
            let (question, args) = asked.as_ref()?;
            Some(CarriedSource {
                name: plan.cells[source.value as usize].name.clone(),
                function: prepared.program.signature(&plan.asked[source.asked as usize]),
                args: args.clone(),
                open: self.is_open(*question),
                question: Some(*question),
            })
        });
        let timers = wards.iter().flat_map(|wards| plan.hooks.iter().zip(&wards.timers));
        let timers = timers.filter_map(|(hook, timer)| {
            let ((due, _), period) = timer.as_ref()?;
            let (address, due, period) = (hook.address.clone(), due.get(), *period);
            Some(CarriedTimer { address, due, period })
        });
        CarriedInstance {
            address: graph.name_of(id),
            component: plan.name.clone(),
            is_store: plan.store.is_some(),
            added: 0,
            values: values.collect(),
            sources: sources.collect(),
            timers: timers.collect(),
        }
    }

    /// Has rows that go by their positions know them.
    fn note_positions(&mut self) {
        let graph = &mut self.view.graph;
        let lists = graph.scopes.iter().filter(|scope| scope.alive).flat_map(|scope| &scope.held);
        let lists = lists.filter_map(|held| match held {
            Held::List(rows) => Some(rows.rows.clone()),
            _ => None,
        });
        for rows in lists.collect::<Vec<_>>() {
            for (position, row) in (0..).zip(rows) {
                graph.scope_mut(row).position = position;
            }
        }
    }

    /// Begins to open a page with what another held.
    pub(crate) fn take_up(&mut self, carried: &mut Carried) {
        self.waiting.now = carried.now;
        self.waiting.next_question = carried.going.next_question;
        self.next_pulse = carried.pulses;
        let instances = std::mem::take(&mut carried.instances);
        self.view.graph.carrying = Some(Box::new(Carrying::new(instances)));
    }

    /// Hands a page that is being opened what cannot be handed to its scopes while they are made. Gives what could not be taken
    /// along.
    pub(crate) fn carry_on(&mut self, carried: Carried, turn: &Turn) -> (Vec<Lost>, Vec<Due>) {
        let Some(carrying) = self.view.graph.carrying.take() else { return Default::default() };
        let Carrying { instances, found, open, mut lost } = *carrying;
        for (id, open) in open {
            self.waiting.questions.insert(id, open);
        }
        // When timers are due that go on, in the order in which they were set.
        let mut due: Vec<Due> = Vec::new();
        let mut in_order: Vec<(usize, ScopeId)> = Vec::new();
        for (scope, instance) in found {
            in_order.push((instance.added, scope));
            let plan = self.view.graph.prepared.plan(self.view.graph.scope(scope).plan);
            let mut free: Vec<bool> = vec![true; plan.hooks.len()];
            for CarriedTimer { address, due: at, period } in instance.timers {
                let rank = self.view.graph.rank(scope);
                let same = plan.hooks.iter().enumerate().position(|(hook, planned)| {
                    let runs = turn.timers.get(&(rank, hook as u32));
                    let same =
                        matches!(planned.when, When::Every(..)) && planned.address == address;
                    free[hook] && same && runs == Some(&Some(period))
                });
                let Some(hook) = same else { continue };
                free[hook] = false;
                due.push((scope, hook as u32, at));
            }
        }
        due.sort_by(|(.., a), (.., b)| a.total_cmp(b));
        // What runs by itself does so in the order in which it was added.
        in_order.sort_unstable();
        let serial = |(_, scope): &(usize, ScopeId)| self.view.graph.scope(*scope).serial;
        let mut serials: Vec<u64> = in_order.iter().map(serial).collect();
        serials.sort_unstable();
        for ((_, scope), serial) in in_order.into_iter().zip(serials) {
            self.view.graph.scope_mut(scope).serial = serial;
        }
        let gone = instances.into_values().flatten();
        lost.extend(gone.map(|instance| Lost::NotThere { address: instance.address }));
        self.hold_on(&carried.controls);
        self.listen_on(&carried);
        self.suspend_again(carried.going, &mut lost);
        lost.sort_by_key(ToString::to_string);
        (lost, due)
    }

    /// Controls that spell their value in their own way still do, as long as state means the same.
    fn hold_on(&mut self, controls: &[CarriedControl]) {
        if controls.is_empty() {
            return;
        }
        let prepared = self.view.graph.prepared.clone();
        let parts = self.parts();
        for CarriedControl { part, held, invalid } in controls {
            let Some((scope, number)) = at(&parts, part) else { continue };
            let here = self.view.graph.scope(scope);
            let part = &prepared.plan(here.plan).blocks[here.block as usize].parts[number as usize];
            let value = self.view.graph.evaluate_once(&prepared, scope, part.value);
            let means = part.control.as_ref().and_then(|conversion| conversion.value(held));
            let same = means.as_ref().is_some_and(|means| means.same(&value));
            // What can be read by now, or means something else, is what state says.
            if (means.is_none() && !*invalid) || (means.is_some() && !same) {
                continue;
            }
            let shown = Shown::Text(held.as_str().into());
            let node = self.view.graph.scope(scope).first + part.mark;
            push_patch(&mut self.view.making.patches, node, &part.kind, &shown);
            self.view.set_shown(scope, number, shown);
            if means.is_none() && self.view.set_invalid(scope, number, true) {
                self.view.making.marks.push((scope, part.mark, true));
            }
        }
        self.mark_controls();
    }

    /// The nodes at the top of each row and component, by its address and its place among those that are called so.
    pub fn tops(&mut self) -> FxHashMap<(String, usize), Vec<NodeNumber>> {
        self.note_positions();
        let graph = &self.view.graph;
        let (mut tops, mut called) = (FxHashMap::default(), FxHashMap::default());
        for id in self.in_order() {
            let scope = graph.scope(id);
            let (holder, spot) = scope.holder;
            let is_row = holder != NONE && graph.rows(holder, spot).is_some();
            if !is_row && (scope.block != 0 || holder == NONE) {
                continue;
            }
            let address = format!("{} {}", graph.name_of(id), if is_row { "row" } else { "" });
            let before: &mut usize = called.entry(address.clone()).or_default();
            let mut nodes = Vec::new();
            self.view.top_nodes(id, &mut nodes);
            tops.insert((address, *before), nodes);
            *before += 1;
        }
        tops
    }

    /// Every scope: stores, then what the page shows, as it stands there.
    fn in_order(&self) -> Vec<ScopeId> {
        let graph = &self.view.graph;
        let mut scopes: Vec<ScopeId> = self.store_scopes().into_iter().map(|(_, id)| id).collect();
        let mut open = vec![ROOT_SCOPE];
        while let Some(id) = open.pop() {
            scopes.push(id);
            for held in graph.scope(id).held.iter().rev() {
                match held {
                    Held::Nothing | Held::Markup { .. } => {}
                    Held::List(rows) => open.extend(rows.rows.iter().rev()),
                    Held::Branch { scope, .. }
                    | Held::Component { instance: scope, .. }
                    | Held::Slot { scope, .. }
                    | Held::Renamed { scope, .. } => open.extend((*scope != NONE).then_some(scope)),
                }
            }
        }
        scopes
    }

    /// Listeners that have happened stay spent, and events wait on for quiet.
    fn listen_on(&mut self, carried: &Carried) {
        if carried.spent.is_empty() && carried.going.settling.is_empty() {
            return;
        }
        let listeners = self.listeners();
        let spent: Vec<_> =
            carried.spent.iter().filter_map(|listener| at(&listeners, listener)).collect();
        let settling = carried.going.settling.iter();
        let settling: Vec<_> =
            settling.filter_map(|one| Some((at(&listeners, &one.listener)?, one))).collect();
        let prepared = self.view.graph.prepared.clone();
        for (scope, number) in spent {
            let here = self.view.graph.scope_mut(scope);
            let listener =
                &prepared.plan(here.plan).blocks[here.block as usize].listeners[number as usize];
            if listener.options.once {
                here.wards.get_or_insert_default().spent.push(number);
                let (node, listener) = (here.first + listener.mark, number);
                self.view.making.patches.push(&Patch::Done { node, listener });
            }
        }
        for ((scope, number), Settling { due, event, after, .. }) in settling {
            let here = self.view.graph.scope_mut(scope);
            let listener =
                &prepared.plan(here.plan).blocks[here.block as usize].listeners[number as usize];
            let Value::Record(fields) = event else { continue };
            let reads = listener.fields.iter().map(|field| field.name());
            let same = reads.eq(fields.iter().map(|(name, _)| &**name));
            if listener.options.settle != Some(*after) || !same {
                continue;
            }
            if let Some(commit) = &listener.commit {
                let block = &prepared.plan(here.plan).blocks[here.block as usize];
                let part = &block.parts[commit.part as usize];
                let (node, held) = (here.first + part.mark, held_by_control(event));
                push_patch(&mut self.view.making.patches, node, &part.kind, &held);
            }
            let (event, after) = (event.clone(), *after);
            let kind = TimerKind::Settled { listener: number, event, after };
            let key = self.waiting.add(*due, Timer { scope, kind });
            here.wards.get_or_insert_default().settling.push((number, key));
        }
    }

    /// The listeners on the page that something is known of from event to event, by their addresses.
    fn listeners(&self) -> Places {
        let graph = &self.view.graph;
        let mut found = Places::default();
        for id in self.in_order() {
            let scope = graph.scope(id);
            let block = &graph.prepared.plan(scope.plan).blocks[scope.block as usize];
            for (number, listener) in (0..).zip(&block.listeners) {
                if listener.options.once || listener.options.settle.is_some() {
                    let address = graph.address(id, &listener.address);
                    found.entry(address).or_default().push((id, number));
                }
            }
        }
        found
    }

    /// The parts on the page that are bound both ways, by their addresses.
    fn parts(&self) -> Places {
        let graph = &self.view.graph;
        let mut found = Places::default();
        for id in self.in_order() {
            let scope = graph.scope(id);
            let block = &graph.prepared.plan(scope.plan).blocks[scope.block as usize];
            for (number, part) in (0..).zip(&block.parts) {
                if part.control.is_some() {
                    let address = graph.address(id, &part.address);
                    found.entry(address).or_default().push((id, number));
                }
            }
        }
        found
    }

    /// Statements that wait for an answer wait on, where they are the same code.
    fn suspend_again(&mut self, going: Going, lost: &mut Vec<Lost>) {
        let Some(before) = going.program.filter(|_| !going.statements.is_empty()) else { return };
        let prepared = self.view.graph.prepared.clone();
        let owners = self.owners();
        for Suspended { owner: called, plan, block, id, activity, function } in going.statements {
            let old = Code::of(&before, plan as usize);
            let same = owners.get(&called.address).map_or(&[][..], Vec::as_slice);
            // The same one first, then others that are called so: it may stand elsewhere among them.
            let mut some = same.get(called.before).into_iter().chain(same);
            let again = some.find_map(|(scope, owner)| {
                let here = self.view.graph.scope(*scope);
                let new = Code::of(&prepared.program, here.plan as usize);
                let asked = new.plan.asked.iter().position(|asked| {
                    asked.answers == Answers::Later && new.program.signature(asked) == function
                })?;
                let again = activity.again((old, block), (new, here.block), *scope, *owner)?;
                Some((*scope, asked as u32, again))
            });
            let Some((scope, asked, activity)) = again else {
                lost.push(Lost::LetGo { what: called.address });
                continue;
            };
            self.view.graph.scope_mut(scope).wards.get_or_insert_default().waiting.push(id);
            let whose = Whose::Statements(activity);
            self.waiting.questions.insert(id, Open { scope, asked, streams: false, whose });
        }
    }

    /// Whose statements there are on the page, by their addresses.
    fn owners(&self) -> Places<Owner> {
        let graph = &self.view.graph;
        let mut owners: Places<Owner> = Places::default();
        for id in self.in_order() {
            let scope = graph.scope(id);
            for owner in owners_in(graph.prepared.plan(scope.plan), scope.block) {
                let address = graph.address_of_owner(id, owner);
                owners.entry(address).or_default().push((id, owner));
            }
        }
        owners
    }
}

impl Graph {
    /// Goes on with what a source has asked before, if it would ask the same; `true` if it need not ask.
    pub(crate) fn asked_before(&mut self, scope: ScopeId, source: u32, args: &Value) -> Asking {
        let here = self.scope(scope);
        let prepared = self.prepared.clone();
        let plan = prepared.plan(here.plan);
        let planned = &plan.sources[source as usize];
        let name = &plan.cells[planned.value as usize].name;
        let asked = &plan.asked[planned.asked as usize];
        let Some(carrying) = &mut self.carrying else { return Asking::Anew };
        let Some(instance) = carrying.found.get_mut(&scope) else { return Asking::Anew };
        let at = instance.sources.iter().position(|source| source.name == *name);
        let Some(before) = at.map(|at| instance.sources.remove(at)) else { return Asking::Anew };
        let same = before.function == prepared.program.signature(asked) && before.args.same(args);
        if !same {
            let path = path(&instance.address, name);
            carrying.lost.push(Lost::AskedAgain { path });
            return Asking::Anew;
        }
        match (before.question, before.open) {
            (None, true) => return Asking::Quietly,
            (Some(id), true) => {
                let (asked, streams) = (planned.asked, asked.answers == Answers::Again);
                let whose = Whose::Source(source);
                carrying.open.push((id, Open { scope, asked, streams, whose }));
            }
            (_, false) => {}
        }
        let id = before.question.unwrap_or(QuestionId(0));
        if let Some(wards) = &mut self.scope_mut(scope).wards {
            wards.sources[source as usize] = Some((id, args.clone()));
        }
        Asking::Not
    }
}

/// What stands where on a page, by what it is called.
type Places<Which = u32> = FxHashMap<String, Vec<(ScopeId, Which)>>;

/// What a place is called.
fn addressed<Which: PartialEq>(
    places: &Places<Which>,
    place: (ScopeId, Which),
) -> Option<Addressed> {
    places.iter().find_map(|(address, same)| {
        let before = same.iter().position(|known| *known == place)?;
        Some(Addressed { address: address.clone(), before })
    })
}

/// Where something stands.
fn at(places: &Places, called: &Addressed) -> Option<(ScopeId, u32)> {
    places.get(&called.address)?.get(called.before).copied()
}

/// When the timer of a hook is due.
pub(crate) type Due = (ScopeId, u32, f64);

/// How a source goes on.
pub(crate) enum Asking {
    /// It asks, and its state says so.
    Anew,
    /// It asks, and its state stays until there is an answer.
    Quietly,
    /// It has asked.
    Not,
}
