//! Which elements a component's style sheet can select: those carry its mark, `data-of`, and no others.
//!
//! What is known of an element before anything runs is its name, and often its classes and its id. Where one of them may
//! be anything it is taken as fitting, so a mark may be more than is needed and never less.

use crate::interface::elements;
use crate::scope::Checker;
use crate::style::{Subject, subjects};
use std::collections::BTreeSet;
use vein_plan::ops::Logical;
use vein_syntax::ast::{AttributeValue, Element, Expr, ExprKind, File, TextPiece};

/// The attribute that says whose style sheets can select an element.
pub(crate) const MARK: &str = "data-of";

/// Names that an attribute may say.
#[derive(Clone, Debug, Default)]
pub(crate) struct Said {
    pub(crate) names: BTreeSet<String>,
    /// Whether it may say others, too.
    pub(crate) others: bool,
}

impl Said {
    pub(crate) fn may(&self, name: &str) -> bool {
        self.others || self.names.contains(name)
    }

    pub(crate) fn add(&mut self, other: Said) {
        self.names.extend(other.names);
        self.others |= other.others;
    }
}

/// What the style sheet of a component reaches.
#[derive(Clone, Debug, Default)]
pub(crate) struct Reach {
    pub(crate) subjects: Vec<Subject>,
    /// Classes that the component gives to others' roots.
    given: Said,
}

impl Reach {
    /// What the style sheet of a file reaches; nothing where it has none.
    pub(crate) fn of(file: &File, text: &str) -> Reach {
        let Some(style) = file.style else { return Reach::default() };
        let mut given = Said::default();
        elements(&file.markup, &mut |element| {
            if element.name.name.contains('-') {
                given.add(said(element, "class"));
            }
        });
        Reach { subjects: subjects(text.get(style.range()).unwrap_or("")), given }
    }

    /// Whether a rule asks for one of the classes that a use of a component gives to its root.
    pub(crate) fn gives(&self, element: &Element) -> bool {
        let said = said(element, "class");
        let mut asked = self.subjects.iter().flat_map(|subject| &subject.classes);
        asked.any(|(_, _, class)| said.may(class))
    }

    /// Whether what a selector selects may be the root of another component, for a class that is given to it.
    pub(crate) fn is_given(&self, subject: &Subject) -> bool {
        subject.classes.iter().any(|(_, _, class)| self.given.may(class))
    }
}

/// The mark of elements that get a class from a component that uses theirs. No component can be called so.
pub(crate) fn given_by(component: &str) -> String {
    format!("by_{component}")
}

impl Checker<'_> {
    /// Whether the component's style sheet can select one of its elements.
    pub(crate) fn is_styled(&self, element: &Element) -> bool {
        // `<any>` takes its element's name from data.
        let any = self.source(element.name.span) == "any";
        let (mut classes, mut id) = (said(element, "class"), said(element, "id"));
        if self.is_root(element) {
            let falls = |name: &str| self.interface().falls.iter().any(|fall| fall == name);
            classes.others |= falls("class");
            id.others |= falls("id");
        }
        self.reach.subjects.iter().any(|subject| {
            let named = subject.element.as_ref();
            named.is_none_or(|name| any || element.name.name.eq_ignore_ascii_case(name))
                && subject.classes.iter().all(|(_, _, class)| classes.may(class))
                && subject.ids.iter().all(|name| id.may(name))
        })
    }
}

/// What an attribute of an element may say, as names apart by spaces.
pub(crate) fn said(element: &Element, name: &str) -> Said {
    let mut said = Said::default();
    if let Some(attribute) = element.attributes.iter().find(|a| a.is(name)) {
        said.others = !words(&attribute.value, &mut said.names);
    }
    said
}

/// The names that an attribute may say; `false` where it may say others.
fn words(value: &AttributeValue, found: &mut BTreeSet<String>) -> bool {
    let tokens = |text: &str, found: &mut BTreeSet<String>| {
        found.extend(text.split_ascii_whitespace().map(str::to_owned));
    };
    match value {
        AttributeValue::Static(text) => tokens(text, found),
        AttributeValue::OneWay(_, e) => return texts_of(e, found),
        AttributeValue::Interpolated(pieces) => {
            let spaced = |text: &str, end: bool| match end {
                true => text.ends_with(|c: char| c.is_ascii_whitespace()),
                false => text.starts_with(|c: char| c.is_ascii_whitespace()),
            };
            for (at, piece) in pieces.iter().enumerate() {
                let clear = match piece {
                    TextPiece::Static(text, _) => {
                        tokens(text, found);
                        (at == 0 || spaced(text, false))
                            && (at + 1 == pieces.len() || spaced(text, true))
                    }
                    TextPiece::Expr(e) => texts_of(e, found),
                };
                if !clear {
                    return false;
                }
            }
        }
        AttributeValue::TwoWay(..) => return false,
        _ => {}
    }
    true
}

/// The tokens of the texts that an expression may give; `false` where it may give others.
fn texts_of(e: &Expr, found: &mut BTreeSet<String>) -> bool {
    match &e.kind {
        ExprKind::String(text) => {
            let text = text.to_string();
            found.extend(text.split_ascii_whitespace().map(str::to_owned));
            true
        }
        ExprKind::Null | ExprKind::Boolean(_) => true,
        ExprKind::Choose(_, then, otherwise) => texts_of(then, found) & texts_of(otherwise, found),
        ExprKind::Logical(Logical::And, _, then) => texts_of(then, found),
        ExprKind::List(items) => {
            items.iter().fold(true, |clear, (item, _)| texts_of(item, found) & clear)
        }
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use crate::{Source, Workspace};
    use vein_plan::TemplateNode;

    /// The elements of a component that carry its mark, and those of others that are given it, by their names.
    fn marked(files: &[(&str, &str)]) -> Vec<String> {
        let source =
            |(path, text): &(&str, &str)| Source { path: (*path).into(), text: (*text).into() };
        let workspace = Workspace::new(files.iter().map(source).collect());
        let checked = workspace.checked();
        let program = checked.program.as_ref().unwrap_or_else(|| panic!("{}", checked.report));
        let templates = program.plans[0].blocks.iter().flat_map(|block| &block.template);
        let marked = templates.filter_map(|node| match node {
            TemplateNode::Open { name, attributes, .. } => {
                attributes.iter().any(|(name, _)| &**name == super::MARK).then(|| name.to_string())
            }
            _ => None,
        });
        marked.collect()
    }

    #[test]
    fn only_what_a_rule_can_select_is_marked() {
        let markup = "holds n = 1\n<main><p class='a b'>x</p><i id='c' class=\"<- n > 1 && 'a'\">x</i>\
                      <u class='d-{n}'>x</u><b>x</b></main>\n";
        for (style, wanted) in [
            ("", ""),
            ("*", "main p i u b"),
            ("P, .z", "p u"),
            (".a", "p i u"),
            (".a.b", "p u"),
            ("main .a > b", "b"),
            ("#c:hover", "i"),
            ("#c.b", ""),
            ("main { > i { } }", "main i"),
            (".a { &.b { } }", "p i u"),
            ("main:has(b)", "main b"),
            ("main:not(:has(b))", "main b"),
            ("p::before", "p"),
            ("@media (hover) { b { } }", "b"),
            ("@keyframes b { to { top: 0 } }", ""),
        ] {
            let rule = if style.is_empty() || style.ends_with('}') {
                style.to_owned()
            } else {
                format!("{style} {{ }}")
            };
            let text = format!("{markup}<style>{rule}</style>\n");
            assert_eq!(marked(&[("test-bed.vein", &text)]).join(" "), wanted, "{style}");
        }
    }

    #[test]
    fn what_a_root_is_given_may_be_any_class() {
        let bed = "<p><b>x</b></p>\n<style>.wide { }</style>\n";
        assert!(marked(&[("a-bed.vein", bed)]).is_empty());
        let user = ("b-view.vein", "<a-bed class='wide'></a-bed>\n");
        assert_eq!(marked(&[("a-bed.vein", bed), user]), ["p"]);
    }
}
