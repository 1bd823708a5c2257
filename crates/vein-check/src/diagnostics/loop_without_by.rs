//! A loop over records that does not say what tells them apart.

use super::Finding;
use crate::report::{Fix, Severity};
use vein_syntax::Span;

pub(crate) struct LoopWithoutBy {
    pub(crate) item: String,
    /// A field that is likely to tell them apart.
    pub(crate) field: Option<String>,
    /// Where the attribute's value ends.
    pub(crate) end: u32,
}

impl Finding for LoopWithoutBy {
    const CODE: &'static str = "loop-without-by";
    const ABOUT: &'static str = "A loop over records without `by`: elements then belong to positions, not to items";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        "this loop over records does not say what tells them apart".into()
    }

    fn advice(&self) -> Vec<String> {
        let field = self.field.as_deref().unwrap_or("id");
        vec![format!(
            "add `by {}.{field}`: then an element, its focus and its state move with the item",
            self.item
        )]
    }

    fn fix(&self, _at: Span) -> Option<Fix> {
        let field = self.field.as_ref()?;
        let by = format!(" by {}.{field}", self.item);
        let at = Span { start: self.end, end: self.end };
        Some(Fix { title: format!("add `{}`", by.trim()), edits: vec![(at, by)], safe: false })
    }
}

#[cfg(test)]
super::examples! { LoopWithoutBy:
    "takes a: { id: number }[]\n<p each='b of a'>{b.id}</p>" => "each",
}
