//! The public interface, from outside.

mod alive;
#[cfg(debug_assertions)]
mod broken;
mod budget;
mod catching;
mod damaged;
mod depth;
mod documents;
mod ends;
mod examples;
mod forms;
mod functions;
mod golden;
mod guide;
mod host;
mod ledger;
mod moments;
mod naming;
mod proving;
mod returning;
mod statements;
mod waiting;
