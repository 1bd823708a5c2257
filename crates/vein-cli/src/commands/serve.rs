//! `vein serve`

use crate::arguments::Serve;
use crate::output::Outcome;
use crate::project;
use crate::serve::{self, Ledger};
use anyhow::Result;

pub(crate) fn run(arguments: &Serve) -> Result<Outcome> {
    let Some(opened) = project::open(&arguments.opening, arguments.port)? else {
        return Ok(Outcome::DoesNotHold);
    };
    let ledger = match (arguments.ledger, arguments.json) {
        (false, _) => Ledger::Off,
        (true, false) => Ledger::Text,
        (true, true) => Ledger::Json,
    };
    serve::run(opened, ledger)
}
