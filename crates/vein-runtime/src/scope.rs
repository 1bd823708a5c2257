//! Scopes: blocks at work. A component's own markup, an alternative, a row, what stands in a
//! slot — each has a scope of its own, and with it goes everything that belongs to it.

use crate::graph::Upkeep;
use crate::wakes::{KnownId, Reader};
use compact_str::CompactString;
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use std::sync::Arc;
use vein_plan::code::{CellId, ExprId};
use vein_plan::{BlockId, Read, Shown, Step, TemplateNode, Text, Value};
use vein_view::NodeNumber;

/// A scope's place in the table of scopes.
pub type ScopeId = u32;

/// Where a scope stands in the order in which things are looked at: outer ones before inner ones, of one depth as they
/// were added.
pub(crate) type Rank = (u32, u64, ScopeId);

/// No scope.
pub(crate) const NONE: ScopeId = ScopeId::MAX;

/// Where the value of a cell is.
#[derive(Clone, Debug)]
pub(crate) enum Slot {
    /// Here.
    Own(Value),
    /// Where the giver has it; nothing is copied.
    Alias { scope: ScopeId, cell: CellId, path: Arc<[Step]> },
    /// Worked out in a scope: the cell's own, or the giver's.
    Derived {
        value: Value,
        scope: ScopeId,
        expr: ExprId,
        known: KnownId,
        /// How it came about, where it is kept up.
        upkeep: Option<Box<Upkeep>>,
    },
    /// In the list of the loop.
    Item,
    /// The position there.
    Position,
}

/// Whether a reader is up to date.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Mark {
    /// Up to date.
    Fresh,
    /// Something that it read is perhaps not up to date.
    Perhaps,
    /// Something that it read was written.
    Stale,
    /// It was never evaluated.
    New,
}

/// A derived value, a spot or a part, as far as being up to date goes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ReaderState {
    pub(crate) mark: Mark,
    /// Whether it was stale before this pulse began.
    pub(crate) carried: bool,
    /// Whether of those that depend on it only some were told that it is perhaps another.
    pub(crate) half_told: bool,
    /// One more than its place among those touched in this pulse; zero for none.
    pub(crate) touched: u32,
}

impl ReaderState {
    pub(crate) const NEW: ReaderState =
        ReaderState { mark: Mark::New, carried: false, half_told: false, touched: 0 };
}

/// What tells an item apart.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Key {
    /// `null`
    Null,
    /// A boolean.
    Boolean(bool),
    /// A number, by its bits; all that are not numbers are one.
    Number(u64),
    /// A string.
    Text(Text),
}

impl Key {
    /// What a value is as an identity.
    pub fn of(value: &Value) -> Key {
        match value {
            Value::Null => Key::Null,
            Value::Boolean(b) => Key::Boolean(*b),
            Value::Number(n) if n.is_nan() => Key::Number(f64::NAN.to_bits()),
            // Nobody could tell the two zeros apart as identities.
            Value::Number(n) => Key::Number((*n + 0.0).to_bits()),
            Value::String(text) => Key::Text(text.clone()),
            other => Key::Text(other.to_text()),
        }
    }
}

impl std::fmt::Display for Key {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Key::Null => f.write_str("null"),
            Key::Boolean(b) => write!(f, "{b}"),
            Key::Number(bits) => {
                write!(f, "{}", vein_plan::number::to_text(f64::from_bits(*bits)))
            }
            Key::Text(text) => f.write_str(&vein_plan::text::visible(&text.to_utf8())),
        }
    }
}

/// A piece of a list in its new order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Piece {
    /// Rows that were there, from this position on.
    Kept { start: u32, len: u32 },
    /// Items without a row.
    Fresh { len: u32 },
}

impl Piece {
    pub(crate) fn len(self) -> u32 {
        match self {
            Piece::Kept { len, .. } | Piece::Fresh { len } => len,
        }
    }
}

/// Rows whose items are gone from the list, by what told them apart.
pub(crate) type Gone = FxHashMap<Key, SmallVec<[(u32, Value); 1]>>;

/// The rows of a list.
#[derive(Debug, Default)]
pub(crate) struct Rows {
    /// In the order of the view.
    pub(crate) rows: Vec<ScopeId>,
    /// How many items each identity has; empty where position is identity.
    pub(crate) keys: FxHashMap<Key, u32>,
    /// What the list has become, while the view is not yet so.
    pub(crate) pieces: Option<Vec<Piece>>,
    /// Rows whose items were taken out, by their positions in `rows`.
    pub(crate) gone: Gone,
}

/// What stands in a spot.
#[derive(Debug)]
pub(crate) enum Held {
    Nothing,
    Branch {
        chosen: u32,
        scope: ScopeId,
    },
    List(Box<Rows>),
    Component {
        instance: ScopeId,
        contents: SmallVec<[ScopeId; 1]>,
    },
    /// What stands there, and the cell of the content for each value that is handed back.
    Slot {
        scope: ScopeId,
        cells: SmallVec<[Option<CellId>; 2]>,
    },
    Renamed {
        tag: &'static str,
        scope: ScopeId,
    },
    Markup {
        html: CompactString,
        cleaned: Vec<TemplateNode>,
        nodes: SmallVec<[NodeNumber; 2]>,
    },
}

/// What waits for the clock or the host on behalf of a scope, and ends with it.
#[derive(Debug, Default)]
pub(crate) struct Wards {
    /// For each source: the question that is open or followed, and what was asked with.
    pub(crate) sources: Vec<Option<(QuestionId, Value)>>,
    /// For each hook: the timer that runs, and its period.
    pub(crate) timers: Vec<Option<(TimerKey, f64)>>,
    /// Statements that wait for answers.
    pub(crate) waiting: SmallVec<[QuestionId; 1]>,
    /// Events that wait for quiet, by their listeners.
    pub(crate) settling: SmallVec<[(u32, TimerKey); 1]>,
    /// Listeners that were to happen once and have.
    pub(crate) spent: SmallVec<[u32; 4]>,
}

/// What a question to the host is called.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct QuestionId(pub u64);

/// A timer's place in the order of time: when it is due, and the order in which timers of one
/// time were set.
pub(crate) type TimerKey = (Millis, u64);

/// A time of the host's clock, in milliseconds from zero on, in an order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Millis(u64);

impl Millis {
    /// Times before zero and what is no number count as zero. The bits of the others are in the
    /// order of what they mean (IEEE 754).
    pub(crate) fn new(ms: f64) -> Millis {
        Millis(if ms > 0.0 { ms.to_bits() } else { 0 })
    }

    pub(crate) fn get(self) -> f64 {
        f64::from_bits(self.0)
    }
}

/// A block at work.
#[derive(Debug)]
pub(crate) struct Scope {
    pub(crate) plan: u32,
    pub(crate) block: BlockId,
    /// The scope whose cells this one sees too.
    pub(crate) parent: ScopeId,
    /// The scope of the component that the block was written in.
    pub(crate) instance: ScopeId,
    /// The scope and the spot where it stands.
    pub(crate) holder: (ScopeId, u32),
    /// Its position in the list when it was last looked for.
    pub(crate) position: u32,
    /// How many scopes it stands in.
    pub(crate) depth: u32,
    /// Where it stands in the order in which scopes were added to the page.
    pub(crate) serial: u64,
    /// The number of its first marked node.
    pub(crate) first: NodeNumber,
    pub(crate) alive: bool,
    /// Whether what stands in its spots has been worked out.
    pub(crate) grown: bool,
    /// Whether its nodes stand in the view.
    pub(crate) standing: bool,
    /// How often the same ended here and began anew within one pulse.
    pub(crate) life: u32,
    /// For a component: whether it was told that it was added.
    pub(crate) begun: bool,
    /// For a component: its place among the users of each store that it uses.
    pub(crate) used_at: SmallVec<[u32; 1]>,
    /// What waits for the clock or the host on behalf of this scope.
    pub(crate) wards: Option<Box<Wards>>,
    /// What tells a row apart from others of its list; it is the same for as long as the row is.
    pub(crate) key: Key,
    /// The item, once it is gone from the list.
    pub(crate) gone: Option<Value>,
    pub(crate) cells: Box<[Slot]>,
    pub(crate) readers: Box<[ReaderState]>,
    pub(crate) shown: Box<[Shown]>,
    pub(crate) held: Box<[Held]>,
    /// What readers read when they were last evaluated, where that differs from run to run.
    pub(crate) traces: FxHashMap<Reader, Arc<[Read]>>,
    /// The parts whose controls hold what means no value.
    pub(crate) invalid: SmallVec<[u32; 1]>,
}
