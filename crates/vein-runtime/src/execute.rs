//! Statements at work.

use crate::fault::{DEEPEST_CALLS, Fault};
use crate::graph::{Graph, ListEdit, Sight};
use crate::sabotage::Sabotage;
use crate::scope::{NONE, Rank, ScopeId};
use crate::spending::Doing;
use crate::unwinding::{Ending, Failure, Stage, catching, fail, leave};
use crate::wakes::Prepared;
use std::collections::BTreeMap;
use std::sync::Arc;
use vein_plan::alike::Code;
use vein_plan::code::{
    ExprId, Function, ListEdit as PlannedEdit, LocalId, Place, PlaceStep, Stmt, StmtId,
};
use vein_plan::eval::Evaluation;
use vein_plan::value::quoted_key;
use vein_plan::{BlockId, Name, Plan, Record, SpotKind, Step, Value};

/// What a run of statements gave to the host: the event's number and its values.
pub(crate) type GivenEvents = Vec<(u32, Vec<Value>)>;

/// What a pulse has done so far that is neither state nor view.
#[derive(Debug, Default)]
pub(crate) struct Turn {
    pub(crate) given: GivenEvents,
    /// Statements that wait for answers, with what they ask.
    pub(crate) waiting: Vec<(u32, Vec<Value>, Activity)>,
    /// Sources whose questions are to be asked, with the arguments.
    pub(crate) asked: BTreeMap<(Rank, u32), Value>,
    /// Timers whose periods were worked out; `None` for those that do not run.
    pub(crate) timers: BTreeMap<(Rank, u32), Option<f64>>,
    /// What ran by itself: the scope, the hook, and the writes from and up to.
    pub(crate) ran: Vec<(ScopeId, u32, usize, usize)>,
    pub(crate) rounds: usize,
    /// How many writes there were before anything followed by itself.
    pub(crate) acted: usize,
    /// Whether the pulse says what it did.
    pub(crate) records: bool,
    /// Whose statements were begun, in order, where it does.
    pub(crate) begun: Vec<Ran>,
    /// Failures that nothing has caught, and that take nothing back.
    pub(crate) uncaught: Vec<Failure>,
    /// How many times components were added because others were, and how many after the first few.
    pub(crate) generations: usize,
    pub(crate) added_later: usize,
    calls: usize,
}

impl Turn {
    pub(crate) fn new(records: bool) -> Turn {
        Turn { records, ..Turn::default() }
    }

    /// Has a source ask while its state stays as it is.
    pub(crate) fn ask_quietly(&mut self, graph: &Graph, scope: ScopeId, source: u32, args: Value) {
        self.asked.insert((graph.rank(scope), source), args);
    }

    /// Goes on with what was asked for by a source.
    pub(crate) fn ask(&mut self, graph: &mut Graph, scope: ScopeId, source: u32, args: Value) {
        self.ask_quietly(graph, scope, source, args);
        let prepared = graph.prepared.clone();
        let status = prepared.plan(graph.scope(scope).plan).sources[source as usize].status;
        graph.set(scope, status, Vec::new(), Value::from(vein_plan::status::WAITING));
    }
}

/// Whose statements run, by their numbers in their component.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Owner {
    /// A handler.
    Handler(u32),
    /// What runs by itself: when something is added, removed or changed, every so often.
    Hook(u32),
    /// What hears an event of the DOM, of a block.
    Listener(u32),
    /// What hears an event of the component in a spot of a block: the spot, and which.
    Heard(u32, u32),
}

/// Statements that ran: of which component, in which of its blocks, and whose.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Ran {
    /// The component, by its number in the program.
    pub plan: u32,
    /// The block that its names were those of.
    pub block: BlockId,
    /// Whose.
    pub owner: Owner,
}

/// Statements on their way: they may wait for an answer in the middle.
#[derive(Clone, Debug)]
pub(crate) struct Activity {
    /// The scope whose names the statements use.
    pub(crate) scope: ScopeId,
    pub(crate) owner: Owner,
    pub(crate) locals: Locals,
    /// Where it is, outermost first.
    pub(crate) frames: Vec<Frame>,
    /// Where the answer goes that it waits for.
    pub(crate) answer: Option<LocalId>,
}

impl Activity {
    /// What it is called that waits.
    pub(crate) fn shown(&self, graph: &Graph) -> String {
        graph.address_of_owner(self.scope, self.owner)
    }

    /// The same on a scope of another program, if whose statements they are says the same there.
    pub(crate) fn again(
        &self,
        (old, block): (Code<'_>, BlockId),
        (new, new_block): (Code<'_>, BlockId),
        scope: ScopeId,
        owner: Owner,
    ) -> Option<Activity> {
        let before = signature(old, block, self.owner);
        if before != signature(new, new_block, owner) || !old.same_shapes(new) {
            return None;
        }
        let (own, others) = (body(old.plan, block, self.owner), body(new.plan, new_block, owner));
        let pairs = old.same_as(own, new, others)?;
        let frame = |frame: &Frame| match frame {
            Frame::Owner(next) => Some(Frame::Owner(*next)),
            Frame::If(of, outcome, next) => Some(Frame::If(*pairs.get(of)?, *outcome, *next)),
            Frame::Try { of, stage, next } => {
                Some(Frame::Try { of: *pairs.get(of)?, stage: stage.clone(), next: *next })
            }
            Frame::Each { of, position, at_first, next } => {
                let of = *pairs.get(of)?;
                Some(Frame::Each { of, position: *position, at_first: *at_first, next: *next })
            }
        };
        let frames = self.frames.iter().map(frame).collect::<Option<_>>()?;
        Some(Activity { scope, owner, locals: self.locals.clone(), frames, answer: self.answer })
    }
}

impl Graph {
    /// Whose statements run on a scope, as people call it.
    pub(crate) fn address_of_owner(&self, scope: ScopeId, owner: Owner) -> String {
        let here = self.scope(scope);
        let own = owner_name(self.prepared.plan(here.plan), here.block, owner);
        self.address(scope, &own)
    }
}

/// What somebody's statements are called in their component.
pub(crate) fn owner_name(plan: &Plan, block: BlockId, owner: Owner) -> Name {
    let block = &plan.blocks[block as usize];
    let name = match owner {
        Owner::Handler(handler) => &plan.handlers[handler as usize].name,
        Owner::Hook(hook) => &plan.hooks[hook as usize].address,
        Owner::Listener(listener) => &block.listeners[listener as usize].address,
        Owner::Heard(spot, _) => &block.spots[spot as usize].address,
    };
    name.clone()
}

/// Everybody who has statements in a block.
pub(crate) fn owners_in(plan: &Plan, id: BlockId) -> Vec<Owner> {
    let block = &plan.blocks[id as usize];
    let mut owners: Vec<Owner> = (0..block.listeners.len() as u32).map(Owner::Listener).collect();
    for (spot, planned) in (0..).zip(&block.spots) {
        if let SpotKind::Component(used) = &planned.kind {
            owners.extend((0..used.events.len() as u32).map(|heard| Owner::Heard(spot, heard)));
        }
    }
    if id == 0 {
        owners.extend((0..plan.handlers.len() as u32).map(Owner::Handler));
        owners.extend((0..plan.hooks.len() as u32).map(Owner::Hook));
    }
    owners
}

/// The statements of somebody.
fn body(plan: &Plan, block: BlockId, owner: Owner) -> &[StmtId] {
    let block = &plan.blocks[block as usize];
    match owner {
        Owner::Handler(handler) => &plan.handlers[handler as usize].body,
        Owner::Hook(hook) => &plan.hooks[hook as usize].body,
        Owner::Listener(listener) => &block.listeners[listener as usize].body,
        Owner::Heard(spot, heard) => match &block.spots[spot as usize].kind {
            SpotKind::Component(used) => &used.events[heard as usize].body,
            _ => &[],
        },
    }
}

/// What somebody's statements begin with.
fn signature(code: Code<'_>, block: BlockId, owner: Owner) -> String {
    let typed = |(name, ty): &(Name, u32)| format!("{name}: {}", code.program.type_name(*ty));
    let block = &code.plan.blocks[block as usize];
    match owner {
        Owner::Handler(handler) => {
            let handler = &code.plan.handlers[handler as usize];
            let params: Vec<String> = handler.params.iter().map(typed).collect();
            format!("{}({})", handler.name, params.join(", "))
        }
        Owner::Hook(hook) => code.plan.hooks[hook as usize].address.to_string(),
        Owner::Listener(listener) => {
            let listener = &block.listeners[listener as usize];
            format!("{} {:?}", listener.event, listener.fields)
        }
        Owner::Heard(spot, heard) => match &block.spots[spot as usize].kind {
            SpotKind::Component(used) => {
                let given = &code.program.plans[used.plan as usize];
                let event = &given.events[used.events[heard as usize].event as usize];
                let payload: Vec<String> = event.payload.iter().map(typed).collect();
                format!("{} {}({})", given.name, event.name, payload.join(", "))
            }
            _ => String::new(),
        },
    }
}

/// What comes after a statement.
pub(crate) enum Flow {
    Goes,
    Ends,
    /// An answer: of which function, for which arguments.
    Waits(u32, Vec<Value>),
}

/// A list of statements, and which is next.
#[derive(Clone, Debug)]
pub(crate) enum Frame {
    /// Those of the owner.
    Owner(usize),
    /// Of an `if`: those after the condition or those after `else`.
    If(StmtId, bool, usize),
    /// Of a `for`: at this position, of as many as the list had at first.
    Each { of: StmtId, position: usize, at_first: usize, next: usize },
    /// Of a `try`.
    Try { of: StmtId, stage: Stage, next: usize },
}

/// Statements that run on a scope.
pub(crate) struct Run<'a> {
    pub(crate) graph: &'a mut Graph,
    pub(crate) turn: &'a mut Turn,
    /// The scope whose names the statements use.
    scope: ScopeId,
    prepared: &'a Prepared,
}

pub(crate) type Locals = Vec<(Value, ())>;

impl<'a> Run<'a> {
    pub(crate) fn new(graph: &'a mut Graph, prepared: &'a Prepared, turn: &'a mut Turn) -> Run<'a> {
        Run { graph, turn, scope: 0, prepared }
    }

    /// Goes on in another scope, and comes back.
    pub(crate) fn within<T>(&mut self, scope: ScopeId, run: impl FnOnce(&mut Self) -> T) -> T {
        let outer = std::mem::replace(&mut self.scope, scope);
        let result = run(self);
        self.scope = outer;
        result
    }

    fn plan(&self) -> u32 {
        self.graph.scope(self.scope).plan
    }

    /// Runs somebody's statements with their first locals, to the end or until they wait.
    pub(crate) fn run(
        &mut self,
        scope: ScopeId,
        owner: Owner,
        first: Vec<Value>,
    ) -> Result<(), Fault> {
        self.begins(scope, owner);
        let locals = first.into_iter().map(|value| (value, ())).collect();
        let frames = vec![Frame::Owner(0)];
        self.go_on(Activity { scope, owner, locals, frames, answer: None })
    }

    /// Notes whose statements begin.
    pub(crate) fn begins(&mut self, scope: ScopeId, owner: Owner) {
        if !self.turn.records {
            return;
        }
        let here = self.graph.scope(scope);
        self.turn.begun.push(Ran { plan: here.plan, block: here.block, owner });
    }

    /// Goes on with statements that waited, now that the answer is there, or that there is none.
    pub(crate) fn resume(
        &mut self,
        mut activity: Activity,
        answer: Result<Value, Failure>,
    ) -> Result<(), Fault> {
        // Whoever would catch a failure.
        let prepared = self.prepared;
        let stmts = &prepared.plan(self.graph.scope(activity.scope).plan).stmts;
        let catches = match &answer {
            Ok(_) => None,
            Err(failure) => match catching(stmts, &activity.frames) {
                Some(depth) => Some(depth),
                None => return Err(failure.fault()),
            },
        };
        let local = activity.answer.take();
        if let (Some(local), Ok(answer)) = (local, &answer) {
            Self::bind(local, answer.clone(), &mut activity.locals);
        }
        // What a loop stood at may be gone by now: then it goes on with what comes next.
        let scope = activity.scope;
        let mut is_gone = None;
        for depth in 0..activity.frames.len() {
            let Frame::Each { of, position, .. } = activity.frames[depth] else { continue };
            let Stmt::For(_, list, _) = &stmts[of as usize] else { continue };
            let list = self.within(scope, |run| run.value(*list, &mut activity.locals));
            if position >= list.list_len() {
                activity.frames.truncate(depth + 1);
                if let Some(Frame::Each { next, .. }) = activity.frames.last_mut() {
                    *next = usize::MAX;
                }
                is_gone = Some(depth);
                break;
            }
        }
        // Where whoever would have caught it stood in such a loop, there is nothing more to say.
        if let (Err(failure), Some(depth)) = (answer, catches)
            && is_gone.is_none_or(|gone| gone > depth)
        {
            fail(stmts, &mut activity, failure);
        }
        self.go_on(activity)
    }

    fn go_on(&mut self, activity: Activity) -> Result<(), Fault> {
        let prepared = self.prepared;
        let doing = Doing::Running(activity.scope, activity.owner);
        let around = self.graph.purse.begin(doing);
        let done = self.within(activity.scope, |run| run.steps(prepared, activity));
        self.graph.purse.begin(around);
        done
    }

    fn steps(&mut self, prepared: &Prepared, mut activity: Activity) -> Result<(), Fault> {
        let plan = prepared.plan(self.plan());
        loop {
            match self.step(plan, &mut activity) {
                Ok(Flow::Goes) => {}
                Ok(Flow::Ends) => return Ok(()),
                Ok(Flow::Waits(asked, args)) => {
                    self.turn.waiting.push((asked, args, activity));
                    return Ok(());
                }
                Err(Fault::Host { function, reason })
                    if !self.graph.within_derived
                        && catching(&plan.stmts, &activity.frames).is_some() =>
                {
                    let failure = Failure { function, reason, late: false };
                    fail(&plan.stmts, &mut activity, failure);
                }
                Err(fault) => return Err(fault),
            }
        }
    }

    fn step(&mut self, plan: &Plan, activity: &mut Activity) -> Result<Flow, Fault> {
        let Some(frame) = activity.frames.last_mut() else { return Ok(Flow::Ends) };
        // Rounds of loops count, too: there may be nothing in them.
        if !self.graph.spend(1, 0) {
            return self.failed_evaluation().map(|()| Flow::Goes);
        }
        let (stmts, next): (&[StmtId], &mut usize) = match frame {
            Frame::Owner(next) => {
                let block = self.graph.scope(self.scope).block;
                (body(plan, block, activity.owner), next)
            }
            Frame::If(of, outcome, next) => match &plan.stmts[*of as usize] {
                Stmt::If(_, then, otherwise) => (if *outcome { then } else { otherwise }, next),
                _ => (&[], next),
            },
            Frame::Each { of, next, .. } => match &plan.stmts[*of as usize] {
                Stmt::For(_, _, body) => (body, next),
                _ => (&[], next),
            },
            Frame::Try { of, stage, next } => match (&plan.stmts[*of as usize], stage) {
                (Stmt::Try(tried, ..), Stage::Tried) => (tried, next),
                (Stmt::Try(_, Some((_, caught)), _), Stage::Caught) => (caught, next),
                (Stmt::Try(.., last), Stage::Last(_)) => (last, next),
                _ => (&[], next),
            },
        };
        let Some(stmt) = stmts.get(*next).copied() else { return self.next_round(plan, activity) };
        *next += 1;
        match &plan.stmts[stmt as usize] {
            Stmt::If(test, ..) => {
                let outcome = self.value(*test, &mut activity.locals).truthy();
                activity.frames.push(Frame::If(stmt, outcome, 0));
            }
            Stmt::For(_, list, _) => {
                let at_first = self.value(*list, &mut activity.locals).list_len();
                // Before the first position, at the end of the statements for it.
                let (position, next) = (usize::MAX, usize::MAX);
                activity.frames.push(Frame::Each { of: stmt, position, at_first, next });
            }
            Stmt::Try(..) => {
                activity.frames.push(Frame::Try { of: stmt, stage: Stage::Tried, next: 0 });
            }
            Stmt::Return => return Ok(leave(&plan.stmts, activity)),
            Stmt::Await(asked, args, to) => {
                let args = self.values(args, &mut activity.locals);
                self.sends(&args)?;
                self.failed_evaluation()?;
                activity.answer = *to;
                return Ok(Flow::Waits(*asked, args));
            }
            other => self.statement(plan, other, &mut activity.locals)?,
        }
        self.failed_evaluation().map(|()| Flow::Goes)
    }

    /// At the end of a list of statements: the next item of a loop, or back to what is around.
    ///
    /// A loop goes over as many positions as the list had at first, fewer if it becomes shorter.
    fn next_round(&mut self, plan: &Plan, activity: &mut Activity) -> Result<Flow, Fault> {
        match activity.frames.pop() {
            Some(Frame::Each { of, position, at_first, .. }) => {
                let Stmt::For(local, list, _) = &plan.stmts[of as usize] else {
                    return Ok(Flow::Goes);
                };
                let position = position.wrapping_add(1);
                let len = self.value(*list, &mut activity.locals).list_len();
                self.failed_evaluation()?;
                if position < at_first.min(len) {
                    Self::bind(*local, Value::Number(position as f64), &mut activity.locals);
                    activity.frames.push(Frame::Each { of, position, at_first, next: 0 });
                }
            }
            Some(Frame::Try { stage: Stage::Last(ending), .. }) => match ending {
                Ending::Goes => {}
                Ending::Returns => return Ok(leave(&plan.stmts, activity)),
                Ending::Fails(failure) => {
                    if catching(&plan.stmts, &activity.frames).is_some() {
                        fail(&plan.stmts, activity, failure);
                    } else if failure.late {
                        self.turn.uncaught.push(failure);
                        return Ok(Flow::Ends);
                    } else {
                        return Err(failure.fault());
                    }
                }
            },
            Some(Frame::Try { of, .. }) => {
                activity.frames.push(Frame::Try { of, stage: Stage::Last(Ending::Goes), next: 0 });
            }
            Some(Frame::Owner(_) | Frame::If(..)) | None => {}
        }
        Ok(Flow::Goes)
    }

    /// What went wrong in an evaluation is found here.
    fn failed_evaluation(&mut self) -> Result<(), Fault> {
        self.graph.fault.take().map_or(Ok(()), Err)
    }

    fn evaluate<T>(
        &mut self,
        locals: &mut Locals,
        run: impl FnOnce(&mut Evaluation<'_, Sight<'_>, ()>) -> T,
    ) -> T {
        let prepared = self.prepared;
        let acting = std::mem::replace(&mut self.graph.acting, true);
        let cells = &mut Sight { scope: self.scope, prepared, graph: self.graph };
        let plan = prepared.plan(cells.graph.scope(cells.scope).plan);
        let result = run(&mut Evaluation::new(plan, &prepared.program.names, cells, locals));
        self.graph.acting = acting;
        result
    }

    /// A value that something is done with: where the host has failed, nothing is.
    fn known(&mut self, expr: ExprId, locals: &mut Locals) -> Result<Value, Fault> {
        let value = self.value(expr, locals);
        self.failed_evaluation().map(|()| value)
    }

    fn all_known(&mut self, exprs: &[ExprId], locals: &mut Locals) -> Result<Vec<Value>, Fault> {
        let values = self.values(exprs, locals);
        self.failed_evaluation().map(|()| values)
    }

    fn value(&mut self, expr: ExprId, locals: &mut Locals) -> Value {
        self.evaluate(locals, |run| run.value(expr))
    }

    fn values(&mut self, exprs: &[ExprId], locals: &mut Locals) -> Vec<Value> {
        exprs.iter().map(|expr| self.value(*expr, locals)).collect()
    }

    pub(crate) fn bind(local: LocalId, value: Value, locals: &mut Locals) {
        let at = local as usize;
        if locals.len() <= at {
            locals.resize(at + 1, (Value::Null, ()));
        }
        locals[at] = (value, ());
    }

    fn statement(&mut self, plan: &Plan, stmt: &Stmt, locals: &mut Locals) -> Result<(), Fault> {
        match stmt {
            Stmt::Let(local, value) | Stmt::Vary(local, _, value) | Stmt::Assign(local, value) => {
                let value = self.known(*value, locals)?;
                Self::bind(*local, value, locals);
            }
            Stmt::Set(place, value) => {
                let path = self.path(place, locals)?;
                let value = self.known(*value, locals)?;
                if !self.graph.set(self.scope, place.cell, path, value) {
                    return Err(self.nowhere(place, locals));
                }
            }
            Stmt::Delete(place) => {
                let path = self.path(place, locals)?;
                if !self.graph.delete(self.scope, place.cell, path) {
                    return Err(self.nowhere(place, locals));
                }
            }
            Stmt::Edit(place, edit) => self.edit(place, edit, locals)?,
            Stmt::Call(handler, args) => {
                let args = self.all_known(args, locals)?;
                // A handler knows the names of its component, not those of the markup.
                let instance = self.graph.scope(self.scope).instance;
                let name = &plan.handlers[*handler as usize].name;
                self.called(name, instance, Owner::Handler(*handler), args)?;
            }
            Stmt::CallStore(store, handler, args) => {
                let args = self.all_known(args, locals)?;
                if let Some(scope) = self.graph.stores.get(store).copied() {
                    self.call_handler(scope, *handler, args)?;
                }
            }
            Stmt::Give(event, args) => {
                let args = self.all_known(args, locals)?;
                self.give(*event, args)?;
            }
            Stmt::Reload(source) => {
                let instance = self.graph.scope(self.scope).instance;
                let args = plan.sources[*source as usize].args;
                let reader = self.prepared.block(self.plan(), 0).reader_of_effect(*source);
                let args = match self.graph.evaluate_now(self.prepared, (instance, reader), args) {
                    Some(args) => args,
                    None => self.within(instance, |run| run.value(args, &mut Locals::new())),
                };
                self.failed_evaluation()?;
                // What changes from now on changes from these arguments.
                self.graph.has_looked((instance, reader));
                self.turn.ask(self.graph, instance, *source, args);
            }
            Stmt::If(..) | Stmt::For(..) | Stmt::Try(..) | Stmt::Await(..) | Stmt::Return => {}
        }
        Ok(())
    }

    /// Uses up what values take that go to the host.
    fn sends(&mut self, values: &[Value]) -> Result<(), Fault> {
        match values.iter().all(|value| self.graph.spend_kept(value)) {
            true => Ok(()),
            false => self.failed_evaluation(),
        }
    }

    /// Calls a handler of a component or store.
    pub(crate) fn call_handler(
        &mut self,
        scope: ScopeId,
        handler: u32,
        args: Vec<Value>,
    ) -> Result<(), Fault> {
        let prepared = self.prepared;
        let name = &prepared.plan(self.graph.scope(scope).plan).handlers[handler as usize].name;
        self.called(name, scope, Owner::Handler(handler), args)
    }

    /// Runs something that was called, in a scope of its own.
    fn called(
        &mut self,
        name: &str,
        scope: ScopeId,
        owner: Owner,
        args: Vec<Value>,
    ) -> Result<(), Fault> {
        if self.turn.calls >= DEEPEST_CALLS {
            return Err(Fault::HandlersTooDeep { handler: name.to_owned() });
        }
        self.turn.calls += 1;
        let done = self.run(scope, owner, args);
        self.turn.calls -= 1;
        done
    }

    /// Gives an event to the parent, which does at once what it does then; at the top of the
    /// page, to the host.
    pub(crate) fn give(&mut self, event: u32, args: Vec<Value>) -> Result<(), Fault> {
        let prepared = self.prepared;
        let instance = self.graph.scope(self.scope).instance;
        let (holder, spot) = self.graph.scope(instance).holder;
        if holder == NONE {
            self.sends(&args)?;
            self.turn.given.push((event, args));
            return Ok(());
        }
        let declared = &prepared.plan(self.graph.scope(instance).plan).events[event as usize];
        let (plan, block) = (self.graph.scope(holder).plan, self.graph.scope(holder).block);
        let kind = &prepared.plan(plan).blocks[block as usize].spots[spot as usize].kind;
        let SpotKind::Component(used) = kind else { return Ok(()) };
        for (which, heard) in used.events.iter().enumerate() {
            if heard.event != event {
                continue;
            }
            let names = declared.payload.iter().map(|(name, _)| Name::clone(name));
            let payload = Value::Record(Arc::new(Record::new(names.zip(args.iter().cloned()))));
            let owner = Owner::Heard(spot, which as u32);
            if self.graph.is_broken(Sabotage::SwallowEvents) {
                continue;
            }
            if self.graph.is_broken(Sabotage::RepeatEvents) {
                self.called(&declared.name, holder, owner, vec![payload.clone()])?;
            }
            self.called(&declared.name, holder, owner, vec![payload])?;
        }
        Ok(())
    }

    /// What a two-way binding writes when its control has come to hold something else. `false`
    /// when that means no value of the state's type.
    pub(crate) fn commit(
        &mut self,
        commit: &vein_plan::Commit,
        held: &vein_plan::Shown,
    ) -> Result<bool, Fault> {
        use vein_plan::{Conversion, Shown};
        let mut locals = Locals::new();
        let value = match (&commit.from, held) {
            (Conversion::Flag, Shown::Flag(on)) => (*on).into(),
            (Conversion::Picked(own), Shown::Flag(true)) => self.value(*own, &mut locals),
            (Conversion::Member(own), Shown::Flag(on)) => {
                let own = self.value(*own, &mut locals);
                return self.set_member(commit, own, *on).map(|()| true);
            }
            (from, Shown::Text(text)) => match from.value(text) {
                Some(value) => value,
                None => return Ok(false),
            },
            _ => return Ok(true),
        };
        let path = self.path(&commit.place, &mut locals)?;
        match self.graph.set(self.scope, commit.place.cell, path, value) {
            true => Ok(true),
            false => Err(self.nowhere(&commit.place, &mut locals)),
        }
    }

    /// Puts a value into a list or takes it out, once.
    fn set_member(
        &mut self,
        commit: &vein_plan::Commit,
        own: Value,
        on: bool,
    ) -> Result<(), Fault> {
        let (cell, mut locals) = (commit.place.cell, Locals::new());
        let path = self.path(&commit.place, &mut locals)?;
        let root = self.graph.cell(self.prepared, self.scope, cell);
        let Some(Value::List(items)) = root.at(&path) else {
            return Err(self.nowhere(&commit.place, &mut locals));
        };
        let (at, len) = (items.iter().position(|item| item.same_or_zero(&own)), items.len());
        drop(root);
        let change = match (at, on) {
            (None, true) => ListEdit::Splice { at: len, remove: 0, insert: vec![own] },
            (Some(at), false) => ListEdit::Splice { at, remove: 1, insert: Vec::new() },
            _ => return Ok(()),
        };
        match self.graph.change_list(self.scope, cell, path, change) {
            true => Ok(()),
            false => Err(self.nowhere(&commit.place, &mut locals)),
        }
    }

    /// The path that a place means now. A position that is none leads nowhere. What finds an entry of a dictionary is a text.
    fn path(&mut self, place: &Place, locals: &mut Locals) -> Result<Vec<Step>, Fault> {
        let step = |step: &PlaceStep| match step {
            PlaceStep::Field(name) => {
                Step::Field(self.prepared.program.names[*name as usize].clone())
            }
            PlaceStep::Index(index) => {
                let at = self.value(*index, locals);
                if matches!(at, Value::String(_)) {
                    return Step::Field(at.to_key());
                }
                let at = at.to_number();
                // What is beyond them ends at the last, where no list has anything.
                Step::Index(if at >= 0.0 && at.fract() == 0.0 { at as u32 } else { u32::MAX })
            }
        };
        let path = place.steps.iter().map(step).collect();
        self.failed_evaluation().map(|()| path)
    }

    /// That there is nothing to write to, with positions as they came out, also those that are none.
    fn nowhere(&mut self, place: &Place, locals: &mut Locals) -> Fault {
        let prepared = self.prepared;
        let mut path = prepared.plan(self.plan()).cells[place.cell as usize].name.to_string();
        for step in &place.steps {
            match step {
                PlaceStep::Field(name) => {
                    path.push('.');
                    path.push_str(&prepared.program.names[*name as usize]);
                }
                PlaceStep::Index(index) => {
                    let at = self.value(*index, locals);
                    let at = match &at {
                        Value::String(_) => quoted_key(&at.to_key()),
                        at => at.to_string(),
                    };
                    path.push_str(&format!("[{at}]"));
                }
            }
        }
        Fault::NoSuchPlace { path }
    }

    fn edit(
        &mut self,
        place: &Place,
        edit: &PlannedEdit,
        locals: &mut Locals,
    ) -> Result<(), Fault> {
        let path = self.path(place, locals)?;
        let root = self.graph.cell(self.prepared, self.scope, place.cell);
        let Some(Value::List(items)) = root.at(&path) else {
            return Err(self.nowhere(place, locals));
        };
        let len = items.len();
        let sorted = match edit {
            PlannedEdit::Sort(function) => self.sorted(items, function.as_ref(), locals),
            _ => Vec::new(),
        };
        // Nobody else may hold the list when it is changed in place.
        drop(root);
        let change = match edit {
            PlannedEdit::Push(items) => {
                ListEdit::Splice { at: len, remove: 0, insert: self.values(items, locals) }
            }
            PlannedEdit::Unshift(items) => {
                ListEdit::Splice { at: 0, remove: 0, insert: self.values(items, locals) }
            }
            PlannedEdit::Pop => ListEdit::Splice {
                at: len.saturating_sub(1),
                remove: len.min(1),
                insert: Vec::new(),
            },
            PlannedEdit::Shift => {
                ListEdit::Splice { at: 0, remove: len.min(1), insert: Vec::new() }
            }
            PlannedEdit::Splice(start, count, items) => {
                let start = relative(self.value(*start, locals).to_number(), len);
                let count = match count {
                    Some(count) => clamp(self.value(*count, locals).to_number(), len - start),
                    None => len - start,
                };
                let insert = self.values(items, locals);
                ListEdit::Splice { at: start, remove: count, insert }
            }
            PlannedEdit::Reverse => ListEdit::Permute((0..len as u32).rev().collect()),
            PlannedEdit::Sort(_) => ListEdit::Permute(sorted),
        };
        self.failed_evaluation()?;
        if self.graph.change_list(self.scope, place.cell, path, change) {
            Ok(())
        } else {
            Err(self.nowhere(place, locals))
        }
    }

    fn sorted(
        &mut self,
        items: &[Value],
        function: Option<&Function>,
        locals: &mut Locals,
    ) -> Vec<u32> {
        let order = self.evaluate(locals, |run| run.sorted_order(items, &(), function));
        order.into_iter().map(|at| at as u32).collect()
    }
}

/// A position as `splice` takes it: negative counts from the end.
fn relative(n: f64, len: usize) -> usize {
    let n = n.trunc();
    clamp(if n < 0.0 { len as f64 + n } else { n }, len)
}

fn clamp(n: f64, most: usize) -> usize {
    // What is no number or negative comes out as zero, what is too large as the largest.
    (n as usize).min(most)
}
