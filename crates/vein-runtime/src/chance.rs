//! Chance that can be repeated.

/// A source of numbers that look like chance: a counter of 32 bits, mixed. Pages that begin with the same seed come to the
/// same.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Chance(pub(crate) u32);

impl Chance {
    /// A number from 0 up to 1 with 53 bits (ECMA-262, `Math.random`).
    pub(crate) fn next(&mut self) -> f64 {
        let (high, low) = (self.word() >> 5, self.word() >> 6);
        (f64::from(high) * 67_108_864.0 + f64::from(low)) / 9_007_199_254_740_992.0
    }

    fn word(&mut self) -> u32 {
        self.0 = self.0.wrapping_add(0x6d2b_79f5);
        let mixed = (self.0 ^ (self.0 >> 15)).wrapping_mul(self.0 | 1);
        let mixed = mixed ^ mixed.wrapping_add((mixed ^ (mixed >> 7)).wrapping_mul(mixed | 61));
        mixed ^ (mixed >> 14)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_spread_over_all_and_repeats_with_its_seed() {
        let numbers = |seed: u32| {
            let mut chance = Chance(seed);
            (0..10_000).map(|_| chance.next()).collect::<Vec<f64>>()
        };
        let all = numbers(7);
        assert_eq!(all, numbers(7));
        assert_ne!(all[..10], numbers(8)[..10]);
        for tenth in 0..10 {
            let within = all.iter().filter(|n| (**n * 10.0) as usize == tenth).count();
            assert!((850..1150).contains(&within), "{within} of 10,000 in tenth {tenth}");
        }
        let follows = all.windows(2).filter(|two| two[0] < 0.5 && two[1] < 0.5).count();
        assert!((2_300..2_700).contains(&follows), "{follows}");
    }
}
