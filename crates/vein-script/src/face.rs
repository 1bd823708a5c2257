//! What whoever opens a component can do with it, as the engine's [`Opened`](../engine/opening.mjs) knows it.

use crate::code;
use crate::component::{Compiled, class_name, table};
use crate::own::{method_in, name_in};
use crate::types::{holds_dictionaries, type_of};
use vein_plan::{CellKind, Plan, Program};

impl Compiled {
    /// What there is to know of a component that nobody drives, as an expression.
    pub fn face_of_nobody(&self, program: &Program, plan: &Plan) -> String {
        let page = if self.lively { "clockedPage" } else { "() => ({})" };
        let typed = typed_props(program, plan)
            .map(|cell| format!("{}: {}", quoted(&cell.name), type_of(program, cell.ty)));
        let typed: Vec<String> = typed.collect();
        let data = match typed.as_slice() {
            [] => String::new(),
            typed => {
                format!(" data: (given) => withTypes(given, {{ {} }}),", typed.join(", "))
            }
        };
        format!(
            "{{ kind: {}, kinds: [{}], page: {page},{data} listens: (root, failed) => {{\n{}}} }}",
            class_name(&plan.name),
            self.kinds(),
            self.listens("root", "failed", "undefined")
        )
    }

    /// The stores on its page, by their numbers.
    fn kinds(&self) -> String {
        let kinds = self.stores.iter().map(|(number, name)| format!("[{number}, {name}]"));
        kinds.collect::<Vec<_>>().join(", ")
    }

    /// A component's face as an expression: its props, what can be read and written by paths, what can be called, and what
    /// it gives.
    pub fn face(&self, program: &Program, plan: &Plan) -> String {
        let props = own_cells(plan).filter_map(|(_, cell)| {
            let (CellKind::Prop(start) | CellKind::Shared(start)) = &cell.kind else { return None };
            let ty = type_of(program, cell.ty);
            let known = !cell.name.contains(' ');
            let needed = start.is_none();
            known.then(|| format!("{}: {{ type: {ty}, needed: {needed} }}", quoted(&cell.name)))
        });
        let events = plan.events.iter().map(|event| {
            let names: Vec<String> = event.payload.iter().map(|(name, _)| quoted(name)).collect();
            format!("{}: [{}]", quoted(&event.name), names.join(", "))
        });
        let number = program.plans.iter().position(|known| known.name == plan.name).unwrap_or(0);
        let inside = program.with_all_inside(number);
        let mut asked: Vec<String> = Vec::new();
        for of in inside.iter().flat_map(|plan| &program.plans[*plan].asked) {
            let name = quoted(&of.name);
            if !asked.contains(&name) {
                asked.push(name);
            }
        }
        let stores = inside.iter().filter_map(|number| {
            let plan = &program.plans[*number];
            let name = plan.store.as_ref()?;
            let own = of_plan(program, plan);
            Some(format!("{}: {{ number: {number}, {own} }}", quoted(name)))
        });
        format!(
            "{{ name: {}, kind: {}, kinds: [{}], asked: [{}], props: {}, {}, events: {}, stores: {}, \
             listens: (root, failed, signal) => {{\n{}}} }}",
            quoted(&plan.name),
            class_name(&plan.name),
            self.kinds(),
            asked.join(", "),
            table(props),
            of_plan(program, plan),
            table(events),
            table(stores),
            self.listens("root", "failed", "signal")
        )
    }
}

/// The props whose values JSON tells not enough of: those with dictionaries in them.
pub(crate) fn typed_props<'p>(
    program: &'p Program,
    plan: &'p Plan,
) -> impl Iterator<Item = &'p vein_plan::Cell> {
    let props = own_cells(plan).map(|(_, cell)| cell);
    let props = props.filter(|cell| matches!(cell.kind, CellKind::Prop(_) | CellKind::Shared(_)));
    props.filter(|cell| holds_dictionaries(program, cell.ty))
}

/// The cells of a component itself.
fn own_cells(plan: &Plan) -> impl Iterator<Item = (u32, &vein_plan::Cell)> {
    let cells = (0..).zip(&plan.cells);
    cells.filter(|(_, cell)| cell.block == 0 && !matches!(cell.kind, CellKind::Store(..)))
}

/// What can be read, written and called of a component or a store.
fn of_plan(program: &Program, plan: &Plan) -> String {
    let cells = own_cells(plan).map(|(at, cell)| {
        let written = !matches!(cell.kind, CellKind::Derived(..));
        let (ty, property) = (type_of(program, cell.ty), quoted(&name_in(plan, at)));
        let name = quoted(&cell.name);
        format!("{name}: {{ property: {property}, type: {ty}, written: {written} }}")
    });
    let handlers = (0..).zip(&plan.handlers).map(|(at, handler)| {
        let params = handler.params.iter();
        let params =
            params.map(|(name, ty)| format!("[{}, {}]", quoted(name), type_of(program, *ty)));
        let params: Vec<String> = params.collect();
        let name = quoted(&handler.name);
        let method = quoted(&method_in(plan, at));
        format!("{name}: {{ name: {name}, method: {method}, params: [{}] }}", params.join(", "))
    });
    format!("cells: {}, handlers: {}", table(cells), table(handlers))
}

fn quoted(text: &str) -> String {
    code::string(&text.into()).text
}
