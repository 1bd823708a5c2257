//! The engine's hand-written modules, and what a piece of code needs of them.

use crate::short::variables;
use std::collections::{BTreeSet, HashMap};
use std::sync::LazyLock;

/// The modules, by what they do.
pub const MODULES: &[(&str, &str)] = &[
    ("values.mjs", include_str!("../engine/values.mjs")),
    ("state.mjs", include_str!("../engine/state.mjs")),
    ("types.mjs", include_str!("../engine/types.mjs")),
    ("view.mjs", include_str!("../engine/view.mjs")),
    ("kept.mjs", include_str!("../engine/kept.mjs")),
    ("places.mjs", include_str!("../engine/places.mjs")),
    ("hearing.mjs", include_str!("../engine/hearing.mjs")),
    ("controls.mjs", include_str!("../engine/controls.mjs")),
    ("life.mjs", include_str!("../engine/life.mjs")),
    ("opening.mjs", include_str!("../engine/opening.mjs")),
    ("taking.mjs", include_str!("../engine/taking.mjs")),
    ("markup.mjs", include_str!("../engine/markup.mjs")),
    ("locale.mjs", include_str!("../engine/locale.mjs")),
    ("guards.mjs", include_str!("../engine/guards.mjs")),
];

/// A function, constant or class of the engine.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Declared {
    /// Its name.
    pub name: &'static str,
    /// Its text, without `export` and comments around it.
    pub text: &'static str,
    /// The comment before it.
    pub told: &'static str,
}

/// What the modules declare, and by its name the number of each with the numbers of what it names itself.
struct Known {
    all: Vec<Declared>,
    by_name: HashMap<&'static str, usize>,
    names: Vec<Vec<usize>>,
}

static KNOWN: LazyLock<Known> = LazyLock::new(|| {
    let all = parsed();
    let by_name: HashMap<&str, usize> =
        all.iter().enumerate().map(|(at, known)| (known.name, at)).collect();
    let names = all.iter().map(|known| {
        let named = variables(known.text).into_iter();
        named.filter_map(|name| by_name.get(name).copied()).collect()
    });
    let names = names.collect();
    Known { all, by_name, names }
});

/// Everything that the modules declare. A declaration goes on to the first empty line.
pub fn declared() -> &'static [Declared] {
    &KNOWN.all
}

fn parsed() -> Vec<Declared> {
    let modules = MODULES.iter().flat_map(|(_, text)| text.split("\n\n"));
    let declared = modules.filter_map(|block| {
        let at = if block.starts_with("export ") { 0 } else { block.find("\nexport ")? + 1 };
        let text = block[at + "export ".len()..].trim_end();
        let name = text.trim_start_matches("async ").split_once(' ')?.1;
        let name = &name[..name.find(|c: char| !is_of_name(c)).unwrap_or(name.len())];
        Some(Declared { name, text, told: &block[..at] })
    });
    declared.collect()
}

/// A script behind the text of what it names of the engine.
///
/// ```
/// let script = vein_script::engine::with("equal(a, b);");
/// assert!(script.contains("function alike") && script.ends_with("equal(a, b);"));
/// ```
pub fn with(script: &str) -> String {
    text_of(&named_in(script)) + script
}

/// What of the engine a script names.
pub fn named_in(script: &str) -> BTreeSet<&'static str> {
    let named = variables(script).into_iter();
    let own = named.filter_map(|name| KNOWN.by_name.get(name));
    own.map(|at| KNOWN.all[*at].name).collect()
}

fn is_of_name(c: char) -> bool {
    c.is_ascii_alphanumeric() || c == '_' || c == '$'
}

/// The text of what is used of the engine, with what that uses itself, in the order of the modules.
///
/// ```
/// use std::collections::BTreeSet;
/// let text = vein_script::engine::text_of(&BTreeSet::from(["equal"]));
/// assert!(text.contains("const equal") && text.contains("function alike"));
/// assert!(!text.contains("sorted"));
/// ```
pub fn text_of(used: &BTreeSet<&'static str>) -> String {
    needed(used).iter().map(|known| format!("{}\n", known.text)).collect()
}

/// The same as a module that exports all of it, with what is said of each, for people.
pub fn module_of(used: &BTreeSet<&'static str>) -> String {
    let needed = needed(used);
    let texts = needed.iter().map(|known| format!("{}export {}\n\n", known.told, known.text));
    texts.collect()
}

/// What is used of the engine, with what that uses itself.
pub fn needed(used: &BTreeSet<&'static str>) -> Vec<&'static Declared> {
    let Known { all, by_name, names } = &*KNOWN;
    let mut needed = BTreeSet::new();
    let mut open: Vec<usize> = used.iter().filter_map(|name| by_name.get(name).copied()).collect();
    while let Some(at) = open.pop() {
        if needed.insert(at) {
            open.extend(&names[at]);
        }
    }
    needed.into_iter().map(|at| &all[at]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_declaration_is_found_by_its_name() {
        let declared = declared();
        let exported: usize =
            MODULES.iter().map(|(_, text)| text.matches("\nexport ").count()).sum();
        assert_eq!(declared.len(), exported);
        let names: BTreeSet<&str> = declared.iter().map(|known| known.name).collect();
        assert_eq!(names.len(), declared.len(), "two of one name");
        assert!(names.contains("cut") && names.contains("reduced"));
    }

    /// So that whatever is named as the engine's is the engine's.
    #[test]
    fn nothing_inside_is_called_as_something_of_the_engine() {
        let all = declared();
        let names: BTreeSet<&str> = all.iter().map(|known| known.name).collect();
        for known in all {
            let own = crate::short::declared(&crate::tokens::tokens(known.text));
            let shadows = own.iter().filter(|name| **name != known.name && names.contains(*name));
            assert_eq!(shadows.collect::<Vec<_>>(), Vec::<&&str>::new(), "in `{}`", known.name);
        }
    }

    #[test]
    fn elements_take_the_same_names_as_in_memory() {
        let declared = declared();
        let known = declared.iter().find(|known| known.name == "RENAMED").expect("it is there");
        assert!(known.text.contains(&format!("'{}'", vein_plan::shown::RENAMED.join(" "))));
    }
}
