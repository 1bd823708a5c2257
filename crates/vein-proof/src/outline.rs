//! The outline of a view: its elements, and for each part its address, what it shows, where
//! it was written and what it reads.

use vein_plan::{Location, PartKind, Plan, PlanRead, Program, ReadStep, Shown, TemplateNode};
use vein_runtime::Runtime;

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
    /// Where it was written, in the component's file.
    pub location: Location,
    /// The paths that it reads; for a listener, nothing.
    pub reads: Vec<String>,
    /// Whether it listens, rather than shows.
    pub listens: bool,
}

/// The outline of what a runtime shows.
pub fn outline(runtime: &Runtime) -> Vec<Row> {
    let plan = runtime.plan();
    let fresh = crate::fresh::render(runtime.program(), plan, runtime.values());
    let mut outline =
        Outline { program: runtime.program(), plan, shown: &fresh.parts, rows: Vec::new() };
    outline.nodes();
    outline.rows
}

struct Outline<'a> {
    program: &'a Program,
    plan: &'a Plan,
    shown: &'a [Shown],
    rows: Vec<Row>,
}

impl Outline<'_> {
    fn nodes(&mut self) {
        let (mut depth, mut mark) = (0, 0u32);
        for node in &self.plan.template {
            match node {
                TemplateNode::Open { name, attributes, marked, .. } => {
                    let fixed: String = attributes
                        .iter()
                        .map(|(name, value)| match &**value {
                            "" => format!(" {name}"),
                            value => format!(" {name}={value:?}"),
                        })
                        .collect();
                    self.rows.push(Row { depth, what: format!("<{name}{fixed}>"), source: None });
                    depth += 1;
                    if *marked {
                        self.marked(mark, depth);
                        mark += 1;
                    }
                }
                TemplateNode::Text(text) => {
                    self.rows.push(Row { depth, what: format!("{text:?}"), source: None });
                }
                TemplateNode::TextPart => {
                    self.marked(mark, depth);
                    mark += 1;
                }
                TemplateNode::Close => depth -= 1,
            }
        }
    }

    fn marked(&mut self, mark: u32, depth: usize) {
        let full = |address: &str| format!("{} › {address}", self.plan.name);
        for (part, shown) in self.plan.parts.iter().zip(self.shown) {
            if part.mark != mark {
                continue;
            }
            let what = match &part.kind {
                PartKind::Text => shown.to_string(),
                PartKind::Attribute(name, _) => format!("{name} {shown}"),
                PartKind::Property(property) => format!("{} {shown}", property.name()),
            };
            let mut reads: Vec<String> = Vec::new();
            for read in part.reads.paths() {
                let path = read_path(self.program, self.plan, read);
                if !reads.contains(&path) {
                    reads.push(path);
                }
            }
            let (address, location) = (full(&part.address), part.location);
            let source = Some(RowSource { address, location, reads, listens: false });
            self.rows.push(Row { depth, what, source });
        }
        for listener in self.plan.listeners.iter().filter(|listener| listener.mark == mark) {
            let source = RowSource {
                address: full(&listener.address),
                location: listener.location,
                reads: Vec::new(),
                listens: true,
            };
            let what = format!("{} →", listener.event);
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
                path.push('.');
                path.push_str(&program.names[*name as usize]);
            }
            ReadStep::AnyItem => path.push_str("[*]"),
        }
    }
    if read.extent == vein_plan::Extent::Length {
        path.push_str(".length");
    }
    path
}
