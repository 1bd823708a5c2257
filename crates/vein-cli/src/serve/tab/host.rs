//! The host module of a tab: what it is asked, and what it does with its page.

use super::super::line::{Reply, message, raw, read};
use super::super::message::{Doing, HostModule};
use super::super::reading::Served;
use super::{Stage, Tab};
use anyhow::{Context, Result};
use serde_json::value::RawValue;
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use tokio::sync::oneshot;
use vein::{Page, Pulse, QuestionId, Value};

/// So much of what a host module is told may be on its way.
const MOST_TOLD: usize = 10_000;

/// What is known of a tab's host module.
#[derive(Default)]
pub(super) struct Host {
    /// Where the tab has it from, and what it answers.
    pub(super) address: Option<String>,
    pub(super) answers: BTreeSet<String>,
    /// The data that it has opened the page with, beside the project's.
    props: Value,
    /// The questions that it works on.
    pub(super) asked: BTreeMap<u64, QuestionId>,
    /// What it wants to know of: paths with their values, by numbers, and events.
    watched: BTreeMap<u64, (String, Value)>,
    events: BTreeSet<String>,
    /// What it was told of that, by numbers; what is on its way while it waits for something is told with that.
    told: VecDeque<(u64, Box<RawValue>)>,
    number: u64,
}

impl Host {
    /// The address of a project's host module. Each time that it is another it has another one, since a browser runs a module of one
    /// address once.
    pub(super) fn address_of(served: &Served) -> Option<String> {
        let (first, _) = served.host.first()?;
        Some(format!("/assets/host-{}/{}", served.marks.host, first.display()))
    }

    /// The data that the page is opened with: the project's, and what the module has given.
    pub(super) fn data(&self, served: &Served) -> Value {
        match (&served.props, &self.props) {
            (Value::Record(data), Value::Record(own)) => {
                let data = data.iter().filter(|(name, _)| own.get(name).is_none());
                let all = data.chain(own.iter());
                Value::record(all.map(|(name, value)| (name.clone(), value.clone())))
            }
            (data, Value::Null) => data.clone(),
            (_, own) => own.clone(),
        }
    }
}

impl Tab {
    /// Goes on with a host module, which may open the page by itself.
    pub(super) fn answered_by(&mut self, host: HostModule) {
        self.host.answers = host.answers;
        let opens = host.opens && self.page.is_none() && !self.closed;
        self.stage = if opens { Stage::Opening } else { Stage::Shown };
        self.catch_up();
    }

    /// Does what the host module wants, and says what came of it. `heard` is what it has heard last of what it wants to know of.
    pub(super) fn drive(&mut self, what: Doing, heard: u64, reply: oneshot::Sender<Reply>) {
        self.host.told.retain(|(number, _)| *number > heard);
        self.at_once.wait_on(reply);
        self.to_tab.begin_reply();
        let done = self.driven(what);
        self.ask();
        let mut told = self.to_tab.end_reply();
        told.extend(self.host.told.iter().map(|(_, told)| told.clone()));
        self.at_once.reply(match done {
            Ok(value) => Reply::Value(value, told),
            Err(error) => Reply::Error(error.to_string(), told),
        });
    }

    fn driven(&mut self, what: Doing) -> Result<Box<RawValue>> {
        let nothing = || raw(&Value::Null);
        if let Doing::Open(props) = &what {
            return self.opened_with(props).map(|()| nothing());
        }
        let page = self.page.as_mut().context("the page is closed")?;
        let pulse = match what {
            Doing::Set(path, value) => {
                let value = value_of(&value)?;
                let pulse = page.session_mut().set(&path, value.clone())?;
                if let Some(watch) = &mut self.watch {
                    watch.recorded.set(page, &path, &value);
                }
                pulse
            }
            Doing::Call(handler, args) => {
                let args = match value_of(&args)? {
                    Value::List(args) => args.to_vec(),
                    _ => Vec::new(),
                };
                let pulse = page.session_mut().call(&handler, args.clone())?;
                if let Some(watch) = &mut self.watch {
                    watch.recorded.call(page, &handler, &args);
                }
                pulse
            }
            Doing::Get(path) => return Ok(raw(&page.session_mut().get(&path)?)),
            Doing::Watch(path) => {
                let value = page.session_mut().get(&path)?;
                let id = self.at_once.number();
                let told = Value::list(vec![Value::Number(id as f64), value.clone()]);
                self.host.watched.insert(id, (path, value));
                return Ok(raw(&told));
            }
            Doing::Unwatch(id) => {
                self.host.watched.remove(&id);
                return Ok(nothing());
            }
            Doing::On(event) => {
                let runtime = page.session_mut().runtime();
                let known = runtime.plan().events.iter().map(|event| event.name.to_string());
                let known: Vec<String> = known.collect();
                if !known.contains(&event) {
                    return Err(vein::Error::UnknownEvent { name: event, known }.into());
                }
                self.host.events.insert(event);
                return Ok(nothing());
            }
            Doing::Close => {
                let page = self.page.take().context("the page is closed")?;
                self.closed = true;
                self.host.watched.clear();
                let pulse = page.close()?;
                self.happened(&pulse);
                return Ok(raw(&Value::record([])));
            }
            Doing::Open(_) | Doing::Now(..) | Doing::Cannot(..) => return Ok(nothing()),
        };
        let pulse = page.follow(pulse)?;
        let fault = pulse.pulse.fault.clone();
        self.happened(&pulse);
        fault.map_or(Ok(nothing()), |fault| Err(fault.into()))
    }

    /// Opens the page with data of the host module's own. Where that does not fit, it may open it with something else.
    fn opened_with(&mut self, props: &RawValue) -> Result<()> {
        if self.stage != Stage::Opening {
            return Ok(());
        }
        self.host.props = value_of(props)?;
        self.stage = Stage::Shown;
        self.catch_up();
        let failed = self.failed.clone().filter(|_| self.page.is_none());
        let Some(failed) = failed else { return Ok(()) };
        self.stage = Stage::Opening;
        anyhow::bail!("{}", failed.lines().nth(1).unwrap_or(&failed).trim())
    }

    /// Tells the host module of what it wants to know of.
    pub(super) fn tell_host(&mut self, pulse: &Pulse) {
        let mut told = Vec::new();
        let given = pulse.pulse.given.iter();
        for given in given.filter(|given| self.host.events.contains(&*given.name)) {
            self.host.number += 1;
            let payload = raw(&Value::record(given.payload.iter().cloned()));
            told.push(message("given", (&*given.name, payload, self.host.number)));
        }
        if let Some(page) = &mut self.page {
            for (id, (path, before)) in &mut self.host.watched {
                let now = page.session_mut().get(path).unwrap_or_default();
                if !now.same(before) {
                    self.host.number += 1;
                    told.push(message("watched", (id, raw(&now), self.host.number)));
                    *before = now;
                }
            }
        }
        let first = self.host.number + 1 - told.len() as u64;
        for (number, told) in (first..).zip(told) {
            if !self.to_tab.waits() {
                self.to_tab.tell_now(&told);
            }
            self.host.told.push_back((number, told));
        }
        let more = self.host.told.len().saturating_sub(MOST_TOLD);
        self.host.told.drain(..more);
    }

    /// Hands the host module what it was not asked yet, and lets go of what nobody waits for.
    pub(super) fn ask(&mut self) {
        let open = self.page.as_ref().map_or(&[][..], Page::questions);
        self.host.asked.retain(|id, question| {
            let stays = open.iter().any(|one| one.id == *question);
            if !stays {
                self.to_tab.tell("drop", id);
            }
            stays
        });
        for question in open.iter().filter(|one| self.host.answers.contains(&*one.function)) {
            if self.host.asked.values().any(|known| *known == question.id) {
                continue;
            }
            let id = self.at_once.number();
            self.host.asked.insert(id, question.id);
            let args = raw(&Value::list(question.args.clone()));
            let how = if question.streams { "again" } else { "later" };
            self.to_tab.tell("ask", (id, &*question.function, args, how));
        }
    }

    /// Takes in what it has answered.
    pub(super) fn answer(&mut self, id: u64, answer: Result<Value, String>) {
        let asked = self.host.asked.get(&id).copied();
        let (Some(question), Some(page)) = (asked, &mut self.page) else { return };
        match page.answered(question, answer) {
            Ok(Some(pulse)) => self.happened(&pulse),
            Ok(None) => {}
            Err(error) => self.note(error.to_string()),
        }
    }

    /// Takes in that it has no more to say.
    pub(super) fn end(&mut self, id: u64) {
        if let (Some(question), Some(page)) = (self.host.asked.remove(&id), &mut self.page) {
            page.finish(question);
        }
    }
}

fn value_of(raw: &RawValue) -> Result<Value> {
    read(raw).map_err(anyhow::Error::msg)
}
