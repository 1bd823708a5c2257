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
        vec![format!("it is called as `{}({})`", self.name, self.signature)]
    }
}

#[cfg(test)]
super::examples! { WrongArguments:
    "gives a(b: number)\n<p click='-> give a()'>c</p>" => "a",
    "holds a = 1\ndoes b(c: number) { a = c }\n<p click='-> b(1, 2)'>{a}</p>" => "b",
    "holds a = 1\ndoes b(c: number) { a = c }\n<p click='-> b'>{a}</p>" => "b",
    "takes a: string\n<p>{a.padStart()}</p>" => "padStart",
}
