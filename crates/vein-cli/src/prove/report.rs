//! The report: one page with every step, what it looked like before and after, and why it changed.
//! It holds all that it needs and runs nothing.

use super::told::{self, count, duration};
use super::{Proved, Run, file_of};
use crate::commands::picture::{self, Picture, escaped};
use std::collections::BTreeSet;
use std::fmt::Write;
use std::time::Duration;
use vein::scenario::{Finding, Pairing, SeenPart};
use vein::{CoverageKind, NodeId, Played, PlayedStep, ScenarioFile, Tree, Ui};

const STYLE: &str = include_str!("../../page/report.css");

/// Nothing runs, and nothing is fetched.
const POLICY: &str =
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; form-action 'none'";

/// What stands around a changed element is shown with it, as long as it is no more than this.
const MOST_ELEMENTS: usize = 24;

/// The page as a text.
pub(super) fn page(ui: &Ui, proved: &Proved, styles: &[String]) -> String {
    let mut out = String::new();
    let own: Vec<String> = ui.styles().map(|(_, css)| css.to_owned()).collect();
    let stage: Vec<String> =
        styles.iter().map(|css| balanced(&for_a_stage(&balanced(css)))).collect();
    let holds = proved.holds();
    let _ = write!(
        out,
        "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
         <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n\
         <meta http-equiv=\"Content-Security-Policy\" content=\"{POLICY}\">\n\
         <title>{}: {}</title>\n<style>{STYLE}</style>\n<style>@scope (.causes) {{ {} }}</style>\n\
         <style>@scope (.stage) {{\n{}\n}}</style>\n<style>{}</style>\n</head>\n<body>\n\
         <a class=\"skip\" href=\"#scenarios\">To the scenarios</a>\n",
        if holds { "Proven" } else { "Not proven" },
        count(proved.runs.len(), "scenario"),
        picture::STYLE,
        in_html(&stage.join("\n")),
        in_html(&balanced(&own.join("\n"))),
    );
    head(&mut out, proved);
    out.push_str("<main>\n");
    coverage(&mut out, ui, proved);
    contents(&mut out, proved);
    out.push_str("<section class=\"part\" id=\"scenarios\">\n<h2>Step by step</h2>\n");
    for run in &proved.runs {
        scenario(&mut out, ui, run);
    }
    out.push_str("</section>\n</main>\n</body>\n</html>\n");
    out
}

/// CSS that ends no element of HTML: what it says is the same.
fn in_html(css: &str) -> String {
    css.replace("</", "<\\/")
}

/// A style sheet that closes what it opens, and nothing else (CSS Syntax Module Level 3): what stands around it stays around it.
fn balanced(css: &str) -> String {
    let (mut out, mut rest) = (String::with_capacity(css.len()), css.chars().peekable());
    let mut open: Vec<char> = Vec::new();
    while let Some(c) = rest.next() {
        match c {
            '\\' => {
                out.push(c);
                out.extend(rest.next());
            }
            '/' if rest.peek() == Some(&'*') => {
                // Comments are left out: they may end anywhere.
                rest.next();
                let mut last = ' ';
                for c in rest.by_ref() {
                    if (last, c) == ('*', '/') {
                        break;
                    }
                    last = c;
                }
                out.push(' ');
            }
            '"' | '\'' => {
                out.push(c);
                loop {
                    match rest.next() {
                        Some('\\') => {
                            out.push('\\');
                            out.extend(rest.next());
                        }
                        Some(end) if end == c => break,
                        // A string ends with its line.
                        Some('\n') | None => break,
                        Some(inside) => out.push(inside),
                    }
                }
                out.push(c);
            }
            '{' | '(' | '[' => {
                out.push(c);
                open.push(match c {
                    '{' => '}',
                    '(' => ')',
                    _ => ']',
                });
            }
            '}' | ')' | ']' => {
                // One that closes something further out closes what is in it, too.
                let Some(at) = open.iter().rposition(|close| *close == c) else { continue };
                out.extend(open.drain(at..).rev());
            }
            '<' if rest.clone().take(3).eq("!--".chars()) => {}
            c => out.push(c),
        }
    }
    out.extend(open.into_iter().rev());
    out
}

/// A style sheet whose rules for the whole page are for a stage.
fn for_a_stage(css: &str) -> String {
    let mut out = String::new();
    let mut rest = css;
    while let Some(at) = rest.find(['{', '}', ';']) {
        let (prelude, after) = rest.split_at(at);
        let is_rule = after.starts_with('{') && !prelude.trim_start().starts_with('@');
        match is_rule {
            true => {
                let selectors = prelude.split(',').map(|selector| match selector.trim() {
                    ":root" | "html" | "body" => ":scope".to_owned(),
                    selector => selector.to_owned(),
                });
                out.push_str(&selectors.collect::<Vec<_>>().join(", "));
                // What is inside a rule stays as it is.
                let end = after.find('}').map_or(after.len(), |end| end + 1);
                out.push_str(&after[..end]);
                rest = &after[end..];
            }
            false => {
                out.push_str(prelude);
                out.push_str(&after[..1]);
                rest = &after[1..];
            }
        }
    }
    out.push_str(rest);
    out
}

fn verdict_class(holds: bool) -> &'static str {
    if holds { "holds" } else { "fails" }
}

fn mark(holds: bool) -> &'static str {
    if holds { "✓" } else { "✗" }
}

fn head(out: &mut String, proved: &Proved) {
    let holds = proved.holds();
    let played = || proved.runs.iter().filter_map(|run| run.played.as_ref().ok());
    let steps: usize = played().map(|(file, _)| file.scenario().steps.len()).sum();
    let pulses: usize = played().map(|(_, played)| played.entries().count()).sum();
    let parts: usize = played()
        .flat_map(|(_, played)| played.entries())
        .map(|entry| entry.pulse.parts.len())
        .sum();
    let failed = proved.runs.iter().filter(|run| !run.holds()).count();
    let said = match failed {
        0 => "Every step changed exactly what it states, and nothing else.".to_owned(),
        1 => "One scenario does not hold.".to_owned(),
        failed => format!("{failed} scenarios do not hold."),
    };
    let in_browser = proved.runs.iter().any(|run| run.in_browser.is_some());
    let place = if in_browser { "in memory and in Chromium" } else { "in memory" };
    let numbers = [
        (proved.runs.len().to_string(), "scenarios"),
        (steps.to_string(), "steps"),
        (pulses.to_string(), "pulses, each held against the view rendered afresh"),
        (parts.to_string(), "parts changed"),
        (format!("{} %", floored(proved.coverage.percent())), "of the components seen at work"),
        (duration(proved.took), place),
    ];
    let numbers: String = numbers
        .iter()
        .map(|(n, what)| format!("<li><b>{n}</b> <span>{what}</span></li>\n"))
        .collect();
    let _ = write!(
        out,
        "<header>\n<h1>{}</h1>\n<p class=\"verdict {}\">{} {said}</p>\n<ul class=\"numbers\">\n\
         {numbers}</ul>\n</header>\n",
        if holds { "Proven" } else { "Not proven" },
        verdict_class(holds),
        mark(holds),
    );
}

/// Nearly all is not all.
fn floored(percent: f64) -> f64 {
    (percent * 10.0).floor() / 10.0
}

fn coverage(out: &mut String, ui: &Ui, proved: &Proved) {
    out.push_str("<section>\n<h2>Coverage</h2>\n<div class=\"coverage\">\n");
    for kind in CoverageKind::ALL {
        let (seen, all) = proved.coverage.of_kind(kind);
        let _ = writeln!(
            out,
            "<div><b>{seen} of {all}</b> {}<progress value=\"{seen}\" max=\"{}\" aria-label=\"{}\"></progress></div>",
            kind.plural(),
            all.max(1),
            kind.plural(),
        );
    }
    out.push_str("</div>\n");
    let missing = proved.coverage.missing();
    if !missing.is_empty() {
        let rows: String = missing
            .iter()
            .map(|item| {
                format!(
                    "<tr><td>{}</td><td>{}</td><td class=\"where\">{}</td></tr>\n",
                    item.kind.never(),
                    escaped(&item.name),
                    escaped(&place(ui, &item.origin)),
                )
            })
            .collect();
        let _ = write!(
            out,
            "<details><summary>{} never seen</summary><div class=\"wide\"><table>\
             <tr><th>never</th><th>what</th><th>written at</th></tr>\n{rows}</table></div></details>\n",
            missing.len()
        );
    }
    out.push_str("</section>\n");
}

fn place(ui: &Ui, origin: &vein::scenario::Origin) -> String {
    format!("{}:{}:{}", file_of(ui, &origin.component), origin.line, origin.column)
}

fn contents(out: &mut String, proved: &Proved) {
    out.push_str("<section class=\"part\">\n<h2>Scenarios</h2>\n<nav><ul>\n");
    for run in &proved.runs {
        let _ = writeln!(
            out,
            "<li class=\"{}\"><span class=\"mark\">{}</span><a href=\"#{}\">{}</a></li>",
            verdict_class(run.holds()),
            mark(run.holds()),
            escaped_attribute(&run.name),
            escaped(&run.name),
        );
    }
    out.push_str("</ul></nav>\n</section>\n");
}

fn escaped_attribute(text: &str) -> String {
    escaped(text).replace('"', "&quot;")
}

fn scenario(out: &mut String, ui: &Ui, run: &Run) {
    let holds = run.holds();
    let title = match &run.played {
        Ok((file, _)) => file.scenario().title.clone().unwrap_or_else(|| run.name.clone()),
        Err(_) => run.name.clone(),
    };
    let browser = run
        .in_browser
        .as_ref()
        .map_or(String::new(), |browser| format!(" · Chromium {}", duration(browser.took)));
    let steps = run.played.as_ref().map_or(0, |(file, _)| file.scenario().steps.len());
    let _ = write!(
        out,
        "<details class=\"scenario {}\" id=\"{}\"{}>\n<summary><h2><span class=\"mark\">{}</span>{}</h2>\
         <span class=\"more\">{} · {}{browser}</span></summary>\n<div class=\"inside\">\n\
         <p class=\"file\"><code>{}</code></p>\n",
        verdict_class(holds),
        escaped_attribute(&run.name),
        if holds { "" } else { " open" },
        mark(holds),
        escaped(&title),
        count(steps, "step"),
        duration(run.took),
        escaped(&crate::output::path(&run.path)),
    );
    match &run.played {
        Ok((file, played)) => {
            let mut took = run.steps_took.iter();
            for step in &played.steps {
                self::step(out, ui, file, step, took.next().copied(), "");
            }
            match run.in_browser.as_ref().map(|browser| &browser.played) {
                Some(Ok(played)) => failed_in_browser(out, ui, file, played),
                Some(Err(why)) => {
                    let _ = writeln!(out, "<pre>in Chromium: {}</pre>", escaped(why));
                }
                None => {}
            }
        }
        Err(error) => {
            let _ = writeln!(out, "<pre>{}</pre>", escaped(&error.to_string()));
        }
    }
    out.push_str("</div>\n</details>\n");
}

fn failed_in_browser(out: &mut String, ui: &Ui, file: &ScenarioFile, played: &Played) {
    for step in played.steps.iter().filter(|step| !step.holds()) {
        self::step(out, ui, file, step, None, "in Chromium · ");
    }
}

fn step(
    out: &mut String,
    ui: &Ui,
    file: &ScenarioFile,
    step: &PlayedStep,
    took: Option<Duration>,
    place: &str,
) {
    let holds = step.holds();
    let last = step.number > file.scenario().steps.len();
    let number =
        if step.number == 0 || last { String::new() } else { format!("{} · ", step.number) };
    let verdicts = step.seen.entries.iter().filter_map(|entry| entry.verdict.as_ref());
    let parts = verdicts.map(|verdict| format!(" of {}", verdict.parts)).next_back();
    let parts = parts.unwrap_or_default();
    let took = took.map_or(String::new(), |took| format!(" · {}", duration(took)));
    let _ = write!(
        out,
        "<section class=\"step {}\">\n<header><h3><span class=\"mark\">{}</span>{place}{number}{}</h3>\
         <span class=\"more\">{} · {}{parts} changed{took}</span></header>\n",
        verdict_class(holds),
        mark(holds),
        escaped(&step.action),
        count(step.seen.entries.len(), "pulse"),
        count(step.seen.parts.len(), "part"),
    );
    if let Some(note) = &step.note {
        let _ = writeln!(out, "<p class=\"note\">{}</p>", escaped(note));
    }
    for report in told::reports(file, step).into_iter().flatten() {
        let _ = writeln!(out, "<pre>{}</pre>", escaped(&report.text(false)));
    }
    views(out, step);
    changes(out, ui, step);
    causes(out, ui, step);
    outside(out, step);
    out.push_str("</section>\n");
}

/// The view before and after, cut down to what changed.
fn views(out: &mut String, step: &PlayedStep) {
    let Some(views) = &step.views else { return };
    let (before, after) = views.as_ref();
    if step.number == 0 {
        let html = after.html_marked(after.root(), &|_| false);
        let _ = writeln!(
            out,
            "<details><summary>The view</summary><div class=\"stage\" inert>{html}</div></details>"
        );
        return;
    }
    let changed: BTreeSet<NodeId> =
        step.seen.parts.iter().filter_map(|part| part.element).collect();
    if changed.is_empty() {
        return;
    }
    out.push_str("<h4>Before and after</h4>\n");
    for id in pieces(after, &changed) {
        let is_changed = |id: NodeId| changed.contains(&id) && id != after.root();
        // What came and what went, each as a whole.
        let only_in = |one: &Tree, other: &Tree, id: NodeId| {
            let stands = |id: NodeId| other.is_node(id, one.serial(id));
            !stands(id) && one.parent(id).is_some_and(stands)
        };
        let now = after.html_marked(id, &|id| is_changed(id) || only_in(after, before, id));
        let stood = before.is_node(id, after.serial(id));
        let was = match stood {
            true => before.html_marked(id, &|id| is_changed(id) || only_in(before, after, id)),
            false => String::new(),
        };
        let figure = |caption: &str, html: &str| match html.is_empty() {
            true => format!(
                "<figure><figcaption>{caption}</figcaption><div class=\"stage nothing\">not there</div></figure>"
            ),
            false => format!(
                "<figure><figcaption>{caption}</figcaption><div class=\"stage\" inert>{html}</div></figure>"
            ),
        };
        let _ = writeln!(
            out,
            "<div class=\"views\">{}{}</div>",
            figure("before", &was),
            figure("after", &now)
        );
    }
}

/// The elements to show for some that changed: each with as much around it as is readable, in the
/// order of the document, none inside another.
fn pieces(tree: &Tree, changed: &BTreeSet<NodeId>) -> Vec<NodeId> {
    let around = |id: NodeId| -> NodeId {
        let mut shown = id;
        while let Some(parent) = tree.parent(shown).filter(|parent| *parent != tree.root()) {
            if tree.inside(parent).len() > MOST_ELEMENTS {
                break;
            }
            shown = parent;
        }
        shown
    };
    let standing = changed.iter().filter(|id| tree.is_node(**id, tree.serial(**id)));
    let shown: BTreeSet<NodeId> = standing.map(|id| around(*id)).collect();
    let outer = |id: &NodeId| {
        let mut above = std::iter::successors(tree.parent(*id), |id| tree.parent(*id));
        !above.any(|above| shown.contains(&above))
    };
    let in_order = std::iter::once(tree.root()).chain(tree.elements());
    in_order.filter(|id| shown.contains(id)).filter(outer).collect()
}

fn changes(out: &mut String, ui: &Ui, step: &PlayedStep) {
    if step.pairings.is_empty() && step.seen.parts.is_empty() {
        return;
    }
    out.push_str(
        "<h4>Parts</h4>\n<div class=\"wide\"><table>\n<tr><th>part</th><th>before</th><th>after</th>\
         <th>because</th><th>written at</th></tr>\n",
    );
    let wrong = |at: usize| -> Option<&Pairing> {
        step.pairings.iter().find(|p| p.seen.contains(&at) && p.finding != Finding::Agrees)
    };
    for (at, part) in step.seen.parts.iter().enumerate() {
        let SeenPart { address, effect, because, origin, .. } = part;
        let (from, to) = effect.sides();
        let class = if wrong(at).is_some() { " class=\"wrong\"" } else { "" };
        let note = match wrong(at).map(|pairing| &pairing.finding) {
            Some(Finding::NotStated) => " — not stated",
            Some(_) => " — not as stated",
            None => "",
        };
        let _ = writeln!(
            out,
            "<tr{class}><td>{}{note}</td><td class=\"from\">{}</td><td>{}</td>\
             <td class=\"because\">{}</td><td class=\"where\">{}</td></tr>",
            escaped(address),
            escaped(&from),
            escaped(&to),
            escaped(&because.join(" ← ")),
            escaped(&place(ui, origin)),
        );
    }
    for pairing in step.pairings.iter().filter(|pairing| pairing.seen.is_empty()) {
        let (Some((stated, _)), false) = (&pairing.stated, pairing.finding == Finding::Agrees)
        else {
            continue;
        };
        let at = pairing.origin.as_ref().map_or(String::new(), |origin| place(ui, origin));
        let _ = writeln!(
            out,
            "<tr class=\"wrong\"><td>{} — stated, and not seen</td><td></td><td>no change</td><td></td>\
             <td class=\"where\">{}</td></tr>",
            escaped(stated),
            escaped(&at)
        );
    }
    out.push_str("</table></div>\n");
}

/// The chain of causes as a picture: what set a pulse off, what it wrote, what followed from that,
/// and which parts show it; and the statements that ran, in their order.
fn causes(out: &mut String, ui: &Ui, step: &PlayedStep) {
    let mut picture = Picture::new(["what set it off", "state", "derived values", "parts"], 60, 34);
    for pulse in step.seen.entries.iter().map(|entry| &entry.pulse) {
        if pulse.parts.is_empty() && pulse.values.is_empty() {
            continue;
        }
        let begun = picture.boxed(0, &pulse.cause.to_string());
        let layer = |change: &vein::ValueChange| match change.layer {
            vein::Layer::State => 1,
            vein::Layer::Derived => 2,
        };
        let boxes: Vec<(usize, usize)> =
            pulse.values.iter().map(|change| picture.boxed(layer(change), &change.path)).collect();
        for (change, to) in pulse.values.iter().zip(&boxes) {
            if change.because.is_empty() {
                picture.line(begun, *to);
            }
            for from in change.because.iter().filter_map(|from| boxes.get(*from)) {
                picture.line(*from, *to);
            }
        }
        for part in &pulse.parts {
            let to = picture.boxed(3, &part.address);
            for from in part.because.iter().filter_map(|from| boxes.get(*from)) {
                picture.line(*from, to);
            }
        }
    }
    if picture.is_empty() {
        return;
    }
    let ran: String = step
        .seen
        .ran
        .iter()
        .map(|ran| {
            let (name, at) = (escaped(&ran.name), escaped(&place(ui, &ran.origin)));
            format!("<li><code>{name}</code> <span class=\"file\"><code>{at}</code></span></li>")
        })
        .collect();
    let ran = if ran.is_empty() { ran } else { format!("<h4>What ran</h4><ol>{ran}</ol>") };
    let _ = writeln!(
        out,
        "<details><summary>Causes</summary><div class=\"wide causes\">{}</div>{ran}</details>",
        picture.drawn("<title>What led to what</title>\n")
    );
}

/// What went out of the page and what it was asked.
fn outside(out: &mut String, step: &PlayedStep) {
    let entries = || step.seen.entries.iter();
    let given: Vec<String> = entries()
        .flat_map(|entry| &entry.pulse.given)
        .map(|given| {
            let payload: Vec<String> =
                given.payload.iter().map(|(name, value)| format!("{name}: {value}")).collect();
            format!("given: {}({})", given.name, payload.join(", "))
        })
        .collect();
    let asked: Vec<String> = entries()
        .flat_map(|entry| &entry.pulse.questions)
        .map(|question| {
            let args: Vec<String> = question.args.iter().map(ToString::to_string).collect();
            format!("asked: {}({})", question.function, args.join(", "))
        })
        .collect();
    let dropped = entries()
        .flat_map(|entry| &entry.pulse.dropped)
        .map(|dropped| format!("let go: {}", dropped.function));
    let all: Vec<String> = given.into_iter().chain(asked).chain(dropped).collect();
    if !all.is_empty() {
        let _ = writeln!(
            out,
            "<h4>To and from the host</h4>\n<p><code>{}</code></p>",
            escaped(&all.join(" · "))
        );
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_style_sheet_leaves_nothing_that_stands_around_it() {
        for (css, is) in [
            ("p { color: red }", "p { color: red }"),
            ("} body { display: none }", " body { display: none }"),
            ("p { color: red", "p { color: red}"),
            ("p { a: url(", "p { a: url()}"),
            ("p { content: \"}\" } }", "p { content: \"}\" } "),
            ("p { content: \"a\n} b { }", "p { content: \"a\"} b { }"),
            ("/* } */ p { } /* never ended }", "  p { }  "),
            ("p { a: (} ) }", "p { a: ()}  "),
            ("@media (a) { p { } }", "@media (a) { p { } }"),
            ("\\} p { }", "\\} p { }"),
        ] {
            assert_eq!(balanced(css), is, "{css}");
            assert_eq!(balanced(is).trim(), is.trim(), "{is}");
        }
        for css in ["</style", "</STYLE><script>", "</sty</stylele"] {
            assert!(!in_html(css).to_lowercase().contains("</s"), "{css}");
        }
    }
}
