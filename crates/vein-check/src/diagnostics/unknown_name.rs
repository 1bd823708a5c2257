//! A name that nothing declares.

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownName {
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    /// Whether it was called.
    pub(crate) called: bool,
}

impl Finding for UnknownName {
    const CODE: &'static str = "unknown-name";
    const ABOUT: &'static str = "A name that nothing declares";

    fn message(&self) -> String {
        format!("nothing here is called `{}`", self.name)
    }

    fn advice(&self) -> Vec<String> {
        let name = &self.name;
        vec![match (&self.nearest, self.called) {
            (Some(_), _) => return Vec::new(),
            (None, true) => format!("declare a handler: `does {name}() {{ … }}`"),
            (None, false) => format!(
                "declare it: `takes {name}: …` from the parent, `holds {name} = …` as state, or \
                 `derives {name} = …`"
            ),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&self.nearest, at)
    }
}

#[cfg(test)]
super::examples! { UnknownName:
    "holds litres = 1\n<p>{liters} {litres}</p>" => "liters",
    "<p click='-> pour()'>a</p>" => "pour",
    "<p click='-> pour'>a</p>" => "pour",
    "<p click='-> a = 1'>a</p>" => "a",
}
