//! Breaks the engine's own sources, one place at a time, and lists what no test of the engine notices: a copy of the
//! repository in which each place has a switch is compiled once. Each test says which places it comes by; then, with
//! one switch on after the other, those run that come by it, the shortest first, until one fails. `--file` takes the
//! files with that in their names, `--of 5` every fifth place, `--from 900` those from there on, `--only 3,14` these,
//! `--again said.txt` those that an earlier run listed, which it printed into that file.
//!
//! `same.txt` lists the places that make no difference when they are broken, each with the reason.

mod copy;
mod places;
mod tests;

use places::Place;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;
use tests::{Noticed, Tests};

fn main() {
    let argument = |name: &str| std::env::args().skip_while(|given| given != name).nth(1);
    let threads = argument("--threads").and_then(|n| n.parse().ok()).unwrap_or(2);
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("the repository");
    let copy = root.join("target/mutated");
    let places = copy::copied(root, &copy);
    println!("{} places", places.len());
    let same = same(root, &places);
    let tests = Tests::watched(&copy::compiled(&copy), &copy, places.len(), threads);
    let only = argument("--only");
    let only: Option<Vec<u32>> =
        only.map(|all| all.split(',').filter_map(|n| n.parse().ok()).collect());
    let file = argument("--file").unwrap_or_default();
    let part = argument("--of").and_then(|n| n.parse::<usize>().ok()).unwrap_or(1);
    let from = argument("--from").and_then(|n| n.parse().ok()).unwrap_or(0);
    let again = argument("--again").map(|file| std::fs::read_to_string(file).expect("a list"));
    let chosen = |&(at, place): &(usize, &Place)| {
        let number = at as u32 + 1;
        let listed = |list: &String| list.contains(&format!(": {place} (line "));
        let only = only.as_ref().is_none_or(|only| only.contains(&number));
        only && number >= from
            && again.as_ref().is_none_or(listed)
            && place.file.contains(&file)
            && at.is_multiple_of(part)
            && !same.contains(&place.to_string())
    };
    let all: Vec<(usize, &Place)> = places.iter().enumerate().filter(chosen).collect();
    let (next, begun) = (AtomicUsize::new(0), Instant::now());
    let counted = Mutex::new(BTreeMap::new());
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                while let Some((at, place)) = all.get(next.fetch_add(1, Ordering::Relaxed)) {
                    let number = *at as u32 + 1;
                    let noticed = tests.notice(number, place.file.ends_with("execute.rs"));
                    if matches!(noticed, Noticed::Not | Noticed::NotReached) {
                        println!("{number}: {}: {place} (line {})", noticed, place.line);
                    }
                    *counted.lock().expect("whole").entry(noticed.to_string()).or_insert(0) += 1;
                }
            });
        }
    });
    println!(
        "\n{} broken in turn, {} the same by reason; {:?}; {:.0} s",
        all.len(),
        same.len(),
        counted.lock().expect("whole"),
        begun.elapsed().as_secs_f64()
    );
}

/// The places that make no difference; those that there are no more are told.
fn same(root: &Path, places: &[Place]) -> BTreeSet<String> {
    let text = std::fs::read_to_string(root.join("mutate/same.txt")).unwrap_or_default();
    let places: BTreeSet<String> = places.iter().map(Place::to_string).collect();
    // A reason begins with `#`.
    let listed = text.lines().filter(|line| !line.is_empty() && !line.starts_with('#'));
    let (same, lost): (BTreeSet<String>, BTreeSet<String>) =
        listed.map(str::to_owned).partition(|line| places.contains(line));
    lost.iter().for_each(|line| println!("same.txt: there is no place `{line}`"));
    same
}
