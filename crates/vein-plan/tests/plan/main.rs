//! Plans and values from outside.

mod convert;
mod follow;
mod verify;
