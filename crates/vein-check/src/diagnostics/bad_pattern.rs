//! `/(a+)+/`: a regular expression that is malformed, or takes time without bounds.

use super::Finding;

pub(crate) struct BadPattern {
    pub(crate) problem: String,
    pub(crate) instead: String,
}

impl Finding for BadPattern {
    const CODE: &'static str = "bad-pattern";
    const ABOUT: &'static str =
        "A regular expression that is malformed, or has what cannot be matched in bounded time";

    fn message(&self) -> String {
        format!("this regular expression cannot be used: {}", self.problem)
    }

    fn advice(&self) -> Vec<String> {
        vec![self.instead.clone()]
    }
}

#[cfg(test)]
super::examples! { BadPattern:
    "takes a: string\n<p>{/(b+)+/.test(a)}</p>" => "+",
    "takes a: string\n<p>{/b(c/.test(a)}</p>" => "(",
    "takes a: string\n<p>{/[b-a]/.test(a)}</p>" => "a",
    "takes a: string\n<p>{/b(?=c)/.test(a)}</p>" => "(",
    "takes a: string\n<p>{/(b)\\1/.test(a)}</p>" => "\\",
    "takes a: string\n<p>{/b/y.test(a)}</p>" => "/b/y",
    "takes a: string\n<p>{a.replaceAll(/b/, 'c')}</p>" => "/b/",
}
