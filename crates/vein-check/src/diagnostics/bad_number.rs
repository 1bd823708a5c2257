//! `12px`: digits that are not a number.

use super::Finding;

pub(crate) struct BadNumber;

impl Finding for BadNumber {
    const CODE: &'static str = "bad-number";
    const ABOUT: &'static str = "Digits that are not a number";

    fn message(&self) -> String {
        "this is not a number".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["write `12`, `1.5`, `1e3`, `0x1f` or `1_000`; text goes in quotes: `'12px'`".into()]
    }
}

#[cfg(test)]
super::examples! { BadNumber: "<p>{12px}</p>" => "12px", "<p>{0b12}</p>" => "0b12" }
