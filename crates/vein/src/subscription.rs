//! Subscriptions of the host: to events and to paths of state.

use serde::de::DeserializeOwned;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use vein_plan::{Name, Value, to_json};

type Hear = Box<dyn FnMut(serde_json::Value) -> Result<(), serde_json::Error> + Send>;

/// Ends the subscription when it is dropped.
#[must_use = "the subscription ends when this is dropped; `keep` keeps it for as long as the page"]
#[derive(Debug)]
pub struct Subscription {
    ended: Arc<AtomicBool>,
    kept: bool,
}

impl Subscription {
    /// Keeps the subscription for as long as the page is there.
    pub fn keep(mut self) {
        self.kept = true;
    }
}

impl Drop for Subscription {
    fn drop(&mut self) {
        if !self.kept {
            self.ended.store(true, Ordering::Release);
        }
    }
}

/// Who hears an event or a path.
struct Heard<K> {
    what: K,
    ended: Arc<AtomicBool>,
    hear: Hear,
}

impl<K> Heard<K> {
    fn stands(&self) -> bool {
        !self.ended.load(Ordering::Acquire)
    }
}

/// All subscriptions of a page.
#[derive(Default)]
pub(crate) struct Subscriptions {
    events: Vec<Heard<String>>,
    /// The path, and what stood there last.
    paths: Vec<Heard<(String, Option<Value>)>>,
}

fn subscribed<K, T: DeserializeOwned>(
    what: K,
    mut hear: impl FnMut(T) + Send + 'static,
) -> (Heard<K>, Subscription) {
    let ended = Arc::new(AtomicBool::new(false));
    let hear: Hear = Box::new(move |value| serde_json::from_value(value).map(&mut hear));
    (Heard { what, ended: ended.clone(), hear }, Subscription { ended, kept: false })
}

impl Subscriptions {
    pub(crate) fn event<T: DeserializeOwned>(
        &mut self,
        name: &str,
        hear: impl FnMut(T) + Send + 'static,
    ) -> Subscription {
        let (heard, subscription) = subscribed(name.to_owned(), hear);
        self.events.push(heard);
        subscription
    }

    pub(crate) fn path<T: DeserializeOwned>(
        &mut self,
        path: &str,
        now: Option<Value>,
        hear: impl FnMut(T) + Send + 'static,
    ) -> Subscription {
        let (heard, subscription) = subscribed((path.to_owned(), now), hear);
        self.paths.push(heard);
        subscription
    }

    /// Lets go of those whose guards were dropped.
    fn tidy(&mut self) {
        self.events.retain(Heard::stands);
        self.paths.retain(Heard::stands);
    }

    /// Ends all subscriptions to paths.
    pub(crate) fn forget_paths(&mut self) {
        self.paths.clear();
    }

    /// How many there are.
    pub(crate) fn count(&mut self) -> usize {
        self.tidy();
        self.events.len() + self.paths.len()
    }

    /// Tells who hears an event. An error comes with the event's name.
    pub(crate) fn tell(
        &mut self,
        event: &str,
        payload: &[(Name, Value)],
    ) -> Result<(), (String, serde_json::Error)> {
        self.tidy();
        for heard in self.events.iter_mut().filter(|heard| heard.what == event) {
            let payload: serde_json::Map<String, serde_json::Value> =
                payload.iter().map(|(n, value)| (n.to_string(), to_json(value))).collect();
            (heard.hear)(payload.into()).map_err(|error| (event.to_owned(), error))?;
        }
        Ok(())
    }

    /// Tells who watches a path where something else stands now.
    pub(crate) fn tell_paths(
        &mut self,
        mut read: impl FnMut(&str) -> Option<Value>,
    ) -> Result<(), (String, serde_json::Error)> {
        self.tidy();
        for heard in &mut self.paths {
            let (path, last) = &mut heard.what;
            let now = read(path);
            let same = match (&*last, &now) {
                (Some(last), Some(now)) => last.same(now),
                (last, now) => last.is_none() == now.is_none(),
            };
            if !same {
                let value = now.as_ref().map_or(serde_json::Value::Null, to_json);
                *last = now;
                (heard.hear)(value).map_err(|error| (path.clone(), error))?;
            }
        }
        Ok(())
    }
}
