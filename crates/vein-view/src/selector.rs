//! A CSS selector for an element that stands in a tree, as a person would write it.

use crate::tree::{NodeId, Tree};

/// So many selectors of a form are tried.
const MOST_TRIED: usize = 200;
/// Attributes that tell elements apart for whoever reads a selector, best first.
const TELLING: [&str; 6] = ["aria-label", "name", "placeholder", "type", "value", "title"];

impl Tree {
    /// A short selector whose first match is this element: by its `id`, its name with a class or a telling attribute, the same
    /// inside one or two elements around it, or else its whole way from the top. One that matches nothing else is preferred; `None`
    /// where none of these finds it first: then it needs an `id`.
    ///
    /// ```
    /// use vein_view::Tree;
    /// let tree = Tree::default();
    /// assert_eq!(tree.selector_of(tree.root()), None);
    /// ```
    pub fn selector_of(&self, id: NodeId) -> Option<String> {
        let around: Vec<NodeId> = std::iter::successors(Some(id), |id| self.parent(*id))
            .filter(|id| *id != self.root())
            .collect();
        let (_, outer) = around.split_first()?;
        let own = self.simple_selectors(id);
        let around: Vec<Vec<String>> = outer.iter().map(|id| self.simple_selectors(*id)).collect();
        let within = |outer: &[Vec<String>], inner: &[String]| -> Vec<String> {
            let all = outer.iter().flatten();
            all.flat_map(|outer| inner.iter().map(move |inner| format!("{outer} {inner}")))
                .collect()
        };
        let mut tried = own.clone();
        tried.extend(within(&around, &own));
        tried.truncate(MOST_TRIED);
        let found: Vec<Vec<NodeId>> = tried
            .iter()
            .map(|selector| self.select_some(selector, 2).unwrap_or_default())
            .collect();
        let with = |wanted: fn(&[NodeId], NodeId) -> bool| {
            let at = found.iter().position(|found| wanted(found, id))?;
            Some(tried[at].clone())
        };
        let simple = with(|found, id| found == [id])
            .or_else(|| with(|found, id| found.first() == Some(&id)));
        if simple.is_some() {
            return simple;
        }
        let finds = |selector: &String| {
            self.select_some(selector, 1).is_ok_and(|found| found.first() == Some(&id))
        };
        let in_two = around.iter().enumerate().flat_map(|(at, inner)| {
            within(&around[at + 1..], &within(std::slice::from_ref(inner), &own))
        });
        if let Some(found) = in_two.take(MOST_TRIED).find(finds) {
            return Some(found);
        }
        let step = |id: &NodeId| {
            let siblings = self.parent(*id).map_or(&[][..], |parent| self.children(parent));
            let elements = siblings.iter().filter(|id| self.name(**id).is_some());
            let at = elements.into_iter().position(|sibling| sibling == id).unwrap_or(0);
            let named = self.simple_selectors(*id).into_iter().next().unwrap_or_default();
            format!("{named}:nth-child({})", at + 1)
        };
        let way: Vec<String> = outer.iter().rev().chain([&id]).map(step).collect();
        Some(way.join(" > ")).filter(finds)
    }

    /// What an element can be called by itself, best first.
    fn simple_selectors(&self, id: NodeId) -> Vec<String> {
        let name = word(self.name(id).unwrap_or("*"));
        let mut found = Vec::new();
        if let Some(id) = self.attribute(id, "id").filter(|id| !id.is_empty()) {
            found.push(format!("#{}", word(id)));
        }
        let classes = self.attribute(id, "class").unwrap_or("").split_ascii_whitespace();
        found.extend(classes.map(|class| format!("{name}.{}", word(class))));
        let telling = TELLING.iter().filter_map(|key| Some((*key, self.attribute(id, key)?)));
        let telling = telling.filter(|(_, value)| !value.is_empty() && value.len() <= 60);
        found.extend(telling.map(|(key, value)| {
            let mut quoted = String::new();
            // A string that is written to memory is written.
            let _ = cssparser::serialize_string(value, &mut quoted);
            format!("{name}[{key}={quoted}]")
        }));
        found.push(name.clone());
        let siblings = self.parent(id).map_or(&[][..], |parent| self.children(parent));
        let same: Vec<&NodeId> =
            siblings.iter().filter(|one| self.name(**one) == self.name(id)).collect();
        if same.len() > 1 {
            let at = same.iter().position(|one| **one == id).unwrap_or(0) + 1;
            let base = found[0].clone();
            let base = if base.starts_with('#') { name } else { base };
            found.push(format!("{base}:nth-of-type({at})"));
        }
        found
    }
}

fn word(text: &str) -> String {
    let mut out = String::new();
    // As above.
    let _ = cssparser::serialize_identifier(text, &mut out);
    out
}
