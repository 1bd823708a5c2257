//! Queries by CSS selectors (Selectors Level 4), matched by the library that browsers use.

use crate::tree::{NodeId, Tree};
use cssparser::{ParseError, Parser as CssParser, ToCss};
use precomputed_hash::PrecomputedHash;
use selectors::attr::{AttrSelectorOperation, CaseSensitivity, NamespaceConstraint};
use selectors::bloom::BloomFilter;
use selectors::context::{
    MatchingContext, MatchingForInvalidation, MatchingMode, NeedsSelectorFlags, QuirksMode,
    SelectorCaches,
};
use selectors::matching::{ElementSelectorFlags, matches_selector_list};
use selectors::parser::{
    NonTSPseudoClass, ParseRelative, Parser, PseudoElement, SelectorImpl, SelectorList,
    SelectorParseErrorKind,
};
use selectors::{Element, OpaqueElement};
use std::fmt::Write;
use std::ptr::NonNull;
use vein_plan::{Namespace, Property};

/// Why a selector was refused.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SelectError {
    selector: String,
}

impl std::fmt::Display for SelectError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "`{}` is not a CSS selector that can be used here", self.selector)
    }
}

impl std::error::Error for SelectError {}

impl Tree {
    /// All elements that a selector matches, in document order.
    ///
    /// # Errors
    /// A selector that does not parse, or uses a pseudo-class that has no meaning here.
    pub fn select(&self, selector: &str) -> Result<Vec<NodeId>, SelectError> {
        self.select_some(selector, usize::MAX)
    }

    /// The first of them, so many at most.
    pub(crate) fn select_some(
        &self,
        selector: &str,
        most: usize,
    ) -> Result<Vec<NodeId>, SelectError> {
        let mut input = CssParser::new(selector);
        let list = input
            .parse_entirely(|input| SelectorList::parse(&Grammar, input, ParseRelative::No))
            .map_err(|_| SelectError { selector: selector.to_owned() })?;
        let mut caches = SelectorCaches::default();
        let mut context = MatchingContext::new(
            MatchingMode::Normal,
            None,
            &mut caches,
            QuirksMode::NoQuirks,
            NeedsSelectorFlags::No,
            MatchingForInvalidation::No,
        );
        let mut found = Vec::new();
        let mut open: Vec<NodeId> = self.children(self.root()).iter().rev().copied().collect();
        while let Some(id) = open.pop().filter(|_| found.len() < most) {
            if self.element(id).is_some() {
                let element = Candidate { tree: self, id };
                if matches_selector_list(&list, element, &mut context) {
                    found.push(id);
                }
                open.extend(self.children(id).iter().rev());
            }
        }
        Ok(found)
    }
}

/// A word of a selector.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
struct Word(String);

impl From<&str> for Word {
    fn from(s: &str) -> Self {
        Word(s.to_owned())
    }
}

impl AsRef<str> for Word {
    fn as_ref(&self) -> &str {
        &self.0
    }
}

impl std::borrow::Borrow<str> for Word {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl ToCss for Word {
    fn to_css<W: Write>(&self, dest: &mut W) -> std::fmt::Result {
        cssparser::serialize_identifier(&self.0, dest)
    }
}

impl PrecomputedHash for Word {
    fn precomputed_hash(&self) -> u32 {
        // FNV-1a, since only equal words need equal hashes here.
        self.0
            .bytes()
            .fold(0x811c_9dc5, |hash, byte| (hash ^ u32::from(byte)).wrapping_mul(0x0100_0193))
    }
}

/// What selectors are made of.
#[derive(Clone, Debug)]
struct Grammar;

impl SelectorImpl for Grammar {
    type ExtraMatchingData<'a> = ();
    type AttrValue = Word;
    type Identifier = Word;
    type LocalName = Word;
    type NamespaceUrl = Word;
    type NamespacePrefix = Word;
    type BorrowedNamespaceUrl = str;
    type BorrowedLocalName = str;
    type NonTSPseudoClass = State;
    type PseudoElement = NoPseudoElement;
}

/// Pseudo-classes about the state of controls.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum State {
    Checked,
    Disabled,
    Enabled,
    Focus,
    FocusWithin,
}

impl NonTSPseudoClass for State {
    fn is_active_or_hover(&self) -> bool {
        false
    }

    fn is_user_action_state(&self) -> bool {
        false
    }
}

impl ToCss for State {
    fn to_css<W: Write>(&self, dest: &mut W) -> std::fmt::Result {
        dest.write_str(match self {
            State::Checked => ":checked",
            State::Disabled => ":disabled",
            State::Enabled => ":enabled",
            State::Focus => ":focus",
            State::FocusWithin => ":focus-within",
        })
    }
}

/// The tree has no pseudo-elements.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum NoPseudoElement {}

impl PseudoElement for NoPseudoElement {}

impl ToCss for NoPseudoElement {
    fn to_css<W: Write>(&self, _: &mut W) -> std::fmt::Result {
        match *self {}
    }
}

impl<'i> Parser<'i> for Grammar {
    type Impl = Grammar;
    type Error = SelectorParseErrorKind;

    fn parse_is_and_where(&self) -> bool {
        true
    }

    fn parse_has(&self) -> bool {
        true
    }

    fn parse_nth_child_of(&self) -> bool {
        true
    }

    fn parse_non_ts_pseudo_class(
        &self,
        name: &str,
    ) -> Result<State, ParseError<SelectorParseErrorKind>> {
        match name.to_ascii_lowercase().as_str() {
            "checked" => Ok(State::Checked),
            "disabled" => Ok(State::Disabled),
            "focus" => Ok(State::Focus),
            "focus-within" => Ok(State::FocusWithin),
            "enabled" => Ok(State::Enabled),
            _ => Err(ParseError::custom(SelectorParseErrorKind::UnsupportedPseudoClassOrElement)),
        }
    }
}

/// An element of the tree while it is matched.
#[derive(Clone, Copy, Debug)]
struct Candidate<'a> {
    tree: &'a Tree,
    id: NodeId,
}

impl<'a> Candidate<'a> {
    fn name(&self) -> &'a str {
        self.tree.name(self.id).unwrap_or("")
    }

    fn siblings(&self) -> (&'a [NodeId], usize) {
        let parent = self.tree.parent(self.id).unwrap_or(self.tree.root());
        let siblings = self.tree.children(parent);
        (siblings, siblings.iter().position(|id| *id == self.id).unwrap_or(0))
    }

    fn first_element(&self, ids: impl IntoIterator<Item = &'a NodeId>) -> Option<Self> {
        let mut ids = ids.into_iter();
        let id = *ids.find(|id| self.tree.element(**id).is_some())?;
        Some(Candidate { tree: self.tree, id })
    }
}

impl Element for Candidate<'_> {
    type Impl = Grammar;

    fn opaque(&self) -> OpaqueElement {
        OpaqueElement::from_ptr(NonNull::from(self.tree.node(self.id)).cast())
    }

    fn parent_element(&self) -> Option<Self> {
        let id = self.tree.parent(self.id)?;
        self.tree.element(id).map(|_| Candidate { tree: self.tree, id })
    }

    fn parent_node_is_shadow_root(&self) -> bool {
        false
    }

    fn containing_shadow_host(&self) -> Option<Self> {
        None
    }

    fn is_pseudo_element(&self) -> bool {
        false
    }

    fn prev_sibling_element(&self) -> Option<Self> {
        let (siblings, at) = self.siblings();
        self.first_element(siblings[..at].iter().rev())
    }

    fn next_sibling_element(&self) -> Option<Self> {
        let (siblings, at) = self.siblings();
        self.first_element(siblings[at + 1..].iter())
    }

    fn first_element_child(&self) -> Option<Self> {
        self.first_element(self.tree.children(self.id))
    }

    fn is_html_element_in_html_document(&self) -> bool {
        self.tree.namespace(self.id) == Some(Namespace::Html)
    }

    fn has_local_name(&self, name: &str) -> bool {
        self.name() == name
    }

    fn has_namespace(&self, url: &str) -> bool {
        self.tree.namespace(self.id).is_some_and(|namespace| namespace.url() == url)
    }

    fn is_same_type(&self, other: &Self) -> bool {
        self.name() == other.name()
            && self.tree.namespace(self.id) == other.tree.namespace(other.id)
    }

    fn attr_matches(
        &self,
        namespace: &NamespaceConstraint<&Word>,
        name: &Word,
        operation: &AttrSelectorOperation<&Word>,
    ) -> bool {
        let unprefixed = match namespace {
            NamespaceConstraint::Any => true,
            NamespaceConstraint::Specific(url) => url.0.is_empty(),
        };
        unprefixed
            && self.tree.attribute(self.id, &name.0).is_some_and(|value| operation.eval_str(value))
    }

    fn match_non_ts_pseudo_class(&self, state: &State, _: &mut MatchingContext<Grammar>) -> bool {
        let is_control = matches!(
            self.name(),
            "button" | "input" | "select" | "textarea" | "option" | "optgroup" | "fieldset"
        );
        match state {
            State::Checked => {
                self.tree.flag(self.id, Property::Checked)
                    || self.tree.flag(self.id, Property::Selected)
            }
            State::Disabled => self.tree.is_disabled(self.id),
            State::Enabled => is_control && !self.tree.is_disabled(self.id),
            State::Focus => self.tree.focused() == Some(self.id),
            State::FocusWithin => self.tree.focused().is_some_and(|focused| {
                self.tree.closest(focused, |around| around == self.id).is_some()
            }),
        }
    }

    fn match_pseudo_element(
        &self,
        element: &NoPseudoElement,
        _: &mut MatchingContext<Grammar>,
    ) -> bool {
        match *element {}
    }

    fn apply_selector_flags(&self, _: ElementSelectorFlags) {}

    fn is_link(&self) -> bool {
        matches!(self.name(), "a" | "area") && self.tree.attribute(self.id, "href").is_some()
    }

    fn is_html_slot_element(&self) -> bool {
        false
    }

    fn has_id(&self, id: &Word, case: CaseSensitivity) -> bool {
        self.tree
            .attribute(self.id, "id")
            .is_some_and(|own| case.eq(own.as_bytes(), id.0.as_bytes()))
    }

    fn has_class(&self, class: &Word, case: CaseSensitivity) -> bool {
        let classes = self.tree.attribute(self.id, "class").unwrap_or("");
        classes.split_ascii_whitespace().any(|own| case.eq(own.as_bytes(), class.0.as_bytes()))
    }

    fn has_custom_state(&self, _: &Word) -> bool {
        false
    }

    fn imported_part(&self, _: &Word) -> Option<Word> {
        None
    }

    fn is_part(&self, _: &Word) -> bool {
        false
    }

    fn is_empty(&self) -> bool {
        let children = self.tree.children(self.id);
        children.iter().all(|id| self.tree.text(*id).is_some_and(str::is_empty))
    }

    fn is_root(&self) -> bool {
        self.tree.parent(self.id) == Some(self.tree.root())
    }

    fn add_element_unique_hashes(&self, _: &mut BloomFilter) -> bool {
        false
    }
}
