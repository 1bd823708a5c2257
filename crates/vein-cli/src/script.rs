//! A component compiled to ECMAScript, with what it uses of the engine: as it is sent, and as people read it.

#[cfg(feature = "build")]
use crate::project::Planned;
use anyhow::{Context, Result, anyhow};
use std::collections::BTreeSet;
#[cfg(feature = "build")]
use std::path::Path;
use vein::Budget;
use vein::program::Program;
use vein_script::map::{Source, source_map};
#[cfg(feature = "build")]
use vein_script::short::unmarked;
use vein_script::short::{Place, shortened};
use vein_script::{Compiled, Driven, engine};

/// What a component is compiled to.
pub(crate) struct Scripts<'a> {
    #[cfg_attr(not(feature = "build"), expect(dead_code, reason = "`vein build` alone reads it"))]
    program: &'a Program,
    compiled: Compiled,
    face: String,
    used: BTreeSet<&'static str>,
    locality: (&'a str, &'a str),
    budget: Budget,
    files: Vec<Source>,
    /// Names of the project that end in `$`, as the engine's own do.
    kept: BTreeSet<String>,
}

/// A script and its source map.
pub(crate) struct Script {
    pub(crate) text: String,
    #[cfg_attr(not(feature = "build"), expect(dead_code, reason = "`vein build` alone reads it"))]
    pub(crate) map: String,
}

impl<'a> Scripts<'a> {
    /// Compiles a component for a script that stands on it and names what it needs of the engine.
    ///
    /// # Errors
    /// What it has that cannot be built.
    pub(crate) fn of(
        program: &'a Program,
        component: &str,
        locality: (&'a str, &'a str),
        (driven, main): (Driven, &str),
    ) -> Result<Scripts<'a>> {
        let number = program.find(component).context("the component was found before")?;
        let plan = &program.plans[number];
        let compiled = vein_script::component(program, plan, driven)
            .map_err(|why| anyhow!("`{component}` cannot be built yet: {why}"))?;
        let face = match driven {
            Driven::No => compiled.face_of_nobody(program, plan),
            _ => compiled.face(program, plan),
        };
        let face = format!("const FACE = {};\n", face.trim_end());
        let mut used = engine::named_in(&(compiled.text() + &face + main));
        let takes = used.contains("takeIn") || used.contains("show");
        if takes && used.contains("hearControls") {
            used.insert("takeHeld");
        }
        let (files, kept, budget) = (Vec::new(), kept(program), Budget::default());
        Ok(Scripts { program, compiled, face, used, locality, budget, files, kept })
    }

    #[cfg(feature = "build")]
    /// The same for a build, with the files that source maps lead to.
    pub(crate) fn of_planned(
        planned: &'a Planned,
        program: &'a Program,
        main: (Driven, &str),
    ) -> Result<Scripts<'a>> {
        let answers = &planned.answers;
        let locality = (answers.locale.as_str(), answers.zone.as_str());
        let mut scripts = Scripts::of(program, &planned.component, locality, main)?;
        scripts.files = files(planned, program);
        scripts.budget = planned.ui.budget();
        Ok(scripts)
    }

    /// Everything as one piece of script, which leaves `FACE` and whatever else is named to what follows it.
    pub(crate) fn whole(&self) -> String {
        self.of_engine(engine::text_of(&self.used)) + &self.compiled.text() + &self.begins()
    }

    #[cfg(feature = "build")]
    /// What a script that stands on the component consists of, each by its path beside the others: the engine, the
    /// types that data is held against, each component and store, and `component.mjs`, which leaves `FACE` and what else of the
    /// engine is named.
    pub(crate) fn modules(&self, named: &[&str]) -> Vec<(String, Script)> {
        let mut modules = vec![
            ("engine.mjs".to_owned(), self.of_engine(engine::module_of(&self.used))),
            ("shapes.mjs".to_owned(), exported(&self.compiled.shapes)),
        ];
        for (number, text) in &self.compiled.modules {
            let name = &self.program.plans[*number as usize].name;
            modules.push((format!("components/{name}.mjs"), exported(text)));
        }
        let lives = if self.compiled.lively { "live();\n" } else { "" };
        let given = format!("export {{ {} }};\n", named.join(", "));
        let begins = self.begins().replace("const FACE", "export const FACE");
        modules.push(("component.mjs".into(), given + lives + &begins));
        let declared: Vec<(String, BTreeSet<String>)> =
            modules.iter().map(|(path, text)| (path.clone(), declared(text))).collect();
        let modules = modules.into_iter().map(|(path, text)| {
            let text = imports(&path, &text, &declared) + &text;
            let script = self.read(&text, &path);
            (path, script)
        });
        modules.collect()
    }

    /// A script as it is sent.
    pub(crate) fn sent(&self, script: &str, name: &str) -> Script {
        let (text, places) = shortened(script, |name| self.kept.contains(name));
        self.mapped(text, &places, name)
    }

    #[cfg(feature = "build")]
    /// A script as people read it.
    fn read(&self, script: &str, path: &str) -> Script {
        let told = |plan, line| {
            let file = self.files.iter().find(|file| file.plan == plan);
            let path = file.map_or("", |file| &file.path).replace("*/", "* /");
            format!("{path}:{line}")
        };
        let (text, places) = unmarked(script, told);
        let name = path.rsplit('/').next().unwrap_or(path);
        self.mapped(text, &places, name)
    }

    fn mapped(&self, text: String, places: &[Place], name: &str) -> Script {
        Script { map: source_map(name, places, &self.files), text }
    }

    /// What may stay of markup is told by the sanitiser that is used outside a browser.
    fn of_engine(&self, text: String) -> String {
        let rules = format!("const RULES = {};", vein::cleaning_rules());
        text.replace("const RULES = {};", &rules)
    }

    /// What is said to the engine before a page is opened, and the component's face.
    fn begins(&self) -> String {
        let mut begins = String::new();
        if self.used.contains("takeHeld") {
            begins.push_str("turn.takeHeld = takeHeld;\n");
        }
        if ["localised", "inOrder"].iter().any(|name| self.used.contains(*name)) {
            let (locale, zone) = (quoted(self.locality.0), quoted(self.locality.1));
            begins.push_str(&format!(
                "Object.assign(locality, {{ locale: {locale}, zone: {zone} }});\n"
            ));
        }
        if self.budget != Budget::default() {
            let Budget { steps, bytes, nodes } = self.budget;
            begins.push_str(&format!(
                "Object.assign(budget, {{ steps: {steps}, bytes: {bytes}, nodes: {nodes} }});\n"
            ));
        }
        begins + &self.face
    }

    #[cfg(feature = "browser")]
    /// The same on pages whose pulses may use up so much.
    pub(crate) fn with_budget(self, budget: Budget) -> Scripts<'a> {
        Scripts { budget, ..self }
    }
}

#[cfg(feature = "build")]
/// The files of components, by the project's folder.
fn files(planned: &Planned, program: &Program) -> Vec<Source> {
    let Some(report) = planned.ui.report() else { return Vec::new() };
    let sources = report.sources.iter().filter_map(|source| {
        let path = Path::new(&source.path);
        let name = path.file_stem()?.to_str()?;
        let plan = program.plans.iter().position(|plan| &*plan.name == name)? as u32;
        let path = path.strip_prefix(&planned.root).unwrap_or(path);
        let path = path.to_string_lossy().replace('\\', "/");
        Some(Source { plan, path, text: source.text.clone() })
    });
    sources.collect()
}

/// Names and texts of the project that end in `$`: those are left as they are.
fn kept(program: &Program) -> BTreeSet<String> {
    let bytes = program.to_bytes();
    let words = bytes.split(|byte| !(byte.is_ascii_alphanumeric() || *byte == b'$'));
    let words = words.filter(|word| word.ends_with(b"$"));
    words.map(|word| String::from_utf8_lossy(word).into_owned()).collect()
}

#[cfg(feature = "build")]
/// What a script declares at its top.
fn declared(script: &str) -> BTreeSet<String> {
    let lines = script.lines().filter_map(|line| {
        let rest = line.strip_prefix("export ").filter(|rest| !rest.starts_with('{'))?;
        let name = rest.trim_start_matches("async ").split(' ').nth(1)?;
        Some(
            name.split(|c: char| !(c.is_alphanumeric() || c == '_' || c == '$')).next()?.to_owned(),
        )
    });
    lines.filter(|name| !name.is_empty()).collect()
}

#[cfg(feature = "build")]
/// A script that exports what it declares at its top.
fn exported(script: &str) -> String {
    let declares = |line: &str| line.starts_with("const ") || line.starts_with("class ");
    let lines = script.lines();
    lines
        .map(|line| if declares(line) { format!("export {line}\n") } else { format!("{line}\n") })
        .collect()
}

#[cfg(feature = "build")]
/// What a script has to import of others that stand beside it.
fn imports(path: &str, script: &str, declared: &[(String, BTreeSet<String>)]) -> String {
    let up = "../".repeat(path.matches('/').count());
    let up = if up.is_empty() { "./" } else { &up };
    let used = vein_script::short::variables(script);
    let others = declared.iter().filter(|(other, _)| other != path);
    let imports = others.filter_map(|(other, names)| {
        let names: Vec<&str> =
            names.iter().map(String::as_str).filter(|name| used.contains(name)).collect();
        (!names.is_empty())
            .then(|| format!("import {{ {} }} from '{up}{other}';\n", names.join(", ")))
    });
    imports.collect()
}

/// A text as an ECMAScript string.
pub(crate) fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}
