//! A string, template literal or comment that never ends.

use super::Finding;
use vein_syntax::Unclosed;

pub(crate) struct UnclosedText {
    pub(crate) what: Unclosed,
}

impl Finding for UnclosedText {
    const CODE: &'static str = "unclosed-text";
    const ABOUT: &'static str = "A string, template literal, regular expression or comment that never ends";

    fn message(&self) -> String {
        match self.what {
            Unclosed::String => "this string is not closed on its line",
            Unclosed::Template => "this template literal is never closed",
            Unclosed::Pattern => "this regular expression is not closed on its line",
            Unclosed::Comment | Unclosed::MarkupComment => "this comment is never closed",
        }
        .into()
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.what {
            Unclosed::String => "add the closing quote; a line break in it is written `\\n`",
            Unclosed::Template => "add the closing backtick",
            Unclosed::Pattern => r"add the closing `/`; `\/` is the character",
            Unclosed::Comment => "add `*/`",
            Unclosed::MarkupComment => "add `-->`",
        }
        .into()]
    }
}

#[cfg(test)]
super::examples! { UnclosedText:
    "holds a = 'b\n<p>{a}</p>" => "'b",
    "holds a = /b\n<p>{a}</p>" => "/",
    "<p>a</p><!-- b" => "<!--",
    "/* a\n<p>b</p>" => "/*",
}
