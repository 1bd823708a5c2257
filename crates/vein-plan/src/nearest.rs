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
    let most = (written.chars().count() / 3).max(1);
    candidates
        .into_iter()
        .map(|candidate| (distance(written, candidate), candidate))
        .filter(|(distance, candidate)| *distance <= most && *candidate != written)
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, candidate)| candidate)
}

/// Insertions, deletions, replacements and swaps of neighbours between two words (the
/// optimal string alignment distance); differences of case alone count nothing.
fn distance(a: &str, b: &str) -> usize {
    let (a, b): (Vec<char>, Vec<char>) =
        (a.to_ascii_lowercase().chars().collect(), b.to_ascii_lowercase().chars().collect());
    let mut before: Vec<usize> = Vec::new();
    let mut above: Vec<usize> = (0..=b.len()).collect();
    for i in 1..=a.len() {
        let mut row = vec![i];
        for j in 1..=b.len() {
            let replaced = above[j - 1] + usize::from(a[i - 1] != b[j - 1]);
            let mut least = replaced.min(above[j] + 1).min(row[j - 1] + 1);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                least = least.min(before[j - 2] + 1);
            }
            row.push(least);
        }
        before = std::mem::replace(&mut above, row);
    }
    above[b.len()]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn near_and_far() {
        assert_eq!(distance("taek", "take"), 1);
        assert_eq!(distance("Crop", "crop"), 0);
        assert_eq!(distance("", "abc"), 3);
        assert_eq!(nearest("crpo", ["crop", "drop"]), Some("crop"));
        assert_eq!(nearest("tank", ["bench", "bed"]), None);
    }
}
