//! The public interface, from outside.

mod golden;
mod host;
