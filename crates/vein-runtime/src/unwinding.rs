//! Statements that end early: the host has failed, or they return, and `catch` and `finally` are on the way.

use crate::execute::{Activity, Flow, Frame, Run};
use crate::fault::Fault;
use vein_plan::Value;
use vein_plan::code::Stmt;

/// Which of the statements of a `try` run.
#[derive(Clone, Debug)]
pub(crate) enum Stage {
    /// Those that may fail.
    Tried,
    /// Those of its `catch`.
    Caught,
    /// Those of its `finally`, and what comes after them.
    Last(Ending),
}

/// How statements have ended whose `finally` runs.
#[derive(Clone, Debug)]
pub(crate) enum Ending {
    /// Well: what follows goes on.
    Goes,
    /// With `return`.
    Returns,
    /// The host has failed, and nothing has caught that.
    Fails(Failure),
}

/// That the host could not answer.
#[derive(Clone, Debug)]
pub(crate) struct Failure {
    pub(crate) function: String,
    pub(crate) reason: String,
    /// Whether somebody waited for the answer, so that what was done before is over and done.
    pub(crate) late: bool,
}

impl Failure {
    pub(crate) fn fault(&self) -> Fault {
        Fault::Host { function: self.function.clone(), reason: self.reason.clone() }
    }
}

/// The innermost `try` that has something to do when the host fails.
pub(crate) fn catching(stmts: &[Stmt], frames: &[Frame]) -> Option<usize> {
    frames.iter().rposition(|frame| match frame {
        Frame::Try { of, stage, .. } => match (&stmts[*of as usize], stage) {
            (Stmt::Try(_, Some(_), _), Stage::Tried) => true,
            (Stmt::Try(.., last), Stage::Tried | Stage::Caught) => !last.is_empty(),
            _ => false,
        },
        _ => false,
    })
}

/// Goes on where a failure is caught, or in the `finally` on the way.
pub(crate) fn fail(stmts: &[Stmt], activity: &mut Activity, failure: Failure) {
    let Some(depth) = catching(stmts, &activity.frames) else { return };
    activity.frames.truncate(depth + 1);
    let Some(Frame::Try { of, stage, next }) = activity.frames.last_mut() else { return };
    *next = 0;
    match (&stmts[*of as usize], &stage) {
        (Stmt::Try(_, Some((local, _)), _), Stage::Tried) => {
            *stage = Stage::Caught;
            Run::bind(*local, Value::from(failure.reason.as_str()), &mut activity.locals);
        }
        _ => *stage = Stage::Last(Ending::Fails(failure)),
    }
}

/// What `return` does: each `finally` on the way runs first.
pub(crate) fn leave(stmts: &[Stmt], activity: &mut Activity) -> Flow {
    while let Some(frame) = activity.frames.last_mut() {
        if let Frame::Try { of, stage, next } = frame
            && matches!(&stmts[*of as usize], Stmt::Try(.., last) if !last.is_empty())
            && !matches!(stage, Stage::Last(_))
        {
            (*stage, *next) = (Stage::Last(Ending::Returns), 0);
            return Flow::Goes;
        }
        activity.frames.pop();
    }
    Flow::Ends
}
