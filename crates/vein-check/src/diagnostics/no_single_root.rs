//! `<bed-pair class="…">` where the component has several roots.

use super::Finding;

pub(crate) struct NoSingleRoot {
    pub(crate) name: String,
    pub(crate) component: String,
}

impl Finding for NoSingleRoot {
    const CODE: &'static str = "no-single-root";
    const ABOUT: &'static str = "An attribute for the root element of a component that has none, or several";

    fn message(&self) -> String {
        format!("`<{}>` has no single root element that could have `{}`", self.component, self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![format!(
            "put one element around its markup that is always there, or an element around it here; \
             or declare a prop: `takes {}: string`",
            self.name
        )]
    }
}

#[cfg(test)]
super::examples! { NoSingleRoot: "<bed-pair class='wide'></bed-pair>" => "class" }
