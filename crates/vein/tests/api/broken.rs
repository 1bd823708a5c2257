//! Engine, tree and components, broken in every way that we could think of: a scenario that holds
//! without that does not hold with it, and what it says names the part.

use std::path::Path;
use vein::scenario::InMemory;
use vein::{Batch, Patch, ScenarioFile, Ui};
use vein_runtime::Sabotage;

const GLASSHOUSE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/glasshouse");

/// What is broken.
enum Break {
    Engine(Sabotage),
    /// The patches on their way to the tree, or the record of what happened.
    Way(fn(&mut vein_runtime::Pulse)),
    /// A component's text: what stands in which file, and what to put there.
    Component(&'static str, &'static str, &'static str),
}

/// The patches, each as a function has it.
fn each(pulse: &mut vein_runtime::Pulse, mut put: impl FnMut(&mut Batch, &Patch<'_>)) {
    let mut out = Batch::default();
    pulse.patches.iter().for_each(|patch| put(&mut out, &patch));
    pulse.patches = out;
}

/// Only pulses after the opening.
fn later(pulse: &vein_runtime::Pulse) -> bool {
    pulse.number > 0
}

fn skip_texts(pulse: &mut vein_runtime::Pulse) {
    each(pulse, |out, patch| {
        if !matches!(patch, Patch::Text { .. }) {
            out.push(patch);
        }
    });
}

fn double(pulse: &mut vein_runtime::Pulse) {
    let repeated = later(pulse);
    each(pulse, |out, patch| {
        out.push(patch);
        if repeated && matches!(patch, Patch::Text { .. }) {
            out.push(patch);
        }
    });
}

fn stale(pulse: &mut vein_runtime::Pulse) {
    each(pulse, |out, patch| match patch {
        Patch::Text { node, .. } => out.push(&Patch::Text { node: *node, text: "of yesterday" }),
        patch => out.push(patch),
    });
}

fn misdirect(pulse: &mut vein_runtime::Pulse) {
    let texts: Vec<u32> = pulse
        .patches
        .iter()
        .filter_map(|patch| if let Patch::Text { node, .. } = patch { Some(node) } else { None })
        .collect();
    let mut next = 0;
    each(pulse, |out, patch| match patch {
        Patch::Text { text, .. } if texts.len() > 1 => {
            next += 1;
            out.push(&Patch::Text { node: texts[next % texts.len()], text });
        }
        patch => out.push(patch),
    });
}

fn needless_class(pulse: &mut vein_runtime::Pulse) {
    if later(pulse) {
        let (name, value) = ("class", "house");
        let main = pulse.patches.iter().count();
        // The root element of the page is the first that was numbered.
        let patch = Patch::SetAttribute { node: 1, name, value };
        if main > 0 {
            pulse.patches.push(&patch);
        }
    }
}

fn lose_removal(pulse: &mut vein_runtime::Pulse) {
    each(pulse, |out, patch| {
        if !matches!(patch, Patch::Remove { .. }) {
            out.push(patch);
        }
    });
}

fn lose_clone(pulse: &mut vein_runtime::Pulse) {
    if !later(pulse) {
        return;
    }
    each(pulse, |out, patch| {
        if matches!(patch, Patch::Template { .. } | Patch::Remove { .. }) {
            out.push(patch);
        }
    });
}

fn lose_moves(pulse: &mut vein_runtime::Pulse) {
    each(pulse, |out, patch| {
        if !matches!(patch, Patch::Move { .. }) {
            out.push(patch);
        }
    });
}

fn move_once_more(pulse: &mut vein_runtime::Pulse) {
    let moved = pulse.patches.iter().find_map(|patch| match patch {
        Patch::Move { before, parent, .. } if before != 0 => Some((before, parent)),
        _ => None,
    });
    if let Some((node, parent)) = moved {
        // To the end, and nobody brings it back.
        pulse.patches.push(&Patch::Move { node, parent, before: 0 });
    }
}

fn forget_attribute(pulse: &mut vein_runtime::Pulse) {
    each(pulse, |out, patch| {
        if !matches!(patch, Patch::RemoveAttribute { .. }) {
            out.push(patch);
        }
    });
}

fn another_property(pulse: &mut vein_runtime::Pulse) {
    each(pulse, |out, patch| match patch {
        Patch::SetProperty { node, property, .. } => {
            out.push(&Patch::SetProperty { node: *node, property: *property, value: "99" });
        }
        patch => out.push(patch),
    });
}

fn omit_from_ledger(pulse: &mut vein_runtime::Pulse) {
    pulse.parts.retain(|part| !part.address.contains("p.cans"));
}

fn invent_in_ledger(pulse: &mut vein_runtime::Pulse) {
    let invented = pulse.parts.iter().find(|part| part.address.contains("article.bed class"));
    let invented = invented.cloned().map(|mut part| {
        // The one after it, which is of the same element and stays as it was.
        if let vein_runtime::Which::Part(number) = &mut part.place.which {
            *number += 1;
        }
        part.address = "article.bed invented".into();
        part
    });
    pulse.parts.extend(invented);
}

/// A break, the scenario that finds it, and what is said of it.
const BREAKS: &[(&str, Break, &str, &[&str])] = &[
    (
        "a part is skipped",
        Break::Engine(Sabotage::SkipParts),
        "water-a-bed",
        &["missed", "tank-gauge › span text", "57.5 l"],
    ),
    (
        "all that is woken is evaluated",
        Break::Engine(Sabotage::EvaluateAll),
        "to-and-fro",
        &["idle", "half-lab › p text"],
    ),
    (
        "a derived value is stale",
        Break::Engine(Sabotage::StaleDerived),
        "water-a-bed",
        &["p.cans text"],
    ),
    (
        "every row moves",
        Break::Engine(Sabotage::MoveAll),
        "order",
        &["moves", "more than the fewest"],
    ),
    (
        "a pulse is half taken back",
        Break::Engine(Sabotage::HalfRollBack),
        "half",
        &["`stock` is not 3", "it is 1"],
    ),
    (
        "a timer goes on",
        Break::Engine(Sabotage::EndlessTimer),
        "alarm",
        &["alarm-bell › p.bell text", "does not state it"],
    ),
    (
        "timers are not ended",
        Break::Engine(Sabotage::KeepTimers),
        "alarm-goes-on-ringing",
        &["left behind 1 timer"],
    ),
    (
        "questions are not let go",
        Break::Engine(Sabotage::KeepQuestions),
        "remove-a-bed",
        &["left behind", "streams"],
    ),
    (
        "a late answer is accepted",
        Break::Engine(Sabotage::LateAnswers),
        "forecast-latest",
        &["sky-forecast › p.coming branch", "does not state it"],
    ),
    (
        "a subscription is kept",
        Break::Engine(Sabotage::KeepSubscriptions),
        "drop",
        &["left behind", "subscriptions"],
    ),
    (
        "an event is swallowed",
        Break::Engine(Sabotage::SwallowEvents),
        "water-a-bed",
        &["tank-gauge › progress value", "does not change"],
    ),
    (
        "an event is heard twice",
        Break::Engine(Sabotage::RepeatEvents),
        "water-a-bed",
        &["tank-gauge › progress value", "it becomes \"50\""],
    ),
    ("texts are lost", Break::Way(skip_texts), "water-a-bed", &["missed", "p.summary text"]),
    ("texts are written twice", Break::Way(double), "water-a-bed", &["needless", "patched twice"]),
    (
        "a text is of yesterday",
        Break::Way(stale),
        "water-a-bed",
        &["missed", "tank-gauge › span text", "of yesterday"],
    ),
    ("texts go astray", Break::Way(misdirect), "water-a-bed", &["missed", "p.cans text"]),
    ("a class is written needlessly", Break::Way(needless_class), "water-a-bed", &["needless"]),
    ("a removed row stays", Break::Way(lose_removal), "remove-a-bed", &["missed", "holds"]),
    (
        "an alternative is not shown",
        Break::Way(lose_clone),
        "forecast-comes",
        &["missed", "sky-forecast"],
    ),
    ("a row is not moved", Break::Way(lose_moves), "order", &["missed"]),
    ("a row is moved too much", Break::Way(move_once_more), "order", &["moves"]),
    (
        "an attribute stays",
        Break::Way(forget_attribute),
        "water-a-bed",
        &["missed", "tank-gauge › button disabled"],
    ),
    (
        "a control is given another value",
        Break::Way(another_property),
        "host-writes",
        &["missed", "input"],
    ),
    (
        "the ledger omits a part",
        Break::Way(omit_from_ledger),
        "water-a-bed",
        &["p.cans text", "not recorded"],
    ),
    (
        "the ledger invents a part",
        Break::Way(invent_in_ledger),
        "water-a-bed",
        &["article.bed invented", "recorded, but unchanged"],
    ),
    (
        "a component forgets an assignment",
        Break::Component("water-tank.vein", "litres -= wanted;", ""),
        "water-a-bed",
        &["tank-gauge › span text", "does not change"],
    ),
    (
        "a component does not pass an event on",
        Break::Component("bench-view.vein", "water=\"->\" ", ""),
        "water-a-bed",
        &["p.moisture text", "does not change"],
    ),
    (
        "a component loses a binding",
        Break::Component("tank-gauge.vein", "{tank.litres} l", "60 l"),
        "water-a-bed",
        &["there is no part `tank-gauge › span text`"],
    ),
    (
        "a component turns a condition around",
        Break::Component("bed-card.vein", "bed.moisture < threshold", "threshold < bed.moisture"),
        "water-a-bed",
        &["article.bed class", "it becomes"],
    ),
    (
        "a loop loses its `by`",
        Break::Component("bench-view.vein", " by bed.id", ""),
        "order",
        &["no part"],
    ),
];

/// Scenarios that only breaking needs: a pulse that is taken back, writes that cancel out, and a timer
/// that runs at the end.
const OWN: &[(&str, &str)] = &[
    (
        "to-and-fro",
        "component = 'half-lab'\n[[step]]\nclick = 'button:nth-of-type(2)'\nchanges = []\n",
    ),
    (
        "half",
        "component = 'half-lab'\n[[step]]\nclick = 'button'\nfails = 'in a circle'\nstate = { stock = 3 }\n",
    ),
    (
        "alarm-goes-on-ringing",
        "component = 'alarm-bell'\ndata = { thirsty = 1 }\n[[step]]\nwait = 10\n",
    ),
];

/// Takes two away, and then calls itself without end: everything is to be taken back.
const HALF_LAB: &str = "holds stock = 3\nholds left = 0\ndoes fall() { left++; fall() }\n\
    <button click='-> stock = 1; fall()'>Take</button>\
    <button click='-> stock++; stock--'>To and fro</button><p>{stock}</p><i>{left}</i>\n";

fn components(broken: Option<(&str, &str, &str)>) -> Ui {
    let mut sources: Vec<(String, String)> = std::fs::read_dir(GLASSHOUSE)
        .expect("the glasshouse")
        .map(|file| file.expect("a file").path())
        .filter(|path| path.extension().is_some_and(|ending| ending == "vein"))
        .map(|path| {
            let name = path.file_name().expect("a name").to_string_lossy().into_owned();
            (name, std::fs::read_to_string(&path).expect("a component"))
        })
        .collect();
    sources.push(("half-lab.vein".into(), HALF_LAB.into()));
    if let Some((file, old, new)) = broken {
        let source = sources.iter_mut().find(|(name, _)| name == file).expect("a component");
        assert!(source.1.contains(old), "{file} holds no {old}");
        source.1 = source.1.replace(old, new);
    }
    Ui::from_sources(sources).unwrap_or_else(|error| panic!("{error}"))
}

fn scenario(name: &str) -> ScenarioFile {
    match OWN.iter().find(|(own, _)| *own == name) {
        Some((name, text)) => ScenarioFile::from_text(format!("{name}.scenario.toml"), *text),
        None => ScenarioFile::read(
            Path::new(GLASSHOUSE).join("scenarios").join(format!("{name}.scenario.toml")),
        ),
    }
    .unwrap_or_else(|error| panic!("{error}"))
}

/// Plays a scenario with something broken, and gives all that does not hold.
fn played(file: &ScenarioFile, ui: &Ui, broken: Option<&Break>) -> Vec<String> {
    let mut player = file.player(ui, ("en", "UTC"), &mut InMemory).expect("it opens");
    let session = player.session().expect("a page");
    match broken {
        Some(Break::Engine(way)) => session.sabotage(*way),
        Some(Break::Way(tamper)) => session.tamper(Box::new(*tamper)),
        Some(Break::Component(..)) | None => {}
    }
    let played = player.finish(&mut InMemory);
    played
        .mistakes()
        .map(|mistake| format!("{}: {} · {}", mistake.code, mistake.message, mistake.label))
        .collect()
}

#[test]
fn whatever_is_broken_is_found_and_named() {
    let sound = components(None);
    let mut failures = Vec::new();
    for (what, broken, name, said) in BREAKS {
        let file = scenario(name);
        assert_eq!(played(&file, &sound, None), Vec::<String>::new(), "{name} holds by itself");
        let ui = match broken {
            Break::Component(file, old, new) => components(Some((file, old, new))),
            _ => sound.clone(),
        };
        let mistakes = played(&file, &ui, Some(broken));
        let all = mistakes.join("\n");
        if mistakes.is_empty() || !said.iter().all(|part| all.contains(part)) {
            failures.push(format!("{what} in {name}: wanted {said:?}, found:\n{all}"));
        }
    }
    assert!(failures.is_empty(), "{}", failures.join("\n\n"));
    assert!(BREAKS.len() >= 20);
}
