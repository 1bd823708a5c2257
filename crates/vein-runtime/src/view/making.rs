//! Scopes and what stands in them, made for the first time.

use super::{Plot, Target, Undo, View, Was, chosen, push_patch};
use crate::carry::Claimed;
use crate::pulse::Problem;
use crate::runtime::ROOT_SCOPE;
use crate::sabotage::Sabotage;
use crate::scope::{Held, Key, NONE, Piece, ReaderState, Scope, ScopeId, Slot};
use crate::spending::Doing;
use crate::wakes::{Prepared, ReadyGiven};
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use vein_plan::code::CellId;
use vein_plan::{
    BlockId, CellKind, Depth, Name, PartKind, Shown, SpotKind, TemplateNode, Use, Value,
};
use vein_view::{Patch, ROOT, Template};

/// What it takes to know of a block, in nodes.
const BLOCK_NODES: u64 = 8;

/// What a cell is given from outside.
pub(super) type GivenSlot = (CellId, Slot);

impl View {
    /// Makes a scope, without its values and nodes.
    pub(super) fn new_scope(&mut self, prepared: &Prepared, plot: Plot) -> ScopeId {
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
            serial: 0,
            first: ROOT,
            alive: true,
            grown: false,
            standing: false,
            life: 0,
            begun: false,
            used_at: SmallVec::new(),
            wards: None,
            key: Key::Null,
            gone: None,
            cells: vec![Slot::Own(Value::Null); ready.cells.len()].into(),
            readers: vec![ReaderState::NEW; ready.known.len()].into(),
            shown: vec![Shown::Absent; parts].into(),
            held: (0..ready.spots).map(|_| Held::Nothing).collect(),
            traces: FxHashMap::default(),
            invalid: SmallVec::new(),
        };
        let (id, reused) = match self.graph.free.pop() {
            Some(id) => {
                self.graph.scopes[id as usize] = scope;
                (id, true)
            }
            None => {
                self.graph.scopes.push(scope);
                (self.graph.scopes.len() as ScopeId - 1, false)
            }
        };
        if plot.instance == NONE {
            self.graph.scope_mut(id).instance = id;
        }
        self.making.created += 1;
        if self.is_open {
            self.made.push((id, reused));
        }
        id
    }

    /// Has a scope come next in the order of the page, and fills the cells that it has of itself; `given` are those that come from outside.
    pub(super) fn own_cells(&mut self, prepared: &Prepared, id: ScopeId, given: Vec<GivenSlot>) {
        let mut given = given;
        self.graph.next_serial += 1;
        self.graph.scope_mut(id).serial = self.graph.next_serial;
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let ready = prepared.block(plan, block);
        let mut before = if block == 0 { self.graph.claim(id) } else { Claimed::default() };
        for (at, cell) in ready.cells.iter().enumerate() {
            let slot = match &prepared.plan(plan).cells[*cell as usize].kind {
                _ if let Some(at) = given.iter().position(|(to, _)| to == cell) => {
                    let (_, slot) = given.swap_remove(at);
                    Some(self.graph.given_again(&mut before, id, *cell, slot))
                }
                CellKind::Derived(expr, _) => Some(Slot::Derived {
                    value: Value::Null,
                    scope: id,
                    expr: *expr,
                    known: ready.known[at],
                    upkeep: None,
                }),
                CellKind::Store(store, cell) => {
                    let (store, path) = (self.graph.stores.get(store), [].into());
                    store.map(|store| Slot::Alias { scope: *store, cell: *cell, path })
                }
                CellKind::Item => Some(Slot::Item),
                CellKind::Position => Some(Slot::Position),
                CellKind::Prop(Some(first))
                | CellKind::Shared(Some(first))
                | CellKind::State(first) => {
                    let value = match prepared.plan(plan).is_own_id(*first) {
                        true => None,
                        false => self.graph.claimed(&mut before, id, *cell),
                    };
                    let first = || self.graph.evaluate_once(prepared, id, *first);
                    Some(Slot::Own(value.unwrap_or_else(first)))
                }
                CellKind::Prop(None) | CellKind::Shared(None) | CellKind::Handed => None,
            };
            if let Some(slot) = slot {
                self.graph.scope_mut(id).cells[at] = slot;
            }
        }
        if block == 0 {
            if let Some(carrying) = &mut self.graph.carrying {
                carrying.goes_on_with(id, before);
            }
            self.enter_if_component(id);
            let lives = prepared.plans[plan as usize].lives;
            if lives.added || lives.removed || lives.effects {
                self.making.born.push(id);
            }
        }
    }

    /// Notes a component as a user of its stores.
    pub(super) fn enter_if_component(&mut self, id: ScopeId) {
        if self.graph.scope(id).block == 0 {
            self.graph.enter_stores(id);
        }
    }

    /// Makes the component of a page and the stores that are used on it, each after those that
    /// it uses.
    pub(crate) fn open(&mut self, plan: u32, props: &[(Name, Value)], stores: &[u32]) {
        let prepared = self.graph.prepared.clone();
        let make = |view: &mut View, plan| {
            let holder = (NONE, 0);
            view.new_scope(&prepared, Plot { plan, block: 0, parent: NONE, instance: NONE, holder })
        };
        let id = make(self, plan);
        for store in stores {
            let scope = make(self, *store);
            self.graph.stores.insert(*store, scope);
            self.own_cells(&prepared, scope, Vec::new());
        }
        let cells = prepared.plan(plan).cells.iter().enumerate();
        let given: Vec<GivenSlot> = cells
            .filter(|(_, cell)| matches!(cell.kind, CellKind::Prop(_) | CellKind::Shared(_)))
            .filter_map(|(at, cell)| {
                let (_, value) = props.iter().find(|(name, _)| *name == cell.name)?;
                Some((at as u32, Slot::Own(value.clone())))
            })
            .collect();
        self.own_cells(&prepared, id, given);
        self.grow_if_lively(&prepared, id);
    }

    /// Works out what stands in a new scope, where that may change before it is shown.
    pub(super) fn grow_if_lively(&mut self, prepared: &Prepared, id: ScopeId) {
        if prepared.lively {
            self.grow(prepared, id);
        }
    }

    /// Works out what stands in a new scope.
    fn grow(&mut self, prepared: &Prepared, id: ScopeId) {
        if std::mem::replace(&mut self.graph.scope_mut(id).grown, true) {
            return;
        }
        for spot in 0..self.graph.scope(id).held.len() as u32 {
            self.fill(prepared, id, spot);
        }
    }

    /// Shows the page.
    pub(crate) fn show_all(&mut self, target: Target) {
        let prepared = self.graph.prepared.clone();
        self.show(&prepared, ROOT_SCOPE, target);
    }

    /// Shows a new scope: its nodes, what stands in its spots, then its parts.
    pub(super) fn show(&mut self, prepared: &Prepared, id: ScopeId, target: Target) {
        if self.graph.is_out() {
            return;
        }
        let (plan, block_id) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let block = &prepared.plan(plan).blocks[block_id as usize];
        let ready = prepared.block(plan, block_id);
        if !block.template.is_empty() {
            let template = match self.tag_of(id) {
                Some(tag) => self.renamed_template(ready.template, block, tag),
                None => {
                    if self.sent.blocks.insert(ready.template) {
                        self.note(|| Undo::Template(ready.template));
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
        let grown = std::mem::replace(&mut self.graph.scope_mut(id).grown, true);
        for spot in 0..block.spots.len() as u32 {
            if !grown {
                self.fill(prepared, id, spot);
            }
            let target = self.target_in_new(prepared, id, spot, target);
            self.show_spot(prepared, id, spot, target);
        }
        self.graph.scope_mut(id).standing = true;
        for (at, part) in block.parts.iter().enumerate() {
            let key = (id, ready.reader_of_part(at as u32));
            let value = self.graph.evaluate_first(prepared, key, part.value);
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
        let before = match (block.stands_before(this), this.parent) {
            (Some(mark), _) => scope.first + mark,
            (None, Some(_)) => ROOT,
            (None, None) => outer.before,
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
        self.note(|| Undo::Renamed((template, tag)));
        let mut made = Template::of(block);
        if let Some(TemplateNode::Open { name, .. }) = made.nodes.first_mut() {
            *name = tag.into();
        }
        self.making.patches.push(&Patch::Template { number, template: Box::new(made) });
        number
    }

    /// Puts into a spot of a new scope what belongs there.
    fn fill(&mut self, prepared: &Prepared, id: ScopeId, spot: u32) {
        if self.graph.is_out() {
            return;
        }
        let scope = self.graph.scope(id);
        let (plan, block, instance) = (scope.plan, scope.block, scope.instance);
        let ready = prepared.block(plan, block);
        let key = (id, ready.reader_of_spot(spot));
        let kind = &prepared.plan(plan).blocks[block as usize].spots[spot as usize].kind;
        match kind {
            SpotKind::Branch { choice, alternatives, .. } => {
                self.graph.settle_reads(prepared, key);
                let value = self.graph.evaluate(prepared, key, *choice);
                self.graph.freshen(key);
                let chosen = chosen(&value, alternatives.len());
                self.graph.scope_mut(id).held[spot as usize] = Held::Branch { chosen, scope: NONE };
                self.enter_alternative(prepared, id, spot, chosen, alternatives);
            }
            SpotKind::List { .. } => {
                self.graph.scope_mut(id).held[spot as usize] = Held::List(Box::default());
                self.graph.settle_reads(prepared, key);
                let list = self.graph.list_of(prepared, id, spot);
                self.graph.freshen(key);
                if let Value::List(items) = &list
                    && !items.is_empty()
                {
                    let pieces = vec![Piece::Fresh { len: items.len() as u32 }];
                    drop(list);
                    if let Some(rows) = self.graph.rows_mut(id, spot) {
                        rows.pieces = Some(pieces);
                    }
                    self.reconcile(id, spot);
                }
            }
            SpotKind::Component(used) => self.make_component(prepared, id, spot, used),
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
                if !self.affords(prepared, (plot.plan, plot.block), 1, (id, spot)) {
                    return;
                }
                let inner = self.new_scope(prepared, plot);
                let mut cells: SmallVec<[Option<u32>; 2]> = SmallVec::new();
                let mut slots = Vec::new();
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
                            slots.push((*cell, self.slot_for(prepared, id, given)));
                        }
                    }
                    if let Held::Component { contents, .. } =
                        &mut self.graph.scope_mut(giver).held[use_spot as usize]
                    {
                        contents.push(inner);
                    }
                }
                self.graph.scope_mut(id).held[spot as usize] = Held::Slot { scope: inner, cells };
                self.own_cells(prepared, inner, slots);
                self.grow_if_lively(prepared, inner);
            }
            SpotKind::Renamed { name, block, .. } => {
                self.graph.settle_reads(prepared, key);
                let value = self.graph.evaluate(prepared, key, *name);
                self.graph.freshen(key);
                let tag = vein_plan::shown::renamed(&value);
                self.report_tag(id, spot, &value, tag);
                self.enter_renamed(prepared, id, spot, *block, tag);
            }
            SpotKind::Markup { value, .. } => {
                self.graph.settle_reads(prepared, key);
                let value = self.graph.evaluate(prepared, key, *value);
                self.graph.freshen(key);
                let html = value.to_shown();
                let cleaned = self.cleaned(&html);
                let nodes = SmallVec::new();
                self.graph.scope_mut(id).held[spot as usize] =
                    Held::Markup { html, cleaned, nodes };
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

    fn slot_for(&mut self, prepared: &Prepared, giver: ScopeId, given: &ReadyGiven) -> Slot {
        match given {
            ReadyGiven::Path(cell, path) => {
                Slot::Alias { scope: giver, cell: *cell, path: path.clone() }
            }
            ReadyGiven::Value(expr, known) => Slot::Derived {
                value: Value::Null,
                scope: giver,
                expr: *expr,
                known: *known,
                upkeep: None,
            },
            ReadyGiven::Once(expr) => Slot::Own(self.graph.evaluate_once(prepared, giver, *expr)),
        }
    }

    /// What stands around a spot.
    fn depth_at(&self, prepared: &Prepared, id: ScopeId, spot: u32) -> Depth {
        let (mut at, mut depth) = ((id, spot), Depth::default());
        while at.0 != NONE {
            let scope = self.graph.scope(at.0);
            let ready = prepared.block(scope.plan, scope.block);
            depth.components += u32::from(scope.block == 0);
            depth.blocks += 1;
            depth.elements += ready.around[at.1 as usize];
            at = scope.holder;
        }
        depth
    }

    fn make_component(&mut self, prepared: &Prepared, id: ScopeId, spot: u32, used: &Use) {
        if let Some((most, of)) = self.depth_at(prepared, id, spot).beyond() {
            let component = prepared.plan(used.plan).name.clone();
            self.making.problems.push(Problem::TooDeep { component, most, of });
            return;
        }
        if self.graph.is_broken(Sabotage::NoComponents)
            || !self.affords(prepared, (used.plan, 0), 1, (id, spot))
        {
            return;
        }
        let holder = (id, spot);
        let plot = Plot { plan: used.plan, block: 0, parent: NONE, instance: NONE, holder };
        let instance = self.new_scope(prepared, plot);
        let scope = self.graph.scope_mut(id);
        scope.held[spot as usize] = Held::Component { instance, contents: SmallVec::new() };
        let (plan, block) = (scope.plan, scope.block);
        let ready = &prepared.block(plan, block).given[spot as usize];
        let slots = used.props.iter().zip(ready);
        let slots = slots.map(|((cell, _), given)| (*cell, self.slot_for(prepared, id, given)));
        let slots = slots.collect();
        self.own_cells(prepared, instance, slots);
        self.grow_if_lively(prepared, instance);
    }

    /// Uses up what it takes to make so many of a block in a spot.
    pub(super) fn affords(
        &mut self,
        prepared: &Prepared,
        (plan, block): (u32, BlockId),
        count: u64,
        (id, spot): (ScopeId, u32),
    ) -> bool {
        let nodes = prepared.plan(plan).blocks[block as usize].template.len() as u64;
        let around = self.graph.purse.begin(Doing::Making(id, spot));
        let affords = self.graph.spend_nodes(count.saturating_mul(nodes + BLOCK_NODES));
        self.graph.purse.begin(around);
        affords
    }

    fn inner(&mut self, prepared: &Prepared, id: ScopeId, spot: u32, block: BlockId) -> ScopeId {
        let scope = self.graph.scope(id);
        let (plan, instance, holder) = (scope.plan, scope.instance, (id, spot));
        let plot = Plot { plan, block, parent: id, instance, holder };
        let inner = self.new_scope(prepared, plot);
        self.own_cells(prepared, inner, Vec::new());
        inner
    }

    pub(super) fn enter_alternative(
        &mut self,
        prepared: &Prepared,
        id: ScopeId,
        spot: u32,
        chosen: u32,
        alternatives: &[BlockId],
    ) {
        let Some(block) = alternatives.get(chosen as usize) else { return };
        let plan = self.graph.scope(id).plan;
        if !self.affords(prepared, (plan, *block), 1, (id, spot)) {
            return;
        }
        let inner = self.inner(prepared, id, spot, *block);
        if let Some(Was::Held(Held::Branch { chosen: before, scope })) = self.was_in(id, spot)
            && (*before, *scope != NONE) == (chosen, true)
        {
            self.graph.scope_mut(inner).life = self.graph.scope(*scope).life + 1;
        }
        self.graph.scope_mut(id).held[spot as usize] = Held::Branch { chosen, scope: inner };
        self.grow_if_lively(prepared, inner);
    }

    pub(super) fn enter_renamed(
        &mut self,
        prepared: &Prepared,
        id: ScopeId,
        spot: u32,
        block: BlockId,
        tag: &'static str,
    ) {
        let plan = self.graph.scope(id).plan;
        if !self.affords(prepared, (plan, block), 1, (id, spot)) {
            return;
        }
        let inner = self.inner(prepared, id, spot, block);
        if let Some(Was::Held(Held::Renamed { tag: before, scope })) = self.was_in(id, spot)
            && *before == tag
        {
            self.graph.scope_mut(inner).life = self.graph.scope(*scope).life + 1;
        }
        self.graph.scope_mut(id).held[spot as usize] = Held::Renamed { tag, scope: inner };
        self.grow_if_lively(prepared, inner);
    }

    pub(super) fn cleaned(&self, html: &str) -> Vec<TemplateNode> {
        match self.clean {
            Some(clean) => clean(html),
            // Nothing that cleans is at hand: the markup is shown as what it is, text.
            None if html.is_empty() => Vec::new(),
            None => vec![TemplateNode::Text { text: html.into(), marked: true }],
        }
    }

    /// Shows the markup of a spot, whose nodes are not there yet.
    pub(super) fn show_markup(&mut self, id: ScopeId, spot: u32, target: Target) {
        let Held::Markup { cleaned, .. } = &self.graph.scope(id).held[spot as usize] else {
            return;
        };
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
        if !self.graph.spend_nodes(nodes.len() as u64) {
            return;
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
        if let Held::Markup { nodes, .. } = &mut self.graph.scope_mut(id).held[spot as usize] {
            *nodes = (first..first + marks).collect();
        }
    }
}
