//! The figures as text, and as a chart.

use crate::figures::{Figures, Load, Measure, Sides, Size, median};
use anyhow::{Context, Result};
use std::fmt::Write;
use std::path::Path;

const DOCUMENT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../docs/performance.md");
const CHART: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../docs/browser-figures.svg");
const BEGIN: &str = "<!-- made by `cargo xtask bench-browser --write`: begin -->";
const END: &str = "<!-- made by `cargo xtask bench-browser --write`: end -->";

const FRAME_AIM: f64 = 1.02;
const MEAN_AIM: f64 = 1.0;
const LOAD_AIM: f64 = 1.15;
const ROW_AIM: f64 = 1.05;
/// One bed of 60,000 beside one of 600.
const REACH_AIM: f64 = 1.2;
const SIZE_AIMS: [(&str, usize); 4] = [
    ("count-up", 2500),
    ("many-beds", 6000),
    ("glass-house", 16_000),
    ("bed-card --element", 9000),
];

/// A measure on one line.
pub(crate) fn line(measure: &Measure) -> String {
    let side = |sides: &Sides| {
        let (low, high) = sides.spread();
        format!(
            "{} by hand, {} in Vein: {:.2} ({low:.2} to {high:.2}), control {:.2}",
            time(median(&sides.hand)),
            time(median(&sides.vein)),
            sides.ratio(),
            sides.control()
        )
    };
    let frame = measure.frame.as_ref().map(|frame| format!("\n  frame  {}", side(frame)));
    format!(
        "{}: {}\n  script {}{}",
        measure.what.group,
        measure.what.name,
        side(&measure.script),
        frame.unwrap_or_default()
    )
}

/// A load on one line.
pub(crate) fn load_line(load: &Load) -> String {
    let Load { page, sides } = load;
    format!(
        "load {page}: {} by hand, {} in Vein: {:.2}, control {:.2}",
        time(median(&sides.hand)),
        time(median(&sides.vein)),
        sides.ratio(),
        sides.control()
    )
}

fn time(milliseconds: f64) -> String {
    match milliseconds {
        m if m < 0.1 => format!("{:.2} µs", m * 1000.0),
        m if m < 1.0 => format!("{:.0} µs", m * 1000.0),
        m => format!("{m:.1} ms"),
    }
}

fn kilobytes(bytes: usize) -> String {
    format!("{:.1} kB", bytes as f64 / 1000.0)
}

fn verdict(met: bool) -> &'static str {
    if met { "met" } else { "**not met**" }
}

/// Puts the figures and their chart into the documentation.
pub(crate) fn write(figures: &Figures) -> Result<()> {
    let whole = std::fs::read_to_string(DOCUMENT)?;
    let (before, rest) =
        whole.split_once(BEGIN).context("docs/performance.md has no place for it")?;
    let (_, after) = rest.split_once(END).context("the place in docs/performance.md has no end")?;
    std::fs::write(DOCUMENT, format!("{before}{BEGIN}\n{}{END}{after}", markdown(figures)))?;
    std::fs::write(Path::new(CHART), chart(&figures.measures))?;
    Ok(())
}

fn markdown(figures: &Figures) -> String {
    let mut out = String::new();
    let mean = figures.mean().unwrap_or(f64::NAN);
    let _ = writeln!(
        out,
        "\nThe geometric mean of all ratios of script is {mean:.2}, where {MEAN_AIM:.2} is the aim: {}.",
        verdict(mean <= MEAN_AIM)
    );
    let water = |name: &str| {
        let found = figures.measures.iter().find(|m| m.what.name == name);
        found.map_or(f64::NAN, |m| median(&m.script.vein))
    };
    let reach = water("water one of 60,000") / water("water one of 600");
    let _ = writeln!(
        out,
        "One bed of 60,000 is watered in {reach:.2} times the time that one of 600 takes, where {REACH_AIM:.2} is the aim: {}.",
        verdict(reach <= REACH_AIM)
    );
    out.push_str(
        "\n| script, view hidden | by hand | in Vein | ratio | middle half | control | aim | |\n\
         |---|---|---|---|---|---|---|---|\n",
    );
    for measure in &figures.measures {
        let aim = measure.what.aim;
        let met = verdict(measure.script.ratio() <= aim);
        let _ = writeln!(out, "{} {aim:.2} | {met} |", row(&full(measure), &measure.script));
    }
    out.push_str(
        "\n| frame, view shown | by hand | in Vein | ratio | middle half | control | aim | |\n\
         |---|---|---|---|---|---|---|---|\n",
    );
    for measure in &figures.measures {
        let Some(frame) = &measure.frame else { continue };
        let met = verdict(frame.ratio() <= FRAME_AIM);
        let _ = writeln!(out, "{} {FRAME_AIM:.2} | {met} |", row(&full(measure), frame));
    }
    out.push_str(
        "\n| cold load until ready | by hand | in Vein | ratio | middle half | control | aim | |\n\
         |---|---|---|---|---|---|---|---|\n",
    );
    for load in &figures.loads {
        let met = verdict(load.sides.ratio() <= LOAD_AIM);
        let _ = writeln!(out, "{} {LOAD_AIM:.2} | {met} |", row(&load.page, &load.sides));
    }
    memory(&mut out, figures);
    sizes(&mut out, &figures.sizes);
    out
}

fn full(measure: &Measure) -> String {
    format!("{}: {}", measure.what.group, measure.what.name)
}

fn row(name: &str, sides: &Sides) -> String {
    let (low, high) = sides.spread();
    format!(
        "| {name} | {} | {} | {:.2} | {low:.2} to {high:.2} | {:.2} |",
        time(median(&sides.hand)),
        time(median(&sides.vein)),
        sides.ratio(),
        sides.control()
    )
}

fn memory(out: &mut String, figures: &Figures) {
    let [hand, vein] = &figures.memory[..] else { return };
    let ratio = vein.per_row() / hand.per_row();
    let _ = writeln!(
        out,
        "\n| memory | by hand | in Vein | ratio | aim | |\n|---|---|---|---|---|---|\n\
         | the page without rows | {} | {} | | – | |\n\
         | a row, of 6,000 | {:.0} bytes | {:.0} bytes | {ratio:.2} | {ROW_AIM:.2} | {} |",
        kilobytes(hand.empty as usize),
        kilobytes(vein.empty as usize),
        hand.per_row(),
        vein.per_row(),
        verdict(ratio <= ROW_AIM)
    );
    // Flat is what does not grow from a tenth of the rounds to all of them.
    let (early, (all, last)) = match &vein.after[..] {
        [_, (_, early), .., last] => (*early, *last),
        _ => return,
    };
    let flat = |rounds: usize| if rounds == all { verdict(last <= early * 1.02) } else { "" };
    for ((rounds, by_hand), (_, in_vein)) in hand.after.iter().zip(&vein.after) {
        let what = match rounds {
            0 => "6,000 beds sown and uprooted".to_owned(),
            rounds => format!("600 beds sown and uprooted {rounds} times"),
        };
        let (by_hand, in_vein) = (kilobytes(*by_hand as usize), kilobytes(*in_vein as usize));
        let _ = writeln!(out, "| {what} | {by_hand} | {in_vein} | | flat | {} |", flat(*rounds));
    }
}

fn sizes(out: &mut String, sizes: &[Size]) {
    out.push_str(
        "\n| what is sent, with brotli | scripts | page, styles, data | all | aim | |\n\
         |---|---|---|---|---|---|\n",
    );
    for Size { page, files, all } in sizes {
        let script = |path: &str| path.ends_with("js");
        let scripts: usize =
            files.iter().filter(|(path, _)| script(path)).map(|(_, size)| size).sum();
        let aim = SIZE_AIMS.iter().find(|(name, _)| name == page).map(|(_, aim)| *aim);
        let met = aim.map_or("", |aim| verdict(*all <= aim));
        let aim = aim.map_or("–".to_owned(), kilobytes);
        let _ = writeln!(
            out,
            "| {page} | {} | {} | {} | {aim} | {met} |",
            kilobytes(scripts),
            kilobytes(all.saturating_sub(scripts)),
            kilobytes(*all)
        );
    }
    out.push('\n');
}

/// The chart of script and frame times: a bar for each, with what it takes by hand as 1.
fn chart(measures: &[Measure]) -> String {
    const LEFT: f64 = 420.0;
    const WIDE: f64 = 370.0;
    const ROW: f64 = 30.0;
    const TOP: f64 = 70.0;
    let ratios = measures
        .iter()
        .flat_map(|m| [Some(&m.script), m.frame.as_ref()].into_iter().flatten().map(Sides::ratio));
    // What goes beyond is cut off, with its figure at its end.
    let most = (ratios.fold(1.5, f64::max) * 2.0).ceil().min(8.0) / 2.0;
    let x = |ratio: f64| LEFT + ratio.min(most) / most * WIDE;
    let high = TOP + ROW * measures.len() as f64 + 30.0;
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 860 {high}\" font-family=\"DejaVu Sans, sans-serif\" \
         font-size=\"13\">\n<rect width=\"860\" height=\"{high}\" fill=\"#fcfcfa\"/>\n\
         <text x=\"20\" y=\"28\" font-size=\"16\" fill=\"#222\">Time in Vein, with the hand-written page as 1</text>\n\
         <rect x=\"{LEFT}\" y=\"40\" width=\"12\" height=\"12\" fill=\"#2b6c5c\"/>\
         <text x=\"{}\" y=\"51\" fill=\"#222\">script, view hidden</text>\n\
         <rect x=\"{}\" y=\"40\" width=\"12\" height=\"12\" fill=\"#c08a3e\"/>\
         <text x=\"{}\" y=\"51\" fill=\"#222\">frame, view shown</text>\n\
         <text x=\"{}\" y=\"51\" fill=\"#555\">│ by hand, measured twice</text>\n",
        LEFT + 18.0,
        LEFT + 170.0,
        LEFT + 188.0,
        LEFT + 330.0,
    );
    let mut tick = 0.0;
    while tick <= most {
        let (at, bottom) = (x(tick), high - 26.0);
        let stroke = if tick == 1.0 { "#222" } else { "#ddd" };
        let _ = writeln!(
            out,
            "<line x1=\"{at:.1}\" y1=\"62\" x2=\"{at:.1}\" y2=\"{bottom}\" stroke=\"{stroke}\"/>\
             <text x=\"{at:.1}\" y=\"{}\" text-anchor=\"middle\" fill=\"#555\">{tick}</text>",
            high - 10.0
        );
        tick += if most > 5.0 { 1.0 } else { 0.5 };
    }
    for (number, measure) in measures.iter().enumerate() {
        let y = TOP + ROW * number as f64;
        let _ = writeln!(
            out,
            "<text x=\"{}\" y=\"{}\" text-anchor=\"end\" fill=\"#222\">{}</text>",
            LEFT - 10.0,
            y + 15.0,
            full(measure)
        );
        let bars =
            [(Some(&measure.script), 0.0, "#2b6c5c"), (measure.frame.as_ref(), 13.0, "#c08a3e")];
        for (sides, down, colour) in bars {
            let Some(sides) = sides else { continue };
            let (ratio, control) = (sides.ratio(), sides.control());
            let _ = writeln!(
                out,
                "<rect x=\"{LEFT}\" y=\"{:.1}\" width=\"{:.1}\" height=\"12\" fill=\"{colour}\"/>\
                 <line x1=\"{2:.1}\" y1=\"{0:.1}\" x2=\"{2:.1}\" y2=\"{3:.1}\" stroke=\"#222\" stroke-width=\"2\"/>\
                 <text x=\"{4:.1}\" y=\"{5:.1}\" font-size=\"11\" fill=\"#222\">{ratio:.2}</text>",
                y + down,
                x(ratio) - LEFT,
                x(control),
                y + down + 12.0,
                x(ratio.max(control)) + 6.0,
                y + down + 10.0,
            );
        }
    }
    out + "</svg>\n"
}
