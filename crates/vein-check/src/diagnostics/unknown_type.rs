//! A type that does not exist.

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownType {
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
}

impl Finding for UnknownType {
    const CODE: &'static str = "unknown-type";
    const ABOUT: &'static str = "A type that does not exist, or a union of anything but strings";

    fn message(&self) -> String {
        format!("there is no type `{}`", self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![match &self.nearest {
            Some(_) => return Vec::new(),
            None => "types are `string`, `number`, `boolean`, `T[]`, `T?`, `{ a: T }`, shapes, and \
                     unions of strings such as `'dry' | 'moist'`"
                .into(),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&self.nearest, at)
    }
}

#[cfg(test)]
super::examples! { UnknownType:
    "shape Bed { a: number }\ntakes a: Bde\n<p>{a.b}</p>" => "Bde",
    "takes a: int\n<p>{a}</p>" => "int",
    "takes a: string | number\n<p>{a}</p>" => "string | number",
}
