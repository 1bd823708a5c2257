//! What is served, read from a project's files.

use crate::arguments::Opening;
use crate::output;
use crate::project::{self, BuildSettings, Planned, Project, planned_of};
use crate::settings::Unusable;
use crate::shipped::{host_files, policy, policy_for, static_folder, styles};
use crate::simulated::{self, Answers};
use anyhow::{Context, Result};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};
use vein::program::Program;
use vein::{HostError, Page, Report, Severity, Source, Ui, Value, Workspace};

/// Reads a project, and reads again what has changed of it.
pub(super) struct Reader {
    opening: Opening,
    /// What is known of its components, and the folder that they are in.
    workspace: Option<(PathBuf, Workspace)>,
    /// The components as they were read last, if they had no mistakes.
    ui: Option<Ui>,
    /// The data that came on the standard input, which can be read once.
    given: Option<Value>,
}

/// A component with everything that its pages need.
pub(super) struct Served {
    pub(super) ui: Ui,
    pub(super) component: String,
    pub(super) title: String,
    pub(super) props: Value,
    pub(super) answers: Answers,
    /// All styles of the page, as a built page has them.
    pub(super) styles: String,
    /// The host module with what it imports, each by its path beside it.
    pub(super) host: Vec<(PathBuf, Vec<u8>)>,
    /// The folder of files that are there as they are.
    pub(super) files: Option<PathBuf>,
    /// How a built page would be made of it.
    build: BuildSettings,
    /// The page as it is first, once somebody has asked for it.
    first: OnceLock<First>,
    /// Where the data was read.
    pub(super) data: Option<PathBuf>,
    pub(super) port: Option<u16>,
    /// What is only advice, as it is told.
    pub(super) warnings: Vec<String>,
    pub(super) marks: Marks,
}

/// A page as it is first.
#[derive(Clone, Default)]
pub(super) struct First {
    /// Its view; nothing where a host has to be asked for it.
    pub(super) html: String,
    pub(super) policy: String,
}

/// How often each kind of thing has become another.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Marks {
    /// Components, and whatever else makes another page.
    pub(super) code: u64,
    pub(super) styles: u64,
    pub(super) host: u64,
    pub(super) files: u64,
    pub(super) data: u64,
}

/// Something that keeps a project from being shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Trouble {
    /// As the terminal tells it.
    pub(super) text: String,
    pub(super) fix: Option<Mend>,
}

/// How it can be mended surely.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Mend {
    pub(super) title: String,
    /// The file, as it is and as it is to be.
    path: PathBuf,
    before: String,
    after: String,
}

impl Trouble {
    /// All that an error tells of.
    pub(super) fn of(error: &anyhow::Error) -> Vec<Trouble> {
        let report = match (error.downcast_ref(), error.downcast_ref()) {
            (Some(vein::Error::Check(report)), _) => &**report,
            (_, Some(Unusable(report))) => report,
            _ => return vec![Trouble { text: output::told(error), fix: None }],
        };
        let each = report.diagnostics.iter();
        let each = each.filter(|found| found.severity == Severity::Error).map(|found| {
            let alone =
                Report { sources: report.sources.clone(), diagnostics: vec![found.clone()] };
            let title = found.fix.as_ref().filter(|fix| fix.safe).map(|fix| fix.title.clone());
            let fix = title.and_then(|title| {
                let (file, after, _) = alone.fixed().into_iter().next()?;
                let Source { path, text } = alone.sources[file].clone();
                Some(Mend { title, path: path.into(), before: text, after })
            });
            Trouble { text: alone.text(false).trim_end().to_owned(), fix }
        });
        each.collect()
    }
}

impl Mend {
    /// Writes the file as it is to be, if it still is as it was.
    pub(super) fn write(&self) -> Result<()> {
        let now = vein::read_text(&self.path)
            .with_context(|| format!("cannot read `{}`", self.path.display()))?;
        anyhow::ensure!(now == self.before, "`{}` has changed since", self.path.display());
        std::fs::write(&self.path, &self.after)
            .with_context(|| format!("cannot write `{}`", self.path.display()))
    }
}

impl Reader {
    pub(super) fn new(opening: Opening) -> Reader {
        Reader { opening, workspace: None, ui: None, given: None }
    }

    /// The project's folder.
    pub(super) fn folder(&self) -> &Path {
        &self.opening.dir
    }

    /// The folders that it reads from beside that: of components, and of data that was named on the command line.
    pub(super) fn others(&self) -> Vec<PathBuf> {
        let components = self.workspace.as_ref().map(|(folder, _)| folder.clone());
        let data = self.opening.data.as_deref().filter(|path| *path != Path::new("-"));
        let beside = data.and_then(Path::parent).map(|parent| match parent == Path::new("") {
            true => PathBuf::from("."),
            false => parent.to_owned(),
        });
        let inside = |path: &PathBuf| {
            let whole = (path.canonicalize(), self.opening.dir.canonicalize());
            matches!(&whole, (Ok(path), Ok(dir)) if path.starts_with(dir))
        };
        components.into_iter().chain(beside).filter(|path| !inside(path)).collect()
    }

    /// Reads the project; `changed` are the files that may have changed since the last time, where that is known.
    pub(super) fn read(&mut self, changed: Option<&BTreeSet<PathBuf>>) -> Result<Served> {
        self.read_after(changed, None)
    }

    /// Reads it again, and says of what has become another since.
    pub(super) fn read_after(
        &mut self,
        changed: Option<&BTreeSet<PathBuf>>,
        before: Option<&Served>,
    ) -> Result<Served> {
        let project = Project::at(&self.opening.dir)?;
        let folder = project.components();
        let known = self.workspace.take().filter(|(known, _)| *known == folder);
        let mut workspace = known.map(|(_, workspace)| workspace);
        let mut ui = self.ui.take();
        match (&mut workspace, changed) {
            (Some(workspace), Some(changed)) if only_texts(workspace, changed) => {
                for path in changed.iter().filter(|path| is_component(path)) {
                    let path = output::path(path);
                    let text = vein::read_text(Path::new(&path))
                        .with_context(|| format!("cannot read `{path}`"))?;
                    workspace.change(Source { path, text });
                    ui = None;
                }
            }
            _ => {
                workspace = Some(Workspace::new(vein::sources_in(&folder)?));
                ui = None;
            }
        }
        let workspace = workspace.context("the components were read")?;
        let ui = ui.map_or_else(|| Ui::from_workspace(&workspace), Ok);
        self.workspace = Some((folder, workspace));
        let ui = ui?.with_budget(project.budget());
        self.ui = Some(ui.clone());
        let warns = |code: &str| project.warns_of(code);
        let warnings = warnings(&ui, warns);
        let mut opening = self.opening.clone();
        if self.given.is_some() {
            opening.data = None;
        }
        let mut planned = planned_of(&opening, project, ui)?;
        match &self.given {
            Some(given) => planned.props = given.clone(),
            None if self.opening.data.as_deref() == Some(Path::new("-")) => {
                self.given = Some(planned.props.clone());
            }
            None => {}
        }
        let mut served = Served::of(planned, before)?;
        served.warnings.splice(0..0, warnings);
        if let (Some(before), Some(changed)) = (before, changed) {
            let inside = |root: &PathBuf| changed.iter().any(|path| path.starts_with(root));
            let others = served.files.as_ref().is_some_and(inside);
            served.marks.files += u64::from(others || served.files != before.files);
        }
        Ok(served)
    }
}

/// Whether all components among some files are known and still there, so that only their texts can be others.
fn only_texts(workspace: &Workspace, changed: &BTreeSet<PathBuf>) -> bool {
    let known = |path: &&PathBuf| {
        let path = output::path(path);
        workspace.sources().iter().any(|source| source.path == path) && Path::new(&path).is_file()
    };
    changed.iter().filter(|path| is_component(path)).all(|path| known(&path))
}

pub(super) fn is_component(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending == "vein")
}

fn warnings(ui: &Ui, warns: impl Fn(&str) -> bool) -> Vec<String> {
    let Some(report) = ui.report() else { return Vec::new() };
    let found = report.diagnostics.iter().filter(|found| warns(found.code));
    let told = found.map(|found| {
        let (sources, diagnostics) = (report.sources.clone(), vec![found.clone()]);
        Report { sources, diagnostics }.text(false).trim_end().to_owned()
    });
    told.collect()
}

impl Served {
    /// What a component's pages need, and what of it is another than before.
    ///
    /// # Errors
    /// Data that does not fit, or what keeps a page from being opened.
    pub(super) fn of(planned: Planned, before: Option<&Served>) -> Result<Served> {
        let host = host_files(&planned)?;
        let program = planned.ui.program();
        let number = program.find(&planned.component);
        // An unknown component is told of when it is opened.
        let styles = number.map_or(String::new(), |number| styles(&planned, program, number));
        let files = static_folder(&planned);
        let Planned { ui, component, props, data, answers, port, unanswered, build, .. } = planned;
        let warnings = if host.is_empty() { unanswered } else { Vec::new() };
        let warnings = warnings.into_iter().map(|waiting| project::unanswered(&waiting)).collect();
        let title = build.title.clone().unwrap_or_else(|| component.clone());
        let marks = Marks::default();
        let mut served = Served {
            ui,
            component,
            title,
            props,
            answers,
            styles,
            host,
            files,
            build,
            first: OnceLock::new(),
            data,
            port,
            warnings,
            marks,
        };
        let Some(before) = before else { return Ok(served) };
        served.marks = served.marks_after(before);
        let Marks { styles, host, files, .. } = served.marks;
        let same = Marks { styles, host, files, ..before.marks } == served.marks;
        if let Some(first) = before.first.get().filter(|_| same) {
            served.first = OnceLock::from(first.clone());
        }
        Ok(served)
    }

    /// The page as it is first.
    ///
    /// # Errors
    /// What keeps it from being opened.
    pub(super) fn first(&self) -> Result<&First> {
        if let Some(first) = self.first.get() {
            return Ok(first);
        }
        let page = simulated::answered(self.ui.page(&self.component), &self.answers)?;
        let page = match page.proven(false).open_value(self.props.clone()) {
            Ok(page) => Some(page),
            // The host in the tab may answer.
            Err(vein::Error::Host(HostError::Unanswered { .. })) if !self.host.is_empty() => None,
            Err(error) => return Err(self.misfit(error)),
        };
        let policy = match &page {
            Some(page) => policy(&self.build, page),
            None => policy_for(&self.build, &BTreeSet::new()),
        };
        let html = page.as_ref().map_or(String::new(), Page::html);
        Ok(self.first.get_or_init(|| First { html, policy }))
    }

    /// Says of an error that data does not fit where that was read.
    pub(super) fn misfit(&self, error: vein::Error) -> anyhow::Error {
        let known = self.ui.components().any(|name| name == self.component);
        project::misfit(error, self.data.as_deref().filter(|_| known))
    }

    fn marks_after(&self, before: &Served) -> Marks {
        let next = |mark: u64, other: bool| mark + u64::from(other);
        let marks = before.marks;
        let settings = self.component != before.component
            || self.title != before.title
            || self.answers != before.answers
            || self.build.policy != before.build.policy;
        let (own, others) = (self.ui.program(), before.ui.program());
        let code = settings || !Arc::ptr_eq(own, others) && !same_code(own, others);
        Marks {
            code: next(marks.code, code),
            styles: next(marks.styles, self.styles != before.styles),
            host: next(marks.host, self.host != before.host),
            files: marks.files,
            data: next(marks.data, !self.props.same(&before.props)),
        }
    }

    /// What `vein.toml` answers at once, by the names of functions.
    pub(super) fn at_once(&self) -> Vec<(String, Value)> {
        let program = self.ui.program();
        let asked = program.plans.iter().flat_map(|plan| &plan.asked);
        let at_once = asked.filter(|asked| asked.answers == vein::program::Answers::AtOnce);
        let found = at_once.filter_map(|asked| {
            let answer = self.answers.functions.get(&*asked.name)?;
            Some((asked.name.to_string(), answer.at_once()?))
        });
        found.collect()
    }

    /// The functions that the page asks.
    pub(super) fn functions(&self) -> Vec<(String, String)> {
        self.ui.functions(Some(&self.component)).into_iter().collect()
    }
}

/// Whether two programs are the same but for their styles.
fn same_code(a: &Program, b: &Program) -> bool {
    let same = |(a, b): (&vein::program::Plan, &vein::program::Plan)| {
        if a.style == b.style {
            return a == b;
        }
        let (mut a, mut b) = (a.clone(), b.clone());
        a.style = "".into();
        b.style = "".into();
        a == b
    };
    (&a.names, &a.types, &a.shapes, a.plans.len()) == (&b.names, &b.types, &b.shapes, b.plans.len())
        && a.plans.iter().zip(&b.plans).all(same)
}
