//! Bits in a row.

/// Bits in a row, which can be counted, put in and taken out.
#[derive(Clone, Debug, Default)]
pub(crate) struct Bits {
    words: Vec<u64>,
    pub(crate) len: u32,
    pub(crate) ones: u32,
}

impl Bits {
    pub(crate) fn get(&self, at: u32) -> bool {
        self.words.get(at as usize / 64).is_some_and(|word| word >> (at % 64) & 1 == 1)
    }

    pub(crate) fn set(&mut self, at: u32, on: bool) {
        let (was, bit) = (self.get(at), 1u64 << (at % 64));
        if was == on {
            return;
        }
        self.words[at as usize / 64] ^= bit;
        self.ones = if on { self.ones + 1 } else { self.ones - 1 };
    }

    pub(crate) fn push(&mut self, on: bool) {
        if self.len.is_multiple_of(64) {
            self.words.push(0);
        }
        self.len += 1;
        self.set(self.len - 1, on);
    }

    /// How many are set before a position.
    pub(crate) fn rank(&self, at: u32) -> u32 {
        let (whole, rest) = (at as usize / 64, at % 64);
        let before: u32 =
            self.words[..whole.min(self.words.len())].iter().map(|w| w.count_ones()).sum();
        let last = self.words.get(whole).map_or(0, |word| (word & ((1 << rest) - 1)).count_ones());
        before + last
    }

    /// The position of the one that so many stand before.
    pub(crate) fn select(&self, mut rank: u32) -> Option<u32> {
        for (at, word) in self.words.iter().enumerate() {
            let ones = word.count_ones();
            if rank < ones {
                let mut word = *word;
                (0..rank).for_each(|_| word &= word - 1);
                return Some(at as u32 * 64 + word.trailing_zeros());
            }
            rank -= ones;
        }
        None
    }

    pub(crate) fn insert(&mut self, at: u32, on: bool) {
        self.push(false);
        let (first, rest) = (at as usize / 64, at % 64);
        let mut carry = 0;
        for (i, word) in self.words.iter_mut().enumerate().skip(first) {
            let low = if i == first { (1u64 << rest) - 1 } else { 0 };
            let kept = *word & low;
            let moved = *word & !low;
            let over = moved >> 63;
            *word = kept | (moved << 1) | if i == first { 0 } else { carry };
            carry = over;
        }
        self.set(at, on);
    }

    pub(crate) fn remove(&mut self, at: u32) {
        self.set(at, false);
        let (first, rest) = (at as usize / 64, at % 64);
        let words = self.words.len();
        for i in first..words {
            let low = if i == first { (1u64 << rest) - 1 } else { 0 };
            let kept = self.words[i] & low;
            let moved = (self.words[i] & !low) >> 1 & !low;
            let next = self.words.get(i + 1).map_or(0, |next| next & 1);
            self.words[i] = kept | moved | next << 63;
        }
        self.len -= 1;
        if self.len.is_multiple_of(64) {
            self.words.pop();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bits_are_counted_put_in_and_taken_out() {
        let mut seed = 7u64;
        let mut random = move |below: usize| {
            seed ^= seed << 13;
            seed ^= seed >> 7;
            seed ^= seed << 17;
            (seed % below as u64) as usize
        };
        let (mut bits, mut plain) = (Bits::default(), Vec::<bool>::new());
        for round in 0..20_000 {
            let on = random(2) == 0;
            match random(if round % 4_000 < 2_000 { 3 } else { 5 }) {
                0 | 1 => {
                    let at = random(plain.len() + 1);
                    bits.insert(at as u32, on);
                    plain.insert(at, on);
                }
                2 if !plain.is_empty() => {
                    let at = random(plain.len());
                    bits.set(at as u32, on);
                    plain[at] = on;
                }
                _ if !plain.is_empty() => {
                    let at = random(plain.len());
                    bits.remove(at as u32);
                    plain.remove(at);
                }
                _ => {}
            }
            let at = random(plain.len() + 1);
            let before = plain[..at].iter().filter(|on| **on).count();
            assert_eq!(bits.rank(at as u32) as usize, before);
            assert_eq!(bits.len as usize, plain.len());
            assert_eq!(bits.ones as usize, plain.iter().filter(|on| **on).count());
            let found = bits.select(before as u32);
            let next = (at..plain.len()).find(|at| plain[*at]);
            assert_eq!(found, next.map(|at| at as u32));
            assert_eq!(bits.words.len(), plain.len().div_ceil(64));
        }
    }
}
