//! `derives a = b` and `derives b = a`.

use super::Finding;
use vein_syntax::Span;

pub(crate) struct CircularValue {
    /// The names round the circle, from the one reported on.
    pub(crate) circle: Vec<(String, Span)>,
}

impl Finding for CircularValue {
    const CODE: &'static str = "circular-value";
    const ABOUT: &'static str = "A derived value or first value that depends on itself";

    fn message(&self) -> String {
        let first = &self.circle[0].0;
        let names: Vec<&str> = self.circle.iter().map(|(name, _)| name.as_str()).collect();
        format!("`{first}` depends on itself: {} → {first}", names.join(" → "))
    }

    fn label(&self) -> String {
        let next = &self.circle[1 % self.circle.len()].0;
        format!("reads `{next}`")
    }

    fn related(&self) -> Vec<(Span, String)> {
        let following = self.circle.iter().skip(2).chain(self.circle.first());
        let others = self.circle.iter().skip(1).zip(following);
        others.map(|((_, span), (next, _))| (*span, format!("reads `{next}`"))).collect()
    }

    fn advice(&self) -> Vec<String> {
        vec!["one of them has to come from state or a prop: `holds` it, or derive it from something \
              else"
            .into()]
    }
}

#[cfg(test)]
super::examples! { CircularValue:
    "derives a = a + 1\n<p>{a}</p>" => "a",
    "derives a = b\nderives b = c\nderives c = a\n<p>{a} {b} {c}</p>" => "a",
    "holds a = b\nderives b = a\n<p>{a} {b}</p>" => "a",
}
