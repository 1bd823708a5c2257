//! Components that always show each other: showing one would never end.

use super::Finding;

pub(crate) struct EndlessNesting {
    /// The components in order.
    pub(crate) circle: Vec<String>,
}

impl Finding for EndlessNesting {
    const CODE: &'static str = "endless-nesting";
    const ABOUT: &'static str = "Components that show each other under no condition: there would be no end";

    fn message(&self) -> String {
        let first = self.circle.first().map_or("", String::as_str);
        let tags: Vec<String> = self.circle.iter().map(|name| format!("<{name}>")).collect();
        format!("showing this never ends: {} → <{first}>", tags.join(" → "))
    }

    fn advice(&self) -> Vec<String> {
        vec!["put `when` or `each` on one of them, so that it ends where there is no more to show"
            .into()]
    }
}

#[cfg(test)]
super::examples! { EndlessNesting: "<p><test-bed></test-bed></p>" => "test-bed" }
