//! What random projects keep by keys: dictionaries of numbers and of beds, read, written and shown.

use crate::generate::Random;
use crate::projects::{Names, Writer};

/// Declarations of a component that keeps something by keys; a card is given what its parent keeps.
pub fn declared(of: &str) -> &'static str {
    match of {
        "leaf-card" => "takes sums: number{} = { a: 1, pea: 2 }\nholds stash: Bed{} = {}\n",
        _ => {
            "holds sums: number{} = { a: 1, '3': 2, leek: 0 }\n\
             holds stash: Bed{} = { leek: { id: 2, crop: 'leek', wet: true, levels: [1], inner: [] } }\n"
        }
    }
}

/// What finds an entry: mostly one of a few, so that they are met again.
fn key(keys: &mut Random, names: &Names) -> String {
    match keys.below(6) {
        0 => keys.known(&names.texts, "'a'").to_owned(),
        1 => keys.known(&names.numbers, "3").to_owned(),
        2 => "'leek'".into(),
        3 => "'3'".into(),
        _ => "'a'".into(),
    }
}

impl Writer<'_> {
    /// A number, once in a while one that is found by a key.
    pub fn by_key(&mut self, names: &Names, number: String) -> String {
        let Some(keys) = self.keys.as_mut().filter(|_| names.keeps) else { return number };
        match keys.below(24) {
            0 => format!("(sums[{}] ?? {number})", key(keys, names)),
            1 => "Object.keys(sums).length".into(),
            2 => "Object.values(sums).reduce((s, v) => s + v, 0)".into(),
            3 => format!("(stash[{}]?.id ?? {number})", key(keys, names)),
            _ => number,
        }
    }

    /// A flag, once in a while whether something is kept by a key.
    pub fn has_key(&mut self, names: &Names, flag: String) -> String {
        let Some(keys) = self.keys.as_mut().filter(|_| names.keeps) else { return flag };
        match keys.below(16) {
            0 => format!("({} in sums)", key(keys, names)),
            1 => "'leek' in stash".into(),
            _ => flag,
        }
    }

    /// Statements about what is kept by keys.
    pub fn keep(&mut self, names: &Names) -> String {
        let Some(mut keys) = self.keys.take() else { return String::new() };
        let mut done = String::new();
        // What a component is given is not written to.
        let writes = names.keeps && !names.is_given;
        if names.keeps && keys.below(3) == 0 {
            self.next += 1;
            let (name, key) = (format!("by{}", self.next), key(&mut keys, names));
            let number = keys.known(&names.numbers, "2").to_owned();
            done = match keys.below(11) {
                0 | 1 if writes => format!("sums[{key}] = {number} % 9; "),
                2 | 3 if writes => format!("delete sums[{key}]; "),
                4 if writes => format!("sums = {{ ...sums, [{key}]: 1 }}; "),
                5 if writes => format!(
                    "for (const {name} of Object.keys(sums)) sums[{name}] = (sums[{name}] ?? 0) % 5 + 1; "
                ),
                6 => format!("delete stash[{key}]; "),
                7 => format!(
                    "const {name} = String({key}); if ({name} in stash) {{ stash[{name}].wet = !stash[{name}].wet; \
                     stash[{name}].levels.push(2); }} "
                ),
                8 => format!("stash[{key}].id = {number}; "),
                9 if self.lively => match keys.below(2) {
                    0 => format!("tank.mark({number}); "),
                    _ => "tank.unmark(); ".into(),
                },
                _ => format!(
                    "stash[{key}] ??= {{ id: {number} % 7, crop: 'pea', wet: false, levels: [], inner: [] }}; "
                ),
            };
        }
        self.keys = Some(keys);
        done
    }

    /// Markup that shows what is kept by keys.
    pub fn kept(&mut self, names: &Names) -> String {
        let Some(mut keys) = self.keys.take() else { return String::new() };
        let mut shown = String::new();
        for _ in 0..1 + keys.below(3) {
            let list =
                keys.pick(&["Object.values(stash)", "Object.values(stash).filter(q => q.wet)"]);
            let (one, flag) = (key(&mut keys, names), keys.known(&names.flags, "2 > 1").to_owned());
            shown += &match keys.below(9) {
                0 if !names.is_given => "<dt each='k of Object.keys(sums) by k'>{k}={sums[k]}\
                    <input type='number' value='<-> sums[k]'>\
                    <button click='-> delete sums[k]'>d</button></dt>"
                    .into(),
                1 => format!(
                    "<dd each='b of {list} by b.id'>{{b.crop}} {{b.wet}} {{b.levels.length}}</dd>"
                ),
                2 => "<s each='e of Object.entries(sums) by e[0]'>{e[0]}:{e[1]}</s>".into(),
                3 => {
                    let of = names
                        .lists
                        .first()
                        .map_or("Object.values(stash)", |(list, _)| list.as_str());
                    format!(
                        "<u each='g of Object.entries(Object.groupBy({of}, q => q.crop)) by g[0]'>\
                         {{g[0]}}{{g[1].length}}{{g[1].map(q => q.id).join()}}</u>"
                    )
                }
                4 => format!(
                    "<i title=\"<- {one} in sums && sums[{one}]\">{{JSON.stringify(sums)}}</i>"
                ),
                5 if self.components.contains(&"leaf-card") => {
                    format!(
                        "<leaf-card each='b of {list} by b.id' bed='<- b' sums='<- sums'></leaf-card>"
                    )
                }
                6 => format!(
                    "<q when=\"{one} in stash\">{{stash[{one}]?.crop}}</q><q or-when=\"{flag}\">{{sums['a']}}</q>"
                ),
                7 => "<b each='k, at of Object.keys(stash) by k'>{at}{k}{stash[k]?.wet}</b>".into(),
                _ => format!("<p>{{sums[{one}]}} {{sums['leek'] ?? 'none'}}</p>"),
            };
        }
        let body = self.statements(names);
        self.keys = Some(keys);
        let more: String = (0..3).map(|_| self.keep(names)).collect();
        shown + &format!("<button click=\"-> {more}{body}\">k</button>")
    }
}
