//! `value="<- "`: an arrow with nothing at its other end.

use super::Finding;

pub(crate) struct EmptyArrow;

impl Finding for EmptyArrow {
    const CODE: &'static str = "empty-arrow";
    const ABOUT: &'static str = "A `<-` or `<->` with nothing after it";

    fn message(&self) -> String {
        "nothing stands at the other end of this arrow".into()
    }

    fn advice(&self) -> Vec<String> {
        vec!["write what is shown: `value=\"<- bed.moisture\"`".into()]
    }
}

#[cfg(test)]
super::examples! { EmptyArrow: "<p title='<- '></p>" => "<-", "<p title='<->'></p>" => "<->" }
