//! A name that nothing declares.

use super::{Finding, did_you_mean};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownName {
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    /// Whether it was called.
    pub(crate) called: bool,
    /// Whether there is a store of that name.
    pub(crate) store: bool,
}

/// What stands in place of names that a browser gives to every script.
const INSTEAD: &[(&[&str], &str)] = &[
    (
        &["Date", "performance", "Temporal"],
        "the time is a number of milliseconds since 1970: `Date.now()` in a handler, `Local.date(at, 'long')` where it is shown; for \
         what happens every so often, `upon every (1000) { … }`",
    ),
    (
        &["console"],
        "what every change did is in the ledger: `vein serve --ledger`; to look at a value, show it: `{value}`",
    ),
    (
        &["fetch", "XMLHttpRequest", "WebSocket", "EventSource"],
        "the host answers: declare `awaits beds(): Bed[]`, then `loads all: Bed[] = beds()`, or `await beds()` in a \
         handler",
    ),
    (
        &["localStorage", "sessionStorage", "indexedDB", "cookieStore"],
        "the host keeps things: `awaits kept(key: string): string?` and `awaits keep(key: string, value: string): \
         boolean`",
    ),
    (
        &["document", "window", "globalThis", "self", "navigator", "location", "history", "screen"],
        "a component reaches its own markup alone: bind what changes, `title=\"<- name\"`, or ask the host: \
         `awaits width(): number`",
    ),
    (
        &["alert", "confirm", "prompt"],
        "show a dialog: `<dialog open=\"<-> asking\">…</dialog>`",
    ),
    (
        &["Object"],
        "a record's fields are known: name them, `bed.crop`; a copy is `{ ...bed, crop: 'kale' }`",
    ),
    (&["Array", "Set", "Map"], "lists are written `[1, 2]`, and have `map`, `filter`, `includes` and others"),
    (&["parseInt", "parseFloat", "BigInt"], "write `Number(text)`, and `Math.trunc(…)` for a whole number"),
    (&["isNaN", "isFinite", "NaN", "Infinity"], "a number is none when it is not itself: `n !== n`"),
    (&["Intl"], "format with `Local`: `Local.number(litres, 1)`, `Local.date(moment, 'short')`"),
    (&["Promise"], "write `await` before each question in a handler"),
    (&["RegExp"], "texts have `includes`, `startsWith`, `split` and `replaceAll`"),
    (&["crypto", "structuredClone"], "ask the host: `awaits fresh_id(): string`"),
    (
        &["require", "module", "process", "exports"],
        "nothing is imported: every file below the project's folder is known",
    ),
];

impl UnknownName {
    fn instead(&self) -> Option<&'static str> {
        let given = INSTEAD.iter().find(|(names, _)| names.contains(&self.name.as_str()));
        given.map(|(_, instead)| *instead)
    }
}

impl Finding for UnknownName {
    const CODE: &'static str = "unknown-name";
    const ABOUT: &'static str = "A name that nothing declares";

    fn message(&self) -> String {
        let name = &self.name;
        match (self.store, self.instead()) {
            (true, _) => format!("`{name}` is a store that this component does not use"),
            (false, Some(_)) => format!("there is no `{name}` in components"),
            (false, None) => format!("nothing here is called `{name}`"),
        }
    }

    fn advice(&self) -> Vec<String> {
        let name = &self.name;
        if self.store {
            return vec![format!("declare it first: `uses {name}`")];
        }
        if let Some(instead) = self.instead() {
            return vec![instead.into()];
        }
        vec![match (&self.nearest, self.called) {
            (Some(_), _) => return Vec::new(),
            (None, true) => format!("declare a handler: `does {name}() {{ … }}`"),
            (None, false) => format!(
                "declare it: `takes {name}: …` from the parent, `holds {name} = …` as state, or \
                 `derives {name} = …`"
            ),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        if self.store {
            let edits = vec![(Span::default(), format!("uses {}\n", self.name))];
            return Some(Fix { title: format!("add `uses {}`", self.name), edits, safe: false });
        }
        self.instead().is_none().then(|| did_you_mean(&self.nearest, at)).flatten()
    }
}

#[cfg(test)]
super::examples! { UnknownName:
    "holds litres = 1\n<p>{liters} {litres}</p>" => "liters",
    "<p click='-> pour()'>a</p>" => "pour",
    "<p click='-> pour'>a</p>" => "pour",
    "<p click='-> a = 1'>a</p>" => "a",
    "<p>{water.litres} {water.litres}</p>" => "water",
    "<p>{Date}</p>" => "Date",
    "<p click='-> console.log(1)'></p>" => "console",
}
