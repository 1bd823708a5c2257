//! What a page consists of beside its components, whether it is built or served: styles, the host module, the project's own files, the
//! policy.

use crate::project::{BuildSettings, Planned};
use anyhow::{Context, Result};
use base64::Engine as _;
use sha2::{Digest, Sha256};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use vein::Page;
#[cfg(feature = "build")]
use vein::json::stringify;
use vein::program::Program;

/// What the project's own modules are called where nothing else is said.
const HOST: &str = "host.js";
const STATIC: &str = "static";

/// The folder of files that are there as they are, if there is one.
pub(crate) fn static_folder(planned: &Planned) -> Option<PathBuf> {
    let named = planned.build.files.as_ref();
    let root = planned.root.join(named.cloned().unwrap_or_else(|| STATIC.into()));
    (named.is_some() || root.is_dir()).then_some(root)
}

/// Nothing but what the site consists of may run, be shown or be connected to.
pub(crate) fn policy(build: &BuildSettings, page: &Page) -> String {
    // Styles of single elements are allowed by what they are.
    let tree = page.tree();
    let mut styles = BTreeSet::new();
    let mut open = vec![tree.root()];
    while let Some(id) = open.pop() {
        if let Some((_, style)) = tree.attributes(id).find(|(name, _)| *name == "style") {
            styles.insert(style.to_owned());
        }
        open.extend_from_slice(tree.children(id));
    }
    policy_for(build, &styles)
}

/// So many styles of single elements stand in a policy.
const MOST_HASHES: usize = 100;

pub(crate) fn policy_for(build: &BuildSettings, styles: &BTreeSet<String>) -> String {
    match &build.policy {
        Some(policy) => policy.clone(),
        None => {
            let hash = |style: &String| {
                let digest = Sha256::digest(style.as_bytes());
                format!(" 'sha256-{}'", base64::engine::general_purpose::STANDARD.encode(digest))
            };
            let hashes: String = styles.iter().take(MOST_HASHES).map(hash).collect();
            let hashed = match styles.len() {
                0 => "",
                1..=MOST_HASHES => " 'unsafe-hashes'",
                // No server sends a header of any length: then attributes alone may have any.
                _ => "; style-src-attr 'unsafe-inline'",
            };
            let hashes = if styles.len() > MOST_HASHES { String::new() } else { hashes };
            format!(
                "default-src 'self'; script-src 'self'; style-src 'self'{hashed}{hashes}; \
                 img-src 'self' data:; base-uri 'none'; object-src 'none'; form-action 'self'"
            )
        }
    }
}

/// The styles of the project, then those of a component and what it can show.
pub(crate) fn styles(planned: &Planned, program: &Program, number: usize) -> String {
    let inside = program.with_all_inside(number).into_iter();
    let own = inside.map(|plan| program.plans[plan].style.to_string());
    let all = planned.styles.iter().cloned().chain(own).filter(|css| !css.is_empty());
    all.collect::<Vec<_>>().join("\n")
}

/// The project's host module with everything that it imports by a relative path, each by its path
/// beside the module; nothing where there is none.
pub(crate) fn host_files(planned: &Planned) -> Result<Vec<(PathBuf, Vec<u8>)>> {
    let named = planned.build.host.clone();
    let first = named.clone().unwrap_or_else(|| HOST.into());
    let root = planned.root.join(&first);
    if named.is_none() && !root.exists() {
        return Ok(Vec::new());
    }
    let folder = root.parent().unwrap_or(Path::new("")).to_owned();
    let mut open = vec![PathBuf::from(root.file_name().context("the host is no file")?)];
    let mut files: Vec<(PathBuf, Vec<u8>)> = Vec::new();
    while let Some(path) = open.pop() {
        if files.iter().any(|(known, _)| *known == path) {
            continue;
        }
        let at = folder.join(&path);
        let content =
            vein::read_file(&at).with_context(|| format!("cannot read `{}`", at.display()))?;
        for imported in imports(&String::from_utf8_lossy(&content)) {
            let beside = path.parent().unwrap_or(Path::new("")).join(&imported);
            let clean = cleaned(&beside).with_context(|| {
                format!(
                    "`{}` imports `{imported}`, which is outside the host's folder: move it there",
                    at.display()
                )
            })?;
            open.push(clean);
        }
        files.push((path, content));
    }
    Ok(files)
}

/// A script without its comments. A comment that nothing ends is none: it may stand in a regular expression.
fn without_comments(script: &str) -> String {
    let (mut out, mut rest) = (String::new(), script);
    while let Some(at) = rest.find(['/', '\'', '"', '`']) {
        let (before, from) = rest.split_at(at);
        out.push_str(before);
        let line = || from.find('\n').unwrap_or(from.len());
        let quote = from.chars().next().unwrap_or('/');
        let end = match from.get(..2) {
            Some("//") => {
                rest = &from[line()..];
                continue;
            }
            Some("/*") => match from[2..].find("*/") {
                Some(end) => {
                    out.push(' ');
                    rest = &from[end + 4..];
                    continue;
                }
                None => 1,
            },
            _ if quote == '/' => 1,
            _ => {
                let mut escaped = false;
                let closes = |(_, c): &(usize, char)| {
                    let is_end = !escaped && (*c == quote || (*c == '\n' && quote != '`'));
                    escaped = !escaped && *c == '\\';
                    is_end
                };
                let end = from.char_indices().skip(1).find(closes);
                end.map_or(from.len(), |(at, _)| at + 1)
            }
        };
        out.push_str(&from[..end]);
        rest = &from[end..];
    }
    out + rest
}

/// What a script imports by a relative path, or finds beside itself by `new URL('…', import.meta.url)`.
fn imports(script: &str) -> Vec<String> {
    let script = without_comments(script);
    let mut found = Vec::new();
    for quote in ['\'', '"'] {
        let pieces: Vec<&str> = script.split(quote).collect();
        for pair in pieces.windows(2) {
            let before = pair[0].trim_end();
            let imports = before.ends_with("from")
                || before.ends_with("import")
                || before.ends_with("import(");
            let relative = pair[1].starts_with("./") || pair[1].starts_with("../");
            let beside = before.ends_with("new URL(") && !pair[1].contains(':');
            if imports && relative || beside {
                found.push(pair[1].to_owned());
            }
        }
    }
    found
}

/// A path without `.` and `..`; `None` where it leads out.
fn cleaned(path: &Path) -> Option<PathBuf> {
    let mut clean = PathBuf::new();
    for piece in path.components() {
        match piece {
            std::path::Component::Normal(name) => clean.push(name),
            std::path::Component::CurDir => {}
            std::path::Component::ParentDir => clean.pop().then_some(())?,
            _ => return None,
        }
    }
    Some(clean)
}

#[cfg(feature = "build")]
/// A value as JSON that may stand inside a script element.
pub(crate) fn json_in_html(value: &vein::Value) -> String {
    stringify(value).to_string().replace('<', "\\u003c")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_imported_stands_in_no_comment() {
        let script = r#"
/** @type {import('./types.d.ts').Host} */
// import './old.js'
import { a } from './a.js'; // import './b.js'
import './c.js' /* and from './d.js' */;
const text = 'no // comment', other = "/* nor */ this", more = `https://${a}/*`;
const e = await import("./e.js"), it = 'it\'s', f = new URL('f.wasm', import.meta.url);
"#;
        let mut found = imports(script);
        found.sort();
        assert_eq!(found, ["./a.js", "./c.js", "./e.js", "f.wasm"]);
        assert_eq!(imports("const r = /[/*]/;\nimport './a.js';"), ["./a.js"]);
        assert_eq!(imports("const r = '//'; import './a.js'"), ["./a.js"]);
        assert_eq!(imports("'open\nimport './a.js'"), ["./a.js"]);
    }
}
