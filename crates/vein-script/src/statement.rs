//! Statements of a plan as statements of ECMAScript. What is written is noted, so that it can be taken back, and lists and
//! records stay values: what comes from somewhere else is copied.

use crate::code::{Code, Level};
use crate::expression::{Writer, Written};
use crate::kind::Kind;
use crate::short::mark;
use vein_plan::code::{Body, Expr, ExprId, Field, Item, Place, PlaceStep, Stmt};
use vein_plan::members::Member;
use vein_plan::{Handler, Plan};

/// Whether statements wait for an answer somewhere. Such are no plain function: what comes after the answer is a pulse of
/// its own, which may be taken back and begin again.
pub fn waits(plan: &Plan, body: &Body) -> bool {
    body.iter().any(|stmt| match &plan.stmts[*stmt as usize] {
        Stmt::Await(..) => true,
        Stmt::If(_, then, otherwise) => waits(plan, then) || waits(plan, otherwise),
        Stmt::For(_, _, body) => waits(plan, body),
        _ => false,
    })
}

/// A loop whose statements wait: where it stands, how long its list is by then, and what comes after it.
#[derive(Clone, Debug)]
pub(crate) struct Loop {
    at: String,
    length: String,
    after: String,
}

impl Writer<'_> {
    /// A handler: its parameters, and its statements that deep inside others.
    pub fn handler(&mut self, handler: &Handler, depth: usize) -> (String, String) {
        let params: Vec<String> = (0..handler.params.len()).map(|at| format!("v{at}")).collect();
        for ((at, param), (_, ty)) in (0..).zip(&params).zip(&handler.params) {
            self.bind(at, param, Kind::of(self.program, *ty));
        }
        (params.join(", "), self.body(&handler.body, depth))
    }

    /// The statements of a function.
    pub fn body(&mut self, body: &Body, depth: usize) -> String {
        self.acts = true;
        if !waits(self.plan, body) {
            self.find_moves(body);
            return self.statements(body, depth);
        }
        self.waiting = Some(Vec::new());
        let mut out = String::new();
        line(&mut out, depth, "const late = false;");
        self.until_answered(body, "return;", depth, &mut out);
        self.waiting = None;
        out
    }

    /// Statements that wait somewhere, and what follows them. What comes after an answer is a function of it: a pulse that
    /// was taken back may begin it again. `late` says whether it is such a one that runs.
    fn until_answered(&mut self, body: &[u32], then: &str, depth: usize, out: &mut String) {
        if !body.is_empty() {
            let spend = self.uses("spend");
            line(out, depth, &format!("{spend}({});", body.len()));
        }
        for (at, stmt) in body.iter().enumerate() {
            let rest = &body[at + 1..];
            let planned = self.plan.stmts[*stmt as usize].clone();
            let alone = Body::from(vec![*stmt]);
            if let (true, Some(plan), Some(at)) =
                (waits(self.plan, &alone), self.marks, self.plan.written.get(*stmt as usize))
            {
                out.push_str(&mark(plan, *at));
            }
            match planned {
                Stmt::Await(asked, args, to) => {
                    let args = self.owned_all(&args);
                    let local = to.map(|local| format!("v{local}"));
                    if let (Some(to), Some(name)) = (to, &local) {
                        let kind = Kind::of(self.program, self.plan.asked[asked as usize].result);
                        self.bind(to, name, kind);
                    }
                    let mut inside = String::new();
                    line(&mut inside, depth + 1, "const late = true;");
                    // What a loop stood at may be gone by now: then it goes on with what comes next.
                    for Loop { at, length, after } in self.waiting.clone().unwrap_or_default() {
                        let gone = format!("if (!({at} < {length})) return {after}(true);");
                        line(&mut inside, depth + 1, &gone);
                    }
                    self.until_answered(rest, then, depth + 1, &mut inside);
                    let go_on = format!(
                        "({}) => {{
{inside}{}}}",
                        local.unwrap_or_default(),
                        "  ".repeat(depth)
                    );
                    let wait = self.names.wait(asked, &args, &go_on);
                    line(out, depth, &format!("return {wait};"));
                    return;
                }
                Stmt::If(test, yes, no) if waits(self.plan, &alone) => {
                    let test = self.test(test).alone();
                    let then = match rest.is_empty() {
                        true => then.to_owned(),
                        false => {
                            line(out, depth, &format!("const r{stmt} = (late) => {{"));
                            self.until_answered(rest, then, depth + 1, out);
                            line(out, depth, "};");
                            format!("return r{stmt}(late);")
                        }
                    };
                    line(out, depth, &format!("if ({test}) {{"));
                    self.until_answered(&yes, &then, depth + 1, out);
                    line(out, depth, "} else {");
                    self.until_answered(&no, &then, depth + 1, out);
                    line(out, depth, "}");
                    return;
                }
                Stmt::For(local, list, inner) if waits(self.plan, &alone) => {
                    let length = self.length_of(list);
                    let at = format!("v{local}");
                    line(out, depth, &format!("const n{stmt} = {length};"));
                    line(out, depth, &format!("const r{stmt} = (late) => {{"));
                    self.until_answered(rest, then, depth + 1, out);
                    line(out, depth, "};");
                    line(out, depth, &format!("const b{stmt} = ({at}, late) => {{"));
                    self.bind(local, &at, Kind::Number);
                    let (length, after) = (length.clone(), format!("r{stmt}"));
                    let this = Loop { at: at.clone(), length: length.clone(), after };
                    self.waiting.get_or_insert_default().push(this);
                    let next = format!("return late ? e{stmt}({at} + 1, true) : false;");
                    self.until_answered(&inner, &next, depth + 1, out);
                    self.waiting.get_or_insert_default().pop();
                    line(out, depth, "};");
                    let spend = self.uses("spend");
                    line(out, depth, &format!("const e{stmt} = (at, late) => {{"));
                    let head = format!(
                        "for (; {spend}(1), at < n{stmt} && at < {length}; at++) if (b{stmt}(at, false)) return true;"
                    );
                    line(out, depth + 1, &head);
                    line(out, depth + 1, &format!("return r{stmt}(late);"));
                    line(out, depth, "};");
                    line(out, depth, &format!("return e{stmt}(0, late);"));
                    return;
                }
                _ => self.statement(*stmt, depth, out),
            }
        }
        line(out, depth, then);
    }

    /// How many positions a list has at present.
    pub(crate) fn length_of(&mut self, list: ExprId) -> String {
        let list = self.written(list);
        let length = list.then(".length", "?.length", Kind::Number);
        match length.open {
            true => format!("({} ?? 0)", length.code.within(Level::Equality)),
            false => length.code.alone(),
        }
    }

    /// Statements, one line for each, that deep inside others.
    ///
    /// # Panics
    /// Where one of them [`waits`].
    pub fn statements(&mut self, body: &Body, depth: usize) -> String {
        let mut out = String::new();
        if !body.is_empty() {
            let spend = self.uses("spend");
            line(&mut out, depth, &format!("{spend}({});", body.len()));
        }
        for stmt in body {
            self.statement(*stmt, depth, &mut out);
        }
        out
    }

    fn statement(&mut self, stmt: u32, depth: usize, out: &mut String) {
        if let (Some(plan), Some(at)) = (self.marks, self.plan.written.get(stmt as usize)) {
            out.push_str(&mark(plan, *at));
        }
        match self.plan.stmts[stmt as usize].clone() {
            Stmt::Let(local, value) => {
                let kind = self.kind(value);
                let value = match self.taken.contains(&stmt) || self.borrowed.contains(&stmt) {
                    true => self.closed(value).code.alone(),
                    false => self.owned(value).alone(),
                };
                line(out, depth, &format!("const v{local} = {value};"));
                self.bind(local, &format!("v{local}"), kind);
            }
            Stmt::Vary(local, ty, value) => {
                let (value, name) = (self.owned(value).alone(), format!("v{local}"));
                // A pulse that is taken back may begin again in the middle: then it holds what it held there.
                let (text, read) = match self.waiting.is_some() {
                    true => {
                        (format!("const {name} = {{ held: {value} }};"), format!("{name}.held"))
                    }
                    false => (format!("let {name} = {value};"), name),
                };
                line(out, depth, &text);
                self.bind(local, &read, Kind::of(self.program, ty));
            }
            Stmt::Assign(local, value) => {
                let value = self.owned(value).alone();
                let text = match self.waiting.is_some() {
                    true => format!("{}(v{local}, \"held\", {value});", self.uses("put")),
                    false => format!("v{local} = {value};"),
                };
                line(out, depth, &text);
            }
            Stmt::Set(place, value) => {
                self.hoist(&place, depth, out);
                self.set(&place, value, depth, out);
                self.indexes.clear();
            }
            Stmt::Edit(place, edit) => {
                self.hoist(&place, depth, out);
                self.edit(&place, &edit, depth, out);
                self.indexes.clear();
            }
            Stmt::If(test, then, otherwise) => {
                let test = self.test(test).alone();
                line(out, depth, &format!("if ({test}) {{"));
                out.push_str(&self.statements(&then, depth + 1));
                if !otherwise.is_empty() {
                    line(out, depth, "} else {");
                    out.push_str(&self.statements(&otherwise, depth + 1));
                }
                line(out, depth, "}");
            }
            Stmt::For(local, list, body) => {
                // As many positions as the list has at first, fewer if it becomes shorter.
                let length = self.length_of(list);
                let (at, most, spend) =
                    (format!("v{local}"), format!("n{local}"), self.uses("spend"));
                let head = format!(
                    "for (let {at} = 0, {most} = {length}; {spend}(1), {at} < {most} && {at} < {length}; {at}++) {{"
                );
                line(out, depth, &head);
                self.bind(local, &at, Kind::Number);
                out.push_str(&self.statements(&body, depth + 1));
                line(out, depth, "}");
            }
            Stmt::Call(handler, args) => {
                let args = self.owned_all(&args);
                let call = self.names.call(handler, &args);
                line(out, depth, &format!("{};", call.alone()));
            }
            Stmt::Give(event, args) => {
                let args = self.owned_all(&args);
                let give = self.names.give(event, &args);
                line(out, depth, &format!("{};", give.alone()));
            }
            // Where statements wait, nothing more follows.
            Stmt::Return if self.waiting.is_some() => line(out, depth, "return true;"),
            Stmt::Return => line(out, depth, "return;"),
            Stmt::CallStore(store, handler, args) => {
                let args = self.owned_all(&args);
                let call = self.names.call_store(store, handler, &args);
                line(out, depth, &format!("{};", call.alone()));
            }
            Stmt::Reload(source) => {
                let reload = self.names.reload(source);
                line(out, depth, &format!("{};", reload.alone()));
            }
            Stmt::Await(..) => panic!("statements that wait are no plain function"),
        }
    }

    pub(crate) fn owned_all(&mut self, args: &[ExprId]) -> Vec<String> {
        args.iter().map(|arg| self.owned(*arg).alone()).collect()
    }

    /// A position in a place, which is worked out before anything is written.
    pub(crate) fn index(&mut self, index: ExprId) -> String {
        match self.indexes.get(&index) {
            Some(known) => known.clone(),
            None => self.closed(index).code.alone(),
        }
    }

    /// Works out the positions in a place, unless they are there already.
    pub(crate) fn hoist(&mut self, place: &Place, depth: usize, out: &mut String) {
        for step in &place.steps {
            let PlaceStep::Index(index) = step else { continue };
            let fixed =
                matches!(self.plan.exprs[*index as usize], Expr::Number(_) | Expr::Local(_));
            if !fixed && !self.indexes.contains_key(index) {
                let value = self.closed(*index).code.alone();
                line(out, depth, &format!("const i{index} = {value};"));
                self.indexes.insert(*index, format!("i{index}"));
            }
        }
    }

    /// The value of an expression that nobody else holds: it can be kept, and changed in place.
    pub fn owned(&mut self, id: ExprId) -> Code {
        self.owned_written(id).code
    }

    pub(crate) fn owned_written(&mut self, id: ExprId) -> Written {
        match &self.plan.exprs[id as usize] {
            Expr::List(items) => return self.list(items, true),
            Expr::Record(fields) => return self.record(fields, true),
            _ => {}
        }
        let fresh = self.moved.contains(&id) || self.is_fresh(id);
        let value = self.closed(id);
        if fresh { value } else { self.copied(value) }
    }

    pub(crate) fn copied(&mut self, value: Written) -> Written {
        if value.kind.is_simple() {
            return value.close();
        }
        let Written { code, kind, .. } = value.close();
        Written::tight(format!("{}({})", self.uses("copy"), code.alone()), kind)
    }

    /// Whether what an expression gives is made by it, but for what stands in its literals.
    pub(crate) fn is_fresh(&mut self, id: ExprId) -> bool {
        match &self.plan.exprs[id as usize] {
            Expr::List(_) | Expr::Record(_) => true,
            // What the host answered to whoever shows it is kept, to be given again for the same arguments.
            Expr::Ask(..) => self.acts || self.kind(id).is_simple(),
            Expr::Walk(Member::Map, _, function, _) => {
                // What the function gives is known to be simple, or is made each time.
                let body = function.body;
                matches!(self.plan.exprs[body as usize], Expr::List(_) | Expr::Record(_))
                    && self.made_of_simple(body)
            }
            _ => {
                let kind = self.kind(id);
                let item = kind.there().item();
                let made = matches!(
                    self.plan.exprs[id as usize],
                    Expr::Call(..) | Expr::Walk(..) | Expr::Concat(_) | Expr::Binary(..)
                );
                kind.is_simple() || (made && matches!(kind, Kind::List(_)) && item.is_simple())
            }
        }
    }

    /// Whether what an expression gives may hold lists or records that stand in state, too: when they are changed there,
    /// what was kept of it is changed as well, and comparing tells nothing.
    pub(crate) fn shares(&mut self, id: ExprId) -> bool {
        if self.kind(id).is_simple() {
            return false;
        }
        match &self.plan.exprs[id as usize] {
            Expr::List(_) | Expr::Record(_) => !self.made_of_simple(id),
            _ => !self.is_fresh(id),
        }
    }

    /// Whether a literal has nothing in it but simple values.
    pub(crate) fn made_of_simple(&mut self, id: ExprId) -> bool {
        let inside: Vec<ExprId> = match &self.plan.exprs[id as usize] {
            Expr::List(items) => {
                items.iter().map(|(Item::One(id) | Item::Spread(id))| *id).collect()
            }
            Expr::Record(fields) => {
                fields.iter().map(|(Field::One(_, id) | Field::Spread(id))| *id).collect()
            }
            _ => return false,
        };
        inside.into_iter().all(|id| self.kind(id).is_simple())
    }
}

pub(crate) fn line(out: &mut String, depth: usize, text: &str) {
    out.push_str(&"  ".repeat(depth));
    out.push_str(text);
    out.push('\n');
}
