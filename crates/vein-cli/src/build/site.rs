//! The site: a page with its view written beforehand, and what takes it over.

use super::assets::Assets;
use crate::project::Planned;
use crate::script::{Script, Scripts};
use crate::shipped::{host_files, json_in_html, policy, policy_for, static_folder, styles};
use crate::simulated;
use anyhow::{Context, Result, bail};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use vein::program::{CellKind, Program};
use vein::{HostError, Page, Value};
use vein_script::Driven;

const PAGE: &str = include_str!("../../page/built.html");
const START: &str = include_str!("../../page/start.js");
const ALONE: &str = include_str!("../../page/alone.mjs");
const MAIN: &str = include_str!("../../page/main.mjs");

/// Adds everything that a site consists of; gives what should be known of it.
pub(super) fn add(planned: &Planned, readable: bool, assets: &mut Assets) -> Result<Vec<String>> {
    let mut notes = Vec::new();
    let written = match written(planned)? {
        Ok(page) => Some(page),
        Err(why) => {
            notes.push(why);
            None
        }
    };
    let (view, policy) = match &written {
        Some(page) => (page.html(), policy(&planned.build, page)),
        None => (String::new(), policy_for(&planned.build, &BTreeSet::new())),
    };
    let frame = lean_css(crate::page::FRAME);
    let program = planned.ui.program();
    let number = program.find(&planned.component).context("the component was found before")?;
    let css =
        assets.add_named("styles", "css", format!("{frame}\n{}", styles(planned, program, number)));
    let host = host_files(planned)?;
    let mut hosts: Vec<String> = host.iter().map(|(path, _)| path.display().to_string()).collect();
    let imported = match hosts.first().cloned() {
        Some(first) => {
            let folder = assets.add_folder("host", host);
            hosts.iter_mut().for_each(|path| path.insert_str(0, &format!("{folder}/")));
            // Scripts for people stand in a folder of their own.
            let up = if readable { "../" } else { "./" };
            format!("import * as host from '{up}{folder}/{first}';")
        }
        None => {
            notes.extend(unanswered(planned));
            "const host = {};".to_owned()
        }
    };
    // Where nobody drives it, and it is known what it begins with, it needs nothing that is there for a host.
    let asks =
        program.with_all_inside(number).iter().any(|plan| !program.plans[*plan].asked.is_empty());
    let alone = hosts.is_empty() && written.is_some() && !asks;
    let (driven, main, component, named) = match alone {
        true => (Driven::No, ALONE, "import { FACE, show } from './component.mjs';", "show"),
        false => {
            (Driven::ByHost, MAIN, "import { FACE, Opened } from './component.mjs';", "Opened")
        }
    };
    let more = if alone { "" } else { "takeIn" };
    let main = main.replace("import * as host from './host.js';", &imported);
    let scripts = Scripts::of_planned(planned, program, (driven, &format!("{main}{more}")))?;
    let main = if readable {
        let mut modules = scripts.modules(&[named]);
        modules.push(("main.mjs".into(), Script { text: main, map: String::new() }));
        format!("{}/main.mjs", assets.add_scripts("page", modules))
    } else {
        let whole = main.replace(component, &scripts.whole());
        assets.add_script("main", scripts.sent(&whole, "main.mjs"))
    };
    let start = START.replace("./main.mjs", &format!("./{main}"));
    let start = if readable { start } else { scripts.sent(&start, "start.js").text };
    let start = assets.add_named("start", "js", start);
    let links = format!("<link rel=\"stylesheet\" href=\"./assets/{css}\">\n");
    // Whatever is imported is asked for at once, rather than one after the other.
    let scripts = [main].into_iter().chain(hosts);
    let scripts: String = scripts
        .map(|name| format!("<link rel=\"modulepreload\" href=\"./assets/{name}\">\n"))
        .collect();
    let title = planned.build.title.as_deref().unwrap_or(&planned.component);
    let escaped = title.replace('&', "&amp;").replace('<', "&lt;");
    // What may hold anything comes last: it is not looked through again.
    let page = PAGE
        .replace("<!--locale-->", &planned.answers.locale)
        .replace("<!--policy-->", &in_meta(&policy))
        .replace("<!--links-->", &(links + &scripts))
        .replace("<!--start-->", &format!("./assets/{start}"));
    let (before, after) = page.split_once("<!--title-->").context("the page has a title")?;
    let (between, after) = after.split_once("<!--view-->").context("the page has a view")?;
    let (then, last) = after.split_once("<!--props-->").context("the page has data")?;
    let props = json_in_html(&fitted(planned, program, number));
    let html = [before, &escaped, between, &view, then, &props, last].concat();
    assets.add("index.html", html);
    add_static(planned, assets)?;
    Ok(notes)
}

/// The page as it is first; or why that cannot be known before it is opened.
fn written(planned: &Planned) -> Result<Result<Page, String>> {
    let page = simulated::answered(planned.ui.page(&planned.component), &planned.answers)?;
    match page.proven(false).open_value(planned.props.clone()) {
        Ok(page) => Ok(Ok(page)),
        Err(vein::Error::Host(
            error @ (HostError::Unanswered { .. } | HostError::MissingProps { .. }),
        )) => Ok(Err(format!(
            "the view is not written beforehand, so the page is blank until it is opened: {error}. \
             `vein.toml` may say what is answered meanwhile, and with what data"
        ))),
        Err(error) => Err(error.into()),
    }
}

/// The page's data as its component takes it, as far as it fits.
fn fitted(planned: &Planned, program: &Program, number: usize) -> Value {
    let Value::Record(given) = &planned.props else { return Value::record([]) };
    let props = program.plans[number].cells.iter();
    let props = props.filter(|cell| matches!(cell.kind, CellKind::Prop(_) | CellKind::Shared(_)));
    let fields = given.iter().map(|(name, given)| {
        let prop = props.clone().find(|prop| prop.name == *name);
        let fits = prop.and_then(|prop| program.fit(prop.ty, given, name).ok());
        (name.clone(), fits.unwrap_or_else(|| given.clone()))
    });
    Value::record(fields)
}

/// What nobody will answer, if there is something.
fn unanswered(planned: &Planned) -> Option<String> {
    let program = planned.ui.program();
    let inside = program.with_all_inside(program.find(&planned.component)?);
    let asked = inside.iter().flat_map(|plan| &program.plans[*plan].asked);
    let names: BTreeSet<&str> = asked.map(|asked| &*asked.name).collect();
    if names.is_empty() {
        return None;
    }
    let names: Vec<&str> = names.into_iter().collect();
    Some(format!(
        "nobody answers {}: export {} from `host.js` beside `vein.toml`",
        names.join(", "),
        if names.len() == 1 { "it" } else { "each" }
    ))
}

/// Adds the project's own files, as they are.
fn add_static(planned: &Planned, assets: &mut Assets) -> Result<()> {
    let Some(root) = static_folder(planned) else { return Ok(()) };
    let whole = root.canonicalize().with_context(|| format!("cannot read `{}`", root.display()))?;
    let mut open = vec![PathBuf::new()];
    while let Some(inner) = open.pop() {
        let folder = root.join(&inner);
        let cannot = || format!("cannot read `{}`", folder.display());
        let mut entries: Vec<_> =
            std::fs::read_dir(&folder).with_context(cannot)?.collect::<Result<_, _>>()?;
        entries.sort_by_key(std::fs::DirEntry::file_name);
        for entry in entries {
            let path = inner.join(entry.file_name());
            if entry.file_type()?.is_dir() {
                open.push(path);
                continue;
            }
            let own = path == Path::new("index.html") || path.starts_with("assets");
            if own {
                bail!(
                    "`{}` would stand where the build puts its own: rename it",
                    entry.path().display()
                );
            }
            let cannot = || format!("cannot read `{}`", entry.path().display());
            let leads_to = entry.path().canonicalize().with_context(cannot)?;
            if !leads_to.starts_with(&whole) {
                bail!(
                    "`{}` is a link to what is outside of `{}`: put the file itself there",
                    entry.path().display(),
                    root.display()
                );
            }
            let content = vein::read_file(&entry.path()).with_context(cannot)?;
            assets.add(path, content);
        }
    }
    Ok(())
}

/// A policy as an element of a page says it.
fn in_meta(policy: &str) -> String {
    if policy.is_empty() {
        return String::new();
    }
    let policy = policy.replace('&', "&amp;").replace('"', "&quot;");
    format!("<meta http-equiv=\"Content-Security-Policy\" content=\"{policy}\">\n")
}

fn lean_css(css: &str) -> String {
    css.lines().map(str::trim).collect::<Vec<_>>().join(" ")
}
