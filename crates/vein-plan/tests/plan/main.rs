//! Plans and values from outside.

mod convert;
mod follow;
mod json;
mod numbers;
mod texts;
mod verify;
