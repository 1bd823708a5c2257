//! Too few or too many arguments.

use super::Finding;

pub(crate) struct WrongArguments {
    pub(crate) name: String,
    pub(crate) least: usize,
    /// `None` where any number may follow.
    pub(crate) most: Option<usize>,
    pub(crate) found: usize,
    /// What is expected, in order.
    pub(crate) signature: String,
}

impl Finding for WrongArguments {
    const CODE: &'static str = "wrong-arguments";
    const ABOUT: &'static str = "A call with too few or too many arguments";

    fn message(&self) -> String {
        let wanted = match (self.least, self.most) {
            (least, None) => format!("at least {least}"),
            (least, Some(most)) if least == most => least.to_string(),
            (least, Some(most)) => format!("{least} to {most}"),
        };
        let plural = if wanted == "1" { "" } else { "s" };
        let found = if self.found == 0 { "none".into() } else { self.found.to_string() };
        format!("`{}` takes {wanted} argument{plural}, found {found}", self.name)
    }

    fn advice(&self) -> Vec<String> {
        let mut advice = vec![format!("it is called as `{}({})`", self.name, self.signature)];
        if self.name == "localeCompare" && self.found > 1 {
            let locale = "the page's locale says how texts are ordered: `locale` in `vein.toml`; `en-u-kn` counts numbers in texts";
            advice.push(locale.into());
        }
        advice
    }
}

#[cfg(test)]
super::examples! { WrongArguments:
    "gives a(b: number)\n<p click='-> give a()'>c</p>" => "a",
    "holds a = 1\ndoes b(c: number) { a = c }\n<p click='-> b(1, 2)'>{a}</p>" => "b",
    "holds a = 1\ndoes b(c: number) { a = c }\n<p click='-> b'>{a}</p>" => "b",
    "takes a: string\n<p>{a.padStart()}</p>" => "padStart",
    "takes a: string\n<p>{a.localeCompare('b', 'de')}</p>" => "localeCompare",
    "takes a: number{}\n<p>{Object.keys(a, 1).length}</p>" => "keys",
}
