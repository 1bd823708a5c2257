//! A function that gives nothing on some way, or does something beside working out what it gives.

use super::Finding;

pub(crate) enum WrongReturn {
    /// Statements that come to their end without `return`.
    Missing { name: String },
    /// `return` without a value.
    Nothing,
    /// What stands after a `return`.
    NeverReached,
    /// A loop.
    Loops,
    /// `try`
    Catches,
    /// A statement that changes something, or runs what does.
    Acts,
}

impl Finding for WrongReturn {
    const CODE: &'static str = "wrong-return";
    const ABOUT: &'static str = "A function that gives nothing on some way, or does more than work out what it gives";

    fn message(&self) -> String {
        match self {
            WrongReturn::Missing { name } => format!("`{name}` gives nothing on some way"),
            WrongReturn::Nothing => "a function returns a value".into(),
            WrongReturn::NeverReached => "nothing comes here: what stands before it returns".into(),
            WrongReturn::Loops => "a function has no loops".into(),
            WrongReturn::Catches => "a function catches nothing: it asks the host nothing that could fail".into(),
            WrongReturn::Acts => {
                "a function changes nothing: it works out what it gives, and may be asked any number of times".into()
            }
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self {
            WrongReturn::Missing { .. } => "end each way with `return` and a value".into(),
            WrongReturn::Nothing => "write `return null` where there is none".into(),
            WrongReturn::NeverReached => "take it out, or put the `return` under a condition".into(),
            WrongReturn::Loops => "go over a list with `map`, `filter`, `find` or `reduce`".into(),
            WrongReturn::Catches => "ask in a handler, catch it there, and give the function what came of it".into(),
            WrongReturn::Acts => {
                "in it stand `const`, `let`, `if` and `return`; what changes state is a handler, `does`".into()
            }
        }]
    }
}

#[cfg(test)]
super::examples! { WrongReturn:
    "derives a(b: number) {\n  if (b > 1) return 2\n}\n<p>{a(1)}</p>" => "a",
    "derives a(b: number): number? {\n  return\n}\n<p>{a(1)}</p>" => "return",
    "derives a(b: number) {\n  return b\n  const c = 1\n}\n<p>{a(1)}</p>" => "const c = 1",
    "derives a(b: number[]) {\n  for (const c of b) return c\n  return 1\n}\n<p>{a([1])}</p>" => "for (const c of b) return c",
    "derives a(b: number) {\n  if (b > 1) {\n    if (b > 2) return 1\n  }\n  c()\n  return 2\n}\n<p>{a(1)}</p>" => "c()",
    "derives a(b: number) {\n  try { return b } catch { return 1 }\n  return 2\n}\n<p>{a(1)}</p>" => "try { return b } catch { return 1 }",
    "holds a = 1\nderives b(c: number) {\n  a = c\n  return c\n}\n<p>{b(a)}</p>" => "a = c",
}
