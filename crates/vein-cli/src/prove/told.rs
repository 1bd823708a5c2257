//! What the terminal is told of a run.

use super::{Proved, Run, file_of};
use crate::arguments::Prove;
use crate::output;
use std::time::Duration;
use vein::scenario::{Finding, Pairing, SeenPart};
use vein::visible;
use vein::{Coverage, CoverageKind, Mistake, Played, PlayedStep, ScenarioFile, Ui};

const BOLD: &str = "\u{1b}[1m";
const DIM: &str = "\u{1b}[2m";
const GREEN: &str = "\u{1b}[32m";
const RED: &str = "\u{1b}[1;31m";
const PLAIN: &str = "\u{1b}[0m";

/// So many scenarios that do not hold are told of step by step: one mistake often breaks many.
const MOST_TOLD: usize = 5;

/// Other mistakes of a step that was done.
const ABOUT_OUTCOME: [&str; 4] = ["not-in-view", "state", "given", "asked"];

/// Mistakes of a step that the table of changes tells of.
const ABOUT_CHANGES: [&str; 4] = ["not-stated", "not-seen", "unknown-part", "otherwise"];

pub(super) fn proved(prove: &Prove, ui: &Ui, proved: &Proved, styled: bool) {
    let width = output::widest(proved.runs.iter().map(|run| &run.name));
    let mut left: Vec<&str> = Vec::new();
    let mut told = 0;
    for run in &proved.runs {
        output::line(summary(run, width));
        if prove.ledger {
            ledger(run);
        }
        if run.holds() {
            continue;
        }
        told += 1;
        if told <= MOST_TOLD {
            failure(ui, run);
        } else {
            left.push(&run.name);
        }
    }
    if !left.is_empty() {
        let names = left.join(", ");
        output::line(format!("\nof these, `vein prove NAME` tells more: {names}"));
    }
    totals(proved);
    if styled && !prove.browser {
        output::line(
            "style sheets are not applied here: what they hide is known only with --browser",
        );
    }
    coverage(prove.coverage, ui, &proved.coverage);
    let warnings = ui.report().map_or(0, vein::Report::warnings);
    if !proved.holds() && warnings > 0 {
        output::line(format!(
            "the components have {}: see `vein check`",
            count(warnings, "warning")
        ));
    }
}

/// One line for a scenario.
fn summary(run: &Run, width: usize) -> String {
    let mark = match run.holds() {
        true => format!("{GREEN}ok{PLAIN}    "),
        false => format!("{RED}FAILED{PLAIN}"),
    };
    let counted = match &run.played {
        Ok((file, played)) => {
            let steps = file.scenario().steps.len();
            let pulses = played.entries().count();
            format!("{:>9}  {:>10}", count(steps, "step"), count(pulses, "pulse"))
        }
        Err(_) => format!("{:>9}  {:>10}", "", "not played"),
    };
    let title = run.played.as_ref().ok().and_then(|(file, _)| file.scenario().title.clone());
    let title = title.map_or(String::new(), |title| format!("  {DIM}{}{PLAIN}", visible(&title)));
    let browser = match &run.in_browser {
        Some(browser) => format!("  Chromium {:>8}", duration(browser.took)),
        None => String::new(),
    };
    format!("{mark}  {:<width$}  {counted}  {:>8}{browser}{title}", run.name, duration(run.took))
}

/// `1 step`, `3 steps`.
/// What acceptance wrote, step by step: `step 2: 3 changes`.
pub(super) fn accepted(played: &Played) -> String {
    const MOST: usize = 6;
    let step = |step: &PlayedStep| {
        let mut wrote = Vec::new();
        if step.pairings.iter().any(|pairing| pairing.finding != Finding::Agrees) {
            let seen = step.pairings.iter().filter(|pairing| !pairing.seen.is_empty());
            wrote.push(count(seen.count(), "change"));
        }
        let is = |code: &str| step.mistakes.iter().any(|mistake| mistake.code == code);
        wrote.extend(is("given").then(|| "events".to_owned()));
        wrote.extend(is("asked").then(|| "questions".to_owned()));
        (!wrote.is_empty()).then(|| format!("step {}: {}", step.number, wrote.join(", ")))
    };
    let mut steps: Vec<String> = played.steps.iter().filter_map(step).collect();
    if steps.len() > MOST {
        let more = steps.len() - MOST;
        steps.truncate(MOST);
        steps.push(format!("{} more", count(more, "step")));
    }
    steps.join(" · ")
}

pub(super) fn count(n: usize, what: &str) -> String {
    format!("{n} {what}{}", if n == 1 { "" } else { "s" })
}

pub(super) fn duration(took: Duration) -> String {
    let ms = took.as_secs_f64() * 1000.0;
    if ms < 10.0 {
        format!("{ms:.1} ms")
    } else if ms < 1000.0 {
        format!("{ms:.0} ms")
    } else {
        format!("{:.1} s", ms / 1000.0)
    }
}

fn ledger(run: &Run) {
    let Ok((_, played)) = &run.played else { return };
    for step in &played.steps {
        let number = match step.number {
            0 => String::new(),
            number => format!("{number} · "),
        };
        output::line(format!("\n  {BOLD}{number}{}{PLAIN}", step.action));
        for entry in &step.seen.entries {
            for line in output::ledger(entry).lines() {
                output::line(format!("    {line}"));
            }
        }
        if step.seen.entries.is_empty() {
            output::line("    no pulse: nothing hears it");
        }
    }
    output::line("");
}

fn failure(ui: &Ui, run: &Run) {
    let (file, played) = match &run.played {
        Ok(played) => played,
        Err(vein::Error::Scenario(report)) => {
            output::line(format!("\n{}", report.text(output::colour(&std::io::stdout()))));
            return;
        }
        Err(error) => {
            output::line(format!("\n  {}: {error}\n", output::path(&run.path)));
            return;
        }
    };
    steps_failed(ui, run, file, played, "");
    match run.in_browser.as_ref().map(|browser| &browser.played) {
        Some(Ok(played)) => steps_failed(ui, run, file, played, "in Chromium · "),
        Some(Err(why)) => output::line(format!("\n  in Chromium: {why}")),
        None => {}
    }
    output::line("");
}

fn steps_failed(ui: &Ui, run: &Run, file: &ScenarioFile, played: &Played, place: &str) {
    for step in played.steps.iter().filter(|step| !step.holds()) {
        let number = match step.number {
            0 => "when it is opened".to_owned(),
            number if number > file.scenario().steps.len() => "at the end".to_owned(),
            number => format!("step {number}"),
        };
        output::line(format!(
            "\n  {BOLD}{} · {place}{number} · {}{PLAIN}\n",
            visible(&run.name),
            visible(&step.action)
        ));
        for line in step_failure(ui, file, step).lines() {
            output::line(format!("  {line}").trim_end());
        }
    }
    if played.left_out > 0 {
        let left = count(played.left_out, "step");
        output::line(format!("\n  {left} after that could not be played."));
    }
}

/// What does not hold in a step: changes side by side, then the rest.
fn step_failure(ui: &Ui, file: &ScenarioFile, step: &PlayedStep) -> String {
    let colour = output::colour(&std::io::stdout());
    let [changes, others] = reports(file, step);
    let mut out = String::new();
    if let Some(changes) = changes {
        out.push_str(&format!("{}\n{}", changes.text(colour), side_by_side(ui, step)));
    }
    if let Some(others) = others {
        let between = if out.is_empty() { "" } else { "\n" };
        out.push_str(&format!("{between}{}", others.text(colour)));
    }
    let about_outcome = |mistake: &Mistake| {
        ABOUT_CHANGES.contains(&mistake.code) || ABOUT_OUTCOME.contains(&mistake.code)
    };
    if step.seen.entries.is_empty() && step.mistakes.iter().all(about_outcome) {
        let said = "there was no pulse: nothing heard that, and nothing was due";
        out.push_str(&format!("\n{DIM}{said}{PLAIN}\n"));
    }
    let ran = &step.seen.ran;
    let width = output::widest(ran.iter().map(|ran| &ran.name));
    for (at, ran) in ran.iter().enumerate() {
        let head = if at == 0 { "\nwhat ran  " } else { "          " };
        out.push_str(&format!(
            "{head}{:<width$}  {DIM}{}{PLAIN}\n",
            ran.name,
            place(ui, &ran.origin)
        ));
    }
    out
}

/// What does not hold in a step, where there is something: one report for all of its changes, and one
/// for the rest.
pub(super) fn reports(file: &ScenarioFile, step: &PlayedStep) -> [Option<vein::Report>; 2] {
    let about = |mistake: &&Mistake| ABOUT_CHANGES.contains(&mistake.code);
    let changes: Vec<&Mistake> = step.mistakes.iter().filter(about).collect();
    let others: Vec<Mistake> =
        step.mistakes.iter().filter(|mistake| !about(mistake)).cloned().collect();
    let first = changes.first();
    let changes = first.map(|first| changed_otherwise(file, first, &changes));
    [changes, (!others.is_empty()).then(|| file.report(&others))]
}

/// One report for all changes of a step that are not as stated.
fn changed_otherwise(file: &ScenarioFile, first: &Mistake, all: &[&Mistake]) -> vein::Report {
    let of = |code: &str| all.iter().filter(|mistake| mistake.code == code).count();
    let kinds = [
        (of("not-stated"), "changes that is not stated", "change that are not stated"),
        (
            of("not-seen"),
            "does not change, though it is stated",
            "do not change, though they are stated",
        ),
        (of("otherwise"), "changes in another way", "change in another way"),
        (of("unknown-part"), "is stated that there is not", "are stated that there are not"),
    ];
    let said: Vec<String> = kinds
        .iter()
        .filter(|(count, ..)| *count > 0)
        .map(|(n, one, many)| format!("{} {}", count(*n, "part"), if *n == 1 { one } else { many }))
        .collect();
    let stated: Vec<&&Mistake> =
        all.iter().filter(|mistake| mistake.code != "not-stated").collect();
    let main = stated.first().map_or(first, |mistake| **mistake);
    let mut report = file.report(&[Mistake {
        code: "not-as-stated",
        message: said.join(" · "),
        label: if stated.is_empty() {
            "this is all that is stated".into()
        } else {
            main.label.clone()
        },
        advice: Vec::new(),
        ..main.clone()
    }]);
    if let Some(diagnostic) = report.diagnostics.first_mut() {
        let more = stated.iter().skip(1);
        let other = file.report(&more.map(|mistake| (**mistake).clone()).collect::<Vec<_>>());
        diagnostic.related =
            other.diagnostics.into_iter().map(|more| (more.span, more.label)).collect();
        // Where parts were written, the columns below tell.
        let unknown = stated.iter().filter(|mistake| mistake.code == "unknown-part");
        let advice = unknown.flat_map(|mistake| &mistake.advice).cloned();
        // What the first most likely meant is a fix of its own.
        let meant = stated.iter().skip(1).filter_map(|mistake| mistake.instead.as_ref());
        let meant = meant.map(|instead| format!("did you mean `{}`?", instead.trim_matches('"')));
        diagnostic.advice = advice.chain(meant).collect();
        let mut said: Vec<String> = Vec::new();
        diagnostic.advice.retain(|line| {
            let new = !said.contains(line);
            said.push(line.clone());
            new
        });
    }
    report
}

/// What was stated and what was seen, in two columns, with causes and places below.
fn side_by_side(ui: &Ui, step: &PlayedStep) -> String {
    let wrong: Vec<&Pairing> =
        step.pairings.iter().filter(|pairing| pairing.finding != Finding::Agrees).collect();
    let stated = |pairing: &Pairing| match &pairing.stated {
        Some((stated, _)) => stated.clone(),
        None => "nothing".into(),
    };
    let widest = wrong.iter().map(|pairing| stated(pairing).chars().count()).max().unwrap_or(0);
    let width = widest.clamp(6, 60);
    let mut out = format!("{BOLD}  {:<width$}  seen{PLAIN}\n", "stated");
    for pairing in &wrong {
        let parts: Vec<&SeenPart> = pairing.seen.iter().map(|at| &step.seen.parts[*at]).collect();
        let seen = match (parts.as_slice(), &pairing.stated) {
            ([], _) => "no change".to_owned(),
            ([part], Some((stated, _))) if *stated == part.address => part.effect.to_string(),
            ([part], _) => format!("{}  {}", part.address, part.effect),
            (parts, _) => count(parts.len(), "part"),
        };
        out.push_str(&format!("{RED}✗{PLAIN} {:<width$}  {seen}\n", stated(pairing)));
        let mut below = |what: &str, text: String| {
            out.push_str(&format!("  {:<width$}  {DIM}{what} {text}{PLAIN}\n", ""));
        };
        if let [part] = parts.as_slice() {
            if !part.because.is_empty() {
                below("because", part.because.join(" ← "));
            }
            below("written at", place(ui, &part.origin));
        }
        if let Some(origin) = &pairing.origin {
            below("written at", place(ui, origin));
        }
    }
    let agree = step.pairings.len() - wrong.len();
    if agree > 0 {
        out.push_str(&format!("{DIM}  {} as stated{PLAIN}\n", count(agree, "more change")));
    }
    out
}

/// `ui/bed-card.vein:12:3`
fn place(ui: &Ui, origin: &vein::scenario::Origin) -> String {
    format!("{}:{}:{}", file_of(ui, &origin.component), origin.line, origin.column)
}

fn totals(proved: &Proved) {
    let played = proved.runs.iter().filter_map(|run| run.played.as_ref().ok());
    let steps: usize = played.clone().map(|(file, _)| file.scenario().steps.len()).sum();
    let pulses: usize = played.map(|(_, played)| played.entries().count()).sum();
    let failed = proved.runs.iter().filter(|run| !run.holds()).count();
    let counted = format!(
        "{}, {}, {}",
        count(proved.runs.len(), "scenario"),
        count(steps, "step"),
        count(pulses, "pulse")
    );
    let verdict = match failed {
        0 => format!("{GREEN}all exact, and all as stated{PLAIN}"),
        failed => format!("{RED}{} not hold{PLAIN}", does(failed)),
    };
    output::line(format!("\n{counted}: {verdict} · {}", duration(proved.took)));
}

fn does(failed: usize) -> String {
    if failed == 1 { "1 does".into() } else { format!("{failed} do") }
}

fn coverage(list: bool, ui: &Ui, coverage: &Coverage) {
    let kinds = CoverageKind::ALL.map(|kind| {
        let (seen, all) = coverage.of_kind(kind);
        format!("{} {seen} of {all}", kind.plural())
    });
    let missing = coverage.missing();
    let hint = match (missing.is_empty(), list) {
        (false, false) => " · `vein prove --coverage` lists the rest",
        _ => "",
    };
    // Nearly all is not all.
    let percent = (coverage.percent() * 10.0).floor() / 10.0;
    output::line(format!("coverage {percent} %: {}{hint}", kinds.join(", ")));
    if !list || missing.is_empty() {
        return;
    }
    output::line("");
    let head = ["never seen", "what", "written at"].map(str::to_owned);
    let rows = missing
        .iter()
        .map(|item| [item.kind.never().to_owned(), item.name.clone(), place(ui, &item.origin)]);
    let rows: Vec<[String; 3]> = std::iter::once(head).chain(rows).collect();
    output::line(output::columns(&rows));
}
