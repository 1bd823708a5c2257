//! `uses tnak`

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownStore {
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    /// Whether a component is called so.
    pub(crate) component: bool,
    /// The store that the file of this name declares.
    pub(crate) file_of: Option<String>,
}

impl Finding for UnknownStore {
    const CODE: &'static str = "unknown-store";
    const ABOUT: &'static str = "`uses` of a store that no file declares";

    fn message(&self) -> String {
        format!("there is no store `{}`", self.name)
    }

    fn advice(&self) -> Vec<String> {
        let name = &self.name;
        if let Some(store) = &self.file_of {
            return vec![format!("`{name}.vein` is the file; the store in it is called `{store}`")];
        }
        match (&self.nearest, self.component) {
            (Some(_), _) => Vec::new(),
            (None, true) => vec![format!("`{name}` is a component: show it as `<{name}>`")],
            (None, false) => vec![format!(
                "declare it: a file such as `shared-{name}.vein` that begins with `store {name}`"
            )],
        }
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        match &self.file_of {
            Some(store) => super::surely(at, store.clone()),
            None => did_you_mean(&self.nearest, at),
        }
    }
}

#[cfg(test)]
super::examples! { UnknownStore:
    "uses watre\n<p>{watre.litres}</p>" => "watre",
    "uses water-tank\n<p>{water.litres}</p>" => "water-tank",
    "uses greenhouse\n<p>{greenhouse.a}</p>" => "greenhouse",
}
