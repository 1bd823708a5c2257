//! What a pulse changed, held against the map that was known before anything ran.

use vein_check::ReachMap;
use vein_proof::Entry;
use vein_runtime::{Cause, Layer};

/// An address without identities, or a path without positions and keys.
fn without_brackets(address: &str) -> String {
    let (mut plain, mut depth) = (String::new(), 0);
    for c in address.chars() {
        depth += i32::from(c == '[');
        if depth == 0 {
            plain.push(c);
        }
        depth -= i32::from(c == ']');
    }
    plain
}

/// What an address may be in the text: without identities and positions, and without the elements
/// of loops around a component. What stands in a slot was written there, or where the component
/// is used.
fn as_written(address: &str) -> Vec<String> {
    let plain = without_brackets(address);
    let is_component = |step: &str| step.split(['.', '#']).next().is_some_and(|n| n.contains('-'));
    let (mut found, mut steps) = (vec![Vec::new()], plain.split(" › ").peekable());
    while let Some(step) = steps.next() {
        if step == "slot" || step.starts_with("slot(") || step.starts_with("slot.") {
            let outside = found.clone().into_iter().map(|mut way: Vec<&str>| {
                way.pop();
                way
            });
            found.extend(outside.collect::<Vec<_>>());
        } else if steps.peek().is_none() {
            found.iter_mut().for_each(|way| way.push(step));
        } else if is_component(step) {
            // Or it is the row of a loop over components.
            let inside = found.clone().into_iter().map(|mut way| {
                way.push(step);
                way
            });
            found.extend(inside.collect::<Vec<_>>());
        }
    }
    found.into_iter().map(|way| way.join(" › ")).collect()
}

/// The cell of a path, with the component that it stands in.
fn root_of(path: &str) -> String {
    let (inside, path) = path.rsplit_once(" › ").map_or(("", path), |(a, b)| (a, b));
    let dots = if inside.is_empty() && !path.contains('-') { 1 } else { 2 };
    let name: Vec<&str> = path.split('.').take(dots).collect();
    format!("{inside}{}{}", if inside.is_empty() { "" } else { " › " }, name.join("."))
}

/// What a pulse changed is within what was known of the state that it wrote, before anything ran.
pub fn stays_in_reach(map: &ReachMap, entry: &Entry, story: &str) -> usize {
    let changed = entry.pulse.values.iter().filter(|change| change.layer == Layer::State);
    let written = changed
        .map(|change| &change.path)
        .chain(entry.pulse.written.iter().map(|written| &written.path));
    let written: Vec<String> =
        written.flat_map(|path| as_written(path)).map(|path| root_of(&path)).collect();
    let paths = map.paths.iter().filter(|path| {
        let root = root_of(&without_brackets(&path.path));
        written.contains(&root)
    });
    let reached: Vec<&str> = paths
        .flat_map(|path| path.parts.iter().map(|part| map.parts[part.part].as_str()))
        .collect();
    // What a reset has taken from controls that are bound one way, it gives back: no state was written.
    let is_reset = matches!(&entry.pulse.cause, Cause::Event { kind, .. } if kind == "reset");
    for part in entry.pulse.parts.iter().filter(|part| !is_reset || !part.because.is_empty()) {
        assert!(
            as_written(&part.address).iter().any(|address| reached.contains(&address.as_str())),
            "{} is out of the reach of {written:?}\n{entry}\n{story}",
            part.address,
        );
    }
    entry.pulse.parts.len()
}
