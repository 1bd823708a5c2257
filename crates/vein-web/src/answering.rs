//! What is answered in this module, by Rust, and what the page around it answers.

use crate::boundary;
use rustc_hash::FxHashMap;
use std::cell::RefCell;
use std::rc::Rc;
use std::sync::Arc;
use vein_plan::members::Member;
use vein_plan::{Formats, Name, Program, Text, Value};
use vein_runtime::{Answer, Host, QuestionId};

thread_local! {
    static ANSWERS: RefCell<FxHashMap<String, Answerer>> = RefCell::default();
}

/// A function that is answered at once.
type AtOnce = dyn Fn(&[Value]) -> Result<Value, String>;

#[derive(Clone)]
enum Answerer {
    AtOnce(Rc<AtOnce>),
    Later(Rc<dyn Fn(Question)>),
}

/// Answers a function that components declare with `asks`, on pages that are opened from now on: at
/// once, and always the same for the same arguments. A failure takes the pulse back that asked.
///
/// ```
/// use vein_plan::Value;
/// vein_web::answer("soil_name", |args| Ok(Value::from(format!("soil {}", args[0].to_text()))));
/// ```
pub fn answer(name: &str, function: impl Fn(&[Value]) -> Result<Value, String> + 'static) {
    let answerer = Answerer::AtOnce(Rc::new(function));
    ANSWERS.with_borrow_mut(|answers| answers.insert(name.to_owned(), answerer));
}

/// Answers a function that components declare with `awaits` or `streams`, on pages that are opened
/// from now on: later, or again and again, by [`Question::answer`].
///
/// ```
/// use vein_plan::Value;
/// vein_web::answer_later("fetch_forecast", |question| {
///     question.answer(Ok(Value::from("dry")));
/// });
/// ```
pub fn answer_later(name: &str, function: impl Fn(Question) + 'static) {
    let answerer = Answerer::Later(Rc::new(function));
    ANSWERS.with_borrow_mut(|answers| answers.insert(name.to_owned(), answerer));
}

/// A question of a page, which waits for its answer.
#[derive(Clone, Debug)]
pub struct Question {
    page: usize,
    id: QuestionId,
    function: Name,
    args: Vec<Value>,
}

impl Question {
    pub(crate) fn new(page: usize, asked: vein_runtime::Question) -> Question {
        let vein_runtime::Question { id, function, args, .. } = asked;
        Question { page, id, function, args }
    }

    /// What it is asked with.
    pub fn args(&self) -> &[Value] {
        &self.args
    }

    /// Answers it, or says why there is no answer; a stream may be answered again and again. `false`
    /// when nobody waits for the answer any more.
    pub fn answer(&self, answer: Result<Value, String>) -> bool {
        boundary::act(self.page, |runtime| runtime.answer(self.id, answer))
    }

    /// Ends a stream that has no more to say: the last that it said stays.
    pub fn finish(&self) {
        boundary::act(self.page, |runtime| {
            runtime.finish(self.id);
            None
        });
    }

    /// Has it answered by whom it is for.
    pub(crate) fn begin(self) {
        // Nothing is borrowed while it runs: it may answer at once.
        let answerer = ANSWERS.with_borrow(|answers| answers.get(&*self.function).cloned());
        if let Some(Answerer::Later(function)) = answerer {
            function(self);
        }
    }
}

/// Whether a function is answered in this module.
pub(crate) fn answers(name: &str) -> bool {
    ANSWERS.with_borrow(|answers| answers.contains_key(name))
}

/// How a page has a function answered at once: in this module, or by the script around it.
pub(crate) fn at_once(page: usize, program: Arc<Program>, name: Name, inside: bool) -> Answer {
    Arc::new(move |args| {
        if !inside {
            return boundary::ask(page, &program.names, &name, args);
        }
        let answerer = ANSWERS.with_borrow(|answers| answers.get(&*name).cloned());
        match answerer {
            Some(Answerer::AtOnce(function)) => function(args),
            _ => Err(format!("`{name}` is answered later, and asked at once")),
        }
    })
}

/// A host that formats as the script around a page does.
pub(crate) fn formatting(page: usize) -> Host {
    Host { formats: Some(Arc::new(Surrounding(page))), ..Host::default() }
}

struct Surrounding(usize);

impl Formats for Surrounding {
    fn format(&self, member: Member, args: &[Value]) -> Text {
        boundary::format(self.0, member, args)
    }
}
