//! `vein new`: a small project to begin with.

use crate::arguments::New;
use crate::output::{self, Outcome};
use anyhow::{Context, Result, bail};
use std::fs::{File, create_dir_all, read_dir};
use std::io::Write;
use std::path::Path;

macro_rules! template {
    ($($path:literal $what:literal,)+) => {
        &[$(($path, include_str!(concat!("../../template/", $path)), $what),)+]
    };
}

/// The files of a new project: their paths, their texts, and what each is.
const TEMPLATE: &[(&str, &str, &str)] = template![
    "README.md" "what there is, and the five commands",
    "vein.toml" "what the page begins with",
    "tool-shed.vein" "the page",
    "tool-row.vein" "a tool on it",
    "front-desk.vein" "a store: who stands at the desk",
    "tool-shed.json" "the data that it begins with",
    "tool-shed.css" "the styles of the page",
    "host.js" "what the components ask",
    "host.d.ts" "its types, made by `vein build --types`",
    "scenarios/lend.scenario.toml" "what a person does, and all that changes",
    ".gitignore" "what is made, and need not be kept",
];

pub(crate) fn run(new: &New) -> Result<Outcome> {
    let shown = output::path(&new.dir);
    if new.dir.exists() && !new.dir.is_dir() {
        bail!("`{shown}` is a file: name a folder that is not there yet");
    }
    refuse_what_is_there(&new.dir, &shown)?;
    for (path, text, _) in TEMPLATE {
        write(&new.dir.join(path), text)?;
    }
    let widest = TEMPLATE.iter().map(|(path, ..)| path.len()).max().unwrap_or(0);
    let place = if shown.is_empty() { "this folder".to_owned() } else { format!("`{shown}`") };
    let mut said = format!("A tool shed to begin with, in {place}:\n\n");
    for (path, _, what) in TEMPLATE {
        said.push_str(&format!("  {path:<widest$}  {what}\n"));
    }
    let within = |command: &str| match shown.is_empty() {
        true => format!("  vein {command}"),
        false => format!("  vein {command} --dir {}", quoted(&shown)),
    };
    said.push_str(&format!(
        "\nGo on with\n\n{}    the page in a browser\n{}    its scenario, and a proof for every change\n",
        within("serve"),
        within("prove"),
    ));
    output::line(said);
    Ok(Outcome::Holds)
}

/// Nothing may be there but what begins with a dot, such as `.git`, and is none of the template's.
fn refuse_what_is_there(dir: &Path, shown: &str) -> Result<()> {
    if !dir.exists() {
        return Ok(());
    }
    let cannot = || format!("`{shown}` cannot be read");
    let mut there = Vec::new();
    for entry in read_dir(dir).with_context(cannot)? {
        let name = entry.with_context(cannot)?.file_name().to_string_lossy().into_owned();
        let is_ours = TEMPLATE.iter().any(|(path, ..)| *path == name);
        there.extend((is_ours || !name.starts_with('.')).then_some(name));
    }
    // What everybody sees first.
    there.sort_by_key(|name| (name.starts_with('.'), name.clone()));
    let place = if shown.is_empty() { "this folder".to_owned() } else { format!("`{shown}`") };
    let Some((first, rest)) = there.split_first() else { return Ok(()) };
    let more = if rest.is_empty() { String::new() } else { format!(" and {} more", rest.len()) };
    bail!(
        "{place} is not empty: there is `{first}`{more}, and nothing was written\n  help: name a folder that is not \
         there yet"
    )
}

/// Writes a file that is not there yet.
fn write(path: &Path, text: &str) -> Result<()> {
    let cannot = || format!("`{}` cannot be written", output::path(path));
    if let Some(folder) = path.parent() {
        create_dir_all(folder).with_context(cannot)?;
    }
    let mut file = File::create_new(path).with_context(cannot)?;
    file.write_all(text.as_bytes()).with_context(cannot)
}

/// A path as a shell takes it.
fn quoted(path: &str) -> String {
    let is_plain = |c: char| c.is_ascii_alphanumeric() || "-_./".contains(c);
    if path.chars().all(is_plain) {
        path.to_owned()
    } else {
        format!("'{}'", path.replace('\'', r"'\''"))
    }
}
