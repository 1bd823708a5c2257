//! `<input disabeld>`: an attribute that the standards do not know on this element.

use super::{Finding, did_you_mean, listed, surely};
use crate::report::Fix;
use vein_syntax::Span;

pub(crate) struct UnknownAttribute {
    pub(crate) element: String,
    pub(crate) name: String,
    pub(crate) nearest: Option<String>,
    /// The elements that have it.
    pub(crate) of: Vec<&'static str>,
}

/// Names that are not attributes, and what is meant by them.
const MEANT: &[(&[&str], &str)] = &[
    (&["if", "show", "unless"], "a condition stands in `when`: `<p when=\"open\">`"),
    (&["else", "else-if", "elseif"], "the other case stands on the next element: `or-when=\"…\"`, `otherwise`"),
    (&["for", "repeat", "foreach", "loop"], "a list is gone through with `each=\"bed of beds by bed.id\"`"),
    (&["key"], "what tells items apart stands in the loop: `each=\"bed of beds by bed.id\"`"),
    (
        &["ref"],
        "code holds no elements: bind what one shows, hear its events, and find it by a selector in scenarios",
    ),
    (&["model", "bind"], "a control is bound both ways by its property: `value=\"<-> name\"`"),
    (&["html", "innerHTML", "innerhtml"], "markup from data is bound one way: `html=\"<- note\"`"),
    (&["textContent", "textcontent", "innerText", "innertext"], "text stands inside the element: `{name}`"),
    (
        &["align", "bgcolor", "border", "cellpadding", "cellspacing", "valign", "frameborder", "hspace", "vspace"],
        "HTML has given it up: write a style",
    ),
];

impl UnknownAttribute {
    /// The attribute that is surely meant.
    fn surely(&self) -> Option<String> {
        match self.name.as_str() {
            "className" => Some("class".into()),
            "htmlFor" => Some("for".into()),
            name if self.nearest.as_deref() == Some(name.to_lowercase().as_str()) => {
                self.nearest.clone()
            }
            _ => None,
        }
    }
}

impl Finding for UnknownAttribute {
    const CODE: &'static str = "unknown-attribute";
    const ABOUT: &'static str = "An attribute that the standards do not know on the element";

    fn message(&self) -> String {
        format!("`<{}>` has no attribute `{}`", self.element, self.name)
    }

    fn advice(&self) -> Vec<String> {
        let name = self.name.as_str();
        if let Some((_, meant)) = MEANT.iter().find(|(names, _)| names.contains(&name)) {
            return vec![(*meant).into()];
        }
        let rest = name.trim_start_matches(|c: char| !c.is_ascii_alphabetic());
        let bare: &str = rest.split(|c: char| !c.is_ascii_alphanumeric() && c != '-').next().unwrap_or("");
        vec![match name.chars().next() {
            Some('@' | '(') => format!("an event is heard by its name: `{bare}=\"-> …\"`"),
            Some(':' | '[' | '.') => format!("a value is bound with an arrow: `{bare}=\"<- …\"`"),
            Some('*' | '#' | '!' | '?') => format!("write the name alone: `{bare}`"),
            _ if self.nearest.is_some() || self.surely().is_some() => return Vec::new(),
            _ if !self.of.is_empty() => format!("it is one of {}", listed(&self.of)),
            _ => format!("for data of your own, write `data-{}`", name.to_lowercase()),
        }]
    }

    fn fix(&self, at: Span) -> Option<Fix> {
        let meant = MEANT.iter().any(|(names, _)| names.contains(&self.name.as_str()));
        if meant || !self.name.starts_with(|c: char| c.is_ascii_alphabetic()) {
            return None;
        }
        match self.surely() {
            Some(name) => surely(at, name),
            None => did_you_mean(&self.nearest, at),
        }
    }
}

#[cfg(test)]
super::examples! { UnknownAttribute:
    "<input disabeld>" => "disabeld",
    "<p className='a'></p>" => "className",
    "<p if='1'></p>" => "if",
    "<p @click='a()'></p>" => "@click",
    "<p :title='a'></p>" => ":title",
    "<p ref='a'></p>" => "ref",
    "<p colspan='2'></p>" => "colspan",
    "<p aria-lable='a'></p>" => "aria-lable",
    "<svg><circle raduis='1'></circle></svg>" => "raduis",
    "holds a = 'b'\n<label htmlFor='<- a'></label>" => "htmlFor",
    "<bed-note crop='a' aria-lable='b'></bed-note>" => "aria-lable",
}
