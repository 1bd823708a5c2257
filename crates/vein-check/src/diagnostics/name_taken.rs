//! Two declarations of one name.

use super::Finding;
use vein_syntax::Span;

pub(crate) struct NameTaken {
    pub(crate) name: String,
    /// Where it was declared first, when that is in the same file.
    pub(crate) first: Option<Span>,
    /// Where it was declared first otherwise.
    pub(crate) elsewhere: Option<String>,
}

impl Finding for NameTaken {
    const CODE: &'static str = "name-taken";
    const ABOUT: &'static str = "A second declaration of a name";

    fn message(&self) -> String {
        format!("`{}` is already declared", self.name)
    }

    fn related(&self) -> Vec<(Span, String)> {
        self.first.map(|span| (span, "first declared here".to_owned())).into_iter().collect()
    }

    fn advice(&self) -> Vec<String> {
        let place = self.elsewhere.iter().map(|path| format!("it is declared in {path}"));
        place.chain(["give one of them another name".into()]).collect()
    }
}

#[cfg(test)]
super::examples! { NameTaken:
    "takes a: number\nholds a = 1\n<p>{a}</p>" => "a",
    "shape A { b: number }\nshape A { c: number }\ntakes a: A\n<p>{a.b}</p>" => "A",
    "takes a: { b: number, b: string }\n<p>{a.b}</p>" => "b",
    "<p click='-> const a = 1; const a = 2'></p>" => "a",
}
