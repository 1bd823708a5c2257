//! Parts of the language that are designed but not built yet.

use super::Finding;

pub(crate) struct NotSupported {
    pub(crate) what: String,
}

impl Finding for NotSupported {
    const CODE: &'static str = "not-supported";
    const ABOUT: &'static str = "A part of the language that this version does not have yet";

    fn message(&self) -> String {
        format!("this version does not have {} yet", self.what)
    }

    fn advice(&self) -> Vec<String> {
        vec!["`docs/language.md` lists what this version has".into()]
    }
}

#[cfg(test)]
super::examples! { NotSupported:
    "page '/beds'
<p>a</p>" => "page",
    "fits home, record
<p>a</p>" => "fits",
}
