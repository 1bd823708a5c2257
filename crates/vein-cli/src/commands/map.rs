//! `vein map`: which state and which handler can change which parts.

use super::picture;
use crate::arguments::Map;
use crate::output::{self, Outcome};
use crate::project;
use anyhow::{Context, Result};
use serde_json::json;
use vein::ReachMap;

pub(crate) fn run(map: &Map) -> Result<Outcome> {
    let Some((ui, component)) = project::component_of(&map.dir, map.component.as_deref())? else {
        return Ok(Outcome::DoesNotHold);
    };
    let reach = ui.reach(&component)?;
    if let Some(path) = &map.svg {
        std::fs::write(path, picture::svg(&reach))
            .with_context(|| format!("cannot write `{}`", path.display()))?;
    }
    if map.json {
        output::line(serde_json::to_string_pretty(&as_json(&reach))?);
    } else {
        output::line(text(&reach));
    }
    Ok(Outcome::Holds)
}

/// Two tables: what each path of state can change, and what each handler and listener can.
fn text(reach: &ReachMap) -> String {
    let mut paths = vec![["state", "can change", "through"].map(str::to_owned)];
    for path in &reach.paths {
        for (i, part) in path.parts.iter().enumerate() {
            let first = if i == 0 { path.path.clone() } else { String::new() };
            paths.push([first, reach.parts[part.part].clone(), part.through.join(" → ")]);
        }
    }
    let mut actions = vec![["handler", "writes", "gives", "can change"].map(str::to_owned)];
    for action in &reach.actions {
        let name =
            if action.listens { format!("{} →", action.name) } else { action.name.clone() };
        let parts: Vec<&str> = action.parts.iter().map(|i| reach.parts[*i].as_str()).collect();
        for i in 0..parts.len().max(action.writes.len()).max(action.gives.len()).max(1) {
            let at = |all: &[String]| all.get(i).cloned().unwrap_or_default();
            let name = if i == 0 { name.clone() } else { String::new() };
            let part = parts.get(i).copied().unwrap_or("").to_owned();
            actions.push([name, at(&action.writes), at(&action.gives), part]);
        }
    }
    let tables = [output::columns(&paths), output::columns(&actions)];
    tables[..if reach.actions.is_empty() { 1 } else { 2 }].join("\n\n")
}

fn as_json(reach: &ReachMap) -> serde_json::Value {
    let paths = reach.paths.iter().map(|path| {
        let parts = path.parts.iter();
        let parts = parts.map(|p| json!({ "part": reach.parts[p.part], "through": p.through }));
        json!({ "path": path.path, "parts": parts.collect::<Vec<_>>() })
    });
    let actions = reach.actions.iter().map(|action| {
        let parts: Vec<&str> = action.parts.iter().map(|i| reach.parts[*i].as_str()).collect();
        json!({
            "name": action.name,
            "kind": if action.listens { "listener" } else { "handler" },
            "writes": action.writes,
            "gives": action.gives,
            "parts": parts,
        })
    });
    json!({
        "component": reach.component,
        "paths": paths.collect::<Vec<_>>(),
        "actions": actions.collect::<Vec<_>>(),
        "parts": reach.parts,
    })
}
