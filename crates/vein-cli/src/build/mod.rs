//! `vein build`: a static site, or a custom element, that runs in a browser without a server.

pub(crate) mod assets;
mod element;
mod site;
mod types;

use crate::arguments::Build;
use crate::output::{self, Outcome};
use crate::project;
use anyhow::{Context, Result};
use assets::{Assets, Size};

pub(crate) fn run(build: &Build) -> Result<Outcome> {
    let Some(planned) = project::planned(&build.opening)? else {
        return Ok(Outcome::DoesNotHold);
    };
    if let Some(path) = &build.types {
        let types = types::declarations(planned.ui.program(), &planned.component)?;
        std::fs::write(path, types)
            .with_context(|| format!("`{}` cannot be written", path.display()))?;
        output::line(format!("wrote {}", path.display()));
        return Ok(Outcome::Holds);
    }
    let mut assets = Assets::default();
    let notes = match build.element {
        true => element::add(&planned, &build.reflect, build.readable, &mut assets)?,
        false => site::add(&planned, build.readable, &mut assets)?,
    };
    assets.write(&build.out)?;
    told(build, &assets, &notes)?;
    Ok(Outcome::Holds)
}

/// Prints what was written and what it weighs.
fn told(build: &Build, assets: &Assets, notes: &[String]) -> Result<()> {
    let sizes = assets.sizes();
    let all = sizes.iter().fold(Size::default(), |all, (_, size)| all + *size);
    if build.json {
        let files = sizes.iter().map(|(path, size)| {
            serde_json::json!({ "path": path, "raw": size.raw, "gzip": size.gzip, "brotli": size.brotli })
        });
        let files: Vec<serde_json::Value> = files.collect();
        let out = build.out.display().to_string();
        let all = serde_json::json!({ "raw": all.raw, "gzip": all.gzip, "brotli": all.brotli });
        output::line(
            serde_json::json!({ "out": out, "files": files, "all": all, "maps": assets.beside(), "notes": notes }),
        );
        return Ok(());
    }
    let row = |path: &str, size: &Size| {
        let right = |bytes: usize| format!("{:>9}", kilobytes(bytes));
        [path.to_owned(), right(size.raw), right(size.gzip), right(size.brotli)]
    };
    let mut rows = vec![[
        build.out.display().to_string(),
        format!("{:>9}", "raw"),
        format!("{:>9}", "gzip"),
        format!("{:>9}", "brotli"),
    ]];
    rows.extend(sizes.iter().map(|(path, size)| row(path, size)));
    rows.push(row("all", &all));
    let maps = format!("{:>9}", kilobytes(assets.beside()));
    rows.push(["source maps, for developer tools".into(), maps, String::new(), String::new()]);
    output::line(output::columns(&rows));
    notes.iter().for_each(|note| output::line(format!("\nnote: {note}")));
    Ok(())
}

fn kilobytes(bytes: usize) -> String {
    format!("{:.1} kB", bytes as f64 / 1000.0)
}
