//! A page that is opened in the place of another goes on as that one would have: state, timers, questions, streams, statements that
//! wait, listeners that have happened.

use crate::dressed::Wear;
use crate::generate::Random;
use crate::lively::{Lived, Step};
use crate::outside::{MOST_NODES, bed};
use crate::projects::lively_project;
use crate::seeds::{LONGER, Seeds};
use crate::views::{compiled, shown};
use serde_json::Value as Json;
use vein_plan::timeline::Timeline;
use vein_plan::{PartKind, Property, json};
use vein_proof::{Entry, Session};
use vein_runtime::{Carried, CarriedInstance, Cause, Kept, Lost};
use vein_view::{NodeId, Tree};

/// Timers that were due at one time ran in another order; a proof that began in the middle took a mark away from a control in which
/// something waited that state says already.
const ONCE_FAILED: [u64; 2] = [1_796_069_798_289, 1_796_083_907_818];

#[test]
fn random_pages_go_on_in_the_place_of_others() {
    let seeds = Seeds::new(400);
    let (mut pulses, mut again, mut waited, mut timers, mut state) = (0, 0, 0, 0, 0);
    let (mut alike, mut back) = (0, 0);
    for seed in seeds.and(&[&ONCE_FAILED]) {
        let mut random = Random::new(seed);
        let files = lively_project(&mut random, Wear::Seed(seed));
        let program = compiled(&files);
        let beds: Vec<Json> = (0..3).map(|_| bed(&mut random)).collect();
        let Some(mut page) = Lived::open(program.clone(), &beds) else { continue };
        let (mut timeline, mut views) = (Timeline::new(64 << 20), Vec::new());
        let longer = ONCE_FAILED.contains(&seed);
        for at in 0..if longer { LONGER } else { seeds.steps(16) } {
            timeline.push(page.session.carried().to_value());
            views.push(as_known(&page.session));
            if page.session.tree().len() > MOST_NODES {
                break;
            }
            let story = || format!("seed {seed}, step {at}\n{}", shown(&files));
            let mut twin = None;
            if random.below(3) == 0 {
                let carried = page.session.carried();
                state += carried.instances.iter().map(|one| one.values.len()).sum::<usize>();
                let written = json::stringify(&carried.to_value()).to_string();
                let read = Carried::from_value(&json::parse(&written).expect("it is JSON"));
                let read = read.expect("it is what was written").to_value();
                assert_eq!(json::stringify(&read).to_string(), written, "{}", story());
                let left = page.session.resources();
                let Some((mut other, lost)) = page.in_place(program.clone(), &beds, carried) else {
                    // What follows from state as it is may fail where it is worked out from the beginning.
                    break;
                };
                assert!(lost.is_empty(), "{}\nlost: {lost:?}", story());
                let (before, after) = (as_known(&page.session), as_known(&other.session));
                assert!(before == after, "{}\n{}", story(), difference(&before, &after));
                assert_eq!(page.held(), other.held(), "{}", story());
                let mates = other.session.mates(&mut page.session);
                let all = (0..mates.nodes.len() as u32).map(Some);
                assert!(mates.nodes.iter().copied().eq(all), "{}\n{mates:?}", story());
                let goes_on = other.session.resources();
                assert_eq!(
                    (goes_on.timers, goes_on.questions, goes_on.streams),
                    (left.timers, left.questions, left.streams),
                    "{}",
                    story()
                );
                let astray = other.session.runtime().astray();
                assert!(astray.is_empty(), "{}\nastray: {astray:?}", story());
                again += 1;
                waited += left.questions + left.streams;
                timers += left.timers;
                twin = Some(std::mem::replace(&mut page, other));
            }
            let step: Step = page.choose(&mut random);
            let entries = page.step(&step);
            for entry in &entries {
                pulses += 1;
                let verdict = entry.verdict.as_ref().expect("proof is on");
                assert!(
                    verdict.is_exact(),
                    "{}\n{step:?}\n{entry}\n{}",
                    story(),
                    verdict.problems().join("\n")
                );
            }
            // What a control began with is what it held when it was added, and that was later here.
            let reset = |entry: &Entry| matches!(&entry.pulse.cause, Cause::Event { kind, .. } if kind == "reset");
            if let Some(mut twin) = twin.filter(|_| !entries.iter().any(reset)) {
                twin.step(&step);
                let (twin, page) = (as_known(&twin.session), as_known(&page.session));
                assert!(twin == page, "{}\n{step:?}\n{}", story(), difference(&twin, &page));
                alike += 1;
            }
            let outdated = page.session.outdated();
            assert!(outdated.is_empty(), "{}\n{outdated:?}", story());
        }
        // And back: the page as it was at some moment.
        for (moment, view) in (0..).zip(&views).filter(|_| random.below(6) == 0) {
            let held = timeline.at(moment).expect("all is kept");
            let held = Carried::from_value(&held).expect("it is what was held");
            let Some((then, _)) = page.in_place(program.clone(), &beds, held) else { continue };
            let found = as_known(&then.session);
            let story = || format!("seed {seed}, at {moment}\n{}", shown(&files));
            assert!(found == *view, "{}\n{}", story(), difference(view, &found));
            back += 1;
        }
    }
    let reached = format!(
        "{pulses} pulses, {again} times in place, {state} values, {waited} waited, {timers} timers, {alike} alike, {back} times back"
    );
    println!("{reached}");
    if seeds.tell(pulses) {
        assert!(again > 500 && back > 500 && waited > 100 && timers > 100, "{reached}");
    }
}

#[test]
fn a_page_of_other_components_takes_what_fits() {
    let seeds = Seeds::new(300);
    let (mut pulses, mut opened, mut lost_some, mut kept, mut stay) = (0, 0, 0, 0, 0);
    for seed in seeds.and(&[]) {
        let mut random = Random::new(seed);
        let projects = [0, 1].map(|more| {
            let files = lively_project(&mut random, Wear::Seed(seed + more));
            (compiled(&files), shown(&files))
        });
        let beds: Vec<Json> = (0..3).map(|_| bed(&mut random)).collect();
        let Some(mut page) = Lived::open(projects[0].0.clone(), &beds) else { continue };
        for _ in 0..6 {
            let step = page.choose(&mut random);
            page.step(&step);
        }
        if page.session.tree().len() > MOST_NODES {
            continue;
        }
        let story = || format!("seed {seed}\n{}\n=== then\n{}", projects[0].1, projects[1].1);
        let before = page.session.carried();
        let (program, other) = (projects[1].0.clone(), before.clone());
        let before_page = page;
        let opened_in = before_page.in_place(program.clone(), &beds, other);
        let Some((mut page, lost)) = opened_in else { continue };
        stay += mates(&mut page.session, before_page.session, &story());
        opened += 1;
        lost_some += usize::from(!lost.is_empty());
        // State of the same name and type is what it was, wherever its component still stands.
        let after = page.session.carried();
        for was in &before.instances {
            let same = |one: &&CarriedInstance| {
                (one.is_store, &one.address, &one.component)
                    == (was.is_store, &was.address, &was.component)
            };
            // Those that share an address are told apart by their order alone.
            if before.instances.iter().filter(same).count() > 1 {
                continue;
            }
            let Some(is) = after.instances.iter().find(same) else {
                let gone = Lost::NotThere { address: was.address.clone() };
                let nothing = was.values.is_empty() && was.timers.is_empty();
                assert!(nothing || lost.contains(&gone), "{}\n{gone}", story());
                continue;
            };
            for (name, value) in &was.values {
                let path = match was.address.as_str() {
                    "" => name.to_string(),
                    address => format!("{address}.{name}"),
                };
                let told = |lost: &Lost| match lost {
                    Lost::Undeclared { path: told } | Lost::Misfit { path: told, .. } => {
                        *told == path
                    }
                    _ => false,
                };
                let again = Lost::AskedAgain { path: name.split(' ').next().unwrap_or("").into() };
                match is.values.iter().find(|(known, _)| known == name) {
                    Some((_, now)) if now.same(value) => kept += 1,
                    // What runs by itself on the new page may have written since, and what is asked again waits.
                    _ if lost.iter().any(told) || lost.contains(&again) => {}
                    found => {
                        assert!(found.is_some() || is.address.is_empty(), "{}\n{path}", story())
                    }
                }
            }
        }
        let again = {
            let held = page.session.carried();
            page.in_place(program, &beds, held)
        };
        let (again, lost) = again.expect("the same can be opened again");
        assert!(lost.is_empty(), "{}\n{lost:?}", story());
        let (first, second) = (as_known(&page.session), as_known(&again.session));
        assert!(first == second, "{}\n{}", story(), difference(&first, &second));
        for _ in 0..6 {
            let step = page.choose(&mut random);
            for entry in &page.step(&step) {
                pulses += 1;
                let verdict = entry.verdict.as_ref().expect("proof is on");
                assert!(
                    verdict.is_exact(),
                    "{}\n{entry}\n{}",
                    story(),
                    verdict.problems().join("\n")
                );
            }
        }
    }
    let reached = format!(
        "{pulses} pulses on {opened} pages, {kept} values kept, {lost_some} lost some, {stay} nodes stay"
    );
    println!("{reached}");
    if seeds.tell(pulses) {
        assert!(opened > 200 && kept > 1000 && lost_some > 50 && stay > 1000, "{reached}");
    }
}

/// How many nodes stay of a page that another is opened in the place of; each is what it was, where it was, and stays as one alone.
fn mates(page: &mut Session, mut before: Session, story: &str) -> usize {
    let mates = page.mates(&mut before);
    let in_order = |tree: &Tree| {
        let (mut all, mut open) = (Vec::new(), vec![tree.root()]);
        while let Some(id) = open.pop() {
            all.push(id);
            let inside = if tree.name(id) == Some("textarea") { &[] } else { tree.children(id) };
            open.extend(inside.iter().rev());
        }
        all.split_off(1)
    };
    let (own, others) = (in_order(page.tree()), in_order(before.tree()));
    assert_eq!(mates.nodes.len(), own.len(), "{story}");
    let mate = |id: NodeId| -> Option<NodeId> {
        let at = own.iter().position(|known| *known == id)?;
        Some(others[mates.nodes[at]? as usize])
    };
    let mut taken = std::collections::BTreeSet::new();
    for id in &own {
        let Some(mate_of) = mate(*id) else { continue };
        assert!(taken.insert(mate_of), "{story}");
        assert_eq!(page.tree().name(*id), before.tree().name(mate_of), "{story}");
        let around = (page.tree().parent(*id), before.tree().parent(mate_of));
        let (Some(parent), Some(other)) = around else { panic!("{story}") };
        let root = parent == page.tree().root() && other == before.tree().root();
        assert!(root || mate(parent) == Some(other), "{story}");
    }
    taken.len()
}

/// Where two texts begin to differ.
fn difference(before: &str, after: &str) -> String {
    let same = before.bytes().zip(after.bytes()).take_while(|(a, b)| a == b).count();
    let around = |text: &str| {
        let shown = text.as_bytes().get(same.saturating_sub(60)..).unwrap_or_default();
        String::from_utf8_lossy(&shown[..shown.len().min(200)]).into_owned()
    };
    format!("before … {}\nafter  … {}", around(before), around(after))
}

/// The view as the engine knows it: what a person has entered and not said to anybody yet is the surface's alone.
fn as_known(session: &Session) -> String {
    let (runtime, mut tree) = (session.runtime(), session.tree().clone());
    let mut open = vec![runtime.root_scope()];
    while let Some(scope) = open.pop() {
        let kept = runtime.kept(scope);
        let block = &runtime.program().plans[kept.plan].blocks[kept.block as usize];
        for (part, shown) in block.parts.iter().zip(&kept.shown) {
            if let PartKind::Property(property) = &part.kind {
                let node = tree.numbered(kept.first + part.mark).expect("it stands there");
                tree.hold(node, *property, shown);
            }
        }
        for held in kept.held {
            match held {
                Kept::One { scope, .. } => open.extend(scope),
                Kept::Rows(rows) => open.extend(rows.into_iter().map(|row| row.scope)),
                Kept::Nothing | Kept::Markup(_) => {}
            }
        }
    }
    written(&tree, tree.root())
}

/// A node with all that is in it; attributes in the order of their names, since nobody can tell in which they were set.
fn written(tree: &Tree, id: NodeId) -> String {
    if let Some(text) = tree.text(id) {
        return format!("{text:?}");
    }
    let mut attributes: Vec<(&str, &str)> = tree.attributes(id).collect();
    attributes.sort_unstable();
    let held = Property::ALL.map(|property| tree.set_property(id, property));
    let held: Vec<_> = held.iter().flatten().collect();
    let inside: String = tree.children(id).iter().map(|child| written(tree, *child)).collect();
    format!("<{} {attributes:?} {held:?}>{inside}</>", tree.name(id).unwrap_or(""))
}
