//! What a block holds and derives.

use crate::code;
use crate::component::Class;
use crate::expression::Names;
use crate::kind::Kind;
use crate::readers::{Who, hands_on};
use vein_plan::code::{CellId, ExprId};
use vein_plan::{CellKind, Reads};

impl Class<'_> {
    /// What it holds and derives. Each value stands after those that it reads.
    pub(crate) fn cells(&mut self) -> Result<(), String> {
        let (mut setters, mut tells) = (String::new(), String::new());
        for (number, cell) in (0..).zip(&self.own.plan.cells) {
            if cell.block != self.own.block {
                continue;
            }
            let property = self.own.property(number);
            let (given, start) = match &cell.kind {
                CellKind::Prop(start) | CellKind::Shared(start) => (true, *start),
                CellKind::State(start) => (false, Some(*start)),
                CellKind::Derived(expr, reads) => {
                    self.derived(number, *expr, reads);
                    continue;
                }
                CellKind::Item | CellKind::Position | CellKind::Store(..) => continue,
                CellKind::Handed => {
                    self.members.push_str(&format!(
                        "  get {property}() {{\n    const {{ scope, number }} = this.held$;\n    \
                         const way = scope.constructor.spots[number].gives.{property};\n    \
                         return way === undefined ? null : scope[way];\n  }}\n"
                    ));
                    continue;
                }
            };
            let (declared, start) = match start {
                Some(start) => {
                    let (declared, start) = self.written(|writer| writer.owned(start).alone());
                    (self.mark(cell.location) + &declared, start)
                }
                None => (String::new(), "null".into()),
            };
            let name = code::string(&(&*cell.name).into()).text;
            let woken = self.readers.of_cell(number);
            let mut place = format!("this, \"{property}\"");
            let mut marks = format!("mark(this, {woken})");
            if let CellKind::Shared(_) = cell.kind {
                // What it is given it begins with, unless that is bound both ways: then it stays there.
                place = format!("this.b{number}$({name})");
                marks = format!("tell(this, \"{property}\", {woken}, true)");
                let nests = Kind::of(self.program(), cell.ty).nests(self.program());
                let tail = if nests { format!(", 0, {name}") } else { String::new() };
                self.first.push_str(&format!(
                    "    {declared}this.p{number}$ = \"{property}\" in this.bound$ ? null : \
                     \"{property}\" in this.ways$ ? held.scope[this.ways$.{property}] : Object.hasOwn(props, {name}) ? \
                     props[{name}] : {start};\n"
                ));
                self.members.push_str(&format!(
                    "  get {property}() {{\n    return \"{property}\" in this.bound$ ? \
                     this.held$.scope[this.ways$.{property}] : this.p{number}$;\n  }}\n  \
                     b{number}$(called) {{\n    return \"{property}\" in this.bound$ ? \
                     this.held$.scope[this.bound$.{property}[0]](called) : [this, \"p{number}$\"{tail}];\n  }}\n"
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
            if let Some(told) = self.own.told(number) {
                marks = format!("{{ {marks}; {told} }}");
            } else {
                marks.push(';');
            }
            let put = if let CellKind::Shared(_) = cell.kind { "putIn" } else { "put" };
            setters.push_str(&format!("      case {name}: done = {put}({place}, value); break;\n"));
            tells.push_str(&format!("      case {name}: {marks} break;\n"));
        }
        if self.own.block > 0 {
            return Ok(());
        }
        if self.whole.is_written_by_name(self.number) {
            self.members.push_str(&format!(
                "  put$(name, value) {{\n    let done = false;\n    switch (name) {{\n{setters}    }}\n    \
                 if (done) this.told$(name);\n  }}\n  told$(name) {{\n    switch (name) {{\n{tells}    }}\n  }}\n"
            ));
        }
        if self.whole.is_driven(self.number) || !self.own.plan.events.is_empty() {
            self.members.push_str(
                "  give$(event, args) {\n    if (this.held$ === null) turn.given.push([this, event, args]);\n    \
                 else hand(this.held$, event, args);\n  }\n",
            );
        }
        Ok(())
    }

    /// A derived value: worked out again when it is asked for, once what it reads was written.
    fn derived(&mut self, number: CellId, expr: ExprId, reads: &Reads) {
        let (asked_for, notes) = self.asked_for(&format!("rd{number}$"), reads);
        let reads = reads.paths();
        let mut shares = false;
        let flagged = self.readers.flagged().any(|(who, _)| who == Who::Derived(number));
        let bit = self.readers.bit(Who::Derived(number));
        let keeps = !flagged && bit != 0 && !self.asks(number);
        let (declared, value) = self.written_noting(&notes, |writer| {
            shares = writer.shares(expr);
            writer.keeps = keeps.then_some((number, bit, 0));
            writer.value(expr).alone()
        });
        let (property, kept) = (self.own.property(number), format!("this.w{number}$"));
        let mark = self.mark(self.own.plan.cells[number as usize].location);
        let asks = self.asks(number);
        if asks {
            self.first.push_str(&format!("    {kept} = undefined;\n"));
        } else {
            self.first.push_str(&format!("    {mark}{{ {declared}{kept} = {value}; }}\n"));
        }
        // Those that it reads are brought up to date first: they may come out as they were.
        let mut above = self.asked_among(reads);
        let asking = self.asking_among(reads);
        above.retain(|cell| !asking.contains(cell));
        // Inside of a component those around are, too: they may not have been looked at yet.
        let above = match self.own.block {
            0 => self.read_all(above),
            _ => self.read_around(reads) + &self.read_all(above),
        };
        let above = above + &asked_for;
        let (has, looked) = self.asked(Who::Derived(number));
        let woken = self.readers.of_cell(number);
        let test = match shares {
            // What is written in its items is told to those who read it there.
            true if hands_on(self.own.plan, number).is_some() => format!("value !== {kept}"),
            true => "true".to_owned(),
            false => format!("!same(value, {kept})"),
        };
        let told = self.own.told(number).map_or(String::new(), |told| format!(" {told}"));
        let has = format!("{has}{}", self.or_anew(asks, &kept));
        self.members.push_str(&format!(
            "  get {property}() {{\n{above}    if ({has}) {{\n      {looked}\n      \
             {mark}{declared}const value = {value};\n      if ({test}) {{\n        \
             undo.push(this, \"w{number}$\", {kept});\n        {kept} = value;\n        \
             mark(this, {woken});{told}\n      }}\n    }}\n    return {kept};\n  }}\n"
        ));
    }

    /// When something that is asked for is worked out anew though nobody has marked it: for the first time, or in what is
    /// going away, which nobody tells of anything.
    pub(crate) fn or_anew(&self, asks: bool, kept: &str) -> String {
        let first = if asks { format!(" || {kept} === undefined") } else { String::new() };
        let late = if self.whole.lively { " || this.late$" } else { "" };
        format!("{first}{late}")
    }
}
