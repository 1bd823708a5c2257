//! The proof that a pulse changed exactly the right parts of the view, and the ledger that
//! tells what it changed and why.
//!
//! | module | what it holds |
//! |---|---|
//! | [`fresh`] | the view rendered afresh from state |
//! | [`verdict`] | missed, needless, moves, idle |
//! | [`ledger`] | entries as text and JSON |
//! | [`outline`] | parts with their addresses and sources |
//! | [`session`] | engine, tree and proof together |

pub mod fresh;
pub mod ledger;
pub mod outline;
pub mod session;
pub mod verdict;

pub use ledger::{Entry, NotExact};
pub use outline::{Row, RowSource};
pub use session::Session;
pub use verdict::{Proof, Verdict};
