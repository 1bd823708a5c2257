//! What comes from outside while a page is open: answers, items of streams, and what other threads
//! hand over. Nothing here needs an executor: whoever drives the page polls it.

use crate::opening::{Answers, Begin};
use futures_util::StreamExt;
use futures_util::future::{AbortHandle, Abortable, BoxFuture};
use futures_util::stream::FuturesUnordered;
use rustc_hash::FxHashMap;
use serde::Serialize;
use std::sync::mpsc::{Receiver, Sender, TryRecvError, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::task::{Context, Poll, Waker};
use vein_plan::{Name, Value};
use vein_runtime::{Dropped, Question, QuestionId};

/// The next answer to a question, and what comes after it.
type Next = BoxFuture<'static, (QuestionId, Option<Result<Value, String>>, Answers)>;

/// Questions that the host works on.
pub(crate) struct Driven {
    later: FxHashMap<Name, Begin>,
    running: FuturesUnordered<Abortable<Next>>,
    handles: FxHashMap<QuestionId, AbortHandle>,
    /// Every question that is open.
    asked: FxHashMap<QuestionId, Question>,
    /// Questions that nobody here answers.
    pub(crate) by_hand: Vec<Question>,
    remote: Remote,
    handed: Receiver<Handed>,
}

/// Something that came from outside.
pub(crate) enum Came {
    Answer(QuestionId, Result<Value, String>),
    End(QuestionId),
    Handed(Handed),
}

/// What another thread hands over.
pub(crate) enum Handed {
    Set(String, Value),
    Call(String, Vec<Value>),
}

/// A handle through which any thread hands writes and calls to a page, which does them when it is
/// driven next. Cheap to clone.
///
/// ```
/// let ui = vein::Ui::from_sources([("a-gauge.vein", "takes litres: number\n<p>{litres} l</p>")])?;
/// let mut page = ui.open("a-gauge", serde_json::json!({ "litres": 1 }))?;
/// let remote = page.remote();
/// std::thread::spawn(move || remote.set("litres", 2)).join().unwrap()?;
/// page.answers_now()?;
/// assert_eq!(page.html(), "<p>2 l</p>");
/// # Ok::<(), vein::Error>(())
/// ```
#[derive(Clone)]
pub struct Remote {
    hand_over: Sender<Handed>,
    waker: Arc<Mutex<Option<Waker>>>,
}

impl Remote {
    /// Writes a value to a prop or to state, by a path such as `bed.moisture` or `tank.litres`.
    ///
    /// # Errors
    /// A value that serde cannot turn into JSON. What does not fit the page is found when the page
    /// does it.
    pub fn set(&self, path: &str, value: impl Serialize) -> Result<(), serde_json::Error> {
        let value = serde_json::to_value(value)?.into();
        self.hand(Handed::Set(path.to_owned(), value));
        Ok(())
    }

    /// Calls a handler of the component or of a store. For the arguments, see
    /// [`Page::call`](crate::Page::call).
    ///
    /// # Errors
    /// Arguments that serde cannot turn into JSON.
    pub fn call(&self, handler: &str, args: impl Serialize) -> Result<(), serde_json::Error> {
        let args = arguments(args)?;
        self.hand(Handed::Call(handler.to_owned(), args));
        Ok(())
    }

    /// A page that is gone takes nothing, and nobody misses it.
    fn hand(&self, handed: Handed) {
        if self.hand_over.send(handed).is_ok() {
            let waker = self.waker.lock().unwrap_or_else(PoisonError::into_inner).take();
            waker.into_iter().for_each(Waker::wake);
        }
    }
}

/// The arguments of a call: the members of a tuple or list, nothing for `()`, else one.
pub(crate) fn arguments(args: impl Serialize) -> Result<Vec<Value>, serde_json::Error> {
    Ok(match serde_json::to_value(args)? {
        serde_json::Value::Array(args) => args.into_iter().map(Value::from).collect(),
        serde_json::Value::Null => Vec::new(),
        one => vec![Value::from(one)],
    })
}

impl Driven {
    pub(crate) fn new(later: FxHashMap<Name, Begin>) -> Driven {
        let (hand_over, handed) = channel();
        Driven {
            later,
            running: FuturesUnordered::new(),
            handles: FxHashMap::default(),
            asked: FxHashMap::default(),
            by_hand: Vec::new(),
            remote: Remote { hand_over, waker: Arc::default() },
            handed,
        }
    }

    pub(crate) fn remote(&self) -> Remote {
        self.remote.clone()
    }

    /// Begins to work on what a pulse asks, and lets go of what nobody waits for any more.
    pub(crate) fn follow(&mut self, asked: &[Question], dropped: &[Dropped]) {
        for Dropped { id, .. } in dropped {
            if let Some(handle) = self.handles.remove(id) {
                handle.abort();
            }
            self.asked.remove(id);
            self.by_hand.retain(|question| question.id != *id);
        }
        for question in asked {
            self.asked.insert(question.id, question.clone());
            match self.later.get(&question.function) {
                Some(begin) => {
                    let answers = begin(&question.args);
                    self.go_on(question.id, answers);
                }
                None => self.by_hand.push(question.clone()),
            }
        }
    }

    /// Waits for the next answer.
    fn go_on(&mut self, id: QuestionId, mut answers: Answers) {
        let next: Next = Box::pin(async move {
            let next = answers.next().await;
            (id, next, answers)
        });
        let (handle, registration) = AbortHandle::new_pair();
        self.running.push(Abortable::new(next, registration));
        self.handles.insert(id, handle);
    }

    /// What came from outside, if anything did.
    pub(crate) fn poll(&mut self, cx: &mut Context<'_>) -> Poll<Came> {
        *self.remote.waker.lock().unwrap_or_else(PoisonError::into_inner) =
            Some(cx.waker().clone());
        match self.handed.try_recv() {
            Ok(handed) => return Poll::Ready(Came::Handed(handed)),
            Err(TryRecvError::Empty | TryRecvError::Disconnected) => {}
        }
        loop {
            match self.running.poll_next_unpin(cx) {
                Poll::Ready(Some(Ok((id, Some(answer), rest)))) => {
                    self.handles.remove(&id);
                    self.go_on(id, rest);
                    return Poll::Ready(Came::Answer(id, answer));
                }
                Poll::Ready(Some(Ok((id, None, _)))) => {
                    self.handles.remove(&id);
                    return Poll::Ready(Came::End(id));
                }
                // It was let go.
                Poll::Ready(Some(Err(_))) => {}
                Poll::Ready(None) | Poll::Pending => return Poll::Pending,
            }
        }
    }

    /// Goes on for another page: who answers is another, and what nobody waits for any more is let go.
    pub(crate) fn renewed(
        &mut self,
        later: FxHashMap<Name, Begin>,
        open: impl Fn(QuestionId) -> bool,
    ) {
        self.later = later;
        self.handles.retain(|id, handle| {
            let stays = open(*id);
            if !stays {
                handle.abort();
            }
            stays
        });
        self.asked.retain(|id, _| open(*id));
        self.by_hand.retain(|question| open(question.id));
    }

    /// A question that is open.
    pub(crate) fn question(&self, id: QuestionId) -> Option<&Question> {
        self.asked.get(&id)
    }

    /// How many answers and streams are worked on.
    pub(crate) fn open(&self) -> usize {
        self.handles.len()
    }

    /// Lets go of a question that is answered for good.
    pub(crate) fn done(&mut self, id: QuestionId) {
        if let Some(handle) = self.handles.remove(&id) {
            handle.abort();
        }
        self.asked.remove(&id);
        self.by_hand.retain(|question| question.id != id);
    }
}
