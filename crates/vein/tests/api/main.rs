//! The public interface, from outside.

mod examples;
mod golden;
mod host;
