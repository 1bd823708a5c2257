//! The view: patches, and the tree in memory to which they are applied.
//!
//! | module | what it holds |
//! |---|---|
//! | `clean` | markup from data, cleaned (feature `clean`) |
//! | [`patch`] | the patch protocol in its binary form |
//! | [`tree`] | the tree in memory |
//! | [`mates`] | which nodes of a view stay in the one that comes in its place |
//! | `sanitise` | what controls make of texts, by their types |
//! | [`events`] | events as the DOM dispatches them |
//! | [`interact`] | what a person can reach and use: focus, visibility, labels, forms |
//! | [`html`] | the writer |
//! | `select` | queries by CSS selectors (feature `select`) |
//! | `selector` | a selector for an element (feature `select`) |

#[cfg(feature = "clean")]
mod clean;
pub mod events;
pub mod html;
pub mod interact;
pub mod mates;
mod numbers;
pub mod patch;
mod sanitise;
#[cfg(feature = "select")]
pub mod select;
#[cfg(feature = "select")]
mod selector;
pub mod tree;
mod validity;

#[cfg(feature = "clean")]
pub use clean::clean;
#[cfg(feature = "clean")]
#[doc(hidden)]
pub use clean::rules as cleaning_rules;
pub use events::{Dispatched, Event, NotDispatched, Reached};
pub use html::Layout;
pub use interact::{Restored, Typing};
pub use mates::Mates;
pub use patch::{Batch, BatchError, NodeNumber, Patch, ROOT, Template, TemplateListener};
pub use sanitise::{Stepped, is_number};
#[cfg(feature = "select")]
pub use select::SelectError;
pub use tree::{ApplyError, NodeId, Tree};
pub use validity::Validity;
