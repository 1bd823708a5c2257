//! `upon change (a + 1)`

use super::Finding;

pub(crate) struct NotWatchable {
    /// What was written; nothing, where nothing was.
    pub(crate) written: Option<String>,
}

impl Finding for NotWatchable {
    const CODE: &'static str = "not-watchable";
    const ABOUT: &'static str = "A watch of what has no name, or of nothing";

    fn message(&self) -> String {
        match &self.written {
            Some(written) => format!("`{written}` cannot be watched: it is not the name of a value"),
            None => "this watches nothing, and so never runs".into(),
        }
    }

    fn advice(&self) -> Vec<String> {
        vec![match &self.written {
            Some(written) => format!(
                "give it a name, `derives watched = {written}`, and write `upon change (watched)`"
            ),
            None => "name what is watched: `upon change (litres, bed.crop)`".into(),
        }]
    }
}

#[cfg(test)]
super::examples! { NotWatchable:
    "holds a = 1\nupon change (a + 1) { a = 2 }\n<p>{a}</p>" => "a + 1",
    "holds a = [1]\nupon change (a[0]) { a = [2] }\n<p>{a.length}</p>" => "a[0]",
    "holds a = 1\nupon change () { a = 2 }\n<p>{a}</p>" => "upon change",
}
