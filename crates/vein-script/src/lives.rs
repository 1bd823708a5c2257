//! What of a component lives beside its view: what it asks, what runs by itself.

use crate::code;
use crate::component::{Class, begun, table};
use crate::readers::Who;
use crate::types::type_of;
use vein_plan::{Answers, CellKind, Reads, When};

impl Class<'_> {
    /// Whether it has anything that begins once it is added, and ends with it.
    pub(crate) fn lives(&self) -> bool {
        !(self.own.plan.hooks.is_empty() && self.own.plan.sources.is_empty())
    }

    /// What it asks at once, and what is asked and runs by itself.
    pub(crate) fn life(&mut self) {
        let (program, plan) = (self.program(), self.own.plan);
        self.own.live = true;
        for (at, asked) in plan.asked.iter().enumerate() {
            if asked.answers == Answers::AtOnce {
                let (name, ty) = (&asked.name, type_of(program, asked.result));
                self.members.push_str(&format!(
                    "  q{at}$(args, acts) {{ return askHost(this, \"{name}\", {ty}, args, acts); }}\n"
                ));
            }
        }
        if !self.lives() {
            return;
        }
        let (mut wakes, mut looks) = (String::new(), String::new());
        let nothing = Reads::Fixed(Vec::new());
        let reads = plan.sources.iter().map(|source| &source.reads);
        let hook_reads = plan.hooks.iter().map(|hook| match &hook.when {
            When::Changed(reads) | When::Every(_, reads) => reads,
            When::Added | When::Removed => &nothing,
        });
        for (at, reads) in reads.chain(hook_reads).enumerate() {
            let (above, _) = self.asked_for(&format!("re{at}$"), reads);
            let (mut all, mut done) = (Vec::new(), String::new());
            for (who, more) in [
                (Who::Effect(at), String::new()),
                (Who::Through(at), format!(" && differs(this, {at})")),
            ] {
                if self.readers.bit(who) == 0 {
                    continue;
                }
                let (has, looked) = self.asked(who);
                all.push(format!("!!({has}){more}"));
                done.push_str(&looked);
            }
            if all.is_empty() {
                continue;
            }
            wakes.push_str(&format!("      case {at}: {above}return {};\n", all.join(" || ")));
            looks.push_str(&format!("      case {at}: {done} break;\n"));
        }
        self.members.push_str(&format!(
            "  wakes$(at) {{\n    switch (at) {{\n{wakes}      default: return false;\n    }}\n  }}\n  \
             looks$(at) {{\n    switch (at) {{\n{looks}    }}\n  }}\n"
        ));
        for (at, source) in plan.sources.iter().enumerate() {
            let notes = self.notes_for(&format!("re{at}$"), &source.reads);
            let (declared, args) =
                self.written_noting(&notes, |writer| writer.owned(source.args).alone());
            let mark = self.mark(source.location);
            self.members.push_str(&format!("  a{at}$() {{ {mark}{declared}return {args}; }}\n"));
        }
        for (at, hook) in plan.hooks.iter().enumerate() {
            let seen = match &hook.when {
                When::Added | When::Removed => None,
                When::Every(period, reads) => {
                    let notes = self.notes_for(&format!("re{}$", plan.sources.len() + at), reads);
                    Some(self.written_noting(&notes, |writer| writer.value(*period).alone()))
                }
                When::Changed(reads) => {
                    let reads = reads.paths().to_vec();
                    Some(self.written(|writer| writer.all_seen(&reads)))
                }
            };
            let mark = self.mark(hook.location);
            if let Some((declared, seen)) = seen {
                self.members
                    .push_str(&format!("  e{at}$() {{ {mark}{declared}return {seen}; }}\n"));
            }
            let (declared, text) = self.written(|writer| writer.body(&hook.body, 2));
            self.members
                .push_str(&format!("  u{at}$() {{\n{}{text}  }}\n", begun(&mark, &declared)));
        }
        self.own.live = false;
    }

    /// The same as what stands in its class, with what it uses of stores.
    pub(crate) fn life_lines(&self) -> Vec<(&'static str, String)> {
        let (program, plan) = (self.program(), self.own.plan);
        let sources = plan.sources.iter().map(|source| {
            let asked = &plan.asked[source.asked as usize];
            let name = |cell: u32| code::string(&(&*plan.cells[cell as usize].name).into()).text;
            format!(
                "{{ name: \"{}\", type: {}, streams: {}, value: {}, status: {}, reason: {} }}",
                asked.name,
                type_of(program, asked.result),
                asked.answers == Answers::Again,
                name(source.value),
                name(source.status),
                name(source.reason)
            )
        });
        let sources: Vec<String> = sources.collect();
        let hooks = plan.hooks.iter().map(|hook| {
            let when = match hook.when {
                When::Added => "added",
                When::Removed => "removed",
                When::Changed(_) => "change",
                When::Every(..) => "every",
            };
            let address = code::string(&(&*hook.address).into()).text;
            format!("{{ when: \"{when}\", address: {address} }}")
        });
        let hooks: Vec<String> = hooks.collect();
        let effects = if self.lives() { sources.len() + hooks.len() } else { 0 };
        let listed = |all: Vec<String>| match all.is_empty() {
            true => String::new(),
            false => format!("[{}]", all.join(", ")),
        };
        let mut lines = vec![
            ("effects", if effects > 0 { effects.to_string() } else { String::new() }),
            ("sources", listed(sources)),
            ("hooks", listed(hooks)),
        ];
        let stores = plan.stores_read();
        if !stores.is_empty() {
            let stores = stores.iter().map(|store| {
                let inner = &program.plans[*store as usize];
                let cells = (0..).zip(&plan.cells).filter_map(|(at, cell)| match cell.kind {
                    CellKind::Store(known, cell) if known == *store => Some((at, cell)),
                    _ => None,
                });
                let reads = cells.map(|(at, cell)| {
                    let name = code::string(&(&*inner.cells[cell as usize].name).into()).text;
                    format!("{name}: {}", self.readers.of_cell(at))
                });
                format!("{store}: {}", table(reads))
            });
            lines.push(("uses", table(stores)));
        }
        if plan.store.is_some() {
            lines.push(("number", self.number.to_string()));
        }
        lines
    }
}
