//! Nesting beyond any use.

use super::Finding;

pub(crate) struct TooDeep;

impl Finding for TooDeep {
    const CODE: &'static str = "too-deep";
    const ABOUT: &'static str = "Elements, expressions or blocks nested beyond the limit";

    fn message(&self) -> String {
        format!(
            "nested too deeply: elements go {} deep, expressions and blocks {}",
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
