//! What is no mistake and still likely unwanted: what people without a pointer or without sight cannot use,
//! and what nothing uses. `vein check` says it; a project can turn each off.

use crate::diagnostics::{
    NoAlternative, NoControl, NotReachable, Unheard, UnmetClass, Unused, UsedTwice, diagnostic,
};
use crate::interface::elements;
use crate::marks::{Said, said};
use crate::{Diagnostic, FileFacts, Workspace};
use std::collections::{BTreeMap, BTreeSet};
use vein_plan::Namespace;
use vein_syntax::Span;
use vein_syntax::ast::{AttributeValue, DeclarationKind, Element, Expr, ExprKind, Node};

/// Events of a pointer that somebody with a keyboard alone cannot have happen.
const POINTED: &[&str] = &["click", "dblclick", "mousedown", "mouseup", "pointerdown", "pointerup"];

/// Elements that a keyboard reaches and a screen reader tells of by itself.
const CONTROLS: &[&str] = &[
    "a", "area", "audio", "button", "details", "dialog", "form", "input", "label", "option",
    "select", "summary", "textarea", "video", "any", "slot", "group",
];

/// Elements that a label can be for.
const LABELLED: &[&str] = &["button", "input", "meter", "output", "progress", "select", "textarea"];

/// Ids that two elements have which can stand in the view together, and those of every row of a loop; classes that
/// are written twice.
fn twice(markup: &[Node], names: &[&str], file: usize, found: &mut Vec<Diagnostic>) {
    elements(markup, &mut |element| {
        let Some(class) = element.attributes.iter().find(|a| a.is("class")) else { return };
        let AttributeValue::Static(text) = &class.value else { return };
        let mut known = BTreeSet::new();
        for one in text.split_ascii_whitespace().filter(|one| !known.insert(*one)) {
            found.push(diagnostic(&UsedTwice::Class(one.into()), file, class.value_span));
        }
    });
    ids_of(markup, names, false, file, found);
}

/// The ids that what stands in a place can have, with where they are written; says which occur twice.
fn ids_of<'a>(
    nodes: &'a [Node],
    names: &[&str],
    in_loop: bool,
    file: usize,
    found: &mut Vec<Diagnostic>,
) -> BTreeMap<&'a str, Span> {
    // All before an element, and those of the alternatives that it stands in place of.
    let (mut before, mut beside) = (BTreeMap::new(), BTreeMap::new());
    for node in nodes {
        let Node::Element(element) = node else { continue };
        let attribute = |name: &str| element.attributes.iter().find(|a| a.is(name));
        let repeats = in_loop || attribute("each").is_some();
        if attribute("or-when").is_none() && attribute("otherwise").is_none() {
            before.append(&mut beside);
        }
        let mut own = ids_of(&element.children, names, repeats, file, found);
        let id = attribute("id").map(|id| (&id.value, id.value_span));
        let called = id.and_then(|(value, at)| match value {
            AttributeValue::Static(id) => Some((id.as_str(), at)),
            AttributeValue::OneWay(_, Expr { kind: ExprKind::Name(name), .. }) => {
                names.contains(&name.as_str()).then_some((name.as_str(), at))
            }
            _ => None,
        });
        if let Some((id, at)) = called {
            let twice = own.insert(id, at).is_some();
            if repeats || twice {
                let finding = if repeats { UsedTwice::RowId } else { UsedTwice::Id };
                found.push(diagnostic(&finding(id.to_owned()), file, at));
            }
        }
        let known = own.iter().filter(|(id, _)| before.contains_key(*id) && !repeats);
        found.extend(known.map(|(id, at)| diagnostic(&UsedTwice::Id((*id).into()), file, *at)));
        beside.append(&mut own);
    }
    before.append(&mut beside);
    before
}

impl Workspace {
    /// Warnings of what is no mistake: images without a text, labels without a control, clicks that no
    /// keyboard reaches; and, where components are named that a page begins with, components that none
    /// of those leads to and events that nobody hears.
    pub fn advice(&self, entries: &[&str]) -> Vec<Diagnostic> {
        let mut found = Vec::new();
        let several = self.several();
        for (file, facts) in self.files.iter().enumerate() {
            elements(&facts.parsed.file.markup, &mut |element| {
                found.extend(self.about(element, file));
            });
            self.unmet_classes(file, &mut found);
            let declared = facts.parsed.file.declarations.iter();
            let names = declared.filter_map(|declaration| match &declaration.kind {
                DeclarationKind::Names(names) => Some(names),
                _ => None,
            });
            let names: Vec<&str> = names.flatten().map(|name| name.name.as_str()).collect();
            twice(&facts.parsed.file.markup, &names, file, &mut found);
            if let Some(name) = facts.name.as_ref().filter(|name| several.contains(name.as_str())) {
                let (markup, groups) = (&facts.parsed.file.markup, &mut BTreeSet::new());
                in_several(markup, (file, name, false), groups, &mut found);
            }
        }
        if !entries.is_empty() {
            self.unused(entries, &mut found);
        }
        found.sort_by_key(|d| (d.file, d.span));
        found
    }

    /// The components of which there may be several on a page: used in a loop or in two places, or by one of them.
    fn several(&self) -> BTreeSet<&str> {
        let mut uses: BTreeMap<&str, usize> = BTreeMap::new();
        for facts in &self.files {
            used(&facts.parsed.file.markup, false, &mut uses);
        }
        let named = self.files.iter().filter_map(|facts| Some((facts.name.as_deref()?, facts)));
        let files: BTreeMap<&str, &FileFacts> = named.collect();
        let mut several: BTreeSet<&str> = BTreeSet::new();
        let many = uses.iter().filter(|(_, count)| **count > 1);
        let mut open: Vec<&str> = many.map(|(name, _)| *name).collect();
        while let Some(name) = open.pop() {
            let Some(facts) = files.get(name).filter(|_| several.insert(name)) else { continue };
            open.extend(facts.uses.names.iter().map(String::as_str));
        }
        several
    }

    fn about(&self, element: &Element, file: usize) -> Option<Diagnostic> {
        if element.namespace != Namespace::Html {
            return None;
        }
        let name = element.name.name.as_str();
        let has = |wanted: &str| element.attributes.iter().any(|a| a.is(wanted));
        let at = element.name.span;
        match name {
            "img" if !has("alt") && !has("aria-label") && !has("aria-hidden") && !has("role") => {
                return Some(diagnostic(&NoAlternative, file, at));
            }
            "label" if !has("for") && !self.holds_control(element) => {
                return Some(diagnostic(&NoControl, file, at));
            }
            _ => {}
        }
        if name.contains('-') || CONTROLS.contains(&name) || has("contenteditable") {
            return None;
        }
        let heard = |of: &[&str]| {
            element.attributes.iter().find(|attribute| {
                matches!(attribute.value, AttributeValue::Event(..))
                    && of.contains(&attribute.name.name.as_str())
            })
        };
        let pointed = heard(POINTED)?;
        let keys = heard(&["keydown", "keyup", "keypress"]).is_some();
        // What a control inside is clicked for may be heard around it.
        let inside = self.holds_control(element) || holds(element, &["a", "summary", "details"]);
        if (keys && has("role") && has("tabindex")) || inside {
            return None;
        }
        let event = pointed.name.name.clone();
        let finding = NotReachable { element: name.into(), event };
        Some(diagnostic(&finding, file, pointed.name.span))
    }

    /// Whether an element has a control in it, or a component, which may have one.
    fn holds_control(&self, element: &Element) -> bool {
        let mut held = false;
        elements(&element.children, &mut |inner| {
            let name = inner.name.name.as_str();
            held |=
                LABELLED.contains(&name) || name.contains('-') || ["slot", "any"].contains(&name);
        });
        held
    }

    /// Classes that rules of a component ask for and none of its elements can have.
    fn unmet_classes(&self, file: usize, found: &mut Vec<Diagnostic>) {
        let facts = &self.files[file];
        let Some(style) = facts.parsed.file.style else { return };
        // Who uses a component may give its root classes of any name.
        let interface = facts.name.as_ref().and_then(|name| self.interfaces.get(name));
        if interface.is_none_or(|own| own.falls.iter().any(|fall| fall == "class")) {
            return;
        }
        let mut had = Said::default();
        elements(&facts.parsed.file.markup, &mut |element| had.add(said(element, "class")));
        for subject in &facts.uses.reach.subjects {
            let unmet = subject.classes.iter().filter(|(_, _, class)| !had.may(class));
            for (start, end, class) in unmet {
                let (start, end, class) = (*start, *end, class.clone());
                let span =
                    Span { start: style.start + start as u32, end: style.start + end as u32 };
                found.push(diagnostic(&UnmetClass { class }, file, span));
            }
        }
    }

    fn unused(&self, entries: &[&str], found: &mut Vec<Diagnostic>) {
        let named =
            |name: &str| self.files.iter().find(|facts| facts.name.as_deref() == Some(name));
        let mut reached: BTreeSet<&str> = BTreeSet::new();
        let mut open: Vec<&str> =
            entries.iter().copied().filter(|name| named(name).is_some()).collect();
        if open.is_empty() {
            return;
        }
        while let Some(name) = open.pop() {
            let Some(facts) = named(name).filter(|_| reached.insert(name)) else { continue };
            open.extend(facts.uses.names.iter().map(String::as_str));
            let stores = facts.uses.stores.iter().filter_map(|store| self.store_names.get(store));
            open.extend(stores.map(String::as_str));
        }
        // Events that somebody hears, by component.
        let mut heard: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
        for facts in &self.files {
            elements(&facts.parsed.file.markup, &mut |element| {
                let events = element.attributes.iter();
                let events = events.filter(|a| matches!(a.value, AttributeValue::Event(..)));
                let of = heard.entry(element.name.name.as_str()).or_default();
                of.extend(events.map(|event| event.name.name.as_str()));
            });
        }
        for (file, facts) in self.files.iter().enumerate() {
            let Some(name) = &facts.name else { continue };
            if !reached.contains(name.as_str()) {
                let span = first_span(facts);
                found.push(diagnostic(&Unused { name: name.clone() }, file, span));
            }
            for declaration in &facts.parsed.file.declarations {
                let DeclarationKind::Gives(event, _) = &declaration.kind else { continue };
                let known =
                    heard.get(name.as_str()).is_some_and(|of| of.contains(event.name.as_str()));
                if !known && !entries.contains(&name.as_str()) && reached.contains(name.as_str()) {
                    let (component, event_name) = (name.clone(), event.name.clone());
                    let finding = Unheard { component, event: event_name };
                    found.push(diagnostic(&finding, file, event.span));
                }
            }
        }
    }
}

/// How many times components are used: more than once in a loop.
fn used<'a>(nodes: &'a [Node], in_loop: bool, uses: &mut BTreeMap<&'a str, usize>) {
    for node in nodes {
        let Node::Element(element) = node else { continue };
        let repeats = in_loop || element.attributes.iter().any(|a| a.is("each"));
        if element.name.name.contains('-') {
            *uses.entry(element.name.name.as_str()).or_default() += if repeats { 2 } else { 1 };
        }
        used(&element.children, repeats, uses);
    }
}

/// Ids and groups of radio buttons in a component of which there may be several.
fn in_several(
    nodes: &[Node],
    (file, of, in_form): (usize, &str, bool),
    groups: &mut BTreeSet<String>,
    found: &mut Vec<Diagnostic>,
) {
    for node in nodes {
        let Node::Element(element) = node else { continue };
        let written = |name: &str| {
            element.attributes.iter().find(|a| a.is(name)).and_then(|a| match &a.value {
                AttributeValue::Static(text) => Some((text.clone(), a.value_span)),
                _ => None,
            })
        };
        if let Some((id, at)) = written("id") {
            found.push(diagnostic(&UsedTwice::InstanceId(id, of.into()), file, at));
        }
        let is_radio = written("type").is_some_and(|(kind, _)| kind.eq_ignore_ascii_case("radio"));
        if let Some((name, at)) = written("name").filter(|_| is_radio && !in_form)
            && groups.insert(name.clone())
        {
            found.push(diagnostic(&UsedTwice::Group(name, of.into()), file, at));
        }
        let in_form = in_form || element.name.name == "form";
        in_several(&element.children, (file, of, in_form), groups, found);
    }
}

fn holds(element: &Element, names: &[&str]) -> bool {
    let mut held = false;
    elements(&element.children, &mut |inner| held |= names.contains(&inner.name.name.as_str()));
    held
}

/// Where a file begins to say something.
fn first_span(facts: &FileFacts) -> vein_syntax::Span {
    let file = &facts.parsed.file;
    let declared = file.declarations.first().map(|declaration| declaration.span);
    let shown = file.markup.iter().find_map(|node| match node {
        vein_syntax::ast::Node::Element(element) => Some(element.name.span),
        _ => None,
    });
    match (declared, shown) {
        (Some(declared), Some(shown)) => declared.min(shown),
        (declared, shown) => declared.or(shown).unwrap_or_default(),
    }
}

#[cfg(test)]
mod tests {
    use crate::{Source, Workspace};

    fn advised(files: &[(&str, &str)], entries: &[&str]) -> Vec<(&'static str, String)> {
        let source =
            |(path, text): &(&str, &str)| Source { path: (*path).into(), text: (*text).into() };
        let workspace = Workspace::new(files.iter().map(source).collect());
        assert_eq!(workspace.errors(), 0, "{}", workspace.checked().report);
        let all = workspace.advice(entries).into_iter();
        all.map(|d| (d.code, files[d.file].1[d.span.range()].to_owned())).collect()
    }

    #[test]
    fn what_several_instances_would_share_is_told() {
        let note = "<input id='a'><input type='radio' name='b' value='c'><input type='radio' name='b' value='d'>";
        let own = "names a, b\n<input id='<- a'><input type='radio' name='<- b' value='c'>";
        let in_form = "<form><input type='radio' name='b' value='c'></form>";
        let told = |page: &str, note: &str| {
            let files =
                [("a-page.vein", page), ("a-note.vein", note), ("a-row.vein", "<a-note></a-note>")];
            let found = advised(&files, &[]).into_iter();
            found.map(|(code, at)| format!("{code} {at}")).collect::<Vec<_>>().join(", ")
        };
        let both = "used-twice a, used-twice b";
        for page in [
            "<a-note></a-note><a-note></a-note>",
            "<p each='n of [1, 2]'><a-note></a-note></p>",
            "<a-row></a-row><a-row></a-row>",
            "<a-row></a-row><a-note></a-note>",
        ] {
            assert_eq!(told(page, note), both, "{page}");
            assert_eq!(told(page, own), "", "{page}");
            assert_eq!(told(page, in_form), "", "{page}");
        }
        assert_eq!(told("<p>none</p>", note), "");
        assert_eq!(
            advised(&[("a-b.vein", "names a\n<p id='<- a'></p><b id='<- a'></b>")], &[])[0].0,
            "used-twice"
        );
        assert_eq!(
            advised(&[("a-b.vein", "names a\n<p each='n of [1, 2]' id='<- a'>{n}</p>")], &[])[0].0,
            "used-twice"
        );
    }

    #[test]
    fn what_not_everybody_can_use_is_told() {
        for (text, code, at) in [
            ("<img src='a.png'>", "no-alternative", "img"),
            ("<label>Crop</label>", "no-control", "label"),
            ("<p class='a'>x</p>\n<style>.a, .a .b { color: red }</style>", "unmet-class", ".b"),
            ("holds a = 1\n<div click='-> a++'>{a}</div>", "not-reachable", "click"),
            (
                "holds a = 1\n<li tabindex='0' dblclick='-> a++'>{a}</li>",
                "not-reachable",
                "dblclick",
            ),
        ] {
            assert_eq!(advised(&[("test-bed.vein", text)], &[]), [(code, at.to_owned())], "{text}");
        }
        for text in [
            "<img src='a.png' alt=''>",
            "holds a = 'b'\n<img src='a.png' alt='<- a'>",
            "<label for='a'>Crop</label><input id='a'>",
            "<label>Crop <input></label>",
            "holds a = 1\n<button click='-> a++'>{a}</button>",
            "holds a = 1\n<ul click='-> a++'><li><button>{a}</button></li></ul>",
            "holds a = 1\n<b role='button' tabindex='0' click='-> a++' keydown='->(key Enter) a++'>{a}</b>",
            "<svg><circle r='1'></circle></svg>",
            "holds a = true\n<p class=\"b {a ? 'c' : 'd'}\"><i class=\"<- ['e', a && 'f']\">x</i></p>\n\
             <style>.b .c, .d, .e.f, .night .b { color: red }</style>",
            "holds a = 'b'\n<p class='b-{a}'>x</p>\n<style>.any { color: red }</style>",
            "holds a = 'b'\n<p class='<- a'>x</p>\n<style>.any { color: red }</style>",
        ] {
            assert_eq!(advised(&[("test-bed.vein", text)], &[]), [], "{text}");
        }
    }

    #[test]
    fn what_nothing_uses_is_told() {
        let files = [
            ("a-page.vein", "uses tank\n<a-leaf picked='-> tank.draw()'></a-leaf>"),
            (
                "a-leaf.vein",
                "gives picked()\ngives dropped()\ndoes a() { give picked(); give dropped() }\n<b click='-> a'></b>",
            ),
            ("b-leaf.vein", "<p>nobody shows it</p>"),
            ("water-tank.vein", "store tank\nholds litres = 1\ndoes draw() { litres-- }"),
        ];
        let of = |code: &str, all: Vec<(&'static str, String)>| -> Vec<String> {
            all.into_iter().filter(|(known, _)| *known == code).map(|(_, at)| at).collect()
        };
        assert_eq!(of("unused", advised(&files, &["a-page"])), ["p"]);
        assert_eq!(of("unheard", advised(&files, &["a-page"])), ["dropped"]);
        // Without a component to begin with, any may be one.
        assert_eq!(of("unused", advised(&files, &[])), Vec::<String>::new());
    }
}
