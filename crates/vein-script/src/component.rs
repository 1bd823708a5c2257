//! A component as classes, one for each of its blocks: its state, what it shows, what comes and goes, what is heard.

use crate::code;
use crate::expression::Writer;
use crate::given::both_ways;
use crate::kind::Kind;
use crate::own::{OfItem, Own};
use crate::readers::{Readers, Who, alternatives, cells, given_in};
use crate::shown::{first_set, is_shown, set, shown};
use crate::template::Template;
use std::collections::BTreeSet;
use vein_plan::code::{CellId, ExprId, Stmt};
use vein_plan::{
    Block, BlockId, CellKind, Given, Listener, ListenerOptions, Next, Plan, PlanRead, Program,
    Spot, SpotKind, Type, Use,
};

/// A component as a class, and what it uses of the engine.
#[derive(Clone, Debug)]
pub struct Compiled {
    /// The classes and what stands beside them.
    pub text: String,
    /// The name of the component's own class.
    pub name: String,
    /// Functions of the engine that it uses.
    pub used: BTreeSet<&'static str>,
    /// The kinds of events that are heard in it.
    pub heard: BTreeSet<String>,
}

/// Compiles a component, and those that stand in it.
///
/// # Errors
/// What one of them has that cannot be compiled yet.
pub fn component(program: &Program, plan: &Plan) -> Result<Compiled, String> {
    let mut whole = Compiled {
        text: String::new(),
        name: class_name(&plan.name),
        used: BTreeSet::new(),
        heard: BTreeSet::new(),
    };
    let (mut seen, mut open) = (BTreeSet::new(), vec![(plan, vec![plan.name.clone()])]);
    while let Some((plan, around)) = open.pop() {
        for used in plan.blocks.iter().flat_map(|block| &block.spots).filter_map(used_in) {
            let inner = &program.plans[used.plan as usize];
            if around.contains(&inner.name) {
                return Err(format!("`{}` stands in itself", inner.name));
            }
            open.push((inner, [&around[..], std::slice::from_ref(&inner.name)].concat()));
        }
        if seen.insert(plan.name.clone()) {
            let compiled = alone(program, plan)?;
            whole.text.push_str(&compiled.text);
            whole.used.extend(compiled.used);
            whole.heard.extend(compiled.heard);
        }
    }
    Ok(whole)
}

/// The component in a spot.
fn used_in(spot: &Spot) -> Option<&Use> {
    match &spot.kind {
        SpotKind::Component(used) => Some(used),
        _ => None,
    }
}

/// Compiles a component by itself.
fn alone(program: &Program, plan: &Plan) -> Result<Compiled, String> {
    if plan.blocks.is_empty() {
        return Err("it shows nothing".into());
    }
    let lives =
        !plan.hooks.is_empty() || !plan.sources.is_empty() || !plan.stores_read().is_empty();
    if lives || plan.store.is_some() {
        return Err("it lives by itself".into());
    }
    // Without questions nothing waits, either.
    if !plan.asked.is_empty() {
        return Err("it asks something of the host".into());
    }
    plan.blocks.iter().try_for_each(|block| is_known(program, plan, block))?;
    let name = class_name(&plan.name);
    let state = Readers::of(plan, 0);
    let (mut text, mut used, mut heard) = (String::new(), BTreeSet::new(), BTreeSet::new());
    // Those inside come first: they are named by those around them.
    for number in (0..plan.blocks.len() as BlockId).rev() {
        let block = &plan.blocks[number as usize];
        let readers = Readers::of(plan, number);
        let own = Own { plan, block: number, live: false };
        let (first, members) = (String::new(), String::new());
        let mut class =
            Class { program, block, own, readers: &readers, state: &state, used, first, members };
        text.push_str(&class.written_whole(&name)?);
        used = class.used;
        heard.extend(block.listeners.iter().map(|listener| listener.event.to_string()));
    }
    used.extend([
        "template", "hear", "turnOver", "call", "put", "mark", "same", "undo", "standIn", "hand",
        "NOTHING",
    ]);
    Ok(Compiled { text, name, used, heard })
}

/// Whether a block has nothing but what can be compiled.
fn is_known(program: &Program, plan: &Plan, block: &Block) -> Result<(), String> {
    if let Some(part) = block.parts.iter().find(|part| !is_shown(&part.kind)) {
        return Err(format!("`{}` cannot be shown yet", part.address));
    }
    for spot in &block.spots {
        let known = match &spot.kind {
            SpotKind::Branch { .. } => true,
            SpotKind::List { block, .. } => {
                let whole = |stmt: &Stmt| match stmt {
                    Stmt::Set(place, _) | Stmt::Edit(place, _) => {
                        let cell = &plan.cells[place.cell as usize];
                        place.steps.is_empty()
                            && cell.kind == CellKind::Item
                            && cell.block == *block
                    }
                    _ => false,
                };
                !plan.stmts.iter().any(whole)
            }
            SpotKind::Component(used) => {
                // What stands for a whole item has nothing around it that could be written to; how deep a value may
                // nest hangs on where it goes.
                let inner = &program.plans[used.plan as usize];
                let odd = |(cell, given): &(CellId, Given)| {
                    let Some((from, path)) = both_ways(inner, *cell, given) else { return false };
                    let kind = Kind::of(program, inner.cells[*cell as usize].ty);
                    let is_item = plan.cells[from as usize].kind == CellKind::Item;
                    path.is_empty() && is_item || !path.is_empty() && kind.nests(program)
                };
                !used.props.iter().any(odd)
            }
            SpotKind::Slot { .. } | SpotKind::Renamed { .. } => true,
            _ => false,
        };
        if !known {
            return Err(format!(
                "`{}` comes and goes in a way that cannot be compiled yet",
                spot.address
            ));
        }
    }
    let waits = |listener: &Listener| listener.options.settle.is_some();
    if block.listeners.iter().any(|l| l.commit.is_some() || waits(l)) {
        return Err("it has a control that is bound both ways, or listens after a while".into());
    }
    Ok(())
}

/// A class that is written.
pub(crate) struct Class<'a> {
    pub(crate) program: &'a Program,
    pub(crate) block: &'a Block,
    pub(crate) own: Own<'a>,
    pub(crate) readers: &'a Readers,
    /// Those of the component's own block, where its state is.
    pub(crate) state: &'a Readers,
    pub(crate) used: BTreeSet<&'static str>,
    /// What its constructor does.
    pub(crate) first: String,
    /// Its getters and methods.
    pub(crate) members: String,
}

impl Class<'_> {
    /// The class with the markup that it copies; the component is called by a name.
    fn written_whole(&mut self, component: &str) -> Result<String, String> {
        let (plan, number) = (self.own.plan, self.own.block);
        let is_own = number == 0;
        let name = if is_own { component.to_owned() } else { format!("{component}_{number}") };
        let made = Template::of(self.block);
        self.own.live = !is_own;
        self.cells()?;
        self.own.live = false;
        self.first.push_str(&format!("    const top = T_{name}.cloneNode(true);\n"));
        let spots = plan.blocks.iter().flat_map(|block| &block.spots);
        let mut renamed = spots
            .filter(|spot| matches!(spot.kind, SpotKind::Renamed { block, .. } if block == number));
        if renamed.next().is_some() {
            self.first.push_str("    rename(top, props.tag);\n");
            self.used.insert("rename");
        }
        self.nodes(&made);
        self.first.push_str(
            "    this.top$ = [...top.childNodes];\n    for (const node of this.top$) node.scope$ = this;\n    \
             this.made$ = top;\n",
        );
        self.parts();
        self.spots(component);
        if is_own {
            self.handlers();
        }
        self.own.live = true;
        let listeners = self.listeners();
        let html = code::string(&made.html.as_str().into()).text;
        let around = made.around.map_or("null".to_owned(), |around| format!("\"{around}\""));
        let begins = match is_own {
            true => {
                "    this.up$ = null;\n    const given = held?.scope.constructor.spots[held.number];\n    \
                 this.ways$ = given?.gives ?? NOTHING;\n    this.bound$ = given?.bound ?? NOTHING;\n"
            }
            false => {
                "    this.up$ = props?.up ?? held.scope;\n    this.item$ = props?.item;\n    this.at$ = props?.at;\n"
            }
        };
        let (within, outer) = (self.within(), self.readers.of_outer(plan, number));
        Ok(format!(
            "const T_{name} = template({html}, {around}, {});\nclass {name} {{\n  \
             static listeners = [\n{listeners}  ];\n  static within = {within};\n  static outer = {outer};\n  \
             static props = {};\n  static spots = [{}];\n  static tops = [{}];\n  constructor(held, props) {{\n    \
             this.held$ = held;\n    this.depth$ = held === null ? 0 : held.scope.depth$ + 1;\n    this.d$ = 0;\n    \
             this.alive$ = true;\n{begins}{}  }}\n{}}}\n",
            made.has_seams,
            self.props(),
            self.places(),
            self.tops(&made),
            self.first,
            self.members
        ))
    }

    /// Those readers that stand inside of a spot; who repeats it is told as they are.
    fn inside(&self, at: usize, spot: &Spot) -> u32 {
        let repeats = match spot.kind {
            SpotKind::List { .. } => self.readers.bit(Who::Spot(at)),
            _ => 0,
        };
        self.readers.bit(Who::Inside(at)) | repeats
    }

    /// Those readers that stand inside of spots, or have fields of their own.
    fn within(&self) -> u32 {
        let spots = self.block.spots.iter().enumerate();
        let inside = spots.map(|(at, spot)| self.inside(at, spot));
        let flagged = self.readers.flagged().map(|(_, bit)| bit);
        inside.chain(flagged).fold(0, |bits, bit| bits | bit)
    }

    /// Who reads each prop.
    fn props(&self) -> String {
        let given = self.given_cells().into_iter();
        table(given.map(|number| {
            code::field(&self.own.property(number), &self.readers.of_cell(number).to_string())
        }))
    }

    /// The cells of the block that somebody else gives.
    fn given_cells(&self) -> Vec<CellId> {
        let cells =
            (0..).zip(&self.own.plan.cells).filter(|(_, cell)| cell.block == self.own.block);
        let given = cells.filter(|(_, cell)| {
            matches!(cell.kind, CellKind::Prop(_) | CellKind::Shared(_) | CellKind::Handed)
        });
        given.map(|(number, _)| number).collect()
    }

    /// Where the nodes of each spot go.
    fn places(&self) -> String {
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
                    let gives = values.iter().enumerate().map(|(which, (name, _))| {
                        let own = crate::own::own_name(name, || name.to_string());
                        code::field(&own, &format!("\"g{at}_{which}$\""))
                    });
                    format!(", gives: {}", table(gives))
                }
                _ => String::new(),
            };
            format!("{{ parent: {parent}, next: {next}{gives} }}")
        };
        self.block.spots.iter().enumerate().map(place).collect::<Vec<_>>().join(", ")
    }

    /// What stands at the top of the block, in order: nodes by their positions, spots in brackets.
    fn tops(&self, made: &Template) -> String {
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
    fn spots(&mut self, component: &str) {
        let mut forward = String::new();
        for (who, bit) in self.readers.flagged() {
            let flag = who.flag();
            self.first.push_str(&format!("    this.{flag} = false;\n"));
            forward.push_str(&format!("    if (bits & {bit}) put(this, \"{flag}\", true);\n"));
        }
        let mut begins = Vec::new();
        for (at, spot) in self.block.spots.iter().enumerate() {
            let inside = self.inside(at, spot);
            if inside != 0 {
                forward.push_str(&format!("    if (bits & {inside}) this.spots$[{at}].tell();\n"));
            }
            begins.push(match &spot.kind {
                SpotKind::Component(used) => self.component(at, used),
                SpotKind::Slot { name, values, fallback } => {
                    for (which, (name, given)) in values.iter().enumerate() {
                        let own = crate::own::own_name(name, || name.to_string());
                        self.given(at, which, &own, given);
                    }
                    self.used.insert("Slot");
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
                    self.used.extend(["Renamed", "tagOf"]);
                    let (declared, name) = self.written(|writer| writer.value(*name).alone());
                    format!(
                        "    this.spots$[{at}] = new Renamed(this, {at});\n    \
                         {{ {declared}this.spots$[{at}].begin({component}_{block}, tagOf({name})); }}\n"
                    )
                }
                SpotKind::Branch { choice, .. } => {
                    let kinds = alternatives(&spot.kind).into_iter();
                    let kinds: Vec<String> =
                        kinds.map(|at| format!("{component}_{at}")).collect();
                    self.used.insert("Branch");
                    let (declared, choice) = self.written(|writer| writer.value(*choice).alone());
                    format!(
                        "    this.spots$[{at}] = new Branch(this, {at});\n    \
                         {{ {declared}this.spots$[{at}].begin([{}], {choice}); }}\n",
                        kinds.join(", ")
                    )
                }
                _ => continue,
            });
        }
        self.first.push_str("    this.spots$ = [];\n");
        // What stands after a spot is there before it.
        begins.iter().rev().for_each(|begin| self.first.push_str(begin));
        self.members.push_str(&format!("  forward$(bits) {{\n{forward}  }}\n"));
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
            let mut writer = Writer::new(self.program, self.own.plan, &own);
            let key = writer.value(by).alone();
            self.used.append(&mut writer.used);
            let declared = writer.declarations();
            format!("(item) => {{ {declared}return {key}; }}")
        });
        self.used.extend(["Rows", "itemOf", "positionOf", "standing"]);
        self.members.push_str(&format!("  list{at}$() {{ return {list} ?? []; }}\n"));
        let bit = self.readers.bit(Who::Spot(at));
        format!(
            "    this.spots$[{at}] = new Rows(this, {at}, {row}, () => this.list{at}$(), {key}, {bit});\n    \
             this.spots$[{at}].begin();\n"
        )
    }

    /// Writes code of the component: what has to be declared around it, and its text.
    pub(crate) fn written(
        &mut self,
        what: impl FnOnce(&mut Writer<'_>) -> String,
    ) -> (String, String) {
        let mut writer = Writer::new(self.program, self.own.plan, &self.own);
        writer.readers = Some(self.state);
        let text = what(&mut writer);
        self.used.append(&mut writer.used);
        (writer.declarations(), text)
    }

    /// What it holds and derives. Each value stands after those that it reads.
    fn cells(&mut self) -> Result<(), String> {
        let mut setters = String::new();
        for (number, cell) in (0..).zip(&self.own.plan.cells) {
            if cell.block != self.own.block {
                continue;
            }
            let property = self.own.property(number);
            let (given, start) = match &cell.kind {
                CellKind::Prop(start) | CellKind::Shared(start) => (true, *start),
                CellKind::State(start) => (false, Some(*start)),
                CellKind::Derived(expr, reads) => {
                    self.derived(number, *expr, reads.paths());
                    continue;
                }
                CellKind::Item | CellKind::Position => continue,
                CellKind::Handed => {
                    self.members.push_str(&format!(
                        "  get {property}() {{\n    const {{ scope, number }} = this.held$;\n    \
                         const way = scope.constructor.spots[number].gives.{property};\n    \
                         return way === undefined ? null : scope[way];\n  }}\n"
                    ));
                    continue;
                }
                _ => return Err(format!("`{}` belongs to what comes and goes", cell.name)),
            };
            let (declared, start) = match start {
                Some(start) => self.written(|writer| writer.owned(start).alone()),
                None => (String::new(), "null".into()),
            };
            let name = code::string(&(&*cell.name).into()).text;
            let woken = self.readers.of_cell(number);
            let mut place = format!("this, \"{property}\"");
            let mut marks = format!("mark(this, {woken})");
            if let CellKind::Shared(_) = cell.kind {
                // What it is given it begins with, unless that is bound both ways: then it stays there.
                self.used.insert("tell");
                place = format!("...this.b{number}$({name})");
                marks = format!("tell(this, \"{property}\", {woken})");
                self.first.push_str(&format!(
                    "    {declared}this.p{number}$ = \"{property}\" in this.bound$ ? null : \
                     \"{property}\" in this.ways$ ? held.scope[this.ways$.{property}] : Object.hasOwn(props, {name}) ? \
                     props[{name}] : {start};\n"
                ));
                self.members.push_str(&format!(
                    "  get {property}() {{\n    return \"{property}\" in this.bound$ ? \
                     this.held$.scope[this.ways$.{property}] : this.p{number}$;\n  }}\n  \
                     b{number}$(called) {{\n    return \"{property}\" in this.bound$ ? \
                     this.held$.scope[this.bound$.{property}[0]](called) : [this, \"p{number}$\"];\n  }}\n"
                ));
            } else if given {
                // What the component around it gives stays there.
                self.first.push_str(&format!(
                    "    {declared}this.p{number}$ = \"{property}\" in this.ways$ ? null : Object.hasOwn(props, {name}) ? \
                     props[{name}] : {start};\n"
                ));
                self.members.push_str(&format!(
                    "  get {property}() {{\n    const way = this.ways$.{property};\n    \
                     return way === undefined ? this.p{number}$ : this.held$.scope[way];\n  }}\n  \
                     set {property}(value) {{ this.p{number}$ = value; }}\n"
                ));
            } else {
                self.first.push_str(&format!("    {declared}this.{property} = {start};\n"));
            }
            setters.push_str(&format!(
                "      case {name}: if (put({place}, value)) {marks}; break;\n"
            ));
        }
        if self.own.block > 0 {
            return Ok(());
        }
        self.members.push_str(&format!(
            "  put$(name, value) {{\n    switch (name) {{\n{setters}    }}\n  }}\n  \
             give$(event, args) {{\n    if (this.held$ === null) this.given$?.(event, args);\n    \
             else hand(this.held$, event, args);\n  }}\n"
        ));
        Ok(())
    }

    /// A derived value: worked out again when it is asked for, once what it reads was written.
    fn derived(&mut self, number: CellId, expr: ExprId, reads: &[PlanRead]) {
        let mut shares = false;
        let (declared, value) = self.written(|writer| {
            shares = writer.shares(expr);
            writer.value(expr).alone()
        });
        let (property, kept) = (self.own.property(number), format!("this.w{number}$"));
        self.first.push_str(&format!("    {{ {declared}{kept} = {value}; }}\n"));
        // Those that it reads are brought up to date first: they may come out as they were.
        let above = self.read_all(self.asked_among(reads));
        let (has, looked) = self.asked(Who::Derived(number));
        let woken = self.readers.of_cell(number);
        let test = if shares { "true".to_owned() } else { format!("!same(value, {kept})") };
        self.members.push_str(&format!(
            "  get {property}() {{\n{above}    if ({has}) {{\n      {looked}\n      \
             {declared}const value = {value};\n      if ({test}) {{\n        \
             undo.push(this, \"w{number}$\", {kept});\n        {kept} = value;\n        \
             mark(this, {woken});\n      }}\n    }}\n    return {kept};\n  }}\n"
        ));
    }

    /// The cells among some reads that have to be asked for what they are: derived ones, and what is given.
    fn asked_among<'r>(&self, reads: impl IntoIterator<Item = &'r PlanRead>) -> BTreeSet<CellId> {
        let mut asked: BTreeSet<CellId> = self.readers.derived().collect();
        asked.extend(self.given_cells());
        cells(reads).intersection(&asked).copied().collect()
    }

    /// Has cells of the block brought up to date.
    fn read_all(&self, cells: BTreeSet<CellId>) -> String {
        cells.into_iter().map(|cell| format!("    this.{};\n", self.own.property(cell))).collect()
    }

    /// The nodes that something refers to.
    fn nodes(&mut self, made: &Template) {
        for (at, way) in made.ways.iter().enumerate() {
            let way: String = way.iter().map(|child| format!(".childNodes[{child}]")).collect();
            self.first.push_str(&format!("    this.n{at}$ = top{way};\n"));
        }
    }

    /// What it shows, first and whenever something is marked. The document is touched once everything is worked out.
    fn parts(&mut self) {
        let (mut show, mut setters) = (String::new(), String::new());
        let spots = self.block.spots.iter();
        let chosen = spots.flat_map(|spot| crate::readers::read_by(&spot.kind));
        let chosen: Vec<PlanRead> = chosen.collect();
        let parts = self.block.parts.iter().flat_map(|part| part.reads.paths());
        let mut asked = self.asked_among(parts.chain(&chosen));
        // Whoever stands inside reads what is up to date, and is told of what is given.
        if (0..self.block.spots.len()).any(|at| self.readers.bit(Who::Inside(at)) != 0) {
            asked.extend(self.readers.derived());
        }
        asked.extend(self.given_cells());
        show.push_str(&self.read_all(asked));
        for (at, part) in self.block.parts.iter().enumerate() {
            let bit = self.readers.bit(Who::Part(at));
            let (declared, value) = self.written(|writer| shown(writer, part));
            let node = format!("this.n{}$", part.mark);
            let set = set(&node, &part.kind, "value");
            self.first.push_str(&format!(
                "    {{ {declared}const value = this.v{at}$ = {value}; {} }}\n",
                first_set(&node, &part.kind, &set)
            ));
            if bit == 0 {
                continue;
            }
            setters.push_str(&format!("  set{at}$() {{ const value = this.v{at}$; {set} }}\n"));
            show.push_str(&format!(
                "    if (this.d$ & {bit}) {{ {declared}keep(this, \"v{at}$\", {value}, \"set{at}$\"); }}\n"
            ));
            self.used.insert("keep");
        }
        for (at, spot) in self.block.spots.iter().enumerate() {
            for which in 0..given_in(&spot.kind).count() {
                if self.readers.bit(Who::Given(at, which)) != 0 {
                    show.push_str(&format!("    this.g{at}_{which}$;\n"));
                }
            }
            let bit = self.readers.bit(Who::Spot(at));
            if bit == 0 {
                continue;
            }
            let (declared, does) = match &spot.kind {
                SpotKind::Renamed { name, .. } => {
                    let (declared, name) = self.written(|writer| writer.value(*name).alone());
                    (declared, format!("choose(tagOf({name}))"))
                }
                SpotKind::Branch { choice, .. } => {
                    let (declared, choice) = self.written(|writer| writer.value(*choice).alone());
                    (declared, format!("choose({choice})"))
                }
                SpotKind::List { .. } => (String::new(), "match()".into()),
                _ => continue,
            };
            show.push_str(&format!(
                "    if (this.d$ & {bit}) {{ {declared}this.spots$[{at}].{does}; }}\n"
            ));
        }
        // Derived values that nothing shows stay marked until somebody asks.
        let flagged: Vec<Who> = self.readers.flagged().map(|(who, _)| who).collect();
        let derived = self.readers.derived().map(Who::Derived).filter(|who| !flagged.contains(who));
        let derived = derived.map(|who| self.readers.bit(who));
        let asked_later = derived.fold(0, |bits, bit| bits | bit);
        self.members.push_str(&format!(
            "{setters}  show$() {{\n{show}    this.d$ &= {asked_later};\n  }}\n"
        ));
    }

    fn handlers(&mut self) {
        self.own.live = true;
        for (number, handler) in (0..).zip(&self.own.plan.handlers) {
            let mut params = String::new();
            let (declared, text) = self.written(|writer| {
                let (names, text) = writer.handler(handler, 2);
                params = names;
                text
            });
            let method = self.own.method(number);
            self.members
                .push_str(&format!("  {method}({params}) {{\n    {declared}\n{text}  }}\n"));
        }
    }

    /// What listens on its elements, as the items of a list.
    fn listeners(&mut self) -> String {
        let mut listeners = String::new();
        for (at, listener) in self.block.listeners.iter().enumerate() {
            let kinds = listener.fields.iter().filter_map(|field| {
                let names = &self.program.names;
                let id = names.iter().position(|known| &**known == field.name())?;
                let kind = match field.ty() {
                    Type::Boolean => Kind::Boolean,
                    Type::Number => Kind::Number,
                    _ => Kind::String,
                };
                Some((id as u32, kind))
            });
            let kind = Kind::Record(kinds.collect::<Vec<_>>().into());
            let (declared, text) = self.written(|writer| {
                writer.bind(0, "v0", kind);
                writer.statements(&listener.body, 2)
            });
            let fields = listener.fields.iter().map(|field| {
                let empty = match field.ty() {
                    Type::Boolean => "false",
                    Type::Number => "0",
                    _ => "\"\"",
                };
                let name = field.name();
                code::field(name, &format!("fieldOf(event, \"{name}\", {empty})"))
            });
            let fields: Vec<String> = fields.collect();
            let looks = match fields.is_empty() {
                true => String::new(),
                false => {
                    self.used.insert("fieldOf");
                    format!("    const v0 = {{ {} }};\n", fields.join(", "))
                }
            };
            self.members
                .push_str(&format!("  l{at}$(event) {{\n    {declared}\n{looks}{text}  }}\n"));
            let ListenerOptions { prevent, stop, own, key, once, .. } = &listener.options;
            let once = if *once { format!("\"o{at}$\"") } else { "null".to_owned() };
            let key =
                key.as_ref().map_or("null".to_owned(), |key| code::string(&(&**key).into()).text);
            listeners.push_str(&format!(
                "    {{ kind: \"{}\", node: \"n{}$\", prevent: {prevent}, stop: {stop}, own: {own}, key: {key}, \
                 once: {once}, run: (scope, event) => scope.l{at}$(event) }},\n",
                listener.event, listener.mark
            ));
        }
        listeners
    }
}

/// A table of fields that has nothing else in it.
pub(crate) fn table(fields: impl Iterator<Item = String>) -> String {
    let all: Vec<String> = std::iter::once("__proto__: null".to_owned()).chain(fields).collect();
    format!("{{ {} }}", all.join(", "))
}

/// `bed-card` as `BedCard`.
pub(crate) fn class_name(name: &str) -> String {
    let pieces = name.split(['-', '.']).map(|piece| {
        let mut chars = piece.chars();
        chars.next().map_or(String::new(), |first| first.to_uppercase().chain(chars).collect())
    });
    pieces.collect()
}
