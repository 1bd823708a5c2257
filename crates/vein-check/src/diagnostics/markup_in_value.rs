//! `{open ? <b>yes</b> : ''}`: markup inside an expression.

use super::Finding;

pub(crate) struct MarkupInValue {
    /// Whether it is made for each item of a list.
    pub(crate) each: bool,
}

impl Finding for MarkupInValue {
    const CODE: &'static str = "markup-in-value";
    const ABOUT: &'static str = "Markup inside an expression";

    fn message(&self) -> String {
        "an expression gives a value, and no markup".into()
    }

    fn label(&self) -> String {
        "markup begins here".into()
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.each {
            true => "write the element once, with the list on it: `<li each=\"bed of beds by bed.id\">{bed.crop}</li>`",
            false => {
                "put the condition on the element: `<b when=\"open\">yes</b>`, and `<i otherwise>no</i>` behind it"
            }
        }
        .into()]
    }
}

#[cfg(test)]
super::examples! { MarkupInValue:
    "holds a = true\n<p>{a ? <b>yes</b> : ''}</p>" => "<",
    "holds a = true\n<p>{a && <br>}</p>" => "<",
    "holds a = [1]\n<ul>{a.map(b => <li>{b}</li>)}</ul>" => "<",
}
