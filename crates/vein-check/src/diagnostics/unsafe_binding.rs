//! `onclick="…"`, `srcdoc` and `<script>`: ways to run text as code.

use super::{Finding, replace};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnsafeBinding {
    /// `script`, `srcdoc`, `attributeName` for an animation, or an attribute that begins with `on`.
    pub(crate) name: String,
    /// Whether an arrow was written, so that only the name is wrong.
    pub(crate) arrow: bool,
}

impl Finding for UnsafeBinding {
    const CODE: &'static str = "unsafe-binding";
    const ABOUT: &'static str = "Markup that would run text as code: `on…` attributes, `srcdoc`, `<script>`";

    fn message(&self) -> String {
        match self.name.as_str() {
            "script" => "a component cannot hold a `<script>`".into(),
            "attributeName" => "an animation of an address may not be bound".into(),
            name => format!("`{name}` would run text as code"),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.name.as_str() {
            "script" => "write handlers with `does`".into(),
            "srcdoc" => "show the content with elements and interpolation".into(),
            "attributeName" => "bind the address itself (`href=\"<- …\"`), and write in `attributeName` what \
                                else is animated"
                .into(),
            name => match name.get(2..).map(str::to_ascii_lowercase) {
                Some(event) if crate::events::is_known(&event) => {
                    format!("bind the event with an arrow: `{event}=\"-> …\"`")
                }
                _ => "leave it out: nothing in a component runs but its own statements".into(),
            },
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        let event = self.name.strip_prefix("on").filter(|event| crate::events::is_known(event))?;
        if self.arrow { replace(at, event) } else { None }
    }
}

#[cfg(test)]
super::examples! { UnsafeBinding:
    "<p onclick='alert(1)'>a</p>" => "onclick",
    "holds a = 1\n<p onclick='-> a = 2'>{a}</p>" => "onclick",
    "takes a: string\n<iframe srcdoc='<- a'></iframe>" => "srcdoc",
    "<div><script>a()</script></div>" => "script",
    "<p onresize='a()'>a</p>" => "onresize",
    "<p ONCLICK='a()'>a</p>" => "ONCLICK",
    "<svg><animate onbegin='a()'></animate></svg>" => "onbegin",
    "takes a: string\n<svg><a><set attributeName='href' to='<- a'></set></a></svg>" => "to",
    "takes a: string\n<svg><a><animate attributeName='xlink:href' values='b;{a}'></animate></a></svg>" => "values",
    "takes a: string\n<svg><a><set attributeName='<- a' to='b'></set></a></svg>" => "attributeName",
}
