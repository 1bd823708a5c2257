//! `bed.moisture = 5` where `bed` is a prop: only held state can be assigned.

use super::Finding;

/// What was to be assigned.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Target {
    Prop,
    Derived,
    Constant,
    /// Something in what a name holds that `let` declares.
    Variable,
    Handler,
    Function,
    Event,
    /// An item of a list that an expression made.
    Made,
    /// The position in a loop.
    Position,
    /// What a slot hands back.
    Handed,
    /// A value of a store.
    Store,
    /// A name of elements.
    Named,
    /// What the host's answers fill.
    Loaded,
    /// The length of a list or a text.
    Length,
    Other,
}

pub(crate) struct CannotAssign {
    pub(crate) name: String,
    pub(crate) target: Target,
}

impl Finding for CannotAssign {
    const CODE: &'static str = "cannot-assign";
    const ABOUT: &'static str = "An assignment to something that is not held state";

    fn message(&self) -> String {
        let name = &self.name;
        match self.target {
            Target::Prop => format!("`{name}` is a prop: it belongs to the parent"),
            Target::Derived => format!("`{name}` is derived: it follows what it is derived from"),
            Target::Constant => format!("`{name}` is a constant"),
            Target::Variable => format!("`{name}` holds a copy"),
            Target::Handler => format!("`{name}` is a handler"),
            Target::Function => format!("`{name}` is a function"),
            Target::Event => "an event's fields cannot be changed".into(),
            Target::Made => format!("`{name}` is an item of a list that was made for this loop"),
            Target::Position => format!("`{name}` is the position in the loop"),
            Target::Handed => format!("`{name}` is handed back by a slot: it belongs there"),
            Target::Store => format!("`{name}` is a store: only its own handlers write to it"),
            Target::Loaded => format!("`{name}` is filled by the answers of the host"),
            Target::Named => format!("`{name}` is a name of elements, and stays as it is"),
            Target::Length => format!("`{name}` follows from the list"),
            Target::Other => "this cannot be assigned".into(),
        }
    }

    fn label(&self) -> String {
        "cannot be assigned here".into()
    }

    fn advice(&self) -> Vec<String> {
        let name = &self.name;
        vec![match self.target {
            Target::Prop => format!(
                "declare an event, such as `gives change_{name}(…)`, and `give change_{name}(…)` \
                 here, so that the parent makes the change; or hold a copy: `holds own = {name}`"
            ),
            Target::Derived => "assign the state that it is derived from".into(),
            Target::Constant if name.contains(['.', '[']) => format!(
                "a constant has a copy: change what is in the list, `for (const one of list) if (…) one.{0} = …`, or \
                 by its position, `list[list.findIndex(…)].{0} = …`",
                name.rsplit(['.', ']']).find(|step| !step.is_empty()).unwrap_or("field")
            ),
            Target::Constant => "declare it with `let` when it has to change here, or state with `holds`".into(),
            Target::Variable => format!(
                "assign it as a whole: `{name} = [...{name}, …]`, `{name} = {{ ...{name}, … }}`"
            ),
            Target::Function => format!("what `{name}(…)` gives follows from what it is given and reads"),
            Target::Handler => format!("to run it, write `{name}()`"),
            Target::Made => "loop over the state itself, or over `filter`, `slice`, `toSorted` or \
                             `toReversed` of it: then a change lands in the state"
                .into(),
            Target::Position => "to move an item, change the list: `list.splice(…)`".into(),
            Target::Handed => "give an event, or call a handler that makes the change".into(),
            Target::Store => format!(
                "declare a handler in the store, `does …(…) {{ … }}`, and call it here: `{name}.…(…)`"
            ),
            Target::Loaded => "to have it asked again, write `reload` and its name; to change it, \
                               hold a copy with `holds`"
                .into(),
            Target::Other if name.contains(".find(") => {
                "what is found is a copy: change what is in the list, `for (const one of list) if (…) one.… = …`, \
                 or by its position, `list[list.findIndex(…)].… = …`"
                    .into()
            }
            Target::Named => "it tells this component's elements from those of others: give it to their `id`, `for` or `name`".into(),
            Target::Length => format!(
                "to empty the list, assign it: `{0} = []`; to shorten it, `{0} = {0}.slice(0, …)`",
                name.trim_end_matches(".length")
            ),
            Target::Event | Target::Other => {
                "what can be assigned is state declared with `holds`, and fields and items in it"
                    .into()
            }
        }]
    }
}

#[cfg(test)]
super::examples! { CannotAssign:
    "takes a: number\n<p click='-> a = 1'>{a}</p>" => "a",
    "names a\n<p click='-> a = \"b\"' id='<- a'></p>" => "a",
    "takes a: { b: number }\n<p click='-> a.b += 1'>{a.b}</p>" => "a.b",
    "takes a: number[]\n<p click='-> a.push(1)'>{a.length}</p>" => "a",
    "holds a = 1\nderives b = a\n<p click='-> b++'>{b}</p>" => "b",
    "takes a: { b: number }[]\n<p click='-> for (const c of a) c.b = 1'>{a.length}</p>" => "c.b",
    "<p click='-> event.clientX = 1'></p>" => "event.clientX",
    "<p click='-> const a = 1; a = 2'></p>" => "a",
    "holds a = [1]\n<p click='-> let b = a; b.push(2); a = b'>{a.length}</p>" => "b",
    "derives a(b: number) = b\n<p click='-> a = 2'>{a(1)}</p>" => "a",
    "uses water\n<p click='-> water.litres = 2'>{water.litres}</p>" => "water.litres",
    "uses water\n<input type='number' value='<-> water.litres'>" => "water.litres",
    "holds a = [1]\n<p click='-> a.length = 0'>{a.length}</p>" => "a.length",
    "holds a = [{ b: 1 }]\n<p click='-> const c = a.find(d => d.b === 1); c.b++'>{a.length}</p>" => "c.b",
    "holds a = [{ b: 1 }]\n<p click='-> a.find(d => d.b === 1).b = 2'>{a.length}</p>" => "a.find(d => d.b === 1).b",
    "awaits b(): number\nloads a: number = b()\n<p click='-> a = 1'>{a}</p>" => "a",
    "takes a: number{}\n<p click='-> a[\"b\"] = 1'>{a[\"b\"]}</p>" => "a[\"b\"]",
    "takes a: number{}\n<p click='-> delete a[\"b\"]'>{a[\"b\"]}</p>" => "a[\"b\"]",
    "holds a: { b: number }{} = {}\n<p click='-> for (const c of Object.values(a)) c.b = 1'>{a[\"d\"]?.b}</p>" => "c.b",
}
