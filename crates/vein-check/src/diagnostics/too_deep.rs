//! Nesting beyond any use.

use super::Finding;

/// How many alternatives may stand in place of one another.
pub(crate) const MOST_ALTERNATIVES: usize = 200;

pub(crate) struct TooDeep;

impl Finding for TooDeep {
    const CODE: &'static str = "too-deep";
    const ABOUT: &'static str = "Elements, expressions or blocks nested beyond the limit";

    fn message(&self) -> String {
        format!(
            "nested too deeply: elements go {} deep, expressions and blocks {}, and there are at most \
             {MOST_ALTERNATIVES} alternatives",
            vein_syntax::DEEPEST_MARKUP,
            vein_syntax::DEEPEST_CODE
        )
    }

    fn label(&self) -> String {
        "the rest is not read".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["split it: into components, derived values or handlers".into()]
    }
}
