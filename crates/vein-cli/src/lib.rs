//! The command line of Vein. [`main`] is all of it; the rest is for its own tests.

mod arguments;
mod build;
mod commands;
mod output;
mod project;
mod prove;
mod serve;
mod simulated;

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

/// What the tests break on purpose.
#[doc(hidden)]
pub mod trial {
    pub use crate::prove::chromium::driver::{Driven, start as chromium};
    use crate::prove::chromium::{Chromium, WhereEngine};
    use vein::{Played, ScenarioFile, Ui};

    /// Plays a scenario in Chromium with another text for the browser's side of the patch protocol.
    ///
    /// # Errors
    /// A browser that cannot be had, or a scenario that cannot be opened.
    pub fn with_applier(
        ui: &Ui,
        file: &ScenarioFile,
        applier: impl Fn(&str) -> String,
    ) -> Result<Played, String> {
        let said = |error: anyhow::Error| format!("{error:#}");
        let in_memory = file.play(ui).map_err(|error| error.to_string())?;
        let applier = applier(crate::serve::http::APPLIER);
        let chromium = Chromium::start_with(ui, "en", &[], applier);
        let mut chromium = chromium.map_err(said)?;
        let played = chromium.play(file, ui, ("en", "UTC"), &in_memory, WhereEngine::Here);
        let played = played.map_err(said);
        chromium.close();
        played.map(|(played, _)| played)
    }
}
