//! Files of `page/` that more than one kind of page has.

/// The browser's side of the patch protocol.
#[cfg(any(feature = "browser", feature = "serve"))]
pub(crate) const APPLIER: &str = include_str!("../page/applier.mjs");

/// The styles of what stands around a view.
pub(crate) const FRAME: &str = include_str!("../page/frame.css");
