//! Type declarations (TypeScript) of a page and its host, from what the components declare.

use anyhow::{Context, Result};
use std::collections::BTreeMap;
use std::fmt::Write;
use vein::program::{Answers, CellKind, Name, Plan, Program, Type, TypeId};

/// The declarations for a page that shows a component.
pub(super) fn declarations(program: &Program, component: &str) -> Result<String> {
    let number = program.find(component).context("the component was found before")?;
    let plan = &program.plans[number];
    let mut out = format!(
        "// Made by `vein build --types` from what `{component}` and the components inside it declare.\n"
    );
    for shape in &program.shapes {
        let fields = shape.fields.iter().map(|(name, ty)| (&program.names[*name as usize], *ty));
        let fields: Vec<String> =
            fields.map(|(name, ty)| field(program, name, ty, is_optional(program, ty))).collect();
        let _ = write!(out, "\nexport interface {} {{\n{}}}\n", shape.name, fields.concat());
    }
    props(&mut out, program, plan);
    values(&mut out, program, number);
    events(&mut out, program, plan);
    handlers(&mut out, program, number);
    host(&mut out, program, number);
    out.push_str(PAGE);
    Ok(out)
}

/// What every page can do, whatever it shows.
const PAGE: &str = "
/** What stands at a path; for longer paths, such as `beds[3].moisture`, it is not known here. */
export type At<Path extends string> = Path extends keyof Values ? Values[Path] : unknown;

/** A component on a page. What cannot be done throws, and nothing is changed. */
export interface Page {
  /** Writes to a prop or to state. */
  set<Path extends string>(path: Path, value: At<Path>): void;
  /** The value at a path. */
  get<Path extends string>(path: Path): At<Path>;
  /** Calls a handler of the component, or of a store. */
  call<Name extends keyof Handlers>(handler: Name, ...args: Handlers[Name]): void;
  /** Calls a function with the value at a path, now and whenever it has become another. */
  watch<Path extends string>(path: Path, changed: (value: At<Path>) => void): () => void;
  /** Calls a function with the payload of each event of a name that the component gives. */
  on<Name extends keyof Events>(event: Name, given: (payload: Events[Name]) => void): () => void;
  /** Removes the component with everything that it subscribed to. */
  close(): void;
}
";

fn props(out: &mut String, program: &Program, plan: &Plan) {
    out.push_str("\n/** What the component takes; what has a default may be left out. */\nexport interface Props {\n");
    for cell in &plan.cells {
        let (CellKind::Prop(default) | CellKind::Shared(default)) = &cell.kind else { continue };
        if cell.name.contains(' ') {
            continue;
        }
        out.push_str(&field(program, &cell.name, cell.ty, default.is_some()));
    }
    out.push_str("}\n");
}

fn values(out: &mut String, program: &Program, number: usize) {
    out.push_str("\n/** Props, state, derived values and the values of stores, by their paths. */\nexport interface Values {\n");
    for plan in program.with_all_inside(number) {
        let plan = &program.plans[plan];
        let own = std::ptr::eq(plan, &program.plans[number]);
        let prefix = match &plan.store {
            Some(store) => format!("{store}."),
            None if own => String::new(),
            None => continue,
        };
        for cell in &plan.cells {
            let lasting = !matches!(
                cell.kind,
                CellKind::Item | CellKind::Position | CellKind::Handed | CellKind::Store(..)
            );
            if lasting && !cell.name.contains(' ') && cell.block == 0 {
                let path = format!("{prefix}{}", cell.name);
                out.push_str(&field(program, &path, cell.ty, false));
            }
        }
    }
    out.push_str("}\n");
}

fn events(out: &mut String, program: &Program, plan: &Plan) {
    out.push_str("\n/** The events that the component gives, with their payloads. */\nexport interface Events {\n");
    for event in &plan.events {
        let payload = event.payload.iter();
        let payload: Vec<String> =
            payload.map(|(name, ty)| format!("{}: {}", key(name), typed(program, *ty))).collect();
        let _ = writeln!(out, "  {}: {{ {} }};", key(&event.name), payload.join("; "));
    }
    out.push_str("}\n");
}

fn handlers(out: &mut String, program: &Program, number: usize) {
    out.push_str("\n/** The handlers that can be called, with their parameters. */\nexport interface Handlers {\n");
    for plan in program.with_all_inside(number) {
        let plan = &program.plans[plan];
        let prefix = match &plan.store {
            Some(store) => format!("{store}."),
            None if std::ptr::eq(plan, &program.plans[number]) => String::new(),
            None => continue,
        };
        for handler in &plan.handlers {
            let name = format!("{prefix}{}", handler.name);
            let _ = writeln!(out, "  {}: [{}];", key(&name), parameters(program, &handler.params));
        }
    }
    out.push_str("}\n");
}

fn host(out: &mut String, program: &Program, number: usize) {
    out.push_str(
        "\n/** What comes after the arguments of a question: it is let go when nobody waits any more. */\n\
         export interface Asked {\n  signal: AbortSignal;\n}\n\n\
         /** What `host.js` exports: each function that the components ask, await or stream. */\n\
         export interface Host {\n",
    );
    let mut seen: BTreeMap<Name, String> = BTreeMap::new();
    for plan in program.with_all_inside(number) {
        for asked in &program.plans[plan].asked {
            let result = typed(program, asked.result);
            let params = parameters(program, &asked.params);
            let more = if params.is_empty() { "" } else { ", " };
            let line = match asked.answers {
                Answers::AtOnce => format!("({params}): {result};"),
                Answers::Later => {
                    format!("({params}{more}asked: Asked): Promise<{result}> | {result};")
                }
                Answers::Again => format!(
                    "({params}{more}asked: Asked): AsyncIterable<{result}> | Iterable<{result}>;"
                ),
            };
            seen.entry(asked.name.clone()).or_insert(line);
        }
    }
    for (name, line) in &seen {
        let _ = writeln!(out, "  {}{line}", key(name));
    }
    out.push_str(
        "  /** Called before the page is opened; it may open it itself, with props of its own. */\n  \
         default?(vein: { open(props?: Partial<Props>): Page }): void | Promise<void>;\n}\n",
    );
}

fn parameters(program: &Program, params: &[(Name, TypeId)]) -> String {
    let params = params.iter();
    params
        .map(|(name, ty)| format!("{name}: {}", typed(program, *ty)))
        .collect::<Vec<_>>()
        .join(", ")
}

fn field(program: &Program, name: &str, ty: TypeId, may_lack: bool) -> String {
    format!("  {}{}: {};\n", key(name), if may_lack { "?" } else { "" }, typed(program, ty))
}

/// Whether a field may be left out, and is `null` then.
fn is_optional(program: &Program, ty: TypeId) -> bool {
    matches!(program.types[ty as usize], Type::Optional(_))
}

/// A name as a key: in quotes where it is more than a name.
fn key(name: &str) -> String {
    let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    if plain { name.to_owned() } else { crate::script::quoted(name) }
}

/// A type as TypeScript writes it.
fn typed(program: &Program, ty: TypeId) -> String {
    match &program.types[ty as usize] {
        Type::Null => "null".into(),
        Type::String => "string".into(),
        Type::Number => "number".into(),
        Type::Boolean => "boolean".into(),
        Type::Literals(words) => {
            words.iter().map(|word| crate::script::quoted(word)).collect::<Vec<_>>().join(" | ")
        }
        Type::List(item) => format!("Array<{}>", typed(program, *item)),
        Type::Optional(inner) => format!("{} | null", typed(program, *inner)),
        Type::Record(fields) => {
            let fields = fields.iter().map(|(name, ty)| {
                format!("{}: {}", key(&program.names[*name as usize]), typed(program, *ty))
            });
            format!("{{ {} }}", fields.collect::<Vec<_>>().join("; "))
        }
        Type::Shape(shape) => program.shapes[*shape as usize].name.to_string(),
        Type::Dictionary(value) => format!("{{ [key: string]: {} }}", typed(program, *value)),
        Type::Entry(value) => format!("[string, {}]", typed(program, *value)),
    }
}
