//! Pulses that may use up little, so that they end anywhere: in a handler, a derived value, a row that is made, a part that is
//! shown. Each is taken back, and the page is one that never saw it.

use crate::dressed::Wear;
use crate::generate::Random;
use crate::lively::{Lived, noted, was_nothing};
use crate::outside::{MOST_NODES, bed};
use crate::projects::{lively_project, project};
use crate::seeds::Seeds;
use crate::views::{compiled, misfits, shown};
use serde_json::Value as Json;
use vein_plan::Budget;
use vein_proof::Entry;
use vein_runtime::{Cause, Fault};

/// Little of one thing.
fn little(random: &mut Random) -> Budget {
    let all = Budget::default();
    match random.below(4) {
        0 => all,
        1 => Budget { steps: random.below(60) as u64, ..all },
        2 => Budget { bytes: random.below(4_000) as u64, ..all },
        _ => Budget { nodes: random.below(300) as u64, ..all },
    }
}

fn ran_out(entry: &Entry) -> bool {
    matches!(entry.pulse.fault, Some(Fault::OverBudget { .. }))
}

/// What the ledger says of a pulse but why: how a derived list came about is forgotten with a pulse that was taken back, and what
/// follows from it then follows from all of it.
fn without_causes(entry: &Entry) -> String {
    let said = noted(entry);
    let lines = said.lines().map(|line| line.split("  because ").next().unwrap_or(line).trim_end());
    lines.collect::<Vec<_>>().join("\n")
}

#[test]
fn random_pulses_that_run_out_never_were() {
    let seeds = Seeds::new(1_200);
    let (mut pulses, mut changed, mut out, mut after) = (0, 0, 0, 0);
    for seed in seeds.and(&[]) {
        let mut random = Random::new(seed);
        let files = match seed % 2 {
            0 => project(&mut random, Wear::Seed(seed)),
            _ => lively_project(&mut random, Wear::Seed(seed)),
        };
        let program = compiled(&files);
        let beds: Vec<Json> = (0..3).map(|_| bed(&mut random)).collect();
        let Some(mut page) = Lived::open(program.clone(), &beds) else { continue };
        let Some(mut twin) = Lived::open(program, &beds) else { continue };
        let mut has_run_out = false;
        for at in 0..seeds.steps(12) {
            if page.session.tree().len() > MOST_NODES {
                break;
            }
            let step = page.choose(&mut random);
            let before = page.whole();
            let budget = little(&mut random);
            page.session.allow(budget);
            let entries = page.step(&step);
            page.session.allow(Budget::default());
            let story =
                || format!("seed {seed}, step {at}, {step:?}, {budget:?}\n{}", shown(&files));
            for entry in &entries {
                let verdict = entry.verdict.as_ref().expect("proof is on");
                let problems = verdict.problems().join("\n");
                assert!(verdict.is_exact(), "{}\n{entry}\n{problems}", story());
                pulses += 1;
                changed += verdict.changed;
                after += usize::from(has_run_out && verdict.changed > 0);
                has_run_out |= ran_out(entry);
                out += usize::from(ran_out(entry));
            }
            let runtime = page.session.runtime();
            let wrong =
                [runtime.astray(), misfits(&page.session), runtime.misread().to_vec()].concat();
            assert!(wrong.is_empty(), "{}\n{wrong:?}", story());
            let wrong = [page.session.unasked(), page.session.outdated()].concat();
            assert!(wrong.is_empty(), "{}\n{wrong:?}", story());
            if entries.len() == 1 && was_nothing(&entries[0]) {
                // What was typed before, and would have been taken over now, goes back to what state says: the twin
                // holds it still.
                if matches!(&entries[0].pulse.cause, Cause::Event { kind, .. } if kind == "change")
                {
                    break;
                }
                assert_eq!(page.whole(), before, "{}\n{}", entries[0], story());
                continue;
            }
            // A timer has ticked, and what failed after others is not undone with them.
            if entries.iter().any(ran_out) {
                break;
            }
            let others = twin.step(&step);
            let told = |entries: &[Entry]| entries.iter().map(without_causes).collect::<Vec<_>>();
            assert_eq!(told(&entries), told(&others), "{}", story());
            assert_eq!(page.whole(), twin.whole(), "{}", story());
        }
    }
    if seeds.tell(pulses) {
        let reached = format!(
            "{pulses} pulses, {changed} changes, {out} ran out, {after} changed after that"
        );
        assert!(pulses > 6_000 && changed > pulses / 2 && out > 800 && after > 1_500, "{reached}");
    }
}
