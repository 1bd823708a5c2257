//! A component as a custom element: one file that any page can use.

use super::assets::{Assets, linked};
use crate::project::Planned;
use crate::script::{Script, Scripts};
use crate::shipped::{host_files, styles};
use anyhow::{Context, Result, bail};
use serde_json::{Value as Json, json};
use vein::Value;
use vein::program::{Block, CellKind, Name, Program, SpotKind, Type, TypeId};
use vein_script::Driven;

/// How that comes to the component, and to what stands in for it.
const COMPONENT: &str = "import { FACE, Opened } from './component.mjs';";
const BUILT: &str = "import { ELEMENT } from './built.mjs';";
const ELEMENT: &str = include_str!("../../page/element.mjs");

/// Adds the file of an element, and gives what should be known of it.
pub(super) fn add(
    planned: &Planned,
    reflect: &[String],
    readable: bool,
    assets: &mut Assets,
) -> Result<Vec<String>> {
    let tag = &planned.component;
    let program = with_slot_elements(planned)?;
    let number = program.find(tag).context("the component was found before")?;
    let plan = &program.plans[number];
    let marked: Vec<&String> = planned.build.reflect.iter().chain(reflect).collect();
    let known: Vec<&str> =
        plan.cells.iter().filter(|cell| is_prop(cell)).map(|c| &*c.name).collect();
    if let Some(unknown) = marked.iter().find(|name| !known.contains(&name.as_str())) {
        bail!("`{tag}` takes no prop `{unknown}` to reflect; there are: {}", known.join(", "));
    }
    let defaults = defaults(planned, &program, number);
    let props = plan.cells.iter().filter(|cell| is_prop(cell)).map(|cell| {
        let (CellKind::Prop(default) | CellKind::Shared(default)) = &cell.kind else {
            return Json::Null;
        };
        let shared = matches!(cell.kind, CellKind::Shared(_));
        let (kind, words) = kind(&program, cell.ty);
        json!({
            "name": &*cell.name,
            "attribute": attribute(&cell.name),
            "kind": kind,
            "words": words,
            "required": default.is_none(),
            "value": defaults.iter().find(|(name, _)| *name == cell.name).map(|(_, value)| value),
            "reflects": shared || marked.iter().any(|name| **name == *cell.name),
        })
    });
    let mut props: Vec<Json> = props.collect();
    // What has no default is not there at all, rather than `null`.
    for prop in props.iter_mut().filter_map(Json::as_object_mut) {
        let none = prop["value"].is_null() && prop["required"] == true;
        if none {
            prop.remove("value");
        }
    }
    if let Some(taken) = known.iter().find(|name| is_taken(name)) {
        bail!(
            "`{tag}` takes a prop `{taken}`, which every element of a document has: call it otherwise \
             to make an element of it"
        );
    }
    let css = format!(":host {{ display: contents; }}\n{}", styles(planned, &program, number));
    let element = json!({
        "tag": tag,
        "component": tag,
        "locale": planned.answers.locale,
        "zone": planned.answers.zone,
        "css": css,
        "props": props,
        "events": plan.events.iter().map(|event| &*event.name).collect::<Vec<_>>(),
    });
    let scripts = Scripts::of_planned(planned, &program, (Driven::ByHost, ELEMENT))?;
    let files = host_files(planned)?;
    let own = match files.first().map(|(path, _)| path.clone()) {
        Some(first) => {
            let folder = assets.add_folder("host", files);
            format!("import * as own from './assets/{folder}/{}';", first.display())
        }
        None => "const own = {};".to_owned(),
    };
    let script = ELEMENT.replace("import * as own from './host.js';", &own);
    let element = format!("const ELEMENT = {element};\n");
    if readable {
        let folder = assets.add_scripts("element", scripts.modules(&["Opened"]));
        let component = format!("./assets/{folder}/component.mjs");
        let script = script.replace("./component.mjs", &component).replace(BUILT, &element);
        assets.add(format!("{tag}.js"), script);
    } else {
        let built = scripts.whole() + &element;
        let whole = script.replace(COMPONENT, "").replace(BUILT, &built);
        let name = format!("{tag}.js");
        let Script { text, map } = scripts.sent(&whole, &name);
        assets.add(&name, text + &linked(&name));
        assets.add_beside(format!("{name}.map"), map);
    }
    Ok(Vec::new())
}

fn is_prop(cell: &vein::program::Cell) -> bool {
    matches!(cell.kind, CellKind::Prop(_) | CellKind::Shared(_)) && !cell.name.contains(' ')
}

/// Names that stand on every element (DOM and HTML standards) and mean something there.
fn is_taken(name: &str) -> bool {
    const TAKEN: &str = "id class title lang dir hidden style slot part role page children attributes \
        prefix dataset draggable translate inert popover nonce autofocus click focus blur remove";
    TAKEN.split_whitespace().any(|taken| taken == name)
}

/// The attribute of a prop: HTML knows no capitals there.
fn attribute(name: &str) -> String {
    let mut attribute = String::new();
    for c in name.chars() {
        match c {
            '_' => attribute.push('-'),
            c if c.is_ascii_uppercase() => {
                attribute.push('-');
                attribute.push(c.to_ascii_lowercase());
            }
            c => attribute.push(c),
        }
    }
    attribute
}

/// How an attribute's text becomes a value of a type.
fn kind(program: &Program, ty: TypeId) -> (&'static str, Vec<&Name>) {
    match &program.types[ty as usize] {
        Type::String => ("string", Vec::new()),
        Type::Number => ("number", Vec::new()),
        Type::Boolean => ("boolean", Vec::new()),
        Type::Literals(words) => ("words", words.iter().collect()),
        Type::Optional(inner) => kind(program, *inner),
        _ => ("json", Vec::new()),
    }
}

/// What props are that are not given: found out by opening the component with something for the others.
fn defaults(planned: &Planned, program: &Program, number: usize) -> Vec<(Name, Json)> {
    let plan = &program.plans[number];
    let required = plan.cells.iter().filter(|cell| {
        is_prop(cell) && matches!(cell.kind, CellKind::Prop(None) | CellKind::Shared(None))
    });
    let given = required.map(|cell| (cell.name.clone(), anything(program, cell.ty, 0)));
    let page = crate::simulated::answered(planned.ui.page(&plan.name), &planned.answers);
    let page = page.and_then(|page| page.proven(false).open_value(Value::record(given)));
    let Ok(mut page) = page else { return Vec::new() };
    let cells = plan.cells.iter().filter(|cell| {
        is_prop(cell) && matches!(cell.kind, CellKind::Prop(Some(_)) | CellKind::Shared(Some(_)))
    });
    let value = |name: &Name| page.get::<Json>(name).ok().map(|value| (name.clone(), value));
    cells.map(|cell| cell.name.clone()).collect::<Vec<_>>().iter().filter_map(value).collect()
}

/// Some value of a type.
fn anything(program: &Program, ty: TypeId, deep: usize) -> Value {
    let record = |fields: &[(u32, TypeId)]| {
        let fields = fields.iter().map(|(name, ty)| {
            (program.names[*name as usize].clone(), anything(program, *ty, deep + 1))
        });
        Value::record(fields)
    };
    match &program.types[ty as usize] {
        Type::String => Value::from(""),
        Type::Number => Value::from(0.0),
        Type::Boolean => Value::from(false),
        Type::Literals(words) => Value::from(words.first().map_or("", |word| &**word)),
        Type::List(_) => Value::list(Vec::new()),
        Type::Dictionary(_) => Value::dictionary([]),
        Type::Record(fields) if deep < 20 => record(fields),
        Type::Shape(shape) if deep < 20 => record(&program.shapes[*shape as usize].fields),
        _ => Value::Null,
    }
}

/// The components, with elements `slot` of the document where the component has its own: what a page
/// puts inside the element is then shown there by the browser.
fn with_slot_elements(planned: &Planned) -> Result<Program> {
    let program = planned.ui.program();
    let number = program.find(&planned.component).context("the component was found before")?;
    let slots = program.plans[number].blocks.iter().flat_map(|block| &block.spots);
    for spot in slots {
        if let SpotKind::Slot { name, values, .. } = &spot.kind
            && !values.is_empty()
        {
            bail!(
                "the slot `{name}` of `{}` hands values back, which no page outside can take: leave them \
                 out to make an element of it",
                planned.component
            );
        }
    }
    let mut program = (**program).clone();
    program.plans[number].blocks.iter_mut().for_each(Block::add_slot_elements);
    Ok(program)
}
