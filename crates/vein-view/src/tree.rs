//! The tree in memory: the surface that tests, the server and the proof look at.

use crate::patch::{Batch, NodeNumber, Patch, ROOT, Template, TemplateListener, is_marked};
use std::collections::HashMap;
use std::sync::Arc;
use vein_plan::{Name, Namespace, Property, TemplateNode};

/// A node of a [`Tree`], as long as it stands there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct NodeId(pub(crate) u32);

/// A document tree, or rather what one place of it holds.
#[derive(Clone, Debug)]
pub struct Tree {
    pub(crate) nodes: Vec<Node>,
    /// Which node has which number; a number that is not given out has none.
    numbers: Vec<Option<NodeId>>,
    templates: HashMap<u32, Arc<Template>>,
    /// Listeners that were to happen once and have.
    pub(crate) spent: Vec<(NodeId, u32)>,
}

#[derive(Clone, Debug)]
pub(crate) struct Node {
    pub(crate) parent: Option<NodeId>,
    pub(crate) number: Option<NodeNumber>,
    pub(crate) kind: NodeKind,
}

#[derive(Clone, Debug)]
pub(crate) enum NodeKind {
    Root(Vec<NodeId>),
    Element(Element),
    Text(String),
}

#[derive(Clone, Debug)]
pub(crate) struct Element {
    pub(crate) namespace: Namespace,
    pub(crate) name: Name,
    pub(crate) attributes: Vec<(Name, String)>,
    pub(crate) value: Option<String>,
    pub(crate) flags: Vec<(Property, bool)>,
    pub(crate) children: Vec<NodeId>,
    /// The template that its listeners come from, and which mark of it this is.
    pub(crate) listens: Option<(Arc<Template>, u32)>,
}

/// Why patches were refused. Nothing of the batch was applied.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ApplyError {
    /// A patch to a node that is not there, or not of the right kind.
    NoSuchNode(NodeNumber),
    /// A clone of a template that was not made known.
    NoSuchTemplate(u32),
    /// A clone whose numbers are already given out.
    NumberTaken(NodeNumber),
}

impl std::fmt::Display for ApplyError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            ApplyError::NoSuchNode(n) => write!(f, "a patch names node {n}, which cannot take it"),
            ApplyError::NoSuchTemplate(n) => {
                write!(f, "a patch names template {n}, which is unknown")
            }
            ApplyError::NumberTaken(n) => write!(f, "a patch gives out number {n} a second time"),
        }
    }
}

impl std::error::Error for ApplyError {}

/// What a number will stand for while a batch is looked through.
#[derive(Clone, Copy, PartialEq)]
enum Kind {
    Text,
    Element,
}

impl Default for Tree {
    fn default() -> Self {
        let root = Node { parent: None, number: Some(ROOT), kind: NodeKind::Root(Vec::new()) };
        Tree {
            nodes: vec![root],
            numbers: vec![Some(NodeId(0))],
            templates: HashMap::new(),
            spent: Vec::new(),
        }
    }
}

impl Tree {
    /// The node that holds the view.
    pub fn root(&self) -> NodeId {
        NodeId(0)
    }

    /// Applies a batch, or nothing of it.
    ///
    /// # Errors
    /// The first patch that does not fit the tree as it stands then.
    pub fn apply(&mut self, batch: &Batch) -> Result<(), ApplyError> {
        self.look_through(batch)?;
        for patch in batch.iter() {
            self.apply_one(patch);
        }
        Ok(())
    }

    /// Checks every patch against the tree as it will stand then, changing nothing.
    fn look_through(&self, batch: &Batch) -> Result<(), ApplyError> {
        let mut templates: HashMap<u32, Template> = HashMap::new();
        let mut added: HashMap<NodeNumber, Kind> = HashMap::new();
        for patch in batch.iter() {
            let needs = |number: NodeNumber, wanted: Kind| {
                let kind = added.get(&number).copied().or_else(|| self.kind(number));
                if kind == Some(wanted) { Ok(()) } else { Err(ApplyError::NoSuchNode(number)) }
            };
            match patch {
                Patch::Template { number, template } => {
                    templates.insert(number, *template);
                }
                Patch::Clone { template, parent, first } => {
                    if parent != ROOT {
                        needs(parent, Kind::Element)?;
                    }
                    let known = templates.get(&template);
                    let known = known.or_else(|| self.templates.get(&template).map(|t| &**t));
                    let known = known.ok_or(ApplyError::NoSuchTemplate(template))?;
                    let marked = known.nodes.iter().filter(|node| is_marked(node));
                    for (i, node) in marked.enumerate() {
                        let number = first.saturating_add(i as u32);
                        let taken = number == ROOT || self.kind(number).is_some();
                        let kind = match node {
                            TemplateNode::TextPart => Kind::Text,
                            _ => Kind::Element,
                        };
                        if taken || added.insert(number, kind).is_some() {
                            return Err(ApplyError::NumberTaken(number));
                        }
                    }
                }
                Patch::Text { node, .. } => needs(node, Kind::Text)?,
                Patch::SetAttribute { node, .. }
                | Patch::RemoveAttribute { node, .. }
                | Patch::SetProperty { node, .. }
                | Patch::SetFlag { node, .. } => needs(node, Kind::Element)?,
            }
        }
        Ok(())
    }

    fn kind(&self, number: NodeNumber) -> Option<Kind> {
        match self.node(self.numbered(number)?).kind {
            NodeKind::Root(_) => None,
            NodeKind::Element(_) => Some(Kind::Element),
            NodeKind::Text(_) => Some(Kind::Text),
        }
    }

    fn apply_one(&mut self, patch: Patch<'_>) {
        match patch {
            Patch::Template { number, template } => {
                self.templates.insert(number, Arc::new(*template));
            }
            Patch::Clone { template, parent, first } => {
                if let (Some(template), Some(parent)) =
                    (self.templates.get(&template).cloned(), self.numbered(parent))
                {
                    self.insert(&template, parent, first);
                }
            }
            Patch::Text { node, text } => {
                if let Some(Node { kind: NodeKind::Text(data), .. }) = self.numbered_mut(node) {
                    data.clear();
                    data.push_str(text);
                }
            }
            Patch::SetAttribute { node, name, value } => {
                if let Some(element) = self.numbered_element(node) {
                    element.set_attribute(name, value);
                }
            }
            Patch::RemoveAttribute { node, name } => {
                if let Some(element) = self.numbered_element(node) {
                    element.attributes.retain(|(n, _)| **n != *name);
                }
            }
            Patch::SetProperty { node, value, .. } => {
                if let Some(element) = self.numbered_element(node) {
                    element.value = Some(value.to_owned());
                }
            }
            Patch::SetFlag { node, property, on } => {
                if let Some(element) = self.numbered_element(node) {
                    element.flags.retain(|(p, _)| *p != property);
                    element.flags.push((property, on));
                }
            }
        }
    }

    /// Clones a template to the end of a node; marks are numbered from `first`.
    pub fn insert(&mut self, template: &Arc<Template>, parent: NodeId, first: NodeNumber) {
        let (mut open, mut mark) = (parent, 0u32);
        for node in &template.nodes {
            let number = is_marked(node).then(|| first + mark);
            let kind = match node {
                TemplateNode::Close => {
                    open = self.node(open).parent.unwrap_or(parent);
                    continue;
                }
                TemplateNode::Text(text) => NodeKind::Text(text.to_string()),
                TemplateNode::TextPart => NodeKind::Text(String::new()),
                TemplateNode::Open { namespace, name, attributes, .. } => {
                    let listens = number.is_some()
                        && template.listeners.iter().any(|listener| listener.mark == mark);
                    NodeKind::Element(Element {
                        namespace: *namespace,
                        name: name.clone(),
                        attributes: attributes
                            .iter()
                            .map(|(name, value)| (name.clone(), value.to_string()))
                            .collect(),
                        value: None,
                        flags: Vec::new(),
                        children: Vec::new(),
                        listens: listens.then(|| (template.clone(), mark)),
                    })
                }
            };
            let id = NodeId(self.nodes.len() as u32);
            let is_element = matches!(kind, NodeKind::Element(_));
            self.nodes.push(Node { parent: Some(open), number, kind });
            self.children_mut(open).push(id);
            if let Some(number) = number {
                self.give_number(number, id);
                mark += 1;
            }
            if is_element {
                open = id;
            }
        }
    }

    fn give_number(&mut self, number: NodeNumber, id: NodeId) {
        let at = number as usize;
        if self.numbers.len() <= at {
            self.numbers.resize(at + 1, None);
        }
        self.numbers[at] = Some(id);
    }

    pub(crate) fn node(&self, id: NodeId) -> &Node {
        &self.nodes[id.0 as usize]
    }

    fn children_mut(&mut self, id: NodeId) -> &mut Vec<NodeId> {
        match &mut self.nodes[id.0 as usize].kind {
            NodeKind::Root(children) => children,
            NodeKind::Element(element) => &mut element.children,
            NodeKind::Text(_) => unreachable!("text has no children: only elements are opened"),
        }
    }

    /// The node with a number.
    pub fn numbered(&self, number: NodeNumber) -> Option<NodeId> {
        self.numbers.get(number as usize).copied().flatten()
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
            NodeKind::Text(_) => &[],
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
        attributes.iter().map(|(name, value)| (&**name, value.as_str()))
    }

    /// What an `input`, `textarea` or `select` shows: the property, or else what the markup says.
    pub fn value(&self, id: NodeId) -> Option<String> {
        let element = self.element(id)?;
        let own = element.value.clone();
        match &*element.name {
            "textarea" => Some(own.unwrap_or_else(|| self.text_content(id))),
            "input" | "select" => {
                Some(own.unwrap_or_else(|| element.attribute("value").unwrap_or("").to_owned()))
            }
            _ => element.attribute("value").map(str::to_owned),
        }
    }

    /// A boolean property: what was set, or else whether the attribute is there.
    pub fn flag(&self, id: NodeId, property: Property) -> bool {
        let Some(element) = self.element(id) else { return false };
        let set = element.flags.iter().find(|(p, _)| *p == property).map(|(_, on)| *on);
        set.unwrap_or_else(|| element.attribute(property.name()).is_some())
    }

    /// The property as it was set by a patch or by a person; `None` while it was not.
    pub fn set_property(&self, id: NodeId, property: Property) -> Option<vein_plan::Shown> {
        let element = self.element(id)?;
        match property {
            Property::Value => element.value.clone().map(vein_plan::Shown::Text),
            flag => {
                let set = element.flags.iter().find(|(p, _)| *p == flag);
                set.map(|(_, on)| vein_plan::Shown::Flag(*on))
            }
        }
    }

    /// What a person types into a control.
    pub fn type_value(&mut self, id: NodeId, value: &str) {
        if let Some(element) = self.element_mut(id) {
            element.value = Some(value.to_owned());
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

    /// Listeners of an element for a type of event.
    pub(crate) fn listeners(&self, id: NodeId, event: &str) -> Vec<TemplateListener> {
        let Some((template, mark)) = self.element(id).and_then(|e| e.listens.as_ref()) else {
            return Vec::new();
        };
        let here =
            |listener: &&TemplateListener| listener.mark == *mark && *listener.event == *event;
        template.listeners.iter().filter(here).cloned().collect()
    }

    /// How many nodes there are, without the root.
    pub fn len(&self) -> usize {
        self.nodes.len() - 1
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

impl Element {
    pub(crate) fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(n, _)| **n == *name).map(|(_, value)| value.as_str())
    }

    fn set_attribute(&mut self, name: &str, value: &str) {
        match self.attributes.iter_mut().find(|(n, _)| **n == *name) {
            Some((_, old)) => {
                old.clear();
                old.push_str(value);
            }
            None => self.attributes.push((name.into(), value.to_owned())),
        }
    }
}
