//! `let`, `while`, `undefined`: words of ECMAScript that are not part of the language.

use super::Finding;

pub(crate) struct NotInLanguage {
    pub(crate) word: String,
    pub(crate) instead: &'static str,
}

impl Finding for NotInLanguage {
    const CODE: &'static str = "not-in-language";
    const ABOUT: &'static str = "A word of ECMAScript that this language does without";

    fn message(&self) -> String {
        format!("`{}` is not part of the language", self.word)
    }

    fn advice(&self) -> Vec<String> {
        vec![self.instead.into()]
    }
}

#[cfg(test)]
super::examples! { NotInLanguage:
    "does a() { var b = 1 }\n<p click='-> a()'></p>" => "var",
    "<p>{undefined}</p>" => "undefined",
    "<p click='-> while (true) {}'></p>" => "while",
    "takes a: Record<string, number>\n<p>{a}</p>" => "Record",
    "holds a: { [key: string]: number } = {}\n<p>{a}</p>" => "[",
    "holds a: number{} = {}\n<p click='-> for (const b in a) delete a[b]'>{a[1]}</p>" => "in",
    "holds a: number{} = {}\n<p>{delete a[1]}</p>" => "delete",
}
