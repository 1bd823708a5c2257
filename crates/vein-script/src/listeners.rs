//! What a component does when it is called, and when something happens on its elements.

use crate::code;
use crate::component::{Class, begun};
use crate::kind::Kind;
use vein_plan::{Commit, Listener, ListenerOptions, Type};

impl Class<'_> {
    pub(crate) fn handlers(&mut self) {
        self.own.live = true;
        for (number, handler) in (0..).zip(&self.own.plan.handlers) {
            let mut params = String::new();
            let (declared, text) = self.written(|writer| {
                let (names, text) = writer.handler(handler, 2);
                params = names;
                text
            });
            let (method, mark) = (self.own.method(number), self.mark(handler.location));
            self.members.push_str(&format!(
                "  {method}({params}) {{\n{}{text}  }}\n",
                begun(&mark, &declared)
            ));
        }
    }

    /// What it works out for others: its own functions, and those of stores.
    pub(crate) fn functions(&mut self) {
        for (number, function) in (0..).zip(&self.own.plan.functions) {
            let mark = self.mark(function.location);
            let (_, text) = self.written(|writer| writer.own_function(number, &mark));
            self.members.push_str(&format!("  {text}\n"));
        }
    }

    /// What listens on its elements, as the items of a list.
    pub(crate) fn listeners(&mut self) -> String {
        let mut listeners = String::new();
        for (at, listener) in self.block.listeners.iter().enumerate() {
            let mark = self.mark(listener.location);
            let part = listener.commit.as_ref().map(|commit| {
                self.commit(commit, &mark);
                commit.part
            });
            if part.is_none() {
                let kind = self.event_kind(listener);
                let (declared, text) = self.written(|writer| {
                    writer.bind(0, "v0", kind);
                    writer.body(&listener.body, 2)
                });
                self.members
                    .push_str(&format!("  l{at}$(v0) {{\n{}{text}  }}\n", begun(&mark, &declared)));
            }
            let ListenerOptions { prevent, stop, own, key, once, quiet } = &listener.options;
            let mut more = String::new();
            for (name, on) in [("prevent", prevent), ("stop", stop), ("own", own)] {
                more.push_str(&if *on { format!(", {name}: true") } else { String::new() });
            }
            if let Some(key) = key {
                more.push_str(&format!(", key: {}", code::string(&(&**key).into()).text));
            }
            if *once {
                more.push_str(&format!(", once: \"o{at}$\""));
            }
            let fields = listener.fields.iter().map(|field| {
                let empty = match field.ty() {
                    Type::Boolean => "false",
                    Type::Number => "0",
                    _ => "\"\"",
                };
                let name = field.name();
                let value = match field.is_measure() {
                    true => format!("measureOf(event, \"{name}\")"),
                    false => format!("fieldOf(event, \"{name}\", {empty})"),
                };
                code::field(name, &value)
            });
            let fields: Vec<String> = fields.collect();
            if !fields.is_empty() {
                more.push_str(&format!(", looks: (event) => ({{ {} }})", fields.join(", ")));
            }
            let held = listener.fields.first().map_or("value", |field| field.name());
            if let Some(part) = part {
                more.push_str(&format!(
                    ", part: {part}, holds: (scope, event) => entered(scope, {part}, event.{held}), \
                     refuses: (scope, event) => putBack(scope, {part}, event.{held}), \
                     run: (scope, event) => commitControl(scope, {part}, event.{held})"
                ));
            } else {
                more.push_str(&format!(", run: (scope, event) => scope.l{at}$(event)"));
            }
            if let Some(after) = quiet {
                more.push_str(&format!(", after: {after}, settle: waitForQuiet"));
            }
            let mut later = (at + 1..).zip(&self.block.listeners[at + 1..]);
            if let Some((next, _)) = later.find(|(_, other)| is_heard_with(listener, other)) {
                more.push_str(&format!(", next: {next}"));
            }
            listeners.push_str(&format!("    {{ {} }},\n", &more[2..]));
        }
        self.hears();
        listeners
    }

    /// The method that tells who listens to a kind of event on an element.
    fn hears(&mut self) {
        let all = &self.block.listeners;
        let mut kinds: Vec<&str> = all.iter().map(|listener| &*listener.event).collect();
        kinds.sort_unstable();
        kinds.dedup();
        let mut cases = String::new();
        for kind in kinds {
            cases.push_str(&format!("      case \"{kind}\":\n"));
            for (at, listener) in all.iter().enumerate().filter(|(_, one)| *one.event == *kind) {
                if !all[..at].iter().any(|other| is_heard_with(other, listener)) {
                    let mark = listener.mark;
                    cases.push_str(&format!("        if (node === this.n{mark}$) return {at};\n"));
                }
            }
            cases.push_str("        break;\n");
        }
        if !cases.is_empty() {
            self.members.push_str(&format!(
                "  hears$(kind, node) {{\n    switch (kind) {{\n{cases}    }}\n    return -1;\n  }}\n"
            ));
        }
    }

    /// What is known of the event that statements see.
    fn event_kind(&self, listener: &Listener) -> Kind {
        let kinds = listener.fields.iter().filter_map(|field| {
            let names = &self.program().names;
            let id = names.iter().position(|known| &**known == field.name())?;
            let kind = match field.ty() {
                Type::Boolean => Kind::Boolean,
                Type::Number => Kind::Number,
                _ => Kind::String,
            };
            Some((id as u32, kind))
        });
        Kind::Record(kinds.collect::<Vec<_>>().into())
    }

    /// The way back of a two-way binding: what writes what a control has come to hold, and says whether that means a value.
    fn commit(&mut self, commit: &Commit, mark: &str) {
        let part = commit.part;
        let (declared, text) = self.written(|writer| writer.commit(commit, 2));
        self.members.push_str(&format!(
            "  k{part}$(held) {{\n{}{text}    return true;\n  }}\n",
            begun(mark, &declared)
        ));
    }
}

/// Whether two listen to the same kind of event on the same element.
fn is_heard_with(one: &Listener, other: &Listener) -> bool {
    one.mark == other.mark && one.event == other.event
}
