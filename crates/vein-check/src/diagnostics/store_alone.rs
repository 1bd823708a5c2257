//! A store that wants to be a component, or a component that wants to be a store.

use super::Finding;

pub(crate) enum StoreAlone {
    /// A declaration that only components have.
    Declares(&'static str),
    /// Markup or a style sheet.
    Shows,
    /// `store` after other declarations.
    NotFirst,
    /// A store as an element.
    Element { store: String },
}

impl Finding for StoreAlone {
    const CODE: &'static str = "store-alone";
    const ABOUT: &'static str = "A store with what only components have, or used as one";

    fn message(&self) -> String {
        match self {
            StoreAlone::Declares(verb) => format!("a store has no parent, so nothing `{verb}`"),
            StoreAlone::Shows => "a store shows nothing".into(),
            StoreAlone::NotFirst => "`store` has to be the first declaration of its file".into(),
            StoreAlone::Element { store } => {
                format!("this is the store `{store}`, which shows nothing")
            }
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self {
            StoreAlone::Declares("gives") => {
                "components that use it watch its state: `upon change (…) { … }`".into()
            }
            StoreAlone::Declares(_) => {
                "hold state here, and declare a handler that sets it: `does fill(n: number) { … }`"
                    .into()
            }
            StoreAlone::Shows => {
                "put the markup into a component of its own that `uses` the store".into()
            }
            StoreAlone::NotFirst => {
                "put it first; a file that shows something is a component, not a store".into()
            }
            StoreAlone::Element { store } => {
                format!("declare `uses {store}` and show its values: `{{{store}.…}}`")
            }
        }]
    }
}

#[cfg(test)]
super::examples! { StoreAlone:
    "store a\ntakes b: number\nderives c = b" => "takes",
    "store a\nshares b: number = 1\nderives c = b" => "shares",
    "store a\ngives b()" => "gives",
    "holds b = 1\nstore a\n<p>{b}</p>" => "store",
    "store a\nholds b = 1\n<p>{b}</p>" => "<p>",
    "<water-tank></water-tank>" => "water-tank",
}
