//! A scenario at work, on a page of its own, with a clock of its own.

use super::judge::{self, Pairing};
use super::seen::SeenStep;
use super::{Action, At, Mistake, Place, Scenario, Scripted, Stated, Which};
use crate::coverage::Coverage;
use crate::ledger::Entry;
use crate::person::Act;
use crate::session::Session;
use std::sync::Arc;
use vein_plan::{Answers, Name, Program, Value};
use vein_runtime::{Host, HostError, Question, QuestionId, Resources};
use vein_view::{NodeId, Tree};

/// Whose hands a person's actions are done with: those of the tree in memory, or of a browser.
pub trait Hands {
    /// Does something with the first element that a selector matches, and gives the pulses.
    ///
    /// # Errors
    /// Why it could not be done.
    fn act(
        &mut self,
        session: &mut Session,
        target: NodeId,
        act: &Act,
    ) -> Result<Vec<Entry>, String>;

    /// Is told what is done to the page next that no person does. Time that only goes by, and what
    /// nobody waits for any more, sets off no pulse.
    fn foresee(&mut self, _doing: Doing<'_>) {}

    /// Is told of a pulse that came from elsewhere, with the page as it is after that.
    ///
    /// # Errors
    /// Why it could not be shown.
    fn show(&mut self, session: &Session, entry: &Entry) -> Result<(), String>;

    /// What is not as it should be where the view is shown, once a step is done.
    fn compare(&mut self, session: &mut Session) -> Vec<String>;
}

/// What is done to a page and not by a person.
#[derive(Clone, Debug)]
pub enum Doing<'a> {
    /// It is opened: the component, its data, and what the host answers.
    Open(&'a str, &'a Value, &'a Scenario),
    /// The host writes a value to a path.
    Set(&'a str, &'a Value),
    /// The host calls a handler.
    Call(&'a str, &'a [Value]),
    /// A component gives an event: whose it is, the event, its payload.
    Give(&'a str, &'a str, &'a Value),
    /// The host answers a question.
    Answer(QuestionId, &'a Result<Value, String>),
    /// Time goes by.
    Wait,
    /// It is closed.
    Close,
}

/// A person at the tree in memory.
#[derive(Clone, Copy, Debug, Default)]
pub struct InMemory;

impl Hands for InMemory {
    fn act(
        &mut self,
        session: &mut Session,
        target: NodeId,
        act: &Act,
    ) -> Result<Vec<Entry>, String> {
        session.act(target, act).map_err(|refused| refused.why)
    }

    fn show(&mut self, _: &Session, _: &Entry) -> Result<(), String> {
        Ok(())
    }

    fn compare(&mut self, _: &mut Session) -> Vec<String> {
        Vec::new()
    }
}

/// A scenario at work.
pub struct Player<'s> {
    scenario: &'s Scenario,
    session: Option<Session>,
    script: Script<'s>,
    next: usize,
    pictures: bool,
    coverage: Option<Coverage>,
    /// What was seen when the page was opened, until it is told.
    opened: Option<(SeenStep, Vec<Mistake>)>,
    broken: bool,
}

/// What was done and seen in a step.
#[derive(Clone, Debug)]
pub struct PlayedStep {
    /// Its number, from one; zero is the opening.
    pub number: usize,
    /// What was done, in words.
    pub action: String,
    /// Where that was written.
    pub place: Place,
    /// What the author says about it.
    pub note: Option<String>,
    /// What it did.
    pub seen: SeenStep,
    /// Each statement of a change with what was seen of it, and what was seen and not stated.
    pub pairings: Vec<Pairing>,
    /// Everything that does not hold.
    pub mistakes: Vec<Mistake>,
    /// The view before and after, where pictures are taken.
    pub views: Option<Box<(Tree, Tree)>>,
}

impl PlayedStep {
    /// Whether all holds that was stated, and every pulse was exact.
    pub fn holds(&self) -> bool {
        self.mistakes.is_empty()
    }
}

/// All steps of a scenario.
#[derive(Clone, Debug, Default)]
pub struct Played {
    /// The opening, the steps that were played, and the end.
    pub steps: Vec<PlayedStep>,
    /// How many steps were left out because one before could not be done.
    pub left_out: usize,
}

impl Played {
    /// Whether all of it holds.
    pub fn holds(&self) -> bool {
        self.left_out == 0 && self.steps.iter().all(PlayedStep::holds)
    }

    /// Every pulse.
    pub fn entries(&self) -> impl Iterator<Item = &Entry> {
        self.steps.iter().flat_map(|step| &step.seen.entries)
    }

    /// Every mistake.
    pub fn mistakes(&self) -> impl Iterator<Item = &Mistake> {
        self.steps.iter().flat_map(|step| &step.mistakes)
    }
}

/// The answers that are ready, and the questions that are open.
struct Script<'s> {
    answers: &'s [Scripted],
    /// How many questions each answer's function had so far, by the answer: those that are spent.
    spent: Vec<bool>,
    due: Vec<Due>,
    open: Vec<Question>,
    order: u64,
}

struct Due {
    at: f64,
    order: u64,
    question: QuestionId,
    answer: Result<Value, String>,
}

impl<'s> Script<'s> {
    fn new(answers: &'s [Scripted]) -> Script<'s> {
        let spent = vec![false; answers.len()];
        Script { answers, spent, due: Vec::new(), open: Vec::new(), order: 0 }
    }

    /// Takes in what a pulse has asked and let go.
    fn follow(&mut self, entry: &Entry, now: f64) {
        for dropped in &entry.pulse.dropped {
            self.open.retain(|question| question.id != dropped.id);
            self.due.retain(|due| due.question != dropped.id);
        }
        for question in &entry.pulse.questions {
            self.ask(question, now);
            self.open.push(question.clone());
        }
    }

    fn ask(&mut self, question: &Question, now: f64) {
        let mut at = now;
        for (number, scripted) in self.answers.iter().enumerate() {
            if !is_for(scripted, question) || (!question.streams && self.spent[number]) {
                continue;
            }
            at += scripted.after;
            let answer = scripted.answer.clone();
            self.due.push(Due { at, order: self.order, question: question.id, answer });
            self.order += 1;
            // A question takes one answer, a stream all of them.
            if !question.streams {
                self.spent[number] = true;
                return;
            }
        }
    }

    /// When the next answer is due.
    fn next(&self) -> Option<f64> {
        self.due.iter().map(|due| due.at).min_by(f64::total_cmp)
    }

    fn take(&mut self) -> Option<Due> {
        let earliest = self
            .due
            .iter()
            .enumerate()
            .min_by(|(_, a), (_, b)| a.at.total_cmp(&b.at).then(a.order.cmp(&b.order)));
        let at = earliest.map(|(at, _)| at)?;
        Some(self.due.remove(at))
    }
}

fn is_for(scripted: &Scripted, question: &Question) -> bool {
    *scripted.function.value == *question.function && asked_with(&scripted.of, &question.args)
}

fn asked_with(of: &Option<Vec<Value>>, args: &[Value]) -> bool {
    of.as_ref().is_none_or(|of| {
        of.len() == args.len() && of.iter().zip(args).all(|(a, b)| a.same_or_zero(b))
    })
}

/// How a question is written: `fetch_forecast(2)`.
pub(super) fn shown_question(question: &Question) -> String {
    let args: Vec<String> = question.args.iter().map(ToString::to_string).collect();
    format!("{}({})", question.function, args.join(", "))
}

impl<'s> Player<'s> {
    /// Opens the scenario's component. `host` formats and cleans; what it answers, the scenario says.
    ///
    /// # Errors
    /// What is wrong with the scenario now that its component is known.
    pub fn open(
        program: &Arc<Program>,
        scenario: &'s Scenario,
        data: Value,
        host: Host,
        hands: &mut dyn Hands,
    ) -> Result<Player<'s>, Vec<Mistake>> {
        let known = known_functions(program);
        let unknown = scenario
            .answers
            .iter()
            .filter(|scripted| !known.iter().any(|(name, _)| **name == *scripted.function.value));
        let mut mistakes: Vec<Mistake> = Vec::new();
        for Scripted { function, .. } in unknown {
            let said = format!("no component asks, awaits or streams `{}`", function.value);
            let mistake = Mistake::new("unknown-function", &function.place, said);
            if !mistakes.iter().any(|known| known.place == function.place) {
                let names = known.iter().map(|(name, _)| &**name);
                mistakes.push(near_or_all(mistake, &function.value, names.collect()));
            }
        }
        mistakes.extend(misfits(program, &scenario.answers));
        if !mistakes.is_empty() {
            return Err(mistakes);
        }
        let (date, seed) = (Some(scenario.date.unwrap_or(0.0)), scenario.seed.unwrap_or(0));
        let host = Host { date, seed, ..answering(host, scenario, &known) };
        let name = &scenario.component.value;
        hands.foresee(Doing::Open(name, &data, scenario));
        let opened = Session::open(program.clone(), name, data.clone(), host);
        let (mut session, entry) =
            opened.map_err(|error| vec![opening_mistake(scenario, error)])?;
        session.prove(true);
        let mut script = Script::new(&scenario.answers);
        script.follow(&entry, 0.0);
        let (mut seen, mut mistakes) = (SeenStep::default(), Vec::new());
        if let Err(why) = hands.show(&session, &entry) {
            mistakes.push(Mistake::new("not-shown", &scenario.component.place, why));
        }
        seen.add(&session, entry);
        let mut player = Player {
            scenario,
            session: Some(session),
            script,
            next: 0,
            pictures: false,
            coverage: None,
            opened: None,
            broken: false,
        };
        // The answers that are ready at once.
        let due = player.run_until(0.0, hands, &mut seen);
        mistakes
            .extend(due.err().map(|why| Mistake::new("not-shown", &scenario.component.place, why)));
        player.opened = Some((seen, mistakes));
        Ok(player)
    }

    /// Whether the view is kept as it was before and after each step.
    pub fn take_pictures(&mut self, on: bool) {
        self.pictures = on;
    }

    /// Notes what is seen from now on, with what stands in the view already.
    pub fn cover(&mut self, mut coverage: Coverage) {
        coverage.next_page();
        let opened = self.opened.iter().flat_map(|(seen, _)| &seen.entries);
        opened.for_each(|entry| coverage.note(entry));
        if let Some(session) = self.session.as_mut() {
            coverage.look(session);
        }
        self.coverage = Some(coverage);
    }

    /// What was seen, where it was noted.
    pub fn take_coverage(&mut self) -> Option<Coverage> {
        self.coverage.take()
    }

    /// The page, as long as it is there.
    pub fn session(&mut self) -> Option<&mut Session> {
        self.session.as_mut()
    }

    /// Plays the rest of the scenario.
    pub fn finish(mut self, hands: &mut dyn Hands) -> Played {
        let mut played = Played::default();
        while let Some(step) = self.step(hands) {
            played.steps.push(step);
        }
        played.left_out = self.left_out();
        played
    }

    /// How many steps were not played because one before could not be done.
    pub fn left_out(&self) -> usize {
        match self.broken {
            true => self.scenario.steps.len().saturating_sub(self.next - 1),
            false => 0,
        }
    }

    /// Plays the next step: first the opening, at last the end, when the page is dropped and nothing
    /// may be left of it. `None` when all is played.
    pub fn step(&mut self, hands: &mut dyn Hands) -> Option<PlayedStep> {
        let number = self.next;
        let scenario = self.scenario;
        if number > 0 && (self.broken || number > scenario.steps.len()) {
            return self.end(hands);
        }
        self.next += 1;
        let Some((seen, mistakes)) = self.opened.take() else {
            return Some(self.play(number, &scenario.steps[number - 1], hands));
        };
        let session = self.session.as_mut()?;
        let mut played = PlayedStep {
            number: 0,
            action: format!("{} is opened", scenario.component.value),
            place: scenario.component.place.clone(),
            note: None,
            seen,
            pairings: Vec::new(),
            mistakes,
            views: self.pictures.then(|| Box::new((Tree::default(), session.tree().clone()))),
        };
        judge::opening(session, &scenario.opened, &mut played);
        played.mistakes.extend(elsewhere(hands, session, &played));
        Some(played)
    }

    fn play(&mut self, number: usize, step: &super::Step, hands: &mut dyn Hands) -> PlayedStep {
        let before = self.session.as_ref().filter(|_| self.pictures).map(|s| s.tree().clone());
        let selected = match &self.session {
            Some(session) => judge::selected(session.tree(), &step.stated),
            None => Vec::new(),
        };
        let mut played = PlayedStep {
            number,
            action: step.action.shown(),
            place: step.place.clone(),
            note: step.note.clone(),
            seen: SeenStep::default(),
            pairings: Vec::new(),
            mistakes: Vec::new(),
            views: None,
        };
        let mut seen = SeenStep::default();
        let done = self.action(step, hands, &mut seen).and_then(|()| {
            let now = self.session.as_ref().map_or(0.0, |session| session.runtime().now());
            let due = self.run_until(now, hands, &mut seen);
            due.map_err(|why| Mistake::new("not-shown", &step.place, why))
        });
        played.seen = seen;
        if let Err(mistake) = done {
            played.mistakes.push(mistake);
            self.broken = true;
        }
        match self.session.as_mut() {
            Some(session) => {
                judge::step(session, &step.stated, &selected, &mut played);
                played.mistakes.extend(elsewhere(hands, session, &played));
                played.views = before.map(|before| Box::new((before, session.tree().clone())));
            }
            // It was dropped.
            None => {
                judge::dropped(&step.stated, &mut played);
                played.views = before.map(|before| Box::new((before, Tree::default())));
            }
        }
        played
    }

    /// What is left once the page is dropped.
    fn end(&mut self, hands: &mut dyn Hands) -> Option<PlayedStep> {
        self.session.as_ref()?;
        let place = self.scenario.component.place.clone();
        let mut played = PlayedStep {
            number: self.next,
            action: "the page is dropped".into(),
            place: place.clone(),
            note: None,
            seen: SeenStep::default(),
            pairings: Vec::new(),
            mistakes: Vec::new(),
            views: None,
        };
        let mut seen = SeenStep::default();
        match self.drop_page(hands, &mut seen) {
            Ok(Some(left)) => played.mistakes.push(left_over(&place, &left)),
            Ok(None) => {}
            Err(why) => played.mistakes.push(Mistake::new("not-shown", &place, why)),
        }
        played.seen = seen;
        judge::faults(&Stated::default(), &mut played);
        Some(played)
    }

    /// Closes the page, and gives what is left of it.
    fn drop_page(
        &mut self,
        hands: &mut dyn Hands,
        seen: &mut SeenStep,
    ) -> Result<Option<Resources>, String> {
        let Some(mut session) = self.session.take() else { return Ok(None) };
        hands.foresee(Doing::Close);
        let entry = session.close();
        if let Some(coverage) = &mut self.coverage {
            coverage.note(&entry);
        }
        let shown = hands.show(&session, &entry);
        // Nothing of it stands any more: only its own record is kept.
        seen.entries.push(entry);
        let left = session.resources();
        let nodes = session.tree().len();
        shown?;
        if nodes > 0 {
            return Err(format!("{nodes} nodes are left in the view of a page that was dropped"));
        }
        Ok((!left.is_nothing()).then_some(left))
    }

    fn action(
        &mut self,
        step: &super::Step,
        hands: &mut dyn Hands,
        seen: &mut SeenStep,
    ) -> Result<(), Mistake> {
        let Some(session) = self.session.as_mut() else {
            let said = "the page was dropped: nothing more can be done with it";
            return Err(Mistake::new("dropped", &step.place, said));
        };
        let refused = |why: String, at: &Place| Mistake::new("refused", at, why);
        match &step.action {
            Action::Person(act, on) => {
                let (target, at) = match on {
                    Some(on) => (judge::find(session.tree(), on)?, &on.place),
                    None => {
                        let nobody = || refused("no element has the focus".into(), &step.place);
                        (session.tree().focused().ok_or_else(nobody)?, &step.place)
                    }
                };
                let entries = hands.act(session, target, act).map_err(|why| refused(why, at))?;
                for entry in entries {
                    let now = session.runtime().now();
                    self.script.follow(&entry, now);
                    note(&mut self.coverage, session, &entry);
                    seen.add(session, entry);
                }
                Ok(())
            }
            Action::Set(path, value) => {
                hands.foresee(Doing::Set(&path.value, &value.value));
                let entry = session
                    .set(&path.value, value.value.clone())
                    .map_err(|error| judge::host_mistake(error, path, &value.place))?;
                self.came(entry, hands, seen).map_err(|why| refused(why, &step.place))
            }
            Action::Call(name, with) => {
                hands.foresee(Doing::Call(&name.value, with));
                let entry = session
                    .call(&name.value, with.clone())
                    .map_err(|error| judge::host_mistake(error, name, &step.place))?;
                self.came(entry, hands, seen).map_err(|why| refused(why, &step.place))
            }
            Action::Give(event, by, payload) => {
                let owner = by.as_ref().map_or("", |by| by.value.as_str());
                let owner = super::read::normal(owner);
                hands.foresee(Doing::Give(&owner, &event.value, payload));
                let entry =
                    session.give(&owner, &event.value, payload.clone()).map_err(|error| {
                        let at = match (&error, by) {
                            (HostError::UnknownPath { path, .. }, Some(by)) if *path == owner => by,
                            _ => event,
                        };
                        judge::host_mistake(error, at, &step.place)
                    })?;
                self.came(entry, hands, seen).map_err(|why| refused(why, &step.place))
            }
            Action::Answer(function, of, answer) => {
                let open = self.script.open.iter().find(|question| {
                    *question.function == *function.value && asked_with(of, &question.args)
                });
                let Some(question) = open.map(|question| question.id) else {
                    return Err(self.nobody_asks(function));
                };
                self.answer(question, answer.clone(), hands, seen)
                    .map_err(|why| refused(why, &step.place))
            }
            Action::Wait(ms) => {
                let until = session.runtime().now() + ms;
                self.run_until(until, hands, seen).map_err(|why| refused(why, &step.place))
            }
            Action::Drop => match self.drop_page(hands, seen) {
                Ok(Some(left)) => Err(left_over(&step.place, &left)),
                Ok(None) => Ok(()),
                Err(why) => Err(refused(why, &step.place)),
            },
        }
    }

    fn nobody_asks(&self, function: &At<String>) -> Mistake {
        let said = format!("nobody waits for an answer of `{}`", function.value);
        let mistake = Mistake::new("not-asked", &function.place, said);
        let open: Vec<String> = self.script.open.iter().map(shown_question).collect();
        match open.as_slice() {
            [] => mistake.advice("no question is open"),
            open => {
                let names = self.script.open.iter().map(|question| &*question.function);
                let mistake = mistake.nearest(&function.value, names);
                mistake.advice(format!("open are: {}", open.join(", ")))
            }
        }
    }

    /// Goes on with a pulse that did not come from a person.
    fn came(
        &mut self,
        entry: Entry,
        hands: &mut dyn Hands,
        seen: &mut SeenStep,
    ) -> Result<(), String> {
        let Some(session) = self.session.as_mut() else { return Ok(()) };
        self.script.follow(&entry, session.runtime().now());
        note(&mut self.coverage, session, &entry);
        let shown = hands.show(session, &entry);
        seen.add(session, entry);
        shown
    }

    fn answer(
        &mut self,
        question: QuestionId,
        answer: Result<Value, String>,
        hands: &mut dyn Hands,
        seen: &mut SeenStep,
    ) -> Result<(), String> {
        let Some(session) = self.session.as_mut() else { return Ok(()) };
        hands.foresee(Doing::Answer(question, &answer));
        let entry = session.answer(question, answer.clone());
        if !session.runtime().is_open(question) {
            self.script.open.retain(|open| open.id != question);
            self.script.due.retain(|due| due.question != question);
        }
        entry.map_or(Ok(()), |entry| self.came(entry, hands, seen))
    }

    /// Runs everything that is due until some time, timers before answers of the same time.
    fn run_until(
        &mut self,
        until: f64,
        hands: &mut dyn Hands,
        seen: &mut SeenStep,
    ) -> Result<(), String> {
        for _ in 0..MOST_IN_A_WAIT {
            let answer = self.script.next().filter(|at| *at <= until);
            let Some(session) = self.session.as_mut() else { return Ok(()) };
            hands.foresee(Doing::Wait);
            if let Some(entry) = session.run_due(answer.unwrap_or(until)) {
                self.came(entry, hands, seen)?;
            } else if let Some(due) = answer.and_then(|_| self.script.take()) {
                self.answer(due.question, due.answer, hands, seen)?;
            } else {
                return Ok(());
            }
        }
        Err(format!("more than {MOST_IN_A_WAIT} timers and answers came due: wait less"))
    }
}

/// How many timers and answers may come due in one wait.
const MOST_IN_A_WAIT: usize = 100_000;

fn note(coverage: &mut Option<Coverage>, session: &mut Session, entry: &Entry) {
    if let Some(coverage) = coverage {
        coverage.note(entry);
        coverage.look(session);
    }
}

/// What is not as it should be where the view is shown.
fn elsewhere(hands: &mut dyn Hands, session: &mut Session, played: &PlayedStep) -> Vec<Mistake> {
    let found = hands.compare(session).into_iter();
    found.map(|said| Mistake::new("not-the-same", &played.place, said)).collect()
}

fn left_over(place: &Place, left: &Resources) -> Mistake {
    let counts = [
        (left.scopes, "component or row", "components and rows"),
        (left.timers, "timer", "timers"),
        (left.questions, "question", "questions"),
        (left.streams, "stream", "streams"),
        (left.subscriptions, "subscription", "subscriptions"),
        (left.reads, "followed read", "followed reads"),
    ];
    let said: Vec<String> = counts
        .iter()
        .filter(|(count, ..)| *count > 0)
        .map(|(count, one, many)| format!("{count} {}", if *count == 1 { one } else { many }))
        .collect();
    Mistake::new(
        "left-over",
        place,
        format!("the page was dropped and left behind {}", said.join(", ")),
    )
}

/// The functions that a program asks of its host, and when they are answered.
fn known_functions(program: &Program) -> Vec<(Name, Answers)> {
    let all = program.plans.iter().flat_map(|plan| &plan.asked);
    let mut known: Vec<(Name, Answers)> =
        all.map(|asked| (asked.name.clone(), asked.answers)).collect();
    known.sort_by(|(a, _), (b, _)| a.cmp(b));
    known.dedup();
    known
}

/// Answers that fit no function of their name.
fn misfits(program: &Program, answers: &[Scripted]) -> Vec<Mistake> {
    let misfit = |scripted: &Scripted| {
        let value = scripted.answer.as_ref().ok()?;
        let name = &*scripted.function.value;
        let all = program.plans.iter().flat_map(|plan| &plan.asked);
        let mut declared = all.filter(|asked| *asked.name == *name).peekable();
        let first = declared.peek().copied()?;
        let mut why = None;
        for asked in declared {
            match program.fit(asked.result, value, name) {
                Ok(_) => return None,
                Err(misfit) => why = why.or(Some(misfit)),
            }
        }
        let said = format!("this answer does not fit: {}", why?);
        let mistake = Mistake::new("misfit", &scripted.place, said);
        Some(mistake.advice(format!("it is declared as `{}`", program.signature(first))))
    };
    answers.iter().filter_map(misfit).collect()
}

/// A host that answers what the scenario says: at once what is asked at once, the rest as it comes.
fn answering(host: Host, scenario: &Scenario, known: &[(Name, Answers)]) -> Host {
    let mut host = Host { promised: None, ..host };
    for (name, when) in known {
        let here = scenario.answers.iter().filter(|scripted| *scripted.function.value == **name);
        let ready: Vec<Scripted> = here.cloned().collect();
        if *when != Answers::AtOnce || ready.is_empty() {
            continue;
        }
        let answer = move |args: &[Value]| {
            let found = ready.iter().find(|scripted| asked_with(&scripted.of, args));
            found.map_or_else(
                || Err("the scenario does not say what it answers for these".into()),
                |scripted| scripted.answer.clone(),
            )
        };
        host.functions.insert(name.clone(), Arc::new(answer));
    }
    host
}

/// Why a component could not be opened as the scenario wants it.
fn opening_mistake(scenario: &Scenario, error: HostError) -> Mistake {
    let data = match &scenario.data {
        super::Data::Nothing => &scenario.component.place,
        super::Data::Inline(value) => &value.place,
        super::Data::File(path) => &path.place,
    };
    let said = error.to_string();
    match &error {
        HostError::UnknownComponent { name, known } => {
            let mistake = Mistake::new("unknown-component", &scenario.component.place, said);
            mistake.nearest(name, known.iter().map(String::as_str))
        }
        HostError::UnknownProp { name, known, .. } => {
            let near = vein_plan::nearest(name, known.iter().map(String::as_str));
            let mistake = Mistake::new("wrong-data", data, said);
            match near {
                Some(near) => mistake.advice(format!("did you mean `{near}`?")),
                None => mistake,
            }
        }
        HostError::MissingProps { .. } | HostError::PropsNotAnObject | HostError::Misfit(_) => {
            Mistake::new("wrong-data", data, said)
        }
        HostError::Unanswered { component, missing } => {
            let said = format!(
                "`{component}` asks what the scenario does not answer: {}",
                missing.join(", ")
            );
            let mut mistake = Mistake::new("unanswered", &scenario.component.place, said);
            for one in missing {
                let name = one.split([' ', '(']).nth(1).unwrap_or("name");
                mistake = mistake.advice(format!("add `[answers.{name}]` with `value = …`"));
            }
            mistake
        }
        _ => Mistake::new("not-opened", &scenario.component.place, said),
    }
}

/// A mistake with the nearest of some names, or with all of them.
pub(super) fn near_or_all(mistake: Mistake, written: &str, known: Vec<&str>) -> Mistake {
    let mistake = mistake.nearest(written, known.iter().copied());
    match (&mistake.instead, known.as_slice()) {
        (Some(_), _) => mistake,
        (None, []) => mistake.advice("there are none"),
        (None, known) => mistake.advice(format!("there are: {}", known.join(", "))),
    }
}

/// Whether a statement is about elements that a selector finds.
pub(super) fn selector_of(part: &Which) -> Option<&str> {
    match part {
        Which::Element { selector, .. } => Some(selector),
        Which::Address(_) => None,
    }
}
