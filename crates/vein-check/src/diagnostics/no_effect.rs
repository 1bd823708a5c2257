//! A statement that does nothing, or a change where only a value can stand.

use super::Finding;

pub(crate) enum NoEffect {
    /// An expression as a statement.
    Statement,
    /// `list.push(…)` where a value is wanted.
    EditAsValue { method: String },
    /// `list.filter(…)` as a statement.
    Discarded { method: String },
}

impl Finding for NoEffect {
    const CODE: &'static str = "no-effect";
    const ABOUT: &'static str = "A statement that changes nothing, or a change where a value is wanted";

    fn message(&self) -> String {
        match self {
            NoEffect::Statement => "this statement changes nothing".into(),
            NoEffect::EditAsValue { method } => {
                format!("`{method}` changes a list and can only stand as a statement")
            }
            NoEffect::Discarded { method } => {
                format!("`{method}` gives a new value and leaves the old one as it is")
            }
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self {
            NoEffect::Statement => "assign it: `name = …`, or call a handler".into(),
            NoEffect::EditAsValue { method } => match method.as_str() {
                "sort" => "use `toSorted`, which gives a sorted copy".into(),
                "reverse" => "use `toReversed`, which gives a reversed copy".into(),
                "pop" | "shift" => {
                    format!("write `const last = list.{method}()` as a statement of its own")
                }
                _ => "use `[...list, item]`, `concat`, `slice` or `with`, which give a copy".into(),
            },
            NoEffect::Discarded { .. } => "assign what it gives: `name = …`".into(),
        }]
    }
}

#[cfg(test)]
super::examples! { NoEffect:
    "holds a = 1\n<p click='-> a + 1'>{a}</p>" => "a + 1",
    "holds a = [1]\n<p>{a.push(2)}</p>" => "push",
    "holds a = [1]\n<p click='-> a.toSorted()'>{a.length}</p>" => "toSorted",
}
