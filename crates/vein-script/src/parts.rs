//! What a block shows by its parts.

use crate::component::{Class, table};
use crate::expression::Notes;
use crate::readers::Who;
use crate::shown::{first_set, set, shown};
use vein_plan::{Conversion, Form, Namespace, Part, PartKind, Property, TemplateNode};

impl Class<'_> {
    /// What it shows, first and whenever something is marked. The document is touched once everything is worked out. Gives
    /// what has to be done once all of it is there.
    pub(crate) fn parts(&mut self, name: &str) -> String {
        let (mut show, mut setters, mut deferred) = (String::new(), String::new(), 0);
        let mut noting = Vec::new();
        let mut needed = std::collections::BTreeSet::new();
        for (at, part) in self.block.parts.iter().enumerate() {
            let (asks, notes) = self.asked_for(&format!("rp{at}$"), &part.reads);
            match notes {
                Some(_) => show.push_str(&asks),
                None => needed.extend(self.asking_among(part.reads.paths())),
            }
            noting.push(notes);
        }
        show.insert_str(0, &self.read_all(needed));
        let mut waits = false;
        let (comes_again, mut again) = (self.comes_again(), String::new());
        for (at, part) in self.block.parts.iter().enumerate() {
            let bit = self.readers.bit(Who::Part(at));
            let asks = self.whole.asking.expr(self.number, self.own.plan, part.value);
            let notes = &noting[at];
            let (declared, value) = self.written(|writer| {
                writer.notes.clone_from(notes);
                shown(writer, part)
            });
            let begin = notes.as_ref().map_or(String::new(), Notes::begin);
            let mark = self.mark(part.location);
            let node = format!("this.n{}$", part.mark);
            let set = self.set(at, part, &node);
            let local = format!("n{}", part.mark);
            if asks {
                // What has to be asked for is not before anybody is to see it.
                self.first.push_str(&format!("    this.v{at}$ = undefined;\n"));
                deferred |= bit;
                waits = true;
            } else {
                let set = self.set(at, part, &local);
                self.first.push_str(&format!(
                    "    {mark}{{ {declared}const value = this.v{at}$ = {value}; {} }}\n",
                    first_set(&local, &part.kind, &set, self.reflects(part))
                ));
                if matches!(part.kind, PartKind::Property(_)) && comes_again {
                    self.first.push_str(&format!("    this.was{at}$ = this.v{at}$;\n"));
                    again.push_str(&format!(" showAgain(this, {at});"));
                }
                if part.control.is_some() {
                    self.first.push_str(&format!("    this.x{at}$ = copy(this.y{at}$()[0]);\n"));
                }
            }
            let is_property = matches!(part.kind, PartKind::Property(_));
            let changes = bit != 0 || asks;
            if is_property {
                setters.push_str(&format!("  set{at}$(value = this.v{at}$) {{ {set} }}\n"));
            } else if changes {
                let set = self.set(at, part, &format!("scope.n{}$", part.mark));
                setters.push_str(&format!(
                    "  static set{at}$(scope, value) {{ scope.v{at}$ = value; {set} }}\n"
                ));
            }
            if let Some(conversion) = &part.control {
                setters.push_str(&self.control(at, part, conversion));
            } else if is_property {
                // A form that is reset has it show what state says.
                setters.push_str(&format!(
                    "  y{at}$() {{ {mark}{declared}const value = {value}; return [value, value]; }}\n"
                ));
            }
            if !changes {
                continue;
            }
            let first = if asks { format!(" || this.v{at}$ === undefined") } else { String::new() };
            let set = format!("{name}.set{at}$");
            let keep = match &part.control {
                Some(_) => format!("keepControl(this, {at})"),
                None if is_property => format!(
                    "const value = {value}; if (value !== this.v{at}$) keep(this, \"v{at}$\", value, \"set{at}$\")"
                ),
                // What is shown for the first time is not in the document yet.
                None if asks => format!(
                    "const value = {value}; if (this.v{at}$ === undefined) {set}(this, value); else if (value !== this.v{at}$) later.push({set}, this, value)"
                ),
                None => format!(
                    "const value = {value}; if (value !== this.v{at}$) later.push({set}, this, value)"
                ),
            };
            show.push_str(&format!(
                "    if (this.d$ & {bit}{first}) {{ {mark}{begin}{declared}{keep}; }}\n"
            ));
        }
        // Whatever is asked for one by one stays marked until somebody asks.
        let flagged: Vec<Who> = self.readers.flagged().map(|(who, _)| who).collect();
        let asked = self.readers.asked().filter(|(who, _)| !flagged.contains(who));
        let asked_later = asked.fold(0, |bits, (_, bit)| bits | bit);
        self.members.push_str(&setters);
        if !show.is_empty() || asked_later != 0 {
            self.members
                .push_str(&format!("  parts$() {{\n{show}    this.d$ &= {asked_later};\n  }}\n"));
        }
        if !again.is_empty() {
            self.members.push_str(&format!("  again$() {{{again} }}\n"));
        }
        let controls = self.block.parts.iter().enumerate();
        let controls = controls.filter(|(_, part)| matches!(part.kind, PartKind::Property(_)));
        let controls = table(controls.map(|(at, part)| format!("{at}: \"n{}$\"", part.mark)));
        self.controls = controls;
        if waits { format!("    mark(this, {deferred});\n") } else { String::new() }
    }

    /// The property that an attribute of HTML's elements is set by, where that is the same and quicker.
    fn reflects(&self, part: &Part) -> Option<&'static str> {
        let PartKind::Attribute(name, form) = &part.kind else { return None };
        let is_text = matches!(form, Form::Text | Form::Words | Form::Tokens);
        let property = match &**name {
            "class" if is_text => "className",
            "id" if is_text => "id",
            "title" if is_text => "title",
            _ => return None,
        };
        let mut marked = self.block.template.iter().filter(|node| node.is_marked());
        let is_html = matches!(
            marked.nth(part.mark as usize),
            Some(TemplateNode::Open { namespace: Namespace::Html, .. })
        );
        is_html.then_some(property)
    }

    /// What brings a value to the document.
    fn set(&mut self, at: usize, part: &Part, node: &str) -> String {
        match &part.kind {
            PartKind::Property(property) => {
                format!("setHeld(this, {at}, {node}, \"{}\", value);", property.name())
            }
            kind => set(node, kind, "value", self.reflects(part)),
        }
    }

    /// What is known of a control that is bound both ways: its value and what it shows of that, and what its text means.
    fn control(&mut self, at: usize, part: &Part, conversion: &Conversion) -> String {
        let (declared, raw) = self.written(|writer| writer.value(part.value).alone());
        let of = match part.kind {
            PartKind::Property(Property::Value) => "textOf(value)",
            PartKind::Property(Property::Chosen) => "chosen(value)",
            _ => "!!value",
        };
        // A radio button or a check box of a list is on where state has its own value.
        let (_, meaning) = self.written(|writer| writer.meaning(conversion).unwrap_or_default());
        let mut out =
            format!("  y{at}$() {{ {declared}const value = {raw}; return [value, {of}]; }}\n");
        if !meaning.is_empty() {
            out.push_str(&format!("  m{at}$(text) {{ return {meaning}(text); }}\n"));
        }
        out
    }
}
