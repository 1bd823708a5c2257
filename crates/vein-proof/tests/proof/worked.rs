//! What random projects work out in functions, and what their handlers hold in names that are assigned again.

use crate::generate::Random;
use crate::projects::{Names, Writer};

/// What statements may write to; nothing where there is none.
pub struct Places {
    pub number: String,
    pub text: String,
    /// What is derived by asking the host.
    pub derived: String,
    pub list: String,
    pub flag: String,
}

/// Statements that catch what the host fails with, which it does for 7 and whenever somebody waits for it.
pub fn tried(works: &mut Random, places: &Places, depth: usize) -> String {
    let Places { number, text, derived, list, flag } = places;
    let some = |works: &mut Random, most: usize, last: bool| {
        let mut body = String::new();
        for _ in 0..1 + works.below(most) {
            body += &match works.below(if last { 7 } else { 15 }) {
                0 => format!("{number} += 1;"),
                1 if !text.is_empty() => format!("{text} = soil({number});"),
                2 => format!("await weigh({});", works.below(4)),
                3 if !text.is_empty() => format!("{text} = {text} + 'e';"),
                4 => format!("{number} = {number} > 9 ? 0 : {number} + 3;"),
                5 if works.below(3) == 0 => "return;".into(),
                5 => format!("if ({flag}) {{ {number} += 2; return; }}"),
                6 => {
                    let name = works.below(1_000_000);
                    format!("const t{name} = soil({});", 4 + works.below(4))
                }
                7 => format!("{number} = await weigh({number});"),
                8 if !list.is_empty() => {
                    format!(
                        "for (const v of {list}) {{ {number} += 1; await weigh(v.id); v.id = v.id > 8 ? 0 : v.id + 1; }}"
                    )
                }
                9 if !list.is_empty() => {
                    format!("for (const v of {list}) {{ v.crop = soil(v.id); if (v.wet) return; }}")
                }
                11 if !text.is_empty() => {
                    format!("{text} = soil({number}) + soil(7) + soil({number} + 1);")
                }
                12 if !list.is_empty() => {
                    let at = works.below(2);
                    format!(
                        "if ({list}.length > 1) {list}[soil({}) === 'clay' ? 0 : {at}].id = {number} % 5;",
                        5 + works.below(3)
                    )
                }
                13 if !text.is_empty() && !derived.is_empty() => {
                    format!("{number} += 1; {text} = soil({}) + {derived};", 4 + works.below(4))
                }
                10 if depth > 0 => tried(works, places, depth - 1),
                _ => format!("if ({number} > {}) {{ await weigh(1); }}", works.below(4)),
            };
            body.push(' ');
        }
        body
    };
    let body = some(works, 4, false);
    let caught = match text.as_str() {
        "" => format!("catch {{ {} }}", some(works, 2, true)),
        text => format!("catch (why) {{ {text} = why; {} }}", some(works, 2, true)),
    };
    let last = format!("finally {{ {} }}", some(works, 2, true));
    match works.below(4) {
        0 => format!("try {{ {body} }} {caught} {last} "),
        1 => format!("try {{ {body} }} {last} "),
        2 => format!(
            "for (const u of [1, 2]) {{ try {{ {body} {number} += u; }} {caught} {number} += 1; }} "
        ),
        _ => format!("try {{ {body} }} {caught} "),
    }
}

impl Writer<'_> {
    /// What a function of the component gives for something, once in a while.
    pub fn worked(&mut self, call: &str, given: String) -> String {
        match self.works.as_mut().is_some_and(|works| works.below(7) == 0) {
            true => call.replace('#', &given),
            false => given,
        }
    }

    /// Functions of a component that read a number and a flag of it.
    pub fn functions(&mut self, names: &Names) -> String {
        let Some(works) = self.works.as_mut() else { return String::new() };
        let plain = |names: &[String], or: &str| {
            let own = |name: &&String| name.chars().all(|c| c.is_ascii_alphabetic());
            names.iter().find(own).cloned().unwrap_or(or.into())
        };
        let (number, flag) =
            (plain(&names.number_places, "2"), plain(&names.flag_places, "(1 > 0)"));
        let (least, most) = (works.below(3), 3 + works.below(3));
        let recurs = ["lean(l.slice(1))", "l"][works.below(2)];
        format!(
            "derives up(x: number) = x > {most} ? x - {number} : x + {least}\n\
             derives turned(f: boolean) = f !== {flag}\n\
             derives damp(b: Bed): boolean = b.wet || b.inner.some(damp)\n\
             derives lean(l: Bed[]): Bed[] = l.length > {most} ? {recurs} : l.filter(q => q.id !== up(1))\n\
             derives said(t: string, x: number) {{\n  const y = up(x)\n  let z = t\n  let w = 0\n\
             \x20 if ({flag}) {{ z = z + y; w = y }} else if (y > {most}) return 'far'\n\
             \x20 if (w > {least}) return z + w\n  return z\n}}\n"
        )
    }

    /// Statements with a name that is assigned again, perhaps after an answer.
    pub fn varied(&mut self, names: &Names) -> String {
        let Some(mut works) = self.works.take() else { return String::new() };
        let mut done = String::new();
        if works.below(4) == 0 && !names.number_places.is_empty() {
            self.next += 1;
            let (name, place) = (format!("var{}", self.next), works.pick(&names.number_places));
            let (first, test) =
                (works.known(&names.numbers, "1"), works.known(&names.flags, "(2 > 1)"));
            // What gives something else each time is the same on every page that began with the same.
            let (first, test) = match works.below(8) {
                0 => ("Math.floor(Math.random() * 5)", test),
                1 => ("Date.now() % 7", test),
                2 => (first, "Math.random() < 0.5"),
                3 => (
                    "[2, 0, 4].map(n => n + Math.random()).findIndex(n => n > 3)",
                    "Date.now() > 900",
                ),
                _ => (first, test),
            };
            let waits = names.calls.iter().any(|call| call == "await weigh(#)");
            let wait = if waits && works.below(2) == 0 { "await weigh(3);" } else { "" };
            if !names.list_places.is_empty() && works.below(3) == 0 {
                let list = works.pick(&names.list_places);
                done.push_str(match works.below(3) {
                    0 => "for (const w of LIST.filter(q => q.wet || q.id > 1)) { w.id++; w.levels.push(w.id); } ",
                    1 => "for (const w of LIST.toSorted((p, q) => q.id - p.id).slice(0, 2)) w.wet = !w.wet; ",
                    _ => "for (const w of LIST.toReversed()) for (const v of w.inner.filter(q => q.wet)) v.crop = w.crop; ",
                }.replace("LIST", list).as_str());
            }
            let over = match works.below(2) {
                0 => format!("for (const q of [1, 2]) {{ {name} += q; {wait} }}"),
                _ => format!("if ({test}) {{ {wait} {name} = {name} + 1 }}"),
            };
            done += &format!(
                "let {name} = {first}; {over} {wait} if ({name} > 5) {name} = 0; {place} = {name}; "
            );
        }
        let asks = names.calls.iter().any(|call| call == "await weigh(#)");
        if asks && !names.number_places.is_empty() && works.below(3) == 0 {
            let places = Places {
                number: works.pick(&names.number_places).clone(),
                text: works.known(&names.text_places, "").to_owned(),
                derived: names
                    .texts
                    .iter()
                    .find(|text| *text == "ground")
                    .cloned()
                    .unwrap_or_default(),
                list: works.known(&names.list_places, "").to_owned(),
                flag: works.known(&names.flags, "(2 > 1)").to_owned(),
            };
            done += &tried(&mut works, &places, 2);
        }
        self.works = Some(works);
        done
    }
}
