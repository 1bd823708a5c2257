//! Something else was expected.

use super::Finding;

pub(crate) struct Unexpected {
    pub(crate) found: String,
    pub(crate) expected: &'static str,
}

impl Finding for Unexpected {
    const CODE: &'static str = "unexpected";
    const ABOUT: &'static str = "Something else was expected at this place";

    fn message(&self) -> String {
        match self.found.as_str() {
            "" => format!("expected {}, found the end", self.expected),
            found => format!("expected {}, found `{found}`", self.expected),
        }
    }

    fn label(&self) -> String {
        format!("expected {}", self.expected)
    }
}

#[cfg(test)]
super::examples! { Unexpected:
    "takes a: \n<p>b</p>" => "",
    "<p>{1 +}</p>" => "",
    "<p>{1 2}</p>" => "2",
    "<p =></p>" => "=",
}
