//! The command line of Vein. [`main`] is all of it; the rest is for its own tests.

mod arguments;
mod build;
mod commands;
mod output;
mod project;
mod prove;
mod serve;
mod simulated;
#[doc(hidden)]
pub mod trial;

use arguments::{Arguments, Command};
use clap::Parser;
use output::Outcome;
use std::process::ExitCode;

/// Runs the command that the process was called with.
pub fn main() -> ExitCode {
    let arguments = Arguments::parse();
    let result = match arguments.command {
        Command::Check(check) => commands::check::run(&check),
        Command::Show(show) => commands::show::run(&show),
        Command::Map(map) => commands::map::run(&map),
        Command::Prove(prove) => prove::run(&prove),
        Command::Demo(demo) => commands::demo::run(&demo),
        Command::Serve(serve) => commands::serve::run(&serve),
        Command::Build(arguments) => build::run(&arguments),
        Command::Completions { shell } => commands::completions(shell),
    };
    match result {
        Ok(Outcome::Holds) => ExitCode::SUCCESS,
        Ok(Outcome::DoesNotHold) => ExitCode::from(1),
        Err(error) => {
            output::error(&error);
            ExitCode::from(2)
        }
    }
}
