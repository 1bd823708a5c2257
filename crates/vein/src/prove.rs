//! Scenarios from files, played and told about.

use crate::error::Error;
use crate::files::read_text;
use crate::opening::default_host;
use crate::ui::Ui;
use std::path::{Path, PathBuf};
use vein_check::{Diagnostic, Fix, Report, Severity, Source};
use vein_plan::Value;
use vein_proof::scenario::{Data, Hands, InMemory};
use vein_proof::{Mistake, Played, Player, Scenario};
use vein_runtime::Host;
use vein_syntax::Span;

/// The ending of a scenario's file name.
pub const SCENARIO_ENDING: &str = ".scenario.toml";

/// A scenario of a file, with its data.
///
/// ```
/// let ui = vein::Ui::from_sources([("a-tap.vein",
///     "holds litres = 0\n<button click='-> litres += 2'>Water</button>\n<p>{litres} l</p>")])?;
/// let text = "
/// component = 'a-tap'
///
/// [[step]]
/// click = 'button'
/// changes = ['a-tap › p text']
/// ";
/// let scenario = vein::ScenarioFile::from_text("a-tap.scenario.toml", text)?;
/// scenario.prove(&ui)?;
/// # Ok::<(), vein::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct ScenarioFile {
    source: Source,
    scenario: Scenario,
    data: Value,
}

impl ScenarioFile {
    /// Reads a scenario, and the file of its data where it names one.
    ///
    /// # Errors
    /// A file that cannot be read, or the mistakes in it, ready to print.
    pub fn read(path: impl AsRef<Path>) -> Result<ScenarioFile, Error> {
        let path = path.as_ref();
        let io = |error| Error::Io { path: path.to_owned(), error };
        let text = read_text(path).map_err(io)?;
        let shown = path.strip_prefix(".").unwrap_or(path).to_string_lossy().into_owned();
        let folder = path.parent().unwrap_or(Path::new(""));
        ScenarioFile::of(Source { path: shown, text }, &|data| read_text(&folder.join(data)))
    }

    /// A scenario from its text. Data in a file is looked for from the present folder.
    ///
    /// # Errors
    /// As [`ScenarioFile::read`].
    pub fn from_text(
        path: impl Into<String>,
        text: impl Into<String>,
    ) -> Result<ScenarioFile, Error> {
        ScenarioFile::from_text_with(path, text, &|data| read_text(data.as_ref()))
    }

    /// As [`ScenarioFile::from_text`], with what reads the file of its data by its path.
    ///
    /// # Errors
    /// As [`ScenarioFile::read`].
    pub fn from_text_with(
        path: impl Into<String>,
        text: impl Into<String>,
        read: &dyn Fn(&str) -> std::io::Result<String>,
    ) -> Result<ScenarioFile, Error> {
        ScenarioFile::of(Source { path: path.into(), text: text.into() }, read)
    }

    fn of(
        source: Source,
        read: &dyn Fn(&str) -> std::io::Result<String>,
    ) -> Result<ScenarioFile, Error> {
        let wrong = |mistakes: &[Mistake]| Error::Scenario(Box::new(report(&source, mistakes)));
        let scenario = Scenario::read(&source.text).map_err(|mistakes| wrong(&mistakes))?;
        let data = match &scenario.data {
            Data::Nothing => Value::Null,
            Data::Inline(value) => value.value.clone(),
            Data::File(path) => {
                let cannot = |why: String| {
                    let said = format!("the data `{}` cannot be used: {why}", path.value);
                    wrong(&[Mistake {
                        code: "wrong-data",
                        place: path.place.clone(),
                        message: said,
                        label: String::new(),
                        advice: vec!["the path goes from the scenario's folder".into()],
                        instead: None,
                    }])
                };
                let text = read(&path.value).map_err(|error| cannot(error.to_string()))?;
                vein_plan::json::parse(&text).map_err(|error| cannot(error.to_string()))?
            }
        };
        Ok(ScenarioFile { source, scenario, data })
    }

    /// What it is called: its file's name without the ending.
    pub fn name(&self) -> &str {
        let file = Path::new(&self.source.path).file_name().and_then(|name| name.to_str());
        let file = file.unwrap_or(&self.source.path);
        file.strip_suffix(SCENARIO_ENDING).unwrap_or(file)
    }

    /// Its path, as it is shown.
    pub fn path(&self) -> &str {
        &self.source.path
    }

    /// Its text.
    pub fn text(&self) -> &str {
        &self.source.text
    }

    /// What was written in it.
    pub fn scenario(&self) -> &Scenario {
        &self.scenario
    }

    /// Opens its component on a page of its own. What `locale` and `zone` it does not name are those
    /// that are given.
    ///
    /// # Errors
    /// What is wrong with the scenario now that its component is known, ready to print.
    pub fn player(
        &self,
        ui: &Ui,
        locale: (&str, &str),
        hands: &mut dyn Hands,
    ) -> Result<Player<'_>, Error> {
        let or = |own: &Option<String>, or: &str| own.clone().unwrap_or_else(|| or.to_owned());
        let (tag, zone) = (or(&self.scenario.locale, locale.0), or(&self.scenario.zone, locale.1));
        let host = Host { budget: ui.budget(), ..default_host(&tag, &zone)? };
        Player::open(ui.program(), &self.scenario, self.data.clone(), host, hands)
            .map_err(|mistakes| Error::Scenario(Box::new(self.report(&mistakes))))
    }

    /// Plays it with the tree in memory.
    ///
    /// # Errors
    /// As [`ScenarioFile::player`].
    pub fn play(&self, ui: &Ui) -> Result<Played, Error> {
        self.play_in(ui, ("en", "UTC"))
    }

    /// As [`ScenarioFile::play`], with a language and a time zone where it names none.
    ///
    /// # Errors
    /// As [`ScenarioFile::player`].
    pub fn play_in(&self, ui: &Ui, locale: (&str, &str)) -> Result<Played, Error> {
        Ok(self.player(ui, locale, &mut InMemory)?.finish(&mut InMemory))
    }

    /// Whether it would notice that components are broken: something that it states does not hold, or
    /// cannot be done. That the engine is exact is not asked here.
    pub fn notices(&self, ui: &Ui, locale: (&str, &str)) -> bool {
        let Ok(mut player) = self.player(ui, locale, &mut InMemory) else { return true };
        while let Some(step) = player.step(&mut InMemory) {
            if step.mistakes.iter().any(|mistake| mistake.code != "not-exact") {
                return true;
            }
        }
        player.left_out() > 0
    }

    /// Plays it, and passes if all holds that it states.
    ///
    /// # Errors
    /// What does not hold, ready to print: each with its place, and what was seen instead.
    pub fn prove(&self, ui: &Ui) -> Result<Played, Error> {
        let played = self.play(ui)?;
        if played.holds() {
            return Ok(played);
        }
        let mistakes: Vec<Mistake> = played.mistakes().cloned().collect();
        Err(Error::Scenario(Box::new(self.report(&mistakes))))
    }

    /// Its text with what was seen in the place of what did not hold.
    ///
    /// # Errors
    /// A text that cannot be read as TOML.
    pub fn accepted(&self, played: &Played) -> Result<String, String> {
        vein_proof::scenario::accept(&self.source.text, &self.scenario, played)
    }

    /// Mistakes of this scenario, ready to print.
    pub fn report(&self, mistakes: &[Mistake]) -> Report {
        report(&self.source, mistakes)
    }
}

/// Mistakes in a text, ready to print beside the lines that they are in.
pub fn report(source: &Source, mistakes: &[Mistake]) -> Report {
    let diagnostic = |mistake: &Mistake| {
        let span = Span::new(mistake.place.start, mistake.place.end);
        let fix = mistake.instead.as_ref().map(|instead| Fix {
            title: format!("did you mean `{}`?", instead.trim_matches('"')),
            edits: vec![(span, instead.to_string())],
            safe: false,
        });
        Diagnostic {
            code: mistake.code,
            severity: Severity::Error,
            file: 0,
            span,
            message: mistake.message.clone(),
            label: mistake.label.clone(),
            related: Vec::new(),
            advice: mistake.advice.clone(),
            fix,
        }
    };
    Report {
        sources: [source.clone()].into(),
        diagnostics: mistakes.iter().map(diagnostic).collect(),
    }
}

/// The paths of all scenarios below a folder, in their order.
///
/// # Errors
/// A folder that cannot be read.
pub fn scenarios_in(folder: impl AsRef<Path>) -> Result<Vec<PathBuf>, Error> {
    crate::ui::files_below(folder.as_ref(), SCENARIO_ENDING)
}

/// Plays a scenario with the components of a folder.
///
/// # Panics
/// Where it does not hold, with all that it is told by; also where it cannot be read. That is what a
/// test is to do, and [`scenarios!`](crate::scenarios) writes such tests.
#[track_caller]
pub fn prove_file(components: impl AsRef<Path>, scenario: impl AsRef<Path>) {
    let proved = Ui::from_dir(components)
        .and_then(|ui| ScenarioFile::read(scenario).and_then(|file| file.prove(&ui)));
    if let Err(error) = proved {
        panic!("\n{error}");
    }
}

/// Finds out whether there are as many scenarios below a folder as there were.
///
/// # Panics
/// Where there are not.
#[track_caller]
pub fn same_scenarios(folder: impl AsRef<Path>, then: usize) {
    let now = scenarios_in(&folder).map_or(0, |files| files.len());
    let folder = folder.as_ref().display();
    assert_eq!(
        now, then,
        "there are {now} scenarios below `{folder}`, and there were {then} when this was compiled: \
         change this file, so that it is compiled again"
    );
}
