//! `vein demo`: the glasshouse, proven, with a tour.

use crate::arguments::Demo;
use crate::output::{self, Outcome};
use anyhow::{Context, Result};
use serde_json::json;
use vein::{Page, Pulse, ScenarioFile, Ui, Value};

const COMPONENT: &str = "glass-house";

macro_rules! of_the_glasshouse {
    ($($path:literal,)+) => {
        &[$(($path, include_str!(concat!("../../../../examples/glasshouse/", $path))),)+]
    };
}

/// The files of the glasshouse, as they stood when this was compiled, by their paths.
const GLASSHOUSE: &[(&str, &str)] = of_the_glasshouse![
    "alarm-bell.vein",
    "bed-card.vein",
    "bench-view.vein",
    "can-count.vein",
    "glass-house.json",
    "glass-house.vein",
    "glasshouse.css",
    "host.js",
    "panel-box.vein",
    "plant-form.vein",
    "sky-forecast.vein",
    "tank-gauge.vein",
    "vein.toml",
    "water-tank.vein",
    "scenarios/alarm-goes-on.scenario.toml",
    "scenarios/alarm.scenario.toml",
    "scenarios/bench-alone.scenario.toml",
    "scenarios/bigger-tank.scenario.toml",
    "scenarios/drop.scenario.toml",
    "scenarios/empty-frame.scenario.toml",
    "scenarios/empty-tank.scenario.toml",
    "scenarios/forecast-changes.scenario.toml",
    "scenarios/forecast-comes.scenario.toml",
    "scenarios/forecast-fails.scenario.toml",
    "scenarios/forecast-latest.scenario.toml",
    "scenarios/gauge-alone.scenario.toml",
    "scenarios/host-writes.scenario.toml",
    "scenarios/keyboard.scenario.toml",
    "scenarios/more-than-there-is.scenario.toml",
    "scenarios/no-benches.scenario.toml",
    "scenarios/no-number.scenario.toml",
    "scenarios/order.scenario.toml",
    "scenarios/plant-a-bed.scenario.toml",
    "scenarios/plant-nothing.scenario.toml",
    "scenarios/plant-trims.scenario.toml",
    "scenarios/plant-with-enter.scenario.toml",
    "scenarios/remove-a-bed.scenario.toml",
    "scenarios/remove-all-beds.scenario.toml",
    "scenarios/rename.scenario.toml",
    "scenarios/search-white-space.scenario.toml",
    "scenarios/search.scenario.toml",
    "scenarios/sensor.scenario.toml",
    "scenarios/sensors-of-all.scenario.toml",
    "scenarios/threshold.scenario.toml",
    "scenarios/water-a-bed.scenario.toml",
    "scenarios/water-a-full-bed.scenario.toml",
    "scenarios/water-with-more.scenario.toml",
];

/// The text of one of its files.
fn file(path: &str) -> Result<&'static str> {
    let found = GLASSHOUSE.iter().find(|(known, _)| *known == path);
    Ok(found.with_context(|| format!("the demo holds no `{path}`"))?.1)
}

/// The names and texts of the files of one of its folders with an ending, in the order of their names.
fn files(folder: &str, ending: &str) -> Vec<(&'static str, &'static str)> {
    let inside = GLASSHOUSE.iter().filter_map(|(path, text)| {
        let name = path.strip_prefix(folder)?;
        (!name.contains('/') && name.ends_with(ending)).then_some((name, *text))
    });
    inside.collect()
}

/// One stop of the tour: what to say, and what to do.
type Stop = (&'static str, fn(&mut Page) -> Result<Pulse>);

const TOUR: &[Stop] = &[
    (
        "Somebody waters the first bed. Its event climbs to the house, which draws from the tank; two\n\
      components that know nothing of each other show that:",
        |page| Ok(page.find(".bed button.water")?.click()?),
    ),
    ("The can's field is emptied. That is no number: state stays as it is:", |page| {
        Ok(page.find(".can input")?.input("")?)
    }),
    ("The threshold is moved. Only what stands on the other side of it changes:", |page| {
        Ok(page.find("input[type=range]")?.input("20")?)
    }),
    ("The forecast, which was asked for when the page was opened, fails:", |page| {
        answer(page, "fetch_forecast", Err("the weather station is silent".into()))
    }),
    ("Somebody asks again, and it waits with its own placeholder:", |page| {
        Ok(page.find(".missing button")?.click()?)
    }),
    ("The answer is there:", |page| {
        let sky = json!({ "sky": "showers", "degrees": 11, "rain": 6 });
        answer(page, "fetch_forecast", Ok(sky.into()))
    }),
    ("The first bed's moisture sensor sends its first reading:", |page| {
        answer(page, "moisture_sensor", Ok(41.0.into()))
    }),
    ("And its second. The watch gives the difference to the house:", |page| {
        answer(page, "moisture_sensor", Ok(38.5.into()))
    }),
    ("Five seconds later a bed is still thirsty. The alarm rings:", |page| {
        page.advance(5000.0)?.pop().context("no timer was due")
    }),
    ("Dry beds first. The fewest beds move, each with its nodes and its state:", |page| {
        Ok(page.find("label select")?.choose(&["dry"])?)
    }),
    ("A bed is removed. One row goes, and its sensor is let go:", |page| {
        Ok(page.find("button[title='Remove Lemon basil']")?.click()?)
    }),
    ("The host reports rain on the other bench. That is a pulse too:", |page| {
        Ok(page.set("benches[1].beds[0].moisture", 55)?)
    }),
    ("The host calls a handler of the store:", |page| Ok(page.call("tank.refill", ())?)),
    ("The host writes the value that is there. Nothing is touched:", |page| {
        Ok(page.set("benches[1].beds[0].moisture", 55)?)
    }),
];

/// Answers the first question to a function that is open.
fn answer(page: &mut Page, function: &str, answer: Result<Value, String>) -> Result<Pulse> {
    let question = page.questions().iter().find(|question| &*question.function == function);
    let id = question.context("the tour answers what nobody asks")?.id;
    page.answer(id, answer)?.context("the tour answers what nobody waits for")
}

pub(crate) fn run(demo: &Demo) -> Result<Outcome> {
    let ui = Ui::from_sources(files("", ".vein"))?;
    let props = vein::json::parse(file("glass-house.json")?)?;
    if demo.serve {
        return served(demo.port, ui, props);
    }
    let page = ui.page(COMPONENT).answer("season", || "late autumn").manual_answers();
    let mut page = page.open_value(props)?;
    if !demo.json {
        introduce(&page)?;
    }
    let mut inexact = 0;
    for (said, act) in TOUR {
        let pulse = act(&mut page)?;
        inexact += usize::from(pulse.assert_exact().is_err());
        if demo.json {
            output::line(pulse.json());
        } else {
            output::line(format!("\n{said}\n{}", indented(&output::ledger(&pulse))));
        }
    }
    let pulses = TOUR.len();
    let scenarios = scenarios(&ui)?;
    if demo.json {
        let told = json!({
            "pulses": pulses,
            "inexact": inexact,
            "scenarios": scenarios.all,
            "failed": scenarios.failed,
        });
        output::line(told);
    } else if inexact == 0 {
        output::line(format!(
            "\n{pulses} pulses, every one exact: held against the view rendered afresh."
        ));
        output::line(scenarios.said());
        output::line("See it in a browser: vein demo --serve");
    } else {
        output::line(format!("\n{inexact} of {pulses} pulses were not exact."));
        output::line(scenarios.said());
    }
    Ok(Outcome::of(inexact == 0 && scenarios.failed.is_empty()))
}

/// Serves it, with a host that its settings simulate.
#[cfg(feature = "serve")]
fn served(port: u16, ui: Ui, props: Value) -> Result<Outcome> {
    use crate::project::Planned;
    use crate::serve::{Ledger, Manner, Source};
    let mut planned = Planned::plain(ui, COMPONENT, props, file("vein.toml")?)?;
    planned.styles = vec![file("glasshouse.css")?.to_owned()];
    let manner = Manner { port: Some(port), ledger: Ledger::Text, open: false };
    crate::serve::run(Source::Fixed(Box::new(planned)), manner)
}

#[cfg(not(feature = "serve"))]
fn served(_: u16, _: Ui, _: Value) -> Result<Outcome> {
    crate::left_out("serve")
}

/// The scenarios of the glasshouse, played.
struct Scenarios {
    all: usize,
    steps: usize,
    pulses: usize,
    failed: Vec<String>,
}

impl Scenarios {
    fn said(&self) -> String {
        let Scenarios { all, steps, pulses, failed } = self;
        let verdict = match failed.as_slice() {
            [] => "each step changed exactly what it states.".to_owned(),
            failed => format!("these do not hold: {}", failed.join(", ")),
        };
        format!("{all} scenarios with {steps} steps and {pulses} pulses: {verdict}")
    }
}

fn scenarios(ui: &Ui) -> Result<Scenarios> {
    let mut played = Scenarios { all: 0, steps: 0, pulses: 0, failed: Vec::new() };
    for (name, text) in files("scenarios/", vein::SCENARIO_ENDING) {
        let data = |path: &str| {
            let name = path.trim_start_matches("../");
            file(name).map(str::to_owned).map_err(std::io::Error::other)
        };
        let scenario = ScenarioFile::from_text_with(name, text, &data)?;
        let outcome = scenario.play(ui)?;
        played.all += 1;
        played.steps += scenario.scenario().steps.len();
        played.pulses += outcome.entries().count();
        if !outcome.holds() {
            played.failed.push(scenario.name().to_owned());
        }
    }
    Ok(played)
}

/// What the tour begins with: the page in numbers, and one bed of it as it stands in HTML.
fn introduce(page: &Page) -> Result<()> {
    let (benches, beds) = (page.count(".bench")?, page.count(".bed")?);
    let parts = page
        .outline()
        .iter()
        .filter(|row| row.source.as_ref().is_some_and(|source| !source.listens))
        .count();
    output::line(format!(
        "The glasshouse: {benches} benches with {beds} beds, {parts} places that can change. One bed:"
    ));
    let bed = page.html_of(".bed")?;
    output::line(format!("\n{}", indented(&bed)));
    Ok(())
}

fn indented(text: &str) -> String {
    text.lines().map(|line| format!("  {line}")).collect::<Vec<_>>().join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn no_file_of_the_glasshouse_is_left_out() {
        let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/glasshouse/");
        let mut there = BTreeSet::new();
        for inside in ["", "scenarios/"] {
            let entries = std::fs::read_dir(format!("{root}{inside}")).expect("a folder");
            let files = entries.flatten().filter(|entry| entry.path().is_file());
            there.extend(files.map(|file| inside.to_owned() + &file.file_name().to_string_lossy()));
        }
        let listed: BTreeSet<String> =
            GLASSHOUSE.iter().map(|(path, _)| (*path).to_owned()).collect();
        assert_eq!(listed, there);
    }
}
