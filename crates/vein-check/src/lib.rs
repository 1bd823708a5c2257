//! Names, types and reach of components: what is wrong with them, and their compiled form.
//!
//! [`check`] takes the sources of a project and gives a [`Report`] of everything that it
//! found, and, when there is no error, the compiled [`Program`].
//!
//! ```
//! use vein_check::{check, Source};
//! let source = |text: &str| Source { path: "bed-note.vein".into(), text: text.into() };
//!
//! let checked = check(vec![source("takes crop: string\n<p>{crop}</p>")]);
//! assert!(checked.program.is_some());
//!
//! let checked = check(vec![source("takes crop: string\n<p>{crpo}</p>")]);
//! assert!(checked.program.is_none());
//! assert!(checked.report.to_string().contains("did you mean `crop`?"));
//! ```

mod advice;
mod asked;
mod attribute;
mod attributes;
mod component;
mod control;
mod diagnostics;
mod dictionaries;
mod events;
mod expression;
mod functions;
mod interface;
mod loops;
mod map;
mod marks;
mod markup;
mod members;
mod named;
mod names;
mod narrow;
mod nested;
mod reach;
mod report;
mod scope;
mod statement;
mod stores;
mod style;
mod types;
mod values;

pub use diagnostics::{RULES, Rule};
pub use map::{ActionReach, PartReach, PathReach, ReachMap, reach_map};
pub use report::{Diagnostic, Fix, Report, Severity, Source};
pub use vein_plan::nearest;

use diagnostics::from_syntax::from_syntax;
use diagnostics::{BadFileName, EndlessNesting, NameTaken, diagnostic};
use interface::{Interface, Sides, Uses, work_out_falls, work_out_lines};
use named::{Named, named_types};
use rustc_hash::{FxHashMap as HashMap, FxHashSet as HashSet};
use scope::Project;
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use stores::{StoreFacts, store_circles, store_names};
use types::{Shapes, Tables};
use vein_plan::{Plan, Program};
use vein_syntax::elements::is_component_name;
use vein_syntax::{Parsed, Span};

/// What a check gives.
#[derive(Debug)]
pub struct Checked {
    /// The compiled components, when nothing is in the way of running them.
    pub program: Option<Program>,
    /// Everything that was found.
    pub report: Report,
}

/// Checks all components of a project together and compiles them.
pub fn check(sources: Vec<Source>) -> Checked {
    Workspace::new(sources).into_checked()
}

/// A project that is checked again when one of its files changes: only that file is read again,
/// and only what depends on what changed in it is checked again.
///
/// ```
/// use vein_check::{Source, Workspace};
/// let source = |path: &str, text: &str| Source { path: path.into(), text: text.into() };
/// let mut workspace = Workspace::new(vec![source("bed-note.vein", "<p>a</p>")]);
/// assert_eq!(workspace.checked().report.errors(), 0);
/// let checked_again = workspace.change(source("bed-note.vein", "<p>{b}</p>"));
/// assert_eq!((checked_again, workspace.checked().report.errors()), (1, 1));
/// ```
#[derive(Debug, Default)]
pub struct Workspace {
    sources: Vec<Source>,
    files: Vec<FileFacts>,
    tables: Tables,
    shapes: Shapes,
    named: Named,
    interfaces: BTreeMap<String, Interface>,
    handed: RefCell<Handed>,
    /// The component behind the name of each store, and what is known of it.
    store_names: BTreeMap<String, String>,
    stores: RefCell<BTreeMap<String, StoreFacts>>,
    /// What is wrong with the project as a whole.
    found: Vec<Diagnostic>,
}

/// What slots hand back: by component, slot and name.
pub(crate) type Handed = BTreeMap<(u32, String, String), types::Ty>;

/// Fewer files are not worth a thread of their own.
const FILES_PER_WORKER: usize = 64;

/// What is known of a file.
#[derive(Debug)]
struct FileFacts {
    parsed: Parsed,
    name: Option<String>,
    uses: Uses,
    plan: Plan,
    found: Vec<Diagnostic>,
}

impl FileFacts {
    fn new(source: &Source) -> FileFacts {
        let parsed = vein_syntax::parse(&source.text);
        let uses = Uses::of(&parsed.file, &source.text);
        FileFacts { uses, parsed, name: None, plan: Plan::default(), found: Vec::new() }
    }
}

/// Reads all files, with all processors where there is work for them.
fn read_all(sources: &[Source]) -> Vec<FileFacts> {
    let workers = std::thread::available_parallelism().map_or(1, usize::from);
    let each = sources.len().div_ceil(workers).max(FILES_PER_WORKER);
    let (first, others) = sources.split_at(each.min(sources.len()));
    std::thread::scope(|scope| {
        let read = |some: &[Source]| some.iter().map(FileFacts::new).collect::<Vec<_>>();
        let others = others.chunks(each).map(|some| (some, scope.spawn(move || read(some))));
        let others: Vec<_> = others.collect();
        let mut files = read(first);
        for (some, worker) in others {
            // A worker that was lost leaves its files to be read here.
            files.extend(worker.join().unwrap_or_else(|_| read(some)));
        }
        files
    })
}

impl Workspace {
    /// Checks all components of a project.
    pub fn new(sources: Vec<Source>) -> Workspace {
        let files = read_all(&sources);
        let all = (0..files.len()).collect();
        let mut workspace = Workspace { sources, files, ..Workspace::default() };
        workspace.refresh(all);
        workspace
    }

    /// Puts another text in the place of a file's, or adds a file, and checks what depends on it.
    /// Gives how many files were checked.
    pub fn change(&mut self, source: Source) -> usize {
        let facts = FileFacts::new(&source);
        let known = self.sources.iter().position(|known| known.path == source.path);
        let at = match known {
            Some(at) => {
                self.sources[at] = source;
                self.files[at] = facts;
                at
            }
            None => {
                self.sources.push(source);
                self.files.push(facts);
                self.files.len() - 1
            }
        };
        self.refresh(BTreeSet::from([at]))
    }

    /// The sources that it knows.
    pub fn sources(&self) -> &[Source] {
        &self.sources
    }

    /// How many errors there are now.
    pub fn errors(&self) -> usize {
        let files = self.files.iter().flat_map(|facts| &facts.found);
        let all = self.found.iter().chain(files);
        all.filter(|diagnostic| diagnostic.severity == Severity::Error).count()
    }

    /// What the check gives now, for those who need all of it.
    pub fn checked(&self) -> Checked {
        let plans = self.files.iter().map(|facts| facts.plan.clone()).collect();
        self.assemble(self.sources.clone(), self.tables.program.clone(), plans)
    }

    fn into_checked(mut self) -> Checked {
        let (sources, program) =
            (std::mem::take(&mut self.sources), std::mem::take(&mut self.tables.program));
        let plans = self.files.iter_mut().map(|facts| std::mem::take(&mut facts.plan)).collect();
        self.assemble(sources, program, plans)
    }

    fn assemble(&self, sources: Vec<Source>, tables: Program, mut plans: Vec<Plan>) -> Checked {
        let files = self.files.iter().flat_map(|facts| &facts.found);
        let mut found: Vec<Diagnostic> = self.found.iter().chain(files).cloned().collect();
        found.sort_by_key(|d| (d.file, d.span, d.severity));
        let report = Report { sources: sources.into(), diagnostics: found };
        let program = (report.errors() == 0).then(|| {
            plans.sort_by(|a, b| a.name.cmp(&b.name));
            Program { plans, ..tables }
        });
        Checked { program, report }
    }

    /// Checks files that were read anew, and those that depend on what changed in them.
    fn refresh(&mut self, mut dirty: BTreeSet<usize>) -> usize {
        self.found.clear();
        let names = component_names(&self.sources, &mut self.found);
        for (facts, name) in self.files.iter_mut().zip(names) {
            facts.name = name;
        }
        self.store_names = store_names(&self.files, &self.sources, &mut self.found);
        self.stores.borrow_mut().retain(|name, _| self.store_names.contains_key(name));
        self.refresh_shapes(&mut dirty);
        self.refresh_interfaces(&mut dirty);
        let mut checked = 0;
        let order = self.children_first();
        let mut done: BTreeSet<usize> = BTreeSet::new();
        // What a slot hands back may have another type now: then those that use it are checked
        // too, which stand after it.
        for file in order {
            if !dirty.contains(&file) || !done.insert(file) {
                continue;
            }
            checked += 1;
            if self.check_file(file) {
                let name = self.files[file].name.clone().unwrap_or_default();
                let store = self.interfaces.get(&name).and_then(|own| own.store.clone());
                let users = self.files.iter().enumerate();
                let uses = |facts: &FileFacts| {
                    let store = store.as_ref().is_some_and(|s| facts.uses.stores.contains(s));
                    store || facts.uses.names.contains(&name)
                };
                dirty.extend(users.filter(|(_, facts)| uses(facts)).map(|(i, _)| i));
            }
        }
        let endless = self.endless();
        self.found.extend(endless);
        self.found.extend(store_circles(&self.files));
        checked
    }

    fn refresh_shapes(&mut self, dirty: &mut BTreeSet<usize>) {
        let mut shapes = Shapes::default();
        let files = self.files.iter().map(|facts| &facts.parsed.file);
        let named = named_types(&self.sources, files, &mut shapes, &mut self.found);
        if shapes != self.shapes || named != self.named || self.interfaces.is_empty() {
            self.tables = Tables::default();
            self.tables.add_shapes(&shapes);
            (self.shapes, self.named) = (shapes, named);
            dirty.extend(0..self.files.len());
        }
    }

    fn refresh_interfaces(&mut self, dirty: &mut BTreeSet<usize>) {
        let mut before = std::mem::take(&mut self.interfaces);
        let numbers: Vec<String> = before.keys().cloned().collect();
        // What is known of those that were not read anew stays; only what falls to their roots, and whether they
        // stand in a line, may become another.
        let mut unread: HashMap<String, (Vec<String>, Sides<bool>)> = HashMap::default();
        let mut old: HashMap<String, Interface> = HashMap::default();
        for (at, facts) in self.files.iter().enumerate() {
            let Some(name) = &facts.name else { continue };
            let known = before.remove(name);
            let interface = match (known, dirty.contains(&at)) {
                (Some(known), false) => {
                    unread.insert(name.clone(), (known.falls.clone(), known.in_line));
                    known
                }
                (known, _) => {
                    old.extend(known.map(|known| (name.clone(), known)));
                    Interface::of(&facts.parsed.file, &self.named)
                }
            };
            self.interfaces.insert(name.clone(), interface);
        }
        for (number, interface) in self.interfaces.values_mut().enumerate() {
            interface.number = number as u32;
        }
        work_out_falls(&mut self.interfaces, self.files.iter().map(|facts| &facts.uses));
        work_out_lines(&mut self.interfaces);
        // Plans refer to each other by number.
        if !numbers.iter().eq(self.interfaces.keys()) {
            dirty.extend(0..self.files.len());
            return;
        }
        // Plans refer to stores by name as well.
        let stores = |known: &Interface| known.store.clone();
        let store_changed = self.interfaces.iter().any(|(name, interface)| {
            old.get(name).is_some_and(|old| stores(old) != stores(interface))
        });
        let others: BTreeSet<&String> = self
            .interfaces
            .iter()
            .filter(|(name, interface)| match unread.get(*name) {
                Some((falls, in_line)) => {
                    *falls != interface.falls || *in_line != interface.in_line
                }
                None => !old.get(*name).is_some_and(|old| old.same_outside(interface)),
            })
            .map(|(name, _)| name)
            .collect();
        for (at, facts) in self.files.iter().enumerate() {
            let own = facts.name.as_ref().is_some_and(|name| others.contains(name));
            let shared = store_changed && !facts.uses.stores.is_empty();
            if own || shared || facts.uses.names.iter().any(|name| others.contains(name)) {
                dirty.insert(at);
            }
        }
    }

    /// Checks one file. Gives whether what its slots hand back has another type now.
    fn check_file(&mut self, file: usize) -> bool {
        let nameless = Interface::default();
        let facts = &self.files[file];
        let name = facts.name.as_deref().unwrap_or("");
        let own = self.interfaces.get(name).unwrap_or(&nameless);
        let of_this = |handed: &Handed| -> Vec<((u32, String, String), types::Ty)> {
            let first = (own.number, String::new(), String::new());
            let own =
                handed.range(first..).take_while(|((component, ..), _)| *component == own.number);
            own.map(|(key, ty)| (key.clone(), ty.clone())).collect()
        };
        let before = of_this(&self.handed.borrow());
        let project = Project {
            shapes: &self.shapes,
            named: &self.named,
            interfaces: &self.interfaces,
            handed: &self.handed,
            store_names: &self.store_names,
            stores: &self.stores,
        };
        let read = (&*self.sources[file].text, &facts.parsed.file, &facts.uses.reach);
        let (plan, mut found, store) =
            component::component(&project, &mut self.tables, file, name, read, own);
        let errors = &facts.parsed.errors;
        if !errors.is_empty() {
            // What a broken text seems not to use, it may use in what could not be read.
            found.retain(|d| d.severity == Severity::Error && !explained(d, &facts.parsed));
        }
        found.extend(errors.iter().map(|error| from_syntax(error, file)));
        let mut changed = before != of_this(&self.handed.borrow());
        if let (Some(facts), Some(name)) = (store, &own.store) {
            let mut stores = self.stores.borrow_mut();
            changed |= stores.get(name) != Some(&facts);
            stores.insert(name.clone(), facts);
        }
        let facts = &mut self.files[file];
        (facts.plan, facts.found) = (plan, found);
        changed
    }

    /// The files in an order in which a component stands after those that it uses, as far as
    /// they do not use each other.
    fn children_first(&self) -> Vec<usize> {
        let names = self.files.iter().enumerate();
        let numbers: HashMap<&str, usize> =
            names.filter_map(|(i, facts)| Some((facts.name.as_deref()?, i))).collect();
        let uses = |file: usize| -> Vec<usize> {
            let uses = &self.files[file].uses;
            let stores = uses.stores.iter().filter_map(|name| self.store_names.get(name));
            let names = uses.names.iter().chain(stores);
            names.filter_map(|name| numbers.get(name.as_str()).copied()).collect()
        };
        let (mut seen, mut order) = (vec![false; self.files.len()], Vec::new());
        for start in 0..self.files.len() {
            let mut open = vec![(start, None::<Vec<usize>>)];
            while let Some((file, left)) = open.pop() {
                let mut left = match left {
                    Some(left) => left,
                    None if std::mem::replace(&mut seen[file], true) => continue,
                    None => uses(file),
                };
                match left.pop() {
                    Some(next) => {
                        open.push((file, Some(left)));
                        open.push((next, None));
                    }
                    None => order.push(file),
                }
            }
        }
        order
    }

    /// Components that show each other under no condition.
    fn endless(&self) -> Vec<Diagnostic> {
        let mut found: Vec<Diagnostic> = Vec::new();
        for circle in circles(&self.interfaces) {
            let named = |facts: &FileFacts| facts.name.as_deref() == Some(circle[0]);
            let Some(file) = self.files.iter().position(named) else { continue };
            let next = circle.get(1).copied().unwrap_or(circle[0]);
            let mut at = Span::default();
            interface::elements(&self.files[file].parsed.file.markup, &mut |element| {
                if at == Span::default() && element.name.name == next {
                    at = element.name.span;
                }
            });
            let circle = circle.into_iter().map(str::to_owned).collect();
            found.push(diagnostic(&EndlessNesting { circle }, file, at));
        }
        found
    }
}

/// Circles of components that always show the next one; each component is in at most one.
fn circles(interfaces: &BTreeMap<String, Interface>) -> Vec<Vec<&str>> {
    let mut done: HashSet<&str> = HashSet::default();
    let mut found: Vec<Vec<&str>> = Vec::new();
    // How far along the way a component is that stands on it.
    let mut places: HashMap<&str, usize> = HashMap::default();
    for start in interfaces.keys() {
        // The way to here, each component with those that are still to be followed.
        let mut way: Vec<(&str, Vec<&str>)> = Vec::new();
        let mut next = Some(start.as_str());
        loop {
            if let Some(name) = next.take()
                && let Some(interface) = interfaces.get(name)
            {
                match places.get(name) {
                    Some(at) => found.push(way[*at..].iter().map(|(name, _)| *name).collect()),
                    None if done.contains(name) => {}
                    None => {
                        places.insert(name, way.len());
                        way.push((name, interface.always.iter().map(String::as_str).collect()));
                    }
                }
            }
            let Some((name, left)) = way.last_mut() else { break };
            next = left.pop();
            if next.is_none() {
                done.insert(name);
                places.remove(name);
                way.pop();
            }
        }
    }
    found
}

/// Whether a diagnostic is but a consequence of what the parser reported: names whose
/// declaration could not be read are unknown because of that.
fn explained(diagnostic: &Diagnostic, parsed: &Parsed) -> bool {
    let in_declarations = parsed.errors.iter().any(|error| {
        let markup = parsed.file.markup.iter().find_map(first_span);
        markup.is_none_or(|markup| error.span.start < markup.start)
    });
    in_declarations && matches!(diagnostic.code, "unknown-name" | "unknown-type" | "unknown-event")
}

fn first_span(node: &vein_syntax::ast::Node) -> Option<Span> {
    match node {
        vein_syntax::ast::Node::Element(element) => Some(element.start_tag),
        _ => None,
    }
}

/// The name of each component, from its file's stem.
fn component_names(sources: &[Source], found: &mut Vec<Diagnostic>) -> Vec<Option<String>> {
    let mut first: HashMap<String, usize> = HashMap::default();
    let mut names = Vec::new();
    for (file, source) in sources.iter().enumerate() {
        let base = source.path.rsplit(['/', '\\']).next().unwrap_or("");
        let stem = base.strip_suffix(".vein").unwrap_or(base).to_owned();
        let start = Span::default();
        if !is_component_name(&stem) {
            found.push(diagnostic(&BadFileName { stem }, file, start));
            names.push(None);
        } else if let Some(other) = first.get(&stem) {
            let elsewhere = Some(sources[*other].path.clone());
            let finding = NameTaken { name: stem, first: None, elsewhere };
            found.push(diagnostic(&finding, file, start));
            names.push(None);
        } else {
            first.insert(stem.clone(), file);
            names.push(Some(stem));
        }
    }
    names
}
