//! What a page held after each of its pulses, to go back to.

use crate::error::Error;
use crate::opening::PageBuilder;
use crate::page::Page;
use vein_plan::Value;
use vein_plan::timeline::Timeline;

/// What a page held at each moment that was noted, within a bound on memory: the oldest is dropped first. Of each moment only what has
/// changed is kept.
///
/// ```
/// let ui = vein::Ui::from_sources([("a-count.vein", "holds n = 0\n<button click='-> n++'>{n}</button>")])?;
/// let mut page = ui.open("a-count", ())?;
/// let mut history = vein::History::new(64 << 20);
/// history.note(&mut page);
/// for _ in 0..5 {
///     page.find("button")?.click()?;
///     history.note(&mut page);
/// }
/// let then = history.open(2, ui.page("a-count"))?.expect("it is kept");
/// assert_eq!(then.html(), "<button>2</button>");
/// history.forget_after(2);
/// assert_eq!(history.moments(), 0..3);
/// # Ok::<(), vein::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct History {
    held: Timeline,
}

impl History {
    /// An empty one, that takes so many bytes at most, as far as that can be told.
    pub fn new(most: usize) -> History {
        History { held: Timeline::new(most) }
    }

    /// Notes what a page holds now: after it was opened, and after each pulse.
    pub fn note(&mut self, page: &mut Page) {
        self.held.push(page.held());
    }

    /// The moments that are kept, by their numbers: the first that was noted is 0.
    pub fn moments(&self) -> std::ops::Range<u64> {
        self.held.range()
    }

    /// How many bytes they take, about.
    pub fn size(&self) -> usize {
        self.held.weight()
    }

    /// What the page held then, as [`Page::held`] gave it.
    pub fn held(&self, moment: u64) -> Option<Value> {
        self.held.at(moment)
    }

    /// Opens a page as it was then; `None` where that is not kept. What was asked then and is not answered there is asked again by
    /// whoever drives it.
    ///
    /// # Errors
    /// As [`PageBuilder::open`].
    pub fn open(&self, moment: u64, opening: PageBuilder) -> Result<Option<Page>, Error> {
        let Some(held) = self.held(moment) else { return Ok(None) };
        opening.open_with(Value::Null, &held).map(|(page, _)| Some(page))
    }

    /// Forgets what came after a moment, since something else is done from there.
    pub fn forget_after(&mut self, moment: u64) {
        self.held.truncate(moment);
    }
}
