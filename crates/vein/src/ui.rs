//! A checked set of components.

use crate::error::Error;
use crate::files::read_text;
use crate::opening::PageBuilder;
use crate::page::Page;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vein_check::{Report, Source, Workspace, check};
use vein_plan::{Budget, Program};

/// Components that were checked and can be opened. Cheap to clone, and free to be shared
/// between threads.
#[derive(Clone, Debug)]
#[must_use]
pub struct Ui {
    program: Arc<Program>,
    report: Option<Arc<Report>>,
    budget: Budget,
}

impl Ui {
    /// Reads and checks every `.vein` file below a folder.
    ///
    /// # Errors
    /// A folder or file that cannot be read, a folder without components, or components with
    /// mistakes: then the error carries the report.
    pub fn from_dir(path: impl AsRef<Path>) -> Result<Ui, Error> {
        Ui::from_checked(check(sources_in(path.as_ref())?))
    }

    /// Checks components given as pairs of a file name and its text.
    ///
    /// # Errors
    /// Components with mistakes.
    pub fn from_sources<N, T>(sources: impl IntoIterator<Item = (N, T)>) -> Result<Ui, Error>
    where
        N: Into<String>,
        T: Into<String>,
    {
        let sources = sources.into_iter();
        let sources = sources.map(|(path, text)| Source { path: path.into(), text: text.into() });
        Ui::from_checked(check(sources.collect()))
    }

    /// The components of a workspace, as they are by now.
    ///
    /// # Errors
    /// Components with mistakes.
    pub fn from_workspace(workspace: &Workspace) -> Result<Ui, Error> {
        Ui::from_checked(workspace.checked())
    }

    fn from_checked(checked: vein_check::Checked) -> Result<Ui, Error> {
        match checked.program {
            Some(program) => {
                let report = Some(Arc::new(checked.report));
                Ok(Ui { program: Arc::new(program), report, budget: Budget::default() })
            }
            None => Err(Error::Check(Box::new(checked.report))),
        }
    }

    /// Reads components that were compiled by [`Ui::to_plan`].
    ///
    /// # Errors
    /// Bytes that are not a plan, of another version, or damaged.
    pub fn from_plan(bytes: &[u8]) -> Result<Ui, Error> {
        let program = Arc::new(Program::from_bytes(bytes)?);
        Ok(Ui { program, report: None, budget: Budget::default() })
    }

    /// The same components on pages whose pulses may use up so much, also those of scenarios.
    pub fn with_budget(self, budget: Budget) -> Ui {
        Ui { budget, ..self }
    }

    /// What each pulse of its pages may use up, where [`PageBuilder::budget`] says nothing else.
    pub fn budget(&self) -> Budget {
        self.budget
    }

    /// The compiled components as bytes.
    pub fn to_plan(&self) -> Vec<u8> {
        self.program.to_bytes()
    }

    /// What the check found: warnings, since there are no errors. A plan carries none.
    pub fn report(&self) -> Option<&Report> {
        self.report.as_deref()
    }

    /// The names of the components.
    pub fn components(&self) -> impl Iterator<Item = &str> {
        let shown = self.program.plans.iter().filter(|plan| plan.store.is_none());
        shown.map(|plan| &*plan.name)
    }

    /// What components ask, await or stream of their host, by name, with how it is declared: all of them,
    /// or one and those that it shows or uses.
    pub fn functions(&self, component: Option<&str>) -> BTreeMap<String, String> {
        let number = component.map(|name| self.program.plans.iter().position(|p| &*p.name == name));
        let plans = match number {
            Some(Some(number)) => self.program.with_all_inside(number),
            Some(None) => Vec::new(),
            None => (0..self.program.plans.len()).collect(),
        };
        let asked = plans.into_iter().flat_map(|plan| &self.program.plans[plan].asked);
        asked.map(|asked| (asked.name.to_string(), self.program.signature(asked))).collect()
    }

    /// The style sheets of the components that have one, each with its component's name. They
    /// reach only elements of that component, so they can all stand in one page.
    pub fn styles(&self) -> impl Iterator<Item = (&str, &str)> {
        let styled = self.program.plans.iter().filter(|plan| !plan.style.is_empty());
        styled.map(|plan| (&*plan.name, &*plan.style))
    }

    /// The compiled components.
    pub fn program(&self) -> &Arc<Program> {
        &self.program
    }

    /// Which state and which handler of a component can change which parts of its view.
    ///
    /// # Errors
    /// An unknown component.
    pub fn reach(&self, component: &str) -> Result<vein_check::ReachMap, Error> {
        let unknown = || vein_runtime::HostError::UnknownComponent {
            name: component.into(),
            known: self.components().map(str::to_owned).collect(),
        };
        let number = self.program.find(component).ok_or_else(unknown)?;
        Ok(vein_check::reach_map(&self.program, &self.program.plans[number]))
    }

    /// Every way to break a component in one place, to find out what nobody notices.
    pub fn mutants(&self) -> Vec<vein_proof::Mutant> {
        vein_proof::mutants(&self.program)
    }

    /// These components with one of them broken.
    pub fn broken(&self, mutant: &vein_proof::Mutant) -> Ui {
        Ui { program: Arc::new(mutant.broken(&self.program)), ..self.clone() }
    }

    /// A component to be opened, where the host answers functions or wants something special.
    pub fn page(&self, component: &str) -> PageBuilder {
        PageBuilder::new(self.clone(), component)
    }

    /// Opens a component with its props: anything that serde turns into an object. Proof is on.
    ///
    /// # Errors
    /// An unknown component or prop, a missing prop, or a value of the wrong type.
    pub fn open(&self, component: &str, props: impl Serialize) -> Result<Page, Error> {
        self.page(component).open(props)
    }
}

/// Every `.vein` file below a folder with its text, in the order of their paths, not checked.
///
/// # Errors
/// A folder or file that cannot be read, or a folder without components.
pub fn sources_in(folder: &Path) -> Result<Vec<Source>, Error> {
    let io = |path: &Path| {
        let path = path.to_owned();
        move |error| Error::Io { path, error }
    };
    let files = files_below(folder, ".vein")?;
    if files.is_empty() {
        return Err(Error::NoComponents { path: folder.to_owned() });
    }
    let read = |path: PathBuf| {
        let shown = path.strip_prefix(".").unwrap_or(&path).to_string_lossy().into_owned();
        let text = read_text(&path).map_err(io(&path))?;
        Ok(Source { path: shown, text })
    };
    files.into_iter().map(read).collect()
}

/// Every file below a folder whose name ends so, in the order of their paths. Hidden folders and
/// those that tools build into are left out.
pub(crate) fn files_below(folder: &Path, ending: &str) -> Result<Vec<PathBuf>, Error> {
    let io = |path: &Path| {
        let path = path.to_owned();
        move |error| Error::Io { path, error }
    };
    let mut files: Vec<PathBuf> = Vec::new();
    let mut open = vec![folder.to_owned()];
    while let Some(dir) = open.pop() {
        for entry in std::fs::read_dir(&dir).map_err(io(&dir))? {
            let entry = entry.map_err(io(&dir))?;
            let path = entry.path();
            let hidden = entry.file_name().to_string_lossy().starts_with('.');
            let kind = entry.file_type().map_err(io(&path))?;
            if kind.is_dir() && !hidden && entry.file_name() != "target" {
                open.push(path);
            } else if entry.file_name().to_string_lossy().ends_with(ending) {
                files.push(path);
            }
        }
    }
    files.sort();
    Ok(files)
}
