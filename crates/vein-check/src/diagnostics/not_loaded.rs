//! `bed is waiting`, where nothing of `bed` is asked of the host.

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) enum NotLoaded {
    /// What is no value that the host's answers fill.
    Value { name: String },
    /// What is no state of one.
    Status { name: String, nearest: Option<String> },
}

impl Finding for NotLoaded {
    const CODE: &'static str = "not-loaded";
    const ABOUT: &'static str = "`is`, or `reload`, of something that is not loaded, or of no such state";

    fn message(&self) -> String {
        match self {
            NotLoaded::Value { name } => format!("`{name}` is not loaded from the host"),
            NotLoaded::Status { name, .. } => format!("nothing is ever `{name}`"),
        }
    }

    fn advice(&self) -> Vec<String> {
        match self {
            NotLoaded::Value { .. } => vec![
                "`is` and `reload` are for what is declared with `loads` or `follows`".into(),
            ],
            NotLoaded::Status { nearest: Some(_), .. } => Vec::new(),
            NotLoaded::Status { .. } => {
                vec!["what is loaded is `waiting`, `ready` or `failed`".into()]
            }
        }
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        match self {
            NotLoaded::Value { .. } => None,
            NotLoaded::Status { nearest, .. } => did_you_mean(nearest, at),
        }
    }
}

#[cfg(test)]
super::examples! { NotLoaded:
    "holds a = 1\n<p when='a is ready'>{a}</p>" => "a",
    "holds a = 1\n<p click='-> reload a'>{a}</p>" => "a",
    "awaits b(): number\nloads a: number = b()\n<p when='a is redy'>{a}</p>" => "redy",
    "awaits b(): number\nloads a: number = b()\n<p when='a is loading'>{a}</p>" => "loading",
}
