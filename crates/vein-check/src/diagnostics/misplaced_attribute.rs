//! An attribute of the language where it means nothing, or that lacks what it needs.

use super::Finding;

pub(crate) struct MisplacedAttribute {
    pub(crate) name: String,
    pub(crate) advice: String,
}

impl Finding for MisplacedAttribute {
    const CODE: &'static str = "misplaced-attribute";
    const ABOUT: &'static str = "An attribute of the language where it means nothing, or without what it needs";

    fn message(&self) -> String {
        format!("`{}` cannot stand here like this", self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![self.advice.clone()]
    }
}

#[cfg(test)]
super::examples! { MisplacedAttribute:
    "<p when>a</p>" => "when",
    "<p each>a</p>" => "each",
    "<p slot='actions'>a</p>" => "slot",
    "<group class='a'>b</group>" => "class",
    "<p data-of='a'>b</p>" => "data-of",
    "<any>a</any>" => "any",
    "<any tag='p'>a</any>" => "tag",
    "takes a: string\n<p html='<- a'>b</p>" => "html",
    "takes a: string\n<input type='radio' value='a' picked='<- a'>" => "picked",
    "<slot name='a' crop='b'></slot>" => "crop",
    "<p click='->'>a</p>" => "->",
}
