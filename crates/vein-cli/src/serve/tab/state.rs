//! What a component or store on a page holds, as a workbench is told it.

use super::noted::Watch;
use super::raw;
use anyhow::{Context, Result};
use serde_json::{Value as Json, json};
use vein::program::{CellKind, Program, Type, TypeId};
use vein::{Page, ReachMap, Step, Value};

/// Of a list, so many items are told.
const MOST_ITEMS: usize = 100;
/// What a value is shown as is cut at so many characters.
const MOST_SHOWN: usize = 80;

/// An address without which row it is of: `bed-card › p text` of `bed-card[#3] › p text`.
pub(super) fn without_rows(address: &str) -> String {
    let pieces = address.split(" › ").map(|piece| match (piece.find('['), piece.rfind(']')) {
        (Some(from), Some(to)) if from < to => format!("{}{}", &piece[..from], &piece[to + 1..]),
        _ => piece.to_owned(),
    });
    pieces.collect::<Vec<_>>().join(" › ")
}

/// A path of state as the map calls it: `beds[*].crop` of `beds[3].crop`, `bed-card.litres` of `bed-card[#3].litres`.
pub(super) fn any_items(path: &str) -> String {
    match path.rsplit_once("].") {
        Some((before, inner)) if before.contains("[#") => {
            format!("{}.{}", without_rows(&format!("{before}]")), items_in(inner))
        }
        _ => items_in(path),
    }
}

/// The positions in a path as those of any item.
fn items_in(path: &str) -> String {
    let (mut found, mut inside) = (String::new(), false);
    for c in path.chars() {
        match c {
            '[' => found.push_str("[*]"),
            c if c != ']' && !inside => found.push(c),
            _ => {}
        }
        inside = (inside || c == '[') && c != ']';
    }
    found
}

struct Fields<'a> {
    program: &'a Program,
    /// What is called as the map calls it, and known to it.
    map: &'a ReachMap,
    /// The address of what holds them, and on the map.
    owner: (&'a str, String),
    open: &'a [String],
    changed: Vec<&'a str>,
    all: Vec<Json>,
}

impl Fields<'_> {
    fn add(
        &mut self,
        path: &str,
        name: &str,
        (kind, editable): (&str, bool),
        ty: TypeId,
        value: &Value,
        depth: usize,
    ) {
        let (program, mut ty) = (self.program, ty);
        let inner = path.strip_prefix(self.owner.0).unwrap_or(path).trim_start_matches('.');
        let mut way = items_in(inner);
        if !self.owner.1.is_empty() {
            way = format!("{}.{way}", self.owner.1);
        }
        let is_on_map = |way: &String| self.map.paths.iter().any(|known| known.path == *way);
        // The map tells keys apart that are written as they are.
        let of_any = way
            .strip_suffix(&Step::Field(name.into()).to_string())
            .filter(|_| kind == "entry")
            .map(|around| format!("{around}[*]"));
        let way = Some(way).filter(is_on_map).or_else(|| of_any.filter(is_on_map));
        let way = way.unwrap_or_default();
        let mut choices: Vec<&str> = Vec::new();
        let named = program.type_name(ty);
        if let (Type::Optional(inner), false) = (&program.types[ty as usize], value.is_null()) {
            ty = *inner;
        }
        let optional = named.ends_with('?');
        let edit = match &program.types[ty as usize] {
            _ if !editable => "",
            _ if optional => "json",
            Type::String => "text",
            Type::Number => "number",
            Type::Boolean => "flag",
            Type::Literals(words) => {
                choices.extend(words.iter().map(|word| &**word));
                "choice"
            }
            _ => "json",
        };
        let full = raw(value);
        let shown = match value {
            Value::String(text) => text.to_utf8().into_owned(),
            _ => full.get().to_owned(),
        };
        let cut: String = shown.chars().take(MOST_SHOWN).collect();
        let cut = match edit {
            "text" => shown.clone(),
            _ if cut.len() < shown.len() => cut + "…",
            _ => cut,
        };
        let inside = match value {
            Value::List(items) => !items.is_empty(),
            Value::Record(record) => !record.is_empty(),
            _ => false,
        };
        let open = inside && self.open.iter().any(|open| open == path);
        let is_in = |outer: &str, inner: &str| {
            let rest = inner.strip_prefix(outer);
            rest.is_some_and(|rest| rest.is_empty() || rest.starts_with(['.', '[']))
        };
        let changed = self.changed.iter().any(|one| is_in(path, one) || is_in(one, path));
        // What is long is edited by what is inside.
        let long = full.get().len() > 20_000;
        self.all.push(json!({
            "path": path, "name": name, "depth": depth, "kind": kind, "type": named, "value": cut,
            "json": if long { "" } else { full.get() }, "edit": if long { "" } else { edit }, "choices": choices,
            "inside": inside, "open": open, "changed": changed, "way": way,
        }));
        if !open {
            return;
        }
        match value {
            Value::List(items) => {
                let Type::List(item) = &program.types[ty as usize] else { return };
                for (at, value) in items.iter().enumerate().take(MOST_ITEMS) {
                    let path = format!("{path}[{at}]");
                    self.add(&path, &format!("{at}"), ("item", editable), *item, value, depth + 1);
                }
            }
            Value::Record(record) => {
                let fields = match &program.types[ty as usize] {
                    Type::Record(fields) => fields,
                    Type::Shape(shape) => &program.shapes[*shape as usize].fields,
                    Type::Dictionary(inner) => {
                        for (key, value) in record.iter().take(MOST_ITEMS) {
                            let path = format!("{path}{}", Step::Field(key.clone()));
                            self.add(&path, key, ("entry", editable), *inner, value, depth + 1);
                        }
                        return;
                    }
                    _ => return,
                };
                for (name, ty) in fields {
                    let name = &*program.names[*name as usize];
                    if let Some(value) = record.get(name) {
                        let path = format!("{path}.{name}");
                        self.add(&path, name, ("field", editable), *ty, value, depth + 1);
                    }
                }
            }
            _ => {}
        }
    }
}

/// What a component or store holds.
pub(super) fn state(
    page: &mut Page,
    address: &str,
    open: &[String],
    watch: &Watch,
) -> Result<Json> {
    let runtime = page.session_mut().runtime();
    let standing = runtime.standing_components();
    let one = standing.into_iter().find(|one| one.address == address);
    let one = one.context("it does not stand on the page any more")?;
    let (program, is_root) = (runtime.program().clone(), one.scope == runtime.root_scope());
    let plan = &program.plans[one.plan];
    let source = |cell: u32| plan.sources.iter().find(|source| source.value == cell);
    let own = format!("{}.", plan.name);
    let last = watch.lines.back();
    let changed = last.iter().flat_map(|line| &line.effects).filter(|[kind, ..]| kind != "view");
    let changed = changed.map(|[_, place, ..]| match is_root {
        true => place.strip_prefix(&own).unwrap_or(place),
        false => place.as_str(),
    });
    let map = watch.reach.as_ref().context("it was worked out")?;
    let owner = (address, without_rows(address));
    let changed = changed.collect();
    let mut fields = Fields { program: &program, map, owner, open, changed, all: Vec::new() };
    for (number, cell) in (0..).zip(&plan.cells) {
        let (kind, editable) = match &cell.kind {
            CellKind::Prop(_) => ("prop", is_root),
            CellKind::Shared(_) => ("shared", is_root),
            CellKind::State(_) if source(number).is_some() => ("loaded", true),
            CellKind::State(_) => ("held", true),
            CellKind::Derived(..) => ("derived", false),
            CellKind::Item | CellKind::Position | CellKind::Handed | CellKind::Store(..) => {
                continue;
            }
        };
        let plain = |c: char| c.is_alphanumeric() || c == '_';
        if cell.block != 0 || !cell.name.chars().all(plain) {
            continue;
        }
        let path = page.session_mut().runtime().path_of(one.scope, number);
        let value = page.session_mut().get(&path)?;
        let status = source(number).map(|source| {
            let mut text =
                |cell| page.session_mut().value_in(one.scope, cell).to_text().to_string();
            let (status, reason) = (text(source.status), text(source.reason));
            match status == "failed" {
                true => format!("{status}: {reason}"),
                false => status,
            }
        });
        let kind = status.as_deref().unwrap_or(kind);
        fields.add(&path, &cell.name, (kind, editable), cell.ty, &value, 0);
    }
    Ok(fields.all.into())
}
