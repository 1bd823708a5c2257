//! `bed.moistre`: a field or member that the type does not have.

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownField {
    pub(crate) name: String,
    pub(crate) ty: String,
    pub(crate) nearest: Option<String>,
    /// What the type has, when that is short enough to be listed.
    pub(crate) known: Vec<String>,
}

impl Finding for UnknownField {
    const CODE: &'static str = "unknown-field";
    const ABOUT: &'static str = "A field or member that the type does not have";

    fn message(&self) -> String {
        format!("`{}` has no `{}`", self.ty, self.name)
    }

    fn advice(&self) -> Vec<String> {
        if (self.ty.as_str(), self.name.as_str()) == ("JSON", "parse") {
            return vec!["the host gives values, not text: declare their type, `awaits beds(): Bed[]`".into()];
        }
        match &self.nearest {
            Some(_) => Vec::new(),
            None if self.known.is_empty() => Vec::new(),
            None => vec![format!("it has {}", super::listed(&self.known))],
        }
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&self.nearest, at)
    }
}

#[cfg(test)]
super::examples! { UnknownField:
    "shape A { crop: string }\ntakes a: A\n<p>{a.crpo}</p>" => "crpo",
    "takes a: number[]\n<p>{a.size}</p>" => "size",
    "takes a: string\n<p>{a.toUppercase()}</p>" => "toUppercase",
    "<p>{Math.rond(1)}</p>" => "rond",
    "holds a = 1\n<p click='-> a = event.clientZ'>{a}</p>" => "clientZ",
    "shape A { crop: string }\nholds a: A = { crop: 'x', corp: 'y' }\n<p>{a.crop}</p>" => "corp",
    "takes a: number{}\n<p>{Object.key(a).length}</p>" => "key",
}
