//! Expressions of a plan as expressions of ECMAScript.

use crate::code::{self, Code, Level};
use crate::kind::Kind;
use crate::members;
use crate::readers::{Readers, holds_once};
use std::collections::{BTreeMap, BTreeSet};
use vein_plan::code::{
    CellId, Entry, Expr, ExprId, Field, Function, Item, LocalId, NameId, Piece, StmtId,
};
use vein_plan::members::Member;
use vein_plan::ops::{Binary, Logical, Unary};
use vein_plan::{OwnFunction, Plan, Program};

/// What things are called around an expression.
pub trait Names {
    /// The value of a cell, as an expression.
    fn cell(&self, cell: CellId) -> Code;

    /// What the host answers to a function of the plan, with the arguments' texts; statements ask each time that they run.
    fn ask(&self, asked: u32, args: &[String], acts: bool) -> Code;

    /// What gives something else each time, by the name of what the engine has for it.
    fn moment(&self, what: &str) -> Code {
        Code::tight(format!("{what}(this)"))
    }

    /// Where a cell's value stands, to be written to: an object, and the name of its property.
    fn place(&self, cell: CellId) -> (String, String);

    /// For the item of a loop, what it is now as an expression, or nothing once it has gone; and whose readers see
    /// what is written there. What the place is called is an expression, too.
    fn item(&self, _: CellId, _called: &str) -> Option<(String, String)> {
        None
    }

    /// For the item of a loop, its row.
    fn row_of(&self, _: CellId) -> Option<String> {
        None
    }

    /// For the item of a loop, the list that it stands in and its position there, or nothing once it has gone.
    fn home(&self, _: CellId, _called: &str) -> Option<String> {
        None
    }

    /// For a prop that may be bound both ways, an expression for the object and the name of its property that it is
    /// bound to by now, or else its own; what it is called where that is nowhere is an expression, too.
    fn shared(&self, _: CellId, _called: &str) -> Option<String> {
        None
    }

    /// A call of one of the component's functions.
    fn apply(&self, function: u32, args: &[String]) -> Code {
        Code::tight(format!("this.{}({})", own_function(function), args.join(", ")))
    }

    /// A call of one of the component's handlers.
    fn call(&self, handler: u32, args: &[String]) -> Code;

    /// A call of a handler of a store: the store's plan, and the handler there.
    fn call_store(&self, store: u32, handler: u32, args: &[String]) -> Code;

    /// Has one of the component's sources ask again.
    fn reload(&self, source: u32) -> Code;

    /// An event that is given to whoever uses the component.
    fn give(&self, event: u32, args: &[String]) -> Code;

    /// Has statements wait for what the host answers to a function of the plan, and go on with a function of the answer.
    fn wait(&self, asked: u32, args: &[String], then: &[String]) -> String {
        format!("wait({asked}, [{}], {})", args.join(", "), then.join(", "))
    }

    /// What follows a write to a cell beside marking who reads it in its component.
    fn told(&self, _: CellId) -> Option<String> {
        None
    }
}

/// What a function is called in the class of its component.
pub(crate) fn own_function(function: u32) -> String {
    format!("fn{function}$")
}

/// An expression that is written, with what is known of it.
#[derive(Clone, Debug)]
pub(crate) struct Written {
    pub(crate) code: Code,
    pub(crate) kind: Kind,
    /// Whether it may be `undefined` where the language has `null`: an item that is not there, a chain with `?.`.
    pub(crate) open: bool,
}

impl Written {
    pub(crate) fn closed(code: Code, kind: Kind) -> Written {
        Written { code, kind, open: false }
    }

    pub(crate) fn tight(text: impl Into<String>, kind: Kind) -> Written {
        Written::closed(Code::tight(text), kind)
    }

    /// It with `null` for what is not there.
    pub(crate) fn close(self) -> Written {
        if !self.open {
            return self;
        }
        let text = format!("{} ?? null", self.code.within(Level::Equality));
        Written::closed(Code { text, level: Level::Coalesce }, self.kind)
    }

    pub(crate) fn may_be_null(&self) -> bool {
        self.open || matches!(self.kind, Kind::Null | Kind::Maybe(_) | Kind::Any)
    }

    /// What stands behind it: `.name`, `[index]`, with `null` where there is none.
    pub(crate) fn then(&self, plain: &str, chained: &str, kind: Kind) -> Written {
        let open = self.may_be_null();
        let text = format!("{}{}", self.code.receiver(), if open { chained } else { plain });
        let kind = if open { kind.or_null() } else { kind };
        Written { code: Code::tight(text), kind, open }
    }
}

/// Cells that may have to be asked for, of which a reader looks at some only under conditions: which it has looked at stands in
/// a field of its scope, a bit for each.
#[derive(Clone, Debug)]
pub(crate) struct Notes {
    pub(crate) field: String,
    pub(crate) cells: Vec<CellId>,
}

impl Notes {
    /// An expression that reads some of the cells, and notes it.
    fn noted(&self, read: impl Fn(&CellId) -> bool, code: Code) -> Code {
        let cells = self.cells.iter().enumerate().filter(|(_, cell)| read(cell));
        match cells.fold(0, |bits, (at, _)| bits | 1 << at) {
            0 => code,
            bits => Code::tight(format!("(this.{} |= {bits}, {})", self.field, code.alone())),
        }
    }

    /// What begins to note afresh.
    pub(crate) fn begin(&self) -> String {
        let field = &self.field;
        format!("undo.push(this, \"{field}\", this.{field}); this.{field} = 0; ")
    }
}

/// Writes the expressions of one function of a component.
pub struct Writer<'a> {
    pub(crate) program: &'a Program,
    pub(crate) plan: &'a Plan,
    pub(crate) names: &'a dyn Names,
    /// Functions of the engine that were used.
    pub used: BTreeSet<&'static str>,
    /// Variables that have to be declared around what was written.
    declared: BTreeSet<String>,
    locals: BTreeMap<LocalId, Written>,
    /// Who is marked when something is written.
    pub(crate) readers: Option<&'a Readers>,
    /// Within statements that wait somewhere: the loops that they stand in.
    pub(crate) waiting: Option<Vec<crate::statement::Loop>>,
    /// Those of them that catch what the host fails with.
    pub(crate) guards: Vec<crate::statement::Guard>,
    /// Positions that have been worked out, by their names.
    pub(crate) indexes: BTreeMap<ExprId, String>,
    /// How many objects have been noted before something in them is written.
    pub(crate) kept: u32,
    /// Whether statements are written.
    pub(crate) acts: bool,
    /// What notes which cells were read, where the reader looks at some only under conditions.
    pub(crate) notes: Option<Notes>,
    /// For a derived value, its cell, the bit of it that is marked, and how many lists in it are kept up.
    pub(crate) keeps: Option<(CellId, u32, u32)>,
    /// Whether a function is written that stands in another.
    inner: bool,
    /// The component's number, where it is to be told what was written where.
    pub(crate) marks: Option<u32>,
    /// Locals that nobody looks at any more once they have gone where they are kept.
    pub(crate) moved: BTreeSet<ExprId>,
    /// Declarations of what is taken out of a list, and goes nowhere but back.
    pub(crate) taken: BTreeSet<StmtId>,
    /// Declarations of what is looked at only before anything is written.
    pub(crate) borrowed: BTreeSet<StmtId>,
}

impl<'a> Writer<'a> {
    /// A writer of a component's expressions.
    pub fn new(program: &'a Program, plan: &'a Plan, names: &'a dyn Names) -> Writer<'a> {
        let (used, declared, locals) = Default::default();
        let (waiting, indexes, notes) = (None, BTreeMap::new(), None);
        let (readers, kept, marks, acts, keeps, inner) = (None, 0, None, false, None, false);
        Writer {
            program,
            plan,
            names,
            used,
            declared,
            locals,
            readers,
            waiting,
            guards: Vec::new(),
            indexes,
            kept,
            acts,
            notes,
            keeps,
            inner,
            marks,
            moved: BTreeSet::new(),
            taken: BTreeSet::new(),
            borrowed: BTreeSet::new(),
        }
    }

    /// Says what a local is called and holds.
    pub fn bind(&mut self, local: LocalId, name: &str, kind: Kind) {
        self.locals.insert(local, Written::tight(name, kind));
    }

    /// The declaration of the variables that what was written needs around it, once; often there are none.
    pub fn declarations(&mut self) -> String {
        let names: Vec<String> = std::mem::take(&mut self.declared).into_iter().collect();
        if names.is_empty() { String::new() } else { format!("let {}; ", names.join(", ")) }
    }

    /// An expression, never `undefined`.
    pub fn value(&mut self, id: ExprId) -> Code {
        self.closed(id).code
    }

    /// What is known of an expression's values.
    pub fn kind(&mut self, id: ExprId) -> Kind {
        let (used, declared) = (self.used.clone(), self.declared.clone());
        let kind = self.written(id).kind;
        (self.used, self.declared) = (used, declared);
        kind
    }

    /// An expression of which only counts whether it is truthy.
    pub fn test(&mut self, id: ExprId) -> Code {
        match &self.plan.exprs[id as usize] {
            Expr::Unary(Unary::Not, of) => {
                let of = self.test(*of);
                Code { text: format!("!{}", of.within(Level::Unary)), level: Level::Unary }
            }
            Expr::Logical(op @ (Logical::And | Logical::Or), a, b) => {
                let (a, b) = (self.test(*a), self.test(*b));
                logical(*op, &a, &b)
            }
            _ => self.written(id).code,
        }
    }

    pub(crate) fn uses(&mut self, name: &'static str) -> &'static str {
        self.used.insert(name);
        name
    }

    pub(crate) fn closed(&mut self, id: ExprId) -> Written {
        self.written(id).close()
    }

    fn args(&mut self, args: &[ExprId]) -> Vec<Written> {
        args.iter().map(|arg| self.closed(*arg)).collect()
    }

    /// Text that is never longer than texts are.
    pub(crate) fn cut(&mut self, text: &str) -> Written {
        Written::tight(format!("{}({text})", self.uses("cut")), Kind::String)
    }

    pub(crate) fn written(&mut self, id: ExprId) -> Written {
        match &self.plan.exprs[id as usize] {
            Expr::Null => Written::tight("null", Kind::Null),
            Expr::Boolean(on) => Written::tight(on.to_string(), Kind::Boolean),
            Expr::Number(n) => Written::closed(code::number(*n), Kind::Number),
            Expr::String(text) => Written::closed(code::string(text), Kind::String),
            Expr::Cell(cell) => {
                let kind = Kind::of(self.program, self.plan.cells[*cell as usize].ty);
                let code = self.names.cell(*cell);
                let code = match &self.notes {
                    Some(notes) => notes.noted(|noted| noted == cell, code),
                    None => code,
                };
                Written::closed(code, kind)
            }
            Expr::Local(local) => match self.locals.get(local) {
                Some(known) => known.clone(),
                None => Written::tight("null", Kind::Null),
            },
            Expr::Field(of, name) => {
                let of = self.written(*of);
                let kind = of.kind.field(self.program, *name);
                let name = &self.program.names[*name as usize];
                of.then(&format!(".{name}"), &format!("?.{name}"), kind)
            }
            Expr::Index(of, index) => self.indexed(*of, *index),
            Expr::Unary(op, of) => self.unary(*op, *of),
            Expr::Binary(op, a, b) => self.binary(*op, *a, *b),
            Expr::Logical(op, a, b) => {
                let (first, second) = (self.written(*a), self.written(*b));
                let kind = first.kind.clone().joined(second.kind.clone());
                let (first, kind) = match op {
                    Logical::And => (first.close(), kind),
                    Logical::Or | Logical::Coalesce => {
                        (first.clone(), first.kind.there().joined(second.kind))
                    }
                };
                let code = logical(*op, &first.code, &second.code);
                Written { code, kind, open: second.open }
            }
            Expr::Choose(test, then, otherwise) => {
                let (test, then) = (self.test(*test), self.written(*then));
                let otherwise = self.written(*otherwise);
                let text = format!(
                    "{} ? {} : {}",
                    test.within(Level::Coalesce),
                    then.code.alone(),
                    otherwise.code.alone()
                );
                Written {
                    code: Code { text, level: Level::Conditional },
                    kind: then.kind.joined(otherwise.kind),
                    open: then.open || otherwise.open,
                }
            }
            Expr::Unless(of, local, body) => self.unless(*of, *local, *body),
            Expr::With(of, local, body) => self.with(*of, *local, *body),
            Expr::Apply(function, args) => {
                let args: Vec<String> =
                    self.args(args).iter().map(|arg| arg.code.alone()).collect();
                let result = self.plan.functions[*function as usize].result;
                let kind = Kind::of(self.program, result);
                let code = self.names.apply(*function, &args);
                let code = match &self.notes {
                    Some(notes) => {
                        let (exprs, functions) = (&self.plan.exprs, &self.plan.functions);
                        let body = functions[*function as usize].body;
                        let inside = vein_plan::calls::reached(exprs, functions, body);
                        let reads = |cell: &CellId| {
                            inside.iter().any(|id| exprs[*id as usize] == Expr::Cell(*cell))
                        };
                        notes.noted(reads, code)
                    }
                    None => code,
                };
                Written::closed(code, kind)
            }
            Expr::Concat(pieces) => self.concat(pieces),
            Expr::List(items) => self.list(items, false),
            Expr::Record(fields) => self.record(fields, false),
            Expr::Dictionary(entries) => self.dictionary(entries, false),
            Expr::Call(member @ Member::HasKey, Some(of), args) if args.len() == 1 => {
                let of = self.written(*of);
                let key = Written::tight(self.key(args[0]), Kind::String);
                members::call(self, *member, Some(of), &[key])
            }
            Expr::Call(member, receiver, args) => {
                let receiver = receiver.map(|receiver| self.written(receiver));
                let args = self.args(args);
                members::call(self, *member, receiver, &args)
            }
            Expr::Walk(member, list, function, extra) => {
                let once = holds_once(self.plan, *list);
                let list = self.written(*list);
                let extra = extra.map(|extra| self.closed(extra));
                members::walk(self, *member, (list, once), function, extra)
            }
            Expr::Ask(asked, args) => {
                let args: Vec<String> =
                    self.args(args).iter().map(|arg| arg.code.alone()).collect();
                let kind = Kind::of(self.program, self.plan.asked[*asked as usize].result);
                Written::closed(self.names.ask(*asked, &args, self.acts), kind)
            }
        }
    }

    /// What stands at a position of a list, or at a key of a dictionary.
    fn indexed(&mut self, of: ExprId, index: ExprId) -> Written {
        let of = self.written(of);
        if self.is_key(&of.kind, index) {
            let (key, kind) = (self.key(index), of.kind.item().or_null());
            let entry = of.then(&format!("[{key}]"), &format!("?.[{key}]"), kind);
            return Written { open: true, ..entry };
        }
        let kind = match (of.kind.there(), &self.plan.exprs[index as usize]) {
            (Kind::Entry(_), Expr::Number(0.0)) => Kind::String,
            (Kind::Entry(value), _) => (*value).clone(),
            (kind, _) => kind.item().or_null(),
        };
        let is_entry = matches!(of.kind, Kind::Entry(_));
        let index = self.closed(index);
        let index = match index.kind {
            Kind::Number => index.code.alone(),
            _ => format!("+{}", index.code.within(Level::Unary)),
        };
        let item = of.then(&format!("[{index}]"), &format!("?.[{index}]"), kind);
        Written { open: !is_entry || item.open, ..item }
    }

    /// Whether something is found by a key, and not by a position.
    pub(crate) fn is_key(&mut self, of: &Kind, index: ExprId) -> bool {
        matches!(of.there(), Kind::Dictionary(_)) || self.kind(index).there() == Kind::String
    }

    /// What finds an entry of a dictionary.
    pub(crate) fn key(&mut self, key: ExprId) -> String {
        let written = self.closed(key).code;
        match &self.plan.exprs[key as usize] {
            Expr::String(text) => code::string(&text.to_utf8().as_ref().into()).alone(),
            Expr::Call(Member::ToText, ..) => written.alone(),
            _ => format!("{}.toWellFormed()", written.receiver()),
        }
    }

    /// A dictionary; `owned` has copies of what stands elsewhere.
    pub(crate) fn dictionary(&mut self, entries: &[Entry], owned: bool) -> Written {
        let (mut texts, mut kind) = (vec!["__proto__: null".to_owned()], None::<Kind>);
        let mut join = |found: Kind| {
            kind = Some(match kind.take() {
                Some(known) => known.joined(found),
                None => found,
            });
        };
        for entry in entries {
            match entry {
                Entry::One(key, value) => {
                    let key = self.key(*key);
                    let value = self.item(*value, owned);
                    texts.push(format!("[{key}]: {}", value.code.alone()));
                    join(value.kind);
                }
                Entry::Spread(id) => {
                    let spread = self.written(*id);
                    let spread = if owned { self.copied(spread) } else { spread };
                    texts.push(format!("...{}", spread.code.alone()));
                    join(spread.kind.item());
                }
            }
        }
        let kind = Kind::Dictionary(std::rc::Rc::new(kind.unwrap_or(Kind::Any)));
        Written::tight(format!("{{ {} }}", texts.join(", ")), kind)
    }

    fn unary(&mut self, op: Unary, of: ExprId) -> Written {
        if op == Unary::Not {
            let of = self.test(of);
            let text = format!("!{}", of.within(Level::Unary));
            return Written::closed(Code { text, level: Level::Unary }, Kind::Boolean);
        }
        let sign = if op == Unary::Negate { "-" } else { "+" };
        let of = self.closed(of).code.within(Level::Unary);
        // Two signs in a row would be another operator.
        let text =
            if of.starts_with(sign) { format!("{sign}({of})") } else { format!("{sign}{of}") };
        Written::closed(Code { text, level: Level::Unary }, Kind::Number)
    }

    fn binary(&mut self, op: Binary, a: ExprId, b: ExprId) -> Written {
        if matches!(op, Binary::Equal | Binary::NotEqual) {
            return self.equality(op == Binary::NotEqual, a, b);
        }
        let (a, b) = (self.closed(a), self.closed(b));
        let (sign, level) = match op {
            Binary::Add => ("+", Level::Additive),
            Binary::Subtract => ("-", Level::Additive),
            Binary::Multiply => ("*", Level::Multiplicative),
            Binary::Divide => ("/", Level::Multiplicative),
            Binary::Remainder => ("%", Level::Multiplicative),
            Binary::Power => ("**", Level::Power),
            Binary::Less => ("<", Level::Relational),
            Binary::LessOrEqual => ("<=", Level::Relational),
            Binary::Greater => (">", Level::Relational),
            _ => (">=", Level::Relational),
        };
        let tighter = if level == Level::Multiplicative { Level::Power } else { next(level) };
        let (left, right) = match op {
            // To the right it goes on, to the left no sign may stand.
            Binary::Power => (a.code.within(Level::Tight), b.code.within(Level::Power)),
            _ => (a.code.within(level), b.code.within(tighter)),
        };
        let text = format!("{left} {sign} {right}");
        let kind = match op {
            Binary::Add if a.kind.is_short() && b.kind.is_short() => Kind::Number,
            Binary::Add => return self.cut(&text),
            _ if level == Level::Relational => Kind::Boolean,
            _ => Kind::Number,
        };
        Written::closed(Code { text, level }, kind)
    }

    fn equality(&mut self, not: bool, a: ExprId, b: ExprId) -> Written {
        let (a, b) = (self.written(a), self.written(b));
        let level = Level::Equality;
        let written = |sign: &str, a: &Written, b: &Written| {
            let text = format!("{} {sign} {}", a.code.within(level), b.code.within(next(level)));
            Written::closed(Code { text, level }, Kind::Boolean)
        };
        let strict = if not { "!==" } else { "===" };
        // Nothing but `null` and what is not there is loosely equal to `null`.
        let null = (a.kind == Kind::Null && b.open) || (b.kind == Kind::Null && a.open);
        if null {
            return written(if not { "!=" } else { "==" }, &a, &b);
        }
        if a.kind.is_simple() || b.kind.is_simple() {
            let (a, b) = (a.close(), b.close());
            return written(strict, &a, &b);
        }
        let (a, b) = (a.close().code.alone(), b.close().code.alone());
        let text = format!("{}{}({a}, {b})", if not { "!" } else { "" }, self.uses("equal"));
        let level = if not { Level::Unary } else { Level::Tight };
        Written::closed(Code { text, level }, Kind::Boolean)
    }

    fn unless(&mut self, of: ExprId, local: LocalId, body: ExprId) -> Written {
        let of = self.written(of);
        // A name is read twice as well as once.
        let is_name = of.code.text.chars().all(|c| c.is_ascii_alphanumeric() || "_$".contains(c));
        let (test, name) = if is_name {
            (of.code.within(Level::Equality), of.code.text.clone())
        } else {
            let name = format!("v{local}");
            self.declared.insert(name.clone());
            (format!("({name} = {})", of.code.alone()), name)
        };
        self.bind(local, &name, of.kind.there());
        let body = self.written(body);
        let sign = if of.open { "==" } else { "===" };
        let text = format!("{test} {sign} null ? null : {}", body.code.alone());
        Written {
            code: Code { text, level: Level::Conditional },
            kind: body.kind.or_null(),
            open: body.open,
        }
    }

    /// A name for a value.
    fn with(&mut self, of: ExprId, local: LocalId, body: ExprId) -> Written {
        let of = self.closed(of);
        let name = format!("v{local}");
        self.declared.insert(name.clone());
        self.bind(local, &name, of.kind.clone());
        let body = self.written(body);
        let text = format!("({name} = {}, {})", of.code.alone(), body.code.alone());
        Written { code: Code::tight(text), ..body }
    }

    /// A function of the component, as a method; what it gives stands behind a mark.
    pub fn own_function(&mut self, number: u32, mark: &str) -> String {
        let OwnFunction { name, params, body, levels, .. } = &self.plan.functions[number as usize];
        let names: Vec<String> = (0..params.len()).map(|at| format!("v{at}")).collect();
        for ((at, name), (_, ty)) in (0..).zip(&names).zip(params) {
            self.bind(at, name, Kind::of(self.program, *ty));
        }
        let value = self.value(*body).alone();
        let declared = self.declarations();
        let text = match levels {
            0 => format!("{}(1); {declared}return {value};", self.uses("spend")),
            levels => {
                let called = code::string(&(&**name).into()).text;
                let (descend, ascend) = (self.uses("descend"), self.uses("ascend"));
                format!(
                    "{descend}({levels}, {called}); {declared}const gives = {value}; \
                     {ascend}({levels}); return gives;"
                )
            }
        };
        format!("{}({}) {{ {mark}{text} }}", own_function(number), names.join(", "))
    }

    fn concat(&mut self, pieces: &[Piece]) -> Written {
        let (mut text, mut short) = (String::from("`"), true);
        for piece in pieces {
            match piece {
                Piece::Static(piece) => text.push_str(&code::in_template(piece)),
                Piece::Value(id) => {
                    let value = self.closed(*id);
                    short &= value.kind.is_short();
                    text.push_str(&format!("${{{}}}", value.code.alone()));
                }
                Piece::Shown(id) => {
                    let value = self.written(*id);
                    short &= value.kind.is_short();
                    let shown = match value.may_be_null() {
                        true => format!("{} ?? ''", value.code.within(Level::Equality)),
                        false => value.code.alone(),
                    };
                    text.push_str(&format!("${{{shown}}}"));
                }
            }
        }
        text.push('`');
        if short { Written::tight(text, Kind::String) } else { self.cut(&text) }
    }

    /// A list; `owned` has copies of what stands elsewhere.
    pub(crate) fn list(&mut self, items: &[Item], owned: bool) -> Written {
        let mut kind = None::<Kind>;
        let mut join = |item: Kind| {
            kind = Some(match kind.take() {
                Some(known) => known.joined(item),
                None => item,
            });
        };
        let mut texts = Vec::new();
        for item in items {
            match item {
                Item::One(id) => {
                    let item = self.item(*id, owned);
                    texts.push(item.code.alone());
                    join(item.kind);
                }
                Item::Spread(id) => {
                    let list = self.written(*id);
                    // Of simple items the list that they are spread into is copy enough.
                    let copies = owned && !list.kind.item().is_simple();
                    let list = if copies { self.copied(list) } else { list };
                    let nothing = if list.may_be_null() { " ?? []" } else { "" };
                    let level =
                        if nothing.is_empty() { Level::Assignment } else { Level::Equality };
                    texts.push(format!("...{}{nothing}", list.code.within(level)));
                    join(list.kind.item());
                }
            }
        }
        let mut text = format!("[{}]", texts.join(", "));
        if items.iter().any(|item| matches!(item, Item::Spread(_))) {
            text = format!("{}({text})", self.uses("sized"));
        }
        Written::tight(text, Kind::list(kind.unwrap_or(Kind::Any)))
    }

    /// A value in a literal.
    fn item(&mut self, id: ExprId, owned: bool) -> Written {
        if owned { self.owned_written(id) } else { self.closed(id) }
    }

    /// A record; `owned` has copies of what stands elsewhere.
    pub(crate) fn record(&mut self, fields: &[Field], owned: bool) -> Written {
        let (mut texts, mut kinds) = (Vec::new(), Some(Vec::<(NameId, Kind)>::new()));
        let put = |kinds: &mut Option<Vec<(NameId, Kind)>>, name: NameId, kind: Kind| {
            let Some(kinds) = kinds else { return };
            match kinds.iter_mut().find(|(known, _)| *known == name) {
                Some((_, known)) => *known = kind,
                None => kinds.push((name, kind)),
            }
        };
        for field in fields {
            match field {
                Field::One(name, id) => {
                    let value = self.item(*id, owned);
                    let text = &self.program.names[*name as usize];
                    texts.push(code::field(text, &value.code.alone()));
                    put(&mut kinds, *name, value.kind);
                }
                Field::Spread(id) => {
                    let record = self.written(*id);
                    let record = if owned { self.copied(record) } else { record };
                    texts.push(format!("...{}", record.code.alone()));
                    match record.kind.fields(self.program) {
                        Some(fields) => {
                            fields.into_iter().for_each(|(name, kind)| put(&mut kinds, name, kind));
                        }
                        None => kinds = None,
                    }
                }
            }
        }
        let kind = kinds.map_or(Kind::Any, |kinds| Kind::Record(kinds.into()));
        let text =
            if texts.is_empty() { "{}".into() } else { format!("{{ {} }}", texts.join(", ")) };
        Written::tight(text, kind)
    }

    /// An arrow function whose parameters hold values of these kinds; `test` says that only counts whether
    /// what it gives is truthy.
    pub(crate) fn function(
        &mut self,
        function: &Function,
        kinds: &[Kind],
        test: bool,
    ) -> (String, Kind) {
        for (param, kind) in function.params.iter().zip(kinds) {
            self.bind(*param, &format!("v{param}"), kind.clone());
        }
        let params: Vec<String> = function.params.iter().map(|param| format!("v{param}")).collect();
        let params =
            if params.len() == 1 { params.concat() } else { format!("({})", params.join(", ")) };
        // What is derived in it has no place of its own.
        let keeps = self.keeps.take();
        let is_inner = std::mem::replace(&mut self.inner, true);
        let (code, kind) = match test {
            true => (self.test(function.body), Kind::Boolean),
            false => {
                let body = self.closed(function.body);
                (body.code, body.kind)
            }
        };
        (self.keeps, self.inner) = (keeps, is_inner);
        // A list has its length, lists within lists have no end.
        let body = match is_inner {
            true => format!("({}(1), {})", self.uses("spend"), code.alone()),
            false => code.body(),
        };
        (format!("{params} => {body}"), kind)
    }

    /// What keeps up what a function makes of a list: where it is kept, the bit that says that it has to look, and what the
    /// function reads beside its items, and whether the list has each item once; nothing where it reads what may be another
    /// inside.
    pub(crate) fn kept_up(
        &mut self,
        function: &Function,
        params: usize,
        once: bool,
    ) -> Option<(String, u32, String)> {
        let (cell, bit, count) = self.keeps?;
        let mut given = std::collections::BTreeSet::new();
        let (mut open, mut calls) = (vec![function.body], BTreeSet::new());
        while let Some(id) = open.pop() {
            match &self.plan.exprs[id as usize] {
                Expr::Ask(..) => return None,
                Expr::Cell(cell) => {
                    let kind = Kind::of(self.program, self.plan.cells[*cell as usize].ty);
                    if !kind.is_simple() {
                        return None;
                    }
                    given.insert(self.names.cell(*cell).alone());
                }
                Expr::Apply(called, args) => {
                    open.extend(args);
                    if calls.insert(*called) {
                        open.push(self.plan.functions[*called as usize].body);
                    }
                }
                expr => expr.children(|child| open.push(child)),
            }
        }
        if function.params.len() > params {
            return None;
        }
        self.keeps = Some((cell, bit, count + 1));
        let given: Vec<String> = given.into_iter().collect();
        let once = if once { ", true" } else { "" };
        Some((format!("K{cell}_{count}$"), bit, format!("[{}]{once}", given.join(", "))))
    }

    /// Whether a member's function may give records that have some of their own kind inside.
    pub(crate) fn member_nests(&self, member: Member, kind: &Kind) -> bool {
        member == Member::Reduce && kind.nests(self.program)
    }
}

/// Whether an expression names a local.
pub(crate) fn names_local(plan: &Plan, expr: ExprId, local: LocalId) -> bool {
    let mut open = vec![expr];
    while let Some(expr) = open.pop() {
        let expr = &plan.exprs[expr as usize];
        if *expr == Expr::Local(local) {
            return true;
        }
        expr.children(|child| open.push(child));
    }
    false
}

/// The next tighter level.
fn next(level: Level) -> Level {
    match level {
        Level::Equality => Level::Relational,
        Level::Relational => Level::Additive,
        Level::Additive => Level::Multiplicative,
        _ => Level::Power,
    }
}

fn logical(op: Logical, a: &Code, b: &Code) -> Code {
    let (sign, level, left, right) = match op {
        Logical::And => ("&&", Level::And, Level::And, Level::Equality),
        Logical::Or => ("||", Level::Or, Level::Or, Level::And),
        // It stands beside nothing of `||` and `&&` without brackets.
        Logical::Coalesce => ("??", Level::Coalesce, Level::Equality, Level::Equality),
    };
    Code { text: format!("{} {sign} {}", a.within(left), b.within(right)), level }
}
