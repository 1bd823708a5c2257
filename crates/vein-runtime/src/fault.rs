//! What can go wrong while a pulse runs. Whatever it is, the pulse is taken back.

use vein_plan::budget::Resource;

/// Why a pulse was taken back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Fault {
    /// A write to an item or field that is not there.
    NoSuchPlace {
        /// The way to it.
        path: String,
    },
    /// Handlers that call each other without end.
    HandlersTooDeep {
        /// The handler that was called last.
        handler: String,
    },
    /// Functions that are called while too many calls of them are under way.
    CallsTooDeep {
        /// The function that was called last.
        function: String,
    },
    /// A value that would be nested deeper than what can be told of, compared and let go.
    TooDeep {
        /// Where it was to go.
        path: String,
    },
    /// More than a pulse may use up of its page's [`Budget`](vein_plan::Budget).
    OverBudget {
        /// What there was not enough of.
        what: Resource,
        /// How much there was.
        most: u64,
        /// What was being worked out by then; nothing where that is not known.
        at: String,
    },
    /// What runs by itself wakes itself again and again.
    NoEnd {
        /// Each that runs on the way round, with what it wrote.
        circle: Vec<(String, Vec<String>)>,
    },
    /// The host could not answer.
    Host {
        /// The function.
        function: String,
        /// Why.
        reason: String,
    },
}

pub use vein_plan::value::DEEPEST_VALUE;

/// How deep handlers may call each other within a pulse.
pub const DEEPEST_CALLS: usize = 64;
/// How many times what runs by itself may wake more that runs by itself within a pulse.
pub const MOST_ROUNDS: usize = 100;
/// How many times within a pulse components may be added because others were.
pub(crate) const FREE_GENERATIONS: usize = 2;
/// How many components may be added after that.
pub const MOST_ADDED: usize = 1_000;

impl std::fmt::Display for Fault {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Fault::NoSuchPlace { path } => {
                write!(f, "there is nothing at `{path}` to write to: check the position first")
            }
            Fault::HandlersTooDeep { handler } => write!(
                f,
                "`{handler}` was called while {DEEPEST_CALLS} other calls were under way: the \
                 handlers call each other in a circle"
            ),
            Fault::CallsTooDeep { function } => write!(
                f,
                "calls of `{function}` stand too deep inside each other: have it come to an end, or go over a list"
            ),
            Fault::TooDeep { path } => write!(
                f,
                "what goes to `{path}` is nested deeper than {DEEPEST_VALUE}: keep it in a list, and say of each \
                 which belongs to which"
            ),
            Fault::OverBudget { what, most, at } => {
                let of = match what {
                    Resource::Steps => "steps",
                    Resource::Bytes => "bytes of values",
                    Resource::Nodes => "nodes, rows and components",
                };
                if !at.is_empty() {
                    write!(f, "`{at}`: ")?;
                }
                let (most, name) = (grouped(*most), what.name());
                write!(
                    f,
                    "here the pulse came to more than {most} {of} (`budget.{name}`): have it do less, or \
                     allow it more"
                )
            }
            Fault::NoEnd { circle } if circle.is_empty() => {
                f.write_str("components are added without end")
            }
            Fault::NoEnd { circle } => {
                write!(f, "what runs by itself came to no end: ")?;
                for (name, wrote) in circle {
                    let wrote = if wrote.is_empty() { "nothing".into() } else { wrote.join(", ") };
                    write!(f, "`{name}` wrote {wrote} → ")?;
                }
                let first = circle.first().map_or("", |(name, _)| name.as_str());
                write!(f, "`{first}` again; let it write only what is not so yet")
            }
            Fault::Host { function, reason } => {
                write!(f, "the host could not answer `{function}`: {reason}")
            }
        }
    }
}

impl std::error::Error for Fault {}

/// A number with its digits in threes.
fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let first = digits.len() % 3;
    let mut all = digits[..first].to_owned();
    for at in (first..digits.len()).step_by(3) {
        if !all.is_empty() {
            all.push(',');
        }
        all.push_str(&digits[at..at + 3]);
    }
    all
}
