//! Scenarios: what is wrong with one is told at its place, what a person cannot do is refused as a
//! browser would, and what was seen can be written into it.

use proptest::prelude::*;
use std::panic::catch_unwind;
use vein::{Error, Report, ScenarioFile, Ui};

mod ladder {
    vein::scenarios!("examples/components");
}

mod glasshouse {
    vein::scenarios!("../../examples/glasshouse");
}

const LAB: &str = "
takes beds: { id: number, crop: string }[] = [{ id: 1, crop: 'kale' }, { id: 2, crop: 'leek' }]
holds litres = 2
holds open = false
holds note = ''
holds tone: 'dry' | 'moist' = 'dry'
asks soil(code: string): string
awaits weigh(crop: string): number
loads weight: number = weigh('kale')
gives poured(litres: number, note: string?)
derives double = litres * 2
does pour(n: number) { litres += n; give poured(n, null); }

<main id='top'>
  <h1>{soil('A')}</h1>
  <button class='water' click='-> pour(1)' disabled='<- litres >= 4'>Water</button>
  <p class='litres'>{double} l</p>
  <input id='note' value='<-> note'><input id='fixed' readonly value='no'>
  <input id='box' type='checkbox' checked='<-> open'>
  <select id='tone' value='<-> tone'><option>dry</option><option disabled>moist</option></select>
  <p class='secret' hidden='<- !open'><button id='inside' click='-> litres = 0'>Empty</button></p>
  <form id='form' submit='->(prevent) note = \"sent\"'><input required name='name'><button>Send</button></form>
  <ul><li each='bed of beds by bed.id'>{bed.crop}</li></ul>
</main>
";

fn lab() -> Ui {
    Ui::from_sources([("bed-lab.vein", LAB)]).unwrap_or_else(|error| panic!("{error}"))
}

/// A scenario of the lab, whose host answers.
fn scenario(steps: &str) -> String {
    format!("component = 'bed-lab'\nanswers = {{ soil = {{ value = 'loam' }} }}\n{steps}")
}

/// The report on a scenario that has to have mistakes.
fn wrong(text: &str) -> Report {
    let proved = ScenarioFile::from_text("lab.scenario.toml", text)
        .and_then(|file| file.prove(&lab()).map(|_| ()));
    match proved {
        Err(Error::Scenario(report)) => *report,
        Err(error) => panic!("{error}\nin {text}"),
        Ok(()) => panic!("it holds: {text}"),
    }
}

/// A step, the kind of its first mistake, the text that is marked, and a part of what is said.
const MISTAKES: &[(&str, &str, &str, &str)] = &[
    // What is written wrongly.
    ("[[step]]\nclick = ", "not-toml", "", "cannot be read"),
    ("[[step]]\nclik = '.water'", "unknown-key", "clik", "did you mean `click`?"),
    ("[[step]]\nnote = 'nothing'", "no-action", "[[step]]", "the step does nothing"),
    ("[[step]]\nclick = '.water'\nwait = 5", "two-actions", "wait", "a step does one thing"),
    (
        "[[step]]\nclick = '.water'\non = 'x'",
        "unknown-key",
        "on",
        "the element stands in `click` itself",
    ),
    ("[[step]]\nclick = 5", "wrong-value", "5", "`click` takes a text, not a number"),
    ("[[step]]\ntype = 'x'", "missing-key", "type", "what is typed into"),
    ("[[step]]\nset = 'litres'", "missing-key", "set", "to what"),
    ("[[step]]\nwait = -5", "wrong-value", "-5", "from zero up"),
    ("[[step]]\nwait = 5\nchanges = [7]", "wrong-value", "7", "a change is an address"),
    ("[[step]]\nwait = 5\nchanges = [{ prt = 'x' }]", "unknown-key", "prt", "did you mean `part`?"),
    (
        "[[step]]\nwait = 5\nsee = [{ text = 'x' }]",
        "missing-key",
        "{ text = 'x' }",
        "where to look",
    ),
    (
        "[[step]]\nwait = 5\ngives = [{ litres = 1 }]",
        "missing-key",
        "{ litres = 1 }",
        "which event",
    ),
    ("[[step]]\nset = 'note'\nto = { json = '{' }", "wrong-value", "'{'", "this is no JSON"),
    ("[[step]]\ndrop = false", "wrong-value", "false", "after it there is no page"),
    // What the component does not have.
    ("[[step]]\nset = 'litre'\nto = 1", "unknown-path", "'litre'", "did you mean `litres`?"),
    ("[[step]]\nset = 'double'\nto = 1", "derived", "'double'", "write what it is derived from"),
    ("[[step]]\nset = 'litres'\nto = 'x'", "wrong-value", "'x'", "number"),
    ("[[step]]\nemit = 'poured'", "unknown-key", "emit", "did you mean `give`?"),
    ("[[step]]\ncall = 'pour'\nwith = [1]", "unknown-key", "with", "did you mean `args`?"),
    ("[[step]]\ncall = 'por'\nargs = [1]", "unknown-name", "'por'", "did you mean `pour`?"),
    ("[[step]]\ngive = 'pored'", "unknown-name", "'pored'", "did you mean `poured`?"),
    (
        "[[step]]\ngive = 'poured'\nby = 'bed-card'\nargs = { litres = 1 }",
        "unknown-path",
        "'bed-card'",
        "nothing at `bed-card`",
    ),
    ("[[step]]\nanswer = 'wiegh'\nwith = 1", "not-asked", "'wiegh'", "did you mean `weigh`?"),
    ("[[step]]\nclick = '.watr'", "no-such-element", "'.watr'", "did you mean `.water`?"),
    ("[[step]]\nclick = 'main['", "bad-selector", "'main['", "CSS"),
    ("[[step]]\nwait = 5\nstate = { nots = 'x' }", "unknown-path", "nots", "did you mean `note`?"),
    // What a person cannot do.
    (
        "[[step]]\nset = 'litres'\nto = 4\nchanges = [{ part = 'bed-lab › p.litres text' }, 'bed-lab › button.water disabled']\n[[step]]\nclick = '.water'",
        "refused",
        "'.water'",
        "`button.water` is disabled",
    ),
    ("[[step]]\nclick = '#inside'", "refused", "'#inside'", "hidden, by `p.secret` around it"),
    ("[[step]]\ntype = 'x'\non = '#fixed'", "refused", "'#fixed'", "`readonly`"),
    ("[[step]]\ntype = 'x'\non = '#box'", "refused", "'#box'", "takes no text"),
    ("[[step]]\nuntick = '#box'", "refused", "'#box'", "is not ticked"),
    ("[[step]]\nchoose = 'moist'\non = '#tone'", "refused", "'#tone'", "is disabled"),
    (
        "[[step]]\nchoose = 'wet'\non = '#tone'",
        "refused",
        "'#tone'",
        "no option `wet`; there are: `dry`, `moist`",
    ),
    ("[[step]]\nsubmit = '#form'", "refused", "'#form'", "it is required and empty"),
    ("[[step]]\npress = 'Enter'", "refused", "press = 'Enter'", "no element has the focus"),
    ("[[step]]\nfocus = 'h1'", "refused", "'h1'", "cannot have the focus"),
    ("[[step]]\ndrop = true\n[[step]]\nwait = 5", "dropped", "wait = 5", "the page was dropped"),
    // What does not hold.
    (
        "[[step]]\nclick = '.water'\ngives = [{ event = 'poured', litres = 1 }]",
        "not-stated",
        "click = '.water'",
        "p.litres text",
    ),
    (
        "[[step]]\nclick = '.water'\nchanges = ['bed-lab › p.litres text']",
        "given",
        "click = '.water'",
        "the step does not state it",
    ),
    (
        "[[step]]\nwait = 5\nchanges = ['bed-lab > p.litres text']",
        "not-seen",
        "'bed-lab > p.litres text'",
        "does not change",
    ),
    (
        "[[step]]\nwait = 5\nchanges = ['bed-lab › p.liters text']",
        "unknown-part",
        "'bed-lab › p.liters text'",
        "did you mean `bed-lab › p.litres text`?",
    ),
    (
        "[[step]]\nset = 'note'\nto = 'x'\nchanges = [{ part = 'input#note value', to = 'y' }]",
        "otherwise",
        "{ part = 'input#note value', to = 'y' }",
        "it becomes \"x\"",
    ),
    (
        "[[step]]\nset = 'beds'\nto = []\nchanges = [{ part = 'bed-lab › li list', removed = 1 }]",
        "otherwise",
        "{ part = 'bed-lab › li list', removed = 1 }",
        "2 removed",
    ),
    ("[[step]]\nwait = 5\nstate = { litres = 3 }", "state", "3", "it is 2"),
    (
        "[[step]]\nwait = 5\nsee = [{ at = 'li', count = 3 }]",
        "not-in-view",
        "{ at = 'li', count = 3 }",
        "there are 2",
    ),
    (
        "[[step]]\nwait = 5\nsee = [{ at = '#inside', visible = true }]",
        "not-in-view",
        "{ at = '#inside', visible = true }",
        "it is hidden",
    ),
    (
        "[[step]]\nfocus = '#note'\nsee = [{ at = '#box', focus = true }]",
        "not-in-view",
        "{ at = '#box', focus = true }",
        "`input#note` has the focus",
    ),
    ("[[step]]\nwait = 5\nfails = 'x'", "not-as-stated", "'x'", "nothing was taken back"),
    ("asks = ['weigh(\"leek\")']", "asked", "['weigh(\"leek\")']", "it is asked weigh(\"kale\")"),
];

#[test]
fn mistakes_are_told_at_their_place() {
    let mut failures = Vec::new();
    for (steps, code, marked, said) in MISTAKES {
        let report = wrong(&scenario(steps));
        let Some(first) = report.diagnostics.first() else { panic!("{steps}") };
        let text = &report.sources[0].text;
        let at = text.get(first.span.range()).unwrap_or("outside the text");
        let all = report.to_string();
        if first.code != *code || !at.starts_with(marked) || !all.contains(said) {
            failures.push(format!(
                "{steps}\nwanted {code} at {marked:?}: {said}\nfound {} at {at:?}\n{all}",
                first.code
            ));
        }
    }
    assert!(failures.is_empty(), "{}", failures.join("\n\n"));
}

#[test]
fn a_component_that_cannot_be_opened_says_why() {
    for (text, said) in [
        ("", "begin it with `component"),
        ("component = 'bed-lob'", "did you mean `bed-lab`?"),
        ("component = 'bed-lab'", "add `[answers.soil]` with `value = …`"),
        (
            "component = 'bed-lab'\ndata = { bed = [] }\nanswers = { soil = { value = 'x' } }",
            "did you mean `beds`?",
        ),
        (
            "component = 'bed-lab'\ndata = { beds = 5 }\nanswers = { soil = { value = 'x' } }",
            "beds",
        ),
        ("component = 'bed-lab'\ndata = 'nowhere.json'", "nowhere.json"),
        ("component = 'bed-lab'\nanswers = { siol = { value = 'x' } }", "did you mean `soil`?"),
        (
            "component = 'bed-lab'\nanswers = { soil = {} }",
            "an answer has a `value`, or says why it `fails`",
        ),
    ] {
        let report = wrong(text).to_string();
        assert!(report.contains(said), "{text}: {report}");
    }
}

const COMMENTED: &str = "component = 'bed-lab'
answers = { soil = { value = 'loam' } }

# The first step.
[[step]]
note = \"a note\" # beside it
click = '.water'
changes = [
  # this one stays
  \"bed-lab › p.litres text\",
  # this one goes
  \"bed-lab › li list\",
]
gives = [{ event = 'poured', litres = 7 }] # after it

[[step]] # the second
type = 'x'
on = '#note'
";

#[test]
fn what_was_seen_is_written_and_the_rest_stays() {
    let ui = lab();
    let file = ScenarioFile::from_text("lab.scenario.toml", COMMENTED).expect("it is read");
    let accepted = file.accepted(&file.play(&ui).expect("it plays")).expect("TOML");
    for kept in [
        "# The first step.",
        "note = \"a note\" # beside it",
        "# this one stays\n  \"bed-lab › p.litres text\"",
        "# this one goes",
        "# after it",
        "[[step]] # the second",
    ] {
        assert!(accepted.contains(kept), "{kept} in {accepted}");
    }
    assert!(!accepted.contains("li list"), "{accepted}");
    assert!(accepted.contains("gives = [{ event = \"poured\", litres = 1 }]"), "{accepted}");
    let file = ScenarioFile::from_text("lab.scenario.toml", &accepted).expect("it is read");
    let played = file.prove(&ui).unwrap_or_else(|error| panic!("{error}"));
    // What holds is not touched.
    assert_eq!(file.accepted(&played).expect("TOML"), accepted);
}

/// What a test that fails says.
fn panicked(test: impl FnOnce() + std::panic::UnwindSafe) -> String {
    let cause = catch_unwind(test).expect_err("it fails");
    cause.downcast_ref::<String>().cloned().unwrap_or_default()
}

#[test]
fn statements_about_pulses_say_what_was_seen_instead() {
    let click = || {
        let ui = lab();
        let page = ui.page("bed-lab").answer("soil", |_: String| "loam").manual_answers();
        let mut page = page.open(()).expect("a page");
        let pulse = page.find(".water").expect("a button").click().expect("a click");
        drop(page);
        pulse
    };
    vein::assert_exact!(click());
    vein::assert_changed!(click(), ["bed-lab > p.litres text" => "6 l"]);
    let said =
        panicked(move || vein::assert_changed!(click(), ["bed-lab › p.litres text" => "7 l"]));
    assert!(said.contains("✗ bed-lab › p.litres text => \"7 l\"  => \"6 l\""), "{said}");
    let said = panicked(move || vein::assert_changed!(click(), ["bed-lab › h1 text"]));
    assert!(said.contains("✗ bed-lab › h1 text  no change"), "{said}");
    assert!(said.contains("✗ nothing"), "{said}");
    assert_eq!(
        click().snapshot(),
        "click on button.water\n  \
         state    bed-lab.litres           2 → 3\n  \
         derived  bed-lab.double           4 → 6          because litres\n  \
         view     bed-lab › p.litres text  \"4 l\" → \"6 l\"  because double\n  \
         given    poured(litres: 1, note: null)\n  \
         exact    1 parts changed · 0 missed · 0 needless · 0 moves"
    );
}

#[test]
fn a_scenario_as_a_test_fails_with_all_that_is_known() {
    let dir = std::env::temp_dir().join(format!("vein-proving-{}", std::process::id()));
    std::fs::create_dir_all(&dir).expect("a folder");
    std::fs::write(dir.join("bed-lab.vein"), LAB).expect("a component");
    let path = dir.join("lab.scenario.toml");
    std::fs::write(&path, scenario("[[step]]\nclick = '.water'\nchanges = []"))
        .expect("a scenario");
    let (folder, file) = (dir.clone(), path.clone());
    let said = panicked(move || vein::prove_file(folder, file));
    assert!(said.contains("not-stated") && said.contains("lab.scenario.toml:4:"), "{said}");
    let folder = dir.clone();
    let said = panicked(move || vein::same_scenarios(folder, 2));
    assert!(said.contains("there are 1 scenarios"), "{said}");
    std::fs::remove_dir_all(dir).expect("it goes");
}

const ALL_KINDS: &str =
    include_str!("../../../../examples/glasshouse/scenarios/host-writes.scenario.toml");

/// What is put somewhere into a scenario.
const PIECES: &[&str] = &[
    "",
    "[[step]]",
    "[answers]",
    "[",
    "]",
    "{",
    "}",
    "=",
    "\"",
    "'",
    "\n",
    ",",
    "#",
    "see = [{ at = 'p' }]",
    "changes = [{ at = 'p', what = 'text', count = 1 }]",
    "gives = [{}]",
    "state = 5",
    "step = 1",
    "asks = [1]",
    "{ json = '[' }",
    "wait = 1e400",
    "wait = 1979-05-27",
    "click = [[]]",
    "\u{0}",
    "\u{e9}",
    "nan",
    "args = []",
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    /// Any text is read, or refused with places that lie in it; what is read is played or refused.
    #[test]
    fn damaged_scenarios_are_refused_or_played(
        edits in proptest::collection::vec((0..10_000usize, 0..30usize, 0..PIECES.len()), 1..5),
    ) {
        let mut text = ALL_KINDS.replace("../glass-house.json", "nowhere");
        for (at, cut, piece) in edits {
            let boundary = |text: &str, mut at: usize| {
                while !text.is_char_boundary(at) {
                    at -= 1;
                }
                at
            };
            let from = boundary(&text, at % (text.len() + 1));
            let to = boundary(&text, (from + cut).min(text.len()));
            text.replace_range(from..to.max(from), PIECES[piece]);
        }
        match vein::Scenario::read(&text) {
            Ok(_) => {}
            Err(mistakes) => {
                prop_assert!(!mistakes.is_empty());
                for mistake in &mistakes {
                    prop_assert!(mistake.place.end <= text.len() && mistake.place.start <= mistake.place.end);
                }
            }
        }
        // Whatever is wrong can be printed.
        if let Err(error) = ScenarioFile::from_text("x.scenario.toml", text).and_then(|file| file.prove(&lab())) {
            prop_assert!(!error.to_string().is_empty());
        }
    }
}
