//! `'\u{110000}'`: an escape that stands for no character.

use super::Finding;

pub(crate) struct BadEscape;

impl Finding for BadEscape {
    const CODE: &'static str = "bad-escape";
    const ABOUT: &'static str = "An escape in a string that stands for no character";

    fn message(&self) -> String {
        "this escape stands for no character".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["write `\\n`, `\\t`, `\\xHH`, `\\uHHHH` or `\\u{…}`; a backslash itself is `\\\\`".into()]
    }
}

#[cfg(test)]
super::examples! { BadEscape: "<p>{'\\u{110000}'}</p>" => "\\u", "<p>{'\\xg'}</p>" => "\\x" }
