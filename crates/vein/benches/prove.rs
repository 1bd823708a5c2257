//! What proof costs: scenarios of the glasshouse, and one pulse of a view of a thousand parts.
//! `cargo bench -p vein --bench prove`

use std::path::Path;
use std::time::{Duration, Instant};
use vein::{Page, ScenarioFile, Ui, scenarios_in};

const GLASSHOUSE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/glasshouse");

/// A thousand parts: one class and one text for each of five hundred beds.
const WIDE: &str = "
takes beds: { id: number, moisture: number }[]
holds threshold = 30
<p each='bed of beds by bed.id' class=\"{bed.moisture < threshold ? 'dry' : 'moist'}\">{bed.moisture - threshold}</p>
";

fn main() {
    steps();
    pulses();
}

/// Plays the glasshouse's scenarios on two threads until they have made a thousand steps.
fn steps() {
    let ui = Ui::from_dir(GLASSHOUSE).expect("the glasshouse checks");
    let files = scenarios_in(Path::new(GLASSHOUSE).join("scenarios")).expect("a folder");
    let files: Vec<ScenarioFile> =
        files.iter().map(|path| ScenarioFile::read(path).expect("a scenario")).collect();
    let steps: usize = files.iter().map(|file| file.scenario().steps.len()).sum();
    let rounds = 1000usize.div_ceil(steps).next_multiple_of(2);
    let begun = Instant::now();
    std::thread::scope(|scope| {
        for _ in 0..2 {
            scope.spawn(|| {
                for _ in 0..rounds / 2 {
                    for file in &files {
                        assert!(file.play(&ui).expect("it plays").holds(), "{}", file.name());
                    }
                }
            });
        }
    });
    let all = steps * rounds;
    let took = begun.elapsed();
    let thousand = took * 1000 / u32::try_from(all).expect("a few");
    println!(
        "glasshouse, {all} steps with proof on two threads: {took:?}; 1,000 steps: {thousand:?}"
    );
}

fn page(proven: bool, recorded: bool) -> Page {
    let beds: Vec<_> =
        (0..500).map(|id| serde_json::json!({ "id": id, "moisture": id % 60 })).collect();
    let ui = Ui::from_sources([("wide-bench.vein", WIDE)]).expect("it checks");
    let page = ui.page("wide-bench").proven(proven);
    let mut page = page.open(serde_json::json!({ "beds": beds })).expect("beds");
    page.record(recorded);
    page
}

/// Does something with a page, a little otherwise each time.
type Pulse = fn(&mut Page, u32);

/// The median of many pulses.
fn median(page: &mut Page, mut pulse: impl FnMut(&mut Page, u32)) -> Duration {
    let mut times: Vec<Duration> = (0..400)
        .map(|round| {
            let begun = Instant::now();
            pulse(page, round);
            begun.elapsed()
        })
        .collect();
    times.sort_unstable();
    times[times.len() / 2]
}

fn pulses() {
    let all = |page: &mut Page, round: u32| {
        let pulse = page.set("threshold", 30 + round % 2).expect("a pulse");
        assert_eq!(pulse.pulse.fault, None);
    };
    let one = |page: &mut Page, round: u32| {
        let pulse = page.set("beds[250].moisture", 10 + round % 2).expect("a pulse");
        assert_eq!(pulse.pulse.fault, None);
    };
    let both: [(&str, Pulse); 2] = [("every text", all), ("one bed", one)];
    for (what, pulse) in both {
        let bare = median(&mut page(false, false), pulse);
        let recorded = median(&mut page(false, true), pulse);
        let proven = median(&mut page(true, true), pulse);
        let proof = proven.saturating_sub(recorded);
        println!(
            "1,000 parts, a pulse that changes {what}: {bare:?}, recorded {recorded:?}, proven \
             {proven:?}; proof costs {:.1} times the recorded pulse",
            proof.as_secs_f64() / recorded.as_secs_f64()
        );
    }
}
