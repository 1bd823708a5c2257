//! What an expression reads, worked out without running it.
//!
//! This goes over an expression as the evaluator does, with paths in the place of values. An
//! expression whose reads are the same on every run is *fixed*: nothing has to be followed
//! when it runs. Otherwise the paths found here are the most that it can read.

use rustc_hash::{FxHashMap as HashMap, FxHashSet as HashSet};
use vein_plan::calls::reached;
use vein_plan::code::{Entry, Expr, ExprId, Field, Function, Item, LocalId, Piece};
use vein_plan::members::Member;
use vein_plan::ops::{Binary, Logical, Unary};
use vein_plan::{Extent, OwnFunction, PlanRead, Program, ReadStep, Reads, Type, TypeId};

/// Where a value may stand.
#[derive(Clone, Debug)]
enum Origin {
    Made,
    /// In a cell, at this way into it.
    At(u32, Vec<ReadStep>),
    /// In one of several places.
    Either(Vec<Origin>),
    /// A list whose items stand in these places.
    Items(Box<Origin>),
}

/// Finds what expressions of a plan read.
pub(crate) struct Finder<'a> {
    pub(crate) program: &'a Program,
    pub(crate) exprs: &'a [Expr],
    pub(crate) functions: &'a [OwnFunction],
    /// The types of the plan's cells.
    pub(crate) types: &'a [TypeId],
}

struct Walker<'a> {
    finder: &'a Finder<'a>,
    locals: HashMap<LocalId, Origin>,
    /// Each read, and whether it happens on every run.
    reads: Vec<(PlanRead, bool)>,
    /// Whether the place goes on only under a condition.
    conditional: bool,
    /// Whether positions are involved, which differ from run to run.
    positions: bool,
    /// The functions that are called, that called last last.
    open: Vec<u32>,
    /// How many steps are left: functions inside functions are gone over several times.
    left: usize,
}

/// More than any expression that somebody writes needs.
const MOST_STEPS: usize = 200_000;

impl Finder<'_> {
    /// What an expression reads.
    pub(crate) fn reads(&self, root: ExprId) -> Reads {
        let mut walker = Walker {
            finder: self,
            locals: HashMap::default(),
            reads: Vec::new(),
            conditional: false,
            positions: false,
            open: Vec::new(),
            left: MOST_STEPS,
        };
        let origin = walker.follow(root);
        walker.look(&origin, Extent::Whole);
        if walker.left == 0 {
            return Reads::Followed(self.everything(root));
        }
        let mut all: Vec<PlanRead> = Vec::new();
        let (mut always, mut seen) = (HashSet::default(), HashSet::default());
        for (read, on_every_run) in walker.reads {
            if on_every_run {
                always.insert(read.clone());
            }
            if seen.insert(read.clone()) {
                all.push(read);
            }
        }
        if !walker.positions && all.len() == always.len() {
            Reads::Fixed(all)
        } else {
            Reads::Followed(all)
        }
    }

    /// All of every cell that an expression names.
    fn everything(&self, root: ExprId) -> Vec<PlanRead> {
        let cells = reached(self.exprs, self.functions, root).into_iter().filter_map(|id| {
            let Expr::Cell(cell) = &self.exprs[id as usize] else { return None };
            Some(PlanRead { cell: *cell, path: Vec::new(), extent: Extent::Whole })
        });
        cells.collect()
    }
}

impl Walker<'_> {
    fn look(&mut self, origin: &Origin, extent: Extent) {
        match origin {
            Origin::Made => {}
            Origin::At(cell, path) => {
                let read = PlanRead { cell: *cell, path: path.clone(), extent };
                self.reads.push((read, !self.conditional));
            }
            Origin::Either(origins) => {
                for origin in origins {
                    self.sometimes(|walker| walker.look(origin, extent));
                }
            }
            Origin::Items(items) if extent == Extent::Whole => self.look(items, extent),
            Origin::Items(_) => {}
        }
    }

    fn sometimes<T>(&mut self, inner: impl FnOnce(&mut Self) -> T) -> T {
        let before = std::mem::replace(&mut self.conditional, true);
        let result = inner(self);
        self.conditional = before;
        result
    }

    /// A test looks at all of a simple value, and only at the presence of others.
    fn test(&mut self, origin: &Origin) {
        let extent = match origin {
            Origin::At(cell, path) if self.is_compound(*cell, path) => Extent::Presence,
            _ => Extent::Whole,
        };
        match origin {
            Origin::Either(origins) => {
                for origin in origins.clone() {
                    self.sometimes(|walker| walker.test(&origin));
                }
            }
            Origin::Items(_) => {}
            _ => self.look(origin, extent),
        }
    }

    /// Whether a list or record stands at a path.
    fn is_compound(&self, cell: u32, path: &[ReadStep]) -> bool {
        let mut ty = self.without_null(self.finder.types[cell as usize]);
        for step in path {
            let fields: &[(u32, TypeId)] = match &self.finder.program.types[ty as usize] {
                Type::Record(fields) => fields,
                Type::Shape(shape) => &self.finder.program.shapes[*shape as usize].fields,
                _ => &[],
            };
            let next = match (step, &self.finder.program.types[ty as usize]) {
                (
                    ReadStep::AnyItem,
                    Type::List(item) | Type::Dictionary(item) | Type::Entry(item),
                )
                | (ReadStep::Field(_), Type::Dictionary(item)) => Some(*item),
                (ReadStep::Field(name), _) => {
                    fields.iter().find(|(n, _)| n == name).map(|(_, ty)| *ty)
                }
                _ => None,
            };
            match next {
                Some(next) => ty = self.without_null(next),
                None => return false,
            }
        }
        let ty = &self.finder.program.types[ty as usize];
        !matches!(
            ty,
            Type::Null
                | Type::String
                | Type::Number
                | Type::Boolean
                | Type::Literals(_)
                | Type::Optional(_)
        )
    }

    fn without_null(&self, ty: TypeId) -> TypeId {
        match &self.finder.program.types[ty as usize] {
            Type::Optional(inner) => *inner,
            _ => ty,
        }
    }

    fn step(origin: &Origin, step: ReadStep) -> Origin {
        match origin {
            Origin::Made => Origin::Made,
            Origin::At(cell, path) => {
                Origin::At(*cell, path.iter().copied().chain([step]).collect())
            }
            Origin::Either(origins) => {
                Origin::Either(origins.iter().map(|o| Self::step(o, step)).collect())
            }
            Origin::Items(items) if step == ReadStep::AnyItem => (**items).clone(),
            Origin::Items(_) => Origin::Made,
        }
    }

    fn value(&mut self, id: ExprId) {
        let origin = self.follow(id);
        self.look(&origin, Extent::Whole);
    }

    fn follow(&mut self, id: ExprId) -> Origin {
        if self.left == 0 {
            self.positions = true;
            return Origin::Made;
        }
        self.left -= 1;
        let exprs = self.finder.exprs;
        match &exprs[id as usize] {
            Expr::Null | Expr::Boolean(_) | Expr::Number(_) | Expr::String(_) => Origin::Made,
            Expr::Cell(cell) => Origin::At(*cell, Vec::new()),
            Expr::Local(local) => self.locals.get(local).cloned().unwrap_or(Origin::Made),
            Expr::Field(of, name) => {
                let of = self.follow(*of);
                Self::step(&of, ReadStep::Field(*name))
            }
            Expr::Index(list, index) => {
                if let Some(name) = self.known_key(*index) {
                    let of = self.follow(*list);
                    return Self::step(&of, ReadStep::Field(name));
                }
                self.positions = true;
                let list = self.follow(*list);
                self.value(*index);
                Self::step(&list, ReadStep::AnyItem)
            }
            Expr::Unary(Unary::Not, of) => {
                let of = self.follow(*of);
                self.test(&of);
                Origin::Made
            }
            Expr::Unary(_, of) => {
                self.value(*of);
                Origin::Made
            }
            Expr::Binary(op, a, b) => {
                let is_null = |e: &ExprId| matches!(exprs[*e as usize], Expr::Null);
                let presence =
                    matches!(op, Binary::Equal | Binary::NotEqual) && (is_null(a) || is_null(b));
                let extent = if presence { Extent::Presence } else { Extent::Whole };
                for side in [a, b] {
                    let origin = self.follow(*side);
                    self.look(&origin, extent);
                }
                Origin::Made
            }
            Expr::Logical(op, a, b) => {
                let first = self.follow(*a);
                match op {
                    Logical::Coalesce => self.look(&first, Extent::Presence),
                    Logical::And | Logical::Or => self.test(&first),
                }
                let second = self.sometimes(|walker| walker.follow(*b));
                Origin::Either(vec![first, second])
            }
            Expr::Choose(test, then, otherwise) => {
                let test = self.follow(*test);
                self.test(&test);
                let branches =
                    [then, otherwise].map(|branch| self.sometimes(|walker| walker.follow(*branch)));
                Origin::Either(branches.into())
            }
            Expr::Unless(of, local, body) => {
                let of = self.follow(*of);
                self.look(&of, Extent::Presence);
                self.locals.insert(*local, of);
                let body = self.sometimes(|walker| walker.follow(*body));
                Origin::Either(vec![body])
            }
            Expr::With(of, local, body) => {
                let of = self.follow(*of);
                self.locals.insert(*local, of);
                self.follow(*body)
            }
            Expr::Apply(function, args) => {
                let args = args.iter().map(|arg| self.follow(*arg)).collect();
                self.call_own(*function, args)
            }
            Expr::Concat(pieces) => {
                for piece in pieces {
                    match piece {
                        Piece::Static(_) => {}
                        Piece::Value(e) | Piece::Shown(e) => self.value(*e),
                    }
                }
                Origin::Made
            }
            Expr::List(items) => self.list(items),
            Expr::Record(fields) => {
                for Field::One(_, e) | Field::Spread(e) in fields {
                    self.value(*e);
                }
                Origin::Made
            }
            Expr::Dictionary(entries) => {
                for entry in entries {
                    match entry {
                        Entry::One(key, e) => [key, e].into_iter().for_each(|e| self.value(*e)),
                        Entry::Spread(e) => self.value(*e),
                    }
                }
                Origin::Made
            }
            Expr::Call(member, receiver, args) => self.call(*member, *receiver, args),
            Expr::Walk(member, list, function, extra) => {
                self.walk(*member, *list, function, *extra)
            }
            Expr::Ask(_, args) => {
                args.iter().for_each(|e| self.value(*e));
                Origin::Made
            }
        }
    }

    /// The name of a key that is written as it is.
    fn known_key(&self, key: ExprId) -> Option<u32> {
        let Expr::String(key) = &self.finder.exprs[key as usize] else { return None };
        let key = key.to_utf8();
        self.finder.program.names.iter().position(|name| **name == *key).map(|at| at as u32)
    }

    /// What a function gives for arguments from these places. Of what one that calls itself is given, and of what it
    /// gives, all may be read.
    fn call_own(&mut self, number: u32, args: Vec<Origin>) -> Origin {
        let function = &self.finder.functions[number as usize];
        if function.levels > 0 {
            self.positions = true;
            self.sometimes(|walker| args.iter().for_each(|arg| walker.look(arg, Extent::Whole)));
            if self.open.contains(&number) {
                return Origin::Made;
            }
        }
        self.open.push(number);
        let around = std::mem::replace(&mut self.locals, (0..).zip(args).collect());
        let result = self.follow(function.body);
        self.locals = around;
        self.open.pop();
        if function.levels == 0 {
            return result;
        }
        self.sometimes(|walker| walker.look(&result, Extent::Whole));
        Origin::Made
    }

    fn list(&mut self, items: &[Item]) -> Origin {
        let mut origins = Vec::new();
        for item in items {
            match item {
                Item::One(e) => origins.push(self.follow(*e)),
                Item::Spread(e) => {
                    self.positions = true;
                    let list = self.follow(*e);
                    self.look(&list, Extent::Length);
                    origins.push(Self::step(&list, ReadStep::AnyItem));
                }
            }
        }
        // Each item is there on every run; only which one is meant differs.
        self.positions |= origins.iter().any(|o| !matches!(o, Origin::Made));
        Origin::Items(Box::new(Origin::Either(origins)))
    }

    fn call(&mut self, member: Member, receiver: Option<ExprId>, args: &[ExprId]) -> Origin {
        let receiver = receiver.map(|e| self.follow(e));
        args.iter().for_each(|e| self.value(*e));
        let Some(list) = receiver else { return Origin::Made };
        match member {
            Member::HasKey => {
                let entry = match args.first().and_then(|key| self.known_key(*key)) {
                    Some(name) => Self::step(&list, ReadStep::Field(name)),
                    None => {
                        self.positions = true;
                        Self::step(&list, ReadStep::AnyItem)
                    }
                };
                self.look(&entry, Extent::Position);
                Origin::Made
            }
            Member::Keys => {
                self.look(&list, Extent::Keys);
                Origin::Made
            }
            Member::Values => {
                self.positions = true;
                self.look(&list, Extent::Keys);
                Origin::Items(Box::new(Self::step(&list, ReadStep::AnyItem)))
            }
            // Of an entry, the key was looked at, and what stands there is its only other item.
            Member::Entries => {
                self.positions = true;
                self.look(&list, Extent::Keys);
                let entry = Origin::Items(Box::new(Self::step(&list, ReadStep::AnyItem)));
                Origin::Items(Box::new(entry))
            }
            Member::ListLength => {
                self.look(&list, Extent::Length);
                Origin::Made
            }
            Member::ListAt => {
                self.positions = true;
                self.sometimes(|walker| walker.look(&list, Extent::Length));
                Self::step(&list, ReadStep::AnyItem)
            }
            Member::ToSorted => {
                self.positions = true;
                self.look(&list, Extent::Whole);
                Origin::Items(Box::new(Self::step(&list, ReadStep::AnyItem)))
            }
            Member::ListSlice | Member::ToReversed => {
                self.positions = true;
                self.look(&list, Extent::Length);
                Origin::Items(Box::new(Self::step(&list, ReadStep::AnyItem)))
            }
            _ => {
                self.look(&list, Extent::Whole);
                Origin::Made
            }
        }
    }

    /// What a function gives for arguments from these places.
    fn apply(&mut self, function: &Function, args: &[Origin]) -> Origin {
        for (i, param) in function.params.iter().enumerate() {
            self.locals.insert(*param, args.get(i).cloned().unwrap_or(Origin::Made));
        }
        self.sometimes(|walker| walker.follow(function.body))
    }

    fn walk(
        &mut self,
        member: Member,
        list: ExprId,
        function: &Function,
        extra: Option<ExprId>,
    ) -> Origin {
        self.positions = true;
        let list = self.follow(list);
        let start = extra.map(|e| self.follow(e));
        self.look(&list, Extent::Length);
        let item = Self::step(&list, ReadStep::AnyItem);
        let given = match (member, &start) {
            (Member::Reduce, Some(start)) => {
                // What is carried on is the start, or what the function gave for it.
                let first = self.apply(function, &[start.clone(), item.clone()]);
                let carried = Origin::Either(vec![start.clone(), first]);
                self.apply(function, &[carried, item.clone()])
            }
            (Member::ToSorted, _) => self.apply(function, &[item.clone(), item.clone()]),
            _ => self.apply(function, std::slice::from_ref(&item)),
        };
        self.sometimes(|walker| match member {
            Member::Filter => {
                walker.test(&given);
                Origin::Items(Box::new(item))
            }
            Member::ToSorted => {
                walker.look(&given, Extent::Whole);
                Origin::Items(Box::new(item))
            }
            Member::Map => Origin::Items(Box::new(given)),
            Member::GroupBy => {
                walker.look(&given, Extent::Whole);
                walker.look(&item, Extent::Whole);
                Origin::Made
            }
            Member::FlatMap => {
                walker.look(&given, Extent::Length);
                Origin::Items(Box::new(Self::step(&given, ReadStep::AnyItem)))
            }
            Member::Reduce => Origin::Either(start.into_iter().chain([given]).collect()),
            Member::Find | Member::FindLast => {
                walker.test(&given);
                item
            }
            _ => {
                walker.test(&given);
                Origin::Made
            }
        })
    }
}
