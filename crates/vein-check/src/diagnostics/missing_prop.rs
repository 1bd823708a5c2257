//! `<bed-row></bed-row>`: a required prop is not given.

use super::Finding;

pub(crate) struct MissingProp {
    pub(crate) component: String,
    /// Each with its type.
    pub(crate) missing: Vec<(String, String)>,
}

impl Finding for MissingProp {
    const CODE: &'static str = "missing-prop";
    const ABOUT: &'static str = "A required prop that is not given";

    fn message(&self) -> String {
        let missing: Vec<String> =
            self.missing.iter().map(|(name, ty)| format!("`{name}: {ty}`")).collect();
        format!("`<{}>` needs {}", self.component, missing.join(", "))
    }

    fn advice(&self) -> Vec<String> {
        let Some((name, _)) = self.missing.first() else { return Vec::new() };
        vec![format!("give it: `{name}=\"<- …\"`; or declare a default there: `takes {name}: … = …`")]
    }
}

#[cfg(test)]
super::examples! { MissingProp: "<bed-note></bed-note>" => "bed-note" }
