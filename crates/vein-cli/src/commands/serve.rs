//! `vein serve`

use crate::arguments::Serve;
use crate::output::Outcome;
use crate::serve::{self, Ledger, Manner, Source};
use anyhow::Result;

pub(crate) fn run(arguments: &Serve) -> Result<Outcome> {
    let ledger = match (arguments.ledger, arguments.json) {
        (false, _) => Ledger::Off,
        (true, false) => Ledger::Text,
        (true, true) => Ledger::Json,
    };
    let manner = Manner { port: arguments.port, ledger, open: arguments.open };
    serve::run(Source::Folder(arguments.opening.clone()), manner)
}
