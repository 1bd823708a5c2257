//! Whose page works next, where more want to than the machine can do at once: whoever has used little of late goes before whoever has
//! used much, so that a tab that floods or is busy keeps no other waiting.

use super::locked;
use std::cell::Cell;
use std::collections::BTreeMap;
use std::sync::Mutex;
use std::thread::Thread;
use std::time::{Duration, Instant};

/// What a page used counts half after so long.
const HALF_LIFE: f64 = 1.0;
/// So many seconds later it is somebody's turn for each second that was used of late: nobody waits for good.
const DELAY: f64 = 0.3;
/// Whoever has used no more than this of late waits for nobody for long, in seconds.
const LITTLE: f64 = 0.1;
/// Longer it does not wait.
const SHORT: Duration = Duration::from_millis(10);
/// Others look again after so long, whether anybody wakes them or not.
const LONG: Duration = Duration::from_secs(1);

/// The turns of all pages of a server.
pub(super) struct Turns {
    state: Mutex<State>,
    at_once: usize,
    begun: Instant,
}

#[derive(Default)]
struct State {
    working: usize,
    /// Who waits, by when it is to be their turn, in microseconds, and a number.
    waiting: BTreeMap<(u64, u64), Thread>,
    number: u64,
}

/// What one page has used of late.
pub(super) struct Used {
    seconds: f64,
    at: Instant,
}

impl Default for Used {
    fn default() -> Used {
        Used { seconds: 0.0, at: Instant::now() }
    }
}

impl Used {
    fn until(&mut self, now: Instant) -> f64 {
        let passed = now.duration_since(self.at).as_secs_f64();
        self.seconds *= 0.5_f64.powf(passed / HALF_LIFE);
        self.at = now;
        self.seconds
    }
}

thread_local! {
    /// Whether a turn is this thread's.
    static HAS_TURN: Cell<bool> = const { Cell::new(false) };
}

/// A turn, which ends however the work does.
struct Turn<'a>(&'a Turns);

impl Turn<'_> {
    fn of(turns: &Turns) -> Turn<'_> {
        HAS_TURN.set(true);
        Turn(turns)
    }
}

impl Drop for Turn<'_> {
    fn drop(&mut self) {
        self.0.end();
    }
}

impl Turns {
    pub(super) fn new() -> Turns {
        // One is left to those who carry messages.
        let cores = std::thread::available_parallelism().map_or(2, std::num::NonZero::get);
        let at_once = (cores - 1).max(1);
        Turns { state: Mutex::default(), at_once, begun: Instant::now() }
    }

    /// Works once it is its turn.
    pub(super) fn take<T>(&self, used: &mut Used, work: impl FnOnce() -> T) -> T {
        let lately = used.until(Instant::now());
        self.begin(lately);
        let begun = Instant::now();
        let turn = Turn::of(self);
        let done = work();
        drop(turn);
        let now = Instant::now();
        used.until(now);
        used.seconds += now.duration_since(begun).as_secs_f64();
        done
    }

    /// Waits for somebody else in the middle of a turn: others work meanwhile.
    pub(super) fn aside<T>(&self, wait: impl FnOnce() -> T) -> T {
        if !HAS_TURN.get() {
            return wait();
        }
        self.end();
        let done = wait();
        locked(&self.state).working += 1;
        HAS_TURN.set(true);
        done
    }

    fn end(&self) {
        HAS_TURN.set(false);
        let mut state = locked(&self.state);
        state.working -= 1;
        self.wake(&state);
    }

    fn begin(&self, lately: f64) {
        let since = Instant::now();
        let wished = since.duration_since(self.begun).as_secs_f64() + lately * DELAY;
        let hurries = lately < LITTLE;
        let mut state = locked(&self.state);
        state.number += 1;
        let own = ((wished * 1e6) as u64, state.number);
        state.waiting.insert(own, std::thread::current());
        loop {
            let is_first = state.waiting.first_key_value().is_some_and(|(first, _)| *first == own);
            let waited_enough = hurries && since.elapsed() >= SHORT;
            if (is_first && state.working < self.at_once) || waited_enough {
                state.waiting.remove(&own);
                state.working += 1;
                // There may be room for another.
                self.wake(&state);
                return;
            }
            drop(state);
            std::thread::park_timeout(if hurries { SHORT } else { LONG });
            state = locked(&self.state);
        }
    }

    /// Has the next look whether it is its turn.
    fn wake(&self, state: &State) {
        if state.working < self.at_once
            && let Some((_, next)) = state.waiting.first_key_value()
        {
            next.unpark();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[test]
    fn who_has_used_little_waits_for_nobody_and_all_have_their_turn() {
        let turns = Turns { at_once: 1, ..Turns::new() };
        let done = AtomicUsize::new(0);
        std::thread::scope(|scope| {
            for _ in 0..6 {
                scope.spawn(|| {
                    let mut used = Used { seconds: 10.0, at: Instant::now() };
                    for _ in 0..10 {
                        turns.take(&mut used, || std::thread::sleep(Duration::from_millis(2)));
                        done.fetch_add(1, Ordering::Relaxed);
                    }
                });
            }
            // One that works for long keeps it waiting no longer than a while.
            scope.spawn(|| {
                let mut used = Used { seconds: 20.0, at: Instant::now() };
                turns.take(&mut used, || std::thread::sleep(Duration::from_millis(300)));
                done.fetch_add(1, Ordering::Relaxed);
            });
            let mut used = Used::default();
            for _ in 0..5 {
                turns.take(&mut used, || done.fetch_add(1, Ordering::Relaxed));
            }
        });
        assert_eq!(done.into_inner(), 66);
        assert_eq!(locked(&turns.state).working, 0);
        assert!(locked(&turns.state).waiting.is_empty());
    }
}
