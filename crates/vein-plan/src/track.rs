//! What an evaluation read: paths into cells, and how much of what stands there.

use crate::code::{CellId, NameId};
use crate::value::{Name, Step, Value};
use smallvec::SmallVec;
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
    /// Whether the position in a list, or the key in a dictionary, is there at all, whatever stands in it.
    Position,
    /// Which keys a dictionary has, and in which order.
    Keys,
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
            Extent::Keys => match (before, after) {
                (Value::Record(before), Value::Record(after)) => !before.has_names_of(after),
                (before, after) => before.is_null() != after.is_null(),
            },
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

/// One step of a way while it is followed: it costs next to nothing to copy.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Hop {
    /// A field, by its name's place in the program's table.
    Field(NameId),
    /// A position.
    Item(u32),
    /// An entry of a dictionary, by its key.
    Key(Name),
}

impl Hop {
    fn step(&self, names: &[Name]) -> Step {
        match self {
            Hop::Field(name) => Step::Field(names[*name as usize].clone()),
            Hop::Item(at) => Step::Index(*at),
            Hop::Key(key) => Step::Field(key.clone()),
        }
    }

    fn is(&self, step: &Step, names: &[Name]) -> bool {
        match (self, step) {
            (Hop::Field(name), Step::Field(known)) => {
                let name = &names[*name as usize];
                Arc::ptr_eq(name, known) || name == known
            }
            (Hop::Item(at), Step::Index(known)) => at == known,
            (Hop::Key(key), Step::Field(known)) => key == known,
            _ => false,
        }
    }
}

/// A way into a cell's value.
pub type Way = SmallVec<[Hop; 3]>;

/// A read as it is noted while an evaluation runs.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Noted {
    /// The cell.
    pub cell: CellId,
    /// The way into its value.
    pub way: Way,
    /// How much was read.
    pub extent: Extent,
}

impl Noted {
    /// The read, with the names that the program's table has.
    pub fn read(&self, names: &[Name]) -> Read {
        let path = self.way.iter().map(|hop| hop.step(names)).collect();
        Read { cell: self.cell, path, extent: self.extent }
    }

    /// Whether it is this read.
    ///
    /// ```
    /// use vein_plan::track::{Extent, Hop, Noted};
    /// use vein_plan::Name;
    /// let names: [Name; 2] = ["id".into(), "crop".into()];
    /// let way = [Hop::Item(3), Hop::Field(1)].into_iter().collect();
    /// let noted = Noted { cell: 0, way, extent: Extent::Whole };
    /// assert_eq!(noted.read(&names).path[1].to_string(), ".crop");
    /// assert!(noted.is(&noted.read(&names), &names));
    /// ```
    pub fn is(&self, read: &Read, names: &[Name]) -> bool {
        (self.cell, self.extent, self.way.len()) == (read.cell, read.extent, read.path.len())
            && self.way.iter().zip(&read.path).all(|(hop, step)| hop.is(step, names))
    }
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
    fn field(&self, name: NameId) -> Self;
    /// An item of a list.
    fn item(&self, index: usize) -> Self;
    /// An entry of a dictionary.
    fn entry(&self, key: &Name) -> Self;
    /// A list whose items came from several places.
    fn gathered(items: Vec<Self>) -> Self;
    /// Notes that this much of the value was looked at.
    fn look(&self, value: &Value, extent: Extent, log: &mut Vec<Noted>);
}

/// Follows nothing: for evaluations whose reads are known without running them.
impl Origin for () {
    const FOLLOWS: bool = false;
    fn cell(_: CellId) -> Self {}
    fn made() -> Self {}
    fn field(&self, _: NameId) -> Self {}
    fn item(&self, _: usize) -> Self {}
    fn entry(&self, _: &Name) -> Self {}
    fn gathered(_: Vec<Self>) -> Self {}
    fn look(&self, _: &Value, _: Extent, _: &mut Vec<Noted>) {}
}

/// Follows every value to where it came from.
#[derive(Clone, Debug)]
pub enum Tracked {
    /// Made by the expression.
    Made,
    /// Stands in a cell.
    Placed(CellId, Way),
    /// A list whose items stand in different places.
    Gathered(Arc<[Tracked]>),
}

impl Tracked {
    /// The cell and the way into it, for what stands in one.
    pub fn place(&self, names: &[Name]) -> Option<(CellId, Vec<Step>)> {
        let Tracked::Placed(cell, way) = self else { return None };
        Some((*cell, way.iter().map(|hop| hop.step(names)).collect()))
    }

    fn step(&self, hop: Hop) -> Tracked {
        match self {
            Tracked::Placed(cell, way) => {
                let mut way = way.clone();
                way.push(hop);
                Tracked::Placed(*cell, way)
            }
            _ => Tracked::Made,
        }
    }
}

impl Origin for Tracked {
    const FOLLOWS: bool = true;

    fn cell(cell: CellId) -> Self {
        Tracked::Placed(cell, Way::new())
    }

    fn made() -> Self {
        Tracked::Made
    }

    fn field(&self, name: NameId) -> Self {
        self.step(Hop::Field(name))
    }

    fn item(&self, index: usize) -> Self {
        match self {
            Tracked::Gathered(items) => items.get(index).cloned().unwrap_or(Tracked::Made),
            _ => self.step(Hop::Item(index as u32)),
        }
    }

    fn entry(&self, key: &Name) -> Self {
        self.step(Hop::Key(key.clone()))
    }

    fn gathered(items: Vec<Self>) -> Self {
        Tracked::Gathered(items.into())
    }

    fn look(&self, value: &Value, extent: Extent, log: &mut Vec<Noted>) {
        match (self, value) {
            (Tracked::Made, _) => {}
            (Tracked::Placed(cell, way), _) => {
                log.push(Noted { cell: *cell, way: way.clone(), extent });
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
