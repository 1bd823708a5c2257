//! `holds log = []`: a first value that does not tell the type.

use super::Finding;

pub(crate) enum NeedsType {
    /// A first value that does not tell the type.
    Value { name: String, like: &'static str },
    /// A function that calls itself, and does not say what it gives.
    Function { name: String },
}

impl Finding for NeedsType {
    const CODE: &'static str = "needs-type";
    const ABOUT: &'static str =
        "A first value, such as `[]`, `{}` or `null`, that does not tell the type, or a function that calls itself without one";

    fn message(&self) -> String {
        match self {
            NeedsType::Value { name, .. } => {
                format!("the type of `{name}` cannot be told from its first value")
            }
            NeedsType::Function { name } => {
                format!("`{name}` calls itself, so that what it gives cannot be told from what it is made of")
            }
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self {
            NeedsType::Value { name, like } => format!("write it down: `{name}: {like}`"),
            NeedsType::Function { name } => {
                format!("write down the type of what it gives: `derives {name}(…): number = …`")
            }
        }]
    }
}

#[cfg(test)]
super::examples! { NeedsType:
    "holds a = []\n<p>{a.length}</p>" => "a",
    "holds a = null\n<p>{a}</p>" => "a",
    "holds a = {}\n<p click='-> delete a[\"b\"]'></p>" => "a",
    "holds a = 1\n<p click='-> let b = []; a = b.length'>{a}</p>" => "b",
    "derives a(b: number) = b > 0 ? a(b - 1) : 0\n<p>{a(1)}</p>" => "a",
}
