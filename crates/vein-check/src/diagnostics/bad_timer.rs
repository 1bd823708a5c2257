//! `upon every (0)`

use super::Finding;

pub(crate) struct BadTimer {
    pub(crate) written: String,
}

impl Finding for BadTimer {
    const CODE: &'static str = "bad-timer";
    const ABOUT: &'static str = "A timer of less than a millisecond";

    fn message(&self) -> String {
        format!("a timer cannot run every {} milliseconds", self.written)
    }

    fn advice(&self) -> Vec<String> {
        vec!["write a number of milliseconds from 1 on: `upon every (1000)` is each second".into()]
    }
}

#[cfg(test)]
super::examples! { BadTimer:
    "holds a = 1\nupon every (0) { a++ }\n<p>{a}</p>" => "0",
    "holds a = 1\nupon every (0.5) while a < 9 { a++ }\n<p>{a}</p>" => "0.5",
}
