//! A component compiled to ECMAScript, with what it uses of the engine.

use anyhow::{Context, Result, anyhow};
use std::collections::BTreeSet;
use vein::program::Program;
use vein_script::{Compiled, engine};

/// A component with all that it can show and use, as one piece of script that leaves `FACE` and whatever else is named to what
/// follows it.
pub(crate) fn bundled(
    program: &Program,
    component: &str,
    locality: (&str, &str),
    more: &[&'static str],
) -> Result<String> {
    let number = program.find(component).context("the component was found before")?;
    let plan = &program.plans[number];
    let compiled = vein_script::component(program, plan)
        .map_err(|why| anyhow!("`{component}` cannot be built yet: {why}"))?;
    let mut used = compiled.used.clone();
    used.extend(more);
    let controls = used.contains("hearControls") && more.contains(&"takeIn");
    if controls {
        used.insert("takeHeld");
    }
    let mut script = lean(&engine_of(&used)) + &lean(&compiled.text);
    if controls {
        script.push_str("turn.takeHeld = takeHeld;\n");
    }
    if used.contains("localised") {
        let (locale, zone) = (quoted(locality.0), quoted(locality.1));
        script
            .push_str(&format!("Object.assign(locality, {{ locale: {locale}, zone: {zone} }});\n"));
    }
    script
        .push_str(&format!("const FACE = {};\n", lean(&face(&compiled, program, plan)).trim_end()));
    Ok(script)
}

fn face(compiled: &Compiled, program: &Program, plan: &vein::program::Plan) -> String {
    compiled.face(program, plan)
}

/// What is used of the engine. What may stay of markup is told by the sanitiser that is used outside a browser.
fn engine_of(used: &BTreeSet<&'static str>) -> String {
    let rules = format!("const RULES = {};", vein::cleaning_rules());
    engine::text_of(used).replace("const RULES = {};", &rules)
}

/// A script without the comments and the indentation that are there for its readers.
pub(crate) fn lean(script: &str) -> String {
    let lines = script.lines().map(str::trim);
    let comment = |line: &str| ["//", "/**", "*/", "* "].iter().any(|c| line.starts_with(c));
    let kept = lines.filter(|line| !line.is_empty() && *line != "*" && !comment(line));
    kept.fold(String::new(), |all, line| all + line + "\n")
}

/// A text as an ECMAScript string.
pub(crate) fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}
