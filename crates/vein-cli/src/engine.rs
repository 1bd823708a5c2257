//! The engine for browsers, as this program carries it.

use anyhow::Result;

/// The engine in WebAssembly; empty where this program was built without it.
pub(crate) const MODULE: &[u8] = include_bytes!(concat!(env!("OUT_DIR"), "/engine.wasm"));

const SCRIPT: &str = include_str!("../page/engine.mjs");
const WIRE: &str = include_str!("../page/wire.mjs");
const FORMAT: &str = include_str!("../page/format.mjs");
const CLEAN: &str = include_str!("../page/clean.mjs");

/// Fails where this program was built without the engine.
#[cfg(feature = "build")]
pub(crate) fn is_here() -> Result<()> {
    if MODULE.is_empty() {
        anyhow::bail!(
            "this `vein` was built without the engine for browsers: run `rustup target add \
             wasm32-unknown-unknown` and build it again"
        );
    }
    Ok(())
}

#[cfg(not(feature = "build"))]
pub(crate) fn is_here() -> Result<()> {
    crate::left_out("build")
}

/// Its scripts as one, which leaves `Engine` to what follows it.
pub(crate) fn bundled(applier: &str) -> String {
    let inside = |script: &str, gives: &str| {
        let lines = lean(script);
        let lines = lines.lines().filter(|line| !line.starts_with("import "));
        let lines: Vec<&str> =
            lines.map(|line| line.strip_prefix("export ").unwrap_or(line)).collect();
        // What may stay of markup is told by the sanitiser that is used outside a browser.
        let rules = format!("const RULES = {};", vein::cleaning_rules());
        let lines = lines.join("\n").replace("const RULES = {};", &rules);
        format!("const {gives} = (() => {{\n{lines}\nreturn {gives};\n}})();\n")
    };
    let scripts = [
        (applier, "{ Surface }"),
        (WIRE, "{ Wire }"),
        (FORMAT, "{ format }"),
        (CLEAN, "{ clean }"),
        (SCRIPT, "{ Engine, Page, Refused }"),
    ];
    scripts.iter().map(|(script, gives)| inside(script, gives)).collect()
}

/// Its scripts as a module.
pub(crate) fn script(applier: &str) -> String {
    bundled(applier) + "export { Engine, Page, Refused };\n"
}

/// A script without the comments and the indentation that are there for its readers.
pub(crate) fn lean(script: &str) -> String {
    let lines = script.lines().map(str::trim);
    let comment = |line: &str| ["//", "/**", "*/", "* "].iter().any(|c| line.starts_with(c));
    let kept = lines.filter(|line| !line.is_empty() && *line != "*" && !comment(line));
    kept.fold(String::new(), |all, line| all + line + "\n")
}
