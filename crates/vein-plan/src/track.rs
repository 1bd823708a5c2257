//! What an evaluation read: paths into cells, and how much of what stands there.

use crate::code::CellId;
use crate::value::{Name, Step, Value};
use std::sync::Arc;

/// How much of a value was read. A reader is woken only when that much has changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Extent {
    /// All of it.
    Whole,
    /// How many items it has.
    Length,
    /// Whether it is `null`.
    Presence,
    /// Whether the position in a list is there at all, whatever stands in it.
    Position,
}

impl Extent {
    /// Whether a reader of this much sees a difference between two values; a value that is
    /// not there is `null`.
    ///
    /// ```
    /// use vein_plan::{Extent, Value};
    /// let (a, b) = (Value::list(vec![1.0.into()]), Value::list(vec![2.0.into()]));
    /// assert!(Extent::Whole.differs(Some(&a), Some(&b)));
    /// assert!(!Extent::Length.differs(Some(&a), Some(&b)));
    /// ```
    pub fn differs(self, before: Option<&Value>, after: Option<&Value>) -> bool {
        if self == Extent::Position {
            return before.is_some() != after.is_some();
        }
        let (before, after) = (before.unwrap_or(&Value::Null), after.unwrap_or(&Value::Null));
        match self {
            Extent::Whole => !before.same(after),
            Extent::Length => {
                before.list_len() != after.list_len() || before.is_null() != after.is_null()
            }
            Extent::Presence | Extent::Position => before.is_null() != after.is_null(),
        }
    }
}

/// One read: which cell, which way into it, and how much of what is there.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Read {
    /// The cell.
    pub cell: CellId,
    /// The way into its value.
    pub path: Vec<Step>,
    /// How much was read.
    pub extent: Extent,
}

/// Where a value came from while it is passed about inside an expression. Nothing counts
/// as read until something looks at it.
pub trait Origin: Clone {
    /// Whether anything is followed at all.
    const FOLLOWS: bool;
    /// The value of a cell.
    fn cell(cell: CellId) -> Self;
    /// A value made by the expression itself.
    fn made() -> Self;
    /// A field of a value.
    fn field(&self, name: &Name) -> Self;
    /// An item of a list.
    fn item(&self, index: usize) -> Self;
    /// A list whose items came from several places.
    fn gathered(items: Vec<Self>) -> Self;
    /// Notes that this much of the value was looked at.
    fn look(&self, value: &Value, extent: Extent, log: &mut Vec<Read>);
}

/// Follows nothing: for evaluations whose reads are known without running them.
impl Origin for () {
    const FOLLOWS: bool = false;
    fn cell(_: CellId) -> Self {}
    fn made() -> Self {}
    fn field(&self, _: &Name) -> Self {}
    fn item(&self, _: usize) -> Self {}
    fn gathered(_: Vec<Self>) -> Self {}
    fn look(&self, _: &Value, _: Extent, _: &mut Vec<Read>) {}
}

/// Follows every value to where it came from.
#[derive(Clone, Debug)]
pub enum Tracked {
    /// Made by the expression.
    Made,
    /// The value of a cell.
    Cell(CellId),
    /// Stands inside of something.
    Inside(Arc<(Tracked, Step)>),
    /// A list whose items stand in different places.
    Gathered(Arc<[Tracked]>),
}

impl Tracked {
    /// The cell and the way into it, for what stands in one.
    pub fn place(&self) -> Option<(CellId, Vec<Step>)> {
        let (mut depth, mut at) = (0, self);
        while let Tracked::Inside(inside) = at {
            (depth, at) = (depth + 1, &inside.0);
        }
        let Tracked::Cell(cell) = at else { return None };
        let mut path = Vec::with_capacity(depth);
        at = self;
        while let Tracked::Inside(inside) = at {
            path.push(inside.1.clone());
            at = &inside.0;
        }
        path.reverse();
        Some((*cell, path))
    }

    fn step(&self, step: Step) -> Tracked {
        match self {
            Tracked::Cell(_) | Tracked::Inside(_) => {
                Tracked::Inside(Arc::new((self.clone(), step)))
            }
            _ => Tracked::Made,
        }
    }
}

impl Origin for Tracked {
    const FOLLOWS: bool = true;

    fn cell(cell: CellId) -> Self {
        Tracked::Cell(cell)
    }

    fn made() -> Self {
        Tracked::Made
    }

    fn field(&self, name: &Name) -> Self {
        self.step(Step::Field(name.clone()))
    }

    fn item(&self, index: usize) -> Self {
        match self {
            Tracked::Gathered(items) => items.get(index).cloned().unwrap_or(Tracked::Made),
            _ => self.step(Step::Index(index as u32)),
        }
    }

    fn gathered(items: Vec<Self>) -> Self {
        Tracked::Gathered(items.into())
    }

    fn look(&self, value: &Value, extent: Extent, log: &mut Vec<Read>) {
        match (self, value) {
            (Tracked::Made, _) => {}
            (Tracked::Cell(_) | Tracked::Inside(_), _) => {
                log.extend(self.place().map(|(cell, path)| Read { cell, path, extent }));
            }
            // How many items were kept was already decided by reads that were noted then.
            (Tracked::Gathered(items), Value::List(values)) if extent == Extent::Whole => {
                for (item, value) in items.iter().zip(values.iter()) {
                    item.look(value, Extent::Whole, log);
                }
            }
            (Tracked::Gathered(_), _) => {}
        }
    }
}
