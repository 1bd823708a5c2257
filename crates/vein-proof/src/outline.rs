//! The outline of a view: its elements, and for each part its address, what it shows, where
//! it was written and what it reads.

use vein_plan::{
    Block, Extent, Location, PartKind, Plan, PlanRead, Program, ReadStep, Spot, SpotKind, Step,
    TemplateNode,
};
use vein_runtime::{Kept, KeptScope, Runtime, ScopeId};
use vein_view::NodeNumber;

/// One line of an outline.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Row {
    /// How deep it is nested.
    pub depth: usize,
    /// What stands there: `<p>`, `class "bed dry"`, `"Ruby chard"`, `click`.
    pub what: String,
    /// What is known of it, when it is a part or a listener.
    pub source: Option<RowSource>,
}

/// Where a part or a listener comes from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RowSource {
    /// Its address.
    pub address: String,
    /// The component that it was written in.
    pub component: String,
    /// Where it was written, in that component's file.
    pub location: Location,
    /// The paths that it reads; for a listener, nothing.
    pub reads: Vec<String>,
    /// Whether it listens, rather than shows.
    pub listens: bool,
    /// The number of its node; of what comes and goes, that of the element around it where that is
    /// marked.
    pub node: Option<NodeNumber>,
}

/// The outline of what a runtime shows.
pub fn outline(runtime: &Runtime) -> Vec<Row> {
    let mut outline = Outline { runtime, rows: Vec::new() };
    outline.scope(runtime.root_scope(), 0);
    outline.rows
}

struct Outline<'a> {
    runtime: &'a Runtime,
    rows: Vec<Row>,
}

impl Outline<'_> {
    fn scope(&mut self, id: ScopeId, start: usize) {
        let kept = self.runtime.kept(id);
        let block = &self.runtime.program().plans[kept.plan].blocks[kept.block as usize];
        let (mut open, mut mark): (Vec<Option<u32>>, u32) = (Vec::new(), 0);
        for node in &block.template {
            let depth = start + open.len();
            let number = node.is_marked().then_some(mark);
            mark += u32::from(node.is_marked());
            if let (Some(number), false) = (number, matches!(node, TemplateNode::Close)) {
                let parent = open.last().copied().flatten();
                if open.is_empty() || parent.is_some() {
                    self.spots(&kept, block, (parent, Some(number)), depth);
                }
            }
            match node {
                TemplateNode::Open { name, attributes, .. } => {
                    let fixed: String = attributes
                        .iter()
                        .filter(|(name, _)| &**name != "data-of")
                        .map(|(name, value)| match &**value {
                            "" => format!(" {name}"),
                            value => format!(" {name}={value:?}"),
                        })
                        .collect();
                    self.rows.push(Row { depth, what: format!("<{name}{fixed}>"), source: None });
                    if let Some(number) = number {
                        self.marked(&kept, block, number, depth + 1);
                    }
                    open.push(number);
                }
                // The space between two elements is nothing that anybody looks for.
                TemplateNode::Text { text, .. } if **text == *" " => {}
                TemplateNode::Text { text, .. } => {
                    self.rows.push(Row { depth, what: format!("{text:?}"), source: None });
                }
                TemplateNode::TextPart => {
                    if let Some(number) = number {
                        self.marked(&kept, block, number, depth);
                    }
                }
                TemplateNode::Close => {
                    if let Some(Some(own)) = open.pop() {
                        self.spots(&kept, block, (Some(own), None), depth);
                    }
                }
            }
        }
        self.spots(&kept, block, (None, None), start);
    }

    /// What stands in the spots of an element that come before a node, or at its end.
    fn spots(
        &mut self,
        kept: &KeptScope,
        block: &Block,
        (parent, before): (Option<u32>, Option<u32>),
        depth: usize,
    ) {
        for (number, spot) in block.spots.iter().enumerate() {
            if spot.parent == parent && block.stands_before(spot) == before {
                self.spot(kept, number, spot, depth);
            }
        }
    }

    fn spot(&mut self, kept: &KeptScope, number: usize, spot: &Spot, depth: usize) {
        let plan = &self.runtime.program().plans[kept.plan];
        let held = &kept.held[number];
        let (what, reads) = match &spot.kind {
            SpotKind::Branch { reads, alternatives, .. } => {
                let shown = match held {
                    Kept::One { chosen, scope: Some(_) } => {
                        let block = alternatives[*chosen as usize];
                        plan.blocks[block as usize].called.to_string()
                    }
                    _ => "nothing".into(),
                };
                (format!("branch {shown}"), reads.paths().to_vec())
            }
            SpotKind::List { cell, path, .. } => {
                let count = match held {
                    Kept::Rows(rows) => rows.len(),
                    _ => 0,
                };
                let path = path.iter().map(|name| ReadStep::Field(*name)).collect();
                let read = PlanRead { cell: *cell, path, extent: Extent::Whole };
                (format!("list of {count}"), vec![read])
            }
            SpotKind::Renamed { reads, .. } => ("tag".into(), reads.paths().to_vec()),
            SpotKind::Markup { reads, .. } => ("markup".into(), reads.paths().to_vec()),
            SpotKind::Component(used) => {
                let name = &self.runtime.program().plans[used.plan as usize].name;
                self.rows.push(Row { depth, what: format!("<{name}>"), source: None });
                if let Kept::One { scope: Some(inner), .. } = held {
                    self.scope(*inner, depth + 1);
                }
                return;
            }
            SpotKind::Slot { .. } => {
                if let Kept::One { scope: Some(inner), .. } = held {
                    self.scope(*inner, depth);
                }
                return;
            }
        };
        let source = RowSource {
            address: self.address(kept.scope, &spot.address),
            component: plan.name.to_string(),
            location: spot.location,
            reads: self.paths(plan, &reads),
            listens: false,
            node: spot.parent.map(|mark| kept.first + mark),
        };
        self.rows.push(Row { depth, what, source: Some(source) });
        match held {
            Kept::One { scope: Some(inner), .. } => self.scope(*inner, depth + 1),
            Kept::Rows(rows) => rows.iter().for_each(|row| self.scope(row.scope, depth + 1)),
            _ => {}
        }
    }

    fn address(&self, scope: ScopeId, own: &str) -> String {
        format!("{} › {}", self.runtime.plan().name, self.runtime.address_in(scope, own))
    }

    fn paths(&self, plan: &Plan, reads: &[PlanRead]) -> Vec<String> {
        let mut paths: Vec<String> = Vec::new();
        for read in reads {
            let path = read_path(self.runtime.program(), plan, read);
            if !paths.contains(&path) {
                paths.push(path);
            }
        }
        paths
    }

    fn marked(&mut self, kept: &KeptScope, block: &Block, mark: u32, depth: usize) {
        let plan = &self.runtime.program().plans[kept.plan];
        for (part, shown) in block.parts.iter().zip(&kept.shown) {
            if part.mark != mark {
                continue;
            }
            let what = match &part.kind {
                PartKind::Text => shown.to_string(),
                PartKind::Attribute(name, _) => format!("{name} {shown}"),
                PartKind::Property(property) => format!("{} {shown}", property.name()),
            };
            let source = RowSource {
                address: self.address(kept.scope, &part.address),
                component: plan.name.to_string(),
                location: part.location,
                reads: self.paths(plan, part.reads.paths()),
                listens: false,
                node: Some(kept.first + mark),
            };
            self.rows.push(Row { depth, what, source: Some(source) });
        }
        for listener in block.listeners.iter().filter(|listener| listener.mark == mark) {
            let source = RowSource {
                address: self.address(kept.scope, &listener.address),
                component: plan.name.to_string(),
                location: listener.location,
                reads: Vec::new(),
                listens: true,
                node: Some(kept.first + mark),
            };
            let arrow = if listener.commit.is_some() { "↔" } else { "→" };
            let what = format!("{} {arrow}", listener.event);
            self.rows.push(Row { depth, what, source: Some(source) });
        }
    }
}

/// How a read is written: `bed.moisture`, `beds[*].crop`, `beds.length`.
pub fn read_path(program: &Program, plan: &Plan, read: &PlanRead) -> String {
    let mut path = plan.cells[read.cell as usize].name.to_string();
    for step in &read.path {
        match step {
            ReadStep::Field(name) => {
                let step = Step::Field(program.names[*name as usize].clone());
                path.push_str(&step.to_string());
            }
            ReadStep::AnyItem => path.push_str("[*]"),
        }
    }
    match read.extent {
        vein_plan::Extent::Length => path + ".length",
        vein_plan::Extent::Keys => format!("Object.keys({path})"),
        _ => path,
    }
}
