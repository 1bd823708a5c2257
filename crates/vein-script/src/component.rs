//! A component as a class. So far one that shows its own elements alone: nothing in it comes and goes.

use crate::code::{self, Code};
use crate::expression::{Names, Writer};
use crate::template::Template;
use std::collections::BTreeSet;
use vein_plan::code::{CellId, ExprId, Place, PlaceStep};
use vein_plan::{
    Block, CellKind, Extent, Form, Part, PartKind, Plan, PlanRead, Program, Property, ReadStep,
};

/// A component as a class, and what it uses of the engine.
#[derive(Clone, Debug)]
pub struct Compiled {
    /// The class and what stands beside it.
    pub text: String,
    /// The class's name.
    pub name: String,
    /// Functions of the engine that it uses.
    pub used: BTreeSet<&'static str>,
    /// The kinds of events that are heard in it.
    pub heard: BTreeSet<String>,
}

/// What a component calls its own.
pub(crate) struct Own<'a> {
    plan: &'a Plan,
}

impl Own<'_> {
    fn property(&self, cell: CellId) -> String {
        own_name(&self.plan.cells[cell as usize].name, || format!("c{cell}$"))
    }

    fn method(&self, handler: u32) -> String {
        own_name(&self.plan.handlers[handler as usize].name, || format!("h{handler}$"))
    }
}

/// What something is called in a class: its name, unless that means something else there. The engine's own names have a
/// `$` in them.
fn own_name(name: &str, or: impl FnOnce() -> String) -> String {
    let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    if plain && !matches!(name, "constructor" | "__proto__") { name.to_owned() } else { or() }
}

impl Names for Own<'_> {
    fn cell(&self, cell: CellId) -> Code {
        Code::tight(format!("this.{}", self.property(cell)))
    }

    fn ask(&self, asked: u32, args: &[String]) -> Code {
        let name = &self.plan.asked[asked as usize].name;
        Code::tight(format!("this.host$.{name}({})", args.join(", ")))
    }

    fn place(&self, cell: CellId) -> (String, String) {
        ("this".into(), self.property(cell))
    }

    fn call(&self, handler: u32, args: &[String]) -> Code {
        let name = &self.plan.handlers[handler as usize].name;
        let args: String = args.iter().map(|arg| format!(", {arg}")).collect();
        let method = self.method(handler);
        Code::tight(format!("call(\"{name}\", (...args) => this.{method}(...args){args})"))
    }

    fn call_store(&self, store: u32, handler: u32, args: &[String]) -> Code {
        let args: String = args.iter().map(|arg| format!(", {arg}")).collect();
        Code::tight(format!("this.stores$[{store}].call$({handler}{args})"))
    }

    fn reload(&self, source: u32) -> Code {
        Code::tight(format!("this.reload$({source})"))
    }

    fn give(&self, event: u32, args: &[String]) -> Code {
        let name = &self.plan.events[event as usize].name;
        Code::tight(format!("this.give$(\"{name}\", [{}])", args.join(", ")))
    }
}

/// Who reads: a derived value, or a part.
struct Reader<'a> {
    reads: &'a [PlanRead],
    bit: u32,
}

/// Which readers of a component a write wakes, by their bits.
pub(crate) struct Readers<'a> {
    all: Vec<Reader<'a>>,
    /// How many of them are derived values, which stand first.
    derived: Vec<CellId>,
}

impl<'a> Readers<'a> {
    fn of(plan: &'a Plan) -> Readers<'a> {
        let derived = (0..).zip(&plan.cells).filter_map(|(number, cell)| match &cell.kind {
            CellKind::Derived(_, reads) => Some((number, reads.paths())),
            _ => None,
        });
        let (derived, mut reads): (Vec<CellId>, Vec<&[PlanRead]>) = derived.unzip();
        reads.extend(plan.blocks[0].parts.iter().map(|part| part.reads.paths()));
        // Where there are more than bits, some share one: they are looked at together.
        let (count, bits) = (reads.len(), reads.len().clamp(1, 31));
        let bit = |at: usize| 1 << (at * bits / count.max(1));
        let all = reads.into_iter().enumerate();
        let all = all.map(|(at, reads)| Reader { reads, bit: bit(at) }).collect();
        Readers { all, derived }
    }

    fn of_derived(&self, cell: CellId) -> Option<u32> {
        let at = self.derived.iter().position(|known| *known == cell)?;
        Some(self.all[at].bit)
    }

    fn of_part(&self, part: usize) -> u32 {
        self.all[self.derived.len() + part].bit
    }

    /// Those that read a cell at all.
    fn of_cell(&self, cell: CellId) -> u32 {
        let reading = self.all.iter().filter(|r| r.reads.iter().any(|read| read.cell == cell));
        reading.fold(0, |bits, reader| bits | reader.bit)
    }

    /// Those that a write to a place can reach; `edits` says that items of the list there come, go or change places.
    pub(crate) fn of_write(&self, place: &Place, edits: bool) -> u32 {
        let way: Vec<ReadStep> = place
            .steps
            .iter()
            .map(|step| match step {
                PlaceStep::Field(name) => ReadStep::Field(*name),
                PlaceStep::Index(_) => ReadStep::AnyItem,
            })
            .collect();
        let reached = |read: &PlanRead| {
            if read.cell != place.cell {
                return false;
            }
            match read.path.strip_prefix(&*way) {
                // What is read is what is written, or is inside it.
                Some(rest) if !edits || !rest.is_empty() => true,
                Some(_) => matches!(read.extent, Extent::Whole | Extent::Length),
                // What is written is inside what is read.
                None => way.starts_with(&read.path) && read.extent == Extent::Whole,
            }
        };
        let reading = self.all.iter().filter(|reader| reader.reads.iter().any(reached));
        reading.fold(0, |bits, reader| bits | reader.bit)
    }
}

/// Compiles a component whose own block holds no spots.
///
/// # Errors
/// What it has that cannot be compiled yet.
pub fn component(program: &Program, plan: &Plan) -> Result<Compiled, String> {
    let Some(block) = plan.blocks.first() else { return Err("it shows nothing".into()) };
    let lives =
        !plan.hooks.is_empty() || !plan.sources.is_empty() || !plan.stores_read().is_empty();
    if !block.spots.is_empty() || lives || plan.store.is_some() {
        return Err("it has something in it that comes and goes, or lives by itself".into());
    }
    // Without questions nothing waits, either.
    if !plan.asked.is_empty() {
        return Err("it asks something of the host".into());
    }
    if let Some(part) = block.parts.iter().find(|part| !is_known(&part.kind)) {
        return Err(format!("`{}` cannot be shown yet", part.address));
    }
    if block.listeners.iter().any(|l| l.commit.is_some() || !l.fields.is_empty()) {
        return Err("it has a control that is bound both ways, or looks at its events".into());
    }
    let readers = Readers::of(plan);
    let used =
        BTreeSet::from(["template", "hear", "turnOver", "call", "put", "mark", "same", "undo"]);
    let (first, members) = (String::from("    this.d$ = 0;\n"), String::new());
    let own = Own { plan };
    let mut class = Class { program, block, own, readers: &readers, used, first, members };
    let name = class_name(&plan.name);
    class.cells()?;
    let made = Template::of(block);
    class.first.push_str(&format!("    const top = T_{name}.cloneNode(true);\n"));
    class.parts(&made);
    class.first.push_str(
        "    this.top$ = [...top.childNodes];\n    for (const node of this.top$) node.scope$ = this;\n",
    );
    class.handlers();
    let listeners = class.listeners();
    let Class { used, first, members, .. } = class;
    let html = code::string(&made.html.as_str().into()).text;
    let around = made.around.map_or("null".to_owned(), |around| format!("\"{around}\""));
    let text = format!(
        "const T_{name} = template({html}, {around}, {});\nclass {name} {{\n  static listeners = [\n\
         {listeners}  ];\n  constructor(props) {{\n{first}  }}\n{members}}}\n",
        made.has_seams
    );
    let heard = block.listeners.iter().map(|listener| listener.event.to_string()).collect();
    Ok(Compiled { text, name, used, heard })
}

/// A class that is written.
struct Class<'a> {
    program: &'a Program,
    block: &'a Block,
    own: Own<'a>,
    readers: &'a Readers<'a>,
    used: BTreeSet<&'static str>,
    /// What its constructor does.
    first: String,
    /// Its getters and methods.
    members: String,
}

impl Class<'_> {
    /// Writes code of the component: what has to be declared around it, and its text.
    fn written(&mut self, what: impl FnOnce(&mut Writer<'_>) -> String) -> (String, String) {
        let mut writer = Writer::new(self.program, self.own.plan, &self.own);
        writer.readers = Some(self.readers);
        let text = what(&mut writer);
        self.used.append(&mut writer.used);
        (writer.declarations(), text)
    }

    /// What it holds and derives. Each value stands after those that it reads.
    fn cells(&mut self) -> Result<(), String> {
        let mut setters = String::new();
        for (number, cell) in (0..).zip(&self.own.plan.cells) {
            let property = self.own.property(number);
            let (given, start) = match &cell.kind {
                CellKind::Prop(start) | CellKind::Shared(start) => (true, *start),
                CellKind::State(start) => (false, Some(*start)),
                CellKind::Derived(expr, reads) => {
                    self.derived(number, *expr, reads.paths());
                    continue;
                }
                _ => return Err(format!("`{}` belongs to what comes and goes", cell.name)),
            };
            let (declared, start) = match start {
                Some(start) => self.written(|writer| writer.owned(start).alone()),
                None => (String::new(), "null".into()),
            };
            let name = code::string(&(&*cell.name).into()).text;
            let value = match given {
                true => format!("{name} in props ? props[{name}] : {start}"),
                false => start,
            };
            self.first.push_str(&format!("    {declared}this.{property} = {value};\n"));
            let woken = self.readers.of_cell(number);
            setters.push_str(&format!(
                "      case {name}: if (put(this, \"{property}\", value)) mark(this, {woken}); break;\n"
            ));
        }
        self.members.push_str(&format!(
            "  put$(name, value) {{\n    switch (name) {{\n{setters}    }}\n  }}\n  \
             give$(event, args) {{ this.given$?.(event, args); }}\n"
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
        let above = self.read_derived(reads);
        let bit = self.readers.of_derived(number).unwrap_or(0);
        let woken = self.readers.of_cell(number);
        let test = if shares { "true".to_owned() } else { format!("!same(value, {kept})") };
        self.members.push_str(&format!(
            "  get {property}() {{\n{above}    if (this.d$ & {bit}) {{\n      this.d$ &= ~{bit};\n      \
             {declared}const value = {value};\n      if ({test}) {{\n        \
             undo.push(this, \"w{number}$\", {kept});\n        {kept} = value;\n        \
             mark(this, {woken});\n      }}\n    }}\n    return {kept};\n  }}\n"
        ));
    }

    /// Has the derived values among some reads brought up to date.
    fn read_derived<'r>(&self, reads: impl IntoIterator<Item = &'r PlanRead>) -> String {
        let cells: BTreeSet<CellId> = reads.into_iter().map(|read| read.cell).collect();
        let derived = cells.into_iter().filter(|cell| self.readers.of_derived(*cell).is_some());
        derived.map(|cell| format!("    this.{};\n", self.own.property(cell))).collect()
    }

    /// What it shows, first and whenever something is marked.
    fn parts(&mut self, made: &Template) {
        for (at, way) in made.ways.iter().enumerate() {
            let way: String = way.iter().map(|child| format!(".childNodes[{child}]")).collect();
            self.first.push_str(&format!("    this.n{at}$ = top{way};\n"));
        }
        let mut show =
            self.read_derived(self.block.parts.iter().flat_map(|part| part.reads.paths()));
        for (at, part) in self.block.parts.iter().enumerate() {
            let bit = self.readers.of_part(at);
            let (declared, value) = self.written(|writer| shown(writer, part));
            let node = format!("this.n{}$", part.mark);
            let set = set(&node, &part.kind, "value");
            self.first.push_str(&format!(
                "    {{ {declared}const value = this.v{at}$ = {value}; {} }}\n",
                first_set(&node, &part.kind, &set)
            ));
            show.push_str(&format!(
                "    if (this.d$ & {bit}) {{ {declared}const value = {value}; \
                 if (value !== this.v{at}$) {{ this.v{at}$ = value; {set} }} }}\n"
            ));
        }
        // Derived values that nothing shows stay marked until somebody asks.
        let derived = self.readers.derived.iter();
        let derived = derived.filter_map(|cell| self.readers.of_derived(*cell));
        let asked_later = derived.fold(0, |bits, bit| bits | bit);
        self.members
            .push_str(&format!("  show$() {{\n{show}    this.d$ &= {asked_later};\n  }}\n"));
    }

    fn handlers(&mut self) {
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
            let (declared, text) = self.written(|writer| writer.statements(&listener.body, 2));
            self.members.push_str(&format!("  l{at}$(event) {{\n    {declared}\n{text}  }}\n"));
            listeners.push_str(&format!(
                "    {{ kind: \"{}\", node: \"n{}$\", run: (scope, event) => scope.l{at}$(event) }},\n",
                listener.event, listener.mark
            ));
        }
        listeners
    }
}

/// Whether there is something that shows this kind of part.
fn is_known(kind: &PartKind) -> bool {
    !matches!(
        kind,
        PartKind::Attribute(_, Form::Url | Form::Declarations)
            | PartKind::Property(Property::Chosen)
    )
}

/// `bed-card` as `BedCard`.
fn class_name(name: &str) -> String {
    let pieces = name.split(['-', '.']).map(|piece| {
        let mut chars = piece.chars();
        chars.next().map_or(String::new(), |first| first.to_uppercase().chain(chars).collect())
    });
    pieces.collect()
}

/// What a part shows, as an expression.
fn shown(writer: &mut Writer<'_>, part: &Part) -> String {
    let value = |writer: &mut Writer<'_>, id: ExprId| writer.value(id).alone();
    if matches!(part.kind, PartKind::Attribute(..)) {
        writer.used.insert("setAttribute");
    }
    let with = |writer: &mut Writer<'_>, helper: &'static str| {
        let value = value(writer, part.value);
        writer.used.insert("text");
        format!("{}({value})", writer.uses(helper))
    };
    match &part.kind {
        PartKind::Text | PartKind::Attribute(_, Form::Text) => with(writer, "text"),
        PartKind::Property(Property::Value) => with(writer, "text"),
        PartKind::Property(Property::Chosen) => with(writer, "chosen"),
        PartKind::Property(_) => format!("!!({})", writer.test(part.value).alone()),
        PartKind::Attribute(_, Form::Presence) => with(writer, "presence"),
        PartKind::Attribute(_, Form::Words) => with(writer, "words"),
        PartKind::Attribute(_, Form::Tokens) => with(writer, "tokens"),
        PartKind::Attribute(_, Form::Url) => with(writer, "safeUrl"),
        PartKind::Attribute(_, Form::Declarations) => with(writer, "declarations"),
    }
}

/// What brings a value to the document.
fn set(node: &str, kind: &PartKind, value: &str) -> String {
    match kind {
        PartKind::Text => format!("{node}.nodeValue = {value};"),
        PartKind::Attribute(name, _) => format!("setAttribute({node}, \"{name}\", {value});"),
        PartKind::Property(property) => format!("{node}.{} = {value};", property.name()),
    }
}

/// The same for a node that has nothing yet.
fn first_set(node: &str, kind: &PartKind, set: &str) -> String {
    match kind {
        PartKind::Attribute(name, _) => {
            format!("if (value !== null) {node}.setAttribute(\"{name}\", value);")
        }
        _ => set.to_owned(),
    }
}
