//! A component on a page in memory: engine, tree and proof together.

use crate::hands::{Field, Hands, is_field};
use crate::ledger::Entry;
use crate::verdict::{Proof, Told};
use rustc_hash::FxHashMap;
use std::sync::Arc;
use vein_plan::{EventField, Name, Program, Property, Record, Shown, Value};
use vein_runtime::{
    Carried, Cause, Clean, Delivery, Host, HostError, Lost, Pulse, QuestionId, Resources, Runtime,
};
use vein_view::{Event, Mates, NodeId, NodeNumber, NotDispatched, Patch, Reached, Restored, Tree};

/// A page in memory.
pub struct Session {
    runtime: Runtime,
    pub(crate) tree: Tree,
    proof: Option<Proof>,
    clean: Option<Clean>,
    /// The elements that the event came from that is being heard.
    sent: Vec<NodeNumber>,
    /// What a reset that is being heard has given back.
    restored: Vec<Restored>,
    /// Those of them that a person had changed before.
    entered: Vec<Restored>,
    /// What a person's hands have left behind.
    pub(crate) hands: Hands,
    closed: bool,
    /// Whether pulses are judged once whoever shows them says so, and what is told of the last of them.
    later: bool,
    waiting: Option<ToldLater>,
    /// What stands between engine and tree and tampers with pulses, for tests.
    #[cfg(debug_assertions)]
    tamper: Option<Tamper>,
}

/// What a pulse is judged by, beside the page.
struct ToldLater {
    echoes: Vec<NodeNumber>,
    reached: Vec<NodeNumber>,
    restored: Vec<Restored>,
}

/// Something that tampers with pulses on their way to the tree.
#[cfg(debug_assertions)]
#[doc(hidden)]
pub type Tamper = Box<dyn FnMut(&mut Pulse) + Send>;

/// A page that is dropped is closed. Where assertions are on, it must leave nothing behind.
impl Drop for Session {
    fn drop(&mut self) {
        if self.closed || std::thread::panicking() || self.is_tampered_with() {
            return;
        }
        self.close();
        debug_assert!(self.resources().is_nothing(), "left over: {:?}", self.resources());
        debug_assert!(self.tree.children(self.tree.root()).is_empty(), "nodes are left over");
    }
}

impl Session {
    /// Opens a component.
    ///
    /// # Errors
    /// An unknown component or prop, a missing prop, a value that does not fit, functions that the
    /// host does not answer, or what went wrong while everything was worked out.
    pub fn open(
        program: Arc<Program>,
        component: &str,
        props: impl Into<Value>,
        host: impl Into<Host>,
    ) -> Result<(Session, Entry), HostError> {
        let (session, entry, _) = Session::open_in_place(program, component, props, host, None)?;
        Ok((session, entry))
    }

    /// Opens a component in the place of a page that was there before: what stands at its address goes on with what it
    /// held. Gives also what could not be taken along.
    ///
    /// # Errors
    /// As [`Session::open`].
    pub fn open_in_place(
        program: Arc<Program>,
        component: &str,
        props: impl Into<Value>,
        host: impl Into<Host>,
        carried: Option<Carried>,
    ) -> Result<(Session, Entry, Vec<Lost>), HostError> {
        let host = host.into();
        let clean = host.clean;
        let (runtime, pulse, lost) =
            Runtime::open_in_place(program, component, props, host, carried)?;
        let mut session = Session {
            runtime,
            tree: Tree::default(),
            proof: None,
            clean,
            sent: Vec::new(),
            restored: Vec::new(),
            entered: Vec::new(),
            hands: Hands::default(),
            closed: false,
            later: false,
            waiting: None,
            #[cfg(debug_assertions)]
            tamper: None,
        };
        let entry = session.show(pulse);
        Ok((session, entry, lost))
    }

    /// What the page holds that nobody could work out again.
    pub fn carried(&mut self) -> Carried {
        self.runtime.carried()
    }

    /// Which nodes of the view of a page that was there before stay in this one's.
    pub fn mates(&mut self, before: &mut Session) -> Mates {
        let (own, others) = (self.runtime.tops(), before.runtime.tops());
        let mut known = FxHashMap::default();
        for (called, nodes) in own {
            let Some(others) = others.get(&called).filter(|o| o.len() == nodes.len()) else {
                continue;
            };
            for (own, other) in nodes.iter().zip(others) {
                let pair = self.tree.numbered(*own).zip(before.tree.numbered(*other));
                known.extend(pair);
            }
        }
        Mates::of(&before.tree, &self.tree, &known)
    }

    /// Closes the page: what runs when components are removed runs, and everything on it is gone.
    /// It cannot be used any more.
    pub fn close(&mut self) -> Entry {
        self.proof = None;
        let pulse = self.runtime.close();
        self.closed = true;
        self.show(pulse)
    }

    /// What there is of everything that comes and goes; nothing, once the page is closed.
    pub fn resources(&self) -> Resources {
        self.runtime.resources()
    }

    /// Turns proof on or off. While it is on, every pulse is held against a fresh rendering.
    pub fn prove(&mut self, on: bool) {
        if on {
            self.runtime.record_changes(true);
        }
        self.proof = on.then(|| Proof::new(&self.runtime, &self.tree, self.clean));
    }

    /// Whether the verdict on a pulse is left to [`Session::judge`], so that its patches can be shown before that is found out. Each
    /// pulse has to be judged before the next.
    pub fn judge_later(&mut self, on: bool) {
        self.later = on;
    }

    /// Finds out whether the last pulse was exact, where that was left for later.
    pub fn judge(&mut self, entry: &mut Entry) {
        if let (Some(told), Some(proof)) = (self.waiting.take(), &mut self.proof) {
            let ToldLater { echoes, reached, restored } = &told;
            let told = Told { applied: &entry.pulse.patches, echoes, reached, restored };
            entry.verdict = Some(proof.judge(&self.runtime, &entry.pulse, &told, &self.tree));
        }
    }

    /// Whether pulses say what changed. Proof needs them to; without either they cost less.
    pub fn record(&mut self, on: bool) {
        self.runtime.record_changes(on);
    }

    /// Sets the time of day, in milliseconds since 1970.
    pub fn set_date(&mut self, date: f64) {
        self.runtime.set_date(date);
    }

    /// The engine.
    pub fn runtime(&self) -> &Runtime {
        &self.runtime
    }

    /// The tree.
    pub fn tree(&self) -> &Tree {
        &self.tree
    }

    /// The tree, for what a person does to it.
    pub fn tree_mut(&mut self) -> &mut Tree {
        &mut self.tree
    }

    /// Dispatches an event to an element, as the DOM does it.
    ///
    /// # Errors
    /// A target that would get no such event in a browser.
    pub fn dispatch(&mut self, target: NodeId, event: &Event) -> Result<Entry, NotDispatched> {
        let dispatched = self.tree.dispatch(target, event)?;
        let deliveries = self.deliveries(target, event, &dispatched.reached);
        // Listeners have names of their own; only what nobody heard needs the element's.
        let heard = !deliveries.is_empty();
        let name = if heard { "" } else { self.tree.name(target).unwrap_or("") }.to_owned();
        Ok(self.deliver(&event.kind, &name, deliveries))
    }

    /// Has an event happen to an element: the pulse, if somebody hears it, and whether somebody
    /// keeps the browser from what it does by itself.
    pub(crate) fn happen(&mut self, target: NodeId, event: &Event) -> (Option<Entry>, bool) {
        let Ok(dispatched) = self.tree.dispatch(target, event) else { return (None, false) };
        let deliveries = self.deliveries(target, event, &dispatched.reached);
        let heard = !deliveries.is_empty();
        let entry = heard.then(|| self.deliver(&event.kind, "", deliveries));
        (entry, dispatched.prevented)
    }

    /// Has a form reset: its listeners run, and unless somebody prevents it its controls go back to what they
    /// held when they were added, and state with them. Gives the pulse, if anything hears of it.
    pub fn reset(&mut self, form: NodeId) -> Option<Entry> {
        let event = Event::new("reset");
        let dispatched = self.tree.dispatch(form, &event).ok()?;
        let deliveries = self.deliveries(form, &event, &dispatched.reached);
        let restored = if dispatched.prevented { Vec::new() } else { self.go_back(form) };
        let heard = !deliveries.is_empty() || !restored.is_empty();
        heard.then(|| self.hear_reset("form", deliveries, &restored))
    }

    /// The controls of a form go back. What a person had changed of them is noted, for a pulse that fails.
    fn go_back(&mut self, form: NodeId) -> Vec<Restored> {
        let before = self.tree.changed_by_hand(form);
        let restored = self.tree.reset(form);
        let was_used = |one: &&Restored| before.contains(&(one.node, one.property));
        self.entered = restored.iter().filter(was_used).cloned().collect();
        restored
    }

    fn deliveries(&self, target: NodeId, event: &Event, reached: &[Reached]) -> Vec<Delivery> {
        let delivery = |reached: &Reached| {
            let field = |field| self.tree.event_field(target, event, field);
            let node = self.tree.number_of(reached.node)?;
            self.delivery(node, reached.listener, self.runtime.batches(), field)
        };
        reached.iter().filter_map(delivery).collect()
    }

    /// The delivery of an event to a listener on a node, with the fields that it reads; `None` when there
    /// is no such listener any more. `seen` is how many batches with patches in them the surface had applied
    /// when the event happened: what was said about a node that has gone is nobody's.
    pub fn delivery(
        &self,
        node: NodeNumber,
        listener: u32,
        seen: u32,
        field: impl Fn(EventField) -> Value,
    ) -> Option<Delivery> {
        let fields = &self.runtime.listener_seen(node, listener, seen)?.fields;
        let pairs = fields.iter().map(|f| (Name::from(f.name()), field(*f)));
        let event = Value::Record(Arc::new(Record::new(pairs)));
        Some(Delivery { node, listener, event })
    }

    /// Runs the listeners that an event reached on whatever surface.
    pub fn deliver(&mut self, kind: &str, target: &str, deliveries: Vec<Delivery>) -> Entry {
        deliveries.iter().for_each(|delivery| self.held_elsewhere(delivery));
        self.sent = deliveries.iter().map(|delivery| delivery.node).collect();
        let pulse = self.runtime.dispatch(kind, target, deliveries);
        self.show(pulse)
    }

    /// Runs the listeners that a form's `reset` reached on whatever surface, and has state follow the controls
    /// that have gone back there.
    pub fn deliver_reset(
        &mut self,
        target: &str,
        deliveries: Vec<Delivery>,
        restored: &[Restored],
    ) -> Entry {
        let first = restored.first().and_then(|restored| self.tree.numbered(restored.node));
        if let Some(form) = first.and_then(|control| self.tree.form_of(control)) {
            self.go_back(form);
        }
        for Restored { node, property, held, .. } in restored {
            if let Some(id) = self.tree.numbered(*node) {
                self.tree.hold(id, *property, held);
            }
        }
        self.hear_reset(target, deliveries, restored)
    }

    fn hear_reset(
        &mut self,
        target: &str,
        deliveries: Vec<Delivery>,
        restored: &[Restored],
    ) -> Entry {
        let restored_nodes = restored.iter().map(|restored| restored.node);
        self.sent = deliveries.iter().map(|delivery| delivery.node).chain(restored_nodes).collect();
        self.restored = restored.to_vec();
        let pulse = self.runtime.reset(target, deliveries, restored);
        self.show(pulse)
    }

    /// A control of whatever surface has come to hold something: here it does so too.
    fn held_elsewhere(&mut self, delivery: &Delivery) {
        let Some(listener) = self.runtime.listener(delivery.node, delivery.listener) else {
            return;
        };
        let (Some(_), Value::Record(event)) = (&listener.commit, &delivery.event) else { return };
        let Some(id) = self.tree.numbered(delivery.node) else { return };
        for (field, value) in listener.fields.iter().zip(event.iter().map(|(_, value)| value)) {
            let property = match field {
                EventField::Value => Property::Value,
                EventField::Checked => Property::Checked,
                EventField::Open => Property::Open,
                EventField::Chosen => Property::Chosen,
                _ => continue,
            };
            if let Some(held) = property.read(value) {
                self.tree.hold(id, property, &held);
            }
        }
    }

    /// Has a component on the page give one of its events: the page's own where `owner` is empty,
    /// else the one of that address. The payload comes by name.
    ///
    /// # Errors
    /// No such component or event, or a payload that does not fit.
    pub fn give(
        &mut self,
        owner: &str,
        event: &str,
        payload: impl Into<Value>,
    ) -> Result<Entry, HostError> {
        let pulse = self.runtime.give(owner, event, payload)?;
        Ok(self.show(pulse))
    }

    /// Writes a value to a prop or to state.
    ///
    /// # Errors
    /// A path to nothing or to a derived value, or a value that does not fit.
    pub fn set(&mut self, path: &str, value: impl Into<Value>) -> Result<Entry, HostError> {
        let pulse = self.runtime.set(path, value)?;
        Ok(self.show(pulse))
    }

    /// Writes a value that fits its type already to a prop or to state, by its name.
    pub fn write_value(&mut self, name: &str, value: Value) -> Option<Entry> {
        let pulse = self.runtime.write_fitting(name, value)?;
        Some(self.show(pulse))
    }

    /// Calls a handler of the component, `pour`, or of a store, `tank.draw`.
    ///
    /// # Errors
    /// An unknown handler, or arguments that do not fit.
    pub fn call(&mut self, name: &str, args: Vec<Value>) -> Result<Entry, HostError> {
        let pulse = self.runtime.call(name, args)?;
        Ok(self.show(pulse))
    }

    /// Answers a question; `None` when nobody waits for the answer any more. An answer that does not
    /// fit its type is a failure, and a problem of the pulse says where.
    pub fn answer(&mut self, id: QuestionId, answer: Result<Value, String>) -> Option<Entry> {
        let pulse = self.runtime.answer(id, answer)?;
        Some(self.show(pulse))
    }

    /// Ends a stream that has no more to say.
    pub fn finish(&mut self, id: QuestionId) {
        self.runtime.finish(id);
    }

    /// Reads the value at a path: `beds[3].moisture`, `tank.litres`.
    ///
    /// # Errors
    /// A path to nothing, or what went wrong while it was worked out.
    pub fn get(&mut self, path: &str) -> Result<Value, HostError> {
        self.runtime.get(path)
    }

    /// The value of a prop, state or derived value, by its name.
    pub fn value(&mut self, name: &str) -> Option<Value> {
        let cells = &self.runtime.plan().cells;
        let cell = cells.iter().position(|cell| *cell.name == *name)?;
        Some(self.runtime.value(cell as u32))
    }

    /// The value of a cell of some component on the page.
    pub fn value_in(&mut self, scope: vein_runtime::ScopeId, cell: u32) -> Value {
        self.runtime.value_in(scope, cell)
    }

    /// A field that takes text key by key, as it stands there.
    pub(crate) fn field(&mut self, id: NodeId) -> &mut Field {
        self.hands.field(&self.tree, id)
    }

    /// What is selected in a field, in UTF-16 units, as `selectionStart` and `selectionEnd` of the HTML standard;
    /// `None` where that hangs on a layout, and for what takes no text key by key.
    pub fn selection(&mut self, id: NodeId) -> Option<(usize, usize)> {
        is_field(self.tree.typing(id)).then_some(())?;
        let field = self.field(id);
        let selected = field.selected()?;
        let units = |end: usize| field.raw[..end].encode_utf16().count();
        Some((units(selected.start), units(selected.end)))
    }

    /// Moves the clock on and runs what has become due.
    pub fn advance(&mut self, milliseconds: f64) -> Vec<Entry> {
        let until = self.runtime.now() + milliseconds.max(0.0);
        let mut entries = Vec::new();
        while let Some(pulse) = self.runtime.run_due(until) {
            entries.push(self.show(pulse));
        }
        entries
    }

    /// Moves the clock on and runs what becomes due next; `None` when nothing is due until then.
    pub fn run_due(&mut self, until: f64) -> Option<Entry> {
        let pulse = self.runtime.run_due(until)?;
        Some(self.show(pulse))
    }

    /// Leaves out the periods of timers that have gone by until a time, but for the last of each.
    pub fn skip_missed(&mut self, until: f64) {
        self.runtime.skip_missed(until);
    }

    /// In how many milliseconds the next timer or waiting event is due.
    pub fn next_due(&self) -> Option<f64> {
        self.runtime.next_due().map(|due| due - self.runtime.now())
    }

    /// Tampers with every pulse from now on before it reaches the tree.
    #[cfg(debug_assertions)]
    #[doc(hidden)]
    pub fn tamper(&mut self, tamper: Tamper) {
        self.tamper = Some(tamper);
    }

    /// Has the engine hold what it reads of derived values against working them out anew.
    #[doc(hidden)]
    pub fn check_reads(&mut self) {
        self.runtime.check_reads();
    }

    /// What each pulse may use up from now on.
    pub fn allow(&mut self, budget: vein_plan::Budget) {
        self.runtime.allow(budget);
    }

    /// What was asked with something else than would be asked with by now: nothing, unless the engine is wrong.
    #[doc(hidden)]
    pub fn unasked(&mut self) -> Vec<String> {
        self.runtime.unasked()
    }

    /// Derived values that count as up to date and are not: none, unless the engine is wrong.
    #[doc(hidden)]
    pub fn outdated(&mut self) -> Vec<String> {
        self.runtime.outdated()
    }

    /// Breaks the engine from now on.
    #[cfg(debug_assertions)]
    #[doc(hidden)]
    pub fn sabotage(&mut self, way: vein_runtime::Sabotage) {
        self.runtime.sabotage(way);
    }

    #[cfg(debug_assertions)]
    fn tampered(&mut self, mut pulse: Pulse) -> Pulse {
        if let Some(tamper) = &mut self.tamper {
            tamper(&mut pulse);
        }
        pulse
    }

    fn show(&mut self, pulse: Pulse) -> Entry {
        #[cfg(debug_assertions)]
        let pulse = self.tampered(pulse);
        let echoes = match &self.proof {
            Some(_) => self.echoes(&pulse),
            None => Vec::new(),
        };
        let reached = std::mem::take(&mut self.sent);
        let restored = std::mem::take(&mut self.restored);
        let applied = self.tree.apply(&pulse.patches);
        debug_assert!(
            applied.is_ok() || self.is_tampered_with(),
            "a patch was refused: {applied:?}"
        );
        // What a person had entered stands again where the reset has failed.
        for Restored { node, property, was, .. } in std::mem::take(&mut self.entered) {
            if let Some(id) = self.tree.numbered(node).filter(|_| pulse.fault.is_some()) {
                self.tree.hold(id, property, &was);
            }
        }
        // What cannot have the focus any more loses it, and nobody is told (HTML standard, "focus fixup").
        if self.tree.focused().is_some_and(|id| !self.tree.is_focusable(id)) {
            self.tree.set_focused(None);
        }
        // One that nobody has judged leaves nothing to hold the next against.
        let unjudged = self.waiting.take().is_some();
        if unjudged && self.proof.is_some() {
            self.proof = Some(Proof::new(&self.runtime, &self.tree, self.clean));
            return Entry { pulse, verdict: None };
        }
        self.waiting = self.proof.is_some().then_some(ToldLater { echoes, reached, restored });
        let mut entry = Entry { pulse, verdict: None };
        if !self.later {
            self.judge(&mut entry);
        }
        entry
    }

    /// Whether tests break it on purpose.
    fn is_tampered_with(&self) -> bool {
        #[cfg(debug_assertions)]
        return self.tamper.is_some() || self.runtime.is_sabotaged();
        #[cfg(not(debug_assertions))]
        false
    }

    /// The controls with a two-way binding that a pulse writes what they hold already.
    fn echoes(&self, pulse: &Pulse) -> Vec<NodeNumber> {
        let reset = matches!(&pulse.cause, Cause::Event { kind, .. } if kind == "reset");
        let is_echo = |patch: &Patch<'_>| -> Option<NodeNumber> {
            let (node, property, shown) = match patch {
                Patch::SetProperty { node, property, value } => {
                    (*node, *property, Shown::Text((*value).into()))
                }
                Patch::SetFlag { node, property, on } => (*node, *property, Shown::Flag(*on)),
                _ => return None,
            };
            let id = self.tree.numbered(node)?;
            // What is committed later, the engine has not heard of yet.
            let bound = self.runtime.listeners_on(node).into_iter().any(|(_, listener)| {
                let now = &*listener.event != "change" && listener.options.quiet.is_none();
                listener.commit.is_some() && (now || reset && self.sent.contains(&node))
            });
            // Of buttons of one group the browser lets another go by itself; the engine does not know of groups.
            let told = matches!(shown, Shown::Text(_)) || self.sent.contains(&node);
            (bound && told && self.tree.set_property(id, property) == Some(shown)).then_some(node)
        };
        pulse.patches.iter().filter_map(|patch| is_echo(&patch)).collect()
    }
}
