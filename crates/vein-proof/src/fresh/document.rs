//! The document that shows a view, built from nothing.

use super::{Fresh, FreshSpot};
use std::collections::BTreeMap;
use vein_plan::{Name, Namespace, PartKind, Plan, Shown, TemplateNode};
use vein_runtime::{Runtime, ScopeId};

/// A node as it should stand in the document.
#[derive(Clone, Debug, PartialEq)]
pub enum Expected {
    /// An element.
    Element {
        /// Its namespace.
        namespace: Namespace,
        /// Its name.
        name: Name,
        /// Its attributes.
        attributes: BTreeMap<Name, String>,
        /// What is inside it.
        children: Vec<Expected>,
    },
    /// Text.
    Text(String),
}

impl Fresh {
    /// The nodes that show the view, built from nothing. `invalid` says which parts are of controls that
    /// hold what means no value.
    pub fn document(
        &self,
        runtime: &Runtime,
        invalid: &dyn Fn(Option<ScopeId>, u32) -> bool,
    ) -> Vec<Expected> {
        Builder { fresh: self, runtime, invalid }.scope(self.root)
    }
}

struct Builder<'a> {
    fresh: &'a Fresh,
    runtime: &'a Runtime,
    invalid: &'a dyn Fn(Option<ScopeId>, u32) -> bool,
}

impl Builder<'_> {
    fn scope(&self, at: usize) -> Vec<Expected> {
        let scope = &self.fresh.scopes[at];
        let plan: &Plan = &self.runtime.program().plans[scope.plan];
        let block = &plan.blocks[scope.block as usize];
        // The open elements, each with its mark and what is inside it so far.
        let mut open: Vec<(Option<u32>, Expected)> = Vec::new();
        let mut top: Vec<Expected> = Vec::new();
        let mut mark = 0;
        for node in &block.template {
            let number = node.is_marked().then_some(mark);
            mark += u32::from(node.is_marked());
            if let TemplateNode::Close = node {
                let Some((own, mut element)) = open.pop() else { continue };
                if let (Some(own), Expected::Element { children, .. }) = (own, &mut element) {
                    children.extend(self.spots(at, Some(own), None));
                }
                add(&mut open, &mut top, vec![element]);
                continue;
            }
            if let Some(number) = number {
                let parent = open.last().and_then(|(mark, _)| *mark);
                if open.is_empty() || parent.is_some() {
                    add(&mut open, &mut top, self.spots(at, parent, Some(number)));
                }
            }
            let text = |number: Option<u32>| {
                let part = block
                    .parts
                    .iter()
                    .position(|part| Some(part.mark) == number && part.kind == PartKind::Text);
                match part.map(|part| &scope.parts[part]) {
                    Some(Shown::Text(text)) => text.to_string(),
                    _ => String::new(),
                }
            };
            match node {
                TemplateNode::Open { namespace, name, attributes, .. } => {
                    let name = match (scope.tag, open.is_empty()) {
                        (Some(tag), true) => tag.into(),
                        _ => name.clone(),
                    };
                    let attributes = self.attributes(at, number, attributes);
                    let (namespace, children) = (*namespace, Vec::new());
                    let element = Expected::Element { namespace, name, attributes, children };
                    open.push((number, element));
                }
                TemplateNode::Text { text, .. } => {
                    add(&mut open, &mut top, vec![Expected::Text(text.to_string())]);
                }
                TemplateNode::TextPart => {
                    add(&mut open, &mut top, vec![Expected::Text(text(number))]);
                }
                TemplateNode::Close => {}
            }
        }
        top.extend(self.spots(at, None, None));
        top
    }

    fn attributes(
        &self,
        at: usize,
        mark: Option<u32>,
        fixed: &[(Name, Name)],
    ) -> BTreeMap<Name, String> {
        let scope = &self.fresh.scopes[at];
        let block = &self.runtime.program().plans[scope.plan].blocks[scope.block as usize];
        let mut all: BTreeMap<Name, String> =
            fixed.iter().map(|(name, value)| (name.clone(), value.to_string())).collect();
        for (number, part) in block.parts.iter().enumerate() {
            if Some(part.mark) != mark {
                continue;
            }
            if part.control.is_some() && (self.invalid)(scope.kept, number as u32) {
                all.insert("aria-invalid".into(), "true".into());
            }
            match (&part.kind, &scope.parts[number]) {
                (PartKind::Attribute(name, _), Shown::Text(value)) => {
                    all.insert(name.clone(), value.to_string());
                }
                (PartKind::Attribute(name, _), _) => {
                    all.remove(name);
                }
                _ => {}
            }
        }
        all
    }

    /// What stands in the spots of an element that come before a node, or at its end.
    fn spots(&self, at: usize, parent: Option<u32>, before: Option<u32>) -> Vec<Expected> {
        let scope = &self.fresh.scopes[at];
        let block = &self.runtime.program().plans[scope.plan].blocks[scope.block as usize];
        let mut nodes = Vec::new();
        for (number, spot) in block.spots.iter().enumerate() {
            if spot.parent != parent || block.stands_before(spot) != before {
                continue;
            }
            match &scope.spots[number] {
                FreshSpot::Nothing => {}
                FreshSpot::One(_, inner) => nodes.extend(self.scope(*inner)),
                FreshSpot::Rows(rows) => {
                    for (_, _, row) in rows {
                        nodes.extend(self.scope(*row));
                    }
                }
                FreshSpot::Markup(markup) => nodes.extend(plain(markup)),
            }
        }
        nodes
    }
}

fn add(open: &mut [(Option<u32>, Expected)], top: &mut Vec<Expected>, nodes: Vec<Expected>) {
    match open.last_mut() {
        Some((_, Expected::Element { children, .. })) => children.extend(nodes),
        _ => top.extend(nodes),
    }
}

/// Nodes without anything that changes.
fn plain(nodes: &[TemplateNode]) -> Vec<Expected> {
    let (mut open, mut top) = (Vec::new(), Vec::new());
    for node in nodes {
        match node {
            TemplateNode::Open { namespace, name, attributes, .. } => {
                let attributes =
                    attributes.iter().map(|(name, value)| (name.clone(), value.to_string()));
                let element = Expected::Element {
                    namespace: *namespace,
                    name: name.clone(),
                    attributes: attributes.collect(),
                    children: Vec::new(),
                };
                open.push((None, element));
            }
            TemplateNode::Text { text, .. } => {
                add(&mut open, &mut top, vec![Expected::Text(text.to_string())]);
            }
            TemplateNode::TextPart => {}
            TemplateNode::Close => {
                if let Some((_, element)) = open.pop() {
                    add(&mut open, &mut top, vec![element]);
                }
            }
        }
    }
    top
}
