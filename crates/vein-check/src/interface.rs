//! What a component shows of itself to those that use it, read from its text alone: so
//! components can be checked in any order, and again one by one.

use crate::marks::{MARK, Reach};
use crate::named::{Named, resolve_type};
use crate::types::Ty;
use std::collections::{BTreeMap, BTreeSet};
use vein_plan::Namespace;
use vein_syntax::ast::{AttributeValue, DeclarationKind, Element, File, Node, TypedName};
use vein_syntax::elements::stands_alone;

/// What others can know of a component.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Interface {
    /// Its number in the program.
    pub(crate) number: u32,
    /// Its props in order: their cells have the same numbers.
    pub(crate) props: Vec<PropInfo>,
    /// Its events in order, with their payloads.
    pub(crate) events: Vec<(String, Vec<(String, Ty)>)>,
    /// Its slots, with the names of what they hand back.
    pub(crate) slots: BTreeMap<String, BTreeSet<String>>,
    /// What stands at the top of its markup.
    pub(crate) root: Root,
    /// Where the tag of that element or component starts.
    pub(crate) root_start: u32,
    /// The attributes that components which use it give to its root element, in order: cells
    /// for them follow those of the props.
    pub(crate) falls: Vec<String>,
    /// The components that it surely shows, whatever its state is.
    pub(crate) always: BTreeSet<String>,
    /// For a store, its name.
    pub(crate) store: Option<String>,
    /// What its markup begins and ends with.
    edges: Sides<Edge>,
    /// Whether it begins and ends with what stands in a line with what is beside it.
    pub(crate) in_line: Sides<bool>,
}

/// Something of the beginning of markup, and the same of its end.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Sides<T> {
    pub(crate) first: T,
    pub(crate) last: T,
}

/// What markup begins or ends with.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) enum Edge {
    /// What stands in a line: text, or an element in text.
    #[default]
    Line,
    /// What stands on lines of its own.
    Block,
    /// A component, by its name.
    Component(String),
}

impl Edge {
    /// What a node is to what stands before it, or after it.
    pub(crate) fn of(mut node: &Node, before: bool) -> Edge {
        loop {
            let Node::Element(element) = node else { return Edge::Line };
            let inner = match before {
                true => element.children.first(),
                false => element.children.last(),
            };
            node = match (element.name.name.as_str(), inner) {
                ("group", Some(inner)) => inner,
                (name, _) if name.contains('-') => return Edge::Component(name.into()),
                (name, _) if stands_alone(name) && element.namespace == Namespace::Html => {
                    return Edge::Block;
                }
                _ => return Edge::Line,
            };
        }
    }
}

/// A prop, as those see it that give it.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct PropInfo {
    pub(crate) name: String,
    pub(crate) ty: Ty,
    pub(crate) required: bool,
    pub(crate) shared: bool,
}

/// What stands at the top of a component's markup.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) enum Root {
    /// One element that is always there.
    Element,
    /// One component, by its name.
    Component(String),
    /// Nothing, several nodes, or nodes that come and go.
    #[default]
    Several,
}

/// Attributes that a component does not take itself but hands to its root element.
pub(crate) fn falls_to_root(name: &str) -> bool {
    matches!(name, "class" | "style" | "id")
        || name.starts_with("data-")
        || name.starts_with("aria-")
}

impl Interface {
    /// Reads a component's own part of its interface.
    pub(crate) fn of(file: &File, named: &Named) -> Interface {
        let store = crate::stores::store_of(file).map(|ident| ident.name.clone());
        let mut interface = Interface { store, ..Interface::default() };
        let ty = |typed: &TypedName| resolve_type(&typed.ty, named, &mut Vec::new());
        for declaration in &file.declarations {
            let (prop, default, shared) = match &declaration.kind {
                DeclarationKind::Takes(prop, default) => (prop, default, false),
                DeclarationKind::Shares(prop, default) => (prop, default, true),
                DeclarationKind::Gives(ident, payload) => {
                    if !interface.events.iter().any(|(name, _)| *name == ident.name) {
                        let payload =
                            payload.iter().map(|p| (p.ident.name.clone(), ty(p))).collect();
                        interface.events.push((ident.name.clone(), payload));
                    }
                    continue;
                }
                _ => continue,
            };
            let name = prop.ident.name.clone();
            if name.is_empty() || interface.props.iter().any(|known| known.name == name) {
                continue;
            }
            let required = default.is_none();
            interface.props.push(PropInfo { name, ty: ty(prop), required, shared });
        }
        elements(&file.markup, &mut |element| {
            if element.name.name == "slot" {
                let slot = interface.slots.entry(static_value(element, "name")).or_default();
                let handed = element.attributes.iter().filter(|a| is_handed(&a.value));
                slot.extend(handed.map(|a| a.name.name.clone()));
            }
        });
        if let [Node::Element(element)] = file.markup.as_slice()
            && !comes_and_goes(element)
        {
            let start = element.start_tag.start;
            interface.root = match element.name.name.as_str() {
                "group" | "slot" => Root::Several,
                name if name.contains('-') => Root::Component(name.into()),
                _ => Root::Element,
            };
            interface.root_start = start;
        }
        always(&file.markup, &mut interface.always);
        let edge = |node: Option<&Node>, before| node.map_or(Edge::Line, |n| Edge::of(n, before));
        interface.edges =
            Sides { first: edge(file.markup.first(), true), last: edge(file.markup.last(), false) };
        interface
    }

    /// Whether those who use the component could tell the two apart.
    pub(crate) fn same_outside(&self, other: &Interface) -> bool {
        let inside = |interface: &Interface| Interface {
            root_start: 0,
            always: BTreeSet::new(),
            ..interface.clone()
        };
        inside(self) == inside(other)
    }

    /// The cell of a prop, or of an attribute that falls to the root.
    pub(crate) fn cell_of_fall(&self, name: &str) -> Option<u32> {
        let at = self.falls.iter().position(|fall| fall == name)?;
        Some((self.props.len() + at) as u32)
    }
}

/// What a file says of the components that it uses.
#[derive(Clone, Debug, Default)]
pub(crate) struct Uses {
    /// The elements with a hyphen in their names.
    pub(crate) names: BTreeSet<String>,
    /// The stores.
    pub(crate) stores: BTreeSet<String>,
    /// What its style sheet reaches.
    pub(crate) reach: Reach,
    /// Attributes on them that may fall to their roots.
    falls: BTreeSet<(String, String)>,
}

impl Uses {
    pub(crate) fn of(file: &File, text: &str) -> Uses {
        let stores = crate::stores::used_by(file).map(|ident| ident.name.clone()).collect();
        let reach = Reach::of(file, text);
        let mut uses = Uses { stores, ..Uses::default() };
        elements(&file.markup, &mut |element| {
            let name = &element.name.name;
            if name.contains('-') {
                uses.names.insert(name.clone());
                let falling = element.attributes.iter().filter(|a| falls_to_root(&a.name.name));
                uses.falls.extend(falling.map(|a| (name.clone(), a.name.name.clone())));
                if reach.gives(element) {
                    uses.falls.insert((name.clone(), MARK.into()));
                }
            }
        });
        uses.reach = reach;
        uses
    }
}

/// Works out which attributes fall to the root of which component.
pub(crate) fn work_out_falls<'a>(
    interfaces: &mut BTreeMap<String, Interface>,
    files: impl Iterator<Item = &'a Uses>,
) {
    let mut falls: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (component, name) in files.flat_map(|uses| &uses.falls) {
        let Some(used) = interfaces.get(component) else { continue };
        // A mark comes with a class.
        let with = if name == MARK { "class" } else { name };
        if !used.props.iter().any(|prop| prop.name == *with) {
            falls.entry(component.clone()).or_default().insert(name.clone());
        }
    }
    // What falls to a root that is itself a component falls on.
    let mut open: Vec<String> = falls.keys().cloned().collect();
    while let Some(name) = open.pop() {
        let Some(Root::Component(inner)) = interfaces.get(&name).map(|i| i.root.clone()) else {
            continue;
        };
        let Some(used) = interfaces.get(&inner) else { continue };
        let on: Vec<String> = falls[&name]
            .iter()
            .filter(|fall| !used.props.iter().any(|prop| prop.name == **fall))
            .cloned()
            .collect();
        let known = falls.entry(inner.clone()).or_default();
        let before = known.len();
        known.extend(on);
        if known.len() > before {
            open.push(inner);
        }
    }
    for (name, interface) in interfaces {
        interface.falls = falls.remove(name).into_iter().flatten().collect();
    }
}

/// Works out which components stand in a line with what is beside them: one that begins with another does as that does.
pub(crate) fn work_out_lines(interfaces: &mut BTreeMap<String, Interface>) {
    let in_line = |name: &str, side: fn(&Sides<Edge>) -> &Edge| {
        let mut edge = side(&interfaces[name].edges);
        // Those that go in a circle are told elsewhere.
        for _ in 0..interfaces.len() {
            let Edge::Component(inner) = edge else { break };
            let Some(inner) = interfaces.get(inner) else { break };
            edge = side(&inner.edges);
        }
        *edge != Edge::Block
    };
    let found: Vec<Sides<bool>> = interfaces
        .keys()
        .map(|name| Sides { first: in_line(name, |s| &s.first), last: in_line(name, |s| &s.last) })
        .collect();
    for (interface, in_line) in interfaces.values_mut().zip(found) {
        interface.in_line = in_line;
    }
}

fn is_handed(value: &AttributeValue) -> bool {
    matches!(value, AttributeValue::OneWay(..))
}

/// The text of an attribute that does not change; empty where there is none.
pub(crate) fn static_value(element: &Element, name: &str) -> String {
    match element.attributes.iter().find(|a| a.is(name)).map(|a| &a.value) {
        Some(AttributeValue::Static(text)) => text.trim().to_owned(),
        _ => String::new(),
    }
}

/// Whether an element is there only at times, or several times.
pub(crate) fn comes_and_goes(element: &Element) -> bool {
    let structure = ["when", "or-when", "otherwise", "each"];
    element.attributes.iter().any(|a| structure.contains(&a.name.name.as_str()))
}

/// Calls `each` with every element.
pub(crate) fn elements<'a>(nodes: &'a [Node], each: &mut impl FnMut(&'a Element)) {
    for node in nodes {
        if let Node::Element(element) = node {
            each(element);
            elements(&element.children, each);
        }
    }
}

/// The components that stand in the markup under no condition. What is given to another
/// component's slot may never be shown.
fn always(nodes: &[Node], found: &mut BTreeSet<String>) {
    for node in nodes {
        let Node::Element(element) = node else { continue };
        if comes_and_goes(element) || element.name.name == "slot" {
            continue;
        }
        if element.name.name.contains('-') {
            found.insert(element.name.name.clone());
        } else {
            always(&element.children, found);
        }
    }
}
