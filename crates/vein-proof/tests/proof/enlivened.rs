//! What lives beside the views of random projects: stores, hooks, and what a host answers.

use crate::projects::{Names, Writer};

/// What components share.
pub const STORES: [(&str, &str); 2] = [
    (
        "water-tank.vein",
        "store tank
uses meter
holds litres = 5
holds stock: Bed[] = []
holds spent = 0
holds marks: number{} = {}
derives low = litres < 3
derives total = litres + meter.count
derives filled(n: number) = n > litres ? meter.least(n) : litres
awaits weigh(n: number): number
loads weight: number = weigh(litres)
does draw(n: number) { litres = litres > 8 ? 0 : litres + n; meter.tick() }
does keep(n: number) {
  if (stock.length < 4) stock.push({ id: n, crop: 'rye', wet: true, levels: [], inner: [] }); else stock.shift();
}
does turn() { stock.reverse(); for (const b of stock) b.wet = !b.wet }
does mark(n: number) { marks[n % 4] = (marks[n % 4] ?? 0) + 1 }
does unmark() { for (const k of Object.keys(marks).slice(0, 1)) delete marks[k] }
does spend() { spent++ }
does again() { reload weight }
upon change (low) { if (spent < 30) spent++ }
upon every (70) while low { litres++ }
",
    ),
    ("a-meter.vein", "store meter\nholds count = 0\nderives least(n: number) = n > count ? count : n\ndoes tick() { count++ }\n"),
];

impl Writer<'_> {
    /// Declarations of what lives beside the view of a component.
    pub fn lives(&mut self, of: &str, names: &Names) -> String {
        let mut out = String::from("uses tank\n");
        if of != "slot-box" {
            out.push_str("asks soil(n: number): string\nawaits weigh(n: number): number\n");
            out.push_str("streams sensor(n: number): number\n");
            let number = self.number(names);
            out.push_str(&format!("loads sky: number = weigh({number})\n"));
            out.push_str(&format!("follows tide: number = sensor({})\n", self.number(names)));
            out.push_str(&format!("derives ground = soil({number})\n"));
        }
        for _ in 0..1 + self.random.below(3) {
            let body = self.statements(names);
            let watched = self.pick(&names.numbers, "tank.litres");
            let when = match self.random.below(5) {
                0 | 1 => "added".to_owned(),
                2 => "removed".to_owned(),
                3 => {
                    let period = 10 + 20 * self.random.below(4);
                    format!("every ({period}) while {}", self.flag(names))
                }
                _ => {
                    let path = |name: &str| name.chars().all(|c| c.is_alphanumeric() || c == '.');
                    let watched = if path(&watched) && !watched.ends_with(".length") {
                        watched
                    } else {
                        "tank.litres".into()
                    };
                    format!("change ({watched}, tank.stock)")
                }
            };
            // Most come to an end; what does not is taken back. What adds more each time it is added
            // takes long to be found out.
            let body = match self.random.below(if when == "added" { 60 } else { 6 }) {
                0 => body,
                _ => format!("if (tank.spent < 25) {{ tank.spend(); {body} }}"),
            };
            out.push_str(&format!("upon {when} {{ {body} }}\n"));
        }
        out
    }
}

/// Has a component know of what lives beside its view.
pub fn enliven(of: &str, names: &mut Names) {
    let add = |to: &mut Vec<String>, all: &[&str]| to.extend(all.iter().map(|n| (*n).to_owned()));
    add(&mut names.numbers, &["tank.litres", "tank.total", "(tank.weight ?? 1)"]);
    add(&mut names.flags, &["tank.low", "tank.weight is ready"]);
    names.lists.push(("tank.stock".into(), false));
    add(&mut names.calls, &["tank.draw(#)", "tank.keep(#)", "tank.turn()", "tank.again()"]);
    if of != "slot-box" {
        add(&mut names.numbers, &["(sky ?? 2)", "(tide ?? 0)"]);
        add(&mut names.flags, &["sky is waiting", "tide is failed", "!(sky is ready)"]);
        add(&mut names.texts, &["ground", "(sky is failed ? sky.reason : 'sky')"]);
        add(&mut names.calls, &["reload sky", "reload tide", "await weigh(#)"]);
        if let Some(place) = names.number_places.first().cloned() {
            names.calls.push(format!("{place} = await weigh(#)"));
        }
    }
}
