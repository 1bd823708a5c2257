//! A second `<style>`, or one inside an element.

use super::Finding;

pub(crate) struct MisplacedStyle;

impl Finding for MisplacedStyle {
    const CODE: &'static str = "misplaced-style";
    const ABOUT: &'static str = "A `<style>` inside an element, or a second one";

    fn message(&self) -> String {
        "a component has one `<style>`, after its markup".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["move these rules to a `<style>` at the end of the file".into()]
    }
}

#[cfg(test)]
super::examples! { MisplacedStyle: "<div><style>p { color: red }</style></div>" => "<style>" }
