//! The public interface, from outside.

mod damaged;
mod documents;
mod examples;
mod golden;
mod host;
