//! Nesting beyond any use.

use super::Finding;

/// How many alternatives may stand in place of one another.
pub(crate) const MOST_ALTERNATIVES: usize = 200;

/// How many lists and records may stand around each other in the type of a name.
pub(crate) const DEEPEST_TYPE: usize = 100;

/// Of how many names, lists, records and fields the type that a name stands for may be made.
pub(crate) const MOST_TYPE_PARTS: usize = 1000;

pub(crate) struct TooDeep;

impl Finding for TooDeep {
    const CODE: &'static str = "too-deep";
    const ABOUT: &'static str = "Elements, expressions, blocks or types nested beyond the limit";

    fn message(&self) -> String {
        format!(
            "nested too deeply: elements go {} deep, expressions and blocks {}, types {DEEPEST_TYPE} with \
             {MOST_TYPE_PARTS} parts, functions {} with those that they call, and there are at most {MOST_ALTERNATIVES} alternatives",
            vein_syntax::DEEPEST_MARKUP,
            vein_syntax::DEEPEST_CODE,
            vein_plan::calls::DEEPEST_CALLS
        )
    }

    fn label(&self) -> String {
        "the rest is not read".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["split it: into components, derived values or handlers".into()]
    }
}
