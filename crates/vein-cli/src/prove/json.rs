//! The outcome as JSON.

use super::{Proved, Run, file_of};
use serde_json::{Value as Json, json};
use vein::{CoverageKind, PlayedStep, ScenarioFile, Ui};

pub(super) fn proved(ui: &Ui, proved: &Proved) -> Json {
    let coverage = &proved.coverage;
    let kinds = CoverageKind::ALL.map(|kind| {
        let (seen, all) = coverage.of_kind(kind);
        (kind.plural().to_owned(), json!({ "seen": seen, "all": all }))
    });
    let missing = coverage.missing().into_iter().map(|item| {
        json!({
            "kind": item.kind.plural(),
            "never": item.kind.never(),
            "name": item.name,
            "file": file_of(ui, &item.origin.component),
            "line": item.origin.line,
            "column": item.origin.column,
        })
    });
    let mut counted: serde_json::Map<String, Json> = kinds.into_iter().collect();
    counted.insert("percent".into(), json!(coverage.percent()));
    counted.insert("missing".into(), missing.collect());
    json!({
        "holds": proved.holds(),
        "scenarios": proved.runs.iter().map(scenario).collect::<Vec<_>>(),
        "coverage": counted,
        "milliseconds": milliseconds(proved.took),
    })
}

fn milliseconds(took: std::time::Duration) -> f64 {
    (took.as_secs_f64() * 1e6).round() / 1e3
}

fn scenario(run: &Run) -> Json {
    let (steps, mistakes, left_out) = match &run.played {
        Ok((file, played)) => {
            let steps = played.steps.iter().map(|told| step(file, told)).collect();
            (steps, json!([]), played.left_out)
        }
        Err(vein::Error::Scenario(report)) => (Vec::new(), report.json()["diagnostics"].clone(), 0),
        Err(error) => (Vec::new(), json!([{ "message": error.to_string() }]), 0),
    };
    json!({
        "name": run.name,
        "file": crate::output::path(&run.path),
        "holds": run.holds(),
        "steps": steps,
        "not_played": left_out,
        "mistakes": mistakes,
        "in_browser": in_browser(run),
        "milliseconds": milliseconds(run.took),
    })
}

/// What does not hold in the browser, where it was played there.
fn in_browser(run: &Run) -> Json {
    let Some(browser) = &run.in_browser else { return Json::Null };
    let (holds, mistakes) = match (&browser.played, &run.played) {
        (Ok(played), Ok((file, _))) => {
            let mistakes: Vec<_> = played.mistakes().cloned().collect();
            (played.holds(), file.report(&mistakes).json()["diagnostics"].clone())
        }
        (Err(why), _) => (false, json!([{ "message": why }])),
        (_, Err(_)) => (false, json!([])),
    };
    let steps = browser.steps_took.iter().map(|took| {
        json!({ "milliseconds": milliseconds(took.all), "browser_alone": milliseconds(took.own) })
    });
    json!({
        "holds": holds,
        "mistakes": mistakes,
        "steps": steps.collect::<Vec<_>>(),
        "milliseconds": milliseconds(browser.took),
    })
}

fn step(file: &ScenarioFile, step: &PlayedStep) -> Json {
    let parts = step.seen.parts.iter().map(|part| {
        json!({
            "part": part.address,
            "effect": part.effect.to_string(),
            "because": part.because,
            "written_at": part.origin.to_string(),
        })
    });
    let ran = step
        .seen
        .ran
        .iter()
        .map(|ran| json!({ "name": ran.name, "written_at": ran.origin.to_string() }));
    json!({
        "number": step.number,
        "action": step.action,
        "note": step.note,
        "holds": step.holds(),
        "changes": parts.collect::<Vec<_>>(),
        "ran": ran.collect::<Vec<_>>(),
        "pulses": step.seen.entries.iter().map(vein::Pulse::json).collect::<Vec<_>>(),
        "mistakes": file.report(&step.mistakes).json()["diagnostics"],
    })
}
