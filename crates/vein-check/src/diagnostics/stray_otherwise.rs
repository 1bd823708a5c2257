//! `otherwise` with nothing before it.

use super::Finding;

pub(crate) struct StrayOtherwise {
    pub(crate) name: String,
}

impl Finding for StrayOtherwise {
    const CODE: &'static str = "stray-otherwise";
    const ABOUT: &'static str = "`otherwise` or `or-when` with no `when` or `each` just before it";

    fn message(&self) -> String {
        format!("`{}` has nothing before it that it could be an alternative to", self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.name.as_str() {
            "otherwise" => "it goes on the element right after one with `when`, `or-when` or `each`",
            _ => "it goes on the element right after one with `when` or `or-when`",
        }
        .into()]
    }
}

#[cfg(test)]
super::examples! { StrayOtherwise:
    "<p otherwise>a</p>" => "otherwise",
    "takes a: boolean\n<p when='a'>b</p> or <p otherwise>c</p>" => "otherwise",
    "takes a: number[]\n<p each='b of a'>{b}</p><p or-when='a.length > 1'>c</p>" => "or-when",
}
