//! Scopes in the view: made, found among their neighbours, moved and taken away.

use crate::graph::Graph;
use crate::moves::staying;
use crate::pulse::{Effect, Problem};
use crate::scope::{Held, Key, Mark, NONE, Piece, ReaderState, Rows, Scope, ScopeId, Slot};
use crate::wakes::{Prepared, ReadyGiven, Top};
use compact_str::CompactString;
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;
use vein_plan::{
    BlockId, CellKind, Name, Next, PartKind, Shown, SpotKind, TemplateNode, Use, Value,
};
use vein_view::{Batch, NodeNumber, Patch, ROOT, Template};

/// How many components may stand inside each other.
pub const DEEPEST_COMPONENTS: u32 = 100;

/// Where nodes go: into which node, and before which.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Target {
    pub(crate) parent: NodeNumber,
    pub(crate) before: NodeNumber,
}

/// Turns markup from data into nodes that are safe to show.
pub type Clean = fn(&str) -> Vec<TemplateNode>;

/// What a pulse does to the view, while it is gathered.
#[derive(Debug, Default)]
pub(crate) struct Making {
    pub(crate) patches: Batch,
    pub(crate) problems: Vec<Problem>,
    /// The places whose expressions were evaluated: scope and reader.
    pub(crate) evaluated: Vec<(ScopeId, u32)>,
    pub(crate) created: usize,
    /// Parts whose controls have come to hold something else by themselves.
    pub(crate) committed: Vec<(ScopeId, u32, Shown)>,
    /// Controls that are to be marked as holding nothing that means a value, or not any more.
    pub(crate) marks: Vec<(ScopeId, u32, bool)>,
}

/// Templates that the surface knows.
#[derive(Debug, Default)]
pub(crate) struct Sent {
    blocks: FxHashSet<u32>,
    renamed: FxHashMap<(u32, &'static str), u32>,
    next: u32,
}

/// The state of a page together with its view.
#[derive(Debug)]
pub(crate) struct View {
    pub(crate) graph: Graph,
    pub(crate) making: Making,
    pub(crate) sent: Sent,
    pub(crate) clean: Option<Clean>,
    /// Numbers of nodes that were taken away in this pulse, with how many follow each other.
    released: Vec<(NodeNumber, u32)>,
}

/// What a new scope is made of.
pub(crate) struct Plot {
    pub(crate) plan: u32,
    pub(crate) block: BlockId,
    pub(crate) parent: ScopeId,
    pub(crate) instance: ScopeId,
    pub(crate) holder: (ScopeId, u32),
}

impl View {
    pub(crate) fn new(graph: Graph, clean: Option<Clean>) -> View {
        let sent = Sent { next: graph.prepared.templates, ..Sent::default() };
        View { graph, making: Making::default(), sent, clean, released: Vec::new() }
    }

    /// Gives back what the pulse let go.
    pub(crate) fn end(&mut self) {
        self.graph.end();
        for (first, marks) in self.released.drain(..) {
            let numbers = first as usize..(first + marks) as usize;
            self.graph.owners[numbers].fill(NONE);
            self.graph.free_numbers.entry(marks).or_default().push(first);
        }
        let dead = std::mem::take(&mut self.graph.dead);
        for id in dead {
            let scope = self.graph.scope_mut(id);
            scope.cells = Box::default();
            scope.readers = Box::default();
            scope.shown = Box::default();
            scope.held = Box::default();
            scope.traces = FxHashMap::default();
            scope.gone = None;
            self.graph.free.push(id);
        }
    }

    fn numbers(&mut self, marks: u32, scope: ScopeId) -> NodeNumber {
        if marks == 0 {
            return ROOT;
        }
        let owners = &mut self.graph.owners;
        if let Some(first) = self.graph.free_numbers.get_mut(&marks).and_then(Vec::pop) {
            owners[first as usize..(first + marks) as usize].fill(scope);
            return first;
        }
        let first = owners.len() as NodeNumber;
        owners.resize(owners.len() + marks as usize, scope);
        first
    }

    // ---- making -------------------------------------------------------------------------

    /// Makes a scope, without its values and nodes.
    fn new_scope(&mut self, plot: Plot) -> ScopeId {
        let prepared = self.graph.prepared.clone();
        let ready = prepared.block(plot.plan, plot.block);
        let parts = prepared.plan(plot.plan).blocks[plot.block as usize].parts.len();
        let depth = match plot.holder.0 {
            NONE => 0,
            holder => self.graph.scope(holder).depth + 1,
        };
        let scope = Scope {
            plan: plot.plan,
            block: plot.block,
            parent: plot.parent,
            instance: plot.instance,
            holder: plot.holder,
            position: 0,
            depth,
            first: ROOT,
            alive: true,
            key: Key::Null,
            gone: None,
            cells: vec![Slot::Own(Value::Null); ready.cells.len()].into(),
            readers: vec![ReaderState::NEW; ready.reads.len()].into(),
            shown: vec![Shown::Absent; parts].into(),
            held: (0..ready.spots).map(|_| Held::Nothing).collect(),
            traces: FxHashMap::default(),
            invalid: SmallVec::new(),
        };
        let id = match self.graph.free.pop() {
            Some(id) => {
                self.graph.scopes[id as usize] = scope;
                id
            }
            None => {
                self.graph.scopes.push(scope);
                self.graph.scopes.len() as ScopeId - 1
            }
        };
        if plot.instance == NONE {
            self.graph.scope_mut(id).instance = id;
        }
        self.making.created += 1;
        id
    }

    /// Fills the cells that a scope has of itself; `given` are those that come from outside.
    fn own_cells(&mut self, id: ScopeId, given: &mut FxHashMap<u32, Slot>) {
        let prepared = self.graph.prepared.clone();
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let ready = prepared.block(plan, block);
        for (at, cell) in ready.cells.iter().enumerate() {
            let slot = match &prepared.plan(plan).cells[*cell as usize].kind {
                _ if given.contains_key(cell) => given.remove(cell),
                CellKind::Derived(expr, _) => Some(Slot::Derived {
                    value: Value::Null,
                    scope: id,
                    expr: *expr,
                    reads: ready.reads[at].clone(),
                }),
                CellKind::Item => Some(Slot::Item),
                CellKind::Position => Some(Slot::Position),
                CellKind::Prop(Some(first))
                | CellKind::Shared(Some(first))
                | CellKind::State(first) => {
                    let value = self.graph.evaluate_once(id, *first);
                    Some(Slot::Own(value))
                }
                CellKind::Prop(None) | CellKind::Shared(None) | CellKind::Handed => None,
            };
            if let Some(slot) = slot {
                self.graph.scope_mut(id).cells[at] = slot;
            }
        }
    }

    /// Makes the component of a page.
    pub(crate) fn root(&mut self, plan: u32, props: &[(Name, Value)]) -> ScopeId {
        let holder = (NONE, 0);
        let id = self.new_scope(Plot { plan, block: 0, parent: NONE, instance: NONE, holder });
        let prepared = self.graph.prepared.clone();
        let cells = prepared.plan(plan).cells.iter().enumerate();
        let mut given: FxHashMap<u32, Slot> = cells
            .filter(|(_, cell)| matches!(cell.kind, CellKind::Prop(_) | CellKind::Shared(_)))
            .filter_map(|(at, cell)| {
                let (_, value) = props.iter().find(|(name, _)| *name == cell.name)?;
                Some((at as u32, Slot::Own(value.clone())))
            })
            .collect();
        self.own_cells(id, &mut given);
        self.show(id, Target { parent: ROOT, before: ROOT });
        id
    }

    /// Shows a new scope: its nodes, what stands in its spots, then its parts.
    fn show(&mut self, id: ScopeId, target: Target) {
        let prepared = self.graph.prepared.clone();
        let (plan, block_id) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let block = &prepared.plan(plan).blocks[block_id as usize];
        let ready = prepared.block(plan, block_id);
        if !block.template.is_empty() {
            let template = match self.tag_of(id) {
                Some(tag) => self.renamed_template(ready.template, block, tag),
                None => {
                    if self.sent.blocks.insert(ready.template) {
                        let (number, template) = (ready.template, Box::new(Template::of(block)));
                        self.making.patches.push(&Patch::Template { number, template });
                    }
                    ready.template
                }
            };
            let first = self.numbers(ready.marks, id);
            self.graph.scope_mut(id).first = first;
            let Target { parent, before } = target;
            self.making.patches.push(&Patch::Clone { template, parent, before, first });
        }
        for spot in 0..block.spots.len() as u32 {
            let target = self.target_in_new(&prepared, id, spot, target);
            self.fill(id, spot, target);
        }
        for (at, part) in block.parts.iter().enumerate() {
            let key = (id, ready.reader_of_part(at as u32));
            let value = self.graph.evaluate_first(key, part.value);
            let to = part.kind.shown(&value);
            self.report_unsafe(id, &part.address, &part.kind, &value, &to);
            let is_default = match (&part.kind, &to) {
                (PartKind::Text, Shown::Text(text)) => text.is_empty(),
                (PartKind::Attribute(..), Shown::Absent) => true,
                _ => false,
            };
            if !is_default {
                let node = self.graph.scope(id).first + part.mark;
                push_patch(&mut self.making.patches, node, &part.kind, &to);
            }
            self.graph.scope_mut(id).shown[at] = to;
        }
    }

    /// Where the nodes of a spot go while its scope is made: what follows in the scope is not
    /// there yet, but for its own nodes.
    fn target_in_new(&self, prepared: &Prepared, id: ScopeId, spot: u32, outer: Target) -> Target {
        let scope = self.graph.scope(id);
        let block = &prepared.plan(scope.plan).blocks[scope.block as usize];
        let this = &block.spots[spot as usize];
        let mut next = this.next;
        while let Next::Spot(after) = next {
            next = block.spots[after as usize].next;
        }
        let before = match (next, this.parent) {
            (Next::Node(mark), _) => scope.first + mark,
            (_, Some(_)) => ROOT,
            (_, None) => outer.before,
        };
        let parent = this.parent.map_or(outer.parent, |mark| scope.first + mark);
        Target { parent, before }
    }

    fn tag_of(&self, id: ScopeId) -> Option<&'static str> {
        let (holder, spot) = self.graph.scope(id).holder;
        if holder == NONE {
            return None;
        }
        match &self.graph.scope(holder).held[spot as usize] {
            Held::Renamed { tag, .. } => Some(tag),
            _ => None,
        }
    }

    fn renamed_template(
        &mut self,
        template: u32,
        block: &vein_plan::Block,
        tag: &'static str,
    ) -> u32 {
        if let Some(number) = self.sent.renamed.get(&(template, tag)) {
            return *number;
        }
        let number = self.sent.next;
        self.sent.next += 1;
        self.sent.renamed.insert((template, tag), number);
        let mut made = Template::of(block);
        if let Some(TemplateNode::Open { name, .. }) = made.nodes.first_mut() {
            *name = tag.into();
        }
        self.making.patches.push(&Patch::Template { number, template: Box::new(made) });
        number
    }

    /// Puts into a spot of a new scope what belongs there.
    fn fill(&mut self, id: ScopeId, spot: u32, target: Target) {
        let prepared = self.graph.prepared.clone();
        let scope = self.graph.scope(id);
        let (plan, block, instance) = (scope.plan, scope.block, scope.instance);
        let ready = prepared.block(plan, block);
        let key = (id, ready.reader_of_spot(spot));
        let kind = &prepared.plan(plan).blocks[block as usize].spots[spot as usize].kind;
        match kind {
            SpotKind::Branch { choice, alternatives, .. } => {
                self.graph.settle_reads(key);
                let value = self.graph.evaluate(key, *choice);
                self.graph.freshen(key);
                let chosen = chosen(&value, alternatives.len());
                self.graph.scope_mut(id).held[spot as usize] = Held::Branch { chosen, scope: NONE };
                self.enter_alternative(id, spot, chosen, alternatives, target);
            }
            SpotKind::List { .. } => {
                self.graph.scope_mut(id).held[spot as usize] = Held::List(Box::default());
                self.graph.settle_reads(key);
                let list = self.graph.list_of(id, spot);
                self.graph.freshen(key);
                if let Value::List(items) = &list
                    && !items.is_empty()
                {
                    let pieces = vec![Piece::Fresh { len: items.len() as u32 }];
                    drop(list);
                    if let Some(rows) = self.graph.rows_mut(id, spot) {
                        rows.pieces = Some(pieces);
                    }
                    self.reconcile(id, spot, Some(target));
                }
            }
            SpotKind::Component(used) => self.make_component(id, spot, used, target),
            SpotKind::Slot { name, values, fallback } => {
                let (giver, use_spot) = self.graph.scope(instance).holder;
                let content = self.content_for(instance, name);
                let (block, plot) = match (content, fallback) {
                    (Some((block, giver_plan)), _) => {
                        let instance = self.graph.scope(giver).instance;
                        let holder = (id, spot);
                        let plot =
                            Plot { plan: giver_plan, block, parent: giver, instance, holder };
                        (Some((giver_plan, block)), plot)
                    }
                    (None, Some(block)) => {
                        let holder = (id, spot);
                        (None, Plot { plan, block: *block, parent: id, instance, holder })
                    }
                    (None, None) => return,
                };
                let inner = self.new_scope(plot);
                let mut cells: SmallVec<[Option<u32>; 2]> = SmallVec::new();
                let mut slots = FxHashMap::default();
                if let Some((giver_plan, block)) = block {
                    let own = &prepared.block(giver_plan, block).cells;
                    let named = |name: &Name| {
                        own.iter().copied().find(|cell| {
                            let cell = &prepared.plan(giver_plan).cells[*cell as usize];
                            cell.kind == CellKind::Handed && cell.name == *name
                        })
                    };
                    cells = values.iter().map(|(name, _)| named(name)).collect();
                    for (cell, given) in cells.iter().zip(&ready.given[spot as usize]) {
                        if let Some(cell) = cell {
                            slots.insert(*cell, self.slot_for(id, given));
                        }
                    }
                    if let Held::Component { contents, .. } =
                        &mut self.graph.scope_mut(giver).held[use_spot as usize]
                    {
                        contents.push(inner);
                    }
                }
                self.graph.scope_mut(id).held[spot as usize] = Held::Slot { scope: inner, cells };
                self.own_cells(inner, &mut slots);
                self.show(inner, target);
            }
            SpotKind::Renamed { name, block, .. } => {
                self.graph.settle_reads(key);
                let value = self.graph.evaluate(key, *name);
                self.graph.freshen(key);
                let tag = vein_plan::shown::renamed(&value);
                self.report_tag(id, spot, &value, tag);
                self.enter_renamed(id, spot, *block, tag, target);
            }
            SpotKind::Markup { value, .. } => {
                self.graph.settle_reads(key);
                let value = self.graph.evaluate(key, *value);
                self.graph.freshen(key);
                let html = value.to_shown();
                let cleaned = self.cleaned(&html);
                self.show_markup(id, spot, (html, cleaned), target);
            }
        }
    }

    /// The parent's content for a slot of a component, and the parent's plan.
    fn content_for(&self, instance: ScopeId, name: &Name) -> Option<(BlockId, u32)> {
        let (giver, spot) = self.graph.scope(instance).holder;
        if giver == NONE {
            return None;
        }
        let (plan, block) = (self.graph.scope(giver).plan, self.graph.scope(giver).block);
        let spots = &self.graph.prepared.plan(plan).blocks[block as usize].spots;
        let SpotKind::Component(used) = &spots[spot as usize].kind else { return None };
        let (_, block) = used.contents.iter().find(|(slot, _)| slot == name)?;
        Some((*block, plan))
    }

    fn slot_for(&mut self, giver: ScopeId, given: &ReadyGiven) -> Slot {
        match given {
            ReadyGiven::Path(cell, path) => {
                Slot::Alias { scope: giver, cell: *cell, path: path.clone() }
            }
            ReadyGiven::Value(expr, reads) => Slot::Derived {
                value: Value::Null,
                scope: giver,
                expr: *expr,
                reads: reads.clone(),
            },
            ReadyGiven::Once(expr) => Slot::Own(self.graph.evaluate_once(giver, *expr)),
        }
    }

    fn make_component(&mut self, id: ScopeId, spot: u32, used: &Use, target: Target) {
        let mut around = id;
        let mut deep = 0;
        while around != NONE {
            let instance = self.graph.scope(around).holder;
            deep += u32::from(self.graph.scope(around).block == 0);
            around = instance.0;
        }
        let prepared = self.graph.prepared.clone();
        if deep > DEEPEST_COMPONENTS {
            let component = prepared.plan(used.plan).name.clone();
            self.making.problems.push(Problem::TooDeep { component });
            return;
        }
        let holder = (id, spot);
        let plot = Plot { plan: used.plan, block: 0, parent: NONE, instance: NONE, holder };
        let instance = self.new_scope(plot);
        let scope = self.graph.scope_mut(id);
        scope.held[spot as usize] = Held::Component { instance, contents: SmallVec::new() };
        let (plan, block) = (scope.plan, scope.block);
        let ready = &prepared.block(plan, block).given[spot as usize];
        let mut slots = FxHashMap::default();
        for ((cell, _), given) in used.props.iter().zip(ready) {
            slots.insert(*cell, self.slot_for(id, given));
        }
        self.own_cells(instance, &mut slots);
        self.show(instance, target);
    }

    fn inner(&mut self, id: ScopeId, spot: u32, block: BlockId) -> ScopeId {
        let scope = self.graph.scope(id);
        let (plan, instance, holder) = (scope.plan, scope.instance, (id, spot));
        let inner = self.new_scope(Plot { plan, block, parent: id, instance, holder });
        self.own_cells(inner, &mut FxHashMap::default());
        inner
    }

    fn enter_alternative(
        &mut self,
        id: ScopeId,
        spot: u32,
        chosen: u32,
        alternatives: &[BlockId],
        target: Target,
    ) {
        let Some(block) = alternatives.get(chosen as usize) else { return };
        let inner = self.inner(id, spot, *block);
        self.graph.scope_mut(id).held[spot as usize] = Held::Branch { chosen, scope: inner };
        self.show(inner, target);
    }

    fn enter_renamed(
        &mut self,
        id: ScopeId,
        spot: u32,
        block: BlockId,
        tag: &'static str,
        target: Target,
    ) {
        self.graph.scope_mut(id).held[spot as usize] = Held::Renamed { tag, scope: NONE };
        let inner = self.inner(id, spot, block);
        self.graph.scope_mut(id).held[spot as usize] = Held::Renamed { tag, scope: inner };
        self.show(inner, target);
    }

    fn cleaned(&self, html: &str) -> Vec<TemplateNode> {
        match self.clean {
            Some(clean) => clean(html),
            // Nothing that cleans is at hand: the markup is shown as what it is, text.
            None if html.is_empty() => Vec::new(),
            None => vec![TemplateNode::Text { text: html.into(), marked: true }],
        }
    }

    fn show_markup(
        &mut self,
        id: ScopeId,
        spot: u32,
        (html, cleaned): (CompactString, Vec<TemplateNode>),
        target: Target,
    ) {
        let mut nodes = cleaned.clone();
        let mut depth = 0;
        for node in &mut nodes {
            match node {
                TemplateNode::Open { marked, .. } => {
                    *marked = depth == 0;
                    depth += 1;
                }
                TemplateNode::Text { marked, .. } => *marked = depth == 0,
                TemplateNode::Close => depth -= 1,
                TemplateNode::TextPart => {}
            }
        }
        let template = Template { nodes, listeners: Vec::new() };
        let marks = template.marks();
        let first = self.numbers(marks, id);
        if marks > 0 {
            let number = self.sent.next;
            self.making.patches.push(&Patch::Template { number, template: Box::new(template) });
            let Target { parent, before } = target;
            self.making.patches.push(&Patch::Clone { template: number, parent, before, first });
        }
        let nodes = (first..first + marks).collect();
        self.graph.scope_mut(id).held[spot as usize] = Held::Markup { html, cleaned, nodes };
    }

    // ---- finding ------------------------------------------------------------------------

    /// The first node that stands in a scope.
    fn first_node(&self, id: ScopeId) -> Option<NodeNumber> {
        let scope = self.graph.scope(id);
        let ready = self.graph.prepared.block(scope.plan, scope.block);
        ready.top.iter().find_map(|top| match top {
            Top::Node(mark) => Some(scope.first + mark),
            Top::Spot(spot) => self.first_in_spot(id, *spot),
        })
    }

    fn first_in_spot(&self, id: ScopeId, spot: u32) -> Option<NodeNumber> {
        match &self.graph.scope(id).held[spot as usize] {
            Held::Nothing => None,
            Held::Branch { scope, .. }
            | Held::Renamed { scope, .. }
            | Held::Slot { scope, .. }
            | Held::Component { instance: scope, .. } => {
                (*scope != NONE).then(|| self.first_node(*scope)).flatten()
            }
            Held::List(rows) => rows.rows.iter().find_map(|row| self.first_node(*row)),
            Held::Markup { nodes, .. } => nodes.first().copied(),
        }
    }

    /// All nodes at the top of a scope, in order.
    fn top_nodes(&self, id: ScopeId, out: &mut Vec<NodeNumber>) {
        let scope = self.graph.scope(id);
        let ready = self.graph.prepared.block(scope.plan, scope.block);
        for top in &ready.top {
            match top {
                Top::Node(mark) => out.push(scope.first + mark),
                Top::Spot(spot) => match &scope.held[*spot as usize] {
                    Held::Nothing => {}
                    Held::Branch { scope, .. }
                    | Held::Renamed { scope, .. }
                    | Held::Slot { scope, .. }
                    | Held::Component { instance: scope, .. } => {
                        if *scope != NONE {
                            self.top_nodes(*scope, out);
                        }
                    }
                    Held::List(rows) => {
                        rows.rows.iter().for_each(|row| self.top_nodes(*row, out));
                    }
                    Held::Markup { nodes, .. } => out.extend(nodes),
                },
            }
        }
    }

    /// Where nodes of a spot go that come after everything that stands in it.
    fn target(&mut self, id: ScopeId, spot: u32) -> Target {
        let prepared = self.graph.prepared.clone();
        let (mut id, mut spot) = (id, spot);
        let mut before = None;
        loop {
            let scope = self.graph.scope(id);
            let block = &prepared.plan(scope.plan).blocks[scope.block as usize];
            let this = &block.spots[spot as usize];
            let (first, parent) = (scope.first, this.parent);
            let mut next = this.next;
            while before.is_none() {
                match next {
                    Next::End => break,
                    Next::Node(mark) => before = Some(first + mark),
                    Next::Spot(after) => {
                        before = self.first_in_spot(id, after);
                        next = block.spots[after as usize].next;
                    }
                }
            }
            if let Some(mark) = parent {
                return Target { parent: first + mark, before: before.unwrap_or(ROOT) };
            }
            let row = id;
            (id, spot) = self.graph.scope(id).holder;
            if id == NONE {
                return Target { parent: ROOT, before: before.unwrap_or(ROOT) };
            }
            // The rows after this one.
            if before.is_none()
                && let Some(at) = self.graph.row_in_view(row)
                && let Some(rows) = self.graph.rows(id, spot)
            {
                let later = rows.rows.get(at as usize + 1..).unwrap_or(&[]);
                before = later.iter().find_map(|row| self.first_node(*row));
            }
        }
    }

    // ---- changing -----------------------------------------------------------------------

    /// Takes a scope and its nodes away.
    fn remove(&mut self, id: ScopeId) {
        let mut nodes = Vec::new();
        self.top_nodes(id, &mut nodes);
        for node in nodes {
            self.making.patches.push(&Patch::Remove { node });
        }
        self.release(id);
    }

    /// Lets go of a scope and everything in it; its nodes go with those around them.
    fn release(&mut self, id: ScopeId) {
        let prepared = self.graph.prepared.clone();
        let mut open = vec![id];
        while let Some(id) = open.pop() {
            let held = std::mem::take(&mut self.graph.scope_mut(id).held);
            for held in held {
                match held {
                    Held::Nothing => {}
                    Held::Branch { scope, .. }
                    | Held::Renamed { scope, .. }
                    | Held::Slot { scope, .. }
                    | Held::Component { instance: scope, .. } => {
                        open.extend((scope != NONE).then_some(scope));
                    }
                    Held::List(rows) => open.extend(&rows.rows),
                    Held::Markup { nodes, .. } => {
                        if let Some(first) = nodes.first() {
                            self.released.push((*first, nodes.len() as u32));
                        }
                    }
                }
            }
            let scope = self.graph.scope(id);
            let ready = prepared.block(scope.plan, scope.block);
            if ready.marks > 0 {
                self.released.push((scope.first, ready.marks));
            }
            self.leave_giver(id);
            self.graph.scope_mut(id).alive = false;
            self.graph.dead.push(id);
        }
    }

    /// Content that goes is no longer told of changes where it was written.
    fn leave_giver(&mut self, id: ScopeId) {
        let (parent, holder) = (self.graph.scope(id).parent, self.graph.scope(id).holder.0);
        if parent == NONE || holder == NONE || parent == holder {
            return;
        }
        if !self.graph.scope(parent).alive {
            return;
        }
        for held in &mut self.graph.scope_mut(parent).held {
            if let Held::Component { contents, .. } = held {
                contents.retain(|content| *content != id);
            }
        }
    }

    /// Brings a spot up to date. Gives what changed there.
    pub(crate) fn settle_spot(&mut self, id: ScopeId, spot: u32) -> Option<Effect> {
        let prepared = self.graph.prepared.clone();
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let ready = prepared.block(plan, block);
        let blocks = &prepared.plan(plan).blocks;
        let key = (id, ready.reader_of_spot(spot));
        let run = self.graph.settle_reads(key);
        match &blocks[block as usize].spots[spot as usize].kind {
            SpotKind::List { .. } => {
                self.graph.freshen(key);
                self.reconcile(id, spot, None)
            }
            _ if !run => None,
            SpotKind::Branch { choice, alternatives, .. } => {
                let value = self.graph.evaluate(key, *choice);
                self.graph.freshen(key);
                self.making.evaluated.push(key);
                let to = chosen(&value, alternatives.len());
                let Held::Branch { chosen: from, scope } = self.graph.scope(id).held[spot as usize]
                else {
                    return None;
                };
                if from == to {
                    return None;
                }
                if scope != NONE {
                    self.remove(scope);
                }
                self.graph.scope_mut(id).held[spot as usize] =
                    Held::Branch { chosen: to, scope: NONE };
                let target = self.target(id, spot);
                self.enter_alternative(id, spot, to, alternatives, target);
                let label = |chosen: u32| {
                    let block = alternatives.get(chosen as usize)?;
                    Some(blocks[*block as usize].called.clone())
                };
                Some(Effect::Branch { from: label(from), to: label(to) })
            }
            SpotKind::Renamed { name, block, .. } => {
                let value = self.graph.evaluate(key, *name);
                self.graph.freshen(key);
                self.making.evaluated.push(key);
                let to = vein_plan::shown::renamed(&value);
                self.report_tag(id, spot, &value, to);
                let Held::Renamed { tag: from, scope } = self.graph.scope(id).held[spot as usize]
                else {
                    return None;
                };
                if from == to {
                    return None;
                }
                self.remove(scope);
                let target = self.target(id, spot);
                self.enter_renamed(id, spot, *block, to, target);
                Some(Effect::Branch { from: Some(from.into()), to: Some(to.into()) })
            }
            SpotKind::Markup { value, .. } => {
                let value = self.graph.evaluate(key, *value);
                self.graph.freshen(key);
                self.making.evaluated.push(key);
                let to = value.to_shown();
                let now = self.cleaned(&to);
                let held = &mut self.graph.scope_mut(id).held[spot as usize];
                let Held::Markup { html, cleaned, nodes } = held else { return None };
                if *cleaned == now {
                    *html = to;
                    return None;
                }
                let (from, nodes) = (std::mem::take(html), std::mem::take(nodes));
                for node in &nodes {
                    self.making.patches.push(&Patch::Remove { node: *node });
                }
                if let Some(first) = nodes.first() {
                    self.released.push((*first, nodes.len() as u32));
                }
                let target = self.target(id, spot);
                self.show_markup(id, spot, (to.clone(), now), target);
                Some(Effect::Value { from: Shown::Text(from), to: Shown::Text(to) })
            }
            SpotKind::Component(_) | SpotKind::Slot { .. } => None,
        }
    }

    /// Makes the rows of a list what its items are: takes away, moves and makes as few as can be.
    fn reconcile(&mut self, id: ScopeId, spot: u32, target: Option<Target>) -> Option<Effect> {
        let identity = self.graph.identity(id, spot);
        let prepared = self.graph.prepared.clone();
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let spots = &prepared.plan(plan).blocks[block as usize].spots;
        let SpotKind::List { block: row_block, .. } = &spots[spot as usize].kind else {
            return None;
        };
        let rows = self.graph.rows_mut(id, spot)?;
        let pieces = rows.pieces.take()?;
        rows.gone.clear();
        let old = std::mem::take(&mut rows.rows);
        let runs: Vec<(u32, u32)> = pieces
            .iter()
            .filter_map(|piece| match piece {
                Piece::Kept { start, len } => Some((*start, *len)),
                Piece::Fresh { .. } => None,
            })
            .collect();
        let kept: u32 = runs.iter().map(|(_, len)| len).sum();
        let stays = staying(&runs);
        // Rows that are left over.
        let mut removed = 0;
        if kept < old.len() as u32 {
            let mut sorted = runs.clone();
            sorted.sort_unstable();
            sorted.push((old.len() as u32, 0));
            let mut next = 0;
            for (start, len) in sorted {
                for row in &old[next as usize..start as usize] {
                    removed += 1;
                    let key = self.graph.scope(*row).key.clone();
                    self.uncount(id, spot, identity.is_some(), &key);
                    self.remove(*row);
                }
                next = start + len;
            }
        }
        // The new order, with a place held free for each row that is to be made.
        let total: u32 = pieces.iter().map(|piece| piece.len()).sum();
        let mut order: Vec<ScopeId> = Vec::with_capacity(total as usize);
        for piece in &pieces {
            match piece {
                Piece::Kept { start, len } => {
                    order.extend_from_slice(&old[*start as usize..(start + len) as usize]);
                }
                Piece::Fresh { len } => order.resize(order.len() + *len as usize, NONE),
            }
        }
        drop(old);
        let end = match target {
            Some(target) => target,
            None => self.target(id, spot),
        };
        // From the end to the start: before which staying node each piece goes.
        let mut befores = vec![end.before; pieces.len()];
        let (mut before, mut at, mut run) = (end.before, total, runs.len());
        for (i, piece) in pieces.iter().enumerate().rev() {
            at -= piece.len();
            befores[i] = before;
            if matches!(piece, Piece::Kept { .. }) {
                run -= 1;
                if stays[run] {
                    let rows = &order[at as usize..(at + piece.len()) as usize];
                    before = rows.iter().find_map(|row| self.first_node(*row)).unwrap_or(before);
                }
            }
        }
        self.plant_rows(&pieces, &mut order, (id, spot), *row_block, identity);
        if let Some(rows) = self.graph.rows_mut(id, spot) {
            rows.rows = order;
        }
        let (mut at, mut run, mut moved, mut added) = (0, 0, 0, 0);
        for (piece, before) in pieces.iter().zip(befores) {
            let target = Target { parent: end.parent, before };
            let stays = match piece {
                Piece::Kept { .. } => {
                    run += 1;
                    stays[run - 1]
                }
                Piece::Fresh { .. } => false,
            };
            for position in at..at + piece.len() {
                if stays {
                    break;
                }
                let row = self.graph.rows(id, spot).map(|rows| rows.rows[position as usize])?;
                match piece {
                    Piece::Kept { .. } => {
                        moved += 1;
                        self.move_nodes(row, target);
                    }
                    Piece::Fresh { .. } => {
                        added += 1;
                        self.own_cells(row, &mut FxHashMap::default());
                        self.show(row, target);
                        self.count(id, spot, identity.is_some(), position);
                    }
                }
            }
            at += piece.len();
        }
        self.tell_positions(id, spot, *row_block, plan);
        (added + removed + moved > 0).then_some(Effect::List { added, removed, moved })
    }

    /// Makes scopes for items without rows; they can look at their items only when they stand at
    /// their places.
    fn plant_rows(
        &mut self,
        pieces: &[Piece],
        order: &mut [ScopeId],
        holder: (ScopeId, u32),
        block: BlockId,
        identity: Option<crate::rows::Identity>,
    ) {
        let fresh = |piece: &Piece| match piece {
            Piece::Fresh { len } => *len as usize,
            Piece::Kept { .. } => 0,
        };
        let fresh: usize = pieces.iter().map(fresh).sum();
        if fresh == 0 {
            return;
        }
        if let (Some(_), Some(rows)) = (identity, self.graph.rows_mut(holder.0, holder.1)) {
            rows.keys.reserve(fresh);
        }
        let prepared = self.graph.prepared.clone();
        let list = self.graph.list_of(holder.0, holder.1);
        let scope = self.graph.scope(holder.0);
        let (plan, parent, instance) = (scope.plan, holder.0, scope.instance);
        let mut at = 0;
        for piece in pieces {
            let positions = at..at + piece.len();
            at = positions.end;
            if matches!(piece, Piece::Kept { .. }) {
                continue;
            }
            for position in positions {
                let row = self.new_scope(Plot { plan, block, parent, instance, holder });
                let item = list.child(&vein_plan::Step::Index(position));
                let scope = self.graph.scope_mut(row);
                scope.position = position;
                if let (Some(identity), Some(item)) = (identity, item) {
                    scope.key = identity.key(&prepared, item);
                }
                order[position as usize] = row;
            }
        }
    }

    fn move_nodes(&mut self, row: ScopeId, target: Target) {
        let mut nodes = Vec::new();
        self.top_nodes(row, &mut nodes);
        let Target { parent, before } = target;
        for node in nodes {
            self.making.patches.push(&Patch::Move { node, parent, before });
        }
    }

    fn uncount(&mut self, id: ScopeId, spot: u32, by: bool, key: &Key) {
        if !by {
            return;
        }
        let Some(rows) = self.graph.rows_mut(id, spot) else { return };
        if let Some(count) = rows.keys.get_mut(key) {
            *count -= 1;
            if *count == 0 {
                rows.keys.remove(key);
            }
        }
    }

    /// Counts a new row; reports an identity that another row has too.
    fn count(&mut self, id: ScopeId, spot: u32, by: bool, position: u32) {
        if !by {
            return;
        }
        let row = self.graph.rows(id, spot).map(|rows| rows.rows[position as usize]);
        let Some(key) = row.map(|row| self.graph.scope(row).key.clone()) else { return };
        let Some(rows) = self.graph.rows_mut(id, spot) else { return };
        let count = rows.keys.entry(key.clone()).or_insert(0);
        *count += 1;
        if *count < 2 {
            return;
        }
        let rows = rows.rows.clone();
        let same = |row: &ScopeId| self.graph.scope(*row).key == key;
        let other = rows.iter().enumerate().find(|(at, row)| *at as u32 != position && same(row));
        if let Some((other, _)) = other {
            let (first, second) = (position.min(other as u32), position.max(other as u32));
            let list = self.graph.address_of_spot(id, spot);
            let key = key.to_string();
            self.making.problems.push(Problem::SameIdentity { list, key, first, second });
        }
    }

    /// Tells rows that stand at other positions now, where anything shows positions.
    fn tell_positions(&mut self, id: ScopeId, spot: u32, block: BlockId, plan: u32) {
        let Some(cell) = self.graph.prepared.block(plan, block).position else { return };
        let Some(Rows { rows, .. }) = self.graph.rows(id, spot) else { return };
        for (at, row) in rows.clone().into_iter().enumerate() {
            let was = self.graph.scope(row).position;
            if was != at as u32 {
                self.graph.scope_mut(row).position = at as u32;
                let (old, new) = (Value::from(f64::from(was)), Value::from(at as f64));
                self.graph.tell_row(row, cell, &old, &new);
            }
        }
    }

    // ---- reports ------------------------------------------------------------------------

    /// Notes an address that was not shown because following it could run something.
    pub(crate) fn report_unsafe(
        &mut self,
        id: ScopeId,
        address: &Name,
        kind: &PartKind,
        value: &Value,
        to: &Shown,
    ) {
        let PartKind::Attribute(_, vein_plan::Form::Url) = kind else { return };
        let replaced = matches!(to, Shown::Text(text) if text == vein_plan::shown::HARMLESS_URL);
        let url = value.to_shown();
        if replaced && url != vein_plan::shown::HARMLESS_URL {
            let part = self.graph.address(id, address);
            self.making.problems.push(Problem::UnsafeUrl { part, url: url.into() });
        }
    }

    fn report_tag(&mut self, id: ScopeId, spot: u32, value: &Value, tag: &str) {
        let name = value.to_shown();
        if name != tag {
            let part = self.graph.address_of_spot(id, spot);
            self.making.problems.push(Problem::UnknownElement { part, name: name.into() });
        }
    }

    /// The part of a control that was marked as holding nothing that means a value.
    pub(crate) fn clear_invalid(&mut self, id: ScopeId, part: u32, mark: u32) {
        let scope = self.graph.scope_mut(id);
        if let Some(at) = scope.invalid.iter().position(|invalid| *invalid == part) {
            scope.invalid.remove(at);
            self.making.marks.push((id, mark, false));
        }
    }

    /// Whether a reader is up to date, for waiting lists.
    pub(crate) fn is_waiting(&self, id: ScopeId, reader: u32) -> bool {
        let scope = self.graph.scope(id);
        scope.alive && scope.readers[reader as usize].mark != Mark::Fresh
    }
}

/// Which alternative a choice means; beyond them, none.
fn chosen(value: &Value, alternatives: usize) -> u32 {
    let number = value.to_number();
    if number >= 0.0 && number < alternatives as f64 { number as u32 } else { u32::MAX }
}

pub(crate) fn push_patch(patches: &mut Batch, node: NodeNumber, kind: &PartKind, shown: &Shown) {
    match (kind, shown) {
        (PartKind::Text, Shown::Text(text)) => patches.push(&Patch::Text { node, text }),
        (PartKind::Attribute(name, _), Shown::Text(value)) => {
            patches.push(&Patch::SetAttribute { node, name, value });
        }
        (PartKind::Attribute(name, _), _) => {
            patches.push(&Patch::RemoveAttribute { node, name });
        }
        (PartKind::Property(property), Shown::Text(value)) => {
            patches.push(&Patch::SetProperty { node, property: *property, value });
        }
        (PartKind::Property(property), shown) => {
            let on = *shown == Shown::Flag(true);
            patches.push(&Patch::SetFlag { node, property: *property, on });
        }
        (PartKind::Text, _) => patches.push(&Patch::Text { node, text: "" }),
    }
}
