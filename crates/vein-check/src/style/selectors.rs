//! Selectors (Selectors 4): whom they select, and where the mark goes.

use super::pieces::Kind;
use super::{Rewriter, Subject};
use crate::marks::given_by;
use crate::values;

/// Of so many things that are selected it is known what is asked of them.
pub(super) const MOST_SUBJECTS: usize = 10_000;

impl Rewriter<'_> {
    /// A list of selectors apart by commas; those of a rule inside of another may begin with a combinator.
    pub(super) fn selectors(&mut self, at: usize, end: usize) {
        let nested = self.rule.is_some();
        self.list(at, end, nested);
    }

    fn list(&mut self, mut at: usize, end: usize, relative: bool) {
        let mut start = at;
        loop {
            if at >= end || self.pieces[at].kind == Kind::Comma {
                self.selector(start, at, relative);
                if at >= end {
                    return;
                }
                start = at + 1;
            }
            at = match &self.pieces[at].kind {
                Kind::Open(_) | Kind::Function(_) => self.closing(at, end) + 1,
                _ => at + 1,
            };
        }
    }

    /// Puts the mark on what a selector selects, before a pseudo-element.
    fn selector(&mut self, start: usize, end: usize, relative: bool) {
        if self.pieces[start..end].iter().all(|piece| piece.kind == Kind::Space) {
            let at = start.min(self.pieces.len() - 1);
            return self.problem(at, at + 1, "a selector is missing beside this");
        }
        // What stands in brackets is not read here.
        let mut after = start;
        let wrong = (start..end).find(|at| {
            let bracketed = *at < after;
            let kind = &self.pieces[*at].kind;
            if !bracketed && matches!(kind, Kind::Open(_) | Kind::Function(_)) {
                after = self.closing(*at, end);
            }
            let inside = match kind {
                Kind::Delim(c) => !".#*>+~&|".contains(*c),
                Kind::Number | Kind::Dimension(_) | Kind::Other => true,
                _ => false,
            };
            let class = matches!(kind, Kind::Delim('.'))
                && !matches!(self.pieces.get(*at + 1).map(|p| &p.kind), Some(Kind::Ident(_)));
            let pseudo = *kind == Kind::Colon
                && !matches!(
                    self.pieces.get(*at + 1).map(|p| &p.kind),
                    Some(Kind::Ident(_) | Kind::Function(_) | Kind::Colon)
                );
            ((inside || class || pseudo) && !bracketed) || *kind == Kind::Bad
        });
        if let Some(at) = wrong {
            let stop = (end..self.pieces.len())
                .find(|at| self.pieces[*at].kind == Kind::Open('{'))
                .map_or(end, |open| self.closing(open, self.pieces.len()) + 1);
            return self.problem(at, stop, "this is no selector");
        }
        if let Some(at) = self.loose_combinator(start, end, relative) {
            return self.problem(at, at + 1, "a selector is missing beside this");
        }
        let (mut place, mut at) = (None, start);
        let (mut subject, mut nested) = (Subject::default(), false);
        // After a pseudo-element nothing more can be said of the element.
        let mut fixed = false;
        while at < end {
            let piece = &self.pieces[at];
            // A space before anything begins another compound.
            if piece.kind != Kind::Space && at > start && self.pieces[at - 1].kind == Kind::Space {
                fixed = false;
                (subject, nested) = (Subject::default(), false);
            }
            match &piece.kind {
                Kind::Space => {}
                Kind::Delim('>' | '+' | '~') => {
                    (place, fixed) = (None, false);
                    (subject, nested) = (Subject::default(), false);
                }
                Kind::Colon if fixed => {}
                Kind::Colon => {
                    let next = self.pieces.get(at + 1).map(|p| &p.kind);
                    let name = match next {
                        Some(Kind::Colon) => "element",
                        Some(Kind::Ident(name) | Kind::Function(name)) => name.as_str(),
                        _ => "",
                    };
                    let named = match next {
                        Some(Kind::Colon) => self.pieces.get(at + 2).map(|p| &p.kind),
                        next => next,
                    };
                    if let Some(Kind::Ident(named) | Kind::Function(named)) = named
                        && let Some(near) = values::unknown("@pseudo", &named.to_ascii_lowercase())
                    {
                        let said = format!("there is no `:{named}` in selectors{near}");
                        self.problem(at, at + 2, said);
                    }
                    let old = ["element", "before", "after", "first-line", "first-letter"];
                    if old.contains(&name.to_ascii_lowercase().as_str()) {
                        fixed = true;
                        place = Some(piece.start);
                    }
                }
                Kind::Function(name) => {
                    let close = self.closing(at, end);
                    if name == "has" {
                        self.list(at + 1, close, true);
                    } else {
                        self.asked_of_inner(at + 1, close);
                    }
                    at = close;
                    if !fixed {
                        place = Some(self.pieces[close].end);
                    }
                }
                Kind::Open(_) => {
                    at = self.closing(at, end);
                    if !fixed {
                        place = Some(self.pieces[at].end);
                    }
                }
                _ => {
                    let before = self.pieces[start..at].last().map(|piece| &piece.kind);
                    match &piece.kind {
                        _ if fixed => {}
                        Kind::Ident(class) if before == Some(&Kind::Delim('.')) => {
                            let place = (self.pieces[at - 1].start, piece.end, class.clone());
                            subject.classes.push(place);
                        }
                        Kind::Ident(_) if before == Some(&Kind::Colon) => {}
                        Kind::Ident(name) => subject.element = Some(name.clone()),
                        Kind::Hash(id) => subject.ids.push(id.clone()),
                        Kind::Delim('&') => nested = self.rule.is_some(),
                        _ => {}
                    }
                    if !fixed {
                        place = Some(piece.end);
                    }
                }
            }
            at += 1;
        }
        let Some(place) = place else { return };
        let all: Vec<Subject> = match &self.rule {
            // Those of nested lists multiply: of many, all but the last is left open.
            Some(around)
                if nested && self.subjects.len() + around.subjects.len() <= MOST_SUBJECTS =>
            {
                around.subjects.iter().map(|around| around.and(&subject)).collect()
            }
            _ => vec![subject],
        };
        let (own, given) = (self.component, given_by(self.component));
        let mark = match all.iter().any(|subject| self.reach.is_given(subject)) {
            true => format!(":is([data-of~={own}],[data-of~={given}])"),
            false => format!("[data-of~={own}]"),
        };
        self.subjects.extend(all);
        self.edits.push((place, mark));
    }

    /// A combinator with nothing before it, where that may not be, or nothing after it.
    fn loose_combinator(&self, start: usize, end: usize, relative: bool) -> Option<usize> {
        let (mut at, mut before) = (start, (!relative).then_some(start));
        let mut last = None;
        while at < end {
            match &self.pieces[at].kind {
                Kind::Space => {}
                Kind::Delim('>' | '+' | '~') if before.is_some() => return Some(at),
                Kind::Delim('>' | '+' | '~') => (before, last) = (Some(at), Some(at)),
                Kind::Open(_) | Kind::Function(_) => {
                    (at, before, last) = (self.closing(at, end), None, None);
                }
                _ => (before, last) = (None, None),
            }
            at += 1;
        }
        last
    }

    /// `:has()` inside `:not()`, `:is()` and their like.
    fn asked_of_inner(&mut self, mut at: usize, end: usize) {
        while at < end {
            if self.pieces[at].kind == Kind::Function("has".into()) {
                let close = self.closing(at, end);
                self.list(at + 1, close, true);
                at = close;
            }
            at += 1;
        }
    }
}
