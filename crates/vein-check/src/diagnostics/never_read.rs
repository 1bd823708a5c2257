//! A declaration that nothing reads.

use super::Finding;
use crate::report::Severity;

pub(crate) struct NeverRead {
    pub(crate) name: String,
    /// What it is: `prop`, `state`, `derived value`, `event`.
    pub(crate) what: &'static str,
    /// Whether it is assigned somewhere.
    pub(crate) assigned: bool,
}

impl Finding for NeverRead {
    const CODE: &'static str = "never-read";
    const ABOUT: &'static str = "A prop, state or derived value that nothing reads, or an event that is never given";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        match self.what {
            "event" => format!("the event `{}` is never given", self.name),
            what => format!("nothing reads the {what} `{}`", self.name),
        }
    }

    fn label(&self) -> String {
        if self.assigned { "it is assigned, but never shown or used".into() } else { String::new() }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.what {
            "event" => format!("give it somewhere: `give {}(…)`, or remove it", self.name),
            "store" => format!("read or call it: `{}.…`, or remove it", self.name),
            "function" => format!("call it: `{}(…)`, or remove it", self.name),
            _ => format!("show it somewhere: `{{{}}}`, or remove it", self.name),
        }]
    }
}

#[cfg(test)]
super::examples! { NeverRead:
    "takes a: number\n<p>b</p>" => "a",
    "holds a = 1\n<p click='-> a = 2'>b</p>" => "a",
    "derives a = 1\n<p>b</p>" => "a",
    "gives a()\n<p>b</p>" => "a",
    "uses water\n<p>b</p>" => "water",
    "asks a(): string\n<p>b</p>" => "a",
    "awaits b(): string\nloads a: string = b()\n<p>b</p>" => "a",
}
