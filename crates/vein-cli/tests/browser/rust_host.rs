//! The example of a host in Rust: built as its guide says, and tried in Chromium.

use crate::building_of::built;
use crate::driven::Browser;
use crate::running::copy;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;
use vein_cli::trial::serve_files;

const ROOT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");

/// Where `cargo xtask test` says that the program is.
fn bindgen() -> Option<OsString> {
    let named = std::env::var_os("VEIN_WASM_BINDGEN");
    if named.is_none() {
        println!("NOT RUN: no wasm-bindgen here for the example of a host in Rust");
    }
    named
}

fn run(command: &mut Command) {
    let done = command.current_dir(ROOT).output().expect("a program that runs");
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
}

pub async fn rust_answers_in_the_page(browser: &Browser) {
    let Some(bindgen) = bindgen() else { return };
    let (project, out) = (TempDir::new().expect("a folder"), TempDir::new().expect("a folder"));
    copy(&Path::new(ROOT).join("examples/rust-host"), project.path());
    let target = PathBuf::from(ROOT).join("target/rust-host");
    let mut cargo = Command::new(env!("CARGO"));
    cargo.args([
        "build",
        "--quiet",
        "--release",
        "--manifest-path",
        "examples/rust-host/Cargo.toml",
    ]);
    run(cargo.args(["--target", "wasm32-unknown-unknown", "--target-dir"]).arg(&target));
    let module = target.join("wasm32-unknown-unknown/release/rust_host.wasm");
    let mut bind = Command::new(bindgen);
    bind.args(["--target", "web", "--out-dir"]).arg(project.path().join("pkg"));
    run(bind.arg(module));
    built(&[], project.path(), out.path());
    let address = serve_files(out.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    let acidity =
        |text: &str| format!("return document.querySelector('.acidity').textContent === '{text}'");
    browser.until(&acidity("pH 6.6"), "an answer that comes late").await;
    let warm = "return /^1[45].\\d °C$/.test(document.querySelector('.warmth').textContent)";
    browser.until(warm, "a stream").await;
    let write = |selector: &str, value: &str, event: &str| {
        format!(
            "const control = document.querySelector('{selector}');
             control.value = '{value}';
             control.dispatchEvent(new InputEvent('{event}', {{ bubbles: true }}));"
        )
    };
    browser.run(&write("select", "p", "input")).await;
    browser
        .until("return document.querySelector('h1').textContent === 'peat'", "an answer at once")
        .await;
    browser.run(&write("input", "55", "input")).await;
    browser.until(&acidity("the probe goes down to 40 cm, not 55 cm"), "a failure").await;
}
