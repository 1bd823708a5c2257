//! The fewest moves: which of the kept rows stay where they are.

/// For runs in their new order, each with its old position and its length, which of them form
/// the longest that is in the old order too. The others have to move.
///
/// Runs do not overlap, so taking a whole run is never worse than taking a part of it.
pub(crate) fn staying(runs: &[(u32, u32)]) -> Vec<bool> {
    let mut stays = vec![true; runs.len()];
    if runs.windows(2).all(|pair| pair[0].0 < pair[1].0) {
        return stays;
    }
    let mut starts: Vec<u32> = runs.iter().map(|(start, _)| *start).collect();
    starts.sort_unstable();
    // A Fenwick tree over the old order: the heaviest chain that ends at or before a rank.
    let mut best: Vec<(u64, usize)> = vec![(0, usize::MAX); starts.len() + 1];
    let mut before = vec![usize::MAX; runs.len()];
    for (at, (start, len)) in runs.iter().enumerate() {
        let rank = starts.partition_point(|other| other < start);
        let (mut weight, mut last, mut i) = (0, usize::MAX, rank);
        while i > 0 {
            if best[i].0 > weight {
                (weight, last) = best[i];
            }
            i &= i - 1;
        }
        before[at] = last;
        let chain = (weight + u64::from(*len), at);
        let mut i = rank + 1;
        while i < best.len() {
            if chain.0 > best[i].0 {
                best[i] = chain;
            }
            i += i & i.wrapping_neg();
        }
    }
    let heaviest = best.iter().copied().max_by_key(|(weight, _)| *weight);
    stays.fill(false);
    let mut at = heaviest.map_or(usize::MAX, |(_, at)| at);
    while at != usize::MAX {
        stays[at] = true;
        at = before[at];
    }
    stays
}

#[cfg(test)]
mod tests {
    use super::staying;

    /// All ways to keep some runs in order, by trying each.
    fn heaviest(runs: &[(u32, u32)]) -> u32 {
        let ways = 0..1u32 << runs.len();
        let kept = |way: u32| {
            let chosen = runs.iter().enumerate().filter(move |(i, _)| way >> i & 1 == 1);
            chosen.map(|(_, run)| *run).collect::<Vec<_>>()
        };
        let in_order = |kept: &Vec<(u32, u32)>| kept.windows(2).all(|pair| pair[0].0 < pair[1].0);
        let weight = |kept: Vec<(u32, u32)>| kept.iter().map(|(_, len)| len).sum();
        ways.map(kept).filter(in_order).map(weight).max().unwrap_or(0)
    }

    #[test]
    fn as_much_stays_as_can() {
        let mut seed = 7u64;
        let mut random = move |below: u64| {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            (seed >> 33) % below
        };
        for _ in 0..500 {
            let mut runs: Vec<(u32, u32)> = Vec::new();
            let mut start = 0;
            for _ in 0..random(9) {
                let len = 1 + random(4) as u32;
                runs.push((start, len));
                start += len + random(2) as u32;
            }
            for i in (1..runs.len()).rev() {
                runs.swap(i, random(i as u64 + 1) as usize);
            }
            let stays = staying(&runs);
            let kept: Vec<(u32, u32)> =
                runs.iter().zip(&stays).filter(|(_, stays)| **stays).map(|(r, _)| *r).collect();
            assert!(kept.windows(2).all(|pair| pair[0].0 < pair[1].0), "{runs:?} {stays:?}");
            let weight: u32 = kept.iter().map(|(_, len)| len).sum();
            assert_eq!(weight, heaviest(&runs), "{runs:?} {stays:?}");
        }
    }
}
