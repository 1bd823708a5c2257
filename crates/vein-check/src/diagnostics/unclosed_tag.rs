//! `<p` without `>`.

use super::Finding;

pub(crate) struct UnclosedTag;

impl Finding for UnclosedTag {
    const CODE: &'static str = "unclosed-tag";
    const ABOUT: &'static str = "A tag without its `>`";

    fn message(&self) -> String {
        "this tag has no `>`".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["add `>` where the tag ends".into()]
    }
}

#[cfg(test)]
super::examples! { UnclosedTag: "<p>a</p" => "</p", "<br class='a'\n" => "<br" }
