//! A function of the host used as if it answered at another time.

use super::Finding;
use vein_plan::Answers;

pub(crate) struct WrongAnswer {
    pub(crate) name: String,
    /// How something here has to be answered.
    pub(crate) wanted: Answers,
    /// How it is; nothing, where it is no function of the host.
    pub(crate) found: Option<Answers>,
}

impl Finding for WrongAnswer {
    const CODE: &'static str = "wrong-answer";
    const ABOUT: &'static str =
        "A function of the host that answers at another time, or a question to something else";

    fn message(&self) -> String {
        let name = &self.name;
        match self.found {
            Some(Answers::AtOnce) => format!("`{name}` answers at once"),
            Some(Answers::Later) => format!("the answer of `{name}` comes later"),
            Some(Answers::Again) => format!("`{name}` answers again and again"),
            None => format!("`{name}` is no function that is declared with `{}`", self.wanted.verb()),
        }
    }

    fn advice(&self) -> Vec<String> {
        let name = &self.name;
        vec![match (self.found, self.wanted) {
            (Some(Answers::AtOnce), Answers::Later) => {
                format!("leave out what waits for it: `{name}(…)` has a value; or declare it with `awaits`")
            }
            (Some(Answers::AtOnce), _) => {
                format!("derive from it: `derives … = {name}(…)`; or declare it with `streams`")
            }
            (Some(Answers::Later), _) => format!(
                "load it: `loads … = {name}(…)`; or wait for it in a handler: `const … = await {name}(…)`"
            ),
            (Some(Answers::Again), _) => format!("follow it: `follows … = {name}(…)`"),
            (None, wanted) => {
                format!("declare what is asked, `{} … (…): …`, and call it here", wanted.verb())
            }
        }]
    }
}

#[cfg(test)]
super::examples! { WrongAnswer:
    "awaits b(): number\n<p>{b()}</p>" => "b",
    "streams b(): number\n<p>{b()}</p>" => "b",
    "asks b(): number\nloads a: number = b()\n<p>{a}</p>" => "b",
    "asks b(): number\nfollows a: number = b()\n<p>{a}</p>" => "b",
    "awaits b(): number\nfollows a: number = b()\n<p>{a}</p>" => "b",
    "holds a = 1\nloads b: number = a\n<p>{a} {b}</p>" => "a",
    "asks b(): number\nholds a = 1\n<p click='-> a = await b()'>{a}</p>" => "b",
    "holds a = 1\ndoes b() { a = 2 }\n<p click='-> b(); await b()'>{a}</p>" => "b",
}
