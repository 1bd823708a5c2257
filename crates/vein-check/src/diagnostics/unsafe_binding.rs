//! `onclick="…"`, `srcdoc` and `<script>`: ways to run text as code.

use super::{Finding, replace};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnsafeBinding {
    /// `script`, `srcdoc`, or an attribute that begins with `on`.
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
            name => format!("`{name}` would run text as code"),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.name.as_str() {
            "script" => "write handlers with `does`".into(),
            "srcdoc" => "show the content with elements and interpolation".into(),
            name => format!("bind the event with an arrow: `{}=\"-> …\"`", &name[2..]),
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
}
