//! The document as the browser shows it against the tree in memory, and what the document's own
//! observer saw against the patches.

use serde_json::Value as Json;
use std::collections::{BTreeMap, BTreeSet};
use vein::program::TemplateNode;
use vein::{NodeId, Patch, Pulse, Session, Tree};

/// Everything that is not the same.
pub(super) fn differences(session: &Session, expected: Vec<Expected>, seen: &Json) -> Vec<String> {
    let mut found = Vec::new();
    if let Some(failure) = seen["failure"].as_str() {
        found.push(format!("the browser's applier stopped: {failure}"));
    }
    let tree = session.tree();
    let empty = Vec::new();
    let view = seen["view"].as_array().unwrap_or(&empty);
    found.extend(children(session, tree.root(), view));
    found.extend(observed(session, expected, &seen["seen"]));
    found.extend(focus(session, &seen["focus"]));
    found
}

/// Whether the focus is where it was after what a person did last, as long as that stands there and
/// can have it.
fn focus(session: &Session, seen: &Json) -> Option<String> {
    let tree = session.tree();
    let id = tree.focused().filter(|id| tree.is_focusable(*id))?;
    let path: Option<Vec<usize>> = serde_json::from_value(seen.clone()).unwrap_or_default();
    let has = path.as_ref().filter(|path| !path.is_empty()).and_then(|path| node_at(tree, path));
    (has != Some(id)).then(|| {
        let where_to = has.map_or("nothing in the view".into(), |id| called(session, id, "focus"));
        format!(
            "{} has lost the focus in the document: {where_to} has it",
            called(session, id, "focus")
        )
    })
}

/// What a node is called: by the address of a part of it where there is one.
fn called(session: &Session, id: NodeId, what: &str) -> String {
    let tree = session.tree();
    let number = tree.number_of(id);
    let sources = session_outline(session);
    let own =
        |source: &&vein::RowSource| number.is_some() && source.node == number && !source.listens;
    let named =
        sources.iter().filter(own).find(|source| source.address.ends_with(&format!(" {what}")));
    if let Some(source) = named.or_else(|| sources.iter().find(own)) {
        return format!("`{}`", source.address);
    }
    let element = if tree.name(id).is_some() { Some(id) } else { tree.parent(id) };
    let described = element.map_or("the view".to_owned(), |element| match tree.name(element) {
        Some(_) => tree.described(element),
        None => "the view".into(),
    });
    format!("{what} of `{described}`")
}

fn session_outline(session: &Session) -> Vec<vein::RowSource> {
    let rows = vein::outline(session.runtime());
    rows.into_iter().filter_map(|row| row.source).collect()
}

/// The first difference between what a node holds in memory and in the document.
fn children(session: &Session, at: NodeId, shown: &[Json]) -> Option<String> {
    let tree = session.tree();
    let held = tree.children(at);
    if held.len() != shown.len() {
        return Some(format!(
            "{}: the document has {} nodes there, the tree in memory {}",
            called(session, at, "nodes"),
            shown.len(),
            held.len()
        ));
    }
    held.iter().zip(shown).find_map(|(id, shown)| node(session, *id, shown))
}

fn node(session: &Session, id: NodeId, shown: &Json) -> Option<String> {
    let tree = session.tree();
    if let Some(text) = tree.text(id) {
        return (shown.as_str() != Some(text)).then(|| {
            format!(
                "{}: the document shows {shown}, the tree in memory {text:?}",
                called(session, id, "text")
            )
        });
    }
    let name = tree.name(id).unwrap_or("");
    if shown["name"].as_str() != Some(name) {
        return Some(format!("`{}`: the document has {} there", tree.described(id), shown["name"]));
    }
    attributes(session, id, shown).or_else(|| held(session, id, &shown["held"])).or_else(|| {
        // What a text area holds is its property; the text in it is only what it began with.
        let empty = Vec::new();
        let inside = shown["children"].as_array().unwrap_or(&empty);
        if name == "textarea" { None } else { children(session, id, inside) }
    })
}

fn attributes(session: &Session, id: NodeId, shown: &Json) -> Option<String> {
    let tree = session.tree();
    // Style sheets' text is put in a form of its own by the browser, `open` stands for a property.
    let counts = |name: &str| name != "style" && name != "open";
    let ours: BTreeMap<&str, &str> = tree.attributes(id).filter(|(name, _)| counts(name)).collect();
    let empty = Vec::new();
    let theirs = |which: &str| shown[which].as_array().unwrap_or(&empty).iter();
    // What was written beforehand says with attributes, too, what controls held at first.
    let written =
        theirs("written").filter(|pair| ours.contains_key(pair[0].as_str().unwrap_or("")));
    let theirs: BTreeMap<&str, &str> = theirs("attributes")
        .chain(written)
        .filter_map(|pair| Some((pair[0].as_str()?, pair[1].as_str()?)))
        .filter(|(name, _)| counts(name))
        .collect();
    let names = ours.keys().chain(theirs.keys());
    let differs = names.into_iter().find(|name| ours.get(**name) != theirs.get(**name))?;
    let said =
        |value: Option<&&str>| value.map_or("absent".to_owned(), |value| format!("{value:?}"));
    Some(format!(
        "{}: the document shows {}, the tree in memory {}",
        called(session, id, differs),
        said(theirs.get(*differs)),
        said(ours.get(*differs))
    ))
}

/// What a control holds, where a binding or a person has set it.
fn held(session: &Session, id: NodeId, shown: &Json) -> Option<String> {
    use vein::Property;
    let tree = session.tree();
    for property in Property::ALL {
        let Some(set) = tree.set_property(id, property) else { continue };
        let theirs = &shown[property.name()];
        let same = match (&set, property) {
            // The browser's list is in the order of the options.
            (vein::Shown::Text(chosen), Property::Chosen) => {
                let mut ours: Vec<String> = serde_json::from_str(chosen).unwrap_or_default();
                let mut seen: Vec<String> =
                    serde_json::from_value(theirs.clone()).unwrap_or_default();
                ours.sort();
                seen.sort();
                ours == seen
            }
            // What was set, as the control takes it.
            (vein::Shown::Text(_), _) => theirs.as_str() == tree.value(id).as_deref(),
            (vein::Shown::Flag(on), _) => theirs.as_bool() == Some(*on),
            (vein::Shown::Absent, _) => true,
        };
        if !same {
            return Some(format!(
                "{}: the document's control holds {theirs}, the one in memory {set}",
                called(session, id, property.name())
            ));
        }
    }
    None
}

/// A mutation that the observer has to see: what of which node, or `added` or `removed`.
pub(super) type Expected = (String, Option<(NodeId, u64)>);

/// The mutations that a pulse leads to, while the tree is as the pulse has left it.
pub(super) fn expected(session: &Session, entry: &Pulse) -> Vec<Expected> {
    let tree = session.tree();
    let node = |number: u32| tree.numbered(number).map(|id| (id, tree.serial(id)));
    let mut expected = Vec::new();
    for patch in entry.pulse.patches.iter() {
        match patch {
            Patch::Text { node: number, .. } => expected.push(("text".into(), node(number))),
            Patch::SetAttribute { node: number, name, .. }
            | Patch::RemoveAttribute { node: number, name } => {
                expected.push((name.to_owned(), node(number)));
            }
            Patch::Clone { .. } => expected.push(("added".into(), None)),
            Patch::Remove { .. } => expected.push(("removed".into(), None)),
            Patch::Move { .. } => {
                expected.push(("removed".into(), None));
                expected.push(("added".into(), None));
            }
            Patch::Template { .. }
            | Patch::SetProperty { .. }
            | Patch::SetFlag { .. }
            | Patch::Done { .. } => {}
        }
    }
    expected
}

/// The same for a page that is compiled: what is new is whole before it comes, so that each node at its top is seen once and
/// nothing inside of it; by what is known of the templates that were sent.
pub(super) fn expected_whole(
    session: &Session,
    entry: &Pulse,
    known: &mut BTreeMap<u32, (usize, u32)>,
) -> Vec<Expected> {
    let tree = session.tree();
    let node = |number: u32| tree.numbered(number).map(|id| (id, tree.serial(id)));
    let (mut expected, mut new) = (Vec::new(), BTreeSet::new());
    for patch in entry.pulse.patches.iter() {
        match patch {
            Patch::Template { number, template } => {
                let (mut depth, mut at_top) = (0, 0);
                for node in &template.nodes {
                    at_top += usize::from(depth == 0);
                    match node {
                        TemplateNode::Open { .. } => depth += 1,
                        TemplateNode::Close => depth -= 1,
                        _ => {}
                    }
                }
                known.insert(number, (at_top, template.marks()));
            }
            Patch::Clone { template, parent, first, .. } => {
                let (at_top, marks) = known.get(&template).copied().unwrap_or_default();
                if !new.contains(&parent) {
                    expected.extend((0..at_top).map(|_| ("added".to_owned(), None)));
                }
                new.extend(first..first + marks);
            }
            Patch::Text { node: number, .. } if !new.contains(&number) => {
                expected.push(("text".into(), node(number)));
            }
            Patch::SetAttribute { node: number, name, .. }
            | Patch::RemoveAttribute { node: number, name }
                if !new.contains(&number) =>
            {
                expected.push((name.to_owned(), node(number)));
            }
            Patch::Remove { .. } => expected.push(("removed".into(), None)),
            Patch::Move { .. } => {
                expected.push(("removed".into(), None));
                expected.push(("added".into(), None));
            }
            _ => {}
        }
    }
    expected
}

/// What the observer saw and should not have, and the other way round.
fn observed(session: &Session, expected: Vec<Expected>, seen: &Json) -> Vec<String> {
    let tree = session.tree();
    let path = |(id, serial): (NodeId, u64)| tree.is_node(id, serial).then(|| path_to(tree, id));
    let mut expected: Vec<(String, Option<Vec<usize>>)> =
        expected.into_iter().map(|(what, node)| (what, node.and_then(path))).collect();
    let empty = Vec::new();
    let records = seen.as_array().unwrap_or(&empty).iter();
    let mut unexpected: Vec<(String, Option<Vec<usize>>)> = Vec::new();
    for record in records {
        let what = record[0].as_str().unwrap_or_default().to_owned();
        let path: Option<Vec<usize>> =
            serde_json::from_value(record[1].clone()).unwrap_or_default();
        // `open` of `details` stands for its property.
        if what == "open" {
            continue;
        }
        match expected.iter().position(|known| *known == (what.clone(), path.clone())) {
            Some(at) => drop(expected.remove(at)),
            None => unexpected.push((what, path)),
        }
    }
    let place = |what: &str, path: &Option<Vec<usize>>| {
        let id = path.as_ref().and_then(|path| node_at(tree, path));
        id.map_or("something that is gone".to_owned(), |id| called(session, id, what))
    };
    let said = |(what, path): &(String, Option<Vec<usize>>), verb: &str| match what.as_str() {
        "added" | "removed" => format!("the document's observer {verb} nodes {what}"),
        what => format!("the document's observer {verb} {} change", place(what, path)),
    };
    let missing = expected.iter().map(|one| said(one, "did not see"));
    let extra = unexpected
        .iter()
        .map(|one| format!("{}, which no patch of the ledger did", said(one, "saw")));
    missing.chain(extra).collect()
}

/// The way to a node, by the positions of the nodes around it.
pub(super) fn path_to(tree: &Tree, id: NodeId) -> Vec<usize> {
    let mut path: Vec<usize> = std::iter::successors(Some(id), |id| tree.parent(*id))
        .filter_map(|id| {
            let parent = tree.parent(id)?;
            tree.children(parent).iter().position(|child| *child == id)
        })
        .collect();
    path.reverse();
    path
}

/// The node at the end of a way.
pub(super) fn node_at(tree: &Tree, path: &[usize]) -> Option<NodeId> {
    path.iter().try_fold(tree.root(), |id, at| tree.children(id).get(*at).copied())
}
