//! Component templates bound to state, with a proof for every change of the view.
//!
//! A component is one `.vein` file. [`Ui`] checks a folder of them; [`Ui::open`] puts one on a
//! page in memory; every event and every write of the host is a [`Pulse`], which says what it
//! changed, why, and whether exactly the right parts of the view changed.
//!
//! ```
//! use serde_json::json;
//! let ui = vein::Ui::from_sources([("bed-card.vein", "
//! takes crop: string
//! holds litres = 0
//! gives water(litres: number)
//!
//! <article>
//!   <h3>{crop}</h3>
//!   <p>{litres} l</p>
//!   <button click='-> litres += 2.5; give water(litres)'>Water</button>
//! </article>
//! ")])?;
//!
//! let mut page = ui.open("bed-card", json!({ "crop": "Ruby chard" }))?;
//! let pulse = page.find("button")?.click()?;
//! pulse.assert_exact()?;
//! assert_eq!(pulse.changed(), ["bed-card › p text"]);
//! assert_eq!(page.find("p")?.text(), "2.5 l");
//! assert_eq!(page.get::<f64>("litres")?, 2.5);
//! # Ok::<(), vein::Error>(())
//! ```

mod assert;
mod driven;
mod error;
mod files;
mod history;
mod opening;
mod page;
mod prove;
mod subscription;
mod ui;

#[doc(hidden)]
pub use assert::changed_as;
pub use driven::Remote;
pub use error::Error;
pub use files::{read_file, read_text};
pub use history::History;
pub use opening::{Function, PageBuilder};
pub use page::{Answered, FoundElement, Page, Renewed};
pub use prove::{SCENARIO_ENDING, ScenarioFile, prove_file, report, same_scenarios, scenarios_in};
pub use subscription::Subscription;
pub use ui::{Ui, sources_in};
/// ```
/// vein::scenarios!("examples/components");
/// ```
pub use vein_macros::scenarios;

pub use vein_check::{ActionReach, PartReach, PathReach, ReachMap};
pub use vein_check::{
    Checked, Diagnostic, Fix, RULES, Report, Rule, Severity, Source, Workspace, check, nearest,
};
pub use vein_plan::budget::{Budget, Resource};
pub use vein_plan::json;
pub use vein_plan::text::visible;
pub use vein_plan::to_json;
pub use vein_plan::{
    EventField, LoadError, Location, Misfit, Namespace, Property, Shown, Step, Value,
};
pub use vein_proof::coverage::Kind as CoverageKind;
pub use vein_proof::outline::outline;
pub use vein_proof::person::{modifiers_of, option_of, why_not};
pub use vein_proof::{
    Act, Coverage, Mistake, Mutant, Played, PlayedStep, Player, Scenario, scenario,
};
pub use vein_proof::{Entry as Pulse, NotExact, Refused, Row, RowSource, Session, Verdict};
pub use vein_runtime::{
    Cause, Delivery, Difference, Dropped, Effect, Fault, Given, HostError, Layer, Lost, PartChange,
    Problem, Question, QuestionId, Resources, ValueChange,
};
#[doc(hidden)]
pub use vein_view::cleaning_rules;
pub use vein_view::{
    Batch, Event, Layout, Mates, NodeId, NotDispatched, Patch, Restored, Tree, Typing, Validity,
};

/// Compiled components as tables, for tools.
pub mod program {
    pub use vein_plan::{
        Answers, Asked, Block, Cell, CellKind, Name, Plan, Program, Shape, SpotKind, TemplateNode,
        Type, TypeId,
    };
}

/// The expression language's standard members, for documentation and tools.
pub use vein_plan::members;

/// The patch protocol's version.
pub use vein_view::patch::VERSION as PATCH_VERSION;

/// The host's guide runs.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/rust.md")]
struct HostGuide;

/// The README's Rust code compiles.
#[cfg(doctest)]
#[doc = include_str!("../../../README.md")]
struct Readme;
