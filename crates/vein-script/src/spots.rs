//! What comes and goes in a block: how it begins, who is told of what, and what is looked at when something was written.

use crate::code;
use crate::component::{Class, table};
use crate::expression::Writer;
use crate::own::OfItem;
use crate::readers::{Who, alternatives, given_in, gives_item, is_item, read_by, stays};
use crate::template::Template;
use std::collections::BTreeMap;
use vein_plan::code::{CellId, ExprId, Place, Stmt};
use vein_plan::{CellKind, Next, PlanRead, Reads, Spot, SpotKind};

impl Class<'_> {
    /// For each cell of around that is read inside of a spot: those who are told of it.
    fn inside(&self, at: usize) -> Vec<(CellId, u32)> {
        self.readers.read_inside(at).collect()
    }

    /// Who repeats a list in a spot, which is told before it is looked at.
    fn repeats(&self, at: usize) -> u32 {
        match self.block.spots[at].kind {
            SpotKind::List { .. } => self.readers.bit(Who::Spot(at)),
            _ => 0,
        }
    }

    /// Those of what is asked one by one that may have to ask the host, and whose readers inside are to look for themselves.
    fn asking_bits(&self) -> u32 {
        let asking = self.readers.asked().filter(|(who, _)| match who {
            Who::Derived(cell) => self.asks(*cell),
            Who::Given(at, which) => {
                let given = given_in(&self.block.spots[*at].kind).nth(*which);
                given.is_some_and(|given| self.given_asks(given))
            }
            _ => false,
        });
        asking.fold(0, |bits, (_, bit)| bits | bit)
    }

    /// The spots in which something may have to ask for itself.
    pub(crate) fn asking_spots(&self) -> Vec<usize> {
        let spots = self.block.spots.iter().enumerate();
        let asking = spots.filter(|(at, spot)| {
            self.readers.read_inside(*at).any(|(cell, _)| self.asks(cell))
                || given_in(&spot.kind).any(|given| self.given_asks(given))
        });
        asking.map(|(at, _)| at).collect()
    }

    /// What derived values of a store wake in others.
    fn derived_bits(&self) -> u32 {
        let derived = self.readers.asked().filter(|(who, _)| matches!(who, Who::Derived(_)));
        let derived = derived.fold(0, |bits, (_, bit)| bits | bit);
        if self.own.plan.store.is_some() { derived } else { 0 }
    }

    /// Those readers that stand inside of spots or elsewhere, or have fields of their own.
    pub(crate) fn within(&self) -> u32 {
        let spots = 0..self.block.spots.len();
        let inside = spots.clone().flat_map(|at| self.inside(at)).map(|(_, bits)| bits);
        let inside = inside.chain(spots.map(|at| self.repeats(at)));
        let flagged = self.readers.flagged().map(|(_, bit)| bit);
        let asking = if self.asking_spots().is_empty() { 0 } else { self.asking_bits() };
        let all = inside.chain(flagged).chain([asking, self.derived_bits()]);
        all.fold(0, |bits, bit| bits | bit)
    }

    /// Who reads each prop.
    pub(crate) fn props(&self) -> String {
        let given = self.given_cells().into_iter();
        table(given.map(|number| {
            code::field(&self.own.property(number), &self.readers.of_cell(number).to_string())
        }))
    }

    /// Who reads each field of each prop, where they are not all the same.
    pub(crate) fn props_inside(&self) -> String {
        let given = self.given_cells().into_iter().filter_map(|number| {
            let all = self.readers.of_cell(number);
            let fields = self.fields_of(self.readers.of_fields(number, |_| false), all)?;
            Some(code::field(&self.own.property(number), &fields))
        });
        table(given)
    }

    /// Who reads each field of the item that the block stands for, but for those that hand it to a component as it is.
    pub(crate) fn item_fields(&self, handed: &[(Who, String)]) -> Option<String> {
        let (plan, block) = (self.own.plan, self.own.block);
        let item = (0..plan.cells.len() as u32).find(|cell| is_item(plan, *cell, block))?;
        let is_handed = |who| handed.iter().any(|(other, _)| *other == who);
        self.fields_of(self.readers.of_fields(item, is_handed), self.readers.of_item(plan, block))
    }

    /// The same as text; nothing where each field is read by all.
    fn fields_of(&self, (whole, fields): (u32, BTreeMap<u32, u32>), all: u32) -> Option<String> {
        if whole == all {
            return None;
        }
        let names = &self.program().names;
        let fields = fields.into_iter().filter(|(_, bits)| *bits != whole);
        let fields =
            fields.map(|(name, bits)| code::field(&names[name as usize], &bits.to_string()));
        Some(table(std::iter::once(format!("\"\": {whole}")).chain(fields)))
    }

    /// Those that hand the item that the block stands for to a component as it is: in which spot, as which prop.
    pub(crate) fn handed(&self) -> Vec<(Who, String)> {
        let mut found = Vec::new();
        for (at, spot) in self.block.spots.iter().enumerate() {
            let SpotKind::Component(used) = &spot.kind else { continue };
            let inner = &self.program().plans[used.plan as usize];
            for (which, (cell, given)) in used.props.iter().enumerate() {
                if gives_item(self.own.plan, given, self.own.block) && !self.given_asks(given) {
                    let name = crate::own::name_in(inner, *cell);
                    found.push((Who::Given(at, which), format!("[{at}, \"{name}\"]")));
                }
            }
        }
        found
    }

    /// Where the nodes of each spot go.
    pub(crate) fn places(&mut self) -> String {
        let block = self.block;
        let place = |(at, spot): (usize, &Spot)| {
            let parent = spot.parent.map_or("null".into(), |mark| format!("\"n{mark}$\""));
            let next = match spot.next {
                Next::End => "null".into(),
                Next::Node(mark) => format!("\"n{mark}$\""),
                Next::Spot(other) => other.to_string(),
            };
            let gives = match &spot.kind {
                SpotKind::Component(used) => self.gives(at, used),
                SpotKind::Slot { values, .. } => {
                    let own = |name: &str| crate::own::own_name(name, || name.to_owned());
                    let gives = values.iter().enumerate().map(|(which, (name, _))| {
                        code::field(&own(name), &format!("\"g{at}_{which}$\""))
                    });
                    let made = values.iter().map(|(name, given)| (own(name), given));
                    format!(", gives: {}{}", table(gives), self.made(at, made))
                }
                _ => String::new(),
            };
            format!("{{ parent: {parent}, next: {next}{gives} }}")
        };
        block.spots.iter().enumerate().map(place).collect::<Vec<_>>().join(", ")
    }
    /// What stands at the top of the block, in order: nodes by their positions, spots in brackets.
    pub(crate) fn tops(&self, made: &Template) -> String {
        let spots = &self.block.spots;
        let before = |next: Next| {
            let found = spots.iter().position(|s| s.parent.is_none() && s.next == next);
            found.map(|at| at as u32)
        };
        // The spots that stand before something, the first first.
        let leading = |next: Next| {
            let all = std::iter::successors(before(next), |at| before(Next::Spot(*at)));
            let mut all: Vec<String> = all.map(|at| format!("[{at}]")).collect();
            all.reverse();
            all
        };
        let mut tops = Vec::new();
        for root in 0..made.roots {
            if let Some(mark) = made.ways.iter().position(|way| way[..] == [root]) {
                tops.extend(leading(Next::Node(mark as u32)));
            }
            tops.push(root.to_string());
        }
        tops.extend(leading(Next::End));
        tops.join(", ")
    }
    /// What comes and goes in it.
    pub(crate) fn spots(&mut self, component: &str) {
        self.forwards();
        let mut begins = String::new();
        for (at, spot) in self.block.spots.iter().enumerate() {
            begins.push_str(&self.mark(spot.location));
            begins.push_str(&match &spot.kind {
                SpotKind::Component(used) => self.component(at, used),
                SpotKind::Slot { name, values, fallback } => {
                    for (which, (name, given)) in values.iter().enumerate() {
                        let own = crate::own::own_name(name, || name.to_string());
                        self.given(at, which, &own, given);
                    }
                    let name = code::string(&(&**name).into()).text;
                    let fallback =
                        fallback.map_or("null".to_owned(), |at| format!("{component}_{at}"));
                    format!(
                        "    this.spots$[{at}] = new Slot(this, {at});\n    this.spots$[{at}].begin({name}, {fallback});\n"
                    )
                }
                SpotKind::List { cell, path, by, block } => {
                    let by = by.as_ref().map(|(by, _)| *by);
                    self.list(at, (*cell, path), by, &format!("{component}_{block}"))
                }
                SpotKind::Renamed { name, block, .. } => {
                    let (declared, name) = self.chosen(at, *name);
                    format!(
                        "    this.spots$[{at}] = new Renamed(this, {at});\n    \
                         {{ {declared}this.spots$[{at}].begin({component}_{block}, tagOf({name})); }}\n"
                    )
                }
                SpotKind::Branch { choice, .. } => {
                    let kinds = alternatives(&spot.kind).into_iter();
                    let kinds: Vec<String> =
                        kinds.map(|at| format!("{component}_{at}")).collect();
                    let (declared, choice) = self.chosen(at, *choice);
                    format!(
                        "    this.spots$[{at}] = new Branch(this, {at});\n    \
                         {{ {declared}this.spots$[{at}].begin([{}], {choice}); }}\n",
                        kinds.join(", ")
                    )
                }
                SpotKind::Markup { value, .. } => {
                    let (declared, value) = self.chosen(at, *value);
                    format!(
                        "    this.spots$[{at}] = new Markup(this, {at});\n    \
                         {{ {declared}this.spots$[{at}].begin({value}); }}\n"
                    )
                }
            });
        }
        if self.block.spots.is_empty() {
            self.first.push_str("    this.spots$ = FIXED;\n");
        } else {
            self.first.push_str(&format!("    this.spots$ = [];\n{begins}"));
        }
        // What stands after a spot is there before it.
        match self.block.spots.len() {
            0 => {}
            1 => self.first.push_str("    this.spots$[0].bring();\n"),
            many => self.first.push_str(&format!(
                "    for (let at = {}; at >= 0; at--) this.spots$[at].bring();\n",
                many - 1
            )),
        }
        self.settles();
    }

    /// Whom it tells of what was marked in it.
    fn forwards(&mut self) {
        let mut forward = String::new();
        for (who, bit) in self.readers.flagged() {
            let flag = who.flag();
            self.first.push_str(&format!("    this.{flag} = false;\n"));
            forward.push_str(&format!("    if (bits & {bit}) put(this, \"{flag}\", true);\n"));
        }
        let asking = self.asking_spots();
        // While it is made somebody may ask for what is not all there yet.
        for at in 0..self.block.spots.len() {
            let bits = self.repeats(at);
            if bits != 0 {
                forward
                    .push_str(&format!("    if (bits & {bits}) this.spots$?.[{at}]?.turned();\n"));
            }
            for (cell, bits) in self.inside(at) {
                if bits != 0 {
                    let tell = format!("this.spots$?.[{at}]?.tell({cell})");
                    forward.push_str(&format!("    if (bits & {bits}) {tell};\n"));
                }
            }
        }
        let bits = self.asking_bits();
        if bits != 0 && !asking.is_empty() {
            let pend = asking.iter().map(|at| format!(" this.spots$?.[{at}]?.pend();"));
            forward
                .push_str(&format!("    if (bits & {bits}) {{{} }}\n", pend.collect::<String>()));
        }
        let bits = self.derived_bits();
        if bits != 0 {
            forward.push_str(&format!("    if (bits & {bits}) pendUsers(this);\n"));
        }
        if !forward.is_empty() {
            self.members.push_str(&format!("  forward$(bits) {{\n{forward}  }}\n"));
        }
    }

    /// What decides what stands in a spot: what goes before it, and its expression.
    fn chosen(&mut self, at: usize, value: ExprId) -> (String, String) {
        let notes = reads_of_choice(&self.block.spots[at].kind)
            .and_then(|reads| self.notes_for(&format!("rs{at}$"), reads));
        self.written_noting(&notes, |writer| writer.value(value).alone())
    }

    /// What is looked at to work out what stands where.
    fn settles(&mut self) {
        let chosen: Vec<PlanRead> =
            self.block.spots.iter().flat_map(|spot| read_by(self.own.plan, &spot.kind)).collect();
        let parts = self.block.parts.iter().flat_map(|part| part.reads.paths());
        let mut asked = self.asked_among(parts.chain(&chosen));
        // Whoever stands inside reads what is up to date, and is told of what is given.
        let spots = 0..self.block.spots.len();
        if spots.into_iter().any(|at| self.readers.read_inside(at).next().is_some()) {
            asked.extend(self.readers.derived());
            asked.extend(self.store_cells());
        }
        asked.extend(self.given_cells());
        // What may have to ask is worked out only where it is needed.
        asked.retain(|cell| !self.asks(*cell));
        // Where rows stand is not looked at before their lists are at rest, unless something else is looked at.
        let (placed, fixed): (Vec<CellId>, Vec<CellId>) =
            asked.into_iter().partition(|cell| self.whole.placed.cell(self.number, *cell));
        let (mut pull, mut late) = (self.read_all(fixed), self.read_all(placed));
        for (at, spot) in self.block.spots.iter().enumerate() {
            for (which, given) in given_in(&spot.kind).enumerate() {
                if self.readers.bit(Who::Given(at, which)) != 0 && !self.given_asks(given) {
                    let placed = self.whole.placed.given(self.number, self.own.plan, given);
                    let to = if placed { &mut late } else { &mut pull };
                    to.push_str(&format!("    this.g{at}_{which}$;\n"));
                }
            }
        }
        let mut settle = String::new();
        for (at, spot) in self.block.spots.iter().enumerate() {
            settle.push_str(&match reads_of_choice(&spot.kind) {
                Some(reads) => self.asked_for(&format!("rs{at}$"), reads).0,
                None => self.read_all(self.asking_among(&read_by(self.own.plan, &spot.kind))),
            });
        }
        for (at, spot) in self.block.spots.iter().enumerate() {
            let bit = self.readers.bit(Who::Spot(at));
            if bit == 0 {
                continue;
            }
            let mark = self.mark(spot.location);
            let (declared, does) = match &spot.kind {
                SpotKind::Renamed { name, .. } => {
                    let (declared, name) = self.chosen(at, *name);
                    (declared, format!("choose(tagOf({name}))"))
                }
                SpotKind::Branch { choice: value, .. } | SpotKind::Markup { value, .. } => {
                    let (declared, value) = self.chosen(at, *value);
                    (declared, format!("choose({value})"))
                }
                SpotKind::List { .. } => (String::new(), "match()".into()),
                _ => continue,
            };
            settle.push_str(&format!(
                "    if (this.d$ & {bit}) {{ {mark}{declared}this.spots$[{at}].{does}; }}\n"
            ));
        }
        let choosing = self.readers.choosing();
        if choosing != 0 {
            settle.push_str(&format!("    this.d$ &= ~{choosing};\n"));
        }
        if !settle.is_empty() || !pull.is_empty() || !late.is_empty() {
            settle.insert_str(0, "    this.pull$();\n    this.pullLate$();\n");
        }
        for (name, text) in [("pull", pull), ("pullLate", late), ("settle", settle)] {
            if !text.is_empty() {
                self.members.push_str(&format!("  {name}$() {{\n{text}  }}\n"));
            }
        }
    }

    /// Whether items of a loop are written as wholes somewhere.
    fn written_whole_in(&self, at: usize) -> bool {
        let SpotKind::List { block, .. } = self.block.spots[at].kind else { return false };
        let plan = self.own.plan;
        let whole = |place: &Place| place.steps.is_empty() && is_item(plan, place.cell, block);
        let mut spots = plan.blocks.iter().flat_map(|block| &block.spots);
        plan.stmts.iter().any(|stmt| matches!(stmt, Stmt::Set(place, _) if whole(place)))
            || plan
                .blocks
                .iter()
                .flat_map(|block| &block.listeners)
                .any(|listener| listener.commit.as_ref().is_some_and(|commit| whole(&commit.place)))
            || spots.any(|spot| match &spot.kind {
                SpotKind::Component(used) => {
                    used.props.iter().any(|(_, given)| gives_item(plan, given, block))
                }
                _ => false,
            })
    }

    /// A loop in a spot: how it begins.
    fn list(
        &mut self,
        at: usize,
        (cell, path): (CellId, &[u32]),
        by: Option<ExprId>,
        row: &str,
    ) -> String {
        self.own.live = true;
        let (_, list) = self.written(|writer| {
            let mut text = writer.names.cell(cell).text;
            for name in path {
                text.push_str(&format!("?.{}", writer.program.names[*name as usize]));
            }
            text
        });
        self.own.live = false;
        let key = by.map_or("null".to_owned(), |by| {
            // What tells items apart reads nothing but the item.
            let own = OfItem { own: &self.own };
            let mut writer = Writer::new(self.program(), self.own.plan, &own);
            let key = writer.value(by).alone();
            let declared = writer.declarations();
            format!("(item) => {{ {declared}return {key}; }}")
        });
        let derived = match self.own.made(cell) {
            None => "false".to_owned(),
            Some(made) if made == "true" => made,
            // It is asked only where a row has gone.
            Some(made) => format!("() => {made}"),
        };
        self.members.push_str(&format!("  list{at}$() {{ return {list} ?? []; }}\n"));
        // Where the list may be gone by the time an item is written to, that is looked at first.
        if !stays(self.own.plan, cell) {
            self.own.live = true;
            let (declared, stands) = self.written(|writer| writer.standing(cell));
            self.own.live = false;
            self.members
                .push_str(&format!("  stands{at}$(called) {{\n    {declared}{stands};\n  }}\n"));
        }
        // Where items are written as wholes, it is known which list they stand in.
        if let CellKind::Derived(expr, _) = self.own.plan.cells[cell as usize].kind {
            self.own.live = true;
            let mut positions = None;
            let (declared, list) = self.written(|writer| {
                let (list, from) = writer.origin(expr);
                positions = from;
                list
            });
            self.own.live = false;
            if let (true, Some(positions)) = (self.written_whole_in(at), positions) {
                self.members.push_str(&format!(
                    "  home{at}$() {{\n    {declared}const list = {list} ?? [];\n    return [list, {positions}];\n  }}\n"
                ));
            }
        }
        format!(
            "    this.spots$[{at}] = new Rows(this, {at}, {row}, {derived}, () => this.list{at}$(), {key});\n    \
             this.spots$[{at}].begin();\n"
        )
    }
}

/// What is read to choose what stands in a spot.
fn reads_of_choice(kind: &SpotKind) -> Option<&Reads> {
    match kind {
        SpotKind::Branch { reads, .. }
        | SpotKind::Renamed { reads, .. }
        | SpotKind::Markup { reads, .. } => Some(reads),
        SpotKind::List { .. } | SpotKind::Component(_) | SpotKind::Slot { .. } => None,
    }
}
