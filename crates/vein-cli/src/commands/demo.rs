//! `vein demo`: the glasshouse, proven, with a tour.

use crate::arguments::Demo;
use crate::output::{self, Outcome};
use crate::project::Opened;
use crate::serve::{self, Ledger};
use anyhow::Result;
use serde_json::{Value as Json, json};
use vein::{Page, Pulse, Ui};

const COMPONENT: &str = "bed-card";
const SOURCES: &[(&str, &str)] =
    &[("bed-card.vein", include_str!("../../../../examples/glasshouse/bed-card.vein"))];
const DATA: &str = include_str!("../../../../examples/glasshouse/bed-card.json");
const STYLE: &str = include_str!("../../../../examples/glasshouse/glasshouse.css");

/// One stop of the tour: what to say, and what to do.
type Stop = (&'static str, fn(&mut Page) -> Result<Pulse, vein::Error>);

const TOUR: &[Stop] = &[
    ("Somebody clicks the button. State, derived values and parts follow:", |page| {
        page.find("button")?.click()
    }),
    ("Watered once more. The bed was moist enough already, so less changes:", |page| {
        page.find("button")?.click()
    }),
    ("The host raises the threshold. That is a pulse too:", |page| page.set("threshold", 45)),
    ("The host writes the value that is there. Nothing is touched:", |page| {
        page.set("threshold", 45)
    }),
    ("The host reports heavy rain. The button has nothing left to do:", |page| {
        page.set("moisture", 100)
    }),
];

pub(crate) fn run(demo: &Demo) -> Result<Outcome> {
    let ui = Ui::from_sources(SOURCES.iter().copied())?;
    let props: Json = serde_json::from_str(DATA)?;
    if demo.serve {
        let component = COMPONENT.to_owned();
        let styles = vec![STYLE.to_owned()];
        let opened = Opened { ui, component, props, styles, port: demo.port };
        return serve::run(opened, Ledger::Text);
    }
    let mut page = ui.open(COMPONENT, &props)?;
    if !demo.json {
        introduce(&page, &props);
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

fn introduce(page: &Page, props: &Json) {
    output::line(format!("The glasshouse's first component, `{COMPONENT}`, with {props}"));
    output::line(format!("renders this:\n\n{}", indented(&page.html_indented())));
}

fn indented(text: &str) -> String {
    text.lines().map(|line| format!("  {line}")).collect::<Vec<_>>().join("\n")
}
