//! What random projects work out in functions, and what their handlers hold in names that are assigned again.

use crate::projects::{Names, Writer};

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
        self.works = Some(works);
        done
    }
}
