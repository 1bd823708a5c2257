//! Plans and values from outside.

mod convert;
mod follow;
mod json;
mod numbers;
mod shown;
mod texts;
mod timeline;
mod values;
mod verify;
