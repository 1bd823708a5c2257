//! `does pour(litres) { … }`: a parameter, prop or field without a type.

use super::Finding;

pub(crate) struct MissingType {
    pub(crate) name: String,
}

impl Finding for MissingType {
    const CODE: &'static str = "missing-type";
    const ABOUT: &'static str = "A parameter, prop or field without a type";

    fn message(&self) -> String {
        format!("`{}` has no type", self.name)
    }

    fn advice(&self) -> Vec<String> {
        let name = &self.name;
        vec![format!(
            "say what it is: `{name}: number`, `{name}: string`, `{name}: boolean`, a list `{name}: string[]`, or a \
             shape of yours"
        )]
    }
}

#[cfg(test)]
super::examples! { MissingType:
    "takes a\n<p>b</p>" => "a",
    "does a(b) { }\n<p click='-> a(1)'></p>" => "b",
    "takes a = []\n<p>{a}</p>" => "a",
    "takes a: { b }\n<p>{a.b}</p>" => "b",
}
