//! What the host answers: functions that are asked at once, and questions that are answered later
//! or again and again.

use crate::fault::Fault;
use crate::graph::Graph;
use crate::scope::{QuestionId, ScopeId};
use crate::view::Clean;
use rustc_hash::{FxHashMap, FxHashSet};
use std::cmp::Ordering;
use std::sync::Arc;
use vein_plan::members::Member;
use vein_plan::{Answers, Budget, Formats, Name, Program, Text, Value};

/// A function that the host answers at once: values in, a value or why there is none out.
pub type Answer = Arc<dyn Fn(&[Value]) -> Result<Value, String> + Send + Sync>;

/// What a host does for a page.
#[derive(Clone, Default)]
pub struct Host {
    /// Makes markup from data safe; without it such markup is shown as text.
    pub clean: Option<Clean>,
    /// Formats for people, in the page's locale; without it, values are shown plainly.
    pub formats: Option<Arc<dyn Formats>>,
    /// The functions that it answers at once.
    pub functions: FxHashMap<Name, Answer>,
    /// The functions that it will answer later, or again and again; `None` promises all.
    pub promised: Option<FxHashSet<Name>>,
    /// Whether pulses, from the opening on, say only what a surface needs. See
    /// [`Runtime::record_changes`](crate::Runtime::record_changes).
    pub quiet: bool,
    /// What each pulse may use up.
    pub budget: Budget,
    /// The time of day when the page is opened, in milliseconds since 1970, for `Date.now()`; without it, that of the page in whose
    /// place it is opened, or else 1970.
    pub date: Option<f64>,
    /// What `Math.random()` begins with: pages that begin with the same come to the same.
    pub seed: u32,
}

impl std::fmt::Debug for Host {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Host")
            .field("functions", &self.functions.keys())
            .field("promised", &self.promised)
            .finish()
    }
}

impl From<Option<Clean>> for Host {
    fn from(clean: Option<Clean>) -> Host {
        Host { clean, ..Host::default() }
    }
}

impl Host {
    /// What a component, and what it can show and use, asks and this host does not answer: each
    /// function with how it was declared.
    pub fn missing(&self, program: &Program, plan: usize) -> Vec<String> {
        let mut missing: Vec<String> = Vec::new();
        for plan in program.with_all_inside(plan) {
            for asked in &program.plans[plan].asked {
                let answered = match (asked.answers, &self.promised) {
                    (Answers::AtOnce, _) => self.functions.contains_key(&asked.name),
                    (_, None) => true,
                    (_, Some(promised)) => promised.contains(&asked.name),
                };
                let signature = program.signature(asked);
                if !answered && !missing.contains(&signature) {
                    missing.push(signature);
                }
            }
        }
        missing
    }
}

/// A question that the host has to answer: once, or again and again until it is dropped.
#[derive(Clone, Debug)]
pub struct Question {
    /// What it is called.
    pub id: QuestionId,
    /// The function.
    pub function: Name,
    /// Whether it is answered again and again.
    pub streams: bool,
    /// What it is asked with.
    pub args: Vec<Value>,
}

/// A question or a stream that nobody waits for any more.
#[derive(Clone, Debug)]
pub struct Dropped {
    /// What it was called.
    pub id: QuestionId,
    /// The function.
    pub function: Name,
}

/// How a page formats for people.
#[derive(Default)]
pub(crate) struct Formatting(pub(crate) Option<Arc<dyn Formats>>);

impl std::fmt::Debug for Formatting {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(if self.0.is_some() { "in a locale" } else { "plain" })
    }
}

/// The functions of a page that are answered at once, by the page's numbers.
#[derive(Default)]
pub(crate) struct Functions(pub(crate) Vec<Option<Answer>>);

impl std::fmt::Debug for Functions {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} functions", self.0.len())
    }
}

impl Graph {
    /// Asks the host what a function of a plan comes to.
    pub(crate) fn answer_at_once(
        &self,
        plan: u32,
        asked: u32,
        args: &[Value],
    ) -> Result<Value, Fault> {
        let function = self.prepared.plans[plan as usize].asked[asked as usize];
        let asked = &self.prepared.plan(plan).asked[asked as usize];
        let failed = |reason: String| Fault::Host { function: asked.name.to_string(), reason };
        let Some(Some(answer)) = self.functions.0.get(function as usize) else {
            return Err(failed("the host does not answer it".into()));
        };
        let value = answer(args).map_err(failed)?;
        let fitted = self.prepared.program.fit(asked.result, &value, &asked.name);
        fitted.map_err(|misfit| failed(misfit.to_string()))
    }

    /// What a function of `Local` gives on this page.
    pub(crate) fn local(&self, member: Member, args: &[Value]) -> Text {
        match &self.formats.0 {
            Some(formats) => formats.format(member, args),
            None => args.first().map_or(Text::from(""), Value::to_text),
        }
    }

    /// Which of two texts stands first for people on this page.
    pub(crate) fn compare_texts(&self, a: &Text, b: &Text) -> Ordering {
        match &self.formats.0 {
            Some(formats) => formats.compare(a, b),
            None => a.compare(b),
        }
    }

    /// What the host answers, for an evaluation: a failure is noted, and whoever started it finds it.
    pub(crate) fn ask(&mut self, scope: ScopeId, asked: u32, args: &[Value]) -> Value {
        // Where something has failed, nothing more is asked.
        if self.fault.is_some() {
            return Value::Null;
        }
        self.answer_at_once(self.scope(scope).plan, asked, args).unwrap_or_else(|fault| {
            self.fault = Some(fault);
            self.within_derived = !self.acting;
            Value::Null
        })
    }
}
