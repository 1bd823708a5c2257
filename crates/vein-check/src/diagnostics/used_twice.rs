//! `id="crop"` on two elements, or on each row of a loop; `class="bed bed"`.

use super::Finding;
use crate::report::Severity;

pub(crate) enum UsedTwice {
    /// Two elements that can stand in the view together.
    Id(String),
    /// Every row of a loop.
    RowId(String),
    /// Every instance of a component of which there may be several.
    InstanceId(String, String),
    /// The radio buttons of every such instance.
    Group(String, String),
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
            UsedTwice::InstanceId(id, of) => format!("every `<{of}>` has the id `{id}`, and there may be several"),
            UsedTwice::Group(name, of) => {
                format!("the radio buttons of every `<{of}>` are called `{name}`: to a browser they are one group")
            }
            UsedTwice::Class(class) => format!("the class `{class}` is written twice"),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match self {
            UsedTwice::Id(_) => "labels and links find only the first: give it an id of its own, or a class".into(),
            UsedTwice::RowId(id) => {
                format!("put what tells rows apart into it, such as `id=\"{id}-{{item.id}}\"`, or give a class")
            }
            UsedTwice::InstanceId(id, _) => {
                format!("declare it, `names {0}`, and write `id=\"<- {0}\"`, and `for=\"<- {0}\"` where a label means it", plain(id))
            }
            UsedTwice::Group(name, _) => {
                format!("declare it, `names {0}`, and write `name=\"<- {0}\"`: each has a group of its own then", plain(name))
            }
            UsedTwice::Class(_) => "once is enough".into(),
        }]
    }
}

/// A name as code can write it.
fn plain(id: &str) -> String {
    let letters = id.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' });
    let plain: String = letters.collect();
    match plain.starts_with(|c: char| c.is_ascii_digit()) {
        true => format!("id_{plain}"),
        false => plain,
    }
}
