//! What a step did: the parts that changed over all of its pulses, each with where it was written.

use crate::ledger::Entry;
use crate::session::Session;
use vein_plan::{Location, PartKind, Program, SpotKind};
use vein_runtime::{Effect, Owner, Pulse, Ran, Which};
use vein_view::NodeId;

/// Where something was written.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Origin {
    /// The component.
    pub component: String,
    /// Where in its file.
    pub line: u32,
    /// As above; both count from one.
    pub column: u32,
}

impl Origin {
    pub(crate) fn new(component: &str, location: Location) -> Origin {
        Origin { component: component.to_owned(), line: location.line, column: location.column }
    }
}

/// `bed-card.vein:12:3`
impl std::fmt::Display for Origin {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}.vein:{}:{}", self.component, self.line, self.column)
    }
}

/// A part that changed.
#[derive(Clone, Debug)]
pub struct SeenPart {
    /// Its address, as the ledger writes it.
    pub address: String,
    /// What of its element it is: `text`, `class`, `value`, `branch`, `list`.
    pub what: String,
    /// What changed, from before the step to after it.
    pub effect: Effect,
    /// The chain of what led to it, nearest first: derived values, then state.
    pub because: Vec<String>,
    /// Where it was written.
    pub origin: Origin,
    /// The element that it belongs to.
    pub element: Option<NodeId>,
}

/// Statements that ran, with where they were written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SeenRun {
    /// What they are called: `button click`, `pour()`.
    pub name: String,
    /// Where they were written.
    pub origin: Origin,
}

/// What a step did.
#[derive(Clone, Debug, Default)]
pub struct SeenStep {
    /// Its pulses.
    pub entries: Vec<Entry>,
    /// The parts that changed, in the order in which they did first.
    pub parts: Vec<SeenPart>,
    /// The statements that ran, each once.
    pub ran: Vec<SeenRun>,
}

impl SeenStep {
    /// Adds a pulse, as long as the page is as the pulse has left it.
    pub(crate) fn add(&mut self, session: &Session, entry: Entry) {
        let runtime = session.runtime();
        for part in &entry.pulse.parts {
            let seen = seen_part(session, &entry.pulse, part);
            match self.parts.iter_mut().find(|known| known.address == seen.address) {
                Some(known) => {
                    known.effect = followed(&known.effect, &seen.effect);
                    let new = seen.because.into_iter().filter(|one| !known.because.contains(one));
                    known.because.extend(new.collect::<Vec<_>>());
                }
                None => self.parts.push(seen),
            }
        }
        for ran in &entry.pulse.ran {
            let ran = seen_run(runtime.program(), ran);
            if !self.ran.contains(&ran) {
                self.ran.push(ran);
            }
        }
        self.entries.push(entry);
    }
}

/// One change after another of the same part.
fn followed(first: &Effect, then: &Effect) -> Effect {
    match (first, then) {
        (Effect::Value { from, .. }, Effect::Value { to, .. }) => {
            Effect::Value { from: from.clone(), to: to.clone() }
        }
        (Effect::Branch { from, .. }, Effect::Branch { to, .. }) => {
            Effect::Branch { from: from.clone(), to: to.clone() }
        }
        (
            Effect::List { added: a, removed: b, moved: c },
            Effect::List { added, removed, moved },
        ) => Effect::List { added: a + added, removed: b + removed, moved: c + moved },
        (_, then) => then.clone(),
    }
}

fn seen_part(session: &Session, pulse: &Pulse, part: &vein_runtime::PartChange) -> SeenPart {
    let program = session.runtime().program();
    let plan = &program.plans[part.plan as usize];
    let block = &plan.blocks[part.block as usize];
    let tree = session.tree();
    let node = tree.numbered(part.node);
    let (what, location, element) = match part.place.which {
        Which::Part(number) => {
            let part = &block.parts[number as usize];
            let is_text = matches!(part.kind, PartKind::Text);
            let element = if is_text { node.and_then(|node| tree.parent(node)) } else { node };
            (part_word(&part.kind).to_owned(), part.location, element)
        }
        Which::Spot(number) => {
            let spot = &block.spots[number as usize];
            (spot_word(&spot.kind).to_owned(), spot.location, node)
        }
    };
    SeenPart {
        address: shown_address(pulse, &part.address),
        what,
        effect: part.effect.clone(),
        because: chain(pulse, &part.because),
        origin: Origin::new(&plan.name, location),
        element,
    }
}

/// How the ledger writes an address: the page's own component in front of what is its own.
fn shown_address(pulse: &Pulse, address: &str) -> String {
    match address.contains(" › ") {
        true => address.to_owned(),
        false => format!("{} › {address}", pulse.component),
    }
}

/// What led to something, nearest first, each once.
fn chain(pulse: &Pulse, because: &[usize]) -> Vec<String> {
    let mut found = Vec::new();
    let mut open: Vec<usize> = because.to_vec();
    let mut at = 0;
    while let Some(number) = open.get(at).copied() {
        at += 1;
        let Some(change) = pulse.values.get(number) else { continue };
        if !found.contains(&change.path) {
            found.push(change.path.clone());
        }
        open.extend(
            change.because.iter().filter(|next| !open.contains(next)).copied().collect::<Vec<_>>(),
        );
    }
    found
}

/// What a part of an element is called.
pub(crate) fn part_word(kind: &PartKind) -> &str {
    match kind {
        PartKind::Text => "text",
        PartKind::Attribute(name, _) => name,
        PartKind::Property(property) => property.name(),
    }
}

pub(crate) fn spot_word(kind: &SpotKind) -> &'static str {
    match kind {
        SpotKind::Branch { .. } => "branch",
        SpotKind::List { .. } => "list",
        SpotKind::Renamed { .. } => "tag",
        SpotKind::Markup { .. } => "html",
        SpotKind::Component(_) => "component",
        SpotKind::Slot { .. } => "slot",
    }
}

/// What statements are called, and where they were written.
pub(crate) fn seen_run(program: &Program, ran: &Ran) -> SeenRun {
    let plan = &program.plans[ran.plan as usize];
    let block = &plan.blocks.get(ran.block as usize);
    let (name, location) = match ran.owner {
        Owner::Handler(number) => {
            let handler = &plan.handlers[number as usize];
            (format!("{}()", handler.name), handler.location)
        }
        Owner::Hook(number) => {
            let hook = &plan.hooks[number as usize];
            (hook.address.to_string(), hook.location)
        }
        Owner::Listener(number) => {
            let listener = block.and_then(|block| block.listeners.get(number as usize));
            listener.map_or((String::new(), Location::default()), |listener| {
                (listener.address.to_string(), listener.location)
            })
        }
        Owner::Heard(spot, number) => {
            let spot = block.and_then(|block| block.spots.get(spot as usize));
            let heard = match spot.map(|spot| &spot.kind) {
                Some(SpotKind::Component(used)) => used.events.get(number as usize),
                _ => None,
            };
            heard.map_or((String::new(), Location::default()), |heard| {
                (heard.address.to_string(), heard.location)
            })
        }
    };
    SeenRun { name, origin: Origin::new(&plan.name, location) }
}
