//! An attribute whose quote is never closed.

use super::Finding;

pub(crate) struct UnclosedQuote {
    pub(crate) quote: char,
}

impl Finding for UnclosedQuote {
    const CODE: &'static str = "unclosed-quote";
    const ABOUT: &'static str = "An attribute whose quote is never closed";

    fn message(&self) -> String {
        format!("this `{}` is never closed", self.quote)
    }

    fn label(&self) -> String {
        "opened here".into()
    }

    fn advice(&self) -> Vec<String> {
        let other = if self.quote == '"' { '\'' } else { '"' };
        vec![format!(
            "add `{}` after the value; strings inside it take the other quotes: `{other}`",
            self.quote
        )]
    }
}

#[cfg(test)]
super::examples! { UnclosedQuote: "<p class=\"a>b</p>\n<i class=\"c\">d</i>" => "\"" }
