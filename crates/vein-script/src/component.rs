//! A component as a class. So far one that shows its own elements alone: nothing in it comes and goes.

use crate::code::{self, Code};
use crate::expression::{Names, Writer};
use crate::kind::Kind;
use crate::template::Template;
use std::collections::BTreeSet;
use vein_plan::code::{CellId, ExprId, Place, PlaceStep};
use vein_plan::{
    CellKind, Extent, Form, Part, PartKind, Plan, PlanRead, Program, Property, ReadStep,
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
        let name = &self.plan.cells[cell as usize].name;
        // The engine's own names have a `$` in them.
        let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
            && !matches!(&**name, "constructor" | "__proto__");
        if plain { name.to_string() } else { format!("c{cell}$") }
    }

    fn method(&self, handler: u32) -> String {
        let name = &self.plan.handlers[handler as usize].name;
        let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        if plain && &**name != "constructor" { name.to_string() } else { format!("h{handler}$") }
    }
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
    if !plan.asked.is_empty() {
        return Err("it asks something of the host".into());
    }
    if let Some(part) = block.parts.iter().find(|part| !is_known(&part.kind)) {
        return Err(format!("`{}` cannot be shown yet", part.address));
    }
    let own = Own { plan };
    let readers = Readers::of(plan);
    let name = class_name(&plan.name);
    let mut used =
        BTreeSet::from(["template", "hear", "turnOver", "call", "put", "mark", "same", "undo"]);
    let mut body = String::new();
    let mut write = |what: &mut dyn FnMut(&mut Writer<'_>) -> String| {
        let mut writer = Writer::new(program, plan, &own);
        writer.readers = Some(&readers);
        let text = what(&mut writer);
        used.append(&mut writer.used);
        let declared: Vec<String> = std::mem::take(&mut writer.declared).into_iter().collect();
        let declared = match declared.is_empty() {
            true => String::new(),
            false => format!("let {}; ", declared.join(", ")),
        };
        (declared, text)
    };
    let made = Template::of(block);
    let mut first = String::from("  constructor(props) {\n    this.d$ = 0;\n");
    let (mut getters, mut setters) = (String::new(), String::new());
    // Each value stands after those that it reads.
    for (number, cell) in (0..).zip(&plan.cells) {
        let property = own.property(number);
        let (given, start) = match &cell.kind {
            CellKind::Prop(start) | CellKind::Shared(start) => (true, *start),
            CellKind::State(start) => (false, Some(*start)),
            CellKind::Derived(expr, reads) => {
                let mut shares = false;
                let (declared, value) = write(&mut |writer| {
                    shares = writer.shares(*expr);
                    writer.value(*expr).alone()
                });
                first.push_str(&format!("    {{ {declared}this.w{number}$ = {value}; }}\n"));
                let value = (declared.as_str(), value.as_str(), shares);
                getters.push_str(&getter(&own, &readers, number, reads.paths(), value));
                continue;
            }
            _ => return Err(format!("`{}` belongs to what comes and goes", cell.name)),
        };
        let (declared, start) = match start {
            Some(start) => write(&mut |writer| writer.owned(start).alone()),
            None => (String::new(), "null".into()),
        };
        let name = code::string(&(&*cell.name).into()).text;
        let value = match given {
            true => format!("{name} in props ? props[{name}] : {start}"),
            false => start,
        };
        first.push_str(&format!("    {declared}this.{property} = {value};\n"));
        let woken = readers.of_cell(number);
        setters.push_str(&format!(
            "      case {name}: if (put(this, \"{property}\", value)) mark(this, {woken}); break;\n"
        ));
    }
    getters.push_str(&format!(
        "  put$(name, value) {{\n    switch (name) {{\n{setters}    }}\n  }}\n  \
         give$(event, args) {{ this.given$?.(event, args); }}\n"
    ));
    first.push_str(&format!("    const top = T_{name}.cloneNode(true);\n"));
    for (at, way) in made.ways.iter().enumerate() {
        let way: String = way.iter().map(|child| format!(".childNodes[{child}]")).collect();
        first.push_str(&format!("    this.n{at}$ = top{way};\n"));
    }
    let mut show = String::from("  show$() {\n");
    let read: BTreeSet<CellId> = block
        .parts
        .iter()
        .flat_map(|part| part.reads.paths())
        .map(|read| read.cell)
        .filter(|cell| readers.of_derived(*cell).is_some())
        .collect();
    for cell in &read {
        show.push_str(&format!("    this.{};\n", own.property(*cell)));
    }
    for (at, part) in block.parts.iter().enumerate() {
        let bit = readers.of_part(at);
        let (declared, value) = write(&mut |writer| shown(writer, part));
        let node = format!("this.n{}$", part.mark);
        let set = set(&node, &part.kind, "value");
        first.push_str(&format!(
            "    {{ {declared}const value = this.v{at}$ = {value}; {} }}\n",
            first_set(&node, &part.kind, &set)
        ));
        show.push_str(&format!(
            "    if (this.d$ & {bit}) {{ {declared}const value = {value}; \
             if (value !== this.v{at}$) {{ this.v{at}$ = value; {set} }} }}\n"
        ));
    }
    // Derived values that nothing shows stay marked until somebody asks.
    let asked_later: u32 =
        readers.derived.iter().filter_map(|cell| readers.of_derived(*cell)).fold(0, |a, b| a | b);
    show.push_str(&format!("    this.d$ &= {asked_later};\n  }}\n"));
    first.push_str("    this.top$ = [...top.childNodes];\n    for (const node of this.top$) node.scope$ = this;\n  }\n");
    let mut methods = String::new();
    for (number, handler) in (0..).zip(&plan.handlers) {
        let params: Vec<String> = (0..handler.params.len()).map(|at| format!("v{at}")).collect();
        let (declared, text) = write(&mut |writer| {
            for ((at, param), (_, ty)) in (0..).zip(&params).zip(&handler.params) {
                writer.bind(at, param, Kind::of(program, *ty));
            }
            writer.statements(&handler.body, 2)
        });
        let method = own.method(number);
        methods.push_str(&format!(
            "  {method}({}) {{\n    {declared}\n{text}  }}\n",
            params.join(", ")
        ));
    }
    let (mut listeners, mut heard) = (String::new(), BTreeSet::new());
    for (at, listener) in block.listeners.iter().enumerate() {
        if listener.commit.is_some() || !listener.fields.is_empty() {
            return Err("it has a control that is bound both ways, or looks at its events".into());
        }
        let (declared, text) = write(&mut |writer| writer.statements(&listener.body, 2));
        methods.push_str(&format!("  l{at}$(event) {{\n    {declared}\n{text}  }}\n"));
        listeners.push_str(&format!(
            "    {{ kind: \"{}\", node: \"n{}$\", run: (scope, event) => scope.l{at}$(event) }},\n",
            listener.event, listener.mark
        ));
        heard.insert(listener.event.to_string());
    }
    let html = code::string(&made.html.as_str().into()).text;
    let around = made.around.map_or("null".to_owned(), |around| format!("\"{around}\""));
    body.push_str(&format!("const T_{name} = template({html}, {around}, {});\n", made.has_seams));
    body.push_str(&format!(
        "class {name} {{\n  static listeners = [\n{listeners}  ];\n{first}{getters}{show}{methods}}}\n"
    ));
    Ok(Compiled { text: body, name, used, heard })
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

/// A derived value: worked out again when it is asked for, once what it reads was written.
fn getter(
    own: &Own<'_>,
    readers: &Readers<'_>,
    number: CellId,
    reads: &[PlanRead],
    (declared, value, shares): (&str, &str, bool),
) -> String {
    let (property, bit) = (own.property(number), readers.of_derived(number).unwrap_or(0));
    let above: BTreeSet<CellId> = reads.iter().map(|read| read.cell).collect();
    let above = above.into_iter().filter(|cell| readers.of_derived(*cell).is_some());
    // Those that it reads are brought up to date first: they may come out as they were.
    let above: String = above.map(|cell| format!("    this.{};\n", own.property(cell))).collect();
    let woken = readers.of_cell(number);
    let kept = format!("this.w{number}$");
    let test = if shares { "true".to_owned() } else { format!("!same(value, {kept})") };
    format!(
        "  get {property}() {{\n{above}    if (this.d$ & {bit}) {{\n      this.d$ &= ~{bit};\n      \
         {declared}const value = {value};\n      if ({test}) {{\n        \
         undo.push(this, \"w{number}$\", {kept});\n        {kept} = value;\n        \
         mark(this, {woken});\n      }}\n    }}\n    return {kept};\n  }}\n"
    )
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
