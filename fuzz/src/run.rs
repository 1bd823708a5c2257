//! Components that pass the checks, used at random.

use crate::random::Random;
use vein::{Budget, Page, Pulse, Session, Ui, Value};
use vein_plan::Property;
use vein_view::{Event, NodeId};

/// Another component, for what is put together.
const BOX: &str = "\
takes label: string = 'box'
takes amount: number = 0
gives taken(amount: number)

<button click='-> give taken(amount + 1)'>{label} {amount}</button><slot>none</slot>
";

/// A page may use up so much, so that a try is short.
const BUDGET: Budget = Budget { steps: 50_000, bytes: 4 << 20, nodes: 4_000 };

/// Whatever passes the checks runs: each pulse is exact, or was taken back.
pub fn run(bytes: &[u8]) {
    let text = crate::text(bytes);
    // How it is used follows from the text.
    let seed = bytes.iter().fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| {
        (hash ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3)
    });
    let sources = [("fuzz-bed", &*text), ("fuzz-box", BOX)];
    let Ok(ui) = Ui::from_sources(sources) else { return };
    let ui = ui.with_budget(BUDGET);
    let plan = ui.to_plan();
    assert_eq!(Ui::from_plan(&plan).expect("a plan that was written").to_plan(), plan);
    let mut opening = ui.page("fuzz-bed");
    for name in ui.functions(Some("fuzz-bed")).into_keys() {
        opening =
            opening.answer_values(&name, |args| Ok(args.first().cloned().unwrap_or(Value::Null)));
    }
    let Ok(mut page) = opening.open_value(Value::record([])) else { return };
    page.session_mut().check_reads();
    sound(&mut page, &text);
    let mut random = Random(seed | 1);
    for _ in 0..12 {
        if page.tree().len() > 2_000 {
            break;
        }
        let pulses = match random.below(8) {
            0 => page.advance(random.below(2_000) as f64).unwrap_or_default(),
            1 => written(&mut page, &mut random).into_iter().collect(),
            _ => used(page.session_mut(), &mut random).into_iter().collect(),
        };
        for pulse in &pulses {
            let is_exact = pulse.verdict.as_ref().is_none_or(|verdict| verdict.is_exact());
            let problems = pulse.verdict.as_ref().map(|verdict| verdict.problems());
            assert!(is_exact, "{pulse}\n{problems:?}\n{text}");
            let _ = (pulse.json(), pulse.snapshot());
        }
        sound(&mut page, &text);
    }
    // What it held opens another that shows the same.
    let held = page.held();
    let _ = vein_plan::to_json(&held);
    let _ = (page.html_indented(), page.outline());
    let _ = page.close();
}

/// What the engine knows twice is the same.
fn sound(page: &mut Page, text: &str) {
    let session = page.session_mut();
    let wrong = [
        session.runtime().astray(),
        session.runtime().misread().to_vec(),
        session.unasked(),
        session.outdated(),
    ];
    assert!(wrong.iter().all(Vec::is_empty), "{wrong:?}\n{text}");
}

/// The host writes what it has read somewhere.
fn written(page: &mut Page, random: &mut Random) -> Option<Pulse> {
    let Value::Record(held) = page.held() else { return None };
    let names: Vec<String> = held.iter().map(|(name, _)| name.to_string()).collect();
    let (to, from) = (one_of(random, &names)?.clone(), one_of(random, &names)?.clone());
    let value = page.session_mut().get(&from).ok()?;
    page.session_mut().set(&to, value).ok()
}

/// Something that hears an event gets one.
fn used(session: &mut Session, random: &mut Random) -> Option<Pulse> {
    let tree = session.tree();
    let hearing: Vec<(NodeId, String)> = tree
        .elements()
        .into_iter()
        .filter_map(|node| Some((node, tree.number_of(node)?)))
        .flat_map(|(node, number)| {
            let listeners = session.runtime().listeners_on(number);
            listeners
                .into_iter()
                .map(move |(_, listener)| (node, listener.event.to_string()))
                .collect::<Vec<_>>()
        })
        .collect();
    let (node, event) = one_of(random, &hearing)?.clone();
    let tree = session.tree_mut();
    match (tree.name(node)?, tree.control_type(node).as_str()) {
        ("input", "checkbox" | "radio") => {
            let on = !tree.flag(node, Property::Checked);
            tree.set_flag(node, Property::Checked, on);
        }
        ("input" | "textarea" | "select", _) => {
            let texts = ["3", "2.5", "kale", "", " 1", "x<y", "2026-11-29"];
            tree.type_value(node, one_of(random, &texts)?);
        }
        ("details" | "dialog", _) => {
            let on = !tree.flag(node, Property::Open);
            tree.set_flag(node, Property::Open, on);
        }
        _ => {}
    }
    session.dispatch(node, &Event::new(event)).ok()
}

fn one_of<'a, T>(random: &mut Random, all: &'a [T]) -> Option<&'a T> {
    all.get(random.below(all.len()))
}
