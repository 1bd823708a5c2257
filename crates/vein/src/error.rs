//! Everything that can go wrong for a host.

use std::path::PathBuf;
use vein_check::Report;
use vein_plan::LoadError;
use vein_proof::NotExact;
use vein_runtime::{Fault, HostError};
use vein_view::{NotDispatched, SelectError};

/// What went wrong. Printed, it says where and what to do.
#[derive(Debug)]
#[non_exhaustive]
pub enum Error {
    /// A file or folder could not be read.
    Io {
        /// Which.
        path: PathBuf,
        /// Why.
        error: std::io::Error,
    },
    /// There is no component in a folder.
    NoComponents {
        /// The folder.
        path: PathBuf,
    },
    /// The components have errors. The report is ready to print.
    Check(Box<Report>),
    /// A scenario has mistakes, or does not hold. The report is ready to print.
    Scenario(Box<Report>),
    /// Bytes are not a plan that can be run.
    Load(LoadError),
    /// A component could not be opened, or state not read or written.
    Host(HostError),
    /// Data could not be turned into JSON or back.
    Data(serde_json::Error),
    /// A selector does not parse.
    Select(SelectError),
    /// A selector matches nothing.
    NotFound {
        /// The selector.
        selector: String,
        /// The page, for comparing.
        html: String,
    },
    /// A person could not do that in a browser.
    Refused(vein_proof::Refused),
    /// A browser would not dispatch this event to this element.
    NotDispatched(NotDispatched),
    /// The pulse was taken back.
    Failed(Fault),
    /// The pulse was not exact.
    NotExact(NotExact),
    /// An answer of the host does not fit its type. Whoever asked was told that it failed.
    WrongAnswer(String),
    /// There is no such language or time zone.
    #[cfg(feature = "locale")]
    Locale(vein_locale::UnknownLocale),
    /// A component gives no such event.
    UnknownEvent {
        /// What was asked for.
        name: String,
        /// Those that it gives.
        known: Vec<String>,
    },
    /// An event's payload does not fit the closure that hears it. The pulse stands.
    Payload {
        /// The event.
        event: String,
        /// Why.
        error: serde_json::Error,
    },
}

impl std::fmt::Display for Error {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Error::Io { path, error } => write!(f, "cannot read `{}`: {error}", path.display()),
            Error::NoComponents { path } => write!(
                f,
                "no `.vein` file in `{}`: put a component there, such as `my-card.vein`",
                path.display()
            ),
            Error::Check(report) | Error::Scenario(report) => write!(f, "{report}"),
            Error::Load(error) => write!(f, "{error}"),
            Error::Host(error) => write!(f, "{error}"),
            Error::Data(error) => write!(f, "the data cannot be used: {error}"),
            Error::Select(error) => write!(f, "{error}"),
            Error::NotFound { selector, html } => {
                write!(f, "nothing on the page matches `{selector}`; it holds:\n{html}")
            }
            Error::Refused(refused) => write!(f, "{refused}"),
            Error::NotDispatched(error) => write!(f, "{error}"),
            Error::Failed(fault) => write!(f, "the pulse was taken back: {fault}"),
            Error::NotExact(error) => write!(f, "{error}"),
            Error::WrongAnswer(misfit) => f.write_str(misfit),
            #[cfg(feature = "locale")]
            Error::Locale(error) => write!(f, "{error}"),
            Error::UnknownEvent { name, known } => {
                write!(f, "the component gives no event `{name}`")?;
                match known.as_slice() {
                    [] => write!(f, "; it gives none"),
                    known => write!(f, "; it gives {}", known.join(", ")),
                }
            }
            Error::Payload { event, error } => {
                write!(f, "the payload of `{event}` does not fit who hears it: {error}")
            }
        }
    }
}

impl std::error::Error for Error {}

macro_rules! from {
    ($($variant:ident($error:ty);)*) => {
        $(impl From<$error> for Error {
            fn from(error: $error) -> Self {
                Error::$variant(error)
            }
        })*
    };
}

from! {
    Load(LoadError);
    Host(HostError);
    Data(serde_json::Error);
    Select(SelectError);
    NotDispatched(NotDispatched);
    Refused(vein_proof::Refused);
    NotExact(NotExact);
}

#[cfg(feature = "locale")]
impl From<vein_locale::UnknownLocale> for Error {
    fn from(error: vein_locale::UnknownLocale) -> Self {
        Error::Locale(error)
    }
}
