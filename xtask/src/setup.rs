//! What the tests need beyond cargo: Chromium with its driver, and the WebAssembly target.

use crate::succeeds;
use std::process::{Command, Stdio};

pub(crate) const WASM: &str = "wasm32-unknown-unknown";

/// What is there.
pub(crate) struct Ready {
    pub(crate) browser: bool,
    pub(crate) wasm: bool,
}

/// Installs what is missing, from the system's packages and with rustup.
pub(crate) fn run() -> Ready {
    let ready =
        Ready { browser: has_browser() || install_browser(), wasm: has_wasm() || add_wasm() };
    ready.repeat_what_is_missing();
    ready
}

impl Ready {
    /// Says in a way that nobody overlooks what will not be tested.
    pub(crate) fn repeat_what_is_missing(&self) {
        let missing = [
            (self.browser, "CHROMIUM AND CHROMEDRIVER CANNOT BE HAD: NO TEST RUNS IN A BROWSER"),
            (self.wasm, "THE WEBASSEMBLY TARGET CANNOT BE HAD: THE ENGINE IS NOT BUILT FOR IT"),
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
