//! Which random numbers the tests begin with: always the same, or those that are asked for.

/// The steps of a walk that failed once where shorter ones do not get.
pub const LONGER: usize = 40;

/// The seeds of a test.
pub struct Seeds {
    first: u64,
    count: u64,
    /// Whether others were asked for, as `cargo xtask soak` does.
    asked: bool,
}

impl Seeds {
    /// So many, from the first on, unless `VEIN_FIRST_SEED` and `VEIN_SEEDS` say otherwise.
    pub fn new(count: u64) -> Seeds {
        let asked = |name| std::env::var(name).ok().and_then(|n| n.parse::<u64>().ok());
        let first = asked("VEIN_FIRST_SEED");
        let count = asked("VEIN_SEEDS").unwrap_or(count);
        Seeds { first: first.unwrap_or(1), count, asked: first.is_some() }
    }

    /// How many steps each walk has: so many, unless `VEIN_STEPS` says otherwise.
    pub fn steps(&self, count: usize) -> usize {
        std::env::var("VEIN_STEPS").ok().and_then(|n| n.parse().ok()).unwrap_or(count)
    }

    /// All of them, and those that have failed once where no others are asked for; where none are, these alone.
    pub fn and(&self, once_failed: &[&[u64]]) -> impl Iterator<Item = u64> + use<> {
        let more = if self.asked && self.count > 0 { Vec::new() } else { once_failed.concat() };
        (self.first..self.first + self.count).chain(more)
    }

    /// Says how many pulses were judged, for whoever adds them up; `false` where there are so few seeds
    /// that nothing can be said of what the generator reaches.
    pub fn tell(&self, pulses: usize) -> bool {
        if self.asked {
            println!("pulses: {pulses}");
        }
        self.count >= 500
    }
}
