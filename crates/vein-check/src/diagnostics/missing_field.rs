//! `{ id: 1 }` where a record with more fields is wanted.

use super::{Finding, listed};

pub(crate) struct MissingField {
    pub(crate) ty: String,
    pub(crate) missing: Vec<String>,
}

impl Finding for MissingField {
    const CODE: &'static str = "missing-field";
    const ABOUT: &'static str = "A record without all the fields that its type has";

    fn message(&self) -> String {
        format!("a `{}` also needs {}", self.ty, listed(&self.missing))
    }

    fn label(&self) -> String {
        format!("{} missing", if self.missing.len() == 1 { "a field is" } else { "fields are" })
    }

    fn advice(&self) -> Vec<String> {
        vec!["give every field, or spread another record in: `{ ...bed, moisture: 40 }`; a field \
              of type `T?` may be left out"
            .into()]
    }
}

#[cfg(test)]
super::examples! { MissingField:
    "shape A { b: number, c: string, d: string? }\nholds a: A = { b: 1 }\n<p>{a.b}</p>" => "{ b: 1 }",
}
