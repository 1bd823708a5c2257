//! Near misses: what somebody who wrote a wrong name most likely meant.

/// The candidate closest to `written`, when it is close enough to be what was meant.
///
/// ```
/// use vein_plan::nearest;
/// assert_eq!(nearest("moistre", ["crop", "moisture"]), Some("moisture"));
/// assert_eq!(nearest("x", ["crop", "moisture"]), None);
/// ```
pub fn nearest<'a>(
    written: &str,
    candidates: impl IntoIterator<Item = &'a str>,
) -> Option<&'a str> {
    let mut near = Near::to(written);
    let mut best: Option<(usize, &str)> = None;
    for candidate in candidates {
        let most = best.map_or(near.most, |(least, _)| least - 1);
        if candidate != written
            && let Some(distance) = near.distance(candidate, most)
        {
            best = Some((distance, candidate));
            if distance == 0 {
                break;
            }
        }
    }
    best.map(|(_, candidate)| candidate)
}

/// A word that others are held against, and what that takes.
struct Near {
    word: Vec<char>,
    /// How far away something may be that was meant.
    most: usize,
    other: Vec<char>,
    /// Three rows of a table.
    rows: [Vec<usize>; 3],
}

impl Near {
    fn to(word: &str) -> Near {
        let word: Vec<char> = word.chars().map(|c| c.to_ascii_lowercase()).collect();
        let most = (word.len() / 3).max(1);
        Near { word, most, other: Vec::new(), rows: Default::default() }
    }

    /// Insertions, deletions, replacements and swaps of neighbours between the word and another (the
    /// optimal string alignment distance), if there are so many at most; differences of case alone count nothing.
    fn distance(&mut self, other: &str, most: usize) -> Option<usize> {
        let Near { word: a, other: b, rows: [before, above, row], .. } = self;
        b.clear();
        b.extend(other.chars().map(|c| c.to_ascii_lowercase()));
        if a.len().abs_diff(b.len()) > most {
            return None;
        }
        above.clear();
        above.extend(0..=b.len());
        for i in 1..=a.len() {
            row.clear();
            row.push(i);
            let mut nearest = i;
            for j in 1..=b.len() {
                let replaced = above[j - 1] + usize::from(a[i - 1] != b[j - 1]);
                let mut least = replaced.min(above[j] + 1).min(row[j - 1] + 1);
                if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                    least = least.min(before[j - 2] + 1);
                }
                nearest = nearest.min(least);
                row.push(least);
            }
            // A swap looks back two rows, and costs one.
            if nearest > most + 1 {
                return None;
            }
            std::mem::swap(before, above);
            std::mem::swap(above, row);
        }
        Some(above[b.len()]).filter(|distance| *distance <= most)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn near_and_far() {
        let distance = |a, b, most| Near::to(a).distance(b, most);
        assert_eq!(distance("taek", "take", 9), Some(1));
        assert_eq!(distance("Crop", "crop", 9), Some(0));
        assert_eq!(distance("", "abc", 3), Some(3));
        assert_eq!(distance("", "abc", 2), None);
        assert_eq!(distance("moistrue", "moisture", 1), Some(1));
        assert_eq!(nearest("crpo", ["crop", "drop"]), Some("crop"));
        assert_eq!(nearest("tank", ["bench", "bed"]), None);
    }
}
