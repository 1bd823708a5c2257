//! Stores that use each other.

use super::Finding;

pub(crate) struct StoreCircle {
    /// The stores round the circle.
    pub(crate) circle: Vec<String>,
}

impl Finding for StoreCircle {
    const CODE: &'static str = "store-circle";
    const ABOUT: &'static str = "Stores that use each other in a circle";

    fn message(&self) -> String {
        let first = self.circle.first().map_or("", String::as_str);
        format!("the store `{first}` uses itself: {} → {first}", self.circle.join(" → "))
    }

    fn advice(&self) -> Vec<String> {
        vec!["move what both need into a third store, or let a component call both".into()]
    }
}

#[cfg(test)]
super::examples! { StoreCircle:
    "store a\nuses a\nderives b = a.b" => "a",
}
