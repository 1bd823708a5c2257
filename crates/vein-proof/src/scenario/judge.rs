//! What was stated against what was seen.

use super::play::{PlayedStep, near_or_all, selector_of, shown_question};
use super::seen::{Origin, SeenPart};
use super::{At, Mistake, Must, Place, Sight, Stated, StatedChange, Which};
use crate::session::Session;
use vein_plan::{Property, Shown, Value};
use vein_runtime::{Effect, HostError};
use vein_view::{Layout, NodeId, Tree};

/// A statement of a change with what was seen of it, or what was seen and not stated.
#[derive(Clone, Debug)]
pub struct Pairing {
    /// What was stated, and where.
    pub stated: Option<(String, Place)>,
    /// Where in that the part is named.
    pub named: Option<Place>,
    /// What was seen: parts of [`SeenStep::parts`](super::SeenStep::parts), by their positions.
    pub seen: Vec<usize>,
    /// Whether they agree.
    pub finding: Finding,
    /// Where the part was written that was stated and did not change, if there is one.
    pub origin: Option<Origin>,
}

/// How what was stated and what was seen go together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Finding {
    /// They agree.
    Agrees,
    /// It changed, and nothing states it.
    NotStated,
    /// It was stated, and did not change.
    NotSeen,
    /// There is no such part.
    NoSuchPart,
    /// It changed in another way, which is said.
    Otherwise(String),
}

/// For each statement about elements, those that its selector matched before the step.
pub(super) type Selected = Vec<Vec<(NodeId, u64)>>;

/// What the selectors of a step's statements match now.
pub(super) fn selected(tree: &Tree, stated: &Stated) -> Selected {
    let matched = |change: &StatedChange| -> Vec<(NodeId, u64)> {
        let selector = selector_of(&change.part);
        let found = selector.and_then(|selector| tree.select(selector).ok()).unwrap_or_default();
        found.into_iter().map(|id| (id, tree.serial(id))).collect()
    };
    stated.changes.iter().map(matched).collect()
}

/// The element that a person means.
pub(super) fn find(tree: &Tree, selector: &At<String>) -> Result<NodeId, Mistake> {
    let found = tree.select(&selector.value).map_err(|error| {
        Mistake::new("bad-selector", &selector.place, error.to_string())
            .advice("elements are found by standard CSS selectors")
    })?;
    found.first().copied().ok_or_else(|| nothing_matches(tree, selector))
}

/// A selector that matches nothing, with what may have been meant.
fn nothing_matches(tree: &Tree, selector: &At<String>) -> Mistake {
    let said = format!("nothing in the view matches `{}`", selector.value);
    let mistake = Mistake::new("no-such-element", &selector.place, said);
    let elements = tree.elements();
    let mut known: Vec<String> = Vec::new();
    for id in elements {
        known.extend(tree.name(id).map(str::to_owned));
        known.extend(tree.attribute(id, "id").map(|id| format!("#{id}")));
        let classes = tree.attribute(id, "class").unwrap_or("").split_whitespace();
        known.extend(classes.map(|class| format!(".{class}")));
    }
    known.sort();
    known.dedup();
    // A word of the selector that nothing in the view has, and one that is near to it.
    let text = &selector.value;
    let mut at = 0;
    while let Some(c) = text[at..].chars().next() {
        let starts = matches!(c, '.' | '#') || c.is_ascii_alphabetic();
        let rest = &text[at + c.len_utf8()..];
        let more = rest.find(|c: char| !(c.is_alphanumeric() || matches!(c, '-' | '_')));
        let end = at + c.len_utf8() + more.unwrap_or(rest.len());
        let word = &text[at..end];
        match c {
            '[' | '(' | ':' => at += text[at..].find([']', ' ']).unwrap_or(text.len() - at).max(1),
            _ if starts && !known.iter().any(|known| known == word) => {
                let near = vein_plan::nearest(word, known.iter().map(String::as_str));
                let Some(near) = near else {
                    return mistake.advice(format!("the view has nothing that `{word}` matches"));
                };
                let instead = format!("{}{near}{}", &text[..at], &text[end..]);
                return Mistake { instead: Some(format!("{instead:?}").into()), ..mistake };
            }
            _ => at = if starts { end } else { at + c.len_utf8() },
        }
    }
    mistake.advice("each of its words is in the view, but not as it says")
}

/// What the host wrote or called and could not.
pub(super) fn host_mistake(error: HostError, name: &At<String>, value: &Place) -> Mistake {
    let said = error.to_string();
    match &error {
        HostError::UnknownPath { path, known } => {
            let said = format!("there is nothing at `{path}`");
            let mistake = Mistake::new("unknown-path", &name.place, said);
            let known: Vec<&str> = known.iter().map(String::as_str).collect();
            // What can be reached from where it goes wrong is told by its last name.
            let cut = name.value.rfind(['.', ']']).filter(|at| name.value[*at..].starts_with('.'));
            let (root, last) = name.value.split_at(cut.map_or(0, |at| at + 1));
            let near = vein_plan::nearest(last, known.iter().copied());
            let whole = vein_plan::nearest(&name.value, known.iter().copied());
            match (near, whole) {
                (Some(near), _) => Mistake {
                    instead: Some(format!("{:?}", format!("{root}{near}")).into()),
                    ..mistake
                },
                (None, Some(near)) => {
                    Mistake { instead: Some(format!("{near:?}").into()), ..mistake }
                }
                (None, None) => near_or_all(mistake, "", known),
            }
        }
        HostError::UnknownHandler { name: written, known }
        | HostError::UnknownEvent { name: written, known } => {
            let mistake = Mistake::new("unknown-name", &name.place, said);
            let instead = vein_plan::nearest(written, known.iter().map(String::as_str));
            Mistake { instead: instead.map(|near| format!("{near:?}").into()), ..mistake }
        }
        HostError::Misfit(_) => Mistake::new("wrong-value", value, said),
        HostError::Derived { .. } => Mistake::new("derived", &name.place, said),
        _ => Mistake::new("refused", &name.place, said),
    }
}

/// Holds the opening of a page against what was stated of it.
pub(super) fn opening(session: &mut Session, stated: &Stated, played: &mut PlayedStep) {
    faults(stated, played);
    asked(stated, played);
    afterwards(session, stated, played);
}

/// Holds a step against what was stated of it.
pub(super) fn step(
    session: &mut Session,
    stated: &Stated,
    selected: &Selected,
    played: &mut PlayedStep,
) {
    faults(stated, played);
    changes(Some(session), stated, selected, played);
    given(stated, played);
    asked(stated, played);
    afterwards(session, stated, played);
}

/// Holds the step that dropped the page against what was stated of it.
pub(super) fn dropped(stated: &Stated, played: &mut PlayedStep) {
    faults(stated, played);
    given(stated, played);
    for change in &stated.changes {
        let said = "the page was dropped: no part of it changes";
        played.mistakes.push(Mistake::new("not-as-stated", &change.place, said));
    }
    let gone = stated.see.iter().map(|see| &see.place);
    for place in gone.chain(stated.state.iter().map(|(path, _)| &path.place)) {
        let said = "the page was dropped: there is nothing to look at";
        played.mistakes.push(Mistake::new("not-as-stated", place, said));
    }
}

/// Pulses that were taken back or were not exact.
pub(super) fn faults(stated: &Stated, played: &mut PlayedStep) {
    let place = played.place.clone();
    let mut failed = false;
    for entry in &played.seen.entries {
        if let Some(fault) = &entry.pulse.fault {
            failed = true;
            let fault = fault.to_string();
            let expected = stated.fails.as_ref().is_some_and(|part| fault.contains(&part.value));
            if !expected {
                let said = format!("everything was taken back: {fault}");
                let at = stated.fails.as_ref().map_or(&place, |part| &part.place);
                played
                    .mistakes
                    .push(Mistake::new("taken-back", at, said).advice(
                        "where that is meant, state a part of the reason: `fails = \"…\"`",
                    ));
            }
        }
        let inexact = entry.verdict.as_ref().filter(|verdict| !verdict.is_exact());
        for problem in inexact.iter().flat_map(|verdict| verdict.problems()) {
            let said = format!("pulse {} is not exact · {problem}", entry.pulse.number);
            played.mistakes.push(Mistake::new("not-exact", &place, said));
        }
    }
    if let Some(part) = stated.fails.as_ref().filter(|_| !failed) {
        let said = "nothing was taken back, though the step says so";
        played.mistakes.push(Mistake::new("not-as-stated", &part.place, said));
    }
}

fn changes(
    session: Option<&Session>,
    stated: &Stated,
    selected: &Selected,
    played: &mut PlayedStep,
) {
    let parts = &played.seen.parts;
    let mut claimed = vec![false; parts.len()];
    let mut pairings: Vec<Pairing> = Vec::new();
    for (change, before) in stated.changes.iter().zip(selected) {
        let found: Vec<usize> = match &change.part {
            Which::Address(address) => {
                let is = |part: &SeenPart| is_address(address, &part.address, played, session);
                (0..parts.len()).filter(|at| is(&parts[*at])).collect()
            }
            Which::Element { selector, what } => {
                let now = session.and_then(|session| session.tree().select(selector).ok());
                let now = now.unwrap_or_default();
                let is = |part: &SeenPart| {
                    part.what == *what
                        && part.element.is_some_and(|id| {
                            now.contains(&id) || before.iter().any(|(known, _)| *known == id)
                        })
                };
                (0..parts.len()).filter(|at| is(&parts[*at])).collect()
            }
        };
        found.iter().for_each(|at| claimed[*at] = true);
        let finding = match (found.len(), change.count) {
            (0, Some(0)) => Finding::Agrees,
            (0, _) => no_change(change, session),
            (seen, Some(count)) if seen != count => {
                Finding::Otherwise(format!("{seen} parts change, not {count}"))
            }
            _ => {
                let other = found.iter().find_map(|at| otherwise(change, &parts[*at]));
                other.map_or(Finding::Agrees, Finding::Otherwise)
            }
        };
        let origin = match finding {
            Finding::NotSeen => session.and_then(|session| origin_of(change, session, played)),
            _ => None,
        };
        let stated = Some((shown_statement(change), change.place.clone()));
        let named = Some(change.named.clone());
        pairings.push(Pairing { stated, named, seen: found, finding, origin });
    }
    for at in (0..parts.len()).filter(|at| !claimed[*at]) {
        let finding = Finding::NotStated;
        pairings.push(Pairing { stated: None, named: None, seen: vec![at], finding, origin: None });
    }
    let at = stated.changes_at.clone().unwrap_or_else(|| played.place.clone());
    let mistakes = pairings.iter().filter_map(|pairing| {
        let part = pairing.seen.first().map(|at| &parts[*at]);
        mistake_of(pairing, part, &at, session)
    });
    let mistakes: Vec<Mistake> = mistakes.collect();
    played.mistakes.extend(mistakes);
    played.pairings = pairings;
}

/// What is wrong with a pairing, in words.
fn mistake_of(
    pairing: &Pairing,
    part: Option<&SeenPart>,
    changes: &Place,
    session: Option<&Session>,
) -> Option<Mistake> {
    let place = pairing.stated.as_ref().map_or(changes, |(_, place)| place);
    let stated = pairing.stated.as_ref().map_or("", |(stated, _)| stated);
    let because = |part: &SeenPart| match part.because.as_slice() {
        [] => String::new(),
        because => format!(", because of {}", because.join(" ← ")),
    };
    Some(match &pairing.finding {
        Finding::Agrees => return None,
        Finding::NotStated => {
            let part = part?;
            let said = format!("`{}` changes, and the step does not state it", part.address);
            Mistake::new("not-stated", place, said).label(format!(
                "{} {}{}; written at {}",
                part.address,
                part.effect,
                because(part),
                part.origin
            ))
        }
        Finding::NotSeen => {
            let said = format!("`{stated}` does not change, though the step states it");
            let mistake = Mistake::new("not-seen", place, said).label("it does not change");
            match &pairing.origin {
                Some(origin) => mistake.advice(format!("the part was written at {origin}")),
                None => mistake,
            }
        }
        Finding::NoSuchPart => {
            let said = format!("there is no part `{stated}`");
            let place = pairing.named.as_ref().unwrap_or(place);
            let mut mistake =
                Mistake::new("unknown-part", place, said).label("nothing is called so");
            let known = session.map_or(Vec::new(), known_addresses);
            if let Some(advice) =
                session.and_then(|session| without_identity(stated, &known, session))
            {
                return Some(mistake.advice(advice));
            }
            mistake = mistake.nearest(stated, known.iter().map(String::as_str));
            if mistake.instead.is_none()
                && let Some((owner, _)) = stated.rsplit_once(" › ")
            {
                let own = known.iter().filter_map(|known| {
                    known.strip_prefix(owner)?.strip_prefix(" › ").filter(|own| !own.contains('›'))
                });
                let own: Vec<&str> = own.take(12).collect();
                mistake = mistake.advice(match own.as_slice() {
                    [] => format!("there is no `{owner}` in the view"),
                    own => format!("`{owner}` has: {}", own.join(", ")),
                });
            }
            mistake
        }
        Finding::Otherwise(how) => {
            let part = part?;
            let said = format!("`{stated}` does not change as the step states");
            Mistake::new("otherwise", place, said).label(how.clone()).advice(format!(
                "written at {}{}",
                part.origin,
                because(part)
            ))
        }
    })
}

/// What to do where a part is stated by the identity of its row, and the rows have none.
fn without_identity(stated: &str, known: &[String], session: &Session) -> Option<String> {
    let any_row = |address: &str| -> String {
        let mut out = String::new();
        let mut rest = address;
        while let Some((head, after)) = rest.split_once('[') {
            let end = after.find(']').map_or(after.len(), |end| end + 1);
            out.push_str(head);
            out.push_str("[*]");
            rest = &after[end..];
        }
        out + rest
    };
    let wanted = any_row(stated);
    let same = known.iter().find(|known| any_row(known) == wanted)?;
    // The first row that is told apart by something else.
    let at = stated
        .split('[')
        .zip(same.split('['))
        .position(|(a, b)| a.starts_with('#') && b.starts_with(|c: char| c.is_ascii_digit()))?;
    let list: Vec<&str> = same.split('[').take(at).collect();
    let list = format!("{} list", list.join("["));
    let rows = crate::outline::outline(session.runtime());
    let mut sources = rows.into_iter().filter_map(|row| row.source);
    let written = sources.find(|source| source.address.ends_with(&list));
    let place = written.map_or(String::new(), |source| {
        format!(", at {}", Origin::new(&source.component, source.location))
    });
    Some(format!(
        "the rows of `{list}` are told apart by their positions: give its `each` a `by`{place}"
    ))
}

/// Whether a stated address is that of a part; `[*]` stands for any item.
fn is_address(stated: &str, part: &str, played: &PlayedStep, session: Option<&Session>) -> bool {
    let own = played.seen.entries.first().map(|entry| &*entry.pulse.component);
    let own = own.or(session.map(|session| &*session.runtime().plan().name)).unwrap_or("");
    same_address(stated, part, own)
}

/// Whether a stated address is that of a part of a component's page, with the component's name in
/// front or without; `[*]` stands for any item.
pub fn same_address(stated: &str, part: &str, own: &str) -> bool {
    let short = |address: &str| -> String {
        let rest = address.strip_prefix(own).and_then(|rest| rest.strip_prefix(" › "));
        rest.unwrap_or(address).to_owned()
    };
    matches_address(&short(stated), &short(part))
}

fn matches_address(stated: &str, part: &str) -> bool {
    let Some((head, rest)) = stated.split_once("[*]") else { return stated == part };
    let Some(after) = part.strip_prefix(head).and_then(|after| after.strip_prefix('[')) else {
        return false;
    };
    // An identity may hold brackets of its own.
    let mut ends = after.match_indices(']').map(|(at, _)| at + 1);
    ends.any(|end| matches_address(rest, &after[end..]))
}

/// Every address in the view, as the ledger writes it.
fn known_addresses(session: &Session) -> Vec<String> {
    let own = &session.runtime().plan().name;
    let rows = crate::outline::outline(session.runtime());
    let sources = rows.into_iter().filter_map(|row| row.source).filter(|source| !source.listens);
    sources
        .map(|source| {
            let short = source.address.strip_prefix(&**own).and_then(|s| s.strip_prefix(" › "));
            let short = short.unwrap_or(&source.address);
            match short.contains(" › ") {
                true => short.to_owned(),
                false => format!("{own} › {short}"),
            }
        })
        .collect()
}

/// Why nothing changed that was stated: there is no such part, or it stayed as it was.
fn no_change(change: &StatedChange, session: Option<&Session>) -> Finding {
    let Some(session) = session else { return Finding::NotSeen };
    match &change.part {
        Which::Element { selector, .. } => match session.tree().select(selector) {
            Ok(found) if found.is_empty() => Finding::NoSuchPart,
            Ok(_) => Finding::NotSeen,
            Err(error) => Finding::Otherwise(error.to_string()),
        },
        Which::Address(address) => {
            let own = &session.runtime().plan().name;
            let full = format!("{own} › {address}");
            let known = known_addresses(session);
            let exists =
                |known: &String| matches_address(address, known) || matches_address(&full, known);
            if known.iter().any(exists) { Finding::NotSeen } else { Finding::NoSuchPart }
        }
    }
}

/// Where the part was written that a statement is about.
fn origin_of(change: &StatedChange, session: &Session, played: &PlayedStep) -> Option<Origin> {
    let Which::Address(address) = &change.part else { return None };
    let rows = crate::outline::outline(session.runtime());
    let mut sources = rows.into_iter().filter_map(|row| row.source);
    let source =
        sources.find(|source| is_address(address, &source.address, played, Some(session)))?;
    Some(Origin::new(&source.component, source.location))
}

/// In which way a change is another than was stated.
fn otherwise(change: &StatedChange, part: &SeenPart) -> Option<String> {
    let shows = |shown: &Shown, wanted: &Value| {
        shows(shown, wanted) || (part.what == "text" && shows_inside(shown, wanted))
    };
    let side = |wanted: &Option<Value>, is: Option<bool>, when: &str, shown: String| {
        wanted.as_ref().filter(|_| is == Some(false)).map(|_| format!("{when} {shown}"))
    };
    match &part.effect {
        Effect::Value { from, to } => {
            let wrong_to = side(
                &change.to,
                change.to.as_ref().map(|v| shows(to, v)),
                "it becomes",
                to.to_string(),
            );
            let was = change.from.as_ref().map(|v| shows(from, v));
            wrong_to.or_else(|| side(&change.from, was, "it was", from.to_string()))
        }
        Effect::Branch { from, to } => {
            let is = |wanted: &Value, side: &Option<vein_plan::Name>| match (side, wanted) {
                (None, Value::Boolean(false) | Value::Null) => true,
                (Some(name), wanted) => *wanted.to_shown() == **name,
                _ => false,
            };
            let text = |side: &Option<vein_plan::Name>| {
                side.as_deref().map_or("nothing".to_owned(), |name| format!("{name:?}"))
            };
            let shown = change.to.as_ref().map(|wanted| is(wanted, to));
            let was = change.from.as_ref().map(|wanted| is(wanted, from));
            side(&change.to, shown, "there comes", text(to))
                .or_else(|| side(&change.from, was, "there was", text(from)))
        }
        Effect::List { added, removed, moved } => {
            let seen = [added, removed, moved];
            let wrong = change
                .rows
                .iter()
                .zip(seen)
                .any(|(wanted, seen)| wanted.is_some_and(|wanted| wanted != *seen));
            wrong.then(|| format!("it has {}", part.effect.sides().1))
        }
    }
}

/// Whether a text is what a statement says but for a space around it, which keeps it apart from what it stands beside.
fn shows_inside(shown: &Shown, wanted: &Value) -> bool {
    let Shown::Text(text) = shown else { return false };
    let inside = text.strip_prefix(' ').unwrap_or(text);
    let inside = inside.strip_suffix(' ').unwrap_or(inside);
    !inside.is_empty() && shows(&Shown::Text(inside.into()), wanted)
}

/// Whether a part shows what a statement says: a text, a number as its text, `false` for nothing.
pub(super) fn shows(shown: &Shown, wanted: &Value) -> bool {
    match (shown, wanted) {
        (Shown::Absent, Value::Boolean(on)) => !on,
        (Shown::Absent, Value::Null) => true,
        (Shown::Flag(on), Value::Boolean(wanted)) => on == wanted,
        (Shown::Text(text), Value::Boolean(on)) => {
            text.is_empty() && *on || *text == wanted.to_shown()
        }
        (Shown::Text(text), Value::String(_) | Value::Number(_)) => *text == wanted.to_shown(),
        _ => false,
    }
}

/// How a statement is written in messages.
fn shown_statement(change: &StatedChange) -> String {
    match &change.part {
        Which::Address(address) => address.clone(),
        Which::Element { selector, what } => format!("{selector} {what}"),
    }
}

fn given(stated: &Stated, played: &mut PlayedStep) {
    let seen: Vec<(String, Value)> = played
        .seen
        .entries
        .iter()
        .flat_map(|entry| &entry.pulse.given)
        .map(|given| (given.name.to_string(), Value::record(given.payload.iter().cloned())))
        .collect();
    let shown = |event: &str, payload: &Value| format!("{event} {payload}");
    for at in 0..seen.len().max(stated.gives.len()) {
        let mistake = match (stated.gives.get(at), seen.get(at)) {
            (Some(At { value: (event, payload), place }), Some((name, value))) => {
                let same = event == name && fits(payload, value);
                let label = format!("the host is given {}", shown(name, value));
                let said = format!("the host is not given {} then", shown(event, payload));
                (!same).then(|| Mistake::new("given", place, said).label(label))
            }
            (Some(At { value: (event, payload), place }), None) => {
                let said = format!("the host is not given {}", shown(event, payload));
                Some(Mistake::new("given", place, said).label("nothing is given"))
            }
            (None, Some((name, value))) => {
                let said = format!(
                    "the host is given {}, and the step does not state it",
                    shown(name, value)
                );
                let advice = format!("state it: `gives = [{{ event = {name:?}, … }}]`");
                Some(Mistake::new("given", &played.place, said).advice(advice))
            }
            (None, None) => None,
        };
        played.mistakes.extend(mistake);
    }
}

/// Whether a value is as stated; what TOML cannot write, `null` in a record, may be left out.
fn fits(stated: &Value, seen: &Value) -> bool {
    match (stated, seen) {
        (Value::Record(stated), Value::Record(seen)) => {
            stated.iter().all(|(name, _)| seen.get(name).is_some())
                && seen.iter().all(|(name, value)| match stated.get(name) {
                    Some(stated) => fits(stated, value),
                    None => value.is_null(),
                })
        }
        (Value::List(stated), Value::List(seen)) => {
            stated.len() == seen.len() && stated.iter().zip(seen.iter()).all(|(a, b)| fits(a, b))
        }
        (stated, seen) => stated.same_or_zero(seen),
    }
}

fn asked(stated: &Stated, played: &mut PlayedStep) {
    let Some(At { value: wanted, place }) = &stated.asks else { return };
    let questions = played.seen.entries.iter().flat_map(|entry| &entry.pulse.questions);
    let seen: Vec<String> = questions.map(shown_question).collect();
    let plain = |text: &String| text.replace(' ', "");
    if !wanted.iter().map(plain).eq(seen.iter().map(plain)) {
        let said = format!("the host is not asked {} then", listed(wanted));
        let label = format!("it is asked {}", listed(&seen));
        played.mistakes.push(Mistake::new("asked", place, said).label(label));
    }
}

fn listed(all: &[String]) -> String {
    if all.is_empty() { "nothing".into() } else { all.join(", ") }
}

/// State and view as they are once the step is done.
fn afterwards(session: &mut Session, stated: &Stated, played: &mut PlayedStep) {
    for (path, wanted) in &stated.state {
        match session.get(&super::read::normal(&path.value)) {
            Ok(value) if fits(&wanted.value, &value) => {}
            Ok(value) => {
                let said = format!("`{}` is not {}", path.value, wanted.value);
                let mut mistake = Mistake::new("state", &wanted.place, said);
                let declared = session.runtime().declared_at(&super::read::normal(&path.value));
                if let Some((component, location)) = declared {
                    let at = Origin::new(&component, location);
                    mistake = mistake.advice(format!("it was declared at {at}"));
                }
                played.mistakes.push(mistake.label(format!("it is {value}")));
            }
            Err(error) => played.mistakes.push(host_mistake(error, path, &wanted.place)),
        }
    }
    for see in &stated.see {
        played.mistakes.extend(sight(session, see));
    }
}

fn sight(
    session: &Session,
    At { value: Sight { at, must }, place }: &At<Sight>,
) -> Option<Mistake> {
    let tree = session.tree();
    let found = match tree.select(&at.value) {
        Ok(found) => found,
        Err(error) => return Some(Mistake::new("bad-selector", &at.place, error.to_string())),
    };
    // Nothing there is what some statements are about.
    let may_be_none = must.iter().all(|must| matches!(must, Must::Count(_) | Must::Visible(false)));
    if found.is_empty() && !may_be_none {
        return Some(nothing_matches(tree, at));
    }
    let first = found.first().copied();
    must.iter().find_map(|must| {
        let seen = wrong(tree, first, found.len(), must)?;
        let said = format!("`{}` is not as stated: {}", at.value, wanted(must));
        let mistake = Mistake::new("not-in-view", place, said).label(seen);
        Some(bound_there(session, first).into_iter().fold(mistake, Mistake::advice))
    })
}

/// Where the bindings and listeners of an element, or else of the nearest one around it that has some,
/// were written.
fn bound_there(session: &Session, element: Option<NodeId>) -> Vec<String> {
    let tree = session.tree();
    let rows = crate::outline::outline(session.runtime());
    let sources: Vec<_> = rows.into_iter().filter_map(|row| row.source).collect();
    let around = std::iter::successors(element, |id| tree.parent(*id));
    let mut of_each = around.map(|id| {
        let own = |node: Option<u32>| {
            let node = node.and_then(|number| tree.numbered(number));
            node == Some(id)
                || node.and_then(|node| tree.parent(node)) == Some(id)
                    && node.is_some_and(|n| tree.text(n).is_some())
        };
        let here = sources.iter().filter(|source| own(source.node));
        let said = here.map(|source| {
            let at = Origin::new(&source.component, source.location);
            format!("`{}` was written at {at}", source.address)
        });
        said.take(4).collect::<Vec<_>>()
    });
    of_each.find(|said| !said.is_empty()).unwrap_or_default()
}

/// What must hold, in words.
fn wanted(must: &Must) -> String {
    match must {
        Must::Text(text) => format!("its text is {text:?}"),
        Must::Includes(text) => format!("its text includes {text:?}"),
        Must::Count(count) => format!("there are {count}"),
        Must::Html(html) => format!("its content is {html:?}"),
        Must::Focus(on) => format!("it has {} focus", if *on { "the" } else { "no" }),
        Must::Visible(on) => format!("it is {}", if *on { "visible" } else { "not visible" }),
        Must::Holds(text) => format!("it holds {text:?}"),
        Must::Ticked(on) => format!("it is {}", if *on { "ticked" } else { "not ticked" }),
        Must::Disabled(on) => format!("it is {}", if *on { "disabled" } else { "not disabled" }),
        Must::Attribute(name, value) => format!("its {name} is {value}"),
    }
}

/// What is seen instead, where something does not hold.
fn wrong(tree: &Tree, first: Option<NodeId>, count: usize, must: &Must) -> Option<String> {
    let differs = |holds: bool, seen: String| (!holds).then_some(seen);
    if let Must::Count(wanted) = must {
        return differs(count == *wanted, format!("there are {count}"));
    }
    let id = first?;
    match must {
        Must::Count(_) => None,
        Must::Text(wanted) => {
            let (text, wanted) = (plain_text(&tree.text_content(id)), plain_text(wanted));
            differs(text == wanted, format!("its text is {text:?}"))
        }
        Must::Includes(wanted) => {
            let text = plain_text(&tree.text_content(id));
            differs(text.contains(&plain_text(wanted)), format!("its text is {text:?}"))
        }
        Must::Html(wanted) => {
            let inside: String =
                tree.children(id).iter().map(|child| tree.html_of(*child, Layout::Exact)).collect();
            differs(plain_text(&inside) == plain_text(wanted), format!("its content is {inside:?}"))
        }
        Must::Focus(on) => {
            let has = tree.focused();
            let seen = has.map_or("nothing has the focus".into(), |has| {
                format!("`{}` has the focus", tree.described(has))
            });
            differs((has == Some(id)) == *on, seen)
        }
        Must::Visible(on) => {
            let hidden = tree.hidden_by(id);
            let seen = hidden.map_or("it is visible".into(), |by| {
                format!("it is hidden, by `{}`", tree.described(by))
            });
            differs(hidden.is_none() == *on, seen)
        }
        Must::Holds(wanted) => {
            let held = tree.value(id).unwrap_or_default();
            differs(held == *wanted, format!("it holds {held:?}"))
        }
        Must::Ticked(on) => {
            let is = tree.flag(id, Property::Checked) || tree.flag(id, Property::Selected);
            differs(is == *on, format!("it is {}", if is { "ticked" } else { "not ticked" }))
        }
        Must::Disabled(on) => {
            let is = tree.is_disabled(id);
            differs(is == *on, format!("it is {}", if is { "disabled" } else { "not disabled" }))
        }
        Must::Attribute(name, wanted) => {
            let shown = match tree.attribute(id, name) {
                Some(value) => Shown::Text(value.into()),
                None => Shown::Absent,
            };
            differs(shows(&shown, wanted), format!("its {name} is {shown}"))
        }
    }
}

/// A text with its white space as one space each.
fn plain_text(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}
