//! What the tests need beyond cargo: Chromium with its driver, the WebAssembly target, and
//! `wasm-bindgen` of the version that the lock file names.

use crate::succeeds;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

pub(crate) const WASM: &str = "wasm32-unknown-unknown";

/// What is there.
pub(crate) struct Ready {
    pub(crate) browser: bool,
    pub(crate) wasm: bool,
    /// The program `wasm-bindgen`.
    pub(crate) bindgen: Option<PathBuf>,
}

/// Installs what is missing, from the system's packages and with rustup.
pub(crate) fn run() -> Ready {
    let ready = Ready {
        browser: has_browser() || install_browser(),
        wasm: has_wasm() || add_wasm(),
        bindgen: bindgen(),
    };
    ready.repeat_what_is_missing();
    ready
}

impl Ready {
    /// Says in a way that nobody overlooks what will not be tested.
    pub(crate) fn repeat_what_is_missing(&self) {
        let missing = [
            (self.browser, "CHROMIUM AND CHROMEDRIVER CANNOT BE HAD: NO TEST RUNS IN A BROWSER"),
            (self.wasm, "THE WEBASSEMBLY TARGET CANNOT BE HAD: THE ENGINE IS NOT BUILT FOR IT"),
            (self.bindgen.is_some(), "WASM-BINDGEN CANNOT BE HAD: NO HOST IN RUST IS TESTED"),
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

/// The program `wasm-bindgen`, of just the version that the lock file names: on the path, or
/// installed into the target folder.
fn bindgen() -> Option<PathBuf> {
    let lock = std::fs::read_to_string("Cargo.lock").ok()?;
    let (_, rest) = lock.split_once("name = \"wasm-bindgen\"\nversion = \"")?;
    let version = rest.split('"').next()?;
    let is_it = |program: &Path| {
        let said = Command::new(program).arg("--version").output();
        said.is_ok_and(|said| String::from_utf8_lossy(&said.stdout).contains(version))
    };
    let root = std::env::current_dir().ok()?.join("target/tools");
    let own = root.join("bin").join(format!("wasm-bindgen{}", std::env::consts::EXE_SUFFIX));
    for program in [PathBuf::from("wasm-bindgen"), own.clone()] {
        if is_it(&program) {
            return Some(program);
        }
    }
    println!("== installing wasm-bindgen {version}");
    // It runs for a moment: what counts is how soon it is built. It fetches nothing, so it needs no TLS.
    let mut install = Command::new("cargo");
    install.args(["install", "--quiet", "--debug", "--no-default-features", "--bin=wasm-bindgen"]);
    install
        .args(["wasm-bindgen-cli", "--version", version])
        .env("CARGO_PROFILE_DEV_DEBUG", "false");
    (succeeds(install.arg("--root").arg(&root)) && is_it(&own)).then_some(own)
}

fn has_wasm() -> bool {
    let output =
        Command::new("rustc").args(["--print", "target-libdir", "--target", WASM]).output();
    output.is_ok_and(|output| {
        let path = String::from_utf8_lossy(&output.stdout).trim().to_owned();
        output.status.success() && std::path::Path::new(&path).is_dir()
    })
}

fn add_wasm() -> bool {
    println!("== adding the target {WASM}");
    succeeds(Command::new("rustup").args(["target", "add", WASM])) && has_wasm()
}
