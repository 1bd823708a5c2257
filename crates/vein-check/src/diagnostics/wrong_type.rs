//! A value of one type where another is wanted.

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct WrongType {
    pub(crate) expected: String,
    pub(crate) found: String,
    /// Why that type is expected, such as "for the parameter `litres`".
    pub(crate) why: String,
    /// For a word that is nearly one of a union.
    pub(crate) nearest: Option<String>,
}

impl Finding for WrongType {
    const CODE: &'static str = "wrong-type";
    const ABOUT: &'static str = "A value of another type than is wanted";

    fn message(&self) -> String {
        format!("expected {}, found `{}`", self.expected, self.found)
    }

    fn label(&self) -> String {
        if self.why.is_empty() {
            format!("this is `{}`", self.found)
        } else {
            format!("this is `{}`; {}", self.found, self.why)
        }
    }

    fn advice(&self) -> Vec<String> {
        let advice = match (self.expected.as_str(), self.found.as_str()) {
            ("`number`", "string") => "convert it: `Number(…)`",
            ("`string`", "number" | "boolean") => "convert it: `String(…)`",
            ("`boolean`", _) => "convert it: `Boolean(…)`, or compare it",
            _ => return Vec::new(),
        };
        vec![advice.into()]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        did_you_mean(&self.nearest, at)
    }
}

#[cfg(test)]
super::examples! { WrongType:
    "takes a: number = 'b'\n<p>{a}</p>" => "'b'",
    "takes a: string\n<p>{a * 2}</p>" => "a",
    "takes a: string\n<p>{a < 2}</p>" => "a < 2",
    "takes a: string\n<p>{a === 2 ? 1 : 0}</p>" => "a === 2",
    "holds a = 1\n<p click='-> a = event.key'>{a}</p>" => "event.key",
    "gives a(b: number)\n<p click=\"-> give a('c')\">d</p>" => "'c'",
    "takes a: 'dry' | 'moist' = 'drr'\n<p>{a}</p>" => "'drr'",
    "takes a: number[]\n<p>{a.filter(1).length}</p>" => "1",
    "takes a: boolean\nderives b = a ? 1 : [2]\n<p>{b}</p>" => "[2]",
    "takes a: number\n<p click='-> for (const b of a) {}'>{a}</p>" => "a",
    "takes a: number\n<p>{a[0]}</p>" => "a",
    "takes a: number{}\n<p>{a[true] ?? 0}</p>" => "true",
    "holds a: number{} = { b: 'c' }\n<p click='-> delete a[1]'>{a[1]}</p>" => "'c'",
    "takes a: { b: number }\n<p>{Object.keys(a).length}</p>" => "a",
    "takes a: number[]\n<p>{'b' in a}</p>" => "a",
    "holds a = [1]\n<p click='-> delete a[0]'>{a[0]}</p>" => "a[0]",
    "takes a: number[]\n<p>{Object.keys(Object.groupBy(a, b => [b])).length}</p>" => "b => [b]",
    "takes a: number{}\n<p each='b of Object.entries(a) by b[0]'>{b[2]}</p>" => "2",
}
