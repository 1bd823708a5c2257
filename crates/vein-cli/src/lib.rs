//! The command line of Vein. [`main`] is all of it; the rest is for its own tests.

mod arguments;
#[cfg(feature = "build")]
mod build;
mod commands;
#[cfg(feature = "serve")]
#[doc(hidden)]
pub mod fuzzed;
#[cfg(any(feature = "browser", feature = "serve"))]
mod http;
mod output;
#[cfg(any(feature = "browser", feature = "build", feature = "serve"))]
mod page;
mod progress;
mod project;
mod prove;
#[cfg(any(feature = "browser", feature = "build", feature = "serve"))]
mod script;
#[cfg(feature = "serve")]
mod serve;
mod settings;
#[cfg(any(feature = "build", feature = "serve"))]
mod shipped;
mod simulated;
#[cfg(any(feature = "browser", feature = "serve"))]
mod told;
#[cfg(feature = "browser")]
#[doc(hidden)]
pub mod trial;
mod watched;

use arguments::{Arguments, Command};
use clap::Parser;
use output::Outcome;
use std::process::ExitCode;

/// Runs the command that the process was called with.
pub fn main() -> ExitCode {
    if let Some((old, new)) = arguments::renamed(std::env::args_os().skip(1)) {
        eprintln!("error: `{old}` is called `{new}`");
        return ExitCode::from(2);
    }
    let arguments = Arguments::parse();
    let result = match arguments.command {
        Command::New(new) => commands::new::run(&new),
        Command::Check(check) => commands::check::run(&check),
        Command::Show(show) => commands::show::run(&show),
        Command::Map(map) => commands::map::run(&map),
        Command::Prove(prove) => prove::run(&prove),
        Command::Demo(demo) => commands::demo::run(&demo),
        #[cfg(feature = "serve")]
        Command::Serve(serve) => commands::serve::run(&serve),
        #[cfg(not(feature = "serve"))]
        Command::Serve(_) => left_out("serve"),
        #[cfg(feature = "build")]
        Command::Build(arguments) => build::run(&arguments),
        #[cfg(not(feature = "build"))]
        Command::Build(_) => left_out("build"),
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

/// What is said where something was asked for that this program was built without.
#[cfg(not(all(feature = "browser", feature = "build", feature = "locale", feature = "serve")))]
fn left_out<T>(feature: &str) -> anyhow::Result<T> {
    anyhow::bail!(
        "this `vein` was built without its feature `{feature}`: build it again with \
         `--features {feature}`"
    )
}
