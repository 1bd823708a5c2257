//! A line that begins with no verb.

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_plan::nearest;
use vein_syntax::{Span, VERBS};

pub(crate) struct UnknownDeclaration {
    pub(crate) word: String,
}

impl Finding for UnknownDeclaration {
    const CODE: &'static str = "unknown-declaration";
    const ABOUT: &'static str = "A declaration that begins with none of the verbs";

    fn message(&self) -> String {
        format!("no declaration begins with `{}`", self.word)
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.word.as_str() {
            "let" | "var" | "const" => "state is declared with `holds`, a value that follows \
                                        others with `derives`"
                .into(),
            "function" => "a handler is declared with `does`, a derived value with `derives`".into(),
            "import" => "nothing is imported: every file below the project's folder is known".into(),
            "export" => "what comes from the parent is declared with `takes`".into(),
            _ => "a component takes, gives, holds, derives and does; markup begins with `<`".into(),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&nearest(&self.word, VERBS.iter().copied()).map(str::to_owned), at)
    }
}

#[cfg(test)]
super::examples! { UnknownDeclaration:
    "let a = 1\n<p>b</p>" => "let",
    "hold a = 1\n<p>b</p>" => "hold",
}
