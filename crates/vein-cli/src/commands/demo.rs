//! `vein demo`: the glasshouse, proven, with a tour.

use crate::arguments::Demo;
use crate::output::{self, Outcome};
use crate::project;
use crate::project::Opened;
use crate::serve::{self, Ledger};
use anyhow::{Context, Result};
use serde_json::json;
use vein::{Page, Pulse, Ui, Value};

const COMPONENT: &str = "glass-house";

macro_rules! component {
    ($name:literal) => {
        (
            concat!($name, ".vein"),
            include_str!(concat!("../../../../examples/glasshouse/", $name, ".vein")),
        )
    };
}

const SOURCES: &[(&str, &str)] = &[
    component!("alarm-bell"),
    component!("bed-card"),
    component!("bench-view"),
    component!("can-count"),
    component!("glass-house"),
    component!("panel-box"),
    component!("plant-form"),
    component!("sky-forecast"),
    component!("tank-gauge"),
    component!("water-tank"),
];
const SETTINGS: &str = include_str!("../../../../examples/glasshouse/vein.toml");
const DATA: &str = include_str!("../../../../examples/glasshouse/glass-house.json");
const STYLE: &str = include_str!("../../../../examples/glasshouse/glasshouse.css");

/// One stop of the tour: what to say, and what to do.
type Stop = (&'static str, fn(&mut Page) -> Result<Pulse>);

const TOUR: &[Stop] = &[
    (
        "Somebody waters the first bed. Its event climbs to the house, which draws from the tank; two\n\
      components that know nothing of each other show that:",
        |page| Ok(page.find(".bed button.water")?.click()?),
    ),
    ("\"two\" is typed into the can. That is no number: state stays as it is:", |page| {
        Ok(page.find(".can input")?.input("two")?)
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
    let ui = Ui::from_sources(SOURCES.iter().copied())?;
    let props = vein::json::parse(DATA)?;
    if demo.serve {
        let component = COMPONENT.to_owned();
        let styles = vec![STYLE.to_owned()];
        let answers = project::answers(SETTINGS)?;
        let opened = Opened { ui, component, props, styles, port: demo.port, answers };
        return serve::run(opened, Ledger::Text);
    }
    let page = ui.page(COMPONENT).answer("season", || "late autumn").answered_by_hand();
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
    if demo.json {
        output::line(json!({ "pulses": pulses, "inexact": inexact }));
    } else if inexact == 0 {
        output::line(format!(
            "\n{pulses} pulses, every one exact: held against the view rendered afresh."
        ));
        output::line("See it in a browser: vein demo --serve");
    } else {
        output::line(format!("\n{inexact} of {pulses} pulses were not exact."));
    }
    Ok(Outcome::of(inexact == 0))
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
