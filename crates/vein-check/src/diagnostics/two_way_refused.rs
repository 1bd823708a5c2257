//! `title="<-> name"`: a two-way binding where nobody could change the other side.

use super::Finding;

pub(crate) struct TwoWayRefused {
    pub(crate) name: String,
    pub(crate) why: String,
}

impl Finding for TwoWayRefused {
    const CODE: &'static str = "two-way-refused";
    const ABOUT: &'static str = "A two-way binding where it cannot be: not on a control, not of a type that a control can hold, or to a prop that is not shared";

    fn message(&self) -> String {
        format!("`{}` cannot be bound both ways here", self.name)
    }

    fn advice(&self) -> Vec<String> {
        vec![self.why.clone()]
    }
}

#[cfg(test)]
super::examples! { TwoWayRefused:
    "holds a = ''\n<p title='<-> a'></p>" => "title",
    "holds a = true\n<input value='<-> a'>" => "a",
    "holds a = 'x'\n<bed-note crop='<-> a'></bed-note>" => "<->",
    "holds a = 'x'\n<input type='checkbox' value='<-> a'>" => "value",
    "holds a = 'x'\n<input type='checkbox' picked='<-> a' value='x'>" => "picked",
    "holds a = [1]\n<bed-pair first='<-> a[0]'></bed-pair>" => "a[0]",
}
