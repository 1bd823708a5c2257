//! Back and forth: a tab's page shown as it was after a pulse, and gone on with from there.

use super::looked::shown;
use super::{Stage, Tab};
use anyhow::{Context, Result, bail};
use tokio::time::Instant;

impl Tab {
    /// Has the page shown as it was at a moment of its history; at the last one, as it is.
    pub(super) fn go(&mut self, moment: u64) -> Result<()> {
        let watch = self.watch.as_ref().context("nothing is noted of this page")?;
        let moments = watch.history.moments();
        if watch.recorded.is_on() {
            bail!("a recording goes on: end it first");
        }
        if !moments.contains(&moment) {
            bail!("what the page was then is not kept any more");
        }
        let is_shown = match &self.past {
            Some((at, _)) => *at == moment,
            None => moment + 1 == moments.end,
        };
        if self.stage == Stage::Holding {
            self.wanted = Some(moment);
        } else if self.stage != Stage::Shown {
            bail!("the page is not shown");
        } else if !is_shown {
            self.wanted = Some(moment);
            self.stage = Stage::Holding;
            self.to_tab.tell("hold", true);
        }
        Ok(())
    }

    /// The tab holds still: it is shown the moment that was wanted. `false` if it is to be shown what is.
    pub(super) fn went(&mut self) -> bool {
        let (Some(moment), Some(watch)) = (self.wanted.take(), &self.watch) else { return false };
        let Some(served) = self.state.served.clone() else { return false };
        if moment + 1 >= watch.history.moments().end || self.marks.code != served.marks.code {
            return false;
        }
        let Some(held) = watch.history.held(moment) else { return false };
        let opening = self.opening(&served).map(|opening| opening.proven(false));
        let opened = opening.and_then(|opening| opening.open_with(self.props.clone(), &held));
        match opened {
            Ok((mut past, _)) => {
                past.record(true);
                let shown = shown(&mut self.past, &mut self.page);
                let Some(mates) = shown.map(|shown| past.mates(shown)) else { return false };
                self.tell_renewed(&mates, &served.title);
                self.to_tab.patches(past.opening());
                self.past = Some((moment, past));
                self.tell_past();
            }
            Err(why) => {
                self.to_tab.tell("release", true);
                self.note(format!("the page cannot be shown as it was: {why}"));
            }
        }
        true
    }

    /// Says in the page when that was.
    pub(super) fn tell_past(&mut self) {
        self.to_tab.tell("past", self.past.as_ref().map(|(moment, _)| moment));
        if let Some(watch) = &mut self.watch {
            (watch.tree, watch.stale) = (None, true);
        }
    }

    /// Something new is done where the page is shown as it was: it goes on from there, and what came later is dropped.
    pub(super) fn go_on(&mut self) {
        let Some((moment, mut past)) = self.past.take() else { return };
        for id in std::mem::take(&mut self.host.asked).into_keys() {
            self.to_tab.tell("drop", id);
        }
        if let Some(watch) = &mut self.watch {
            watch.forget_after(moment);
            past.prove(watch.proves(&past));
        }
        // What was is closed.
        self.page = Some(past);
        self.clock = Instant::now();
        self.tell_past();
    }
}
