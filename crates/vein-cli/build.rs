//! Builds the engine for browsers, which `vein build` ships: whoever has the program needs no
//! toolchain then. Lists the files of the demo.

use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::process::Command;

const TARGET: &str = "wasm32-unknown-unknown";

/// What rustc uses of WebAssembly beyond its first version, and every browser of the last years knows.
const FEATURES: [&str; 6] = [
    "bulk-memory",
    "multivalue",
    "mutable-globals",
    "nontrapping-float-to-int",
    "reference-types",
    "sign-ext",
];

fn main() {
    let here = PathBuf::from(env("CARGO_MANIFEST_DIR"));
    let out = PathBuf::from(env("OUT_DIR"));
    let crates = here.join("..");
    for name in ["vein-plan", "vein-view", "vein-runtime", "vein-web"] {
        println!("cargo::rerun-if-changed={}", crates.join(name).join("src").display());
        println!("cargo::rerun-if-changed={}", crates.join(name).join("Cargo.toml").display());
    }
    println!("cargo::rerun-if-changed={}", here.join("../../Cargo.toml").display());
    println!("cargo::rerun-if-changed=build.rs");
    let wanted = std::env::var_os("CARGO_FEATURE_BUILD").is_some();
    if let Err(error) = write_glasshouse(&here.join("../../examples/glasshouse"), &out) {
        panic!("the demo's files cannot be read: {error}");
    }
    let module = if wanted && has_target() { built(&here) } else { None };
    if wanted && module.is_none() {
        println!(
            "cargo::warning=THE ENGINE FOR BROWSERS WAS NOT BUILT: `vein build` will say so. Run \
             `rustup target add {TARGET}` and build again."
        );
    }
    let bytes = module.and_then(|path| std::fs::read(path).ok()).unwrap_or_default();
    if let Err(error) = std::fs::write(out.join("engine.wasm"), bytes) {
        panic!("the engine cannot be written to {}: {error}", out.display());
    }
}

/// Writes the files of the demo as pairs of path and text, for `include!`, in the order of their paths.
fn write_glasshouse(folder: &Path, out: &Path) -> std::io::Result<()> {
    let mut pairs = String::from("&[\n");
    for inside in ["", "scenarios/"] {
        let entries = std::fs::read_dir(folder.join(inside))?;
        let mut files: Vec<PathBuf> =
            entries.map(|entry| Ok(entry?.path())).collect::<std::io::Result<_>>()?;
        files.retain(|file| file.is_file());
        files.sort();
        for file in files {
            let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let file = file.canonicalize()?;
            pairs += &format!("    ({:?}, include_str!({file:?})),\n", inside.to_owned() + &name);
        }
    }
    println!("cargo::rerun-if-changed={}", folder.display());
    std::fs::write(out.join("glasshouse.rs"), pairs + "]\n")
}

fn env(name: &str) -> OsString {
    std::env::var_os(name).unwrap_or_else(|| panic!("cargo sets {name}"))
}

fn has_target() -> bool {
    let asked = Command::new(env("RUSTC")).args(["--print", "sysroot"]).output();
    let Ok(asked) = asked else { return false };
    let root = String::from_utf8_lossy(&asked.stdout).trim().to_owned();
    Path::new(&root).join("lib/rustlib").join(TARGET).is_dir()
}

/// Builds the engine into a folder of its own, where every profile of the program finds it again.
fn built(here: &Path) -> Option<PathBuf> {
    let out = PathBuf::from(env("OUT_DIR"));
    // OUT_DIR is <target>/<profile>/build/<package>/out, maybe with a target's name in between.
    let target = out.ancestors().nth(4)?.join("engine");
    // No path of this machine may stand in what is shipped.
    let home =
        std::env::var("CARGO_HOME").or_else(|_| std::env::var("HOME").map(|h| h + "/.cargo"));
    let root = here.ancestors().nth(2)?;
    let flags = [
        format!("--remap-path-prefix={}=vein", root.display()),
        format!("--remap-path-prefix={}=cargo", home.unwrap_or_default()),
    ];
    let mut cargo = Command::new(env("CARGO"));
    // What the outer build sets for itself is not meant for this one.
    for (name, _) in std::env::vars_os() {
        let name = name.to_string_lossy().into_owned();
        let foreign = ["CARGO_", "RUSTC_", "RUSTFLAGS", "DEP_"].iter().any(|p| name.starts_with(p));
        if foreign && name != "CARGO_HOME" {
            cargo.env_remove(name);
        }
    }
    // A debug build is made anew with every change, and nobody ships it.
    let debug = std::env::var("PROFILE").is_ok_and(|profile| profile == "debug");
    let profile = if debug { "web-quick" } else { "web" };
    let status = cargo
        .args(["rustc", "--quiet", "-p", "vein-web", "--lib", "--crate-type", "cdylib"])
        .args(["--profile", profile, "--target", TARGET, "--target-dir"])
        .arg(&target)
        .env("CARGO_ENCODED_RUSTFLAGS", flags.join("\u{1f}"))
        .current_dir(here)
        .status();
    match status {
        Ok(status) if status.success() => {}
        _ => return None,
    }
    let module = target.join(TARGET).join(profile).join("vein_web.wasm");
    if debug {
        return Some(module);
    }
    Some(smaller(&module, &out).unwrap_or(module))
}

/// What `wasm-opt` (binaryen) makes of the module, where it is installed; it takes off some more.
fn smaller(module: &Path, out: &Path) -> Option<PathBuf> {
    let smaller = out.join("smaller.wasm");
    let status = Command::new("wasm-opt")
        .args(["-Oz", "--strip-debug", "--strip-producers"])
        .args(FEATURES.map(|feature| format!("--enable-{feature}")))
        .arg(module)
        .arg("-o")
        .arg(&smaller)
        .status()
        .ok()?;
    status.success().then_some(smaller)
}
