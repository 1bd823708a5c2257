//! `bed.note.length` where `note` is `string?`.

use super::Finding;
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct MayBeNull {
    /// What may be `null`, as written.
    pub(crate) what: String,
    pub(crate) ty: String,
    /// Where a `?` can be put in, when a field is read.
    pub(crate) dot: Option<Span>,
}

impl Finding for MayBeNull {
    const CODE: &'static str = "may-be-null";
    const ABOUT: &'static str = "The use of a value that may be `null`";

    fn message(&self) -> String {
        format!("`{}` may be `null`", self.what)
    }

    fn label(&self) -> String {
        format!("has type `{}`", self.ty)
    }

    fn advice(&self) -> Vec<String> {
        let what = &self.what;
        vec![match self.dot {
            Some(_) => format!("guard it: `{what}?.…`, `{what} ? … : …` or `if ({what}) …`"),
            None => format!("say what stands for nothing: `({what} ?? …)`, or guard it with `if`"),
        }]
    }

    fn fix(&self, _at: Span) -> Option<Fix> {
        self.dot.and_then(|dot| super::replace(dot, "?."))
    }
}

#[cfg(test)]
super::examples! { MayBeNull:
    "takes a: { b: number }?\nholds c = 1\n<p click='-> const { b } = a; c = b'>{c}</p>" => "a",
    "takes a: string?\n<p>{a.length}</p>" => "a",
    "takes a: { b: number }[]\n<p>{a[0].b}</p>" => "a[0]",
    "takes a: number?\n<p>{a + 1}</p>" => "a",
    "takes a: number?\n<p>{a < 1}</p>" => "a",
    "takes a: number[]?\n<p>{a.map(x => x).length}</p>" => "a",
    "holds a: number{} = {}\n<p click='-> a[\"b\"] += 1'>{a[\"c\"]}</p>" => "a[\"b\"]",
    "takes a: { b: number }{}\n<p>{a['c'].b}</p>" => "a['c']",
    "holds a: number{}? = null\n<p click='-> a = {}'>{'b' in a}</p>" => "a",
    "holds a: number?{} = {}\n<p click='-> if (\"b\" in a) a[\"b\"]++'>{a[\"b\"]}</p>" => "a[\"b\"]",
}
