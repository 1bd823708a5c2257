//! A project: its folder, and `vein.toml` where there is one.

use crate::arguments::Opening;
use crate::output;
use crate::settings::Written;
use crate::simulated::{Answer, Answers};
use anyhow::{Context, Result, bail};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::io::Read;
use std::path::{Path, PathBuf};
use vein::json::Unreadable;
use vein::{Budget, Ui, Value};

/// The port that pages are served on where nothing else is said.
pub(crate) const PORT: u16 = 4180;

/// What `vein.toml` may say. Everything has a default that works.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Settings {
    /// The folder of components, from the project's folder.
    components: Option<PathBuf>,
    /// The component to begin with.
    component: Option<String>,
    /// A JSON file with the data to open it with.
    data: Option<PathBuf>,
    /// CSS files of the page.
    #[serde(default)]
    styles: Vec<PathBuf>,
    /// The port to serve on.
    port: Option<u16>,
    /// The language that is formatted in (BCP 47), and the time zone (IANA).
    locale: Option<String>,
    zone: Option<String>,
    /// What functions that components ask, await or stream answer.
    #[serde(default)]
    answers: BTreeMap<String, Answer>,
    /// What `vein build` makes.
    #[serde(default)]
    build: BuildSettings,
    /// What each pulse may use up.
    #[serde(default)]
    budget: BudgetSettings,
    /// Which warnings there are, by their short names; all of them where nothing is said.
    #[serde(default)]
    warnings: BTreeMap<String, bool>,
}

/// What `vein.toml` may say of `vein build`.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(not(feature = "build"), allow(dead_code, reason = "`vein build` alone reads all of it"))]
pub(crate) struct BuildSettings {
    /// The page's title; without it, the component's name.
    pub(crate) title: Option<String>,
    /// The module that answers what components ask; without it, `host.js` where there is one.
    pub(crate) host: Option<PathBuf>,
    /// The folder of files that are copied as they are; without it, `static` where there is one.
    #[serde(rename = "static")]
    pub(crate) files: Option<PathBuf>,
    /// The content security policy in place of the strict one; nothing leaves it to the server.
    pub(crate) policy: Option<String>,
    /// Props of a custom element that are written to its attributes, too.
    #[serde(default)]
    pub(crate) reflect: Vec<String>,
}

/// What `vein.toml` may say of what a pulse may use up.
#[derive(Clone, Copy, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct BudgetSettings {
    steps: Option<u64>,
    bytes: Option<u64>,
    nodes: Option<u64>,
}

impl BudgetSettings {
    fn budget(self) -> Budget {
        let all = Budget::default();
        Budget {
            steps: self.steps.unwrap_or(all.steps),
            bytes: self.bytes.unwrap_or(all.bytes),
            nodes: self.nodes.unwrap_or(all.nodes),
        }
    }
}

impl Settings {
    fn simulated(&self) -> Answers {
        let or = |set: &Option<String>, or: &str| set.clone().unwrap_or_else(|| or.to_owned());
        let (locale, zone) = (or(&self.locale, "en"), or(&self.zone, "UTC"));
        Answers { locale, zone, functions: self.answers.clone() }
    }
}

/// A folder with components.
#[derive(Debug)]
pub(crate) struct Project {
    root: PathBuf,
    settings: Settings,
    /// `vein.toml` as it stands, where there is one.
    written: Option<Written>,
}

impl Project {
    /// Finds the project in a folder.
    pub(crate) fn at(root: &Path) -> Result<Project> {
        if !root.exists() {
            bail!("there is no folder `{}`", root.display());
        }
        if !root.is_dir() {
            bail!("`{}` is a file: name the folder that it is in", root.display());
        }
        let path = root.join("vein.toml");
        let mut written = None;
        // A link that leads nowhere, or to itself, is there all the same.
        let settings = if path.symlink_metadata().is_ok() {
            let text = read(&path)?;
            written = Some(Written::read(&path, &text)?);
            toml_edit::de::from_str(&text)
                .with_context(|| format!("`{}` cannot be used", path.display()))?
        } else {
            Settings::default()
        };
        #[cfg(not(feature = "locale"))]
        if settings.locale.is_some() || settings.zone.is_some() {
            return crate::left_out("locale")
                .with_context(|| format!("`{}` names a locale or a zone", path.display()));
        }
        Ok(Project { root: root.to_owned(), settings, written })
    }

    /// The project's folder.
    pub(crate) fn root(&self) -> &Path {
        &self.root
    }

    /// Whether a warning of a kind is told.
    pub(crate) fn warns_of(&self, code: &str) -> bool {
        self.settings.warnings.get(code).copied().unwrap_or(true)
    }

    /// The components that a page or a scenario begins with, where the project names one.
    pub(crate) fn entries(&self) -> Result<Vec<String>> {
        let Some(first) = &self.settings.component else { return Ok(Vec::new()) };
        let mut entries = vec![first.clone()];
        for path in vein::scenarios_in(&self.root)? {
            let Ok(text) = vein::read_text(&path) else { continue };
            let Ok(scenario) = text.parse::<toml_edit::DocumentMut>() else { continue };
            entries.extend(
                scenario.get("component").and_then(|name| name.as_str()).map(str::to_owned),
            );
        }
        Ok(entries)
    }

    /// The language that is formatted in, and the time zone.
    pub(crate) fn locale(&self) -> (String, String) {
        let Answers { locale, zone, .. } = self.settings.simulated();
        (locale, zone)
    }

    /// What each pulse may use up.
    pub(crate) fn budget(&self) -> Budget {
        self.settings.budget.budget()
    }

    /// Whether there are CSS files of the page.
    pub(crate) fn is_styled(&self) -> bool {
        !self.settings.styles.is_empty()
    }

    /// The texts of the CSS files of the page.
    pub(crate) fn styles(&self) -> Result<Vec<String>> {
        self.settings.styles.iter().map(|path| read(&self.root.join(path))).collect()
    }

    /// The folder of components.
    pub(crate) fn components(&self) -> PathBuf {
        match &self.settings.components {
            Some(folder) => self.root.join(folder),
            None => self.root.clone(),
        }
    }
}

/// Checks a project and finds out which component is meant. `None` where the components have
/// mistakes, which have then been printed.
pub(crate) fn component_of(dir: &Path, named: Option<&str>) -> Result<Option<(Ui, String)>> {
    let project = Project::at(dir)?;
    let Some(ui) = checked(&project)? else { return Ok(None) };
    let component = component(named, &project, &ui)?;
    Ok(Some((ui, component)))
}

pub(crate) fn checked(project: &Project) -> Result<Option<Ui>> {
    match Ui::from_dir(project.components()) {
        Ok(ui) => Ok(Some(ui.with_budget(project.budget()))),
        Err(vein::Error::Check(report)) => {
            output::report(&report);
            Ok(None)
        }
        Err(error) => Err(error.into()),
    }
}

/// A component with its data and settings, before anything answers for it.
pub(crate) struct Planned {
    #[cfg_attr(
        not(any(feature = "build", feature = "serve")),
        expect(dead_code, reason = "pages alone read it")
    )]
    pub(crate) root: PathBuf,
    pub(crate) ui: Ui,
    pub(crate) component: String,
    pub(crate) props: Value,
    /// Where they were read.
    pub(crate) data: Option<PathBuf>,
    /// The texts of the page's CSS files.
    #[cfg_attr(
        not(any(feature = "build", feature = "serve")),
        expect(dead_code, reason = "pages alone read it")
    )]
    pub(crate) styles: Vec<String>,
    #[cfg_attr(not(feature = "serve"), expect(dead_code, reason = "`vein serve` alone reads it"))]
    pub(crate) port: Option<u16>,
    pub(crate) answers: Answers,
    /// What is asked and not answered there, as it is declared.
    pub(crate) unanswered: Vec<String>,
    #[cfg_attr(
        not(any(feature = "build", feature = "serve")),
        expect(dead_code, reason = "pages alone read it")
    )]
    pub(crate) build: BuildSettings,
}

/// Checks a project and reads what belongs to a component of it. `None` where the components have
/// mistakes, which have then been printed.
pub(crate) fn planned(opening: &Opening) -> Result<Option<Planned>> {
    let project = Project::at(&opening.dir)?;
    match checked(&project)? {
        Some(ui) => planned_of(opening, project, ui).map(Some),
        None => Ok(None),
    }
}

/// Reads what belongs to a component of a project that was checked.
pub(crate) fn planned_of(opening: &Opening, project: Project, ui: Ui) -> Result<Planned> {
    let component = component(opening.component.as_deref(), &project, &ui)?;
    if let Some(written) = &project.written {
        written.answer(&ui)?;
    }
    let data = match (&opening.data, &project.settings.data) {
        (Some(path), _) => Some(path.clone()),
        // The project's data is for the component that it names.
        (None, Some(path)) if project.settings.component.as_deref() == Some(&component) => {
            Some(project.root.join(path))
        }
        _ => None,
    };
    let props = match &data {
        Some(path) => read_json(path)?,
        None => Value::Null,
    };
    let (styles, answers) = (project.styles()?, project.settings.simulated());
    let unanswered = project.written.as_ref().map(|written| written.unanswered(&ui, &component));
    let unanswered =
        unanswered.unwrap_or_else(|| ui.functions(Some(&component)).into_values().collect());
    let Project { root, settings: Settings { port, build, .. }, .. } = project;
    Ok(Planned { unanswered, root, ui, component, props, data, styles, port, answers, build })
}

impl Planned {
    /// A plain component, opened with some data on a page that simulates its host.
    #[cfg(feature = "serve")]
    pub(crate) fn plain(ui: Ui, component: &str, props: Value, settings: &str) -> Result<Planned> {
        let settings: Settings = toml_edit::de::from_str(settings)?;
        Ok(Planned {
            root: PathBuf::new(),
            ui,
            component: component.to_owned(),
            props,
            data: None,
            styles: Vec::new(),
            port: None,
            answers: settings.simulated(),
            unanswered: Vec::new(),
            build: settings.build,
        })
    }

    /// Says of an error that data does not fit where that was read.
    pub(crate) fn misfit(&self, error: vein::Error) -> anyhow::Error {
        let known = self.ui.components().any(|name| name == self.component);
        misfit(error, self.data.as_deref().filter(|_| known))
    }
}

/// An error of opening a page, with where its data was read.
pub(crate) fn misfit(error: vein::Error, data: Option<&Path>) -> anyhow::Error {
    use vein::HostError::{Misfit, MissingProps, PropsNotAnObject, UnknownProp};
    let of_data = matches!(
        &error,
        vein::Error::Host(Misfit(_) | MissingProps { .. } | PropsNotAnObject | UnknownProp { .. })
    );
    match data.filter(|_| of_data) {
        Some(path) => {
            anyhow::Error::new(error).context(format!("`{}` does not fit", path.display()))
        }
        None => error.into(),
    }
}

/// What to say of a function that nobody answers, as it is declared.
pub(crate) fn unanswered(declared: &str) -> String {
    let name = declared.split([' ', '(']).nth(1).unwrap_or("name");
    format!(
        "warning: nobody answers `{declared}`: what waits for it waits as long as the page is open\n  help: {}",
        who_may_answer(name)
    )
}

/// What to do about a function that nobody answers.
pub(crate) fn who_may_answer(name: &str) -> String {
    format!(
        "say in `vein.toml` what a simulated host answers: `[answers.{name}]` and `values = [\u{2026}]`; in a browser, \
         `host.js` may answer, too"
    )
}

fn component(named: Option<&str>, project: &Project, ui: &Ui) -> Result<String> {
    if let Some(name) = named {
        let base = name.rsplit(['/', '\\']).next().unwrap_or(name);
        return Ok(base.strip_suffix(".vein").unwrap_or(base).to_owned());
    }
    if let Some(name) = &project.settings.component {
        return Ok(name.clone());
    }
    let names: Vec<&str> = ui.components().collect();
    match names.as_slice() {
        [only] => Ok((*only).to_owned()),
        names => bail!("say which component: {}", names.join(", ")),
    }
}

fn read(path: &Path) -> Result<String> {
    vein::read_text(path).with_context(|| format!("cannot read `{}`", path.display()))
}

fn read_json(path: &Path) -> Result<Value> {
    let stdin = path == Path::new("-");
    let text = if stdin {
        let mut text = String::new();
        std::io::stdin().read_to_string(&mut text).context("cannot read the standard input")?;
        text
    } else {
        read(path)?
    };
    let text = text.strip_prefix('\u{feff}').unwrap_or(&text);
    vein::json::parse(text).map_err(|error| {
        let what = match stdin {
            true => "what came on the standard input".to_owned(),
            false => format!("`{}`", path.display()),
        };
        match error {
            Unreadable::NotJson(error) => {
                anyhow::Error::new(error).context(format!("{what} is not JSON"))
            }
            Unreadable::Value(misfit) => {
                anyhow::Error::new(misfit).context(format!("{what} cannot be read"))
            }
        }
    })
}
