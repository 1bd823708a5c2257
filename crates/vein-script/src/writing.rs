//! Writes of statements and controls: where what is written stands, what is put there, and who is told of it.

use crate::code;
use crate::expression::Writer;
use crate::kind::Kind;
use crate::readers::way_of;
use crate::statement::line;
use vein_plan::code::{CellId, Expr, ExprId, ListEdit, Place, PlaceStep};
use vein_plan::members::Member;
use vein_plan::value::DEEPEST_VALUE;
use vein_plan::{CellKind, Commit, Conversion, PlanRead, Program, ReadStep, Type, TypeId};

/// Whether a list of the program may have lists as items.
fn holds_lists(program: &Program) -> bool {
    let is_list = |ty: TypeId| matches!(Kind::of(program, ty).there(), Kind::List(_));
    program.types.iter().any(|ty| matches!(ty, Type::List(item) if is_list(*item)))
}

impl Writer<'_> {
    /// What stands around a place, or what fails where there is nothing; the key in it.
    pub(crate) fn container(&mut self, place: &Place) -> (String, String) {
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

    pub(crate) fn set(&mut self, place: &Place, of: ExprId, depth: usize, out: &mut String) {
        let nests = self.kind(of).nests(self.program);
        let mut value = self.owned(of).alone();
        if nests {
            value = self.not_too_deep(&value, place);
        }
        // That there is no such place is found out once the value is there, whose questions may fail.
        if self.may_ask(of)
            && (!place.steps.is_empty() || self.names.item(place.cell, "").is_some())
        {
            self.kept += 1;
            let name = format!("w{}", self.kept);
            line(out, depth, &format!("const {name} = {value};"));
            value = name;
        }
        let text = self.put(place, &value);
        self.write(&text, place, false, depth, out);
    }

    /// Whether the host may be asked at once while an expression is worked out: straight, or by what is derived somewhere.
    fn may_ask(&self, expr: ExprId) -> bool {
        let is_asked = |asked: &vein_plan::Asked| asked.answers == vein_plan::Answers::AtOnce;
        let asks = || self.program.plans.iter().any(|plan| plan.asked.iter().any(is_asked));
        let reads = |id: u32| match &self.plan.exprs[id as usize] {
            Expr::Ask(..) => true,
            Expr::Cell(cell) => {
                let kind = &self.plan.cells[*cell as usize].kind;
                !matches!(kind, CellKind::State(_) | CellKind::Item | CellKind::Position)
            }
            _ => false,
        };
        let functions = &self.plan.functions;
        let all = vein_plan::calls::reached(&self.plan.exprs, functions, expr);
        all.into_iter().any(reads) && asks()
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
            (Some(PlaceStep::Index(index)), _) if self.is_key(&Kind::Any, *index) => {
                format!("{}({container}, {key}, {value})", self.uses("putEntry"))
            }
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
        let touched = self.touched(&place, true, Some("field".to_owned())).into_iter();
        let (touched, fields): (Vec<String>, Vec<Option<String>>) = touched.unzip();
        let now = touched.join(", ");
        if !touched.is_empty() {
            line(&mut at, 2, &format!("this.{kept} = [{now}];"));
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
                let touch = self.uses("touchAll");
                let fields = fields.into_iter().map(|field| field.unwrap_or("undefined".into()));
                let fields = fields.collect::<Vec<_>>().join(", ");
                vec![format!("{touch}([...this.{kept} ?? [], {now}], [{fields}]);")]
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
        let touched = self.touched(place, edits, None).into_iter();
        let touches = touched.map(|(item, field)| {
            let touch = self.uses("touch");
            let field = field.map_or_else(String::new, |field| format!(", {field}"));
            if is_fixed {
                return format!("{touch}({item}{field});");
            }
            self.kept += 1;
            line(out, depth, &format!("const o{} = {item};", self.kept));
            format!("{touch}(o{}{field});", self.kept)
        });
        let touches = touches.collect();
        self.write_as(text, place, (whole, edits), touches, depth, out);
    }

    /// The name of a field as a string.
    fn field(&self, name: u32) -> String {
        code::string(&(&*self.program.names[name as usize]).into()).text
    }

    /// The objects that a write goes through, whose rows are told of it: as they are before it, each with the field by which it
    /// goes on. What stands in the place itself goes on as is said.
    fn touched(
        &mut self,
        place: &Place,
        edits: bool,
        further: Option<String>,
    ) -> Vec<(String, Option<String>)> {
        let called = |step: &PlaceStep| match step {
            PlaceStep::Field(name) => Some(self.field(*name)),
            PlaceStep::Index(_) => None,
        };
        let steps = place.steps.iter().map(called);
        let steps: Vec<Option<String>> = steps.chain([further]).collect();
        let mut first = steps[0].clone();
        let mut touched = Vec::new();
        let mut cell = place.cell;
        let mut inside = edits || !place.steps.is_empty();
        loop {
            if self.plan.cells[cell as usize].kind == CellKind::Item {
                if let (true, Some(row)) = (inside, self.names.row_of(cell)) {
                    touched.push((format!("{}({row})", self.uses("itemNow")), first.clone()));
                }
                inside = true;
            }
            let Some((next, way)) = crate::readers::stands_in(self.plan, cell) else { break };
            match way.first() {
                Some(ReadStep::Field(name)) => first = Some(self.field(*name)),
                Some(_) => first = None,
                None => {}
            }
            cell = next;
        }
        // Any of them may stand in a list that is made of it and others. Items that are rows have been told.
        let mut text = self.names.cell(place.cell).text;
        let last = place.steps.len() + usize::from(edits);
        let from = usize::from(self.plan.cells[place.cell as usize].kind == CellKind::Item);
        let mut kind = Kind::of(self.program, self.plan.cells[place.cell as usize].ty);
        for (at, step) in steps.iter().enumerate().take(last) {
            // What can be an item of no list stands in no row.
            let is_list = matches!(kind.there(), Kind::List(_));
            if at >= from && (!is_list || holds_lists(self.program)) {
                touched.push((text.clone(), step.clone()));
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
            let bits = bits(edits);
            let field = match way.first() {
                Some(ReadStep::Field(name)) => format!(", {}", self.field(*name)),
                None if whole == "whole" => ", field".to_owned(),
                _ => String::new(),
            };
            let whole = if way.is_empty() { whole } else { "false" };
            told.push(format!(
                "{}({scope}, \"{property}\", {bits}, {whole}{field});",
                self.uses("tell")
            ));
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
                PlaceStep::Index(index) if self.is_key(&Kind::Any, *index) => {
                    let key = self.index(*index);
                    way.push_str(&format!("[${{JSON.stringify({key})}}]"));
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

    pub(crate) fn delete(&mut self, place: &Place, depth: usize, out: &mut String) {
        let (container, key) = self.container(place);
        let text = format!("{}({container}, {key})", self.uses("takeEntry"));
        self.write(&text, place, false, depth, out);
    }

    pub(crate) fn edit(&mut self, place: &Place, edit: &ListEdit, depth: usize, out: &mut String) {
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
