//! `vein demo`: the glasshouse, proven, with a tour.

use crate::arguments::Demo;
use crate::output::{self, Outcome};
use crate::project::Opened;
use crate::serve::{self, Ledger};
use anyhow::Result;
use serde_json::json;
use vein::{Page, Pulse, Ui};

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
    component!("bed-card"),
    component!("bench-view"),
    component!("glass-house"),
    component!("panel-box"),
    component!("plant-form"),
    component!("tank-gauge"),
];
const DATA: &str = include_str!("../../../../examples/glasshouse/glass-house.json");
const STYLE: &str = include_str!("../../../../examples/glasshouse/glasshouse.css");

/// One stop of the tour: what to say, and what to do.
type Stop = (&'static str, fn(&mut Page) -> Result<Pulse, vein::Error>);

const TOUR: &[Stop] = &[
    ("Somebody waters the first bed. The event climbs from bed to bench to house:", |page| {
        page.find(".bed button.water")?.click()
    }),
    ("\"two\" is typed into the can. That is no number: state stays as it is:", |page| {
        page.find(".can input")?.input("two")
    }),
    ("The threshold is moved. Only what stands on the other side of it changes:", |page| {
        page.find("input[type=range]")?.input("20")
    }),
    ("Dry beds first. The fewest beds move, each with its nodes and its state:", |page| {
        page.find("label select")?.choose(&["dry"])
    }),
    ("A bed is removed. One row goes, the others are not touched:", |page| {
        page.find("button[title='Remove Lemon basil']")?.click()
    }),
    ("The host reports rain on the other bench. That is a pulse too:", |page| {
        page.set("benches[1].beds[0].moisture", 55)
    }),
    ("The host writes the value that is there. Nothing is touched:", |page| {
        page.set("benches[1].beds[0].moisture", 55)
    }),
];

pub(crate) fn run(demo: &Demo) -> Result<Outcome> {
    let ui = Ui::from_sources(SOURCES.iter().copied())?;
    let props = vein::json::parse(DATA)?;
    if demo.serve {
        let component = COMPONENT.to_owned();
        let styles = vec![STYLE.to_owned()];
        let opened = Opened { ui, component, props, styles, port: demo.port };
        return serve::run(opened, Ledger::Text);
    }
    let mut page = ui.page(COMPONENT).open_value(props)?;
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
