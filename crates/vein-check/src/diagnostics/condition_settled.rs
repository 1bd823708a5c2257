//! `{bed ? 'a' : 'b'}` where `bed` is a record: a condition that never changes.

use super::Finding;
use crate::report::Severity;

pub(crate) struct ConditionSettled {
    pub(crate) outcome: bool,
    pub(crate) because: String,
}

impl Finding for ConditionSettled {
    const CODE: &'static str = "condition-settled";
    const ABOUT: &'static str = "A condition that is always true or always false";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        format!("this condition is always {}", self.outcome)
    }

    fn label(&self) -> String {
        self.because.clone()
    }

    fn advice(&self) -> Vec<String> {
        vec!["leave the condition out, or compare with what was meant".into()]
    }
}

#[cfg(test)]
super::examples! { ConditionSettled:
    "takes a: { b: number }\n<p>{a ? a.b : 0}</p>" => "a",
    "takes a: number[]\n<p>{!a} {a.length}</p>" => "a",
    "takes a: 'b' | 'c'\n<p>{a ? 1 : 2}</p>" => "a",
    "takes a: 'b' | 'c'\n<p>{a === 'd' ? 1 : 2}</p>" => "a === 'd'",
    "takes a: number\n<p>{a === null ? 1 : 2}</p>" => "a === null",
    "takes a: number\n<p>{a ?? 1}</p>" => "a",
    "<p>{true ? 1 : 2}</p>" => "true",
    "takes a: number{}\n<p>{a ? 1 : 2}</p>" => "a",
    "holds a = 1\n<p click='-> a ??= 2'>{a}</p>" => "a",
}
