//! `holds log = []`: a first value that does not tell the type.

use super::Finding;

pub(crate) struct NeedsType {
    pub(crate) name: String,
    pub(crate) list: bool,
}

impl Finding for NeedsType {
    const CODE: &'static str = "needs-type";
    const ABOUT: &'static str = "A first value, such as `[]` or `null`, that does not tell the type";

    fn message(&self) -> String {
        format!("the type of `{}` cannot be told from its first value", self.name)
    }

    fn advice(&self) -> Vec<String> {
        let ty = if self.list { "string[]" } else { "string?" };
        vec![format!("write it down: `{}: {ty}`", self.name)]
    }
}

#[cfg(test)]
super::examples! { NeedsType:
    "holds a = []\n<p>{a.length}</p>" => "a",
    "holds a = null\n<p>{a}</p>" => "a",
}
