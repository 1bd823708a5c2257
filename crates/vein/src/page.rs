//! A component on a page in memory, as a host sees it.

use crate::error::Error;
use serde::Serialize;
use serde::de::DeserializeOwned;
use vein_plan::{Property, to_json};
use vein_proof::{Entry, Session};
use vein_view::{Event, Layout, NodeId, Tree};

type Listener = Box<dyn FnMut(serde_json::Value) -> Result<(), serde_json::Error> + Send>;

/// A component on a page in memory.
pub struct Page {
    session: Session,
    opening: Entry,
    listeners: Vec<(String, Listener)>,
}

impl Page {
    pub(crate) fn new(mut session: Session, opening: Entry) -> Page {
        session.prove(true);
        Page { session, opening, listeners: Vec::new() }
    }

    pub(crate) fn unproven(session: Session, opening: Entry) -> Page {
        Page { session, opening, listeners: Vec::new() }
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
    pub fn find(&mut self, selector: &str) -> Result<Found<'_>, Error> {
        let found = self.session.tree().select(selector)?;
        match found.first() {
            Some(node) => Ok(Found { node: *node, page: self }),
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
        self.heard(entry)
    }

    /// Reads a prop, state or a derived value, by a path such as `bed.moisture`.
    ///
    /// # Errors
    /// A path to nothing, or a value that does not fit the type wanted.
    pub fn get<T: DeserializeOwned>(&mut self, path: &str) -> Result<T, Error> {
        Ok(serde_json::from_value(to_json(&self.session.get(path)?))?)
    }

    /// Calls a closure with the payload of each event of a name that the component gives. The
    /// payload comes as an object: a struct with the payload's names fits it.
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
    /// page.on("water", move |water: Water| send.send(water.litres).unwrap())?;
    /// page.find("button")?.click()?;
    /// assert_eq!(receive.try_recv(), Ok(2.0));
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn on<T: DeserializeOwned>(
        &mut self,
        event: &str,
        mut hear: impl FnMut(T) + Send + 'static,
    ) -> Result<(), Error> {
        let events = &self.session.runtime().plan().events;
        if !events.iter().any(|known| *known.name == *event) {
            let known = events.iter().map(|event| event.name.to_string()).collect();
            return Err(Error::UnknownEvent { name: event.into(), known });
        }
        let listener = move |payload| serde_json::from_value(payload).map(&mut hear);
        self.listeners.push((event.into(), Box::new(listener)));
        Ok(())
    }

    /// Moves the page's clock on by some milliseconds and runs what has become due.
    ///
    /// # Errors
    /// An event's payload that does not fit who hears it.
    pub fn advance(&mut self, milliseconds: f64) -> Result<Vec<Entry>, Error> {
        let entries = self.session.advance(milliseconds);
        entries.into_iter().map(|entry| self.heard(entry)).collect()
    }

    /// In how many milliseconds something will become due, if anything is waiting.
    pub fn next_due(&self) -> Option<f64> {
        self.session.next_due()
    }

    /// Engine, tree and proof, for surfaces of other kinds.
    pub fn session_mut(&mut self) -> &mut Session {
        &mut self.session
    }

    /// Of the radio buttons of a group, one is checked (HTML standard, "radio button group").
    fn leave_group(&mut self, node: NodeId) {
        let tree = self.session.tree();
        let Some(name) = tree.attribute(node, "name").map(str::to_owned) else { return };
        let selector = format!("input[type=radio][name={name:?}]");
        let others = tree.select(&selector).unwrap_or_default();
        for other in others.into_iter().filter(|other| *other != node) {
            self.session.tree_mut().set_flag(other, Property::Checked, false);
        }
    }

    /// Tells the listeners what a pulse gave.
    fn heard(&mut self, entry: Entry) -> Result<Entry, Error> {
        for given in &entry.pulse.given {
            let payload: serde_json::Map<String, serde_json::Value> =
                given.payload.iter().map(|(n, value)| (n.to_string(), to_json(value))).collect();
            for (name, listener) in &mut self.listeners {
                if **name == *given.name {
                    let payload = serde_json::Value::Object(payload.clone());
                    let event = name.clone();
                    listener(payload).map_err(|error| Error::Payload { event, error })?;
                }
            }
        }
        Ok(entry)
    }
}

/// An element of a page.
pub struct Found<'a> {
    page: &'a mut Page,
    node: NodeId,
}

impl Found<'_> {
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

    /// Clicks it, with what a browser does then by itself: a check box or radio button changes
    /// first, `summary` opens and closes its `details`, a button submits its form.
    ///
    /// # Errors
    /// An element that a browser gives no clicks, or a pulse that was taken back.
    pub fn click(self) -> Result<Entry, Error> {
        let Found { page, node } = self;
        let kind = page.tree().attribute(node, "type").unwrap_or("").to_ascii_lowercase();
        match (page.tree().name(node).unwrap_or(""), kind.as_str()) {
            ("input", "checkbox" | "radio") => {
                let is_radio = kind == "radio";
                let on = is_radio || !page.tree().flag(node, Property::Checked);
                let changes = page.tree().flag(node, Property::Checked) != on;
                if page.tree().is_disabled(node) {
                    return Found { page, node }.dispatch(&Event::new("click"));
                }
                page.session.tree_mut().set_flag(node, Property::Checked, on);
                if is_radio {
                    page.leave_group(node);
                }
                let clicked = Found { page, node }.dispatch(&Event::new("click"))?;
                if !changes {
                    return Ok(clicked);
                }
                let told = Found { page, node }.dispatch(&Event::new("input"))?;
                if !told.pulse.heard_nothing() {
                    return Ok(told);
                }
                Found { page, node }.dispatch(&Event::new("change"))
            }
            ("summary", _) => {
                let details = page.tree().parent(node);
                let clicked = Found { page, node }.dispatch(&Event::new("click"))?;
                let Some(details) = details.filter(|id| page.tree().name(*id) == Some("details"))
                else {
                    return Ok(clicked);
                };
                let on = !page.tree().flag(details, Property::Open);
                page.session.tree_mut().set_flag(details, Property::Open, on);
                Found { page, node: details }.dispatch(&Event::new("toggle"))
            }
            ("button", "" | "submit") | ("input", "submit") => {
                let around =
                    std::iter::successors(page.tree().parent(node), |id| page.tree().parent(*id));
                let form = around.into_iter().find(|id| page.tree().name(*id) == Some("form"));
                let clicked = Found { page, node }.dispatch(&Event::new("click"))?;
                match form {
                    Some(form) if clicked.pulse.heard_nothing() => {
                        Found { page, node: form }.dispatch(&Event::new("submit"))
                    }
                    _ => Ok(clicked),
                }
            }
            _ => Found { page, node }.dispatch(&Event::new("click")),
        }
    }

    /// Puts a text into a control, as typing does, and dispatches `input`.
    ///
    /// # Errors
    /// As [`Found::dispatch`].
    pub fn input(self, text: &str) -> Result<Entry, Error> {
        self.page.session.tree_mut().type_value(self.node, text);
        self.dispatch(&Event::new("input"))
    }

    /// Chooses options of a `select` by their values, and dispatches `input`.
    ///
    /// # Errors
    /// As [`Found::dispatch`].
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
        match &entry.pulse.fault {
            Some(fault) => Err(Error::Failed(fault.clone())),
            None => self.page.heard(entry),
        }
    }
}
