//! Statements of a plan as statements of ECMAScript. What is written is noted, so that it can be taken back, and lists and
//! records stay values: what comes from somewhere else is copied.

use crate::code::{self, Code, Level};
use crate::expression::{Writer, Written};
use crate::kind::Kind;
use crate::readers::way_of;
use crate::short::mark;
use vein_plan::code::{Body, CellId, Expr, ExprId, Field, Item, ListEdit, Place, PlaceStep, Stmt};
use vein_plan::members::Member;
use vein_plan::value::DEEPEST_VALUE;
use vein_plan::{
    CellKind, Commit, Conversion, Handler, Plan, PlanRead, Program, ReadStep, Type, TypeId,
};

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

/// Whether a list of the program may have lists as items.
fn holds_lists(program: &Program) -> bool {
    let is_list = |ty: TypeId| matches!(Kind::of(program, ty).there(), Kind::List(_));
    program.types.iter().any(|ty| matches!(ty, Type::List(item) if is_list(*item)))
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
    fn length_of(&mut self, list: ExprId) -> String {
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
                let value = self.owned(value).alone();
                line(out, depth, &format!("const v{local} = {value};"));
                self.bind(local, &format!("v{local}"), kind);
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

    fn owned_all(&mut self, args: &[ExprId]) -> Vec<String> {
        args.iter().map(|arg| self.owned(*arg).alone()).collect()
    }

    /// A position in a place, which is worked out before anything is written.
    fn index(&mut self, index: ExprId) -> String {
        match self.indexes.get(&index) {
            Some(known) => known.clone(),
            None => self.closed(index).code.alone(),
        }
    }

    /// Works out the positions in a place, unless they are there already.
    fn hoist(&mut self, place: &Place, depth: usize, out: &mut String) {
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
        let fresh = self.is_fresh(id);
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
    fn is_fresh(&mut self, id: ExprId) -> bool {
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
    fn made_of_simple(&mut self, id: ExprId) -> bool {
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

    /// What stands around a place, or what fails where there is nothing; the key in it.
    fn container(&mut self, place: &Place) -> (String, String) {
        let way = format!("`{}`", self.way(place));
        self.container_called(place, &way)
    }

    /// The same, with an expression for what the place is called where there is nothing.
    fn container_called(&mut self, place: &Place, way: &str) -> (String, String) {
        let (root, key) = self.names.place(place.cell);
        let Some((last, around)) = place.steps.split_last() else { return (root, key) };
        let item = self.names.item(place.cell, way);
        let mut may_fail = item.is_some();
        let mut text = match (item, self.names.shared(place.cell, way)) {
            (Some((item, _)), _) => item,
            (None, Some(shared)) => format!("{}({shared})", self.uses("valueAt")),
            _ => format!("{root}{}", code::member(&key)),
        };
        for step in around {
            text.push_str(if may_fail { "?." } else { "" });
            match step {
                PlaceStep::Field(name) => {
                    let member = code::member(&self.program.names[*name as usize]);
                    text.push_str(if may_fail { member.trim_start_matches('.') } else { &member });
                }
                PlaceStep::Index(index) => {
                    text.push_str(&format!("[{}]", self.index(*index)));
                    may_fail = true;
                }
            }
        }
        let key = match last {
            PlaceStep::Field(name) => self.program.names[*name as usize].to_string(),
            PlaceStep::Index(index) => self.index(*index),
        };
        let nowhere = self.uses("nowhere");
        (format!("{text} ?? {nowhere}({way})"), key)
    }

    /// A value that goes to a place, no deeper than values may nest.
    fn not_too_deep(&mut self, value: &str, place: &Place) -> String {
        let (root, deep) = self.rooted(place.cell);
        let deep = deep + place.steps.len();
        let name = self.plan.cells[root as usize].name.to_string();
        match self.names.shared(root, &format!("\"{name}\"")) {
            Some(shared) => {
                format!("{}({value}, {shared}, {deep})", self.uses("notTooDeepIn"))
            }
            None => {
                let most = DEEPEST_VALUE.saturating_sub(deep);
                format!("{}({value}, {most}, \"{name}\")", self.uses("notTooDeep"))
            }
        }
    }

    /// The state, or the prop, that a cell stands in, and how many steps further in.
    fn rooted(&self, mut cell: CellId) -> (CellId, usize) {
        let mut deep = 0;
        while let Some((next, steps)) = crate::readers::stands_in(self.plan, cell) {
            (cell, deep) = (next, deep + steps.len());
        }
        (cell, deep)
    }

    /// What fails where what a list stands in is gone.
    pub(crate) fn standing(&mut self, mut list: CellId) -> String {
        while let (CellKind::Derived(..), Some((next, _))) =
            (&self.plan.cells[list as usize].kind, crate::readers::stands_in(self.plan, list))
        {
            list = next;
        }
        match (self.names.shared(list, "called"), self.names.item(list, "called")) {
            (Some(shared), _) => shared,
            (_, Some((item, _))) => format!("{item} ?? {}(called)", self.uses("nowhere")),
            _ => String::new(),
        }
    }

    /// The list that the items of an expression stand in, and the positions there, as an expression of it by the name
    /// `list`, where they are others.
    pub(crate) fn origin(&mut self, expr: ExprId) -> (String, Option<String>) {
        let all = || "[...list.keys()]".to_owned();
        match self.plan.exprs[expr as usize].clone() {
            Expr::Cell(cell) => match self.plan.cells[cell as usize].kind {
                CellKind::Derived(expr, _) => self.origin(expr),
                _ => (self.closed(expr).code.alone(), None),
            },
            Expr::Walk(Member::Filter, of, function, _) => {
                let (list, from) = self.origin(of);
                let kinds = [self.kind(of).there().item(), Kind::Number];
                let test = self.function(&function, &kinds, true).0;
                let from = from.unwrap_or_else(all);
                (list, Some(format!("{from}.filter((at, n) => ({test})(list[at], n))")))
            }
            Expr::Walk(Member::ToSorted, of, function, _) => {
                let (list, from) = self.origin(of);
                let item = self.kind(of).there().item();
                let order = self.function(&function, &[item.clone(), item], false).0;
                let (sorted, from) = (self.uses("sorted"), from.unwrap_or_else(all));
                (list, Some(format!("{sorted}({from}, (a, b) => ({order})(list[a], list[b]))")))
            }
            Expr::Call(Member::ToSorted, Some(of), _) => {
                let (list, from) = self.origin(of);
                let (order, from) = (self.uses("textOrder"), from.unwrap_or_else(all));
                (list, Some(format!("{from}.toSorted((a, b) => {order}(list[a], list[b]))")))
            }
            Expr::Call(Member::ListSlice, Some(of), args) => {
                let (list, from) = self.origin(of);
                let args: Vec<String> =
                    args.iter().map(|arg| self.closed(*arg).code.alone()).collect();
                let from = from.unwrap_or_else(all);
                (list, Some(format!("{from}.slice({})", args.join(", "))))
            }
            Expr::Call(Member::ToReversed, Some(of), _) => {
                let (list, from) = self.origin(of);
                (list, Some(format!("{}.toReversed()", from.unwrap_or_else(all))))
            }
            _ => (self.closed(expr).code.alone(), None),
        }
    }

    fn set(&mut self, place: &Place, value: ExprId, depth: usize, out: &mut String) {
        let nests = self.kind(value).nests(self.program);
        let mut value = self.owned(value).alone();
        if nests {
            value = self.not_too_deep(&value, place);
        }
        let text = self.put(place, &value);
        self.write(&text, place, false, depth, out);
    }

    /// What puts a value into a place, and tells whether that is another.
    fn put(&mut self, place: &Place, value: &str) -> String {
        let name = self.plan.cells[place.cell as usize].name.to_string();
        if let (true, Some(home)) =
            (place.steps.is_empty(), self.names.home(place.cell, &format!("\"{name}\"")))
        {
            self.uses("homeOf");
            return format!(
                "{}({home} ?? {}(\"{name}\"), {value})",
                self.uses("putIn"),
                self.uses("nowhere")
            );
        }
        let (container, key) = self.container(place);
        match (place.steps.last(), self.names.shared(place.cell, &format!("\"{name}\""))) {
            (None, Some(shared)) => format!("{}({shared}, {value})", self.uses("putIn")),
            (Some(PlaceStep::Index(_)), _) => {
                let way = self.way(place);
                format!("{}({container}, {key}, {value}, () => `{way}`)", self.uses("putAt"))
            }
            _ => format!("{}({container}, \"{key}\", {value})", self.uses("put")),
        }
    }

    /// What stands at some paths, as a list that nothing that is written changes.
    pub(crate) fn all_seen(&mut self, reads: &[PlanRead]) -> String {
        let mut all = Vec::new();
        for read in reads {
            let cell = &self.plan.cells[read.cell as usize];
            let mut kind = Kind::of(self.program, cell.ty);
            let mut text = self.names.cell(read.cell).text;
            for step in &read.path {
                if let ReadStep::Field(name) = step {
                    text.push_str(&format!("?.{}", self.program.names[*name as usize]));
                    kind = kind.field(self.program, *name);
                }
            }
            all.push(match kind.is_simple() {
                true => format!("{text} ?? null"),
                false => format!("{}({text} ?? null)", self.uses("copy")),
            });
        }
        format!("[{}]", all.join(", "))
    }

    /// What a control has come to hold, `held`, comes to state; `false` is given where it means no value of it.
    pub(crate) fn commit(&mut self, commit: &Commit, depth: usize) -> String {
        let (mut out, place) = (String::new(), &commit.place);
        self.hoist(place, depth, &mut out);
        if let Conversion::Member(own) = &commit.from {
            let (own, list) = (self.value(*own).alone(), self.list_at(place));
            let text = format!("{}({list}, {own}, held)", self.uses("member"));
            self.write(&text, place, true, depth, &mut out);
            return out;
        }
        let value = match &commit.from {
            Conversion::Flag => "held".to_owned(),
            Conversion::Picked(own) => {
                let own = self.value(*own).alone();
                line(&mut out, depth, "if (!held) return true;");
                own
            }
            from => {
                let meant = self.meaning(from).unwrap_or_default();
                line(&mut out, depth, &format!("const value = {meant}(held);"));
                line(&mut out, depth, "if (value === undefined) return false;");
                "value".to_owned()
            }
        };
        let text = self.put(place, &value);
        self.write(&text, place, false, depth, &mut out);
        out
    }

    /// A function of the engine that says what the text of a control means.
    pub(crate) fn meaning(&mut self, from: &Conversion) -> Option<String> {
        let words = |words: &[vein_plan::Name]| {
            let words = words.iter().map(|word| code::string(&(&**word).into()).text);
            format!("[{}]", words.collect::<Vec<_>>().join(", "))
        };
        Some(match from {
            Conversion::Text => self.uses("asText").to_owned(),
            Conversion::TextOrNull => self.uses("asTextOrNull").to_owned(),
            Conversion::Number => self.uses("asNumber").to_owned(),
            Conversion::NumberOrNull => self.uses("asNumberOrNull").to_owned(),
            Conversion::Word(all) => format!("{}({})", self.uses("asWord"), words(all)),
            Conversion::WordOrNull(all) => format!("{}({})", self.uses("asWordOrNull"), words(all)),
            Conversion::Many(each) => {
                let each = self.meaning(each)?;
                format!("{}({each})", self.uses("asMany"))
            }
            Conversion::Flag | Conversion::Picked(_) | Conversion::Member(_) => return None,
        })
    }

    /// Where state is that a prop is bound to, as statements of a function of what it is called if that is nowhere; and
    /// those that tell who reads it there.
    pub(crate) fn bound(&mut self, cell: u32, path: &[u32], kept: &str) -> (String, String) {
        let steps = path.iter().map(|name| PlaceStep::Field(*name)).collect();
        let place = Place { cell, steps };
        let (mut at, mut told) = (String::new(), String::new());
        let (root, deep) = self.rooted(cell);
        let deep = deep + path.len();
        // How deep it stands, and in what, where values may nest.
        let nests = self.place_kind(&place).nests(self.program);
        let name = self.plan.cells[root as usize].name.to_string();
        let tail = match (nests, self.names.shared(root, &format!("\"{name}\""))) {
            (false, _) => String::new(),
            (true, Some(shared)) => {
                line(&mut at, 2, &format!("const [,, deep, name] = {shared};"));
                format!(", deep + {deep}, name")
            }
            (true, None) => format!(", {deep}, \"{name}\""),
        };
        let nowhere = self.uses("nowhere");
        // What it goes through is noted before, since what is written may tell it apart; it may be what stands there itself.
        let touched = self.touched(&place, true);
        if !touched.is_empty() {
            line(&mut at, 2, &format!("this.{kept} = [{}];", touched.join(", ")));
        }
        match (self.names.shared(cell, "called"), self.names.home(cell, "called")) {
            (Some(shared), _) if path.is_empty() => line(&mut at, 2, &format!("return {shared};")),
            (_, Some(home)) if path.is_empty() => {
                self.uses("homeOf");
                line(&mut at, 2, &format!("return [...{home} ?? {nowhere}(called){tail}];"));
            }
            _ => {
                let (container, key) = self.container_called(&place, "called");
                line(&mut at, 2, &format!("return [{container}, \"{key}\"{tail}];"));
            }
        }
        // Not every way there goes by where it stands: whom it goes through is told as it is by then, too.
        let touches = match touched.is_empty() {
            true => Vec::new(),
            false => {
                let now = touched.join(", ");
                let touch = self.uses("touch");
                vec![format!("[...this.{kept} ?? [], {now}].forEach({touch});")]
            }
        };
        self.write_as("true", &place, ("whole", false), touches, 2, &mut told);
        (at, told)
    }

    /// A write, which tells whether anything is another; then those are marked that read what is there.
    fn write(&mut self, text: &str, place: &Place, edits: bool, depth: usize, out: &mut String) {
        let whole = if edits { "false" } else { "true" };
        // What is written may tell apart what it goes through, but for what stands in state from the beginning.
        let is_fixed = matches!(self.plan.cells[place.cell as usize].kind, CellKind::State(_));
        let touched = self.touched(place, edits).into_iter();
        let touches = touched.map(|item| {
            let touch = self.uses("touch");
            if is_fixed {
                return format!("{touch}({item});");
            }
            self.kept += 1;
            line(out, depth, &format!("const o{} = {item};", self.kept));
            format!("{touch}(o{});", self.kept)
        });
        let touches = touches.collect();
        self.write_as(text, place, (whole, edits), touches, depth, out);
    }

    /// The objects that a write goes through, whose rows are told of it: as they are before it.
    fn touched(&mut self, place: &Place, edits: bool) -> Vec<String> {
        let mut touched = Vec::new();
        let mut cell = place.cell;
        let mut inside = edits || !place.steps.is_empty();
        loop {
            if self.plan.cells[cell as usize].kind == CellKind::Item {
                if let (true, Some(row)) = (inside, self.names.row_of(cell)) {
                    touched.push(format!("{}({row})", self.uses("itemNow")));
                }
                inside = true;
            }
            match crate::readers::stands_in(self.plan, cell) {
                Some((next, _)) => cell = next,
                None => break,
            }
        }
        // Any of them may stand in a list that is made of it and others. Items that are rows have been told.
        let mut text = self.names.cell(place.cell).text;
        let last = place.steps.len() + usize::from(edits);
        let from = usize::from(self.plan.cells[place.cell as usize].kind == CellKind::Item);
        let mut kind = Kind::of(self.program, self.plan.cells[place.cell as usize].ty);
        for at in 0..last {
            // What can be an item of no list stands in no row.
            let is_list = matches!(kind.there(), Kind::List(_));
            if at >= from && (!is_list || holds_lists(self.program)) {
                touched.push(text.clone());
            }
            kind = match place.steps.get(at) {
                Some(PlaceStep::Field(name)) => kind.field(self.program, *name),
                Some(PlaceStep::Index(_)) => kind.item(),
                None => kind,
            };
            match place.steps.get(at) {
                Some(PlaceStep::Field(name)) => {
                    text.push_str(&format!("?.{}", self.program.names[*name as usize]));
                }
                Some(PlaceStep::Index(index)) => {
                    text.push_str(&format!("?.[{}]", self.index(*index)));
                }
                None => {}
            }
        }
        touched
    }

    fn write_as(
        &mut self,
        text: &str,
        place: &Place,
        (whole, edits): (&str, bool),
        mut told: Vec<String>,
        depth: usize,
        out: &mut String,
    ) {
        let (root, way) = way_of(self.plan, place);
        let scope = self.names.place(root).0;
        let readers = self.readers;
        let bits = |edits| readers.map_or(0, |readers| readers.of_write(root, &way, edits));
        // Of what is bound both ways those are told that read it where it is.
        if let CellKind::Shared(_) = self.plan.cells[root as usize].kind {
            let property = self.names.place(root).1;
            let whole = if way.is_empty() { whole } else { "false" };
            let bits = bits(edits);
            told.push(format!("{}({scope}, \"{property}\", {bits}, {whole});", self.uses("tell")));
        } else {
            // What is bound may be another as a whole, or only something in it.
            let woken = match whole {
                "whole" if bits(false) != bits(true) => {
                    format!("whole ? {} : {}", bits(false), bits(true))
                }
                "whole" => bits(true).to_string(),
                _ => bits(edits).to_string(),
            };
            if woken != "0" {
                told.push(format!("{}({scope}, {woken});", self.uses("mark")));
            }
        }
        told.extend(self.names.told(root));
        match &*told {
            [] => line(out, depth, &format!("{text};")),
            [one] => line(out, depth, &format!("if ({text}) {one}")),
            more => line(out, depth, &format!("if ({text}) {{ {} }}", more.join(" "))),
        }
    }

    /// The text of a place inside a template literal, with positions as they come out.
    fn way(&mut self, place: &Place) -> String {
        let mut way = self.plan.cells[place.cell as usize].name.to_string();
        for step in &place.steps {
            match step {
                PlaceStep::Field(name) => {
                    way.push_str(&format!(".{}", self.program.names[*name as usize]));
                }
                PlaceStep::Index(index) => {
                    let index = self.index(*index);
                    way.push_str(&format!("[${{{index}}}]"));
                }
            }
        }
        way
    }

    /// The list in a place, or what fails where there is none.
    fn list_at(&mut self, place: &Place) -> String {
        let way = self.way(place);
        let nowhere = self.uses("nowhere");
        if let (true, Some((item, _))) =
            (place.steps.is_empty(), self.names.item(place.cell, &format!("`{way}`")))
        {
            return format!("{item} ?? {nowhere}(`{way}`)");
        }
        let (container, key) = self.container(place);
        // The list itself: one step further than what stands around it.
        let list = match (place.steps.last(), self.names.shared(place.cell, &format!("`{way}`"))) {
            (None, Some(shared)) => format!("{}({shared})", self.uses("valueAt")),
            (None, None) => format!("{container}{}", code::member(&key)),
            (Some(PlaceStep::Field(_)), _) => format!("({container}){}", code::member(&key)),
            (Some(PlaceStep::Index(_)), _) => format!("({container})[{key}]"),
        };
        format!("{list} ?? {nowhere}(`{way}`)")
    }

    fn edit(&mut self, place: &Place, edit: &ListEdit, depth: usize, out: &mut String) {
        let list = self.list_at(place);
        let items = |writer: &mut Self, items: &[ExprId]| {
            let nests = items.iter().any(|item| writer.kind(*item).nests(writer.program));
            let mut texts = writer.owned_all(items);
            if nests {
                for text in &mut texts {
                    *text = writer.not_too_deep(text, place);
                }
            }
            format!("[{}]", texts.join(", "))
        };
        let text = match edit {
            ListEdit::Push(new) => {
                let new = items(self, new);
                format!("{}({list}, {new})", self.uses("push"))
            }
            ListEdit::Unshift(new) => {
                let new = items(self, new);
                format!("{}({list}, 0, 0, {new})", self.uses("splice"))
            }
            ListEdit::Pop => format!("{}({list})", self.uses("pop")),
            ListEdit::Shift => format!("{}({list}, 0, 1, [])", self.uses("splice")),
            ListEdit::Splice(start, count, new) => {
                let start = self.closed(*start).code.alone();
                let count = count.map(|count| self.closed(count).code.alone());
                let new = items(self, new);
                let count = count.unwrap_or_else(|| "Infinity".to_owned());
                format!("{}({list}, {start}, {count}, {new})", self.uses("splice"))
            }
            ListEdit::Reverse => {
                format!("{}({list}, (list) => list.toReversed())", self.uses("reorder"))
            }
            ListEdit::Sort(compare) => {
                let sorted = self.uses("sorted");
                let item = self.place_kind(place).item();
                let compare = compare.as_ref().map(|function| {
                    format!(", {}", self.function(function, &[item.clone(), item.clone()], false).0)
                });
                let compare = compare.unwrap_or_default();
                let reorder = self.uses("reorder");
                format!("{reorder}({list}, (list) => {sorted}(list{compare}))")
            }
        };
        self.write(&text, place, true, depth, out);
    }

    fn place_kind(&self, place: &Place) -> Kind {
        let kind = Kind::of(self.program, self.plan.cells[place.cell as usize].ty);
        place.steps.iter().fold(kind, |kind, step| match step {
            PlaceStep::Field(name) => kind.field(self.program, *name),
            PlaceStep::Index(_) => kind.item(),
        })
    }
}

fn line(out: &mut String, depth: usize, text: &str) {
    out.push_str(&"  ".repeat(depth));
    out.push_str(text);
    out.push('\n');
}
