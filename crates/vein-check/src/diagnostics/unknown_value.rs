//! `<button type="buton">`: a value that the attribute does not know.

use super::{Finding, did_you_mean, listed};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownValue {
    pub(crate) name: String,
    pub(crate) value: String,
    pub(crate) nearest: Option<String>,
    /// What it may be; nothing for an attribute that holds by being there.
    pub(crate) known: Vec<&'static str>,
}

impl Finding for UnknownValue {
    const CODE: &'static str = "unknown-value";
    const ABOUT: &'static str = "A value that the attribute does not know";

    fn message(&self) -> String {
        // Whatever stands there is told in one line, and not at length.
        let value = self.value.split_whitespace().collect::<Vec<_>>().join(" ");
        let value: String = value.chars().take(40).collect();
        match self.known.is_empty() {
            true => format!("`{}` holds as long as it is there, whatever it says", self.name),
            false => format!("`{}` cannot be `{value}`", self.name),
        }
    }

    fn advice(&self) -> Vec<String> {
        const MOST: usize = 24;
        let name = &self.name;
        let known: Vec<&str> = self.known.iter().copied().filter(|known| !known.is_empty()).collect();
        match (known.len(), &self.nearest) {
            (0, _) => vec![format!("leave it away, or bind it: `{name}=\"<- off\"`")],
            (1..=MOST, None) => vec![format!("it can be {}", listed(&known))],
            _ => Vec::new(),
        }
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&self.nearest, at)
    }
}

#[cfg(test)]
super::examples! { UnknownValue:
    "<button type='buton'>a</button>" => "buton",
    "<input type='text' disabled='false'>" => "false",
    "<p role='buttn'></p>" => "buttn",
    "<p aria-live='loud'></p>" => "loud",
    "<form method='put'></form>" => "put",
}
