//! The evaluator: the one meaning of expressions, used by the engine and by the proof.

use crate::calls::DEEPEST_CALLS;
use crate::code::{CellId, Entry, Expr, ExprId, Field, Item, LocalId, NameId, Piece};
use crate::members::Member;
use crate::ops::{Binary, Logical};
use crate::program::{OwnFunction, Plan};
use crate::standard;
use crate::text::Text;
use crate::track::{Extent, Noted, Origin};
use crate::value::{Name, Record, VALUE_BYTES, Value};
use smallvec::SmallVec;
use std::cmp::Ordering;
use std::sync::Arc;

mod walk;

/// No list has a position that far out, so nothing is read there. Half of what a position can
/// be: there is room for following it through what is put in before it.
const BEYOND_ANY_LIST: f64 = 2_147_483_648.0;

/// How many bytes that are gone over count for a step.
const BYTES_A_STEP: u64 = 256;
/// How many items that are handed on count for a step.
pub(crate) const ITEMS_A_STEP: u64 = 16;
/// How many steps it counts for to ask somebody else.
const OUTSIDE: u64 = 10;

/// Where an evaluation finds the state. Derived values are brought up to date by whoever
/// keeps them, before they are given.
pub trait Cells {
    /// The value of a cell as it is now.
    fn cell(&mut self, cell: CellId) -> Value;

    /// Shows the value of a cell, where it stands if it can be seen there, to somebody who needs no more.
    fn see<T>(&mut self, cell: CellId, look: impl FnOnce(&Value) -> T) -> T
    where
        Self: Sized,
    {
        look(&self.cell(cell))
    }

    /// What the host answers to a function of the plan. A host that fails notes it for whoever
    /// started the evaluation, and `null` stands for the answer.
    fn ask(&mut self, asked: u32, args: &[Value]) -> Value;

    /// Uses up steps and bytes of what whoever started the evaluation may use. `false` where there is not enough left:
    /// that is noted for whoever started it, `null` stands for what was to be worked out, and nothing more is gone over.
    fn spend(&mut self, _steps: u64, _bytes: u64) -> bool {
        true
    }

    /// How many bytes there are left to use.
    fn bytes_left(&self) -> u64 {
        u64::MAX
    }

    /// Notes for whoever started the evaluation that calls of functions stand too deep inside each other, that of this
    /// function last. `null` stands for what was to be worked out.
    fn calls_too_deep(&mut self, _function: u32) {}

    /// A name that is this component's alone on its page, made of one that it shares with others of its kind.
    fn own_id(&self, name: &Text) -> Text {
        name.clone()
    }

    /// The time of day on the page's clock, in whole milliseconds since 1970 (ECMA-262, `Date.now`).
    fn date(&self) -> f64 {
        0.0
    }

    /// A number from 0 up to 1 of the page's source of chance (ECMA-262, `Math.random`).
    fn chance(&mut self) -> f64 {
        0.0
    }

    /// What a function of `Local` gives where the page is shown, and a text in upper or lower case
    /// where this crate has no tables for that. Without a locale, the first argument as ECMAScript's
    /// `ToString` gives it.
    fn local(&mut self, _member: Member, args: &[Value]) -> Text {
        args.first().map_or(Text::from(""), Value::to_text)
    }

    /// Which of two texts stands first where people of the page's locale put them in order. Without a locale, by UTF-16 code
    /// units, as ECMAScript's `<` has it.
    fn compare(&self, a: &Text, b: &Text) -> Ordering {
        a.compare(b)
    }
}

/// Formatting for people, in some locale and time zone.
pub trait Formats: Send + Sync {
    /// What a function of `Local` (or `toUpperCase`, `toLowerCase`) gives for its arguments; always the
    /// same for the same.
    fn format(&self, member: Member, args: &[Value]) -> Text;

    /// Which of two texts stands first where people put them in order, for `localeCompare`: the same order for all texts, in
    /// which halves of surrogate pairs count as U+FFFD.
    fn compare(&self, a: &Text, b: &Text) -> Ordering;
}

/// A value on its way through an expression, with where it came from.
pub type Followed<O> = (Value, O);

/// One evaluation: the tables it reads, the state, the locals, and the log of reads.
pub struct Evaluation<'a, C, O> {
    exprs: &'a [Expr],
    functions: &'a [OwnFunction],
    names: &'a [Name],
    cells: &'a mut C,
    locals: &'a mut Vec<Followed<O>>,
    /// What was read; stays empty where nothing is followed.
    pub log: Vec<Noted>,
    /// How many levels of expressions the calls come to that are under way, of functions that may call themselves.
    levels: u32,
    /// Whether they came to too many.
    is_lost: bool,
}

impl<'a, C: Cells, O: Origin> Evaluation<'a, C, O> {
    /// An evaluation of expressions of a plan, with the program's names, where the state is found, and the values of
    /// locals.
    pub fn new(
        plan: &'a Plan,
        names: &'a [Name],
        cells: &'a mut C,
        locals: &'a mut Vec<Followed<O>>,
    ) -> Self {
        let (exprs, functions) = (&plan.exprs, &plan.functions);
        let (log, levels, is_lost) = (Vec::new(), 0, false);
        Evaluation { exprs, functions, names, cells, locals, log, levels, is_lost }
    }

    /// Evaluates an expression and looks at the whole result.
    pub fn value(&mut self, id: ExprId) -> Value {
        let (value, origin) = self.follow(id);
        origin.look(&value, Extent::Whole, &mut self.log);
        value
    }

    /// Binds a local.
    pub fn bind(&mut self, local: LocalId, value: Followed<O>) {
        let at = local as usize;
        if self.locals.len() <= at {
            self.locals.resize(at + 1, (Value::Null, O::made()));
        }
        self.locals[at] = value;
    }

    fn look(&mut self, followed: &Followed<O>, extent: Extent) {
        followed.1.look(&followed.0, extent, &mut self.log);
    }

    /// What a test looks at: of lists and records only whether they are there.
    fn test(&mut self, followed: &Followed<O>) -> bool {
        let extent = match followed.0 {
            Value::List(_) | Value::Record(_) => Extent::Presence,
            _ => Extent::Whole,
        };
        self.look(followed, extent);
        followed.0.truthy()
    }

    /// Evaluates an expression without looking at the result.
    pub fn follow(&mut self, id: ExprId) -> Followed<O> {
        let made = |value| (value, O::made());
        match &self.exprs[id as usize] {
            Expr::Null => made(Value::Null),
            Expr::Boolean(b) => made(Value::Boolean(*b)),
            Expr::Number(n) => made(Value::Number(*n)),
            Expr::String(s) => made(Value::String(s.clone())),
            Expr::Cell(cell) => (self.cells.cell(*cell), O::cell(*cell)),
            Expr::Local(local) => {
                self.locals.get(*local as usize).cloned().unwrap_or_else(|| made(Value::Null))
            }
            Expr::Field(of, name) => self.standing(id).unwrap_or_else(|| self.field(*of, *name)),
            Expr::Index(list, index) => {
                self.standing(id).unwrap_or_else(|| self.index(*list, *index))
            }
            Expr::Unary(op, x) => {
                let x = self.follow(*x);
                match op {
                    crate::ops::Unary::Not => {
                        self.test(&x);
                    }
                    _ => {
                        self.look(&x, Extent::Whole);
                        if !self.goes_over(&x.0) {
                            return made(Value::Null);
                        }
                    }
                }
                made(op.apply(&x.0))
            }
            Expr::Binary(op, a, b) => made(self.binary(*op, *a, *b)),
            Expr::Logical(op, a, b) => {
                let first = self.follow(*a);
                match op {
                    Logical::Coalesce => self.look(&first, Extent::Presence),
                    Logical::And | Logical::Or => {
                        self.test(&first);
                    }
                }
                if op.decided_by(&first.0) { first } else { self.follow(*b) }
            }
            Expr::Choose(test, then, otherwise) => {
                let test = self.follow(*test);
                let branch = if self.test(&test) { *then } else { *otherwise };
                self.follow(branch)
            }
            Expr::Unless(of, local, body) => {
                let of = self.follow(*of);
                self.look(&of, Extent::Presence);
                if of.0.is_null() {
                    return made(Value::Null);
                }
                self.bind(*local, of);
                self.follow(*body)
            }
            Expr::With(of, local, body) => {
                let of = self.follow(*of);
                self.bind(*local, of);
                self.follow(*body)
            }
            Expr::Apply(function, args) => self.call_own(*function, args),
            Expr::Concat(pieces) => made(self.concat(pieces)),
            Expr::List(items) => self.list(items),
            Expr::Record(fields) => made(self.record(fields)),
            Expr::Dictionary(entries) => made(self.dictionary(entries)),
            Expr::Call(member, receiver, args) => self.call(*member, *receiver, args),
            Expr::Walk(member, list, function, extra) => {
                self.walk(*member, *list, function, *extra)
            }
            Expr::Ask(asked, args) => {
                let args: Vec<Value> = args.iter().map(|arg| self.value(*arg)).collect();
                if !self.cells.spend(OUTSIDE, 0) {
                    return made(Value::Null);
                }
                made(self.cells.ask(*asked, &args))
            }
        }
    }

    /// Calls a function of the plan. What it is given and what it gives is not looked at.
    fn call_own(&mut self, number: u32, args: &[ExprId]) -> Followed<O> {
        let OwnFunction { body, levels, .. } = &self.functions[number as usize];
        let nothing = (Value::Null, O::made());
        if self.is_lost || !self.cells.spend(1, 0) {
            return nothing;
        }
        if self.levels + levels > DEEPEST_CALLS {
            self.is_lost = true;
            self.cells.calls_too_deep(number);
            return nothing;
        }
        let frame: Vec<Followed<O>> = args.iter().map(|arg| self.follow(*arg)).collect();
        let around = std::mem::replace(self.locals, frame);
        self.levels += levels;
        let result = self.follow(*body);
        self.levels -= levels;
        *self.locals = around;
        if self.is_lost { nothing } else { result }
    }

    /// Uses up what it takes to go over all of a list or record, as one that becomes a text or is compared.
    fn goes_over(&mut self, value: &Value) -> bool {
        if value.is_simple() {
            return true;
        }
        let bytes = value.bytes(self.cells.bytes_left());
        self.cells.spend(bytes / BYTES_A_STEP, bytes)
    }

    /// Uses up what a text takes that was made.
    fn written(&mut self, value: Value) -> Value {
        let bytes = match &value {
            Value::String(text) => text.bytes(),
            _ => 0,
        };
        match bytes == 0 || self.cells.spend(bytes / BYTES_A_STEP, bytes) {
            true => value,
            false => Value::Null,
        }
    }

    /// What the way of an expression starts at, if that is fields and positions and nothing else.
    fn root(&self, id: ExprId) -> Option<Root> {
        let mut at = id;
        loop {
            at = match &self.exprs[at as usize] {
                Expr::Cell(cell) => return Some(Root::Cell(*cell)),
                Expr::Local(local) => return Some(Root::Local(*local)),
                Expr::Field(of, _) => *of,
                // Whoever follows reads has to know which positions were looked at.
                Expr::Index(list, index) if !O::FOLLOWS => match &self.exprs[*index as usize] {
                    Expr::Local(_) | Expr::Number(_) | Expr::String(_) => *list,
                    _ => return None,
                },
                _ => return None,
            }
        }
    }

    /// Shows what stands at the end of a way to somebody who needs no more, where it is: nothing on the way is copied.
    fn see<T>(&mut self, root: Root, end: ExprId, look: impl FnOnce(Option<&Value>) -> T) -> T {
        let ways = Ways { exprs: self.exprs, names: self.names, locals: self.locals };
        match root {
            Root::Cell(cell) => self.cells.see(cell, |value| look(ways.from(end, value))),
            Root::Local(local) => {
                let root = ways.locals.get(local as usize);
                look(root.and_then(|(value, _)| ways.from(end, value)))
            }
        }
    }

    /// What stands at the end of a way. `None` for any other expression, and, where reads are followed, if the way ends
    /// before.
    fn standing(&mut self, id: ExprId) -> Option<Followed<O>> {
        let root = self.root(id)?;
        let found = self.see(root, id, |value| value.cloned());
        if !O::FOLLOWS {
            return Some((found.unwrap_or_default(), O::made()));
        }
        let origin = match root {
            Root::Cell(cell) => O::cell(cell),
            Root::Local(local) => self.locals.get(local as usize)?.1.clone(),
        };
        Some((found?, self.origin(id, origin)))
    }

    /// Where the end of a way of fields stands.
    fn origin(&self, id: ExprId, root: O) -> O {
        match &self.exprs[id as usize] {
            Expr::Field(of, name) => self.origin(*of, root).field(*name),
            _ => root,
        }
    }

    fn field(&mut self, of: ExprId, name: NameId) -> Followed<O> {
        let (value, origin) = self.follow(of);
        match &value {
            Value::Record(record) => {
                let found = record.get(&self.names[name as usize]);
                (found.cloned().unwrap_or_default(), origin.field(name))
            }
            _ => {
                origin.look(&value, Extent::Presence, &mut self.log);
                (Value::Null, O::made())
            }
        }
    }

    fn index(&mut self, of: ExprId, index: ExprId) -> Followed<O> {
        let (value, origin) = self.follow(of);
        let index = self.value(index);
        match (&value, &index) {
            (Value::Record(record), Value::String(_)) => {
                let key = index.to_key();
                (record.get(&key).cloned().unwrap_or_default(), origin.entry(&key))
            }
            (Value::List(items), _) => match position(index.to_number()) {
                Some(at) => (items.get(at).cloned().unwrap_or_default(), origin.item(at)),
                None => (Value::Null, O::made()),
            },
            _ => {
                origin.look(&value, Extent::Presence, &mut self.log);
                (Value::Null, O::made())
            }
        }
    }

    fn binary(&mut self, op: Binary, a: ExprId, b: ExprId) -> Value {
        if !O::FOLLOWS {
            // To look at something where it is does nothing else, so the second may be worked out before.
            let Some(root @ Root::Local(_)) = self.root(a) else {
                let (first, second) = (self.follow(a).0, self.follow(b).0);
                return self.applied(op, &first, &second);
            };
            let second = self.follow(b).0;
            let apply = |first: Option<&Value>| {
                let first = first.unwrap_or(&Value::Null);
                match first.is_simple() && second.is_simple() {
                    true => Ok(op.apply(first, &second)),
                    false => Err(first.clone()),
                }
            };
            return match self.see(root, a, apply) {
                Ok(value) => self.written(value),
                Err(first) => self.applied(op, &first, &second),
            };
        }
        let (first, second) = (self.follow(a), self.follow(b));
        let compares_with_null = matches!(op, Binary::Equal | Binary::NotEqual)
            && (matches!(self.exprs[a as usize], Expr::Null)
                || matches!(self.exprs[b as usize], Expr::Null));
        let extent = if compares_with_null { Extent::Presence } else { Extent::Whole };
        self.look(&first, extent);
        self.look(&second, extent);
        self.applied(op, &first.0, &second.0)
    }

    fn applied(&mut self, op: Binary, first: &Value, second: &Value) -> Value {
        // What is held against nothing is not gone over.
        let against_nothing =
            matches!(op, Binary::Equal | Binary::NotEqual) && (first.is_null() || second.is_null());
        let goes_over = against_nothing || self.goes_over(first) && self.goes_over(second);
        if !goes_over {
            return Value::Null;
        }
        let result = op.apply(first, second);
        self.written(result)
    }

    fn concat(&mut self, pieces: &[Piece]) -> Value {
        let mut texts: Vec<Text> = Vec::with_capacity(pieces.len());
        for piece in pieces {
            let (Piece::Value(e) | Piece::Shown(e)) = piece else {
                let Piece::Static(text) = piece else { continue };
                texts.push(text.clone());
                continue;
            };
            let value = self.value(*e);
            if !self.goes_over(&value) {
                return Value::Null;
            }
            texts.push(match piece {
                Piece::Shown(_) => value.to_text_or_empty(),
                _ => value.to_text(),
            });
        }
        self.written(Value::String(Text::concat(&texts)))
    }

    fn list(&mut self, items: &[Item]) -> Followed<O> {
        let (mut values, mut origins) = (Vec::new(), Vec::new());
        for item in items {
            match item {
                Item::One(e) => {
                    let (value, origin) = self.follow(*e);
                    values.push(value);
                    origins.push(origin);
                }
                Item::Spread(e) => {
                    let list = self.follow(*e);
                    self.look(&list, Extent::Length);
                    if let Value::List(items) = &list.0 {
                        if !self.makes_items(items.len()) {
                            return (Value::Null, O::made());
                        }
                        values.extend(items.iter().cloned());
                        origins.extend((0..items.len()).map(|i| list.1.item(i)));
                    }
                }
            }
        }
        if !self.makes_items(items.len()) {
            return (Value::Null, O::made());
        }
        (Value::list(values), O::gathered(origins))
    }

    /// Uses up what so many places in a list or record take.
    fn makes_items(&mut self, count: usize) -> bool {
        let count = count as u64;
        self.cells.spend(count / ITEMS_A_STEP, count * VALUE_BYTES)
    }

    fn record(&mut self, fields: &[Field]) -> Value {
        let mut pairs: Vec<(Name, Value)> = Vec::new();
        for field in fields {
            match field {
                Field::One(name, e) => {
                    let value = self.value(*e);
                    pairs.push((self.names[*name as usize].clone(), value));
                }
                Field::Spread(e) => {
                    if let Value::Record(record) = self.value(*e) {
                        pairs.extend(record.iter().map(|(n, v)| (n.clone(), v.clone())));
                    }
                }
            }
        }
        match self.makes_items(2 * pairs.len()) {
            true => Value::Record(Arc::new(Record::new(pairs))),
            false => Value::Null,
        }
    }

    fn dictionary(&mut self, entries: &[Entry]) -> Value {
        let mut pairs: Vec<(Name, Value)> = Vec::new();
        for entry in entries {
            match entry {
                Entry::One(key, e) => {
                    let key = self.value(*key).to_key();
                    pairs.push((key, self.value(*e)));
                }
                Entry::Spread(e) => {
                    if let Value::Record(record) = self.value(*e) {
                        pairs.extend(record.iter().map(|(n, v)| (n.clone(), v.clone())));
                    }
                }
            }
        }
        match self.makes_items(2 * pairs.len()) {
            true => Value::dictionary(pairs),
            false => Value::Null,
        }
    }

    fn call(&mut self, member: Member, receiver: Option<ExprId>, args: &[ExprId]) -> Followed<O> {
        if !O::FOLLOWS
            && !matches!(member, Member::ToSorted | Member::LocaleCompare)
            && let Some(of) = receiver
            && let Some(root) = self.root(of)
        {
            let args: SmallVec<[Value; 2]> = args.iter().map(|e| self.follow(*e).0).collect();
            if !standard::is_cheap(member) {
                let most = self.cells.bytes_left();
                let cost = self.see(root, of, |receiver| {
                    standard::cost(member, receiver.unwrap_or(&Value::Null), &args, most)
                });
                if !self.cells.spend(cost.0, cost.1) {
                    return (Value::Null, O::made());
                }
            }
            let result = self.see(root, of, |receiver| {
                standard::call(member, receiver.unwrap_or(&Value::Null), &args)
            });
            return (self.gave(member, result), O::made());
        }
        let receiver = receiver.map(|e| self.follow(e));
        let args: SmallVec<[Value; 2]> = args.iter().map(|e| self.value(*e)).collect();
        let Some(receiver) = receiver else {
            if member.info().on == crate::members::Receiver::Local {
                if !self.cells.spend(OUTSIDE, 0) {
                    return (Value::Null, O::made());
                }
                let text = Value::String(self.cells.local(member, &args));
                return (self.written(text), O::made());
            }
            let made = match member {
                Member::Now => Value::Number(self.cells.date()),
                Member::Random => Value::Number(self.cells.chance()),
                Member::OwnId => Value::String(self.cells.own_id(&args[0].to_text())),
                _ => self.standard(member, &Value::Null, &args),
            };
            return (made, O::made());
        };
        if let Value::Record(record) = &receiver.0 {
            let origin = self.of_dictionary(member, record, &receiver, &args);
            return (self.standard(member, &receiver.0, &args), origin);
        }
        let Value::List(items) = &receiver.0 else {
            self.look(&receiver, Extent::Whole);
            return (self.standard(member, &receiver.0, &args), O::made());
        };
        // Members that hand items on without looking at them keep where the items came from.
        let (list, len) = (&receiver.1, items.len());
        let bound = |at: usize, default: f64| {
            crate::number::relative_index(args.get(at).map_or(default, Value::to_number), len)
        };
        let handed_on = match member {
            Member::ListLength => {
                self.look(&receiver, Extent::Length);
                return (self.standard(member, &receiver.0, &args), O::made());
            }
            Member::ListSlice => {
                (bound(0, 0.0)..bound(1, f64::INFINITY)).map(|i| list.item(i)).collect()
            }
            Member::ToReversed => (0..len).rev().map(|i| list.item(i)).collect(),
            Member::ToSorted => {
                // As strings, all of every item is looked at.
                self.look(&receiver, Extent::Whole);
                return self.sorted(items, list, None);
            }
            Member::ListAt => {
                let at = args.first().map_or(0.0, Value::to_number);
                if at.trunc() < 0.0 {
                    self.look(&receiver, Extent::Length);
                }
                let index = if at.trunc() < 0.0 { at.trunc() + len as f64 } else { at.trunc() };
                let at = if index.is_nan() { 0.0 } else { index };
                let within = (0.0..BEYOND_ANY_LIST).contains(&at);
                let origin = if within { list.item(at as usize) } else { O::made() };
                return (self.standard(member, &receiver.0, &args), origin);
            }
            _ => {
                self.look(&receiver, Extent::Whole);
                return (self.standard(member, &receiver.0, &args), O::made());
            }
        };
        self.look(&receiver, Extent::Length);
        (self.standard(member, &receiver.0, &args), O::gathered(handed_on))
    }

    /// What a member looks at of a dictionary, and where what it gives came from.
    fn of_dictionary(
        &mut self,
        member: Member,
        record: &Record,
        dictionary: &Followed<O>,
        args: &[Value],
    ) -> O {
        let origin = &dictionary.1;
        let entries = || record.iter().map(|(key, _)| origin.entry(key));
        match member {
            Member::Keys | Member::Values | Member::Entries => {
                self.look(dictionary, Extent::Keys);
            }
            Member::HasKey => {
                let key = args.first().map_or_else(|| "".into(), Value::to_key);
                let found = record.get(&key).unwrap_or(&Value::Null);
                origin.entry(&key).look(found, Extent::Position, &mut self.log);
            }
            _ => self.look(dictionary, Extent::Whole),
        }
        match member {
            Member::Values => O::gathered(entries().collect()),
            Member::Entries => {
                O::gathered(entries().map(|entry| O::gathered(vec![O::made(), entry])).collect())
            }
            _ => O::made(),
        }
    }

    /// What a standard member gives, within what may be used up.
    fn standard(&mut self, member: Member, receiver: &Value, args: &[Value]) -> Value {
        if !standard::is_cheap(member) {
            let (steps, bytes) = standard::cost(member, receiver, args, self.cells.bytes_left());
            if !self.cells.spend(steps, bytes) {
                return Value::Null;
            }
        }
        let result = match (member, receiver, args) {
            (Member::LocaleCompare, Value::String(one), [Value::String(other)]) => {
                Value::Number(f64::from(self.cells.compare(one, other) as i8))
            }
            _ => standard::call(member, receiver, args),
        };
        self.gave(member, result)
    }

    /// Uses up what was made of a text, which is not known before.
    fn gave(&mut self, member: Member, result: Value) -> Value {
        match &result {
            Value::List(pieces) if member == Member::Split || member.takes_pattern() => {
                match self.makes_items(pieces.len()) {
                    true => result,
                    false => Value::Null,
                }
            }
            _ => self.written(result),
        }
    }
}

/// What a way starts at.
#[derive(Clone, Copy)]
enum Root {
    Cell(CellId),
    Local(LocalId),
}

/// What it takes to go along the ways of a plan.
struct Ways<'a, O> {
    exprs: &'a [Expr],
    names: &'a [Name],
    locals: &'a [Followed<O>],
}

impl<O> Ways<'_, O> {
    /// What stands at the end of a way, where there is anything.
    fn from<'v>(&self, id: ExprId, root: &'v Value) -> Option<&'v Value> {
        match &self.exprs[id as usize] {
            Expr::Field(of, name) => match self.from(*of, root)? {
                Value::Record(record) => record.get(&self.names[*name as usize]),
                _ => None,
            },
            Expr::Index(list, index) => {
                let number;
                let at = match &self.exprs[*index as usize] {
                    Expr::Number(at) => {
                        number = Value::Number(*at);
                        &number
                    }
                    Expr::String(key) => {
                        number = Value::String(key.clone());
                        &number
                    }
                    Expr::Local(local) => &self.locals.get(*local as usize)?.0,
                    _ => return None,
                };
                match (self.from(*list, root)?, at) {
                    (Value::List(items), at) => items.get(position(at.to_number())?),
                    (Value::Record(record), Value::String(_)) => record.get(&at.to_key()),
                    _ => None,
                }
            }
            _ => Some(root),
        }
    }
}

/// The position in a list that a number is, if it is one.
fn position(at: f64) -> Option<usize> {
    (at >= 0.0 && at.fract() == 0.0 && at < BEYOND_ANY_LIST).then_some(at as usize)
}
