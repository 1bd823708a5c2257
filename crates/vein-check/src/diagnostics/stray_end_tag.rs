//! `</p>` with no `<p>`, or `</br>`.

use super::Finding;

pub(crate) struct StrayEndTag {
    pub(crate) name: String,
    pub(crate) void: bool,
}

impl Finding for StrayEndTag {
    const CODE: &'static str = "stray-end-tag";
    const ABOUT: &'static str = "An end tag that ends nothing";

    fn message(&self) -> String {
        match self.void {
            true => format!("`<{}>` has no end tag", self.name),
            false => format!("no `<{}>` is open here", self.name),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.void {
            true => format!("write `<{}>` alone", self.name),
            false => "remove it, or open the element before".into(),
        }]
    }
}

#[cfg(test)]
super::examples! { StrayEndTag: "<div></p></div>" => "p", "<p>a</br></p>" => "br" }
