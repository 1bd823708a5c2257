//! Patches and the tree in memory, from outside.

mod build;
mod events;
mod html;
mod patches;
mod select;
