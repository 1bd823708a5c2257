//! The proof that a pulse changed exactly the right parts of the view, and the ledger that
//! tells what it changed and why.
//!
//! | module | what it holds |
//! |---|---|
//! | [`fresh`] | the view rendered afresh from state |
//! | [`verdict`] | missed, needless, moves, idle |
//! | `controls` | controls that are bound both ways, followed from pulse to pulse |
//! | [`ledger`] | entries as text and JSON |
//! | [`coverage`] | what was seen to happen, and what never was |
//! | [`mutants`](mod@mutants) | components broken on purpose |
//! | [`outline`] | parts with their addresses and sources |
//! | [`person`] | what a person does, and what a browser makes of it |
//! | [`scenario`] | what is done in steps, and all that each of them changes |
//! | [`session`] | engine, tree and proof together |

mod controls;
pub mod coverage;
pub mod fresh;
mod hands;
mod keys;
pub mod ledger;
pub mod mutants;
pub mod outline;
pub mod person;
pub mod scenario;
pub mod session;
pub mod verdict;

pub use coverage::Coverage;
pub use ledger::{Entry, NotExact};
pub use mutants::{Mutant, mutants};
pub use outline::{Row, RowSource};
pub use person::{Act, Refused};
pub use scenario::{Mistake, Played, PlayedStep, Player, Scenario};
pub use session::Session;
pub use verdict::{Proof, Told, Verdict};
