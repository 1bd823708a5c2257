//! Statements of a plan as statements of ECMAScript. What is written is noted, so that it can be taken back, and lists and
//! records stay values: what comes from somewhere else is copied.

use crate::code::{Code, Level};
use crate::expression::{Writer, Written};
use crate::kind::Kind;
use crate::short::mark;
use vein_plan::code::{Body, Entry, Expr, ExprId, Field, Item, Place, PlaceStep, Stmt};
use vein_plan::members::Member;
use vein_plan::{Handler, Plan};

/// Whether statements wait for an answer somewhere. Such are no plain function: what comes after the answer is a pulse of
/// its own, which may be taken back and begin again.
pub fn waits(plan: &Plan, body: &Body) -> bool {
    body.iter().any(|stmt| match &plan.stmts[*stmt as usize] {
        Stmt::Await(..) => true,
        stmt => stmt.bodies().any(|body| waits(plan, body)),
    })
}

/// Whether some statements among those that wait go on in functions of their own: they wait themselves, or return out of a
/// `try`. Of that, what comes on the way runs before they are done, and is not what the `try` catches.
fn parts(plan: &Plan, body: &Body) -> bool {
    body.iter().any(|stmt| match &plan.stmts[*stmt as usize] {
        Stmt::Await(..) => true,
        stmt @ Stmt::Try(..) => stmt.bodies().any(|body| parts(plan, body) || returns(plan, body)),
        stmt => stmt.bodies().any(|body| parts(plan, body)),
    })
}

/// Whether some statements return.
fn returns(plan: &Plan, body: &Body) -> bool {
    body.iter().any(|stmt| match &plan.stmts[*stmt as usize] {
        Stmt::Return => true,
        stmt => stmt.bodies().any(|body| returns(plan, body)),
    })
}

/// What catches that the host has failed, where statements wait: the statements of a `try`, or of a `catch` that a `finally`
/// follows.
#[derive(Clone, Debug)]
pub(crate) struct Guard {
    /// The function that runs statements within it.
    runs: String,
    /// The variable that says whether those that run are still its own.
    flag: String,
    /// Where a failure goes; `#` stands for the error.
    fails: String,
    /// The function of the `finally` that comes before what follows, if there is one.
    last: Option<String>,
}

/// A loop whose statements wait: where it stands, how long its list is by then, and what comes after it.
#[derive(Clone, Debug)]
pub(crate) struct Loop {
    at: String,
    length: String,
    after: String,
    /// How many guards are around it.
    guards: usize,
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
                (parts(self.plan, &alone), self.marks, self.plan.written.get(*stmt as usize))
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
                    let guards = self.guards.clone();
                    let go_on = self.within(&guards, depth + 1, |writer, depth, inside| {
                        writer.leave_loops(&guards, usize::MAX, depth, inside);
                        writer.until_answered(rest, then, depth, inside);
                    });
                    let end = "  ".repeat(depth);
                    let go_on = format!("({}) => {{\n{go_on}{end}}}", local.unwrap_or_default());
                    let mut then = vec![go_on];
                    if let Some((Guard { fails, .. }, around)) = guards.split_last() {
                        let fails = fails.replace('#', "error");
                        let fail = self.within(around, depth + 1, |writer, depth, inside| {
                            writer.leave_loops(around, guards.len(), depth, inside);
                            line(inside, depth, &format!("return {fails};"));
                        });
                        then.push(format!("(error) => {{\n{fail}{end}}}"));
                    }
                    let wait = self.names.wait(asked, &args, &then);
                    line(out, depth, &format!("return {wait};"));
                    return;
                }
                Stmt::If(test, yes, no) if parts(self.plan, &alone) => {
                    let test = self.test(test).alone();
                    let then = self.what_follows(*stmt, (rest, then), depth, out);
                    line(out, depth, &format!("if ({test}) {{"));
                    self.until_answered(&yes, &then, depth + 1, out);
                    line(out, depth, "} else {");
                    self.until_answered(&no, &then, depth + 1, out);
                    line(out, depth, "}");
                    return;
                }
                Stmt::Try(tried, caught, last) if parts(self.plan, &alone) => {
                    let bodies = (&tried, caught.as_ref(), &last);
                    return self.tried_late(*stmt, bodies, (rest, then), depth, out);
                }
                Stmt::For(local, list, inner) if parts(self.plan, &alone) => {
                    let length = self.length_of(list);
                    let at = format!("v{local}");
                    line(out, depth, &format!("const n{stmt} = {length};"));
                    line(out, depth, &format!("const r{stmt} = (late) => {{"));
                    self.until_answered(rest, then, depth + 1, out);
                    line(out, depth, "};");
                    line(out, depth, &format!("const b{stmt} = ({at}, late) => {{"));
                    self.bind(local, &at, Kind::Number);
                    let (length, after) = (length.clone(), format!("r{stmt}"));
                    let guards = self.guards.len();
                    let this = Loop { at: at.clone(), length: length.clone(), after, guards };
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

    /// Statements that run later, within what catches failures by then.
    fn within(
        &mut self,
        guards: &[Guard],
        depth: usize,
        write: impl FnOnce(&mut Self, usize, &mut String),
    ) -> String {
        let mut out = String::new();
        line(&mut out, depth, "const late = true;");
        for Guard { flag, .. } in guards {
            line(&mut out, depth, &format!("{flag} = true;"));
        }
        for (at, Guard { runs, .. }) in guards.iter().enumerate() {
            line(&mut out, depth + at, &format!("return {runs}(late, () => {{"));
        }
        write(self, depth + guards.len(), &mut out);
        for at in (0..guards.len()).rev() {
            line(&mut out, depth + at, "});");
        }
        out
    }

    /// What a loop stood at may be gone by now: then it goes on with what comes next. Only loops count around which fewer than
    /// so many guards stand.
    fn leave_loops(&mut self, within: &[Guard], fewer: usize, depth: usize, out: &mut String) {
        for Loop { at, length, after, guards } in self.waiting.clone().unwrap_or_default() {
            if guards >= fewer {
                continue;
            }
            let left = within.get(guards..).unwrap_or(&[]);
            let left: String = left.iter().map(|g| format!("{} = false; ", g.flag)).collect();
            let gone = format!("if (!({at} < {length})) {{ {left}return {after}(true); }}");
            line(out, depth, &gone);
        }
    }

    /// `return` where statements wait: each `finally` on the way runs first.
    fn returns(&self) -> String {
        match self.guards.iter().rposition(|guard| guard.last.is_some()) {
            Some(at) => {
                let left = self.guards[at..].iter().map(|g| format!("{} = false; ", g.flag));
                let last = self.guards[at].last.clone().unwrap_or_default();
                format!("{}return {last}(late, 1);", left.collect::<String>())
            }
            None => "return true;".into(),
        }
    }

    /// What comes after a statement that goes on elsewhere, as a function, if it is more than a line; gives how one goes there.
    fn what_follows(
        &mut self,
        stmt: u32,
        (rest, then): (&[u32], &str),
        depth: usize,
        out: &mut String,
    ) -> String {
        if rest.is_empty() {
            return then.to_owned();
        }
        line(out, depth, &format!("const r{stmt} = (late) => {{"));
        self.until_answered(rest, then, depth + 1, out);
        line(out, depth, "};");
        format!("return r{stmt}(late);")
    }

    /// A `try` among statements that wait: what follows it, its `finally` and its `catch` are functions.
    fn tried_late(
        &mut self,
        stmt: u32,
        (tried, caught, last): (&Body, Option<&(u32, Body)>, &Body),
        (rest, then): (&[u32], &str),
        depth: usize,
        out: &mut String,
    ) {
        let next = self.what_follows(stmt, (rest, then), depth, out);
        let (finish, after) = match last.is_empty() {
            true => (None, next),
            false => {
                line(out, depth, &format!("const f{stmt} = (late, how{stmt}, why{stmt}) => {{"));
                let returns = self.returns();
                let ends = format!(
                    "if (how{stmt} === 1) {{ {returns} }} if (how{stmt} === 2) throw why{stmt}; {next}"
                );
                self.until_answered(last, &ends, depth + 1, out);
                line(out, depth, "};");
                (Some(format!("f{stmt}")), format!("return f{stmt}(late, 0);"))
            }
        };
        let fails = match caught {
            Some((local, body)) => {
                let reason = format!("v{local}");
                self.bind(*local, &reason, Kind::String);
                let guard = finish.as_ref().map(|finish| Guard {
                    runs: format!("h{stmt}"),
                    flag: format!("n{stmt}"),
                    fails: format!("{finish}(late, 2, #)"),
                    last: Some(finish.clone()),
                });
                if let Some(guard) = &guard {
                    self.declare(guard, depth, out);
                }
                line(out, depth, &format!("const c{stmt} = (late, {reason}) => {{"));
                self.guarded(guard, body, &after, depth + 1, out);
                line(out, depth, "};");
                format!("c{stmt}(late, #.why)")
            }
            None => format!("f{stmt}(late, 2, #)"),
        };
        let (runs, flag) = (format!("g{stmt}"), format!("m{stmt}"));
        let guard = Guard { runs, flag, fails, last: finish };
        self.declare(&guard, depth, out);
        self.guarded(Some(guard), tried, &after, depth, out);
    }

    /// Has a guard know how to run statements.
    fn declare(&mut self, Guard { runs, flag, fails, .. }: &Guard, depth: usize, out: &mut String) {
        let (guarded, fails) = (self.uses("guarded"), fails.replace('#', "error"));
        line(out, depth, &format!("let {flag} = true;"));
        let fail = format!("(error) => {{ {flag} = false; return {fails}; }}");
        line(
            out,
            depth,
            &format!("const {runs} = (late, run) => {guarded}(run, () => {flag}, {fail});"),
        );
    }

    /// Statements within a guard, if there is one, and what follows them outside of it.
    fn guarded(
        &mut self,
        guard: Option<Guard>,
        body: &Body,
        after: &str,
        depth: usize,
        out: &mut String,
    ) {
        let Some(guard) = guard else { return self.until_answered(body, after, depth, out) };
        let (runs, flag) = (guard.runs.clone(), guard.flag.clone());
        line(out, depth, &format!("{flag} = true;"));
        line(out, depth, &format!("return {runs}(late, () => {{"));
        self.guards.push(guard);
        self.until_answered(body, &format!("{flag} = false; {after}"), depth + 1, out);
        self.guards.pop();
        line(out, depth, "});");
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
            Stmt::Delete(place) => {
                self.hoist(&place, depth, out);
                self.delete(&place, depth, out);
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
            Stmt::Try(tried, caught, last) => {
                let (has_last, inner) = (!last.is_empty(), depth + usize::from(!last.is_empty()));
                let trying = self.uses("trying");
                line(out, depth, &format!("const t{stmt} = {trying}();"));
                if has_last {
                    line(out, depth, &format!("let e{stmt} = false;"));
                    line(out, depth, "try {");
                }
                match caught {
                    Some((local, caught)) => {
                        line(out, inner, "try {");
                        out.push_str(&self.statements(&tried, inner + 1));
                        let reason = self.uses("reasonOf");
                        line(out, inner, "} catch (error) {");
                        let bound = format!("const v{local} = {reason}(error, t{stmt});");
                        line(out, inner + 1, &bound);
                        self.bind(local, &format!("v{local}"), Kind::String);
                        out.push_str(&self.statements(&caught, inner + 1));
                        line(out, inner, "}");
                    }
                    None => out.push_str(&self.statements(&tried, inner)),
                }
                if has_last {
                    let fatal = self.uses("isFatal");
                    line(out, depth, "} catch (error) {");
                    line(out, depth + 1, &format!("e{stmt} = {fatal}(error, t{stmt});"));
                    line(out, depth + 1, "throw error;");
                    line(out, depth, "} finally {");
                    line(out, depth + 1, &format!("if (!e{stmt}) {{"));
                    out.push_str(&self.statements(&last, depth + 2));
                    line(out, depth + 1, "}");
                    line(out, depth, "}");
                }
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
            Stmt::Return if self.waiting.is_some() => {
                let returns = self.returns();
                line(out, depth, &returns);
            }
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
            None => self.position(index),
        }
    }

    /// A position, or a key of a dictionary.
    fn position(&mut self, index: ExprId) -> String {
        match self.is_key(&Kind::Any, index) {
            true => self.key(index),
            false => self.closed(index).code.alone(),
        }
    }

    /// Works out the positions in a place, unless they are there already.
    pub(crate) fn hoist(&mut self, place: &Place, depth: usize, out: &mut String) {
        for step in &place.steps {
            let PlaceStep::Index(index) = step else { continue };
            let fixed = matches!(
                self.plan.exprs[*index as usize],
                Expr::Number(_) | Expr::String(_) | Expr::Local(_)
            );
            if !fixed && !self.indexes.contains_key(index) {
                let value = self.position(*index);
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
            Expr::Dictionary(entries) => return self.dictionary(entries, true),
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
            Expr::List(_) | Expr::Record(_) | Expr::Dictionary(_) => true,
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
            Expr::List(_) | Expr::Record(_) | Expr::Dictionary(_) => !self.made_of_simple(id),
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
            Expr::Dictionary(entries) => {
                entries.iter().map(|(Entry::One(_, id) | Entry::Spread(id))| *id).collect()
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
