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
    New(New),
    Check(Check),
    Show(Show),
    Map(Map),
    Prove(Prove),
    Demo(Demo),
    Serve(Serve),
    Build(Build),
    /// Print completions for a shell.
    Completions {
        /// The shell.
        shell: clap_complete::Shell,
    },
}

/// Begin a project: a small one that checks, serves, proves and builds at once.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein new shed                 into a folder that is not there yet, or is empty")]
pub(crate) struct New {
    /// The project's folder; nothing that stands in it is written over.
    pub(crate) dir: PathBuf,
}

/// Find all mistakes in a folder of components at once.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein check                    the project in this folder
  vein check ui --deny-warnings warnings count as mistakes
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
    pub(crate) deny_warnings: bool,
}

/// Where components and their data are.
#[derive(Args, Clone)]
pub(crate) struct Opening {
    /// The component; `vein.toml` may name one to begin with.
    pub(crate) component: Option<String>,
    /// A JSON file with a value for each prop; `-` reads the standard input.
    #[arg(long, value_name = "FILE")]
    pub(crate) data: Option<PathBuf>,
    /// The project's folder.
    #[arg(long, default_value = ".")]
    pub(crate) dir: PathBuf,
}

/// Print the HTML that a component renders for some data.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein show bed-card --data bed.json
  vein show bed-card --data bed.json --tree   each part, where it comes from, what it reads
  echo '{\"n\": 1}' | vein show my-counter --data -")]
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

/// Play scenarios, and prove that each step changes exactly what it states.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein prove                       every *.scenario.toml below this folder
  vein prove water                 those with `water` in their names
  vein prove --ledger              every pulse, with its causes
  vein prove --accept              write what was seen into the scenarios, for review
  vein prove --report proof.html   a page with every step, before and after
  vein prove --browser             with real clicks and keys in Chromium, too
  vein prove --mutants             break the components, and list what nobody notices")]
pub(crate) struct Prove {
    /// Scenarios: files, or parts of their names; without any, all.
    pub(crate) scenarios: Vec<String>,
    /// The project's folder.
    #[arg(long, default_value = ".")]
    pub(crate) dir: PathBuf,
    /// Print the ledger: every pulse with its causes, effects and verdict.
    #[arg(long)]
    pub(crate) ledger: bool,
    /// Write what was seen into the scenarios, where it is not what they state.
    #[arg(long)]
    pub(crate) accept: bool,
    /// Play again whenever a component, a scenario or data changes.
    #[arg(long, conflicts_with_all = ["json", "mutants", "accept"])]
    pub(crate) watch: bool,
    /// List what no scenario has ever seen happen, with file and line.
    #[arg(long)]
    pub(crate) coverage: bool,
    /// Exit with 1 when less than this was seen, in hundredths of all bindings, branches, handlers.
    #[arg(long, value_name = "PERCENT")]
    pub(crate) coverage_min: Option<f64>,
    /// Write the coverage in lcov's format.
    #[arg(long, value_name = "FILE")]
    pub(crate) lcov: Option<PathBuf>,
    /// Break each binding, condition and event in turn, and list the breaks that no scenario notices.
    #[arg(long, conflicts_with_all = ["browser", "accept", "report", "ledger"])]
    pub(crate) mutants: bool,
    /// Play in Chromium, too, and hold what the document's own observer saw against the ledger.
    #[arg(long, conflicts_with = "accept")]
    pub(crate) browser: bool,
    /// Write a page with every step: what was done, the view before and after, causes, verdict.
    #[arg(long, value_name = "FILE")]
    pub(crate) report: Option<PathBuf>,
    /// Write the outcome as JUnit XML.
    #[arg(long, value_name = "FILE")]
    pub(crate) junit: Option<PathBuf>,
    /// Print the outcome as JSON.
    #[arg(long, conflicts_with = "ledger")]
    pub(crate) json: bool,
    /// How many scenarios are played at once; as many as there are processors.
    #[arg(long, value_name = "COUNT")]
    pub(crate) jobs: Option<usize>,
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
  vein serve bed-card --data bed.json --ledger
  vein serve --open                       in the browser at once
  vein serve --port 0                     any free port

Open tabs show what is saved, with their state; mistakes are shown over the page.")]
pub(crate) struct Serve {
    #[command(flatten)]
    pub(crate) opening: Opening,
    /// The port on 127.0.0.1; 0 takes any that is free.
    #[arg(long)]
    pub(crate) port: Option<u16>,
    /// Open it in the browser (what `BROWSER` names, or the system's own).
    #[arg(long)]
    pub(crate) open: bool,
    /// Prove every pulse and print the ledger.
    #[arg(long)]
    pub(crate) ledger: bool,
    /// Print the ledger as JSON, a pulse a line.
    #[arg(long, requires = "ledger")]
    pub(crate) json: bool,
}

/// Make a static site, or a custom element, that runs in a browser without a server.
#[derive(Args)]
#[command(after_help = "\
Examples:
  vein build                              what vein.toml names, into `dist`
  vein build bed-card --data bed.json -o public
  vein build --element bed-card           a file that any page can use as <bed-card>
  vein build --types vein.d.ts            types for `host.js`; nothing else is made")]
pub(crate) struct Build {
    #[command(flatten)]
    pub(crate) opening: Opening,
    /// The folder to write to.
    #[arg(short, long, value_name = "DIR", default_value = "dist")]
    pub(crate) out: PathBuf,
    /// Make a custom element of the component.
    #[arg(long)]
    pub(crate) element: bool,
    /// A prop that the element writes to its attribute, too; those that it `shares` always are.
    #[arg(long, value_name = "PROP", requires = "element")]
    pub(crate) reflect: Vec<String>,
    /// Write scripts that people can read: a module for each component, with names, places and comments.
    #[arg(long)]
    pub(crate) readable: bool,
    /// Write type declarations of the page and its host into this file, and make nothing else.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["element", "json"])]
    pub(crate) types: Option<PathBuf>,
    /// Print what was made as JSON.
    #[arg(long)]
    pub(crate) json: bool,
}

/// An option among some arguments that was called something else, and what it is called.
pub(crate) fn renamed(
    arguments: impl Iterator<Item = std::ffi::OsString>,
) -> Option<(&'static str, &'static str)> {
    const OLD: [(&str, &str); 3] = [
        ("--with", "--data"),
        ("--warnings-fail", "--deny-warnings"),
        ("--coverage-least", "--coverage-min"),
    ];
    let options = arguments.take_while(|argument| argument != "--");
    let mut names = options.filter_map(|argument| {
        let argument = argument.into_string().ok()?;
        Some(argument.split('=').next().unwrap_or_default().to_owned())
    });
    names.find_map(|name| OLD.into_iter().find(|(old, _)| *old == name))
}
