//! A declaration after markup.

use super::Finding;

pub(crate) struct MisplacedDeclaration;

impl Finding for MisplacedDeclaration {
    const CODE: &'static str = "misplaced-declaration";
    const ABOUT: &'static str = "A declaration after markup";

    fn message(&self) -> String {
        "declarations come first, before any markup".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["move this, and what is declared after it, above the first element".into()]
    }
}

#[cfg(test)]
super::examples! { MisplacedDeclaration:
    "<p>{a}</p>\nholds a = 1\nderives b = a\n<p>{b}</p>" => "holds",
    "<p>{a(1)}</p>\nderives a(b: number) = b\n" => "derives",
}
