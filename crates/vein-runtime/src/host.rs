//! What the host reads and writes, by paths such as `beds[3].moisture`.

use crate::pulse::Pulse;
use crate::runtime::Runtime;
use crate::view::Clean;
use std::sync::Arc;
use vein_plan::code::CellId;
use vein_plan::{CellKind, Misfit, Name, Program, Record, Step, Type, TypeId, Value, to_json};

/// Why the host could not open, read or write something.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum HostError {
    /// There is no such component.
    UnknownComponent {
        /// What was asked for.
        name: String,
        /// Those that there are.
        known: Vec<String>,
    },
    /// The component has no such prop.
    UnknownProp {
        /// The component.
        component: String,
        /// What was given.
        name: String,
        /// Those that it has.
        known: Vec<String>,
    },
    /// Required props were not given.
    MissingProps {
        /// The component.
        component: String,
        /// Each with its type.
        missing: Vec<(String, String)>,
    },
    /// The props are not an object.
    PropsNotAnObject,
    /// A value does not fit its type.
    Misfit(Misfit),
    /// There is nothing at a path.
    UnknownPath {
        /// The path.
        path: String,
        /// What can be reached from where it goes wrong.
        known: Vec<String>,
    },
    /// A derived value cannot be written.
    Derived {
        /// Its name.
        name: String,
    },
}

impl std::fmt::Display for HostError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let listed = |names: &[String]| match names {
            [] => "there are none".to_owned(),
            names => format!("there are: {}", names.join(", ")),
        };
        match self {
            HostError::UnknownComponent { name, known } => {
                write!(f, "there is no component `{name}`; {}", listed(known))
            }
            HostError::UnknownProp { component, name, known } => {
                write!(f, "`{component}` takes no prop `{name}`; {}", listed(known))
            }
            HostError::MissingProps { component, missing } => {
                let missing: Vec<String> =
                    missing.iter().map(|(name, ty)| format!("`{name}: {ty}`")).collect();
                write!(
                    f,
                    "`{component}` needs {}, which the data does not give",
                    missing.join(", ")
                )
            }
            HostError::PropsNotAnObject => {
                f.write_str("the data must be an object: a value for each prop, by name")
            }
            HostError::Misfit(misfit) => write!(f, "{misfit}"),
            HostError::UnknownPath { path, known } => {
                write!(f, "there is nothing at `{path}`; {}", listed(known))
            }
            HostError::Derived { name } => {
                write!(
                    f,
                    "`{name}` is derived and cannot be written: write what it is derived from"
                )
            }
        }
    }
}

impl std::error::Error for HostError {}

impl From<Misfit> for HostError {
    fn from(misfit: Misfit) -> Self {
        HostError::Misfit(misfit)
    }
}

impl Runtime {
    /// Opens a component by name, with its props as a record, which may come from JSON. `clean`
    /// is as for [`Runtime::open`].
    ///
    /// # Errors
    /// An unknown component or prop, a missing prop, or a value that does not fit.
    pub fn open_with(
        program: Arc<Program>,
        component: &str,
        props: impl Into<Value>,
        clean: Option<Clean>,
    ) -> Result<(Runtime, Pulse), HostError> {
        let number = program.find(component).ok_or_else(|| HostError::UnknownComponent {
            name: component.into(),
            known: program.plans.iter().map(|plan| plan.name.to_string()).collect(),
        })?;
        let props = read_props(&program, number, props.into())?;
        Ok(Runtime::open(program, number, &props, clean))
    }

    /// The value at a path, as JSON.
    ///
    /// # Errors
    /// A path to nothing.
    pub fn get(&mut self, path: &str) -> Result<serde_json::Value, HostError> {
        let (cell, steps, _) = self.resolve(path)?;
        let value = self.value(cell);
        let found = value.at(&steps).ok_or_else(|| HostError::UnknownPath {
            path: path.into(),
            known: vec![format!("{} items", value.list_len())],
        })?;
        Ok(to_json(found))
    }

    /// Writes a value, which may come from JSON, to a prop or to state. That is a pulse of its own.
    ///
    /// # Errors
    /// A path to nothing or to a derived value, or a value that does not fit.
    pub fn set(&mut self, path: &str, data: impl Into<Value>) -> Result<Pulse, HostError> {
        let (cell, steps, ty) = self.resolve(path)?;
        let name = self.plan().cells[cell as usize].name.to_string();
        if matches!(self.plan().cells[cell as usize].kind, CellKind::Derived(..)) {
            return Err(HostError::Derived { name });
        }
        let value = self.program().fit(ty, &data.into(), path)?;
        if self.value(cell).at(&steps).is_none() {
            return Err(HostError::UnknownPath { path: path.into(), known: Vec::new() });
        }
        Ok(self.write(cell, steps, value))
    }

    /// The cell, the steps and the type that a path means.
    fn resolve(&self, path: &str) -> Result<(CellId, Vec<Step>, TypeId), HostError> {
        let unknown = |known: Vec<String>| HostError::UnknownPath { path: path.into(), known };
        let (root, mut rest) = split_name(path);
        let cells = &self.plan().cells;
        let names = || cells.iter().map(|cell| cell.name.to_string()).collect();
        let at =
            cells.iter().position(|cell| *cell.name == *root).ok_or_else(|| unknown(names()))?;
        let (mut steps, mut ty) = (Vec::new(), cells[at].ty);
        let program = self.program();
        while !rest.is_empty() {
            if let Type::Optional(inner) = program.types[ty as usize] {
                ty = inner;
            }
            if let Some(inner) = rest.strip_prefix('[') {
                let (digits, after) = inner.split_once(']').ok_or_else(|| unknown(Vec::new()))?;
                let index = digits.parse().map_err(|_| unknown(vec!["positions".into()]))?;
                let Type::List(item) = program.types[ty as usize] else {
                    return Err(unknown(Vec::new()));
                };
                steps.push(Step::Index(index));
                (ty, rest) = (item, after);
            } else {
                let inner = rest.strip_prefix('.').ok_or_else(|| unknown(Vec::new()))?;
                let (name, after) = split_name(inner);
                let fields: &[(u32, TypeId)] = match &program.types[ty as usize] {
                    Type::Record(fields) => fields,
                    Type::Shape(shape) => &program.shapes[*shape as usize].fields,
                    _ => &[],
                };
                let field = fields.iter().find(|(n, _)| *program.names[*n as usize] == *name);
                let (number, inner) = *field.ok_or_else(|| {
                    unknown(
                        fields
                            .iter()
                            .map(|(n, _)| program.names[*n as usize].to_string())
                            .collect(),
                    )
                })?;
                steps.push(Step::Field(program.names[number as usize].clone()));
                (ty, rest) = (inner, after);
            }
        }
        Ok((at as CellId, steps, ty))
    }
}

fn split_name(path: &str) -> (&str, &str) {
    path.split_at(path.find(['.', '[']).unwrap_or(path.len()))
}

fn read_props(
    program: &Program,
    number: usize,
    data: Value,
) -> Result<Vec<(Name, Value)>, HostError> {
    let plan = &program.plans[number];
    let given = match data {
        Value::Record(record) => record,
        Value::Null => Arc::new(Record::new([])),
        _ => return Err(HostError::PropsNotAnObject),
    };
    let is_prop = |kind: &CellKind| matches!(kind, CellKind::Prop(_) | CellKind::Shared(_));
    // What falls to the root element has no name that a host could give.
    let props = || plan.cells.iter().filter(|c| is_prop(&c.kind) && !c.name.contains(' '));
    if let Some(extra) =
        given.iter().map(|(name, _)| name).find(|name| !props().any(|cell| cell.name == **name))
    {
        return Err(HostError::UnknownProp {
            component: plan.name.to_string(),
            name: extra.to_string(),
            known: props().map(|cell| cell.name.to_string()).collect(),
        });
    }
    let missing: Vec<(String, String)> = props()
        .filter(|cell| matches!(cell.kind, CellKind::Prop(None) | CellKind::Shared(None)))
        .filter(|cell| given.get(&cell.name).is_none())
        .map(|cell| (cell.name.to_string(), program.type_name(cell.ty)))
        .collect();
    if !missing.is_empty() {
        return Err(HostError::MissingProps { component: plan.name.to_string(), missing });
    }
    let mut read = Vec::new();
    for cell in props() {
        if let Some(data) = given.get(&cell.name) {
            read.push((cell.name.clone(), program.fit(cell.ty, data, &cell.name)?));
        }
    }
    Ok(read)
}
