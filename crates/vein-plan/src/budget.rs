//! What a pulse may cost: steps, bytes and nodes, so that nothing that somebody wrote or sent costs more than its own page.

/// What one pulse may use up. One that would use more is taken back, and says where it was.
///
/// ```
/// use vein_plan::budget::{Budget, Resource, Spent};
/// let budget = Budget { steps: 10, ..Budget::default() };
/// let mut spent = Spent::default();
/// assert_eq!(spent.add(&budget, 10, 0, 0), Ok(()));
/// assert_eq!(spent.add(&budget, 1, 0, 0), Err(Resource::Steps));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Budget {
    /// Statements, rounds of loops, calls of arrow functions, comparisons of sorting, and what standard members go
    /// over: sixteen items or sixty-four characters for one.
    pub steps: u64,
    /// Bytes of the values that are made, as texts, lists and records hold them, and of what is noted to take
    /// writes back. What is let go again within the pulse counts, too.
    pub bytes: u64,
    /// Nodes that are made for the view, with eight more for each block, row and component: so much it takes to know of it.
    pub nodes: u64,
}

impl Default for Budget {
    fn default() -> Budget {
        Budget { steps: 10_000_000, bytes: 512 << 20, nodes: 4_000_000 }
    }
}

impl Budget {
    /// Without end: for whoever works out again what was within a budget.
    pub const ENDLESS: Budget = Budget { steps: u64::MAX, bytes: u64::MAX, nodes: u64::MAX };

    /// How much there is of something.
    pub fn of(&self, resource: Resource) -> u64 {
        match resource {
            Resource::Steps => self.steps,
            Resource::Bytes => self.bytes,
            Resource::Nodes => self.nodes,
        }
    }
}

/// What a pulse uses up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Resource {
    /// Steps of evaluation, and statements.
    Steps,
    /// Bytes of values.
    Bytes,
    /// Nodes of the view.
    Nodes,
}

impl Resource {
    /// What the settings call it.
    pub fn name(self) -> &'static str {
        match self {
            Resource::Steps => "steps",
            Resource::Bytes => "bytes",
            Resource::Nodes => "nodes",
        }
    }
}

/// What a pulse has used so far.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Spent {
    /// Steps.
    pub steps: u64,
    /// Bytes.
    pub bytes: u64,
    /// Nodes.
    pub nodes: u64,
}

impl Spent {
    /// Uses up more, whether it is there or not.
    ///
    /// # Errors
    /// What there was not enough of.
    #[inline]
    pub fn add(
        &mut self,
        budget: &Budget,
        steps: u64,
        bytes: u64,
        nodes: u64,
    ) -> Result<(), Resource> {
        self.steps = self.steps.saturating_add(steps);
        self.bytes = self.bytes.saturating_add(bytes);
        self.nodes = self.nodes.saturating_add(nodes);
        if self.steps <= budget.steps && self.bytes <= budget.bytes && self.nodes <= budget.nodes {
            return Ok(());
        }
        Err(match (self.steps > budget.steps, self.bytes > budget.bytes) {
            (true, _) => Resource::Steps,
            (_, true) => Resource::Bytes,
            _ => Resource::Nodes,
        })
    }
}
