//! `click="<- pour()"`, `title="-> name"`: an arrow the wrong way round.

use super::{Finding, surely};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct WrongArrow {
    pub(crate) name: String,
    /// Whether the name is that of an event.
    pub(crate) event: bool,
}

impl Finding for WrongArrow {
    const CODE: &'static str = "wrong-arrow";
    const ABOUT: &'static str = "An arrow that points the wrong way for what it is on";

    fn message(&self) -> String {
        match self.event {
            true => format!("`{}` is an event: it leads from the element to state", self.name),
            false => format!("`{}` is no event: it leads from state to the element", self.name),
        }
    }

    fn label(&self) -> String {
        format!("expected `{}`", if self.event { "->" } else { "<-" })
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        let arrow = if self.event { "->" } else { "<-" };
        if at.start == at.end { surely(at, format!("{arrow} ")) } else { surely(at, arrow) }
    }
}

#[cfg(test)]
super::examples! { WrongArrow:
    "holds a = 1\ndoes b() { a = 2 }\n<p click='<- b()'>{a}</p>" => "<-",
    "takes a: string\n<p title='-> a'>{a}</p>" => "->",
    "takes a: string\n<p click='{a}'>{a}</p>" => "",
    "holds a = 1\ndoes b() { a = 2 }\n<p click='b()' input='-> b'>{a}</p>" => "",
}
