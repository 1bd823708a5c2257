//! Ways to break the engine on purpose, so that those who hold it against the truth are tested. They
//! do something only where debug assertions are on, and nothing but tests asks for it.

use crate::graph::Graph;

/// A way to break the engine.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sabotage {
    /// Parts whose values changed are not written.
    SkipParts,
    /// Everything that is woken is evaluated, whether what it read has changed or not.
    EvaluateAll,
    /// Derived values keep what they were.
    StaleDerived,
    /// What comes to a list that is derived from another, or goes from it, is lost.
    LoseEdits,
    /// What comes to a list that is derived from another comes to stand elsewhere.
    MisplaceEdits,
    /// What something was derived from is not known to be another where that was written inside an item.
    MissInside,
    /// Of the rows of a list that were reordered, none stays where it is.
    MoveAll,
    /// Rows of one identity go along with their items, and do not have them in turn.
    NoTurns,
    /// Components are not made in what is new.
    NoComponents,
    /// What is worked out again begins anew, whether it is the same or not.
    BeginAnew,
    /// Controls that hold what means no value are not marked.
    NoMarks,
    /// Controls that are marked stay so.
    KeepMarks,
    /// Controls that are committed later than they are used are not written to.
    SkipLater,
    /// What was entered into a control is committed although something else was written there since.
    LateCommits,
    /// Surfaces are not told that a listener has happened for the last time.
    UntoldOnce,
    /// A pulse that is taken back leaves its first write.
    HalfRollBack,
    /// A timer goes on although its condition does not hold any more.
    EndlessTimer,
    /// Timers are not ended when their component goes.
    KeepTimers,
    /// Questions are not let go when their component goes.
    KeepQuestions,
    /// A component knows a timer by when it was due last.
    StaleTimers,
    /// A component goes on waiting for what was answered.
    KeepWaiting,
    /// A question that was asked anew can still be answered.
    LateAnswers,
    /// Components are told of stores after they have gone.
    KeepSubscriptions,
    /// An event is not heard by the parent.
    SwallowEvents,
    /// An event is heard twice.
    RepeatEvents,
}

impl Graph {
    /// Whether the engine is broken in that way.
    #[inline]
    pub(crate) fn is_broken(&self, way: Sabotage) -> bool {
        cfg!(debug_assertions) && self.sabotage == Some(way)
    }
}

#[cfg(debug_assertions)]
#[doc(hidden)]
impl crate::Runtime {
    /// Breaks the engine from now on.
    pub fn sabotage(&mut self, way: Sabotage) {
        self.view.graph.sabotage = Some(way);
    }

    /// Whether it is broken.
    pub fn is_sabotaged(&self) -> bool {
        self.view.graph.sabotage.is_some()
    }
}
