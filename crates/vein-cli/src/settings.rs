//! `vein.toml`, with the place of everything in it: what it may say, and what is wrong with it.

use std::collections::BTreeMap;
use std::ops::Range;
use std::path::{Path, PathBuf};
use toml_edit::{Document, Item, TableLike};
use vein::{Mistake, Report, Severity, Source, Ui};

/// What a key takes.
enum Takes {
    Text,
    /// A file that is there, from the project's folder.
    File,
    Folder,
    Files,
    Texts,
    Port,
    /// A number from zero up.
    Number,
    /// A whole number from one up.
    Count,
    Anything,
    /// A list of anything.
    List,
    Table(&'static [(&'static str, Takes)]),
    /// A table of kinds of warnings, and whether there are any.
    Warnings,
    /// A table of names, each with one of these.
    Named(&'static [(&'static str, Takes)]),
}

const TOP: &[(&str, Takes)] = &[
    ("components", Takes::Folder),
    ("component", Takes::Text),
    ("data", Takes::File),
    ("styles", Takes::Files),
    ("port", Takes::Port),
    ("locale", Takes::Text),
    ("zone", Takes::Text),
    ("answers", Takes::Named(ANSWER)),
    ("build", Takes::Table(BUILD)),
    ("budget", Takes::Table(BUDGET)),
    ("warnings", Takes::Warnings),
];

const ANSWER: &[(&str, Takes)] = &[
    ("after", Takes::Number),
    ("every", Takes::Number),
    ("values", Takes::List),
    ("value", Takes::Anything),
    ("fails", Takes::Text),
    ("wander", Takes::Table(WANDER)),
    ("fails_every", Takes::Number),
    ("reason", Takes::Text),
];

const WANDER: &[(&str, Takes)] =
    &[("from", Takes::Anything), ("to", Takes::Anything), ("step", Takes::Number)];

const BUDGET: &[(&str, Takes)] =
    &[("steps", Takes::Count), ("bytes", Takes::Count), ("nodes", Takes::Count)];

const BUILD: &[(&str, Takes)] = &[
    ("title", Takes::Text),
    ("host", Takes::File),
    // It may only be made before a build.
    ("static", Takes::Folder),
    ("policy", Takes::Text),
    ("reflect", Takes::Texts),
];

/// A `vein.toml` that cannot be used as it stands.
#[derive(Debug)]
pub(crate) struct Unusable(pub(crate) Report);

impl std::fmt::Display for Unusable {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.0.text(false).trim_end())
    }
}

impl std::error::Error for Unusable {}

/// The text of a `vein.toml`, and where its answers were written.
#[derive(Debug)]
pub(crate) struct Written {
    source: Source,
    answers: BTreeMap<String, Range<usize>>,
}

impl Written {
    /// Reads the settings of a project in a folder.
    ///
    /// # Errors
    /// All that is wrong with them.
    pub(crate) fn read(path: &Path, text: &str) -> Result<Written, Unusable> {
        let source = Source { path: crate::output::path(path), text: text.to_owned() };
        let root = path.parent().unwrap_or(Path::new(""));
        let mut reader = Reader { root: root.to_owned(), mistakes: Vec::new() };
        let mut answers = BTreeMap::new();
        match Document::parse(text) {
            Ok(document) => {
                reader.table(document.as_table(), "vein.toml", TOP);
                if let Some(all) = document.get("answers").and_then(Item::as_table_like) {
                    let places = all.iter().map(|(name, _)| (name.to_owned(), place(all, name)));
                    answers.extend(places);
                }
            }
            Err(error) => {
                let at = error.span().unwrap_or(0..text.chars().next().map_or(0, char::len_utf8));
                let said = error.message().lines().next().unwrap_or("this is not TOML");
                let said = format!("the settings cannot be read: {said}");
                reader.wrong("not-toml", at, said, Some("settings are TOML: https://toml.io"));
            }
        }
        reader.mistakes.sort_by_key(|mistake| mistake.place.start);
        match reader.mistakes.is_empty() {
            true => Ok(Written { source, answers }),
            false => Err(Unusable(vein::report(&source, &reader.mistakes))),
        }
    }

    /// Holds the answers against what components ask.
    ///
    /// # Errors
    /// Answers for functions that no component declares.
    pub(crate) fn answer(&self, ui: &Ui) -> Result<(), Unusable> {
        let declared = ui.functions(None);
        let unasked = self.answers.iter().filter(|(name, _)| !declared.contains_key(*name));
        let mistakes: Vec<Mistake> = unasked
            .map(|(name, at)| {
                let said = format!("no component asks for `{name}`");
                let near = vein::nearest(name, declared.keys().map(String::as_str));
                let known: Vec<String> = declared.keys().map(|name| format!("`{name}`")).collect();
                let advice = match known.is_empty() {
                    true => "none asks for anything: leave it away".to_owned(),
                    false => format!("they ask for {}", known.join(", ")),
                };
                let advice = if near.is_some() { Vec::new() } else { vec![advice] };
                mistake("unknown-function", at.clone(), said, advice, near)
            })
            .collect();
        match mistakes.is_empty() {
            true => Ok(()),
            false => Err(Unusable(vein::report(&self.source, &mistakes))),
        }
    }

    /// What a component and all that it shows wait for, and nobody answers.
    pub(crate) fn unanswered(&self, ui: &Ui, component: &str) -> Vec<String> {
        let asked = ui.functions(Some(component)).into_iter();
        let asked = asked.filter(|(name, _)| !self.answers.contains_key(name));
        asked.map(|(_, signature)| signature).collect()
    }
}

fn mistake(
    code: &'static str,
    place: Range<usize>,
    message: String,
    advice: Vec<String>,
    instead: Option<&str>,
) -> Mistake {
    let (label, instead) = (String::new(), instead.map(Box::from));
    Mistake { code, place, message, label, advice, instead }
}

/// Where a key of a table was written.
fn place(table: &dyn TableLike, name: &str) -> Range<usize> {
    table.key(name).and_then(toml_edit::Key::span).unwrap_or(0..0)
}

struct Reader {
    root: PathBuf,
    mistakes: Vec<Mistake>,
}

impl Reader {
    fn wrong(
        &mut self,
        code: &'static str,
        place: Range<usize>,
        message: String,
        advice: Option<&str>,
    ) {
        let advice = advice.map(str::to_owned).into_iter().collect();
        self.mistakes.push(mistake(code, place, message, advice, None));
    }

    fn table(&mut self, table: &dyn TableLike, of: &str, known: &'static [(&'static str, Takes)]) {
        for (name, item) in table.iter() {
            if let Some((_, takes)) = known.iter().find(|(known, _)| *known == name) {
                self.item(item, name, takes);
                continue;
            }
            let names = known.iter().map(|(known, _)| *known);
            // It was called so before.
            let near = match (of, name) {
                ("vein.toml", "with") => Some("data"),
                _ => vein::nearest(name, names.clone()),
            };
            let all: Vec<String> = names.map(|name| format!("`{name}`")).collect();
            let advice = match near {
                Some(_) => Vec::new(),
                None => vec![format!("there are: {}", all.join(", "))],
            };
            let said = format!("`{of}` has no key `{name}`");
            self.mistakes.push(mistake("unknown-key", place(table, name), said, advice, near));
        }
    }

    fn item(&mut self, item: &Item, key: &str, takes: &Takes) {
        let at = item.span().unwrap_or(0..0);
        let number = item.as_float().or(item.as_integer().map(|n| n as f64));
        let texts = || -> Option<Vec<(&str, Range<usize>)>> {
            let each = item.as_array()?.iter();
            each.map(|text| Some((text.as_str()?, text.span().unwrap_or(0..0)))).collect()
        };
        let wanted = match takes {
            Takes::Anything => return,
            Takes::Text if item.is_str() => return,
            Takes::List if item.is_array() => return,
            Takes::Number if number.is_some_and(|n| n >= 0.0) => return,
            Takes::Count if item.as_integer().is_some_and(|n| n >= 1) => return,
            Takes::Port if item.as_integer().is_some_and(|n| (1..65_536).contains(&n)) => return,
            Takes::Texts if texts().is_some() => return,
            Takes::File | Takes::Folder if let Some(path) = item.as_str() => {
                return self.there(path, at, key, matches!(takes, Takes::Folder));
            }
            Takes::Files if let Some(paths) = texts() => {
                return paths.into_iter().for_each(|(path, at)| self.there(path, at, key, false));
            }
            Takes::Table(known) if let Some(table) = item.as_table_like() => {
                return self.table(table, key, known);
            }
            Takes::Warnings if let Some(table) = item.as_table_like() => {
                return self.warnings(table);
            }
            Takes::Named(known) if let Some(table) = item.as_table_like() => {
                for (name, item) in table.iter() {
                    match item.as_table_like() {
                        Some(table) => self.table(table, &format!("{key}.{name}"), known),
                        None => {
                            let at = item.span().unwrap_or(0..0);
                            let said = format!("`{key}.{name}` takes a table");
                            let advice =
                                format!("write `[{key}.{name}]` and `values = [\u{2026}]`");
                            self.wrong("wrong-value", at, said, Some(&advice));
                        }
                    }
                }
                return;
            }
            Takes::Text => "a text, in quotes",
            Takes::File => "the path of a file, in quotes",
            Takes::Folder => "the path of a folder, in quotes",
            Takes::Files => "a list of paths: `[\"page.css\"]`",
            Takes::Texts => "a list of texts: `[\"crop\"]`",
            Takes::Port => "a port: a whole number from 1 to 65535",
            Takes::Number => "a number from zero up",
            Takes::Count => "a whole number from one up",
            Takes::List => "a list: `[1, 2]`",
            Takes::Table(_) | Takes::Named(_) | Takes::Warnings => "a table",
        };
        self.wrong("wrong-value", at, format!("`{key}` takes {wanted}"), None);
    }

    fn warnings(&mut self, table: &dyn TableLike) {
        let kinds = vein::RULES.iter().filter(|rule| rule.severity == Severity::Warning);
        let kinds: Vec<&str> = kinds.map(|rule| rule.code).collect();
        for (name, item) in table.iter() {
            if !kinds.contains(&name) {
                let error = vein::RULES.iter().any(|rule| rule.code == name);
                let near = vein::nearest(name, kinds.iter().copied());
                let said = match error {
                    true => format!("`{name}` is an error: it cannot be turned off"),
                    false => format!("there is no warning `{name}`"),
                };
                let all: Vec<String> = kinds.iter().map(|kind| format!("`{kind}`")).collect();
                let advice = match near {
                    Some(_) => Vec::new(),
                    None => vec![format!("there are: {}", all.join(", "))],
                };
                self.mistakes.push(mistake("unknown-key", place(table, name), said, advice, near));
            } else if !item.is_bool() {
                let at = item.span().unwrap_or(0..0);
                self.wrong("wrong-value", at, format!("`{name}` takes `true` or `false`"), None);
            }
        }
    }

    /// A file or folder that has to be there.
    fn there(&mut self, path: &str, at: Range<usize>, key: &str, folder: bool) {
        let whole = self.root.join(path);
        let what = if folder { "folder" } else { "file" };
        if (folder && whole.is_dir()) || (!folder && whole.is_file()) {
            return;
        }
        let said = match whole.exists() {
            true => format!("`{key}` takes a {what}, and `{path}` is none"),
            false => format!("there is no {what} `{path}`"),
        };
        let advice = "paths begin at the folder of `vein.toml`";
        self.wrong("no-such-file", at, said, Some(advice));
    }
}
