//! `click="->(twice) …"`: an option that an arrow does not have.

use super::{Finding, did_you_mean, surely};
use crate::report::Fix;
use vein_plan::nearest;
use vein_syntax::Span;

const OPTIONS: &[&str] = &["prevent", "stop", "once", "self", "key", "quiet", "change"];

pub(crate) struct ArrowOption {
    pub(crate) name: String,
    /// What the option takes, when it exists but was given wrongly.
    pub(crate) takes: Option<&'static str>,
}

impl Finding for ArrowOption {
    const CODE: &'static str = "arrow-option";
    const ABOUT: &'static str = "An option in an arrow's parentheses that does not exist, lacks what it takes, or does not belong to this arrow";

    fn message(&self) -> String {
        match self.takes {
            Some(_) => format!("the option `{}` is not complete", self.name),
            None if self.name == "settle" => "`settle` is called `quiet`".into(),
            None => format!("an arrow has no option `{}`", self.name),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.takes {
            Some(takes) => format!("it takes {takes}"),
            None => "events have `prevent`, `stop`, `once`, `self`, `key Enter` and `quiet 300`; \
                     two-way bindings have `change` and `quiet 300`"
                .into(),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        if self.name == "settle" {
            return surely(at, "quiet");
        }
        let near = nearest(&self.name, OPTIONS.iter().copied()).map(str::to_owned);
        if self.takes.is_some() { None } else { did_you_mean(&near, at) }
    }
}

#[cfg(test)]
super::examples! { ArrowOption:
    "does a() { give b() }\ngives b()\n<p click='->(prevnt) a()'></p>" => "prevnt",
    "does a() { give b() }\ngives b()\n<p keydown='->(key) a()'></p>" => "key",
    "does a() { give b() }\ngives b()\n<p click='->(change) a()'></p>" => "change",
    "does a() { give b() }\ngives b()\n<p click='->(settle 300) a()'></p>" => "settle",
}
