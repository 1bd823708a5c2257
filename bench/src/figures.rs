//! What was measured.

use serde::Deserialize;

/// The samples of one thing, in milliseconds: by hand, in Vein, and by hand again.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Sides {
    pub(crate) hand: Vec<f64>,
    pub(crate) vein: Vec<f64>,
    pub(crate) again: Vec<f64>,
}

/// One thing that is done to a page.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct What {
    pub(crate) group: String,
    pub(crate) name: String,
    /// The most that script may take of what it takes by hand.
    pub(crate) aim: f64,
    /// Whether frames are measured, too.
    pub(crate) frames: bool,
}

/// What it took.
#[derive(Debug)]
pub(crate) struct Measure {
    pub(crate) what: What,
    /// By itself, with the view hidden.
    pub(crate) script: Sides,
    /// With the frame that shows it.
    pub(crate) frame: Option<Sides>,
}

/// Until a page can be used, from the beginning of the navigation.
#[derive(Debug)]
pub(crate) struct Load {
    pub(crate) page: String,
    pub(crate) sides: Sides,
}

/// What a page takes of memory, in bytes.
#[derive(Debug)]
pub(crate) struct Memory {
    pub(crate) empty: f64,
    pub(crate) with_rows: f64,
    /// After so many rounds of sowing and uprooting 600 beds.
    pub(crate) after: Vec<(usize, f64)>,
}

/// What was sent for a page, in bytes, compressed with brotli: each file, and all of them.
#[derive(Clone, Debug)]
pub(crate) struct Size {
    pub(crate) page: String,
    pub(crate) files: Vec<(String, usize)>,
    pub(crate) all: usize,
}

/// Everything.
#[derive(Debug, Default)]
pub(crate) struct Figures {
    pub(crate) measures: Vec<Measure>,
    pub(crate) loads: Vec<Load>,
    pub(crate) memory: Vec<Memory>,
    pub(crate) sizes: Vec<Size>,
}

impl Figures {
    /// The geometric mean of all ratios of script; nothing where nothing was measured.
    pub(crate) fn mean(&self) -> Option<f64> {
        let logs: Vec<f64> = self.measures.iter().map(|one| one.script.ratio().ln()).collect();
        (!logs.is_empty()).then(|| (logs.iter().sum::<f64>() / logs.len() as f64).exp())
    }
}

impl Sides {
    /// What it takes in Vein, with what it takes by hand as 1.
    pub(crate) fn ratio(&self) -> f64 {
        let by_hand: Vec<f64> = self.hand.iter().chain(&self.again).copied().collect();
        median(&self.vein) / median(&by_hand)
    }

    /// What it takes by hand, with what it takes by hand as 1.
    pub(crate) fn control(&self) -> f64 {
        median(&self.again) / median(&self.hand)
    }

    /// The middle half of the ratios of single rounds.
    pub(crate) fn spread(&self) -> (f64, f64) {
        let by_hand = self.hand.iter().zip(&self.again).map(|(a, b)| (a + b) / 2.0);
        let mut ratios: Vec<f64> = self.vein.iter().zip(by_hand).map(|(v, h)| v / h).collect();
        ratios.sort_by(f64::total_cmp);
        (at(&ratios, 0.25), at(&ratios, 0.75))
    }
}

fn at(sorted: &[f64], share: f64) -> f64 {
    let last = sorted.len().saturating_sub(1) as f64;
    sorted.get((last * share).round() as usize).copied().unwrap_or(f64::NAN)
}

/// The middle of some figures.
pub(crate) fn median(figures: &[f64]) -> f64 {
    let mut sorted = figures.to_vec();
    sorted.sort_by(f64::total_cmp);
    (at(&sorted, 0.5) + at(&sorted, 0.499_999)) / 2.0
}
