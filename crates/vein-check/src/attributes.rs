//! Which attributes the standards know, and what they may be.

use std::collections::HashMap;
use std::sync::OnceLock;
use vein_plan::Namespace;

/// An attribute as a standard has it.
#[derive(Clone, Debug)]
pub(crate) struct Known {
    pub(crate) name: &'static str,
    /// All that it may be; nothing where that cannot be listed.
    pub(crate) values: Vec<&'static str>,
}

/// The standards' tables: by namespace, and by element in that, `*` for all of them.
type Tables = HashMap<&'static str, HashMap<&'static str, Vec<Known>>>;

/// Values that several attributes share.
const SHARED: [(&str, &str); 2] = [
    (
        "@referrer",
        "|no-referrer|no-referrer-when-downgrade|same-origin|origin|strict-origin|\
         origin-when-cross-origin|strict-origin-when-cross-origin|unsafe-url",
    ),
    ("@enctype", "application/x-www-form-urlencoded|multipart/form-data|text/plain"),
];

/// Attributes that hold by being there (HTML, "boolean attributes").
const BOOLEAN: &[&str] = &[
    "allowfullscreen",
    "async",
    "autofocus",
    "autoplay",
    "checked",
    "controls",
    "default",
    "defer",
    "disabled",
    "formnovalidate",
    "hidden",
    "inert",
    "ismap",
    "itemscope",
    "loop",
    "multiple",
    "muted",
    "nomodule",
    "novalidate",
    "open",
    "playsinline",
    "readonly",
    "required",
    "reversed",
    "selected",
];

/// Properties that are bound like attributes, by their elements.
const BOUND: &[(&str, &str)] =
    &[("select", "value"), ("textarea", "value"), ("input", "picked"), ("details", "open")];

fn tables() -> &'static Tables {
    static TABLES: OnceLock<Tables> = OnceLock::new();
    TABLES.get_or_init(|| {
        let mut tables = Tables::new();
        let lines = include_str!("../data/attributes.txt").lines();
        for line in lines.filter(|line| !line.is_empty() && !line.starts_with('#')) {
            let (of, attributes) = line.split_once(": ").unwrap_or((line, ""));
            let mut of = of.split(' ').peekable();
            let of_html = ["html", "svg", "math", "aria", "role"];
            let space = of.next_if(|first| of_html.contains(first)).unwrap_or("html");
            for element in of {
                let all = attributes.split(' ').map(known);
                tables.entry(space).or_default().entry(element).or_default().extend(all);
            }
        }
        tables
    })
}

fn known(written: &'static str) -> Known {
    let (name, values) = written.split_once('=').unwrap_or((written, ""));
    let shared = SHARED.iter().find(|(known, _)| *known == values).map(|(_, values)| *values);
    let values = match shared.unwrap_or(values) {
        "" => Vec::new(),
        values => values.split('|').collect(),
    };
    Known { name, values }
}

fn table(space: &str, element: &str) -> impl Iterator<Item = &'static Known> + Clone + use<> {
    tables().get(space).and_then(|all| all.get(element)).into_iter().flatten()
}

/// What an element may have, apart from `data-*`. An element whose name is only known while running may
/// have what any can.
pub(crate) fn of(
    namespace: Namespace,
    element: &str,
) -> impl Iterator<Item = &'static Known> + Clone + use<> {
    let space = match namespace {
        Namespace::Html => "html",
        Namespace::Svg => "svg",
        Namespace::MathMl => "math",
    };
    let any = if (space, element) == ("html", "any") { tables().get("html") } else { None };
    let all = any.into_iter().flat_map(HashMap::values).flatten();
    all.chain(table(space, element)).chain(table(space, "*")).chain(table("aria", "*"))
}

/// Whether a name is that of an attribute on some element, or of a property that is bound like one.
pub(crate) fn is_known(namespace: Namespace, element: &str, name: &str) -> bool {
    name.strip_prefix("data-").is_some_and(|rest| !rest.is_empty())
        || BOUND.contains(&(element, name))
        || of(namespace, element).any(|known| known.name == name)
}

/// The elements of HTML that have an attribute, those that have it for sure.
pub(crate) fn elements_with(name: &str) -> Vec<&'static str> {
    let html = tables()["html"].iter().filter(|(of, _)| **of != "*");
    let mut found: Vec<&str> = html
        .filter(|(_, all)| all.iter().any(|known| known.name == name))
        .map(|(element, _)| *element)
        .collect();
    found.sort_unstable();
    found
}

/// All that an attribute may be; nothing where that cannot be listed.
pub(crate) fn values(namespace: Namespace, element: &str, name: &str) -> Vec<&'static str> {
    match name {
        "role" => table("role", "*").map(|known| known.name).collect(),
        _ => of(namespace, element)
            .find(|known| known.name == name)
            .map_or(Vec::new(), |known| known.values.clone()),
    }
}

/// Whether an attribute holds by being there, whatever it says.
pub(crate) fn is_boolean(name: &str) -> bool {
    BOOLEAN.contains(&name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_tables_are_whole() {
        assert!(is_known(Namespace::Html, "input", "placeholder"));
        assert!(
            is_known(Namespace::Html, "p", "data-x") && !is_known(Namespace::Html, "p", "data-")
        );
        assert!(
            is_known(Namespace::Html, "p", "aria-live") && !is_known(Namespace::Html, "p", "href")
        );
        assert!(
            is_known(Namespace::Svg, "circle", "r") && is_known(Namespace::MathMl, "mi", "dir")
        );
        assert!(is_known(Namespace::Html, "any", "href"));
        assert_eq!(elements_with("colspan"), ["td", "th"]);
        assert!(values(Namespace::Html, "p", "role").contains(&"button"));
        assert!(values(Namespace::Html, "img", "referrerpolicy").contains(&"origin"));
        let known = vein_syntax::elements::HTML_ELEMENTS;
        for element in tables()["html"].keys() {
            assert!(*element == "*" || known.contains(element), "{element}");
        }
        for name in BOOLEAN {
            assert!(is_known(Namespace::Html, "any", name), "{name}");
        }
    }
}
