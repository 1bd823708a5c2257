//! The tree in memory: the surface that tests, the server and the proof look at.

use crate::numbers::Numbers;
use crate::patch::{Batch, NodeNumber, Patch, ROOT, Template};
use compact_str::CompactString;
use rustc_hash::{FxHashMap as HashMap, FxHashSet as HashSet};
use std::sync::Arc;
use vein_plan::{Name, Namespace, Property, Shown, TemplateNode};

/// A node of a [`Tree`], as long as it stands there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct NodeId(pub(crate) u32);

/// A document tree, or rather what one place of it holds.
#[derive(Clone, Debug)]
pub struct Tree {
    pub(crate) nodes: Vec<Node>,
    numbers: Numbers,
    templates: HashMap<u32, Arc<Known>>,
    /// Names of attributes that patches have set.
    names: HashSet<Name>,
    /// Places of nodes that were taken away.
    free: Vec<NodeId>,
    /// Counts the nodes that there ever were.
    next_serial: u64,
    /// Listeners that are not heard any more.
    pub(crate) spent: Vec<(NodeId, u32)>,
    /// What has the focus, with what tells it apart from others that had its place.
    pub(crate) focus: Option<(NodeId, u64)>,
    /// The types of events that something listens to, or has listened to.
    pub(crate) heard: HashSet<Name>,
}

#[derive(Clone, Debug)]
pub(crate) struct Node {
    pub(crate) parent: Option<NodeId>,
    pub(crate) number: Option<NodeNumber>,
    /// Tells apart nodes that had the same place one after the other.
    serial: u64,
    pub(crate) kind: NodeKind,
}

#[derive(Clone, Debug)]
pub(crate) enum NodeKind {
    Root(Vec<NodeId>),
    Element(Box<Element>),
    Text(CompactString),
    /// A place that nothing stands in.
    Free,
}

#[derive(Clone, Debug)]
pub(crate) struct Element {
    pub(crate) namespace: Namespace,
    pub(crate) name: Name,
    pub(crate) attributes: Vec<(Name, CompactString)>,
    /// What a control holds; most elements are none.
    control: Option<Box<Control>>,
    pub(crate) children: Vec<NodeId>,
    /// The template that its listeners come from, and which mark of it this is.
    pub(crate) listens: Option<(Arc<Known>, u32)>,
}

/// What a control holds apart from its attributes.
#[derive(Clone, Debug, Default)]
struct Control {
    value: Option<CompactString>,
    chosen: Option<CompactString>,
    flags: Vec<(Property, bool)>,
    /// What patches had it hold first, which is what a reset of its form gives it back.
    at_first: Vec<(Property, Shown)>,
    /// The properties that a person has changed since they were written last, a bit each.
    used: u8,
}

/// Why a patch was refused. Those before it were applied, those after it were not.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ApplyError {
    /// A patch to a node that is not there, or not of the right kind.
    NoSuchNode(NodeNumber),
    /// A clone of a template that was not made known.
    NoSuchTemplate(u32),
    /// A clone whose numbers are already given out.
    NumberTaken(NodeNumber),
    /// A place before a node that does not stand there, or inside what is moved.
    NoSuchPlace(NodeNumber),
}

impl std::fmt::Display for ApplyError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            ApplyError::NoSuchNode(n) => write!(f, "a patch names node {n}, which cannot take it"),
            ApplyError::NoSuchTemplate(n) => {
                write!(f, "a patch names template {n}, which is unknown")
            }
            ApplyError::NoSuchPlace(n) => {
                write!(f, "a patch puts something before node {n}, which is not there")
            }
            ApplyError::NumberTaken(n) => write!(f, "a patch gives out number {n} a second time"),
        }
    }
}

impl std::error::Error for ApplyError {}

/// A template with what cloning it needs to know.
#[derive(Debug)]
pub(crate) struct Known {
    pub(crate) template: Template,
    /// For each mark, whether something listens there.
    listens: Vec<bool>,
    /// For each node of the template that opens, how many nodes it holds.
    holds: Vec<u32>,
    marks: u32,
}

impl Known {
    fn new(template: Template) -> Known {
        let marks = template.marks();
        let mut listens = vec![false; marks as usize];
        for listener in &template.listeners {
            if let Some(listens) = listens.get_mut(listener.mark as usize) {
                *listens = true;
            }
        }
        let (mut holds, mut open) = (vec![0; template.nodes.len()], Vec::new());
        for (at, node) in template.nodes.iter().enumerate() {
            if matches!(node, TemplateNode::Close) {
                open.pop();
                continue;
            }
            if let Some(around) = open.last().copied() {
                let around: usize = around;
                holds[around] += 1;
            }
            if matches!(node, TemplateNode::Open { .. }) {
                open.push(at);
            }
        }
        Known { template, listens, holds, marks }
    }
}

impl Default for Tree {
    fn default() -> Self {
        let root =
            Node { parent: None, number: Some(ROOT), serial: 0, kind: NodeKind::Root(Vec::new()) };
        let mut numbers = Numbers::default();
        numbers.set(ROOT, NodeId(0), 1);
        Tree {
            nodes: vec![root],
            numbers,
            templates: HashMap::default(),
            names: HashSet::default(),
            free: Vec::new(),
            next_serial: 1,
            spent: Vec::new(),
            focus: None,
            heard: HashSet::default(),
        }
    }
}

impl Tree {
    /// The node that holds the view.
    pub fn root(&self) -> NodeId {
        NodeId(0)
    }

    /// Applies a batch, patch by patch.
    ///
    /// # Errors
    /// The first patch that does not fit the tree as it stands then; what comes after it is not
    /// applied. Whoever sent such a batch has to send the view anew.
    pub fn apply(&mut self, batch: &Batch) -> Result<(), ApplyError> {
        batch.iter().try_for_each(|patch| self.apply_one(patch))
    }

    fn apply_one(&mut self, patch: Patch<'_>) -> Result<(), ApplyError> {
        match patch {
            Patch::Template { number, template } => {
                self.heard.extend(template.listeners.iter().map(|listener| listener.event.clone()));
                self.templates.insert(number, Arc::new(Known::new(*template)));
            }
            Patch::Clone { template, parent, before, first } => {
                let known = self.templates.get(&template).cloned();
                let known = known.ok_or(ApplyError::NoSuchTemplate(template))?;
                let (parent, at) = self.place(parent, before)?;
                for number in first..first.saturating_add(known.marks) {
                    if self.numbered(number).is_some() {
                        return Err(ApplyError::NumberTaken(number));
                    }
                }
                self.insert_known(&known, parent, at, first);
            }
            Patch::Remove { node } => {
                let id = self.numbered(node).filter(|_| node != ROOT);
                let id = id.ok_or(ApplyError::NoSuchNode(node))?;
                self.detach(id);
                self.drop_subtree(id);
            }
            Patch::Move { node, parent, before } => {
                let id = self.numbered(node).filter(|_| node != ROOT);
                let id = id.ok_or(ApplyError::NoSuchNode(node))?;
                let (into, _) = self.place(parent, before)?;
                let mut around = std::iter::successors(Some(into), |id| self.parent(*id));
                if node == before || around.any(|around| around == id) {
                    return Err(ApplyError::NoSuchPlace(before));
                }
                self.detach(id);
                let (into, at) = self.place(parent, before)?;
                self.children_mut(into).insert(at, id);
                self.nodes[id.0 as usize].parent = Some(into);
            }
            Patch::Text { node, text } => {
                match self.numbered_mut(node).map(|node| &mut node.kind) {
                    Some(NodeKind::Text(data)) => {
                        data.clear();
                        data.push_str(text);
                    }
                    _ => return Err(ApplyError::NoSuchNode(node)),
                }
            }
            Patch::SetAttribute { node, name, value } => {
                let name = self.known_name(name);
                self.patched_element(node)?.set_attribute(name, value);
            }
            Patch::RemoveAttribute { node, name } => {
                self.patched_element(node)?.attributes.retain(|(n, _)| **n != *name);
            }
            Patch::SetProperty { node, property, value } => {
                let control = self.patched_element(node)?.control_mut();
                control.written(property, || Shown::Text(value.into()));
                match property {
                    Property::Chosen => control.chosen = Some(value.into()),
                    _ => control.value = Some(value.into()),
                }
            }
            Patch::SetFlag { node, property, on } => {
                let control = self.patched_element(node)?.control_mut();
                control.written(property, || Shown::Flag(on));
                control.set_flag(property, on);
            }
            Patch::Done { node, listener } => {
                let id = self.numbered(node).filter(|id| self.element(*id).is_some());
                let id = id.ok_or(ApplyError::NoSuchNode(node))?;
                if !self.spent.contains(&(id, listener)) {
                    self.spent.push((id, listener));
                }
            }
        }
        Ok(())
    }

    /// The name of an attribute, which many elements share.
    fn known_name(&mut self, name: &str) -> Name {
        if let Some(known) = self.names.get(name) {
            return known.clone();
        }
        let name = Name::from(name);
        self.names.insert(name.clone());
        name
    }

    fn patched_element(&mut self, number: NodeNumber) -> Result<&mut Element, ApplyError> {
        self.numbered_element(number).ok_or(ApplyError::NoSuchNode(number))
    }

    /// The node and the position in it that a patch names.
    fn place(&self, parent: NodeNumber, before: NodeNumber) -> Result<(NodeId, usize), ApplyError> {
        let into = self.numbered(parent).ok_or(ApplyError::NoSuchNode(parent))?;
        if matches!(self.node(into).kind, NodeKind::Text(_)) {
            return Err(ApplyError::NoSuchNode(parent));
        }
        let children = self.children(into);
        if before == ROOT {
            return Ok((into, children.len()));
        }
        let next = self.numbered(before).filter(|next| self.parent(*next) == Some(into));
        let next = next.ok_or(ApplyError::NoSuchPlace(before))?;
        let at = children.iter().rposition(|child| *child == next);
        Ok((into, at.ok_or(ApplyError::NoSuchPlace(before))?))
    }

    fn detach(&mut self, id: NodeId) {
        if let Some(parent) = self.parent(id) {
            let children = self.children_mut(parent);
            if let Some(at) = children.iter().position(|child| *child == id) {
                children.remove(at);
            }
        }
    }

    /// Gives back a node and everything in it.
    fn drop_subtree(&mut self, id: NodeId) {
        let mut open = vec![id];
        while let Some(id) = open.pop() {
            let node = &mut self.nodes[id.0 as usize];
            if let Some(number) = node.number.take() {
                self.numbers.clear(number);
            }
            node.parent = None;
            if let NodeKind::Element(element) = std::mem::replace(&mut node.kind, NodeKind::Free) {
                open.extend(element.children);
            }
            self.free.push(id);
        }
        if !self.spent.is_empty() {
            let nodes = &self.nodes;
            self.spent.retain(|(id, _)| !matches!(nodes[id.0 as usize].kind, NodeKind::Free));
        }
    }

    /// Clones a template to the end of a node; marks are numbered from `first`.
    pub fn insert(&mut self, template: &Template, parent: NodeId, first: NodeNumber) {
        let at = self.children(parent).len();
        self.heard.extend(template.listeners.iter().map(|listener| listener.event.clone()));
        self.insert_known(&Arc::new(Known::new(template.clone())), parent, at, first);
    }

    fn insert_known(
        &mut self,
        known: &Arc<Known>,
        parent: NodeId,
        mut at: usize,
        first: NodeNumber,
    ) {
        let (mut open, mut mark) = (parent, 0u32);
        for (place, node) in known.template.nodes.iter().enumerate() {
            let number = node.is_marked().then(|| first + mark);
            let kind = match node {
                TemplateNode::Close => {
                    open = self.node(open).parent.unwrap_or(parent);
                    continue;
                }
                TemplateNode::Text { text, .. } => NodeKind::Text((&**text).into()),
                TemplateNode::TextPart => NodeKind::Text(CompactString::default()),
                TemplateNode::Open { namespace, name, attributes, .. } => {
                    let listens = number.is_some() && known.listens[mark as usize];
                    NodeKind::Element(Box::new(Element {
                        namespace: *namespace,
                        name: name.clone(),
                        attributes: static_attributes(attributes),
                        control: None,
                        children: Vec::with_capacity(known.holds[place] as usize),
                        listens: listens.then(|| (known.clone(), mark)),
                    }))
                }
            };
            let is_element = matches!(kind, NodeKind::Element(_));
            let id = self.add(Node { parent: Some(open), number, serial: self.next_serial, kind });
            self.next_serial += 1;
            if open == parent {
                self.children_mut(open).insert(at, id);
                at += 1;
            } else {
                self.children_mut(open).push(id);
            }
            if let Some(number) = number {
                self.give_number(number, id);
                mark += 1;
            }
            if is_element {
                open = id;
            }
        }
    }

    fn add(&mut self, node: Node) -> NodeId {
        match self.free.pop() {
            Some(id) => {
                self.nodes[id.0 as usize] = node;
                id
            }
            None => {
                self.nodes.push(node);
                NodeId(self.nodes.len() as u32 - 1)
            }
        }
    }

    fn give_number(&mut self, number: NodeNumber, id: NodeId) {
        self.numbers.set(number, id, self.nodes.len());
    }

    pub(crate) fn node(&self, id: NodeId) -> &Node {
        &self.nodes[id.0 as usize]
    }

    fn children_mut(&mut self, id: NodeId) -> &mut Vec<NodeId> {
        match &mut self.nodes[id.0 as usize].kind {
            NodeKind::Root(children) => children,
            NodeKind::Element(element) => &mut element.children,
            NodeKind::Text(_) | NodeKind::Free => {
                unreachable!("text has no children: only elements are opened")
            }
        }
    }

    /// The node with a number.
    pub fn numbered(&self, number: NodeNumber) -> Option<NodeId> {
        self.numbers.get(number)
    }

    fn numbered_mut(&mut self, number: NodeNumber) -> Option<&mut Node> {
        let id = self.numbered(number)?;
        self.nodes.get_mut(id.0 as usize)
    }

    fn numbered_element(&mut self, number: NodeNumber) -> Option<&mut Element> {
        match &mut self.numbered_mut(number)?.kind {
            NodeKind::Element(element) => Some(element),
            _ => None,
        }
    }

    /// What a person does to a check box or radio button, or to `details`.
    pub fn set_flag(&mut self, id: NodeId, property: Property, on: bool) {
        if let Some(element) = self.element_mut(id) {
            let control = element.control_mut();
            control.used |= bit(property);
            control.set_flag(property, on);
        }
    }

    /// Whether a person has changed a property of a control since a patch wrote it last.
    pub fn is_used(&self, id: NodeId, property: Property) -> bool {
        let control = self.element(id).and_then(|element| element.control.as_ref());
        control.is_some_and(|control| control.used & bit(property) != 0)
    }

    /// What a person chooses in a `select` with `multiple`: values, as JSON.
    pub fn choose(&mut self, id: NodeId, values: &[&str]) {
        self.set_chosen(id, serde_json::Value::from(values.to_vec()).to_string());
    }

    /// What is chosen in a `select` with `multiple`, as JSON.
    pub fn set_chosen(&mut self, id: NodeId, values: String) {
        if let Some(element) = self.element_mut(id) {
            let control = element.control_mut();
            control.used |= bit(Property::Chosen);
            control.chosen = Some(values.into());
        }
    }

    pub(crate) fn element(&self, id: NodeId) -> Option<&Element> {
        match &self.node(id).kind {
            NodeKind::Element(element) => Some(element),
            _ => None,
        }
    }

    pub(crate) fn element_mut(&mut self, id: NodeId) -> Option<&mut Element> {
        match &mut self.nodes[id.0 as usize].kind {
            NodeKind::Element(element) => Some(element),
            _ => None,
        }
    }

    /// Tells a node apart from all others that there ever were in this tree.
    pub fn serial(&self, id: NodeId) -> u64 {
        self.node(id).serial
    }

    /// The number that patches use for a node.
    pub fn number_of(&self, id: NodeId) -> Option<NodeNumber> {
        self.node(id).number
    }

    /// The node around a node.
    pub fn parent(&self, id: NodeId) -> Option<NodeId> {
        self.node(id).parent
    }

    /// The nodes inside a node, in order.
    pub fn children(&self, id: NodeId) -> &[NodeId] {
        match &self.node(id).kind {
            NodeKind::Root(children) => children,
            NodeKind::Element(element) => &element.children,
            NodeKind::Text(_) | NodeKind::Free => &[],
        }
    }

    /// The name of an element.
    pub fn name(&self, id: NodeId) -> Option<&str> {
        self.element(id).map(|element| &*element.name)
    }

    /// The namespace of an element.
    pub fn namespace(&self, id: NodeId) -> Option<Namespace> {
        self.element(id).map(|element| element.namespace)
    }

    /// The data of a text node.
    pub fn text(&self, id: NodeId) -> Option<&str> {
        match &self.node(id).kind {
            NodeKind::Text(text) => Some(text),
            _ => None,
        }
    }

    /// The value of an attribute.
    pub fn attribute(&self, id: NodeId, name: &str) -> Option<&str> {
        self.element(id)?.attribute(name)
    }

    /// The attributes of an element, in the order in which they were set.
    pub fn attributes(&self, id: NodeId) -> impl Iterator<Item = (&str, &str)> {
        let attributes = self.element(id).map_or(&[][..], |element| &element.attributes);
        attributes.iter().map(|(name, value)| (&**name, &**value))
    }

    /// What an `input`, `textarea` or `select` gives as its value: what was set or is written in the markup,
    /// as the control takes it (HTML standard, "value sanitization algorithm"; of a `select`, the value of
    /// the option that is chosen by it, and nothing where there is no such option).
    pub fn value(&self, id: NodeId) -> Option<String> {
        let element = self.element(id)?;
        let own = element.control.as_ref().and_then(|control| control.value.as_ref());
        let own = own.map(|value| value.to_string());
        match &*element.name {
            "textarea" => {
                let text = own.unwrap_or_else(|| self.text_content(id));
                Some(text.replace("\r\n", "\n").replace('\r', "\n"))
            }
            "input" => {
                let written = || element.attribute("value").map(str::to_owned);
                let ticked = matches!(self.control_type(id).as_str(), "checkbox" | "radio");
                let empty = if ticked { "on" } else { "" };
                let text = own.or_else(written).unwrap_or_else(|| empty.to_owned());
                Some(crate::sanitise::sanitised(self, id, &text))
            }
            "select" => Some(self.chosen_value(id, own.as_deref())),
            _ => element.attribute("value").map(str::to_owned),
        }
    }

    /// A boolean property: what was set, or else whether the attribute is there.
    pub fn flag(&self, id: NodeId, property: Property) -> bool {
        let Some(element) = self.element(id) else { return false };
        let set = element.control.as_ref().and_then(|control| control.flag(property));
        set.unwrap_or_else(|| element.attribute(property.name()).is_some())
    }

    /// The property as it was set by a patch or by a person; `None` while it was not.
    pub fn set_property(&self, id: NodeId, property: Property) -> Option<Shown> {
        let control = self.element(id)?.control.as_ref()?;
        match property {
            Property::Value => control.value.clone().map(Shown::Text),
            Property::Chosen => control.chosen.clone().map(Shown::Text),
            flag => control.flag(flag).map(Shown::Flag),
        }
    }

    /// Notes whether what stands in a field means no value of its type.
    pub fn set_bad_input(&mut self, id: NodeId, bad: bool) {
        if let Some(element) = self.element_mut(id) {
            let control = element.control_mut();
            control.used = control.used & !BAD_INPUT | if bad { BAD_INPUT } else { 0 };
        }
    }

    /// Whether what stands in a field means no value of its type.
    pub fn is_bad_input(&self, id: NodeId) -> bool {
        let control = self.element(id).and_then(|element| element.control.as_ref());
        control.is_some_and(|control| control.used & BAD_INPUT != 0)
    }

    /// A control comes to hold something by a person's doing, whatever it is that it holds.
    pub fn hold(&mut self, id: NodeId, property: Property, held: &Shown) {
        match (property, held) {
            (Property::Chosen, Shown::Text(values)) => self.set_chosen(id, values.to_string()),
            (_, Shown::Text(text)) => self.type_value(id, text),
            (_, Shown::Flag(on)) => self.set_flag(id, property, *on),
            (_, Shown::Absent) => {}
        }
    }

    /// What a control held when it was added, by the properties that patches set.
    pub(crate) fn held_at_first(&self, id: NodeId) -> Vec<(Property, Shown)> {
        let control = self.element(id).and_then(|element| element.control.as_ref());
        control.map_or(Vec::new(), |control| control.at_first.clone())
    }

    /// Has a control hold what its markup says, where no patch has said otherwise.
    pub(crate) fn forget_entered(&mut self, id: NodeId) {
        let element = self.element_mut(id);
        let Some(control) = element.and_then(|element| element.control.as_mut()) else { return };
        let set = |property| control.at_first.iter().any(|(known, _)| *known == property);
        let (value, chosen) = (set(Property::Value), set(Property::Chosen));
        let flags: Vec<bool> = control.flags.iter().map(|(property, _)| set(*property)).collect();
        if !value {
            control.value = None;
        }
        if !chosen {
            control.chosen = None;
        }
        let mut kept = flags.into_iter();
        control.flags.retain(|_| kept.next().unwrap_or(true));
    }

    /// What a person types into a control.
    pub fn type_value(&mut self, id: NodeId, value: &str) {
        if let Some(element) = self.element_mut(id) {
            let control = element.control_mut();
            control.used |= bit(Property::Value);
            control.value = Some(value.into());
        }
    }

    /// All text inside a node, as `textContent` of the DOM.
    pub fn text_content(&self, id: NodeId) -> String {
        let mut out = String::new();
        let mut open = vec![id];
        while let Some(id) = open.pop() {
            out.push_str(self.text(id).unwrap_or(""));
            open.extend(self.children(id).iter().rev());
        }
        out
    }

    /// The template that an element's listeners come from, and which mark of it the element is.
    pub(crate) fn listens(&self, id: NodeId) -> Option<(Arc<Known>, u32)> {
        self.element(id)?.listens.clone()
    }

    /// How many nodes there are, without the root.
    pub fn len(&self) -> usize {
        self.nodes.len() - self.free.len() - 1
    }

    /// Whether a listener is not heard any more: it was to happen once, and has.
    pub fn is_spent(&self, id: NodeId, listener: u32) -> bool {
        self.spent.contains(&(id, listener))
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

/// The bit that says that what stands in a field means nothing.
const BAD_INPUT: u8 = 1 << 7;

/// A bit for each property.
fn bit(property: Property) -> u8 {
    1 << property as u8
}

impl Control {
    /// Notes that a patch sets a property: it is not a person's any more, and at first it is what the
    /// control goes back to.
    fn written(&mut self, property: Property, to: impl FnOnce() -> Shown) {
        self.used &= !bit(property);
        if property == Property::Value {
            self.used &= !BAD_INPUT;
        }
        if !self.at_first.iter().any(|(known, _)| *known == property) {
            self.at_first.reserve_exact(1);
            self.at_first.push((property, to()));
        }
    }

    fn flag(&self, property: Property) -> Option<bool> {
        self.flags.iter().find(|(p, _)| *p == property).map(|(_, on)| *on)
    }

    fn set_flag(&mut self, property: Property, on: bool) {
        self.flags.retain(|(p, _)| *p != property);
        self.flags.push((property, on));
    }
}

impl Element {
    fn control_mut(&mut self) -> &mut Control {
        self.control.get_or_insert_default()
    }

    pub(crate) fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(n, _)| **n == *name).map(|(_, value)| &**value)
    }

    fn set_attribute(&mut self, name: Name, value: &str) {
        match self.attributes.iter_mut().find(|(n, _)| *n == name) {
            Some((_, old)) => *old = value.into(),
            None => {
                // Most elements have very few.
                self.attributes.reserve_exact(1);
                self.attributes.push((name, value.into()));
            }
        }
    }
}

fn static_attributes(attributes: &[(Name, Name)]) -> Vec<(Name, CompactString)> {
    attributes.iter().map(|(name, value)| (name.clone(), (&**value).into())).collect()
}
