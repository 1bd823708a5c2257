//! The `vein` program.

use std::process::ExitCode;

fn main() -> ExitCode {
    vein_cli::main()
}
