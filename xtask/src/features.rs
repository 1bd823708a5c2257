//! Each feature of the program alone, none, and all, and the library without its own: every one builds
//! without a warning.

use crate::{cargo, succeeds};

const FEATURES: [&str; 4] = ["browser", "build", "locale", "serve"];

pub(crate) fn run() -> bool {
    let all = FEATURES.join(",");
    let sets = [""].into_iter().chain(FEATURES).chain([all.as_str()]);
    let programs = sets.map(|set| builds("vein-cli", set));
    // Every set is built, whatever became of the one before.
    programs.fold(true, |all, one| all & one) & builds("vein", "")
}

fn builds(package: &str, features: &str) -> bool {
    println!("== {package} with {}", if features.is_empty() { "no feature" } else { features });
    let build = ["clippy", "--quiet", "-p", package, "--no-default-features", "--features"];
    succeeds(cargo(&build).args([features, "--", "-D", "warnings"]))
}
