//! `{{ a }}` for `{ a }`.

use super::Finding;
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct DoubledBraces {
    pub(crate) inner: Span,
}

impl Finding for DoubledBraces {
    const CODE: &'static str = "doubled-braces";
    const ABOUT: &'static str = "`{{ }}` written for `{ }`";

    fn message(&self) -> String {
        "a value is shown with one pair of braces".into()
    }

    fn label(&self) -> String {
        "one brace too many on each side".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["to show a brace as text, write `&#123;`".into()]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        let (open, close) = (
            Span { start: at.start, end: self.inner.start },
            Span { start: self.inner.end, end: at.end },
        );
        let edits = vec![(open, "{".into()), (close, "}".into())];
        Some(Fix { title: "write one pair".into(), edits, safe: true })
    }
}

#[cfg(test)]
super::examples! { DoubledBraces:
    "takes a: number\n<p>{{ a }} {a}</p>" => "{{ a }}",
    "takes a: number\n<p title='{{a}}'>{a}</p>" => "{{a}}",
}
