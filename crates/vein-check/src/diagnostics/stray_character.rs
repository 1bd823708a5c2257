//! A character that code does not use.

use super::Finding;

pub(crate) struct StrayCharacter {
    pub(crate) character: char,
}

impl Finding for StrayCharacter {
    const CODE: &'static str = "stray-character";
    const ABOUT: &'static str = "A character that expressions and declarations do not use";

    fn message(&self) -> String {
        format!("the character `{}` has no meaning here", self.character.escape_debug())
    }

    fn advice(&self) -> Vec<String> {
        vec![match self.character {
            '#' => "a comment begins with `//`".into(),
            '‘' | '’' | '“' | '”' => "strings stand in straight quotes: `'…'`".into(),
            '@' => "an event is bound with an arrow: `click=\"-> …\"`".into(),
            _ => "text goes in quotes".into(),
        }]
    }
}

#[cfg(test)]
super::examples! { StrayCharacter:
    "# a comment\n<p>a</p>" => "#",
    "<p>{“a”}</p>" => "“",
}
