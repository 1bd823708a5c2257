//! Random projects: components inside components, loops, branches, slots and controls.

use crate::dressed::{Wear, frames};
use crate::enlivened::{STORES, enliven};
use crate::generate::Random;
use crate::keyed;

/// The names that can be used at a place of the markup.
#[derive(Clone, Default)]
pub struct Names {
    pub numbers: Vec<String>,
    pub texts: Vec<String>,
    pub flags: Vec<String>,
    /// Lists of beds, and whether their items can be assigned.
    pub lists: Vec<(String, bool)>,
    /// Beds, and whether they can be assigned.
    pub beds: Vec<(String, bool)>,
    /// What can be written, by type.
    pub number_places: Vec<String>,
    pub text_places: Vec<String>,
    pub flag_places: Vec<String>,
    choice_places: Vec<String>,
    pub list_places: Vec<String>,
    level_places: Vec<String>,
    events: Vec<(String, &'static str)>,
    in_slot: bool,
    /// Whether something is kept by keys, and whether numbers are that somebody else keeps.
    pub keeps: bool,
    pub is_given: bool,
    /// Statements that call what is beside the view; `#` stands for a number.
    pub calls: Vec<String>,
}

const SHAPE: &str = "\
shape Bed { id: number, crop: string, wet: boolean, note: string?, levels: number[], \
inner: Beds }\n\
shape Beds = Bed[]\nshape Ground = 'dry' | 'moist'\n";

/// Derived values of a card that only what fails reads; the first is mostly what it was.
const UNSEEN: &str = "\
holds few: number[] = []
derives near = limit > 2 || few.length > 1
derives far = near ? 3 : count
derives deep = few.length + far
";

pub struct Writer<'r> {
    pub random: &'r mut Random,
    /// Where what is worn beside the main text is drawn from.
    pub beside: Option<Random>,
    /// Where the forms around controls are drawn from.
    pub forms: Option<Random>,
    /// Where what answers in the middle of a handler is drawn from.
    pub answers: Option<Random>,
    /// Where what writes items as wholes is drawn from.
    pub wholes: Option<Random>,
    /// Where what fails is drawn from.
    pub fails: Option<Random>,
    /// Where what is shown of several types, and where lists are spliced and flattened, is drawn from.
    pub mixes: Option<Random>,
    /// Where calls of functions, and names that are assigned again, are drawn from.
    pub works: Option<Random>,
    /// Where what is kept by keys is drawn from.
    pub keys: Option<Random>,
    /// Whether there are stores.
    pub lively: bool,
    /// What groups of radio buttons are called, which each component has of its own.
    named: Vec<String>,
    pub next: usize,
    /// Components that may be used, leaves first.
    pub components: &'static [&'static str],
    budget: usize,
}

impl Writer<'_> {
    fn name(&mut self, stem: &str) -> String {
        self.next += 1;
        format!("{stem}{}", self.next)
    }

    pub fn pick(&mut self, names: &[String], or: &str) -> String {
        match names {
            [] => or.into(),
            names => self.random.pick(names).clone(),
        }
    }

    pub fn number(&mut self, names: &Names) -> String {
        let number = self.plain_number(names);
        let number = self.by_key(names, number);
        let far = self.lively && self.works.as_mut().is_some_and(|works| works.below(4) == 0);
        self.worked(if far { "tank.filled(#)" } else { "up(#)" }, number)
    }

    fn plain_number(&mut self, names: &Names) -> String {
        let known = self.pick(&names.numbers, "2");
        match self.random.below(9) {
            0 => self.random.below(5).to_string(),
            1 => format!("{known} + {}", self.random.below(3)),
            2 if !names.beds.is_empty() => {
                let (bed, _) = self.random.pick(&names.beds).clone();
                format!("{bed}.levels.length")
            }
            3 if !names.lists.is_empty() => {
                let (list, _) = self.random.pick(&names.lists).clone();
                format!("{list}.length")
            }
            4 if !names.lists.is_empty() => {
                let (list, _) = self.random.pick(&names.lists).clone();
                format!("({list}.at(0)?.id ?? {known})")
            }
            5 => format!("({} ? {known} : 1)", self.flag(names)),
            _ => known,
        }
    }

    pub fn flag(&mut self, names: &Names) -> String {
        let flag = self.plain_flag(names);
        let flag = self.has_key(names, flag);
        self.worked("turned(#)", flag)
    }

    fn plain_flag(&mut self, names: &Names) -> String {
        let known = self.pick(&names.flags, "true");
        match self.random.below(7) {
            0 => format!("{} > {}", self.pick(&names.numbers, "2"), self.random.below(4)),
            1 => format!("!{known}"),
            2 if !names.beds.is_empty() => {
                let (bed, _) = self.random.pick(&names.beds).clone();
                match self.works.as_mut().is_some_and(|works| works.below(3) == 0) {
                    true => format!("damp({bed})"),
                    false => format!("{bed}.note !== null"),
                }
            }
            3 if !names.lists.is_empty() => {
                let (list, _) = self.random.pick(&names.lists).clone();
                format!("{list}.some(q => q.wet)")
            }
            4 => format!(
                "({known} && {} === {})",
                self.pick(&names.numbers, "2"),
                self.random.below(4)
            ),
            _ => known,
        }
    }

    pub fn text(&mut self, names: &Names) -> String {
        let text = self.plain_text(names);
        self.worked("said(String(#), 1)", text)
    }

    fn plain_text(&mut self, names: &Names) -> String {
        match self.random.below(6) {
            0 => format!("({} ? 'yes' : 'no')", self.flag(names)),
            1 if !names.beds.is_empty() => {
                let (bed, _) = self.random.pick(&names.beds).clone();
                format!("({bed}.note ?? 'none')")
            }
            2 => self.number(names),
            3 if !names.lists.is_empty() => {
                let (list, _) = self.random.pick(&names.lists).clone();
                format!("{list}.map(q => q.crop).join('|')")
            }
            _ => self.pick(&names.texts, "'x'"),
        }
    }

    /// What is shown, perhaps of one type or another.
    fn shown(&mut self, names: &Names) -> String {
        let text = self.text(names);
        let Some(mut mixes) = self.mixes.take() else { return text };
        let flag = mixes.known(&names.flags, "true");
        let number = mixes.known(&names.numbers, "2");
        let shown = match mixes.below(8) {
            0 => format!("{flag} && ({text})"),
            1 => format!("{flag} ? {number} : {text}"),
            2 if !names.texts.is_empty() => {
                format!("{} || {number}", mixes.pick(&names.texts))
            }
            3 if !names.numbers.is_empty() => format!("{number} && ({text}) || {flag}"),
            4 if !names.beds.is_empty() => {
                let (bed, _) = mixes.pick(&names.beds);
                format!("{bed}.note ?? ({flag} ? {number} : null) ?? {flag}")
            }
            _ => text,
        };
        self.mixes = Some(mixes);
        shown
    }

    /// A list to loop over, and whether its items can be assigned.
    fn list(&mut self, names: &Names) -> Option<(String, bool)> {
        if names.lists.is_empty() {
            return None;
        }
        let (list, assigned) = self.random.pick(&names.lists).clone();
        let made = self.mixes.as_mut().and_then(|mixes| match mixes.below(30) {
            0 => Some(format!("{list}.toSpliced(1, {})", mixes.known(&names.numbers, "1"))),
            1 => Some(format!("{list}.map(q => q.inner).flat()")),
            _ => None,
        });
        let made = made.or_else(|| {
            let works = self.works.as_mut()?;
            (works.below(12) == 0).then(|| format!("lean({list})"))
        });
        let drawn = self.random.below(9);
        if let Some(made) = made {
            return Some((made, false));
        }
        Some(match drawn {
            0 => (format!("{list}.filter(q => q.wet)"), assigned),
            1 => (format!("{list}.toSorted((p, q) => p.id - q.id)"), assigned),
            2 => (format!("{list}.toReversed()"), assigned),
            3 => (format!("{list}.slice(0, {})", self.pick(&names.numbers, "2")), assigned),
            4 => (format!("{list}.filter(q => q.id > 1).toReversed()"), assigned),
            5 => (format!("[...{list}]"), false),
            _ => (list, assigned),
        })
    }

    /// Statements of a handler or an event binding.
    pub fn statements(&mut self, names: &Names) -> String {
        let mut done = String::new();
        for _ in 0..1 + self.random.below(3) {
            done.push_str(&self.statement(names));
            done.push_str("; ");
        }
        done.push_str(&self.varied(names));
        done.push_str(&self.keep(names));
        done
    }

    fn statement(&mut self, names: &Names) -> String {
        for _ in 0..6 {
            let pick = |random: &mut Random, places: &[String]| {
                (!places.is_empty()).then(|| random.pick(places).clone())
            };
            if !names.calls.is_empty() && self.random.below(4) == 0 {
                let call = self.random.pick(&names.calls).clone();
                return call.replace('#', &self.number(names));
            }
            match self.random.below(9) {
                0 => {
                    if let Some(place) = pick(self.random, &names.number_places) {
                        return match self.random.below(3) {
                            0 => format!("{place} += 1"),
                            1 => format!("{place} = {}", self.random.below(5)),
                            _ => format!("{place} = {place} > 2 ? 0 : {place} + 2"),
                        };
                    }
                }
                1 => {
                    if let Some(place) = pick(self.random, &names.text_places) {
                        return match self.random.below(2) {
                            0 => format!("{place} = {place} + 'a'"),
                            _ => format!("{place} = 'kale'"),
                        };
                    }
                }
                2 => {
                    if let Some(place) = pick(self.random, &names.flag_places) {
                        return format!("{place} = !{place}");
                    }
                }
                3 => {
                    if let Some(place) = pick(self.random, &names.level_places) {
                        return match self.random.below(3) {
                            0 => format!("{place}.push({})", self.random.below(4)),
                            1 => format!("{place}.reverse()"),
                            _ => format!("{place}.pop()"),
                        };
                    }
                }
                4 => {
                    if !names.events.is_empty() {
                        let (event, takes) = self.random.pick(&names.events).clone();
                        return match takes {
                            "" => format!("give {event}()"),
                            _ => format!("give {event}({})", self.number(names)),
                        };
                    }
                }
                _ => {
                    if let Some(list) = pick(self.random, &names.list_places) {
                        return self.list_statement(&list, names);
                    }
                }
            }
        }
        "if (1 > 0) { const nothing = 1; }".into()
    }

    pub fn list_statement(&mut self, list: &str, names: &Names) -> String {
        let id = self.random.below(7);
        let crop = ["leek", "kale", "pea"][self.random.below(3)];
        let wet = self.random.below(2) == 0;
        let new = format!("{{ id: {id}, crop: '{crop}', wet: {wet}, levels: [{id}], inner: [] }}");
        match self.random.below(15) {
            0 => format!("{list}.push({new})"),
            1 => format!("{list}.unshift({new})"),
            2 => format!("{list}.pop()"),
            3 => format!("{list}.shift()"),
            4 => format!("{list}.reverse()"),
            5 => format!("{list}.sort((p, q) => q.id - p.id)"),
            6 => format!("{list}.sort((p, q) => p.crop < q.crop ? -1 : 1)"),
            7 => format!("{list}.splice({}, 1)", self.random.below(3)),
            8 => {
                format!("{list}.splice({}, {}, {new})", self.random.below(3), self.random.below(3))
            }
            9 => format!("for (const z of {list}) {{ z.wet = !z.wet; z.levels.push(1); }}"),
            10 => format!(
                "if ({list}.length > 1) {{ const z = {list}[1] ?? {list}[0]; if (z) {list}[0] = z; }}"
            ),
            11 => format!("{list} = {list}.filter(z => z.id !== {id})"),
            12 => format!("if ({list}.length > 0) {list}[0].id = {}", self.number(names)),
            13 => format!("{list} = {list}.toReversed()"),
            _ => format!("if ({list}.length > 1) {list}[1].crop = 'bean'"),
        }
    }

    fn nodes(&mut self, names: &Names, depth: usize) -> String {
        let mut out = String::new();
        for _ in 0..1 + self.random.below(3) {
            out.push_str(&self.node(names, depth));
            let extra = self.aside(|writer| match writer.random.below(7) {
                0 => {
                    let extra = writer.extra(names);
                    writer.in_form(names, extra)
                }
                _ => String::new(),
            });
            out.push_str(&extra.unwrap_or_default());
            if self.random.below(3) == 0 {
                out.push('\n');
            }
        }
        out
    }

    fn node(&mut self, names: &Names, depth: usize) -> String {
        if self.budget == 0 || depth > 4 {
            return format!("{{{}}}", self.shown(names));
        }
        self.budget -= 1;
        match self.random.below(16) {
            0 | 1 => format!("{}{{{}}}", ["", "a "][self.random.below(2)], self.shown(names)),
            2 => {
                let (attributes, inside) = (self.attributes(names), self.nodes(names, depth + 1));
                let tag = ["aside", "div", "span"][self.random.below(3)];
                format!("<{tag}{attributes}>{inside}</{tag}>")
            }
            3 | 4 => self.branch(names, depth),
            5..=7 => self.each(names, depth),
            8 | 9 => self.component(names, depth),
            10 => {
                let tag = format!("{} ? 'nav' : 'section'", self.flag(names));
                format!("<any tag=\"<- {tag}\">{}</any>", self.nodes(names, depth + 1))
            }
            11 => format!("<q html=\"<- '<b>' + {} + '</b>'\"></q>", self.text(names)),
            12 | 13 => {
                let control = self.control(names);
                self.in_form(names, control)
            }
            _ => format!("<button click=\"-> {}\">b</button>", self.statements(names)),
        }
    }

    fn attributes(&mut self, names: &Names) -> String {
        match self.random.below(7) {
            0 => format!(" title=\"<- {}\"", self.shown(names)),
            1 => format!(" class=\"<- ['a', {} && 'b', {}]\"", self.flag(names), self.text(names)),
            2 => format!(
                " style=\"<- {{ opacity: {}, color: {} ? 'red' : null }}\"",
                self.number(names),
                self.flag(names)
            ),
            3 => format!(" hidden=\"<- {}\"", self.flag(names)),
            4 => format!(
                " class=\"c {{{}}}\" aria-busy=\"<- {}\"",
                self.text(names),
                self.flag(names)
            ),
            _ => String::new(),
        }
    }

    fn branch(&mut self, names: &Names, depth: usize) -> String {
        let tag = ["aside", "group", "i"][self.random.below(3)];
        let mut out = format!(
            "<{tag} when=\"{}\">{}</{tag}>",
            self.flag(names),
            self.nodes(names, depth + 1)
        );
        if self.random.below(3) == 0 {
            out.push_str(&format!(
                "<b or-when=\"{}\">{}</b>",
                self.flag(names),
                self.nodes(names, depth + 1)
            ));
        }
        if self.random.below(2) == 0 {
            out.push_str(&format!("<{tag} otherwise>{}</{tag}>", self.nodes(names, depth + 1)));
        }
        out
    }

    fn each(&mut self, names: &Names, depth: usize) -> String {
        let Some((list, assigned)) = self.list(names) else {
            return format!("<u>{{{}}}</u>", self.text(names));
        };
        let item = self.name("row");
        let mut inner = with_bed(names, &item, assigned);
        let position = match self.random.below(3) {
            0 => {
                let name = self.name("at");
                inner.numbers.push(name.clone());
                format!(", {name}")
            }
            _ => String::new(),
        };
        let by = match self.random.below(5) {
            0 => String::new(),
            1 => format!(" by {item}.crop"),
            _ => format!(" by {item}.id"),
        };
        let by = self.identity(&item).unwrap_or(by);
        let each = format!("each=\"{item}{position} of {list}{by}\"");
        let otherwise = match self.random.below(3) {
            0 => format!("<em otherwise>{}</em>", self.nodes(names, depth + 2)),
            _ => String::new(),
        };
        let when = match self.random.below(4) {
            0 => format!(" when=\"{}\"", self.flag(&inner)),
            _ => String::new(),
        };
        let row = match self.random.below(4) {
            0 => format!("<group {each}{when}>{}</group>", self.nodes(&inner, depth + 1)),
            1 if self.components.contains(&"leaf-card") => {
                let given = self.leaf_props(&inner, &item);
                let card = self.aside(Writer::card).unwrap_or("leaf-card");
                format!("<{card} {each}{when}{given}></{card}>")
            }
            _ => {
                let attributes = self.attributes(&inner);
                format!(
                    "<article {each}{when}{attributes}>{}{}</article>",
                    self.nodes(&inner, depth + 1),
                    if assigned { self.as_a_whole(&inner, &item) } else { String::new() }
                )
            }
        };
        format!("{row}{otherwise}")
    }

    fn component(&mut self, names: &Names, depth: usize) -> String {
        let Some(component) =
            (!self.components.is_empty()).then(|| *self.random.pick(self.components))
        else {
            return format!("<s>{{{}}}</s>", self.text(names));
        };
        match component {
            "leaf-card" => {
                let Some((bed, _)) = names.beds.first().cloned() else {
                    return format!("<s>{{{}}}</s>", self.text(names));
                };
                let given = self.leaf_props(names, &bed);
                let card = self.aside(Writer::card).unwrap_or("leaf-card");
                format!("<{card}{given}></{card}>")
            }
            "slot-box" => {
                let Some((list, _)) = self.list(names) else {
                    return format!("<s>{{{}}}</s>", self.text(names));
                };
                let mut content = String::new();
                if self.random.below(2) == 0 {
                    content.push_str(&self.nodes(names, depth + 1));
                }
                if self.random.below(2) == 0 {
                    let row = self.name("got");
                    let mut inner = with_bed(names, &row, false);
                    inner.in_slot = true;
                    content.push_str(
                        &format!(
                            "<div slot=\"row\" with=\"{row}\">{}</div>",
                            self.nodes(&inner, depth + 1)
                        )
                        .replace(&format!("with=\"{row}\""), &format!("with=\"{row}\"")),
                    );
                    // The slot hands it back under its own name.
                    content = content.replace(&row, "handed");
                }
                if self.random.below(2) == 0 {
                    content.push_str(&format!(
                        "<i slot=\"head\" when=\"{}\">{}</i>",
                        self.flag(names),
                        self.nodes(names, depth + 1)
                    ));
                }
                format!("<slot-box items=\"<- {list}\">{content}</slot-box>")
            }
            _ => {
                let Some((list, _)) = self.list(names) else {
                    return format!("<s>{{{}}}</s>", self.text(names));
                };
                let hears = match self.random.below(2) {
                    0 => format!(" chosen=\"-> {}\"", self.statements(names)),
                    _ => String::new(),
                };
                format!(
                    "<mid-bench beds=\"<- {list}\" title=\"{{{}}}\"{hears}></mid-bench>",
                    self.text(names)
                )
            }
        }
    }

    fn control(&mut self, names: &Names) -> String {
        let pick = |random: &mut Random, places: &[String]| {
            (!places.is_empty()).then(|| random.pick(places).clone())
        };
        for _ in 0..4 {
            match self.random.below(7) {
                0 => {
                    if let Some(place) = pick(self.random, &names.number_places) {
                        return format!("<input type=\"number\" value=\"<-> {place}\">");
                    }
                }
                1 => {
                    if let Some(place) = pick(self.random, &names.text_places) {
                        let tag = [
                            "<input value=\"<-> P\">",
                            "<textarea value=\"<-> P\"></textarea>",
                            "<input value=\"<->(change) P\">",
                        ][self.random.below(3)];
                        return tag.replace('P', &place);
                    }
                }
                2 => {
                    if let Some(place) = pick(self.random, &names.flag_places) {
                        let tag = [
                            "<input type=\"checkbox\" checked=\"<-> P\">",
                            "<details open=\"<-> P\"><summary>s</summary></details>",
                        ][self.random.below(2)];
                        return tag.replace('P', &place);
                    }
                }
                3 => {
                    if let Some(place) = pick(self.random, &names.choice_places) {
                        return format!(
                            "<select value=\"<-> {place}\"><option value=\"dry\">d</option>\
                             <option value=\"moist\">m</option></select>"
                        );
                    }
                }
                4 => {
                    if let Some(place) = pick(self.random, &names.choice_places) {
                        let name = self.name("g");
                        self.named.push(name.clone());
                        return format!(
                            "<input type=\"radio\" name=\"<- {name}\" value=\"dry\" picked=\"<-> {place}\">\
                             <input type=\"radio\" name=\"<- {name}\" value=\"moist\" picked=\"<-> {place}\">"
                        );
                    }
                }
                5 => {
                    if let Some(place) = pick(self.random, &names.level_places) {
                        return format!(
                            "<input type=\"checkbox\" value=\"1\" picked=\"<-> {place}\">\
                             <input type=\"checkbox\" value=\"<- {}\" picked=\"<-> {place}\">",
                            self.number(names)
                        );
                    }
                }
                _ => {
                    if let Some(place) = pick(self.random, &names.level_places) {
                        return format!(
                            "<select multiple value=\"<-> {place}\"><option value=\"1\">1</option>\
                             <option value=\"2\">2</option></select>"
                        );
                    }
                }
            }
        }
        String::new()
    }
}

/// The names inside a loop or a slot whose item is a bed.
fn with_bed(names: &Names, bed: &str, assigned: bool) -> Names {
    let mut inner = names.clone();
    inner.beds.insert(0, (bed.into(), assigned));
    inner.numbers.push(format!("{bed}.id"));
    inner.texts.push(format!("{bed}.crop"));
    inner.flags.push(format!("{bed}.wet"));
    inner.lists.push((format!("{bed}.inner"), assigned));
    if assigned {
        inner.text_places.push(format!("{bed}.crop"));
        inner.flag_places.push(format!("{bed}.wet"));
        inner.number_places.push(format!("{bed}.id"));
        inner.level_places.push(format!("{bed}.levels"));
        inner.list_places.push(format!("{bed}.inner"));
    }
    inner
}

fn names(of: &str) -> Names {
    let strings = |all: &[&str]| all.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>();
    let mut names = Names::default();
    match of {
        "leaf-card" => {
            names.numbers = strings(&["limit", "level", "count", "bed.id"]);
            names.texts = strings(&["bed.crop"]);
            names.flags = strings(&["dry", "bed.wet", "open"]);
            names.lists = vec![("bed.inner".into(), false)];
            names.beds = vec![("bed".into(), false)];
            names.number_places = strings(&["level", "count"]);
            names.flag_places = strings(&["open"]);
            names.events = vec![("picked".into(), "id")];
        }
        "slot-box" => {
            names.numbers = strings(&["count", "items.length"]);
            names.lists = vec![("items".into(), false)];
            names.number_places = strings(&["count"]);
        }
        "mid-bench" => {
            names.numbers = strings(&["width"]);
            names.texts = strings(&["title"]);
            names.flags = strings(&["open"]);
            names.lists = vec![("beds".into(), false), ("own".into(), true)];
            names.number_places = strings(&["width"]);
            names.flag_places = strings(&["open"]);
            names.list_places = strings(&["own"]);
            names.events = vec![("chosen".into(), "id")];
        }
        _ => {
            names.numbers = strings(&["n", "m", "own.length", "total"]);
            names.texts = strings(&["s", "kind"]);
            names.flags = strings(&["flag", "any"]);
            names.lists = vec![
                ("own".into(), true),
                ("beds".into(), true),
                ("wet".into(), true),
                ("sorted".into(), true),
            ];
            names.number_places = strings(&["n", "m"]);
            names.text_places = strings(&["s"]);
            names.flag_places = strings(&["flag"]);
            names.choice_places = strings(&["kind"]);
            names.list_places = strings(&["own", "beds"]);
            names.level_places = strings(&["levels"]);
        }
    }
    names
}

const COMPONENTS: &[(&str, &str, &[&str])] = &[
    (
        "leaf-card",
        "takes bed: Bed\ntakes limit: number = 3\nshares level: number = 1\n\
         gives picked(id: number)\nholds count = 0\nholds open = false\n\
         derives dry = bed.id < limit + count\n",
        &[],
    ),
    ("slot-box", "takes items: Bed[]\nholds count = 0\n", &["leaf-card"]),
    (
        "mid-bench",
        "takes beds: Beds\ntakes title = 'm'\ngives chosen(id: number)\n\
         holds own: Bed[] = []\nholds width = 1\nholds open = true\n",
        &["leaf-card", "slot-box"],
    ),
    (
        "test-bed",
        "shares beds: Bed[]\nholds own: Bed[] = [{ id: 1, crop: 'leek', wet: true, levels: [1], \
         inner: [{ id: 4, crop: 'pea', wet: true, levels: [], inner: [] }] }]\n\
         holds n = 1\nholds m = 2\nholds s = 'chard'\nholds flag = false\n\
         holds kind: Ground = 'dry'\nholds levels: number[] = [1]\n\
         derives wet = beds.filter(q => q.wet)\n\
         derives sorted = beds.toSorted((p, q) => p.id - q.id)\n\
         derives total = beds.reduce((sum, q) => sum + q.id, 0)\n\
         derives any = beds.some(q => q.wet)\n",
        &["leaf-card", "slot-box", "mid-bench"],
    ),
];

/// A random project.
pub fn project(random: &mut Random, wear: Wear) -> Vec<(String, String)> {
    written(random, false, wear)
}

/// A random project that lives: with stores, watches, timers, questions to the host, and statements
/// that run when components come and go.
pub fn lively_project(random: &mut Random, wear: Wear) -> Vec<(String, String)> {
    let mut files = written(random, true, wear);
    files.extend(STORES.map(|(path, text)| (path.to_owned(), text.to_owned())));
    files
}

fn written(random: &mut Random, lively: bool, wear: Wear) -> Vec<(String, String)> {
    let mut files = Vec::new();
    let mut beside = wear.drawn_from(1, 0x6472_6573_7365_6421);
    let mut forms = wear.drawn_from(2, 0x666f_726d_7321);
    let mut answers = wear.drawn_from(3, 0x616e_7377_6572);
    let mut wholes = wear.drawn_from(4, 0x7768_6f6c_6573);
    let mut fails = wear.drawn_from(5, 0x6661_696c_7321);
    let mut mixes = wear.drawn_from(6, 0x6d69_7865_7321);
    let mut works = wear.drawn_from(7, 0x776f_726b_7321);
    let mut keys = wear.drawn_from(8, 0x6b65_7973_2121);
    for (name, declarations, components) in COMPONENTS {
        let mut writer = Writer {
            random,
            beside: beside.take(),
            forms: forms.take(),
            answers: answers.take(),
            wholes: wholes.take(),
            fails: fails.take(),
            mixes: mixes.take(),
            works: works.take(),
            keys: keys.take(),
            lively,
            next: 0,
            named: Vec::new(),
            components,
            budget: 7,
        };
        let mut names = names(name);
        let mut declarations = (*declarations).to_owned();
        names.keeps = writer.keys.is_some() && *name != "slot-box";
        names.is_given = *name == "leaf-card";
        if names.keeps {
            declarations.push_str(keyed::declared(name));
        }
        declarations.push_str(&writer.functions(&names));
        if lively {
            let plain = names.clone();
            enliven(name, &mut names);
            // What is asked does not hang on its own answer.
            let with_calls = Names { calls: names.calls.clone(), ..plain };
            declarations.push_str(&writer.lives(name, &with_calls));
        }
        let mut markup = match *name {
            "test-bed" => format!("{}{}", writer.each(&names, 0), writer.nodes(&names, 0)),
            "leaf-card" if writer.random.below(2) == 0 => {
                let worn = writer.aside(|writer| writer.dress(&names));
                let worn =
                    worn.filter(|worn| worn.contains("class=")).unwrap_or(" class='card'".into());
                format!("<article{worn}>{}</article>", writer.nodes(&names, 1))
            }
            "leaf-card" => {
                let worn = writer.aside(|writer| writer.dress(&names)).unwrap_or_default();
                format!("<div{worn}>{}</div>", writer.nodes(&names, 1))
            }
            _ => writer.nodes(&names, 1),
        };
        if *name == "slot-box" {
            let inside = writer.nodes(&names, 2);
            names = with_bed(&names, "item", false);
            markup.push_str(&format!(
                "<slot>{inside}</slot><slot name='head'></slot>\
                 <header each='item of items by item.id'><slot name='row' handed='<- item'>{}</slot></header>",
                writer.nodes(&names, 3)
            ));
        }
        if *name == "test-bed" {
            for list in ["own", "beds", "beds"] {
                let more = writer.statements(&names);
                let statements = format!("{}; {more}", writer.list_statement(list, &names));
                markup.push_str(&format!(
                    "<button click='-> {}'>root</button>",
                    statements.replace('\'', "&#39;")
                ));
            }
        }
        if names.keeps {
            let kept = writer.kept(&names);
            match (*name, markup.rfind("</")) {
                ("leaf-card", Some(end)) => markup.insert_str(end, &kept),
                _ => markup.push_str(&kept),
            }
        }
        if !writer.named.is_empty() {
            let named = std::mem::take(&mut writer.named).join(", ");
            declarations.push_str(&format!("names {named}\n"));
        }
        if *name == "leaf-card" {
            if let Some(end) = markup.rfind("</") {
                declarations.push_str("names mine\n");
                markup.insert_str(end, "<s id=\"<- mine\"></s>");
            }
            if let (Some(button), Some(end)) = (writer.answering_button(), markup.rfind("</")) {
                declarations.push_str("derives reach = limit * 10 + level\n");
                markup.insert_str(end, &button);
            }
            if let (Some(buttons), Some(end)) = (writer.failing_buttons(), markup.rfind("</")) {
                declarations.push_str(UNSEEN);
                markup.insert_str(end, &buttons);
            }
            // These have no functions of their own.
            let works = writer.works.take();
            files.extend(writer.own_card());
            files.extend(
                writer.aside(|writer| frames(writer, &self::names(name))).unwrap_or_default(),
            );
            writer.works = works;
        }
        let shape = if *name == "test-bed" { SHAPE } else { "" };
        files.push((format!("{name}.vein"), format!("{shape}{declarations}<!-- m -->{markup}\n")));
        (beside, forms, answers) = (writer.beside, writer.forms, writer.answers);
        (wholes, fails, mixes) = (writer.wholes, writer.fails, writer.mixes);
        (works, keys) = (writer.works, writer.keys);
    }
    files
}
