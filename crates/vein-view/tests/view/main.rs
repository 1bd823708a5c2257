//! Patches and the tree in memory, from outside.

mod build;
mod events;
mod held;
mod html;
mod parsed;
mod patches;
mod reach;
mod sanitised;
mod select;
mod valid;
