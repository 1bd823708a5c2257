//! A component on a page in memory, as a host sees it.

use crate::driven::{Came, Driven, Handed, Remote, arguments};
use crate::error::Error;
use crate::opening::{Begin, PageBuilder};
use crate::subscription::{Subscription, Subscriptions};
use rustc_hash::FxHashMap;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::task::{Context, Poll, Waker};
use vein_plan::{Name, Property, Value, to_json};
use vein_proof::{Act, Entry, Session};
use vein_runtime::{Carried, Lost, Problem, Question, QuestionId, Resources};
use vein_view::{Event, Layout, Mates, NodeId, Tree};

/// A component on a page in memory.
pub struct Page {
    session: Session,
    opening: Entry,
    subscriptions: Subscriptions,
    driven: Driven,
    answered: Option<Answered>,
}

/// A question of a page, and the answer to it or why there is none.
pub type Answered = (Question, Result<Value, String>);

/// What became of a page that another was opened in the place of. That one is closed when this is dropped.
pub struct Renewed {
    /// How many values of state went on.
    pub kept: usize,
    /// What could not be taken along.
    pub lost: Vec<Lost>,
    /// Which nodes of the view before stay.
    pub mates: Mates,
    _before: Session,
}

impl std::fmt::Debug for Renewed {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Renewed").field("kept", &self.kept).field("lost", &self.lost).finish()
    }
}

impl Page {
    pub(crate) fn new(
        mut session: Session,
        opening: Entry,
        later: FxHashMap<Name, Begin>,
        proving: bool,
    ) -> Result<Page, Error> {
        session.prove(proving);
        let (subscriptions, mut driven) = (Subscriptions::default(), Driven::new(later));
        driven.follow(&opening.pulse.questions, &[]);
        Ok(Page { session, opening, subscriptions, driven, answered: None })
    }

    /// Opens a component in the place of this page, with all that this one holds: state whose name and type still fit, of whatever
    /// still stands at its address, timers, questions and streams. So a page goes on when its components were changed, and nothing
    /// that runs when components come and go runs for those that stay. `props` are for those that this page has none of.
    ///
    /// # Errors
    /// As [`PageBuilder::open`]; then this page stays as it is.
    ///
    /// ```
    /// let text = |more| format!("holds n = 0\n<button click='-> n++'>{{n}}{more}</button>");
    /// let ui = |more| vein::Ui::from_sources([("a-count.vein", text(more))]);
    /// let mut page = ui("")?.open("a-count", ())?;
    /// page.find("button")?.click()?;
    /// let renewed = page.renew(ui(" times")?.page("a-count"), vein::Value::Null)?;
    /// assert_eq!(page.html(), "<button>1 times</button>");
    /// assert!(renewed.lost.is_empty());
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn renew(&mut self, opening: PageBuilder, props: Value) -> Result<Renewed, Error> {
        let carried = self.session.carried();
        let kept = carried.instances.iter().map(|instance| instance.values.len()).sum();
        self.take_the_place(opening, props, Some(carried), kept)
    }

    /// As [`Page::renew`], with nothing of what this page holds: only nodes of the view stay.
    ///
    /// # Errors
    /// As [`Page::renew`].
    pub fn begin_anew(&mut self, opening: PageBuilder, props: Value) -> Result<Renewed, Error> {
        self.take_the_place(opening, props, None, 0)
    }

    fn take_the_place(
        &mut self,
        opening: PageBuilder,
        props: Value,
        carried: Option<Carried>,
        held: usize,
    ) -> Result<Renewed, Error> {
        let (mut session, entry, lost, later, proving) = opening.in_place(props, carried)?;
        let kept = held.saturating_sub(lost.len());
        let mates = session.mates(&mut self.session);
        session.prove(proving);
        let before = std::mem::replace(&mut self.session, session);
        let runtime = self.session.runtime();
        self.driven.renewed(later, |id| runtime.is_open(id));
        self.opening = self.done(entry)?;
        Ok(Renewed { kept, lost, mates, _before: before })
    }

    /// Which nodes of the view of another page, which is shown, stay when this one is shown in its place.
    pub fn mates(&mut self, shown: &mut Page) -> Mates {
        self.session.mates(&mut shown.session)
    }

    /// What the page holds that nobody could work out again, to be written down: [`PageBuilder::open_with`] goes on with it.
    pub fn held(&mut self) -> Value {
        self.session.carried().to_value()
    }

    /// Turns proof on or off. It is on when a page is opened; it costs a fresh rendering of
    /// the view for every pulse.
    pub fn prove(&mut self, on: bool) {
        self.session.prove(on);
    }

    /// Whether pulses say what changed, in values and in the view; they do at first. Without
    /// proof and without that a pulse costs least.
    pub fn record(&mut self, on: bool) {
        self.session.record(on);
    }

    /// The pulse that showed the page first.
    pub fn opening(&self) -> &Entry {
        &self.opening
    }

    /// The page as HTML.
    pub fn html(&self) -> String {
        self.session.tree().html()
    }

    /// The page as HTML, broken over lines for people.
    pub fn html_indented(&self) -> String {
        let tree = self.session.tree();
        tree.html_of(tree.root(), Layout::Indented)
    }

    /// The first element that a CSS selector matches, as HTML broken over lines for people.
    ///
    /// # Errors
    /// A selector that does not parse or matches nothing.
    pub fn html_of(&self, selector: &str) -> Result<String, Error> {
        let tree = self.session.tree();
        match tree.select(selector)?.first() {
            Some(node) => Ok(tree.html_of(*node, Layout::Indented)),
            None => {
                let (selector, html) = (selector.to_owned(), self.html_indented());
                Err(Error::NotFound { selector, html })
            }
        }
    }

    /// The outline of the view: each part with its address, where it was written, what it reads.
    pub fn outline(&self) -> Vec<vein_proof::Row> {
        vein_proof::outline::outline(self.session.runtime())
    }

    /// The tree in memory.
    pub fn tree(&self) -> &Tree {
        self.session.tree()
    }

    /// The first element that a CSS selector matches.
    ///
    /// # Errors
    /// A selector that does not parse or matches nothing.
    pub fn find(&mut self, selector: &str) -> Result<FoundElement<'_>, Error> {
        let found = self.session.tree().select(selector)?;
        match found.first() {
            Some(node) => Ok(FoundElement { node: *node, page: self }),
            None => {
                let (selector, html) = (selector.to_owned(), self.html_indented());
                Err(Error::NotFound { selector, html })
            }
        }
    }

    /// How many elements a CSS selector matches.
    ///
    /// # Errors
    /// A selector that does not parse.
    pub fn count(&self, selector: &str) -> Result<usize, Error> {
        Ok(self.session.tree().select(selector)?.len())
    }

    /// Writes a value to a prop or to state, by a path such as `bed.moisture`.
    ///
    /// # Errors
    /// A path to nothing or to a derived value, or a value of the wrong type.
    pub fn set(&mut self, path: &str, value: impl Serialize) -> Result<Entry, Error> {
        let entry = self.session.set(path, serde_json::to_value(value)?)?;
        self.succeeded(entry)
    }

    /// Calls a handler of the component, `pour`, or of a store, `tank.draw`. The arguments are a
    /// tuple, `()` for none; a single one that is no list may stand alone.
    ///
    /// # Errors
    /// An unknown handler, arguments that do not fit, or a pulse that was taken back.
    ///
    /// ```
    /// let ui = vein::Ui::from_sources([
    ///     ("water-tank.vein", "store tank\nholds litres = 60\ndoes draw(n: number) { litres -= n }"),
    ///     ("tank-gauge.vein", "uses tank\n<p>{tank.litres} l</p>"),
    /// ])?;
    /// let mut page = ui.open("tank-gauge", ())?;
    /// page.call("tank.draw", 2.5)?.assert_exact()?;
    /// assert_eq!(page.get::<f64>("tank.litres")?, 57.5);
    /// assert_eq!(page.html(), "<p>57.5 l</p>");
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn call(&mut self, handler: &str, args: impl Serialize) -> Result<Entry, Error> {
        let entry = self.session.call(handler, arguments(args)?)?;
        self.succeeded(entry)
    }

    /// Reads a prop, state or a derived value, by a path such as `bed.moisture`.
    ///
    /// # Errors
    /// A path to nothing, or a value that does not fit the type wanted.
    pub fn get<T: DeserializeOwned>(&mut self, path: &str) -> Result<T, Error> {
        Ok(serde_json::from_value(to_json(&self.session.get(path)?))?)
    }

    /// Calls a closure with the payload of each event of a name that the component gives, for as
    /// long as the subscription is kept. The payload comes as an object: a struct with the payload's
    /// names fits it.
    ///
    /// # Errors
    /// A name that the component does not give.
    ///
    /// ```
    /// #[derive(serde::Deserialize)]
    /// struct Water { litres: f64 }
    ///
    /// let ui = vein::Ui::from_sources([("a-tap.vein",
    ///     "gives water(litres: number)\n<button click='-> give water(2)'>Water</button>")])?;
    /// let mut page = ui.open("a-tap", ())?;
    /// let (send, receive) = std::sync::mpsc::channel();
    /// let watering = page.on("water", move |water: Water| send.send(water.litres).unwrap())?;
    /// page.find("button")?.click()?;
    /// assert_eq!(receive.try_recv(), Ok(2.0));
    /// drop(watering);
    /// page.find("button")?.click()?;
    /// assert!(receive.try_recv().is_err());
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn on<T: DeserializeOwned>(
        &mut self,
        event: &str,
        hear: impl FnMut(T) + Send + 'static,
    ) -> Result<Subscription, Error> {
        let events = &self.session.runtime().plan().events;
        if !events.iter().any(|known| *known.name == *event) {
            let known = events.iter().map(|event| event.name.to_string()).collect();
            return Err(Error::UnknownEvent { name: event.into(), known });
        }
        Ok(self.subscriptions.event(event, hear))
    }

    /// Calls a closure with the value at a path whenever that has become another, for as long as the
    /// subscription is kept. Where nothing stands any more, the value is `null`.
    ///
    /// The last value is kept for comparing: watching a whole list costs a copy of it whenever
    /// something in it changes.
    ///
    /// # Errors
    /// A path to nothing.
    ///
    /// ```
    /// let ui = vein::Ui::from_sources([("a-tap.vein",
    ///     "holds litres = 0\nderives low = litres < 4\n<p click='-> litres += 2'>{low}</p>")])?;
    /// let mut page = ui.open("a-tap", ())?;
    /// let (send, receive) = std::sync::mpsc::channel();
    /// let watching = page.watch("low", move |low: bool| send.send(low).unwrap())?;
    /// page.find("p")?.click()?;
    /// page.find("p")?.click()?;
    /// assert_eq!(receive.try_iter().collect::<Vec<_>>(), [false]);
    /// # drop(watching);
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn watch<T: DeserializeOwned>(
        &mut self,
        path: &str,
        hear: impl FnMut(T) + Send + 'static,
    ) -> Result<Subscription, Error> {
        let now = self.session.get(path)?;
        Ok(self.subscriptions.path(path, Some(now), hear))
    }

    /// How many subscriptions of the host there are.
    pub fn subscriptions(&mut self) -> usize {
        self.subscriptions.count()
    }

    /// Moves the page's clock on by some milliseconds and runs what has become due, in the order of
    /// time. A timer runs once for each of its periods, however far the clock jumps.
    ///
    /// A pulse that was taken back is among them, with its fault.
    ///
    /// # Errors
    /// An event's payload that does not fit who hears it; what is due after it is run by the next
    /// call.
    pub fn advance(&mut self, milliseconds: f64) -> Result<Vec<Entry>, Error> {
        let until = self.session.runtime().now() + milliseconds.max(0.0);
        let mut entries = Vec::new();
        while let Some(entry) = self.session.run_due(until) {
            entries.push(self.done(entry)?);
        }
        Ok(entries)
    }

    /// As [`Page::advance`], as long as `goes_on` says so after each pulse: for hosts in real time, whose clock goes on while pulses
    /// run. Where it does not, the periods of timers that have gone by are left out, but for the last of each, and the next pulse of
    /// such a timer says how many those were. What is still due is run by the next call; [`Page::now`] tells how far this one came.
    ///
    /// # Errors
    /// As [`Page::advance`].
    ///
    /// ```
    /// let ui = vein::Ui::from_sources([("a-clock.vein", "holds n = 0\nupon every (10) { n++ }\n<p>{n}</p>")])?;
    /// let mut page = ui.open("a-clock", ())?;
    /// assert_eq!(page.advance_while(1000.0, || false)?.len(), 1);
    /// let pulses = page.advance_while(1000.0 - page.now(), || true)?;
    /// assert_eq!((pulses.len(), page.html().as_str()), (1, "<p>2</p>"));
    /// let told = pulses[0].pulse.problems[0].to_string();
    /// assert_eq!(told, "upon every (10): 98 of its periods were missed, since pulses take longer");
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn advance_while(
        &mut self,
        milliseconds: f64,
        mut goes_on: impl FnMut() -> bool,
    ) -> Result<Vec<Entry>, Error> {
        let until = self.session.runtime().now() + milliseconds.max(0.0);
        let mut entries = Vec::new();
        while entries.is_empty() || goes_on() {
            match self.session.run_due(until) {
                Some(entry) => entries.push(self.done(entry)?),
                None => return Ok(entries),
            }
        }
        self.session.skip_missed(until);
        Ok(entries)
    }

    /// The next pulse that comes from outside: an answer, an item of a stream, what another thread
    /// handed over. Wait for it in whatever executor there is, or poll it by hand. A pulse that was
    /// taken back comes, too, with its fault.
    ///
    /// # Errors
    /// An answer or a write that does not fit.
    pub async fn next(&mut self) -> Result<Entry, Error> {
        std::future::poll_fn(|cx| self.poll_next(cx)).await
    }

    /// As [`Page::next`], for those who poll by hand.
    ///
    /// # Errors
    /// As [`Page::next`].
    pub fn poll_next(&mut self, cx: &mut Context<'_>) -> Poll<Result<Entry, Error>> {
        self.poll_came(cx).map(|came| match came? {
            (_, Some(misfit)) => Err(Error::WrongAnswer(misfit)),
            (entry, None) => Ok(entry),
        })
    }

    /// As [`Page::poll_next`], for surfaces, which have to show whatever a pulse did: an answer that does not fit is told of by a
    /// problem of its pulse alone.
    ///
    /// # Errors
    /// A write that does not fit.
    pub fn poll_pulse(&mut self, cx: &mut Context<'_>) -> Poll<Result<Entry, Error>> {
        self.poll_came(cx).map(|came| came.map(|(entry, _)| entry))
    }

    fn poll_came(&mut self, cx: &mut Context<'_>) -> Poll<Result<(Entry, Option<String>), Error>> {
        loop {
            let Poll::Ready(came) = self.driven.poll(cx) else { return Poll::Pending };
            let entry = match came {
                Came::Answer(id, answer) => match self.answer_question(id, answer) {
                    Ok(Some(answered)) => return Poll::Ready(Ok(answered)),
                    // Nobody waits for it any more.
                    Ok(None) => continue,
                    Err(error) => return Poll::Ready(Err(error)),
                },
                Came::End(id) => {
                    self.finish(id);
                    continue;
                }
                Came::Handed(Handed::Set(path, value)) => {
                    self.session.set(&path, value).map_err(Error::from)
                }
                Came::Handed(Handed::Call(name, args)) => {
                    self.session.call(&name, args).map_err(Error::from)
                }
            };
            return Poll::Ready(entry.and_then(|entry| Ok((self.done(entry)?, None))));
        }
    }

    /// Takes in everything that has come from outside by now, without waiting.
    ///
    /// # Errors
    /// As [`Page::next`]; what comes after it is taken in by the next call.
    pub fn answers_now(&mut self) -> Result<Vec<Entry>, Error> {
        let mut cx = Context::from_waker(Waker::noop());
        let mut entries = Vec::new();
        while let Poll::Ready(entry) = self.poll_next(&mut cx) {
            entries.push(entry?);
        }
        Ok(entries)
    }

    /// A handle through which any thread hands writes and calls to this page.
    pub fn remote(&self) -> Remote {
        self.driven.remote()
    }

    /// The questions that are left to whoever drives the page
    /// ([`PageBuilder::manual_answers`](crate::PageBuilder::manual_answers)).
    pub fn questions(&self) -> &[Question] {
        &self.driven.by_hand
    }

    /// Answers such a question, or an item of such a stream; `None` when nobody waits for it.
    ///
    /// # Errors
    /// An answer that does not fit, or a pulse that was taken back.
    pub fn answer(
        &mut self,
        question: QuestionId,
        answer: Result<Value, String>,
    ) -> Result<Option<Entry>, Error> {
        match self.answer_question(question, answer)? {
            Some((_, Some(misfit))) => Err(Error::WrongAnswer(misfit)),
            Some((entry, None)) => match &entry.pulse.fault {
                Some(fault) => Err(Error::Failed(fault.clone())),
                None => Ok(Some(entry)),
            },
            None => Ok(None),
        }
    }

    /// A stream has no more to say: what it said last stays.
    ///
    /// ```
    /// let ui = vein::Ui::from_sources([("a-gauge.vein",
    ///     "streams sensor(): number\nfollows level: number = sensor()\n<p>{level}</p>")])?;
    /// let mut page = ui.page("a-gauge").manual_answers().open(())?;
    /// let question = page.questions()[0].id;
    /// page.answer(question, Ok(vein::Value::from(3.0)))?;
    /// page.finish(question);
    /// assert_eq!((page.html().as_str(), page.questions().len()), ("<p>3</p>", 0));
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn finish(&mut self, question: QuestionId) {
        self.session.finish(question);
        self.driven.done(question);
    }

    /// As [`Page::answer`], for surfaces, which have to show whatever a pulse did: an answer that does not fit, and a pulse that was
    /// taken back, are told of in the pulse.
    ///
    /// # Errors
    /// An event's payload that does not fit who hears it.
    pub fn answered(
        &mut self,
        question: QuestionId,
        answer: Result<Value, String>,
    ) -> Result<Option<Entry>, Error> {
        Ok(self.answer_question(question, answer)?.map(|(entry, _)| entry))
    }

    /// What was answered last, once.
    pub fn take_answered(&mut self) -> Option<Answered> {
        self.answered.take()
    }

    /// What an answer sets off, and what of it does not fit.
    fn answer_question(
        &mut self,
        id: QuestionId,
        answer: Result<Value, String>,
    ) -> Result<Option<(Entry, Option<String>)>, Error> {
        let question = self.driven.question(id).cloned();
        self.answered = question.map(|question| (question, answer.clone()));
        let entry = self.session.answer(id, answer);
        if !self.session.runtime().is_open(id) {
            self.driven.done(id);
        }
        let Some(entry) = entry else { return Ok(None) };
        let misfit = entry.pulse.problems.iter().find_map(|problem| {
            matches!(problem, Problem::WrongAnswer { .. }).then(|| problem.to_string())
        });
        Ok(Some((self.done(entry)?, misfit)))
    }

    /// Closes the page: what runs when components are removed runs, every question and stream is
    /// let go. A page that is dropped is closed as well; this gives the last pulse.
    ///
    /// # Errors
    /// An event's payload that does not fit who hears it, or something that went wrong at the end.
    pub fn close(mut self) -> Result<Entry, Error> {
        // What was watched is gone with everything else; nobody is told of that.
        self.subscriptions.forget_paths();
        let entry = self.session.close();
        self.succeeded(entry)
    }

    /// What there is at present of everything that comes and goes, such as timers and streams.
    pub fn resources(&self) -> Resources {
        self.session.resources()
    }

    /// How many answers and streams the host works on for this page.
    pub fn working(&self) -> usize {
        self.driven.open()
    }

    /// The page's clock, in milliseconds.
    pub fn now(&self) -> f64 {
        self.session.runtime().now()
    }

    /// The time of day on the page's clock, in milliseconds since 1970: what `Date.now()` gives, but for fractions.
    pub fn date(&self) -> f64 {
        self.session.runtime().date()
    }

    /// Sets the time of day, in milliseconds since 1970. Nothing runs because of it: timers go by the page's clock.
    pub fn set_date(&mut self, milliseconds: f64) {
        self.session.set_date(milliseconds);
    }

    /// In how many milliseconds something will become due, if anything is waiting.
    pub fn next_due(&self) -> Option<f64> {
        self.session.next_due()
    }

    /// Engine, tree and proof, for surfaces of other kinds.
    pub fn session_mut(&mut self) -> &mut Session {
        &mut self.session
    }

    /// Does something as a person with the first element that a selector matches, with all that a
    /// browser makes of it, and gives the pulses that it set off: none where nothing listens.
    ///
    /// # Errors
    /// A selector that does not parse or matches nothing, what a person could not do in a browser, or
    /// a pulse that was taken back; those after it have happened.
    ///
    /// ```
    /// let ui = vein::Ui::from_sources([("a-note.vein", "holds note = ''\n<input value='<-> note'><p>{note}</p>")])?;
    /// let mut page = ui.open("a-note", ())?;
    /// let act = vein::Act::Type { text: "leek".into(), append: false };
    /// assert_eq!(page.act("input", &act)?.len(), 4);
    /// assert_eq!(page.find("p")?.text(), "leek");
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn act(&mut self, selector: &str, act: &Act) -> Result<Vec<Entry>, Error> {
        let node = self.find(selector)?.node;
        let mut entries = Vec::new();
        for entry in self.session.act(node, act)? {
            entries.push(self.succeeded(entry)?);
        }
        Ok(entries)
    }

    /// Goes on outside with a pulse of [`Page::session_mut`]: who hears is told, who is asked is asked.
    ///
    /// # Errors
    /// An event's payload that does not fit who hears it.
    pub fn follow(&mut self, entry: Entry) -> Result<Entry, Error> {
        self.done(entry)
    }

    /// Goes on outside with what a pulse did: who hears is told, who is asked is asked.
    fn done(&mut self, entry: Entry) -> Result<Entry, Error> {
        self.driven.follow(&entry.pulse.questions, &entry.pulse.dropped);
        let misfit = |(event, error)| Error::Payload { event, error };
        for given in &entry.pulse.given {
            self.subscriptions.tell(&given.name, &given.payload).map_err(misfit)?;
        }
        let session = &mut self.session;
        self.subscriptions.tell_paths(|path| session.get(path).ok()).map_err(misfit)?;
        Ok(entry)
    }

    /// The same, where whoever asked for the pulse is to know at once that it was taken back.
    fn succeeded(&mut self, entry: Entry) -> Result<Entry, Error> {
        let entry = self.done(entry)?;
        match &entry.pulse.fault {
            Some(fault) => Err(Error::Failed(fault.clone())),
            None => Ok(entry),
        }
    }
}

/// An element of a page.
pub struct FoundElement<'a> {
    page: &'a mut Page,
    node: NodeId,
}

impl FoundElement<'_> {
    /// The node in the tree.
    pub fn node(&self) -> NodeId {
        self.node
    }

    /// All text inside it.
    pub fn text(&self) -> String {
        self.page.tree().text_content(self.node)
    }

    /// An attribute's value.
    pub fn attribute(&self, name: &str) -> Option<String> {
        self.page.tree().attribute(self.node, name).map(str::to_owned)
    }

    /// Its HTML.
    pub fn html(&self) -> String {
        self.page.tree().html_of(self.node, Layout::Exact)
    }

    /// Clicks it, with what a browser does then by itself: a check box or radio button changes first,
    /// a label passes the click on, `summary` opens and closes its `details`, a button submits its
    /// form. Of several pulses that this sets off, the last is given; [`Page::act`] gives all.
    ///
    /// # Errors
    /// An element that a person could not click, or a pulse that was taken back.
    pub fn click(self) -> Result<Entry, Error> {
        let FoundElement { page, node } = self;
        let mut last = None;
        for entry in page.session.act(node, &Act::Click)? {
            last = Some(page.succeeded(entry)?);
        }
        match last {
            Some(entry) => Ok(entry),
            // Nobody hears it: a pulse in which nothing changes.
            None => FoundElement { page, node }.dispatch(&Event::new("click")),
        }
    }

    /// Puts a text into a control, as typing does, and dispatches `input`.
    ///
    /// # Errors
    /// As [`FoundElement::dispatch`].
    pub fn input(self, text: &str) -> Result<Entry, Error> {
        self.page.session.tree_mut().type_value(self.node, text);
        self.dispatch(&Event::new("input"))
    }

    /// Chooses options of a `select` by their values, and dispatches `input`.
    ///
    /// # Errors
    /// As [`FoundElement::dispatch`].
    pub fn choose(self, values: &[&str]) -> Result<Entry, Error> {
        if self.attribute("multiple").is_some() {
            self.page.session.tree_mut().choose(self.node, values);
        } else {
            let value = values.first().copied().unwrap_or("");
            self.page.session.tree_mut().type_value(self.node, value);
        }
        self.dispatch(&Event::new("input"))
    }

    /// What a control shows: its text, as the property `value`.
    pub fn value(&self) -> Option<String> {
        self.page.tree().value(self.node)
    }

    /// Whether a check box or radio button is checked.
    pub fn is_checked(&self) -> bool {
        self.page.tree().flag(self.node, Property::Checked)
    }

    /// Dispatches an event to it.
    ///
    /// # Errors
    /// An element that a browser gives no such event, or a pulse that was taken back.
    pub fn dispatch(self, event: &Event) -> Result<Entry, Error> {
        let entry = self.page.session.dispatch(self.node, event)?;
        self.page.succeeded(entry)
    }
}
