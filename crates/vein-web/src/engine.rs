//! Pages at work, told by commands what to do, and what comes of each command.

use crate::answering::{self, Question};
use crate::wire;
use rustc_hash::FxHashSet;
use std::sync::Arc;
use vein_plan::{Answers, EventField, Name, Program, Property, Record, Value};
use vein_runtime::{Delivery, Host, Pulse, QuestionId, Runtime};
use vein_view::Restored;

/// What a page can be told to do; the numbers are those of the browser's side.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Command {
    /// Takes in the program: its bytes.
    Load,
    /// Opens a component: its name, its props, the functions that the page's script answers.
    Open,
    /// An event that listeners heard: its type, pairs of node and listener, fields by name, and how many batches
    /// with patches in them the page had applied; of a `reset` also what has gone back: number, property, what it
    /// was and what it is, for each.
    Event,
    /// Writes to a path: the path, the value.
    Set,
    /// Calls a handler: its name, the arguments.
    Call,
    /// Reads a path: the path.
    Get,
    /// Answers a question: its number, the value.
    Answer,
    /// Fails a question: its number, the reason.
    Fail,
    /// Ends a stream: its number.
    Finish,
    /// Runs what is due next, up to now.
    Advance,
    /// Tells of each change of what stands at a path: the path.
    Watch,
    /// Tells no more of a path: its number.
    Unwatch,
    /// Closes the page.
    Close,
    /// What there is of everything that comes and goes.
    Left,
    /// Has a component give one of its events: whose it is, the event, its payload.
    Give,
}

impl Command {
    /// All commands, by their numbers.
    pub const ALL: [Command; 15] = [
        Command::Load,
        Command::Open,
        Command::Event,
        Command::Set,
        Command::Call,
        Command::Get,
        Command::Answer,
        Command::Fail,
        Command::Finish,
        Command::Advance,
        Command::Watch,
        Command::Unwatch,
        Command::Close,
        Command::Left,
        Command::Give,
    ];
}

/// What came of a command.
#[derive(Debug, Default)]
pub struct Outcome {
    /// The batch of patches, or nothing.
    pub patches: Vec<u8>,
    /// What the page's script is told, as a record; nothing where there is nothing to tell.
    pub told: Vec<u8>,
    /// When the next timer is due, by the script's clock; infinity for never.
    pub due: f64,
    /// What is asked of functions that are answered in this module.
    pub inside: Vec<Question>,
}

/// The pages of a module.
#[derive(Debug, Default)]
pub struct Engine {
    program: Option<Arc<Program>>,
    pages: Vec<Option<Open>>,
}

#[derive(Debug)]
struct Open {
    number: usize,
    runtime: Runtime,
    /// When it was opened, by the clock of the page's script.
    began: f64,
    watched: Vec<Option<(String, Value)>>,
    /// What others than the page's script did to it, which the script has not fetched.
    unfetched: Vec<Pulse>,
}

/// What is told of a pulse or a command, field by field.
#[derive(Default)]
struct Told(Vec<(Name, Value)>);

impl Told {
    fn say(&mut self, name: &str, value: impl Into<Value>) {
        self.0.push((name.into(), value.into()));
    }

    fn bytes(self) -> Vec<u8> {
        let mut out = Vec::new();
        if !self.0.is_empty() {
            wire::write(&Value::record(self.0), &mut out);
        }
        out
    }
}

fn list(items: impl Iterator<Item = Value>) -> Value {
    Value::list(items.collect())
}

fn failed(why: impl ToString) -> Outcome {
    let mut told = Told::default();
    told.say("error", Value::from(why.to_string()));
    Outcome { told: told.bytes(), due: f64::INFINITY, ..Outcome::default() }
}

impl Engine {
    /// Does what a page is told at a time of the script's clock. `given` is a list of what the command
    /// says, or the program's bytes.
    pub fn run(&mut self, page: usize, command: Command, given: &[u8], now: f64) -> Outcome {
        if command == Command::Load {
            return match Program::from_bytes(given) {
                Ok(program) => {
                    self.program = Some(Arc::new(program));
                    Outcome { due: f64::INFINITY, ..Outcome::default() }
                }
                Err(error) => failed(error),
            };
        }
        let names = self.program.as_ref().map_or(&[][..], |program| &program.names);
        let given = match wire::read(given, names) {
            Some(Value::List(given)) => given,
            _ => return failed("what the page's script says cannot be read"),
        };
        if command == Command::Open {
            return self.open(&given, now);
        }
        let Some(open) = self.pages.get_mut(page).and_then(Option::as_mut) else {
            return failed("this page is closed");
        };
        let outcome = open.run(command, &given, now - open.began);
        if command == Command::Close {
            self.pages[page] = None;
        }
        outcome
    }

    fn open(&mut self, given: &[Value], now: f64) -> Outcome {
        let Some(program) = self.program.clone() else {
            return failed("no program was loaded");
        };
        let [Value::String(component), props, Value::List(answered)] = given else {
            return failed("a page is opened with a component, its props and what is answered");
        };
        let page = self.pages.iter().position(Option::is_none).unwrap_or(self.pages.len());
        let host = host(&program, page, answered);
        let opened = Runtime::open_with(program, &component.to_utf8(), props.clone(), host);
        let (runtime, pulse) = match opened {
            Ok(opened) => opened,
            Err(error) => return failed(error),
        };
        let (watched, unfetched) = (Vec::new(), Vec::new());
        let mut open = Open { number: page, runtime, began: now, watched, unfetched };
        let mut told = Told::default();
        told.say("page", page as f64);
        let outcome = open.outcome(Some(pulse), told);
        if page == self.pages.len() {
            self.pages.push(None);
        }
        self.pages[page] = Some(open);
        outcome
    }

    /// Does something to a page in a pulse that its script did not ask for; the script is to fetch what
    /// came of it. `false` where there was no pulse.
    pub fn do_to(&mut self, page: usize, act: impl FnOnce(&mut Runtime) -> Option<Pulse>) -> bool {
        let Some(open) = self.pages.get_mut(page).and_then(Option::as_mut) else { return false };
        let pulse = act(&mut open.runtime);
        let some = pulse.is_some();
        open.unfetched.extend(pulse);
        some
    }

    /// The next of what was done to a page without its script.
    pub fn fetch(&mut self, page: usize) -> Outcome {
        let open = self.pages.get_mut(page).and_then(Option::as_mut);
        match open {
            Some(open) if !open.unfetched.is_empty() => {
                let pulse = open.unfetched.remove(0);
                open.outcome(Some(pulse), Told::default())
            }
            _ => Outcome { due: f64::INFINITY, ..Outcome::default() },
        }
    }
}

/// What the page's script and the module around the engine answer.
fn host(program: &Arc<Program>, page: usize, answered: &[Value]) -> Host {
    let by_script: FxHashSet<String> =
        answered.iter().map(|name| name.to_text().to_string()).collect();
    let clean = Some(crate::boundary::clean as vein_runtime::Clean);
    let mut host = Host { quiet: true, clean, ..answering::formatting(page) };
    let mut promised = FxHashSet::default();
    for asked in program.plans.iter().flat_map(|plan| &plan.asked) {
        let inside = answering::answers(&asked.name);
        if !inside && !by_script.contains(&*asked.name) {
            continue;
        }
        match asked.answers {
            Answers::AtOnce => {
                let answer = answering::at_once(page, program.clone(), asked.name.clone(), inside);
                host.functions.insert(asked.name.clone(), answer);
            }
            _ => drop(promised.insert(asked.name.clone())),
        }
    }
    host.promised = Some(promised);
    host
}

impl Open {
    fn run(&mut self, command: Command, given: &[Value], now: f64) -> Outcome {
        let mut told = Told::default();
        // What is due is run by commands of its own; what begins now begins at this time.
        if self.runtime.next_due().is_none_or(|due| due > now) {
            self.runtime.run_due(now);
        }
        let word = |at: usize| given.get(at).map_or(String::new(), |v| v.to_text().to_string());
        let value = |at: usize| given.get(at).cloned().unwrap_or_default();
        let question = || QuestionId(value(0).to_number() as u64);
        let pulse = match command {
            Command::Load | Command::Open => None,
            Command::Event => Some(self.event(given)),
            Command::Set => match self.runtime.set(&word(0), value(1)) {
                Ok(pulse) => Some(pulse),
                Err(error) => return failed(error),
            },
            Command::Give => match self.runtime.emit(&word(0), &word(1), value(2)) {
                Ok(pulse) => Some(pulse),
                Err(error) => return failed(error),
            },
            Command::Call => {
                let args = match value(1) {
                    Value::List(args) => args.to_vec(),
                    _ => Vec::new(),
                };
                match self.runtime.call(&word(0), args) {
                    Ok(pulse) => Some(pulse),
                    Err(error) => return failed(error),
                }
            }
            Command::Get => match self.runtime.get(&word(0)) {
                Ok(value) => {
                    told.say("value", value);
                    None
                }
                Err(error) => return failed(error),
            },
            Command::Answer => self.runtime.answer(question(), Ok(value(1))),
            Command::Fail => self.runtime.answer(question(), Err(word(1))),
            Command::Finish => {
                self.runtime.finish(question());
                None
            }
            Command::Advance => self.runtime.run_due(now),
            Command::Watch => match self.runtime.get(&word(0)) {
                Ok(value) => {
                    let free = self.watched.iter().position(Option::is_none);
                    let at = free.unwrap_or(self.watched.len());
                    if at == self.watched.len() {
                        self.watched.push(None);
                    }
                    self.watched[at] = Some((word(0), value.clone()));
                    told.say("watch", at as f64);
                    told.say("value", value);
                    None
                }
                Err(error) => return failed(error),
            },
            Command::Unwatch => {
                if let Some(slot) = self.watched.get_mut(value(0).to_number() as usize) {
                    *slot = None;
                }
                None
            }
            Command::Close => {
                self.watched.clear();
                let pulse = self.runtime.close();
                told.say("left", left(&self.runtime));
                Some(pulse)
            }
            Command::Left => {
                told.say("left", left(&self.runtime));
                None
            }
        };
        self.outcome(pulse, told)
    }

    fn event(&mut self, given: &[Value]) -> Pulse {
        let nothing = Value::Null;
        let at = |at: usize| given.get(at).unwrap_or(&nothing);
        let (kind, reached, told) = (at(0).to_text(), at(1), at(2));
        let seen = at(3).to_number() as u32;
        let reached = match reached {
            Value::List(reached) => &reached[..],
            _ => &[],
        };
        let field = |field: EventField| {
            let told = match told {
                Value::Record(told) => told.get(field.name()).cloned(),
                _ => None,
            };
            let empty = field.empty();
            // A field is of its type, or empty.
            let fits =
                |value: &Value| std::mem::discriminant(value) == std::mem::discriminant(&empty);
            told.filter(fits).unwrap_or_else(|| empty.clone())
        };
        let deliveries = reached.chunks_exact(2).filter_map(|pair| {
            let (node, listener) = (pair[0].to_number() as u32, pair[1].to_number() as u32);
            let fields = &self.runtime.listener_seen(node, listener, seen)?.fields;
            let pairs = fields.iter().map(|f| (Name::from(f.name()), field(*f)));
            let event = Value::Record(Arc::new(Record::new(pairs)));
            Some(Delivery { node, listener, event })
        });
        let deliveries: Vec<Delivery> = deliveries.collect();
        if let Value::List(told) = at(4) {
            let restored = told.chunks_exact(4).filter_map(|told| self.restored(told, seen));
            let restored: Vec<Restored> = restored.collect();
            return self.runtime.reset("form", deliveries, &restored);
        }
        self.runtime.dispatch(&kind.to_utf8(), "the page", deliveries)
    }

    /// What has gone back in a form that was reset: the control's number, the property, what it was and what it
    /// is.
    fn restored(&self, told: &[Value], seen: u32) -> Option<Restored> {
        let node = told[0].to_number() as u32;
        let property = Property::named(&told[1].to_text().to_utf8())?;
        let (was, held) = (property.read(&told[2])?, property.read(&told[3])?);
        self.runtime.has_seen(node, seen).then_some(Restored { node, property, was, held })
    }

    /// What came of a command, and of the pulse that it set off.
    fn outcome(&mut self, pulse: Option<Pulse>, mut told: Told) -> Outcome {
        let (mut patches, mut inside) = (Vec::new(), Vec::new());
        if let Some(pulse) = pulse {
            if !pulse.patches.is_empty() {
                patches = pulse.patches.to_bytes();
            }
            inside = self.tell(pulse, &mut told);
            self.tell_watched(&mut told);
        }
        let due = self.runtime.next_due().unwrap_or(f64::INFINITY);
        Outcome { patches, told: told.bytes(), due: due + self.began, inside }
    }

    /// What a pulse has to say beside its patches; gives what is asked of this module.
    fn tell(&self, pulse: Pulse, told: &mut Told) -> Vec<Question> {
        if let Some(fault) = &pulse.fault {
            told.say("fault", Value::from(format!("{}: {fault}", pulse.cause)));
        }
        if !pulse.problems.is_empty() {
            let problems = pulse.problems.iter().map(|problem| Value::from(problem.to_string()));
            told.say("problems", list(problems));
        }
        if !pulse.given.is_empty() {
            let given = pulse.given.into_iter().map(|given| {
                Value::list(vec![Value::from(&*given.name), Value::record(given.payload)])
            });
            told.say("given", list(given));
        }
        let (inside, outside): (Vec<_>, Vec<_>) = pulse
            .questions
            .into_iter()
            .partition(|question| answering::answers(&question.function));
        let asked: Vec<Value> = outside.into_iter().map(asked).collect();
        if !asked.is_empty() {
            told.say("asked", Value::list(asked));
        }
        if !pulse.dropped.is_empty() {
            told.say("dropped", list(pulse.dropped.iter().map(|d| Value::from(d.id.0 as f64))));
        }
        let page = self.number;
        inside.into_iter().map(|asked| Question::new(page, asked)).collect()
    }

    fn tell_watched(&mut self, told: &mut Told) {
        let mut changed = Vec::new();
        for (number, slot) in self.watched.iter_mut().enumerate() {
            let Some((path, last)) = slot else { continue };
            // What is gone, such as an item of a list, is `null`.
            let value = self.runtime.get(path).unwrap_or_default();
            if !value.same_or_zero(last) {
                *last = value.clone();
                changed.push(Value::list(vec![Value::from(number as f64), value]));
            }
        }
        if !changed.is_empty() {
            told.say("watched", Value::list(changed));
        }
    }
}

/// A question, as the page's script is told of it.
fn asked(question: vein_runtime::Question) -> Value {
    let vein_runtime::Question { id, function, streams, args } = question;
    Value::record([
        ("id".into(), Value::from(id.0 as f64)),
        ("name".into(), Value::from(&*function)),
        ("streams".into(), Value::from(streams)),
        ("args".into(), Value::list(args)),
    ])
}

/// What there is of everything that comes and goes, by name.
fn left(runtime: &Runtime) -> Value {
    let left = runtime.left();
    let counts = [
        ("scopes", left.scopes),
        ("timers", left.timers),
        ("questions", left.questions),
        ("streams", left.streams),
        ("subscriptions", left.subscriptions),
        ("reads", left.reads),
    ];
    Value::record(counts.map(|(name, count)| (Name::from(name), Value::from(count as f64))))
}
