//! A host that is simulated: what `[answers]` in `vein.toml` says that functions answer, and when.

use futures_util::stream::{self, Stream};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, SystemTime};
use vein::{PageBuilder, Value};

/// What a page is opened with, beside its data.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Answers {
    pub(crate) locale: String,
    pub(crate) zone: String,
    /// By the names of functions.
    pub(crate) functions: BTreeMap<String, Answer>,
}

/// How one function is answered.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Answer {
    /// Milliseconds until the answer, or until the first item of a stream.
    #[serde(default)]
    after: f64,
    /// Milliseconds between the items of a stream; without it there is one.
    every: Option<f64>,
    /// The answers: each question, or item, takes the next, and the first again after the last.
    #[serde(default)]
    values: Vec<serde_json::Value>,
    /// The only answer, as a scenario writes it.
    value: Option<serde_json::Value>,
    /// Why there never is one, as a scenario writes it.
    fails: Option<String>,
    /// Instead of them, a number that wanders, as a sensor's does.
    wander: Option<Wander>,
    /// Every so many questions, there is no answer.
    fails_every: Option<u64>,
    /// Why there is none.
    #[serde(default = "no_reason")]
    reason: String,
}

/// A number that goes up and down between two others.
#[derive(Clone, Copy, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Wander {
    from: f64,
    to: f64,
    /// The most that it changes from one item to the next.
    step: f64,
}

impl Answer {
    /// What is answered at once, always.
    pub(crate) fn at_once(&self) -> Option<Value> {
        let value = self.value.as_ref().or(self.values.first()).filter(|_| self.fails.is_none());
        value.map(|value| Value::from(value.clone()))
    }

    /// The answer to a question or item of a number, from zero on.
    fn numbered(&self, number: usize) -> serde_json::Value {
        let which = number % self.values.len().max(1);
        self.value.as_ref().or(self.values.get(which)).cloned().unwrap_or_default()
    }
}

fn no_reason() -> String {
    "there is no answer".to_owned()
}

/// The time of day, in whole milliseconds since 1970.
pub(crate) fn date() -> f64 {
    let since = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH);
    since.map_or(0.0, |since| since.as_millis() as f64)
}

/// Has a page answered as the settings say. What they do not name is left without an answer.
pub(crate) fn answered(
    opening: PageBuilder,
    answers: &Answers,
) -> Result<PageBuilder, vein::Error> {
    #[cfg(feature = "locale")]
    let opening = opening.locale(&answers.locale, &answers.zone)?;
    let mut opening = opening.date(date()).manual_answers();
    for (name, answer) in &answers.functions {
        let answer = Arc::new(answer.clone());
        let at_once = answer.clone();
        opening = opening.answer_values(name, move |_| {
            at_once.at_once().ok_or_else(|| match &at_once.fails {
                Some(reason) => reason.clone(),
                None => "`values` in vein.toml says nothing".to_owned(),
            })
        });
        let asked = Arc::new(AtomicU64::new(0));
        opening = opening.try_stream(name, move |args: &[Value]| {
            let number = asked.fetch_add(1, Ordering::Relaxed) + 1;
            Ok(items(answer.clone(), number, seed(args)))
        });
    }
    Ok(opening)
}

/// The same question wanders the same way.
fn seed(args: &[Value]) -> u64 {
    let text = args.iter().map(|arg| arg.to_text().to_string()).collect::<Vec<_>>().join("\n");
    let start = 0xcbf2_9ce4_8422_2325_u64;
    let mix = |hash: u64, byte: u8| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
    text.bytes().fold(start, mix)
}

/// What comes for one question: one answer, or one after the other.
fn items(
    answer: Arc<Answer>,
    number: u64,
    seed: u64,
) -> impl Stream<Item = Result<serde_json::Value, String>> + Send {
    let start = answer.wander.map_or(0.0, |w| w.from + (w.to - w.from) * part(seed));
    stream::unfold((0u64, start, seed), move |(at, now, seed)| {
        let answer = answer.clone();
        async move {
            let wait = match (at, answer.every) {
                (0, _) => answer.after,
                (_, Some(every)) => every,
                (_, None) => return None,
            };
            tokio::time::sleep(Duration::from_secs_f64(wait.clamp(0.0, 86_400_000.0) / 1000.0))
                .await;
            if answer.fails_every.is_some_and(|every| every > 0 && number.is_multiple_of(every)) {
                return Some((Err(answer.reason.clone()), (at + 1, now, seed)));
            }
            if let Some(reason) = &answer.fails {
                return Some((Err(reason.clone()), (at + 1, now, seed)));
            }
            let Some(Wander { from, to, step }) = answer.wander else {
                let value = answer.numbered((number - 1 + at) as usize);
                return Some((Ok(value), (at + 1, now, seed)));
            };
            let seed = next(seed);
            let moved = (now + step * (2.0 * part(seed) - 1.0)).clamp(from, to);
            let shown = (moved * 10.0).round() / 10.0;
            Some((Ok(shown.into()), (at + 1, moved, seed)))
        }
    })
}

/// A generator of numbers that is good enough for a sensor (xorshift64*, Vigna 2016).
fn next(mut state: u64) -> u64 {
    state |= 1;
    state ^= state >> 12;
    state ^= state << 25;
    state ^= state >> 27;
    state
}

/// A number from 0 up to 1.
fn part(seed: u64) -> f64 {
    (next(seed).wrapping_mul(0x2545_f491_4f6c_dd1d) >> 11) as f64 / (1u64 << 53) as f64
}
