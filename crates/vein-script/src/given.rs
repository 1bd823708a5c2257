//! What is given to a component and what it hands back: props, one way and both ways, and its events.

use crate::code;
use crate::component::{Class, begun, class_name, table};
use crate::expression::Names;
use crate::kind::Kind;
use crate::own::{Own, name_in};
use crate::readers::{Who, cells, list_of, read_of};
use std::collections::BTreeSet;
use vein_plan::code::CellId;
use vein_plan::{CellKind, Given, Plan, PlanRead, Use};

/// The state that a prop is bound to both ways.
pub(crate) fn both_ways<'g>(
    inner: &Plan,
    cell: CellId,
    given: &'g Given,
) -> Option<(CellId, &'g [u32])> {
    match (&inner.cells[cell as usize].kind, given) {
        (CellKind::Shared(_), Given::Path { cell, path }) => Some((*cell, path)),
        _ => None,
    }
}

impl Class<'_> {
    /// What is given to a component, by the names of getters, and what hears its events.
    pub(crate) fn gives(&mut self, at: usize, used: &Use) -> String {
        let inner = &self.program().plans[used.plan as usize];
        let child = Own { program: self.program(), plan: inner, block: 0, live: false };
        let props = used.props.iter().enumerate();
        let gives = props.clone().map(|(which, (cell, _))| {
            code::field(&child.property(*cell), &format!("\"g{at}_{which}$\""))
        });
        let bound = props.filter(|(_, (cell, given))| both_ways(inner, *cell, given).is_some());
        let bound = bound.map(|(which, (cell, _))| {
            let ways = format!("[\"b{at}_{which}$\", \"t{at}_{which}$\"]");
            code::field(&child.property(*cell), &ways)
        });
        let heard = (0..).zip(&inner.events).map(|(number, event)| {
            let all = used.events.iter().enumerate().filter(|(_, heard)| heard.event == number);
            let all: Vec<String> = all.map(|(which, _)| format!("\"e{at}_{which}$\"")).collect();
            code::field(&event.name, &format!("[{}]", all.join(", ")))
        });
        let component = class_name(&self.own.plan.name);
        let contents = used
            .contents
            .iter()
            .map(|(name, block)| code::field(name, &format!("() => {component}_{block}")));
        let made = used.props.iter().map(|(cell, given)| (child.property(*cell), given));
        let made = self.made(at, made);
        format!(
            ", gives: {}{made}, bound: {}, hears: {}, contents: {}",
            table(gives),
            table(bound),
            table(heard),
            table(contents)
        )
    }

    /// Those lists and records among what is given in a spot that may be worked out from something else, by the names of
    /// methods that say so.
    pub(crate) fn made<'g>(
        &mut self,
        at: usize,
        given: impl Iterator<Item = (String, &'g Given)>,
    ) -> String {
        let mut fields = Vec::new();
        for (which, (name, given)) in given.enumerate() {
            let made = match given {
                Given::Value(expr, _) => {
                    let (_, text) = self.written(|writer| match writer.kind(*expr).is_simple() {
                        true => String::new(),
                        false => "true".to_owned(),
                    });
                    text
                }
                Given::Path { cell, path } => {
                    let kind = Kind::of(self.program(), self.own.plan.cells[*cell as usize].ty);
                    let kind =
                        path.iter().fold(kind, |kind, name| kind.field(self.program(), *name));
                    let made = if kind.is_simple() { None } else { self.own.made(*cell) };
                    made.unwrap_or_default()
                }
                Given::Once(_) => String::new(),
            };
            if !made.is_empty() {
                self.members.push_str(&format!("  made{at}_{which}$() {{ return {made}; }}\n"));
                fields.push(code::field(&name, &format!("\"made{at}_{which}$\"")));
            }
        }
        if fields.is_empty() {
            String::new()
        } else {
            format!(", made: {}", table(fields.into_iter()))
        }
    }

    /// A component in a spot: what it is given, what hears it; gives how it begins.
    pub(crate) fn component(&mut self, at: usize, used: &Use) -> String {
        let inner = &self.program().plans[used.plan as usize];
        for (which, (cell, given)) in used.props.iter().enumerate() {
            let name = name_in(inner, *cell);
            self.given(at, which, &name, given);
            let Some((from, path)) = both_ways(inner, *cell, given) else { continue };
            self.own.live = true;
            let mut told = String::new();
            let (declared, at_last) = self.written(|writer| {
                let (place, tells) = writer.bound(from, path, &format!("o{at}_{which}$"));
                told = tells;
                place
            });
            self.own.live = false;
            self.members.push_str(&format!(
                "  b{at}_{which}$(called) {{\n    {declared}\n{at_last}  }}\n  t{at}_{which}$(whole, field) {{\n{told}  }}\n"
            ));
        }
        self.own.live = true;
        for (which, heard) in used.events.iter().enumerate() {
            let payload = &inner.events[heard.event as usize].payload;
            let fields: Vec<String> = (0..)
                .zip(payload)
                .map(|(at, (name, _)): (usize, _)| code::field(name, &format!("args[{at}]")))
                .collect();
            let kinds = payload.iter().filter_map(|(name, ty)| {
                let id = self.program().names.iter().position(|known| known == name)?;
                Some((id as u32, Kind::of(self.program(), *ty)))
            });
            let kind = Kind::Record(kinds.collect::<Vec<_>>().into());
            let mark = self.mark(heard.location);
            let (declared, text) = self.written(|writer| {
                writer.bind(0, "v0", kind);
                writer.body(&heard.body, 2)
            });
            self.members.push_str(&format!(
                "  e{at}_{which}$(args) {{\n{}    const v0 = {{ {} }};\n{text}  }}\n",
                begun(&mark, &declared),
                fields.join(", ")
            ));
        }
        self.own.live = false;
        let nests = if self.whole.nests(used.plan) { ", isTooDeep" } else { "" };
        format!(
            "    this.spots$[{at}] = new Child(this, {at});\n    this.spots$[{at}].begin({}{nests});\n",
            class_name(&inner.name)
        )
    }

    /// Something that is given to a component: worked out again when it is asked for, once what it reads was written.
    pub(crate) fn given(&mut self, at: usize, which: usize, name: &str, given: &Given) {
        let mut shares = false;
        self.own.live = true;
        let (asked_for, notes) = match given {
            Given::Value(_, reads) => self.asked_for(&format!("rg{at}_{which}$"), reads),
            Given::Path { .. } => (self.read_all(self.asking_among(&read_of(given))), None),
            Given::Once(_) => Default::default(),
        };
        let (declared, value) = self.written_noting(&notes, |writer| match given {
            Given::Once(expr) => writer.owned(*expr).alone(),
            Given::Value(expr, _) => {
                shares = writer.shares(*expr);
                writer.value(*expr).alone()
            }
            Given::Path { cell, path } => {
                let kind = Kind::of(writer.program, writer.plan.cells[*cell as usize].ty);
                let kind = path.iter().fold(kind, |kind, name| kind.field(writer.program, *name));
                shares = !kind.is_simple();
                let mut text = writer.names.cell(*cell).text;
                for name in path {
                    text.push_str(&format!("?.{}", writer.program.names[*name as usize]));
                }
                if path.is_empty() { text } else { format!("{text} ?? null") }
            }
        });
        self.own.live = false;
        let kept = format!("this.k{at}_{which}$");
        let mark = self.mark(self.block.spots[at].location);
        let asks = self.given_asks(given) && !matches!(given, Given::Once(_));
        if asks {
            self.first.push_str(&format!("    {kept} = undefined;\n"));
        } else {
            self.first.push_str(&format!("    {mark}{{ {declared}{kept} = {value}; }}\n"));
        }
        let bit = self.readers.bit(Who::Given(at, which));
        let above = self.read_around(&read_of(given)) + &asked_for;
        let again = if bit == 0 && !asks {
            String::new()
        } else {
            let test = if shares { "true".to_owned() } else { format!("!same(value, {kept})") };
            let (has, looked) = self.asked(Who::Given(at, which));
            let has = format!("{has}{}", self.or_anew(asks, &kept));
            format!(
                "{above}    if ({has}) {{\n      {looked}\n      {mark}{declared}const value = {value};\n      \
                 if ({test}) {{\n        undo.push(this, \"k{at}_{which}$\", {kept});\n        {kept} = value;\n        \
                 this.spots$[{at}].given(\"{name}\");\n      }}\n    }}\n"
            )
        };
        self.members
            .push_str(&format!("  get g{at}_{which}$() {{\n{again}    return {kept};\n  }}\n"));
    }

    /// Whether one that is asked has something to look at, and what notes that it has been looked at.
    pub(crate) fn asked(&self, who: Who) -> (String, String) {
        let (has, looked) = self.asked_alone(who);
        if self.whole.lively {
            return (has, looked);
        }
        // Rows are told of their items once these are matched: who asks before looks for itself.
        let rows = self.readers.rows_of(self.own.plan, who).into_iter();
        let stale = rows.map(|block| format!(" || {}.held$.stale", self.own.scope(block)));
        (has + &stale.collect::<String>(), looked)
    }

    fn asked_alone(&self, who: Who) -> (String, String) {
        match self.readers.flagged().any(|(other, _)| other == who) {
            true => {
                let flag = who.flag();
                let looked =
                    format!("undo.push(this, \"{flag}\", true);\n      this.{flag} = false;");
                (format!("this.{flag}"), looked)
            }
            false => {
                let bit = self.readers.bit(who);
                (format!("this.d$ & {bit}"), format!("mark(this, 0);\n      this.d$ &= ~{bit};"))
            }
        }
    }

    /// The same for what is asked in the middle of a pulse, when those around may not have been looked at yet.
    pub(crate) fn read_around(&self, reads: &[PlanRead]) -> String {
        // What may have to ask is looked at by whoever knows whether it is needed.
        let mut open: Vec<CellId> = cells(reads).into_iter().collect();
        let asking = self.asking_among(reads);
        open.retain(|cell| !asking.contains(cell));
        let mut found = BTreeSet::new();
        while let Some(cell) = open.pop() {
            let planned = &self.own.plan.cells[cell as usize];
            match planned.kind {
                CellKind::State(_) => {}
                CellKind::Item | CellKind::Position => {
                    open.extend(list_of(self.own.plan, planned.block));
                }
                _ => drop(found.insert(cell)),
            }
        }
        found.into_iter().map(|cell| format!("    {};\n", self.own.cell(cell).text)).collect()
    }
}
