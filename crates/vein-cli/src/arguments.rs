//! What can be written on the command line.

use clap::{Args, Parser, Subcommand};
use std::path::PathBuf;

/// Component templates bound to state, with a proof for every change of the view.
#[derive(Parser)]
#[command(name = "vein", version, max_term_width = 100)]
#[command(
    after_help = "Exit codes: 0 fine, 1 what was checked does not hold, 2 it could not be run."
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Subcommand)]
pub(crate) enum Command {
    Check(Check),
    Show(Show),
    Map(Map),
    Demo(Demo),
    Serve(Serve),
    /// Print completions for a shell.
    Completions {
        /// The shell.
        shell: clap_complete::Shell,
    },
}

/// Find all mistakes in a folder of components at once.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein check                    the project in this folder
  vein check ui --warnings-fail warnings count as mistakes
  vein check --fix              mend what can be mended surely
  vein check --sarif > r.sarif  for code hosts")]
pub(crate) struct Check {
    /// The project's folder.
    #[arg(default_value = ".")]
    pub(crate) dir: PathBuf,
    /// Print the report as JSON.
    #[arg(long, conflicts_with = "sarif")]
    pub(crate) json: bool,
    /// Print the report in the SARIF format.
    #[arg(long)]
    pub(crate) sarif: bool,
    /// Write fixes into the files where nothing else can have been meant, then check again.
    #[arg(long)]
    pub(crate) fix: bool,
    /// Exit with 1 for warnings too.
    #[arg(long)]
    pub(crate) warnings_fail: bool,
}

/// Where components and their data are.
#[derive(Args)]
pub(crate) struct Opening {
    /// The component; `vein.toml` may name one to begin with.
    pub(crate) component: Option<String>,
    /// A JSON file with a value for each prop; `-` reads the standard input.
    #[arg(long, value_name = "FILE")]
    pub(crate) with: Option<PathBuf>,
    /// The project's folder.
    #[arg(long, default_value = ".")]
    pub(crate) dir: PathBuf,
}

/// Print the HTML that a component renders for some data.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein show bed-card --with bed.json
  vein show bed-card --with bed.json --tree   each part, where it comes from, what it reads
  echo '{\"n\": 1}' | vein show my-counter --with -")]
pub(crate) struct Show {
    #[command(flatten)]
    pub(crate) opening: Opening,
    /// Print each part of the view with its address, where it was written and what it reads.
    #[arg(long)]
    pub(crate) tree: bool,
    /// Print HTML without line breaks that are not in the view.
    #[arg(long, conflicts_with = "tree")]
    pub(crate) compact: bool,
    /// Print as JSON.
    #[arg(long)]
    pub(crate) json: bool,
}

/// Tell which state and which handler can change which parts of the view.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein map bed-card                 two tables: from state to parts, from handlers to parts
  vein map bed-card --svg map.svg   a picture of them too")]
pub(crate) struct Map {
    /// The component; `vein.toml` may name one to begin with.
    pub(crate) component: Option<String>,
    /// The project's folder.
    #[arg(long, default_value = ".")]
    pub(crate) dir: PathBuf,
    /// Print as JSON.
    #[arg(long)]
    pub(crate) json: bool,
    /// Draw a picture into this file.
    #[arg(long, value_name = "FILE")]
    pub(crate) svg: Option<PathBuf>,
}

/// Prove the shipped example, a glasshouse, and print a tour of it.
#[derive(Args)]
pub(crate) struct Demo {
    /// Serve the example in a browser instead.
    #[arg(long)]
    pub(crate) serve: bool,
    /// The port to serve on; 0 takes any that is free.
    #[arg(long, default_value_t = crate::project::PORT, requires = "serve")]
    pub(crate) port: u16,
    /// Print the ledger as JSON, a pulse a line.
    #[arg(long, conflicts_with = "serve")]
    pub(crate) json: bool,
}

/// Show a component in a browser; each tab has a page of its own.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein serve                              what vein.toml names
  vein serve bed-card --with bed.json --ledger
  vein serve --port 0                     any free port")]
pub(crate) struct Serve {
    #[command(flatten)]
    pub(crate) opening: Opening,
    /// The port on 127.0.0.1; 0 takes any that is free.
    #[arg(long)]
    pub(crate) port: Option<u16>,
    /// Prove every pulse and print the ledger.
    #[arg(long)]
    pub(crate) ledger: bool,
    /// Print the ledger as JSON, a pulse a line.
    #[arg(long, requires = "ledger")]
    pub(crate) json: bool,
}
