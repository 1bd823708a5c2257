//! The public interface, from outside.

mod alive;
mod broken;
mod damaged;
mod documents;
mod examples;
mod golden;
mod host;
mod proving;
