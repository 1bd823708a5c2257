//! `(`, `[` or `{` in code that is never closed.

use super::Finding;

pub(crate) struct UnclosedBracket {
    pub(crate) bracket: char,
}

impl Finding for UnclosedBracket {
    const CODE: &'static str = "unclosed-bracket";
    const ABOUT: &'static str = "A bracket or brace in code that is never closed";

    fn message(&self) -> String {
        format!("this `{}` is never closed", self.bracket)
    }

    fn label(&self) -> String {
        "opened here".into()
    }

    fn advice(&self) -> Vec<String> {
        let close = match self.bracket {
            '(' => ')',
            '[' => ']',
            _ => '}',
        };
        vec![format!("add `{close}` where it ends")]
    }
}

#[cfg(test)]
super::examples! { UnclosedBracket:
    "does a() { give b()\ngives b()\n<p click='-> a()'>c</p>" => "{",
    "<p title='<- (1 + 2'></p>" => "(",
}
