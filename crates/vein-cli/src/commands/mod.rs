//! The commands, one a file.

pub(crate) mod check;
pub(crate) mod demo;
pub(crate) mod map;
pub(crate) mod new;
pub(crate) mod picture;
#[cfg(feature = "serve")]
pub(crate) mod serve;
pub(crate) mod show;

use crate::arguments::Arguments;
use crate::output::Outcome;
use anyhow::Result;
use clap::CommandFactory;

/// Prints completions for a shell.
pub(crate) fn completions(shell: clap_complete::Shell) -> Result<Outcome> {
    clap_complete::generate(shell, &mut Arguments::command(), "vein", &mut std::io::stdout());
    Ok(Outcome::Holds)
}
