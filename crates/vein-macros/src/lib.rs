//! The macros of `vein`, which exports them.

use proc_macro::{TokenStream, TokenTree};
use std::path::{Path, PathBuf};

/// The ending of a scenario's file name.
const ENDING: &str = ".scenario.toml";

/// One test for each scenario below a folder of components, named as its file, and one that finds out
/// whether scenarios were added or taken away since this was compiled. The path goes from the crate's
/// own folder.
#[proc_macro]
pub fn scenarios(input: TokenStream) -> TokenStream {
    let mut tokens = input.into_iter();
    let folder = match (tokens.next(), tokens.next()) {
        (Some(TokenTree::Literal(literal)), None) => text_of(&literal.to_string()),
        _ => None,
    };
    let Some(folder) = folder else {
        return error("say which folder, as a text: `vein::scenarios!(\"ui\")`");
    };
    let root = std::env::var("CARGO_MANIFEST_DIR").map(PathBuf::from).unwrap_or_default();
    let mut files = Vec::new();
    if let Err(why) = find(&root.join(&folder), &mut files) {
        return error(&format!("the folder `{folder}` cannot be read: {why}"));
    }
    files.sort();
    if files.is_empty() {
        return error(&format!("there is no `*{ENDING}` below `{folder}`"));
    }
    let mut out = String::new();
    let mut names: Vec<String> = Vec::new();
    for file in &files {
        let name = name_of(file);
        if names.contains(&name) {
            return error(&format!("two scenarios below `{folder}` are called `{name}`"));
        }
        out.push_str(&format!(
            "#[test]\nfn {name}() {{ ::vein::prove_file({:?}, {:?}); }}\n\
             const _: &[u8] = ::core::include_bytes!({:?});\n",
            root.join(&folder),
            file,
            file
        ));
        names.push(name);
    }
    out.push_str(&format!(
        "#[test]\nfn no_scenario_is_left_out() {{ ::vein::same_scenarios({:?}, {}); }}\n",
        root.join(&folder),
        files.len()
    ));
    out.parse().unwrap_or_else(|_| error("a scenario's name makes no name of a test"))
}

/// The text of a literal without escapes.
fn text_of(literal: &str) -> Option<String> {
    let text = literal.strip_prefix('"')?.strip_suffix('"')?;
    (!text.contains('\\')).then(|| text.to_owned())
}

/// A scenario's name as that of a function.
fn name_of(file: &Path) -> String {
    let name = file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let name = name.strip_suffix(ENDING).unwrap_or(&name);
    let name: String = name
        .chars()
        .map(|c| if c.is_alphanumeric() { c.to_ascii_lowercase() } else { '_' })
        .collect();
    match name.starts_with(|c: char| c.is_ascii_digit()) {
        true => format!("_{name}"),
        false => name,
    }
}

fn find(folder: &Path, files: &mut Vec<PathBuf>) -> std::io::Result<()> {
    for entry in std::fs::read_dir(folder)? {
        let entry = entry?;
        let hidden = entry.file_name().to_string_lossy().starts_with('.');
        if entry.file_type()?.is_dir() {
            if !hidden && entry.file_name() != "target" {
                find(&entry.path(), files)?;
            }
        } else if entry.file_name().to_string_lossy().ends_with(ENDING) {
            files.push(entry.path());
        }
    }
    Ok(())
}

fn error(said: &str) -> TokenStream {
    format!("::core::compile_error!({said:?});").parse().unwrap_or_default()
}
