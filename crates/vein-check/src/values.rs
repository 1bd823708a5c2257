//! What the values of CSS properties may be made of, and which names media queries, rules and selectors may
//! have: by W3C's grammars, in `data/values.txt`. A value is looked at word by word, outside functions; what
//! follows in which order is left to browsers.

use std::collections::HashMap;
use std::sync::OnceLock;

/// A token of a value, outside functions.
pub(crate) enum Part<'a> {
    Word(&'a str),
    /// A number that is not zero, as it is written.
    Number(&'a str),
    /// A number with a unit, as it is written, and the unit.
    Dimension(&'a str, &'a str),
    /// What stands after `#`.
    Hash(&'a str),
}

struct Known {
    numbers: bool,
    lengths: bool,
    colours: bool,
    /// Any word may stand in it.
    any: bool,
    words: Vec<&'static str>,
}

/// Values that every property takes.
const WIDE: [&str; 6] = ["inherit", "initial", "unset", "revert", "revert-layer", "revert-rule"];

const UNITS: &str = "px em rem ex rex cap rcap ch rch ic ric lh rlh vw svw lvw dvw vh svh lvh dvh vi svi lvi dvi vb svb \
    lvb dvb vmin svmin lvmin dvmin vmax svmax lvmax dvmax cqw cqh cqi cqb cqmin cqmax cm mm q in pt pc deg grad \
    rad turn s ms hz khz dpi dpcm dppx x fr db st";

fn table() -> &'static HashMap<&'static str, Known> {
    static TABLE: OnceLock<HashMap<&'static str, Known>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let lines = include_str!("../data/values.txt").lines();
        let mut table = HashMap::new();
        for line in lines.filter(|line| !line.starts_with('#')) {
            let mut words = line.split(' ');
            let (Some(name), Some(flags)) = (words.next(), words.next()) else { continue };
            let flag = |flag| flags.contains(flag);
            let known = Known {
                numbers: flag('n'),
                lengths: flag('l'),
                colours: flag('c'),
                any: flag('i'),
                words: words.collect(),
            };
            table.insert(name, known);
        }
        table
    })
}

/// The names that a list of the table has: `@media`, `@rules` or `@pseudo`.
pub(crate) fn names(list: &str) -> &'static [&'static str] {
    table().get(list).map_or(&[], |known| &known.words)
}

fn near(word: &str, of: impl Iterator<Item = &'static str>) -> String {
    let near = vein_plan::nearest(word, of);
    near.map(|near| format!(": did you mean `{near}`?")).unwrap_or_default()
}

fn is_colour(word: &str) -> bool {
    names("@colours").contains(&word) || cssparser::color::parse_named_color(word).is_ok()
}

/// What is wrong with a part of a property's value; nothing where it may stand there, or where no table tells.
pub(crate) fn problem(property: &str, part: &Part<'_>) -> Option<String> {
    let known = table().get(property)?;
    match part {
        Part::Word(word) => {
            let word = word.to_ascii_lowercase();
            let fits = known.any
                || word.starts_with('-')
                || known.words.contains(&word.as_str())
                || WIDE.contains(&word.as_str())
                || known.colours && is_colour(&word);
            if fits {
                return None;
            }
            let colours =
                known.colours.then(|| names("@colours").iter().chain(COLOURS)).into_iter();
            let all = known.words.iter().chain(colours.flatten()).chain(&WIDE).copied();
            Some(format!("`{property}` takes no `{word}`{}", near(&word, all)))
        }
        Part::Number(number) if !known.numbers => Some(match known.lengths {
            true => format!(
                "`{property}` takes no number without a unit: did you mean `{number}{}`?",
                unit_of(property)
            ),
            false => format!("`{property}` takes no number"),
        }),
        Part::Dimension(written, unit) => {
            let unit = unit.to_ascii_lowercase();
            let units = || UNITS.split_ascii_whitespace();
            if !units().any(|known| known == unit) {
                return Some(format!("CSS has no unit `{unit}`{}", near(&unit, units())));
            }
            (!known.lengths).then(|| format!("`{property}` takes no `{written}`"))
        }
        Part::Hash(digits) if known.colours && !is_hexadecimal(digits) => {
            Some(format!("`#{digits}` is no colour: it has 3, 4, 6 or 8 hexadecimal digits"))
        }
        _ => None,
    }
}

/// Colours that near misses are looked for among.
const COLOURS: &[&str] = &[
    "aqua",
    "beige",
    "black",
    "blue",
    "brown",
    "coral",
    "crimson",
    "cyan",
    "darkblue",
    "darkgray",
    "darkgreen",
    "darkred",
    "fuchsia",
    "gold",
    "gray",
    "green",
    "grey",
    "indigo",
    "ivory",
    "khaki",
    "lightblue",
    "lightgray",
    "lightgreen",
    "lime",
    "magenta",
    "maroon",
    "navy",
    "olive",
    "orange",
    "orchid",
    "pink",
    "purple",
    "red",
    "salmon",
    "silver",
    "teal",
    "tomato",
    "turquoise",
    "violet",
    "white",
    "yellow",
];

/// The unit that is likely meant.
fn unit_of(property: &str) -> &'static str {
    let time =
        property.contains("duration") || property.contains("delay") || property == "transition";
    if time { "s" } else { "px" }
}

fn is_hexadecimal(digits: &str) -> bool {
    matches!(digits.len(), 3 | 4 | 6 | 8) && digits.bytes().all(|b| b.is_ascii_hexdigit())
}

/// What is wrong with a name of an at-rule, a media feature or a pseudo-class, if it is in none of the lists.
pub(crate) fn unknown(list: &str, name: &str) -> Option<String> {
    let known = names(list);
    let plain = name.strip_prefix("min-").or(name.strip_prefix("max-")).unwrap_or(name);
    let plain = if list == "@media" { plain } else { name };
    if known.contains(&plain) || name.starts_with('-') {
        return None;
    }
    let near = vein_plan::nearest(plain, known.iter().copied());
    let before = &name[..name.len() - plain.len()];
    let sign = match list {
        "@rules" => "@",
        "@pseudo" => ":",
        _ => "",
    };
    Some(near.map(|near| format!(": did you mean `{sign}{before}{near}`?")).unwrap_or_default())
}
