//! `click="<- open = !open"`, `{count++}`: an assignment where a value is shown.

use super::Finding;
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct AssignedInValue {
    /// The arrow before it, where there is one.
    pub(crate) arrow: Option<Span>,
}

impl Finding for AssignedInValue {
    const CODE: &'static str = "assigned-in-value";
    const ABOUT: &'static str = "An assignment where a value is shown";

    fn message(&self) -> String {
        match self.arrow {
            Some(_) => "`<-` shows a value: it assigns nothing".into(),
            None => "a value is shown here, and nothing assigned".into(),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.arrow {
            Some(_) => "what happens on an event has the other arrow: `click=\"-> open = !open\"`; to compare, \
                        write `===`"
                .into(),
            None => "assign in a handler, or on an event: `click=\"-> count++\"`; to compare, write `===`".into(),
        }]
    }

    fn fix(&self, _: Span) -> Option<Fix> {
        super::replace(self.arrow?, "->")
    }
}

#[cfg(test)]
super::examples! { AssignedInValue:
    "holds a = true\n<p click='<- a = !a'>{a}</p>" => "=",
    "holds a = 1\n<p title='<- a++'></p>" => "++",
    "holds a = 1\n<p>{a = 2}</p>" => "=",
}
