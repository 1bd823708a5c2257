//! `{` in markup without its `}`.

use super::Finding;

pub(crate) struct UnclosedInterpolation;

impl Finding for UnclosedInterpolation {
    const CODE: &'static str = "unclosed-interpolation";
    const ABOUT: &'static str = "A `{` in markup without its `}`";

    fn message(&self) -> String {
        "this `{` is never closed".into()
    }

    fn label(&self) -> String {
        "opened here".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["add `}` after the value; to show a brace as text, write `&#123;`".into()]
    }
}

#[cfg(test)]
super::examples! { UnclosedInterpolation: "<p>{a</p>" => "{", "<p title='a {b'></p>" => "{" }
