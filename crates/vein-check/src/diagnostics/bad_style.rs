//! A style sheet that a CSS parser does not understand.

use super::Finding;

pub(crate) struct BadStyle {
    pub(crate) problem: String,
}

impl Finding for BadStyle {
    const CODE: &'static str = "bad-style";
    const ABOUT: &'static str = "A mistake in a style sheet or a `style`";

    fn message(&self) -> String {
        format!("the style cannot be read here: {}", self.problem)
    }

    fn advice(&self) -> Vec<String> {
        vec!["a browser would skip this: write it as the CSS standard has it".into()]
    }
}

#[cfg(test)]
super::examples! { BadStyle:
    "<p>a</p>\n<style>p: { color: blue }</style>" => ": { color: blue }",
    "<p>a</p>\n<style>p > { color: red }</style>" => ">",
    "<p>a</p>\n<style>+ p { color: red }</style>" => "+",
    "<p>a</p>\n<style>p { > b { color: red } b > + i { color: blue } }</style>" => "+",
    "<p>a</p>\n<style>\np { color: red; \n}\n.b % { color: blue }\n</style>" => "% { color: blue }" }
