//! The public interface, from outside.

mod documents;
mod examples;
mod golden;
mod host;
