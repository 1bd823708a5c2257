//! A handler used as a value, a function that is not one.

use super::Finding;

pub(crate) struct NotUsableHere {
    pub(crate) name: String,
    /// What it is.
    pub(crate) what: &'static str,
    pub(crate) advice: String,
}

impl Finding for NotUsableHere {
    const CODE: &'static str = "not-usable-here";
    const ABOUT: &'static str = "A name that exists but cannot be used in this way";

    fn message(&self) -> String {
        format!("`{}` is {} and cannot be used like this", self.name, self.what)
    }

    fn advice(&self) -> Vec<String> {
        vec![self.advice.clone()]
    }
}

#[cfg(test)]
super::examples! { NotUsableHere:
    "holds a = 1\ndoes b() { a = 2 }\n<p click='-> b()'>{b} {a}</p>" => "b",
    "holds a = 1\ndoes b() { a = 2 }\n<p click='-> b()'>{b()} {a}</p>" => "b",
    "takes a: number\n<p>{a()}</p>" => "a",
    "takes a: string\n<p>{a.trim}</p>" => "trim",
    "takes a: string\n<p>{a.length()}</p>" => "length",
    "<p>{Math}</p>" => "Math",
    "<p>{Date.now()}</p>" => "Date.now",
    "holds a = Math.random()\n<p>{a}</p>" => "Math.random",
    "derives a() = Date.now()\n<p>{a()}</p>" => "Date.now",
    "holds a = [1]\n<p click='-> a[Math.random()] = 2'>{a.join()}</p>" => "Math.random",
    "holds a = [1]\n<p click='-> a.sort(() => Math.random())'>{a.join()}</p>" => "Math.random",
    "takes a: string[]\n<p each='s of a by s.localeCompare(\"b\")'>{s}</p>" => "localeCompare",
    "<p>{x => 1}</p>" => "x => 1",
    "takes a: number{}\n<p>{a.b ?? 0}</p>" => "b",
    "takes a: number{}\n<p>{a.length}</p>" => "length",
    "takes a: { b: number }\nholds c: { b: number } = { ['b']: 1 }\n<p click='-> c = a'>{c.b}</p>" => "'b'",
    "takes a: number{}\n<p>{Object.keys}{a['b']}</p>" => "keys",
}
