//! `shape A = B[]` and `shape B = A?`.

use super::Finding;

pub(crate) struct CircularType {
    /// The names round the circle, from the one reported on.
    pub(crate) circle: Vec<String>,
}

impl Finding for CircularType {
    const CODE: &'static str = "circular-type";
    const ABOUT: &'static str = "A type that is made of itself, and is no record";

    fn message(&self) -> String {
        let first = &self.circle[0];
        format!("`{first}` is made of itself: {} → {first}", self.circle.join(" → "))
    }

    fn advice(&self) -> Vec<String> {
        vec!["a record may have itself in it: `shape Bed { inner: Bed[] }`".into()]
    }
}

#[cfg(test)]
super::examples! { CircularType:
    "shape A = A[]\ntakes a: A\n<p>{a.length}</p>" => "A",
    "shape A = B[]\nshape B = { a: A? }[]\ntakes a: A\n<p>{a.length}</p>" => "A",
}
