//! What can go wrong while a pulse runs. Whatever it is, the pulse is taken back.

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
    /// More statements than any handler needs.
    TooManyStatements,
}

/// How deep handlers may call each other within a pulse.
pub const DEEPEST_CALLS: usize = 64;
/// How many statements a pulse may run.
pub const MOST_STATEMENTS: u64 = 20_000_000;

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
            Fault::TooManyStatements => {
                write!(f, "the handler ran more than {MOST_STATEMENTS} statements")
            }
        }
    }
}

impl std::error::Error for Fault {}
