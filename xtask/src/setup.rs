//! What the tests need beyond cargo: Chromium with its driver.

use crate::succeeds;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// What is there.
pub(crate) struct Ready {
    pub(crate) browser: bool,
    /// The program `wasm-bindgen`, where it is.
    pub(crate) bindgen: Option<PathBuf>,
}

/// Installs what is missing, from the system's packages and with rustup.
pub(crate) fn run() -> Ready {
    let ready = Ready { browser: has_browser() || install_browser(), bindgen: bindgen() };
    ready.repeat_what_is_missing();
    ready
}

impl Ready {
    /// Says in a way that nobody overlooks what will not be tested.
    pub(crate) fn repeat_what_is_missing(&self) {
        let missing = [
            (self.browser, "CHROMIUM AND CHROMEDRIVER CANNOT BE HAD: NO TEST RUNS IN A BROWSER"),
            (
                self.bindgen.is_some(),
                "NO WASM-BINDGEN HERE: THE EXAMPLE OF A HOST IN RUST IS NOT TRIED",
            ),
        ];
        for (_, what) in missing.iter().filter(|(there, _)| !there) {
            let line = "!".repeat(what.len() + 8);
            println!("\n{line}\n!!! {what} !!!\n{line}");
        }
    }
}

fn quiet(program: &str, arguments: &[&str]) -> bool {
    let mut command = Command::new(program);
    command.args(arguments).stdout(Stdio::null()).stderr(Stdio::null());
    succeeds(&mut command)
}

fn has_browser() -> bool {
    quiet("chromedriver", &["--version"]) && quiet("chromium", &["--version"])
}

fn install_browser() -> bool {
    println!("== installing Chromium and its driver from the system's packages");
    let install = "apt-get update && DEBIAN_FRONTEND=noninteractive \
                   apt-get install -y --no-install-recommends chromium chromium-driver fonts-dejavu-core";
    let as_root = quiet("sh", &["-c", "test \"$(id -u)\" = 0"]);
    let shell = if as_root { install.to_owned() } else { format!("sudo -n sh -c '{install}'") };
    succeeds(Command::new("sh").args(["-c", &shell])) && has_browser()
}

/// The program `wasm-bindgen` of just the version that the example of a host in Rust uses, and the target that it is for:
/// the example alone needs them, so nobody installs them for it.
fn bindgen() -> Option<PathBuf> {
    let lock = std::fs::read_to_string("examples/rust-host/Cargo.lock").ok()?;
    let (_, rest) = lock.split_once("name = \"wasm-bindgen\"\nversion = \"")?;
    let version = rest.split('"').next()?;
    let program = PathBuf::from("wasm-bindgen");
    let said = Command::new(&program).arg("--version").output().ok()?;
    let is_it = String::from_utf8_lossy(&said.stdout).contains(version);
    (is_it && has_wasm()).then_some(program)
}

fn has_wasm() -> bool {
    let target = "wasm32-unknown-unknown";
    let output =
        Command::new("rustc").args(["--print", "target-libdir", "--target", target]).output();
    output.is_ok_and(|output| {
        let path = String::from_utf8_lossy(&output.stdout).trim().to_owned();
        output.status.success() && Path::new(&path).is_dir()
    })
}
