//! `id="crop"` on two elements, or on each row of a loop; `class="bed bed"`.

use super::Finding;
use crate::report::Severity;

pub(crate) enum UsedTwice {
    /// Two elements that can stand in the view together.
    Id(String),
    /// Every row of a loop.
    RowId(String),
    /// One attribute.
    Class(String),
}

impl Finding for UsedTwice {
    const CODE: &'static str = "used-twice";
    const ABOUT: &'static str = "An id that two elements have, or a class that is written twice";
    const SEVERITY: Severity = Severity::Warning;

    fn message(&self) -> String {
        match self {
            UsedTwice::Id(id) => format!("another element here has the id `{id}` already"),
            UsedTwice::RowId(id) => format!("every row has the id `{id}`"),
            UsedTwice::Class(class) => format!("the class `{class}` is written twice"),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self {
            UsedTwice::Id(_) => "labels and links find only the first: give it an id of its own, or a class".into(),
            UsedTwice::RowId(id) => {
                format!("put what tells rows apart into it, such as `id=\"{id}-{{item.id}}\"`, or give a class")
            }
            UsedTwice::Class(_) => "once is enough".into(),
        }]
    }
}
