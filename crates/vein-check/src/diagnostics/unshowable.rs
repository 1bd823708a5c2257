//! `{bed}`: a record or list where text is wanted.

use super::{Finding, listed};

pub(crate) struct Unshowable {
    pub(crate) ty: String,
    pub(crate) list: bool,
    /// The fields of the record.
    pub(crate) fields: Vec<String>,
    /// Whether it was to be classes.
    pub(crate) classes: bool,
}

impl Finding for Unshowable {
    const CODE: &'static str = "unshowable";
    const ABOUT: &'static str = "A record or list where text is wanted";

    fn message(&self) -> String {
        format!("a `{}` cannot be shown as text", self.ty)
    }

    fn advice(&self) -> Vec<String> {
        if self.classes {
            let name = self.fields.first().map_or("dry", String::as_str);
            return vec![format!("classes are text, or a list of it: `['bed', {name} && '{name}']`")];
        }
        vec![match self.list {
            true => "join it: `.join(', ')`, or show one of its items".into(),
            false => format!("show one of its fields: {}", listed(&self.fields)),
        }]
    }
}

#[cfg(test)]
super::examples! { Unshowable:
    "takes a: { b: number }\n<p>{a}</p>" => "a",
    "takes a: number[]\n<p title='<- a'></p>" => "a",
    "takes a: number[]\n<p title='x{a}'></p>" => "a",
    "holds a = true\n<p class='<- { b: a }'></p>" => "{ b: a }",
}
