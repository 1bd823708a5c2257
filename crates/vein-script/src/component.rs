//! A component as classes, one for each of its blocks: its state, what it shows, what comes and goes, what is heard.

use crate::code;
use crate::expression::{Notes, Writer};
use crate::hanging::{Hanging, Late};
use crate::own::Own;
use crate::readers::{Readers, alternatives, cells, repeated};
use crate::short::mark;
use crate::template::Template;
use crate::types::shapes;
use std::collections::BTreeSet;
use vein_plan::code::{CellId, Stmt};
use vein_plan::{
    Block, BlockId, CellKind, Given, Location, Next, PartKind, Plan, PlanRead, Program, Reads,
    Spot, SpotKind,
};

/// A component as a class, and what it uses of the engine.
#[derive(Clone, Debug)]
pub struct Compiled {
    /// The named record types that it holds data against.
    pub shapes: String,
    /// For each component and store in it, its number in the program, and its classes with what stands beside them. Those
    /// inside may come later, and the other way round: they name each other where they are used.
    pub modules: Vec<(u32, String)>,
    /// Whether something in it runs by itself, or waits.
    pub lively: bool,
    /// The name of the component's own class.
    pub name: String,
    /// The stores on its page, each after those that it uses: their numbers, and the names of their classes.
    pub stores: Vec<(u32, String)>,
    /// Whether something in it holds what people enter.
    pub controls: bool,
    /// The kinds of events that are heard in it.
    pub heard: BTreeSet<String>,
}

impl Compiled {
    /// All of it as one script, but for what it uses of the engine.
    pub fn text(&self) -> String {
        let modules = self.modules.iter().map(|(_, text)| text.as_str());
        let begins = if self.lively { "live();\n" } else { "" };
        [self.shapes.as_str(), begins].into_iter().chain(modules).collect()
    }

    /// Statements that have its listeners hear what happens inside of an element; each argument is an expression: the
    /// element, a function that is told of faults, and an `AbortSignal` that ends it.
    pub fn listens(&self, root: &str, failed: &str, signal: &str) -> String {
        let controls = self.controls;
        let heard = self.heard.iter().filter(|kind| !(controls && *kind == "reset"));
        let heard = heard.map(|kind| format!("hear({root}, \"{kind}\", {failed}, {signal});\n"));
        let controls = match controls {
            true => format!("hearControls({root}, {failed}, {signal});\n"),
            false => String::new(),
        };
        controls + &heard.collect::<String>()
    }
}

/// Who can do something to a page from outside, beside those who use it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Driven {
    /// Nobody.
    No,
    /// Its host: it reads, writes, calls and hears the page's own component and its stores.
    ByHost,
    /// Who holds it to the core, who writes to whatever stands in it.
    #[default]
    Inside,
}

/// Compiles a component, with all that can stand in it and the stores that they use.
///
/// # Errors
/// What one of them has that cannot be compiled yet.
pub fn component(program: &Program, plan: &Plan, driven: Driven) -> Result<Compiled, String> {
    let number = program.plans.iter().position(|known| known.name == plan.name);
    let number = number.ok_or_else(|| format!("`{}` is none of the program's", plan.name))?;
    let whole = Whole::of(program, number, driven);
    let plans = whole.plans.iter().map(|plan| &program.plans[*plan]);
    let asked = plans.clone().flat_map(|plan| &plan.asked).map(|asked| asked.result);
    let of_face = plans.filter(|known| known.store.is_some() || known.name == plan.name);
    let of_face = of_face.flat_map(|plan| {
        let params = plan.handlers.iter().flat_map(|handler| &handler.params).map(|(_, ty)| *ty);
        plan.cells.iter().map(|cell| cell.ty).chain(params)
    });
    let mut compiled = Compiled {
        shapes: shapes(program, asked.chain(of_face)),
        modules: Vec::new(),
        lively: whole.lively,
        name: class_name(&plan.name),
        stores: Vec::new(),
        controls: false,
        heard: BTreeSet::new(),
    };
    for number in &whole.plans {
        alone(&whole, *number as u32, &mut compiled)?;
        let plan = &program.plans[*number];
        if plan.store.is_some() {
            compiled.stores.push((*number as u32, class_name(&plan.name)));
        }
    }
    Ok(compiled)
}

/// Components that are compiled together.
pub(crate) struct Whole<'a> {
    pub(crate) program: &'a Program,
    /// The page's own component, and who drives it.
    root: usize,
    driven: Driven,
    plans: Vec<usize>,
    /// What hangs on what the host answers at once.
    pub(crate) asking: Hanging,
    /// What hangs on where rows stand.
    pub(crate) placed: Hanging,
    /// Whether anything runs or is asked by itself, or waits for a clock or an answer.
    pub(crate) lively: bool,
}

impl Whole<'_> {
    fn of(program: &Program, number: usize, driven: Driven) -> Whole<'_> {
        let plans = program.with_all_inside(number);
        let asking = Hanging::on(Late::Answers, program, &plans);
        let placed = Hanging::on(Late::Positions, program, &plans);
        let lively = plans.iter().any(|plan| {
            let plan = &program.plans[*plan];
            let waits = plan.stmts.iter().any(|stmt| matches!(stmt, Stmt::Await(..)));
            let listeners = plan.blocks.iter().flat_map(|block| &block.listeners);
            let settles = listeners.into_iter().any(|listener| listener.options.quiet.is_some());
            let lives = !plan.hooks.is_empty() || !plan.sources.is_empty();
            waits || settles || lives || plan.store.is_some()
        });
        Whole { program, root: number, driven, plans, asking, placed, lively }
    }

    /// Whether somebody writes to a component's state by its names.
    pub(crate) fn is_written_by_name(&self, plan: u32) -> bool {
        let known = &self.program.plans[plan as usize];
        !known.sources.is_empty() || self.is_driven(plan)
    }

    /// Whether somebody outside drives a component.
    pub(crate) fn is_driven(&self, plan: u32) -> bool {
        let own = plan as usize == self.root || self.program.plans[plan as usize].store.is_some();
        match self.driven {
            Driven::No => false,
            Driven::ByHost => own,
            Driven::Inside => true,
        }
    }

    /// Whether a component may have itself inside.
    pub(crate) fn nests(&self, plan: u32) -> bool {
        let spots = self.program.plans[plan as usize].blocks.iter().flat_map(|block| &block.spots);
        let inside = spots.filter_map(|spot| match &spot.kind {
            SpotKind::Component(used) => Some(used.plan),
            _ => None,
        });
        inside
            .into_iter()
            .any(|inner| self.program.with_all_inside(inner as usize).contains(&(plan as usize)))
    }

    /// Whether something has to be told or ended when a block goes.
    fn ends(&self, plan: u32, block: BlockId) -> bool {
        let (mut open, mut seen) = (vec![(plan, block)], BTreeSet::new());
        while let Some((number, block)) = open.pop() {
            if !seen.insert((number, block)) {
                continue;
            }
            let plan = &self.program.plans[number as usize];
            let has_life = !plan.hooks.is_empty() || !plan.sources.is_empty();
            let lives = has_life || !plan.stores_read().is_empty();
            if block == 0 && lives || plan.stmts.iter().any(|stmt| matches!(stmt, Stmt::Await(..)))
            {
                return true;
            }
            let Some(here) = plan.blocks.get(block as usize) else { continue };
            if here.listeners.iter().any(|listener| listener.options.quiet.is_some()) {
                return true;
            }
            for spot in &here.spots {
                match &spot.kind {
                    SpotKind::Slot { .. } => return true,
                    SpotKind::Component(used) => open.push((used.plan, 0)),
                    _ => {}
                }
                open.extend(alternatives(&spot.kind).into_iter().map(|block| (number, block)));
            }
        }
        false
    }
}

/// Compiles a component by itself.
fn alone(whole: &Whole<'_>, number: u32, compiled: &mut Compiled) -> Result<(), String> {
    let program = whole.program;
    let plan = &program.plans[number as usize];
    let name = class_name(&plan.name);
    let state = Readers::of(plan, 0);
    let mut text = String::new();
    // Those inside come first: they are named by those around them.
    for at in (0..plan.blocks.len().max(1) as BlockId).rev() {
        let empty = Block::default();
        let block = plan.blocks.get(at as usize).unwrap_or(&empty);
        let readers = Readers::of(plan, at);
        let own = Own { program, plan, block: at, live: false };
        let (first, members) = (String::new(), String::new());
        let (readers, state) = (&readers, &state);
        let controls = String::new();
        let mut class =
            Class { whole, number, block, own, readers, state, controls, first, members };
        text.push_str(&class.written_whole(&name)?);
        let held = |part: &vein_plan::Part| matches!(part.kind, PartKind::Property(_));
        compiled.controls |= block.parts.iter().any(held);
        compiled.heard.extend(block.listeners.iter().map(|listener| listener.event.to_string()));
    }
    compiled.modules.push((number, text));
    Ok(())
}

/// A class that is written.
pub(crate) struct Class<'a> {
    pub(crate) whole: &'a Whole<'a>,
    /// The component's number.
    pub(crate) number: u32,
    pub(crate) block: &'a Block,
    pub(crate) own: Own<'a>,
    pub(crate) readers: &'a Readers,
    /// Those of the component's own block, where its state is.
    pub(crate) state: &'a Readers,
    /// The elements of its controls, by their parts.
    pub(crate) controls: String,
    /// What its constructor does.
    pub(crate) first: String,
    /// Its getters and methods.
    pub(crate) members: String,
}

impl<'a> Class<'a> {
    pub(crate) fn program(&self) -> &'a Program {
        self.whole.program
    }

    /// The class with the markup that it copies; the component is called by a name.
    fn written_whole(&mut self, component: &str) -> Result<String, String> {
        let (plan, number) = (self.own.plan, self.own.block);
        let is_own = number == 0;
        let name = if is_own { component.to_owned() } else { format!("{component}_{number}") };
        let made = Template::of(self.block);
        self.begins();
        self.own.live = !is_own;
        self.cells()?;
        self.own.live = false;
        let is_shown = plan.store.is_none();
        let mut template = String::new();
        if is_shown {
            self.markup(&name, &made);
        }
        if is_shown && !made.html.is_empty() {
            let html = code::string(&made.html.as_str().into()).text;
            let around = made.around.map_or("null".to_owned(), |around| format!("\"{around}\""));
            let alone = if self.is_alone(&made) { ".firstChild" } else { "" };
            template = format!(
                "const T_{name} = template({html}, {around}, {}){alone};\n",
                made.has_seams
            );
        }
        if is_own && self.lives() {
            self.first.push_str("    life.born.push(this);\n");
        }
        self.spots(component);
        let deferred = self.parts(&name);
        self.first.push_str(&deferred);
        if is_own {
            self.functions();
            self.handlers();
            self.life();
        }
        self.own.live = true;
        let listeners = self.listeners();
        let outer = self.readers.of_outer(plan, number).into_iter();
        let outer = table(outer.map(|(cell, bits)| format!("{cell}: {bits}")));
        let position = |read: &PlanRead| {
            let cell = &plan.cells[read.cell as usize];
            cell.block == number && cell.kind == CellKind::Position
        };
        let listed = |all: String| if all.is_empty() { all } else { format!("[{all}]") };
        let bits = |bits: u32| if bits == 0 { String::new() } else { bits.to_string() };
        let filled = |table: String| if table == EMPTY { String::new() } else { table };
        let listeners = match listeners.is_empty() {
            true => listeners,
            false => format!("\n{listeners}  "),
        };
        let handed = self.handed();
        let item_fields = self.item_fields(&handed).unwrap_or_default();
        let hands: Vec<String> = handed.into_iter().map(|(_, hand)| hand).collect();
        let asking: Vec<String> = self.asking_spots().iter().map(usize::to_string).collect();
        let ends = self.whole.ends(self.number, number);
        let tops = self.tops(&made);
        let is_bare = repeated(plan, number).is_some() && self.is_bare_row(number);
        let mut lines = vec![
            ("called", format!("\"{}\"", plan.name)),
            ("listeners", listed(listeners)),
            ("within", bits(self.within())),
            ("outer", filled(outer)),
            ("item", bits(self.readers.of_item(plan, number))),
            ("fields", item_fields),
            ("hands", listed(hands.join(", "))),
            ("moved", bits(self.readers.where_one(position))),
            ("asking", listed(asking.join(", "))),
            ("controls", filled(std::mem::take(&mut self.controls))),
            ("ends", if ends { ends.to_string() } else { String::new() }),
            ("props", filled(self.props())),
            ("inside", filled(self.props_inside())),
            ("spots", listed(self.places())),
            ("bare", if is_bare { is_bare.to_string() } else { String::new() }),
            ("tops", if tops == "0" { String::new() } else { format!("[{tops}]") }),
        ];
        if is_own {
            lines.extend(self.life_lines());
        }
        let (base, params) = match is_own {
            true => ("Component", "held, props, page"),
            false => ("Block", "held, up, item, at"),
        };
        // What is as in most of them is not said.
        let lines = lines.into_iter().filter(|(_, value)| !value.is_empty());
        let lines: String =
            lines.map(|(name, value)| format!("  static {name} = {value};\n")).collect();
        Ok(format!(
            "{template}class {name} extends {base} {{\n{lines}  constructor({params}) {{\n{}  }}\n{}}}\n",
            self.first, self.members
        ))
    }

    /// What every scope begins with.
    fn begins(&mut self) {
        let is_own = self.own.block == 0;
        self.first.push_str(match is_own {
            true => "    super(held, page);\n",
            false => "    super(held, up, item, at);\n",
        });
        if self.whole.lively {
            self.first.push_str("    this.serial$ = turn.serial++;\n");
        }
        if !is_own {
            return;
        }
        for store in self.own.plan.stores_read() {
            self.first.push_str(&format!("    this.s{store}$ = useStore(this, {store});\n"));
        }
        if self.own.plan.store.is_some() {
            self.first.push_str("    this.users$ = new Set();\n");
        }
    }

    /// Whether an element of the block gets its name when it is made.
    fn is_renamed(&self) -> bool {
        let number = self.own.block;
        let mut spots = self.own.plan.blocks.iter().flat_map(|block| &block.spots);
        spots.any(|spot| matches!(spot.kind, SpotKind::Renamed { block, .. } if block == number))
    }

    /// Whether one node is all that it ever has at its top.
    fn is_alone(&self, made: &Template) -> bool {
        made.is_one(self.block) && !self.is_renamed()
    }

    /// The nodes that stand in it from the beginning.
    fn markup(&mut self, name: &str, made: &Template) {
        if made.html.is_empty() {
            let is_one = matches!(&self.block.spots[..], [spot] if matches!(spot.kind, SpotKind::Component(_)));
            let stands = if is_one { "standOnOne" } else { "standOnNothing" };
            return self.first.push_str(&format!("    {stands}(this);\n"));
        }
        self.first.push_str(&format!("    const top = T_{name}.cloneNode(true);\n"));
        if self.is_renamed() {
            self.first.push_str("    rename(top, item);\n");
        }
        let alone = self.is_alone(made);
        let lean = alone && repeated(self.own.plan, self.own.block).is_some();
        // Nodes that nothing is brought to at first are found when somebody asks for them.
        let shown = |mark: usize| {
            let on = |part: &vein_plan::Part| part.mark as usize == mark;
            self.block.parts.iter().any(on)
        };
        let mut known: Vec<(usize, &[usize])> = Vec::new();
        let (mut first, mut found) = (String::new(), String::new());
        for (at, way) in made.ways.iter().enumerate() {
            let stays = lean && self.is_steady(made, way);
            if stays {
                let way = self.way_in(made, way);
                found.push_str(&format!("  get n{at}$() {{ return {way}; }}\n"));
                if !shown(at) {
                    continue;
                }
            }
            let field = if stays { String::new() } else { format!(" = this.n{at}$") };
            let way_here = way_to(&known, way, alone);
            first.push_str(&format!("    const n{at}{field} = {way_here};\n"));
            known.push((at, way));
        }
        self.first.push_str(&first);
        self.members.push_str(&found);
        let stands = if alone { "standOn" } else { "standOnAll" };
        self.first.push_str(&format!("    {stands}(this, top);\n"));
    }

    /// The shortest way to a node that stands still, from the one at the top.
    fn way_in(&self, made: &Template, way: &[usize]) -> String {
        let mut text = "this.top$".to_owned();
        for deep in 1..way.len() {
            let grows = self.spots_in(made, &way[..deep]).next().is_some();
            let (before, all) = (way[deep], made.children(&way[..deep]));
            match all - 1 - before {
                behind if behind < before && !grows => {
                    text.push_str(".lastChild");
                    text.push_str(&".previousSibling".repeat(behind));
                }
                _ => {
                    text.push_str(".firstChild");
                    text.push_str(&".nextSibling".repeat(before));
                }
            }
        }
        text
    }

    /// Whether the same way leads to a node for as long as it stands: nothing comes and goes before it, or around it.
    fn is_steady(&self, made: &Template, way: &[usize]) -> bool {
        (1..way.len()).all(|deep| {
            self.spots_in(made, &way[..deep]).all(|spot| !matches!(spot.next, Next::Node(_)))
        })
    }

    /// Where something comes and goes among the children of an element.
    fn spots_in<'m>(
        &'m self,
        made: &'m Template,
        way: &'m [usize],
    ) -> impl Iterator<Item = &'m Spot> {
        let parent =
            |spot: &&Spot| spot.parent.map(|mark| &made.ways[mark as usize][..]) == Some(way);
        self.block.spots.iter().filter(parent)
    }

    /// Writes code of the component: what has to be declared around it, and its text.
    pub(crate) fn written(
        &mut self,
        what: impl FnOnce(&mut Writer<'_>) -> String,
    ) -> (String, String) {
        let mut writer = Writer::new(self.program(), self.own.plan, &self.own);
        writer.readers = Some(self.state);
        writer.marks = Some(self.number);
        let text = what(&mut writer);
        (writer.declarations(), text)
    }

    /// Writes code of the component that notes what it looks at: what begins to note, with what has to be declared, and its text.
    pub(crate) fn written_noting(
        &mut self,
        notes: &Option<Notes>,
        what: impl FnOnce(&mut Writer<'_>) -> String,
    ) -> (String, String) {
        let (declared, text) = self.written(|writer| {
            writer.notes.clone_from(notes);
            what(writer)
        });
        (notes.as_ref().map_or(String::new(), Notes::begin) + &declared, text)
    }

    /// A mark of where what follows was written.
    pub(crate) fn mark(&self, at: Location) -> String {
        mark(self.number, at)
    }

    /// Whether a cell's value may have to be asked for.
    pub(crate) fn asks(&self, cell: CellId) -> bool {
        self.whole.asking.cell(self.number, cell)
    }

    /// The cells of the block that somebody else gives.
    pub(crate) fn given_cells(&self) -> Vec<CellId> {
        let cells =
            (0..).zip(&self.own.plan.cells).filter(|(_, cell)| cell.block == self.own.block);
        let given = cells.filter(|(_, cell)| {
            matches!(cell.kind, CellKind::Prop(_) | CellKind::Shared(_) | CellKind::Handed)
        });
        given.map(|(number, _)| number).collect()
    }

    /// The cells of the block that stand for derived values of stores.
    pub(crate) fn store_cells(&self) -> Vec<CellId> {
        let cells =
            (0..).zip(&self.own.plan.cells).filter(|(_, cell)| cell.block == self.own.block);
        let derived = cells.filter(|(_, cell)| match cell.kind {
            CellKind::Store(store, cell) => {
                let cell = &self.program().plans[store as usize].cells[cell as usize];
                matches!(cell.kind, CellKind::Derived(..))
            }
            _ => false,
        });
        derived.map(|(number, _)| number).collect()
    }

    /// The cells of the block that have to be asked for what they are: derived ones, and what is given.
    pub(crate) fn all_asked(&self) -> BTreeSet<CellId> {
        let mut asked: BTreeSet<CellId> = self.readers.derived().collect();
        asked.extend(self.given_cells());
        asked.extend(self.store_cells());
        asked
    }

    /// Those among some reads.
    pub(crate) fn asked_among<'r>(
        &self,
        reads: impl IntoIterator<Item = &'r PlanRead>,
    ) -> BTreeSet<CellId> {
        cells(reads).intersection(&self.all_asked()).copied().collect()
    }

    /// Those among some reads, of the block or of what is around it, that may have to ask the host.
    pub(crate) fn asking_among<'r>(
        &self,
        reads: impl IntoIterator<Item = &'r PlanRead>,
    ) -> BTreeSet<CellId> {
        let mut asking = cells(reads);
        asking.retain(|cell| {
            let kind = &self.own.plan.cells[*cell as usize].kind;
            self.asks(*cell) && !matches!(kind, CellKind::Item | CellKind::Position)
        });
        asking
    }

    /// What has those cells brought up to date that a reader looks at and that may have to ask the host. Where it looks at them
    /// only under conditions, those are asked that it looked at last, and what it looks at is noted in a field.
    pub(crate) fn asked_for(&mut self, field: &str, reads: &Reads) -> (String, Option<Notes>) {
        let Some(notes) = self.notes_for(field, reads) else {
            return (self.read_all(self.asking_among(reads.paths())), None);
        };
        let asks = notes.cells.iter().enumerate().map(|(at, cell)| {
            let code = crate::expression::Names::cell(&self.own, *cell);
            format!("    if (this.{field} & {}) {};\n", 1 << at, code.text)
        });
        (asks.collect(), Some(notes))
    }

    /// Where it is noted which of the cells that may have to ask the host a reader looks at, if it looks at them only under
    /// conditions.
    pub(crate) fn notes_for(&self, field: &str, reads: &Reads) -> Option<Notes> {
        let cells: Vec<CellId> = self.asking_among(reads.paths()).into_iter().collect();
        let is_fixed = matches!(reads, Reads::Fixed(_));
        let fits = !cells.is_empty() && cells.len() <= MOST_NOTED && !is_fixed;
        fits.then(|| Notes { field: field.to_owned(), cells })
    }

    /// Has cells of the block brought up to date.
    pub(crate) fn read_all(&self, cells: impl IntoIterator<Item = CellId>) -> String {
        let cell = |cell| {
            let code = crate::expression::Names::cell(&self.own, cell);
            format!("    {};\n", code.text)
        };
        cells.into_iter().map(cell).collect()
    }

    /// What is given to the component in a spot, or handed back by a slot, that may have to be asked for.
    pub(crate) fn given_asks(&self, given: &Given) -> bool {
        self.whole.asking.given(self.number, self.own.plan, given)
    }
}

/// How many cells can be noted: a bit of a number each.
const MOST_NOTED: usize = 30;

/// The way to a node from those that are known already, or from the top.
fn way_to(known: &[(usize, &[usize])], way: &[usize], alone: bool) -> String {
    if let Some((at, _)) = known.iter().find(|(_, other)| *other == way) {
        return format!("n{at}");
    }
    let Some((child, around)) = way.split_last() else { return "top".into() };
    if alone && around.is_empty() {
        return "top".into();
    }
    let beside = known.iter().filter_map(|(at, other)| match other.split_last() {
        Some((other, parent)) if parent == around && other < child => Some((*other, *at)),
        _ => None,
    });
    match beside.max() {
        Some((other, at)) => format!("n{at}{}", ".nextSibling".repeat(child - other)),
        None => {
            let around = way_to(known, around, alone);
            format!("{around}.firstChild{}", ".nextSibling".repeat(*child))
        }
    }
}

/// What a function begins with: the variables that have to be declared, if there are any.
pub(crate) fn begun(mark: &str, declared: &str) -> String {
    if declared.is_empty() { String::new() } else { format!("    {mark}{declared}\n") }
}

/// A table of no fields.
pub(crate) const EMPTY: &str = "{ __proto__: null }";

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
